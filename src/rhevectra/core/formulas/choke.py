"""Chokes of a mains filter: windings on a ring, what they lose at line frequency, and the field their leakage leaves in the core."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula
from rhevectra.core.formulas.magnetics import MU0


@formula("L = (1 − t)·µ₀·µ_i·A_e·N²/l_e", "H", "t µ_i A_e N l_e", "closed ring, permeability at the low end of its tolerance t")
def least_inductance(tolerance: Any, mu: Any, area: Any, turns: Any, length: Any) -> Any:
    """Inductance [H] that a ring has at least."""
    return (1 - tolerance) * MU0 * mu * area * np.square(turns) / length


@formula("B = k·L·Î/(N·A_e)", "T", "k L Î N A_e",
         "the line current's own flux, which leaks past the core: the share k of the inductance (common practice, no source)")
def leakage_flux(share: Any, inductance: Any, current: Any, turns: Any, area: Any) -> Any:
    """Flux density [T] that the line current leaves in the core of a common-mode choke, although its two windings cancel each other's."""
    return share * inductance * current / (turns * area)


@formula("R = n_c·R_c + n_d·R_d", "Ω", "n_c R_c n_d R_d", "windings that the line current passes one after the other")
def in_line(common: Any, r_common: Any, beside: Any, r_beside: Any) -> Any:
    """Resistance [Ω] in the path of a line current."""
    return common * r_common + beside * r_beside


@formula("P = n·R·I²", "W", "n R I", "Joule heat, skin depth far above the wire at line frequency")
def copper_loss(windings: Any, resistance: Any, current: Any) -> Any:
    """Loss [W] of a choke of several like windings."""
    return windings * resistance * np.square(current)


def sector_turns(width: Any, inner: Any, wire: Any, layers: int, abreast: Any = 1) -> Any:
    """Whole turns that `layers` hold side by side on the inner face [m] of a ring, within the share `width` of its circumference; wire [m]
    with its enamel, so many abreast in each turn."""
    return sum(np.maximum(np.floor(np.round(width * np.pi * (inner - (2 * k + 1) * wire) / (abreast * wire), 9)), 0) for k in range(layers))
