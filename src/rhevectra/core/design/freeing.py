"""Which pins break a design: it is made again without each of them, the one that helps most left out for good, until all is met or none
helps any more."""

from collections.abc import Iterator, Sequence

from msgspec.structs import replace

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.findings import MUST_FIX, Finding
from rhevectra.core.design.cures import SHAPE
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import decided
from rhevectra.core.design.size import size

ROUNDS = 3
"""Pins freed together at most."""


def freeing_steps(design: Design) -> Iterator[tuple[int, int, Finding | None]]:
    """Free one pin after the other: yields (done, total, None), at last with what freeing mends, or with None where it mends nothing. Pins
    on topology, front end and clamp stay: the contest compares those."""
    pins = [id for id in design.pins if id in design.rows and id not in SHAPE]
    best, freed, done, total = design, list[str](), 0, ROUNDS * len(pins)
    while pins and len(freed) < ROUNDS and _left(best):
        tried = []
        for id in pins:
            tried.append((id, _without(best, id)))
            done += 1
            yield done, total, None
        id, found = min(tried, key=lambda t: _left(t[1]))
        if _left(found) >= _left(best):
            break
        best = found
        freed.append(id)
        pins.remove(id)
    yield total, total, _told(design, best, freed) if freed else None


def with_pins_tried(design: Design) -> Design:
    """The design with what freeing its pins would mend before its other findings."""
    found = [finding for _, _, finding in freeing_steps(design) if finding is not None]
    return replace(design, findings=(*found, *design.findings)) if found else design


def _left(design: Design) -> int:
    return sum(f.severity == MUST_FIX for f in design.findings)


def _without(design: Design, id: str) -> Design:
    """The design without a pin; the design itself where the other pins cannot be used without it."""
    try:
        return size(design.requirement, {k: v for k, v in design.pins.items() if k != id}, design.as_built, design.catalogue)
    except InputError:
        return design


def _told(design: Design, best: Design, freed: Sequence[str]) -> Finding:
    """The finding that names the pins that were freed, with their values and the rules'."""
    left, before = _left(best), _left(design)
    parts = []
    for id in freed:
        spec, row = design.decision_specs[id], design.rows[id]
        rule = f"by rule {decided(spec, best.rows[id])}" if id in best.rows else "by rule there is none"
        parts.append(f"{spec.label}{' ' if isinstance(row.value, str) else ' of '}{decided(spec, row)} ({rule})")
    gone = "nothing is left that must be fixed" if not left else f"{before - left} of {before} things that must be fixed are gone"
    pins = "this pin" if len(freed) == 1 else "these pins"
    return Finding(MUST_FIX, design.decision_specs[freed[0]].stage, f"{' and '.join(parts)}: without {pins} {gone}", "", freed[0])
