"""What the gap's field costs in the winding: the part of the window's field that one dimension does not see.

One dimension spreads the ampere-turns that do not cancel along the whole post; really they stand at the gap. The
difference has no mean along the post, so its square simply adds to that of the even field. It is the solution of
Laplace's equation in the window with the field given along the post and none along the rest of the core, by a
series of cosines along the post.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.copper import MU0, skin_depth

TERMS = 24
"""Even cosines that are summed: the finest is shorter than any usual gap's reach."""


def _cosines(gap: Any, along: Any) -> tuple[Any, Any]:
    """Wave numbers [1/m] of the even cosines and the part each has of the field at the post [1/m], along a new last axis."""
    k = 2 * np.arange(1, TERMS + 1) * np.pi / np.asarray(along)[..., None]
    half = 0.5 * k * np.asarray(gap)[..., None]
    return k, 2 / np.asarray(along)[..., None] * np.sin(half) / half


def unevenness(gap: Any, along: Any, across: Any, depth: Any) -> Any:
    """Mean along the post of the square of the gap's extra field [1/m²], at a distance `depth` from the post, for one ampere-turn that does
    not cancel.

    gap, along, across: length of the gap, window along the post and across it [m]; all broadcast. Source: series solution, checked in the
    tests by finite elements.
    """
    k, part = _cosines(gap, along)
    w = np.asarray(across)[..., None]
    x = np.clip(np.asarray(depth)[..., None], 0.0, w)  # what does not fit into the window is refused elsewhere
    # (cosh² + sinh²)/sinh² of k·(w - x) over k·w, without overflow
    decay = (np.exp(-2 * k * x) + np.exp(-2 * k * (2 * w - x))) / np.square(1 - np.exp(-2 * k * w))
    return (part**2 * decay).sum(-1)


def foil_loss(gap: float, along: float, across: float, depth: float, copper: float, rho: float, frequency: Array) -> Array:
    """Eddy loss per metre of turn of a block of foils as wide as the post [W/m] in the gap's extra field, for one ampere-turn peak that
    does not cancel, at each frequency.

    depth: distance of its inner face from the post; copper: thickness of all its foils together [m]. The field that passes through drives
    currents along the foils' width, which push it back: a thin sheet of the copper within a skin depth, cosine by cosine, between the walls
    of the core. Blocks further out are taken as if no foil lay before them (on the safe side). Checked in the tests by finite elements.
    """
    k, part = (each[:, None] for each in _cosines(gap, along))
    f = np.asarray(frequency)[None, :]
    x = min(depth, across)
    below = 1 - np.exp(-2 * k * across)
    # cosh/sinh: at the outer leg nothing runs along the core
    through = 0.5 * (part * (np.exp(-k * x) + np.exp(-k * (2 * across - x))) / below) ** 2
    deep, push = np.minimum(copper, skin_depth(rho, f)), 2 * np.pi * f * MU0 / k
    walls = (1 + np.exp(-2 * k * x)) * (1 + np.exp(-2 * k * (across - x))) / below  # the core doubles what a sheet close to it pushes back
    return np.asarray(0.5 * along * (deep / rho * push**2 / (1 + (0.5 * push * deep / rho * walls) ** 2) * through).sum(0))


def half_way(gap: float, along: float, across: float, first: float) -> float:
    """Distance from the post [m] at which the gap's extra field has half the mean square it has at `first` [m]: what keeping away buys."""
    x = np.linspace(first, 0.9 * across, 400)
    e: Array = np.asarray(unevenness(gap, along, across, x))
    return float(np.interp(-0.5 * e[0], -e, x))
