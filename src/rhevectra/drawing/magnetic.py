"""Pictures of the transformer: winding window to scale, flux on the material's curve."""

from collections.abc import Callable
from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.magnetics.layout import Layout
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture, Spot
from rhevectra.drawing.lines import folded

SMALL = 2.8
"""Smallest letters of the legend [mm]; below it its words go on in another line."""
OVER = 4.0
"""How far what does not fit is drawn beyond the window [mm]: over the leg there."""
HANDS = ("drag a block to another place;", "right click: split, join, shield, turns")
"""What can be done to the blocks."""


def winding_window(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The winding window to scale, with what can be done to it by mouse."""
    view = TOPOLOGIES[design.topology].winding_view(design)
    was = (f"; held: {TOPOLOGIES[held.topology].winding_view(held).core}"
           if held is not None and hasattr(TOPOLOGIES[held.topology], "winding_view") else "")
    return _section(view, width, height, was, HANDS if view.layout.bands else ())


def cross_section(design: Design, width: float, height: float) -> Picture:
    """The winding window to scale, as it is printed."""
    return _section(TOPOLOGIES[design.topology].winding_view(design), width, height)


def _words_room(layout: Layout) -> float:
    """Room beside the window for its words [mm]: tracks take more of them than wire."""
    return 84.0 if layout.wires and layout.wires[0].across else 66.0


def _section(view: Any, width: float, height: float, was: str = "", hands: tuple[str, ...] = ()) -> Picture:
    """Bobbin, layers, tapes, margins to scale, the words beside the window. What is longer than the window is cut off at its ends: the
    notes tell by how much it does not fit."""
    layout = view.layout
    picture = Picture(width, height, f"{view.core}, {view.turns}{was}")
    scale = min((width - _words_room(layout)) / layout.radial, (height - 16) / layout.along)
    x0, y0 = 8.0, 9.0
    w, h = layout.radial * scale, layout.along * scale
    picture.text(x0, 5.5,
                 f"{layout.legs[0]} at the left, {layout.legs[1]} at the right; {show(layout.radial, 'm')} × {show(layout.along, 'm')}",
                 "muted")
    picture.box(x0 - 4, y0, 4, h, "core", "ink")
    picture.box(x0 + w, y0, 4, h, "core", "ink")
    picture.box(x0, y0, w, h, "card", "ink")
    end = x0 + w + OVER
    put = _within(picture, x0, y0, scale, end)
    for fill in layout.bobbin:
        put(*fill, "rule")
    for tape in layout.tapes:
        put(*tape, "tape", least=0.15)
    for margin in layout.margins:
        put(*margin, "margin", "rule")
    for foil in layout.foils:
        put(*foil, "ink", least=0.4)
    for wire in layout.wires:
        if wire.across:
            put(wire.x - wire.wide / 2, wire.y - wire.radius, wire.wide, max(2 * wire.radius, 0.25 / scale), wire.side)
        elif wire.wide:
            low, high = (min(max(wire.y + side * wire.wide / 2, 0.0), layout.along) for side in (-1, 1))
            put(wire.x - wire.radius, low, 2 * wire.radius, high - low, wire.side, least=0.25)
        elif x0 + wire.x * scale < end:
            picture.disc(x0 + wire.x * scale, y0 + wire.y * scale, wire.radius * scale, wire.side, "card")
    _blocks(picture, layout, x0, y0, scale, end)
    gap = min(max(view.gap * scale, 0.3), h)
    picture.box(x0 - 4, y0 + h / 2 - gap / 2, 4, gap, "card", "ink")
    _legend(picture, view, x0 + w + 8, y0 + 4, hands)
    return picture


def _within(picture: Picture, x0: float, y0: float, scale: float, end: float) -> Callable[..., None]:
    """Draws boxes given in metres of the window, cut off at an end [mm]: what does not fit runs into the leg beyond the window, and no
    further."""
    def put(x: float, y: float, wide: float, high: float, role: str, outline: str = "", least: float = 0.0) -> None:
        left = x0 + x * scale
        if left < end:
            picture.box(left, y0 + y * scale, min(max(wide * scale, least), end - left), high * scale, role, outline)
    return put


def _blocks(picture: Picture, layout: Layout, x0: float, y0: float, scale: float, most: float) -> None:
    """Numbers under the blocks, and what can be taken with the mouse; of those whose middle lies before an end [mm]."""
    ends, h = [-10.0, -10.0], layout.along * scale
    for k, band in enumerate(layout.bands, 1):
        middle = x0 + 0.5 * (band.begin + band.end) * scale
        if middle > most:
            continue
        half = 0.8 * len(str(k)) + 0.7
        line = next((n for n, end in enumerate(ends) if middle - half >= end), None)
        if line is not None:  # numbers of thin blocks stand a line lower, or are left out where there is no room between their neighbours
            ends[line] = middle + half
            picture.text(middle, y0 + h + (3.6, 6.6)[line], str(k), "ink", "middle", 3.0)
        wide = max((band.end - band.begin) * scale, 1.0)
        picture.spots.append(
            Spot(x0 + 0.5 * (band.begin + band.end) * scale - wide / 2, y0, wide, h, f"{band.word}:{band.turns}", band.tip))


def _legend(picture: Picture, view: Any, x: float, y: float, hands: tuple[str, ...]) -> None:
    """What each winding is, in more than one line where its words would be small, the notes under that, what can be done at the bottom; all
    of it closer together and smaller where there is much."""
    room = picture.width - x - 5
    size = 2.32 * room / max(len(text) for text, _ in view.legend)
    size, each = (min(size, 3.2), 999) if size >= SMALL else (SMALL, max(int(2.2 * room / SMALL), 12))
    lines = [(folded(text, each), side) for text, side in view.legend]
    needed = sum(1.6 + 3.6 * len(of) for of, _ in lines) + 3 + 4.6 * (len(view.notes) + len(hands))
    close = min(1.0, (picture.height - y) / needed)
    for of, side in lines:
        picture.box(x, y - 2.4 * close, 2.6 * close, 2.6 * close, side)
        for k, line in enumerate(of):
            picture.text(x + 4, y + k * 3.6 * close, line, "ink", "left", size * close)
        y += (1.6 + 3.6 * len(of)) * close
    for k, text in enumerate(view.notes):
        picture.text(x, y + (3 + k * 4.6) * close, text, "muted", "left", 3.0 * close)
    for k, text in enumerate(hands):
        picture.text(x, picture.height - 9.4 * close + (4.6 * k) * close, text, "muted", "left", 3.0 * close)


def flux_curve(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Flux density over primary current on the gapped core's curve, cold and hot, with full load and the current limit on it."""
    view = TOPOLOGIES[design.topology].flux_view(design)
    picture = Picture(width, height, "knee between initial permeability and saturation drawn as a smooth generic curve; saturation from "
                      "the material class")
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (0.0, view.i_end), (0.0, view.b_cold * 1.15), "flux density", "T",
                  x_unit="A primary")
    for name, i, b, role, dashed in view.curves:
        inside = i <= view.i_end
        frame.trace(name, i[inside], b[inside], role, 0.5, dashed)
    frame.level(view.b_limit, f"limit {show(view.b_limit, 'T')}", "over")
    for k, (name, i, b, role) in enumerate(view.points):
        x, y = frame.x(min(i, view.i_end)), frame.y(min(b, frame.y1))
        picture.disc(x, y, 1.1, role, "card")
        picture.text(frame.left + frame.width - 2, frame.top + frame.height - 3 - 5 * (len(view.points) - 1 - k),
                     f"● {name}: {show(i, 'A')}, {show(b, 'T')}", role, "right", 3.2)
    frame.close()
    return picture
