"""The period of a step-down converter without a transformer, from a high bus: a short pulse, a long freewheeling time.

Source of all relations: volt-second and charge balance of switch, diode and inductor with resistances taken at the mean current of their
interval; checked against a circuit simulator on the exported netlist. What it shares with the forward stands in `forward.py`.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_u = max(0.05·V_o, V_bus − V_o − (R_sw + R_L)·I_m)", "V", "V_o V_bus R_sw R_L I_m",
         "volt-second balance; the max binds only where the bus is not above the output, which the duty figure refuses")
def voltage_up(v_out: Any, v_bus: Any, r_switch: Any, r_inductor: Any, i_mid: Any) -> Any:
    """Voltage [V] across the inductor while the switch is on."""
    return np.maximum(0.05 * v_out, v_bus - v_out - (r_switch + r_inductor) * i_mid)


@formula("L = (V_o + V_f)·(1 − (V_o + V_f)/V_bus)/(f_s·k·I_o)", "H", "V_o V_f V_bus f_s k I_o", "ripple ratio k of the output current")
def inductance(v_out: Any, v_forward: Any, v_bus: Any, fs: Any, ripple_ratio: Any, i_out: Any) -> Any:
    """Inductance [H] for a peak-to-peak ripple of ripple_ratio times the output current."""
    return (v_out + v_forward) * (1 - (v_out + v_forward) / v_bus) / (fs * ripple_ratio * i_out)


@formula("Î_lim = I_lim·(1 + δ) + V_u·t_d/L", "A", "I_lim δ V_u t_d L", "the current runs on during the propagation delay")
def limit_current(i_limit: Any, tolerance: Any, v_up: Any, t_delay: Any, inductance: Any) -> Any:
    """Largest switch current [A] the current limit lets pass."""
    return i_limit * (1 + tolerance) + v_up * t_delay / inductance


@formula("P = f_s·V_bus·½·(I_v + Î)·t_e + P_c + P_n + P_off", "W", "f_s V_bus I_v Î t_e P_c P_n P_off",
         "charge drawn from the bus; core, controller, node, recovery and turn-off losses come on top")
def bus_power(fs: Any, v_bus: Any, i_valley: Any, i_crest: Any, t_feeding: Any, p_core: Any, p_node: Any, p_off: Any) -> Any:
    """Power [W] drawn from the bus."""
    return fs * v_bus * 0.5 * (i_valley + i_crest) * t_feeding + p_core + p_node + p_off


@formula("P = ½·I_v·t_rr·V_bus·f_s", "W", "I_v t_rr V_bus f_s",
         "charge of a recovery that lasts t_rr and rises to the current turned off (common practice, no source)")
def recovery_loss(i_valley: Any, t_recovery: Any, v_bus: Any, fs: Any) -> Any:
    """Loss [W] the diode's recovery puts into the switch."""
    return 0.5 * i_valley * t_recovery * v_bus * fs


@formula("P = f_s·(t_e·(R_sw + R_L) + t_d·(r_d + R_L))·ΔI²/12", "W", "f_s t_e R_sw R_L t_d r_d ΔI",
         "a ramp heats more than its mean does; straight ramps leave that out of the charge drawn")
def ramp_loss(fs: Any, t_feeding: Any, r_switch: Any, r_inductor: Any, t_freewheeling: Any, r_diode: Any, ripple: Any) -> Any:
    """What the ripple heats [W] beyond its mean."""
    return fs * (t_feeding * (r_switch + r_inductor) + t_freewheeling * (r_diode + r_inductor)) * np.square(ripple) / 12


@formula("I_d = √(f_s·t_d·(I_v² + I_v·Î + Î²)/3)", "A", "f_s t_d I_v Î", "rms of linear pieces")
def diode_rms(fs: Any, t_freewheeling: Any, i_valley: Any, i_crest: Any) -> Any:
    """Rms current [A] of the diode."""
    return np.sqrt(fs * t_freewheeling * (np.square(i_valley) + i_valley * i_crest + np.square(i_crest)) / 3)


@formula("I = ½·f_s·t_d·(I_v + Î)", "A", "f_s t_d I_v Î", "area of linear pieces")
def diode_average(fs: Any, t_freewheeling: Any, i_valley: Any, i_crest: Any) -> Any:
    """Average current [A] of the diode."""
    return 0.5 * fs * t_freewheeling * (i_valley + i_crest)


@formula("V_R = (1 + a)·V_bus", "V", "a V_bus", "ringing allowance a stated (common practice)")
def diode_reverse(allowance: Any, v_bus: Any) -> Any:
    """Reverse voltage [V] of the diode with its ringing allowance."""
    return (1 + allowance) * v_bus


@formula("I_o = max(0.000001, Î_lim − ½·ΔI)", "A", "Î_lim ΔI", "mean of the current whose crest trips the limit, continuous conduction")
def current_at_limit(i_limit: Any, ripple: Any) -> Any:
    """Output current [A] at which the current limit holds."""
    return np.maximum(1e-6, i_limit - 0.5 * ripple)


@formula("I_w = (V_bus·t_b·f_sc − V_f)/(R + R_sw·t_b·f_sc)", "A", "V_bus t_b f_sc V_f R R_sw",
         "volt-seconds of the least pulse against drop and resistance for the whole period, and the switch while it is on")
def short_balance(v_bus: Any, t_least: Any, f_short: Any, v_forward: Any, r: Any, r_switch: Any) -> Any:
    """Current [A] at which a shorted output takes back what the least pulse adds; negative where a diode drop suffices."""
    return (v_bus * t_least * f_short - v_forward) / (r + r_switch * t_least * f_short)
