"""Ring cores: effective parameters, room for the winding, and the choice of ring and powder grade for an inductor that carries direct
current."""

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.later import Later
from rhevectra.core.catalogue.tables import Table
from rhevectra.core.formulas import copper, magnetics, powder
from rhevectra.core.magnetics.inductor import DENSITY_LEAST, DENSITY_MOST
from rhevectra.core.magnetics.limits import Limits, told
from rhevectra.core.magnetics.strands import choose_strands
from rhevectra.core.magnetics.transformer import HEAT_TRANSFER, RISE_AIM

USE = 0.35
"""Share of the hole that is copper: wound by hand or shuttle, a rest hole left (common practice, no source)."""
BUILT = 0.6
"""Share of the hole that the winding with its insulation and air fills."""
AGES = ("Fe",)
"""Alloys taken only where pinned: the binder of iron powder ages in its own heat (common practice)."""
LOSS_WORTH = 2e-6
"""Volume of core [m³] that a watt is worth where kinds of core are weighed against each other (assumption)."""
LEFT_LEAST = 0.4
"""Share of the unbiased inductance still wanted at the current limit (common practice)."""


class Rings(Struct, frozen=True):
    """One entry per ring: effective area [m²], length [m], volume [m³], hole [m²], mean turn [m], surface [m²] and height [m] when wound;
    mean square of the field in its winding for one ampere-turn [T²/A²]."""

    names: tuple[str, ...]
    area: Array
    length: Array
    volume: Array
    hole: Array
    mean_turn: Array
    surface: Array
    tall: Array
    field2: Array


def rings(table: Table) -> Rings:
    """Effective parameters by the ring formulas of IEC 60205 (from memory; checked against integration over the section in the tests).

    The field in the winding grows from nothing outside to that of all turns at the core: Ampère's law, half of each turn inside the ring
    and half outside.
    """
    outer, inner, tall, coat = (table.column(f"{k}_m") for k in ("outer", "inner", "tall", "coat"))
    log = np.log(outer / inner)
    c1 = 2 * np.pi / (tall * log)
    c2 = 4 * np.pi * (1 / inner - 1 / outer) / (tall**2 * log**3)
    built = 0.5 * (inner - 2 * coat) * (1 - np.sqrt(1 - BUILT))
    around = np.pi * np.stack([inner - 2 * coat, outer + 2 * coat])
    across, high = outer + 2 * (coat + built), tall + 2 * (coat + built)
    return Rings(table.names, c1 / c2, c1**2 / c2, c1**3 / c2**2, np.pi / 4 * (inner - 2 * coat) ** 2,
                 2 * (tall + 2 * coat) + (outer - inner + 4 * coat) + 4 * built, np.pi / 2 * across**2 + np.pi * across * high, high,
                 np.square(copper.MU0 / around).mean(0) / 3)


class RingNeed(Struct, frozen=True):
    """What is asked of the inductor: inductance [H] at its crest current [A], current at the limit [A], rms [A]; loss density [W/m³] and
    mean square of di/dt [A²/s²] worst(L_0, I_half, exponent, material, N·A); highest frequency [Hz]."""

    inductance: float
    i_crest: float
    i_limit: float
    i_rms: float
    loss: Callable[..., tuple[Array, Any]]
    fs: float
    ambient: float
    rise_max: float
    cooling: str
    height_max: float | None
    r_most: float = np.inf
    """Resistance [Ω] it may have."""


class RingChoice(Struct, frozen=True):
    """Ring and grade by number, turns, unbiased inductance [H], current that leaves half of it [A], copper of one turn [m²], strand
    diameter [m], resistance [Ω], eddy loss over the mean square of di/dt [Ωs²], rise [K], volume by relative price with its loss [m³]; what
    refused smaller ones."""

    ring: int
    grade: int
    turns: float
    unbiased: float
    i_half: float
    copper: float
    strand: float
    resistance: float
    eddy: float
    rise: float
    worth: float
    passed: bool
    refused: Callable[[], tuple[str, ...]]


