"""Choosing the core of a filter inductor: every core tried at once, the smallest that passes wins."""

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.later import Later
from rhevectra.core.formulas import copper, inductor, magnetics
from rhevectra.core.magnetics.limits import Limits, told
from rhevectra.core.magnetics.line_cycle import WEIGHTS
from rhevectra.core.magnetics.strands import Strands, choose_strands, gapped_field
from rhevectra.core.magnetics.transformer import HEAT_TRANSFER, RISE_AIM
from rhevectra.core.magnetics.windows import Windows

USE = 0.4
"""Share of the bobbin window that is copper: a bundle with its insulation and tape (common practice, no source)."""
DENSITY_LEAST, DENSITY_MOST = 1.5e6, 12e6
"""Current densities [A/m²] below which more copper is a waste, and above which no bundle is wound (common practice)."""
GAP_MOST = 0.35
"""Gap over the width of the post: beyond it fringing heats the winding (common practice)."""

MADE = 0.10
"""Tolerance of the inductance of a gapped or powder part as made (common practice)."""


class InductorNeed(Struct, frozen=True):
    """What the filter asks: inductance [H], current at the limit for the flux [A], rms [A]; ripple [A], t_up, t_down [s] at each full-load
    corner; rate: mean square of di/dt [A²/s²] there, of straight ramps where nothing else is said."""

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
    step: int = 1
    """Turns come in so many: other windings of the core stand in a ratio to this one."""

    @property
    def worst_rate(self) -> float:
        """Greatest mean square of di/dt [A²/s²] over the corners."""
        each = np.asarray(inductor.slope_square(self.fs, self.ripple, self.t_up, self.t_down) if self.rate is None else self.rate)
        return float(np.max(each @ WEIGHTS if self.line_cycle else each))


class InductorChoice(Struct, frozen=True):
    """The chosen core by its number and name, its turns, gap [m], copper of one turn [m²], strand diameter [m], resistance [Ω], eddy loss
    over the mean square of di/dt [Ωs²], rise [K], flux at the limit [T]; what refused smaller ones."""

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


class _Tried(Struct, frozen=True):
    """Cores wound with some turns, arrays (…, cores). over: by how much each of the limits is exceeded (limits, …, cores); saved: whether
    more turns may help: it is the rise that refuses and the core burns more than the copper, or these few do not give the inductance."""

    turns: Array
    gap: Array
    wire: Strands
    rise: Array
    mean_turn: Array
    limits: Limits
    over: Array
    saved: Array

    def better(self, cores: Array, more: "_Tried") -> "_Tried":
        """The same with some cores wound as `more` tries them (turns, cores): each with the fewest turns that pass, or those that come
        nearest."""
        excess = more.over.sum(0)
        row = np.where((excess <= 0).any(0), (excess <= 0).argmax(0), excess.argmin(0))

        def put(old: Any, new: Any) -> Array:
            out = np.array(np.broadcast_to(old, self.gap.shape))
            out[cores] = np.take_along_axis(np.broadcast_to(new, excess.shape), row[None], 0)[0]
            return out
        wire = Strands(*(put(getattr(self.wire, n), getattr(more.wire, n)) for n in ("diameter", "copper", "resistance", "eddy")))
        limits = {text: (put(v, more.limits[text][0]), top, unit) for text, (v, top, unit) in self.limits.items()}
        return replace(self, turns=put(self.turns, more.turns), gap=put(self.gap, more.gap), wire=wire, rise=put(self.rise, more.rise),
                       limits=limits, over=np.stack([put(old, new) for old, new in zip(self.over, more.over, strict=True)]))


TURNS_WHY = "fewest turns that keep the flux at {}, more of them where the core would burn more than the copper"
MORE_TURNS = np.array([1.0, 1.08, 1.16, 1.25, 1.35, 1.45, 1.6, 1.8, 2.0, 2.25, 2.6, 3.0])
"""Turns that are tried over the fewest the flux allows, where more may help: half the flux is a fifth or a sixth of the core's loss."""


