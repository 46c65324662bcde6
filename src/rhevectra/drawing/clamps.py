"""What every kind of clamp burns over load: the design's own law at large, all laws near no load, exact values as marks."""

from typing import TYPE_CHECKING

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import spoken
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture
from rhevectra.drawing.lines import write_under

if TYPE_CHECKING:
    from rhevectra.core.design.clamps import ClampsOverLoad, Curve

_ROLES, _BARE = ("primary", "aux", "secondary", "accent", "ink"), "over"
"""Of the clamps in the order of their registry, and of none."""
_LAWS = {"skip": "pulses left out", "foldback": "frequency falls", "fixed": "fixed frequency"}
FOOT = 45.0
LOW_SHARE = 0.2
"""A clamp whose power stays below this share of the frame is named further left, where its curve and others keep apart."""


def over_load_picture(design: Design, found: "ClampsOverLoad | None", width: float, height: float) -> Picture:
    """Two frames and what they say."""
    picture = Picture(width, height, "power of clamp and clamp diode over load; the ring that every clamp leaves is not counted")
    if found is None:
        return _waiting(design, width, height)
    room = height - FOOT
    top = 1.08 * max(float(c.power.max()) for c in found.curves)
    own = found.of(found.law)
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, 0.58 * room - 8, (0.0, 100.0), (0.0, top), f"clamp power, {_LAWS[found.law]}",
                  "W", x_unit="% load")
    lows = 0
    for k, c in enumerate(own):
        role = _ROLES[k] if c.clamps else _BARE
        _curve(frame, found, c, role, 0.65)
        low = c.clamps and float(c.power.max()) < LOW_SHARE * top
        load = 12.0 + 22.0 * lows if low else 70.0
        lows += low
        above, at = k < 2 or low, frame.y(float(np.interp(0.01 * load, found.load, c.power)))
        picture.text(frame.x(load), at - 1.6 if above or at + 4.6 > frame.top + frame.height else at + 4.6, c.said, role,
                     "right" if above and not low else "left", 3.1, clear=True)
    _crossings(picture, frame, found, [c for c in own if c.clamps])
    frame.close()
    from rhevectra.core.design.clamps import LOW

    y = 3 + 0.58 * room
    each = (width - LEFT - RIGHT) / 3
    for k, law in enumerate(_LAWS):
        curves = [c for c in found.of(law) if c.clamps]
        small = Frame(picture, LEFT + k * each + (0 if k == 0 else 6), y, each - (4 if k < 2 else 6) - (0 if k == 0 else 2),
                      0.42 * room - 10, (0.0, 100 * LOW),
                      (0.0, max(1.1 * float(max(np.interp(LOW, found.load, c.power) for c in curves)), 1e-3)), spoken(law), "W", x_unit="%")
        for role, c in zip(_ROLES, curves, strict=False):
            _curve(small, found, c, role, 0.5, f", {_LAWS[law]}")
        small.close()
    _effects(picture, own, 3 + room, width)
    _words(picture, found, 26 + room, width)
    return picture


def _effects(picture: Picture, own: "list[Curve]", y: float, width: float) -> None:
    """What each kind does to efficiency, drain peak and ring."""
    places = [0.03 * width, 0.36 * width, 0.54 * width, 0.72 * width]
    for x, head in zip(places, ("at full load", "efficiency", "drain peak", "ring it leaves"), strict=True):
        picture.text(x, y, head, "muted", "left", 2.8)
    for k, c in enumerate(own):
        if c.effect is not None:
            e, line = c.effect, y + 3.6 * (k + 1)
            ring = f"{show(e.ring, 'V', 2)} at {show(e.frequency, 'Hz', 2)}" if e.ring > 1 else "none"
            for x, text in zip(places, (c.said, f"{e.efficiency * 100:.1f} %", show(e.peak, "V", 3), ring), strict=True):
                picture.text(x, line, text, _ROLES[k] if c.clamps else _BARE, "left", 2.9)


def _waiting(design: Design, width: float, height: float) -> Picture:
    """What the design's own clamp burns at the loads of its corners at the greatest line, until the other kinds are there."""
    picture = Picture(width, height, "power of the clamp at the loads of the corners; the other kinds are being designed")
    load, power = np.array(
        [(x, float(design.rows["clamp.power"].at(index)))
         for x, index in design.grid.along_load(design.grid.find(max(design.grid.lines)))]).T
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, 0.58 * (height - FOOT) - 8, (0.0, 100.0),
                  (0.0, max(1.1 * float(power.max()), 1e-3)), "clamp power, as it is", "W", x_unit="% load")
    frame.trace("as it is", 100 * load, power, "primary", 0.65)
    frame.close()
    picture.text(width / 2, 0.75 * height, "every other kind of clamp is designed and solved …", "muted", "middle", 3.6)
    return picture


def _curve(frame: Frame, found: "ClampsOverLoad", c: "Curve", role: str, width: float, more: str = "") -> None:
    """A curve as far as the frame reaches, with its exact values as crosses."""
    inside = found.load <= 0.01 * frame.x1 + 1e-9
    loads, power_of = 100 * found.load[inside], c.power[inside]
    if more:  # small frames have no room for a read-out; their data is exported all the same
        frame.beside(loads, power_of, role, width)
        frame.picture.data |= {f"{c.said}{more} x [% load]": loads, f"{c.said}{more} [W]": power_of}
    else:
        frame.trace(c.said, loads, power_of, role, width, not c.clamps)
    for load, power in c.checks:
        if 100 * load <= frame.x1:
            x, y = frame.x(100 * load), frame.y(power)
            for dx, dy in ((1.0, 1.0), (1.0, -1.0)):
                frame.picture.line([(x - dx, y - dy), (x + dx, y + dy)], "ink", 0.4)


def _crossings(picture: Picture, frame: Frame, found: "ClampsOverLoad", real: "list[Curve]") -> None:
    """Where one kind begins to burn less than another."""
    from rhevectra.core.design.clamps import crossings

    order, turns = crossings(found.load, real)
    for load, best in zip(turns, order[1:], strict=True):
        x = frame.x(100 * load)
        picture.line([(x, frame.top), (x, frame.top + frame.height)], "ink", 0.3, True)
        picture.text(x + 1, frame.top + 8.5, f"from {100 * load:.0f} % on: {real[best].said}", "ink", "left", 3.0)


def _words(picture: Picture, found: "ClampsOverLoad", y: float, width: float) -> None:
    """Who wins, under which law; laws that say the same share a line."""
    told: dict[str, list[str]] = {}
    for law, sentence in found.sentences.items():
        told.setdefault(sentence, []).append(_LAWS[law])
    line = y + 4
    for sentence, laws in told.items():
        line = write_under(picture, f"{', '.join(laws)}: {sentence}", line, letter=1.32)
    picture.text(3, line + 0.5, "crosses: exact periods; one transformer, each clamp by its own rules; rings of a quality of some 20",
                 "muted", "left", min(2.7, (width - 6) / 45))
