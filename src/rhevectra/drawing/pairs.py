"""Leakage and capacitance of every pair of windings as two tables."""

from collections.abc import Callable

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.magnetics.pairs import Pairs, pairs
from rhevectra.drawing.display import Picture
from rhevectra.drawing.field import HEAT

INDUCTANCES = ("transformer.lp", "transformer.lm", "llc.lm")
"""Row of the first winding's inductance: gapped, ungapped, resonant."""
LEVELS = (0.003, 0.01, 0.03, 0.1)
"""Shares of its inductance at which the colour of a leakage changes."""
FIRST, LINE, HEADS, LEAST = 27.0, 9.0, 2.9, 2.3
"""Room for the names of the rows at least, height of a row, letters of the names, the smallest letters that are drawn [mm]."""


def pairs_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Rows: the winding that is measured; columns: the one that is shorted, alone."""
    rows = design.rows
    own = next(rows[k] for k in INDUCTANCES if k in rows)
    plan = design.context["plan"]
    p = pairs(plan, float(np.max(own.value)) / plan.need.pieces)
    picture = Picture(width, height, "leakage of each winding with one other shorted, and capacitance of the faces between them")
    line = min(LINE, (height - 26) / (2 * len(p.names) + 3))
    picture.text(3, 5, "leakage inside the window, from the row's winding with the column's alone shorted", "ink", "left",
                 min(3.2, width / 40), True)
    share = p.share
    _table(picture, p, 10.0, line, width,
           lambda i, j: (show(float(p.inductance[i]), "H", 3), "", "card") if i == j
           else (show(float(p.leakage[i, j]), "H", 3), f"{share[i, j] * 100:.2g} %", HEAT[int(np.searchsorted(LEVELS, share[i, j]))]))
    y = 10.0 + (len(p.names) + 1) * line + 4
    shorted = "all outputs" if len(p.outputs) > 1 else p.outputs[0]
    picture.text(3, y, f"{shorted} shorted together: {show(p.together, 'H', 3)} from the primary; diagonal: the inductance itself", "muted",
                 "left", min(2.9, width / 44))
    y += 8
    picture.text(3, y, "capacitance of the faces between them (a shield parts them)", "ink", "left", min(3.2, width / 40), True)
    top = float(max(p.capacitance.max(), 1e-15))
    _table(picture, p, y + 5, line, width,
           lambda i, j: ("–", "", "card") if p.capacitance[i, j] == 0
           else (show(float(p.capacitance[i, j]), "F", 2), "", HEAT[min(int(3 * p.capacitance[i, j] / top), 2)]))
    _export(picture, p)
    return picture


def _table(picture: Picture, p: Pairs, y: float, line: float, width: float, cell: Callable[[int, int], tuple[str, str, str]]) -> None:
    named = [f"{name}, {turns:.0f}" for name, turns in zip(p.names, p.turns, strict=True)]
    if numbered := 0.5 * HEADS * max(map(len, p.names)) > (width - FIRST - 4) / len(
            p.names):  # names that would lie on each other above the columns are numbers there
        named = [f"{k} {name}" for k, name in enumerate(named, 1)]
    first = min(max(FIRST, 0.5 * HEADS * max(map(len, named)) + 4), 0.4 * width)
    each = (width - first - 4) / len(p.names)
    size = min(HEADS, each / 6.5)
    for j, name in enumerate(p.names):
        picture.text(first + (j + 0.5) * each, y + 0.5 * line, str(j + 1) if numbered else name, "muted", "middle",
                     HEADS if numbered else size)
    for i, name in enumerate(named):
        top = y + (i + 1) * line - 2
        picture.text(3, top + 0.6 * line, name, "ink", "left", min(HEADS, 2 * (first - 4) / len(name)))
        for j in range(len(p.names)):
            text, more, role = cell(i, j)
            picture.box(first + j * each, top, each - 1, line - 0.8, role, "rule")
            told = "card" if role in HEAT[3:] else "ink"
            if more and line < 8:  # in one line, and the share only where there is room for both
                text, more = f"{text} {more}" if 0.5 * LEAST * (len(text) + len(more) + 1) < each - 1 else text, ""
            picture.text(first + (j + 0.5) * each, top + (0.42 if more else 0.6) * line, text, told, "middle",
                         min(size, 1.85 * each / max(len(text), 1)))
            if more:
                picture.text(first + (j + 0.5) * each, top + 0.8 * line, more, told, "middle", 0.85 * size)


def _export(picture: Picture, p: Pairs) -> None:
    """The tables as columns."""
    for j, name in enumerate(p.names):
        column: Array = p.leakage[:, j]
        picture.data[f"leakage, {name} shorted [H]"] = column
        picture.data[f"capacitance to {name} [F]"] = p.capacitance[:, j]
