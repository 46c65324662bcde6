"""The circuit with its values, drawn from the symbols a topology places."""

from collections.abc import Callable
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.common import shown_at
from rhevectra.drawing.display import Picture

PLANE = (100.0, 60.0)
WIRE = 0.35


class _Pen:
    """Maps the plane to the page and draws along the line from a symbol's start to its end."""

    def __init__(self, picture: Picture, scale: float, x0: float, y0: float) -> None:
        self.picture, self.scale, self.x0, self.y0 = picture, scale, x0, y0

    def place(self, p: tuple[float, float]) -> tuple[float, float]:
        return self.x0 + p[0] * self.scale, self.y0 + p[1] * self.scale

    def along(self, symbol: Any) -> Callable[..., tuple[float, float]]:
        """Point at a share of the way, and that many millimetres of the plane to its left."""
        (ax, ay), (bx, by) = symbol.start, symbol.end
        length = float(np.hypot(bx - ax, by - ay))
        ux, uy = (bx - ax) / length, (by - ay) / length

        def at(way: float, aside: float = 0.0) -> tuple[float, float]:
            return self.place((ax + ux * way * length - uy * aside, ay + uy * way * length + ux * aside))
        return at

    def path(self, points: list[tuple[float, float]], role: str) -> None:
        self.picture.line(points, role, WIRE)


def _body(symbol: Any, half: float) -> tuple[float, float]:
    """Ends of the symbol's body as shares of its line, `half` millimetres of the plane each way."""
    length = float(np.hypot(symbol.end[0] - symbol.start[0], symbol.end[1] - symbol.start[1]))
    share = min(half / length, 0.5)
    return 0.5 - share, 0.5 + share


def _capacitor(pen: _Pen, symbol: Any) -> None:
    at, (a, b) = pen.along(symbol), _body(symbol, 0.9)
    pen.path([at(0), at(a)], symbol.side)
    pen.path([at(b), at(1)], symbol.side)
    for way in (a, b):
        pen.path([at(way, -2.6), at(way, 2.6)], symbol.side)


def _resistor(pen: _Pen, symbol: Any) -> None:
    at, (a, b) = pen.along(symbol), _body(symbol, 3.0)
    pen.path([at(0), at(a)], symbol.side)
    pen.path([at(b), at(1)], symbol.side)
    pen.path([at(a, -1.2), at(a, 1.2), at(b, 1.2), at(b, -1.2), at(a, -1.2)], symbol.side)


def _coil(pen: _Pen, symbol: Any) -> None:
    at = pen.along(symbol)
    length = float(np.hypot(symbol.end[0] - symbol.start[0], symbol.end[1] - symbol.start[1]))
    turns = max(round(length / 3.2), 2)
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
    at, (a, b) = pen.along(symbol), _body(symbol, 1.8)
    pen.path([at(0), at(a)], symbol.side)
    pen.path([at(b), at(1)], symbol.side)
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
    at, (a, b) = pen.along(symbol), _body(symbol, 6.0)
    pen.path([at(0), at(a)], symbol.side)
    pen.path([at(b), at(1)], symbol.side)
    pen.path([at(a, -2.6), at(a, 2.6), at(b, 2.6), at(b, -2.6), at(a, -2.6)], symbol.side)


def _wire(pen: _Pen, symbol: Any) -> None:
    pen.path([pen.place(symbol.start), pen.place(symbol.end)], symbol.side)


def _note(pen: _Pen, symbol: Any) -> None:
    """Only the label."""


def _core(pen: _Pen, symbol: Any) -> None:
    for aside in (-0.7, 0.7):
        at = pen.along(symbol)
        pen.path([at(0, aside), at(1, aside)], "ink")


_SYMBOLS: dict[str, Callable[[_Pen, Any], None]] = {"wire": _wire, "capacitor": _capacitor, "resistor": _resistor, "inductor": _coil, "winding": _coil, "diode": _diode, "switch": _switch, "load": _load, "core": _core, "note": _note}


def schematic(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The power stage with every value, primary and secondary side told apart by colour and by the core between them."""
    picture = Picture(width, height, shown_at(corner))
    scale = min((width - 26) / PLANE[0], (height - 10) / PLANE[1])
    pen = _Pen(picture, scale, 6.0, max((height - PLANE[1] * scale) / 2 - 2, 4.0))
    for symbol in TOPOLOGIES[design.topology].schematic(design, corner):
        _SYMBOLS[symbol.kind](pen, symbol)
        if symbol.label:
            _label(pen, symbol)
    return picture


def _label(pen: _Pen, symbol: Any) -> None:
    """The value beside the symbol, clear of its body."""
    (ax, ay), (bx, by) = symbol.start, symbol.end
    x, y = pen.place(((ax + bx) / 2, (ay + by) / 2))
    role = symbol.side if symbol.kind != "core" else "ink"
    if symbol.kind == "core":
        pen.picture.text(x, pen.place((0, 58.5))[1], symbol.label, role, "middle", 3.2, True)
    elif symbol.kind == "note":
        pen.picture.text(x, y, symbol.label, role, "middle", 3.2)
    elif abs(by - ay) < 1e-6:
        pen.picture.text(pen.place(symbol.start)[0] + 3.5 * pen.scale, y + 5.4 * pen.scale, symbol.label, role, "left", 3.2)
    else:
        left = (symbol.kind in ("resistor", "inductor", "switch", "winding") and symbol.side == "primary") or symbol.flip
        pen.picture.text(x + (-3.4 if left else 3.6) * pen.scale, y + 1.0, symbol.label, role, "right" if left else "left", 3.2)
