"""Every kind of clamp for the same design over load, under every light-load law: what each burns, and checks by the exact period."""

from collections.abc import Iterator
from types import ModuleType

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array, Corner, pick
from rhevectra.core.basis.registry import Registry
from rhevectra.core.circuit.parts import NoSteadyState
from rhevectra.core.design.design import Design
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas.snubber import ringing_frequency
from rhevectra.core.stages import clamps_for
from rhevectra.core.topologies import TOPOLOGIES

LAWS = ("skip", "foldback", "fixed")
LOW = 0.1
"""Share of the load below which the laws differ: drawn apart."""
LOADS = np.concatenate([np.linspace(0.0, LOW, 21), np.linspace(LOW, 1.0, 31)[1:]])
CHECKED = (1.0, 0.5, 0.1)
"""Loads at which the exact period is solved under the design's own law; at no load under every law where the clamp burns more than `WORTH`
[W] and the period is found in short."""
WORTH = 1e-2
PATIENCE = 40
"""Periods after which a check is given up: a ring that all but comes back to its clamp may need a thousand, or have none."""
KEPT = 0.02
"""Share by which a kind has to burn less than another before it is said to win."""


class Effect(Struct, frozen=True):
    """What a kind does beside its own power, at full load: efficiency there, drain peak at its worst corner [V], ring it leaves when it
    lets go (amplitude [V], zero where it holds on until the next pulse) and its frequency [Hz]."""

    efficiency: float
    peak: float
    ring: float
    frequency: float


class Curve(Struct, frozen=True):
    """One kind under one law: its name and how it is said, what clamp and its diode (or the switch) burn [W] over load, the exact values as
    (load, W); clamps: a clamp stands there; rests: it burns nothing where the leakage brings nothing; effect: under the design's own
    law."""

    kind: str
    said: str
    law: str
    power: Array
    checks: tuple[tuple[float, float], ...] = ()
    clamps: bool = True
    rests: bool = False
    effect: Effect | None = None


class ClampsOverLoad(Struct, frozen=True):
    """load: shares of full load; curves of all kinds and laws; the law of the design itself; the corner; sentences, one a law."""

    load: Array
    curves: tuple[Curve, ...]
    law: str
    corner: Corner
    sentences: dict[str, str]

    def of(self, law: str) -> list[Curve]:
        """The curves of one law."""
        return [c for c in self.curves if c.law == law]


def kinds(design: Design) -> Registry:
    """What may take the leakage of this design, by name."""
    return clamps_for(TOPOLOGIES[design.topology])


def _exactly(design: Design, clamp: ModuleType, corner: Corner) -> float | None:
    """The same from the exact period of the circuit [W]; None where it finds none."""
    try:
        found = exact(design, corner, patience=PATIENCE)
    except (NoSteadyState, ArithmeticError):
        return None
    nodes = {e.name.lower(): e.nodes for e in TOPOLOGIES[design.topology].circuit(design, corner).elements}
    volt = lambda n: found.voltages.get(n, np.zeros_like(found.t))  # noqa: E731
    return sum(float(np.trapezoid((volt(nodes[e][0]) - volt(nodes[e][1])) * found.currents[e], found.t)) for e in clamp.BURNING) * float(
        pick(np.asarray(design.rows["switch.frequency"].value), corner.index))


def _effect(design: Design, corner: Corner) -> Effect:
    """At the line of a corner."""
    full, rows, stage = design.grid.find(corner.v_line, 1.0, bus=corner.bus, f_line=corner.f_line), design.rows, design.context["stage"]
    at = lambda id: float(rows[id].at(full.index))  # noqa: E731
    if "clamp.swing" in rows:  # its diode lets go with the current turned round; ground holds the ring
        above = min(at("clamp.swing"), at("switch.v_plateau"))
    else:
        above = at("clamp.v_node") - at("transformer.v_reflected") if "clamp.v_node" in rows else 0.0
    leakage, node = (float(getattr(x, "value", x)) for x in (stage.leakage, stage.c_node))
    return Effect(at("efficiency"), float(design.value("switch.v_peak")), max(above, 0.0), float(ringing_frequency(leakage, node)))


def over_load_steps(design: Design, corner: Corner) -> Iterator[tuple[int, int, ClampsOverLoad | None]]:
    """Steps of (done, total, None) and last the curves. The transformer stays that of the design; every clamp is sized by its own rules."""
    now, made = str(design.rows["light_load"].value), kinds(design)
    wound = ("transformer.core", "transformer.lp", "flyback.v_or", *(id for id in design.decision_specs if id.startswith("transformer.n")))
    keep = {id: v for id, v in design.pins.items() if not id.startswith("clamp.")} | {
        id: design.rows[id].value for id in wound if id in design.rows}
    total, curves = len(LAWS) * len(made), []
    for law in LAWS:
        for kind, clamp in made.items():
            own = {id: v for id, v in design.pins.items() if id.startswith("clamp.")} if kind == design.clamp else {}
            other = size(design.requirement, {**keep, **own, "clamp.kind": kind, "light_load": law}, design.as_built, design.catalogue,
                         noise=False)
            power = TOPOLOGIES[other.topology].clamp_over_load(other, corner, LOADS)
            wanted = (*(CHECKED if law == now else ()), *((0.0,) if power[0] > WORTH and not clamp.GRAZED else ()))
            found = [(x, _exactly(other, clamp, other.grid.find(corner.v_line, x, bus=corner.bus, f_line=corner.f_line))) for x in wanted]
            curves.append(
                Curve(kind, made.said(kind), law, power, tuple((x, p) for x, p in found if p is not None), not clamp.BURNS_IN_SWITCH,
                      clamp.RESTS, _effect(other, corner) if law == now else None))
            yield len(curves), total + 1, None
    told = {law: said(LOADS, [c for c in curves if c.law == law]) for law in LAWS}
    yield total + 1, total + 1, ClampsOverLoad(LOADS, tuple(curves), now, corner, told)


def crossings(load: Array, curves: list[Curve]) -> tuple[list[int], list[float]]:
    """Which of the curves loses least, in order of rising load, and the loads from which the next does."""
    table = np.array([c.power for c in curves])
    order, turns = [int(table[:, 0].argmin())], []
    for k in range(1, len(load)):
        best = int(table[:, k].argmin())
        if best != order[-1] and table[best, k] < (1 - KEPT) * table[order[-1], k]:
            order.append(best)
            turns.append(float(load[k]))
    return order, turns


def said(load: Array, curves: list[Curve]) -> str:
    """Which real clamp loses least, and from which load on another does: told from the curves alone."""
    real = [c for c in curves if c.clamps]
    order, turns = crossings(load, real)
    text = f"{real[order[0]].said}: least loss" + (
        " at every load" if not turns
        else "".join(f" up to {t * 100:.0f} %, then {real[b].said}" for t, b in zip(turns, order[1:], strict=True)))
    idle = next((c.said for c in real if c.rests and c is not real[order[0]]), "")
    return text + (f"; {idle} do not win at light load" if idle else "")
