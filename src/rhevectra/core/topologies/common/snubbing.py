"""Resistor and capacitor across rectifiers: sized from the leakage and the junction's capacitance, so that the ring keeps to its allowance;
their loss is part of the period."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_least, nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import snubber
from rhevectra.core.stages.ringing import crests, edged
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common.symbols import Place, Symbol

PER_AMPERE, PER_CHARGE = {"schottky": 18e-12}, 0.01
"""Capacitance of a junction [F] per ampere of its rating at 100 V class (others than Schottky: a sixth), and of a synchronous switch per
coulomb of its gate charge [F/C] (typical, from memory)."""
OTHER = 3e-12
STRAY = 15e-9
"""Inductance of the secondary's loop beside the leakage [H] (typical, from memory)."""
EDGE = 25e-9
"""Time the switch takes to turn on [s]: a step that is not sudden rings less (typical, from memory)."""
RATIOS = (1.0, 1.5, 2.2, 3.3, 4.7, 6.8, 10.0)
KINDS = ("none", "rc")
DECISIONS = (
    DecisionSpec("rectifier.snubber", "Snubber across the rectifiers", "rectifier", "choice", options=KINDS,
                 schools="none: the ringing allowance is taken on trust; rc: sized to keep to it, its loss counted"),
    *(DecisionSpec(f"rectifier{n}.c_junction", f"Junction capacitance {n}", "rectifier", unit="F", low=1e-12, high=20e-9,
                   schools="typical of the class; measured from two ringing frequencies") for n in range(1, 7)),
    *(DecisionSpec(f"rectifier{n}.snubber_c", f"Snubber capacitor {n}", "rectifier", unit="F", low=1e-12, high=100e-9, step="E6")
      for n in range(1, 7)),
    *(DecisionSpec(f"rectifier{n}.snubber_r", f"Snubber resistor {n}", "rectifier", unit="Ω", low=0.1, high=10e3, step="E12")
      for n in range(1, 7)),
)


class Ringing(Struct, frozen=True):
    """What the regulated output's rectifier rings with: inductance [H], its row of the catalogue, what it blocks without ringing [V] and
    what a farad across each rectifier burns [W], both over the grid."""

    inductance: float
    row: Mapping[str, Any]
    step: Array
    per_farad: Array


class Snubber(Struct, frozen=True):
    """Across one rectifier: junction and snubber capacitor [F], resistor [Ω]."""

    junction: float
    capacitor: float
    resistor: float


def figures(n: int) -> tuple[FigureSpec, ...]:
    """Figures of output n."""
    return (FigureSpec(f"rectifier{n}.ring_crest", "Ring crest over the step", "k_R", "rectifier", corners.FULL,
                       limit=f"rectifier{n}.ring_most", limit_kind="max", fixed="edge of the switch typical", look_only=True),
            FigureSpec(f"rectifier{n}.snubber_loss", "Snubber loss", "P_sn", "rectifier", corners.FULL,
                       fixed="junction's capacitance constant; the edge at turn-off taken as sudden, "
                             "up to a third too high at little load"))


def junction(row: Mapping[str, Any]) -> float:
    """Capacitance of a rectifier's junction [F], typical of its class."""
    if row["kind"] == "synchronous":
        return float(PER_CHARGE * row["q_gate_c"])
    return float(PER_AMPERE.get(row["kind"], OTHER) * row["i_rated_a"] * np.sqrt(100.0 / row.get("v_one_v", row["v_class_v"]))
                 / row.get("series", 1))


def wanted(work: Work) -> bool:
    """Whether the rectifiers get snubbers."""
    return bool(work.choose("rectifier.snubber", KINDS[0],
                            "the ringing allowance is taken on trust; choose rc to size it and count its loss").value != KINDS[0])


def choose(work: Work, rectifiers: Mapping[int, Mapping[str, Any]], turns: list[float],
           leakages: Sequence[float]) -> list[Snubber]:
    """One snubber per output. turns: primary first; leakages: of each against the primary, all others
    blocking, seen from the primary [H]."""
    return [one(work, n, typical(work, n, rectifiers[n - 1]["row"]), leakages[n - 1] * (turns[n] / turns[0]) ** 2 + STRAY)
            for n in range(1, len(rectifiers) + 1)]


