"""Pictures of the front end: line cycle, inrush, harmonics of the line current."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.formulas.rectifier import inrush_wave
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, same_corner, shown_at
from rhevectra.drawing.display import Picture


def _no_line(width: float, height: float, corner: Corner) -> Picture:
    picture = Picture(width, height, shown_at(corner))
    picture.text(width / 2, height / 2, "dc input: there is no line cycle", "muted", "middle")
    return picture


def _cycle(design: Design, corner: Corner) -> dict[str, Array]:
    """One line cycle from the solved bulk: time [s], rectified mains [V], bulk [V], line current [A]."""
    bulk: Any = design.context["bulk"]
    at = (*corner.index[:3], 0)
    f = design.grid.freqs[corner.index[1]]
    half, period = 0.5 / f, 1 / f
    t = np.linspace(0, period, 600)
    pulse_t = np.concatenate([[bulk.t_start[at]], bulk.t_nodes[at], [bulk.t_start[at] + bulk.t_conduct[at]]])
    pulse_i = np.concatenate([[0.0], bulk.i_nodes[at], [0.0]])
    power, c = float(np.broadcast_to(design.rows["bulk.p_load"].value, bulk.v_valley.shape)[at]), float(design.rows["bulk.c"].value)
    v_end, t_end = float(bulk.v_nodes[at][-1]), pulse_t[-1]
    off_t = np.linspace(t_end, bulk.t_start[at] + half, 80)
    off_v = np.sqrt(np.maximum(v_end**2 - 2 * power * (off_t - t_end) / c, 0))
    cycle_t, cycle_v = np.concatenate([bulk.t_nodes[at], off_t]), np.concatenate([bulk.v_nodes[at], off_v])
    bus = np.interp(t, np.concatenate([cycle_t - half, cycle_t, cycle_t + half]), np.tile(cycle_v, 3))
    current = np.interp(t, pulse_t, pulse_i, 0, 0) - np.interp(t - half, pulse_t, pulse_i, 0, 0)
    crest = np.sqrt(2) * design.grid.lines[corner.index[0]]
    return {"t": t, "mains": np.abs(crest * np.sin(2 * np.pi * f * t)), "bulk": bus, "current": current}


def line_cycle(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Mains, bulk and line current over one line cycle."""
    if design.context["bulk"] is None:
        return _no_line(width, height, corner)
    picture, now = Picture(width, height, shown_at(corner)), _cycle(design, corner)
    old = _cycle(held, same_corner(held, corner)) if held is not None and held.context["bulk"] is not None else None
    period, inner, each = float(now["t"][-1]), width - LEFT - RIGHT, (height - 12) / 2
    top = Frame(picture, LEFT, 3, inner, each * 1.15, (0, period), (0, float(now["mains"].max()) * 1.05), "mains (rectified) and bulk", "V", x_labels=False)
    if old:
        top.pale(old["t"], old["bulk"])
    top.trace("rectified mains", now["t"], now["mains"], "muted", 0.3, True)
    top.trace("bulk", now["t"], now["bulk"], "primary", 0.6)
    least = float(np.asarray(design.rows["bulk.v_min_stage"].value))
    top.level(least, f"least bus {show(least, 'V')}", "tight")
    top.close()
    peak = max(float(np.max(np.abs(d["current"]))) for d in (now, old) if d)
    below = Frame(picture, LEFT, 3 + each * 1.15 + 4, inner, each * 0.85 - 3, (0, period), (-peak * 1.05, peak * 1.05), "line current", "A")
    if old:
        below.pale(old["t"], old["current"])
    below.trace("line current", now["t"], now["current"], "ink", 0.5)
    below.close()
    return picture


def inrush(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Current and bulk voltage when switched on at the crest of the corner's line, thermistor cold, bulk empty."""
    if design.context["bulk"] is None:
        return _no_line(width, height, corner)
    picture = Picture(width, height, f"switch-on at the crest of {corner.v_line:g} V, cold thermistor, bulk empty")
    source, at = design.context["front"]["source"], (*corner.index[:3], 0)
    r = float(design.rows["inlet.r_cold"].value) + float(design.rows["inlet.r_source"].value) + float(source.esr)
    t, i, v = inrush_wave(corner.v_line, corner.f_line or 50.0, r, float(source.inductance), float(design.rows["bulk.c"].value), source.drop)
    bound = float(design.rows["inlet.i_inrush"].at(at))
    inner, each = width - LEFT - RIGHT, (height - 12) / 2
    top = Frame(picture, LEFT, 3, inner, each, (0, float(t[-1])), (0, bound * 1.15), "line current", "A", x_labels=False)
    top.level(bound, f"upper bound {show(bound, 'A')}", "tight")
    top.trace("line current", t, i, "ink", 0.6)
    top.close()
    below = Frame(picture, LEFT, 3 + each + 4, inner, each - 3, (0, float(t[-1])), (0, float(v.max()) * 1.1), "bulk", "V")
    below.trace("bulk", t, v, "primary", 0.6)
    below.close()
    return picture


def harmonics(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Odd harmonics of the line current at the highest nominal line, full load, against the limits of the class."""
    if design.context["bulk"] is None:
        return _no_line(width, height, corner)
    orders = [n for n in range(3, 40, 2) if f"inlet.harmonic_{n}" in design.rows]
    amps = np.array([float(design.value(f"inlet.harmonic_{n}")) for n in orders])
    limits = [design.figure(f"inlet.harmonic_{n}").limit for n in orders]
    name = design.requirement.harmonics_class
    picture = Picture(width, height, f"at {design.grid.special['nominal_max']:g} V, full load, the worse line frequency; limits: {'none asked' if name == 'none' else f'class {name}'}")
    top = max(float(amps.max()), *(v for v in limits if v is not None), 1e-3) if any(v is not None for v in limits) else float(amps.max())
    frame = Frame(picture, LEFT, 3, width - LEFT - RIGHT, height - 14, (2, 40), (0, top * 1.1), "line current harmonics", "A", x_unit="order", x_ticks=[n for n in orders if n % 6 == 3])
    old = [float(held.value(f"inlet.harmonic_{n}")) if held is not None and f"inlet.harmonic_{n}" in held.rows else None for n in orders]
    slot = frame.x(orders[1]) - frame.x(orders[0])
    for n, value, limit, was in zip(orders, amps, limits, old, strict=True):
        x, over = frame.x(n), limit is not None and value > limit
        if was is not None:
            picture.box(x - slot * 0.40, frame.y(min(was, frame.y1)), slot * 0.80, frame.y(0) - frame.y(min(was, frame.y1)), "pale")
        picture.box(x - slot * 0.28, frame.y(value), slot * 0.56, max(frame.y(0) - frame.y(value), 0.15), "over" if over else "primary")
        if limit is not None:
            picture.line([(x - slot * 0.42, frame.y(limit)), (x + slot * 0.42, frame.y(limit))], "tight", 0.5)
        if over:
            picture.text(x, frame.y(value) - 1, "▲", "over", "middle", 3.0)
    picture.data["order"], picture.data["harmonic [A]"] = np.array(orders, dtype=float), amps
    frame.close()
    return picture
