"""The period's currents and drain voltage as straight pieces, at one corner: for harmonics and for the picture."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.clamp import RING_QUALITY
from rhevectra.core.topologies.flyback import turned

At = Callable[[Any], float]


def times(o: Mapping[str, Any], at: At) -> dict[str, float]:
    """The instants of the period [s], from the turn-on."""
    t_com, t_ramp, t_rise = at(o["t_turned"] if "t_turned" in o else o["t_com"]), at(o["t_ramp"]), at(o["t_rise"])
    t_on = t_com + t_ramp
    t_two = t_on + t_rise
    discharge = max(at(o["t_off"]) - t_com, 0.0)
    clamp = min(at(o["t_clamp"]), discharge)
    return {"taken": t_com, "off": t_on, "risen": t_two, "clamped": t_two + clamp, "empty": t_two + discharge, "end": 1 / at(o["rate"])}


def lets_go(o: Mapping[str, Any], at: At) -> float:
    """Leakage current [A] that goes backwards when the clamp's diode blocks: of a fast one none."""
    return at(o["i_back"]) if "i_back" in o else 0.0


def clamp_current(o: Mapping[str, Any], at: At, t: Mapping[str, float], x: Array) -> Array:
    """Current into the clamp [A] at instants x [s] of the period."""
    if "ring_cosine" in o:
        return turned.clamp_current(o, at, t, x)
    first, last = at(o["i_clamp"]), -lets_go(o, at)
    return np.where((x >= t["risen"]) & (x < t["clamped"]),
                    first + (last - first) * (x - t["risen"]) / max(t["clamped"] - t["risen"], 1e-12), 0.0)


def primary_shape(o: Mapping[str, Any], at: At) -> tuple[Array, Array]:
    """Break points of the primary current [s], [A] (node charging left out)."""
    t = times(o, at)
    if "ring_cosine" in o:
        return turned.primary_shape(o, at, t)
    eps = 1e-10
    x = [0.0, max(t["taken"], eps), t["off"], t["risen"], max(t["clamped"], t["risen"] + eps), t["end"]]
    y = [0.0 if t["taken"] > 0 else at(o["i_start"]), at(o["i_start"]), at(o["i_peak"]), at(o["i_clamp"]), 0.0, 0.0]
    if "i_back" in o:  # turned round when the clamp's diode lets go; the ring that follows is left out
        x, y = [*x[:5], min(x[4] + eps, x[5]), x[5]], [*y[:4], -at(o["i_back"]), 0.0, 0.0]
    return np.array(x), np.array(y)


def secondary_shape(o: Mapping[str, Any], at: At) -> tuple[Array, Array]:
    """Break points of the whole secondary current seen from the primary [s], [A]."""
    t = times(o, at)
    if "ring_cosine" in o:
        return turned.secondary_shape(o, at, t)
    eps = 1e-10
    first = max(at(o["i_one"]) - at(o["i_clamp"]), 0.0)
    x = [0.0, max(t["taken"], eps), t["risen"], t["risen"] + eps, max(t["clamped"], t["risen"] + 2 * eps),
         max(t["empty"], t["clamped"] + eps), max(t["end"], t["empty"] + 2 * eps)]
    y = [at(o["i_end"]), 0.0, 0.0, first, at(o["i_cross"]), at(o["i_end"]), at(o["i_end"])]
    if "i_back" in o:
        x, y = [*x[:5], min(x[4] + eps, x[5]), *x[5:]], [*y[:4], at(o["i_cross"]) + at(o["i_back"]), *y[4:]]
    return np.array(x), np.array(y)


def drain_shape(o: Mapping[str, Any], at: At, v_bus: float, c_node: float, leakage: float, lp: float,
                more: Array | None = None) -> tuple[Array, Array]:
    """Drain voltage [V] with the clamp, the leakage ring and the free ring, over one period [s]; more: further instants wanted."""
    t = times(o, at)
    if "ring_cosine" in o:
        return turned.drain_shape(o, at, t, v_bus, c_node, leakage, more)
    x = np.linspace(0, t["end"], 700) if more is None else np.concatenate([np.linspace(0, t["end"], 700), more])
    x = np.sort(np.concatenate(
        [x, np.linspace(t["risen"], min(t["risen"] + 20 * np.sqrt(leakage * c_node) + (t["clamped"] - t["risen"]), t["end"]), 240),
         [t["off"], t["risen"], t["clamped"], t["empty"]]]))
    x = x[np.concatenate([[True], np.diff(x) > 0])]
    v_or = at(o["v_or"])
    v_x = min(at(o["v_node"]), v_or + at(o["i_one"]) * np.sqrt(leakage / c_node))
    rise = (x - t["off"]) / max(t["risen"] - t["off"], 1e-12)
    w_leak, decay = 1 / np.sqrt(leakage * c_node), np.sqrt(leakage * c_node) * 2 * RING_QUALITY
    after = x - t["clamped"]
    ring = (v_bus + v_or + ((v_x - v_or) * np.cos(w_leak * after) - lets_go(o, at) * np.sqrt(leakage / c_node) * np.sin(w_leak * after))
            * np.exp(-np.maximum(after, 0) / decay))
    if "i_back" in o:  # between ground and the clamp that it comes back to
        ring = np.clip(ring, 0.0, v_bus + v_x)
    idle = x - t["empty"]
    free = np.maximum(v_bus + v_or * np.cos(idle / np.sqrt(lp * c_node)) * np.exp(-np.maximum(idle, 0) / at(o["tau"])), 0.0)
    v = np.where(x < t["off"], at(o["i_peak"]) * at(o["r_on"]) * x / max(t["off"], 1e-12) * 0.5, 0.0)
    v = np.where((x >= t["off"]) & (x < t["risen"]), rise * (v_bus + v_or), v)
    v = np.where((x >= t["risen"]) & (x < t["clamped"]), v_bus + v_x, v)
    v = np.where((x >= t["clamped"]) & (x < t["empty"]), ring, v)
    if bool(at(o["discontinuous"])):
        v = np.where(x >= t["empty"], free, v)
    else:
        v = np.where(x >= t["empty"], v_bus + v_or, v)
    v[-1] = 0.0
    return x, v
