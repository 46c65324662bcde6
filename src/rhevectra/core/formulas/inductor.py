"""The gapped filter inductor on a ferrite core."""

from typing import Any

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
