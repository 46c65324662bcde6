"""The winding sheet as upright pages of A4: core, cross-section and steps; windings, inspection and what a maker has to know; and the
inductors and chokes beside the transformer, where there are any."""

from collections.abc import Sequence
from typing import Any

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.design.wound_parts import WoundPart, wound_parts
from rhevectra.core.formulas.insulation import strip
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common import making
from rhevectra.core.topologies.common.board_sheet import board_layers, board_notes
from rhevectra.drawing.display import Picture
from rhevectra.drawing.magnetic import cross_section
from rhevectra.drawing.paper import EDGE, PAGE, Paper, wrapped


def has_sheet(design: Design) -> bool:
    """Whether there is a transformer to wind."""
    return hasattr(design.context["plan"], "choice")


def sheet_of(design: Design) -> making.WindingSheet:
    """The sheet of a design's transformer."""
    leads = getattr(TOPOLOGIES[design.topology], "LEADS", making.LEADS_USUAL)
    return making.winding_sheet(design, leads)


def pages(design: Design, title: str) -> tuple[Picture, ...]:
    """The transformer: core, cross-section and steps, then windings, inspection and notes; the board's layers where its windings are
    tracks; the other parts that have to be wound. Each begins a page and takes as many as it needs. title: of the project."""
    sheet, parts, paper = sheet_of(design), wound_parts(design), Paper(title)
    _steps(paper, design, sheet)
    _windings(paper, sheet)
    if design.context["plan"].need.board is not None:
        _board(paper, design, sheet)
    if parts:
        _parts(paper, parts)
    return paper.numbered()


def _steps(paper: Paper, design: Design, sheet: making.WindingSheet) -> None:
    """Core, cross-section and every step."""
    need = design.context["plan"].need
    carrier, steps = ("board", "Windings of the board, along the post") if need.board is not None else ("bobbin",
        "Steps, from the post outwards" if need.wall is None else "Steps, along the post from one chamber to the other")
    paper.start(sheet.core)
    for name, value in (("core", f"{sheet.core} set, material class {sheet.material}, with its {carrier}; row A of its pins for the mains "
                         "side, row B for the outputs"), *((("wanted", sheet.wanted),) if sheet.wanted else ()), ("gap", sheet.gap),
                        ("inductance", f"{sheet.inductance}, {sheet.parts[0].start} to {sheet.parts[0].finish}")):
        paper.page.text(EDGE, paper.y, name, "muted", "left", 3.4)
        for line in wrapped(value, PAGE[0] - 2 * EDGE - 26, 3.4):
            paper.page.text(EDGE + 26, paper.y, line, "ink", "left", 3.4)
            paper.y += 4.6
    paper.placed(cross_section(design, PAGE[0] - 2 * EDGE, 92.0), 100.0)
    paper.titled(steps)
    rows = [(str(s.number), s.winding, f"{s.start} → {s.finish}" if s.finish else f"{s.start}, other end open", str(s.turns), s.wire,
             f"{s.layers} of {s.per_layer}", s.comes_out, "–" if not s.margin else strip(s.margin),
             "–" if need.board is not None else str(s.tapes), s.remark) for s in sheet.steps]
    paper.table(("step", "winding", "pins", "turns", "wire", "layers", "end", "margin", "tapes", "remark"),
                (9, 23, 19, 11, 34, 16, 13, 14, 11, 32), rows)
    found = making.complaints(sheet)
    paper.room(3.0)
    paper.page.text(EDGE, paper.y,
                    "checked: pins, turns, layers, ends and barriers of the steps agree with the windings" if not found
                    else "does not agree: " + found[0], "muted" if not found else "over", "left", 3.0)


def _windings(paper: Paper, sheet: making.WindingSheet) -> None:
    """Windings, their connections, what is inspected and what a maker has to know."""
    paper.start(sheet.core)
    paper.titled("Windings")
    rows = [(p.winding, str(p.turns),
             " · ".join(x for x in (f"● {p.start}", f"tap {p.tap}" if p.tap else "", f"joined at {', '.join(p.joints)}" if p.joints else "",
                                    p.finish) if x), p.wire, show(p.length, "m", 3), f"{p.mass * 1e3:.3g} g", show(p.resistance, "Ω", 3),
             show(p.i_rms, "A", 3), f"{p.density * 1e-6:.2g} ({p.density_dc * 1e-6:.2g})") for p in sheet.parts]
    paper.table(("winding", "turns", "pins (● start)", "wire", "length", "copper", "at 20 °C", "rms", "A/mm² (dc)"),
                (25, 11, 33, 37, 14, 14, 16, 13, 19), rows)
    _connections(paper, sheet)
    paper.titled("Inspection")
    paper.table(("what", "how", "limits"), (38, 78, 66), sheet.checks)
    paper.titled("To be observed")
    paper.noted(sheet.notes)


