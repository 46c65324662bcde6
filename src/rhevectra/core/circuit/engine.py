"""One period of a switched network, exactly: intervals of matrix exponentials between events found by root finding."""

from functools import cached_property
from typing import NamedTuple

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit.drives import stretches
from rhevectra.core.circuit.equations import Equations, Tied
from rhevectra.core.circuit.parts import NoSteadyState, Source
from rhevectra.core.circuit.propagate import Propagators

MOST_EVENTS = 4000
"""Events in one period beyond which an element is called chattering."""
CROWD, CROWDED = 60, 1e-5
"""So many events within this share of the period are chattering too: no ring of a circuit worth its period is that fast."""
DUST = 1e-13
"""Share of the largest source by which a guard may be off by rounding."""
PROBE = 1e-8
"""Share of the period after which an entered combination must hold."""
HEALS = 1e-2
"""Share of the largest source, or of what it is the sum of where that is more, by which a guard may be off on entry where nothing else
holds and it is well inside after the probe."""
HEALED = 1e-11
"""Share of the largest source by which it may still be off then."""


class Interval(NamedTuple):
    """A stretch of time in one combination: start [s], length [s], combination, y at its start."""

    start: float
    length: float
    combination: tuple[int, ...]
    y: Array


class Period(Struct, frozen=True, dict=True):
    """One period from a start: y at its end, how that depends on the start (x, x), the intervals and the event log."""

    end: Array
    monodromy: Array
    intervals: tuple[Interval, ...]
    events: tuple[tuple[float, str], ...]
    last: tuple[int, ...]

    @cached_property
    def largest(self) -> Array:
        """The largest magnitude of every state at the start of any interval and at the end, (x)."""
        return np.asarray(np.abs(np.stack([self.end, *(i.y for i in self.intervals)])[:, : len(self.monodromy)]).max(0))