def choose_ring(need: RingNeed, sizes: Rings, grades: Table, ring: str | None, grade: str | None) -> RingChoice:
    """Turns and wire on every ring in every grade; the least volume by relative price and loss that keeps enough inductance at the limit,
    current density and rise. ring, grade: pinned names."""
    mu, h_half, m = (grades.column(k) for k in ("mu_initial", "h_half_a_m", "bias_exponent"))
    area, length, hole = (x[:, None] for x in (sizes.area, sizes.length, sizes.hole))
    per_turn = magnetics.MU0 * mu * area / length
    turns = powder.turns_for(need.inductance, need.i_crest, per_turn, h_half * length, m)
    unbiased, i_half = per_turn * turns**2, h_half * length / turns
    density, rate = need.loss(unbiased, i_half, m, grades, turns * area)
    core, rho = density * sizes.volume[:, None], float(copper.resistivity(need.ambient + 0.8 * need.rise_max))
    wire = choose_strands(USE * hole / turns, need.i_rms / DENSITY_LEAST + 0 * turns, turns, sizes.mean_turn[:, None],
                          sizes.field2[:, None] * turns**2, rho, need.i_rms, rate, need.fs)
    lost = wire.loss(need.i_rms, rate)
    r_th = magnetics.thermal_resistance(HEAT_TRANSFER[need.cooling], sizes.surface[:, None])
    rise = np.minimum(magnetics.temperature_rise(r_th, core, lost), 400.0)
    none = 0 * rise
    limits = {"{v} of the inductance left at the limit, {l} wanted": (-powder.left(need.i_limit, i_half, m), -LEFT_LEAST + none, ""),
              "current density {v}, {l} at most": (need.i_rms / wire.copper * 1e-6, DENSITY_MOST * 1e-6 + none, "A/mm²"),
              "{v} rise, aim {l}": (rise, RISE_AIM * need.rise_max + none, "K"),
              "{v} tall, limit {l}": (sizes.tall[:, None] + none, (need.height_max or np.inf) + none, "m"),
              "{v} of copper, {l} left for it": (wire.resistance, need.r_most + none, "Ω")}
    over = np.stack([np.where(v > top, np.abs(v / top - 1), 0.0) for v, top, _ in limits.values()])
    excess = over.sum(0)
    families = [r["family"] for r in grades.rows]
    allowed = np.array(
        [[(ring or r) == r and (g == grade or (not grade and f not in AGES)) for g, f in zip(grades.names, families, strict=True)]
         for r in sizes.names])
    worth = sizes.volume[:, None] * grades.column("price_ratio") + LOSS_WORTH * (core + lost)
    rank = np.where(allowed, np.where(excess <= 0, worth, 1.0 + excess), np.inf)
    k, g = (int(i) for i in np.unravel_index(int(rank.argmin()), rank.shape))
    smaller = [int(i) for i in np.argsort(-sizes.volume, kind="stable") if sizes.volume[i] < sizes.volume[k]]

    def refused() -> tuple[str, ...]:
        return tuple(_why(limits, over, sizes, grades, worth, i, int(np.where(allowed.any(0), excess[i], np.inf).argmin()))
                     for i in smaller)
    return RingChoice(k, g, float(turns[k, g]), float(unbiased[k, g]), float(i_half[k, g]), float(wire.copper[k, g]),
                      float(wire.diameter[k, g]), float(wire.resistance[k, g]), float(wire.eddy[k, g]), float(rise[k, g]),
                      float(worth[k, g]), bool(excess[k, g] <= 0), Later(refused))


def _why(limits: Limits, over: Array, sizes: Rings, grades: Table, worth: Array, ring: int, grade: int) -> str:
    """The limit a ring exceeds by the most in its best grade, or what it costs there."""
    name = f"{sizes.names[ring]} {grades.names[grade]}: "
    if over[:, ring, grade].max() <= 0:
        return name + f"passes; {worth[ring, grade] * 1e6:.3g} cm³ with price and loss"
    return name + told(limits, over, (ring, grade))
