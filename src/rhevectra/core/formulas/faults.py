"""A flyback outside its steady period: a short at the output or in the rectifier, start-up into full load."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("I_w = (V_bus·t_b/(1/f_sc − t_b)/n − V_f)/(n·R)", "A", "V_bus t_b f_sc n V_f R", "volt-seconds of the least pulse against those the shorted rectifier takes back, seen from the primary")
def short_balance(v_bus: Any, t_least: Any, f_short: Any, ratio: Any, v_forward: Any, r: Any) -> Any:
    """Core current [A] at which a shorted output takes back what the least pulse adds; negative where a diode drop suffices."""
    return (v_bus * t_least / (1 / f_short - t_least) / ratio - v_forward) / (ratio * r)


@formula("Î_sc = max(Î_lim, I_w + ½·V_bus·t_b/L_p)", "A", "Î_lim I_w V_bus t_b L_p", "the current limit holds unless the least pulse walks the current up")
def short_peak(i_limit: Any, i_balance: Any, v_bus: Any, t_least: Any, lp: Any) -> Any:
    """Peak current [A] into a short."""
    return np.maximum(i_limit, i_balance + 0.5 * v_bus * t_least / lp)


@formula("I_k = I_m − (Î_lim − I_min)·f_s·t_off", "A", "I_m Î_lim I_min f_s t_off", "a lower peak takes its difference over the discharge away (exact in continuous, a lower bound in discontinuous conduction)")
def current_at_least_limit(i_mean: Any, limit_worst: Any, limit_least: Any, fs: Any, t_off: Any) -> Any:
    """Average current [A] the core gives at the least current limit."""
    return i_mean - (limit_worst - limit_least) * fs * t_off


@formula("I_k = I_m·I_min/Î_lim", "A", "I_m Î_lim I_min", "at the boundary of conduction the average goes with the peak (a lower bound: the way to the valley takes a larger share of a shorter period)")
def current_in_proportion(i_mean: Any, limit_worst: Any, limit_least: Any) -> Any:
    """Average current [A] the core gives at the least current limit, valley switching."""
    return i_mean * limit_least / limit_worst


@formula("t_su = Q_o/max(I_k − I_s, 0.001·I_s)", "s", "Q_o I_k I_s", "charge of the output capacitors at the current limit, the load already taking its full current")
def start_time(charge: Any, i_least: Any, i_load: Any) -> Any:
    """Start-up time [s]; a thousandth of the current is left where the load takes it all, which is a finding of its own."""
    return charge / np.maximum(i_least - i_load, 1e-3 * i_load)


@formula("Q = C·V·N_s/N_p", "C", "C V N_s N_p", "charge of an output capacitor seen from the primary")
def reflected_charge(c: Any, v: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Charge [C] of an output's capacitors seen from the primary."""
    return c * v * turns_secondary / turns_primary


@formula("C_su = I_cc·t_su/ΔV", "F", "I_cc t_su ΔV", "the supply capacitor feeds the controller until the auxiliary winding takes over")
def supply_capacitor(i_supply: Any, t_start: Any, hysteresis: Any) -> Any:
    """Least supply capacitor [F]."""
    return i_supply * t_start / hysteresis


@formula("I_x = (V_bus + V_or)·t/L_lk", "A", "V_bus V_or t L_lk", "bus and the output's voltage, which a shorted rectifier turns against it, across the leakage alone (resistances left out: upper bound)")
def fault_current(v_bus: Any, v_reflected: Any, t_least: Any, leakage: Any) -> Any:
    """Switch current [A] at the end of the least pulse where the main rectifier is shorted."""
    return (v_bus + v_reflected) * t_least / leakage
