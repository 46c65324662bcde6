"""The gapped filter inductor on a ferrite core."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("N = L·Î/(B·A)", "turns", "L Î B A", "flux linkage over flux density and area")
def turns(inductance: Any, i_peak: Any, b: Any, area: Any) -> Any:
    """Turns (not rounded) that keep the flux density b [T] at i_peak [A]."""
    return inductance * i_peak / (b * area)


@formula("R = ρ·N·l_t/A_w", "Ω", "ρ N l_t A_w", "resistance of a wire")
def winding_resistance(rho: Any, turns: Any, mean_turn: Any, copper: Any) -> Any:
    """Winding resistance [Ω] for a copper area [m²]."""
    return rho * turns * mean_turn / copper


@formula("ΔB = L·ΔI/(N·A)", "T", "L ΔI N A", "flux linkage")
def flux_swing(inductance: Any, ripple: Any, turns: Any, area: Any) -> Any:
    """Peak-to-peak flux density [T] of the ripple current."""
    return inductance * ripple / (turns * area)


@formula("A_w = k_u·w·h/N", "m²", "k_u w h N", "share of the bobbin window that is copper (common practice: 0.4 for bundles)")
def copper_area(use: Any, width: Any, height: Any, turns: Any) -> Any:
    """Copper area [m²] of one turn."""
    return use * width * height / turns


@formula("k_e = N·l_t·A_w·d²·b²/(16·ρ)", "Ωs²", "N l_t A_w d b² ρ",
         "eddies of round strands thin against the skin depth, π·d⁴·l/(64·ρ) times the mean of (dB/dt)² each, in the mean square of the "
         "field in the winding for one ampere")
def eddy_factor(turns: Any, mean_turn: Any, copper: Any, strand: Any, field2: Any, rho: Any) -> Any:
    """Eddy loss over the mean square of di/dt [Ωs²]. copper: area of one turn [m²]; strand: diameter [m]; field2: mean square of the field
    for one ampere [T²/A²]."""
    return turns * mean_turn * copper * strand**2 * field2 / (16 * rho)


def slope_square(fs: Any, ripple: Any, t_up: Any, t_down: Any) -> Any:
    """Mean square of di/dt [A²/s²] of a current that rises by `ripple` [A] in t_up and falls by it in t_down [s], fs times a second; where
    it rests it adds nothing."""
    return fs * ripple**2 * (1 / t_up + 1 / t_down)


@formula("P_e = k_e·f·ΔI²·(1/t_1 + 1/t_2)", "W", "k_e f ΔI t_1 t_2", "eddies of the strands in the field of straight ramps")
def eddy_loss(factor: Any, fs: Any, ripple: Any, t_up: Any, t_down: Any) -> Any:
    """What the ripple's field burns in the strands [W]; factor [Ωs²]."""
    return factor * slope_square(fs, ripple, t_up, t_down)


@formula("P_e = P_cu − R·I²", "W", "P_cu R I", "what of the copper loss is no resistance")
def eddies_in(copper: Any, r: Any, i_rms: Any) -> Any:
    """Eddy loss [W] in a copper loss that counts both."""
    return copper - r * np.square(i_rms)


@formula("I_m = ½·(I_v + Î_f)", "A", "I_v Î_f", "middle of a straight ramp")
def middle(i_valley: Any, i_crest: Any) -> Any:
    """Mean current [A] of a filter inductor while it is fed and freewheels."""
    return 0.5 * (i_valley + i_crest)


@formula("ΔI_x = ΔI/(1 - t)·min(1, √(2·I_m/max(0.000001, 2·I_s + ΔI/(1 - t))))", "A", "ΔI t I_m I_s",
         "the same volts and times across the least inductance; where it comes to rest, the same charge in every pulse")
def ripple_most(ripple: Any, tolerance: Any, i_mid: Any, i_rests: Any) -> Any:
    """Ripple [A] with the inductance at the low end of its tolerance; i_mid: middle of the current as ordered, i_rests: what it stands on
    where it comes to rest between pulses [A]."""
    most = ripple / (1 - tolerance)
    return most * np.minimum(1.0, np.sqrt(2 * i_mid / np.maximum(1e-6, 2 * i_rests + most)))


@formula("Î_x = max(I_m + ½·ΔI_x, ΔI_x·(1 + (1 - t)·I_s/max(0.000001, ΔI)))", "A", "I_m ΔI_x t I_s ΔI",
         "half the ripple above the middle, or all of it above where the current rests, which follows the pulse")
def crest_most(i_mid: Any, ripple_most: Any, tolerance: Any, i_rests: Any, ripple: Any) -> Any:
    """Crest [A] of a filter inductor's current with that ripple."""
    return np.maximum(i_mid + 0.5 * ripple_most, ripple_most * (1 + (1 - tolerance) * i_rests / np.maximum(1e-6, ripple)))


