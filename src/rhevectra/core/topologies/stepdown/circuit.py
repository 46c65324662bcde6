"""A step-down stage of a design as one circuit at one corner: every element with its real value, nothing tuned."""

from collections.abc import Callable
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.sheet import reader
from rhevectra.core.circuit.netlist import Circuit, Element, diode_model, number
from rhevectra.core.topologies.common.elements import (
    EDGE,
    SHIFTED,
    body_resistance,
    bridged,
    four_rectifiers,
    gate,
    legs,
    other_models,
    output,
    secondaries,
)
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, DOUBLER, TAP
from rhevectra.core.topologies.stepdown import circuit_several, primary_snubber, snubbers
from rhevectra.core.topologies.stepdown.evaluate import RESET_DIODE
from rhevectra.core.topologies.stepdown.stage import RING_QUALITY
from rhevectra.core.topologies.stepdown.variant import Variant

_LIGHT = ("at light load the filter rings with the nodes of the switches between the pulses: the fixed pulse gives some per cent more or "
          "less, as the ring meets the next one",)


def circuit(design: Any, corner: Corner) -> Circuit:
    """Power stage between bus and output at a corner. The bus is a dc source at its valley or crest; the gates get the sized pulse."""
    o, s = design.context["o"], design.context["stage"]
    at, v = reader(corner.index), s.variant
    pulse, v_bus = 1 / at(o["fs"]), at(s.v_bus)
    row = design.context["plan"].rectifiers[design.requirement.main]["row"]
    r_core = (1 if v.both_ways else 2) * at(o["v_in"]) ** 2 * at(o["t_e"]) / (pulse * max(at(o["p_core"]), 1e-9))
    start, end, between = _ends(design)
    parts = (Element("Vbus", ("bus", "0"), f"DC {number(v_bus)}", "bulk"), *_switches(o, s, at, pulse), *between,
             *(_taken_over(s, design, o, at, r_core) if v.clamped else _transformer(s, o, at, r_core, start, end)),
             *_filter(design, o, s, at))
    parts = (*parts, *snubbers.elements(s, at, parts, o), *primary_snubber.elements(s, at, (start, end)))
    r_body = body_resistance(at(s.r_switch))
    models = (f".model SWITCH SW(RON={number(at(s.r_switch))} ROFF=1e7 VT=5 VH=0)",
              diode_model("DBODY", RESET_DIODE, r_body), diode_model("DRESET", RESET_DIODE, r_body),
              diode_model("DOUT", row["v_forward_v"], row["r_dynamic_ohm"]), *other_models(design, s))
    used = at(o["p_bus"]) - at(design.rows["loss.controller"]) - at(o["p_choke"]) - at(o["p_eddy"])
    used -= at(o.get("p_series", 0.0)) + at(o.get("p_series_eddies", 0.0))
    remarks = (f"topology {design.topology}; shown at {corner.text()}; every value comes from the design",
               f"expected: switch rms {number(at(o['i_switch']))} A, switch peak {number(at(o['i_peak']))} A, "
               f"output {number(at(s.v_out))} V",
               f"expected: filter inductor {number(at(o['valley']))} to {number(at(o['crest']))} A, "
               f"bus current without the controller's supply {number(used / v_bus)} A average",
               "the bus is a dc source at the corner's bus voltage; the gates get a fixed pulse, no loop; the filter inductor has no core "
               "loss here", *_LIGHT[: v.pulses - 1])
    return Circuit(design.requirement.outputs[design.requirement.main].name + " " + design.topology + " power stage", parts, models,
                   v.pulses * pulse, max(400 * pulse, 6e-3), remarks)


def _gate(name: str, node: str, delay: float, t_on: float, period: float) -> Element:
    """A gate pulse that is on for t_on [s], its rise included."""
    return gate(name, node, delay, t_on - EDGE, period)


def _single_ended(o: Any, s: Any, at: Callable[[Any], float], pulse: float) -> tuple[Element, ...]:
    """Two switches at the ends of the primary, two reset diodes."""
    c = f"{number(at(s.c_node))} IC={number(at(s.v_bus) / 2)}"
    return (_gate("Vgate", "gate", 0.0, at(o["t_on"]), pulse), Element("Supper", ("bus", "a", "gate", "0"), "SWITCH", "switch"),
            Element("Slower", ("b", "0", "gate", "0"), "SWITCH", "switch"),
            Element("Dlow", ("0", "a"), "DBODY", "switch"), Element("Dhigh", ("b", "bus"), "DBODY", "switch"),
            Element("Cupper", ("bus", "a"), c, "switch"), Element("Clower", ("b", "0"), c, "switch"))


