"""Pictures of a power factor stage, and of three lines: inductor current over half a line cycle, and what it can give from each line."""

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.stages import FRONT_ENDS
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, shown_at
from rhevectra.drawing.display import Picture
from rhevectra.drawing.front import front_cycle


def envelope(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Inductor current between its highest and lowest value over half a line cycle, and below it the switching frequency, or the inductance
    where that is what moves."""
    picture, now = Picture(width, height, f"{shown_at(corner)} · one phase, from the sized switching cycles"), front_cycle(design, corner)
    half = now["t"] <= 0.5 * float(now["t"][-1])
    t, inner, each = now["t"][half], width - LEFT - RIGHT, (height - 12) / 2
    limit = float(design.rows["pfc.current_limit"].value)
    top = Frame(picture, LEFT, 1, inner, each * 1.2, (0, float(t[-1])), (0, 1.12 * max(limit, float(now["highest"].max()))),
                "inductor current", "A", x_labels=False)
    top.trace("highest", t, now["highest"][half], "primary", 0.5)
    top.trace("line", t, np.abs(now["current"][half]), "ink", 0.4, True)
    top.trace("lowest", t, now["lowest"][half], "secondary", 0.5)
    top.level(limit, f"limit {show(limit, 'A')}", "over")
    top.close()
    name, unit = ("inductance", "H") if np.ptp(now["frequency"]) == 0 and np.ptp(now["inductance"]) > 0 else ("switching frequency", "Hz")
    curve = now[name.split()[-1]][half]
    below = Frame(picture, LEFT, 1 + each * 1.2 + 4, inner, each * 0.8 - 3, (0, float(t[-1])), (0, 1.15 * float(curve.max())), name, unit)
    below.trace(name, t, curve, "accent", 0.5)
    below.close()
    return picture


def derating(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Power that the stage draws from each line when the inductor's peak stands at the limit, and what then reaches the outputs."""
    grid, plan, full = design.grid, design.context["front"], design.grid.full_load
    lines = np.array(grid.lines)
    v = np.linspace(0.8 * lines[0], lines[-1], 140)
    limit_power = FRONT_ENDS[design.front_end].limit_power
    drawn = limit_power(plan, v)
    eta = np.interp(v, lines, [float(design.rows["efficiency"].at((i, 0, full, 0))) for i in range(len(lines))])
    need = [float(design.rows["inlet.power"].at((i, 0, full, 0))) for i in range(len(lines))]
    output = design.delivered.power
    picture = Picture(width, height,
                      f"inductor at its limit of {show(plan.limit, 'A')} at the crest of the line; efficiency as at full load")
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (float(v[0]), float(v[-1])), (0, 1.08 * float(drawn.max())),
                  "power at the current limit", "W", x_unit="V of line")
    if held is not None and "pfc.power_max" in held.rows:
        frame.pale(v, FRONT_ENDS[held.front_end].limit_power(held.context["front"], v))
    frame.trace("drawn from the line", v, drawn, "primary", 0.6)
    frame.trace("at the outputs", v, drawn * eta, "accent", 0.6)
    at = int(0.62 * len(v))
    picture.label(frame.x(float(v[at])) - 2, frame.y(float(drawn[at])) - 1, "drawn from the line", "primary", "right")
    picture.label(frame.x(float(v[at])) + 2, frame.y(float(drawn[at] * eta[at])) + 4, "at the outputs", "accent")
    frame.level(output, f"asked of the outputs {show(output, 'W')}", "tight")
    for x, p in zip(lines, need, strict=True):
        picture.box(frame.x(x) - 0.8, frame.y(p) - 0.8, 1.6, 1.6, "ink")
    picture.label(frame.x(float(lines[-1])) - 2, frame.y(need[-1]) - 2, "■ drawn at full load", "ink", "right")
    frame.close()
    return picture


def phases(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Power of each of three phases over a line cycle, and their sum, which does not pulsate where mains are balanced; of a plain bridge
    the currents of its lines where they are not."""
    if currents := getattr(FRONT_ENDS[design.front_end], "line_currents", None):
        return _lines(currents(design, corner), f"{shown_at(corner)} · mains unbalanced by "
                      f"{100 * float(design.rows['inlet.unbalance'].value):g} %", width, height)
    picture, now = Picture(width, height, f"{shown_at(corner)} · balanced mains, ideal currents"), front_cycle(design, corner)
    t, total = now["t"], now["powers"].sum(0)
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (0, float(t[-1])), (0, 1.12 * float(total.max())),
                  "power from the mains", "W")
    for k, role in enumerate(("primary", "secondary", "aux")):
        frame.trace(f"phase {k + 1}", t, now["powers"][k], role, 0.4)
    frame.trace("all three", t, total, "ink", 0.7)
    picture.text(frame.left + frame.width - 2, frame.y(float(total[0])) - 1.5, "all three: constant", "ink", "right", 3.0)
    frame.level(float(design.rows["pfc.power_phase_loss"].at(corner.index)), "left without a phase, pulsating", "tight")
    frame.close()
    return picture


def _lines(now: dict[str, Array], caption: str, width: float, height: float) -> Picture:
    """Currents of three lines over a line cycle, each with its rms."""
    picture = Picture(width, height, caption)
    inner, each, top = width - LEFT - RIGHT, (height - 14) / 3, 1.1 * float(np.max(np.abs(now["lines"])))
    for k, role in enumerate(("primary", "secondary", "aux")):
        frame = Frame(picture, LEFT, 1 + k * (each + 2), inner, each - 2, (0, float(now["t"][-1])), (-top, top),
                      f"line {k + 1}", "A", x_labels=k == 2)
        frame.trace(f"line {k + 1}", now["t"], now["lines"][k], role, 0.5)
        picture.text(frame.left + inner - 2, frame.top + 4, f"{show(float(now['rms'][k]), 'A')} rms", role, "right", 3.0, clear=True)
        frame.close()
    return picture
