"""Gain of the tank over frequency: exact at a constant output current, and by the first harmonic beside it; the border to the capacitive side."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.resonant import ends, peak_gain, tank, waves
from rhevectra.core.topologies.resonant import stage as st

HIGH, COUNT = 1.05, 16
SEARCHED = 1.6
"""The border is looked for up to this many times the gain asked for; a tank that gives more has room enough."""


class Curve(Struct, frozen=True):
    """Gain over frequency [Hz] at one load: exact (points without a periodic state are left out), whether the tank current lags there, first harmonic at the same points."""

    frequency: Array
    exact: Array
    lagging: Array
    harmonic: Array


def _harmonic(f: Array, ratio: float, load: float) -> Array:
    """First-harmonic gain at a constant current, whose quality factor follows the gain: that without load times √(1 − (π²/8·load·(F − 1/F))²); never told below 0.05."""
    across = np.square(tank.quality_of(np.asarray(load), np.asarray(1.0)) * (f - 1 / f))
    unloaded = tank.first_harmonic(f, np.asarray(ratio), np.asarray(1e-9))  # finite at the lower resonance
    return np.asarray(np.maximum(np.sqrt(np.maximum(1 - across, 0.0)) * unloaded, 0.05))


def _solved(ratio: float, load: float, top: float, high: float, count: int) -> tuple[Array, tank.Found, Array]:
    """The gain of a tank at a constant current, both in its own units: frequencies over the resonance from where the first harmonic reaches the top (where it never does, from the lower resonance or where it could drive the current through a short: the exact peak lies well below its own), the states, and which of them are periodic."""
    short = 0.5 / float(tank.quality_of(np.asarray(load), np.asarray(1.0)))  # half of 1/F - F at which the tank takes the whole voltage
    wide = np.geomspace(max(0.9 / np.sqrt(1 + ratio), 1.05 * (np.sqrt(short**2 + 1) - short)), high, 200)
    seen = _harmonic(wide, ratio, load)
    f = np.geomspace(wide[int(np.flatnonzero(seen >= top)[-1])] if (seen >= top).any() else wide[0], high, count)
    found = tank.solve(tank.Point(np.pi / f, np.full(count, load), _harmonic(f, ratio, load), np.full(count, ratio)), "gain", enough=st.ROUGH, passes=8)
    return f, found, (found.miss < st.UNSOLVED) & (found.point.gain > 0)


def _load(s: st.Stage, v_bus: float, i_out: float) -> float:
    """An output current [A] in tank units."""
    return float(max(i_out, 1e-6) / (float(s.np) / float(s.ns)) * np.sqrt(float(s.lr) / float(s.cr)) / (s.variant.drive * v_bus))


def curve(s: st.Stage, v_bus: float, i_out: float, top: float, high: float = HIGH, count: int = COUNT) -> Curve:
    """The gain at one output current [A] and bus [V], up to high times the resonance, from where the first harmonic reaches the top."""
    ratio, load = float(s.lm) / float(s.lr), _load(s, v_bus, i_out)
    f, found, good = _solved(ratio, load, top, high, count)
    off = waves.measures(found)["off"]
    return Curve(f[good] / (2 * np.pi * np.sqrt(float(s.lr) * float(s.cr))), found.point.gain[good], off[good] > 0, _harmonic(f, ratio, load)[good])


def border(plan: Any, work: Work) -> dict[str, float]:
    """Greatest gain at overload and the end of hold-up while the tank current still lags, as far as it was searched, of the end of the tolerances that gives least; and its frequency in the slowest tank of all."""
    grid, s, by = work.grid, plan.stage, ends.of(work.sheet.rows)
    v_low = float(np.min(np.broadcast_to(s.v_bus, grid.shape)[np.broadcast_to(corners.FULL.mask(grid), grid.shape)]))
    hold, fr = min(float(work.sheet.rows["llc.v_hold"].value), v_low), float(work.sheet.rows["llc.fr"].value)
    asked = float(np.max(plan.settled.out["gain"])) * v_low / hold
    tanks = [(t.lm / t.lr, _load(t, hold, float(np.max(s.i_out)))) for t in (ends.at(s, parts) for parts in by.weakest)]
    f, found, good = _solved(*min(tanks, key=lambda t: float(peak_gain.most_load(t[0], asked)) / t[1]), SEARCHED * asked, HIGH, COUNT)
    gain = np.where(good & (waves.measures(found)["off"] > 0), found.point.gain, 0.0)
    best = int(gain.argmax())
    return {"gain_max": float(gain[best]), "f_border": float(f[best]) * fr / by.slowest if gain[best] > 0 else fr}
