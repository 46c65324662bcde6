"""Gain of the tank over frequency: exact at a constant output current, and by the first harmonic beside it; the border to the capacitive side."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.resonant import stage as st
from rhevectra.core.topologies.resonant import tank, waves

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
    """First-harmonic gain at a constant current, whose quality factor follows the gain: M² = (1 − (π²/8·load·(F − 1/F))²)/(1 + (1 − 1/F²)/k)²; never told below 0.05."""
    across = np.square(tank.quality_of(np.asarray(load), np.asarray(1.0)) * (f - 1 / f))
    return np.asarray(np.maximum(np.sqrt(np.maximum(1 - across, 0.0)) / np.maximum(np.abs(1 + (1 - 1 / np.square(f)) / ratio), 1e-9), 0.05))


def curve(s: st.Stage, v_bus: float, i_out: float, top: float, high: float = HIGH, count: int = COUNT) -> Curve:
    """The gain at one output current [A] and bus [V], up to high times the resonance, from where the first harmonic reaches the top; where it never does, from the lower resonance: the exact peak lies well below its own."""
    lr, cr, n = float(s.lr), float(s.cr), float(s.np) / float(s.ns)
    z, fr, k = np.sqrt(lr / cr), 1 / (2 * np.pi * np.sqrt(lr * cr)), float(s.lm) / lr
    at = max(i_out, 1e-6) / n * z / (s.variant.drive * v_bus)
    wide = np.geomspace(0.9 / np.sqrt(1 + k), high, 200)
    seen = _harmonic(wide, k, at)
    low = wide[int(np.flatnonzero(seen >= top)[-1])] if (seen >= top).any() else wide[0]
    f = np.geomspace(low, high, count)
    ratio, load, gain = np.full(count, k), np.full(count, at), _harmonic(f, k, at)
    found = tank.solve(tank.Point(np.pi / f, load, gain, ratio), "gain", enough=st.ROUGH, passes=12)
    good = (found.miss < st.UNSOLVED) & (found.point.gain > 0)
    off = waves.measures(found)["off"]
    return Curve(fr * f[good], found.point.gain[good], off[good] > 0, gain[good])


def border(plan: Any, work: Work) -> dict[str, float]:
    """Greatest gain and its frequency at overload and the end of hold-up while the tank current still lags, as far as it was searched."""
    grid, s = work.grid, plan.stage
    v_low = float(np.min(np.broadcast_to(s.v_bus, grid.shape)[np.broadcast_to(corners.FULL.mask(grid), grid.shape)]))
    hold = min(float(work.sheet.rows["llc.v_hold"].value), v_low)
    asked = float(np.max(plan.settled.out["gain"])) * v_low / hold
    c = curve(s, hold, float(np.max(s.i_out)), SEARCHED * asked)
    if not c.lagging.any():
        return {"gain_max": 0.0, "f_border": float(work.sheet.rows["fs"].value)}
    best = int(np.argmax(np.where(c.lagging, c.exact, -1.0)))
    return {"gain_max": float(c.exact[best]), "f_border": float(c.frequency[best])}
