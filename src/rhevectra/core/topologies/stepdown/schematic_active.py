"""Where the symbols of a forward with an active clamp stand on a plane of 100 x 60; their values come from the design."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.topologies.common.symbols import OUT, Place, Symbol, source
from rhevectra.core.topologies.stepdown.schematic_single import secondary

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("d1", (40, 49), "right", "primary"),
                                                        ("cl", (24, 25), "right", "primary"), OUT)
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows = design.rows
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    turns = f"{rows['transformer.np'].value:.0f} : {rows['transformer.ns1'].value:.0f}"
    return [
        *source(rows),
        Symbol("wire", (6, 7), (28, 7), element="Llk"), Symbol("wire", (28, 7), (48, 7), element="Llk"),
        Symbol("wire", (6, 55), (42, 55), element="Slower1"),
        Symbol("capacitor", (28, 7), (28, 26), value("active.c"), "primary", "Cclamp"),
        Symbol("switch", (28, 26), (28, 44), "", "primary", "Sclamp"), Symbol("wire", (28, 44), (42, 44), element="Sclamp"),
        Symbol("note", (24, 0), (24, 6), f"2 × {rows['switch.class'].value}, {value('transformer.leakage')}", "primary"),
        Symbol("inductor", (48, 7), (48, 26), "", "primary", "Llk"), Symbol("winding", (48, 30), (48, 44), "", "primary", "Lm"),
        Symbol("wire", (48, 26), (48, 30), element="Llk"), Symbol("wire", (48, 44), (42, 44), element="Llk"),
        Symbol("switch", (42, 44), (42, 55), "", "primary", "Slower1"),
        Symbol("core", (51.5, 29), (51.5, 45), f"{rows['transformer.core'].value}  {turns}, L_m {value('transformer.lm')}"),
        *secondary(design, corner)]
