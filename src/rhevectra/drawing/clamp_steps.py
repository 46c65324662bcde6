"""Steps of load and bus: the clamp's capacitor and the drain's peak, pulse by pulse, for three capacitances."""

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.stages.rcd_steps import Steps, steps
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture

ROLES = ("secondary", "primary", "accent")
FOOT = 14.0


def steps_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Two frames and what they say."""
    s = steps(design)
    picture = Picture(width, height, "how the clamp lags: crest of its capacitor after a step of the load, drain peak after a jump of the "
                      "bus, pulse by pulse")
    room = (height - FOOT) / 2
    _frame(picture, s, 3.0, room - 8, s.t_load, s.crest, "clamp crest; the load falls to a tenth and comes back", width)
    _frame(picture, s, 3.0 + room, room - 8, s.t_line, s.peak, "drain peak; the bus jumps from lowest to highest", width, s.limit)
    for k, sentence in enumerate(s.sentences):
        picture.text(3, 2 * room + 5.5 + 4.4 * k, sentence, "ink", "left", min(3.0, (width - 6) / 43))
    return picture


def _frame(picture: Picture, s: Steps, top: float, height: float, t: Array, y: Array, title: str, width: float,
           limit: float | None = None) -> None:
    unit, scale = ("ms", 1e3) if t[-1] > 1e-3 else ("µs", 1e6)
    low, high = float(y.min()), max(float(y.max()), limit or 0.0)
    frame = Frame(picture, LEFT, top, width - LEFT - RIGHT, height, (0.0, float(t[-1]) * scale),
                  (low - 0.1 * (high - low), high + 0.2 * (high - low)), title, "V", x_unit=unit)
    if limit is not None:
        picture.line([(frame.left, frame.y(limit)), (frame.left + frame.width, frame.y(limit))], "over", 0.35, True)
        picture.text(frame.left + 2, frame.y(limit) - 1.0, f"limit {show(limit, 'V', 3)}", "over", "left", 2.9)
    for k, (c, role) in enumerate(zip(s.capacitors, ROLES, strict=True)):
        frame.trace(show(c, "F"), t * scale, y[k], role, 0.6)
        picture.text(frame.left + frame.width - 3 - 15 * (len(ROLES) - 1 - k), frame.top + (0.75 if limit is None else 0.32) * height,
                     show(c, "F"), role, "right", 3.1)
    frame.close()
