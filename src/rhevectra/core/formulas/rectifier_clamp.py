"""A clamp at the rectifiers of a stage whose series inductance drives their ring: diode and capacitor hold the node, a resistor leads what
arrives to the output.

When a pulse begins the inductance charges the blocking rectifiers' capacitance from the winding's step; undamped the node would reach twice
the step. At the clamp's voltage the current that is left goes into the clamp until it is used up against what the clamp stands above the
step. The charge of a pulse does not depend on the inductance. Source: energy and charge balance of that circuit; checked against
step-by-step integration and the engine.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

_BALANCE = "charge of a pulse against what the resistor leads to the output"


@formula("Q = ½·C·V_n·max(0, 2·V_2 − V_n)/max(0.02·V_2, V_n − V_2)", "C", "C V_n V_2",
         "what the inductance holds when the node has reached the clamp, spent against clamp less step")
def charge(c: Any, v_node: Any, v_step: Any) -> Any:
    """Charge [C] a pulse brings to a clamp that holds the node at v_node."""
    return 0.5 * c * v_node * np.maximum(0.0, 2 * v_step - v_node) / np.maximum(0.02 * v_step, v_node - v_step)


@formula("k = ½·f_p·R·C", "", "f_p R C", "definition")
def strength(rate: Any, r: Any, c: Any) -> Any:
    """How strongly the rectifiers' capacitance drives the clamp; rate: pulses [Hz]."""
    return 0.5 * rate * r * c


@formula("V_n = (V_o + V_f + V_2·(1 + 2·k) + √(max(0, (V_o + V_f + V_2·(1 + 2·k))² − 4·(1 + k)·(V_o + V_f)·V_2)))/(2·(1 + k))", "V",
         "V_o V_f V_2 k", _BALANCE)
def node_voltage(v_out: Any, v_forward: Any, v_step: Any, k: Any) -> Any:
    """Voltage [V] the clamp holds the node at, its diode's drop with it."""
    low = v_out + v_forward
    b = low + v_step * (1 + 2 * k)
    return (b + np.sqrt(np.maximum(0.0, np.square(b) - 4 * (1 + k) * low * v_step))) / (2 * (1 + k))


@formula("V_c = V_n − V_f", "V", "V_n V_f", "the diode's drop")
def voltage(v_node: Any, v_forward: Any) -> Any:
    """Voltage [V] of the clamp's capacitor."""
    return v_node - v_forward


@formula("R = (V_c − V_o)/(f_p·Q)", "Ω", "V_c V_o f_p Q", _BALANCE)
def resistor(v_clamp: Any, v_out: Any, rate: Any, charge: Any) -> Any:
    """Resistor [Ω] for a clamp voltage."""
    return (v_clamp - v_out) / (rate * charge)


@formula("P = f_p·Q·(V_c − V_o)", "W", "f_p Q V_c V_o", "the charge falls from the clamp to the output")
def resistor_power(rate: Any, charge: Any, v_clamp: Any, v_out: Any) -> Any:
    """Power [W] of the resistor; the rest of what the clamp takes reaches the output."""
    return rate * charge * (v_clamp - v_out)


@formula("P = f_p·Q·V_f", "W", "f_p Q V_f", "fixed drop times average current")
def diode_loss(rate: Any, charge: Any, v_forward: Any) -> Any:
    """Loss [W] of the clamp's diode."""
    return rate * charge * v_forward


@formula("P = ½·C·(V_n − V_2)²·f_p", "W", "C V_n V_2 f_p", "the ring that is left around the step when the clamp lets go")
def ring_power(c: Any, v_node: Any, v_step: Any, rate: Any) -> Any:
    """Power [W] of the ring the clamp leaves."""
    return 0.5 * c * np.square(v_node - v_step) * rate


@formula("V_2 = V_R/n", "V", "V_R n", "a rectifier of a tap blocks both halves")
def node_step(v_reverse: Any, halves: Any) -> Any:
    """Step [V] of the clamped node for what a rectifier blocks without ringing."""
    return v_reverse / halves


@formula("V_R = n·V_n", "V", "n V_n", "a rectifier of a tap blocks both halves")
def reverse(halves: Any, v_node: Any) -> Any:
    """Reverse voltage [V] of a clamped rectifier."""
    return halves * v_node
