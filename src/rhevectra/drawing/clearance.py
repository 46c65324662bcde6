"""Where the values of a circuit stand, so that neither its lines nor other texts cross them."""

from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.drawing.display import Fill, Line, Picture, Text, extent

ASIDE, STEPS_ASIDE, LINE, LINES = 1.5, 8, 0.5, 14
"""How far a text is moved for a free place: steps [mm] to either side, lines of text up and down."""
TOUCH, APART = 0.1, 0.6
"""Depth [mm] a line may reach into the box of a text, whose width is reckoned; distance that is kept in a place that had to be looked
for."""
SHORTEST = 6
"""Letters a text is given room for at least: a value keeps its place while its digits change."""
OVER = 2.0
"""A way to the side counts so many times one up or down: it may lead over the wire of another part."""
_ASIDE, _LINES = (x.ravel() for x in np.meshgrid(ASIDE * np.arange(-STEPS_ASIDE, STEPS_ASIDE + 1), LINE * np.arange(-LINES, LINES + 1)))


def _pieces(picture: Picture) -> Array:
    """What lines and the edges of fills take of the page, piece by piece (n, 4): left, top, right, bottom [mm]."""
    drawn = (item for item in picture.items if isinstance(item, Line | Fill))
    ends = np.array([(*a, *b) for item in drawn for a, b in pairwise(item.points)]).reshape(-1, 2, 2)
    return np.concatenate([ends.min(1), ends.max(1)], 1)


def _meet(boxes: Array, others: Array) -> Array:
    """Whether each box (m, 4) meets any of the others (n, 4)."""
    (left, top, right, bottom), other = boxes.T[..., None], others.T
    return np.asarray(((left < other[2]) & (other[0] < right) & (top < other[3]) & (other[1] < bottom)).any(1))


def _box(text: Text, less: float = TOUCH) -> Array:
    """Where the text lies, less so much on every side: left, top, right, bottom [mm]."""
    return np.array(extent(replace(text, text=text.text.ljust(SHORTEST)))) + np.array([less, less, -less, -less])


def put(picture: Picture, wanted: list[Text], reach: float = np.inf) -> None:
    """Add texts to a picture whose lines are drawn: where they were wanted if nothing is in the way, else in the nearest free place within
    reach [mm], else where they were wanted on a patch of the card."""
    taken, late = np.concatenate([_pieces(picture), *(_box(i)[None] for i in picture.items if isinstance(i, Text))]), []
    for text in wanted:
        box = _box(text)[None]
        if _meet(box, taken)[0]:
            late.append(text)
        else:
            taken = np.concatenate([taken, box])
            picture.items.append(text)
    for text in late:
        here = _elsewhere(picture, text, taken, reach)
        taken = np.concatenate([taken, _box(here)[None]])
        picture.items.append(here)


def _elsewhere(picture: Picture, text: Text, taken: Array, reach: float) -> Text:
    """The text in the free place nearest to where it was wanted, with less room about it if there is none."""
    dx, dy = _ASIDE, _LINES * text.size
    away = np.hypot(OVER * dx, dy)
    for less in (-APART, TOUCH):
        boxes = _box(text, less) + np.stack([dx, dy, dx, dy], -1)
        inside = (away <= reach) & (boxes[:, :2] > 0).all(1) & (boxes[:, 2] < picture.width) & (boxes[:, 3] < picture.height)
        near = taken[(taken[:, :2] < boxes[:, 2:].max(0)).all(1) & (taken[:, 2:] > boxes[:, :2].min(0)).all(1)]
        free = inside & ~_meet(boxes, near)
        if free.any():
            best = int(np.where(free, away, np.inf).argmin())
            return replace(text, x=text.x + float(dx[best]), y=text.y + float(dy[best]))
    return replace(text, clear=True)
