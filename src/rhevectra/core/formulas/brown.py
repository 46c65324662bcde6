"""Brown-out and brown-in: between which voltages of its bus a supply runs, and the divider that tells it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_x = V·(1 + t)", "V", "V t", "upper end of a tolerance")
def upper(volts: Any, tolerance: Any) -> Any:
    """The highest a threshold [V] may lie."""
    return volts * (1 + tolerance)


@formula("V_x = V·(1 − t)", "V", "V t", "lower end of a tolerance")
def lower(volts: Any, tolerance: Any) -> Any:
    """The lowest a threshold [V] may lie."""
    return volts * (1 - tolerance)


@formula("V_c = √(V_x² + V̂² − V_v²)", "V", "V_x V̂ V_v",
         "the energy a half cycle takes from the capacitor stays the same: what a full load has drained comes back once it is let go")
def crest_again(v_out: Any, crest: Any, valley: Any) -> Any:
    """Crest [V] the bus returns to when a load has been let go at v_out; crest, valley: of the same load at another line [V]."""
    return np.sqrt(np.square(v_out) + np.square(crest) - np.square(valley))


@formula("V_set = V_p·(1 + R_hi/R_lo)", "V", "V_p R_hi R_lo", "Kirchhoff at the pin")
def threshold(v_pin: Any, r_high: Any, r_low: Any) -> Any:
    """Bus [V] at which a divider of r_high over r_low [Ω] meets the threshold of the pin."""
    return v_pin * (1 + r_high / r_low)


@formula("I_h = (V_in − V_x)/R_hi", "A", "V_in V_x R_hi", "the current the pin draws while the supply stands still moves its threshold")
def hysteresis(v_in: Any, v_out: Any, r_high: Any) -> Any:
    """Current [A] into the pin that lifts the threshold from v_out to v_in [V]."""
    return (v_in - v_out) / r_high
