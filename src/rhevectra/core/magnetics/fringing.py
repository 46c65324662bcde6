"""What the gap's field costs in the winding: the part of the window's field that one dimension does not see.

One dimension spreads the ampere-turns that do not cancel along the whole post; really they stand at the gap. The
difference has no mean along the post, so its square simply adds to that of the even field. It is the solution of
Laplace's equation in the window with the field given along the post and none along the rest of the core, by a
series of cosines along the post.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array

TERMS = 24
"""Even cosines that are summed: the finest is shorter than any usual gap's reach."""


def unevenness(gap: Any, along: Any, across: Any, depth: Any) -> Any:
    """Mean along the post of the square of the gap's extra field [1/m²], at a distance `depth` from the post, for one ampere-turn that does not cancel.

    gap, along, across: length of the gap, window along the post and across it [m]; all broadcast. Source: series solution, checked in the tests by finite elements.
    """
    m = 2 * np.arange(1, TERMS + 1)
    k = m * np.pi / np.asarray(along)[..., None]
    w = np.asarray(across)[..., None]
    x = np.clip(np.asarray(depth)[..., None], 0.0, w)  # what does not fit into the window is refused elsewhere
    half = 0.5 * k * np.asarray(gap)[..., None]
    part = 2 / np.asarray(along)[..., None] * np.sin(half) / half
    # (cosh² + sinh²)/sinh² of k·(w - x) over k·w, without overflow
    decay = (np.exp(-2 * k * x) + np.exp(-2 * k * (2 * w - x))) / np.square(1 - np.exp(-2 * k * w))
    return (part**2 * decay).sum(-1)


def half_way(gap: float, along: float, across: float, first: float) -> float:
    """Distance from the post [m] at which the gap's extra field has half the mean square it has at `first` [m]: what keeping away buys."""
    x = np.linspace(first, 0.9 * across, 400)
    e: Array = np.asarray(unevenness(gap, along, across, x))
    return float(np.interp(-0.5 * e[0], -e, x))
