"""Series resonant tank with a magnetising inductance: choosing it by the first harmonic, judging it by the exact period.

The first-harmonic gain is the usual published one (from memory); it is kept for choosing and for comparison, never for a figure.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("N_p/N_s = k·V_u/(V_o + V_x)", "", "k V_u V_o V_x",
         "gain of one at the resonance; V_x holds the drops, k is the share of the bus across the tank")
def turns_ratio(share: Any, v_unity: Any, v_out: Any, v_drops: Any) -> Any:
    """Primary over secondary turns."""
    return share * v_unity / (v_out + v_drops)


_AT_ENDS = "worst end of the tolerances over nominal parts, times what nominal parts give"


@formula("f = s·f_n", "Hz", "s f_n", _AT_ENDS)
def frequency_at_ends(moves: Any, nominal: Any) -> Any:
    """Frequency [Hz] at the worst end of the tank's tolerances; moves: that end over nominal parts."""
    return moves * nominal


@formula("I = s·I_n", "A", "s I_n", _AT_ENDS)
def current_at_ends(moves: Any, nominal: Any) -> Any:
    """Current [A] at the worst end of the tank's tolerances; moves: that end over nominal parts."""
    return moves * nominal


@formula("V = s·V_n", "V", "s V_n", _AT_ENDS)
def voltage_at_ends(moves: Any, nominal: Any) -> Any:
    """Voltage [V] at the worst end of the tank's tolerances; moves: that end over nominal parts."""
    return moves * nominal


@formula("B = s·B_n", "T", "s B_n", _AT_ENDS)
def flux_at_ends(moves: Any, nominal: Any) -> Any:
    """Flux density [T] at the worst end of the tank's tolerances; moves: that end over nominal parts."""
    return moves * nominal


@formula("t = s·t_n", "s", "s t_n", _AT_ENDS)
def time_at_ends(moves: Any, nominal: Any) -> Any:
    """Time [s] at the worst end of the tank's tolerances; moves: that end over nominal parts."""
    return moves * nominal


@formula("P = s·P_n", "W", "s P_n", _AT_ENDS)
def power_at_ends(moves: Any, nominal: Any) -> Any:
    """Loss [W] at the worst end of the tank's tolerances; moves: that end over nominal parts."""
    return moves * nominal


@formula("P = s²·P_n", "W", "s P_n", "by resistance: the square of what the worst end of the tolerances makes of the current")
def heat_at_ends(moves: Any, nominal: Any) -> Any:
    """Loss [W] in a resistance at the worst end of the tank's tolerances; moves: its current there over that of nominal parts."""
    return np.square(moves) * nominal


_MOST_AT_ENDS = "worst end of the tolerances, and the phase that carries most, over even phases of nominal parts"


@formula("I = s·k·I_n", "A", "s k I_n", _MOST_AT_ENDS)
def most_current_at_ends(moves: Any, most: Any, nominal: Any) -> Any:
    """Current [A] of the most loaded phase at the worst end of the tank's tolerances."""
    return moves * most * nominal


@formula("V = s·k·V_n", "V", "s k V_n", _MOST_AT_ENDS)
def most_voltage_at_ends(moves: Any, most: Any, nominal: Any) -> Any:
    """Voltage [V] on a part of the most loaded phase at the worst end of the tank's tolerances, which goes with its current."""
    return moves * most * nominal


@formula("B = s·k·B_n", "T", "s k B_n", _MOST_AT_ENDS)
def most_flux_at_ends(moves: Any, most: Any, nominal: Any) -> Any:
    """Flux density [T] of the most loaded phase at the worst end of the tank's tolerances, which goes with its current."""
    return moves * most * nominal


@formula("P = (s·k)²·P_n", "W", "s k P_n", "by resistance: the square of what the worst end and uneven phases make of the current")
def most_heat_at_ends(moves: Any, most: Any, nominal: Any) -> Any:
    """Loss [W] in a resistance of the most loaded phase at the worst end of the tank's tolerances."""
    return np.square(moves * most) * nominal


