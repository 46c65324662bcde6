"""Snubbers across the rectifiers of a step-down stage: one each, sized for the leakage the ringing rectifier sees; their loss is part of
the period."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.findings import LOOK_AT
from rhevectra.core.basis.sheet import plain
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


def windings(s: "Stage") -> list[tuple[int, float]]:
    """Number and turns of the winding of each output."""
    return [(1, float(plain(s.ns))), *((x.n, float(plain(x.ns))) for x in s.others)]


def inductances(s: "Stage", leakage: float, junctions: list[float]) -> list[float]:
    """What a blocking rectifier of each output rings with [H]: of the leakage seen from the primary [H], with which all ring at once, the
    part that goes with the share of its junctions [F]."""
    wound = windings(s)
    seen = [c * ns**2 for c, (_, ns) in zip(junctions, wound, strict=True)]
    return [(leakage / (c / sum(seen)) * (ns / float(plain(s.np))) ** 2 + snubbing.STRAY) * _ringing(s)
            for c, (_, ns) in zip(seen, wound, strict=True)]


def hard_edges(s: "Stage") -> int:
    """Rectifiers whose edges cost what their capacitance holds."""
    return RECTIFIERS[s.secondary] if s.variant.both_ways else 1


class Across(Struct, frozen=True):
    """What lies across each rectifier of output n: turns of its winding, snubber capacitor and junction [F], and both with the resistor in
    bare numbers."""

    n: int
    ns: Any
    capacitor: Any
    junction: Any
    one: snubbing.Snubber


def choose(work: Work, s: "Stage", rectifiers: Mapping[int, Mapping[str, Any]], leakage: float, out: Mapping[str, Any]) -> "Stage":
    """The stage with its snubbers, or a phase-shifted bridge with its clamp, where they are wanted; rectifiers: of the outputs, from 0;
    leakage of the primary [H]; out: a period of it."""
    if s.variant.phase:
        return _clamped(work, s, rectifiers[work.need.main]["row"], out)
    if not snubbing.wanted(work):
        return s
    wound = windings(s)
    junctions = [snubbing.typical(work, n, rectifiers[n - 1]["row"]) for n, _ in wound]
    rings = inductances(s, leakage, [float(c.value) for c in junctions])
    text = "leakage as this winding sees it, and its wiring" + (
        "; all outputs ring with it at once: the part that goes with this one's share of their junctions" if s.others else "")

    made = [(n, ns, snubbing.one(work, n, c_j, ring, text)) for (n, ns), c_j, ring in zip(wound, junctions, rings, strict=True)]
    return replace(s, snubs=tuple(Across(n, ns, one.capacitor, one.junction, one) for n, ns, one in made))


def _clamped(work: Work, s: "Stage", row: Mapping[str, Any], out: Mapping[str, Any]) -> "Stage":
    """A phase-shifted bridge with the clamp of its rectifiers; of several outputs there is none."""
    if not s.others:
        return rectifier_clamp.choose(work, s, row, out)
    none = rectifier_clamp.KINDS[0]
    if work.choose("rectifier.snubber", none, "designed where there is one output").value != none:
        work.find(LOOK_AT, "rectifier", "the clamp of a phase-shifted bridge's rectifiers is designed where there is one output: here "
                  "there is nothing", "", "rectifier.snubber")
    return s


def given(work: Work, s: "Stage", turns: list[Any]) -> dict[str, Any]:
    """The same as rows; turns: primary first."""
    rows = work.sheet.rows
    if s.variant.phase:
        return rectifier_clamp.given(work, s)
    for x in s.snubs:
        work.sheet.given(f"rectifier{x.n}.snubbers", RECTIFIERS[s.secondary], "", "rule", "one across each rectifier")
    return {"snubs": tuple(replace(x, ns=turns[k], capacitor=rows[f"rectifier{x.n}.snubber_c"], junction=rows[f"rectifier{x.n}.c_junction"])
                           for k, x in enumerate(s.snubs, 1))}


def note(design: Any) -> list[Symbol]:
    """What the drawing says of them."""
    if "rectifier1.clamp_r" in design.rows:
        return rectifier_clamp.note(design)
    return snubbing.note(design, 1, *(((77, 63), (77, 66)) if design.context["stage"].others else ((77, 60), (77, 63))))


def loss(sheet: Any, s: "Stage", o: Mapping[str, Any]) -> dict[str, Any]:
    """What those of each output burn [W]; s: the stage with the centre tap that behaves alike, whose kind is still the real one."""
    if s.held:
        return rectifier_clamp.loss(sheet, s, o)
    return {"snubbers": {x.n: _burnt(sheet, s, o, x) for x in s.snubs}}


def _burnt(sheet: Any, s: "Stage", o: Mapping[str, Any], x: Across) -> Any:
    """Loss of the snubbers of one output [W]."""
    name = f"rectifier{x.n}"
    turns = {"turns_secondary": s.ns if x.n == 1 else x.ns, "turns_primary": s.np}  # a doubler behaves as one of other turns
    both = {"capacitor": x.capacitor, "parasitic": x.junction, "rate": o["f_switch"]}
    step = sheet(f"{name}.v_step", blocked_by(s), allowance=0.0, v_primary=o["v_in"], **turns)
    each = sheet(f"{name}.snubber_each", snubber.snubber_loss, volts=step, **both)
    if s.variant.active:
        fed = sheet(f"{name}.snubber_fed", snubber.slow_rise_loss, v_clamp=o["v_c"], **turns, **both)
        return sheet.total(f"{name}.snubber_loss", "W", "both rectifiers", freewheeling=each, feeding=fed)
    told = ("all rectifiers, each up and down once a period of a switch" if s.variant.both_ways
            else "the freewheeling rectifier; the feeding one's edges are those of the reset, soft enough to cost next to nothing")
    return sheet.total(f"{name}.snubber_loss", "W", told, **{f"rectifier{k}": each for k in range(1, hard_edges(s) + 1)})


def elements(s: "Stage", at: Any, parts: tuple[Element, ...], o: Mapping[str, Any]) -> tuple[Element, ...]:
    """Junction and snubber across every output rectifier of a circuit, or what a clamp has in their place."""
    if s.held:
        return rectifier_clamp.elements(s, at, parts, o)
    found: list[Element] = []
    for x in s.snubs:
        of = "" if x.n == 1 else f"o{x.n}"
        rectifiers = [e for e in parts if e.value == f"DOUT{x.n if x.n > 1 else ''}"]
        found += [part for k, e in enumerate(rectifiers, 1) for part in snubbing.elements(f"{k}{of}", x.one, (e.nodes[0], e.nodes[1]))]
    return tuple(found)
