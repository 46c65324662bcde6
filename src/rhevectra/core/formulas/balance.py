"""Balance of a core driven both ways: the capacitor in series with the primary, and how the flux walks without it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("q = ½·(I_1 + Î)·t_e + ½·(I_1 + I_mag)·t_c", "C", "I_1 Î t_e I_mag t_c",
         "area of the primary current's linear pieces in one pulse")
def pulse_charge(i_start: Any, i_peak: Any, t_feeding: Any, i_mag: Any, t_commutation: Any) -> Any:
    """Charge [C] one pulse takes through the primary."""
    return 0.5 * (i_start + i_peak) * t_feeding + 0.5 * (i_start + i_mag) * t_commutation


@formula("V_c = ½·q/(n·C)", "V", "q n C",
         "charge balance: one pulse up, the next one down; n capacitors side by side as the primary sees them")
def series_amplitude(charge: Any, count: Any, c: Any) -> Any:
    """Amplitude [V] of the ac voltage on the capacitor in series with the primary."""
    return 0.5 * charge / (count * c)


@formula("C = ½·q/(n·a·V_p)", "F", "q n a V_p", "solved for the capacitor; a is the amplitude's share of the primary voltage")
def series_for_amplitude(charge: Any, count: Any, share: Any, v_primary: Any) -> Any:
    """Least capacitor [F], of count side by side, that keeps the amplitude."""
    return 0.5 * charge / (count * share * v_primary)


@formula("f_r = N_s/(2·π·N_p·√(n·C·L))", "Hz", "N_s N_p n C L",
         "the filter inductor seen from the primary resonates with the capacitor while a pulse lasts")
def series_resonance(turns_secondary: Any, turns_primary: Any, count: Any, c: Any, inductance: Any) -> Any:
    """Resonance [Hz] of the series capacitor with the reflected filter inductor."""
    return turns_secondary / (2 * np.pi * turns_primary * np.sqrt(count * c * inductance))


@formula("C = (N_s/(2·π·f_r·N_p))²/(n·L)", "F", "N_s f_r N_p n L", "solved for the capacitor")
def series_for_resonance(turns_secondary: Any, f_resonance: Any, turns_primary: Any, count: Any, inductance: Any) -> Any:
    """Least capacitor [F] that keeps the resonance below f_resonance."""
    return np.square(turns_secondary / (2 * np.pi * f_resonance * turns_primary)) / (count * inductance)


@formula("I_c = I_p/n", "A", "I_p n", "the ac current shares between capacitors side by side")
def series_rms(i_primary: Any, count: Any) -> Any:
    """Rms current [A] of one capacitor."""
    return i_primary / count


@formula("f_m = f_s/m", "Hz", "f_s m", "well below the switching frequency (common practice)")
def resonance_limit(fs: Any, times: Any) -> Any:
    """Highest resonance [Hz] allowed."""
    return fs / times


def midpoint_gain(continuous: Any, t_e: Any, rising: Any, falling: Any, added: Any, crest: Any, ratio: Any) -> Any:
    """Charge [C] by which the two pulses of a period differ, each from their mean, per share of half the bus by which the midpoint of a
    divider is off, where both end at the same peak current.

    continuous: conduction of the filter inductor; t_e: pulse [s]; rising, falling: slopes of its current, added: slope compensation [A/s];
    crest: where the pulse ends [A]; ratio: turns of its side over the primary's. Source: derived here; a pulse that comes from the lower
    side rises slower, lasts longer and begins from where the other left the current; checked against a run pulse by pulse.
    """
    whole = rising + falling  # a share more of half the bus raises the slope by that of all of it
    longer = t_e * whole / (rising + added + np.where(continuous, added - falling, 0.0))
    charge = crest * longer - added * longer * t_e
    return ratio * np.where(continuous, charge - rising * longer * t_e + 0.5 * whole * np.square(t_e), 0.5 * charge)


def runaway_time(c: Any, v_bus: Any, fs: Any, gain: Any) -> Any:
    """Time [s] in which an error of the midpoint between two capacitors c [F] grows 2.7 times; gain: of `midpoint_gain`."""
    return c * v_bus / (2 * fs * gain)


@formula("t_b = n/f_s", "s", "n f_s", "periods a controller takes that trims the peaks of both halves (common practice, no source)")
def trimmed_within(periods: Any, fs: Any) -> Any:
    """Time [s] within which a trim of the peaks puts the midpoint right."""
    return periods / fs


@formula("λ = V_p·δ + ΔV·t_on", "V·s", "V_p δ ΔV t_on",
         "what one half of the period has more than the other: longer by δ, its switches dropping less by ΔV")
def excess(v_primary: Any, t_mismatch: Any, v_mismatch: Any, t_on: Any) -> Any:
    """Volt-seconds [V·s] by which the halves of a period differ."""
    return v_primary * t_mismatch + v_mismatch * t_on


@formula("ΔB = λ/(N_p·A)", "T", "λ N_p A", "induction law")
def walk_step(excess: Any, turns: Any, area: Any) -> Any:
    """Flux density [T] the core moves away by in every period while nothing holds it."""
    return excess / (turns * area)


@formula("n = max(0, B_lim − B_ac)/ΔB", "", "B_lim B_ac ΔB", "definition")
def walk_periods(b_limit: Any, b_ac: Any, step: Any) -> Any:
    """Periods until the flux reaches its limit."""
    return np.maximum(0.0, b_limit - b_ac) / step


@formula("R_w = m·f_s·t_e·R_p + ½·(1 − m·f_s·t_e)·(r_d + R_s)·(N_p/N_s)² + 2·f_s·L_lk + f_s·C_p·V_p²/Î²", "Ω",
         "m f_s t_e R_p r_d R_s N_p N_s L_lk C_p V_p Î",
         "what opposes a direct magnetising current: the path while feeding, both rectifiers while freewheeling, the longer return of the "
         "leakage and the quicker fall of the voltage in the half that carries more")
def walk_resistance(pulses: Any, fs: Any, t_feeding: Any, r_path: Any, r_rectifier: Any, r_winding: Any, turns_primary: Any,
                    turns_secondary: Any, leakage: Any, c_primary: Any, v_primary: Any, i_peak: Any) -> Any:
    """Resistance [Ω] that a direct current in the magnetising inductance meets at full load; fs is that of a switch."""
    duty = pulses * fs * t_feeding
    return (duty * r_path + 0.5 * (1 - duty) * (r_rectifier + r_winding) * np.square(turns_primary / turns_secondary)
            + 2 * fs * leakage + fs * c_primary * np.square(v_primary / i_peak))


@formula("B_dc = λ·f_s·L_m/(R_w·N_p·A)", "T", "λ f_s L_m R_w N_p A", "a direct current whose drop equals the mean excess")
def walk_end(excess: Any, fs: Any, lm: Any, r_walk: Any, turns: Any, area: Any) -> Any:
    """Constant flux density [T] at which the circuit by itself would hold a core that did not saturate."""
    return excess * fs * lm / (r_walk * turns * area)
