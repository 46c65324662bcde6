"""The pictures of a design: line cycle, switching period, winding window, loss bars. Each takes (design, corner)."""

from collections.abc import Callable
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.display import Picture

LEFT, RIGHT = 14.0, 4.0


def shown_at(corner: Corner) -> str:
    """The caption that tells at which corner a picture is drawn."""
    return f"shown at {corner.text()}"


def line_cycle(design: Design, corner: Corner, width: float, height: float) -> Picture:
    """Mains, bulk and line current over one line cycle."""
    picture = Picture(width, height, shown_at(corner))
    bulk = design.context["bulk"]
    if bulk is None:
        picture.text(width / 2, height / 2, "dc input: there is no line cycle", "muted", "middle")
        return picture
    at = (*corner.index[:3], 0)
    f = design.grid.freqs[corner.index[1]]
    half, period = 0.5 / f, 1 / f
    t = np.linspace(0, period, 600)
    crest = np.sqrt(2) * design.grid.lines[corner.index[0]]
    pulse_t = np.concatenate([[bulk.t_start[at]], bulk.t_nodes[at], [bulk.t_start[at] + bulk.t_conduct[at]]])
    pulse_i = np.concatenate([[0.0], bulk.i_nodes[at], [0.0]])
    power, c = float(np.broadcast_to(design.rows["bulk.p_load"].value, bulk.v_valley.shape)[at]), float(design.rows["bulk.c"].value)
    v_end = float(bulk.v_nodes[at][-1])
    t_end = pulse_t[-1]
    off_t = np.linspace(t_end, bulk.t_start[at] + half, 80)
    off_v = np.sqrt(np.maximum(v_end**2 - 2 * power * (off_t - t_end) / c, 0))
    cycle_t, cycle_v = np.concatenate([bulk.t_nodes[at], off_t]), np.concatenate([bulk.v_nodes[at], off_v])
    bus_t = np.concatenate([cycle_t - half, cycle_t, cycle_t + half])
    bus_v = np.interp(t, bus_t, np.tile(cycle_v, 3))
    current = np.interp(t, pulse_t, pulse_i, 0, 0) - np.interp(t - half, pulse_t, pulse_i, 0, 0)
    inner, each = width - LEFT - RIGHT, (height - 12) / 2
    top = Frame(picture, LEFT, 3, inner, each * 1.15, (0, period), (0, crest * 1.05), "mains (rectified) and bulk", "V", x_labels=False)
    top.trace("rectified mains", t, np.abs(crest * np.sin(2 * np.pi * f * t)), "muted", 0.3, True)
    top.trace("bulk", t, bus_v, "primary", 0.6)
    top.level(float(np.asarray(design.rows["bulk.v_min_stage"].value)), f"least bus {show(float(np.asarray(design.rows['bulk.v_min_stage'].value)), 'V')}", "tight")
    top.close()
    peak = float(np.max(np.abs(current)))
    below = Frame(picture, LEFT, 3 + each * 1.15 + 4, inner, each * 0.85 - 3, (0, period), (-peak * 1.05, peak * 1.05), "line current", "A")
    below.trace("line current", t, current, "ink", 0.5)
    below.close()
    return picture


def switching_period(design: Design, corner: Corner, width: float, height: float) -> Picture:
    """Switch voltage, switch current and secondary current over one period."""
    picture = Picture(width, height, shown_at(corner))
    shapes = TOPOLOGIES[design.topology].waveforms(design, corner)
    inner, each = width - LEFT - RIGHT, (height - 8 - 3 * (len(shapes) - 1)) / len(shapes)
    for k, shape in enumerate(shapes):
        high, low = float(np.max(shape.y)), min(float(np.min(shape.y)), 0.0)
        span = max(high - low, 1e-9)
        frame = Frame(picture, LEFT, 3 + k * (each + 3), inner, each, (0, shape.period), (low - 0.02 * span if low < 0 else 0.0, high + 0.12 * span), shape.name, shape.unit, x_labels=k == len(shapes) - 1)
        frame.trace(shape.name, shape.t, shape.y, shape.side, 0.5)
        if shape.limit is not None:
            frame.level(shape.limit, f"limit {show(shape.limit, shape.unit)}", "over")
        frame.close()
    return picture


