"""The periodic steady state of a network by shooting: Newton on the map of one period, damped, with plain periods to fall back on."""

from collections.abc import Callable, Generator
from time import perf_counter
from typing import TypeVar, cast

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit.engine import Engine, Interval, Period
from rhevectra.core.circuit.equations import OFF, Equations
from rhevectra.core.circuit.parts import Network, NoSteadyState, Passive

T = TypeVar("T")
TOLERANCE = 1e-9
"""Largest change of a state over one period, relative to the size of its kind, that counts as periodic."""
MOST_STEPS = 400
SETTLING = 400
"""Plain periods before a circuit that would not close is asked whether it repeats after one or a few of them."""
UNSTABLE = 1.0 + 1e-6
"""Largest multiplier of a period that counts as lasting."""
AT_ONCE = 10
"""Plain periods between one word of how far it is and the next."""
SHARES = (1.0, 0.5, 0.2, 0.05, 0.01, 0.002)
"""Shares of the Newton step tried in turn; if none makes the miss smaller, plain periods follow, each time more of them."""


class Shot(Struct, frozen=True):
    """One period from the start x. scale: what a change of each state counts against; misses: that of the period so counted, end less
    start; size: the largest of them."""

    x: Array
    period: Period
    scale: Array
    misses: Array
    size: float


def _shoot(engine: Engine, x: Array, guess: tuple[int, ...]) -> Shot:
    """The period from x. Raises NoSteadyState."""
    found = engine.run(x, guess)
    seen = np.maximum(np.abs(x), found.largest)
    scale = np.empty(len(x))
    for part in (slice(0, engine.eq.caps), slice(engine.eq.caps, len(x))):  # voltages, currents: the largest of its kind within the period
        if seen[part].size:
            scale[part] = np.maximum(seen[part], 1e-3 * seen[part].max() + 1e-12)
    misses = (found.end[: len(x)] - x) / scale
    return Shot(x, found, scale, misses, _largest(misses))


def _largest(values: Array) -> float:
    return max(map(abs, values.tolist()), default=0.0)


class Steady(Struct, frozen=True):
    """The steady state. residual: largest relative |x(T) − x(0)|; steps: periods simulated."""

    equations: Equations
    engine: Engine
    start: Array
    period: Period
    residual: float
    steps: int
    elapsed: float

    @property
    def intervals(self) -> tuple[Interval, ...]:
        """The stretches of the period, in their order."""
        return self.period.intervals

    @property
    def multiplier(self) -> float:
        """What the worst small disturbance has become a period later, as a share; above 1 it grows: the period found does not last."""
        return float(np.abs(np.linalg.eigvals(self.period.monodromy)).max()) if len(self.start) else 0.0


def steady(network: Network, period: float, progress: Callable[[int, float], bool] | None = None) -> Steady:
    """The periodic steady state with period [s].

    progress(step, residual) may return True to give up. Raises NoSteadyState with what stood in the way.
    """
    return to_the_end(steady_steps(network, period), progress or (lambda _steps, _residual: False))


def to_the_end(run: Generator[tuple[int, float], None, T], give_up: Callable[[int, float], bool]) -> T:
    """What a search finds that tells periods simulated and the miss between its steps. Raises NoSteadyState where `give_up` says so."""
    while True:
        try:
            steps, size = next(run)
        except StopIteration as end:
            return cast(T, end.value)
        if give_up(steps, size):
            raise NoSteadyState(f"given up after {steps} periods")


def steady_steps(network: Network, period: float) -> Generator[tuple[int, float], None, Steady]:
    """The same, telling periods simulated and the miss between its steps: whoever asks may leave it there. Returns the steady state."""
    begun = perf_counter()
    equations = Equations(network, period)
    engine = Engine(equations)
    shot = _shoot(engine, np.array([p.start for p in equations.states if isinstance(p, Passive)]), tuple(OFF for _ in equations.changing))
    steps, plain, most = 1, 2, MOST_STEPS
    while shot.size > TOLERANCE:
        if steps >= most:
            worst = equations.states[int(np.abs(shot.misses).argmax())].name
            alone, every = yield from _left_alone(engine, shot, steps)
            if every != 1 or most > MOST_STEPS:
                raise NoSteadyState(
                    f"not converged after {steps} periods: {worst} still changes by {shot.size:.3g} of its size in a period"
                    + (f"; the circuit settles to a state that repeats every {every} periods" if every > 1 else ""))
            shot, steps, most = alone, steps + SETTLING, steps + SETTLING + MOST_STEPS
            continue
        yield steps, shot.size
        better, spent = _newton(engine, shot, steps == 1)
        steps += spent
        if better is None:
            plain = min(plain + 1, 12)
            for _ in range(plain):
                shot = _next(engine, shot)
            steps += plain
        else:
            shot = better
    return Steady(equations, engine, shot.x, shot.period, shot.size, steps, perf_counter() - begun)


def _next(engine: Engine, shot: Shot) -> Shot:
    """The period that follows."""
    return _shoot(engine, shot.period.end[: len(shot.x)], shot.period.last)


def _left_alone(engine: Engine, shot: Shot, steps: int) -> Generator[tuple[int, float], None, tuple[Shot, int]]:
    """Where the circuit gets when it is left alone, and how many periods it takes to repeat itself there, up to four; 0 where it does
    not. steps: periods simulated before."""
    ends: list[Array] = []
    for k in range(SETTLING):
        if k % AT_ONCE == 0:
            yield steps + k, shot.size
        shot = _next(engine, shot)
        ends = [*ends[-4:], shot.period.end[: len(shot.x)]]
    return shot, next((k for k in (1, 2, 3, 4) if _largest((ends[-1] - ends[-1 - k]) / shot.scale) < 1e-6), 0)


def _newton(engine: Engine, shot: Shot, first: bool) -> tuple[Shot | None, int]:
    """The first share of the Newton step that brings the root nearer, None if none does; periods spent.

    Nearness is judged by the Newton step that would follow with the same sensitivities, not by the miss: a node that rings
    until the switch shorts it may miss by much and matter little. Source: the natural monotonicity test of damped Newton
    methods (P. Deuflhard, from memory). The first step of all starts from a guess whose combinations may be none of the steady state's, so
    that its sensitivities judge nothing: it is taken.
    """
    scale = shot.scale
    inverse = np.linalg.pinv((np.eye(len(scale)) - shot.period.monodromy) * scale / scale[:, None], rcond=1e-14)
    step = inverse @ shot.misses
    far = _largest(step)
    for spent, share in enumerate(SHARES, 1):
        try:
            there = _shoot(engine, shot.x + share * step * scale, shot.period.last)
        except NoSteadyState:
            continue
        left = _largest(inverse @ (there.misses * there.scale / scale))
        if first or there.size < 0.1 * shot.size or left < (1 - 0.25 * share) * far:
            return there, spent
    return None, len(SHARES)
