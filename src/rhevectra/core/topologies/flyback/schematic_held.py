"""How the two-switch flyback is drawn, on the same plane of 100 by 60 as the others."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.topologies.common.symbols import Place, Symbol, source, switch
from rhevectra.core.topologies.flyback.schematic import below, secondary, sensed

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("top", (24, 24), "right", "primary"),
                                                        ("drain", (36, 34), "right", "primary"), ("out1", (92, 6), "right", "secondary"))
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design, main output drawn, others told in the label of the load."""
    rows = design.rows
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    return [
        *source(rows, top=8, bottom=54),
        Symbol("wire", (6, 8), (26, 8), element="Supper"), Symbol("wire", (26, 8), (38, 8), element="Dcl"),
        Symbol("wire", (6, 54), (26, 54), element="Dlow"), Symbol("wire", (26, 54), (38, 54), element="Ssw"),
        Symbol("switch", (26, 8), (26, 20), switch(rows), "primary", "Supper"),
        Symbol("wire", (26, 20), (26, 34), element="Dlow"), Symbol("diode", (26, 54), (26, 34), "", "primary", "Dlow"),
        Symbol("wire", (38, 36), (38, 17), element="Dcl"), Symbol("diode", (38, 17), (38, 8), "", "primary", "Dcl"),
        Symbol("inductor", (26, 20), (36, 20), "", "primary", "Llk"), Symbol("wire", (36, 20), (44, 20), element="Llk"),
        Symbol("note", (26, 3), (26, 6), f"L_p {value('transformer.lp')}, leakage {value('transformer.leakage')}", "primary", "Llk"),
        Symbol("winding", (44, 20), (44, 36), "", "primary", "Lm"), Symbol("wire", (44, 36), (38, 36), element="Lm"),
        Symbol("switch", (38, 36), (38, 48), "", "primary", "Ssw"), sensed(rows, (38, 48), (38, 54), True),
        *secondary(design, corner), *below(design, corner)]
