"""Where the symbols of a resonant stage with a centre tap stand on a plane of 100 x 60; their values come from the design."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common import schematic_several
from rhevectra.core.topologies.common.pieces import called
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE
from rhevectra.core.topologies.common.symbols import BANK, LOAD, OUT, Place, Symbol, fed, source

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (6, 5), "left", "primary"), ("a", (17, 27), "right", "primary"),
                                                        ("m", (51, 17), "right", "primary"), OUT)
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows, v = design.rows, design.context["stage"].variant
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    back = [Symbol("wire", (48, 40), (48, 55), element="Lm"), Symbol("wire", (48, 55), (19, 55), element="Lm")] if v.drive < 1 else [
        Symbol("wire", (19, 7), (30, 7), element="Supperb"), Symbol("wire", (19, 55), (30, 55), element="Slowerb"),
        Symbol("switch", (30, 7), (30, 18), "", "primary", "Supperb"), Symbol("wire", (30, 18), (30, 42), element="Supperb"),
        Symbol("switch", (30, 42), (30, 55), "", "primary", "Slowerb"), Symbol("wire", (48, 40), (30, 40), element="Lm")]
    return [
        *source(rows, name="bus"),
        *([Symbol("note", (31, 44), (31, 50), f"one of {v.phases} phases, {360 // v.phases}° apart", "primary")] if v.phases > 1 else []),
        Symbol("wire", (6, 7), (19, 7), element="Suppera"), Symbol("wire", (6, 55), (19, 55), element="Slowera"),
        Symbol("switch", (19, 7), (19, 22), "", "primary", "Suppera"), Symbol("wire", (19, 22), (19, 30), element="Slowera"),
        Symbol("switch", (19, 30), (19, 55), "", "primary", "Slowera"),
        Symbol("note", (26, 0), (26, 6), f"{v.switches} × {rows['switch.class'].value}", "primary"),
        Symbol("wire", (19, 25), (20, 25), element="Cres"), Symbol("capacitor", (20, 25), (28, 25), "", "primary", "Cres"),
        Symbol("note", (24, 14), (24, 20), value("llc.cr"), "primary"),
        Symbol("inductor", (32, 25), (44, 25), "", "primary", "Lres"), Symbol("wire", (28, 25), (32, 25), element="Lres"),
        Symbol("note", (38, 13), (38, 19), value("llc.lr"), "primary"), Symbol("wire", (44, 25), (48, 25), element="Lres"),
        Symbol("wire", (48, 25), (48, 28), element="Lres"),
        Symbol("winding", (48, 28), (48, 40), "", "primary", "Lm"), *back, *_secondary(design, corner)]


def _secondary(design: Any, corner: Corner) -> list[Symbol]:
    """Core, secondary, rectifiers straight into the output capacitor, load."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    row = design.context["plan"].rectifiers[design.requirement.main]["row"]
    one = f"{rows['transformer.ns1'].value:.0f}"
    turns = f"{rows['transformer.np'].value:.0f} : {one if s.secondary == BRIDGE else f'{one} + {one}'}"
    wire = lambda a, b, e: Symbol("wire", a, b, "", "secondary", e)  # noqa: E731
    diode = lambda a, b, e: Symbol("diode", a, b, "", "secondary", e)  # noqa: E731
    sides = [Symbol("winding", (55, 24), (55, 38), "", "secondary", "Vsec1", True), wire((55, 24), (62, 24), "Vsec1"),
             wire((55, 38), (70, 38), "Vsec1"), diode((62, 24), (62, 7), "Dfeed"), wire((62, 44), (62, 24), "Dback2"),
             diode((62, 55), (62, 44), "Dback2"),
             wire((70, 24), (70, 38), "Dfeed2"), diode((70, 24), (70, 7), "Dfeed2"), diode((70, 55), (70, 44), "Dback"),
             wire((70, 44), (70, 38), "Dback"), wire((62, 7), (70, 7), "Dfeed"),
             wire((62, 55), (LOAD, 55), "Rload1")] if s.secondary == BRIDGE else [
        Symbol("winding", (55, 18), (55, 30), "", "secondary", "Vsec1", True),
        Symbol("winding", (55, 32), (55, 44), "", "secondary", "Vsec2", True), wire((55, 30), (55, 32), "Rload1"),
        wire((55, 18), (55, 7), "Vsec1"), diode((55, 7), (70, 7), "Dfeed"),
        wire((55, 44), (55, 49), "Vsec2"), wire((55, 49), (62, 49), "Vsec2"), diode((62, 49), (70, 49), "Dfeed2"),
        wire((70, 49), (70, 7), "Dfeed2"), wire((55, 31), (62, 31), "Rload1"), wire((62, 31), (62, 55), "Rload1"),
        wire((62, 55), (LOAD, 55), "Rload1")]
    return [
        Symbol("core", (51.5, 18), (51.5, 44), f"{called(design)}  {turns}, L_m {show(float(rows['llc.lm'].value), 'H')}"),
        *sides, Symbol("note", (64, 0), (64, 6), str(row["label"]), "secondary"), wire((70, 7), (BANK, 7), "Rload1"),
        wire((BANK, 7), (LOAD, 7), "Rload1"),
        *fed(design, 1, s.variant.phases * at(s.i_out), 7, 55), *schematic_several.below(design, corner, True, False)]
