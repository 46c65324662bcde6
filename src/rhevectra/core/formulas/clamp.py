"""The resistor-capacitor-diode clamp, with the node capacitance that must be lifted before it conducts."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

_BALANCE = "charge balance of the clamp capacitor with leakage and node capacitance"


RING_QUALITY = 20.0
"""Quality factor of the leakage ring with the node capacitance (common practice, no source): about ten visible cycles."""


@formula("I_c = max(0, √(max(0, Î_1² − (C_n/L_lk)·(V_x − V_or)²)) − max(0, V_x − V_or)·√(C_n/L_lk)/Q)", "A", "Î_1 C_n L_lk V_x V_or Q",
         "energy: the leakage lifts the node from reflected to clamp voltage; what damps its ring takes its part")
def conduction_current(i_one: Any, c_node: Any, leakage: Any, v_node: Any, v_reflected: Any, quality: Any) -> Any:
    """Leakage current [A] left when the clamp diode begins to conduct at v_node above the bus [V]."""
    lifted = np.sqrt(np.maximum(0.0, np.square(i_one) - (c_node / leakage) * np.square(v_node - v_reflected)))
    return np.maximum(0.0, lifted - np.maximum(0.0, v_node - v_reflected) * np.sqrt(c_node / leakage) / quality)


@formula("t_cl = min(t_off, 2·Q_cl/max(I_c, 0.000001))", "s", "t_off Q_cl I_c",
         "triangle of the leakage current; at light load the core itself feeds the clamp")
def reset_time(t_off: Any, q_clamp: Any, i_clamp: Any) -> Any:
    """Time [s] for the leakage to empty into the clamp, never longer than the discharge."""
    return np.minimum(t_off, 2 * q_clamp / np.maximum(i_clamp, 1e-6))


@formula("Q_cl = C_cl·ΔV_cl", "C", "C_cl ΔV_cl", "in the steady state the clamp takes what its resistor gives away between pulses")
def charge(c: Any, ripple_pp: Any) -> Any:
    """Charge [C] the clamp takes each period."""
    return c * ripple_pp


@formula("Q_cl = ½·L_lk·I_c²/max(1, V_x − V_or)", "C", "L_lk I_c V_x V_or",
         "triangle of the leakage current; against no voltage it would never end, which is refused where it can come about")
def charge_offered(leakage: Any, i_clamp: Any, v_node: Any, v_reflected: Any) -> Any:
    """Charge [C] the leakage brings to a clamp at v_node above the bus."""
    return 0.5 * leakage * np.square(i_clamp) / np.maximum(1.0, v_node - v_reflected)


@formula("I_k = min(I_s + 2·V_or/R_cl, max(0, (P_cl + f_s·(V_fd·Q_cl − ½·L_lk·I_c²))/V_or))", "A",
         "P_cl f_s V_fd Q_cl L_lk I_c V_or I_s R_cl",
         "energy: what the clamp and its diode burn beyond the leakage energy comes out of the core")
def current_from_core(p_clamp: Any, fs: Any, v_diode: Any, q_clamp: Any, leakage: Any, i_clamp: Any, v_reflected: Any, i_secondary: Any,
                      r: Any) -> Any:
    """Average current [A], at the reflected voltage, that the clamp takes away from the output."""
    taken = np.maximum(0.0, (p_clamp + fs * (v_diode * q_clamp - 0.5 * leakage * np.square(i_clamp))) / v_reflected)
    return np.minimum(i_secondary + 2 * v_reflected / r, taken)


@formula("t_d = R_cl·C_cl·ln(max(1, V̂_cl/W))", "s", "R_cl C_cl V̂_cl W", "discharge down to the reflected voltage")
def time_down(r: Any, c: Any, crest: Any, w: Any) -> Any:
    """Time [s] in which the capacitor falls to the voltage at which the secondary holds it."""
    return r * c * np.log(np.maximum(1.0, crest / w))


@formula("P_cl = f_s·(½·C_cl·(V̂_cl² − W²) + W²/R_cl·(t_off − t_d) + ½·C_cl·W²·(1 − exp(−2·(1/f_s − t_off)/(R_cl·C_cl))))", "W",
         "f_s C_cl V̂_cl W R_cl t_off t_d",
         "a capacitor that falls to the reflected voltage is held there as long as the secondary conducts, then it empties")
def power_held(fs: Any, c: Any, crest: Any, w: Any, r: Any, t_off: Any, t_down: Any) -> Any:
    """Power [W] of the clamp resistor where its capacitor is too small to carry it through the discharge."""
    rest = np.exp(-2 * (1 / fs - t_off) / (r * c))
    return fs * (0.5 * c * (np.square(crest) - np.square(w)) + np.square(w) / r * (t_off - t_down) + 0.5 * c * np.square(w) * (1 - rest))


@formula("V_cl = f_s·(R_cl·C_cl·(V̂_cl − W) + W·(t_off − t_d) + R_cl·C_cl·W·(1 − exp(−(1/f_s − t_off)/(R_cl·C_cl))))", "V",
         "f_s R_cl C_cl V̂_cl W t_off t_d", "time average of the same")
def mean_held(fs: Any, r: Any, c: Any, crest: Any, w: Any, t_off: Any, t_down: Any) -> Any:
    """Mean clamp capacitor voltage [V] where the secondary holds it for a while."""
    return fs * (r * c * (crest - w) + w * (t_off - t_down) + r * c * w * (1 - np.exp(-(1 / fs - t_off) / (r * c))))


@formula("P_k = I_k·V_or", "W", "I_k V_or", "while the leakage empties the core's current goes the same way")
def power_stolen(i_core: Any, v_reflected: Any) -> Any:
    """Power [W] the core gives away instead of handing it to the outputs."""
    return i_core * v_reflected


@formula("P = V_fd·Q_cl·f_s", "W", "V_fd Q_cl f_s", "fixed drop times average current")
def diode_loss(v_diode: Any, q_clamp: Any, fs: Any) -> Any:
    """Loss [W] of the clamp diode."""
    return v_diode * q_clamp * fs


@formula("V_x = V_cl + V_fd", "V", "V_cl V_fd", "definition")
def node_voltage(v_clamp: Any, v_diode: Any) -> Any:
    """Node voltage above the bus [V] while the clamp conducts."""
    return v_clamp + v_diode


@formula("e = exp(−1/(R_cl·C_cl·f_s))", "", "R_cl C_cl f_s", "discharge of the clamp capacitor between two pulses")
def decay(r: Any, c: Any, fs: Any) -> Any:
    """Share of its voltage the clamp capacitor keeps from one pulse to the next."""
    return np.exp(-1 / (r * c * fs))


@formula("G = 2·C_cl·(1 − e)/(1 + e)", "F", "C_cl e",
         "charge lost between pulses per volt of the mid value; 1/(R·f) when the period is short")
def charge_per_volt(c: Any, kept: Any) -> Any:
    """Charge [C] the resistor takes between two pulses per volt of the mid of crest and trough."""
    return 2 * c * (1 - kept) / (1 + kept)


@formula("V̂_cl = 2·V_m/(1 + e)", "V", "V_m e", "crest from the mid of crest and trough")
def crest_steady(v_mid: Any, kept: Any) -> Any:
    """Crest [V] where the capacitor stays above the reflected voltage."""
    return 2 * v_mid / (1 + kept)


@formula("V̂_cl = W + Î_1·√(L_lk/C_cl)", "V", "W Î_1 L_lk C_cl",
         "between rare pulses the capacitor falls below the reflected voltage; the core lifts it back, the leakage adds its energy")
def crest_rare(w: Any, i_one: Any, leakage: Any, c: Any) -> Any:
    """Crest [V] where pulses are rare."""
    return w + i_one * np.sqrt(leakage / c)


@formula("V_cl = V̂_cl·(1 − e)·R_cl·C_cl·f_s", "V", "V̂_cl e R_cl C_cl f_s", "time average of the exponential discharge")
def mean_voltage(crest: Any, kept: Any, r: Any, c: Any, fs: Any) -> Any:
    """Mean clamp capacitor voltage [V]."""
    return crest * (1 - kept) * r * c * fs


@formula("V_m = (W·(1 + 2·K·a) + √(W² + 4·K·(1 + K·a)·Î_1²))/(2·(1 + K·a))", "V", "W K a Î_1", _BALANCE)
def voltage(w: Any, k: Any, a: Any, i_one: Any) -> Any:
    """Mid of crest and trough [V]: the positive root of V·(V − W) = K·(Î_1² − a·(V − W)²)."""
    lifted = k * a
    return (w * (1 + 2 * lifted) + np.sqrt(w * w + 4 * k * (1 + lifted) * i_one * i_one)) / (2 * (1 + lifted))


@formula("K = ½·L_lk/G", "Ω²", "L_lk G", _BALANCE)
def strength(leakage: Any, per_volt: Any) -> Any:
    """How strongly leakage energy loads the clamp [V²/A²]."""
    return 0.5 * leakage / per_volt


@formula("W = V_or − V_fd", "V", "V_or V_fd", "definition")
def floor_voltage(v_reflected: Any, v_diode: Any) -> Any:
    """Voltage [V] at which the clamp sits when the leakage brings nothing."""
    return v_reflected - v_diode


@formula("a = C_n/L_lk", "A²/V²", "C_n L_lk", "definition")
def lift(c_node: Any, leakage: Any) -> Any:
    """Square of the current needed per volt of lift [A²/V²]."""
    return c_node / leakage


@formula("R_cl = V_cl/(f_s·Q_cl)", "Ω", "V_cl f_s Q_cl", "the resistor takes what the leakage brings")
def resistor(v_clamp: Any, fs: Any, q_clamp: Any) -> Any:
    """Clamp resistor [Ω] that holds v_clamp."""
    return v_clamp / (fs * q_clamp)


@formula("C_cl = 1/(ρ·R_cl·f_s)", "F", "ρ R_cl f_s", "ripple ratio of an RC discharge over one period")
def capacitor(ripple_ratio: Any, r: Any, fs: Any) -> Any:
    """Clamp capacitor [F] for a peak-to-peak ripple ratio."""
    return 1 / (ripple_ratio * r * fs)


@formula("ΔV_cl = V̂_cl·(1 − e)", "V", "V̂_cl e", "discharge between two pulses")
def ripple(crest: Any, kept: Any) -> Any:
    """Peak-to-peak ripple [V] of the clamp capacitor."""
    return crest * (1 - kept)


@formula("P_cl = ½·C_cl·f_s·V̂_cl²·(1 − e²)", "W", "C_cl f_s V̂_cl e",
         "energy of the capacitor's discharge between two pulses; V²/R when the period is short")
def power(c: Any, fs: Any, crest: Any, kept: Any) -> Any:
    """Power [W] of the clamp resistor."""
    return 0.5 * c * fs * np.square(crest) * (1 - np.square(kept))


@formula("P = ½·C_n·(V_x − V_or)²·f_s", "W", "C_n V_x V_or f_s", "energy left in the node capacitance when the clamp lets go")
def ring_power(c_node: Any, v_node: Any, v_reflected: Any, fs: Any) -> Any:
    """Power [W] of the ringing between leakage and node capacitance."""
    return 0.5 * c_node * np.square(v_node - v_reflected) * fs


@formula("V_cl = k·V_or", "V", "k V_or", "school: a multiple of the reflected voltage (common practice, no source)")
def school_multiple(k: Any, v_reflected: Any) -> Any:
    """Clamp voltage [V] by the multiple school."""
    return k * v_reflected


@formula("V_cl = (d·V_class − V_bus − V_fd)/(1 + ½·ρ)", "V", "d V_class V_bus V_fd ρ",
         "school: what the switch class leaves after derating")
def school_rating(derating: Any, v_class: Any, v_bus: Any, v_diode: Any, ripple_ratio: Any) -> Any:
    """Clamp voltage [V] that the switch rating leaves."""
    return (derating * v_class - v_bus - v_diode) / (1 + 0.5 * ripple_ratio)


@formula("t_rr = min(0.0000005, 0.05/f_s)", "s", "f_s",
         "500 ns at most, and no more than a twentieth of the fastest period (common practice): what is stored rings with the leakage")
def recovery_most(fs: Any) -> Any:
    """Recovery time [s] a clamp diode may have."""
    return np.minimum(500e-9, 0.05 / fs)


@formula("V_R = V_bus + V̂_cl", "V", "V_bus V̂_cl", "the diode's anode is at ground while the switch is on")
def diode_reverse(v_bus: Any, crest: Any) -> Any:
    """Reverse voltage [V] of the clamp diode."""
    return v_bus + crest
