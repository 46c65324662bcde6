"""Heat of every semiconductor: from the ambient by heat sink and pad to the junction, against what it may reach."""

from collections.abc import Callable

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.stages.sinks import SIDES, Placed, called, key, room_said
from rhevectra.drawing.common import same_corner, shown_at
from rhevectra.drawing.display import Picture

NAMES, WORDS, ROW, BAR = 36.0, 30.0, 8.5, 4.4
"""Room for names at the left and words at the right, pitch and height of a bar [mm]."""


def heat_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """A bar for every part, in kelvins of sink, pad and package above the highest ambient; parts of one sink together."""
    picture = Picture(width, height, f"{shown_at(corner)}; losses hot, in the highest ambient")
    placed = design.context["placed"]
    groups = [(side, [p for p in placed if p.side == side]) for side in (*SIDES, "")]
    lines = sum(len(of) + 1 for _, of in groups if of)
    pitch = min(ROW, (height - 18) / max(lines, 1))
    ambient = float(design.rows["ambient.max"].value)
    top = max([_at(design, f"{p.hot.part}.t_junction", corner) for p in placed]
              + [_at(design, f"sink.tj_{key(p.hot.part)}", corner) for p in placed])
    scale = (width - NAMES - WORDS) / (1.04 * top - ambient)
    x = lambda t: NAMES + (t - ambient) * scale  # noqa: E731
    y = 7.0
    for side, of in groups:
        if not of:
            continue
        picture.text(3, y, _heading(design, side, corner, held), "ink", "left", 3.3, True)
        y += 0.62 * pitch
        for p in of:
            _bar(picture, design, p, corner, (x, y, min(BAR, 0.55 * pitch)), held)
            y += pitch
        y += 0.38 * pitch
    _scale(picture, x, ambient, top, min(y, height - 10))
    picture.data["junction [°C]"] = np.array([_at(design, f"sink.tj_{key(p.hot.part)}", corner) for p in placed])
    return picture


def _at(design: Design, id: str, corner: Corner) -> float:
    return float(design.rows[id].at(corner.index))


def _heading(design: Design, side: str, corner: Corner, held: Design | None) -> str:
    """What a group stands on."""
    if not side:
        return "without a heat sink"
    was = f" (held {show(held.value(f'sink.{side}'), 'K/W')})" if held is not None and f"sink.{side}" in held.rows else ""
    return (f"heat sink of the {SIDES[side]}: {show(design.value(f'sink.{side}'), 'K/W')}{was}{room_said(design, side)}, "
            f"{show(_at(design, f'sink.{side}_p', corner), 'W')}, {_at(design, f'sink.{side}_t', corner):.0f} °C")


def _bar(picture: Picture, design: Design, p: Placed, corner: Corner, place: tuple[Callable[[float], float], float, float],
         held: Design | None) -> None:
    """One part: name, three pieces of its bar, its limit, words; place: where a temperature lies, top and height of the bar [mm]."""
    (x, y, high), h, rows = place, p.hot, design.rows
    ambient, tj = float(rows["ambient.max"].value), _at(design, f"sink.tj_{key(h.part)}", corner)
    limit, power = _at(design, f"{h.part}.t_junction", corner), float(h.power.at(corner.index))
    case = tj - power * h.r_jc
    foot = _at(design, f"sink.{p.side}_t", corner) if p.side else ambient
    base = y + 0.8 * high
    picture.text(NAMES - 2, base, called(design.delivered, h.part), "ink", "right", 3.2)
    if held is not None and f"sink.tj_{key(h.part)}" in held.rows:
        picture.box(x(ambient), y - 0.7, max((_at(held, f"sink.tj_{key(h.part)}", same_corner(held, corner)) - ambient), 0.0)
                    * (x(ambient + 1) - x(ambient)), high + 1.4, "pale")
    for low, up, role in ((ambient, foot, "core"), (foot, case, "aux"), (case, tj, "primary")):
        if up > low:
            picture.box(x(low), y, x(up) - x(low), high, role)
    picture.line([(x(limit), y - 1.2), (x(limit), y + high + 1.2)], "over", 0.6)
    words = f"{tj:.0f} of {limit:.0f} °C, {show(power, 'W')}"
    picture.text(max(x(limit), x(tj)) + 1.5, base, words, "over" if tj > limit else "muted", "left", 3.0)


def _scale(picture: Picture, x: Callable[[float], float], ambient: float, top: float, y: float) -> None:
    """Temperatures under the bars, and what their pieces are."""
    picture.line([(x(ambient), y), (x(top), y)], "rule", 0.3)
    step = 20 if x(20.0) - x(0.0) > 8 else 40
    ticks = np.arange(np.ceil(ambient / step) * step, top + 1, step)
    for t in ticks:
        picture.line([(x(float(t)), y), (x(float(t)), y - 1.2)], "rule", 0.3)
        picture.text(x(float(t)), y + 3.6, f"{t:.0f}" + (" °C" if t == ticks[-1] else ""), "muted", "middle", 3.0)
    at = 3.0
    for role, word in (("core", "heat sink"), ("aux", "pad, or air"), ("primary", "inside the part"), ("over", "limit")):
        picture.box(at, y + 6.6, 2.4 if role != "over" else 0.8, 2.2, role)
        picture.text(at + 3.6, y + 8.6, word, "muted", "left", 3.0)
        at += 8 + 1.7 * len(word)
