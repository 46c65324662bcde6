"""Laying wire: how many turns a layer holds, how tall a winding becomes, and which wire serves best.

Strands are twisted to a bundle, whose diameter follows the packing of equal circles, or wound side by side, so that few
turns fill a layer. A layer of n turns needs n + 1 of their widths, because the wire climbs one width while it goes round.
A foil is as wide as the window leaves and makes one turn a layer, with tape between its turns.
"""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.magnetics.arrangement import parted
from rhevectra.core.magnetics.windows import TAPE

_PACKING = np.array([0.0, 1.0, 2.0, 2.155, 2.414, 2.702, 3.0, 3.0])
BULGE = 1.05
"""Growth of a wound layer over its wire (common practice, no source)."""
DENSITIES = np.array([2.0e6, 3.5e6, 6.0e6, 10.0e6])
"""Current densities of the wire options [A/m²]; loss and height decide among them."""
SIZES_MM = (0.14, 0.2, 0.25, 0.315, 0.4, 0.5, 0.71)
MAX_STRANDS, LITZ_MOST = 60, 400
"""Strands of a bundle that is twisted by hand, and of litz from a maker of wire, at most (common practice, no source)."""
LITZ_FROM, LITZ_MM, LITZ_LEAST = 5.0, (0.1, 0.14, 0.2, 0.25), 8
"""Current [A rms] from which litz is tried, the strands it is made of, and how many it has at least (common practice, no source)."""
ROPE = 1.28
"""Diameter of litz of more than MAX_STRANDS over that of a strand and the root of their number: bunches of bunches, six tenths of it
strands (typical, from memory)."""
SHEATH, TWISTED_TRIPLE = 0.2e-3, 7
"""What three extruded layers over the whole of a litz add to its diameter [m] (typical, from memory), and how many wires each insulated so
are twisted at most where such litz may be had."""
BESIDE_MOST = 20
"""Wires that are wound side by side at most (common practice, no source)."""
HAND, HAND_MOST = 6, 200
"""More than HAND wires at once are only laid where the whole winding has no more than HAND_MOST of them: a strip of few turns, for which
foil of the same section serves too."""
FOILS_MM = (0.05, 0.1, 0.15, 0.2, 0.3, 0.4)
FOIL_FROM = 8.0
"""Current [A rms] from which foil is tried, in cores without a gap: beside one its field drives eddies across the foil's width (common
practice)."""
EDGE = 0.5e-3
"""Each edge of a foil stays this far from the end of its room [m] (common practice, no source)."""
SPARSE = 0.5
"""By how much a row that leaves its width empty is taken to lose more, when wire is chosen: its field and its neighbours' are uneven
(compared by finite elements)."""


def bundle_ratio(strands: Any) -> Any:
    """Diameter of a bundle over that of a strand (packing of equal circles in a circle; 1.154·√n beyond seven, rope-laid litz beyond
    sixty)."""
    n = np.asarray(strands).astype(int)
    return np.where(n <= 7, _PACKING[np.clip(n, 0, 7)], np.where(n <= MAX_STRANDS, 1.154, ROPE) * np.sqrt(n))


class Options(Struct, frozen=True):
    """Wires that may be laid, an array each: diameter of a strand and overall [m], strands, whether they lie side by side, whether it is a
    foil, and what is extruded over the whole [m of diameter]."""

    diameter: Array
    overall: Array
    strands: Array
    flat: Array
    foil: Array
    sheath: Array