def loss_bars(design: Design, corner: Corner, width: float, height: float) -> Picture:
    """Loss of every part at the corner, largest first."""
    picture = Picture(width, height, shown_at(corner))
    values = sorted(((name.replace("_", " "), row.at(corner.index)) for name, row in design.losses.items()), key=lambda p: -p[1])
    total = sum(v for _, v in values)
    bar_left, room = 40.0, width - 40.0 - 34.0
    pitch = min(8.0, (height - 14) / max(len(values), 1))
    for k, (name, value) in enumerate(values):
        y = 9 + k * pitch
        length = max(room * value / max(values[0][1], 1e-12), 0.2)
        picture.text(bar_left - 2, y + pitch * 0.55, name, "ink", "right")
        picture.box(bar_left, y, length, pitch * 0.66, "primary")
        picture.text(bar_left + length + 2, y + pitch * 0.55, f"{show(value, 'W')}  {100 * value / total:.0f} %", "muted")
    picture.text(bar_left, 5.5, f"{show(total, 'W', 4)} in all, {show(design.rows['load.power'].at(corner.index), 'W', 4)} delivered", "ink", "left", 3.6, True)
    picture.data["loss [W]"] = np.array([v for _, v in values])
    return picture


def winding_window(design: Design, corner: Corner, width: float, height: float) -> Picture:
    """The winding window to scale: bobbin, layers, tapes, margins."""
    view = TOPOLOGIES[design.topology].winding_view(design)
    picture = Picture(width, height, f"{view.core}, {view.turns}")
    scale = min((width - 66) / view.radial, (height - 16) / view.along)
    x0, y0 = 8.0, 9.0
    w, h = view.radial * scale, view.along * scale
    picture.text(x0, 5.5, f"centre post at the left, outer leg at the right; {show(view.radial, 'm')} × {show(view.along, 'm')}", "muted")
    picture.box(x0 - 4, y0, 4, h, "core", "ink")
    picture.box(x0 + w, y0, 4, h, "core", "ink")
    picture.box(x0, y0, w, h, "card", "ink")
    for fill in view.bobbin:
        picture.box(x0 + fill[0] * scale, y0 + fill[1] * scale, fill[2] * scale, fill[3] * scale, "rule")
    for tape in view.tapes:
        picture.box(x0 + tape[0] * scale, y0 + tape[1] * scale, max(tape[2] * scale, 0.15), tape[3] * scale, "tape")
    for margin in view.margins:
        picture.box(x0 + margin[0] * scale, y0 + margin[1] * scale, margin[2] * scale, margin[3] * scale, "margin", "rule")
    for wire in view.wires:
        _circle(picture, x0 + wire.x * scale, y0 + wire.y * scale, wire.radius * scale, wire.side)
    gap = max(view.gap * scale, 0.3)
    picture.box(x0 - 4, y0 + h / 2 - gap / 2, 4, gap, "card", "ink")
    _legend(picture, view, x0 + w + 8, y0 + 4)
    return picture


def _circle(picture: Picture, x: float, y: float, r: float, side: str) -> None:
    angle = np.linspace(0, 2 * np.pi, 13)[:-1]
    picture.fill([(x + r * float(np.cos(a)), y + r * float(np.sin(a))) for a in angle], side, "card")


def _legend(picture: Picture, view: Any, x: float, y: float) -> None:
    for k, (text, side) in enumerate(view.legend):
        picture.box(x, y + k * 5.2 - 2.4, 2.6, 2.6, side)
        picture.text(x + 4, y + k * 5.2, text, "ink", "left", 3.2)
    for k, text in enumerate(view.notes):
        picture.text(x, y + len(view.legend) * 5.2 + 3 + k * 4.6, text, "muted", "left", 3.0)


PICTURES: dict[str, tuple[str, Callable[[Design, Corner, float, float], Picture]]] = {
    "line": ("Line cycle", line_cycle), "period": ("Switching period", switching_period), "window": ("Winding window", winding_window), "loss": ("Losses", loss_bars)}
"""Pictures by key: tab title and function."""
STAGE_PICTURES = {"inlet": ("line", "loss"), "bulk": ("line", "loss"), "switch": ("period", "loss"), "transformer": ("window", "period", "loss"), "clamp": ("period", "loss"),
                  "rectifier": ("period", "loss"), "feedback": ("period", "loss"), "load": ("loss", "line", "period")}
"""Which pictures a stage offers, the first shown first."""
