"""Fixed points found in few passes, each corner on its own, all corners at once."""

from collections.abc import Sequence

import numpy as np

from rhevectra.core.basis.corners import Array

WILD = 12.0
"""A step that reaches this many times beyond the passes it was made from is not taken."""


def _dot(a: Array, b: Array) -> Array:
    return np.asarray(np.einsum("ij,ij->j", a, b))


class FixedPoint:
    """Anderson's acceleration of x = g(x) with a memory of two passes, separately for every column.

    The next x is the combination of the last three passes whose residual is least. A column takes the plain
    step instead where the combination reaches far outside the passes seen, or where a value that must be
    positive would fall below a fifth of what the pass gave.
    Source: D. G. Anderson, Iterative procedures for nonlinear integral equations, J. ACM 12 (1965) (from memory).
    """

    def __init__(self, positive: Sequence[bool]) -> None:
        self._positive = np.flatnonzero(positive)
        self._seen: list[tuple[Array, Array]] = []

    def __call__(self, x: Array, g: Array, scale: Array) -> tuple[Array, float]:
        """The next x from x and g(x), both (values, columns), and the largest residual of this pass.

        scale: what a residual of each value counts against, of the same shape.
        """
        residual = (g - x) / scale
        new = self._mixed(g, residual) if self._seen else g
        self._seen = [*self._seen[-1:], (residual, g)]
        return new, float(np.abs(residual).max())

    def _mixed(self, g: Array, residual: Array) -> Array:
        """Least squares in one or two unknowns per column, written out."""
        last, g_last = self._seen[-1]
        d1 = residual - last
        a11, b1 = _dot(d1, d1) * (1 + 1e-9) + 1e-30, _dot(d1, residual)
        if len(self._seen) == 1:
            s1 = b1 / a11
            new, reach = g - s1 * (g - g_last), np.abs(s1)
        else:
            first, g_first = self._seen[0]
            d2 = residual - first
            a12, a22, b2 = _dot(d1, d2), _dot(d2, d2) * (1 + 1e-9) + 1e-30, _dot(d2, residual)
            det = a11 * a22 - a12 * a12
            s1, s2 = (b1 * a22 - b2 * a12) / det, (b2 * a11 - b1 * a12) / det
            new, reach = g - s1 * (g - g_last) - s2 * (g - g_first), np.abs(s1) + np.abs(s2)
        must = self._positive
        wild = (reach > WILD) | (new[must] < 0.2 * g[must]).any(0)
        return np.where(wild, g, new)
