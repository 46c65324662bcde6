"""Designs of an exploration as points: one measure against another, those nothing beats joined, the present one marked."""

from collections.abc import Sequence

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.design.contest import Entry
from rhevectra.core.explore.explore import open_to_choice, unbeaten
from rhevectra.core.explore.measures import MEASURES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture

FOOT = 12.0
"""Room below the frame for ticks and the sentence [mm]."""
SEEN = 0.97
"""Share of the designs that may be chosen that the axes reach to: a few far out would press all others together."""
DOT, BEST, NOW = 0.55, 0.9, 2.0
"""Radius of a design, of one that nothing beats, and of the ring about the present one [mm]."""


def values_of(entries: Sequence[Entry], measure: str) -> Array:
    """A measure of every design as it is shown."""
    return np.array([float(getattr(e, measure)) for e in entries]) * MEASURES[measure].scale


def explore_picture(entries: Sequence[Entry], front: Sequence[int], across: str, up: str, chosen: int | None, inside: set[int] | None,
                    width: float, height: float) -> Picture:
    """The first of the designs is the present one. front: numbers of those that none beats; across, up: measures; chosen: number of one
    that is pointed out; inside: those of the brush, if there is one; the others are pale."""
    picture = Picture(width, height, f"{MEASURES[up].title.lower()} against {MEASURES[across].title.lower()} of {len(entries)} designs")
    values = {m: values_of(entries, m) for m in MEASURES}
    may, says = open_to_choice(entries)
    x, y, able = values[across], values[up], np.array(may, dtype=bool)
    if len(entries) < 2:
        picture.text(width / 2, height / 2, "Start makes as many designs as you ask for around the present one", "muted", "middle", 3.8)
        return picture
    frame = Frame(picture, LEFT, 1.5, width - LEFT - RIGHT, height - FOOT, _range(x, able), _range(y, able), MEASURES[up].title,
                  MEASURES[up].unit, _named(across))
    best = set(front)
    seen = np.flatnonzero((x >= frame.x0) & (x <= frame.x1) & (y >= frame.y0) & (y <= frame.y1)).tolist()
    places = [(frame.x(a), frame.y(b)) for a, b in zip(x.tolist(), y.tolist(), strict=True)]
    pale = {k for k in seen if not able[k] or (inside is not None and k not in inside)}
    picture.dots([places[k] for k in seen if k in pale], DOT, "pale")
    picture.dots([places[k] for k in seen if k not in pale and k not in best], DOT, "primary")
    pair = sorted(unbeaten(entries, (across, up)) if MEASURES[across].less and MEASURES[up].less else [], key=lambda k: float(x[k]))
    if len(pair) > 1:
        frame.beside(x[pair], y[pair], "accent", 0.3)
    for role, some in (("pale", best & pale), ("accent", best.intersection(seen) - pale)):
        picture.dots([places[k] for k in sorted(some)], BEST, role)
    _mark(picture, frame, float(x[0]), float(y[0]), "now", "ink")
    if chosen is not None and chosen:
        _mark(picture, frame, float(x[chosen]), float(y[chosen]), "chosen", "secondary")
    for m, column in values.items():
        picture.data[f"{MEASURES[m].title} [{MEASURES[m].unit or '1'}]"] = column
    picture.data[f"{says} [1]"] = able.astype(float)
    frame.close()
    picture.text(LEFT, height - 1.5, f"{int(able.sum())} of {len(entries)} {says}; large: {len(front)} that none beats in loss, cores and "
                 "cost together; pale: all others, and what is outside the brush", "muted", "left", 2.9)
    return picture


def _named(measure: str) -> str:
    m = MEASURES[measure]
    return f"{m.title} [{m.unit}]" if m.unit else m.title


def _range(values: Array, able: Array) -> tuple[float, float]:
    """What an axis shows: the designs that may be chosen, all but a few far out, and the present one."""
    field = values[able] if able.any() else values
    low, high = float(np.min(field)), float(np.quantile(field, SEEN))
    low, high = min(low, float(values[0])), max(high, float(values[0]))
    room = 0.06 * max(high - low, 0.02 * abs(high), 1e-9)
    return low - room, high + room


def _within(frame: Frame, x: float, y: float) -> bool:
    return bool(frame.x0 <= x <= frame.x1 and frame.y0 <= y <= frame.y1)


def _mark(picture: Picture, frame: Frame, x: float, y: float, name: str, role: str) -> None:
    """A ring about a design, with its name."""
    if not _within(frame, x, y):
        return
    ring = np.linspace(0.0, 2 * np.pi, 25)
    at = frame.x(x), frame.y(y)
    picture.line(list(zip((at[0] + NOW * np.cos(ring)).tolist(), (at[1] + NOW * np.sin(ring)).tolist(), strict=True)), role, 0.5)
    picture.text(at[0] + NOW + 0.8, at[1] - 1.2, name, role, "left", 3.0, clear=True)
