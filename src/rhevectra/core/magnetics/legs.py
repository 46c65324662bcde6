"""What every leg carries where several transformers share a core: posts in a row whose neighbours share an outer leg, or wound legs around
one that none is wound on."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array

SHARING = ("E", "ETD", "EFD")
"""Families whose outer legs can lie against the neighbour's."""


class LegFluxes(Struct, frozen=True):
    """Flux of the posts (n, instants) over a period [Wb] at times [s]; of the outer legs of the row (n + 1, instants); of the leg that
    closes wound legs around it (instants). Core and section of one post and of one outer leg [m²]; share of the cores that is left where no
    shared leg carried anything, or None of closed shapes."""

    t: Array
    posts: Array
    row: Array
    middle: Array
    core: str
    area_post: float
    area_leg: float
    bare: float | None

    @property
    def largest(self) -> float:
        """Largest flux of a post [Wb]."""
        return float(np.abs(self.posts).max())

    @property
    def shared(self) -> float:
        """Largest flux of a shared leg over that of a post: the two legs it stands for carried one together."""
        return max(self.share(leg) for leg in self.row[1:-1])

    @property
    def saved(self) -> float | None:
        """Share of the cores that the row saves: shared legs as thick as their flux asks for."""
        return None if self.bare is None else (1 - self.bare) * (1 - self.shared)

    def share(self, flux: Array) -> float:
        """Largest flux over that of a post."""
        return float(np.abs(flux).max()) / self.largest


def in_a_row(posts: Array) -> Array:
    """Flux of the outer legs (n + 1, instants) [Wb] of posts (n, instants) in a row: every post sends half to each side."""
    half = 0.5 * np.asarray(posts)
    none = np.zeros_like(half[:1])
    return np.asarray(np.concatenate([half, none]) + np.concatenate([none, half]))


def around_one(posts: Array) -> Array:
    """Flux [Wb] of the one leg that closes all wound ones: their sum."""
    return np.asarray(np.sum(posts, axis=0))


def turned(posts: Array, which: Sequence[int]) -> Array:
    """The posts with some of them wound the other way round."""
    sign = np.ones(len(posts))
    sign[list(which)] = -1.0
    return np.asarray(posts * sign[:, None])


def shifted(t: Array, flux: Array, period: float, phases: int) -> Array:
    """One post's flux (instants) as that of several phases (phases, instants), each a part of the period [s] later."""
    return np.stack([np.interp((t - k * period / phases) % period, t, flux, period=period) for k in range(phases)])
