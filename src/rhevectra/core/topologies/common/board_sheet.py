"""What a maker of boards needs: every copper layer with its winding, turns, tracks and what lies above it, and what to observe."""

from collections.abc import Iterator
from typing import Any

from msgspec import Struct

from rhevectra.core.basis.quantities import show
from rhevectra.core.magnetics.arrangement import called
from rhevectra.core.magnetics.board import VIA_AMPS
from rhevectra.core.magnetics.board_copper import tracks_of

INWARDS, OUTWARDS = "from outside inwards", "from inside outwards"


class BoardLayer(Struct, frozen=True):
    """One copper layer: number from the side of the pins, winding, turns drawn on it, track [m], dielectric above it [m] (0 of the first),
    which way its spiral runs, remark."""

    number: int
    winding: str
    turns: int
    track: float
    above: float
    way: str
    remark: str


def board_layers(design: Any) -> Iterator[BoardLayer]:
    """The layers of a design's board, in their order along the post."""
    plan = design.context["plan"]
    need, at = plan.need, (plan.choice.core, plan.choice.candidate)
    names, tracks = called(need), tracks_of(need, plan.choice.trial, at, plan.window)
    heights = sorted({t.y for t in tracks})
    series: dict[tuple[int, int], int] = {}
    count = [0] * len(names)
    for n, y in enumerate(heights):
        own = [t for t in tracks if t.y == y]
        w, first = own[0].winding, (own[0].winding, own[0].turn)
        beside = first in series
        if not beside:
            count[w] += 1
            series[first] = count[w]
        above = y - heights[n - 1] - need.board.copper if n else 0.0
        parallel = int(plan.choice.trial.laid[w].at(at).strands)
        remark = f"in parallel with {parallel - 1} more" if parallel > 1 else ""
        yield BoardLayer(n + 1, names[w], len(own), own[0].end - own[0].begin, above, INWARDS if series[first] % 2 else OUTWARDS, remark)


def _seat(plan: Any) -> tuple[str, ...]:
    """Where the board lies in the window of a core with a gap, whose field its copper was counted in."""
    if plan.need.lp is None:
        return ()
    at = (plan.choice.core, plan.choice.candidate)
    clear = 0.5 * (float(plan.window.window[at[0]]) - float(plan.choice.trial.gap[at])) - max(
        t.y for t in tracks_of(plan.need, plan.choice.trial, at, plan.window))
    lies = (f"its nearest copper {show(clear, 'm', 2)} from the gap in the middle of the post" if clear > 0
            else "the gap in the middle of the post lies within its height")
    return (f"the board sits against one end of the window and is kept there by a spacer, {lies}: its copper loss is counted so",)


def board_notes(design: Any) -> tuple[str, ...]:
    """What the table of layers leaves open."""
    plan, rows = design.context["plan"], design.rows
    board = plan.need.board
    return (*_seat(plan),
            f"copper {board.copper * 1e6:.0f} µm in every layer, finished; tracks {board.spacing * 1e3:.2f} mm apart and "
            f"{board.edge * 1e3:.2f} mm from post, legs and cut edges; board {show(float(rows['board.thickness'].value), 'm', 3)} thick "
            "with masks",
            f"{show(board.barrier, 'm')} of laminate between the sides at least, by at least two sheets; no hole of one side in a layer of "
            "the other within that distance; withstand test as on the sheet",
            f"{int(rows['board.vias'].value)} plated holes of 0.5 mm with {VIA_AMPS:g} A each: from layer to layer inside and outside the "
            "spirals by turns, several side by side where the current asks",
            "every spiral runs the same way round the post, seen from the side of the pins: a layer that runs inwards is followed by one "
            "that runs outwards; a winding with an odd number of layers comes out over a bridge",
            "dielectric over two layers of one winding may differ where the maker's core and prepreg do; between the sides it decides "
            "insulation and capacitance, tell what changes")
