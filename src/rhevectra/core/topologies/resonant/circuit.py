"""A resonant stage of a design as one circuit at one corner: every element with its real value, nothing tuned."""

from collections.abc import Callable
from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.sheet import reader
from rhevectra.core.circuit.netlist import Circuit, Element, diode_model, number
from rhevectra.core.topologies.common.elements import (
    CROSSED,
    EDGE,
    body_resistance,
    bridged,
    four_rectifiers,
    gate,
    in_common,
    legs,
    other_models,
    output,
    secondaries,
)
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE
from rhevectra.core.topologies.resonant import circuit_several
from rhevectra.core.topologies.resonant.evaluate import BODY_DIODE
from rhevectra.core.topologies.resonant.variant import Variant

NODES, PHASED = ("a", "b", "c"), {"dfeed_2"}
"""Switch node of each phase; an element only a stage of several phases has."""


def circuit(design: Any, corner: Corner) -> Circuit:
    """Power stage between bus and output at a corner. The bus is a dc source; the switches run at the frequency found for the corner, with
    the dead time."""
    o, s = design.context["o"], design.context["stage"]
    at = reader(corner.index)
    period, v_bus, dead = 1 / at(o["f"]), at(s.v_bus), float(design.rows["switch.dead_time"].value)
    row = design.context["plan"].rectifiers[design.requirement.main]["row"]
    r_core = (at(s.np) / at(s.ns) * (at(s.v_out) + at(s.v_forward))) ** 2 / max(at(o["p_core"]) / at(o["share"]), 1e-9)
    loads = (e for n, volts, amps in ((1, s.v_out, s.variant.phases * at(s.i_out)),
                                      *((x.n, design.rows[f"output{x.n}.v"], at(x.i_out)) for x in s.others))
             for e in output(design, at(volts), amps / at(o["share"]), n))  # in a burst the load of the burst
    parts = (Element("Vbus", ("bus", "0"), f"DC {number(v_bus)}", "bulk"), *_legs(s, at, period, dead),
             *(e for k in range(s.variant.phases) for e in _tank(s, at, r_core, k)), *loads)
    models = (*other_models(design, s), f".model SWITCH SW(RON={number(at(s.r_switch))} ROFF=1e7 VT=5 VH=0)",
              diode_model("DBODY", BODY_DIODE, body_resistance(at(s.r_switch))),
              diode_model("DOUT", row["v_forward_v"], row["r_dynamic_ohm"]))
    remarks = (f"topology {design.topology}; shown at {corner.text()}; every value comes from the design",
               f"expected: tank current {number(at(o['i_tank']))} A rms, {number(at(o['i_tank_peak']))} A peak, output "
               f"{number(at(s.v_out))} V",
               f"expected: resonant capacitor {number(at(o['v_cap']))} V of amplitude, turn-off at {number(at(o['i_off']))} A",
               "the bus is a dc source at the corner's bus voltage; fixed frequency, no loop; core loss of the resonant inductor and loss "
               "of the capacitor are not here",
               *((f"in bursts: it runs {at(o['share']) * 100:.3g} % of the time; the load is that of the burst",) if at(o["share"]) < 0.999
                 else ()))
    return Circuit(design.requirement.outputs[design.requirement.main].name + " " + design.topology + " power stage", parts, models, period,
                   max(200 * period, 3e-3), remarks)


def _legs(s: Any, at: Callable[[Any], float], period: float, dead: float) -> tuple[Element, ...]:
    """The legs and their gates. Half the dead time lies at each end of a pulse."""
    on, phases, c_leg = 0.5 * period - dead - EDGE, s.variant.phases, f"{number(2 * at(s.c_node))} IC=0"
    pulses = [gate(f"Vgate{2 * k + j + 1}", f"g{2 * k + j + 1}", ((k / phases + 0.5 * j) * period + 0.5 * dead) % period, on, period)
              for k in range(phases) for j in (0, 1)]
    gates = CROSSED if phases == 1 else tuple((NODES[k], f"g{2 * k + 1}", f"g{2 * k + 2}") for k in range(phases))
    return (*pulses, *legs(s.variant.switches // 2, "DBODY", c_leg, gates))


def _tank(s: Any, at: Callable[[Any], float], r_core: float, phase: int) -> tuple[Element, ...]:
    """Capacitor, resonant inductance with the leakage in it, resistances, magnetising inductance with the core loss, ideal centre tap of
    one phase, or one winding and its bridge; names and nodes of those after the first carry their number."""
    end, of = "0" if s.variant.drive < 1 else "b", f"_{phase + 1}" if phase else ""
    nodes = [f"{n}{of}" for n in ("t1", "t2", "m")]
    # what the outputs have between themselves of the leakage is not in series with the tank
    shared = in_common(s.extra["apart"]) - at(s.leakage) if s.others else 0.0
    charged = f"{number(at(s.cr))} IC={number((1 - s.variant.drive) * at(s.v_bus))}"
    parts = [Element(f"Cres{of}", (NODES[phase], nodes[0]), charged, "transformer"),
             Element(f"Lres{of}", (nodes[0], nodes[1]), f"{number(at(s.lr) + shared)} IC=0", "transformer"),
             Element(f"Rpri{of}", (nodes[1], nodes[2]), number(at(s.r_primary) + at(s.r_inductor) + at(s.r_sense)), "transformer"),
             Element(f"Lm{of}", (nodes[2], end), f"{number(at(s.lm))} IC=0", "transformer"),
             Element(f"Rcore{of}", (nodes[2], end), number(r_core), "transformer")]
    if s.secondary == BRIDGE:
        return (*parts, *bridged(s, at, (nodes[2], end)), *four_rectifiers("out1"))
    if s.others:
        return (*parts, *circuit_several.windings(s, at, ((nodes[2], end), (end, nodes[2]))))
    return (*parts, *secondaries(s, at, ((nodes[2], end), (end, nodes[2])), "out1", of))


def interval_name(states: dict[str, int], before: str) -> str:
    """What happens in an interval, from the states of switches and diodes in it."""
    first = {n: on for n, on in states.items() if "_" not in n and not (PHASED & states.keys() and n.endswith(("b", "c")))}
    who, feeding = ("phase 1: " if PHASED & states.keys() else ""), first["dfeed"] or first["dfeed2"]
    if any(on for name, on in first.items() if name.startswith("s")):
        return who + ("the tank resonates and feeds the output" if feeding
                      else "the magnetising current charges the resonant capacitor, the output rests")
    if any(on for name, on in first.items() if name.startswith(("dupper", "dlower"))):
        return who + "a body diode carries the tank current: the switch may close at zero voltage"
    return who + "the tank current moves the switch node from rail to rail"


def ratings(v: Variant) -> dict[str, tuple[str, str, str]]:
    """Ratings that the exact waveform is held against."""
    return {"switch.v_peak": ("node", v.node, "V"), "switch.i_peak": ("element", "lres", "A")}


def exact_traces(found: Any) -> list[Any]:
    """Of an exact solution, what the switching picture shows: voltage of the lower switch, tank current, current of a rectifier (of several
    phases: of all)."""
    rectified = [i for name, i in found.currents.items() if name.startswith("dfeed")]
    return [found.voltages["a"], found.currents["lres"], sum(rectified) if PHASED & found.currents.keys() else rectified[0]]