class Laid(Struct, frozen=True):
    """A winding laid into a window (arrays of one shape): strand diameter and overall [m], strands, width and height of a turn [m],
    turns a layer holds, layers, height [m], copper area [m²]; `fits` is false where not even one turn goes into a layer. Of a foil or a
    track the diameters are its thickness; of tracks strands are layers in parallel, and dielectric is what lies between layers [m] (0 of
    what is wound, between whose layers lies one tape [m]). bare: of a wire or a whole bundle without what is around it [m]."""

    diameter: Any
    overall: Any
    strands: Any
    bundle: Any
    tall: Any
    per_layer: Any
    layers: Any
    height: Any
    copper: Any
    fits: Any
    foil: Any = False
    dielectric: Any = 0.0
    tape: Any = TAPE
    bare: Any = 0.0

    @property
    def beside(self) -> Any:
        """Strands wound side by side: 1 of a bundle."""
        return np.where((self.tall < 0.999 * self.bundle) & ~np.asarray(self.foil, dtype=bool), self.strands, 1)

    @property
    def deep(self) -> Any:
        """Strands across the height of a turn."""
        return np.where(self.foil, self.strands, np.where(self.tall < 0.999 * self.bundle, 1.0, np.sqrt(self.strands)))

    @property
    def bulge(self) -> Any:
        """Growth of a layer over what it is laid with: none of a board."""
        return np.where(np.asarray(self.dielectric) > 0, 1.0, BULGE)

    @property
    def between(self) -> Any:
        """What lies between its layers [m]."""
        return np.where(np.asarray(self.dielectric) > 0, self.dielectric, self.tape)

    def stacked(self, layers: Any) -> Any:
        """Height of so many of its layers [m], with what lies between them."""
        return layers * self.tall * self.bulge + (layers - 1) * self.between

    def pick(self, index: Any) -> "Laid":
        """Along the last axis the chosen option of each candidate (core, candidate); what is the same for all candidates of a core may have
        one place for them."""
        def take(x: Any) -> Any:
            return x.take(index if np.ndim(x) == 1 else index + x.shape[-1] * np.arange(x.size // x.shape[-1]).reshape(x.shape[:-1]))
        return Laid(*(take(getattr(self, n)) for n in self.__struct_fields__))

    def wider(self) -> "Laid":
        """The same with one more axis at the end."""
        return Laid(*(np.asarray(getattr(self, n))[..., None] for n in self.__struct_fields__))

    def at(self, index: Any) -> "Laid":
        """One candidate as plain numbers."""
        places: dict[tuple[int, ...], tuple[int, ...]] = {}  # most arrays share their shape

        def one(x: Any) -> Any:
            if not isinstance(x, np.ndarray) or not x.ndim:
                return x
            if (place := places.get(x.shape)) is None:
                place = places[x.shape] = tuple(0 if size == 1 else i for i, size in zip(index[-x.ndim :], x.shape, strict=True))
            return x.item(place)
        return Laid(*(one(getattr(self, n)) for n in self.__struct_fields__))


def strands_of(laid: Laid) -> str:
    """The strands of one winding in words."""
    if laid.dielectric > 0:
        return f"track {laid.copper / laid.strands / laid.diameter * 1e3:.2f} mm × {laid.diameter * 1e6:.0f} µm" + (
            f", {int(laid.strands)} layers in parallel" if laid.strands > 1 else "")
    if laid.foil:
        return f"foil {laid.diameter * 1e3:.3g} mm × {laid.copper / laid.diameter * 1e3:.1f} mm"
    return (f"{int(laid.strands)} × " if laid.strands > 1 else "") + f"{laid.diameter * 1e3:.3g} mm" + (
        " side by side" if laid.beside > 1 else " litz" if laid.strands > MAX_STRANDS or sheathed(laid) else ", twisted" if laid.strands > 1
        else "")


def sheathed(laid: Laid) -> bool:
    """Whether its strands have an insulation over all of them."""
    return not laid.foil and laid.dielectric == 0 and bool(laid.tall > laid.overall * bundle_ratio(laid.strands) + 0.5 * SHEATH)


def turns_per_layer(width: Any, bundle: Any) -> Any:
    """Whole turns that one layer of a given winding width holds."""
    return np.maximum(np.floor(np.round(width / bundle, 9)) - 1, 0)


def lay(turns: Any, diameter: Any, overall: Any, strands: Any, width: Any, parts: Sequence[float] = (1.0,), flat: Any = False,
        foil: Any = False, tape: float = TAPE, sheath: Any = 0.0) -> Laid:
    """Lay a winding of `turns` into a width [m]; parts: shares of its turns that are wound apart, from the post outwards; flat: strands
    side by side, not twisted; foil: of that thickness, one turn a layer; tape: between layers [m]; sheath: over all strands [m of
    diameter]."""
    tall = np.where(flat, overall, overall * bundle_ratio(strands) + sheath)
    bundle = np.where(foil, width, np.where(flat, overall * strands, tall))
    per_layer = np.where(foil, width > 6 * EDGE, turns_per_layer(width, bundle))
    fits = (per_layer >= 1) & (~np.asarray(flat) | (np.asarray(strands) <= HAND) | (turns * strands <= HAND_MOST))
    safe = np.maximum(per_layer, 1)
    layers = sum(np.ceil(n / safe) for n in parted(turns, parts))
    height = layers * tall * BULGE + np.maximum(layers - len(parts), 0) * tape
    copper = np.where(foil, diameter * np.maximum(width - 2 * EDGE, EDGE), strands * np.pi / 4 * diameter**2)
    return Laid(diameter, overall, strands, bundle, tall, per_layer, layers, height, copper, fits, np.asarray(foil),
                np.zeros(np.shape(diameter)), np.full(np.shape(diameter), tape), tall - sheath - overall + diameter)


Sizes = Mapping[str, tuple[Array, Array]]
"""Diameters and overall diameters [m] of the wires offered, by kind: enamel, litz (its strands), triple."""


def options(current: Any, sizes: Sizes, triple: bool, foil: bool = False) -> Options:
    """Every different wire option for an rms current [A]; triple: insulated against the other side by itself; foil: foils are offered
    too."""
    litz = current >= LITZ_FROM
    found = [_bundles(current, sizes["triple" if triple else "enamel"], MAX_STRANDS,
                      range(1, (TWISTED_TRIPLE if triple and litz else MAX_STRANDS) + 1), range(2, BESIDE_MOST + 1))]
    if litz:
        found.append(
            _bundles(current, sizes["litz"], LITZ_MOST, range(LITZ_LEAST if triple else MAX_STRANDS + 1, LITZ_MOST + 1),
                     sheath=SHEATH if triple else 0.0))
    if foil and current >= FOIL_FROM:
        thick, n = np.array(FOILS_MM) * 1e-3, len(FOILS_MM)
        found.append(Options(thick, thick, np.ones(n), np.zeros(n, bool), np.ones(n, bool), np.zeros(n)))
    return found[0] if len(found) == 1 else Options(
        *(np.concatenate([getattr(o, name) for o in found]) for name in Options.__struct_fields__))


def _bundles(current: Any, sizes: tuple[Array, Array], most: int, twisted: range, beside: range = range(0), sheath: float = 0.0) -> Options:
    """Wires of as many strands as each density asks for, `most` at most, once each: those of so many strands twisted, and of so many side
    by side; sheath: over all of them [m of diameter]."""
    d, o = (np.repeat(x, len(DENSITIES)) for x in sizes)
    strands = np.clip(np.round(current / np.tile(DENSITIES, len(sizes[0])) / (np.pi / 4 * d**2)), 1, most)
    first = np.append(True, (d[1:] != d[:-1]) | (strands[1:] != strands[:-1]))  # fewer strands as the density grows
    together, apart = (np.flatnonzero(first & (strands >= kind.start) & (strands < kind.stop)) for kind in (twisted, beside))
    kept = np.concatenate([together, apart])
    return Options(d[kept], o[kept], strands[kept], np.repeat([False, True], [len(together), len(apart)]), np.zeros(len(kept), bool),
                   np.full(len(kept), sheath))


def unevenness(turns: Any, laid: Laid, width: Any) -> Any:
    """Factor for the choice of wire: 1 where the layers fill the width [m], more where few turns lie far apart."""
    cover = np.minimum((turns / laid.layers + 1) * laid.bundle / width, 1.0)
    return 1 + SPARSE * (1 - cover) ** 2


def strand_loss(i_rms: Any, turns: Any, laid: Laid, mean_turn: Any, field_rate: Any, rho: Any) -> Any:
    """Copper loss [W]: resistance, plus the eddy loss of thin round strands or foils in a changing field along them.

    field_rate: mean square of dB/dt over the winding [T²/s²]; of strands that are not thin, as much of it as gets in (`changing_field`).
    Source: eddy loss of a cylinder in a transverse field, π·d⁴·l/(64·ρ)·<(dB/dt)²>, and of a foil in one along it,
    A·t²·l/(12·ρ)·<(dB/dt)²>.
    """
    length = turns * mean_turn
    return (i_rms**2 * rho * length / laid.copper
            + length * laid.copper * laid.diameter**2 / (np.where(laid.foil, 12.0, 16.0) * rho) * field_rate)
