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


@formula("k_e = N·l_t·A_w·d²·b²/(16·ρ)", "Ωs²", "N l_t A_w d b² ρ", "eddies of round strands thin against the skin depth, π·d⁴·l/(64·ρ) times the mean of (dB/dt)² each, in the mean square of the field in the winding for one ampere")
def eddy_factor(turns: Any, mean_turn: Any, copper: Any, strand: Any, field2: Any, rho: Any) -> Any:
    """Eddy loss over the mean square of di/dt [Ωs²]. copper: area of one turn [m²]; strand: diameter [m]; field2: mean square of the field for one ampere [T²/A²]."""
    return turns * mean_turn * copper * strand**2 * field2 / (16 * rho)


def slope_square(fs: Any, ripple: Any, t_up: Any, t_down: Any) -> Any:
    """Mean square of di/dt [A²/s²] of a current that rises by `ripple` [A] in t_up and falls by it in t_down [s], fs times a second; where it rests it adds nothing."""
    return fs * ripple**2 * (1 / t_up + 1 / t_down)


@formula("P_e = k_e·f·ΔI²·(1/t_1 + 1/t_2)", "W", "k_e f ΔI t_1 t_2", "eddies of the strands in the field of straight ramps")
def eddy_loss(factor: Any, fs: Any, ripple: Any, t_up: Any, t_down: Any) -> Any:
    """What the ripple's field burns in the strands [W]; factor [Ωs²]."""
    return factor * slope_square(fs, ripple, t_up, t_down)


@formula("P_e = P_cu − R·I²", "W", "P_cu R I", "what of the copper loss is no resistance")
def eddies_in(copper: Any, r: Any, i_rms: Any) -> Any:
    """Eddy loss [W] in a copper loss that counts both."""
    return copper - r * np.square(i_rms)
