"""What a slow diode in the clamp changes: heat and drain peak over its series resistor, and the current of the clamp with what goes
back."""

from typing import TYPE_CHECKING

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture
from rhevectra.drawing.lines import under

if TYPE_CHECKING:
    from rhevectra.core.design.slow_diode import SlowDiode

_ROLES = ("secondary", "primary")
FOOT, GAP = 22.0, 13.0


def slow_diode_picture(design: Design, found: "SlowDiode | None", width: float, height: float) -> Picture:
    """Clamp current above; heat and peak below; what they say."""
    picture = Picture(width, height, "exact periods with the charge a diode stores; the figures stay those of a fast diode")
    if found is None:
        load, power = np.array(
            [(x, float(design.rows["clamp.power"].at(index)))
             for x, index in design.grid.along_load(design.grid.find(min(design.grid.lines)))]).T
        frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, 0.5 * height, (0.0, 100.0), (0.0, max(1.1 * float(power.max()), 1e-3)),
                      "clamp power with its fast diode", "W", x_unit="% load")
        frame.trace("as it is", 100 * load, power, "muted", 0.65)
        frame.close()
        picture.text(width / 2, 0.75 * height, "slow diodes are put into the exact period …", "muted", "middle", 3.6)
        return picture
    room = height - FOOT
    _currents(picture, found, width, 0.42 * room - 10)
    each = (width - LEFT - RIGHT - GAP) / 2
    y, high = 3 + 0.42 * room, 0.58 * room - 12
    series = sorted({x.r for x in found.tried})
    values = [x.in_clamp + x.in_diode for x in found.tried] + [found.fast.in_clamp + found.fast.in_diode]
    peaks = [x.peak for x in found.tried] + [found.fast.peak, found.limit]
    heat = Frame(picture, LEFT, y, each, high, (0.0, 1.05 * series[-1]), (0.0, 1.25 * max(values)), "heat at full load", "W",
                 x_unit="Ω in series")
    peak = Frame(picture, LEFT + each + GAP, y, each, high, (0.0, 1.05 * series[-1]), (0.9 * min(peaks), 1.05 * max(peaks)),
                 "drain peak where it is judged", "V", x_unit="Ω in series")
    for role, recovery in zip(_ROLES, sorted({x.recovery for x in found.tried}), strict=False):
        of = [x for x in found.tried if x.recovery == recovery]
        r = np.array([x.r for x in of])
        for frame, there in ((heat, [x.in_clamp + x.in_diode for x in of]), (peak, [x.peak for x in of])):
            frame.trace(f"{show(recovery, 's', 2)} diode", r, np.array(there), role, 0.55)
            for a, b in zip(r, there, strict=True):
                picture.box(frame.x(float(a)) - 0.7, frame.y(b) - 0.7, 1.4, 1.4, role)
            picture.text(frame.x(float(r[-1])) - 1, frame.y(there[-1]) - 1.6, show(recovery, "s", 2), role, "right", 3.0, clear=True)
    heat.level(found.fast.in_clamp + found.fast.in_diode, "fast diode", "muted")
    peak.level(found.limit, f"limit {show(found.limit, 'V')}", "over")
    peak.level(found.fast.peak, "fast diode", "muted")
    heat.close()
    peak.close()
    for k, line in enumerate(under(found.sentence, width, 1.45)[:4]):
        picture.text(3, height - FOOT + 5 + 4.2 * k, line, "ink", "left", 2.9)
    return picture


def _currents(picture: Picture, found: "SlowDiode", width: float, high: float) -> None:
    """Fast and best over one pulse."""
    (t, fast), (u, best) = found.pulses
    end = 1.1 * max(float(x[np.abs(i) > 0.01 * i.max()].max()) for x, i in found.pulses)
    low, top = min(float(best.min()), float(fast.min()), 0.0), max(float(best.max()), float(fast.max()))
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, high, (0.0, end), (1.1 * low, 1.3 * top), "clamp diode current", "A")
    for name, x, i, role in (("fast diode", t, fast, "muted"),
                             (f"{show(found.best.recovery, 's', 2)} diode with {show(found.best.r, 'Ω', 2)}", u, best, "primary")):
        seen = (x >= 0) & (x <= end)
        frame.trace(name, x[seen], i[seen], role, 0.6)
    picture.text(frame.left + frame.width - 2, frame.top + 4, "fast diode", "muted", "right", 3.1, clear=True)
    picture.text(frame.left + frame.width - 2, frame.top + 8.4,
                 f"{show(found.best.recovery, 's', 2)} diode, {show(found.best.r, 'Ω', 2)}: below zero it goes back", "primary", "right",
                 3.1, clear=True)
    frame.close()
