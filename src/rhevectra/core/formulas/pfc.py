"""Boost stage that draws a sine from the line: ripple, inductor, bus capacitor, control.

Per angle of the line the switching cycle is that of a boost converter on a constant input; where a relation is summed over the line cycle
the row says so. Relations by hand from charge and volt-second balance; bus ripple from the double-frequency power of a sine current at a
sine voltage.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V̂ = √(2)·V_line", "V", "V_line", "crest of a sine")
def crest(v_line: Any) -> Any:
    """Crest [V] of the line."""
    return np.sqrt(2) * v_line


@formula("Î = √(2)·P/V_line", "A", "P V_line", "a sine in phase with the line")
def line_crest(power: Any, v_line: Any) -> Any:
    """Crest [A] of the line current."""
    return np.sqrt(2) * power / v_line


@formula("L = max(0, V_b − V̂)·V̂/(k·Î·f_s·V_b)", "H", "V_b V̂ k Î f_s",
         "volt-second balance at the crest of the line; k of the crest current")
def inductance_ccm(v_bus: Any, v_crest: Any, ripple_ratio: Any, i_crest: Any, fs: Any) -> Any:
    """Inductance [H] for a ripple of k times the crest current there."""
    return np.maximum(0.0, v_bus - v_crest) * v_crest / (ripple_ratio * i_crest * fs * v_bus)


@formula("L = V_line²·max(0, V_b − V̂)/(2·P·f_min·V_b)", "H", "V_line V_b V̂ P f_min",
         "boundary of conduction: on-time 2·L·P/V_line², period lengthened by V_b/(V_b − V̂) at the crest")
def inductance_boundary(v_line: Any, v_bus: Any, v_crest: Any, power: Any, f_min: Any) -> Any:
    """Inductance [H] with which the frequency at the crest of a line is f_min."""
    return np.square(v_line) * np.maximum(0.0, v_bus - v_crest) / (2 * power * f_min * v_bus)


@formula("f = max(1, V_line²·(V_b − V̂)/(2·L·P·V_b))", "Hz", "V_line V_b V̂ L P",
         "boundary of conduction at the crest of the line; the max binds only where the bus lies below it, which a finding refuses")
def boundary_frequency(v_line: Any, v_bus: Any, v_crest: Any, inductance: Any, power: Any) -> Any:
    """Switching frequency [Hz] at the crest, where it is lowest."""
    return np.maximum(1.0, np.square(v_line) * (v_bus - v_crest) / (2 * inductance * power * v_bus))


@formula("ΔI = V̂·max(0, V_b − V̂)/(L·f·V_b)", "A", "V̂ V_b L f", "induction law over the on-time at the crest of the line")
def crest_ripple(v_crest: Any, v_bus: Any, inductance: Any, fs: Any) -> Any:
    """Ripple [A], peak to peak, of the inductor at the crest of the line."""
    return v_crest * np.maximum(0.0, v_bus - v_crest) / (inductance * fs * v_bus)


@formula("ΔI_x = ΔI/(1 - t)", "A", "ΔI t", "the same volts and times across the least inductance")
def ripple_most(ripple: Any, tolerance: Any) -> Any:
    """Ripple [A], peak to peak, with the inductance at the low end of its tolerance."""
    return ripple / (1 - tolerance)


@formula("Î_L = Î + ½·ΔI", "A", "Î ΔI", "average at the crest and half the ripple there")
def inductor_peak(i_crest: Any, ripple: Any) -> Any:
    """Peak current [A] of the inductor at the crest of the line."""
    return i_crest + 0.5 * ripple


@formula("ΔV = P/(2·π·f·C·V_b)", "V", "P f C V_b",
         "double-frequency power of sine voltage and current into C, linear: good while ΔV stays small beside V_b")
def bus_ripple(power: Any, f_line: Any, c: Any, v_bus: Any) -> Any:
    """Ripple [V] of the bus, peak to peak, at twice the line frequency."""
    return power / (2 * np.pi * f_line * c * v_bus)


@formula("ΔV = P·(1 − V̂/V_b)/(V_b·f_s·C) + Î_L·R_esr", "V", "P V̂ V_b f_s C Î_L R_esr",
         "the bus is fed alone while the switch conducts at the crest of the line; and the diode's current through the capacitor's "
         "resistance")
def switching_ripple(power: Any, v_crest: Any, v_bus: Any, fs: Any, c: Any, i_peak: Any, esr: Any) -> Any:
    """Ripple [V] of the bus, peak to peak, at the switching frequency."""
    return power * (1 - v_crest / v_bus) / (v_bus * fs * c) + i_peak * esr


@formula("V_v = √(max(V_b²/4, V_b² − V_b·ΔV))", "V", "V_b ΔV",
         "energy of the capacitor half a ripple below its mean; never below half, where no figure holds")
def bus_valley(v_bus: Any, ripple: Any) -> Any:
    """Valley [V] of the bus within a line cycle."""
    return np.sqrt(np.maximum(0.25 * np.square(v_bus), np.square(v_bus) - v_bus * ripple))


@formula("V_p = √(V_b² + V_b·ΔV)", "V", "V_b ΔV", "energy of the capacitor half a ripple above its mean")
def bus_peak(v_bus: Any, ripple: Any) -> Any:
    """Crest [V] of the bus within a line cycle."""
    return np.sqrt(np.square(v_bus) + v_bus * ripple)


@formula("V_d = √(V_p² + 2·P·t/C)", "V", "V_p P t C",
         "energy that still flows in after the load is gone until the loop answers, from the crest")
def dump(v_peak: Any, power: Any, delay: Any, c: Any) -> Any:
    """Bus [V] after the whole load has gone."""
    return np.sqrt(np.square(v_peak) + 2 * power * delay / c)


@formula("V_s = max(½·V_b, V_v − k·P/(2·π·f_c·C·V_b))", "V", "V_b V_v k P f_c C",
         "the bus sinks until the loop, proportional at its crossover, asks for the whole power; k: how far it shoots beyond (never told "
         "below half the bus, where no figure holds)")
def sunk(v_bus: Any, v_valley: Any, beyond: Any, power: Any, crossover: Any, c: Any) -> Any:
    """Bus [V] after the whole load has come at once, from the valley of its ripple."""
    return np.maximum(0.5 * v_bus, v_valley - sink(v_bus, beyond, power, crossover, c))


def sink(v_bus: Any, beyond: Any, power: Any, crossover: Any, c: Any) -> Any:
    """How far the bus sinks [V] then: k·P/(2·π·f_c·C·V_b)."""
    return beyond * power / (2 * np.pi * crossover * c * v_bus)


@formula("I = P/(√(2)·V_b)", "A", "P V_b", "second harmonic of the current that a sine's power feeds")
def bus_current_lf(power: Any, v_bus: Any) -> Any:
    """Rms [A] at twice the line frequency through the bus capacitor."""
    return power / (np.sqrt(2) * v_bus)


@formula("m = f_c/(2·f)/√(1 + (2·f/f_p)²)", "", "f_c f f_p",
         "integrator of the bus seen through the loop: crossover f_c, pole f_p above it; ripple of the bus over its mean current command")
def loop_ripple(crossover: Any, f_line: Any, pole: Any) -> Any:
    """Relative second harmonic that the voltage loop puts on the current's amplitude; half of it becomes third harmonic."""
    return crossover / (2 * f_line) / np.sqrt(1 + np.square(2 * f_line / pole))