def _wind(need: InductorNeed, win: Windows, turns: Array) -> _Tried:
    """Gap, wire, loss and rise of every core with its turns (…, cores)."""
    eff = win.effective
    gap, _ = magnetics.solve_gap(eff.area_post, turns, need.inductance, eff.length, need.material["mu_initial"], eff.area, win.window)
    room, most = inductor.copper_area(USE, win.width, win.height, turns), need.i_rms / DENSITY_LEAST + 0 * gap
    mean_turn = win.turn_length(0.5 * win.height)
    r_th = magnetics.thermal_resistance(HEAT_TRANSFER[need.cooling], win.surface)
    rho = copper.resistivity(need.ambient + 0.8 * need.rise_max)
    deep = np.minimum(most / room, 1.0) * win.height
    wire = choose_strands(room, most, turns, mean_turn, gapped_field(turns, gap, win, deep), float(rho), need.i_rms, need.worst_rate,
                          float(np.max(need.fs)))
    p_core, p_copper = core_loss(need, turns, eff.area, eff.volume), wire.loss(need.i_rms, need.worst_rate)
    rise = np.minimum(magnetics.temperature_rise(r_th, p_core, p_copper), 400.0)
    limits = {"gap {v} longer than {l}": (gap, GAP_MOST * np.sqrt(eff.area_post), "m"),
              "current density {v}, {l} at most": (need.i_rms / wire.copper * 1e-6, DENSITY_MOST * 1e-6 + 0 * win.tall, "A/mm²"),
              "{v} rise, aim {l}": (rise, RISE_AIM * need.rise_max + 0 * win.tall, "K"),
              "inductance cannot be reached even without a gap": (-gap, 0 * win.tall, "m"),
              "{v} tall, limit {l}": (win.tall, (need.height_max or np.inf) + 0 * win.tall, "m")}
    over = np.stack(
        [np.where(v > top, np.where(top > 0, v / np.maximum(top, 1e-12), 2.0) - 1, 0.0) + 0 * gap for v, top, _ in limits.values()])
    return _Tried(turns, gap, wire, rise, mean_turn, limits, over, ((rise > RISE_AIM * need.rise_max) & (p_core > p_copper)) | (gap < 0))


def choose_inductor(need: InductorNeed, win: Windows, pinned: str | None = None) -> InductorChoice:
    """Turns, gap and wire on every core; the smallest volume that meets gap, current density and temperature rise."""
    eff = win.effective
    area = np.minimum(eff.area, eff.area_min)
    least = np.maximum(np.ceil(inductor.turns(need.inductance, need.i_limit, need.b_max, area) / need.step - 1e-9), 1) * need.step
    tried = _wind(need, win, least)
    offered = win.searched(need.height_max)
    passing = (tried.over.sum(0) <= 0) & offered
    worth = np.flatnonzero(tried.saved & (eff.volume < np.min(eff.volume, initial=np.inf, where=passing)) if pinned is None
                           else [name == pinned for name in win.names] & tried.saved)
    if len(worth):
        tried = tried.better(worth,
                             _wind(need, win.only(list(worth)),
                                   np.ceil(np.multiply.outer(MORE_TURNS, least[worth]) / need.step - 1e-9) * need.step))
    excess, turns, gap, wire = tried.over.sum(0), tried.turns, tried.gap, tried.wire
    order = np.argsort(eff.volume, kind="stable")
    able = [int(i) for i in order if excess[i] <= 0 and offered[i]]
    k = win.names.index(pinned) if pinned is not None else able[0] if able else int(np.where(offered, excess, np.inf).argmin())
    smaller = [int(i) for i in order if eff.volume[i] < eff.volume[k] and offered[i]]

    def refused() -> tuple[str, ...]:
        return tuple(f"{win.names[i]}: {_why(tried.limits, tried.over, i)}" for i in reversed(smaller))
    return InductorChoice(k, win.names[k], int(turns[k]), float(gap[k]), float(wire.copper[k]), float(wire.diameter[k]),
                          float(tried.mean_turn[k]), float(wire.resistance[k]), float(wire.eddy[k]), float(tried.rise[k]),
                          float(need.inductance * need.i_limit / (turns[k] * area[k])), bool(excess[k] <= 0), Later(refused))


def core_loss(need: InductorNeed, turns: Any, area: Any, volume: Any) -> Any:
    """Largest core loss [W] over the full-load corners."""
    m = need.material
    kappa = magnetics.igse_constant(m["loss_alpha"], m["loss_beta"])
    reference = magnetics.loss_at_temperature(m["loss_ref_w_m3"], m["loss_t_curvature_1_k2"], need.ambient + 0.7 * need.rise_max,
                                              m["loss_t_min_c"])
    at_one = magnetics.core_loss_two_slope(1.0, kappa, reference, need.inductance * need.ripple, m["loss_f_ref_hz"], m["loss_alpha"],
                                           m["loss_b_ref_t"], m["loss_beta"], need.fs, need.t_up, need.t_down)
    worst = np.max(at_one @ WEIGHTS) if need.line_cycle else np.max(at_one)
    return worst * volume / (turns * area) ** m["loss_beta"]


def _why(limits: Limits, over: Array, core: int) -> str:
    """The limit a core exceeds by the most."""
    return told(limits, over, (core,)) if over[:, core].max() > 0 else "fits"
