"""Gain of the tank over frequency: exact at a constant output current, and by the first harmonic beside it; the border to the capacitive
side."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.remembered import remembered
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.resonant import ends, several, tank, waves
from rhevectra.core.topologies.resonant import stage as st

HIGH, COUNT, COARSE, CLOSER = 1.05, 16, 10, 6
SEARCHED = 1.6
"""The border is looked for up to this many times the gain asked for; a tank that gives more has room enough."""
UPWARD = 1.02
"""Steps of that gain: designs whose bus differs by little share one search."""


class Curve(Struct, frozen=True):
    """Gain over frequency [Hz] at one load: exact (points without a periodic state are left out), whether the tank current lags there,
    first harmonic at the same points."""

    frequency: Array
    exact: Array
    lagging: Array
    harmonic: Array


def _harmonic(f: Array, ratio: Any, load: Any) -> Array:
    """First-harmonic gain at a constant current, whose quality factor follows the gain: that without load times √(1 − (π²/8·load·(F −
    1/F))²); never told below 0.05."""
    across = np.square(tank.quality_of(np.asarray(load), np.asarray(1.0)) * (f - 1 / f))
    unloaded = tank.first_harmonic(f, np.asarray(ratio), np.asarray(1e-9))  # finite at the lower resonance
    return np.asarray(np.maximum(np.sqrt(np.maximum(1 - across, 0.0)) * unloaded, 0.05))


def _frequencies(ratio: float, load: float, top: float, high: float, count: int) -> Array:
    """Frequencies over the resonance at which the gain of a tank at a constant current, both in its own units, is looked for: from where
    the first harmonic reaches the top (where it never does, from the lower resonance or where it could drive the current through a short:
    the exact peak lies well below its own)."""
    short = 0.5 / float(tank.quality_of(np.asarray(load), np.asarray(1.0)))  # half of 1/F - F at which the tank takes the whole voltage
    wide = np.geomspace(max(0.9 / np.sqrt(1 + ratio), 1.05 * (np.sqrt(short**2 + 1) - short)), high, 200)
    seen = _harmonic(wide, ratio, load)
    return np.geomspace(wide[int(np.flatnonzero(seen >= top)[-1])] if (seen >= top).any() else wide[0], high, count)


def _gains(f: Array, ratio: Array, load: Array, near: Array | None = None) -> tuple[tank.Found, Array]:
    """The states at some frequencies over the resonance, and which of them are periodic; near: unknowns (n, 3) to begin from."""
    found = tank.solve(tank.Point(np.pi / f, load, _harmonic(f, ratio, load), ratio), "gain", near, st.ROUGH, 8)
    return found, np.asarray((found.miss < st.UNSOLVED) & (found.point.gain > 0))


def _lagging(found: tank.Found, good: Array) -> Array:
    """The gains of the states whose tank current still lags; 0 of all others."""
    return np.where(good & (waves.measures(found)["off"] > 0), found.point.gain, 0.0)


def _load(s: st.Stage, v_bus: float, i_out: float) -> float:
    """An output current [A] in tank units."""
    return float(max(i_out, 1e-6) / (float(s.np) / float(s.ns)) * np.sqrt(float(s.lr) / float(s.cr)) / (s.variant.drive * v_bus))


def curve(s: st.Stage, v_bus: float, i_out: float, top: float, high: float = HIGH, count: int = COUNT) -> Curve:
    """The gain at one output current [A] and bus [V], up to high times the resonance, from where the first harmonic reaches the top."""
    ratio, load = float(s.lm) / float(s.lr), _load(s, v_bus, i_out)
    f = _frequencies(ratio, load, top, high, count)
    found, good = _gains(f, np.full(count, ratio), np.full(count, load))
    off = waves.measures(found)["off"]
    return Curve(f[good] / (2 * np.pi * np.sqrt(float(s.lr) * float(s.cr))), found.point.gain[good], off[good] > 0,
                 _harmonic(f, ratio, load)[good])


def border(plan: Any, work: Work) -> dict[str, float]:
    """Greatest gain at overload and the end of hold-up while the tank current still lags, as far as it was searched, of the end of the
    tolerances that gives least; and the highest frequency at which any of these turns, in the slowest tank of all."""
    grid, s, by = work.grid, plan.stage, ends.of(work.sheet.rows)
    v_low = float(np.min(np.broadcast_to(s.v_bus, grid.shape)[np.broadcast_to(corners.FULL.mask(grid), grid.shape)]))
    hold, fr = min(float(work.sheet.rows["llc.v_hold"].value), v_low), float(work.sheet.rows["llc.fr"].value)
    asked = float(np.max(plan.settled.out["gain"])) * v_low / hold
    top = SEARCHED * UPWARD ** np.ceil(np.log(asked) / np.log(UPWARD))
    most, at = _turning(
        tuple((float(t.lm) / float(t.lr), _load(t, hold, float(np.max(several.total(s)))))
              for t in (ends.at(s, parts) for parts in by.weakest)), float(top))
    return {"gain_max": most, "f_border": at * fr / by.slowest if most > 0 else fr}


@remembered(64)
def _turning(tanks: tuple[tuple[float, float], ...], top: float) -> tuple[float, float]:
    """Greatest gain that lags of the tank (ratio of inductances, load) that gives least, and the highest frequency over the resonance at
    which any of them turns; searched up to a gain."""
    f = np.array([_frequencies(*t, top, HIGH, COARSE) for t in tanks])
    ratio, load = (np.array([t[k] for t in tanks])[:, None] for k in (0, 1))

    def gains(f: Array, near: Array | None = None) -> tuple[Array, Array]:
        """Gains that lag, and the unknowns of all states, (tanks, frequencies)."""
        found, good = _gains(f.ravel(), np.broadcast_to(ratio, f.shape).ravel(), np.broadcast_to(load, f.shape).ravel(), near)
        return _lagging(found, good).reshape(f.shape), found.unknown.reshape(*f.shape, 3)
    gain, unknown = gains(f)
    every, best = np.arange(len(tanks)), gain.argmax(1)
    at, most = f[every, best], gain[every, best]
    if best.any():  # the border lies between it and the next lower frequency
        closer = np.linspace(at, f[every, np.maximum(best - 1, 0)], CLOSER + 2, axis=1)[:, 1:-1]
        again, _ = gains(closer, np.repeat(unknown[every, best], CLOSER, axis=0))
        at, most = np.where(again.max(1) > most, closer[every, again.argmax(1)], at), np.maximum(most, again.max(1))
    return float(most.min()), float(at.max())
