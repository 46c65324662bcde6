"""Pictures of the front end: line cycle, inrush, harmonics of the line current."""

from collections.abc import Sequence

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.formulas.rectifier import inrush_wave
from rhevectra.core.stages import FRONT_ENDS
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, same_corner, shown_at
from rhevectra.drawing.display import Picture


def _no_line(width: float, height: float, corner: Corner) -> Picture:
    picture = Picture(width, height, shown_at(corner))
    picture.text(width / 2, height / 2, "dc input: there is no line cycle", "muted", "middle")
    return picture


def front_cycle(design: Design, corner: Corner) -> dict[str, Array]:
    """One line cycle as the front end knows it."""
    return dict(FRONT_ENDS[design.front_end].cycle(design, corner))


def _on_bus(design: Design) -> float:
    """Capacitance [F] as the bus sees it."""
    return float(design.rows["bulk.c_series" if "bulk.c_series" in design.rows else "bulk.c"].value)


def line_cycle(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Mains, bulk and line current over one line cycle."""
    if design.context["bulk"] is None:
        return _no_line(width, height, corner)
    picture, now = Picture(width, height, shown_at(corner)), front_cycle(design, corner)
    old = front_cycle(held, same_corner(held, corner)) if held is not None and held.context["bulk"] is not None else None
    period, inner, each = float(now["t"][-1]), width - LEFT - RIGHT, (height - 12) / 2
    top = Frame(picture, LEFT, 1, inner, each * 1.15, (0, period), (0, 1.12 * max(float(now["mains"].max()), float(now["bulk"].max()))),
                "mains (rectified) and bulk", "V", x_labels=False)
    if old:
        top.pale(old["t"], old["bulk"])
    top.trace("rectified mains", now["t"], now["mains"], "muted", 0.3, True)
    top.trace("bulk", now["t"], now["bulk"], "primary", 0.6)
    if "capacitor" in now:
        top.trace("one capacitor", now["t"], now["capacitor"], "secondary", 0.5)
        picture.text(top.left + top.width - 2, top.y(float(now["capacitor"][-1])) - 1.5, "one of the pair", "secondary", "right", 3.0)
    least = float(np.asarray(design.rows["bulk.v_min_stage"].value))
    top.level(least, f"least bus {show(least, 'V')}", "tight")
    if "pfc.bus_ripple_lf_pp" in design.rows:
        lf, hf = (design.rows[f"pfc.bus_ripple_{k}_pp"].at(corner.index) for k in ("lf", "hf"))
        for k, said in enumerate(
                (f"ripple with {show(float(design.rows['bulk.c'].value), 'F')}:", f"{show(float(lf), 'V')} at twice the line",
                 f"{show(float(hf), 'V')} switching")):
            picture.text(top.left + top.width - 2, top.y(0.72 * float(now["bulk"].min())) + 4 * k, said, "primary", "right", 3.0)
    top.close()
    peak = max(float(np.max(np.abs(d["current"]))) for d in (now, old) if d)
    below = Frame(picture, LEFT, 1 + each * 1.15 + 4, inner, each * 0.85 - 3, (0, period), (-peak * 1.05, peak * 1.05), "line current", "A")
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
    source, at = design.context["source"], (*corner.index[:3], 0)
    r = float(design.rows["inlet.r_cold"].value) + float(design.rows["inlet.r_source"].value) + float(source.esr)
    t, i, v = inrush_wave(corner.v_line, corner.f_line or 50.0, r, float(source.inductance), _on_bus(design), source.drop)
    bound = float(design.rows["inlet.i_inrush"].at(at))
    inner, each = width - LEFT - RIGHT, (height - 12) / 2
    top = Frame(picture, LEFT, 1, inner, each, (0, float(t[-1])), (0, bound * 1.15), "line current", "A", x_labels=False)
    top.level(bound, f"upper bound {show(bound, 'A')}", "tight")
    top.trace("line current", t, i, "ink", 0.6)
    top.close()
    below = Frame(picture, LEFT, 1 + each + 4, inner, each - 3, (0, float(t[-1])), (0, float(v.max()) * 1.1), "bulk", "V")
    below.trace("bulk", t, v, "primary", 0.6)
    below.close()
    return picture


PART = ((0.5, "half load", "secondary", 0.30), (0.1, "a tenth", "ink", 0.18))
"""Loads beside the full one whose harmonics are marked: share, name, role and half width of the mark, as a share of the room of an
order."""


def part_load(design: Design, share: float, orders: Sequence[int]) -> Array:
    """Harmonics [A rms] of the line current at a share of the load and the highest nominal line, the worse line frequency; what X
    capacitors draw, which is at the line frequency alone, left out."""
    at, found = design.grid.find(design.grid.special["nominal_max"], share).index, []
    for j, f in enumerate(design.grid.freqs):
        now = front_cycle(design, design.grid.corner((at[0], j, *at[2:])))
        turn = np.exp(2j * np.pi * f * np.multiply.outer(np.asarray(orders, float), now["t"]))
        found.append(np.sqrt(2) * f * np.abs(np.trapezoid(now["current"] * turn, now["t"], axis=1)))
    return np.asarray(np.max(found, axis=0))


def harmonics(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Odd harmonics of the line current at the highest nominal line, full load, against the limits of the class; half load and a tenth as
    marks."""
    if design.context["bulk"] is None:
        return _no_line(width, height, corner)
    orders = [n for n in range(3, 40, 2) if f"inlet.harmonic_{n}" in design.rows]
    amps = np.array([float(design.value(f"inlet.harmonic_{n}")) for n in orders])
    limits = [design.figure(f"inlet.harmonic_{n}").limit for n in orders]
    name = design.requirement.harmonics_class
    picture = Picture(width, height, f"at {design.grid.special['nominal_max']:g} V, full load, the worse line frequency; no even orders: "
                      f"both half cycles are alike; limits: {'none asked' if name == 'none' else f'class {name}'}")
    top = max(float(amps.max()), *(v for v in limits if v is not None), 1e-3) if any(v is not None for v in limits) else float(amps.max())
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (2, 40), (0, top * 1.1), "line current harmonics", "A",
                  x_unit="order", x_ticks=[n for n in orders if n % 6 == 3])
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
    for k, (share, said, role, wide) in enumerate(PART):
        for n, value, limit in zip(orders, part_load(design, share, orders), limits, strict=True):
            y = frame.y(min(float(value), frame.y1))
            picture.line([(frame.x(n) - slot * wide, y), (frame.x(n) + slot * wide, y)],
                         "over" if limit is not None and value > limit else role, 0.6)
        y = frame.top + 4.2 + 4.2 * k
        picture.text(frame.left + frame.width - 6 - slot, y, said, role, "right", 3.0, clear=True)
        picture.line([(frame.left + frame.width - 2 - slot * 2 * wide, y - 1), (frame.left + frame.width - 2, y - 1)], role, 0.6)
    picture.data["order"], picture.data["harmonic [A]"] = np.array(orders, dtype=float), amps
    frame.close()
    return picture


