"""Snubbers across the rectifiers of a step-down stage: one each, sized for the leakage the ringing rectifier sees; their loss is part of
the period."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from rhevectra.core.basis.findings import LOOK_AT
from rhevectra.core.basis.quantities import show
from rhevectra.core.circuit.netlist import Element
from rhevectra.core.formulas import snubber
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import snubbing
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, RECTIFIERS, TAP
from rhevectra.core.topologies.common.symbols import Symbol
from rhevectra.core.topologies.stepdown import rectifier_clamp
from rhevectra.core.topologies.stepdown.secondary import blocked_by

if TYPE_CHECKING:
    from rhevectra.core.topologies.stepdown.stage import Stage


def _ringing(s: "Stage") -> float:
    """Times the leakage seen from one winding that a blocking rectifier rings with: of a tap both halves in series, of a bridge two
    rectifiers at once."""
    return 4.0 if s.variant.both_ways and s.secondary == TAP else 2.0 if s.secondary == BRIDGE else 1.0


def inductance(s: "Stage", turns: list[float], leakage: float) -> float:
    """What a blocking rectifier rings with [H]; turns: primary first; leakage seen from the primary [H]."""
    return (leakage * (turns[1] / turns[0]) ** 2 + snubbing.STRAY) * _ringing(s)


def hard_edges(s: "Stage") -> int:
    """Rectifiers whose edges cost what their capacitance holds."""
    return RECTIFIERS[s.secondary] if s.variant.both_ways else 1


def choose(work: Work, s: "Stage", row: Mapping[str, Any], turns: list[float], leakage: float, out: Mapping[str, Any]) -> "Stage":
    """The stage with its snubbers, or a phase-shifted bridge with its clamp, where they are wanted; out: a period of it."""
    if s.others:
        none = snubbing.KINDS[0]
        if work.choose("rectifier.snubber", none, "designed where there is one output").value != none:
            work.find(LOOK_AT, "rectifier",
                      "what holds the ring of the rectifiers is designed where there is one output: here there is nothing", "",
                      "rectifier.snubber")
        return s
    if s.variant.phase:
        return rectifier_clamp.choose(work, s, row, out)
    if not snubbing.wanted(work):
        return s
    one = snubbing.one(work, 1, row, inductance(s, turns, leakage))
    return replace(s, snub={"c": one.capacitor, "junction": one.junction, "one": one})


def given(work: Work, s: "Stage") -> dict[str, Any]:
    """The same as rows."""
    rows = work.sheet.rows
    if s.variant.phase:
        return rectifier_clamp.given(work, s)
    if s.snub:
        work.sheet.given("rectifier1.snubbers", RECTIFIERS[s.secondary], "", "rule", "one across each rectifier")
    return {"snub": {**s.snub, "c": rows["rectifier1.snubber_c"], "junction": rows["rectifier1.c_junction"]}} if s.snub else {}


def note(design: Any) -> list[Symbol]:
    """What the drawing says of them."""
    rows = design.rows
    if "rectifier1.clamp_r" in rows:
        return rectifier_clamp.note(design)
    if "rectifier1.snubber_r" not in rows:
        return []
    value = lambda id: show(float(rows[f"rectifier1.{id}"].value), rows[f"rectifier1.{id}"].unit)  # noqa: E731
    return [Symbol("note", (77, 60), (77, 63), f"across each rectifier: {value('snubber_r')}, {value('snubber_c')}", "secondary", "Rsn1")]


def loss(sheet: Any, s: "Stage", o: Mapping[str, Any]) -> dict[str, Any]:
    """What all of them burn [W]; s: the stage with the centre tap that behaves alike, whose kind is still the real one."""
    if not s.snub:
        return {}
    if s.variant.phase:
        return rectifier_clamp.loss(sheet, s, o)
    step = sheet("rectifier1.v_step", blocked_by(s), allowance=0.0, v_primary=o["v_in"], turns_secondary=s.ns, turns_primary=s.np)
    each = sheet("rectifier1.snubber_each", snubber.snubber_loss, capacitor=s.snub["c"], parasitic=s.snub["junction"], volts=step,
                 rate=o["f_switch"])
    told = ("all rectifiers, each up and down once a period of a switch" if s.variant.both_ways
            else "the freewheeling rectifier; the feeding one's edges are those of the reset, soft enough to cost next to nothing")
    return {"snubbers": sheet.total("rectifier1.snubber_loss", "W", told, **{f"rectifier{k}": each for k in range(1, hard_edges(s) + 1)})}


def elements(s: "Stage", at: Any, parts: tuple[Element, ...], o: Mapping[str, Any]) -> tuple[Element, ...]:
    """Junction and snubber across every output rectifier of a circuit, or what a clamp has in their place."""
    if not s.snub:
        return ()
    if s.variant.phase:
        return rectifier_clamp.elements(s, at, parts, o)
    rectifiers = [e for e in parts if e.value == "DOUT"]
    return tuple(x for k, e in enumerate(rectifiers, 1) for x in snubbing.elements(k, s.snub["one"], (e.nodes[0], e.nodes[1])))
