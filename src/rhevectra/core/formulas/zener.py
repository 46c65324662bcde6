"""A clamp of Zener diodes with a resistor in series: the leakage empties against a voltage that its own current lifts."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("t_cl = min(t_off, L_lk/R_z·ln(1 + R_z·I_c/max(0.001, V_x − V_or)))", "s", "t_off L_lk R_z I_c V_x V_or",
         "current of an inductance falling against a constant voltage and a resistor; it never empties against one below the reflected")
def reset_time(t_off: Any, leakage: Any, r: Any, i_clamp: Any, v_node: Any, v_reflected: Any) -> Any:
    """Time [s] for the leakage to empty, never longer than the discharge."""
    return np.minimum(t_off, leakage / r * np.log1p(r * i_clamp / np.maximum(1e-3, v_node - v_reflected)))


@formula("Q_cl = max(0, (L_lk·I_c − (V_x − V_or)·t_cl)/R_z)", "C", "L_lk I_c V_x V_or t_cl R_z",
         "what the inductance gives beyond the constant voltage has dropped across the resistor")
def charge(leakage: Any, i_clamp: Any, v_node: Any, v_reflected: Any, t_reset: Any, r: Any) -> Any:
    """Charge [C] through the clamp each period."""
    return np.maximum(0.0, (leakage * i_clamp - (v_node - v_reflected) * t_reset) / r)


@formula("V_zm = V_z·(1 + δ + α·(T − 25))", "V", "V_z δ α T", "largest Zener voltage of its class, hot")
def largest(v_zener: Any, tolerance: Any, coefficient: Any, temperature: Any) -> Any:
    """Largest Zener voltage [V]: tolerance, temperature coefficient [1/K] at a junction temperature [°C]."""
    return v_zener * (1 + tolerance + coefficient * (temperature - 25))


@formula("V̂_cl = V_zm + R_z·I_c", "V", "V_zm R_z I_c", "largest Zener voltage and the drop of the peak current")
def crest(v_most: Any, r: Any, i_clamp: Any) -> Any:
    """Crest [V] across the clamp."""
    return v_most + r * i_clamp


@formula("P_cl = f_s·(½·L_lk·I_c^2 + (V_or − V_fd)·Q_cl)", "W", "f_s L_lk I_c V_or V_fd Q_cl",
         "energy: of the leakage, and what the core adds while it empties, less the clamp diode's part")
def power(fs: Any, leakage: Any, i_clamp: Any, v_reflected: Any, v_diode: Any, q_clamp: Any) -> Any:
    """Power [W] of Zener diodes and resistor together."""
    return fs * (0.5 * leakage * np.square(i_clamp) + (v_reflected - v_diode) * q_clamp)


@formula("P = f_s·V_z·max(0, Q_cl − Q_c)", "W", "f_s V_z Q_cl Q_c", "what a capacitor across it does not take goes through the diode")
def overflow(fs: Any, v_zener: Any, q_clamp: Any, q_kept: Any) -> Any:
    """Power [W] of Zener diodes across a capacitor that takes q_kept [C] of q_clamp."""
    return fs * v_zener * np.maximum(0.0, q_clamp - q_kept)


@formula("I_k = min(I_s, f_s·Q_cl)", "A", "I_s f_s Q_cl", "the clamp's charge passes the core's winding instead of the output's")
def current_from_core(i_secondary: Any, fs: Any, q_clamp: Any) -> Any:
    """Average current [A], at the reflected voltage, that the clamp takes away from the output."""
    return np.minimum(i_secondary, fs * q_clamp)
