"""What the peak current becomes where the inductance is less than ordered or the rate less than set, at the same power and duty; and the
frequency where it is free and the inductance greater."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("Î_L = ½·(Î + I_e) + ½·(Î − I_e)·L/L_min", "A", "Î I_e L L_min",
         "current that does not rest: its mean stays, its ripple grows as the inductance falls")
def peak_flowing(i_peak: Any, i_end: Any, lp: Any, lp_min: Any) -> Any:
    """Peak [A] with lp_min [H] of a current that runs from i_end to i_peak [A] with lp [H] and never rests."""
    return 0.5 * (i_peak + i_end) + 0.5 * (i_peak - i_end) * lp / lp_min


@formula("Î_L = √((Î² − I_e²)·L/L_min)", "A", "Î I_e L L_min",
         "current that rests in every period: what the core takes in each stays, ½·L·(Î² − I_e²)")
def peak_resting(i_peak: Any, i_end: Any, lp: Any, lp_min: Any) -> Any:
    """Peak [A] with lp_min [H] of a current that rests then."""
    return np.sqrt(np.maximum(np.square(i_peak) - np.square(i_end), 0.0) * lp / lp_min)


@formula("Î_x = Î_s·Î_L/max(Î, 0.000001)", "A", "Î_s Î_L Î", "a current of the core grows as its peak does")
def peak_following(current: Any, i_least: Any, i_peak: Any) -> Any:
    """Peak [A] of a current of the same core where the primary's grows from i_peak to i_least [A]."""
    return current * i_least / np.maximum(i_peak, 1e-6)


@formula("L_x = L_min·(1 − t)", "H", "L_min t",
         "a period longer by the tolerance of the rate does to ripple and energy what that much less of inductance does")
def seen_slow(lp_min: Any, tolerance: Any) -> Any:
    """Inductance [H] that ripples at the nominal rate as lp_min does at the least."""
    return lp_min * (1 - tolerance)


@formula("L_f = L_max·(1 + t)", "H", "L_max t",
         "a period shorter by the tolerance of the rate does to ripple and energy what that much more of inductance does")
def seen_fast(lp_max: Any, tolerance: Any) -> Any:
    """Inductance [H] that ripples at the nominal rate as lp_max does at the greatest."""
    return lp_max * (1 + tolerance)


@formula("f_min = f·L/L_max", "Hz", "f L L_max",
         "current, and with it every time of the period but that of the valley, follows the inductance: the frequency falls no further")
def frequency_least(fs: Any, lp: Any, lp_max: Any) -> Any:
    """Switching frequency [Hz] of a stage that waits for its valley, with lp_max [H]."""
    return fs * lp / lp_max


@formula("δ = 1 − L/L_max", "", "L L_max", "as the frequency follows the inductance")
def slower(lp: Any, lp_max: Any) -> Any:
    """By what share the rate of a stage that waits for its valley is less with lp_max [H]."""
    return 1 - lp / lp_max


def flows(i_peak: Any, i_end: Any, lp: Any, lp_min: Any) -> Any:
    """Whether the current still does not rest with lp_min: half its ripple stays below its mean."""
    return (i_peak - i_end) * lp < (i_peak + i_end) * lp_min
