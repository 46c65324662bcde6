"""Control of a resonant stage by charge: what its capacitor reaches, and the divider that tells it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_t = I/(4·f·C_r)", "V", "I f C_r", "charge of half a period takes the capacitor from −V_t to V_t")
def turned_at(i_mean: Any, f: Any, cr: Any) -> Any:
    """Ac voltage [V] of the resonant capacitor where half a period ends, of the mean current in it."""
    return i_mean / (4 * f * cr)


@formula("V_r = V_s·(1 + C_2/C_1)", "V", "V_s C_1 C_2", "capacitive divider")
def before_divider(v_sensed: Any, upper: Any, lower: Any) -> Any:
    """Voltage [V] before a divider of capacitors that gives v_sensed behind it."""
    return v_sensed * (1 + lower / upper)


def divider_below(upper: Any, v_most: Any, v_sensed: Any) -> Any:
    """Lower capacitor [F] of a divider that leaves v_sensed of a voltage, or some of it where that is small."""
    return upper * np.maximum(v_most / v_sensed - 1, 0.1)
