"""Leakage of a stack by estimate, of every core and candidate at once: for the choice of wire, turns and core. The chosen stack is worked
out whole (`leakage.py`)."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.copper import MU0
from rhevectra.core.magnetics import arrangement, leakage
from rhevectra.core.magnetics.need import TransformerNeed
from rhevectra.core.magnetics.winding import Laid


def of_winding(need: TransformerNeed, k: int, real: Sequence[Array], laid: Laid, turn: Any, width: Any) -> Any:
    """What winding k adds, seen from the primary [H]: its height in the field, and what a loose row adds; nothing of the auxiliary one.

    real: turns of all windings as wound; laid: the winding in its window; turn, width: a mean turn and the room between the margins [m].
    All broadcast with a last axis of wires.
    """
    if k == len(need.windings) - 1:
        return 0.0
    n = real[k][..., None]
    row = np.where(laid.foil, 0.0,
                   leakage.sparse(laid.bare, laid.tall * laid.bulge, width * laid.layers / np.maximum(n * laid.beside, 1))
                   / np.maximum(n * laid.beside, 1))
    return _in_field(need, real, laid.height / 3, turn, width) + real[0][..., None] ** 2 * turn * row / need.halves**2


def of_stack(need: TransformerNeed, real: Sequence[Array], laid: Sequence[Laid], turn: Any, width: Any) -> Any:
    """Of the whole stack, seen from the primary [H]: its windings and what lies between the sides; arguments as of `of_winding`, laid of
    every winding."""
    apart = arrangement.between(need.stack, [w.name for w in need.windings])
    return sum(of_winding(need, k, real, x.wider(), turn, width) for k, x in enumerate(laid)) + _in_field(need, real, apart, turn, width)


def _in_field(need: TransformerNeed, real: Sequence[Array], height: Any, turn: Any, width: Any) -> Any:
    """Leakage [H] of a height [m] in the whole field between the sides, shared by their faces."""
    faces = max(arrangement.faces(need.stack, [w.name for w in need.windings]), 1)
    return real[0][..., None] ** 2 * turn * MU0 * height / (width * faces**2) / need.halves**2
