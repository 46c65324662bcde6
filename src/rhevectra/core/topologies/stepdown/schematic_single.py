"""Where the symbols of a two-switch forward stand on a plane of 100 x 60; their values come from the design."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common import schematic_several
from rhevectra.core.topologies.common.symbols import BANK, LOAD, OUT, Place, Symbol, fed, source, switch
from rhevectra.core.topologies.stepdown import snubbers

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("a", (26.5, 32), "right", "primary"),
                                                        ("b", (44, 49), "left", "primary"), OUT)
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows = design.rows
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    turns = f"{rows['transformer.np'].value:.0f} : {rows['transformer.ns1'].value:.0f}"
    return [
        *source(rows),
        Symbol("wire", (6, 7), (29, 7), element="Supper"), Symbol("wire", (29, 7), (42, 7), element="Dhigh"),
        Symbol("wire", (6, 55), (29, 55), element="Dlow"), Symbol("wire", (29, 55), (42, 55), element="Slower"),
        Symbol("note", (17, 0), (17, 6), f"L_m {value('transformer.lm')}, leakage {value('transformer.leakage')}", "primary"),
        Symbol("switch", (29, 7), (29, 28), switch(rows), "primary", "Supper"),
        Symbol("wire", (29, 28), (29, 30), element="Supper"), Symbol("wire", (29, 30), (29, 34), element="Dlow"),
        Symbol("diode", (29, 55), (29, 34), "", "primary", "Dlow"),
        Symbol("diode", (42, 28), (42, 7), "", "primary", "Dhigh"), Symbol("wire", (42, 44), (42, 28), element="Dhigh"),
        Symbol("switch", (42, 44), (42, 55), "", "primary", "Slower"),
        Symbol("inductor", (29, 30), (41, 30), "", "primary", "Llk"), Symbol("wire", (41, 30), (48, 30), element="Llk"),
        Symbol("winding", (48, 30), (48, 44), "", "primary", "Lm"), Symbol("wire", (48, 44), (42, 44), element="Llk"),
        Symbol("core", (51.5, 29), (51.5, 45),
               f"{rows['transformer.core'].value}  {turns}    {rows['filter1.core'].value}  {value('filter1.turns')}"),
        *secondary(design, corner)]


def secondary(design: Any, corner: Corner) -> list[Symbol]:
    """One secondary winding, two rectifiers, filter and load with the values of the design."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    row = design.context["plan"].rectifiers[design.requirement.main]["row"]
    return [
        *snubbers.note(design),
        Symbol("winding", (55, 30), (55, 44), "", "secondary", "Vsec1", True), Symbol("wire", (55, 30), (55, 7), "", "secondary", "Vsec1"),
        Symbol("wire", (55, 44), (55, 55), "", "secondary", "Vsec1"),
        Symbol("diode", (55, 7), (69, 7), "", "secondary", "Dfeed"), Symbol("note", (58, 0), (58, 6), str(row["label"]), "secondary"),
        Symbol("wire", (69, 7), (69, 36), "", "secondary", "Dfree"), Symbol("diode", (69, 55), (69, 36), "", "secondary", "Dfree"),
        Symbol("inductor", (69, 7), (BANK, 7), "", "secondary", "Lout"),
        Symbol("note", (83, 0), (83, 6), show(float(rows["filter1.l"].value), "H"), "secondary"),
        Symbol("wire", (BANK, 7), (LOAD, 7), "", "secondary", "Lout"), Symbol("wire", (55, 55), (69, 55), "", "secondary", "Vsec1"),
        Symbol("wire", (69, 55), (LOAD, 55), "", "secondary", "Lout"),
        *fed(design, 1, at(s.i_out), 7, 55), *schematic_several.below(design, corner, s.variant.both_ways, True)]
