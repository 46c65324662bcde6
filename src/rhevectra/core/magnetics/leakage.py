"""Leakage of any stack of windings by the energy of its field, one dimension, as a matrix for every pair of windings."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.copper import MU0


class Slab(Struct, frozen=True):
    """One layer of the stack: winding (negative: none), share of its turns, height and turn length [m], the insulation below it, height and
    turn length [m]; diameter of its wire or bundle without insulation [m] (none: an even sheet), how many wires of a turn lie side by side,
    and how many layers it stands for."""

    winding: int
    share: float
    height: float
    turn: float
    below: float
    turn_below: float
    wire: float = 0.0
    beside: float = 1.0
    layers: int = 1


class Leakage(Struct, frozen=True):
    """Energy of the field as a form of ampere-turns: twice the energy is x'·form·x [H per turn²], x of each winding, sum zero; turns of
    each."""

    form: Array
    turns: Array

    def pair(self, i: int, j: int) -> float:
        """Leakage [H] seen from winding i with only j shorted."""
        x = np.zeros(len(self.turns))
        x[i], x[j] = 1.0, -1.0
        return float(self.turns[i] ** 2 * (x @ self.form @ x))

    def apart(self, i: int, others: Sequence[int]) -> Array:
        """Leakage between winding i and each of `others`, and what any two of these have in common of it, seen from i [H] (k, k): coupled
        inductances in series with the others' windings, when i is taken as the one that magnetises."""
        moves = np.zeros((len(others), len(self.turns)))
        moves[np.arange(len(others)), list(others)], moves[:, i] = 1.0, -1.0
        return np.asarray(self.turns[i] ** 2 * (moves @ self.form @ moves.T))

    def shorted(self, i: int, others: Sequence[int]) -> tuple[float, Array]:
        """Leakage [H] seen from winding i with all `others` shorted, and the ampere-turns each of them takes (sum 1).

        The currents share so that the energy is least: only leakage holds them apart.
        """
        js = list(others)
        base = np.zeros(len(self.turns))
        base[i], base[js[0]] = 1.0, -1.0
        moves = np.zeros((len(js) - 1, len(self.turns)))
        for k, j in enumerate(js[1:]):
            moves[k, j], moves[k, js[0]] = -1.0, 1.0
        x = base
        if len(moves):
            x = base - moves.T @ np.linalg.solve(moves @ self.form @ moves.T, moves @ self.form @ base)
        return float(self.turns[i] ** 2 * (x @ self.form @ x)), -x[js]


def sparse(wire: Any, height: Any, pitch: Any) -> Any:
    """What a turn of a row of round wires adds per metre [H/m] to the inductance of the even layer the row is taken for; wire, height,
    pitch: diameter without insulation, height of the layer and distance [m].

    Source: the field of an endless row of line currents, against a layer of that height with the same ampere-turns; checked in the tests by
    finite elements.
    """
    return np.maximum(MU0 * (np.log(pitch / (np.pi * wire)) / (2 * np.pi) + 1 / (8 * np.pi) + height / (6 * pitch)), 0.0)


def leakage(stack: Sequence[Slab], turns: Sequence[float], width: float) -> Leakage:
    """The energy form of a stack, from the post outwards, in a window of winding width [m].

    The field is zero at the outer leg and grows layer by layer towards the post; within one it changes
    evenly, so its square has the mean (a² + a·b + b²)/3. Source: field energy in one dimension (end turns,
    margins and lead-outs left out), with what loosely wound rows add; checked in the tests by integration and by finite elements.
    """
    n = len(turns)
    form, outside = np.zeros((n, n)), np.zeros(n)
    for slab in reversed(stack):
        inside = outside.copy()
        if slab.winding >= 0:
            inside[slab.winding] += slab.share
        cross = np.outer(outside, inside)
        mean = (np.outer(outside, outside) + np.outer(inside, inside) + 0.5 * (cross + cross.T)) / 3
        form += MU0 / width * (slab.height * slab.turn * mean + slab.below * slab.turn_below * np.outer(inside, inside))
        if slab.wire and slab.share > 0:
            pitch = width * slab.layers / (slab.share * turns[slab.winding] * slab.beside)
            loose = slab.share * slab.turn * sparse(slab.wire, slab.height / slab.layers, pitch)
            form[slab.winding, slab.winding] += loose / (turns[slab.winding] * slab.beside)
        outside = inside
    return Leakage(form, np.asarray(turns, dtype=float))
