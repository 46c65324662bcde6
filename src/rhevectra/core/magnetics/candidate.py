"""One candidate looked at closely: copper loss by all harmonics, what the gap's field burns of it, its stack layer by layer, its
leakage."""

from itertools import groupby
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.corners import pick
from rhevectra.core.formulas import copper, half_turn, magnetics
from rhevectra.core.magnetics import fringing, leakage
from rhevectra.core.magnetics.arrangement import SHIELD_FOIL, counts
from rhevectra.core.magnetics.board_copper import board_copper, board_leakage, looked_at
from rhevectra.core.magnetics.chamber_copper import chamber_copper
from rhevectra.core.magnetics.copper_loss import Section, stack_loss
from rhevectra.core.magnetics.transformer import TransformerNeed, Trial, balanced, conducting, wound
from rhevectra.core.magnetics.windows import Windows

LAYERS_MOST = 300
"""Layers of a block that are told apart; of more, which no window holds, some are taken together."""


def exact_copper(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows,
                 temperature: float) -> tuple[list[float], list[float]]:
    """Copper loss of each winding of one candidate by one-dimensional layer theory on all harmonics [W], and what of it the gap's field
    burns (in chambers that is part of the whole)."""
    def one(x: Any) -> Any:
        return pick(x, at)
    if need.wall is not None:
        return chamber_copper(need, trial, at, win, temperature), [0.0] * len(need.windings)
    if need.board is not None:
        return (board_copper(need, trial, at, win, temperature) if looked_at(need, trial, at)
                else resistance_loss(need, trial, at, temperature), [0.0] * len(need.windings))
    laid = [x.at(at) for x in trial.laid]
    sections = [Section(s.winding, s.share, one(s.layers), one(s.depth), None if s.shield else laid[s.winding]) for s in trial.sections]
    width = float(need.between_margins(win.width[at[0]]))
    turns = [one(t) for t in wound(need, trial.turns)]
    losses = stack_loss(sections, turns, [w.i_avg for w in need.windings], balanced(need, turns), need.fs, width,
                        lambda depth: win.base_turn[at[0]] + win.climb[at[0]] * depth, copper.resistivity(temperature))
    near = gap_copper(need, trial, at, win, temperature)
    return [float(x) + y for x, y in zip(losses, near, strict=True)], near


def resistance_loss(need: TransformerNeed, trial: Trial, at: tuple[int, int], temperature: float) -> list[float]:
    """Copper loss of each winding of one candidate [W] if its current spread evenly: what is beyond it are eddies."""
    rho, turns = copper.resistivity(temperature), wound(need, trial.turns)
    return [w.i_rms**2 * float(rho) * pick(n, at) * float(pick(length, at)) / float(pick(laid.copper, at))
            for w, n, length, laid in zip(need.windings, turns, trial.mean_turn, trial.laid, strict=True)]


def gap_copper(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows, temperature: float) -> list[float]:
    """What the field of the gap burns in each winding [W]: every strand as a cylinder in the extra field of every harmonic."""
    added = [0.0] * len(need.windings)
    if need.lp is None:
        return added
    turns = [float(t[at]) for t in wound(need, trial.turns)]
    f = need.fs * np.arange(1, len(need.windings[0].harmonics) + 1)
    net = np.abs(np.sum([n * w.harmonics for n, w in zip(turns, need.windings, strict=True)], axis=0))
    stack = slabs(need, trial, at, win)
    begin = float(win.wall[at[0]]) + np.cumsum([0.0, *(s.below + s.height for s in stack)])[:-1]
    x = (begin + np.array([s.below for s in stack]))[:, None] + np.array([s.height for s in stack])[:, None] * (np.arange(4) + 0.5) / 4
    squares = fringing.unevenness(max(float(trial.gap[at]), 1e-6), win.window[at[0]], win.across[at[0]], x).mean(1)
    laid, rho = [w.at(at) for w in trial.laid], copper.resistivity(temperature)
    burnt = [0.0 if one.foil else float(copper.cylinder_loss(net, one.diameter, rho, f).sum()) * one.strands
             for one in laid]  # for a mean square of one
    for slab, square in zip(stack, squares, strict=True):
        if slab.winding >= 0:
            added[slab.winding] += slab.share * turns[slab.winding] * slab.turn * burnt[slab.winding] * float(square)
    faces = begin + np.array([s.below for s in stack])
    for k, block in groupby(range(len(stack)), lambda i: stack[i].winding):
        own = list(block)
        if k >= 0 and laid[k].foil:
            each = fringing.foil_loss(max(float(trial.gap[at]), 1e-6), float(win.window[at[0]]), float(win.across[at[0]]),
                                      float(faces[own[0]]), len(own) * float(laid[k].diameter), float(rho), f)
            added[k] += float(net**2 @ each) * stack[own[0]].turn
    return added


def slabs(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows) -> list[leakage.Slab]:
    """The stack of one candidate as its field sees it, layer by layer (LAYERS_MOST of a block at most); the last of a block holds what is
    left."""
    found: list[leakage.Slab] = []
    win = need.room(win)
    turns, base, top = [int(t[at]) for t in wound(need, trial.turns)], float(win.base_turn[at[0]]), 0.0

    def turn(depth: float) -> float:
        return base + float(win.climb[at[0]]) * depth
    for s, b, count in zip(trial.sections, need.stack, counts(need.stack, turns), strict=True):
        below = b.below
        if s.laid is None:
            found.append(leakage.Slab(b.winding, 0.0, SHIELD_FOIL, turn(top + below + SHIELD_FOIL / 2), below, turn(top + below / 2)))
            top += below + SHIELD_FOIL
            continue
        one, left = s.laid.at(at), count
        layers, high, beside = max(int(pick(s.layers, at)), 1), float(one.tall * one.bulge), float(one.beside)
        together = -(-layers // LAYERS_MOST)
        high = together * high + (together - 1) * float(one.between)
        for _ in range(-(-layers // together)):
            here = min(left, together * max(int(one.per_layer), 1))
            found.append(
                leakage.Slab(b.winding, here / turns[b.winding], high, turn(top + below + high / 2), below, turn(top + below / 2),
                             0.0 if one.foil else one.bare, beside, together))
            left, top, below = left - here, top + below + high, float(one.between)
    return found


def working_leakage(need: TransformerNeed, matrix: leakage.Leakage) -> float:
    """Leakage [H] seen from the primary by what conducts: the mean over the halves of a tapped output, which take turns."""
    return float(np.mean([matrix.shorted(0, some)[0] for some in conducting(need)]))


def leakage_of(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows) -> leakage.Leakage:
    """Leakage of one candidate, of its turns as they count electrically (a tapped primary: of half of them)."""
    found = board_leakage(need, trial, at, win) if looked_at(need, trial, at) else leakage.leakage(slabs(need, trial, at, win),
        [float(t[at]) for t in wound(need, trial.turns)], float(need.between_margins(need.room(win).path[at[0]])))
    if need.half is not None:
        k, own = (need.half.winding,
                  half_turn.inductance(*win.leg(at[0]), need.material["mu_initial"],
                                       magnetics.shim(trial.gap[at]) if need.half.spaced else 0.0))
        found.form[k, k] += float(own) / (float(trial.turns[k][at]) - need.less(k)) ** 2
    return replace(found, turns=np.array([float(t[at]) for t in trial.turns]))
