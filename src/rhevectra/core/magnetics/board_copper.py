"""The tracks of a designed board, what they lose and what they leak, by the field of all of them in two dimensions."""

from functools import lru_cache

import numpy as np

from rhevectra.core.formulas import copper
from rhevectra.core.magnetics.arrangement import SHIELD_FOIL, counts
from rhevectra.core.magnetics.board import SKIN, Board, evenly
from rhevectra.core.magnetics.leakage import Leakage
from rhevectra.core.magnetics.track_field import Track, TrackField, losses_of
from rhevectra.core.magnetics.transformer import TransformerNeed, Trial, balanced, wound
from rhevectra.core.magnetics.windows import Windows


def tracks_of(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows) -> list[Track]:
    """Every track where the sizing laid it, layer by layer along the post, layers in parallel as tracks of the same turn; narrow ones
    towards the outer leg, far from the gap."""
    board: Board = need.board  # type: ignore[assignment]
    room, y, found = float(need.room(win).width[at[0]]), SKIN, []
    laid, turns = [x.at(at) for x in trial.laid], [int(t[at]) for t in wound(need, trial.turns)]
    done = [0] * len(turns)
    for block, count in zip(need.stack, counts(need.stack, turns), strict=True):
        y += block.below
        if block.shield:
            y += SHIELD_FOIL
            continue
        one, w = laid[block.winding], block.winding
        for n, here in enumerate(evenly(count, int(one.per_layer))):
            y += board.dielectric if n else 0.0
            wide = min((room + board.spacing) / here - board.spacing,
                       float(one.copper) / (float(one.strands) * board.copper) if w == len(laid) - 1 else np.inf)
            first = board.edge + room + board.spacing - here * (wide + board.spacing)
            for k in range(int(one.strands)):
                middle = y + k * (board.copper + board.dielectric) + 0.5 * board.copper
                found += [Track(w, done[w] + i, middle, first + i * (wide + board.spacing), first + i * (wide + board.spacing) + wide)
                          for i in range(here)]
            done[w] += here
            y += float(one.tall)
    return found


@lru_cache(maxsize=8)
def _solved(tracks: tuple[Track, ...], across: float, along: float, thick: float, gap: float) -> TrackField:
    """The same board is asked for its copper, its leakage and its pairs."""
    return TrackField(tracks, across, along, thick, gap)


FILL_MOST = 1.2
"""Height used over height there is up to which a stack is looked at closely: beyond it the design is refused, and hundreds of layers would
take seconds."""


def looked_at(need: TransformerNeed, trial: Trial, at: tuple[int, int]) -> bool:
    """Whether a candidate is a board whose tracks are solved for."""
    return need.board is not None and float(trial.fill[at]) <= FILL_MOST


def field_of(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows) -> TrackField:
    """The field of a candidate's tracks; a stack a little too tall for its window makes that taller."""
    board: Board = need.board  # type: ignore[assignment]
    tracks = tuple(tracks_of(need, trial, at, win))
    return _solved(tracks, float(win.across[at[0]]), max(float(win.window[at[0]]), max(t.y for t in tracks) + SKIN), board.copper,
                   0.0 if need.lp is None else max(float(trial.gap[at]), 1e-6))


def board_copper(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows, temperature: float) -> list[float]:
    """Copper loss of each winding of one candidate [W], of its averages and all harmonics, currents crowding as they do."""
    turns = np.array([float(t[at]) for t in wound(need, trial.turns)])
    each = losses_of(field_of(need, trial, at, win), balanced(need, turns), [w.i_avg for w in need.windings], need.fs,
                     float(copper.resistivity(temperature)))
    return [float(x) for x in each * float(need.room(win).base_turn[at[0]])]


def board_leakage(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows) -> Leakage:
    """Leakage of one candidate, of its turns as wound."""
    return field_of(need, trial, at, win).leakage([float(t[at]) for t in wound(need, trial.turns)], float(need.room(win).base_turn[at[0]]))