@formula("P = (s² − 1)·P_n", "W", "s P_n",
         "by resistance: the square of what the worst end of the tolerances makes of the current, less what is told already")
def more_heat(moves: Any, nominal: Any) -> Any:
    """Loss [W] that the worst end of the tank's tolerances adds in resistances."""
    return (np.square(moves) - 1) * nominal


@formula("P = (s − 1)·P_n", "W", "s P_n", "worst end of the tolerances over nominal parts, less what is told already")
def more_power(moves: Any, nominal: Any) -> Any:
    """Loss [W] that the worst end of the tank's tolerances adds."""
    return (moves - 1) * nominal


@formula("I_off = I_n - I_x", "A", "I_n I_x", "nominal parts less what the worst end of the tolerances takes")
def off_at_the_ends(nominal: Any, lost: Any) -> Any:
    """Least turn-off current [A] over the tolerances."""
    return nominal - lost


@formula("Z = √(L_r/C_r)", "Ω", "L_r C_r", "definition")
def impedance(lr: Any, cr: Any) -> Any:
    """Characteristic impedance [Ω] of the tank."""
    return np.sqrt(lr / cr)


@formula("Z_x = √(L_r·(1 - t_L)/(C_r·(1 + t_C)))", "Ω", "L_r t_L C_r t_C", "definition, at the ends of the tolerances where it is least")
def impedance_least(lr: Any, lr_tolerance: Any, cr: Any, cr_tolerance: Any) -> Any:
    """Least characteristic impedance [Ω] of the tank."""
    return np.sqrt(lr * (1 - lr_tolerance) / (cr * (1 + cr_tolerance)))


@formula("L_r = 1/((2·π·f_r)²·C_r)", "H", "f_r C_r", "series resonance")
def resonant_inductance(fr: Any, cr: Any) -> Any:
    """Resonant inductance [H], leakage included."""
    return 1 / (np.square(2 * np.pi * fr) * cr)


@formula("f_r = 1/(2·π·√(L_r·C_r))", "Hz", "L_r C_r", "series resonance")
def series_resonance(lr: Any, cr: Any) -> Any:
    """Series resonance [Hz]."""
    return 1 / (2 * np.pi * np.sqrt(lr * cr))


@formula("L_m = x·L_max", "H", "x L_max", "share of the most that still reaches zero voltage")
def magnetising_of_share(share: Any, most: Any) -> Any:
    """Magnetising inductance [H] by zero voltage alone."""
    return share * most


@formula("V_o = N_s/N_p·(M·k·V_bus − ΔV) − V_f", "V", "M k V_bus ΔV N_p N_s V_f",
         "the tank's gain at its fixed frequency, less what the resistances and the rectifiers in the path take")
def fixed_output(gain: Any, share: Any, v_bus: Any, drop: Any, np: Any, ns: Any, v_forward: Any) -> Any:
    """Output voltage [V] of a stage that runs at one frequency."""
    return ns / np * (gain * share * v_bus - drop) - v_forward


@formula("L_m = k·L_r", "H", "k L_r", "definition of the ratio of inductances")
def magnetising_inductance(ratio: Any, lr: Any) -> Any:
    """Magnetising inductance [H]."""
    return ratio * lr


@formula("L_m = k·V_u·t_d/(4·f_max·C_s·V_bus)", "H", "k V_u t_d f_max C_s V_bus",
         "the magnetising current alone moves the switches' charge within the dead time at the highest frequency")
def most_magnetising(share: Any, v_unity: Any, t_dead: Any, f_max: Any, c_switches: Any, v_bus: Any) -> Any:
    """Greatest magnetising inductance [H] with which the switches still turn on at zero voltage."""
    return share * v_unity * t_dead / (4 * f_max * c_switches * v_bus)


@formula("t_d = C_s·V_bus/I_off", "s", "C_s V_bus I_off", "the current at turn-off moves the charge of both switches of a leg")
def dead_time_least(c_switches: Any, v_bus: Any, i_off: Any) -> Any:
    """Dead time [s] the switch node takes to reach the other rail."""
    return c_switches * v_bus / i_off


