"""The transformer split in several: loss of copper and cores over the number of pieces, and what each of them would be."""

from typing import TYPE_CHECKING

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture, Spot
from rhevectra.drawing.lines import under

if TYPE_CHECKING:
    from rhevectra.core.magnetics.matrix import Pieces

DECISION = "transformer.pieces"
FOOT, ROW = 27.0, 5.0
_COLUMNS = (("pieces", 0.0), ("turns", 0.28), ("each, rms", 0.46), ("tall", 0.63), ("volume", 0.77), ("rise", 0.93))


def matrix_picture(design: Design, found: "tuple[Pieces, ...] | None", width: float, height: float) -> Picture:
    """Bars, a table and what they say."""
    takes = DECISION in design.decision_specs
    picture = Picture(width, height, "primaries in series, secondaries in parallel; the smallest core that passes for each number of "
                      f"pieces{'; a click takes one' if takes else ''}")
    if found is None:
        return _waiting(picture, design)
    from rhevectra.core.magnetics.matrix import said

    table = ROW * (len(found) + 1) + 2
    top = (1.45 if all(p.merged is None for p in found) else 1.7) * max(p.loss for p in found)
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - FOOT - table - 12, (0.4, len(found) + 0.6), (0.0, top),
                  "loss of all pieces together", "W", x_unit="n", x_ticks=[float(p.count) for p in found])
    best = min((p for p in found if not p.refused), key=lambda p: p.loss, default=None)
    for p in found:
        _bar(picture, frame, p, p is best)
        if takes:
            picture.decides = DECISION
            picture.spots.append(
                Spot(frame.x(p.count - 0.45), frame.top, frame.x(p.count + 0.45) - frame.x(p.count - 0.45), frame.height, str(p.count),
                     p.refused or f"takes {p.count} × {p.core}"))
    merged = (("line: outer legs shared, their flux cancels", "primary"),) if any(p.merged is not None for p in found) else ()
    for k, (name, role) in enumerate((("above: cores", "primary"), ("below: copper", "secondary"), *merged)):
        picture.text(frame.left + frame.width - 2, frame.top + 4 + 4 * k, name, role, "right", 2.9, clear=True)
    frame.close()
    now = design.context["plan"].need.pieces
    picture.text(frame.x(now), frame.top + 3.6, "now", "accent", "middle", 2.9, True)
    _table(picture, found, best, height - FOOT - table + 3, width)
    for k, line in enumerate(under(said(found), width, 1.42)[:6]):
        picture.text(3, height - FOOT + 6 + 4.0 * k, line, "ink", "left", 2.9)
    return picture


def _waiting(picture: Picture, design: Design) -> Picture:
    """What the transformer loses as it is, until other numbers of pieces are sized."""
    now = design.context["plan"].need.pieces
    copper, core = (float(np.max(design.value(f"transformer.loss_{k}"))) for k in ("copper", "core"))
    frame = Frame(picture, LEFT, 1, picture.width - LEFT - RIGHT, 0.5 * picture.height, (0.4, 6.6), (0.0, 1.45 * (copper + core)),
                  "loss as it is", "W", x_unit="n", x_ticks=[float(k) for k in range(1, 7)])
    left, right = frame.x(now - 0.28), frame.x(now + 0.28)
    picture.box(left, frame.y(copper), right - left, frame.y(0.0) - frame.y(copper), "secondary")
    picture.box(left, frame.y(copper + core), right - left, frame.y(copper) - frame.y(copper + core), "primary")
    frame.close()
    picture.text(picture.width / 2, 0.75 * picture.height, "one to six transformers are sized …", "muted", "middle", 3.6)
    return picture


def _bar(picture: Picture, frame: Frame, p: "Pieces", best: bool) -> None:
    """Copper under cores; the line is where merged cores would end."""
    left, right = frame.x(p.count - 0.28), frame.x(p.count + 0.28)
    foot, middle, top = frame.y(0.0), frame.y(p.copper), frame.y(p.loss)
    picture.box(left, middle, right - left, foot - middle, "pale" if p.refused else "secondary")
    picture.box(left, top, right - left, middle - top, "pale" if p.refused else "primary")
    if p.merged is not None and not p.refused:
        y = frame.y(p.copper + p.merged)
        picture.line([(left - 1.5, y), (right + 1.5, y)], "primary", 0.5)
    picture.text((left + right) / 2, top - 1.2, "refused" if p.refused else show(p.loss, "W"),
                 "over" if p.refused else "accent" if best else "ink", "middle", 3.0, best)


def _table(picture: Picture, found: "tuple[Pieces, ...]", best: "Pieces | None", y: float, width: float) -> None:
    """What each piece is."""
    wide = width - 8
    for name, share in _COLUMNS:
        picture.text(4 + share * wide, y, name, "muted", "left", 2.9)
    for k, p in enumerate(found, 1):
        role = "over" if p.refused else "ink"
        cells = (f"{p.count} × {p.core}", " : ".join(str(t) for t in p.turns[:2]), show(p.i_secondary, "A"), show(p.tall, "m", 3),
                 show(p.volume, "m³", 3), show(p.rise, "K", 2))
        for (_, share), text in zip(_COLUMNS, cells, strict=True):
            picture.text(4 + share * wide, y + ROW * k, text, role, "left", 2.9, p is best)
