"""The common-mode choke of a mains filter: a winding for each line in its own sector of a ring of high permeability, all rings and leads
tried at once."""

from collections.abc import Callable, Sequence

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.later import Later
from rhevectra.core.catalogue.tables import Table
from rhevectra.core.formulas import choke, copper, inductor, magnetics
from rhevectra.core.formulas.magnetics import MU0
from rhevectra.core.magnetics.limits import told
from rhevectra.core.magnetics.ring import rings
from rhevectra.core.magnetics.transformer import HEAT_TRANSFER

TOLERANCE = 0.30
"""By how much the permeability of such a ferrite may fall short (customary tolerance of the inductance factor, from memory)."""
BARRIER = 0.12
"""Share of the ring's circumference kept free beside each winding: insulation between lines (common practice, no source)."""
MOST_LAYERS = 2
"""More layers would lay capacitance across the choke (common practice)."""
DENSITY_MOST = 10e6
"""Current density [A/m²] of a winding in free air (common practice)."""


class Lead(Struct, frozen=True):
    """What a turn is wound of: wires abreast, diameter and overall diameter of one [m]."""

    name: str
    bare: float
    overall: float
    abreast: int = 1

    @property
    def copper(self) -> float:
        """Section [m²]."""
        return float(self.abreast * np.pi / 4 * self.bare**2)


class ChokeNeed(Struct, frozen=True):
    """What is asked: least inductance [H] of one winding, permeability, windings, line current [A rms], resistance one winding may have and
    the rise it may bring [Ω, K], hottest ambient [°C]; leaks: share of the inductance that leaks, with the crest of the line current
    [A] and the field it may leave [T]."""

    inductance: float
    mu: float
    windings: int
    i_rms: float
    r_most: float
    rise_most: float
    ambient: float
    cooling: str
    height_max: float | None
    leaks: float
    i_peak: float
    b_most: float


class LineChoke(Struct, frozen=True):
    """Ring and lead by number, turns and layers of one winding, mean turn [m], copper of the lead [m²], surface [m²]; what refused smaller
    rings."""

    ring: int
    lead: int
    turns: float
    layers: int
    mean_turn: float
    copper: float
    surface: float
    passed: bool
    refused: Callable[[], tuple[str, ...]]


def choose_line_choke(need: ChokeNeed, table: Table, leads: Sequence[Lead], pinned: str | None) -> LineChoke:
    """The smallest ring whose windings fit their sectors, keep their resistance, current density and rise. leads: thinnest first; the
    thickest that fits is taken."""
    sizes = table.derived(rings)
    outer, inner, tall, coat = (table.column(f"{k}_m")[:, None] for k in ("outer", "inner", "tall", "coat"))
    overall, sections, abreast = (np.array([getattr(x, k) for x in leads])[None, :] for k in ("overall", "copper", "abreast"))
    turns = np.ceil(np.sqrt(need.inductance / ((1 - TOLERANCE) * MU0 * need.mu * sizes.area / sizes.length)) - 1e-9)[:, None]
    share = 1 / need.windings - BARRIER / 2
    held = np.stack([choke.sector_turns(share, inner - 2 * coat, overall, n, abreast) for n in range(1, MOST_LAYERS + 1)])
    fits = held >= turns
    layers = 1 + np.argmax(fits, axis=0)
    thickest = np.where(fits.any(0), np.arange(len(leads)), -1).max(1)
    k = np.maximum(thickest, 0)
    at = np.arange(len(k))
    built = layers[at, k] * overall[0, k]
    mean = 2 * (tall + 2 * coat)[:, 0] + (outer - inner + 4 * coat)[:, 0] + 4 * built
    across, high = (outer + 2 * coat)[:, 0] + 2 * built, (tall + 2 * coat)[:, 0] + 2 * built
    surface = np.pi / 2 * across**2 + np.pi * across * high
    area = sections[0, k]
    resistance = inductor.winding_resistance(copper.resistivity(need.ambient + need.rise_most), turns[:, 0], mean, area)
    rise = magnetics.temperature_rise(magnetics.thermal_resistance(HEAT_TRANSFER[need.cooling], surface), 0.0,
                                      choke.copper_loss(need.windings, resistance, need.i_rms))
    none = 0 * rise
    limits = {"the turns do not fit their sector": (np.where(thickest < 0, 9.0, 0.0), none + 1.0, ""),
              "{v} of a winding, {l} left for it": (resistance, none + need.r_most, "Ω"),
              "{v} rise, {l} allowed": (rise, none + need.rise_most, "K"),
              "{v} of its leakage's field, {l} at most": (
                  choke.leakage_flux(need.leaks, need.inductance, need.i_peak, turns[:, 0], sizes.area), none + need.b_most, "T"),
              "current density {v}, {l} at most": (need.i_rms / area * 1e-6, none + DENSITY_MOST * 1e-6, "A/mm²"),
              "{v} tall, limit {l}": (high, none + (need.height_max or np.inf), "m")}
    over = np.stack([np.maximum(v / top - 1, 0.0) for v, top, _ in limits.values()])
    excess = over.sum(0)
    allowed = np.array([pinned in (None, name) for name in table.names])
    i = int(np.where(allowed, np.where(excess <= 0, sizes.volume, 1.0 + excess), np.inf).argmin())
    smaller = [int(n) for n in np.argsort(-sizes.volume, kind="stable") if sizes.volume[n] < sizes.volume[i]]
    return LineChoke(i, int(k[i]), float(turns[i, 0]), int(layers[i, k[i]]), float(mean[i]), float(area[i]), float(surface[i]),
                     bool(excess[i] <= 0), Later(lambda: (f"{table.names[n]}: {told(limits, over, (n,))}" for n in smaller)))
