"""An exploration in worker processes or on a cluster, as data and as lines of text."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from rhevectra.app.cluster import Cluster
from rhevectra.app.workers import makers_of
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.contest import Entry
from rhevectra.core.explore.explore import BEATS, explore, open_to_choice, unbeaten
from rhevectra.core.explore.measures import MEASURES, TABLE, told
from rhevectra.core.explore.space import Axis

USUAL, LEAST, MOST_DESIGNS, WORKERS_MOST = 400, 2, 5000, 64
"""Designs of an exploration where nobody says how many, the least and the most; worker processes at most."""


def explore_steps(need: Requirement, pins: Mapping[str, Any], axes: Sequence[Axis], count: int, catalogue: Catalogue | None = None,
                  workers: int | None = None, scheduler: str | None = None) -> Iterator[tuple[int, int, Entry]]:
    """The exploration's steps. workers: how many processes (by the processors there are); scheduler: address of a cluster in their place;
    closing the generator leaves out the rest. Raises InputError."""
    with makers_of(need, catalogue, workers) if scheduler is None else Cluster(need, catalogue, scheduler) as makers:
        yield from explore(need, pins, axes, count, catalogue, makers)


def as_json(entries: Sequence[Entry], axes: Sequence[Axis], elapsed: float) -> dict[str, Any]:
    """The object that `explore --json` prints: what was varied, all designs with the present one first, and the numbers of those nothing
    beats."""
    fields = (*MEASURES, "feasible", "missed", "part_count")
    return {"elapsed": elapsed,
            "varied": [{"id": a.id, "options": list(a.options)} if a.options else {"id": a.id, "low": a.low, "high": a.high, "unit": a.unit}
                       for a in axes],
            "beats": list(BEATS), "designs": [{**{f: getattr(e, f) for f in fields}, "decisions": dict(e.pins)} for e in entries],
            "front": unbeaten(entries)}


def lines(entries: Sequence[Entry], axes: Sequence[Axis], elapsed: float) -> list[str]:
    """What was varied, the present design and those nothing beats, by rising loss."""
    out = [f"varied: {a.label.lower()} {a.text()}" for a in axes] or ["nothing is varied: every decision it would change is pinned"]
    out += ["", f"{'':6}" + "".join(f"{MEASURES[t].title:>12}" for t in TABLE) + "  " + " · ".join(a.label.lower() for a in axes)]

    def row(name: str, e: Entry) -> str:
        return f"{name:6}" + "".join(f"{told(e, t):>12}" for t in TABLE) + "  " + " · ".join(
            a.said(e.pins[a.id]) for a in axes if a.id in e.pins)
    front = unbeaten(entries)
    out += [row("now", entries[0]) + ("" if entries[0].feasible else "  cannot be built"), *(row("", entries[k]) for k in front if k)]
    able, says = open_to_choice(entries)
    out += ["", f"{len(entries)} designs in {elapsed:.1f} s, {sum(able)} {says}; nothing beats {len(front)} of them in loss, volume of "
            "cores and cost together; the mains filter with its usual copper"]
    return out
