"""Pictures of the power stage: switching period, clamp transient, supply window, losses."""

from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import spoken
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common.supply import WINDOW, regulated
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, same_corner, shown_at
from rhevectra.drawing.display import Picture

if TYPE_CHECKING:
    from rhevectra.core.design.exact import Exact

NEAR = 1e-3
"""Share of the period that the edges of a drawn waveform may take beside it."""
GAP = 1.5
"""Room [mm] between two frames over one another, the title of the lower one apart."""


def _fits(shapes: list[Any]) -> bool:
    """Whether time only runs forward in them, and not past the period."""
    return all(float(np.diff(s.t).min()) >= -NEAR * s.period and float(s.t[-1]) <= (1 + NEAR) * s.period for s in shapes)


def _stacked(picture: Picture, shapes: list[Any], olds: list[Any] | None) -> None:
    """Traces over one another with a common time axis, the held ones pale behind; a sentence where what is asked for is longer than its
    period."""
    if not _fits(shapes):
        period = max(float(s.period) for s in shapes)
        for line, said in enumerate(
                (f"What is asked for here takes longer than its period of {show(period, 's')}:",
                 "no waveform can be drawn. The findings say what to change.")):
            picture.text(picture.width / 2, picture.height / 2 + 5 * line, said, "over", "middle", 3.4)
        return
    olds = olds if olds and _fits(olds) else None
    inner, each = picture.width - LEFT - RIGHT, (picture.height - 6 - GAP * (len(shapes) - 1)) / len(shapes)
    for k, shape in enumerate(shapes):
        seen = [shape.y, *([olds[k].y] if olds else [])]
        high, low = max(*(float(np.max(y)) for y in seen), shape.limit or 0.0), min(*(float(np.min(y)) for y in seen), 0.0)
        span = max(high - low, 1e-9)
        start, end = float(shape.t[0]), float(shape.t[-1])
        frame = Frame(picture, LEFT, k * (each + GAP), inner, each, (start, end),
                      (low - 0.02 * span if low < 0 else 0.0, high + 0.02 * span), shape.name, shape.unit, x_labels=k == len(shapes) - 1)
        if olds:
            frame.pale(olds[k].t, olds[k].y)
        frame.trace(shape.name, shape.t, shape.y, shape.side, 0.5)
        if shape.limit is not None:
            frame.level(shape.limit, f"limit {show(shape.limit, shape.unit)}", "over")
        frame.close()


