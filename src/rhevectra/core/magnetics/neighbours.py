"""The cores around a chosen one, as the search saw them."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.magnetics.candidate import leakage_of, working_leakage
from rhevectra.core.magnetics.transformer import FITS, binding


class Tried(Struct, frozen=True):
    """One core at its best candidate: effective volume [m³], height of the set [m], losses [W], leakage by its field that the conducting
    outputs see [H] (0 of boards, whose tracks are solved for one at a time), window height used over what there is, rise [K], primary
    turns, what refuses it, whether it is the choice, and what speaks against it where it would pass."""

    name: str
    volume: float
    tall: float
    core_loss: float
    copper: float
    leakage: float
    fill: float
    rise: float
    turns: int
    refused: str
    chosen: bool
    against: str = ""


def neighbours(plan: Any, count: int) -> list[Tried]:
    """Up to `count` cores of the search in the order of their volume, the chosen one among them and more of the larger ones refused last.
    plan: choice and window."""
    need, trial, win, chosen = plan.need, plan.choice.trial, plan.window, plan.choice.core
    volume = win.effective.volume
    order = [int(k) for k in np.argsort(volume, kind="stable")]
    at = order.index(chosen)
    begin = max(0, min(at - count // 2, len(order) - count))
    return [_tried(need, trial, win, k,
                   int(plan.choice.best[k]), k == chosen,
                   plan.choice.against(k) if volume[k] < volume[chosen] else "")
            for k in order[begin : begin + count]]


def _tried(need: Any, trial: Any, win: Any, core: int, candidate: int, chosen: bool, against: str) -> Tried:
    at = (core, candidate)
    read = lambda x: float(np.broadcast_to(x, trial.fill.shape)[at])  # noqa: E731
    refused = binding(trial, core) if trial.excess[core].min() > 0 else ""
    return Tried(win.names[core], float(win.effective.volume[core]), float(win.tall[core]), read(trial.p_core),
                 float(sum(read(p) for p in trial.p_copper)),
                 0.0 if need.board is not None else working_leakage(need, leakage_of(need, trial, at, win)), read(trial.fill),
                 read(trial.rise),
                 int(read(trial.turns[0])), "" if refused == FITS else refused, chosen, "" if refused else against)
