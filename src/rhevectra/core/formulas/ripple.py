"""Ripple of an output: straight ramps of current into a capacitor and its resistance, both at one instant. Source: derived here from
charge and Ohm's law; checked against integration in time and exact periods."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("s = max(1, 2·(Î − I_o/(f·t))·(1 − δ)/t)", "A/s", "Î I_o f t δ",
         "a straight fall whose mean over the period is the load; at the least rate it takes longer")
def fall(i_peak: Any, i_out: Any, fs: Any, t_off: Any, slower: Any) -> Any:
    """Slope [A/s] at which a rectifier's current falls from i_peak [A] within t_off [s]; slower: tolerance of the rate. Of outputs that
    share a pulse unevenly it is the less, and the ripple told the more (by up to a third)."""
    return np.maximum(1.0, 2 * (i_peak - i_out / (fs * t_off)) * (1 - slower) / t_off)


@formula("t_x = min(max(0, (Î − I_o)/s − R·C), t/(1 − δ))", "s", "Î I_o s R C t δ",
         "what still flows into the capacitor then makes up for what the falling current takes off the resistance")
def crest_time(i_peak: Any, i_out: Any, slope: Any, esr: Any, c: Any, t_off: Any, slower: Any) -> Any:
    """Time [s] from the beginning of a falling current to the crest of the output."""
    return np.minimum(np.maximum(0.0, (i_peak - i_out) / slope - esr * c), t_off / (1 - slower))


@formula("ΔV = R·(Î − s·t_x) + ((Î − I_o)·t_x − ½·s·t_x²)/C", "V", "R Î s t_x I_o C",
         "from the end of the pause, where the output is lowest, to the crest")
def of_fall(esr: Any, i_peak: Any, slope: Any, t_crest: Any, i_out: Any, c: Any) -> Any:
    """Ripple peak to peak [V] of a current that begins at i_peak [A] and falls, after a pause."""
    return esr * (i_peak - slope * t_crest) + ((i_peak - i_out) * t_crest - 0.5 * slope * np.square(t_crest)) / c


@formula("I_h = ΔI·max(½, 1 − I_o/max(ΔI, 0.000001))", "A", "ΔI I_o",
         "half of the ripple where the inductor never runs empty, its crest less the load where it does")
def above(ripple: Any, i_out: Any) -> Any:
    """Crest [A] of a filter inductor's current above the load."""
    return ripple * np.maximum(0.5, 1 - i_out / np.maximum(ripple, 1e-6))


@formula("t_f = min(t_d, 1/f − t_e)", "s", "t_d f t_e", "until the inductor is empty, or the next pulse")
def falls(t_freewheeling: Any, fs: Any, t_feeding: Any) -> Any:
    """Time [s] a filter inductor's current falls."""
    return np.minimum(t_freewheeling, 1 / fs - t_feeding)


@formula("I_x = min(R·C·ΔI·(1 − δ)/max(t, 0.000000001), I_m)", "A", "R C ΔI δ t I_m",
         "where charge and resistance hold each other on a ramp, no more than it reaches; at the least rate")
def turning(esr: Any, c: Any, ripple: Any, slower: Any, t_ramp: Any, most: Any) -> Any:
    """Current [A] above or below the load at which the output turns on a ramp of `ripple` [A] in t_ramp [s] that reaches `most` [A]."""
    return np.minimum(esr * c * ripple * (1 - slower) / np.maximum(t_ramp, 1e-9), most)


@formula("I_u = ΔI − I_h", "A", "ΔI I_h", "what of the ripple lies below the load")
def below(ripple: Any, i_above: Any) -> Any:
    """How far [A] a filter inductor's current goes below the load."""
    return ripple - i_above


@formula("ΔV = R·(I_a + I_b) + (t_e·(I_h² − I_a²) + t_f·(I_h² − I_b²))/(2·C·max(ΔI, 0.000001)·(1 − δ))", "V",
         "R I_a I_b t_e I_h t_f C ΔI δ",
         "from where the output turns on the rising ramp to where it turns on the falling one")
def of_ramps(esr: Any, i_low: Any, i_high: Any, t_feeding: Any, i_above: Any, t_fall: Any, c: Any, ripple: Any, slower: Any) -> Any:
    """Ripple peak to peak [V] of a filter inductor's current, also where it runs empty between two pulses."""
    square = np.square(i_above)
    return esr * (i_low + i_high) + (t_feeding * (square - np.square(i_low)) + t_fall * (square - np.square(i_high))) / (
        2 * c * np.maximum(ripple, 1e-6) * (1 - slower))


@formula("ΔV = ΔI·(R_esr + 1/(8·f_s·C))", "V", "ΔI R_esr f_s C",
         "triangular current into capacitor and its resistance (upper bound: both taken together)")
def of_triangle(ripple: Any, esr: Any, fs: Any, c: Any) -> Any:
    """Ripple peak to peak [V] of a current [A] that goes up and down alike."""
    return ripple * (esr + 1 / (8 * fs * c))


@formula("ΔV_o = ΔV·√((R_esr² + (1/(2·π·f_s·C))²)/(R_esr² + (2·π·f_s·L - 1/(2·π·f_s·C))²))", "V", "ΔV R_esr f_s C L",
         "divider of filter inductor and second capacitor at the switching frequency; below their resonance nothing is filtered")
def filtered(ripple_pp: Any, esr: Any, fs: Any, c: Any, inductance: Any) -> Any:
    """Ripple [V] behind a second-stage LC filter."""
    w = 2 * np.pi * fs
    return ripple_pp * np.sqrt((np.square(esr) + np.square(1 / (w * c))) / (np.square(esr) + np.square(w * inductance - 1 / (w * c))))
