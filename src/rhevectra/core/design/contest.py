"""The contest: every topology designed for the same requirement within the same budget, measured alike, ranked, with the reason each one loses."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import PEAKS
from rhevectra.core.basis.findings import MUST_FIX, Finding
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.cost import cost_index, magnetics_volume, part_count, whole_bill
from rhevectra.core.design.design import Design
from rhevectra.core.design.size import size
from rhevectra.core.stages import FRONT_ENDS, front_ends_for
from rhevectra.core.topologies import TOPOLOGIES

COMMON = ("front_end",)
"""Pins every topology keeps; all others are dropped, for they were made for one of them."""
WEIGHTS = {"loss": 1.0, "magnetics_volume": 0.5, "cost_index": 1.0, "switch_stress": 0.25}
"""How much each measure counts in the order; each is taken over the least of all that can be built."""


@dataclass(frozen=True)
class Entry:
    """One topology with its best design. pins: what the search chose; tried: how many designs it made; volumes [m³], stresses per output watt."""

    topology: str
    front_end: str | None
    findings: tuple[Finding, ...]
    pins: Mapping[str, Any]
    tried: int
    feasible: bool
    efficiency: float
    efficiency_light: float
    loss: float
    magnetics_volume: float
    switch_stress: float
    capacitor_stress: float
    part_count: int
    cost_index: float
    tightest_margin: float
    rank: int | None = None
    reason: str = ""


def _entry(design: Design, pins: Mapping[str, Any]) -> Entry:
    """A design measured."""
    bill, power, grid = whole_bill(design), design.requirement.power, design.grid
    peaks = PEAKS.mask(grid)
    highest = lambda id: float(np.broadcast_to(np.asarray(design.rows[id].value, float), grid.shape)[peaks].max())  # noqa: E731
    stress = sum(n for _, n in TOPOLOGIES[design.topology].bill(design)["switches"]) * highest("switch.v_peak") * highest("switch.i_peak")
    stress += highest("pfc.v_switch") * highest("pfc.i_peak") if "pfc.i_peak" in design.rows else 0.0
    stored = sum(float(design.value(f"output{n}.i_c_rms")) * o.magnitude for n, o in enumerate(design.requirement.outputs, 1) if f"output{n}.i_c_rms" in design.rows)
    margins = [f.margin for f in design.figures() if f.margin is not None]
    return Entry(design.topology, None if design.requirement.is_dc else design.front_end, design.findings, dict(pins), 1, design.feasible, float(design.value("efficiency")), float(design.value("efficiency_light")), float(design.value("loss.total")),
                 magnetics_volume(design), stress / power, stored / power, part_count(bill), cost_index(design, bill), float(min(margins)) if margins else 0.0)


def score(entry: Entry, least: Mapping[str, float], weights: Mapping[str, float]) -> float:
    """Weighted sum of the measures over the least of each; what cannot be built comes after all that can."""
    return sum(w * getattr(entry, m) / max(least[m], 1e-12) for m, w in weights.items()) + (0.0 if entry.feasible else 1e6)


def _least(entries: Sequence[Entry], weights: Mapping[str, float]) -> dict[str, float]:
    field = [e for e in entries if e.feasible] or list(entries)
    return {m: min(float(getattr(e, m)) for e in field) for m in weights}


Measure = Callable[[Sequence[Mapping[str, Any]]], Iterator[Entry]]
"""Designs and measures pins tried, in any order."""


def entry_of(need: Requirement, catalogue: Catalogue | None, tried: Mapping[str, Any]) -> Entry:
    """One design, measured. tried: its pins with the topology."""
    return _entry(size(need, tried, None, catalogue, noise=False), tried)


def contest(need: Requirement, pins: Mapping[str, Any] | None = None, catalogue: Catalogue | None = None, common: Sequence[str] = COMMON, weights: Mapping[str, float] | None = None, measure: Measure | None = None) -> Iterator[tuple[int, int, Entry]]:
    """Yields (done, total, entry) while it works: the best so far of one topology, the first of each as soon as it stands.

    Each topology may choose its own frequency and ripple (its CONTEST), and core, turns, wire and parts by its rules; measure: who makes the
    designs (one after the other here, unless told). Raises InputError where a common pin cannot be used at all.
    """
    kept = {k: v for k, v in (pins or {}).items() if k in common}
    plans = {name: list(product(*t.CONTEST.values())) for name, t in TOPOLOGIES.items()}
    found: dict[str, list[Entry]] = {name: [] for name in plans}
    batch = [(name, dict(zip(TOPOLOGIES[name].CONTEST, plans[name][k], strict=True))) for k, name in sorted(((k, name) for name, plan in plans.items() for k in range(len(plan))), key=lambda x: x[0])]
    more = iter((lambda: _other_front_ends(need, found), lambda: _other_frequencies(found, weights or WEIGHTS)) if not need.is_dc and "front_end" not in kept else ())
    done, total = 0, len(batch)
    while batch:
        tries = [{"topology": name, **kept, **own} for name, own in batch]
        for entry in measure(tries) if measure is not None else (entry_of(need, catalogue, t) for t in tries):
            mine = found[entry.topology]
            mine.append(entry)
            least = _least(mine, weights or WEIGHTS)
            best = min(mine, key=lambda e: score(e, least, weights or WEIGHTS))
            done += 1
            if done == total:
                batch = next(more, list)()
                total += len(batch)
            yield done, total, replace(best, tried=len(mine))


def _shapes(entry: Entry) -> bool:
    """Whether its front end draws a sine."""
    return entry.front_end is not None and bool(FRONT_ENDS[entry.front_end].SHAPES_CURRENT)


def _other_front_ends(need: Requirement, found: Mapping[str, Sequence[Entry]]) -> list[tuple[str, dict[str, Any]]]:
    """What is tried beyond the usual front end: one that calls itself a rival for these mains; every other power factor stage where the class of harmonics asks for one, or where no design stands because of the plain one; elsewhere it would only add loss and cost."""
    asked = {name for name, entries in found.items() if (_shapes(entries[0]) and any(e.feasible for e in entries)) or (not any(e.feasible for e in entries) and any(f.severity == MUST_FIX and f.stage in ("inlet", "bulk", "pfc") for e in entries for f in e.findings))}
    shaped = {name for name, entries in found.items() if _shapes(entries[0])}
    return [(name, {"front_end": front, "fs": TOPOLOGIES[name].CONTEST["fs"][1]}) for front, module in front_ends_for(need.mains.kind).items() for name, entries in found.items()
            if front != entries[0].front_end and (name in asked if module.SHAPES_CURRENT else name not in shaped and module.rivals(need))]


def _other_frequencies(found: Mapping[str, Sequence[Entry]], weights: Mapping[str, float]) -> list[tuple[str, dict[str, Any]]]:
    """The best of the power factor stages at the other frequencies."""
    best = {name: min(entries, key=lambda e: score(e, _least(entries, weights), weights)) for name, entries in found.items()}
    return [(name, {"front_end": e.front_end, "fs": fs}) for name, e in best.items() if "front_end" in e.pins for fs in TOPOLOGIES[name].CONTEST["fs"][::2]]


def ranked(entries: Sequence[Entry], weights: Mapping[str, float] | None = None) -> list[Entry]:
    """The entries in order, ranks given to those that can be built, and each with its reason."""
    used = weights or WEIGHTS
    least = _least(entries, used)
    order = sorted(entries, key=lambda e: score(e, least, used))
    best = order[0]
    second = order[1] if len(order) > 1 and order[1].feasible else None
    out = []
    for k, e in enumerate(order):
        rank = k + 1 if e.feasible else None
        reason = _cannot(e) if not e.feasible else _leads(e, second) if e is best else _loses(e, best)
        out.append(replace(e, rank=rank, reason=reason))
    return out


_SAYS = {"loss": ("loses {} against {}", "W", 1.0), "magnetics_volume": ("needs {} of cores against {}", "cm³", 1e6), "cost_index": ("costs {} against {}", "", 1.0), "switch_stress": ("stresses its switches with {} against {}", "VA/W", 1.0)}


def _leads(entry: Entry, second: Entry | None) -> str:
    """What the first is ahead in, against the next that can be built."""
    if second is None:
        return "the only one that can be built"
    ahead = [m for m in _SAYS if float(getattr(entry, m)) < float(getattr(second, m))]
    return f"first by the weights set; beside {second.topology} it " + "; ".join(_compare(m, entry, second) for m in ahead[:3]) if ahead else "first by the weights set"


def _loses(entry: Entry, best: Entry) -> str:
    """At least two measures in which it falls behind the winner, the worst first; where there is only one, what it is ahead in follows."""
    ratio = {m: float(getattr(entry, m)) / max(float(getattr(best, m)), 1e-12) for m in _SAYS}
    order = sorted(ratio, key=lambda m: -ratio[m])
    behind = [m for m in order if ratio[m] > 1.0]
    told = [_compare(m, entry, best) for m in (behind[:3] if len(behind) >= 2 else order[:1])]
    if len(behind) < 2:
        told.append("ahead only in " + ", ".join(_compare(m, entry, best) for m in order[1:3]))
    return "; ".join(told)


def _compare(measure: str, entry: Entry, best: Entry) -> str:
    text, unit, scale = _SAYS[measure]
    a, b = (f"{float(getattr(e, measure)) * scale:.3g} {unit}".strip() for e in (entry, best))
    return text.format(a, b)


def _cannot(entry: Entry) -> str:
    """Why it cannot be built: its first two faults, and its loss and magnetics where there is one fault only."""
    texts = [f.text for f in entry.findings if f.severity == MUST_FIX]
    return "cannot be built: " + "; ".join(texts[:2]) + (f" ({show(entry.loss, 'W')} lost, {entry.magnetics_volume * 1e6:.3g} cm³ of cores)" if len(texts) < 2 else "")
