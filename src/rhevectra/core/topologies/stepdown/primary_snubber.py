"""Resistor and capacitor across the primary of a bridge or of both halves of a push-pull: they damp the ring of the leakage with the nodes
after each pulse."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_least, nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import snubber
from rhevectra.core.stages.ringing import crests, edged
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common.symbols import Symbol

if TYPE_CHECKING:
    from rhevectra.core.topologies.stepdown.stage import Stage

KINDS = ("none", "rc")
TIMES = 3.0
"""Capacitor over that of the nodes (common practice: three to four times)."""
DECISIONS = (
    DecisionSpec("primary.snubber", "Snubber across the primary", "switch", "choice", options=KINDS,
                 schools="none: leakage and nodes ring after each pulse; rc: damped, at a loss that goes with the square of the bus"),
    DecisionSpec("primary.snubber_c", "Primary snubber capacitor", "switch", unit="F", low=1e-12, high=1e-7, step="E6"),
    DecisionSpec("primary.snubber_r", "Primary snubber resistor", "switch", unit="Ω", low=1.0, high=100e3, step="E12"),
)
FIGURES = (
    FigureSpec("primary.ring_crest", "Primary ring over its step", "k_p", "switch", corners.FULL,
               fixed="nominal leakage and nodes; the edge taken as sudden",
               sentence="at most, and two where nothing damps it: less where the leakage has emptied before the capacitor followed"),
    FigureSpec("primary.snubber_loss", "Primary snubber loss", "P_sn", "switch", corners.FULL,
               fixed="energy-equivalent capacitance of the nodes; of a push-pull the clamp of the spike (told up to an eighth too high)"),
)


def fits(v: Any) -> bool:
    """Whether a variant's primary, or both its halves, lie between nodes that are hard switched."""
    return bool(v.both_ways and not v.phase)


def choose(work: Work, s: "Stage", leakage: Any) -> "Stage":
    """The stage with its snubber, where it is wanted; leakage: a row."""
    if not fits(s.variant) or str(work.choose("primary.snubber", KINDS[0],
                                              "leakage and nodes ring after each pulse; choose rc to damp it").value) == KINDS[0]:
        return s
    sheet = work.sheet
    node = sheet.given("primary.c_nodes", s.variant.across * float(s.c_node) / s.variant.halves**2, "F", "solved",
                       "nodes as they lie across the primary" + (", end to end" if s.variant.tapped else ""))
    ring = sheet("primary.ring_l", snubber.leakage_of_halves, leakage=leakage) if s.variant.tapped else leakage
    z = sheet("primary.ring_z", snubber.characteristic, inductance=ring, capacitance=node)
    c = work.choose("primary.snubber_c", at_least(TIMES * float(node.value), "E6"),
                    f"{TIMES:g} × the nodes (common practice), next E6 value above", node=node)
    ratio = float(c.value) / float(node.value)
    best, _ = edged(float(f"{ratio:.2g}"), 0.0)
    r = work.choose("primary.snubber_r", nearest(best * float(z.value), "E12"),
                    f"least crest: {best:.2f} × the ring's {show(float(z.value), 'Ω', 3)}")
    sheet.solved("primary.ring_crest", float(crests(ratio, np.array([float(r.value) / float(z.value)]), 0.0)[0]), "",
                 "exact response of ring and snubber to a step")
    return replace(s, across_primary={"c": float(c.value), "r": float(r.value), "z": float(z.value),
                                      **_hinges(ratio, float(r.value) / float(z.value))})


CURRENTS = np.array([0.0, 0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 3.5, 4.0, 5.0, 6.0, 8.0, 11.0, 16.0])
"""Currents at turn-off, over V/Z, between which the energy is taken as straight."""


def _hinges(ratio: float, damping: float) -> dict[str, float]:
    """What the resistor takes after a pulse (over C_p·V²) as a start and a change of slope at each of CURRENTS: array operations alone, as
    the passes of a period have them. At little current the primary stands where the pulse left it until the next, which takes no less than
    half of all that the capacitors hold."""
    energy = np.maximum(snubber.after_pulse(CURRENTS, ratio, damping), 0.5 * (1 + ratio))
    slopes = np.diff(energy) / np.diff(CURRENTS)
    return {"e0": float(energy[0]), **{f"s{k}": float(x) for k, x in enumerate(np.diff(slopes, prepend=0.0))}}


def given(work: Work, s: "Stage") -> dict[str, Any]:
    """Its values as rows."""
    rows = work.sheet.rows
    return ({"across_primary": {**s.across_primary, "c": rows["primary.snubber_c"], "r": rows["primary.snubber_r"],
                                "z": rows["primary.ring_z"]}} if s.across_primary else {})


def loss(sheet: Any, s: "Stage", o: Mapping[str, Any]) -> dict[str, Any]:
    """What it burns [W]."""
    if not s.across_primary:
        return {}
    nodes, volts, halves = o["c_p"], o["v_in"], 2 if s.variant.tapped else 1
    if s.variant.tapped:
        nodes, volts = (sheet("primary.c_both", snubber.capacitance_of_halves, capacitance=nodes),
                        sheet("primary.v_both", snubber.across_halves, volts=volts))
    a, current = s.across_primary, plain(o["i_peak"]) / halves * plain(s.across_primary["z"]) / plain(volts)
    energy = a["e0"] + sum(a[f"s{k}"] * np.maximum(current - x, 0.0) for k, x in enumerate(CURRENTS[:-1]))
    after = sheet.solved("primary.e_after", energy * plain(nodes) * np.square(plain(volts)), "J",
                         "what fall and ring of the primary after a pulse leave in the resistor, solved for this snubber and its nodes at "
                         f"{len(CURRENTS)} currents", i_peak=o["i_peak"], ring_z=a["z"], v_primary=volts, c_nodes=nodes)
    return {"primary_snubber": sheet("primary.snubber_loss", snubber.across_primary, capacitor=a["c"], volts=volts, after=after,
                                     rate=o["fs"])}


def elements(s: "Stage", at: Any, ends: tuple[str, str]) -> tuple[Element, ...]:
    """Between the ends of the primary."""
    return ((Element("Rps", (ends[0], "ps"), number(at(s.across_primary["r"])), "switch"),
             Element("Cps", ("ps", ends[1]), number(at(s.across_primary["c"])), "switch")) if s.across_primary else ())


def note(design: Any) -> list[Symbol]:
    """What the drawing says of it."""
    rows = design.rows
    value = lambda id: show(float(rows[f"primary.{id}"].value), rows[f"primary.{id}"].unit)  # noqa: E731
    return ([Symbol("note", (22, 60), (22, 63), f"across the primary: {value('snubber_r')}, {value('snubber_c')}", "primary", "Rps")]
            if "primary.snubber_r" in rows else [])