@formula("P = V_line·(I_lim − ½·ΔI)/√(2)", "W", "V_line I_lim ΔI", "the inductor's peak at the crest of the line reaches the limit")
def power_at_limit(v_line: Any, i_limit: Any, ripple: Any) -> Any:
    """Power [W] the stage draws at its current limit."""
    return v_line * (i_limit - 0.5 * ripple) / np.sqrt(2)


@formula("I = P/(V_line·λ)", "A", "P V_line λ", "definition of the power factor")
def line_current(power: Any, v_line: Any, factor: Any) -> Any:
    """Line current [A rms]."""
    return power / (v_line * factor)


@formula("I_D = √(2)/π·I", "A", "I", "each diode pair carries alternate half cycles of a sine")
def bridge_average(i_rms: Any) -> Any:
    """Average current [A] of one diode of the bridge."""
    return np.sqrt(2) / np.pi * i_rms


@formula("P = V_line·I_lim/(2·√(2))", "W", "V_line I_lim", "at the boundary the peak is twice the mean")
def power_at_limit_boundary(v_line: Any, i_limit: Any) -> Any:
    """Power [W] a stage at the boundary of conduction draws at its current limit."""
    return v_line * i_limit / (2 * np.sqrt(2))


@formula("Î_1 = Î/n", "A", "Î n", "phases share evenly")
def of_phase(current: Any, phases: Any) -> Any:
    """Current [A] of one phase."""
    return current / phases


@formula("P = n·P_1", "W", "n P_1", "phases side by side")
def all_phases(phases: Any, one: Any) -> Any:
    """Power [W] of all phases."""
    return phases * one


@formula("ΔI_Σ = ΔI·n·(D − k/n)·((k + 1)/n − D)/(D·(1 − D))", "A", "ΔI n D k",
         "ramps of evenly shifted phases, k whole pulses of n that overlap; zero where the duty is a whole share of n")
def summed_ripple(ripple: Any, phases: Any, duty: Any, overlap: Any) -> Any:
    """Ripple [A] of the sum of all phases, peak to peak; overlap: whole part of n·D."""
    return ripple * phases * (duty - overlap / phases) * ((overlap + 1) / phases - duty) / (duty * (1 - duty))


@formula("D = 1 − V̂/V_b", "", "V̂ V_b", "boost converter at the crest of the line")
def crest_duty(v_crest: Any, v_bus: Any) -> Any:
    """Duty at the crest of the line."""
    return 1 - v_crest / v_bus


@formula("R = V_s/I_lim", "Ω", "V_s I_lim", "the sense voltage at the current limit")
def sense_resistor(v_sense: Any, i_limit: Any) -> Any:
    """Sense resistor [Ω]."""
    return v_sense / i_limit


@formula("R = N·V_s/I_lim", "Ω", "N V_s I_lim", "the same behind a current transformer")
def burden(turns: Any, v_sense: Any, i_limit: Any) -> Any:
    """Burden [Ω] of a current transformer of `turns` to one."""
    return turns * v_sense / i_limit


@formula("V_r = (V_s + V_f)·D/(1 − D)", "V", "V_s V_f D", "volt-seconds of the on-time given back in the off-time")
def reset_voltage(v_sense: Any, v_diode: Any, duty: Any) -> Any:
    """Voltage [V] a current transformer needs to reset in every period."""
    return (v_sense + v_diode) * duty / (1 - duty)
