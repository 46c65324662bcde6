"""The order of windings in a window, as people say it: `p | s1 | p | aux`, from the post outwards.

A word between bars is one block: a winding (`p` primary, `r` reset, `s1`, `s1b`, `s2` …, `aux`) or `e`, a shield of
copper foil tied to a pole of the bus. A winding in several blocks is wound in series; a number after a
colon weighs its blocks (`p:22 | s1 | p:12`). Four usual orders have names.
"""

import math
import re
from collections.abc import Sequence
from itertools import accumulate, pairwise
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.errors import InputError
from rhevectra.core.magnetics.windows import USUAL, Tapes

SHIELD = -1
SHIELD_FOIL = 50e-6
"""Thickness of a shield's copper foil [m] (common practice, no source)."""
PRESETS = ("split", "simple", "interleaved", "shielded")
BLOCKS_MOST = 16
_WORD = re.compile(r"(p|r|e|aux|s[1-9]b?)(?::(\d+(?:\.\d+)?))?$")
EXAMPLE = "p:22 | s1 | e | p:12 | aux"
ACCEPTED = f"{', '.join(PRESETS)}, or blocks from the post outwards such as {EXAMPLE} (p, r, s1, s1b, aux; e a shield)"


class Block(Struct, frozen=True):
    """One block of the stack: winding number or SHIELD, share of that winding's turns, thickness of insulation below it [m], and whether
    that is the barrier."""

    winding: int
    share: float
    below: float
    barrier: bool = False

    @property
    def shield(self) -> bool:
        return self.winding == SHIELD


def word(name: str) -> str:
    """The word of a winding: primary -> p, ns1b -> s1b."""
    return {"primary": "p", "nr": "r", "naux": "aux"}.get(name, name[1:])


def on_primary_side(name: str) -> bool:
    """Whether a winding of that name is on the mains side of the barrier."""
    return name in ("primary", "nr", "naux")


def read(text: str) -> str:
    """The text in its usual spelling. Raises InputError where it is no preset and no list of blocks."""
    if text in PRESETS:
        return text
    return write(_words(text))


def write(words: Sequence[tuple[str, float]]) -> str:
    """Blocks (word, weight) as text; weights of windings in one block are left out."""
    names = [w for w, _ in words]
    return " | ".join(w if w == "e" or names.count(w) == 1 else f"{w}:{weight:g}" for w, weight in words)


def _words(text: str) -> list[tuple[str, float]]:
    """Words with their weights; neighbours of the same winding become one block. Raises InputError."""
    found: list[tuple[str, float]] = []
    for part in str(text).split("|"):
        match = _WORD.match(part.strip().lower())
        weight = float(match[2] or 1.0) if match else 0.0
        if not match or (weight <= 0 and match[1] != "e"):
            raise InputError("transformer.arrangement", f"{part.strip()!r} is no block", ACCEPTED)
        if found and found[-1][0] == match[1]:
            found[-1] = (match[1], found[-1][1] + (0.0 if match[1] == "e" else weight))
        else:
            found.append((match[1], weight))
    if len(found) > BLOCKS_MOST:
        raise InputError("transformer.arrangement", f"{len(found)} blocks are too many", f"at most {BLOCKS_MOST}")
    return found


