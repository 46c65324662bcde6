"""What a circuit asks of a transformer, winding by winding."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.magnetics import arrangement
from rhevectra.core.magnetics.arrangement import Block
from rhevectra.core.magnetics.board import Board
from rhevectra.core.magnetics.windows import USUAL, Tapes, Windows


class WindingNeed(Struct, frozen=True):
    """One winding: volts per turn partner [V incl. drop], rms [A], average [A], harmonics (orders,) [A peak], wire kind.

    Harmonics are those of the current into the start: of windings that conduct together the ampere-turns oppose.
    floor: share of its volts that whole turns must not fall short of; 0 where the nearest number serves. pulsed: its volts are the
    primary's in the pulse, by its turns, and not the regulated winding's.
    """

    name: str
    volts: float
    i_rms: float
    i_avg: float
    harmonics: Array
    triple: bool
    tolerance: float = 1.0
    floor: float = 0.0
    pulsed: bool = False


class Half(Struct, frozen=True):
    """A winding (its number) whose last turn passes through one window only; spaced: whether its core has a spacer under all legs."""

    winding: int
    spaced: bool


class TransformerNeed(Struct, frozen=True):
    """What the circuit asks of the transformer. windings: primary, secondaries (regulated first), auxiliary.

    ratio: primary turns per turn of the regulated winding; flux_limit [Wb] linkage at the current limit; swing [Wb],
    t_up, t_down [s] at each full-load corner for the core loss, and fs_each [Hz] where the frequency differs between them; lp [H], or None
    for a core without a gap; b_max [T] hot saturation after derating. stack: the blocks of its arrangement. leak_cost: what a henry of
    leakage burns [W/H], where it burns; leak_least: below which it is not counted [H]. halves: of a tapped primary, each of the turns
    counted; its windings[0] carries half the common current as harmonics and what the halves carry apart as average. wall: between the
    chambers of windings that lie beside one another [m], or None where they lie over one another; leak_aim: leakage [H] that chambers may
    have at most; board: how its tracks are made, where it is no wire; half: a winding that ends half a turn early; tapes: between layers
    and windings; pieces: like transformers in series, of which this is one; usual: copper over core loss as most pieces have them, over
    that of the worst piece told here: what candidates are compared by.
    """

    windings: tuple[WindingNeed, ...]
    ratio: float
    lp: float | None
    flux_limit: float
    swing: Array
    t_up: Array
    t_down: Array
    fs: float
    b_max: float
    material: dict[str, Any]
    ambient: float
    rise_max: float
    cooling: str
    height_max: float | None
    margin: float
    stack: tuple[Block, ...]
    gap_max_share: float = 0.35
    halves: int = 1
    pins: dict[str, Any] | None = None
    fs_each: Any = None
    leak_cost: float = 0.0
    leak_least: float = 0.0
    wall: float | None = None
    leak_aim: float | None = None
    board: Board | None = None
    half: Half | None = None
    tapes: Tapes = USUAL
    pieces: int = 1
    usual: float = 1.0

    def room(self, win: Windows) -> Windows:
        """The windows as the stack fills them."""
        return self.board.windows(win) if self.board is not None else win if self.wall is None else win.chambers()

    def between_margins(self, length: Any) -> Any:
        """What the margins at both ends leave of a length along the post [m]; at least a tenth of a millimetre, for what does not fit there
        is refused by its height."""
        return np.maximum(length - 2 * self.margin, 1e-4)

    def less(self, k: int) -> float:
        """Turns that a winding counts less than it is wound."""
        return 0.5 if self.half is not None and self.half.winding == k else 0.0

    @property
    def gap_under(self) -> int | None:
        """Number of the block under which the gap lies: that above the wall of chambers; None where it stands in the post all blocks
        surround."""
        return None if self.wall is None else next(
            k for k, b in enumerate(self.stack) if not b.shield and not arrangement.on_primary_side(self.windings[b.winding].name))


def primary_side(need: TransformerNeed) -> list[bool]:
    """Of each winding: whether it is on the mains side of the barrier."""
    return [arrangement.on_primary_side(w.name) for w in need.windings]


def outputs_of(need: TransformerNeed) -> list[int]:
    """Numbers of the windings on the other side of the barrier."""
    return [k for k, inside in enumerate(primary_side(need)) if not inside]


def conducting(need: TransformerNeed) -> list[list[int]]:
    """Sets of outputs that conduct together, as they take turns: the halves of a tapped output never do."""
    outputs = outputs_of(need)
    seconds = [k for k in outputs if need.windings[k].name.endswith("b")]
    if not seconds:
        return [outputs]
    twins = {next(j for j in outputs if need.windings[j].name + "b" == need.windings[k].name): k for k in seconds}
    return [[k for k in outputs if k not in seconds], [twins.get(k, k) for k in outputs if k not in seconds]]


def relative(need: TransformerNeed) -> list[float]:
    """Turns of every winding for one of the regulated winding."""
    return [need.ratio * need.halves, 1.0, *(w.volts / need.windings[1].volts for w in need.windings[2:])]


def counting(need: TransformerNeed, turns: Sequence[Any]) -> list[Any]:
    """Turns as they count electrically: one of them may end half a turn early."""
    return [n - need.less(k) if need.less(k) else n for k, n in enumerate(turns)]


def wound(need: TransformerNeed, turns: list[Any]) -> list[Any]:
    """Turns that are really wound: a tapped primary has its turns twice."""
    return [turns[0] * need.halves, *turns[1:]]


def balanced(need: TransformerNeed, turns: Sequence[float] | Array) -> list[Array]:
    """Harmonics of every winding (orders,) [A peak]; in a core without a gap what does not cancel makes no field in the window, so the
    primary is taken without it."""
    flows = [w.harmonics for w in need.windings]
    if need.lp is None:
        flows[0] = -np.sum([n * h for n, h in zip(turns[1:], flows[1:], strict=True)], axis=0) / turns[0]
    return flows
