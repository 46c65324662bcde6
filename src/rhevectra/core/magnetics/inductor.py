"""Choosing the core of a filter inductor: every core tried at once, the smallest that passes wins."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import copper, inductor, magnetics
from rhevectra.core.magnetics.limits import Limits, told
from rhevectra.core.magnetics.line_cycle import WEIGHTS
from rhevectra.core.magnetics.strands import choose_strands, gapped_field
from rhevectra.core.magnetics.transformer import HEAT_TRANSFER, RISE_AIM
from rhevectra.core.magnetics.windows import Windows

USE = 0.4
"""Share of the bobbin window that is copper: a bundle with its insulation and tape (common practice, no source)."""
DENSITY_LEAST, DENSITY_MOST = 1.5e6, 12e6
"""Current densities [A/m²] below which more copper is a waste, and above which no bundle is wound (common practice)."""
GAP_MOST = 0.35
"""Gap over the width of the post: beyond it fringing heats the winding (common practice)."""


@dataclass(frozen=True)
class InductorNeed:
    """What the filter asks: inductance [H], current at the limit for the flux [A], rms [A]; ripple [A], t_up, t_down [s] at each full-load corner; rate: mean square of di/dt [A²/s²] there, of straight ramps where nothing else is said."""

    inductance: float
    i_limit: float
    i_rms: float
    ripple: Array
    t_up: Array
    t_down: Array
    fs: Any
    b_max: float
    material: Any
    ambient: float
    rise_max: float
    cooling: str
    height_max: float | None
    line_cycle: bool = False
    """The last axis of ripple, times and fs runs over the line cycle: loss is its mean, not its greatest."""
    rate: Any = None

    @property
    def worst_rate(self) -> float:
        """Greatest mean square of di/dt [A²/s²] over the corners."""
        each = np.asarray(inductor.slope_square(self.fs, self.ripple, self.t_up, self.t_down) if self.rate is None else self.rate)
        return float(np.max(each @ WEIGHTS if self.line_cycle else each))


@dataclass(frozen=True)
class InductorChoice:
    """The chosen core by its number and name, its turns, gap [m], copper of one turn [m²], strand diameter [m], resistance [Ω], eddy loss over the mean square of di/dt [Ωs²], rise [K], flux at the limit [T]; what refused smaller ones."""

    core: int
    name: str
    turns: int
    gap: float
    copper: float
    strand: float
    mean_turn: float
    resistance: float
    eddy: float
    rise: float
    b_peak: float
    passed: bool
    refused: Callable[[], tuple[str, ...]]


def choose_inductor(need: InductorNeed, win: Windows, pinned: str | None = None) -> InductorChoice:
    """Turns, gap and wire on every core; the smallest volume that meets gap, current density and temperature rise."""
    eff = win.effective
    area = np.minimum(eff.area, eff.area_min)
    turns = np.maximum(np.ceil(inductor.turns(need.inductance, need.i_limit, need.b_max, area) - 1e-9), 1)
    gap, _ = magnetics.solve_gap(eff.area_post, turns, need.inductance, eff.length, need.material["mu_initial"], eff.area, win.window)
    room, most = inductor.copper_area(USE, win.width, win.height, turns), need.i_rms / DENSITY_LEAST + 0 * gap
    mean_turn = win.turn_length(0.5 * win.height)
    r_th = magnetics.thermal_resistance(HEAT_TRANSFER[need.cooling], win.surface)
    rho = copper.resistivity(need.ambient + 0.8 * need.rise_max)
    deep = np.minimum(most / room, 1.0) * win.height
    wire = choose_strands(room, most, turns, mean_turn, gapped_field(turns, gap, win, deep), float(rho), need.i_rms, need.worst_rate, float(np.max(need.fs)))
    rise = np.minimum(magnetics.temperature_rise(r_th, core_loss(need, turns, eff.area, eff.volume), wire.loss(need.i_rms, need.worst_rate)), 400.0)
    limits = {"gap {v} longer than {l}": (gap, GAP_MOST * np.sqrt(eff.area_post), "m"), "current density {v}, {l} at most": (need.i_rms / wire.copper * 1e-6, DENSITY_MOST * 1e-6 + 0 * gap, "A/mm²"),
              "{v} rise, {l} aimed at": (rise, RISE_AIM * need.rise_max + 0 * gap, "K"), "inductance cannot be reached even without a gap": (-gap, 0 * gap, "m"),
              "{v} tall, limit {l}": (win.tall, (need.height_max or np.inf) + 0 * gap, "m")}
    over = np.stack([np.where(v > top, np.where(top > 0, v / np.maximum(top, 1e-12), 2.0) - 1, 0.0) for v, top, _ in limits.values()])
    excess = over.sum(0)
    order = np.argsort(eff.volume, kind="stable")
    able = [int(i) for i in order if excess[i] <= 0 and not win.rare[i]]
    k = win.names.index(pinned) if pinned is not None else able[0] if able else int(np.where(win.rare, np.inf, excess).argmin())
    smaller = [int(i) for i in order if eff.volume[i] < eff.volume[k] and not win.rare[i]]

    def refused() -> tuple[str, ...]:
        return tuple(f"{win.names[i]}: {_why(limits, over, i)}" for i in reversed(smaller))
    return InductorChoice(k, win.names[k], int(turns[k]), float(gap[k]), float(wire.copper[k]), float(wire.diameter[k]), float(mean_turn[k]), float(wire.resistance[k]), float(wire.eddy[k]), float(rise[k]), float(need.inductance * need.i_limit / (turns[k] * area[k])), bool(excess[k] <= 0), refused)


def core_loss(need: InductorNeed, turns: Any, area: Any, volume: Any) -> Any:
    """Largest core loss [W] over the full-load corners."""
    m = need.material
    kappa = magnetics.igse_constant(m["loss_alpha"], m["loss_beta"])
    reference = magnetics.loss_at_temperature(m["loss_ref_w_m3"], m["loss_t_curvature_1_k2"], need.ambient + 0.7 * need.rise_max, m["loss_t_min_c"])
    at_one = magnetics.core_loss_two_slope(1.0, kappa, reference, need.inductance * need.ripple, m["loss_f_ref_hz"], m["loss_alpha"], m["loss_b_ref_t"], m["loss_beta"], need.fs, need.t_up, need.t_down)
    worst = np.max(at_one @ WEIGHTS) if need.line_cycle else np.max(at_one)
    return worst * volume / (turns * area) ** m["loss_beta"]


def _why(limits: Limits, over: Array, core: int) -> str:
    """The limit a core exceeds by the most."""
    return told(limits, over, (core,)) if over[:, core].max() > 0 else "fits"
