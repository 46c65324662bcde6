"""Three phases that each draw a sine in step with their voltage, into one bus with a mid-point.

Each phase is a boost stage on the half bus its voltage points to; voltages and currents are those between lines and in a line.
Relations by hand from the sums of three sines 120° apart.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.formula import formula

SHIFTS = 2 * np.pi / 3 * np.arange(3)


@formula("V_ph = V_ll/√(3)", "V", "V_ll", "between a line and the star point of balanced mains")
def phase_voltage(v_line: Any) -> Any:
    """Rms voltage [V] of a phase from that between lines."""
    return v_line / np.sqrt(3)


@formula("V_½ = V_b/2", "V", "V_b", "mid-point of the bus")
def half_bus(v_bus: Any) -> Any:
    """Half the bus [V]: what a phase boosts into."""
    return 0.5 * v_bus


@formula("P_1 = P/3", "W", "P", "balanced mains")
def of_phase(power: Any) -> Any:
    """Power [W] of one phase."""
    return power / 3


def phase_powers(power: float, angle: Array, unbalance: float = 0.0) -> Array:
    """Power [W] of each phase at angles [rad] of the first (3, angles); unbalance: share by which the first phase's voltage differs,
    currents alike."""
    share = np.array([1 + unbalance, 1.0, 1.0])[:, None]
    return power / 3 * share * (1 - np.cos(2 * (angle - SHIFTS[:, None])))


@formula("ΔV = u·P/(2·π·f·C·V_b)", "V", "u P f C V_b",
         "balanced sines carry constant power; unbalanced mains, whose negative sequence is the share u, pulsate by it at twice their "
         "frequency")
def unbalance_ripple(unbalance: Any, power: Any, f_line: Any, c: Any, v_bus: Any) -> Any:
    """Ripple [V] of the bus, peak to peak, that unbalanced mains leave."""
    return unbalance * power / (2 * np.pi * f_line * c * v_bus)


@formula("I_3 = 32·P/(15·π·V_b)", "A", "P V_b",
         "third harmonic of the sum of v·|v| of three phases: what the switches draw from the mid-point")
def mid_current(power: Any, v_bus: Any) -> Any:
    """Crest [A] of the current into the mid-point at three times the line frequency."""
    return 32 * power / (15 * np.pi * v_bus)


@formula("ΔV_m = I_3/(6·π·f·C_h)", "V", "I_3 f C_h", "both halves in parallel take the mid-point's current")
def mid_ripple(current: Any, f_line: Any, c_half: Any) -> Any:
    """Ripple [V] of the mid-point, peak to peak; c_half [F] of each half of the bus."""
    return current / (6 * np.pi * f_line * c_half)


@formula("I = I_3/(2·√(2))", "A", "I_3", "each half of the bus takes half of the mid-point's current")
def half_current(current: Any) -> Any:
    """Rms [A] of the line-frequency ripple current in each half of the bus."""
    return current / (2 * np.sqrt(2))


@formula("I = P/(√(3)·V_ll·λ)", "A", "P V_ll λ", "definition of the power factor")
def line_current(power: Any, v_line: Any, factor: Any) -> Any:
    """Current [A rms] in each line."""
    return power / (np.sqrt(3) * v_line * factor)


@formula("P = V_ll·(I_lim − ½·ΔI)/√(2)", "W", "V_ll I_lim ΔI",
         "one phase gone, the other two in series between two lines, their peak at the limit")
def power_without_phase(v_line: Any, i_limit: Any, ripple: Any) -> Any:
    """Power [W] that two phases draw at the current limit."""
    return v_line * (i_limit - 0.5 * ripple) / np.sqrt(2)


@formula("P = min(P_b, P_2)", "W", "P_b P_2", "what is asked, as far as two phases can draw it")
def kept(power: Any, power_two: Any) -> Any:
    """Power [W] that remains with one phase gone."""
    return np.minimum(power, power_two)
