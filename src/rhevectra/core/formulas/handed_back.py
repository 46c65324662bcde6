"""Leakage energy that diodes hand back to the bus instead of a clamp burning it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_x = V_bus + 2·V_fd", "V", "V_bus V_fd", "both diodes conduct: the primary lies against the bus")
def held_voltage(v_bus: Any, v_diode: Any) -> Any:
    """Voltage [V] across the primary while the leakage empties."""
    return v_bus + 2 * v_diode


@formula("Q_k = ½·L_lk·I_c²/max(0.05·V_x, V_x − V_or)", "C", "L_lk I_c V_x V_or",
         "triangle of the leakage current; a reflected voltage near the bus is refused by a figure of its own and drawn with a twentieth "
         "of it left")
def charge_back(leakage: Any, i_peak: Any, v_node: Any, v_reflected: Any) -> Any:
    """Charge [C] the leakage brings back to the bus each period."""
    return 0.5 * leakage * np.square(i_peak) / np.maximum(0.05 * v_node, v_node - v_reflected)


@formula("I_k = min(I_s, f_s·Q_k)", "A", "I_s f_s Q_k",
         "the leakage current passes through the core's discharge as well: it never reaches the outputs")
def current_past_outputs(i_secondary: Any, fs: Any, charge: Any) -> Any:
    """Average current [A], at the reflected voltage, that does not reach the outputs."""
    return np.minimum(i_secondary, fs * charge)


@formula("P = f_s·V_bus·(Q_b − Q_k)", "W", "f_s V_bus Q_b Q_k", "charge drawn less charge handed back")
def bus_power(fs: Any, v_bus: Any, q_bus: Any, charge: Any) -> Any:
    """Power [W] drawn from the bus."""
    return fs * v_bus * (q_bus - charge)


@formula("P = f_s·V_bus·Q_k", "W", "f_s V_bus Q_k", "definition")
def power_back(fs: Any, v_bus: Any, charge: Any) -> Any:
    """Power [W] handed back to the bus."""
    return fs * v_bus * charge


@formula("P = 2·V_fd·Q_k·f_s", "W", "V_fd Q_k f_s", "fixed drops times average current")
def diodes_loss(v_diode: Any, charge: Any, fs: Any) -> Any:
    """Loss [W] of both diodes."""
    return 2 * v_diode * charge * fs


@formula("P = f_s·min(½·C_n·(V_x − V_or)², ½·L_lk·Î_1²)", "W", "f_s C_n V_x V_or L_lk Î_1",
         "what is left in the node capacitance rings away with the leakage; never more than the leakage had")
def ring_power(fs: Any, c_node: Any, v_node: Any, v_reflected: Any, leakage: Any, i_one: Any) -> Any:
    """Power [W] of the ringing between leakage and node capacitance."""
    return fs * np.minimum(0.5 * c_node * np.square(v_node - v_reflected), 0.5 * leakage * np.square(i_one))


@formula("x = V_or/V_bus", "", "V_or V_bus", "definition")
def reflected_share(v_reflected: Any, v_bus: Any) -> Any:
    """Reflected voltage over bus: near one the leakage takes as long as the core to empty."""
    return v_reflected / v_bus
