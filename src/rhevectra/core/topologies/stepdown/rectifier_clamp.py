"""The rectifiers' clamp of a phase-shifted bridge: diode and capacitor at the rectified node, a resistor to the output."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_least, at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import rectifier_clamp as clamp
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import snubbing
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, DOUBLER, TAP
from rhevectra.core.topologies.common.symbols import Symbol
from rhevectra.core.topologies.stepdown.secondary import blocked_by, seen_numbers

if TYPE_CHECKING:
    from rhevectra.core.topologies.stepdown.stage import Stage

KINDS = ("none", "clamp")
DROP = 1.0
"""Drop of the clamp's diode [V] (common practice)."""
AIM, RIPPLE = 0.97, 0.05
"""Share of the allowance aimed at; ripple of the clamp's capacitor."""
DECISIONS = (
    DecisionSpec("rectifier.snubber", "Clamp at the rectifiers", "rectifier", "choice", options=KINDS,
                 schools="none: the ringing allowance is taken on trust; clamp: diode, capacitor and a resistor to the output hold it"),
    DecisionSpec("rectifier1.c_junction", "Junction capacitance", "rectifier", unit="F", low=1e-12, high=20e-9,
                 schools="typical of the class; measured from two ringing frequencies"),
    DecisionSpec("rectifier1.clamp_r", "Rectifier clamp resistor", "rectifier", unit="Ω", low=1.0, high=10e6, step="E12"),
    DecisionSpec("rectifier1.clamp_c", "Rectifier clamp capacitor", "rectifier", unit="F", low=1e-11, high=1e-4, step="E6"),
)
FIGURES = (
    FigureSpec("rectifier1.v_clamp", "Rectifier clamp voltage", "V_c", "rectifier", corners.PEAKS, fixed="junction capacitance constant"),
    FigureSpec("rectifier1.clamp_power", "Power of the clamp's resistor", "P_R", "rectifier", corners.FULL,
               fixed="junction capacitance constant",
               sentence="what the clamp takes above the output's voltage; the rest reaches the output"),
)


def _halves(s: "Stage") -> float:
    return 2.0 if s.secondary == TAP else 1.0


def _seen(s: "Stage") -> float:
    """Times a junction's capacitance as the clamped node sees it: of a tap over twice its voltage, of a bridge two at once."""
    return {TAP: 4.0, BRIDGE: 2.0, DOUBLER: 1.0}[s.secondary]


def choose(work: Work, s: "Stage", row: Mapping[str, Any], out: Mapping[str, Any]) -> "Stage":
    """The stage with its clamp, where it is wanted; out: a period of it."""
    if str(work.choose("rectifier.snubber", KINDS[0],
                       "the ringing allowance is taken on trust; choose clamp to size one and count its loss").value) == KINDS[0]:
        return s
    c_j = snubbing.typical(work, 1, row)
    sheet, grid = work.sheet, work.grid
    c = sheet.given("rectifier1.clamp_seen", _seen(s) * float(c_j.value), "F", "rule",
                    "junctions that block, as the clamped node sees them")
    steps = np.broadcast_to(_step_of(s, out["v_wound"]) / _halves(s), grid.shape)
    judged = np.broadcast_to(corners.PEAKS.mask(grid), grid.shape)
    steps, rates = steps[judged], np.broadcast_to(out["fs"], grid.shape)[judged]
    step = float(steps.max())
    aim = AIM * step * (1 + float(sheet.rows["rectifier.ringing"].value))
    arrives = np.maximum(np.asarray(clamp.charge(float(c.value), aim, steps)), 1e-15)
    exact = float(
        np.min(clamp.resistor(aim - DROP, float(s.v_out), rates, arrives)))  # the bus is highest at no load, where the pulses are few
    r = work.choose("rectifier1.clamp_r", lambda: at_most(min(max(exact, 1.0), 1e6), "E12"),
                    f"next E12 value below {show(exact, 'Ω', 3)}, which holds {show(aim, 'V', 3)} at every corner")
    cap = work.choose("rectifier1.clamp_c", lambda: at_least(max(float(np.max(arrives)) / (RIPPLE * aim), 1e-11), "E6"),
                      f"ripple of {RIPPLE * 100:g} % of its voltage, next E6 value above")
    return replace(s, held={"r": float(r.value), "c": float(c.value), "c_clamp": float(cap.value), "junction": float(c_j.value)})


