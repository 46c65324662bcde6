"""The symbols a topology places for the circuit picture."""

from dataclasses import dataclass

Place = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Symbol:
    """One symbol between two places: kind (wire, capacitor, resistor, inductor, winding, diode, switch, load, core, note), label, side, element of the circuit."""

    kind: str
    start: Place
    end: Place
    label: str = ""
    side: str = "primary"
    element: str = ""
    flip: bool = False
    """A winding bulging the other way; a label on the other side."""
