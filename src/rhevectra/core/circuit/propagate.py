"""Exponentials of one combination's system, and where its guards break: by its modes where these can be told apart, else composed of power
series.

What runs at every event multiplies by `dot`: on a handful of numbers `@` costs twice as much."""

from bisect import bisect_right
from collections.abc import Callable
from functools import cached_property, partial
from math import inf

import numpy as np
from msgspec import Struct, field

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit.equations import Tied
from rhevectra.core.circuit.modes import Modes

HALVINGS = 40
SMOOTH, TERMS = 0.4, 12
"""A piece in which the fastest motion turns by less than this many radians is a power series of this many terms."""
_POWERS = np.arange(TERMS, dtype=float)
BLOCK = 64
"""Scan steps looked at together, at most."""
KEEP = 400
"""Exponentials kept of a combination."""
ROUNDING = 1e-10
"""Share of the magnitudes it is made of by which a guard may be off by rounding."""
CLOSE, LEAST = 1e-10, 1e-5
"""Share of the search's width below which a step is the last; share of that at which what is known is narrow enough."""


class Propagators(Struct, dict=True):
    """Exponentials of one combination's system over scan steps, their halves and whole intervals, made on demand.

    probe [s]: how long after it is entered a combination must hold; dust: how far every guard may be off by rounding, in its own unit.
    """

    tied: Tied
    period: float
    probe: float
    dust: float
    halves: dict[int, Array] = field(default_factory=dict)
    whole: dict[float, Array] = field(default_factory=dict)

    @cached_property
    def unit(self) -> float:
        """What powers of the system are counted in, so that they stay in range: its fastest motion [1/s]."""
        return max(self.tied.fastest, 1.0)

    @cached_property
    def terms(self) -> Array:
        """(F/unit)^n / n! for n below TERMS, stacked: any short exponential is a weighted sum of them."""
        stack = np.empty((TERMS, *self.tied.F.shape))
        stack[0] = np.eye(len(self.tied.F))
        for n in range(1, TERMS):
            stack[n] = stack[n - 1] @ self.tied.F / (self.unit * n)
        return stack

    def half(self, k: int) -> Array:
        """Over the scan step divided by 2^k: a power series where that is short, else the square of the next half."""
        if k not in self.halves:
            piece = self.tied.step / 2**k
            short = self.tied.fastest * piece <= SMOOTH or k >= HALVINGS
            self.halves[k] = self.series(piece) if short else self.half(k + 1) @ self.half(k + 1)
        return self.halves[k]

    def series(self, length: float) -> Array:
        """The exponential over a length in which nothing turns far, as a power series."""
        return np.asarray(((length * self.unit) ** _POWERS @ self.terms.reshape(TERMS, -1)).reshape(self.tied.F.shape))

    @cached_property
    def count(self) -> int:
        """Scan steps looked at together: those of a period, at most BLOCK."""
        return min(BLOCK, int(np.ceil(self.period / self.tied.step)))

    @cached_property
    def block(self) -> Array:
        """Over 1, 2 … `count` scan steps, stacked (steps, y, y)."""
        out = self.half(0)[None]
        while len(out) < self.count:
            out = np.concatenate([out, out[-1] @ out])
        return out[: self.count]

    @cached_property
    def instants(self) -> list[float]:
        """Times [s] at which the guards are looked at: graded over the first scan step as far as the fastest decay asks for, for a guard
        may dip while that lasts and no longer; then at 1, 2 … `count` scan steps."""
        graded = int(np.ceil(np.log2(max(self.tied.decay * self.tied.step / SMOOTH, 1.0))))
        return [*(self.tied.step / 2**k for k in range(min(graded, HALVINGS), 0, -1)),
                *(self.tied.step * k for k in range(1, self.count + 1))]

    @cached_property
    def judged(self) -> Array:
        """The guards at these, rows over y at the start, (instants · guards, y)."""
        n, modes = len(self.tied.F), self.tied.modes
        if modes is None:
            graded = [self.half(k) for k in range(len(self.instants) - self.count, 0, -1)]
            return np.asarray((self.tied.events @ np.concatenate([*(h[None] for h in graded), self.block])).reshape(-1, n))
        parts = self.watched.transpose(1, 0, 2).reshape(len(modes.parts), -1)
        return np.asarray((modes.along(np.array(self.instants)) @ parts).reshape(-1, n))

    @cached_property
    def watched(self) -> Array:
        """What each part of the modes gives each guard, rows over y, (guards, parts, y); only where there are modes."""
        assert self.tied.modes is not None
        return np.ascontiguousarray((self.tied.events @ self.tied.modes.parts).transpose(1, 0, 2))

    def entered(self, y: Array) -> tuple[Array, Array, Array, Array]:
        """What decides whether the combination holds that is entered with y: y on its ties, the guards, y and guards after the probe."""
        n, m = len(y), len(self.tied.events)
        all_of = self.entry.dot(y)
        return all_of[:n], all_of[n : n + m], all_of[n + m : 2 * n + m], all_of[2 * n + m :]

    @cached_property
    def entry(self) -> Array:
        """The same as rows over y."""
        events, project = self.tied.events, self.tied.project
        later = self.over(self.probe) @ project
        return np.concatenate([project, events @ project, later, events @ later])

    def over(self, length: float) -> Array:
        """Over an interval of any length."""
        if length not in self.whole:
            if len(self.whole) > KEEP:
                self.whole.clear()
            self.whole[length] = self._compose(length) if self.tied.modes is None else self.tied.modes.over(length)
        return self.whole[length]

    def _compose(self, length: float) -> Array:
        """Whole scan steps, halves of one, and a power series for the rest."""
        step, fastest = self.tied.step, self.tied.fastest
        count = int(length / step)
        rest, out = length - count * step, np.eye(len(self.tied.F))
        while count:
            taken = min(count, len(self.block))
            out, count = self.block[taken - 1] @ out, count - taken
        k = 0
        while fastest * rest > SMOOTH and k < HALVINGS:
            k += 1
            if step / 2**k <= rest:
                out, rest = self.half(k) @ out, rest - step / 2**k
        return np.asarray(self.series(rest) @ out)

    @cached_property
    def rounding(self) -> Array:
        """What each guard may be off by for every unit of y, (guards, y)."""
        return np.asarray(ROUNDING * self.tied.sizes)

    def slack(self, y: Array) -> Array:
        """How far each guard may be off by rounding, along an interval that starts from y."""
        return np.asarray(self.rounding.dot(np.abs(y)) + self.dust)

    def next_event(self, y: Array, most: float) -> tuple[float, int | None]:
        """Time [s] to the first guard that breaks, and which; or all the time there is."""
        guards, done = len(self.tied.events), 0.0
        if not guards:
            return most, None
        while True:
            left = most - done
            count = bisect_right(self.instants, left)
            at = self.instants[count - 1] if count else 0.0
            if count:
                values = self.judged[: count * guards].dot(y)
                k = self._off(values, y)
                if k is not None:
                    first, guard = divmod(k, guards)
                    return self._break(y, guard, float(values[k]), done, self.instants[first - 1] if first else 0.0, self.instants[first],
                                       most)
            if count < len(self.instants):
                values = self.tied.events.dot(self.over(left).dot(y))
                k = self._off(values, y)
                return (most, None) if k is None else self._break(y, k, float(values[k]), done, at, left, most)
            y, done = self.over(at) @ y, done + at

    def _off(self, values: Array, y: Array) -> int | None:
        """The first of the guards, at one instant after another from y, that is off by more than rounding."""
        if values[values.argmin()] >= 0:
            return None
        broken = (values.reshape(-1, len(self.tied.events)) < -self.slack(y)).ravel()
        k = int(broken.argmax())
        return k if broken[k] else None

    def _break(self, y: Array, guard: int, end: float, done: float, low: float, high: float, most: float) -> tuple[float, int]:
        """The first violation between two instants after y; at the first every guard holds, at the second the one named is off by `end`."""
        found, first = self._halve(y, low, high) if self.tied.modes is None else self._root(self.tied.modes, y, guard, end, low, high)
        return min(done + found, most), first

    def _root(self, modes: Modes, y: Array, guard: int, end: float, low: float, high: float) -> tuple[float, int]:
        """From the modes: the root of a guard that is off at the end, and again as long as that meets another that is off there."""
        slack = self.slack(y)
        for _ in range(len(self.tied.events)):
            high = _first_root(modes.curve(self.watched[guard].dot(y), low), low, high, end)
            values = (self.tied.events.dot(self.over(high).dot(y)) + slack).tolist()
            values[guard] = 0.0
            end = min(values)
            if high <= low or end >= 0:
                break
            guard = values.index(end)
        return high, guard

    def _halve(self, y: Array, at: float, high: float) -> tuple[float, int]:
        """Without: halve until the solution is a short power series, then find the root of that."""
        tied, k, width = self.tied, 0, high - at
        y = self.over(at) @ y
        slack = self.slack(y)
        while tied.fastest * width > SMOOTH and k < HALVINGS:
            k += 1
            piece = tied.step / 2**k
            if piece >= width:
                continue
            after = self.half(k) @ y
            if (tied.events @ after < -slack).any():
                width = piece
            else:
                y, at, width = after, at + piece, width - piece
        series = (self.terms @ y) * ((width * self.unit) ** _POWERS)[:, None]
        guards = series @ tied.events.T  # coefficients in t/width
        ends = guards.sum(0)
        roots = [(_first_root(partial(_polynomial, guards[::-1, j].tolist()), 0.0, 1.0, float(ends[j])), j)
                 for j in np.flatnonzero(ends < 0).tolist()]
        share, guard = min(roots) if roots else (1.0, int(ends.argmin()))
        return at + share * width, guard


