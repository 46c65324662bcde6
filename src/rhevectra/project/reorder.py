"""The outputs of a project in another order, some of them, or another of them regulated: what was decided and measured of each goes with
it."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from rhevectra.project.document import Document

_OF_OUTPUT = re.compile(r"(output|rectifier|regulator|secondary|filter|transformer\.(?:wire_ns|r_secondary|ns))(\d+)(?=\.|$)")
_OF_ALL = re.compile(r"filter1\.(?!l$)")
"""The filter inductor that outputs share keeps its number."""
_BLOCK = re.compile(r"\bs(\d+)")
ARRANGEMENT = "transformer.arrangement"


def reordered(document: Document, order: Sequence[int], regulated: int) -> Document:
    """The document with the outputs of these places (from nothing up) in this order. regulated: place of the one that is regulated then.
    What was decided of an output that goes is dropped, and an order of windings that names it."""
    need = document.requirement
    made = document.require(replace(need, outputs=tuple(replace(need.outputs[k], regulated=k == regulated) for k in order)))
    before, after = _counted(range(len(need.outputs)), need.main), _counted(order, regulated)
    places = {before.index(k) + 1: after.index(k) + 1 for k in order}
    decisions = _moved(document.decisions, places)
    wound = decisions.get(ARRANGEMENT)
    if isinstance(wound, str):
        if all(int(n) in places for n in _BLOCK.findall(wound)):
            decisions[ARRANGEMENT] = _BLOCK.sub(lambda m: f"s{places[int(m[1])]}", wound)
        else:
            del decisions[ARRANGEMENT]
    return made.decide(decisions).measured(_moved(document.as_built, places))


def _counted(order: Sequence[int], regulated: int) -> list[int]:
    """Places of the outputs as a design counts them: the regulated one first."""
    return sorted(order, key=lambda k: k != regulated)


def _moved(given: Mapping[str, Any], places: Mapping[int, int]) -> dict[str, Any]:
    """What is known by ids, under those of the outputs' new numbers; without that of outputs that are gone."""
    moved = {}
    for id, value in given.items():
        found = None if _OF_ALL.match(id) else _OF_OUTPUT.match(id)
        if found is None:
            moved[id] = value
        elif (place := places.get(int(found[2]))) is not None:
            moved[f"{found[1]}{place}{id[found.end() :]}"] = value
    return moved
