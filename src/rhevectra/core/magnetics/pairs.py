"""Every winding against every other: leakage, coupling and the capacitance of the faces between them."""

from itertools import pairwise
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import noise
from rhevectra.core.magnetics.arrangement import called, on_primary_side
from rhevectra.core.magnetics.candidate import leakage_of
from rhevectra.core.magnetics.compare import dielectric
from rhevectra.core.magnetics.transformer import outputs_of


class Pairs(Struct, frozen=True):
    """names of the windings; turns; inductance of each [H]; leakage [H] (measured from, shorted alone) inside the window; capacitance [F]
    between each two; together: leakage of the first with all outputs shorted [H], and those outputs."""

    names: tuple[str, ...]
    turns: Array
    inductance: Array
    leakage: Array
    capacitance: Array
    together: float
    outputs: tuple[str, ...]

    @property
    def share(self) -> Array:
        """Leakage over the inductance of the winding it is measured from: 1 − k² of the pair."""
        return self.leakage / self.inductance[:, None]


def pairs(plan: Any, inductance: float) -> Pairs:
    """Of a plan's transformer (need, choice, window); inductance of its first winding [H]."""
    need, at = plan.need, (plan.choice.core, plan.choice.candidate)
    matrix = leakage_of(need, plan.choice.trial, at, plan.window)
    n, outputs = len(need.windings), outputs_of(need)
    leakage = np.array([[matrix.pair(i, j) if i != j else 0.0 for j in range(n)] for i in range(n)])
    names = tuple(called(need))
    return Pairs(names, matrix.turns, inductance * np.square(matrix.turns / matrix.turns[0]), leakage, _facing(plan, n),
                 float(matrix.shorted(0, outputs)[0]), tuple(names[k] for k in outputs))


def _facing(plan: Any, n: int) -> Array:
    """Capacitance of the faces between each two windings [F]: neighbours in the stack with nothing between them but tape; a shield parts
    them."""
    need, trial, at, win = plan.need, plan.choice.trial, (plan.choice.core, plan.choice.candidate), plan.need.room(plan.window)
    names, found = [w.name for w in need.windings], np.zeros((n, n))
    width = float(need.between_margins(win.width[at[0]]))
    depth = [float(np.broadcast_to(s.depth, trial.fill.shape)[at]) for s in trial.sections]
    for (a, x), (b, y) in pairwise(zip(need.stack, depth, strict=True)):
        if a.shield or b.shield or a.winding == b.winding:
            continue
        across = on_primary_side(names[a.winding]) != on_primary_side(names[b.winding])
        triple = any(need.windings[k].triple for k in (a.winding, b.winding))
        share, permittivity, between = dielectric(need, across, triple)
        c = float(noise.interwinding(share, permittivity, width, float(win.turn_length(0.5 * (x + y))[at[0]]), 1, between))
        found[a.winding, b.winding] += c
        found[b.winding, a.winding] += c
    return found
