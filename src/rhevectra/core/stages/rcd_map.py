"""What resistor and capacitor of the clamp do to peak, power and ripple: the whole plane of both at once, and the common beliefs answered
by it."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Corner, pick
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import clamp

POINTS = 48
MOST_PULSES = 20_000
DECADES = 1.2
"""Reach of the map to either side of the present values, decades."""


class Point(Struct, frozen=True):
    """Currents and voltages that the clamp meets at one corner: core current at turn-off [A], rate [Hz], reflected voltage [V], bus [V],
    how long the secondary conducts [s]."""

    i_one: float
    fs: float
    v_or: float
    v_bus: float
    t_off: float = 0.0


class Clamped(Struct, frozen=True):
    """The clamp at a corner (arrays of the shape of r and c): crest and mean of the capacitor [V], its ripple [V], power of the resistor
    [W]."""

    crest: Array
    mean: Array
    ripple: Array
    power: Array


class ClampMap(Struct, frozen=True):
    """Resistors and capacitors of the axes [Ω, F]; drain peak [V] at the worst corner, power [W] and ripple [share of the mean] at full
    load, arrays (c, r); limits and present values; sentences: what is computed, and what it means; exact: by exact periods."""

    r: Array
    c: Array
    peak: Array
    power: Array
    ripple: Array
    peak_limit: float
    power_limit: float
    now: tuple[float, float]
    sentences: list[tuple[str, str]]
    exact: bool = False


def settled(r: Any, c: Any, at: Point, leakage: float, c_node: float, v_diode: float) -> Clamped:
    """The steady clamp for any resistor [Ω] and capacitor [F] (broadcast), by the formulas of the sizing."""
    r, c = np.asarray(r, dtype=float), np.asarray(c, dtype=float)
    kept = clamp.decay(r, c, at.fs)
    floor = clamp.floor_voltage(at.v_or, v_diode)
    mid = clamp.voltage(floor, clamp.strength(leakage, clamp.charge_per_volt(c, kept)), clamp.lift(c_node, leakage), at.i_one)
    steady = clamp.crest_steady(mid, kept)
    crest = np.where(steady * kept < floor, clamp.crest_rare(floor, at.i_one, leakage, c), steady)
    down = clamp.time_down(r, c, crest, floor)
    held = {"fs": at.fs, "r": r, "c": c, "crest": crest, "w": floor, "t_off": at.t_off, "t_down": down}
    small = down < at.t_off
    return Clamped(crest, np.where(small, clamp.mean_held(**held), clamp.mean_voltage(crest, kept, r, c, at.fs)), clamp.ripple(crest, kept),
                   np.where(small, clamp.power_held(**held), clamp.power(c, at.fs, crest, kept)))


def followed(r: float, c: float, start: float, at: Point, leakage: float, c_node: float, v_diode: float) -> tuple[float, int]:
    """Time [s] and pulses until the capacitor's crest has come nine tenths of the way from `start` [V] to where it settles at a point,
    pulse by pulse.

    Each pulse brings what the leakage holds after it has lifted the node: the capacitor rises until that is spent against what it stands
    above the reflected voltage (energy); the resistor discharges it between.
    """
    goal = float(settled(r, c, at, leakage, c_node, v_diode).crest)
    crest, pulses = start, 0
    while abs(crest - goal) > 0.1 * abs(start - goal) and pulses < MOST_PULSES:
        crest, pulses = float(next_crest(crest, r, c, at, leakage, c_node, v_diode)), pulses + 1
    return pulses / at.fs, pulses


def next_crest(crest: Any, r: Any, c: Any, at: Point, leakage: float, c_node: float, v_diode: float) -> Any:
    """Crest [V] of the capacitor one pulse later (broadcast over r [Ω] and c [F])."""
    floor = at.v_or - v_diode
    above = np.maximum(crest * clamp.decay(r, c, at.fs) - floor, 0.0)
    brought = clamp.conduction_current(at.i_one, c_node, leakage, above + at.v_or, at.v_or, clamp.RING_QUALITY)
    return floor + np.sqrt(np.square(above) + leakage * np.square(brought) / c)


def point_at(design: Any, index: tuple[int, ...]) -> Point:
    """What the clamp meets at a place of the grid."""
    stage, o = design.context["stage"], design.context["o"]
    read = lambda x: float(pick(np.asarray(getattr(x, "value", x), dtype=float), index))  # noqa: E731
    return Point(read(o["i_one"]), read(o["fs"]), read(o["v_com"]), read(stage.v_bus), read(o["t_off"]))


def parts_of(design: Any) -> tuple[float, float, float]:
    """Leakage [H], node capacitance [F] and drop of the clamp diode [V]."""
    stage = design.context["stage"]
    leakage, c_node, drop = (float(np.max(np.asarray(getattr(x, "value", x)))) for x in (stage.leakage, stage.c_node, stage.clamp_vf))
    return leakage, c_node, drop


def corners_of(design: Any) -> tuple[Corner, Corner, Corner]:
    """The corner of the greatest drain voltage, that of the greatest clamp power at full load, and that of the greatest at a tenth of
    it."""
    rows, grid = design.rows, design.grid

    def at(row: Any, domain: Any) -> Corner:
        values = np.where(domain.mask(grid), np.broadcast_to(np.asarray(row.value, dtype=float), grid.shape), -np.inf)
        return grid.corner(tuple(int(i) for i in np.unravel_index(int(values.argmax()), grid.shape)))
    return at(rows["switch.v_peak"], corners.PEAKS), at(rows["clamp.power"], corners.FULL), at(rows["clamp.power"], corners.LIGHT)


def _points(design: Any) -> tuple[Point, Point, Point]:
    """What the clamp meets at these."""
    worst, full, light = corners_of(design)
    return point_at(design, worst.index), point_at(design, full.index), point_at(design, light.index)


def clamp_map(design: Any) -> ClampMap:
    """The map of a design whose clamp is of this kind."""
    rows = design.rows
    r0, c0 = float(rows["clamp.r"].value), float(rows["clamp.c"].value)
    parts = parts_of(design)
    worst, full, light = _points(design)
    r, c = r0 * np.logspace(-DECADES, DECADES, POINTS), c0 * np.logspace(-DECADES, DECADES, POINTS)
    top, mean = (settled(r[None, :], c[:, None], p, *parts) for p in (worst, full))
    limit = float(rows["switch.v_limit"].value)
    return ClampMap(r, c, worst.v_bus + top.crest + parts[2], mean.power, mean.ripple / mean.mean, limit,
                    float(rows["clamp.p_limit"].value), (r0, c0), _answers(r0, c0, (worst, full, light), parts))


def _answers(r: float, c: float, points: tuple[Point, Point, Point], parts: tuple[float, float, float]) -> list[tuple[str, str]]:
    """The common beliefs about the clamp, computed at its present values, and how long it takes to follow the load."""
    worst, full, light = points

    def told(r: float, c: float, at: Point = full) -> tuple[float, float, float]:
        x, y = settled(r, c, worst, *parts), settled(r, c, at, *parts)
        return float(x.crest), float(y.power), float(y.ripple)
    v, p, ripple = told(r, c)
    v_c, p_c, ripple_c = told(r, 2 * c)
    v_r, p_r, _ = told(2 * r, c)
    faster = Point(full.i_one, 2 * full.fs, full.v_or, full.v_bus)
    _, p_f, _ = told(r, c, faster)
    high, low = (float(settled(r, c, x, *parts).crest) for x in (full, light))
    high_c = float(settled(r, 2 * c, full, *parts).crest)
    (down, _), (up, pulses) = followed(r, c, high, light, *parts), followed(r, c, low, full, *parts)
    down_c, _ = followed(r, 2 * c, high_c, light, *parts)
    return [(f"twice the capacitance: power {(p_c / p - 1) * 100:+.1f} %, ripple {show(ripple, 'V', 3)} → {show(ripple_c, 'V', 3)}, crest "
             f"{v_c - v:+.0f} V", "it does not burn more, it holds steadier"),
            (f"twice the resistance: power {(p_r / p - 1) * 100:+.0f} %, crest {v_r - v:+.0f} V",
             "it sets the voltage, it does not damp the ring"),
            (f"twice the frequency at the same current: power {(p_f / p - 1) * 100:+.0f} % with R as it is",
             "the energy comes twice as often, R does not fall by itself"),
            (f"after the load falls to a tenth: {show(down, 's', 2)} to follow ({show(down_c, 's', 2)} with twice the capacitance)",
             f"after it comes back: {show(up, 's', 2)}, {pulses} pulses, each of which it takes more from")]