@formula("P = I²·tan_δ/(2·π·f·C_r)", "W", "I tan_δ f C_r", "loss factor of the film")
def capacitor_loss(i_rms: Any, tan_delta: Any, f: Any, cr: Any) -> Any:
    """Loss [W] of the resonant capacitor."""
    return np.square(i_rms) * tan_delta / (2 * np.pi * f * cr)


@formula("V_R = (1 + a)·(V_o + V_f)", "V", "a V_o V_f",
         "the output and the drop of the rectifier that conducts beside it; allowance a stated (common practice)")
def reverse_of_bridge(allowance: Any, v_out: Any, v_forward: Any) -> Any:
    """Reverse voltage [V] of a rectifier of a bridge."""
    return (1 + allowance) * (v_out + v_forward)


@formula("V_R = (1 + a)·(2·V_o + V_f)", "V", "a V_o V_f",
         "the other half of the centre tap adds its voltage, which the output holds; allowance a stated (common practice)")
def reverse(allowance: Any, v_out: Any, v_forward: Any) -> Any:
    """Reverse voltage [V] of a rectifier of the centre tap."""
    return (1 + allowance) * (2 * v_out + v_forward)


@formula("V_c = max(V_r, V_h)", "V", "V_r V_h", "in run, and from the lowest bus at the end of hold-up")
def higher(run: Any, hold: Any) -> Any:
    """The higher of two voltages [V]."""
    return np.maximum(run, hold)


@formula("V_c = V_dc + V_ac", "V", "V_dc V_ac", "a half bridge leaves half the bus on the capacitor")
def capacitor_peak(v_dc: Any, v_ac: Any) -> Any:
    """Largest voltage [V] across the resonant capacitor."""
    return v_dc + v_ac


@formula("P = V_p·I_in + P_x", "W", "V_p I_in P_x",
         "mean current that the tank takes from the voltage across it, with the losses that are not in the tank")
def bus_power(v_primary: Any, i_in: Any, p_beside: Any) -> Any:
    """Power [W] drawn from the bus."""
    return v_primary * i_in + p_beside


@formula("ΔB = 2·L_m·I_m/(N_p·A)", "T", "L_m I_m N_p A", "flux linkage of the magnetising current, from one peak to the other")
def flux_swing(lm: Any, i_mag: Any, turns: Any, area: Any) -> Any:
    """Flux swing [T]."""
    return 2 * lm * i_mag / (turns * area)


@formula("I = √(b)·I_b", "A", "b I_b", "rms of a current that flows in bursts")
def burst_rms(share: Any, i_rms: Any) -> Any:
    """Rms current [A] over bursts and pauses."""
    return np.sqrt(share) * i_rms


@formula("I_sw = I/√(2)", "A", "I", "each switch of a leg carries the tank current for half the time")
def switch_rms(i_tank: Any) -> Any:
    """Rms current [A] of a switch."""
    return i_tank / np.sqrt(2)


@formula("V = k·V_bus", "V", "k V_bus", "share of the bus")
def bus_share(share: Any, v_bus: Any) -> Any:
    """Voltage [V] across the tank, or left on its capacitor."""
    return share * v_bus


@formula("f_s = b·f", "Hz", "b f", "bursts and pauses")
def pulse_rate(share: Any, f: Any) -> Any:
    """Average pulse rate [Hz]."""
    return share * f


@formula("P = b·P_b", "W", "b P_b", "bursts and pauses")
def burst_power(share: Any, power: Any) -> Any:
    """Average power [W]."""
    return share * power


@formula("I = b·I_b", "A", "b I_b", "bursts and pauses")
def burst_mean(share: Any, current: Any) -> Any:
    """Average current [A]."""
    return share * current


@formula("I = max(0.001, I_off)", "A", "I_off", "where the current leads nothing moves the charge")
def lagging(i_off: Any) -> Any:
    """Current [A] that still lags at turn-off."""
    return np.maximum(1e-3, i_off)