def hold_up(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The bus after the mains have gone at its valley, at the voltage hold-up is asked for, full load: down to the least bus of the power
    stage."""
    figure, need = design.figure("bulk.hold_up"), design.requirement
    at = figure.corner.index if figure.corner else corner.index
    picture = Picture(width, height, f"mains gone at the valley of the bus, {need.hold_up_at:g} V, full load")
    c = _on_bus(design)
    v0, power, least = (float(design.rows[id].at(at)) for id in ("bulk.v_valley", "bulk.p_load", "bulk.v_min_stage"))
    lasts = float(figure.value)
    t = np.linspace(0, max(1.3 * lasts, 1.15 * need.hold_up, 1e-3), 300)
    fall = lambda v, c: np.sqrt(np.maximum(v**2 - 2 * power * t / c, 0.0))  # noqa: E731
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (0, float(t[-1])), (0, 1.15 * v0), "bus", "V")
    below, asked = least, frame.x(need.hold_up)
    aside = max(frame.left + 2, asked + 1 if asked < frame.left + 30 else 0.0)  # beside the mark of what is asked for
    if "brown.out_least" in design.rows and "pfc.v_bus" not in design.rows:  # between these it lets go by itself
        below, above = (float(design.rows[f"brown.out_{end}"].value) for end in ("least", "most"))
        picture.box(frame.left, frame.y(above), frame.width, frame.y(below) - frame.y(above), "pale")
        picture.label(aside, frame.y(min(below, least)) + 7.6, f"brown-out {show(below, 'V')} to {show(above, 'V')}", "muted")
    frame.level(least, "", "tight")
    picture.label(aside, max(frame.y(min(below, least)) + 3.6, frame.top + 3.6), f"least bus {show(least, 'V')}",
                  "tight")  # the bus comes down from the left
    frame.trace("bus", t, fall(v0, c), "primary", 0.6)
    left = float(design.rows["bulk.c_left"].value)
    if left < 1:
        frame.trace(f"bus, {left * 100:.0f} % of the capacitor left", t, fall(float(design.rows["bulk.v_valley_left"].at(at)), left * c),
                    "primary", 0.35, True)
    old = float(design.figure("bulk.hold_up_left").value)
    marks = [(lasts, f"lasts {show(lasts, 's')}", "accent"), (need.hold_up, f"asked {show(need.hold_up, 's')}", "muted"),
             *([(old, f"{left * 100:.0f} % left: {show(old, 's')}", "primary")] if left < 1 else [])]
    for k, (when, text, role) in enumerate(marks):
        if when > 0:
            picture.line([(frame.x(when), frame.top), (frame.x(when), frame.top + frame.height)], role, 0.35, True)
            near = frame.x(when) < frame.left + 30
            picture.text(frame.x(when) + (1 if near else -1), frame.top + (3.6 if near else frame.height - 2 - 4 * k), text, role,
                         "left" if near else "right", 3.0, clear=True)
    frame.close()
    return picture
