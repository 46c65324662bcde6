"""The circuit with its values, drawn from the symbols a topology places."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.clearance import put
from rhevectra.drawing.common import shown_at
from rhevectra.drawing.display import Picture, Text

if TYPE_CHECKING:
    from rhevectra.core.design.exact import Exact

PLANE = (100.0, 60.0)
WIRE, HEAVY, WIDEST, TALLEST = 0.35, 0.9, 1.7, 1.35
NARROW, SMALL = 95.0, 2.7
"""Width [mm] below which the drawing is stretched upwards and its texts are small, so that they keep clear of each other; their size."""
NEAR = 8.0
"""How far [mm] a current or a voltage of an instant may stand from its element or node."""
ROOM = 0.7
"""Least scale [mm] at which what stands below the power stage is drawn too."""


class _Pen:
    """Maps the plane to the page and draws along the line from a symbol's start to its end."""

    def __init__(self, picture: Picture, broad: float, tall: float) -> None:
        """broad, tall: width and height of the plane."""
        self.picture, self.weight = picture, WIRE
        narrow = picture.width < NARROW
        self.text = SMALL if narrow else 3.2
        scale = min((picture.width - 26) / broad, (picture.height - 10) / tall)
        self.wide = min((picture.width - (28 if narrow else 34)) / broad, WIDEST * scale)
        self.high = min((picture.height - 10) / tall, (2.0 if narrow else TALLEST) * scale)
        self.x0 = max((picture.width - broad * self.wide) / 2 - 8, 6.0)
        self.y0 = max((picture.height - tall * self.high) / 2 - 2, 4.0)

    def place(self, p: tuple[float, float]) -> tuple[float, float]:
        return self.x0 + p[0] * self.wide, self.y0 + p[1] * self.high

    def along(self, symbol: Any) -> Callable[..., tuple[float, float]]:
        """Point at a share of the way, and that many millimetres of the plane to its left."""
        (ax, ay), (bx, by) = symbol.start, symbol.end
        length = _length(symbol)
        ux, uy = (bx - ax) / length, (by - ay) / length

        def at(way: float, aside: float = 0.0) -> tuple[float, float]:
            return self.place((ax + ux * way * length - uy * aside, ay + uy * way * length + ux * aside))
        return at

    def path(self, points: list[tuple[float, float]], role: str) -> None:
        self.picture.line(points, role, self.weight)


def _body(symbol: Any, half: float) -> tuple[float, float]:
    """Ends of the symbol's body as shares of its line, `half` millimetres of the plane each way."""
    share = min(half / _length(symbol), 0.5)
    return 0.5 - share, 0.5 + share


def _length(symbol: Any) -> float:
    return float(np.hypot(symbol.end[0] - symbol.start[0], symbol.end[1] - symbol.start[1]))


def _leads(pen: _Pen, symbol: Any, half: float) -> tuple[Callable[..., tuple[float, float]], float, float]:
    """Draw the wires to a body of `half` millimetres each way; points along the symbol, and the ends of the body."""
    at, (a, b) = pen.along(symbol), _body(symbol, half)
    pen.path([at(0), at(a)], symbol.side)
    pen.path([at(b), at(1)], symbol.side)
    return at, a, b


def _box(pen: _Pen, symbol: Any, half: float, aside: float) -> None:
    at, a, b = _leads(pen, symbol, half)
    pen.path([at(a, -aside), at(a, aside), at(b, aside), at(b, -aside), at(a, -aside)], symbol.side)


def _capacitor(pen: _Pen, symbol: Any) -> None:
    at, a, b = _leads(pen, symbol, 0.9)
    for way in (a, b):
        pen.path([at(way, -2.6), at(way, 2.6)], symbol.side)


def _resistor(pen: _Pen, symbol: Any) -> None:
    _box(pen, symbol, 3.0, 1.2)


def _coil(pen: _Pen, symbol: Any) -> None:
    at = pen.along(symbol)
    turns = max(round(_length(symbol) / 3.2), 2)
    side = 1.0 if symbol.flip else -1.0
    angle = np.linspace(0, np.pi, 10)
    points = []
    for k in range(turns):
        points += [at(0.06 + 0.88 * (k + 0.5 - 0.5 * float(np.cos(a))) / turns, side * 1.6 * float(np.sin(a))) for a in angle]
    pen.path([at(0), *points, at(1)], symbol.side)
    if symbol.kind == "winding":
        x, y = at(0.94 if symbol.flip else 0.06, side * 3.2)
        _dot(pen.picture, x, y, symbol.side)


def _dot(picture: Picture, x: float, y: float, role: str) -> None:
    angle = np.linspace(0, 2 * np.pi, 13)[:-1]
    picture.fill([(x + 0.8 * float(np.cos(a)), y + 0.8 * float(np.sin(a))) for a in angle], role)


def _diode(pen: _Pen, symbol: Any) -> None:
    at, a, b = _leads(pen, symbol, 1.8)
    pen.picture.fill([at(a, -1.9), at(b), at(a, 1.9)], symbol.side)
    pen.path([at(b, -1.9), at(b, 1.9)], symbol.side)


def _switch(pen: _Pen, symbol: Any) -> None:
    at, (a, b) = pen.along(symbol), _body(symbol, 3.2)
    pen.path([at(0), at(a), at(b, 2.2)], symbol.side)
    pen.path([at(b), at(1)], symbol.side)
    for way in (a, b):
        x, y = at(way)
        _dot(pen.picture, x, y, symbol.side)


