"""How many turns to try on which cores: whole numbers from the least that the flux admits to where core and copper burn least."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import copper, magnetics
from rhevectra.core.magnetics.need import TransformerNeed, relative
from rhevectra.core.magnetics.windows import Windows

CANDIDATES = 5
COPPER_SHARE = 0.2
"""Copper of a window, eddy currents reckoned in (estimate, for how far the turns tried reach; each is then worked out)."""
USE_MOST, USE_LEAST = 3e6, 0.2e6
"""Current density over the whole window [A/m²] beyond which no core is tried, and below which none is until all others fail: of 450
transformers sized from all cores, 92 % lie between and none beyond."""


def _ampere_turns(need: TransformerNeed) -> float:
    """Sum of the rms ampere-turns of all windings for one turn of the regulated winding [A]."""
    return float(np.array(relative(need)) @ np.array([w.i_rms for w in need.windings]))


def worth_trying(need: TransformerNeed, win: Windows, pinned: str | None) -> Array:
    """Numbers of the cores whose area times window suits the need, and of a pinned one."""
    amps = _ampere_turns(need) / need.ratio
    area = np.minimum(win.effective.area, win.effective.area_min)
    use = need.flux_limit / need.b_max * amps / np.maximum(area * win.width * win.height, 1e-15)
    fits = (use <= USE_MOST) & (use >= USE_LEAST)
    if pinned is not None:
        fits[win.names.index(pinned)] = True
    return np.flatnonzero(fits)


def candidate_turns(need: TransformerNeed, win: Windows) -> list[Array]:
    """Integer turns of every winding for each core and candidate; the least turns meet the flux at the current limit, the most reach to
    where core and copper burn least."""
    area = np.minimum(win.effective.area, win.effective.area_min)[:, None]
    pins = need.pins or {}
    least = np.maximum(np.ceil(need.flux_limit / (need.b_max * area) / need.ratio + need.less(1) - 1e-9), 1)
    first = least + np.round(np.maximum((_coolest(need, win, least) - least) / (CANDIDATES - 1), 1.0) * np.arange(CANDIDATES))
    first = _in_ratio(need, pins, first, least)
    if need.windings[1].name in pins:
        first = np.full_like(first[:, :1], pins[need.windings[1].name])
    elif "np" in pins:
        first = np.maximum(np.full_like(first[:, :1], round(pins["np"] / need.ratio + need.less(1))), 1)
    primary = np.maximum(np.round(need.ratio * (first - need.less(1))), 1)
    if "np" in pins:
        primary = np.full_like(first, pins["np"])
    turns = [primary, first]
    main = need.windings[1].volts
    for k, w in enumerate(need.windings[2:], 2):
        wanted = primary * w.volts / need.windings[0].volts if w.pulsed else (first - need.less(1)) * w.volts / main + need.less(k)
        turns.append(np.full_like(first, pins[w.name]) if w.name in pins
                     else np.maximum(np.ceil(w.floor * wanted - 1e-9) if w.floor else np.round(wanted), 1))
    return turns


RATIO_MOST, NEAR = 400, 1.5
"""Turns of the regulated winding up to which those are looked for that give every output its voltage, and over those that were to be
tried."""


def _in_ratio(need: TransformerNeed, pins: Mapping[str, Any], first: Array, least: Array) -> Array:
    """Turns of the regulated winding (core, candidate), each moved to the nearest number, not below the least, at which the whole turns of
    all other outputs give them their voltage within tolerance; where there is none near, or all do, as they are."""
    n, main = np.arange(1.0, RATIO_MOST + 1), need.windings[1].volts
    fits = np.ones(RATIO_MOST, bool)
    for w in need.windings[2:-1]:
        wanted = n * w.volts / main
        fits &= (w.name in pins) | (np.abs(np.maximum(np.round(wanted), 1) / wanted - 1) <= w.tolerance)
    some = n[fits]
    if need.half is not None or len(some) in (0, RATIO_MOST):
        return first
    above = np.minimum(np.searchsorted(some, first), len(some) - 1)
    below = np.maximum(above - 1, 0)
    nearest = np.where((some[below] >= least) & (np.abs(some[below] - first) < np.abs(some[above] - first)), some[below], some[above])
    return np.where((nearest >= least) & (nearest <= NEAR * first + 1), nearest, first)


def _coolest(need: TransformerNeed, win: Windows, least: Array) -> Array:
    """Turns of the regulated winding at which core and copper together would burn least, by estimate: the loss of the core falls with a
    power of the turns, that of the copper grows with their square."""
    area, volume = (np.asarray(getattr(win.effective, n)[:, None]) for n in ("area", "volume"))
    rise = need.ambient + 0.8 * need.rise_max
    p_core = core_loss(need, np.maximum(need.ratio * (least - need.less(1)), 1.0), {"area": area, "volume": volume}, rise)
    amps = least * _ampere_turns(need)
    section = (COPPER_SHARE * win.width * win.height)[:, None]
    p_copper = copper.resistivity(rise) * win.turn_length(0.5 * win.height)[:, None] * amps**2 / section
    beta = need.material["loss_beta"]
    return np.asarray(least * (0.5 * beta * p_core / np.maximum(p_copper, 1e-12)) ** (1 / (2 + beta)))


def core_loss(need: TransformerNeed, turns: Any, eff: dict[str, Any], temperature: Any) -> Any:
    """Largest core loss [W] over the full-load corners."""
    m = need.material
    alpha, beta = m["loss_alpha"], m["loss_beta"]
    kappa = magnetics.igse_constant(alpha, beta)
    reference = magnetics.loss_at_temperature(m["loss_ref_w_m3"], m["loss_t_curvature_1_k2"], temperature, m["loss_t_min_c"])
    at_one = magnetics.core_loss_two_slope(1.0, kappa, 1.0, need.swing, m["loss_f_ref_hz"], alpha, m["loss_b_ref_t"], beta,
                                           need.fs if need.fs_each is None else need.fs_each, need.t_up, need.t_down)
    return np.max(at_one) * eff["volume"] * reference / (turns * eff["area"]) ** beta
