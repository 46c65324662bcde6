"""A resonant tank on the way up: the current it gives an output below a gain of one while its peak is held, and the time that takes.

Above its resonance the rectifier always conducts, so the tank lies on a square voltage with the reflected output turned against it whenever
its current passes the magnetising current, which is a triangle. In the plane of capacitor voltage and current both intervals of a half
period are arcs; the state at its ends is the negative of each other. Source: the differential equations of that circuit; checked against
the exact tank.
"""

from typing import Any

import numpy as np

from rhevectra.core.formulas import faults
from rhevectra.core.formulas.rectifier import gauss

_NODES, _WEIGHTS = gauss(8)
PASSES = 4
"""The magnetising current follows from the half period, which moves little with it."""
MOST_GAIN = 0.999


def held_current(gain: Any, ratio: Any, peak: Any) -> Any:
    """Mean of the rectified current [1] of a tank held at a peak [1], gain below one, ratio of inductances L_m/L_r; 0 where the magnetising
    current takes the whole peak. Units of the tank: its input voltage, √(L_r/C_r)."""
    m = np.minimum(gain, MOST_GAIN)
    across = 1 - np.square(m)
    half = 2 * np.arctan(peak)  # of an empty output
    charge = 0.0
    for _ in range(PASSES):
        a = np.minimum(m * half / (2 * ratio), peak)
        square = np.square(peak) - np.square(a)
        at_edge = np.sqrt(1 + square / across)
        crest = m * at_edge >= 1  # the current is greatest before the edge
        charge = np.where(crest, np.sqrt(square) + m, at_edge) - 1  # half of the capacitor's swing
        edge = np.sqrt(np.maximum(np.square(charge + 1 - m) + np.square(a) - np.square(m * charge - 1 + m), 0.0))
        driven = np.arctan2(edge, 1 - m - m * charge) + np.arctan2(a, charge + 1 - m)
        against = np.arctan2(edge, m * charge + 1 + m) - np.arctan2(a, charge + 1 + m)
        half = np.maximum(driven + against, 1e-9)
    return np.maximum(2 * charge / half, 0.0)


def on_the_way(gain: Any, ratio: Any, z: Any, v_primary: Any, i_limit: Any, n: Any, i_full: Any) -> tuple[Any, Any]:
    """Output current [A] of one tank at eight shares (8, ...) of the full voltage by Gauss's quadrature, and their weights; gain: at the
    full voltage, n: primary over secondary turns, i_full [A]: what it gives beyond a gain of one."""
    shape = (-1, *[1] * np.ndim(gain * v_primary))
    m = np.reshape(0.5 * (_NODES + 1), shape) * gain
    below = held_current(m, ratio, i_limit * z / v_primary) * v_primary / z * n
    return np.where(m > 1, i_full, below), np.reshape(0.5 * _WEIGHTS, shape)


def start_time(c: Any, v_out: Any, currents: Any, weights: Any, i_load: Any) -> Any:
    """Start-up time [s]: the output's charge over what the load leaves of the currents [A] on the way."""
    return c * v_out * faults.start_time(weights, currents, i_load).sum(0)
