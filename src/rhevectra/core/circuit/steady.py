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
MOST_STEPS = 400
SETTLING = 400
"""Plain periods before a circuit that would not close is asked whether it repeats after a few of them."""
UNSTABLE = 1.0 + 1e-6
"""Largest multiplier of a period that counts as lasting."""
SHARES = (1.0, 0.5, 0.2, 0.05)
"""Shares of the Newton step tried in turn; if none makes the miss smaller, plain periods follow, each time more of them."""


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

    @property
    def multiplier(self) -> float:
        """What the worst small disturbance has become a period later, as a share; above 1 it grows: the period found does not last."""
        return float(np.abs(np.linalg.eigvals(self.period.monodromy)).max()) if len(self.start) else 0.0


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
    steps, plain = 1, 2
    size = _error(x, found, equations)
    while size > TOLERANCE:
        if steps >= MOST_STEPS:
            worst = equations.states[int(_misses(x, found, equations).argmax())].name
            longer = _longer(engine, equations, found)
            raise NoSteadyState(f"not converged after {steps} periods: {worst} still changes by {size:.3g} of its size in a period" + (f"; the circuit settles to a state that repeats every {longer} periods" if longer else ""))
        if progress is not None and progress(steps, size):
            raise NoSteadyState("cancelled")
        better = _newton(engine, equations, x, found, size, steps == 1)
        steps += better[3]
        if better[0] is not x:
            x, found, size = better[:3]
        else:
            plain = min(plain + 1, 12)
            for _ in range(plain):
                x = found.end[: len(x)]
                found = engine.run(x, found.last)
            steps, size = steps + plain, _error(x, found, equations)
    return Steady(equations, engine, x, found, size, steps, perf_counter() - begun)


def _longer(engine: Engine, equations: Equations, found: Period) -> int:
    """How many periods the circuit takes to repeat itself when left alone, of two to four; 0 where it does not."""
    ends: list[Array] = []
    for _ in range(SETTLING):
        found = engine.run(found.end[: engine.eq.first], found.last)
        ends = [*ends[-4:], found.end[: engine.eq.first]]
    scale = _scale(ends[-1], found, equations)
    return next((k for k in (2, 3, 4) if float(np.abs((ends[-1] - ends[-1 - k]) / scale).max()) < 1e-6), 0)


def _newton(engine: Engine, equations: Equations, x: Array, found: Period, size: float, first: bool) -> tuple[Array, Period, float, int]:
    """The first share of the Newton step that brings the root nearer: start, period, miss, periods spent; the same start if none does.

    Nearness is judged by the Newton step that would follow with the same sensitivities, not by the miss: a node that rings
    until the switch shorts it may miss by much and matter little. Source: the natural monotonicity test of damped Newton
    methods (P. Deuflhard, from memory). The first step of all starts from a guess whose combinations may be none of the steady state's, so
    that its sensitivities judge nothing: it is taken.
    """
    matrix, scale = np.eye(len(x)) - found.monodromy, _scale(x, found, equations)
    inverse = np.linalg.pinv(matrix * scale / scale[:, None], rcond=1e-14)
    step = inverse @ ((found.end[: len(x)] - x) / scale)
    far = float(np.abs(step).max())
    for spent, share in enumerate(SHARES, 1):
        trial = x + share * step * scale
        try:
            there = engine.run(trial, found.last)
        except NoSteadyState:
            continue
        new = _error(trial, there, equations)
        left = float(np.abs(inverse @ ((there.end[: len(x)] - trial) / scale)).max())
        if first or new < 0.1 * size or left < (1 - 0.25 * share) * far:
            return trial, there, new, spent
    return x, found, size, len(SHARES)


def _scale(x: Array, found: Period, equations: Equations) -> Array:
    """What a change of each state counts against: the largest voltage or current of its kind within the period."""
    seen = np.maximum(np.abs(x), found.largest)
    scale = np.empty(len(x))
    for part in (slice(0, equations.caps), slice(equations.caps, len(x))):
        if seen[part].size:
            scale[part] = np.maximum(seen[part], 1e-3 * seen[part].max() + 1e-12)
    return scale


def _misses(x: Array, found: Period, equations: Equations) -> Array:
    """Change of each state over the period, against its scale."""
    return np.asarray(np.abs((found.end[: len(x)] - x) / _scale(x, found, equations)))


def _error(x: Array, found: Period, equations: Equations) -> float:
    return float(_misses(x, found, equations).max()) if len(x) else 0.0