@formula("I = C_s·V_bus/t_d", "A", "C_s V_bus t_d", "charge of both switches of a leg within the dead time")
def current_needed(c_switches: Any, v_bus: Any, t_dead: Any) -> Any:
    """Current at turn-off [A] that reaches zero voltage."""
    return c_switches * v_bus / t_dead


@formula("t = 1/(2·f)", "s", "f", "definition")
def half_period(f: Any) -> Any:
    """Half a period [s]."""
    return 1 / (2 * f)


@formula("L = max(0.02·L_r, L_r − L_lk)", "H", "L_r L_lk", "the leakage is part of the resonant inductance")
def beside_leakage(lr: Any, leakage: Any) -> Any:
    """Inductance [H] of the separate inductor."""
    return np.maximum(0.02 * lr, lr - leakage)


@formula("I = ½·I_o", "A", "I_o", "the halves of the centre tap share")
def half_of(total: Any) -> Any:
    """Average current [A] of one rectifier."""
    return 0.5 * total


@formula("I = n·I_1", "A", "n I_1", "phases side by side")
def all_phases(phases: Any, one: Any) -> Any:
    """Current [A] of all phases together."""
    return phases * one


@formula("I = s·I_m", "A", "s I_m",
         "the phase that carries most, every current in proportion (its magnetising share does not grow: safe side)")
def of_most_loaded(most: Any, mean: Any) -> Any:
    """Current [A] of the most loaded phase."""
    return most * mean


@formula("P = n·r·I²", "W", "n r I", "definition, in all phases")
def resistive_of(phases: Any, r: Any, i_rms: Any) -> Any:
    """Loss [W] in a resistance of each phase."""
    return phases * r * np.square(i_rms)


@formula("P = (s − 1)²/(n − 1)·P_c", "W", "s n P_c",
         "mean square of one phase at s and n − 1 phases that share the rest, less that of even ones; P_c by resistance in all")
def lost_by_sharing(most: Any, phases: Any, conduction: Any) -> Any:
    """Loss [W] that uneven phases add."""
    return np.square(most - 1) / (phases - 1) * conduction


@formula("I_C = √(max(0, I_Σ² − I_o²) + (n/(n − 1)·(s − 1)·I_1)²)", "A", "I_Σ I_o n s I_1",
         "rms of even phases, and the ripple of one phase that the others no longer cancel, I_1 the ac part of one")
def phased_ripple_rms(i_rms: Any, i_out: Any, phases: Any, most: Any, i_one: Any) -> Any:
    """Ripple current [A] of the output capacitor behind several phases."""
    return np.sqrt(np.maximum(0.0, np.square(i_rms) - np.square(i_out)) + np.square(phases / (phases - 1) * (most - 1) * i_one))


@formula("ΔI = ΔI_e + n/(n − 1)·(s − 1)·Î", "A", "ΔI_e n s Î",
         "swing of even phases, and what the others no longer cancel of the most loaded one (both taken together: safe side)")
def phased_ripple(even: Any, phases: Any, most: Any, i_peak: Any) -> Any:
    """Swing [A] of the current into the output capacitor."""
    return even + phases / (phases - 1) * (most - 1) * i_peak


@formula("f_2 = 2·f", "Hz", "f", "both halves of the period feed the output")
def rectified(f: Any) -> Any:
    """Rate [Hz] at which the output is fed."""
    return 2 * f


@formula("f_x = 1/(2·π·√(L_r·(1 - t_L)·C_r·(1 - t_C)))", "Hz", "L_r t_L C_r t_C",
         "definition, at the ends of the tolerances where it is highest")
def fastest_resonance(lr: Any, lr_tolerance: Any, cr: Any, cr_tolerance: Any) -> Any:
    """Highest series resonance [Hz] of the tank."""
    return 1 / (2 * np.pi * np.sqrt(lr * (1 - lr_tolerance) * cr * (1 - cr_tolerance)))


@formula("f_st = f_x·π/(2·atan(2·π·f_x·L_x·I_min/V_p))", "Hz", "f_x L_x I_min V_p",
         "exact: into an empty output the tank is a series circuit on a square voltage, whose current at the edges is "
         "V_p/Z·tan(π·f_x/(2·f)); least inductance and capacitance ask for the highest")
