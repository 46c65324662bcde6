"""One period of a switched network, exactly: intervals of matrix exponentials between events found by root finding."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit.equations import Equations, Tied
from rhevectra.core.circuit.parts import NoSteadyState, Source

MOST_EVENTS = 4000
"""Events in one period beyond which an element is called chattering."""
CROWD, CROWDED = 60, 1e-5
"""So many events within this share of the period are chattering too: no ring of a circuit worth its period is that fast."""
HALVINGS = 40
SMOOTH, TERMS = 0.4, 12
"""A piece in which the fastest motion turns by less than this many radians is a power series of this many terms."""
_POWERS = np.arange(TERMS, dtype=float)
BLOCK = 64
_any = np.logical_or.reduce
PROBE = 1e-8
"""Share of the period after which an entered combination must hold."""
HEALS = 1e-2
"""Share of the largest source by which a guard may be off on entry where nothing else holds and it is well inside after the probe."""


@dataclass(frozen=True)
class Interval:
    """A stretch of time in one combination: start [s], length [s], combination, y at its start, and why it ended."""

    start: float
    length: float
    combination: tuple[int, ...]
    y: Array
    ended_by: str


@dataclass
class Propagators:
    """Exponentials of one combination's system: of the scan step and its halves; of whole intervals on demand."""

    tied: Tied
    halves: dict[int, Array] = field(default_factory=dict)
    powers: Array | None = None
    watched: dict[int, Array] = field(default_factory=dict)
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

    @cached_property
    def flat(self) -> Array:
        """The same terms as rows of numbers."""
        return self.terms.reshape(TERMS, -1)

    def half(self, k: int) -> Array:
        """Over the scan step divided by 2^k: a power series where that is short, else the square of the next half."""
        if k not in self.halves:
            piece = self.tied.step / 2**k
            short = self.tied.fastest * piece <= SMOOTH or k >= HALVINGS
            self.halves[k] = self.series(piece) if short else self.half(k + 1) @ self.half(k + 1)
        return self.halves[k]

    def series(self, length: float) -> Array:
        """The exponential over a length in which nothing turns far, as a power series."""
        return np.asarray(((length * self.unit) ** _POWERS @ self.flat).reshape(self.tied.F.shape))

    def judged(self, k: int) -> Array:
        """`half(k)` with the guards at its end below it."""
        if k not in self.watched:
            self.watched[k] = np.vstack([self.half(k), self.tied.events @ self.half(k)])
        return self.watched[k]

    def block(self) -> Array:
        """Over 1, 2 … BLOCK scan steps, stacked (BLOCK, y, y)."""
        if self.powers is None:
            out = self.half(0)[None]
            while len(out) < BLOCK:
                out = np.concatenate([out, out[-1] @ out])
            self.powers = out
        return self.powers

    def along(self, y: Array, count: int) -> Array:
        """y after 1, 2 … count scan steps, (count, y)."""
        n = len(y)
        return np.asarray((self.block().reshape(-1, n)[: count * n] @ y).reshape(count, n))

    def over(self, length: float) -> Array:
        """Over an interval of any length: whole scan steps, halves of one, and a power series for the rest."""
        if length not in self.whole:
            if len(self.whole) > 400:
                self.whole.clear()
            self.whole[length] = self._compose(length)
        return self.whole[length]

    def _compose(self, length: float) -> Array:
        step, fastest = self.tied.step, self.tied.fastest
        count = int(length / step)
        rest, out = length - count * step, np.eye(len(self.tied.F))
        while count:
            taken = min(count, BLOCK)
            out, count = self.block()[taken - 1] @ out, count - taken
        k = 0
        while fastest * rest > SMOOTH and k < HALVINGS:
            k += 1
            if step / 2**k <= rest:
                out, rest = self.half(k) @ out, rest - step / 2**k
        return np.asarray(self.series(rest) @ out)


