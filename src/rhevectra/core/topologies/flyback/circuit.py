"""The flyback of a design as one circuit at one corner: every element with its real value, nothing tuned."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.sheet import reader
from rhevectra.core.circuit.netlist import Circuit, Element, diode_model, number
from rhevectra.core.formulas.clamp import RING_QUALITY
from rhevectra.core.stages import clamping
from rhevectra.core.topologies.common import snubbing
from rhevectra.core.topologies.common.elements import between, body_resistance, in_common
from rhevectra.core.topologies.common.supply import AUX_DROP
from rhevectra.core.topologies.flyback.auxiliary import DIODE_R

_AUX_C = 22e-6
LEAST_SUPPLY = 1.0
"""What the controller's load is reckoned from where it is not supplied [V]."""
_BODY, _BODY_DROP = "DBODY", 0.8


def circuit(design: Any, corner: Corner) -> Circuit:
    """Power stage between bus and outputs at a corner (run or peak). The bus is a dc source at its valley or crest.

    design: the Design (that room lies below this one, so it is not imported here).
    """
    o, s = design.context["o"], design.context["stage"]
    at = reader(corner.index)
    t_on, period = at(o["t_on"]), 1 / at(o["rate"])
    v = {k: at(x) for k, x in (("bus", s.v_bus), ("on", o["v_turn_on"]), *(() if s.variant.clamp is None else (("clamp", o["v_clamp"]),)))}
    held, common = s.variant.held, in_common(s.extra["apart"])
    # of the ring of the whole leakage, though it stands across a part of it
    damping = RING_QUALITY * np.sqrt(at(s.leakage) / at(s.c_node)) * (common / at(s.leakage)) ** 2
    parts = [
        Element("Vbus", ("bus", "0"), f"DC {number(v['bus'])}", "bulk"),
        Element("Rpri", ("top" if held else "bus", "p1"), number(at(s.r_primary)), "transformer"),
        Element("Llk", ("p1", "m1"), f"{number(common)} IC=0", "transformer"),
        Element("Rring", ("p1", "m1"), number(damping), "transformer"),
        Element("Lm", ("m1", "drain"), f"{number(at(o['lm']))} IC={number(at(o['i_end']))}", "transformer"),
        Element("Rcore", ("m1", "drain"), number(at(o["r_core"])), "transformer"),
        *(_two_switches(s, at, v["on"]) if held else _one_switch(s, at, v)),
        *_controller(at(o["i_peak"]), t_on, period, at(o["v_or"]) / at(o["lm"])),
        *(_clamp_gate(o, s, at, period) if s.variant.turned else ())]
    models = [".model LOGIC SW(RON=10 ROFF=1e9 VT=5 VH=0)", ".model COMPARE SW(RON=10 ROFF=1e9 VT=0 VH=0)",
              f".model SWITCH SW(RON={number(at(s.r_switch) + at(s.r_sense) / (2 if held else 1))} ROFF=1e7 VT=5 VH=0)",
              diode_model(_BODY, _BODY_DROP, body_resistance(at(s.r_switch))),
              *(s.variant.clamp.models(s, at) if s.variant.clamp is not None
                else (clamping.model(at(s.clamp_vf), body_resistance(at(s.r_switch))),))]
    parts += between(s.extra["apart"] - common, [str(k) for k in range(1, len(s.ns) + 1)], [at(n) / at(s.np) for n in s.ns])
    for k in range(len(s.ns)):
        more, model = _secondary(design, k, at)
        parts += more
        models.append(model)
    remarks = (f"topology {design.topology}; shown at {corner.text()}; every value comes from the design",
               f"expected: switch rms {number(at(o['i_switch']))} A, switch peak {number(at(o['i_peak']))} A, output {number(at(s.v_out))} "
               "V", _expected(o, at, held) + f"bus current {number(at(o['p_bus']) / v['bus'])} A average",
               "the bus is a dc source at the corner's bus voltage; ring damping: quality factor 20 (common practice)")
    return Circuit(design.requirement.outputs[design.requirement.main].name + " " + design.topology + " power stage", tuple(parts),
                   tuple(models), period, max(200 * period, 3e-3), remarks)