def start_frequency(fr: Any, lr: Any, i_limit: Any, v_primary: Any) -> Any:
    """Frequency [Hz] to start with, so that the tank current stays at its limit while the output capacitor is empty."""
    return fr * np.pi / (2 * np.arctan(2 * np.pi * fr * lr * i_limit / v_primary))


@formula("I_f = I_x·I_min/Î", "A", "I_x I_min Î",
         "overload in proportion to the peak of its tank current (the magnetising current does not grow with it: safe side)")
def full_current(i_over: Any, i_limit: Any, i_peak: Any) -> Any:
    """Current [A] that a tank held at its limit gives at the full output voltage."""
    return i_over * i_limit / i_peak


@formula("M_h = M·V_bus/V_hold", "", "M V_bus V_hold", "the same output from a lower bus")
def gain_at_hold(gain: Any, v_bus: Any, v_hold: Any) -> Any:
    """Gain asked of the tank at the end of hold-up."""
    return gain * v_bus / v_hold


@formula("N' = N·√(L_m/(L_m + L_r))", "turns", "N L_m L_r",
         "a transformer whose whole leakage is reckoned on the primary: coupling 1 − L_r/L_p squared")
def turns_seen(turns: Any, lm: Any, lr: Any) -> Any:
    """Primary turns [turns] of the ideal transformer beyond a leakage of lr [H] that lies wholly on the primary side."""
    return turns * np.sqrt(lm / (lm + lr))


@formula("c = min(1, 2·(L_m + L_r)·Î_m/(π·L_r·Î))", "", "L_m L_r Î_m Î",
         "slope of the magnetising ramp over the steepest of the half sine on it; 1: the linkage is greatest at the end of the half period")
def ramp_share(lm: Any, lr: Any, i_mag: Any, i_peak: Any) -> Any:
    """How steep the ramp of the linkage is against its half sine; i_mag, i_peak: magnetising and tank current [A peak], the half sine taken
    as the whole of it (on the safe side)."""
    return np.minimum(1.0, 2 * (lm + lr) * i_mag / (np.pi * lr * i_peak))


@formula("Λ = 2·(L_m + L_r)·Î_m·asin(c)/π + L_r·Î·√(1 − c²)", "Vs", "L_m L_r Î_m Î c",
         "a half sine on a ramp: leakage and magnetising inductance link the same turns")
def linkage_peak(lm: Any, lr: Any, i_mag: Any, i_peak: Any, ramp: Any) -> Any:
    """Greatest flux linkage [Vs] of a primary whose leakage is the resonant inductance; ramp from `ramp_share`."""
    return 2 * (lm + lr) * i_mag * np.arcsin(ramp) / np.pi + lr * i_peak * np.sqrt(1 - ramp**2)


@formula("ΔB = 2·Λ/(N·A)", "T", "Λ N A", "flux linkage, both ways")
def swing_of_linkage(linkage: Any, turns: Any, area: Any) -> Any:
    """Peak-to-peak flux density [T] of a linkage [Vs peak]."""
    return 2 * linkage / (turns * area)


@formula("B̂ = Λ/(N·A)", "T", "Λ N A", "flux linkage")
def flux_of_linkage(linkage: Any, turns: Any, area: Any) -> Any:
    """Peak flux density [T] of a linkage [Vs peak]."""
    return linkage / (turns * area)


@formula("L_lk = L_geo − L_geo²/(4·L_p)", "H", "L_geo L_p",
         "half of the leakage on each side of the gap: the magnetising inductance lies beside that of the shorted side")
def shorted_reading(geometric: Any, lp: Any) -> Any:
    """What the primary reads with the secondary shorted [H], from the leakage by field energy of currents that cancel."""
    return geometric - np.square(geometric) / (4 * lp)


def geometric_for(shorted: float, lp: float) -> float:
    """The leakage by field energy [H] whose shorted reading is `shorted` [H]."""
    return float(2 * lp * (1 - np.sqrt(1 - min(shorted / lp, 1.0))))
