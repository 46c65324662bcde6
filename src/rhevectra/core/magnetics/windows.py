"""The winding window of each core with its bobbin: how wide, how tall, how long a turn is, how much surface cools."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.catalogue.tables import Table
from rhevectra.core.magnetics.effective import Effective, across, effective

TAPE = 55e-6
"""Usual thickness of one layer of polyester tape [m] (common practice; adhesive included)."""
LYING = ("E", "ETD", "ER", "EFD")
"""Shapes whose bobbins lie as well as stand."""
CLEAR = 0.15e-3
"""Room left between the last layer and the core [m]."""


class Tapes(Struct, frozen=True):
    """Tape of a transformer: thickness of one layer [m], how many lie at the barrier and outside."""

    thickness: float = TAPE
    barrier: int = 3

    @property
    def wall(self) -> float:
        """Thickness at the barrier and outside [m]."""
        return self.barrier * self.thickness


USUAL = Tapes()


class Windows(Struct, frozen=True):
    """One entry per core: window width along the post and height across it [m], turn length at the bobbin [m], surface [m²], height [m];
    window along the post, across it, wall of the bobbin [m]; rare; path: how far the field of the windings runs through the window [m];
    climb: by how much a turn grows for each metre it lies further out."""

    names: tuple[str, ...]
    effective: Effective
    width: Array
    height: Array
    base_turn: Array
    surface: Array
    tall: Array
    window: Array
    across: Array
    wall: Array
    rare: Array
    """Whether a core is taken only where a person names it: the searches leave it out."""
    bare: Array
    """Whether it has no bobbin and takes a board."""
    path: Array
    climb: Array

    def searched(self, height_max: float | None) -> Array:
        """Which a search may take: those not left to people to name, and where height [m] is limited those of them that have a bobbin and
        are low enough."""
        return ~self.rare | ((self.tall <= (height_max or 0.0)) & ~self.bare)

    def offered(self, named: str | None, height_max: float | None = None) -> "Windows":
        """The cores a search may take, and the one a person named."""
        able = self.searched(height_max)
        return self if able.all() else self.only([k for k, name in enumerate(self.names) if able[k] or name == named])

    def turn_length(self, depth: Any) -> Any:
        """Length of a turn [m] whose middle lies `depth` above the bobbin floor."""
        return self.base_turn + self.climb * depth

    @property
    def legs(self) -> tuple[Array, Array]:
        """Area [m²] and length [m] of one outer leg with its yokes of every core: half of its section, its path without the post."""
        return 0.5 * self.effective.area, self.effective.length - self.window

    def leg(self, core: int) -> tuple[float, float]:
        """The same of one core."""
        area, length = self.legs
        return float(area[core]), float(length[core])

    def chambers(self) -> "Windows":
        """The same windows with their windings beside one another: what is laid one over the other now lies along the post, every turn as
        long as the mean, and the field runs from the post to the outer leg."""
        return replace(self, width=self.height, height=self.width, base_turn=self.turn_length(0.5 * self.height), path=self.across,
                       climb=np.zeros(len(self.names)))

    def only(self, cores: Sequence[int] | Array) -> "Windows":
        """Some of the cores, in this order."""
        some = np.asarray(cores, dtype=int)
        eff = Effective(*(getattr(self.effective, n)[some] for n in self.effective.__struct_fields__))
        arrays = {n: getattr(self, n)[some] for n in self.__struct_fields__ if n not in ("names", "effective")}
        return Windows(names=tuple(self.names[k] for k in some), effective=eff, **arrays)


def legs_called(row: Mapping[str, Any]) -> tuple[str, str]:
    """What people call the leg inside the windings, and the one beside them."""
    return ("wound leg", "bare leg") if row["family"] == "U" else ("centre post", "outer leg")


def _base_turn(row: Mapping[str, Any]) -> float:
    f, c, wall = row["f_m"], row["c_m"], row["bobbin_wall_m"]
    if row["family"] in ("E", "EFD", "U"):
        depth = row["f2_m"] if row["family"] == "EFD" else c
        return 2 * (f + depth) + 8 * wall
    return float(np.pi * (f + 2 * wall))


def two_legs(row: Mapping[str, Any]) -> tuple[float, float]:
    """Surfaces of a U core and of its winding in the air [m²]: the winding stands out on three sides of one leg and hides the inner face of
    the other."""
    a, b, c, d, e, f = (row[f"{k}_m"] for k in ("a", "b", "c", "d", "e", "f"))
    core = 2 * a * c + 2 * (2 * a * b - 2 * d * (e + f)) + 2 * b * c + 2 * (b - d) * c
    return float(core), float(2 * d * (2 * (f + 2 * e) + (c + 2 * e) + 2 * e))


def _tall(row: Mapping[str, Any], open_to: float) -> float:
    """Height over the board [m] of a core whose window is open to a height, without what pins add: standing with its post upright; lying,
    where that is lower and bobbins are made for it, as high as its windings over and under the post."""
    upright, lies = 2 * row["b_m"], row["family"] in LYING and row["bobbin_wall_m"] > 0
    depth = row["c_m"] if row["family"] == "E" else row["f2_m"] if row["family"] == "EFD" else row["f_m"]
    return float(row["c_m"] if row["family"] == "EP" else min(upright, max(row["c_m"], depth + 2 * open_to)) if lies else upright)


def _surface(row: Mapping[str, Any]) -> float:
    """Outer surface of the wound core taken as its enclosing box [m²], of a pot as its cylinder, of a U core as it is."""
    if row["family"] == "P":
        return float(np.pi * row["a_m"] * (row["a_m"] / 2 + 2 * row["b_m"]))
    if row["family"] == "U":
        return sum(two_legs(row))
    a, high, thick = row["a_m"], 2 * row["b_m"], max(row["c_m"], row["e_m"])
    return 2 * (a * high + a * thick + high * thick)


def windows(cores: Table) -> Windows:
    """Windows of all cores of a table."""
    rows = cores.rows
    col = cores.column
    flange, wall = col("bobbin_flange_m"), col("bobbin_wall_m")
    width = 2 * col("d_m") - 2 * flange
    open_to = np.array([across(r) for r in rows])
    return Windows(
        names=cores.names, effective=effective(rows), width=width, path=width, climb=np.full(len(rows), 2 * np.pi),
        height=open_to - wall - CLEAR, base_turn=np.array([_base_turn(r) for r in rows]),
        surface=np.array([_surface(r) for r in rows]), window=2 * col("d_m"), rare=(col("by_choice") > 0) | (wall <= 0), bare=wall <= 0,
        across=open_to, wall=wall,
        tall=np.array([_tall(r, float(h)) for r, h in zip(rows, open_to, strict=True)]))
