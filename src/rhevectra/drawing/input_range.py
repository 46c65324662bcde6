"""What the range of the input costs: turns ratio, currents, stresses, energy and loss of the same supply over the ratio of its greatest to
its least bus."""

from typing import TYPE_CHECKING

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import RIGHT
from rhevectra.drawing.display import Picture
from rhevectra.drawing.lines import write_under

if TYPE_CHECKING:
    from rhevectra.core.design.input_range import InputRange

LEFT, FOOT, COLUMNS, ROWS = 11.0, 17.0, 2, 3


def range_picture(design: Design, found: "InputRange | None", width: float, height: float) -> Picture:
    """Six frames over one axis, the present range marked, and what narrowing would buy."""
    picture = Picture(width, height, "the same supply behind a dc bus: its top stays, its least value moves")
    if found is None:
        _waiting(picture, design)
        return picture
    from rhevectra.core.design.input_range import MEASURES

    each, high = width / COLUMNS, (height - FOOT) / ROWS
    for k, ((name, unit, _), values) in enumerate(zip(MEASURES, found.values, strict=True)):
        frame = Frame(picture, LEFT + (k % COLUMNS) * each, 1 + (k // COLUMNS) * high, each - LEFT - RIGHT, high - 9,
                      (1.0, float(found.ratio[-1])), (0.0, 1.35 * float(values.max())), name, unit, x_unit="max : min")
        frame.trace(name, found.ratio, values, "primary", 0.5)
        frame.marks(found.ratio, values, found.feasible, "primary")
        x = frame.x(found.present)
        picture.line([(x, frame.top), (x, frame.top + frame.height)], "accent", 0.4, True)
        here = float(np.interp(found.present, found.ratio, values))
        right = found.present < 0.6 * found.ratio[-1]
        picture.text(x + (1.2 if right else -1.2), frame.top + frame.height - 1.5, f"now {show(here, unit, 3)}", "accent",
                     "left" if right else "right", 3.0)
        frame.close()
    y = write_under(picture, found.sentence, height - FOOT + 4, size=2.8)
    refused = next((f"red: not feasible ({w})" for w in found.why if w), "")
    write_under(picture, refused, y, 1, "over", 2.7)
    return picture


def _waiting(picture: Picture, design: Design) -> None:
    """The range there is now, until the others are designed."""
    bus = np.asarray(design.rows["bus.v"].value, dtype=float)
    top, low = float(bus.max()), float(bus.min())
    left, wide, y = 12.0, picture.width - 24.0, picture.height / 3
    picture.box(left, y, wide, 5.0, "card", "rule")
    picture.box(left + wide * low / top, y, wide * (1 - low / top), 5.0, "heat1", "rule")
    picture.text(left + wide, y - 2, show(top, "V", 3), "ink", "right", 3.2)
    if low < 0.999 * top:
        picture.label(left + min(wide * low / top, wide - 18), y - 2, show(low, "V", 3), "ink", "right", 3.2)
    picture.text(left, y + 10, f"the bus now: {top / low:.2f} : 1", "muted", "left", 3.4)
    picture.text(picture.width / 2, 0.7 * picture.height, "the same supply behind other ranges is designed …", "muted", "middle", 3.6)
