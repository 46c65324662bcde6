"""The winding sheet as upright pages of A4: core, cross-section and steps; windings, inspection and what a maker has to know; and the inductors and chokes beside the transformer, where there are any."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.design.wound_parts import WoundPart, wound_parts
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common import making
from rhevectra.core.topologies.common.board_sheet import board_layers, board_notes
from rhevectra.drawing.display import Fill, Line, Picture, Text
from rhevectra.drawing.magnetic import cross_section

PAGE = (210.0, 297.0)
EDGE = 14.0
"""Margin of the page [mm]."""
_LETTER = 0.50
"""Mean width of a letter over its size."""


def has_sheet(design: Design) -> bool:
    """Whether there is a transformer to wind."""
    return hasattr(design.context["plan"], "choice")


def sheet_of(design: Design) -> making.WindingSheet:
    """The sheet of a design's transformer."""
    leads = getattr(TOPOLOGIES[design.topology], "LEADS", making.LEADS_USUAL)
    return making.winding_sheet(design, leads)


def pages(design: Design, title: str) -> tuple[Picture, ...]:
    """Both pages of the transformer, one of the board's layers where its windings are tracks, and one where other parts have to be wound. title: of the project."""
    sheet, parts, board = sheet_of(design), wound_parts(design), design.context["plan"].need.board is not None
    count = 2 + bool(board) + bool(parts)
    return (_first(design, sheet, title, count), _second(design, sheet, title, count), *((_board(design, sheet, title, count),) if board else ()), *((_parts(parts, title, count),) if parts else ()))


def _wrapped(text: str, width: float, size: float) -> list[str]:
    """Lines of a text that keep to a width [mm]."""
    most, lines = max(int(width / (_LETTER * size)), 4), [""]
    for word in text.split():
        if len(lines[-1]) + len(word) + 1 > most and lines[-1]:
            lines.append("")
        lines[-1] = f"{lines[-1]} {word}".strip()
    return lines


def _placed(page: Picture, part: Picture, x: float, y: float) -> None:
    """Another picture's items at a place of the page."""
    for item in part.items:
        if isinstance(item, Text):
            page.items.append(replace(item, x=item.x + x, y=item.y + y))
        elif isinstance(item, Line):
            page.items.append(Line([(a + x, b + y) for a, b in item.points], item.role, item.width, item.dashed))
        elif isinstance(item, Fill):
            page.items.append(Fill([(a + x, b + y) for a, b in item.points], item.role, item.outline))


def _head(page: Picture, title: str, core: str, number: int, count: int) -> float:
    """Title line; where the page goes on [mm]."""
    page.text(EDGE, 18, f"Winding sheet · {core}", "ink", "left", 6.0, True)
    page.text(EDGE, 24.5, title, "muted", "left", 3.8)
    page.text(PAGE[0] - EDGE, 18, f"page {number} of {count}", "muted", "right", 3.4)
    page.line([(EDGE, 27.5), (PAGE[0] - EDGE, 27.5)], "ink", 0.4)
    return 34.0


def table(page: Picture, y: float, heads: Sequence[str], widths: Sequence[float], rows: Sequence[Sequence[str]], size: float = 3.1) -> float:
    """A table with wrapped cells; where the page goes on [mm]. widths: of the columns [mm]."""
    x0 = EDGE
    for head, x in zip(heads, _starts(widths, x0), strict=True):
        page.text(x, y, head, "muted", "left", size)
    y += 1.6
    page.line([(x0, y), (x0 + sum(widths), y)], "ink", 0.3)
    for row in rows:
        cells = [_wrapped(text, w - 1.5, size) for text, w in zip(row, widths, strict=True)]
        high = max(len(c) for c in cells) * size * 1.25
        for lines, x in zip(cells, _starts(widths, x0), strict=True):
            for k, line in enumerate(lines):
                page.text(x, y + size * (1.2 + 1.25 * k), line, "ink", "left", size)
        y += high + 1.6
        page.line([(x0, y), (x0 + sum(widths), y)], "rule", 0.2)
    return y + 6.0


