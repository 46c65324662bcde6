"""How the flyback is drawn: symbols placed on a plane of 100 by 60, values from the circuit that is also exported."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.topologies.common.symbols import Place, Symbol

NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (2, 6), "left", "primary"), ("drain", (40, 41), "right", "primary"), ("out1", (92, 6), "right", "secondary"))
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design, main output drawn, others told in the label of the load."""
    rows = design.rows
    value = lambda id: rows[id].value if isinstance(rows[id].value, str) else show(float(rows[id].value), rows[id].unit)  # noqa: E731
    return [
        Symbol("capacitor", (2, 12), (2, 50), f"bulk {value('bulk.c')}" if "bulk.c" in rows else "input", "primary", "Vbus"),
        Symbol("wire", (2, 8), (44, 8), element="Vbus"), Symbol("wire", (2, 8), (2, 12), element="Vbus"), Symbol("wire", (2, 50), (2, 54), element="Vbus"), Symbol("wire", (2, 54), (44, 54), element="Vbus"),
        *(Symbol(*told) for told in design.context["stage"].variant.clamp.symbols(value)),
        Symbol("inductor", (44, 8), (44, 16), "", "primary", "Llk"), Symbol("note", (44, 3), (44, 6), f"leakage {value('transformer.leakage')}", "primary", "Llk"), Symbol("winding", (44, 16), (44, 36), f"{value('transformer.lp')}", "primary", "Lm"),
        Symbol("switch", (44, 36), (44, 48), str(rows["switch.class"].value), "primary", "Ssw"), Symbol("resistor", (44, 48), (44, 54), f"sense {value('sense.r')}", "primary", "Vsense"),
        *secondary(design, corner)]


def secondary(design: Any, corner: Corner) -> list[Symbol]:
    """Core, main secondary, rectifier, capacitor and load."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    n = design.requirement.main + 1
    row = design.context["plan"].rectifiers[n - 1]["row"]
    count = int(rows[f"output{n}.parallel"].value)
    more = len(design.requirement.outputs) - 1
    value = lambda id: show(float(rows[f"rectifier{n}.{id}"].value), rows[f"rectifier{n}.{id}"].unit)  # noqa: E731
    turns = f"{rows['transformer.np'].value:.0f} : {rows.get(f'transformer.ns{n}_seen', rows[f'transformer.ns{n}']).value:g}"
    across = [Symbol("wire", (56, 8), (56, 1), "", "secondary", "Rsn1"), Symbol("resistor", (56, 1), (61, 1), "", "secondary", "Rsn1"), Symbol("capacitor", (61, 1), (66, 1), "", "secondary", "Csn1"), Symbol("wire", (66, 1), (66, 8), "", "secondary", "Csn1")]
    snubber = [*across, Symbol("note", (79, 1), (79, 4), f"{value('snubber_r')}, {value('snubber_c')}", "secondary", "Rsn1")] if design.context["plan"].snubbers else []
    return [
        *snubber, Symbol("core", (48.5, 15), (48.5, 37), f"{rows['transformer.core'].value}  {turns}"),
        Symbol("winding", (53, 16), (53, 36), "", "secondary", "Vsec1", True), Symbol("wire", (53, 36), (53, 54), "", "secondary", "Vsec1"), Symbol("wire", (53, 16), (53, 8), "", "secondary", "Vsec1"),
        Symbol("diode", (53, 8), (66, 8), str(row["label"]), "secondary", "Dout1"), Symbol("wire", (66, 8), (92, 8), "", "secondary", "Dout1"), Symbol("wire", (53, 54), (92, 54), "", "secondary", "Vsec1"),
        Symbol("capacitor", (80, 8), (80, 54), f"{count} × {show(float(rows[f'output{n}.c'].value) / count, 'F')}", "secondary", "Cout1", True),
        Symbol("load", (92, 8), (92, 54), f"{design.requirement.outputs[n - 1].name} {show(at(s.i_outputs[0]), 'A')}" + (f" (+{more} more)" if more else ""), "secondary", "Rload1")]
