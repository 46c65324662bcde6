"""What the switching frequency costs: losses and core volume of the same supply designed for each of several."""

from typing import TYPE_CHECKING

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture, Spot
from rhevectra.drawing.lines import write_under

if TYPE_CHECKING:
    from rhevectra.core.design.frequency_choice import FrequencyChoice

GAP, FOOT = 5.0, 23.0
"""Room [mm] between both frames, and for the sentences below."""
ROLES = {"switches": "secondary", "wound parts": "primary", "clamp, rings, bleed": "aux"}
CONDUCTED = 150e3
"""Where the limits of conducted noise begin [Hz]."""


def frequency_choice_picture(design: Design, found: "FrequencyChoice | None", width: float, height: float) -> Picture:
    """Above: losses by what causes them and as a whole; below: volume of all cores; the present frequency marked, a click takes another."""
    picture = Picture(width, height, "the same supply designed for each frequency, cores, turns and parts anew; a click takes one")
    if found is None:
        return _waiting(picture, design)
    span = (0.0, 1.06 * float(found.frequency[-1]))
    inner, high = width - LEFT - RIGHT, height - FOOT - 2 * GAP - 6
    least, most = float(found.total.min()), float(found.total.max())
    above = Frame(picture, LEFT, 1, inner, 0.3 * high, span, (max(least - 0.5 * (most - least), 0.0), most + 0.3 * (most - least)),
                  "all losses, full load at the worst corner", "W", x_unit="Hz", x_labels=False)
    parts = Frame(picture, LEFT, above.top + above.height + GAP, inner, 0.4 * high, span, (0.0, 1.8 * float(found.losses.max())),
                  "of these, what the frequency moves", "W", x_unit="Hz", x_labels=False)
    below = Frame(picture, LEFT, parts.top + parts.height + GAP, inner, 0.3 * high, span, (0.0, 1.3 * 1e6 * float(found.volume.max())),
                  "all cores", "cm³", x_unit="Hz")
    _traces(picture, (above, parts, below), found)
    picture.decides = "fs"
    middle = [0.0, *(0.5 * (a + b) for a, b in zip(found.frequency[:-1], found.frequency[1:], strict=True)), span[1]]
    for k, f in enumerate(found.frequency):
        left, right = above.x(float(middle[k])), above.x(float(middle[k + 1]))
        picture.spots.append(
            Spot(left, above.top, right - left, below.top + below.height - above.top, f"{round(float(f))}",
                 found.why[k] or f"takes {show(float(f), 'Hz')}: {show(float(found.total[k]), 'W')} lost, transformer {found.core[k]}"))
    y = write_under(picture, found.sentence, height - FOOT + 5, 3)
    picture.text(3, y, "dashed: 150 kHz, where limits of conducted noise begin, and half of it", "muted", "left", 2.7)
    y += 3.9
    refused = next((f"red: not feasible ({w})" for w in found.why if w), "")
    write_under(picture, refused, y, 1, "over", 2.7)
    return picture


def _waiting(picture: Picture, design: Design) -> Picture:
    """What the frequency moves, as it is now, until the other frequencies are designed."""
    from rhevectra.core.design.frequency_choice import GROUPS, losses

    now, wide = losses(design), picture.width - 2 * LEFT
    for k, (name, value) in enumerate(zip(GROUPS, now, strict=True)):
        y = picture.height / 5 + 14.0 * k
        picture.text(LEFT, y, f"{name}: {show(value, 'W')} at {show(float(design.rows['fs'].value), 'Hz')}", ROLES[name], "left", 3.2)
        picture.box(LEFT, y + 2, wide * value / max(*now, 1e-9), 3.5, ROLES[name])
    picture.text(picture.width / 2, 0.75 * picture.height, "the same supply is designed for other frequencies …", "muted", "middle", 3.6)
    return picture


def _traces(picture: Picture, frames: tuple[Frame, Frame, Frame], found: "FrequencyChoice") -> None:
    """Curves of the frames with their marks: now, and where noise limits begin for the first and the second harmonic."""
    from rhevectra.core.design.frequency_choice import GROUPS

    above, parts, below = frames
    for k, (name, values) in enumerate(zip(GROUPS, found.losses, strict=True)):
        if values.any():
            parts.trace(name, found.frequency, values, ROLES[name], 0.5)
            picture.text(parts.left + parts.width - 2, parts.top + 4.0 + 4.0 * k, f"{name}, now {show(float(values[found.here]), 'W')}",
                         ROLES[name], "right", 3.0, clear=True)
    for frame, name, values in ((above, "all losses", found.total), (below, "all cores", 1e6 * found.volume)):
        frame.trace(name, found.frequency, values, "ink", 0.6)
        frame.marks(found.frequency, values, found.feasible, "ink")
    for frame in frames:
        for value, role in ((found.present, "accent"), (CONDUCTED, "muted"), (CONDUCTED / 2, "muted")):
            if value < frame.x1:
                picture.line([(frame.x(value), frame.top), (frame.x(value), frame.top + frame.height)], role, 0.35, True)
        frame.close()
    picture.text(below.x(found.present) + 1, below.top + below.height - 1.5, "now", "accent", "left", 3.0, clear=True)