def preset(name: str, names: Sequence[str]) -> list[tuple[str, float]]:
    """The words of a usual order for windings of these names (primary first, auxiliary last)."""
    own = [(word(n), 1.0) for n in names[1:-1]]
    if len(own) > 2:  # the regulated output, which comes first, between the others: what holds these apart from it counts twice otherwise
        own.insert(len(own) // 2, own.pop(0))
    aux, e = (word(names[-1]), 1.0), ("e", 1.0)
    if name == "simple":
        return [("p", 1.0), aux, *own]
    if name == "split":
        return [("p", 1.0), *own, ("p", 1.0), aux]
    if name == "interleaved":
        return [("p", 1.0), *own, ("p", 2.0), *reversed(own), ("p", 1.0), aux]
    return [("p", 1.0), e, *own, e, ("p", 1.0), aux]


def words_of(text: str, names: Sequence[str]) -> list[tuple[str, float]]:
    """The words of an arrangement for these windings. Raises InputError where it names one that is not there or leaves one out."""
    words = preset(text, names) if text in PRESETS else _words(text)
    there, named = {word(n) for n in names}, {w for w, _ in words} - {"e"}
    if named - there:
        raise InputError("transformer.arrangement",
                         f"{text!r} names {', '.join(sorted(named - there))}, which this transformer does not have",
                         f"{', '.join(sorted(there))}")
    if there - named:
        raise InputError("transformer.arrangement", f"{text!r} leaves out {', '.join(sorted(there - named))}",
                         f"every winding: {', '.join(sorted(there))}")
    return words


def suits(text: str, names: Sequence[str]) -> bool:
    """Whether an arrangement names all of these windings and no other."""
    try:
        return bool(words_of(text, names))
    except InputError:
        return False


def blocks(text: str, names: Sequence[str], tapes: Tapes = USUAL) -> tuple[Block, ...]:
    """The stack of an arrangement: shares of turns, and tapes between the blocks (more of them across the barrier). Raises InputError."""
    words = words_of(text, names)
    number = {word(n): k for k, n in enumerate(names)}
    inside = {word(n): on_primary_side(n) for n in names} | {"e": True}
    whole = {w: math.fsum(weight for v, weight in words if v == w) for w, _ in words}
    across = [False, *(inside[a] != inside[b] for (a, _), (b, _) in pairwise(words))]
    below = [0.0, *(tapes.wall if other else tapes.thickness for other in across[1:])]
    return tuple(Block(number.get(w, SHIELD), 1.0 if w == "e" else weight / whole[w], gap, other)
                 for (w, weight), gap, other in zip(words, below, across, strict=True))


NEARER = 0.382
"""Share of a half's turns that lies before the other half, so that both leak alike: u² = 1 − u of what lies beyond."""


def side_by_side(names: Sequence[str], wall: float, tapes: Tapes = USUAL) -> tuple[Block, ...]:
    """The stack of two chambers, along the post: mains side, a wall [m], outputs; of a tapped output one half lies in the middle of the
    other, so that both leak alike."""
    mains = [k for k in (len(names) - 1, *range(len(names) - 1)) if on_primary_side(names[k])]
    found = [Block(k, 1.0, tapes.thickness if n else 0.0) for n, k in enumerate(mains)]
    own = [k for k in range(len(names)) if not on_primary_side(names[k])]
    beyond = [(own[0], NEARER), (own[1], 1.0), (own[0], 1 - NEARER)] if len(own) == 2 else [(k, 1.0) for k in own]
    return (*found, *(Block(k, share, tapes.thickness if n else wall, not n) for n, (k, share) in enumerate(beyond)))


def named(text: str, names: Sequence[str], turns: Sequence[int]) -> str:
    """The preset that lays these turns in the same order, or the text itself."""
    def laid(order: str) -> list[tuple[int, int]]:
        stack = blocks(order, names)
        return [(b.winding, count) for b, count in zip(stack, counts(stack, turns), strict=True)]
    return next((p for p in PRESETS if laid(p) == laid(text)), text)


def shares(stack: Sequence[Block], winding: int) -> tuple[float, ...]:
    """Shares of a winding's turns in its blocks, from the post outwards."""
    return tuple(b.share for b in stack if b.winding == winding)


def parted(turns: Array, parts: Sequence[float]) -> list[Array]:
    """Whole turns of each part of a winding of `turns` (any shape); what does not go up evenly is wound first."""
    ends = [np.ceil(np.asarray(turns) * share - 1e-6) for share in accumulate(parts)]
    return [ends[0], *(b - a for a, b in pairwise(ends))]


def dealt(stack: Sequence[Block], turns: Sequence[Any]) -> list[Any]:
    """Turns of each block of the stack, of each winding's turns (numbers, or arrays of any shape); none of a shield."""
    parts = {k: iter(parted(np.asarray(n), shares(stack, k))) for k, n in enumerate(turns)}
    return [0 if b.shield else next(parts[b.winding]) for b in stack]


def counts(stack: Sequence[Block], turns: Sequence[int]) -> list[int]:
    """Whole turns of each block of the stack, of one candidate's turns."""
    return [int(n) for n in dealt(stack, turns)]


def insulation(stack: Sequence[Block], tapes: Tapes = USUAL) -> float:
    """Height of all tapes between the blocks, of the outer wrap and of the shields [m]."""
    return math.fsum(b.below + (SHIELD_FOIL if b.shield else 0.0) for b in stack) + tapes.wall


def faces(stack: Sequence[Block], names: Sequence[str]) -> int:
    """How many times windings of both sides face each other, over a shield or not."""
    sides = [on_primary_side(names[b.winding]) for b in stack if not b.shield]
    return sum(a != b for a, b in pairwise(sides))


def between(stack: Sequence[Block], names: Sequence[str]) -> float:
    """Height of what lies between windings of both sides where they face each other: tapes and shields [m]."""
    apart, last, height = 0.0, None, 0.0
    for b in stack:
        apart += b.below + (SHIELD_FOIL if b.shield else 0.0)
        if not b.shield:
            side = on_primary_side(names[b.winding])
            height += apart if last not in (None, side) else 0.0
            apart, last = 0.0, side
    return height


def shielded(stack: Sequence[Block], names: Sequence[str]) -> bool:
    """Whether a shield lies at every face between the sides."""
    pairs = list(pairwise(stack))
    return any(b.shield for b in stack) and not any(
        not a.shield and not b.shield and on_primary_side(names[a.winding]) != on_primary_side(names[b.winding]) for a, b in pairs)


def called(need: Any) -> list[str]:
    """Windings in words, in their order."""
    own = {"nr": "reset", "naux": "auxiliary", "primary": "primary"}
    return [own.get(w.name, f"secondary {w.name[2:].removesuffix('b')}" + (", second half" if w.name.endswith("b") else ""))
            for w in need.windings]
