"""Copper loss of windings in chambers of one bobbin: resistance, and every strand as a cylinder in the field of all blocks and the gap."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import pick
from rhevectra.core.formulas import copper
from rhevectra.core.magnetics.arrangement import counts
from rhevectra.core.magnetics.block_field import Rect, mean_products, mean_square
from rhevectra.core.magnetics.transformer import TransformerNeed, Trial
from rhevectra.core.magnetics.windows import Windows


def rects(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows) -> list[Rect]:
    """Where each block of the stack lies in the window."""
    k = at[0]
    floor, room, flange = float(win.wall[k]), float(win.height[k]), 0.5 * float(win.window[k] - win.width[k])
    found = []
    for s in trial.sections:
        high = float(s.laid.at(at).stacked(pick(s.layers, at))) if s.laid is not None else 0.0
        middle = flange + float(pick(s.depth, at))
        found.append((floor, floor + room, middle - 0.5 * high, middle + 0.5 * high))
    return found


def chamber_copper(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows, temperature: float) -> list[float]:
    """Copper loss of each winding of one candidate [W], of its averages and all harmonics."""
    rho, k = float(copper.resistivity(temperature)), at[0]
    turns = [int(t[at]) for t in trial.turns]
    here = counts(need.stack, turns)
    amps = np.array([n * need.windings[b.winding].harmonics for b, n in zip(need.stack, here, strict=True)])
    squares = mean_square(
        mean_products(rects(need, trial, at, win), float(win.across[k]), float(win.window[k]), max(float(trial.gap[at]), 1e-6)), amps)
    f, turn = need.fs * np.arange(1, amps.shape[1] + 1), float(need.room(win).base_turn[k])
    losses = [0.0] * len(turns)
    for w, winding in enumerate(need.windings):
        one: Any = trial.laid[w].at(at)
        losses[w] = (winding.i_avg**2 + 0.5 * float(np.sum(np.abs(winding.harmonics) ** 2))) * rho * turns[w] * turn / one.copper
    for block, n, square in zip(need.stack, here, squares, strict=True):
        one = trial.laid[block.winding].at(at)
        each = float((copper.cylinder_loss(1.0, one.diameter, rho, f) * square).sum())
        losses[block.winding] += n * turn * one.strands * each / copper.MU0**2
    return losses
