"""The same supply behind buses of other ranges: what a wide input costs, and what narrowing it first would buy."""

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import LOADED, Array, Corner
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Mains
from rhevectra.core.design.design import Design
from rhevectra.core.design.size import size

NARROW, WIDE, STEPS = 1.03, 3.0, 8
KEPT = ("fs", "llc.control", "qr.f_max", "transformer.material", "transformer.arrangement", "insulation.school", "secondary.kind",
        "flyback.ripple_ratio", "filter1.ripple_ratio", "light_load", "rectifier.snubber")
"""Decisions that go along; turns, cores and classes are free, for they are what the range decides."""
_INDUCTORS = (("filter1.l", "filter1.i_peak"), ("inductor.l", "switch.i_peak"), ("transformer.lp", "switch.i_peak_run"),
              ("llc.lr", "switch.i_peak"))
"""Where a design keeps its working energy: inductance and peak current, the first that it has."""


def _energy(design: Design) -> float:
    inductance, current = next(pair for pair in _INDUCTORS if all(id in design.rows for id in pair))
    return 0.5 * design.most(inductance) * design.most(current) ** 2


MEASURES: tuple[tuple[str, str, Callable[[Design], float]], ...] = (
    ("turns ratio", "",
     lambda d: float(d.rows.get("transformer.np_all", d.rows["transformer.np"]).value) / float(d.value("transformer.ns1"))),
    ("primary current, rms", "A",
     lambda d: d.most("transformer.i_rms_primary" if "transformer.i_rms_primary" in d.rows else "switch.i_rms")),
    ("rectifier reverse voltage", "V", lambda d: d.most("rectifier1.v_reverse")),
    ("energy in the inductor", "J", _energy),
    ("winding loss", "W", lambda d: d.most("transformer.loss_copper")),
    ("total loss", "W", lambda d: d.most("loss.total")))
"""Name, unit and reading of what is set side by side."""


class InputRange(Struct, frozen=True):
    """ratio: greatest over least bus of each design (rising); values: one array per measure; feasible and why not; present: the ratio the
    supply has now; top: the greatest bus [V], the same for all."""

    ratio: Array
    values: tuple[Array, ...]
    feasible: Array
    why: tuple[str, ...]
    present: float
    top: float
    sentence: str


def range_steps(design: Design, _corner: Corner) -> Iterator[tuple[int, int, InputRange | None]]:
    """Steps of (done, total, None) and last the whole: the requirement behind a dc bus whose top stays and whose least value moves."""
    bus = np.broadcast_to(np.asarray(design.rows["bus.v"].value, dtype=float), design.grid.shape)
    top, low = float(bus.max()), float(bus[LOADED.mask(design.grid)].min())
    present = top / low
    ratios = np.unique(np.round(np.append(np.geomspace(NARROW, max(WIDE, 1.2 * present), STEPS), max(present, NARROW)), 4))
    pins = {id: v for id, v in design.pins.items() if id in KEPT} | {"topology": design.topology}
    found: list[tuple[float, Design]] = []
    for k, r in enumerate(ratios):
        try:
            need = replace(design.requirement, mains=Mains(kind="dc", v_min=top / float(r), v_max=top), harmonics_class="none", hold_up=0.0,
                           hold_up_at=None)
            found.append((float(r), size(need, pins, None, design.catalogue, noise=False)))
        except InputError:  # a bus lower than any the requirement may name
            pass
        yield k + 1, len(ratios) + 1, None
    made = [d for _, d in found]
    ratio, feasible = np.array([r for r, _ in found]), np.array([d.feasible for d in made])
    why = tuple(d.fault for d in made)
    values = tuple(np.array([value(d) for d in made]) for _, _, value in MEASURES)
    yield len(ratios) + 1, len(ratios) + 1, InputRange(ratio, values, feasible, why, present, top, said(ratio, values, feasible, present))


def said(ratio: Array, values: tuple[Array, ...], feasible: Array, present: float) -> str:
    """What narrowing to the narrowest range that can be built would change, in the figures of all measures."""
    here = int(np.abs(ratio - present).argmin())
    able = [k for k in np.flatnonzero(feasible) if k < here]
    if not able or not feasible[here]:
        return f"the bus is narrow already: {present:.2f} : 1" if feasible[here] else f"{present:.2f} : 1 is not feasible as it is"
    k = able[0]
    parts = [f"{name} {show(float(v[here]), unit, 3)} → {show(float(v[k]), unit, 3)}"
             for (name, unit, _), v in zip(MEASURES, values, strict=True)]
    return f"from {ratio[here]:.2f} : 1 to {ratio[k]:.2f} : 1: " + ", ".join(parts) + "; the stage that narrows it is not counted"