def _load(pen: _Pen, symbol: Any) -> None:
    _box(pen, symbol, 6.0, 2.6)


def _wire(pen: _Pen, symbol: Any) -> None:
    pen.path([pen.place(symbol.start), pen.place(symbol.end)], symbol.side)


def _note(pen: _Pen, symbol: Any) -> None:
    """Only the label."""


def _core(pen: _Pen, symbol: Any) -> None:
    for aside in (-0.7, 0.7):
        at = pen.along(symbol)
        pen.path([at(0, aside), at(1, aside)], "ink")


_SYMBOLS: dict[str, Callable[[_Pen, Any], None]] = {"wire": _wire, "capacitor": _capacitor, "resistor": _resistor, "inductor": _coil,
                                                    "winding": _coil, "diode": _diode, "switch": _switch, "load": _load, "core": _core,
                                                    "note": _note}


def schematic(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The power stage with every value, primary and secondary side told apart by colour and by the core between them."""
    return _drawn(design, corner, width, height, None, 0.0)


def conducting(design: Design, found: "Exact", instant: float, width: float, height: float) -> Picture:
    """The same at an instant of the exact period: what conducts is drawn heavy with an arrow and its current, the rest pale."""
    return _drawn(design, found.corner, width, height, found, instant)


def _drawn(design: Design, corner: Corner, width: float, height: float, found: "Exact | None", instant: float) -> Picture:
    symbols, caption = TOPOLOGIES[design.topology].schematic(design, corner), shown_at(corner)
    broad, tall = max(PLANE[0], *(s.end[0] + 6 for s in symbols)), max(PLANE[1], *(s.end[1] + 4 for s in symbols))
    if found is not None or min((height - 10) / tall, (width - 34) / broad) < ROOM:
        caption += " · auxiliary and further windings not drawn: no room" if tall > PLANE[1] else ""
        symbols, tall = [s for s in symbols if s.end[1] <= PLANE[1]], PLANE[1]
    picture = Picture(width, height, caption if found is None else f"{found.stretch_at(instant).name} · {show(instant, 's')}")
    if found is not None:
        picture.text(4.0, 3.4, found.stretch_at(instant).name, "ink", "left", 3.4, True)
    pen, told = _Pen(picture, broad, tall), []
    for symbol in symbols:
        shown, current = symbol, 0.0
        if found is not None and symbol.element:
            name = symbol.element.lower()
            current = found.current(name, instant)
            live = found.conducts(name, instant)
            pen.weight = HEAVY if live else WIRE
            shown = symbol if live else replace(symbol, side="pale")
        else:
            pen.weight = WIRE
        _SYMBOLS[shown.kind](pen, shown)
        if found is not None and pen.weight == HEAVY and symbol.kind in ("diode", "switch", "inductor", "load", "winding"):
            told += _arrow(pen, symbol, current)
        if symbol.label and (found is None or symbol.kind in ("core", "load")):
            told.append(_label(pen, symbol))
    if found is not None:
        told += [Text(*pen.place(place), show(found.voltage(node, instant), "V"), role, anchor, 3.2)
                 for node, place, anchor, role in TOPOLOGIES[design.topology].NODE_PLACES if node in found.voltages]
    put(picture, told, NEAR if found is not None else np.inf)
    return picture


def _arrow(pen: _Pen, symbol: Any, current: float) -> list[Text]:
    """Draw a head in the direction of the current; its value beside it."""
    at = pen.along(symbol)
    way, tip = (0.86, 0.98) if current > 0 else (0.14, 0.02)
    pen.picture.fill([at(way, -1.3), at(tip), at(way, 1.3)], symbol.side)
    if symbol.kind not in ("diode", "switch", "load"):
        return []
    level = abs(symbol.end[1] - symbol.start[1]) < 1e-6
    x, y = at(0.5, -3.6) if level else pen.place((symbol.start[0] - 3.0, 0.5 * (symbol.start[1] + symbol.end[1])))
    anchor = "left" if level else "right"
    if symbol.kind == "load":
        x, y = pen.place((symbol.start[0] + 3.4, 0.5 * (symbol.start[1] + symbol.end[1]) + 7.5))
        anchor = "left"
    return [Text(x, y, show(abs(current), "A"), symbol.side, anchor, 3.2, True)]


def _label(pen: _Pen, symbol: Any) -> Text:
    """The value beside the symbol, clear of its body."""
    (ax, ay), (bx, by) = symbol.start, symbol.end
    x, y = pen.place(((ax + bx) / 2, (ay + by) / 2))
    if symbol.kind == "core":
        return Text(x, max(pen.place((0, 58.5))[1], pen.place((0, 55))[1] + 3.8), symbol.label, "ink", "middle", pen.text,
                    True)  # clear of the lowest wire however small the drawing is
    if symbol.kind == "note":
        return Text(x, y, symbol.label, symbol.side, "middle", pen.text)
    if abs(by - ay) < 1e-6:
        return Text(pen.place(symbol.start)[0] + 3.5 * pen.wide, y + 5.4 * pen.high, symbol.label, symbol.side, "left", pen.text)
    left = (symbol.kind in ("resistor", "inductor", "switch", "winding") and symbol.side == "primary") or symbol.flip
    return Text(x + (-3.4 if left else 3.6) * pen.wide, y + 1.0, symbol.label, symbol.side, "right" if left else "left", pen.text)
