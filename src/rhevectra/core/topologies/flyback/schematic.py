"""How the flyback is drawn: symbols placed on a plane of 100 by 60, values from the circuit that is also exported; below it, where there is
room, the auxiliary supply and the other outputs."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common.supply import regulated
from rhevectra.core.topologies.common.symbols import Place, Symbol, bank, fed_by, switch

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (2, 6), "left", "primary"), ("drain", (40, 41), "right", "primary"),
                                                        ("out1", (92, 6), "right", "secondary"))
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design."""
    rows = design.rows
    value = lambda id: rows[id].value if isinstance(rows[id].value, str) else show(float(rows[id].value), rows[id].unit)  # noqa: E731
    return [
        Symbol("capacitor", (2, 12), (2, 50), f"bulk {value('bulk.c')}" if "bulk.c" in rows else fed_by(rows), "primary", "Vbus"),
        Symbol("wire", (2, 8), (44, 8), element="Vbus"), Symbol("wire", (2, 8), (2, 12), element="Vbus"),
        Symbol("wire", (2, 50), (2, 54), element="Vbus"), Symbol("wire", (2, 54), (44, 54), element="Vbus"),
        *(Symbol(*told) for told in design.context["stage"].variant.clamp.symbols(value)),
        Symbol("inductor", (44, 8), (44, 16), "", "primary", "Llk"),
        Symbol("note", (44, 3), (44, 6), f"leakage {value('transformer.leakage')}", "primary", "Llk"),
        Symbol("winding", (44, 16), (44, 36), f"{value('transformer.lp')}", "primary", "Lm"),
        Symbol("switch", (44, 36), (44, 48), switch(rows), "primary", "Ssw"), sensed(rows, (44, 48), (44, 54)),
        *secondary(design, corner), *below(design, corner)]


def sensed(rows: Any, upper: Place, lower: Place, beside: bool = False) -> Symbol:
    """What carries the switch's current to the lower rail: the resistor of the current sense, or a wire where the switch measures it
    itself. beside: as of the symbol."""
    if "sense.r" not in rows:
        return Symbol("wire", upper, lower, element="Vsense")
    return Symbol("resistor", upper, lower, f"sense {show(float(rows['sense.r'].value), rows['sense.r'].unit)}", "primary", "Vsense",
                  beside)


TOP, HIGH, EACH = 68.0, 13.0, 21.0
"""Where the windings below the power stage begin, how high each is, and how far the next lies below."""


def below(design: Any, corner: Corner) -> list[Symbol]:
    """The auxiliary supply on the left of the core, the outputs that no loop holds on its right."""
    rows, s, at, low = design.rows, design.context["stage"], reader(corner.index), TOP + HIGH
    r = rows["aux.r_series"]
    told = (f"{show(float(r.value), r.unit)}, " if r.value > 0 else "") + ("regulator, " if regulated(rows) else "")
    found = [Symbol("winding", (44, TOP), (44, low)),
             Symbol("note", (24, TOP - 6), (24, TOP - 1), f"auxiliary, {rows['transformer.naux'].value:g} turns"),
             Symbol("wire", (44, TOP), (6, TOP)),
             Symbol("diode", (44, low), (32, low)), Symbol("resistor" if r.value > 0 else "wire", (32, low), (20, low)),
             Symbol("wire", (20, low), (6, low)), Symbol("capacitor", (18, TOP), (18, low)), Symbol("load", (6, TOP), (6, low)),
             Symbol("note", (24, low + 4), (24, low + 7), f"{told}at least {show(design.value('start.c_supply'), 'F')}"),
             Symbol("note", (24, low + 8), (24, low + 13), f"{show(at(rows['aux.v_high']), 'V')} {show(at(s.i_outputs[-1]), 'A')}")]
    for k, out in enumerate(design.delivered.outputs[1:]):
        y, n = TOP + k * EACH, k + 2
        row = design.context["plan"].rectifiers[n - 1]["row"]
        found += [Symbol("winding", (53, y), (53, y + HIGH), "", "secondary", "", True), Symbol("diode", (53, y), (66, y), "", "secondary"),
                  Symbol("note", (76, y - 5), (76, y - 2), f"{rows[f'transformer.ns{n}'].value:g} turns, {row['label']}", "secondary"),
                  Symbol("wire", (66, y), (92, y), "", "secondary"),
                  Symbol("wire", (53, y + HIGH), (92, y + HIGH), "", "secondary"),
                  Symbol("capacitor", (80, y), (80, y + HIGH), bank(rows, f"output{n}"), "secondary", "", True),
                  Symbol("load", (92, y), (92, y + HIGH), f"{out.name} {show(at(s.i_outputs[k + 1]), 'A')}", "secondary")]
    return [*found, Symbol("core", (48.5, TOP - 1), (48.5, max(x.end[1] for x in found if x.kind == "winding") + 1))]


def secondary(design: Any, corner: Corner) -> list[Symbol]:
    """Core, main secondary, rectifier, capacitor and load."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    row = design.context["plan"].rectifiers[0]["row"]
    value = lambda id: show(float(rows[f"rectifier1.{id}"].value), rows[f"rectifier1.{id}"].unit)  # noqa: E731
    turns = f"{rows['transformer.np'].value:.0f} : {rows.get('transformer.ns1_seen', rows['transformer.ns1']).value:g}"
    across = [Symbol("wire", (56, 8), (56, 1), "", "secondary", "Rsn1"), Symbol("resistor", (56, 1), (61, 1), "", "secondary", "Rsn1"),
              Symbol("capacitor", (61, 1), (66, 1), "", "secondary", "Csn1"), Symbol("wire", (66, 1), (66, 8), "", "secondary", "Csn1")]
    snubber = ([*across, Symbol("note", (79, 1), (79, 4), f"{value('snubber_r')}, {value('snubber_c')}", "secondary", "Rsn1")]
               if design.context["plan"].snubbers else [])
    return [
        *snubber, Symbol("core", (48.5, 15), (48.5, 37), f"{rows['transformer.core'].value}  {turns}"),
        Symbol("winding", (53, 16), (53, 36), "", "secondary", "Vsec1", True), Symbol("wire", (53, 36), (53, 54), "", "secondary", "Vsec1"),
        Symbol("wire", (53, 16), (53, 8), "", "secondary", "Vsec1"),
        Symbol("diode", (53, 8), (66, 8), str(row["label"]), "secondary", "Dout1"),
        Symbol("wire", (66, 8), (92, 8), "", "secondary", "Dout1"), Symbol("wire", (53, 54), (92, 54), "", "secondary", "Vsec1"),
        Symbol("capacitor", (80, 8), (80, 54), bank(rows, "output1"), "secondary", "Cout1", True),
        Symbol("load", (92, 8), (92, 54), f"{design.requirement.outputs[0].name} {show(at(s.i_outputs[0]), 'A')}", "secondary",
               "Rload1")]