def _polynomial(c: list[float], u: float) -> tuple[float, float]:
    """A polynomial by its coefficients, falling powers, and its slope."""
    total = slope = 0.0
    for a in c:
        slope = slope * u + total
        total = total * u + a
    return total, slope


def _first_root(value: Callable[[float], tuple[float, float]], low: float, high: float, end: float) -> float:
    """Where a function that is `end`, negative, at `high` crosses zero after `low`: Newton's steps by its slope, kept within what is known;
    `low` where it only falls.

    The first guess is by the slope at `low`, for a stiff circuit falls at once and then stays, or by a secant, whichever comes first. The
    error of a step is about its square: one shorter than CLOSE is the last, and so is one that leaves less than rounding at the rate at
    which the steps shrink.
    """
    near, last = CLOSE * (high - low), 0.0
    f, slope = value(low)
    if f <= 0 and slope <= 0:
        return low
    positive = f > 0
    u = 0.5 * (low + high)
    if positive:
        u = low + min((high - low) * f / (f - end), f / -slope if slope < 0 else inf)
    for _ in range(100):
        f, slope = value(u)
        if f > 0:
            low, positive = u, True
        else:
            high = u
        if f == 0.0 or high - low < LEAST * near:
            break
        step = f / slope if slope < 0 and positive else inf
        if abs(step) < near or (last and abs(step) * (step / last) ** 2 < LEAST * near):
            return u - step
        last = step if low < u - step < high else 0.0
        u = u - step if last else 0.5 * (low + high)
    return u
