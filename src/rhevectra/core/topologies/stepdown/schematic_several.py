"""The outputs beside the regulated one, drawn below the power stage of a step-down stage; on the plane of the schematic they belong to."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common.symbols import Place, Symbol

TOP, HIGH, EACH = 70.0, 14.0, 22.0
"""Where the first begins, how high each is, and how far the next lies below."""


def below(design: Any, corner: Corner) -> list[Symbol]:
    """Winding, rectifiers, winding on the filter core, capacitor and load of each, with the values of the design."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    found: list[Symbol] = []
    for k, x in enumerate(s.others):
        y, n, out = TOP + k * EACH, x.n, design.requirement.outputs[x.n - 1]
        count, row = int(rows[f"output{n}.parallel"].value), design.context["plan"].rectifiers[n - 1]["row"]
        turns = f"{rows[f'transformer.ns{n}'].value:g}"
        sides = f"{turns} + {turns}" if s.variant.both_ways else turns
        filtered = f"{rows[f'filter1.turns{n}'].value:g} turns, same core"
        found += [*(_tap(y, n) if s.variant.both_ways else _single(y, n)), Symbol("inductor", (69, y), (84, y), "", "secondary", f"Lleak{n}"), Symbol("wire", (84, y), (94, y), "", "secondary", f"Lleak{n}"),
                  Symbol("note", (37, y - 7), (37, y - 1), f"{sides} turns, {row['label']}", "secondary"), Symbol("note", (80, y - 7), (80, y - 1), filtered, "secondary"),
                  Symbol("capacitor", (86, y), (86, y + HIGH), f"{count} × {show(float(rows[f'output{n}.c'].value) / count, 'F')}", "secondary", f"Cout{n}", True), Symbol("load", (94, y), (94, y + HIGH), f"{out.name} {show(at(x.i_out), 'A')}", "secondary", f"Rload{n}"),
                  Symbol("core", (51.5, y - 0.5), (51.5, y + 12.5))]
    return found


def _wire(a: Place, b: Place, element: str) -> Symbol:
    return Symbol("wire", a, b, "", "secondary", element)


def _tap(y: float, n: int) -> list[Symbol]:
    return [Symbol("winding", (55, y), (55, y + 5.5), "", "secondary", f"Vsec1o{n}", True), Symbol("winding", (55, y + 6.5), (55, y + 12), "", "secondary", f"Vsec2o{n}", True), _wire((55, y + 5.5), (55, y + 6.5), f"Lleak{n}"),
            Symbol("diode", (55, y), (69, y), "", "secondary", f"Dfeedo{n}"), Symbol("diode", (55, y + 12), (69, y + 12), "", "secondary", f"Dfeed2o{n}"), _wire((69, y + 12), (69, y), f"Dfeed2o{n}"),
            _wire((55, y + 6), (61, y + 6), f"Lleak{n}"), _wire((61, y + 6), (61, y + HIGH), f"Lleak{n}"), _wire((61, y + HIGH), (94, y + HIGH), f"Lleak{n}")]


def _single(y: float, n: int) -> list[Symbol]:
    return [Symbol("winding", (55, y), (55, y + 12), "", "secondary", f"Vsec1o{n}", True), _wire((55, y + 12), (55, y + HIGH), f"Vsec1o{n}"), _wire((55, y + HIGH), (69, y + HIGH), f"Vsec1o{n}"), _wire((69, y + HIGH), (94, y + HIGH), f"Lleak{n}"),
            Symbol("diode", (55, y), (69, y), "", "secondary", f"Dfeedo{n}"), Symbol("diode", (69, y + HIGH), (69, y), "", "secondary", f"Dfree{n}")]
