"""The pins of a wound transformer: which winding has which, and whether the usual bobbin has as many."""

from collections.abc import Mapping
from itertools import accumulate
from typing import Any

import numpy as np

from rhevectra.core.basis.findings import NOTE
from rhevectra.core.magnetics.arrangement import parted, shares
from rhevectra.core.magnetics.need import TransformerNeed, primary_side
from rhevectra.core.stages.work import Work


def pins_of(need: TransformerNeed, turns: list[int]) -> dict[int, dict[int, str]]:
    """Pins of each winding by the turns wound before them, start to finish: row A belongs to the mains, row B to the outputs.

    A winding has a pin at both ends, where its parts are joined, and at its tap.
    """
    pins: dict[int, dict[int, str]] = {}
    used = {"A": 0, "B": 0}
    for k, w in enumerate(need.windings):
        row = "A" if primary_side(need)[k] else "B"
        ends = {0, turns[k], *accumulate(int(n) for n in parted(np.asarray(turns[k]), shares(need.stack, k)))}
        if k == 0 and need.halves == 2:
            ends.add(turns[0] // 2)
        found = {}
        for at in sorted(ends):
            if at == 0 and w.name.endswith("b"):  # the second half goes on where the first ended: a tap
                found[at] = pins[k - 1][turns[k - 1]]
                continue
            used[row] += 1
            found[at] = f"{row}{used[row]}"
        pins[k] = found
    return pins


def shield_pin(pins: Mapping[int, Mapping[int, str]]) -> str:
    """The pin of the shields: the next of row A, for no end of the primary rests in every topology."""
    return f"A{1 + max(int(p[1:]) for ends in pins.values() for p in ends.values() if p.startswith('A'))}"


def asked(need: TransformerNeed, turns: list[int]) -> dict[str, int]:
    """How many pins each row needs, the shields' one among them."""
    pins = pins_of(need, turns)
    count = {row: len({p for ends in pins.values() for p in ends.values() if p.startswith(row)}) for row in "AB"}
    return {**count, "A": count["A"] + any(b.shield for b in need.stack)}


def told(need: TransformerNeed, turns: list[int], has: int) -> str:
    """What a maker reads of the pins; has: pins of the usual bobbin, 0 where none is known."""
    rows = asked(need, turns)
    used = " and ".join(f"{n} of row {row}" for row, n in rows.items())
    if not has:
        return f"pins used: {used}"
    return f"pins used: {used}; the usual bobbin has {has}, {has // 2} in a row" + (
        "" if max(rows.values()) <= has // 2 else ": returns that the board joins may share one, joints that have none stay in the "
        "winding, twisted, soldered and sleeved, or leads come out flying")


def record(work: Work, need: TransformerNeed, turns: list[int], core: Mapping[str, Any]) -> None:
    """A remark where a row of the usual bobbin is too short."""
    has = int(core["bobbin_pins"])
    if need.board is not None or not has:
        return
    short = [f"row {row} needs {n}" for row, n in asked(need, turns).items() if n > has // 2]
    if short:
        work.find(NOTE, "transformer", f"the usual bobbin of {core['name']} has {has} pins, {has // 2} in a row: {' and '.join(short)}; "
                  "returns that the board joins anyway may share one, a joint may stay in the winding, sleeved, or leads come out flying; "
                  "a larger core or windings in fewer parts need no such thing", "transformer.arrangement", "transformer.core")