def _ends(design: Any) -> tuple[str, str, tuple[Element, ...]]:
    """Nodes between which the primary lies, and the capacitors in series with it."""
    v = design.context["stage"].variant
    c = float(design.rows[f"{v.series}.c"].value) if v.series else 0.0
    if v.active:
        return "bus", "d1", ()
    if v.tapped:
        return "d1", "d2", ()
    if v.series == "divider":
        half = f"{number(c)} IC={number(0.5 * float(np.max(design.rows['bus.v'].value)))}"
        return "a", "mid", (Element("Cdivtop", ("bus", "mid"), half, "transformer"), Element("Cdivbot", ("mid", "0"), half, "transformer"))
    return ("c", "b", (Element("Cblock", ("a", "c"), f"{number(c)} IC=0", "transformer"),)) if c else ("a", "b", ())


def _switches(o: Any, s: Any, at: Callable[[Any], float], pulse: float) -> tuple[Element, ...]:
    if s.variant.active:
        return _clamped_switch(o, s, at, pulse)
    if s.variant.reset:
        return _one_switch(o, s, at, pulse)
    return _ends_of_tap(o, s, at, pulse) if s.variant.tapped else _legs(o, s, at, pulse) if s.variant.both_ways else _single_ended(o, s, at,
        pulse)


