"""The secondary side of a core driven both ways: centre tap, bridge or current doubler, and the filter; on the plane of 100 x 60 of the
schematic it belongs to."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common import schematic_several
from rhevectra.core.topologies.common.pieces import called
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, DOUBLER, TAP
from rhevectra.core.topologies.common.symbols import BANK, LOAD, Place, Symbol, fed
from rhevectra.core.topologies.stepdown import snubbers


def secondary(design: Any, corner: Corner) -> list[Symbol]:
    """Core, winding, rectifiers, filter and load with the values of the design."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    kind = s.secondary
    turns = [format(float(rows[f"transformer.{n}"].value), ".0f") for n in ("np", "ns1")]
    sides = f"{' + '.join([turns[0]] * s.variant.halves)} : {' + '.join([turns[1]] * (2 if kind == TAP else 1))}"
    inductors = f"{'2 × ' if kind == DOUBLER else ''}{value('filter1.l')} on {rows['filter1.core'].value}"
    return [
        *snubbers.note(design),
        Symbol("core", (51.5, 18), (51.5, 44), f"{called(design)}  {sides}, L_m {value('transformer.lm')}"),
        *{TAP: _tap, BRIDGE: _bridge, DOUBLER: _doubler}[kind](),
        Symbol("note", (54, 0), (54, 6), str(design.context["plan"].rectifiers[design.requirement.main]["row"]["label"]), "secondary"),
        Symbol("note", (88, 0), (88, 6), inductors, "secondary"), Symbol("wire", (BANK, 7), (LOAD, 7), "", "secondary", "Lout"),
        *fed(design, 1, at(s.i_out), 7, 55), *schematic_several.below(design, corner, s.variant.both_ways, True)]


def _wire(a: Place, b: Place, element: str) -> Symbol:
    return Symbol("wire", a, b, "", "secondary", element)


def _diode(a: Place, b: Place, element: str) -> Symbol:
    return Symbol("diode", a, b, "", "secondary", element)


def _tap() -> list[Symbol]:
    return [
        Symbol("winding", (55, 18), (55, 30), "", "secondary", "Vsec1", True),
        Symbol("winding", (55, 32), (55, 44), "", "secondary", "Vsec2", True), _wire((55, 30), (55, 32), "Lout"),
        _wire((55, 18), (55, 7), "Vsec1"), _diode((55, 7), (69, 7), "Dfeed"),
        _wire((55, 44), (55, 49), "Vsec2"), _wire((55, 49), (60, 49), "Vsec2"), _diode((60, 49), (69, 49), "Dfeed2"),
        _wire((69, 49), (69, 7), "Dfeed2"), _wire((55, 31), (60, 31), "Lout"), _wire((60, 31), (60, 55), "Lout"),
        _wire((60, 55), (LOAD, 55), "Lout"),
        Symbol("inductor", (69, 7), (BANK, 7), "", "secondary", "Lout")]


def _bridge() -> list[Symbol]:
    return [
        Symbol("winding", (55, 24), (55, 38), "", "secondary", "Vsec1", True), _wire((55, 24), (62, 24), "Vsec1"),
        _wire((55, 38), (69, 38), "Vsec1"), _diode((62, 24), (62, 7), "Dfeed"), _wire((62, 44), (62, 24), "Dback2"),
        _diode((62, 55), (62, 44), "Dback2"),
        _wire((69, 24), (69, 38), "Dfeed2"), _diode((69, 24), (69, 7), "Dfeed2"), _diode((69, 55), (69, 44), "Dback"),
        _wire((69, 44), (69, 38), "Dback"), _wire((62, 7), (69, 7), "Dfeed"), _wire((62, 55), (LOAD, 55), "Lout"),
        Symbol("inductor", (69, 7), (BANK, 7), "", "secondary", "Lout")]


def _doubler() -> list[Symbol]:
    return [
        Symbol("winding", (55, 24), (55, 38), "", "secondary", "Vsec1", True), _wire((55, 24), (55, 7), "Vsec1"),
        _wire((55, 7), (62, 7), "Lout"), _wire((55, 38), (68, 38), "Vsec1"), _diode((61, 55), (61, 44), "Dfeed2"),
        _wire((61, 44), (61, 7), "Dfeed2"),
        _diode((68, 55), (68, 44), "Dfeed"), _wire((68, 44), (68, 38), "Dfeed"), _wire((61, 55), (LOAD, 55), "Rload1"),
        Symbol("inductor", (62, 7), (79, 7), "", "secondary", "Lout"), _wire((79, 7), (BANK, 7), "Lout"),
        Symbol("inductor", (68, 38), (80, 38), "", "secondary", "Lout2"), _wire((80, 38), (82, 38), "Lout2"),
        _wire((82, 38), (82, 7), "Lout2")]
