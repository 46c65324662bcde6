"""Where the symbols of a half bridge with its divider capacitors and a centre tap stand on a plane of 100 x 60; their values come from the
design."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.topologies.common.symbols import OUT, Place, Symbol, source
from rhevectra.core.topologies.stepdown import primary_snubber
from rhevectra.core.topologies.stepdown.schematic_tap import secondary

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("mid", (18, 34), "left", "primary"),
                                                        ("a", (34, 27), "left", "primary"), OUT)
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows = design.rows
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    return [
        *source(rows),
        Symbol("wire", (6, 7), (16, 7), element="Cdivtop"), Symbol("wire", (16, 7), (32, 7), element="Suppera"),
        Symbol("wire", (6, 55), (16, 55), element="Cdivbot"), Symbol("wire", (16, 55), (32, 55), element="Slowera"),
        Symbol("capacitor", (16, 7), (16, 31), value("divider.c"), "primary", "Cdivtop"),
        Symbol("capacitor", (16, 31), (16, 55), "", "primary", "Cdivbot"),
        Symbol("note", (21, 0), (21, 6), f"2 × {rows['switch.class'].value}", "primary"),
        Symbol("note", (40, 14), (40, 20), value("transformer.leakage"), "primary"),
        Symbol("switch", (32, 7), (32, 22), "", "primary", "Suppera"), Symbol("switch", (32, 22), (32, 46), "", "primary", "Slowera"),
        Symbol("wire", (32, 46), (32, 55), element="Slowera"),
        Symbol("inductor", (32, 22), (46, 22), "", "primary", "Llk"), Symbol("wire", (46, 22), (48, 22), element="Llk"),
        Symbol("wire", (48, 22), (48, 28), element="Llk"), Symbol("winding", (48, 28), (48, 40), "", "primary", "Lm"),
        Symbol("wire", (48, 40), (48, 50), element="Llk"), Symbol("wire", (48, 50), (24, 50), element="Llk"),
        Symbol("wire", (24, 50), (24, 31), element="Llk"), Symbol("wire", (24, 31), (16, 31), element="Llk"),
        *primary_snubber.note(design), *secondary(design, corner)]