@dataclass(frozen=True)
class Period:
    """One period from a start: y at its end, how that depends on the start (x, x), the intervals and the event log."""

    end: Array
    monodromy: Array
    intervals: tuple[Interval, ...]
    events: tuple[tuple[float, str], ...]
    last: tuple[int, ...]


class Engine:
    """Runs periods of a network."""

    def __init__(self, equations: Equations) -> None:
        self.eq = equations
        self._made: dict[tuple[int, ...], Propagators] = {}
        self.breaks = self._breakpoints()
        self._scale = self._scales()

    def _scales(self) -> float:
        values = [abs(v) for p in self.eq.network.parts if isinstance(p, Source) for v in p.values[: {"dc": 1, "pulse": 2, "sin": 2}[p.kind]]]
        return max([*values, 1e-3])

    def of(self, combination: tuple[int, ...]) -> Propagators:
        """The exponentials of a combination."""
        if combination not in self._made:
            self._made[combination] = Propagators(self.eq.tied(combination))
        return self._made[combination]

    def _breakpoints(self) -> list[float]:
        """Instants within a period at which a pulse source changes its slope [s], with both ends."""
        times = {0.0, self.eq.period}
        for p in self.eq.network.parts:
            if isinstance(p, Source) and p.kind == "pulse":
                _, _, delay, rise, fall, width, per = p.values
                for n in range(round(self.eq.period / per)):
                    for t in (delay, delay + rise, delay + rise + width, delay + rise + width + fall):
                        times.add((t % per) + n * per)
        ordered = sorted(t for t in times if 0 <= t <= self.eq.period)
        merged = [ordered[0]]
        for t in ordered[1:]:
            if t - merged[-1] > 1e-9 * self.eq.period:
                merged.append(t)
        merged[-1] = self.eq.period
        return merged

    def sources(self, start: float, end: float) -> Array:
        """The source state s just after `start`; between the breakpoints start and end every source is smooth."""
        s = np.zeros(self.eq.length - self.eq.first)
        s[0] = 1.0
        for name, at in self.eq.source_at.items():
            p = self.eq.network.by_name[name]
            assert isinstance(p, Source)
            if p.kind == "sin":
                s[at], s[at + 1] = np.sin(2 * np.pi * p.values[2] * start), np.cos(2 * np.pi * p.values[2] * start)
                continue
            middle = 0.5 * (start + end)
            slope = _pulse_slope(p.values, middle)
            s[at], s[at + 1] = _pulse_value(p.values, middle) - slope * (middle - start), slope
        return s

    def settle(self, y: Array, combination: tuple[int, ...], time: float) -> tuple[tuple[int, ...], Array]:
        """A combination that holds just after `time`, from a guess, and y brought onto its ties. Raises NoSteadyState."""
        seen: set[tuple[int, ...]] = set()
        for _ in range(60):
            tied = self.eq.tied(combination)
            moved = tied.project @ y
            broken = self._broken(combination, moved)
            if broken is None:
                return combination, moved
            seen.add(combination)
            element, state = tied.owners[broken]
            following = (*combination[:element], state, *combination[element + 1 :])
            if following in seen:
                following = next((c for c in self._neighbours(combination, tied, moved) if c not in seen), following)
                if following in seen:
                    break
            combination = following
        healing = self._healing(seen, y)
        if healing is not None:
            return healing
        name = self.eq.changing[element].name
        raise NoSteadyState(f"{name}: no state of switches and diodes is consistent at {time:.6g} s (chattering)")

    def _healing(self, seen: set[tuple[int, ...]], y: Array) -> tuple[tuple[int, ...], Array] | None:
        """Of the combinations tried, the one that is least off on entry and inside all its guards right after.

        Two diodes in series open at one instant: the first to be found leaves the other what a megohm leaks past it, which nothing but
        that resistor's own volts would take, for less than the probe.
        """
        found = None
        for combination in seen:
            tied = self.eq.tied(combination)
            moved = tied.project @ y
            least = float((tied.events @ moved).min(initial=0.0))
            after = tied.events @ self.of(combination).over(PROBE * self.eq.period) @ moved
            if least >= -HEALS * self._scale and (after >= 0).all() and (found is None or least > found[0]):
                found = least, combination, moved
        return None if found is None else (found[1], found[2])

    def _neighbours(self, combination: tuple[int, ...], tied: Tied, y: Array) -> list[tuple[int, ...]]:
        """Combinations one change away, those of violated guards first."""
        values = tied.events @ y
        order = np.argsort(values)
        return [(*combination[: tied.owners[k][0]], tied.owners[k][1], *combination[tied.owners[k][0] + 1 :]) for k in order]

    def _broken(self, combination: tuple[int, ...], y: Array) -> int | None:
        """The guard that breaks in a combination entered with y, or None.

        A guard well inside holds, whatever comes; one well outside does not. At the border the moment after decides, for a
        stiff part of the circuit (an opened switch's leakage on an inductor) may have yet to settle.
        """
        tied = self.eq.tied(combination)
        if not len(tied.events):
            return None
        values = tied.events @ y
        size = tied.sizes @ np.abs(y)
        near = 1e-9 * size + 1e-6 * self._scale
        if (values > near).all():
            return None
        later = self.of(combination).over(PROBE * self.eq.period) @ y
        after, size_after = tied.events @ later, tied.sizes @ np.abs(later)
        far = values < -near
        broken = far | ((values <= near) & (after < -(1e-9 * size_after + 1e-12 * self._scale)))
        if not broken.any():
            return None
        worst = np.where(far, values / (size + 1e-30), np.inf) if far.any() else np.where(broken, after / (size_after + 1e-30), np.inf)
        return int(worst.argmin())

    def run(self, x: Array, guess: tuple[int, ...]) -> Period:
        """One period from the state x. Raises NoSteadyState where no combination holds or an element chatters."""
        eq, nx = self.eq, self.eq.first
        sensitivity = np.zeros((eq.length, nx))
        sensitivity[:nx] = np.eye(nx)
        y, combination = np.concatenate([x, self.sources(self.breaks[0], self.breaks[1])]), guess
        intervals: list[Interval] = []
        log: list[tuple[float, str]] = []
        touches = 0
        for begin, end in zip(self.breaks[:-1], self.breaks[1:], strict=True):
            y = np.concatenate([y[:nx], self.sources(begin, end)])
            sensitivity[nx:] = 0.0
            combination, moved = self.settle(y, combination, begin)
            sensitivity = eq.tied(combination).project @ sensitivity
            y, time, skip = moved, begin, 0.0
            while time < end:
                made = self.of(combination)
                length, guard = (min(skip, end - time), None) if skip else self._next_event(made, y, end - time)
                after = made.over(length) @ y
                sensitivity = made.over(length) @ sensitivity
                element = "" if guard is None else eq.changing[made.tied.owners[guard][0]].name
                intervals.append(Interval(time, length, combination, y, element))
                time = end if length >= end - time else time + length
                if guard is None:
                    y, skip = after, 0.0
                    continue
                log.append((time, element))
                if len(log) > MOST_EVENTS or (len(log) > CROWD and time - log[-CROWD][0] < CROWDED * eq.period):
                    raise NoSteadyState(f"{element}: {len(log)} events in one period and no end, the last at {time:.6g} s (chattering)")
                before = combination
                combination, y, sensitivity = self._cross(made.tied, guard, after, sensitivity, combination, time)
                if combination == before and length < PROBE * eq.period:  # a guard is only touched: nothing changes, and time has to go on
                    touches += 1
                    skip = PROBE * eq.period * 2.0**touches
        return Period(y, sensitivity[:nx], tuple(intervals), tuple(log), combination)

    def _cross(self, tied: Tied, guard: int, y: Array, sensitivity: Array, combination: tuple[int, ...], time: float) -> tuple[tuple[int, ...], Array, Array]:
        """Through an event: the next combination, y on its ties, and the sensitivity with the jump of the event's time."""
        element, state = tied.owners[guard]
        following, moved = self.settle(y, (*combination[:element], state, *combination[element + 1 :]), time)
        fresh = self.eq.tied(following)
        before, gradient = tied.F @ y, tied.events[guard]
        speed = float(gradient @ before)
        jump = fresh.project @ sensitivity
        if abs(speed) > 1e-30:
            jump = jump + np.outer(fresh.F @ moved - fresh.project @ before, gradient @ sensitivity) / speed
        return following, moved, jump

    def _next_event(self, made: Propagators, y: Array, most: float) -> tuple[float, int | None]:
        """Time to the first guard that breaks, and which; or all the time there is."""
        tied = made.tied
        if not len(tied.events):
            return most, None
        done, start = 0.0, y
        while True:
            left = most - done
            count = min(BLOCK, int(left / tied.step))
            if count:
                along = made.along(start, count)
                values = along @ tied.events.T
                hit = np.flatnonzero((values < -self._slack(tied, along)).any(1))
                if len(hit):
                    k = int(hit[0])
                    begin = start if k == 0 else along[k - 1]
                    return self._refine(made, begin, done + k * tied.step, tied.step, most)
                start, done = along[-1], done + count * tied.step
                continue
            if left <= 0:
                return most, None
            after = made.over(left) @ start
            if bool((tied.events @ after < -self._slack(tied, after[None])[0]).any()):
                return self._refine(made, start, done, left, most)
            return most, None

    def _slack(self, tied: Tied, along: Array) -> Array:
        return np.asarray(1e-10 * (np.abs(along) @ tied.sizes.T) + 1e-13 * self._scale)

    def _refine(self, made: Propagators, y: Array, at: float, width: float, most: float) -> tuple[float, int | None]:
        """The first violation within a step: halve until the solution is a short power series, then find the root of that."""
        tied, k, n = made.tied, 0, len(y)
        slack = self._slack(tied, y[None])[0]
        while tied.fastest * width > SMOOTH and k < HALVINGS:
            k += 1
            piece = tied.step / 2**k
            if piece >= width:
                continue
            after = made.judged(k) @ y
            if _any(after[n:] < -slack):
                width = piece
            else:
                y, at, width = after[:n], at + piece, width - piece
        series = (made.terms @ y) * ((width * made.unit) ** _POWERS)[:, None]
        guards = series @ tied.events.T  # coefficients in t/width
        ends = guards.sum(0)
        roots = [(_first_root(guards[:, j]), j) for j in np.flatnonzero(ends < 0).tolist()]
        share, guard = min(roots) if roots else (1.0, int(ends.argmin()))
        return min(at + share * width, most), int(guard)


