"""The periodic steady state of a network by shooting: Newton on the map of one period, damped, with plain periods to fall back on."""

from collections.abc import Callable
from dataclasses import dataclass
from time import perf_counter

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit.engine import Engine, Interval, Period
from rhevectra.core.circuit.equations import OFF, Equations
from rhevectra.core.circuit.parts import Network, NoSteadyState, Passive

TOLERANCE = 1e-9
"""Largest change of a state over one period, relative to the size of its kind, that counts as periodic."""
MOST_STEPS, PLAIN = 80, 5


@dataclass(frozen=True)
class Steady:
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


def steady(network: Network, period: float, progress: Callable[[int, float], bool] | None = None) -> Steady:
    """The periodic steady state with period [s].

    progress(step, residual) may return True to give up. Raises NoSteadyState with what stood in the way.
    """
    begun = perf_counter()
    equations = Equations(network, period)
    engine = Engine(equations)
    x = np.array([p.start for p in equations.states if isinstance(p, Passive)])
    guess = tuple(OFF for _ in equations.changing)
    found = engine.run(x, guess)
    steps, plain = 1, PLAIN
    miss = found.end[: len(x)] - x
    size = _error(miss, x, found, equations)
    while size > TOLERANCE:
        if steps >= MOST_STEPS:
            worst = equations.states[int(np.abs(miss / _scale(x, found, equations)).argmax())].name
            raise NoSteadyState(f"not converged after {steps} periods: {worst} still changes by {size:.3g} of its size in a period")
        if progress is not None and progress(steps, size):
            raise NoSteadyState("cancelled")
        x, found, size_new, spent = _advance(engine, equations, x, found, size, plain > 0)
        plain = PLAIN if size_new < 0.5 * size else plain - 1 if plain else PLAIN
        steps, size = steps + spent, size_new
        miss = found.end[: len(x)] - x
    return Steady(equations, engine, x, found, size, steps, perf_counter() - begun)


def _advance(engine: Engine, equations: Equations, x: Array, found: Period, size: float, newton: bool) -> tuple[Array, Period, float, int]:
    """A Newton step if it makes the miss smaller, halved up to three times, else plain periods on."""
    miss, spent = found.end[: len(x)] - x, 0
    if newton:
        try:
            step = np.linalg.solve(np.eye(len(x)) - found.monodromy, miss)
        except np.linalg.LinAlgError:
            step = np.linalg.lstsq(np.eye(len(x)) - found.monodromy, miss, rcond=None)[0]
        share = 1.0
        for _ in range(4):
            trial = x + share * step
            try:
                spent += 1
                there = engine.run(trial, found.last)
            except NoSteadyState:
                share *= 0.4
                continue
            new = _error(there.end[: len(x)] - trial, trial, there, equations)
            if new < 0.9 * size:
                return trial, there, new, spent
            share *= 0.4
    for _ in range(3):
        x = found.end[: len(x)]
        found = engine.run(x, found.last)
        spent += 1
    return x, found, _error(found.end[: len(x)] - x, x, found, equations), spent


def _scale(x: Array, found: Period, equations: Equations) -> Array:
    """What a change of each state counts against: the largest voltage or current of its kind within the period."""
    seen = np.abs(np.stack([x, found.end[: len(x)], *(i.y[: len(x)] for i in found.intervals)])).max(0)
    scale = np.empty(len(x))
    for part in (slice(0, equations.caps), slice(equations.caps, len(x))):
        if seen[part].size:
            scale[part] = np.maximum(seen[part], 1e-3 * seen[part].max() + 1e-12)
    return scale


def _error(miss: Array, x: Array, found: Period, equations: Equations) -> float:
    return float(np.abs(miss / _scale(x, found, equations)).max()) if len(x) else 0.0
