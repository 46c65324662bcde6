"""Which pins and readings break a design: it is made again without each of them, the one that helps most left out for good, until all is
met or none helps any more."""

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.findings import MUST_FIX, Finding
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.cures import SHAPE
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import decided
from rhevectra.core.design.size import size
from rhevectra.core.stages.work import FigureSpec

ROUNDS = 3
"""Pins and readings left out together at most."""


def freeing_steps(design: Design, _corner: Corner | None = None) -> Iterator[tuple[int, int, Finding | None]]:
    """Leave out one pin or reading after the other: yields (done, total, None), at last with what that mends, or with None where it mends
    nothing. Pins on topology, front end and clamp stay: the contest compares those."""
    known = design.decision_specs.keys() | design.specs.keys()
    given = [id for id in dict.fromkeys((*design.pins, *design.as_built)) if id in design.rows and id in known and id not in SHAPE]
    best, freed, done, total = design, list[str](), 0, ROUNDS * len(given)
    while given and len(freed) < ROUNDS and _left(best):
        tried = []
        for id in given:
            tried.append((id, _without(best, id)))
            done += 1
            yield done, total, None
        id, found = min(tried, key=lambda t: _left(t[1]))
        if _left(found) >= _left(best):
            break
        best = found
        freed.append(id)
        given.remove(id)
    yield total, total, _told(design, best, freed) if freed else None


def with_pins_tried(design: Design) -> Design:
    """The design with what leaving out its pins and readings would mend before its other findings."""
    found = [finding for _, _, finding in freeing_steps(design) if finding is not None]
    return replace(design, findings=(*found, *design.findings)) if found else design


def _left(design: Design) -> int:
    return sum(f.severity == MUST_FIX for f in design.findings)


def _without(design: Design, id: str) -> Design:
    """The design without a pin or reading; the design itself where the others cannot be used without it."""
    pins, readings = ({k: v for k, v in given.items() if k != id} for given in (design.pins, design.as_built))
    try:
        return size(design.requirement, pins, readings, design.catalogue)
    except InputError:
        return design


def _told(design: Design, best: Design, freed: Sequence[str]) -> Finding:
    """The finding that names what was left out, with its value and what stands in its place."""
    left, before = _left(best), _left(design)
    gone = "nothing is left that must be fixed" if not left else f"{before - left} of {before} things that must be fixed are gone"
    what = "this" if len(freed) == 1 else "these"
    text = f"{' and '.join(_named(design, best, id) for id in freed)}: without {what} {gone}"
    return Finding(MUST_FIX, _spec(design, freed[0]).stage, text, freed[0], freed[0])


def _spec(design: Design, id: str) -> DecisionSpec | FigureSpec:
    return design.decision_specs.get(id) or design.specs[id]


def _named(design: Design, best: Design, id: str) -> str:
    """A pin with the rule's value, a reading with what was expected."""
    row, other = design.rows[id], best.rows.get(id)
    if id in design.as_built:
        instead = f" (expected {show(float(np.max(other.value)), row.unit)})" if other is not None else ""
        return f"{_spec(design, id).label} read as {show(design.as_built[id].value, row.unit)}{instead}"
    spec = design.decision_specs[id]
    rule = f"by rule {decided(spec, other)}" if other is not None else "by rule there is none"
    return f"{spec.label}{' ' if isinstance(row.value, str) else ' of '}{decided(spec, row)} ({rule})"
