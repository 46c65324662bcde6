"""The step-down converter of a design as one circuit at one corner: every element with its real value, nothing tuned."""

from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.sheet import reader
from rhevectra.core.circuit.netlist import Circuit, Element, diode_model, number
from rhevectra.core.topologies.common.elements import EDGE, gate, output

EXACT_RATINGS = {"switch.i_peak": ("element", "lout", "A")}
"""Ratings that the exact waveform is held against."""


def circuit(design: Any, corner: Corner) -> Circuit:
    """Power stage between bus and output at a corner. The bus is a dc source; the gate gets the sized pulse."""
    o, s, at = design.context["o"], design.context["stage"], reader(corner.index)
    row, period, v_bus = design.context["plan"].rectifiers[design.requirement.main]["row"], 1 / at(o["fs"]), at(s.v_bus)
    parts = (Element("Vbus", ("bus", "0"), f"DC {number(v_bus)}", "bulk"), gate("Vgate", "gate", 0.0, at(o["t_on"]) - EDGE, period),
             Element("Sbuck", ("bus", "sw", "gate", "0"), "SWITCH", "switch"),
             Element("Cnode", ("sw", "0"), f"{number(at(s.c_node))} IC=0", "switch"),
             Element("Dfree", ("0", "sw"), "DFREE", "rectifier"),
             Element("Lout", ("sw", "l1"), f"{number(at(s.inductance))} IC={number(at(o['valley']))}", "rectifier"),
             Element("Rlout", ("l1", "out1"), number(at(s.r_inductor)), "rectifier"), *output(design, at(s.v_out), at(o["i_load"])))
    models = (f".model SWITCH SW(RON={number(at(s.r_switch) + at(s.r_sense))} ROFF=1e8 VT=5 VH=0)",
              diode_model("DFREE", row["v_forward_v"], row["r_dynamic_ohm"]))
    inside = at(o["p_bus"]) - at(s.p_controller) - at(o["p_choke"]) - at(o["p_eddy"]) - at(o["p_recovery"]) - at(o["loss_off"])
    remarks = (f"topology {design.topology}; shown at {corner.text()}; every value comes from the design",
               "no isolation: every node is live", f"expected: switch rms {number(at(o['i_switch']))} A, inductor "
               f"{number(at(o['valley']))} to {number(at(o['crest']))} A, output {number(at(s.v_out))} V",
               f"expected: bus current {number(inside / v_bus)} A average, without the controller's supply, recovery, core and turn-off "
               "loss, which are not here")
    return Circuit(design.requirement.outputs[design.requirement.main].name + " " + design.topology + " power stage", parts, models, period,
                   max(400 * period, 6e-3), remarks)


def interval_name(states: dict[str, int], before: str) -> str:
    """What happens in an interval, from the states of switch and diode in it."""
    if states["sbuck"]:
        return ("the switch takes the current over from the diode" if states["dfree"]
                else "the switch is on: the bus feeds inductor and output")
    if states["dfree"]:
        return "the inductor freewheels through the diode"
    return ("the inductor's current brings the node down" if before.startswith(("the switch is on", "the inductor's current"))
            else "the inductor is empty and the node rings around the output")


def exact_traces(found: Any) -> list[Any]:
    """Of an exact solution, what the switching picture shows: voltage of the switch, diode current, inductor current."""
    return [found.voltages["bus"] - found.voltages["sw"], found.currents["dfree"], found.currents["lout"]]