def _expected(o: Any, at: Callable[[Any], float], held: bool) -> str:
    if held:
        return f"expected: {number(at(o['power_back']))} W handed back to the bus, "
    return f"expected: clamp {number(at(o['v_clamp']))} V mean, {number(at(o['clamp_power']))} W, "


def _one_switch(s: Any, at: Callable[[Any], float], v: Mapping[str, float]) -> tuple[Element, ...]:
    """The switch with its current sense, and the clamp."""
    return (Element("Cnode", ("drain", "src"), f"{number(at(s.c_node))} IC={number(v['on'])}", "switch"),
            Element("Ssw", ("drain", "src", "gate", "0"), "SWITCH", "switch"), Element("Vsense", ("src", "0"), "DC 0", "switch"),
            Element("Dbody", ("0", "drain"), _BODY, "switch"), *s.variant.clamp.elements(s, at, v["clamp"]))


def _two_switches(s: Any, at: Callable[[Any], float], v_on: float) -> tuple[Element, ...]:
    """A switch at each end of the primary, and the two diodes that hold them to the bus; each node has twice the capacitance the primary
    sees."""
    c = f"{number(2 * at(s.c_node))} IC={number(v_on / 2)}"
    return (Element("Cupper", ("bus", "top"), c, "switch"), Element("Supper", ("bus", "top", "gate", "0"), "SWITCH", "switch"),
            Element("Cnode", ("drain", "src"), c, "switch"), Element("Ssw", ("drain", "src", "gate", "0"), "SWITCH", "switch"),
            Element("Vsense", ("src", "0"), "DC 0", "switch"), Element("Dbody", ("0", "drain"), _BODY, "switch"),
            Element("Dtop", ("top", "bus"), _BODY, "switch"), Element("Dcl", ("drain", "bus"), "DCLAMP", "switch"),
            Element("Dlow", ("0", "top"), "DCLAMP", "switch"))


def _controller(i_peak: float, t_on: float, period: float, slope_down: float) -> list[Element]:
    """Peak-current control: the clock sets a latch, current plus slope compensation resets it.

    A fixed gate pulse would not do: in discontinuous mode the ring's phase at turn-on feeds back on the
    peak current, and continuous mode above half duty needs the slope.
    """
    slope = 0.6 * slope_down
    return [Element("Vclk", ("clk", "0"), f"PULSE(0 10 0 1n 1n 50n {number(period)})", "feedback"),
            Element("Vramp", ("ramp", "0"), f"PULSE(0 {number(slope * period)} 0 {number(period - 4e-9)} 2n 1n {number(period)})",
                    "feedback"),
            Element("Hsense", ("cmp", "ramp", "Vsense"), "1", "feedback"),
            Element("Vref", ("ref", "0"), f"DC {number(i_peak + slope * t_on)}", "feedback"),
            Element("Vcc", ("vcc", "0"), "DC 10", "feedback"), Element("Sset", ("vcc", "gate", "clk", "0"), "LOGIC", "feedback"),
            Element("Sreset", ("gate", "0", "cmp", "ref"), "COMPARE", "feedback"), Element("Cgate", ("gate", "0"), "10p IC=0", "feedback")]


def _clamp_gate(o: Any, s: Any, at: Callable[[Any], float], period: float) -> tuple[Element, ...]:
    """Gate of the clamp switch: closed a twentieth of the open time after its body diode took over, opened so early that the node is at its
    lowest when the next pulse begins."""
    start = at(o["t_on"]) + at(o["t_rise"]) + 0.05 * at(o["t_off"])
    width = period - (at(o["t_com"]) - at(o["t_turned"]) + at(o["t_wait"])) - start
    return (Element("Vgate2", ("gate2", "0"), f"PULSE(0 10 {number(start)} 1n 1n {number(width)} {number(period)})", "clamp"),)


def _load(o: Any, s: Any, k: int, at: Callable[[Any], float]) -> float:
    """Current of an output [A]; at the current limit the regulated one takes all that the core gives. Within a packet of pulses it takes
    what fills the pause as well."""
    more = at(o["i_mean"]) - at(o["i_sum"]) if k == 0 and bool(at(s.is_limit)) else 0.0
    return at(s.i_outputs[k]) * at(o["rate"]) / at(o["fs"]) + more * at(s.np) / at(s.ns[0])