@formula("I_x = I_s·(1 + (1 - L_s/L_m)·t/(1 - t))", "A", "I_s L_s L_m t",
         "what both inductors of a doubler carry apart lies beside the magnetising inductance, and grows as well")
def rests_doubler(i_rests: Any, lm_seen: Any, lm: Any, tolerance: Any) -> Any:
    """Current [A] at which a doubler rests, with the least inductance of both; lm_seen [H] holds lm and both inductors."""
    return i_rests * (1 + (1 - lm_seen / lm) * tolerance / (1 - tolerance))


@formula("t = 1 - (1 - t_L)·(1 - t_f)", "", "t_L t_f", "volt-seconds of the least rate across the least inductance")
def spread(tolerance: Any, slower: Any) -> Any:
    """Tolerance of inductance times rate."""
    return 1 - (1 - tolerance) * (1 - slower)


@formula("I_x = I/(1 - t)", "A", "I t", "the same volts for a period that is longer by the tolerance of the rate")
def longer(current: Any, slower: Any) -> Any:
    """Current [A] that grew from nothing within a period, at the least rate."""
    return current / (1 - slower)


@formula("Î_L = Î_y + I_m·t/(1 - t)", "A", "Î_y I_m t", "what the magnetising current grows by in the longer period")
def peak_slow(i_peak: Any, i_mag: Any, slower: Any) -> Any:
    """Peak of the switch current [A] at the least rate, from that whose filter current is the least rate's already."""
    return i_peak + i_mag * slower / (1 - slower)


@formula("L_x = L·(1 - t)", "H", "L t", "the low end of its tolerance")
def least(inductance: Any, tolerance: Any) -> Any:
    """Least inductance [H]."""
    return inductance * (1 - tolerance)


@formula("L_x = L·(1 + t)", "H", "L t", "the high end of its tolerance")
def most(inductance: Any, tolerance: Any) -> Any:
    """Greatest inductance [H]."""
    return inductance * (1 + tolerance)


@formula("I = Î - ½·ΔI", "A", "Î ΔI", "half the ripple below the crest")
def mean_below(i_crest: Any, ripple: Any) -> Any:
    """Mean current [A] of a filter inductor whose crest is held."""
    return i_crest - 0.5 * ripple


@formula("Î_L = Î + N_s/N_p·(Î_x - Î_f)", "A", "Î Î_x Î_f N_s N_p", "what the crest grows by, seen from the primary")
def peak_least(i_peak: Any, i_most: Any, i_crest: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Peak of the switch current [A] with the least filter inductance."""
    return i_peak + turns_secondary / turns_primary * (i_most - i_crest)


@formula("Î_L = Î_y + I_m·(ΔI_x·(1 - t)/max(0.000001, ΔI)·(1 + (1 - L_s/L_m)·t/(1 - t)) - 1)", "A", "Î_y I_m L_s L_m t ΔI_x ΔI",
         "what both inductors of a doubler carry apart lies beside the magnetising inductance, and grows while the pulse is as long")
def peak_least_doubler(i_peak: Any, i_mag: Any, lm_seen: Any, lm: Any, tolerance: Any, ripple_most: Any, ripple: Any) -> Any:
    """Peak of the switch current [A] with the least inductance of both inductors of a current doubler; i_peak: of the crest alone; i_mag:
    of lm_seen, which holds lm [H] and both inductors."""
    pulse = ripple_most * (1 - tolerance) / np.maximum(1e-6, ripple)
    return i_peak + i_mag * (pulse * (1 + (1 - lm_seen / lm) * tolerance / (1 - tolerance)) - 1)


@formula("I_C = √(max(0, 2·I_o·(Î_x² + Î_x·(Î_x - ΔI_x) + (Î_x - ΔI_x)²)/(3·(2·Î_x - ΔI_x)) - I_o²))", "A", "I_o Î_x ΔI_x",
         "ac part of straight ramps between valley and crest, for as long as their mean asks")
def capacitor_rms(i_out: Any, i_crest: Any, ripple: Any) -> Any:
    """Current [A rms] that output capacitors take from a filter inductor's."""
    low = i_crest - ripple
    return np.sqrt(
        np.maximum(0.0, 2 * i_out * (np.square(i_crest) + i_crest * low + np.square(low)) / (3 * (i_crest + low)) - np.square(i_out)))


@formula("B̂ = L·(1 + δ)·Î/(N·A)", "T", "L δ Î N A",
         "Faraday: a gap at the small end of its tolerance carries more flux for the same current")
def flux_most(inductance: Any, tolerance: Any, current: Any, turns: Any, area: Any) -> Any:
    """Flux density [T] of a gapped inductor, the inductance at the high end of its tolerance."""
    return inductance * (1 + tolerance) * current / (turns * area)
