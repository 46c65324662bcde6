"""Where the symbols of a push-pull with its clamp and a centre tap stand on a plane of 100 x 60; their values come from the design."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.topologies.common.symbols import OUT, Place, Symbol, source
from rhevectra.core.topologies.stepdown import primary_snubber
from rhevectra.core.topologies.stepdown.schematic_tap import secondary

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("d1", (31, 19), "left", "primary"),
                                                        ("d2", (36, 47), "right", "primary"), OUT)
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows = design.rows
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    return [
        *source(rows),
        Symbol("wire", (6, 7), (25, 7), element="Vbus"), Symbol("wire", (25, 7), (25, 31), element="Vbus"),
        Symbol("wire", (25, 31), (48, 31), element="Vbus"), Symbol("wire", (48, 30), (48, 32), element="Vbus"),
        Symbol("note", (22, 0), (22, 6), f"2 × {rows['switch.class'].value}", "primary"),
        Symbol("note", (16, 41), (16, 47), f"clamp {value('spike.r')}, {value('spike.c')}", "primary"),
        Symbol("winding", (48, 18), (48, 30), "", "primary", "Lhalf1"), Symbol("winding", (48, 32), (48, 44), "", "primary", "Lhalf2"),
        Symbol("wire", (48, 18), (48, 13), element="Lhalf1"), Symbol("wire", (48, 13), (28, 13), element="Lhalf1"),
        Symbol("switch", (28, 13), (28, 28), "", "primary", "Slower1"), Symbol("wire", (28, 28), (28, 55), element="Slower1"),
        Symbol("wire", (48, 44), (48, 45), element="Lhalf2"), Symbol("wire", (48, 45), (38, 45), element="Lhalf2"),
        Symbol("switch", (38, 45), (38, 55), "", "primary", "Slower2"),
        Symbol("wire", (6, 55), (28, 55), element="Slower1"), Symbol("wire", (28, 55), (38, 55), element="Slower2"),
        *primary_snubber.note(design), *secondary(design, corner)]
