"""Capacitors between a dc source and the stage it feeds."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.formula import formula


def swing(current: Array, period: float, esr: Any, c: Any) -> Any:
    """Peak-to-peak voltage [V] that a periodic current [A], given at even instants, makes across capacitors of c [F] and esr [Ω] that carry
    all of it but its mean; of many when these are arrays. Integrated by the trapezoid between the instants."""
    ac = current - current.mean()
    step = period / len(ac)
    charge = np.concatenate([[0.0], np.cumsum(0.5 * (ac + np.roll(ac, -1)))])[:-1] * step
    volts = charge / np.asarray(c)[..., None] + ac * np.asarray(esr)[..., None]
    return np.ptp(volts, axis=-1)


@formula("ΔV = p·V", "V", "p V", "share of the lowest input")
def admitted(share: Any, v_in: Any) -> Any:
    """Ripple [V] that is admitted across the input capacitors."""
    return share * v_in


@formula("L = R·C·V²/P", "H", "R C V P",
         "Routh: with more of it the ring of source and capacitor grows, for a stage of constant power takes less the more it is given")
def cable(esr: Any, c: Any, v_in: Any, power: Any) -> Any:
    """Largest inductance of the supply line [H] whose ring with capacitors of c [F] and esr [Ω] still dies out."""
    return esr * c * np.square(v_in) / power
