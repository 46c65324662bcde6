"""Fixed points found in few passes, each corner on its own, all corners at once."""

from collections.abc import Sequence

import numpy as np

from rhevectra.core.basis.corners import Array

WILD = 12.0
"""A step that reaches this many times beyond the passes it was made from is not taken."""


class FixedPoint:
    """Anderson's acceleration of x = g(x) with a memory of two passes, separately for every column.

    The next x is the combination of the last three passes whose residual is least. A column takes the plain
    step instead where the combination reaches far outside the passes seen, or where a value that must be
    positive would fall below a fifth of what the pass gave.
    Source: D. G. Anderson, Iterative procedures for nonlinear integral equations, J. ACM 12 (1965) (from memory).
    """

    def __init__(self, positive: Sequence[bool]) -> None:
        self._positive = np.asarray(positive)
        self._seen: list[tuple[Array, Array]] = []

    def __call__(self, x: Array, g: Array, scale: Array) -> tuple[Array, float]:
        """The next x from x and g(x), both (values, columns), and the largest residual of this pass.

        scale: what a residual of each value counts against, of the same shape.
        """
        residual = g - x
        new = self._mixed(g, residual, 1 / np.square(scale)) if self._seen else g
        self._seen = [*self._seen[-1:], (residual, g)]
        return new, float(np.abs(residual / scale).max())

    def _mixed(self, g: Array, residual: Array, weight: Array) -> Array:
        """Least squares in one or two unknowns per column, written out."""
        def dot(a: Array, b: Array) -> Array:
            return np.asarray((a * b).sum(0))
        (r1, g1), (r2, g2) = self._seen[-1], self._seen[0]
        d1, d2 = residual - r1, residual - r2
        w1, w2 = d1 * weight, d2 * weight
        a11, a12, a22 = dot(w1, d1), dot(w1, d2), dot(w2, d2)
        b1, b2 = dot(w1, residual), dot(w2, residual)
        single = len(self._seen) == 1
        a11, a22 = a11 * (1 + 1e-9) + 1e-30, a22 * (1 + 1e-9) + 1e-30
        det = a11 * a22 - a12 * a12
        s1 = b1 / a11 if single else (b1 * a22 - b2 * a12) / det
        s2 = 0.0 * s1 if single else (b2 * a11 - b1 * a12) / det
        new = g - s1 * (g - g1) - s2 * (g - g2)
        wild = (np.abs(s1) + np.abs(s2) > WILD) | (new[self._positive] < 0.2 * g[self._positive]).any(0)
        return np.where(wild, g, new)
