"""The symbols a topology places for the circuit picture."""

from collections.abc import Mapping
from typing import Any

from msgspec import Struct

from rhevectra.core.basis.quantities import show
from rhevectra.core.stages import beside

Place = tuple[float, float]
BANK, LOAD = 93.0, 101.0
"""Where the capacitors of an output stand, and its load: so far apart from the rectifiers that the value fits between."""
OUT: tuple[str, Place, str, str] = ("out1", (LOAD, 5), "right", "secondary")
"""Where the voltage of the output stands at an instant: node of the circuit, place, anchor of the text, side."""


class Symbol(Struct, frozen=True):
    """One symbol between two places: kind (wire, capacitor, resistor, inductor, winding, diode, switch, load, core, note), label, side,
    element of the circuit."""

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
    label = show(float(rows["bulk.c"].value), rows["bulk.c"].unit) if "bulk.c" in rows else fed_by(rows, name)
    return (Symbol("capacitor", (x, 14), (x, 48), label, "primary", "Vbus"), Symbol("wire", (x, top), (x, 14), element="Vbus"),
            Symbol("wire", (x, 48), (x, bottom), element="Vbus"))


def fed_by(rows: Mapping[str, Any], name: str = "input") -> str:
    """What stands beside the capacitors of a dc input: all of them together, or its name before they are chosen."""
    return show(float(rows["input.c"].value), "F", 2) if "input.c" in rows else name


def switch(rows: Mapping[str, Any]) -> str:
    """What stands beside a switch: its class, and how many side by side."""
    count, name = beside.number(rows), str(rows["switch.class"].value)
    return f"{count} × {name}" if count > 1 else name


def bank(rows: Mapping[str, Any], part: str) -> str:
    """What stands beside capacitors side by side, those of `part`: how many, and of what each."""
    count = int(rows[f"{part}.parallel"].value)
    return f"{count} × {show(float(rows[f'{part}.c'].value) / count, 'F')}"


def fed(design: Any, n: int, amps: float, top: float, bottom: float) -> tuple[Symbol, ...]:
    """Capacitors and load of output n with their values, between the heights top and bottom."""
    name = design.delivered.outputs[n - 1].name
    return (Symbol("capacitor", (BANK, top), (BANK, bottom), bank(design.rows, f"output{n}"), "secondary", f"Cout{n}", True),
            Symbol("load", (LOAD, top), (LOAD, bottom), f"{name} {show(amps, 'A')}", "secondary", f"Rload{n}"))