def _starts(widths: Sequence[float], x0: float) -> list[float]:
    return [x0 + sum(widths[:k]) for k in range(len(widths))]


def _titled(page: Picture, y: float, text: str) -> float:
    page.text(EDGE, y, text, "ink", "left", 4.2, True)
    return y + 5.5


def _noted(page: Picture, y: float, notes: Sequence[str]) -> None:
    """What is to be observed, a dash before each note."""
    for note in notes:
        for k, line in enumerate(_wrapped(note, PAGE[0] - 2 * EDGE - 4, 2.9)):
            page.text(EDGE + (0 if k == 0 else 3), y, f"– {line}" if k == 0 else line, "ink", "left", 2.9)
            y += 3.8


def _first(design: Design, sheet: making.WindingSheet, title: str, count: int) -> Picture:
    page, need = Picture(*PAGE, f"winding sheet of {sheet.core}, page 1 of {count}"), design.context["plan"].need
    carrier, steps = ("board", "Windings of the board, along the post") if need.board is not None else ("bobbin", "Steps, from the post outwards" if need.wall is None else "Steps, along the post from one chamber to the other")
    y = _head(page, title, sheet.core, 1, count)
    for name, value in (("core", f"{sheet.core} set, material class {sheet.material}, with its {carrier}; row A of its pins for the mains side, row B for the outputs"), ("gap", sheet.gap), ("inductance", f"{sheet.inductance}, {sheet.parts[0].start} to {sheet.parts[0].finish}")):
        page.text(EDGE, y, name, "muted", "left", 3.4)
        for line in _wrapped(value, PAGE[0] - 2 * EDGE - 26, 3.4):
            page.text(EDGE + 26, y, line, "ink", "left", 3.4)
            y += 4.6
    _placed(page, cross_section(design, PAGE[0] - 2 * EDGE, 92.0), EDGE, y)
    y = _titled(page, y + 100, steps)
    rows = [(str(s.number), s.winding, f"{s.start} → {s.finish}" if s.finish else f"{s.start}, other end open", str(s.turns), s.wire, f"{s.layers} of {s.per_layer}", s.comes_out, "–" if not s.margin else f"{s.margin * 1e3:.1f} mm", "–" if need.board is not None else str(s.tapes), s.remark) for s in sheet.steps]
    y = table(page, y, ("step", "winding", "pins", "turns", "wire", "layers", "end", "margin", "tapes", "remark"), (9, 23, 19, 11, 34, 16, 13, 14, 11, 32), rows, 2.9)
    found = making.complaints(sheet)
    page.text(EDGE, y, "checked: pins, turns, layers, ends and barriers of the steps agree with the windings" if not found else "does not agree: " + found[0], "muted" if not found else "over", "left", 3.0)
    return page


def _second(design: Design, sheet: making.WindingSheet, title: str, count: int) -> Picture:
    page = Picture(*PAGE, f"winding sheet of {sheet.core}, page 2 of {count}")
    y = _titled(page, _head(page, title, sheet.core, 2, count), "Windings")
    rows = [(p.winding, str(p.turns), " · ".join(x for x in (f"● {p.start}", f"tap {p.tap}" if p.tap else "", f"joined at {', '.join(p.joints)}" if p.joints else "", p.finish) if x), p.wire, show(p.length, "m", 3), f"{p.mass * 1e3:.3g} g", show(p.resistance, "Ω", 3), show(p.i_rms, "A", 3), f"{p.density * 1e-6:.2g} ({p.density_dc * 1e-6:.2g})") for p in sheet.parts]
    y = table(page, y, ("winding", "turns", "pins (● start)", "wire", "length", "copper", "at 20 °C", "rms", "A/mm² (dc)"), (25, 11, 33, 37, 14, 14, 16, 13, 19), rows, 2.9)
    y = _connections(page, sheet, y)
    y = _titled(page, y, "Inspection")
    y = table(page, y, ("what", "how", "limits"), (38, 78, 66), sheet.checks, 2.9)
    y = _titled(page, y, "To be observed")
    _noted(page, y, sheet.notes)
    return page


