"""Where the symbols of a full bridge with a centre tap stand on a plane of 100 x 60; their values come from the design."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common.symbols import Place, Symbol

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("a", (20, 25), "right", "primary"), ("b", (44, 45), "left", "primary"), ("out1", (94, 5), "right", "secondary"))
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    row = design.context["plan"].rectifiers[design.requirement.main]["row"]
    count = int(rows["output1.parallel"].value)
    turns = f"{rows['transformer.np'].value:.0f} : {rows['transformer.ns1'].value:.0f} + {rows['transformer.ns1'].value:.0f}"
    return [
        Symbol("capacitor", (6, 14), (6, 48), f"bulk {value('bulk.c')}" if "bulk.c" in rows else "input", "primary", "Vbus"), Symbol("wire", (6, 7), (6, 14), element="Vbus"), Symbol("wire", (6, 48), (6, 55), element="Vbus"),
        Symbol("wire", (6, 7), (22, 7), element="Suppera"), Symbol("wire", (22, 7), (42, 7), element="Supperb"), Symbol("wire", (6, 55), (22, 55), element="Slowera"), Symbol("wire", (22, 55), (42, 55), element="Slowerb"),
        Symbol("note", (30, 0), (30, 6), f"4 × {rows['switch.class'].value}", "primary"), Symbol("note", (31, 20), (31, 26), value("transformer.leakage"), "primary"),
        Symbol("switch", (22, 7), (22, 26), "", "primary", "Suppera"), Symbol("switch", (22, 30), (22, 55), "", "primary", "Slowera"), Symbol("wire", (22, 26), (22, 30), element="Slowera"),
        Symbol("switch", (42, 7), (42, 26), "", "primary", "Supperb"), Symbol("wire", (42, 26), (42, 40), element="Supperb"), Symbol("switch", (42, 40), (42, 55), "", "primary", "Slowerb"),
        Symbol("inductor", (22, 28), (36, 28), "", "primary", "Llk"), Symbol("wire", (36, 28), (48, 28), element="Llk"), Symbol("winding", (48, 28), (48, 40), "", "primary", "Lm"), Symbol("wire", (48, 40), (42, 40), element="Llk"),
        Symbol("core", (51.5, 18), (51.5, 44), f"{rows['transformer.core'].value}  {turns}, L_m {value('transformer.lm')}"),
        Symbol("winding", (55, 18), (55, 30), "", "secondary", "Vsec1", True), Symbol("winding", (55, 32), (55, 44), "", "secondary", "Vsec2", True), Symbol("wire", (55, 30), (55, 32), "", "secondary", "Lout"),
        Symbol("wire", (55, 18), (55, 7), "", "secondary", "Vsec1"), Symbol("diode", (55, 7), (69, 7), "", "secondary", "Dfeed"), Symbol("note", (60, 0), (60, 6), str(row["name"]), "secondary"),
        Symbol("wire", (55, 44), (55, 49), "", "secondary", "Vsec2"), Symbol("wire", (55, 49), (60, 49), "", "secondary", "Vsec2"), Symbol("diode", (60, 49), (69, 49), "", "secondary", "Dfeed2"), Symbol("wire", (69, 49), (69, 7), "", "secondary", "Dfeed2"),
        Symbol("wire", (55, 31), (60, 31), "", "secondary", "Lout"), Symbol("wire", (60, 31), (60, 55), "", "secondary", "Lout"), Symbol("wire", (60, 55), (94, 55), "", "secondary", "Lout"),
        Symbol("inductor", (69, 7), (86, 7), "", "secondary", "Lout"), Symbol("note", (83, 0), (83, 6), f"{value('filter1.l')} on {rows['filter1.core'].value}", "secondary"), Symbol("wire", (86, 7), (94, 7), "", "secondary", "Lout"),
        Symbol("capacitor", (86, 7), (86, 55), f"{count} × {show(float(rows['output1.c'].value) / count, 'F')}", "secondary", "Cout1", True),
        Symbol("load", (94, 7), (94, 55), f"{design.requirement.outputs[design.requirement.main].name} {show(at(s.i_out), 'A')}", "secondary", "Rload1")]
