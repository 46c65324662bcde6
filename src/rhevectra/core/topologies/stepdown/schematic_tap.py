"""The secondary side every core driven both ways has: centre tap, two rectifiers, filter; on the plane of 100 x 60 of the schematic it belongs to."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common.symbols import Place, Symbol

OUT: tuple[str, Place, str, str] = ("out1", (94, 5), "right", "secondary")


def secondary(design: Any, corner: Corner) -> list[Symbol]:
    """Core, centre tap, rectifiers, filter and load with the values of the design."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    row = design.context["plan"].rectifiers[design.requirement.main]["row"]
    count = int(rows["output1.parallel"].value)
    halves = design.context["stage"].variant.halves
    turns = f"{' + '.join([format(float(rows['transformer.np'].value), '.0f')] * halves)} : {rows['transformer.ns1'].value:.0f} + {rows['transformer.ns1'].value:.0f}"
    return [
        Symbol("core", (51.5, 18), (51.5, 44), f"{rows['transformer.core'].value}  {turns}, L_m {value('transformer.lm')}"),
        Symbol("winding", (55, 18), (55, 30), "", "secondary", "Vsec1", True), Symbol("winding", (55, 32), (55, 44), "", "secondary", "Vsec2", True), Symbol("wire", (55, 30), (55, 32), "", "secondary", "Lout"),
        Symbol("wire", (55, 18), (55, 7), "", "secondary", "Vsec1"), Symbol("diode", (55, 7), (69, 7), "", "secondary", "Dfeed"), Symbol("note", (60, 0), (60, 6), str(row["name"]), "secondary"),
        Symbol("wire", (55, 44), (55, 49), "", "secondary", "Vsec2"), Symbol("wire", (55, 49), (60, 49), "", "secondary", "Vsec2"), Symbol("diode", (60, 49), (69, 49), "", "secondary", "Dfeed2"), Symbol("wire", (69, 49), (69, 7), "", "secondary", "Dfeed2"),
        Symbol("wire", (55, 31), (60, 31), "", "secondary", "Lout"), Symbol("wire", (60, 31), (60, 55), "", "secondary", "Lout"), Symbol("wire", (60, 55), (94, 55), "", "secondary", "Lout"),
        Symbol("inductor", (69, 7), (86, 7), "", "secondary", "Lout"), Symbol("note", (83, 0), (83, 6), f"{value('filter1.l')} on {rows['filter1.core'].value}", "secondary"), Symbol("wire", (86, 7), (94, 7), "", "secondary", "Lout"),
        Symbol("capacitor", (86, 7), (86, 55), f"{count} × {show(float(rows['output1.c'].value) / count, 'F')}", "secondary", "Cout1", True),
        Symbol("load", (94, 7), (94, 55), f"{design.requirement.outputs[design.requirement.main].name} {show(at(s.i_out), 'A')}", "secondary", "Rload1")]
