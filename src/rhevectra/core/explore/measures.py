"""What designs are compared by, and how it is shown."""

from msgspec import Struct

from rhevectra.core.basis.quantities import minus, show
from rhevectra.core.design.contest import Entry


class Measure(Struct, frozen=True):
    """What designs are compared by: its short title, unit, how a value is shown against its SI value, and whether less is better."""

    title: str
    unit: str
    scale: float = 1.0
    less: bool = True


MEASURES = {"loss": Measure("Loss", "W"), "magnetics_volume": Measure("Cores", "cm³", 1e6), "cost_index": Measure("Cost", ""),
            "efficiency": Measure("η full", "%", 100.0, False), "efficiency_light": Measure("η 10 %", "%", 100.0, False),
            "switch_stress": Measure("Switch stress", "VA/W"), "capacitor_stress": Measure("Capacitors", "VA/W"),
            "tightest_margin": Measure("Margin", "%", 100.0, False)}
TABLE = ("loss", "efficiency", "efficiency_light", "magnetics_volume", "cost_index", "tightest_margin")
"""Measures that a table of designs shows."""


def told(entry: Entry, measure: str) -> str:
    """One measure of a design with its unit; a margin is marked where a limit is passed."""
    m = MEASURES[measure]
    value = float(getattr(entry, measure)) * m.scale
    passed = "▲ " if measure == "tightest_margin" and value < 0 else ""
    return minus(f"{passed}{value:.1f} %") if m.unit == "%" else f"{show(value)} {m.unit}".strip()