def typical(work: Work, n: int, row: Mapping[str, Any]) -> Row:
    """Junction capacitance of the rectifiers of output n, typical or as somebody says."""
    return work.choose(f"rectifier{n}.c_junction", float(f"{junction(row):.3g}"),
                       "typical of the class, from memory; measure it from the ring")


def one(work: Work, n: int, c_j: Row, inductance: float, seen: str = "leakage as this winding sees it, and its wiring") -> Snubber:
    """The snubber across a rectifier of output n, of this junction capacitance, that rings with an inductance [H]; seen: which it is."""
    name, sheet = f"rectifier{n}", work.sheet
    ring_l = sheet.given(f"{name}.ring_l", inductance, "H", "solved", seen)
    most = 1 + float(sheet.rows["rectifier.ringing"].value)
    impedance = sheet(f"{name}.ring_z", snubber.characteristic, inductance=ring_l, capacitance=c_j)
    edge = round(EDGE * float(snubber.ringing_frequency(inductance, float(c_j.value))), 2)
    ratio = next((r for r in RATIOS if edged(r, edge)[1] <= most), RATIOS[-1])
    c = work.choose(f"{name}.snubber_c", at_least(ratio * float(c_j.value), "E6"),
                    f"smallest whose best resistor keeps the ring to {most:.2f} × the step, next E6 value above")
    best, _ = edged(float(f"{float(c.value) / float(c_j.value):.2g}"), edge)
    r = work.choose(f"{name}.snubber_r", nearest(best * float(impedance.value), "E12"),
                    f"least crest: {best:.2f} × the ring's {show(float(impedance.value), 'Ω', 3)}")
    crest = float(crests(float(c.value) / float(c_j.value), np.array([float(r.value) / float(impedance.value)]), edge)[0])
    sheet.solved(f"{name}.ring_crest", crest, "", f"exact response of ring and snubber to an edge of {show(EDGE, 's')}")
    sheet.given(f"{name}.ring_most", most, "", "rule", "one and the ringing allowance")
    return Snubber(float(c_j.value), float(c.value), float(r.value))


def seen_from_primary(snubbers: list[Snubber], turns: list[float]) -> float:
    """Capacitance [F] that, swung by bus and reflected voltage, takes what all snubbers take."""
    return float(sum((s.junction + s.capacitor) * (turns[k] / turns[0]) ** 2 for k, s in enumerate(snubbers, 1)))


def record(work: Work, n: int, **edges: Any) -> dict[str, Any]:
    """Loss of the snubber of output n [W]; edges: inputs of the loss beside its values."""
    rows = work.sheet.rows
    return {f"rectifier{n}_snubber": work.sheet(f"rectifier{n}.snubber_loss", snubber.rectifier_loss,
                                                capacitor=rows[f"rectifier{n}.snubber_c"], parasitic=rows[f"rectifier{n}.c_junction"],
                                                **edges)}


def elements(k: int | str, one: Snubber, across: tuple[str, str]) -> list[Element]:
    """Junction's capacitance and snubber of rectifier k, which lies between two nodes."""
    a, b = across
    return [Element(f"Cj{k}", (a, b), number(one.junction), "rectifier"),
            Element(f"Rsn{k}", (a, f"sn{k}"), number(one.resistor), "rectifier"),
            Element(f"Csn{k}", (f"sn{k}", b), number(one.capacitor), "rectifier")]


def note(design: Any, n: int, at: Place, end: Place) -> list[Symbol]:
    """What the drawing says of those of output n, where there are any."""
    rows, name = design.rows, f"rectifier{n}"
    if f"{name}.snubber_r" not in rows:
        return []
    value = lambda id: show(float(rows[f"{name}.{id}"].value), rows[f"{name}.{id}"].unit)  # noqa: E731
    return [Symbol("note", at, end, f"across each rectifier: {value('snubber_r')}, {value('snubber_c')}", "secondary",
                   "Rsn1" if n == 1 else f"Rsn1o{n}")]