class Engine:
    """Runs periods of a network."""

    def __init__(self, equations: Equations) -> None:
        self.eq = equations
        self._made: dict[tuple[int, ...], Propagators] = {}
        self._scale = self._scales()
        self._stretches = stretches(equations, self._scale)

    def _scales(self) -> float:
        values = [abs(v) for p in self.eq.network.parts if isinstance(p, Source)
                  for v in p.values[: {"dc": 1, "pulse": 2, "sin": 2}[p.kind]]]
        return max([*values, 1e-3])

    def of(self, combination: tuple[int, ...]) -> Propagators:
        """The exponentials of a combination."""
        if combination not in self._made:
            self._made[combination] = Propagators(self.eq.tied(combination), self.eq.period, PROBE * self.eq.period, DUST * self._scale)
        return self._made[combination]

    def settle(self, y: Array, combination: tuple[int, ...], time: float) -> tuple[tuple[int, ...], Array]:
        """A combination that holds just after `time`, from a guess, and y brought onto its ties. Raises NoSteadyState."""
        seen: set[tuple[int, ...]] = set()
        for _ in range(60):
            made = self.of(combination)
            moved, broken = self._entered(made, y)
            if broken is None:
                return combination, moved
            seen.add(combination)
            element, state = made.tied.owners[broken]
            following = (*combination[:element], state, *combination[element + 1 :])
            if following in seen:
                following = next((c for c in self._neighbours(combination, made.tied, moved) if c not in seen), following)
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
            made = self.of(combination)
            moved, values, _, after = made.entered(y)
            least = float((values / np.maximum(made.tied.sizes @ np.abs(moved), self._scale)).min(initial=0.0))
            if least >= -HEALS and (after >= -HEALED * self._scale).all() and (found is None or least > found[0]):
                found = least, combination, moved
        return None if found is None else (found[1], found[2])

    def _neighbours(self, combination: tuple[int, ...], tied: Tied, y: Array) -> list[tuple[int, ...]]:
        """Combinations one change away, those of violated guards first."""
        values = tied.events @ y
        order = np.argsort(values)
        return [(*combination[: tied.owners[k][0]], tied.owners[k][1], *combination[tied.owners[k][0] + 1 :]) for k in order]

    def _entered(self, made: Propagators, y: Array) -> tuple[Array, int | None]:
        """y on the ties of a combination entered with it, and the guard that breaks, or None.

        A guard well inside holds, whatever comes; one well outside does not. At the border the moment after decides, for a
        stiff part of the circuit (an opened switch's leakage on an inductor) may have yet to settle.
        """
        moved, values, later, after = made.entered(y)
        surely = -1e-6 * self._scale
        if all(now > surely and then >= 0
               for now, then in zip(values.tolist(), after.tolist(), strict=True)):  # the usual case, told without the sizes
            return moved, None
        size = made.tied.sizes.dot(np.abs(moved))
        near = 1e-9 * size + 1e-6 * self._scale
        if all((values > np.copysign(near, -after)).tolist()):  # off by less than `near` is inside where the moment after is
            return moved, None
        size_after = made.tied.sizes @ np.abs(later)
        far = values < -near
        broken = far | ((values <= near) & (after < -(1e-9 * size_after + 1e-12 * self._scale)))
        if not broken.any():
            return moved, None
        worst = np.where(far, values / (size + 1e-30), np.inf) if far.any() else np.where(broken, after / (size_after + 1e-30), np.inf)
        return moved, int(worst.argmin())

    def run(self, x: Array, guess: tuple[int, ...]) -> Period:
        """One period from the state x. Raises NoSteadyState where no combination holds or an element chatters."""
        eq, nx = self.eq, self.eq.first
        sensitivity = np.eye(eq.length, nx)
        y, combination = x, guess
        intervals: list[Interval] = []
        log: list[tuple[float, str]] = []
        touches, touched, left, when, off = 0, -eq.period, guess, -eq.period, 0.0
        for stretch in self._stretches:
            y, end = np.concatenate([y[:nx], stretch.s]), stretch.end
            sensitivity[nx:] = 0.0
            if stretch.jumps:
                worked = list(combination)
                for k, state in stretch.gated:
                    if worked[k] != state:
                        log.append((stretch.begin, eq.changing[k].name))
                    worked[k] = state
                combination, y = self.settle(y, tuple(worked), stretch.begin)
            made = self.of(combination)
            if made.tied.ties:
                sensitivity = made.tied.project @ sensitivity
            time, skip = stretch.begin, 0.0
            while time < end:
                length, guard = (min(skip, end - time), None) if skip else made.next_event(y, end - time)
                over = made.over(length)
                intervals.append(Interval(time, length, combination, y))
                y, sensitivity = over.dot(y), over.dot(sensitivity)
                time = end if length >= end - time else time + length
                if guard is None:
                    skip = 0.0
                    continue
                element = eq.changing[made.tied.owners[guard][0]].name
                log.append((time, element))
                if len(log) > MOST_EVENTS or (len(log) > CROWD and time - log[-CROWD][0] < CROWDED * eq.period):
                    raise NoSteadyState(f"{element}: {len(log)} events in one period and no end, the last at {time:.6g} s (chattering)")
                before, last, off = combination, off, abs(float(made.tied.events[guard].dot(y)))
                combination, made, y, sensitivity = self._cross(made.tied, guard, y, sensitivity, combination, time)
                to_and_fro = combination == left and time - when < PROBE * eq.period
                if (combination == before or to_and_fro) and length < PROBE * eq.period:
                    # a guard is only touched, or undone by what it leads to: nothing changes, and time has to go on
                    touches = 1 if time - touched > CROWDED * eq.period else touches + 1
                    touched, skip = time, PROBE * eq.period * 2.0**touches
                    if to_and_fro and skip > CROWDED * eq.period and max(off, last) > HEALS * self._scale:
                        raise NoSteadyState(f"{element}: changes to and fro at {time:.6g} s (chattering)")
                left, when = before, time
        return Period(y, sensitivity[:nx], tuple(intervals), tuple(log), combination)

    def _cross(self, tied: Tied, guard: int, y: Array, sensitivity: Array, combination: tuple[int, ...],
               time: float) -> tuple[tuple[int, ...], Propagators, Array, Array]:
        """Through an event: the next combination and its exponentials, y on its ties, and the sensitivity with the jump of the event's
        time."""
        element, state = tied.owners[guard]
        following, moved = self.settle(y, (*combination[:element], state, *combination[element + 1 :]), time)
        made = self.of(following)
        before, gradient = tied.F.dot(y), tied.events[guard]
        speed = float(gradient.dot(before))
        came, jump = (made.tied.project @ before, made.tied.project @ sensitivity) if made.tied.ties else (before, sensitivity)
        if abs(speed) > 1e-30:
            jump = jump + (made.tied.F.dot(moved) - came)[:, None] * (gradient.dot(sensitivity) / speed)
        return following, made, moved, jump