def _board(paper: Paper, design: Design, sheet: making.WindingSheet) -> None:
    """The board: every copper layer, then what the table leaves open."""
    paper.start(f"{sheet.core}, board")
    paper.titled("Copper layers, from the side of the pins")
    rows = [(str(x.number), x.winding, str(x.turns), f"{x.track * 1e3:.2f} mm", "–" if not x.above else f"{x.above * 1e3:.2f} mm", x.way,
             x.remark) for x in board_layers(design)]
    paper.table(("layer", "winding", "turns", "track", "laminate above", "spiral", "remark"), (12, 40, 13, 22, 26, 38, 31), rows)
    paper.titled("To be observed")
    paper.noted(board_notes(design))


def _parts(paper: Paper, parts: Sequence[WoundPart]) -> None:
    """Inductors and chokes: what to wind, then what to check."""
    paper.start("inductors and chokes")
    paper.titled("Parts")
    rows = [(f"{p.count} × {p.name}" if p.count > 1 else p.name, p.core, p.gap, p.turns, p.wire, show(p.length, "m", 3),
             f"{show(p.i_rms, 'A', 3)}, {show(p.i_peak, 'A', 3)}") for p in parts]
    paper.table(("part", "core and material", "gap", "turns", "wire, enamelled", "length", "rms, largest"), (31, 33, 34, 15, 32, 14, 23),
                rows)
    paper.titled("Inspection")
    checks = [(p.name, p.inductance, show(p.resistance, "Ω", 3), p.remark) for p in parts]
    paper.table(("part", "inductance", "winding at 20 °C", "to be observed"), (40, 44, 24, 74), checks)
    paper.noted(("The inductance decides, a length of gap is only a guide: grind or shim until it reads right with the core clamped.",
                 "Lengths are of one winding without its ends; currents are the largest rms and the largest instant. Where an inductance "
                 "under current is given, the supply works with that one.",
                 "Insulation to core and between windings, fixing and varnish: as the standard in force and the maker's practice ask."))


def _connections(paper: Paper, sheet: making.WindingSheet) -> None:
    """Every winding as a line between its pins, the start with its dot: row A at the left, row B at the right of the core."""
    middle = PAGE[0] / 2
    sides: dict[str, list[Any]] = {"A": [p for p in sheet.parts if p.start.startswith("A")],
                                   "B": [p for p in sheet.parts if p.start.startswith("B")]}
    high = 11.0 * max(len(v) for v in sides.values())
    paper.room(high)
    page, y = paper.page, paper.y
    page.box(middle - 1.6, y, 1.0, high, "core")
    page.box(middle + 0.6, y, 1.0, high, "core")
    for row, parts in sides.items():
        sign = -1 if row == "A" else 1
        x, pin, role = middle + sign * 6, middle + sign * 30, "primary" if row == "A" else "secondary"
        for k, p in enumerate(parts):
            top, low = y + 11 * k + 1.5, y + 11 * k + 8.5
            between = [p.tap] if p.tap else list(p.joints)
            ends = [(p.start, top), *((name, top + (low - top) * (i + 1) / (len(between) + 1)) for i, name in enumerate(between)),
                    (p.finish, low)]
            page.line([(x, top), (x, low)], role, 1.2)
            page.text(x + sign * 1.6, top + 1.6, "●", role, "right" if sign < 0 else "left", 2.6)
            for name, at in ends:
                page.line([(x, at), (pin, at)], "ink", 0.3)
                page.text(pin + sign * 1.5, at + 1.0, name, "ink", "right" if sign < 0 else "left", 3.0)
            page.text(pin + sign * 9, 0.5 * (top + low) + 1.0, f"{p.winding}, {p.turns}", "muted", "right" if sign < 0 else "left", 3.0)
    paper.y += high + 8.0
