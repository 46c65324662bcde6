"""The outputs beside the regulated one, drawn below the power stage they belong to, on the plane of its schematic."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common import snubbing
from rhevectra.core.topologies.common.symbols import BANK, LOAD, Place, Symbol, fed

TOP, HIGH, EACH = 70.0, 14.0, 22.0
"""Where the first begins, how high each is, and how far the next lies below."""
NOTED = 6.0
"""What each needs more where a line under it tells of its snubbers."""


def below(design: Any, corner: Corner, tapped: bool, filtered: bool) -> list[Symbol]:
    """Winding, rectifiers, capacitor and load of each, with the values of the design. tapped: or one winding and a rectifier that
    freewheels; filtered: through a winding on the filter core."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    found: list[Symbol] = []
    for k, x in enumerate(s.others):
        n = x.n
        y = TOP + k * EACH + (k + 1) * (NOTED if f"rectifier{n}.snubber_r" in rows else 0.0)
        row = design.context["plan"].rectifiers[n - 1]["row"]
        turns = f"{rows[f'transformer.ns{n}'].value:g}"
        sides, into = f"{turns} + {turns}" if tapped else turns, f"Lleak{n}" if filtered else f"Rload{n}"
        filters = ([Symbol("inductor", (69, y), (BANK, y), "", "secondary", into),
                    Symbol("note", (81, y - 7), (81, y - 1), f"{rows[f'filter1.turns{n}'].value:g} turns, same core", "secondary")]
                   if filtered else [_wire((69, y), (BANK, y), into)])
        found += [*(_tap(y, n, into) if tapped else _single(y, n, into)), *filters, _wire((BANK, y), (LOAD, y), into),
                  Symbol("note", (37, y - 7), (37, y - 1), f"{sides} turns, {row['label']}", "secondary"),
                  *snubbing.note(design, n, (77, y + HIGH + 3), (77, y + HIGH + 6)),
                  *fed(design, n, at(x.i_out), y, y + HIGH), Symbol("core", (51.5, y - 0.5), (51.5, y + 12.5))]
    return found


def _wire(a: Place, b: Place, element: str) -> Symbol:
    return Symbol("wire", a, b, "", "secondary", element)


def _tap(y: float, n: int, into: str) -> list[Symbol]:
    return [Symbol("winding", (55, y), (55, y + 5.5), "", "secondary", f"Vsec1o{n}", True),
            Symbol("winding", (55, y + 6.5), (55, y + 12), "", "secondary", f"Vsec2o{n}", True), _wire((55, y + 5.5), (55, y + 6.5), into),
            Symbol("diode", (55, y), (69, y), "", "secondary", f"Dfeedo{n}"),
            Symbol("diode", (55, y + 12), (69, y + 12), "", "secondary", f"Dfeed2o{n}"), _wire((69, y + 12), (69, y), f"Dfeed2o{n}"),
            _wire((55, y + 6), (61, y + 6), into), _wire((61, y + 6), (61, y + HIGH), into), _wire((61, y + HIGH), (LOAD, y + HIGH), into)]


def _single(y: float, n: int, into: str) -> list[Symbol]:
    return [Symbol("winding", (55, y), (55, y + 12), "", "secondary", f"Vsec1o{n}", True),
            _wire((55, y + 12), (55, y + HIGH), f"Vsec1o{n}"), _wire((55, y + HIGH), (69, y + HIGH), f"Vsec1o{n}"),
            _wire((69, y + HIGH), (LOAD, y + HIGH), into),
            Symbol("diode", (55, y), (69, y), "", "secondary", f"Dfeedo{n}"),
            Symbol("diode", (69, y + HIGH), (69, y), "", "secondary", f"Dfree{n}")]