def _board(design: Design, sheet: making.WindingSheet, title: str, count: int) -> Picture:
    """The board: every copper layer, then what the table leaves open."""
    page = Picture(*PAGE, f"board of {sheet.core}, page 3 of {count}")
    y = _titled(page, _head(page, title, f"{sheet.core}, board", 3, count), "Copper layers, from the side of the pins")
    rows = [(str(x.number), x.winding, str(x.turns), f"{x.track * 1e3:.2f} mm", "–" if not x.above else f"{x.above * 1e3:.2f} mm", x.way, x.remark) for x in board_layers(design)]
    y = table(page, y, ("layer", "winding", "turns", "track", "laminate above", "spiral", "remark"), (12, 40, 13, 22, 26, 38, 31), rows, 2.9)
    y = _titled(page, y, "To be observed")
    _noted(page, y, board_notes(design))
    return page


def _parts(parts: Sequence[WoundPart], title: str, count: int) -> Picture:
    """Inductors and chokes: what to wind, then what to check."""
    page = Picture(*PAGE, f"winding sheet of the inductors and chokes, page {count} of {count}")
    y = _titled(page, _head(page, title, "inductors and chokes", count, count), "Parts")
    rows = [(f"{p.count} × {p.name}" if p.count > 1 else p.name, p.core, p.gap, p.turns, p.wire, show(p.length, "m", 3), f"{show(p.i_rms, 'A', 3)}, {show(p.i_peak, 'A', 3)}") for p in parts]
    y = table(page, y, ("part", "core and material", "gap", "turns", "wire, enamelled", "length", "rms, largest"), (31, 33, 34, 15, 32, 14, 23), rows, 2.9)
    y = _titled(page, y, "Inspection")
    checks = [(p.name, p.inductance, show(p.resistance, "Ω", 3), p.remark) for p in parts]
    y = table(page, y, ("part", "inductance", "winding at 20 °C", "to be observed"), (40, 44, 24, 74), checks, 2.9)
    _noted(page, y, ("The inductance decides, a length of gap is only a guide: grind or shim until it reads right with the core clamped.", "Lengths are of one winding without its ends; currents are the largest rms and the largest instant. Where an inductance under current is given, the supply works with that one.", "Insulation to core and between windings, fixing and varnish: as the standard in force and the maker's practice ask."))
    return page


def _connections(page: Picture, sheet: making.WindingSheet, y: float) -> float:
    """Every winding as a line between its pins, the start with its dot: row A at the left, row B at the right of the core."""
    middle = PAGE[0] / 2
    sides: dict[str, list[Any]] = {"A": [p for p in sheet.parts if p.start.startswith("A")], "B": [p for p in sheet.parts if p.start.startswith("B")]}
    high = 11.0 * max(len(v) for v in sides.values())
    page.box(middle - 1.6, y, 1.0, high, "core")
    page.box(middle + 0.6, y, 1.0, high, "core")
    for row, parts in sides.items():
        sign = -1 if row == "A" else 1
        x, pin, role = middle + sign * 6, middle + sign * 30, "primary" if row == "A" else "secondary"
        for k, p in enumerate(parts):
            top, low = y + 11 * k + 1.5, y + 11 * k + 8.5
            between = [p.tap] if p.tap else list(p.joints)
            ends = [(p.start, top), *((name, top + (low - top) * (i + 1) / (len(between) + 1)) for i, name in enumerate(between)), (p.finish, low)]
            page.line([(x, top), (x, low)], role, 1.2)
            page.text(x + sign * 1.6, top + 1.6, "●", role, "right" if sign < 0 else "left", 2.6)
            for name, at in ends:
                page.line([(x, at), (pin, at)], "ink", 0.3)
                page.text(pin + sign * 1.5, at + 1.0, name, "ink", "right" if sign < 0 else "left", 3.0)
            page.text(pin + sign * 9, 0.5 * (top + low) + 1.0, f"{p.winding}, {p.turns}", "muted", "right" if sign < 0 else "left", 3.0)
    return y + high + 8.0
