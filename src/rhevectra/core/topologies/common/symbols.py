"""The symbols a topology places for the circuit picture."""

from collections.abc import Mapping
from typing import Any

from msgspec import Struct

from rhevectra.core.basis.quantities import show

Place = tuple[float, float]


class Symbol(Struct, frozen=True):
    """One symbol between two places: kind (wire, capacitor, resistor, inductor, winding, diode, switch, load, core, note), label, side, element of the circuit."""

    kind: str
    start: Place
    end: Place
    label: str = ""
    side: str = "primary"
    element: str = ""
    flip: bool = False
    """A winding bulging the other way; a label on the other side."""


def source(rows: Mapping[str, Any], x: float = 6, top: float = 7, bottom: float = 55, name: str = "input") -> tuple[Symbol, ...]:
    """The bulk capacitor with its value, or a source called `name` where there is none, between the rails at the heights top and bottom."""
    label = show(float(rows["bulk.c"].value), rows["bulk.c"].unit) if "bulk.c" in rows else name
    return Symbol("capacitor", (x, 14), (x, 48), label, "primary", "Vbus"), Symbol("wire", (x, top), (x, 14), element="Vbus"), Symbol("wire", (x, 48), (x, bottom), element="Vbus")
