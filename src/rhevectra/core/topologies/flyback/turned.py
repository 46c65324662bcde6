"""Shapes of a period under a clamp that turns the leakage current round, at one corner."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array

At = Callable[[Any], float]
PIECES = 24
"""Straight pieces the capacitor's ring is drawn with."""


def ring_current(o: Mapping[str, Any], at: Callable[[Any], Any], t: Array) -> Array:
    """Current into the clamp capacitor [A], t [s] after its window began; `at` may give one corner or all, t then (..., corners)."""
    drift, turned = at(o["i_drift"]), at(o["omega"]) * t
    current = np.exp(-at(o["alpha"]) * t) * ((at(o["i_one"]) + drift) * np.cos(turned) - at(o["i_sine"]) * np.sin(turned)) - drift
    core = at(o["i_one"]) + (at(o["i_end"]) - at(o["i_one"])) * t / np.maximum(at(o["t_off"]), 1e-12)
    return np.asarray(np.where(t > np.maximum(at(o["t_secondary"]), 1e-12), core, current))


def ring(o: Mapping[str, Any], at: At, t: Array) -> tuple[Array, Array]:
    """Current into the clamp capacitor [A] and its voltage above the reflected one's mean [V], t [s] after its window began."""
    alpha, omega, a, b, drift = (at(o[k]) for k in ("alpha", "omega", "ring_cosine", "ring_sine", "i_drift"))
    falls, stop = (at(o["v_start"]) - a - at(o["v_or"])) - at(o["r_loop"]) * drift, max(at(o["t_secondary"]), 1e-12)
    volts = np.exp(-alpha * t) * (a * np.cos(omega * t) + b * np.sin(omega * t)) + at(o["r_loop"]) * drift + falls * (1 - 2 * t / stop)
    last = at(o["v_start"]) - at(o["v_or"]) + np.interp(t, [stop, max(at(o["t_clamp"]), stop + 1e-12)], [at(o["v_stop"]), 0.0])
    return ring_current(o, at, t), np.where(t > stop, last, volts)


def _window(t: Mapping[str, float]) -> Array:
    return np.linspace(0.0, max(t["clamped"] - t["risen"], 1e-9), PIECES + 1)


def clamp_current(o: Mapping[str, Any], at: At, t: Mapping[str, float], x: Array) -> Array:
    """Current into the clamp capacitor [A] at instants x [s] of the period."""
    return np.where((x >= t["risen"]) & (x < t["clamped"]), ring(o, at, np.clip(x - t["risen"], 0.0, None))[0], 0.0)


def primary_shape(o: Mapping[str, Any], at: At, t: Mapping[str, float]) -> tuple[Array, Array]:
    """Break points of the primary current [s], [A]: turned round, ramp, ring in the clamp, backwards until the next pulse."""
    inside = _window(t)
    x = [0.0, max(t["taken"], 1e-10), t["off"], *(t["risen"] + inside), max(t["end"], t["clamped"] + 2e-10)]
    y = [-at(o["i_left"]), at(o["i_start"]), at(o["i_peak"]), *ring(o, at, inside)[0], -at(o["i_left"])]
    return np.array(x), np.array(y)


def secondary_shape(o: Mapping[str, Any], at: At, t: Mapping[str, float]) -> tuple[Array, Array]:
    """Break points of the whole secondary current seen from the primary [s], [A]: the core's less the clamp's."""
    inside = _window(t)
    core = np.interp(inside, [0.0, at(o["t_off"])], [at(o["i_one"]), at(o["i_end"])])
    last = max(at(o["i_end"]) + at(o["i_left"]), 0.0)
    x = [0.0, max(t["taken"], 1e-10), t["risen"] - 1e-11, *(t["risen"] + inside), max(t["end"], t["clamped"] + 2e-10)]
    y = [last, 0.0, 0.0, *np.maximum(core - ring(o, at, inside)[0], 0.0), last]
    return np.array(x), np.array(y)


def drain_shape(o: Mapping[str, Any], at: At, t: Mapping[str, float], v_bus: float, c_node: float, leakage: float,
                more: Array | None = None) -> tuple[Array, Array]:
    """Drain voltage [V] over one period [s]; more: further instants wanted."""
    instants = [np.linspace(0, t["end"], 700), np.linspace(t["clamped"], t["end"], 60), np.array([t["off"], t["risen"], t["clamped"]]),
                *(() if more is None else (more,))]
    x = np.unique(np.concatenate(instants))
    v_or, v_on = at(o["v_or"]), at(o["v_turn_on"])
    inside = np.clip(x - t["risen"], 0.0, t["clamped"] - t["risen"])
    held = v_bus + v_or + ring(o, at, inside)[1]
    falls = np.maximum(
        v_bus + v_or + (at(o["v_start"]) - v_or) * np.cos((x - t["clamped"]) / np.sqrt(leakage * c_node)) - at(o["i_back"])
        * np.sqrt(leakage / c_node) * np.sin((x - t["clamped"]) / np.sqrt(leakage * c_node)), v_on)
    v = np.where(x < t["off"], at(o["i_peak"]) * at(o["r_on"]) * x / max(t["off"], 1e-12) * 0.5,
                 (x - t["off"]) / max(t["risen"] - t["off"], 1e-12) * (v_bus + v_or))
    v = np.where(x >= t["risen"], held, v)
    v = np.where(x >= t["clamped"], falls, v)
    v[-1] = 0.0
    return x, v