def _first_root(c: Array) -> float:
    """Where a polynomial with coefficients c, rising powers, that is negative at 1 crosses zero in 0 … 1: bisection with a secant finish."""
    def value(u: float) -> float:
        total = 0.0
        for a in c[::-1]:
            total = total * u + a
        return total
    low, high = 0.0, 1.0
    f_low, f_high = value(low), value(high)
    if f_low <= 0:
        return 0.0
    for n in range(70):
        u = 0.5 * (low + high) if n % 3 == 2 else low + (high - low) * f_low / (f_low - f_high)
        f = value(u)
        if f > 0:
            low, f_low = u, f
        else:
            high, f_high = u, f
        if high - low < 1e-15 or f == 0.0:
            break
    return high


def _pulse_value(v: tuple[float, ...], t: float) -> float:
    v1, v2, delay, rise, fall, width, per = v
    t = (t - delay) % per
    if t < rise:
        return v1 + (v2 - v1) * t / rise
    if t < rise + width:
        return v2
    if t < rise + width + fall:
        return v2 + (v1 - v2) * (t - rise - width) / fall
    return v1


def _pulse_slope(v: tuple[float, ...], t: float) -> float:
    v1, v2, delay, rise, fall, width, per = v
    t = (t - delay) % per
    if t < rise:
        return (v2 - v1) / rise
    return (v1 - v2) / fall if rise + width <= t < rise + width + fall else 0.0
