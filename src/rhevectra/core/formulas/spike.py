"""The spike of a tapped primary: what the leakage between its halves drives into a clamp from both switches to the input.

When a switch opens, the other half hands the flux's current back to the input and holds the open switch at twice the input; only the
leakage between the halves goes on, lifts the node and then empties into the clamp's capacitor, whose resistor leads back to the input. When the other switch turns on, the
open one's node swings from the input to twice the input through that same leakage, and its overshoot empties there too.
Source: energy and charge balance of that circuit, checked against a circuit simulator on the exported netlist.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("L_h = s·L_lk", "H", "s L_lk", "bifilar halves leave a share of the leakage to the secondary between them")
def between_halves(share: Any, leakage: Any) -> Any:
    """Leakage inductance [H] of one half towards the other."""
    return share * leakage


@formula("I_h = √(max(0, Î² − 2·C_n·V_bus²/L_lk))", "A", "Î C_n V_bus L_lk", "both nodes move on by the input voltage on the leakage's energy before the other half takes over")
def left_current(i_peak: Any, c_node: Any, v_bus: Any, leakage: Any) -> Any:
    """Current [A] of the opened half when its node has reached twice the input."""
    return np.sqrt(np.maximum(0.0, np.square(i_peak) - 2 * c_node * np.square(v_bus) / leakage))


@formula("V_s = V_bus·(1 + exp(−max(0, 1/f_p − t_on)/(2·Q·√(L_lk·C_p))))", "V", "V_bus f_p t_on Q L_lk C_p", "the node rests at the input, and what is left of its ring with the leakage may stand at its worst when the other switch turns on")
def swing(v_bus: Any, fs: Any, t_on: Any, quality: Any, leakage: Any, c_primary: Any) -> Any:
    """Voltage [V] by which the open switch's node swings up to twice the input."""
    return v_bus * (1 + np.exp(-np.maximum(0.0, 1 / fs - t_on) / (2 * quality * np.sqrt(leakage * c_primary))))


@formula("u = (√(V_bus² + 2·(1 + R·f_p·C_n)·R·f_p·(L_h·I_h² + C_n·V_s²)) − V_bus)/(2·(1 + R·f_p·C_n))", "V", "V_bus R f_p C_n L_h I_h V_s",
         "what drives charge in, less what lifts the node, equals what the resistor leads away: the leakage's current at turn-off, and the overshoot of the open switch's node when the other one turns on")
def excess(v_bus: Any, r: Any, fs: Any, c_node: Any, l_half: Any, i_left: Any, v_swing: Any) -> Any:
    """Voltage [V] of the clamp above twice the input; fs is the pulse rate."""
    a = 1 + r * fs * c_node
    return (np.sqrt(np.square(v_bus) + 2 * a * r * fs * (l_half * np.square(i_left) + c_node * np.square(v_swing))) - v_bus) / (2 * a)


@formula("R = u·(V_bus + u)/(f_p·½·(L_h·I_h² + C_n·max(0, V_s² − 2·u²)))", "Ω", "u V_bus f_p L_h I_h C_n V_s", "the same solved for the resistor")
def resistor(excess: Any, v_bus: Any, fs: Any, l_half: Any, i_left: Any, c_node: Any, v_swing: Any) -> Any:
    """Resistor [Ω] that keeps the excess."""
    energy = l_half * np.square(i_left) + c_node * np.maximum(0.0, np.square(v_swing) - 2 * np.square(excess))
    return excess * (v_bus + excess) / (fs * 0.5 * energy)


@formula("P = (V_bus + u)²/R", "W", "V_bus u R", "the resistor lies between clamp and input")
def power(v_bus: Any, excess: Any, r: Any) -> Any:
    """Power [W] in the clamp's resistor."""
    return np.square(v_bus + excess) / r


@formula("V̂ = 2·V_bus + u + V_f", "V", "V_bus u V_f", "twice the input by the other half, and the clamp's excess")
def switch_peak(v_bus: Any, excess: Any, v_forward: Any) -> Any:
    """Largest voltage [V] across a switch of a tapped primary."""
    return 2 * v_bus + excess + v_forward


@formula("ΔV = (V_bus + u)/(R·f_p·C)", "V", "V_bus u R f_p C", "the resistor's charge between two pulses")
def ripple(v_bus: Any, excess: Any, r: Any, fs: Any, c: Any) -> Any:
    """Ripple [V] on the clamp's capacitor."""
    return (v_bus + excess) / (r * fs * c)
