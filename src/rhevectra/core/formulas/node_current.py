"""What the capacitance of the switching node takes through the primary of a flyback: to rise, and to ring with leakage and core."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

_PIECES = "rms of pieces that follow each other"


@formula("I_n = √(f_s·C_n·(V_bus + V_or)·√(max(0, Î² + (C_n/L_p)·(2·V_bus² + V_bus·V_or − V_or²)/3)))", "A", "f_s C_n V_bus V_or Î L_p",
         "i² dt is i dQ of the node; i² by the node's energy, in the mean over its way from ground to V_bus + V_or")
def rise_rms(fs: Any, c_node: Any, v_bus: Any, v_reflected: Any, i_peak: Any, lp: Any) -> Any:
    """Rms [A] of what flows through the primary while the node rises and the switch is open already."""
    way = (2 * np.square(v_bus) + v_bus * v_reflected - np.square(v_reflected)) / 3
    return np.sqrt(fs * c_node * (v_bus + v_reflected) * np.sqrt(np.maximum(0.0, np.square(i_peak) + c_node / lp * way)))


@formula("I_r = √(½·f_s·max(0, Î_1² − I_c²)·Q·√(L_lk·C_n)·(1 − exp(−t_off/(Q·√(L_lk·C_n)))))", "A", "f_s Î_1 I_c L_lk C_n Q t_off",
         "what of the leakage's current lifted the node swings on once the clamp has let go, as a sine of decaying height")
def leakage_ring_rms(fs: Any, i_one: Any, i_clamp: Any, leakage: Any, c_node: Any, quality: Any, t_off: Any) -> Any:
    """Rms [A] of what the leakage rings with through the primary while the secondary conducts."""
    turn = quality * np.sqrt(leakage * c_node)
    return np.sqrt(0.5 * fs * np.maximum(0.0, np.square(i_one) - np.square(i_clamp)) * turn * (1 - np.exp(-t_off / turn)))


@formula("I_f = V_or·√(½·f_s·(C_n/L_p)·τ·tanh(t_i/τ)/(1 + tanh(t_i/τ)))", "A", "V_or f_s C_n L_p τ t_i",
         "free ring around the bus, its squared sine of decaying height in the mean over whole turns")
def free_ring_rms(v_reflected: Any, fs: Any, c_node: Any, lp: Any, tau: Any, t_idle: Any) -> Any:
    """Rms [A] of what swings through the primary while nothing conducts."""
    bent = np.tanh(t_idle / tau)
    return v_reflected * np.sqrt(0.5 * fs * c_node / lp * tau * bent / (1 + bent))


@formula("I_d = √(I_sw² + I_n²)", "A", "I_sw I_n", _PIECES)
def pulse_rms(i_switch: Any, i_rise: Any) -> Any:
    """Rms [A] of a pulse from the bus: through the switch, and into the node once that is open."""
    return np.sqrt(np.square(i_switch) + np.square(i_rise))


@formula("I = √(I_1² + I_r² + I_f²)", "A", "I_1 I_r I_f", _PIECES)
def with_rings(current: Any, i_ring: Any, i_free: Any) -> Any:
    """Rms [A] of a current with the two rings of the node."""
    return np.sqrt(np.square(current) + np.square(i_ring) + np.square(i_free))
