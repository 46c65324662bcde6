"""How the capacitor of a resistor-capacitor clamp lags when the load or the bus steps, pulse by pulse, for its capacitance and for smaller
and larger ones."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.stages.rcd_map import Point, next_crest, parts_of, point_at, settled

SHARES = (0.25, 1.0, 4.0)
"""Capacitances that are drawn, over the present one."""
TIMES, MOST_PULSES = 1.5, 1500
"""Time constants of the largest capacitor a step is followed for, and the pulses it is cut at."""
LIGHT = 0.1


class Steps(Struct, frozen=True):
    """capacitors [F]; t_load, crest: time [s] and crest of each capacitor [V] (capacitors, pulses) while the load falls to a tenth at t = 0
    and comes back at `back` [s]; t_line, peak: the same of the drain [V] while the bus jumps from lowest to highest at full load at t = 0;
    rest: drain peak [V] at rest after it; limit: what the switch bears [V]; sentences."""

    capacitors: tuple[float, ...]
    t_load: Array
    crest: Array
    back: float
    t_line: Array
    peak: Array
    rest: float
    limit: float
    sentences: tuple[str, ...]


def _run(start: Array, r: float, c: Array, at: Point, parts: tuple[float, float, float], pulses: int) -> tuple[Array, Array]:
    """Time [s] and crests (capacitors, pulses + 1) from `start`."""
    found = [start]
    for _ in range(pulses):
        found.append(next_crest(found[-1], r, c, at, *parts))
    return np.arange(pulses + 1) / at.fs, np.array(found).T


def steps(design: Any) -> Steps:
    """Of a design whose clamp is a resistor and a capacitor; the load steps at the highest line."""
    rows, parts, grid = design.rows, parts_of(design), design.grid
    r, c = float(rows["clamp.r"].value), float(rows["clamp.c"].value) * np.array(SHARES)
    lines = sorted(grid.lines)
    full, light = (point_at(design, grid.find(lines[-1], load).index) for load in (1.0, LIGHT))
    low = point_at(design, grid.find(lines[0], 1.0).index)
    wait = TIMES * r * float(c.max())
    count = lambda p: int(np.clip(np.ceil(wait * p.fs), 3, MOST_PULSES))  # noqa: E731
    down_t, down = _run(settled(r, c, full, *parts).crest, r, c, light, parts, count(light))
    up_t, up = _run(down[:, -1], r, c, full, parts, count(full))
    line_t, crest = _run(settled(r, c, low, *parts).crest, r, c, full, parts, count(full))
    peak = full.v_bus + crest + parts[2]
    t_load = np.concatenate([down_t, down_t[-1] + up_t])
    made = (tuple(float(x) for x in c), t_load, np.concatenate([down, up], axis=1), float(down_t[-1]), line_t, peak,
            float(full.v_bus + settled(r, c[1], full, *parts).crest + parts[2]), float(rows["switch.v_limit"].value))
    return Steps(*made, _told(made))


def _told(made: tuple[Any, ...]) -> tuple[str, ...]:
    """What the curves say of the present capacitor and of the larger one."""
    c, t_load, crest, back, _, peak, rest, limit = made
    own = SHARES.index(1.0)

    def lag(t: Array, y: Array) -> float:
        """Time [s] to nine tenths of the way."""
        return float(t[int(np.argmax(np.abs(y - y[-1]) <= 0.1 * abs(y[0] - y[-1]) + 1e-9))])
    fallen = t_load <= back
    over = [show(c[k], "F") for k in range(len(c)) if peak[k].max() > limit]
    return (f"the load falls to a tenth: {show(lag(t_load[fallen], crest[own][fallen]), 's', 2)} to follow; with {show(c[-1], 'F')}: "
            f"{show(lag(t_load[fallen], crest[-1][fallen]), 's', 2)}",
            f"the bus jumps to its highest: the first pulse reaches {show(float(peak[own].max()), 'V', 3)}, at rest {show(rest, 'V', 3)}, "
            f"limit {show(limit, 'V', 3)}" + (f"; over it with {', '.join(over)}" if over else "; none of these passes it"))
