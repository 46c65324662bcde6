"""The outputs of a project in another order, or some of them: what was decided and measured of each goes with it."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from rhevectra.project.document import Document

_OF_OUTPUT = re.compile(r"(output|rectifier|secondary|filter|transformer\.(?:wire_ns|r_secondary|ns))(\d+)(?=\.|$)")
_OF_ALL = re.compile(r"filter1\.(?!l$)")
"""The filter inductor that outputs share keeps its number."""
_BLOCK = re.compile(r"\bs(\d+)")
ARRANGEMENT = "transformer.arrangement"


def reordered(document: Document, order: Sequence[int], numbered: bool = True) -> Document:
    """The document with the outputs of these places (from nothing up) in this order. numbered: whether decisions go by the output's number,
    which they do not where only the regulated one is designed. What was decided of an output that goes is dropped, and an order of windings
    that names it; the first left is regulated where the regulated one goes."""
    need = document.requirement
    outs = [need.outputs[k] for k in order]
    if not any(o.regulated for o in outs):
        outs[0] = replace(outs[0], regulated=True)
    made = document.require(replace(need, outputs=tuple(outs)))
    if not numbered:
        return made
    places = {old + 1: new + 1 for new, old in enumerate(order)}
    decisions = _moved(document.decisions, places)
    wound = decisions.get(ARRANGEMENT)
    if isinstance(wound, str):
        if all(int(n) in places for n in _BLOCK.findall(wound)):
            decisions[ARRANGEMENT] = _BLOCK.sub(lambda m: f"s{places[int(m[1])]}", wound)
        else:
            del decisions[ARRANGEMENT]
    return made.decide(decisions).measured(_moved(document.as_built, places))


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