def switching_period(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Switch voltage, switch current and secondary current over one period."""
    picture = Picture(width, height, shown_at(corner))
    olds = (TOPOLOGIES[held.topology].waveforms(held, same_corner(held, corner)) if held is not None and held.topology == design.topology
            else None)
    _stacked(picture, TOPOLOGIES[design.topology].waveforms(design, corner), olds)
    return picture


def exact_period(design: Design, found: "Exact", width: float, height: float, held: Design | None = None) -> Picture:
    """The same three traces from the exact steady state of the design's own circuit, leakage, node and clamp in it."""
    picture = Picture(width, height, f"{shown_at(found.corner)} · exact, residual {found.residual:.0e}")
    shapes = TOPOLOGIES[design.topology].waveforms(design, found.corner)
    columns = TOPOLOGIES[design.topology].exact_traces(found)
    olds = (TOPOLOGIES[held.topology].waveforms(held, same_corner(held, found.corner))
            if held is not None and held.topology == design.topology else None)
    _stacked(picture, [replace(s, t=found.t, y=y) for s, y in zip(shapes, columns, strict=True)], olds)
    return picture


def clamp_transient(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The turn-off closely: drain voltage up to the clamp, its current, the ring that it leaves."""
    picture = Picture(width, height, shown_at(corner))
    olds = (TOPOLOGIES[held.topology].transient(held, same_corner(held, corner)) if held is not None and held.topology == design.topology
            else None)
    _stacked(picture, TOPOLOGIES[design.topology].transient(design, corner), olds)
    return picture


def supply_window(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The auxiliary supply inside the controller's window: over load, at lowest and highest line, where the outputs move it; over the bus
    where that does."""
    return _over_load(design, width, height) if "aux.v_turns" in design.rows else _over_bus(design, corner, width, height, held)


def _follows_bus(design: Design) -> tuple[Array, Array]:
    """Bus [V], from the end of hold-up or the least to the greatest, and the supply there [V]."""
    rows, shape = design.rows, design.grid.shape
    bus, volts = (np.broadcast_to(np.asarray(rows[id].value, dtype=float), shape).ravel() for id in ("bus.v", "aux.v_high"))
    low = (float(rows["switch.v_bus_asked"].value), float(design.value("aux.v_hold"))) if "aux.v_hold" in rows else (float(bus.min()),
        float(volts.min()))
    return np.array([low[0], float(bus.max())]), np.array([low[1], float(volts.max())])


def _over_bus(design: Design, corner: Corner, width: float, height: float, held: Design | None) -> Picture:
    rows, linear = design.rows, regulated(design.rows)
    bus, volts = _follows_bus(design)
    before = (_follows_bus(held) if held is not None and "aux.v_high" in held.rows and "aux.v_turns" not in held.rows
              and "bus.v" in held.rows else None)
    stands = WINDOW[False][1]
    picture = Picture(width, height, f"{shown_at(corner)} · "
                      f"{'a regulator keeps the controller at what it stands' if linear else 'the winding feeds the controller'}; load "
                      "moves it by nothing but the bus")
    top = 1.1 * max(stands, float(volts[1]), *([] if before is None else [float(before[1][1])]))
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (0.95 * float(bus[0]), 1.03 * float(bus[1])), (0.0, top),
                  "auxiliary supply", "V", x_unit="V of bus")
    if before is not None:
        frame.pale(*before)
    frame.trace("supply", bus, volts, "primary", 0.7)
    for x, y, say, anchor, off in ((bus[0], volts[0], "end of hold-up" if "aux.v_hold" in rows else "least bus", "left", 4.5),
                                   (bus[1], volts[1], "highest bus", "right", -2.5)):
        picture.label(frame.x(float(x)), frame.y(float(y)) + off, f"{say}: {show(float(y), 'V', 3)}", "primary", anchor)
    x, y = (float(np.broadcast_to(np.asarray(rows[id].value, dtype=float), design.grid.shape)[corner.index])
            for id in ("bus.v", "aux.v_high"))
    picture.box(frame.x(x) - 0.8, frame.y(y) - 0.8, 1.6, 1.6, "ink")
    frame.level(stands, f"the controller stands {show(stands, 'V')}", "tight" if linear else "over")
    frame.level(float(rows["aux.v_min"].value), f"lock-out{' and regulator' if linear else ''} {show(float(rows['aux.v_min'].value), 'V')}",
                "over")
    frame.close()
    return picture


def _over_load(design: Design, width: float, height: float) -> Picture:
    """At lowest and highest line; dashed what its turns alone would give."""
    grid, low, high = design.grid, design.figure("aux.v_low"), design.figure("aux.v_high")
    r, main = design.rows["aux.r_series"], design.requirement.outputs[design.requirement.main]
    where = f", at {high.corner.text()}" if high.corner else ""
    picture = Picture(width, height, f"thin: lowest line, thick: highest; {'no resistor' if r.value == 0 else show(r.value, r.unit)} in "
                      f"series; at most {show(high.value, 'V')}{where}")
    points = [k for k, p in enumerate(grid.points) if p.case == "run" and not p.label]
    loads = np.array([grid.points[k].load for k in points])
    shown = [("aux.v_high", "supply", "primary"),
             *([("aux.v_low", "supply at the lowest setting", "secondary")] if main.least < main.magnitude else []),
             ("aux.v_turns", "by turns alone", "aux")]
    curves = [(name, say, role, line, np.array([design.rows[name].at((line, 0, k, -1 if line else 0)) for k in points]))
              for name, say, role in shown for line in ((0, len(grid.lines) - 1) if name != "aux.v_turns" else (0,))]
    top = max(high.limit or 0.0, *(float(y.max()) for *_, y in curves)) * 1.1
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (0.0, 1.0), (0.5 * (low.limit or 0.0), top), "auxiliary supply", "V",
                  x_unit="of full load")
    for name, say, role, line, y in curves:
        frame.trace(f"{say} at {grid.lines[line]:g} V", loads, y, role, 0.35 if line == 0 else 0.7, name == "aux.v_turns")
    picture.label(frame.left + frame.width - 2, frame.y(float(curves[-1][-1][-1])) - 1.2, "by turns alone", "aux", "right")
    picture.label(frame.left + frame.width - 2,
                  frame.y(float(curves[1][-1][-1])) + (4.5 if curves[1][-1][-1] <= curves[-1][-1][-1] else 6.0), "supply", "primary",
                  "right")
    for limit, text in ((low.limit, "lock-out"), (high.limit, "over-voltage trip")):
        if limit is not None:
            frame.level(limit, f"{text} {show(limit, 'V')}", "over")
    frame.close()
    return picture


def _percent(share: float) -> str:
    """A share in whole per cent; what is there is never told as nothing."""
    return "< 1 %" if 0.0 < share < 0.005 else f"{100 * share:.0f} %"


def loss_bars(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Loss of every part at the corner, largest first."""
    picture = Picture(width, height, shown_at(corner))
    old = {} if held is None else {name: row.at(same_corner(held, corner).index) for name, row in held.losses.items()}
    values = sorted(((name, row.at(corner.index)) for name, row in design.losses.items()), key=lambda p: -p[1])
    values = [(name, value) for name, value in values if value or old.get(name)] or values[:1]
    total = max(sum(v for _, v in values), 1e-12)
    bar_left, room = 40.0, width - 40.0 - 34.0
    most = max(values[0][1], *old.values(), 1e-12) if old else max(values[0][1], 1e-12)
    pitch = min(8.0, (height - 14) / max(len(values), 1))
    for k, (name, value) in enumerate(values):
        y, length = 9 + k * pitch, max(room * value / most, 0.2)
        picture.text(bar_left - 2, y + pitch * 0.55, spoken(name), "ink", "right")
        if name in old:
            picture.box(bar_left, y - pitch * 0.08, max(room * old[name] / most, 0.2), pitch * 0.82, "pale")
        picture.box(bar_left, y, length, pitch * 0.66, "primary")
        picture.text(bar_left + max(length, room * old.get(name, 0.0) / most) + 2, y + pitch * 0.55,
                     f"{show(value, 'W')}  {_percent(value / total)}", "muted")
    was = f" (held {show(sum(old.values()), 'W', 4)})" if old else ""
    picture.text(bar_left, 5.5, f"{show(total, 'W', 4)} in all{was}, {show(design.rows['load.power'].at(corner.index), 'W', 4)} delivered",
                 "ink", "left", 3.6, True)
    picture.data["loss [W]"] = np.array([v for _, v in values])
    return picture
