"""The transformer split into several small ones: primaries in series, secondaries in parallel, each on a core of its own or with neighbours
merged.

Each piece sees its share of the primary voltage at the whole primary current, and gives its share of the output current at the whole output
voltage: its turns ratio, its flux and its inductance are a share of the single transformer's.
"""

from collections.abc import Iterator
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.magnetics import compare, transformer
from rhevectra.core.magnetics.legs import SHARING
from rhevectra.core.magnetics.transformer import TransformerNeed
from rhevectra.core.magnetics.windows import Windows

MOST = 6
"""Pieces tried at most: more are a planar matrix, no longer wound parts."""
WORTH = 0.03
"""Share by which the pieces have to lose less before splitting is said to pay."""


class Pieces(Struct, frozen=True):
    """So many like transformers: core and turns of one, losses of all together [W], of their cores merged [W] where that can be done,
    volume [m³] and height [m], rise of one [K], current of one secondary [A rms], leakage of all seen from the primary [H], flux density of
    a post at the limit [T], what refuses them."""

    count: int
    core: str
    turns: tuple[int, ...]
    copper: float
    core_loss: float
    merged: float | None
    volume: float
    tall: float
    rise: float
    i_secondary: float
    leakage: float
    b_peak: float
    refused: str

    @property
    def loss(self) -> float:
        return self.copper + self.core_loss


def share_of(need: TransformerNeed, count: int) -> TransformerNeed:
    """What one of `count` pieces is asked for; need: that of one of as many as it says."""
    many = count / need.pieces
    primary, *rest = need.windings
    outputs = set(transformer.outputs_of(need))
    each = [replace(w, i_rms=w.i_rms / many, i_avg=w.i_avg / many, harmonics=w.harmonics / many) if k in outputs else w
            for k, w in enumerate(rest, 1)]
    return replace(need, windings=(replace(primary, volts=primary.volts / many), *each), ratio=need.ratio / many,
                   lp=None if need.lp is None else need.lp / many, flux_limit=need.flux_limit / many, swing=need.swing / many, pieces=count)


def merged_share(row: Any, volume: float, count: int) -> float | None:
    """Share of the core that is left where neighbours share their outer legs, wound so that the flux in them cancels; nothing for closed
    shapes."""
    if row["family"] not in SHARING or count < 2:
        return None
    leg = (row["a_m"] - row["e_m"]) / 2 * (row["f2_m"] or row["c_m"]) * 2 * row["d_m"]
    return max(1 - 2 * (count - 1) / count * min(leg / volume, 0.25), 0.0)


def split(need: TransformerNeed, count: int, every: Windows, wires: dict[str, tuple[Array, Array]], rows: Any,
          pinned: str | None = None) -> Pieces:
    """The smallest core that passes for each of `count` pieces, or the nearest. rows: the catalogue's cores; pinned: core of the present
    ones where a person chose it."""
    own, present = share_of(need, count), count == need.pieces
    if not present:
        own = replace(own, pins=None)  # turns a person pinned are those of the count they were pinned at
    win = every.offered(pinned, need.height_max)
    choice = transformer.choose(transformer.try_all(own, win, wires), win, pinned if present else None)
    turns = tuple(int(t[choice.core, choice.candidate]) for t in choice.trial.turns)
    names = ["np", *(w.name for w in own.windings[1:])]
    one = win.only([choice.core])
    made = compare.worked_out(replace(own, pins={**(own.pins or {}), **dict(zip(names, turns, strict=True))}), "", one, wires)
    volume, row = float(one.effective.volume[0]), rows.row(one.names[0])
    left = merged_share(row, volume, count)
    return Pieces(count, one.names[0], turns, count * made.copper, count * made.core, None if left is None else count * made.core * left,
                  count * volume, float(one.tall[0]), made.rise,
                  own.windings[1].i_rms, count * made.leakage, float(choice.trial.b_peak[choice.core, choice.candidate]), made.refused)


def matrix_steps(plan: Any, every: Windows, wires: dict[str, tuple[Array, Array]], rows: Any,
                 pinned: str | None) -> Iterator[tuple[int, int, tuple[Pieces, ...] | None]]:
    """Steps of (done, total, None), last all counts of pieces. plan: the transformer as it is."""
    found: list[Pieces] = []
    for count in range(1, MOST + 1):
        found.append(split(plan.need, count, every, wires, rows, pinned))
        yield count, MOST, tuple(found) if count == MOST else None


def said(found: tuple[Pieces, ...]) -> str:
    """Which count loses least, and what it buys and costs against one."""
    one, able = found[0], [p for p in found if not p.refused]
    if not able:
        return f"No count of pieces passes; one: {one.refused}."
    best = min(able, key=lambda p: p.loss)
    parts, each = f"(copper {show(best.copper, 'W')}, cores {show(best.core_loss, 'W')})", f"carries {show(best.i_secondary, 'A')} rms"
    if best.count == 1:
        return (f"One transformer is enough: {best.core} loses {show(best.loss, 'W')} {parts}, its secondary {each}; in pieces it would "
                "lose no less.")
    text = f"{best.count} × {best.core} lose {show(best.loss, 'W')} together {parts}, each of their secondaries {each}"
    if not one.refused and best.loss > (1 - WORTH) * one.loss:
        return f"Splitting pays little: {text}, one loses {show(one.loss, 'W')}."
    against = (f"one would be refused: {one.refused}" if one.refused
               else f"one loses {show(one.loss, 'W')}, carries {show(one.i_secondary, 'A')} rms")
    tall, volume = (f"{show(best.tall, 'm', 3)} tall instead of {show(one.tall, 'm', 3)}",
                    f"{best.volume / one.volume:.2f} times the core volume")
    legs = ("" if best.merged is None else " Merged: neighbours wound against each other leave their shared leg without flux; wound alike "
            f"it would carry {show(2 * best.b_peak, 'T', 2)}, two halves of a post's in the section of one.")
    return f"{text}; {against}. {tall[0].upper()}{tall[1:]}, {volume}, {best.count} times the rectifiers, each at its share.{legs}"


