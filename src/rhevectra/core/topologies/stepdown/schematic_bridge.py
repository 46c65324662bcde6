"""Where the symbols of a full bridge with a centre tap stand on a plane of 100 x 60; their values come from the design."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.topologies.common.symbols import OUT, Place, Symbol, source
from rhevectra.core.topologies.stepdown import primary_snubber
from rhevectra.core.topologies.stepdown.schematic_tap import secondary

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("a", (20, 25), "right", "primary"),
                                                        ("b", (44, 45), "left", "primary"), OUT)
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows = design.rows
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    return [
        *source(rows),
        Symbol("wire", (6, 7), (22, 7), element="Suppera"), Symbol("wire", (22, 7), (42, 7), element="Supperb"),
        Symbol("wire", (6, 55), (22, 55), element="Slowera"), Symbol("wire", (22, 55), (42, 55), element="Slowerb"),
        Symbol("note", (21, 0), (21, 6), f"4 × {rows['switch.class'].value}", "primary"), *_inductance(rows, value),
        Symbol("switch", (22, 7), (22, 26), "", "primary", "Suppera"), Symbol("switch", (22, 30), (22, 55), "", "primary", "Slowera"),
        Symbol("wire", (22, 26), (22, 30), element="Slowera"),
        Symbol("switch", (42, 7), (42, 26), "", "primary", "Supperb"), Symbol("wire", (42, 26), (42, 40), element="Supperb"),
        Symbol("switch", (42, 40), (42, 55), "", "primary", "Slowerb"),
        Symbol("inductor", (22, 28), (36, 28), "", "primary", "Llk"), Symbol("wire", (36, 28), (48, 28), element="Llk"),
        Symbol("winding", (48, 28), (48, 40), "", "primary", "Lm"), *_return(design),
        *primary_snubber.note(design), *secondary(design, corner)]


def _inductance(rows: Any, value: Any) -> tuple[Symbol, ...]:
    """The leakage, and above it the series inductor where there is one."""
    series = "psfb.l_series" in rows and float(rows["psfb.l_series"].value) > 0
    leakage = value("transformer.leakage")
    return ((Symbol("note", (31, 20), (31, 26), value("psfb.l_series"), "primary"),
             Symbol("note", (31, 31), (31, 37), f"+ {leakage}", "primary")) if series
            else (Symbol("note", (31, 20), (31, 26), leakage, "primary"),))


def _return(design: Any) -> tuple[Symbol, ...]:
    """From the winding back to the second leg, through the blocking capacitor where there is one."""
    c = float(design.rows["blocking.c"].value)
    return ((Symbol("capacitor", (48, 40), (42, 40), "", "primary", "Cblock"),
             Symbol("note", (48.5, 45), (48.5, 51), show(c, "F"), "primary")) if c
            else (Symbol("wire", (48, 40), (42, 40), element="Llk"),))
