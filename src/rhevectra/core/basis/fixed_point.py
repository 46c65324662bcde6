"""Fixed points found in few passes, each corner on its own, all corners at once."""

from collections.abc import Sequence

import numpy as np

from rhevectra.core.basis.corners import Array

WILD = 12.0
"""A step that reaches this many times beyond the passes it was made from is not taken."""

PLAIN = 3
"""Passes before the first combination: a change first runs from value to value, and mixing before it has arrived slows it."""

_RIDGE = np.array([[1 + 1e-9, 1.0], [1.0, 1 + 1e-9]])[:, :, None]


class FixedPoint:
    """Anderson's acceleration of x = g(x) with a memory of two passes, separately for every column, after a few plain ones.

    The next x is the combination of the last three passes whose residual is least. A column takes the plain
    step instead where the combination reaches far outside the passes seen, or where a value that must be
    positive would fall below a fifth of what the pass gave.
    Source: D. G. Anderson, Iterative procedures for nonlinear integral equations, J. ACM 12 (1965) (from memory).
    """

    def __init__(self, positive: Sequence[bool]) -> None:
        self._positive = np.flatnonzero(positive)
        self._passes = 0
        self._seen: list[tuple[Array, Array]] = []

    def __call__(self, x: Array, g: Array, scale: Array) -> tuple[Array, float]:
        """The next x from x and g(x), both (values, columns), and the largest residual of this pass.

        scale: what a residual of each value counts against, of the same shape.
        """
        residual = (g - x) / scale
        self._passes += 1
        new = self._mixed(g, residual) if self._passes > PLAIN else g
        self._seen = [*self._seen[-1:], (residual, g)]
        return new, float(np.abs(residual).max())

    def _mixed(self, g: Array, residual: Array) -> Array:
        """Least squares in one unknown per column, and from then on in two, written out."""
        g_last = self._seen[-1][1]
        moved = np.stack([residual - seen for seen, _ in reversed(self._seen)])
        (a11, a12), (_, a22) = np.einsum("aij,bij->abj", moved, moved) * _RIDGE
        b1, b2 = np.einsum("aij,ij->aj", moved, residual)
        if self._passes == PLAIN + 1:  # plain passes run nearly along one line: two of them are not two directions
            s1, s2 = b1 / (a11 + 1e-30), np.zeros_like(b1)
        else:
            det = a11 * a22 - a12 * a12 + 1e-60
            s1, s2 = (b1 * a22 - b2 * a12) / det, (b2 * a11 - b1 * a12) / det
        new = g - s1 * (g - g_last) - s2 * (g - self._seen[0][1])
        must = self._positive
        wild = (np.abs(s1) + np.abs(s2) > WILD) | (new[must] < 0.2 * g[must]).any(0)
        return np.where(wild, g, new)
