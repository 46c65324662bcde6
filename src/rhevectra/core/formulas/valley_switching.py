"""Turning on in a valley of the free ring: how long the way to it takes, and what rate and inductance follow."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("t_v = π·√(L_p·C_n)", "s", "L_p C_n", "half a period of the free ring of primary inductance and node capacitance")
def half_ring(lp: Any, c_node: Any) -> Any:
    """Time [s] from the empty core to the first valley of the drain voltage."""
    return np.pi * np.sqrt(lp * c_node)


@formula("f_v = min(f_max, 1/(t_m + t_r + t_off + (2·k − 1)·t_v))", "Hz", "f_max t_m t_r t_off k t_v",
         "the period is ramp, rise, discharge and the way to the k-th valley")
def valley_rate(f_max: Any, t_ramp: Any, t_rise: Any, t_off: Any, valley: Any, t_valley: Any) -> Any:
    """Frequency [Hz] of turning on in the k-th valley."""
    return np.minimum(f_max, 1 / (t_ramp + t_rise + t_off + (2 * valley - 1) * t_valley))


def first_valley(f_max: Any, t_busy: Any, t_valley: Any) -> Any:
    """Number of the first valley that a period of at least 1/f_max reaches; t_busy [s] is what ramp, rise and discharge take."""
    return np.maximum(1.0, np.ceil(0.5 * ((1 / f_max - t_busy) / t_valley + 1) - 1e-6))


@formula("L_p = (V_bus·D·(1 − t_v·f_s))²/(2·P·f_s)", "H", "V_bus D t_v f_s P",
         "½·L_p·Î² each period, the ramp taking its share D of what the way to the valley leaves")
def boundary_inductance(v_bus: Any, duty: Any, t_valley: Any, fs: Any, power: Any) -> Any:
    """Primary inductance [H] with which the core empties just before the first valley, at frequency fs."""
    return np.square(v_bus * duty * (1 - t_valley * fs)) / (2 * power * fs)


@formula("f_lim = 1/(L_p·Î_lim/V_bus + L_p·Î_lim/V_or + t_v)", "Hz", "L_p Î_lim V_bus V_or t_v",
         "ramp, discharge and the way to the first valley at the current limit, without drops")
def limit_rate(lp: Any, i_limit: Any, v_bus: Any, v_reflected: Any, t_valley: Any) -> Any:
    """Frequency [Hz] at the current limit."""
    return 1 / (lp * i_limit / v_bus + lp * i_limit / v_reflected + t_valley)
