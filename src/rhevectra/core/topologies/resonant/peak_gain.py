"""How much a resonant tank can be loaded for the gain it must give: exact, for the lossless tank in its own units.

Each number is the greatest output current, times the characteristic impedance over the voltage across the tank, at which the exact gain
still reaches a value somewhere below the resonance while the tank current turns its sign later than LAG after the edge: time for the nodes
to swing. Worked out with the exact period of `tank.py` on a fine grid of frequencies; the tests do it anew. The first harmonic knows
nothing of the lag, and at small ratios finds half the gain.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array

LAG = 0.25
"""Time the tank current lags at least, in units of √(L_r·C_r): 0.4 µs at 100 kHz."""
RATIOS = (1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0, 10.0, 12.0, 14.0, 20.0)
GAINS = (1.02, 1.05, 1.1, 1.15, 1.2, 1.3, 1.4, 1.5, 1.75, 2.0, 2.5, 3.0, 4.0, 6.0)
_LOGS = np.log((
    (2.253, 2.047, 1.871, 1.766, 1.675, 1.554, 1.449, 1.372, 1.241, 1.145, 1.032, 0.966, 0.887, 0.819),
    (1.782, 1.676, 1.555, 1.464, 1.387, 1.272, 1.178, 1.113, 0.990, 0.919, 0.828, 0.780, 0.717, 0.665),
    (1.491, 1.411, 1.305, 1.225, 1.149, 1.050, 0.977, 0.920, 0.824, 0.765, 0.697, 0.654, 0.611, 0.570),
    (1.230, 1.188, 1.101, 1.029, 0.977, 0.889, 0.823, 0.776, 0.700, 0.655, 0.600, 0.568, 0.530, 0.502),
    (0.941, 0.892, 0.833, 0.786, 0.747, 0.681, 0.638, 0.606, 0.547, 0.516, 0.476, 0.457, 0.433, 0.408),
    (0.744, 0.722, 0.675, 0.640, 0.606, 0.559, 0.524, 0.497, 0.459, 0.433, 0.404, 0.388, 0.369, 0.354),
    (0.633, 0.604, 0.568, 0.539, 0.516, 0.478, 0.447, 0.428, 0.395, 0.375, 0.352, 0.340, 0.326, 0.310),
    (0.544, 0.523, 0.491, 0.467, 0.447, 0.416, 0.393, 0.376, 0.348, 0.332, 0.313, 0.304, 0.295, 0.283),
    (0.473, 0.461, 0.436, 0.414, 0.397, 0.369, 0.351, 0.336, 0.315, 0.301, 0.286, 0.277, 0.268, 0.260),
    (0.384, 0.372, 0.354, 0.339, 0.326, 0.306, 0.292, 0.281, 0.265, 0.255, 0.244, 0.239, 0.232, 0.226),
    (0.316, 0.314, 0.301, 0.288, 0.278, 0.262, 0.250, 0.243, 0.230, 0.222, 0.215, 0.211, 0.208, 0.203),
    (0.272, 0.271, 0.260, 0.251, 0.243, 0.230, 0.221, 0.215, 0.205, 0.200, 0.195, 0.191, 0.188, 0.184),
    (0.191, 0.191, 0.189, 0.183, 0.178, 0.171, 0.166, 0.163, 0.159, 0.156, 0.154, 0.153, 0.152, 0.149)))
"""Logarithm of the load of the tank (ratios, gains) [1]."""

_AXES = np.log(RATIOS), np.log(GAINS)


def _between(axis: Array, value: Any) -> tuple[Any, Any]:
    """Which of the tabulated logarithms lies below a value, and how far on the way to the next it is; beyond the table as at its end."""
    x = np.log(value)
    at = np.clip(np.searchsorted(axis, x) - 1, 0, len(axis) - 2)
    return at, np.clip((x - axis[at]) / (axis[at + 1] - axis[at]), 0.0, 1.0)


def most_load(ratio: Any, gain: Any) -> Any:
    """Greatest load at a ratio of inductances L_m/L_r and a gain, between the tabulated ones by their logarithms; beyond the table as at
    its end, in proportion."""
    (i, a), (j, b) = _between(_AXES[0], ratio), _between(_AXES[1], gain)
    within = np.exp((1 - a) * ((1 - b) * _LOGS[i, j] + b * _LOGS[i, j + 1]) + a * ((1 - b) * _LOGS[i + 1, j] + b * _LOGS[i + 1, j + 1]))
    return within * np.minimum(1.0, GAINS[-1] / np.asarray(gain)) * np.minimum(1.0, RATIOS[-1] / np.asarray(ratio))