_ON, _RISE = "the switch is on: the core takes energy from the bus", "the drain rises: the core's current charges the node"


def interval_name(states: dict[str, int], before: str) -> str:
    """What happens in an interval, from the states of switch and diodes in it and from what happened before."""
    output = any(v for name, v in states.items() if name.startswith("dout"))
    if states["ssw"]:
        return "the switch takes the current over from the secondary" if output else _ON
    if states.get("dava"):
        return "the switch breaks down: the leakage empties into it"
    if "scl" in states and (states["scl"] or states["dcl"]):
        return ("the leakage current turns round in the clamp" if output
                else "core and leakage go backwards through the clamp: the secondary has stopped")
    if states.get("sdq"):
        return "the clamp's slow diode conducts: leakage current runs in, turns round and runs back"
    if states.get("dcl"):
        takes = "the bus" if "dlow" in states else "the clamp"
        return f"leakage empties into {takes} while the secondary takes over" if output else f"the drain has reached {takes}"
    if output:
        return "the secondary carries the core's energy to the output"
    if states["dbody"]:
        return "the drain is held at ground by the body diode"
    return _RISE if before in (_ON, _RISE) else "the core is empty: the drain rings around the bus"


def exact_traces(found: Any) -> list[Any]:
    """Of an exact solution, what the switching picture shows: drain voltage, primary current, main secondary current."""
    return [found.voltages["drain"], found.currents["llk"], found.currents["vsec1"]]


EXACT_RATINGS = {"switch.v_peak": ("node", "drain", "V"), "switch.i_peak": ("gate", "llk", "A")}
"""Ratings that the exact waveform is held against."""


def _secondary(design: Any, k: int, at: Callable[[Any], float]) -> tuple[list[Element], str]:
    """Winding k (0 the regulated one, the last the auxiliary): ideal transformer, resistance behind its own leakage, rectifier, capacitor,
    load."""
    o, s = design.context["o"], design.context["stage"]
    n, auxiliary = k + 1, k == len(s.ns) - 1
    ratio = at(s.ns[k]) / at(s.np)
    r_winding = s.extra["r_effective"][n]
    if auxiliary:
        vf, rd, c, esr = AUX_DROP, DIODE_R, _AUX_C, 0.1
        r_winding = s.extra["r_auxiliary"] + float(design.rows["aux.r_series"].value)
        v_out = max(at(design.rows["aux.v_high"]), LEAST_SUPPLY)
    else:
        row = design.context["plan"].rectifiers[k]["row"]
        vf, rd = row["v_forward_v"], row["r_dynamic_ohm"]
        cap = design.catalogue["output_capacitors"].row(str(design.rows[f"output{n}.cap"].value))
        count = float(np.asarray(design.rows[f"output{n}.parallel"].value))
        c, esr = cap["c_f"] * count, cap["esr_ohm"] / count
        v_out = at(s.v_out) if k == 0 else at(design.rows[f"output{n}.v"])
    part = "feedback" if auxiliary else "rectifier"
    elements = [
        Element(f"Esec{n}", (f"x{n}", "0", "drain", "m1"), number(ratio), "transformer"),
        Element(f"Vsec{n}", (f"x{n}", f"y{n}"), "DC 0", "transformer"),
        Element(f"Fpri{n}", ("drain", "m1", f"Vsec{n}"), number(ratio), "transformer"),
        Element(f"Rsec{n}", (f"w{n}", f"z{n}"), number(max(r_winding, 1e-5)), "transformer"),
        Element(f"Dout{n}", (f"z{n}", f"out{n}"), f"DOUT{n}", part),
        Element(f"Cout{n}", (f"out{n}", f"esr{n}"), f"{number(c)} IC={number(v_out)}", part),
        Element(f"Resr{n}", (f"esr{n}", "0"), number(esr), part),
        Element(f"Rload{n}", (f"out{n}", "0"), number(v_out / _load(o, s, k, at)), "load")]
    snubbers = design.context["plan"].snubbers
    return (elements + (snubbing.elements(n, snubbers[k], (f"z{n}", f"out{n}")) if k < len(snubbers) else []),
            diode_model(f"DOUT{n}", vf, rd))
