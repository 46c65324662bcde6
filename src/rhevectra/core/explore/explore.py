"""Many designs of one topology around a present one, measured like the contest's; half of them spread evenly over what is varied, the rest
near those that nothing beats."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import numpy as np

from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.contest import Entry, Makers, OneByOne
from rhevectra.core.explore.space import Axis, pins_at, shares_of, spread

BEATS = ("loss", "magnetics_volume", "cost_index")
"""Measures by which one design beats another: none worse and one better."""
ROUNDS = 4
"""How often the second half of the designs moves to where the first ones were good."""
NEAR = 0.35
"""Width of the box, in shares of the axes, that the first of these rounds looks into about a design; it halves with each."""


def open_to_choice(entries: Sequence[Entry]) -> tuple[list[bool], str]:
    """Which designs may be chosen, and what is said of them: those that give all that is asked, or where none does those that can be
    built."""
    give = [e.feasible and not e.missed for e in entries]
    return (give, "give all that is asked") if any(give) else ([e.feasible for e in entries], "can be built")


def unbeaten(entries: Sequence[Entry], measures: Sequence[str] = BEATS) -> list[int]:
    """Numbers of the designs that may be chosen and that no other one beats, by rising first measure."""
    able = [k for k, good in enumerate(open_to_choice(entries)[0]) if good]
    values = np.array([[float(getattr(entries[k], m)) for m in measures] for k in able]).reshape(len(able), len(measures))
    order = np.lexsort(values.T[::-1])  # one that comes later cannot beat one that comes before
    left, kept = values[order], []
    while len(order):
        kept.append(able[int(order[0])])
        open_ = ~(left[0] <= left).all(1)
        order, left = order[open_], left[open_]
    return kept


def explore(need: Requirement, pins: Mapping[str, Any], axes: Sequence[Axis], count: int, catalogue: Catalogue | None = None,
            makers: Makers | None = None) -> Iterator[tuple[int, int, Entry]]:
    """Yields (done, total, entry) while it works, `count` designs in all. pins: those of the present design with its topology, which is the
    first; makers: who makes them (one after the other here, unless told).

    The same designs come of it whoever makes them, in any order. Raises InputError where a pin cannot be used at all.
    """
    maker = makers or OneByOne(need, catalogue)
    found: list[Entry] = []

    def made(tried: list[dict[str, Any]]) -> Iterator[tuple[int, int, Entry]]:
        for each in tried:
            maker.ask({**pins, **each})
        for _ in tried:
            found.append(maker.take())
            yield len(found), count, found[-1]
    even = count if not axes else max(count // 2, 1)
    yield from made([{}])
    yield from made([pins_at(axes, s) for s in spread(0, even - 1, len(axes))] if axes else [])
    begin = even
    for turn in range(ROUNDS if axes else 0):
        more = (count - len(found)) // (ROUNDS - turn)
        yield from made(_about(found, axes, spread(begin, more, len(axes)), NEAR / 2**turn))
        begin += more


def _about(found: Sequence[Entry], axes: Sequence[Axis], shares: Any, width: float) -> list[dict[str, Any]]:
    """Points about the designs that nothing beats, one after the other; anywhere as long as none can be chosen."""
    front = sorted([*shares_of(axes, found[k].pins)] for k in unbeaten(found))
    if not front:
        return [pins_at(axes, s) for s in shares]
    return [pins_at(axes, np.clip(np.array(front[k % len(front)]) + width * (s - 0.5), 0.0, 1.0)) for k, s in enumerate(shares)]
