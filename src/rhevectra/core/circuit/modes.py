"""The natural motions of one combination: y at any instant without steps, where the motions can be told apart.

Of y' = F·y, y = (x, s), every mode of x obeys m' = λ·m + β₀ + β₁·t, β from the sources, whose values are straight lines of time. With
g = e^{λt} − 1 its solution is m₀ + (m₀ + β₀/λ)·g + β₁·(g/λ − t)/λ, so that exp(F·t) is a sum of fixed matrices, weighted by 1, t, t²
and the g of every mode. A mode that stands (an ideal inductor across a source has one) is a line of time by itself.
"""

from collections.abc import Callable
from math import cos, expm1, sin

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array

APART = 1e3
"""Largest condition number of the eigenvectors that rounding allows, states counted by the root of their energy."""
KEPT = 1e-13
"""Share of the system by which modes put together again may miss it."""
SLOW = 3e-8
"""Share of a turn within a period below which a ramp passes a mode as t²/2, for g/λ − t would be rounding."""
GONE = -40.0
"""Turns of decay after which nothing is left of one."""
DUST = 1e-12
"""Share of the largest push of any source that is rounding."""


class Modes(Struct, frozen=True):
    """exp(F·t) as a sum. decays (d): real λ [1/s]; rings (r): λ of each pair, that of rising phase [1/s].

    parts: (3 + d + 2·r, y, y), what 1, t [s], t² [s²], the g of each decay, and the real and the imaginary part of that of each ring weigh.
    """

    decays: list[float]
    rings: list[complex]
    parts: Array

    def weights(self, t: float) -> list[float]:
        """The weights at one instant t [s]."""
        out = [1.0, t, t * t, *[expm1(rate * t) for rate in self.decays]]
        for ring in self.rings:
            out += _turned(ring, t)
        return out

    def along(self, t: Array) -> Array:
        """The weights at many instants t (n) [s], (n, parts)."""
        grown = np.expm1(np.multiply.outer(t, np.array(self.rings)))
        shaken = np.stack([grown.real, grown.imag], -1).reshape(len(t), -1)
        return np.concatenate(
            [np.ones((len(t), 1)), t[:, None], t[:, None] ** 2, np.expm1(np.multiply.outer(t, np.array(self.decays))), shaken], 1)

    def over(self, length: float) -> Array:
        """exp(F·length), (y, y)."""
        n = self.parts.shape[1]
        return np.array(self.weights(length)).dot(self.parts.reshape(-1, n * n)).reshape(n, n)

    def after(self, y: Array, t: Array) -> Array:
        """y at the instants t (n) [s] after it was y, (n, y)."""
        return np.asarray(self.along(t) @ (self.parts @ y))

    def curve(self, given: Array, since: float) -> Callable[[float], tuple[float, float]]:
        """A quantity and its slope as functions of the time [s], from `since` on, by what each part gives it: for a root finder, which asks
        for one instant at a time."""
        shares = given.tolist()
        base, drift, bend = shares[:3]
        decays, count = [], 3 + len(self.decays)
        for rate, share in zip(self.decays, shares[3:count], strict=True):
            if rate * since < GONE:
                base -= share
            else:
                decays.append((rate, share))
        rings = [(ring, real, imag, real * ring.real + imag * ring.imag, imag * ring.real - real * ring.imag)
                 for ring, real, imag in zip(self.rings, shares[count::2], shares[count + 1 :: 2], strict=True)]

        def value(t: float) -> tuple[float, float]:
            total, slope = base + (drift + bend * t) * t, drift + 2 * bend * t
            for rate, share in decays:
                grown = expm1(rate * t)
                total += share * grown
                slope += share * rate * (grown + 1)
            for ring, real, imag, along, across in rings:
                a, b = _turned(ring, t)
                total += real * a + imag * b
                slope += along * (a + 1) + across * b
            return total, slope
        return value


def _turned(ring: complex, t: float) -> tuple[float, float]:
    """The g of a ring at an instant [s], real and imaginary part, with no digits lost where it has hardly turned."""
    grown, angle = expm1(ring.real * t), ring.imag * t
    return grown * cos(angle) - 2 * sin(0.5 * angle) ** 2, (grown + 1) * sin(angle)


def modes(Fx: Array, Fs: Array, motion: Array, root: tuple[Array, Array], straight: bool, period: float) -> tuple[Array, Modes | None]:
    """The eigenvalues of a combination [1/s], and its modes; None where these are too nearly alike or a source is no straight line of time.

    root (x, x): the root of the energy, that of capacitances and coupled inductances, and its inverse. With states counted by it an RLC
    network is nearly normal, so that a large condition number of its vectors tells a defect and not a choice of units. period [s]: what
    slow is measured by.
    """
    scaled = root[0].dot(Fx).dot(root[1])
    values, vectors = np.linalg.eig(scaled)
    try:
        inverse = np.linalg.inv(vectors)
    except np.linalg.LinAlgError:
        return values, None
    apart = _size(vectors) * _size(inverse) < APART**2
    if not (straight and apart and _size((vectors * values).dot(inverse) - scaled) <= KEPT**2 * _size(scaled)):
        return values, None
    return (values,
            _sum(values, root[1].dot(vectors), inverse.dot(root[0]), Fs, motion, len(motion) > 1 and _ramps(np.abs(root[0] @ Fs), motion),
                 period))


def _ramps(pushed: Array, motion: Array) -> bool:
    """Whether a source moves that pushes anything."""
    return bool((pushed @ motion).max() > DUST * pushed.max())


def _size(a: Array) -> float:
    """Sum of the squares."""
    return float(np.vdot(a, a).real)


def _sum(values: Array, vectors: Array, inverse: Array, Fs: Array, motion: Array, ramps: bool, period: float) -> Modes:
    """The parts of the sum, from what each mode takes of x and of the sources."""
    nx, ny = len(vectors), len(vectors) + len(motion)
    of = values.tolist()
    decays, rings, standing = ([k for k, v in enumerate(of) if v.imag == 0 and v != 0], [k for k, v in enumerate(of) if v.imag > 0],
                               [k for k, v in enumerate(of) if v == 0])
    fed = inverse.dot(Fs)
    rates = values.copy()
    rates[standing] = 1.0
    share = np.concatenate([inverse, fed / rates[:, None]], 1)
    after = 3 + len(decays)
    parts = np.zeros((after + 2 * len(rings), ny, ny))
    parts[0], parts[1, nx:, nx:] = np.eye(ny), motion
    if standing:
        parts[1, :nx, nx:] = (vectors[:, standing] @ fed[standing]).real
    if ramps:
        slopes, slow = fed @ motion, np.abs(values) * period < SLOW
        parts[2, :nx, nx:] = 0.5 * (vectors[:, slow] @ slopes[slow]).real
        passing = np.where(slow[:, None], 0.0, slopes / rates[:, None])
        parts[1, :nx, nx:] -= (vectors @ passing).real
        share[:, nx:] += passing / rates[:, None]
    moved = vectors.T[:, :, None] * share[:, None, :]
    parts[3:after, :nx] = moved[decays].real
    if rings:
        moved = 2 * moved[rings]
        parts[after::2, :nx], parts[after + 1 :: 2, :nx] = moved.real, -moved.imag
    return Modes([of[k].real for k in decays], [of[k] for k in rings], parts)