def _step_of(s: "Stage", v_in: Any) -> Any:
    """What a rectifier blocks without ringing [V]."""
    like = seen_numbers(s)
    return blocked_by(s)(0.0, v_in, like.ns, like.np)


def given(work: Work, s: "Stage") -> dict[str, Any]:
    """Its values as rows."""
    rows = work.sheet.rows
    return {"held": {**s.held, "r": rows["rectifier1.clamp_r"], "c": rows["rectifier1.clamp_seen"]}} if s.held else {}


def loss(sheet: Any, s: "Stage", o: Mapping[str, Any]) -> dict[str, Any]:
    """Voltage of the clamp, what its resistor and the ring it leaves burn [W]; s: the stage with the centre tap that behaves alike, whose
    kind is still the real one."""
    bare = sheet("rectifier1.v_step", blocked_by(s), allowance=0.0, v_primary=o["v_wound"], turns_secondary=s.ns, turns_primary=s.np)
    step = sheet("rectifier1.v_node", clamp.node_step, v_reverse=bare, halves=_halves(s))
    k = sheet("rectifier1.clamp_strength", clamp.strength, rate=o["fs"], r=s.held["r"], c=s.held["c"])
    node = sheet("rectifier1.v_node_held", clamp.node_voltage, v_out=s.v_out, v_forward=DROP, v_step=step, k=k)
    held = sheet("rectifier1.v_clamp", clamp.voltage, v_node=node, v_forward=DROP)
    q = sheet("rectifier1.clamp_q", clamp.charge, c=s.held["c"], v_node=node, v_step=step)
    power = sheet("rectifier1.clamp_power", clamp.resistor_power, rate=o["fs"], charge=q, v_clamp=held, v_out=s.v_out)
    ring = sheet("rectifier1.clamp_ring", clamp.ring_power, c=s.held["c"], v_node=node, v_step=step, rate=o["fs"])
    diode = sheet("rectifier1.clamp_diode", clamp.diode_loss, rate=o["fs"], charge=q, v_forward=DROP)
    return {"v_held": held, "v_rectifier": sheet("rectifier1.v_blocked", clamp.reverse, halves=_halves(s), v_node=node),
            "snubbers": {1: sheet.total("rectifier1.snubber_loss", "W", "resistor and diode of the clamp, and the ring it leaves",
                                        resistor=power, diode=diode, ring=ring)}}


def elements(s: "Stage", at: Any, parts: tuple[Element, ...], o: Mapping[str, Any]) -> tuple[Element, ...]:
    """Junctions, clamp diodes from the rectified nodes, capacitor to ground, resistor to the output."""
    rectifiers = [e for e in parts if e.value == "DOUT"]
    nodes = dict.fromkeys(e.nodes[1] for e in rectifiers if s.secondary != BRIDGE or e.nodes[1] == "k")
    return (*(Element(f"Cj{k}", (e.nodes[0], e.nodes[1]), number(s.held["junction"]), "rectifier") for k, e in enumerate(rectifiers, 1)),
            *(Element(f"Drc{k}", (node, "rc"), "DRESET", "rectifier") for k, node in enumerate(nodes, 1)),
            Element("Crc", ("rc", "0"), f"{number(s.held['c_clamp'])} IC={number(at(o['v_held']))}", "rectifier"),
            Element("Rrc", ("rc", "out1"), number(at(s.held["r"])), "rectifier"))


def note(design: Any) -> list[Symbol]:
    """What the drawing says of it."""
    value = lambda id: show(float(design.rows[f"rectifier1.{id}"].value), design.rows[f"rectifier1.{id}"].unit)  # noqa: E731
    return [Symbol("note", (77, 60), (77, 63), f"rectifier clamp: {value('clamp_c')}, {value('clamp_r')} to the output", "secondary",
                   "Rrc")]
