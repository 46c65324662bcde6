"""Current in the tracks of a board: how it crowds to their edges, shares between layers in parallel, and what it loses.

Tracks are thin against the skin depth, so each is a row of strips across its width whose currents are solved for. Two
strips couple by the vector potential in a window whose core carries flux without field: a series of cosines across the
window, in closed form along the post. Ampere-turns that do not cancel appear in the gap in the middle of the post: a sheet
of current there answers every strip. What all strips see alike (the flux through the gap) moves no current and is left out.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.copper import MU0
from rhevectra.core.magnetics.leakage import Leakage

STRIPS, STRIPS_LEAST, STRIPS_ALL = 8, 3, 700
"""Strips across a track, finer towards its edges; fewer, but no less than these, where there would be more than so many in all."""
COSINES = 160
"""Terms of the series across the window."""
FILAMENTS = 12
"""Lines of current that make the sheet in the gap: closer to each other than any track is to the post."""
ORDERS = (1, 3, 8, 24)
"""Harmonics the currents are solved at; between them losses go as a power of the order."""


class Track(Struct, frozen=True):
    """One track: winding, number of its turn, middle along the post, from and to across the window [m]."""

    winding: int
    turn: int
    y: float
    begin: float
    end: float


class TrackField:
    """The strips of all tracks with what couples them. across, along: the window [m]; thick: copper of a layer [m]; gap: in the middle of
    the post [m], 0 where the windings' ampere-turns cancel."""

    def __init__(self, tracks: Sequence[Track], across: float, along: float, thick: float, gap: float = 0.0) -> None:
        self.tracks, self.thick = tuple(tracks), thick
        self.strips = int(np.clip(STRIPS_ALL // len(self.tracks), STRIPS_LEAST, STRIPS))
        edges = 0.5 * (1 - np.cos(np.pi * np.arange(self.strips + 1) / self.strips))
        self.begin = np.array([t.begin + edges[:-1] * (t.end - t.begin) for t in tracks])
        self.end = np.array([t.begin + edges[1:] * (t.end - t.begin) for t in tracks])
        turns = sorted({(t.winding, t.turn) for t in tracks})
        self.turn = np.array([turns.index((t.winding, t.turn)) for t in tracks])
        self.winding = np.array([t.winding for t in tracks])
        self.turn_winding = np.array([w for w, _ in turns])
        self.coupling = self._couple(across, along, gap)
        self._solved: dict[tuple[float, float], Array] = {}

    def _couple(self, across: float, along: float, gap: float) -> Array:
        """Vector potential on each strip of one ampere in another and of the gap's answer to both [H/m], layer against layer."""
        at = np.array([t.y for t in self.tracks])
        y, layer = np.unique(np.round(at, 9), return_inverse=True)
        p = np.arange(1, COSINES + 1) * np.pi / across
        half, middle = 0.5 * (self.end - self.begin), 0.5 * (self.end + self.begin)
        c = np.cos(np.multiply.outer(middle, p)) * np.sinc(np.multiply.outer(half, p) / np.pi)
        own = [c[layer == k].reshape(-1, COSINES) for k in range(len(y))]
        place = [np.flatnonzero(np.repeat(layer == k, self.strips)) for k in range(len(y))]
        g = _along_post(y, y, p, along) / across
        found = np.empty((c.shape[0] * self.strips,) * 2)
        for j in range(len(y)):
            for k in range(j + 1):
                block = (own[j] * g[j, k]) @ own[k].T - 0.5 * abs(y[j] - y[k]) / across
                found[np.ix_(place[j], place[k])] = block
                found[np.ix_(place[k], place[j])] = block.T
        if gap > 0:
            sheet = 0.5 * along + gap * ((np.arange(FILAMENTS) + 0.5) / FILAMENTS - 0.5)
            g = _along_post(y, sheet, p, along).mean(1) / across
            away = np.abs(np.subtract.outer(y, sheet)).mean(1) / across
            answer = np.empty(len(found))
            for k in range(len(y)):
                answer[place[k]] = own[k] @ g[k] - 0.5 * away[k]
            found -= answer[:, None] + answer
        return np.asarray(MU0 * found)

    def responses(self, rho: float, frequency: float) -> Array:
        """Current in each strip for one ampere in each winding (strip, winding), complex; turns of a winding lie in series, tracks of a
        turn in parallel."""
        if (rho, frequency) not in self._solved:
            self._solved[rho, frequency] = self._responses(rho, frequency)
        return self._solved[rho, frequency]

    def _resistance(self, rho: float) -> Array:
        """Of each strip [Ω/m]."""
        return np.asarray(rho / (self.thick * (self.end - self.begin)).ravel())

    def _responses(self, rho: float, frequency: float) -> Array:
        """The same, solved."""
        resistance = self._resistance(rho)
        groups = np.zeros((len(resistance), len(self.turn_winding)))
        groups[np.arange(len(resistance)), np.repeat(self.turn, self.strips)] = 1.0
        driven = np.linalg.solve(np.diag(resistance) + 2j * np.pi * frequency * self.coupling, groups.astype(complex))
        amps = (self.turn_winding[:, None] == np.arange(self.turn_winding.max() + 1)).astype(float)
        return np.asarray(driven @ np.linalg.solve(groups.T @ driven, amps))

    def losses(self, harmonics: Array, fs: float, rho: float) -> Array:
        """Loss of each winding per metre of turn [W/m] of harmonics of its current (winding, orders) [A peak]."""
        resistance = self._resistance(rho)
        count, owner = len(harmonics), np.repeat(self.winding, self.strips)
        orders = np.arange(1, harmonics.shape[1] + 1)
        solved = [h for h in ORDERS if h <= orders[-1]]
        forms = []
        for h in solved:
            i = self.responses(rho, h * fs)
            forms.append([(np.conj(i[owner == w]) * resistance[owner == w, None]).T @ i[owner == w] for w in range(count)])
        table = np.array(forms)
        whole: Array = np.zeros(count)
        for k, h in enumerate(orders):
            at = min(int(np.searchsorted(solved, h, side="right")) - 1, len(solved) - 2) if len(solved) > 1 else 0
            share = np.log(h / solved[at]) / np.log(solved[at + 1] / solved[at]) if len(solved) > 1 else 0.0
            form = table[at] if len(solved) == 1 else (1 - share) * table[at] + share * table[at + 1]
            whole = whole + 0.5 * np.einsum("a,wab,b->w", np.conj(harmonics[:, k]), form, harmonics[:, k]).real
        return np.asarray(whole)

    def leakage(self, turns: Sequence[float], turn_length: float) -> Leakage:
        """The energy form of evenly spread currents, each winding by its ampere-turns."""
        share = ((self.end - self.begin) / (self.end - self.begin).sum(1, keepdims=True)).ravel()
        beside = np.bincount(self.turn)[self.turn]
        weight = share / np.repeat(beside * np.array([turns[w] for w in self.winding]), self.strips)
        put = np.zeros((len(share), len(turns)))
        put[np.arange(len(share)), np.repeat(self.winding, self.strips)] = weight
        return Leakage(turn_length * put.T @ self.coupling @ put, np.asarray(turns, dtype=float))


def _along_post(y: Array, other: Array, p: Array, along: float) -> Array:
    """cosh(p·(H − y>))·cosh(p·y<)/(p·sinh(p·H)) of two sets of heights (y, other, p), without overflow."""
    high, low = np.maximum.outer(y, other), np.minimum.outer(y, other)
    e = lambda z: np.exp(-np.multiply.outer(z, p))  # noqa: E731
    return np.asarray(
        (e(high - low) + e(2 * along - high - low) + e(high + low) + e(2 * along - high + low)) / (p * (1 - np.exp(-2 * p * along))))


def losses_of(field: TrackField, harmonics: Sequence[Any], averages: Sequence[float], fs: float, rho: float) -> Array:
    """Loss of each winding per metre of turn [W/m], averages [A] with the resistance of evenly spread currents."""
    steady = np.zeros(len(averages))
    area = field.thick * (field.end - field.begin).sum(1)
    for turn in range(len(field.turn_winding)):
        w = int(field.turn_winding[turn])
        steady[w] += averages[w] ** 2 * rho / float(area[field.turn == turn].sum())
    return np.asarray(steady + field.losses(np.array(harmonics), fs, rho))
