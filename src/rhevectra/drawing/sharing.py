"""Several outputs on one core: what each takes of a pulse, and how far those move that no loop holds."""

import numpy as np

from rhevectra.core.basis.corners import RUN, Array, Corner
from rhevectra.core.basis.quantities import show, told_apart
from rhevectra.core.basis.requirement import Output
from rhevectra.core.design.design import Design
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, same_corner, shown_at
from rhevectra.drawing.display import Picture

ROLES = ("secondary", "primary", "aux", "accent", "over", "muted")
NAME, ROOM, NARROW, WIDE = 22.0, 1.25, 100.0, 125.0
"""Room [mm] for the name of an output beside its scale; how much wider than the tolerance the scale is at least; widths [mm] below which
only numbers fit, and no long names of cases."""


def several(design: Design) -> bool:
    """Whether a design has outputs that share a pulse, a filter core or a tank."""
    return "secondary1.i_peak" in design.rows or bool(design.context["shared"])


def sharing_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The current of each output over the pulse at a corner, and under it the voltages of the others over all corners in run."""
    picture = Picture(width, height,
                      f"{shown_at(corner)} · "
                      + ("in the filter windings" if "filter1.v_lift" in design.rows else "in its rectifiers" if design.context["shared"]
                         else "the nodes' ring left out"))
    loose = list(range(1, len(design.delivered.outputs)))
    below = 12.0 + 9.0 * len(loose)
    _currents(picture, design, corner, width, height - below, held)
    _voltages(picture, design, corner, height - below + 2, loose)
    return picture


def _currents(picture: Picture, design: Design, corner: Corner, width: float, height: float, held: Design | None) -> None:
    t, i = TOPOLOGIES[design.topology].share_traces(design, corner)
    before, pale = (TOPOLOGIES[held.topology].share_traces(held, same_corner(held, corner)) if held is not None and several(held)
                    else (t[:1], i[:0]))
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 6, (0.0, max(float(t[-1]), float(before[-1]))),
                  (0.0, max(float(i.max()), float(pale.max(initial=0.0)))),
                  "current of each output"
                  + ("" if design.context["shared"] else ", seen from the primary" if width > NARROW else " at the primary"), "A")
    for values in pale:
        frame.pale(before, values)
    named = [(out.name, values, role) for out, values, role in zip(design.delivered.outputs, i, ROLES, strict=False)]
    for name, values, role in named:
        frame.trace(name, t, values, role, 0.6)
    frame.close()
    for name, values, role in named:
        top = int(values.argmax())
        picture.label(frame.x(float(t[top])) + 1.5, max(frame.y(float(values[top])) - 1.0, frame.top + 3.5), name, role)


def _voltages(picture: Picture, design: Design, corner: Corner, top: float, loose: list[int]) -> None:
    """For each output that no loop holds a scale around its voltage: tolerance, or what its regulator stands; range over all corners in run
    with the cases at its ends, and where it stands here."""
    shape = design.grid.shape
    run = np.broadcast_to(RUN.mask(design.grid), shape)
    left, right = LEFT + NAME, picture.width - RIGHT - 2
    picture.text(LEFT, top + 3.0,
                 "where no loop holds: range over all corners, tolerance, here" if picture.width > NARROW else "range, tolerance, here",
                 "ink", "left", 3.4, True)
    for row, k in enumerate(loose):
        out, least = design.delivered.outputs[k], np.broadcast_to(np.asarray(design.rows[f"output{k + 1}.v"].value, float), shape)
        idle = f"output{k + 1}.v_idle"
        volts = np.broadcast_to(np.asarray(design.rows[idle].value, float), shape) if idle in design.rows else least
        off, under = volts / out.magnitude - 1, least / out.magnitude - 1
        lower, upper = _limits(design, k + 1, out)
        span = max(ROOM * (1 - lower / out.magnitude), ROOM * out.tolerance, 1.1 * abs(float(off[corner.index])),
                   *(1.1 * float(np.abs(x[run]).max()) for x in (off, under)))
        at = lambda x, span=span: left + (right - left) * (0.5 + 0.5 * x / span)  # noqa: E731
        y = top + 9.5 + 9.0 * row
        picture.text(LEFT, y + 1.2, out.name, "ink", "left", 3.2)
        start = at(lower / out.magnitude - 1)
        picture.box(start, y - 2.2, min(at(upper / out.magnitude - 1), right) - start, 4.4, "margin")
        for end, limit, pick, found in ((-1, lower, np.where(run, under, np.inf).argmin(), least),
                                        (1, upper, np.where(run, off, -np.inf).argmax(), volts)):
            _end(picture, design, found, limit, np.unravel_index(int(pick), shape), y, end)
        low, high = float(under[run].min()), float(off[run].max())
        picture.line([(at(low), y), (at(high), y)], "secondary", 0.9)
        picture.box(at(float(off[corner.index])) - 0.7, y - 1.6, 1.4, 3.2, "ink")
        picture.data[f"{out.name} [V]"] = volts[run]


def _limits(design: Design, n: int, out: Output) -> tuple[float, float]:
    """Between which voltages [V] output n has to stay: its tolerance, or what its regulator needs and bears."""
    if f"regulator{n}.v_drop" not in design.rows:
        return out.magnitude * (1 - out.tolerance), out.magnitude * (1 + out.tolerance)
    at = lambda id: float(np.max(design.rows[id].value))  # noqa: E731
    half = at(f"output{n}.ripple_pp") / 2
    return at(f"regulator{n}.v_out") + at(f"regulator{n}.v_drop_least") + half, at(f"regulator{n}.v_in_limit") - half


def _end(picture: Picture, design: Design, volts: Array, limit: float, index: tuple[np.intp, ...], y: float, end: int) -> None:
    """What stands at an end of the range: voltage, and at which case."""
    value = float(volts[index])
    outside = value > limit if end > 0 else value < limit
    told = told_apart(value, limit, "V")[0] if outside else show(value, "V")
    case = design.grid.corner(tuple(int(i) for i in index))
    x = LEFT + NAME if end < 0 else picture.width - RIGHT - 2
    label = case.label if picture.width > WIDE else case.label.removesuffix(" at full load")
    where = f" · {label or f'{case.load * 100:.0f} % load'}, {case.v_line:g} V" if picture.width > NARROW else ""
    picture.text(x, y + 4.9, told + where, "over" if outside else "muted", "left" if end < 0 else "right", 2.8)
