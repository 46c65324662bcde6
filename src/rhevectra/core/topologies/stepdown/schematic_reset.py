"""Where the symbols of a forward with a reset winding stand on a plane of 100 x 60; their values come from the design."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.topologies.common.symbols import OUT, Place, Symbol, source, switch
from rhevectra.core.topologies.stepdown.schematic_single import secondary

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("d1", (39, 46), "right", "primary"), OUT)
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows = design.rows
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    turns = f"{rows['transformer.np'].value:.0f} + {rows['transformer.nr'].value:.0f} : {rows['transformer.ns1'].value:.0f}"
    return [
        *source(rows),
        Symbol("wire", (6, 7), (34, 7), element="Vreset"), Symbol("wire", (34, 7), (48, 7), element="Lhalf1"),
        Symbol("wire", (6, 55), (34, 55), element="Vreset"), Symbol("wire", (34, 55), (42, 55), element="Slower1"),
        Symbol("winding", (34, 14), (34, 28), "", "primary", "Vreset"), Symbol("wire", (34, 7), (34, 14), element="Vreset"),
        Symbol("diode", (34, 55), (34, 28), "", "primary", "Dreset"),
        Symbol("note", (24, 0), (24, 6), f"clamp {value('spike.r')}, {value('spike.c')}", "primary"),
        Symbol("note", (20, 34), (20, 40), switch(rows), "primary"),
        Symbol("winding", (48, 30), (48, 44), "", "primary", "Lhalf1"), Symbol("wire", (48, 7), (48, 30), element="Lhalf1"),
        Symbol("wire", (48, 44), (42, 44), element="Lhalf1"), Symbol("switch", (42, 44), (42, 55), "", "primary", "Slower1"),
        Symbol("core", (51.5, 14), (51.5, 45), f"{rows['transformer.core'].value}  {turns}, L_m {value('transformer.lm')}"),
        *secondary(design, corner)]
