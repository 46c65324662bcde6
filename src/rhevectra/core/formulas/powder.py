"""Inductor on a powder ring: no gap to grind, permeability that falls with bias."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula
from rhevectra.core.formulas.magnetics import MU0


@formula("L_0 = µ₀·µ_i·A_e·N²/l_e", "H", "µ_i A_e N l_e", "ring of even section, no bias")
def unbiased(mu: Any, area: Any, turns: Any, length: Any) -> Any:
    """Inductance [H] without current."""
    return MU0 * mu * area * np.square(turns) / length


@formula("I_½ = H_½·l_e/N", "A", "H_½ l_e N", "Ampère's law")
def half_current(h_half: Any, length: Any, turns: Any) -> Any:
    """Current [A] that leaves half the inductance; h_half [A/m] from the grade."""
    return h_half * length / turns


@formula("L = L_0/(1 + (I/I_½)^m)", "H", "L_0 I I_½ m",
         "fitted shape of the permeability of powder under bias (common practice, from memory)")
def biased(unbiased: Any, current: Any, i_half: Any, exponent: Any) -> Any:
    """Inductance [H] for small changes around a current [A]."""
    return unbiased * left(current, i_half, exponent)


@formula("p = 1/(1 + (I/I_½)^m)", "", "I I_½ m", "fitted shape of the permeability of powder under bias (common practice, from memory)")
def left(current: Any, i_half: Any, exponent: Any) -> Any:
    """Share of the unbiased inductance left at a current [A]."""
    return 1 / (1 + np.power(np.abs(current) / i_half, exponent))


def turns_for(inductance: Any, current: Any, per_turn: Any, half_of_one: Any, exponent: Any) -> Any:
    """Whole turns with which the inductance at a current [A] is at least that asked for [H].

    per_turn: unbiased inductance of one turn [H]; half_of_one: current [A] that leaves half of it with one turn. The exponent stays below
    2, so that more turns always give more inductance (Newton's method on the logarithms).
    """
    asked, at_one = np.log(inductance / per_turn), np.log(np.maximum(current, 1e-12) / half_of_one)
    n = 0.5 * asked
    for _ in range(8):
        x = exponent * (n + at_one)  # logarithm of (I/I_half)^m
        fall = np.logaddexp(0.0, x)
        n = n - (2 * n - fall - asked) / (2 - exponent * np.exp(x - fall))
    return np.maximum(np.ceil(np.exp(n) - 1e-9), 1.0)
