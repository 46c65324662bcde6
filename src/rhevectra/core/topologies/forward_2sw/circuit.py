"""The two-switch forward of a design as one circuit at one corner: every element with its real value, nothing tuned."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.sheet import reader
from rhevectra.core.circuit.netlist import Circuit, Element, diode_model, number
from rhevectra.core.topologies.forward_2sw.evaluate import RESET_DIODE

EDGE = 2e-9
"""Rise and fall of the gate pulse [s]."""
DAMPING = 20.0
"""Quality factor of the leakage ring (common practice, no source)."""
EXACT_RATINGS = {"switch.v_peak": ("node", "b", "V"), "switch.i_peak": ("element", "rpri", "A")}
"""Ratings that the exact waveform is held against."""


def circuit(design: Any, corner: Corner) -> Circuit:
    """Power stage between bus and output at a corner. The bus is a dc source at its valley or crest; both gates get the sized pulse."""
    o, s = design.context["o"], design.context["stage"]
    at = reader(corner.index)
    period, t_on, ratio = 1 / at(o["fs"]), at(o["t_on"]), at(s.ns) / at(s.np)
    v_bus, v_out = at(s.v_bus), at(s.v_out)
    row = design.context["plan"].rectifiers[design.requirement.main]["row"]
    cap = design.catalogue["output_capacitors"].row(str(design.rows["output1.cap"].value))
    count = float(np.asarray(design.rows["output1.parallel"].value))
    ring = DAMPING * np.sqrt(at(s.leakage) / at(s.c_node))
    r_core = 2 * v_bus**2 * at(o["t_e"]) / (period * max(at(o["p_core"]), 1e-9))
    parts = (
        Element("Vbus", ("bus", "0"), f"DC {number(v_bus)}", "bulk"), Element("Vgate", ("gate", "0"), f"PULSE(0 10 0 {number(EDGE)} {number(EDGE)} {number(t_on - EDGE)} {number(period)})", "feedback"),
        Element("Supper", ("bus", "a", "gate", "0"), "SWITCH", "switch"), Element("Slower", ("b", "0", "gate", "0"), "SWITCH", "switch"),
        Element("Dlow", ("0", "a"), "DRESET", "switch"), Element("Dhigh", ("b", "bus"), "DRESET", "switch"),
        Element("Cupper", ("bus", "a"), f"{number(at(s.c_node))} IC={number(v_bus / 2)}", "switch"), Element("Clower", ("b", "0"), f"{number(at(s.c_node))} IC={number(v_bus / 2)}", "switch"),
        Element("Rpri", ("a", "p1"), number(at(s.r_primary)), "transformer"), Element("Llk", ("p1", "m1"), f"{number(at(s.leakage))} IC=0", "transformer"), Element("Rring", ("p1", "m1"), number(ring), "transformer"),
        Element("Lm", ("m1", "b"), f"{number(at(s.lm))} IC=0", "transformer"), Element("Rcore", ("m1", "b"), number(r_core), "transformer"),
        Element("Esec1", ("x1", "0", "m1", "b"), number(ratio), "transformer"), Element("Vsec1", ("x1", "y1"), "DC 0", "transformer"), Element("Fpri1", ("m1", "b", "Vsec1"), number(ratio), "transformer"),
        Element("Rsec1", ("y1", "z1"), number(max(s.extra["r_effective"][1], 1e-6)), "transformer"),
        Element("Dfeed", ("z1", "k"), "DOUT", "rectifier"), Element("Dfree", ("0", "k"), "DOUT", "rectifier"),
        Element("Lout", ("k", "l1"), f"{number(at(s.inductance))} IC={number(at(o['valley']))}", "rectifier"), Element("Rlout", ("l1", "out1"), number(at(s.r_inductor)), "rectifier"),
        Element("Cout1", ("out1", "esr1"), f"{number(cap['c_f'] * count)} IC={number(v_out)}", "rectifier"), Element("Resr1", ("esr1", "0"), number(cap["esr_ohm"] / count), "rectifier"),
        Element("Rload1", ("out1", "0"), number(v_out / at(o["i_load"])), "load"))
    models = (f".model SWITCH SW(RON={number(at(s.r_switch))} ROFF=1e7 VT=5 VH=0)", diode_model("DRESET", RESET_DIODE, 0.05), diode_model("DOUT", row["v_forward_v"], row["r_dynamic_ohm"]))
    remarks = (f"topology {design.topology}; shown at {corner.text()}; every value comes from the design", f"expected: switch rms {number(at(o['i_switch']))} A, switch peak {number(at(o['i_peak']))} A, output {number(v_out)} V",
               f"expected: filter inductor {number(at(o['valley']))} to {number(at(o['crest']))} A, bus current without the controller's supply {number((at(o['p_bus']) - at(s.p_controller) - at(o['p_choke'])) / v_bus)} A average",
               "the bus is a dc source at the corner's bus voltage; the gates get a fixed pulse, no loop; the filter inductor has no core loss here")
    return Circuit(design.requirement.outputs[design.requirement.main].name + " " + design.topology + " power stage", parts, models, period, max(400 * period, 6e-3), remarks)


_FEED, _RESET, _FREE = "the switches are on: the secondary feeds the filter", "the switches are off: the core gives its magnetising current back to the bus", "the filter inductor freewheels, the core is reset"


def interval_name(states: dict[str, int], before: str) -> str:
    """What happens in an interval, from the states of switches and diodes in it and from what happened before."""
    if states["supper"]:
        return "the leakage takes the load current over from the freewheeling rectifier" if states["dfree"] and states["dfeed"] else _FEED if states["dfeed"] else "the switches are on, the filter inductor is not fed yet"
    if states["dlow"] or states["dhigh"]:
        return "the leakage gives its energy back to the bus" if states["dfeed"] and states["dfree"] else _RESET
    if before == _FEED:
        return "the load current charges the switches' node capacitance"
    return _FREE if states["dfree"] or states["dfeed"] else "nothing conducts: the output capacitors carry the load"


def exact_traces(found: Any) -> list[Any]:
    """Of an exact solution, what the switching picture shows: voltage of the lower switch, primary current, filter inductor current."""
    return [found.voltages["b"], found.currents["llk"], found.currents["lout"]]
