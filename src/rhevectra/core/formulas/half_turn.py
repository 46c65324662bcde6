"""A winding whose last turn passes through one window only: half a turn round the centre post, a whole one round an outer leg."""

from typing import Any

from rhevectra.core.basis.formula import formula
from rhevectra.core.formulas.copper import MU0


@formula("N = N_w − 0.5", "turns", "N_w", "the last turn links one outer leg, which carries half of the post's flux")
def seen(wound: Any) -> Any:
    """Turns that count, of those that are wound."""
    return wound - 0.5


@formula("L_h = 4e-7·π·A/(2·(l/µ + s))", "H", "A l µ s",
         "both outer legs with their yokes in series, round which the unpaired turn drives its flux; gap of the post outside that path")
def inductance(area: Any, length: Any, mu: Any, spacer: Any) -> Any:
    """Inductance [H] that the half turn adds to its winding; area [m²] and length [m] of one outer leg with its yokes, spacer [m] under
    it."""
    return MU0 * area / (2 * (length / mu + spacer))


@formula("I_h = I·N_p/N", "A", "I N_p N", "all ampere-turns of the core in that winding as the switch opens: safe side")
def current(i_peak: Any, turns_primary: Any, turns: Any) -> Any:
    """Peak current [A] of the winding with the half turn."""
    return i_peak * turns_primary / turns


@formula("B_l = ½·B·A_p/A + 4e-7·π·I_h/(2·(l/µ + s))", "T", "B A_p A I_h l µ s",
         "half the flux of the post, and half of what the unpaired turn drives from one leg to the other")
def leg_flux(b_post: Any, area_post: Any, area: Any, i_half: Any, length: Any, mu: Any, spacer: Any) -> Any:
    """Flux density [T] of the outer leg that carries more."""
    return 0.5 * b_post * area_post / area + MU0 * i_half / (2 * (length / mu + spacer))
