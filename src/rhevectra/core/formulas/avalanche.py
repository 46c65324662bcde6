"""A switch without a clamp: its node rings up with the leakage until the switch breaks down and takes the rest itself."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_x = max(V_br − V_bus, 1.02·V_or)", "V", "V_br V_bus V_or",
         "the switch holds its node at the breakdown voltage; the max binds only where the reflected voltage alone breaks it down, which "
         "its peak voltage refuses")
def level(v_breakdown: Any, v_bus: Any, v_reflected: Any) -> Any:
    """Node voltage above the bus [V] at which the switch breaks down."""
    return np.maximum(v_breakdown - v_bus, 1.02 * v_reflected)


@formula("V_r = V_or + Î_1·√(L_lk/C_n)", "V", "V_or Î_1 L_lk C_n", "energy: all of the leakage's goes into the node capacitance")
def ring_peak(v_reflected: Any, i_one: Any, leakage: Any, c_node: Any) -> Any:
    """Node voltage above the bus [V] that the ring would reach with nothing in its way."""
    return v_reflected + i_one * np.sqrt(leakage / c_node)


@formula("V_n = min(V_x, V_r)", "V", "V_x V_r", "whichever comes first")
def node_peak(v_level: Any, v_free: Any) -> Any:
    """Largest node voltage above the bus [V]."""
    return np.minimum(v_level, v_free)


@formula("E_av = (V_bus + V_x)·Q_cl", "J", "V_bus V_x Q_cl",
         "charge through the switch at its breakdown voltage: the leakage's energy, and what core and bus add to it")
def energy(v_bus: Any, v_level: Any, q_clamp: Any) -> Any:
    """Energy [J] the switch takes in each pulse."""
    return (v_bus + v_level) * q_clamp


@formula("P = f_s·V_bus·(Q_b + Q_cl)", "W", "f_s V_bus Q_b Q_cl", "the charge of the breakdown comes from the bus as well")
def bus_power(fs: Any, v_bus: Any, q_bus: Any, q_clamp: Any) -> Any:
    """Power [W] drawn from the bus."""
    return fs * v_bus * (q_bus + q_clamp)