def _legs(o: Any, s: Any, at: Callable[[Any], float], pulse: float) -> tuple[Element, ...]:
    """One leg or two and their gates, half a period of a switch apart."""
    t_on, c = at(o["t_on"]), f"{number(2 * at(s.c_node))} IC={number(at(s.v_bus) / 2)}"
    if s.variant.phase:
        return (*_shifted_gates(o, s, at, pulse), *legs(2, "DBODY", c, SHIFTED))
    return (_gate("Vgate1", "g1", 0.0, t_on, 2 * pulse), _gate("Vgate2", "g2", pulse, t_on, 2 * pulse),
            *legs(s.variant.switches // 2, "DBODY", c))


def _shifted_gates(o: Any, s: Any, at: Callable[[Any], float], pulse: float) -> tuple[Element, ...]:
    """Leg b begins the pulse, leg a ends it; each switch is on for half the period less the dead time of its leg. Where the node of leg b
    has swung before its dead time is over the pulse has begun by then, and the overlap is shorter by that."""
    lagging, leading = at(o["t_q"]), at(s.extra["dead_leading"])
    overlap = max(at(o["t_on"]) - (lagging - at(o["t_swing"])), 2 * EDGE)
    return (_gate("Vgate1", "g1", overlap + leading + pulse, pulse - leading, 2 * pulse),
            _gate("Vgate2", "g2", overlap + leading, pulse - leading, 2 * pulse),
            _gate("Vgate3", "g3", pulse, pulse - lagging, 2 * pulse), _gate("Vgate4", "g4", 0.0, pulse - lagging, 2 * pulse))


def _one_switch(o: Any, s: Any, at: Callable[[Any], float], pulse: float) -> tuple[Element, ...]:
    """A switch to ground with its body diode and node capacitance."""
    return (_gate("Vgate1", "g1", 0.0, at(o["t_on"]), pulse), Element("Slower1", ("d1", "0", "g1", "0"), "SWITCH", "switch"),
            Element("Dlower1", ("0", "d1"), "DBODY", "switch"),
            Element("Cnode1", ("d1", "0"), f"{number(at(s.c_node))} IC={number(at(s.v_bus))}", "switch"))


def _clamped_switch(o: Any, s: Any, at: Callable[[Any], float], pulse: float) -> tuple[Element, ...]:
    """The switch to ground, and the one that connects the clamp capacitor while it is off."""
    on, dead = at(o["t_on"]), at(s.extra["dead"])
    return (_gate("Vgate1", "g1", 0.0, on, pulse), _gate("Vgate2", "g2", on + dead, max(1 / at(s.fs) - on - 2 * dead, 4 * EDGE), pulse),
            Element("Slower1", ("d1", "0", "g1", "0"), "SWITCH", "switch"), Element("Dlower1", ("0", "d1"), "DBODY", "switch"),
            Element("Cnode1", ("d1", "0"), f"{number(at(o['c_p']))} IC={number(at(s.v_bus))}", "switch"),
            Element("Sclamp", ("d1", "cl", "g2", "0"), "SWITCH", "switch"), Element("Dclamp1", ("d1", "cl"), "DBODY", "switch"),
            Element("Cclamp", ("cl", "bus"), f"{number(s.extra['c_clamp'])} IC={number(at(o['v_c']))}", "switch"))


def _reset_winding(s: Any, at: Callable[[Any], float]) -> tuple[Element, ...]:
    """The winding that takes the magnetising current back to the bus, with its diode to ground."""
    ratio = number(at(s.nr) / at(s.np))
    return (Element("Dreset", ("0", "r1"), "DRESET", "switch"), Element("Vreset", ("r1", "r2"), "DC 0", "transformer"),
            Element("Ereset", ("r2", "bus", "m", "0"), ratio, "transformer"), Element("Freset", ("0", "m", "Vreset"), ratio, "transformer"))


def _ends_of_tap(o: Any, s: Any, at: Callable[[Any], float], pulse: float) -> tuple[Element, ...]:
    """A switch with its body diode and node capacitance at each end of a tapped primary."""
    c = f"{number(at(s.c_node))} IC={number(at(s.v_bus))}"
    ends = [_gate(f"Vgate{k}", f"g{k}", (k - 1) * pulse, at(o["t_on"]), 2 * pulse) for k in (1, 2)]
    for k in (1, 2):
        ends += [Element(f"Slower{k}", (f"d{k}", "0", f"g{k}", "0"), "SWITCH", "switch"),
                 Element(f"Dlower{k}", ("0", f"d{k}"), "DBODY", "switch"), Element(f"Cnode{k}", (f"d{k}", "0"), c, "switch")]
    return tuple(ends)


def _taken_over(s: Any, design: Any, o: Any, at: Callable[[Any], float], r_core: float) -> tuple[Element, ...]:
    """The primary, or both its halves, each with its resistance and its leakage towards the winding that takes over, on one core; that
    winding; the clamp; the leakage to the secondary."""
    apart = at(s.spike["l_half"])
    shared = at(s.leakage) - apart
    ring = RING_QUALITY * np.sqrt(at(s.leakage) / at(o["c_p"]))
    parts: list[Element] = []
    for k, core in ((1, ("m", "0")), (2, ("0", "m")))[: s.variant.halves]:
        parts += [Element(f"Rpri{k}", ("bus", f"p{k}"), number(at(s.r_primary) + at(s.r_sense)), "transformer"),
                  Element(f"Lhalf{k}", (f"p{k}", f"q{k}"), f"{number(apart)} IC=0", "transformer"),
                  Element(f"Vhalf{k}", (f"q{k}", f"w{k}"), "DC 0", "transformer"),
                  Element(f"Ehalf{k}", (f"w{k}", f"d{k}", *core), "1", "transformer"),
                  Element(f"Fhalf{k}", (core[1], core[0], f"Vhalf{k}"), "1", "transformer"),
                  Element(f"Dclamp{k}", (f"d{k}", "cl"), "DRESET", "switch")]
    v_clamp = at(o["held"]) + at(o["spike_u"])
    parts += _reset_winding(s, at) if s.variant.reset else ()
    parts += [Element("Cclamp", ("cl", "bus"), f"{number(float(design.rows['spike.c'].value))} IC={number(v_clamp)}", "switch"),
              Element("Rclamp", ("cl", "bus"), number(at(s.spike["r"])), "switch"),
              Element("Lm", ("m", "0"), f"{number(at(s.lm))} IC=0", "transformer"),
              Element("Rcore", ("m", "0"), number(r_core), "transformer"),
              Element("Llk", ("m", "s"), f"{number(shared)} IC=0", "transformer"),
              Element("Rring", ("m", "s"), number(ring), "transformer")]
    sides = (("s", "0"), ("0", "s"))[: s.variant.pulses]
    return (*parts, *_secondaries(s, at, sides))


def _transformer(s: Any, o: Any, at: Callable[[Any], float], r_core: float, start: str, end: str) -> tuple[Element, ...]:
    """Primary resistance, leakage with its damping, magnetising inductance with the core loss, and one ideal secondary or two of opposite
    sense."""
    ring = RING_QUALITY * np.sqrt(at(s.leakage) / at(o["c_p"]))
    series, damping = (at(s.extra["r_series"]), ()) if s.variant.phase else (0.0,
        (Element("Rring", ("p1", "m1"), number(ring),
                 "transformer"),))  # of a phase-shifted bridge the leakage never rings: it lies against the bus or short
    parts = [Element("Rpri", (start, "p1"), number(at(s.r_primary) + at(s.r_sense) + series), "transformer"),
             Element("Llk", ("p1", "m1"), f"{number(at(s.leakage))} IC=0", "transformer"), *damping,
             Element("Lm", ("m1", end), f"{number(at(s.lm))} IC=0", "transformer"),
             Element("Rcore", ("m1", end), number(r_core), "transformer")]
    sides = (("m1", end), (end, "m1"))[: s.variant.pulses]
    return (*parts, *_secondaries(s, at, sides))


def _secondaries(s: Any, at: Callable[[Any], float], sides: tuple[tuple[str, str], ...]) -> tuple[Element, ...]:
    """The secondaries into the filter, and what freewheels beside a single one."""
    if s.secondary != TAP:
        return _one_winding(s, at, sides[0])
    return (*secondaries(s, at, sides, "k"), *(() if s.variant.both_ways else (Element("Dfree", ("0", "k"), "DOUT", "rectifier"),)),
            *circuit_several.windings(s, at, sides))


def _one_winding(s: Any, at: Callable[[Any], float], ends: tuple[str, str]) -> tuple[Element, ...]:
    """One ideal secondary with its resistance, free of ground, and its rectifiers: a bridge into the filter, or those of a current doubler
    to ground."""
    rectifiers = four_rectifiers("k") if s.secondary == BRIDGE else tuple(
        Element(name, (a, b), "DOUT", "rectifier") for name, a, b in (("Dfeed", "0", "s2"), ("Dfeed2", "0", "z1")))
    return (*bridged(s, at, ends), *rectifiers)


def _filter(design: Any, o: Any, s: Any, at: Callable[[Any], float]) -> tuple[Element, ...]:
    """Filter inductor, or both of a current doubler, output capacitors, load; of several outputs all of them."""
    if s.others:
        return circuit_several.filters(design, o, s, at)
    if s.secondary == DOUBLER:
        low, apart, r = at(o["valley"]), at(o["one"]["apart"]), number(at(s.r_inductor))
        return (Element("Lout", ("z1", "l1"), f"{number(at(s.inductance))} IC={number(0.5 * (low - apart))}", "rectifier"),
                Element("Rlout", ("l1", "out1"), r, "rectifier"),
                Element("Lout2", ("s2", "l2"), f"{number(at(s.inductance))} IC={number(0.5 * (low + apart))}", "rectifier"),
                Element("Rlout2", ("l2", "out1"), r, "rectifier"), *output(design, at(s.v_out), at(o["i_load"])))
    return (Element("Lout", ("k", "l1"), f"{number(at(s.inductance))} IC={number(at(o['valley']))}", "rectifier"),
            Element("Rlout", ("l1", "out1"), number(at(s.r_inductor)), "rectifier"), *output(design, at(s.v_out), at(o["i_load"])))


def _primary(v: Variant) -> str:
    """Element that carries the current of a switch."""
    return "lhalf1" if v.clamped else "llk"


def ratings(v: Variant) -> dict[str, tuple[str, str, str]]:
    """Ratings that the exact waveform is held against; not the peak current where the nodes' charge at turn-on, which it leaves out, passes
    through the same winding."""
    voltage = {"switch.v_peak": ("node", v.node, "V")}
    return voltage if v.tapped else {**voltage, "switch.i_peak": ("element", _primary(v), "A")}


def traces(v: Variant) -> Callable[[Any], list[Any]]:
    """Of an exact solution, what the switching picture shows: voltage of a switch, primary current, filter inductor current (of a current
    doubler both together)."""
    return lambda found: [found.voltages[v.node], found.currents[_primary(v)],
                          sum(i for name, i in found.currents.items() if name in ("lout", "lout2"))]
