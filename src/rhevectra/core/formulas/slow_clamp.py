"""A clamp whose slow diode hands part of the leakage's charge back before it blocks.

Forward, the leakage current falls through the diode and its series resistor against V_d; what flows is stored, less what
recombines in the lifetime of the charge; then the current goes on falling below zero until the store is empty (the lumped
charge model of a diode, textbooks, from memory). Two numbers tell how much returns: how long the current falls over the
lifetime, and how much of the voltage the resistor takes.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

_TRIANGLES = "triangles of the leakage current, bent by the resistor (first order)"


@formula("τ = t_rr/0.405465", "s", "t_rr",
         "customary test: from 0.5 A with 1 A back the store is swept out in ln 1.5 lifetimes (from memory)")
def lifetime(recovery: Any) -> Any:
    """Lifetime of the stored charge [s] from the recovery time of the customary test."""
    return recovery / 0.405465


@formula("V_d = max(1, V_x − V_or)", "V", "V_x V_or", "what drives the leakage current down")
def drive(v_node: Any, v_reflected: Any) -> Any:
    """Voltage across the leakage [V] while the clamp conducts."""
    return np.maximum(1.0, v_node - v_reflected)


@formula("ε = ½·L_lk·I_c/τ·(1/V_d + 1/max(0.05·V_d, V_d − V_fd))", "", "L_lk I_c τ V_d V_fd",
         "mean of forward and back: a flooded diode drops nothing, so what drives the current back is less by its drop")
def fall_over_life(leakage: Any, i_clamp: Any, life: Any, v_drive: Any, v_diode: Any) -> Any:
    """Time in which the leakage current falls over the lifetime of the stored charge."""
    return 0.5 * leakage * i_clamp / life * (1 / v_drive + 1 / np.maximum(0.05 * v_drive, v_drive - v_diode))


@formula("δ = min(2.5, R·I_c/V_d)", "", "R I_c V_d", "definition; beyond it nothing turns round")
def resistor_share(r: Any, i_clamp: Any, v_drive: Any) -> Any:
    """Voltage of the loop's resistance over what drives the current down."""
    return np.minimum(2.5, r * i_clamp / v_drive)


@formula("r = 1/((1 + 2·ε/3 + 0.08·ε²/(3 + 0.24·ε))·(1 + 2·δ/(3 + 2.5·ε)))", "", "ε δ",
         "the charge model solved, and fitted: within 1 % up to ε = 2 and δ = 0.4, 4 % up to δ = 1.7")
def turned_back(fall: Any, share: Any) -> Any:
    """Current at which the diode lets go, backwards, over that at which it began."""
    return 1 / ((1 + 2 * fall / 3 + 0.08 * fall * fall / (3 + 0.24 * fall)) * (1 + 2 * share / (3 + 2.5 * fall)))


@formula("r_2 = 1/((1 + 2·ε·x/3 + 0.08·(ε·x)²/(3 + 0.24·ε·x))·(1 + 2·δ·x/(3 + 2.5·ε·x)))", "", "ε δ x",
         "the same for the current that comes again")
def turned_back_again(fall: Any, share: Any, again: Any) -> Any:
    """The same ratio for the current that the ring brings a second time."""
    return turned_back(fall * again, share * again)


@formula("m = 1/(1 + 2·δ/3) − r²/(1 − 2·δ·r/3)", "", "δ r", _TRIANGLES)
def staying(share: Any, back: Any) -> Any:
    """Part of the leakage's charge (without resistor) that stays in the clamp."""
    return 1 / (1 + 2 * share / 3) - back * back / (1 - 2 * share * back / 3)


@formula("K_m = m·K", "Ω²", "m K", "only what stays loads the clamp")
def strength_left(stays: Any, strength: Any) -> Any:
    """How strongly the charge that stays loads the clamp [V²/A²]."""
    return stays * strength


@formula("I_r = r·I_c·√(max(0, 1 − V_fd/V_d))", "A", "r I_c V_fd V_d",
         "the same charge goes back against less voltage: a flooded diode drops nothing")
def current_back(back: Any, i_clamp: Any, v_diode: Any, v_drive: Any) -> Any:
    """Leakage current [A] that goes backwards when the diode blocks."""
    return back * i_clamp * np.sqrt(np.maximum(0.0, 1 - v_diode / v_drive))


@formula("Q_r = ½·L_lk·(r·I_c)²/(V_d·(1 − 2·δ·r/3))", "C", "L_lk r I_c V_d δ", _TRIANGLES)
def charge_back(leakage: Any, back: Any, i_clamp: Any, v_drive: Any, share: Any) -> Any:
    """Charge [C] the clamp gives back before its diode blocks."""
    return 0.5 * leakage * np.square(back * i_clamp) / (v_drive * (1 - 2 * share * back / 3))


@formula("V_n = W + Î_1·√(L_lk/C_cl)·(1 − 2·exp(−π·√(L_lk·C_cl)/τ))", "V", "W Î_1 L_lk C_cl τ",
         "between rare pulses the capacitor falls below the reflected voltage; the core lifts it back and fills the diode, which lets the "
         "leakage's swing return as far as half a ring leaves of its charge")
def crest_rare(w: Any, i_one: Any, leakage: Any, c: Any, life: Any) -> Any:
    """Voltage [V] that is left in the capacitor where pulses are rare."""
    return w + i_one * np.sqrt(leakage / c) * (1 - 2 * np.exp(-np.pi * np.sqrt(leakage * c) / life))


@formula("Q_f = Q_cl/N + Q_r", "C", "Q_cl N Q_r", "definition")
def charge_forward(q_net: Any, returns: Any, q_back: Any) -> Any:
    """Charge [C] that flows into the clamp the first time."""
    return q_net / returns + q_back


@formula("Q_a = Q_f·(1 + x²/(1 − (r_2·exp(−π/(2·Q)))²))", "C", "Q_f x r_2 Q", "geometric series")
def charge_in_all(q_forward: Any, again: Any, back: Any, quality: Any) -> Any:
    """Charge [C] that flows forward through the diode, all returns together."""
    return q_forward * (1 + again**2 / (1 - (back * np.exp(-np.pi / (2 * quality))) ** 2))


@formula("t_cl = min(t_off, 2·Q_f/max(I_c, 0.000001)·(1 + r))", "s", "t_off Q_f I_c r", "forward and back at the same slope")
def reset_time(t_off: Any, q_forward: Any, i_clamp: Any, back: Any) -> Any:
    """Time [s] until the diode blocks, never longer than the discharge."""
    return np.minimum(t_off, 2 * q_forward / np.maximum(i_clamp, 1e-6) * (1 + back))


@formula("E_R = max(0, ½·L_lk·I_c²·(1 − m − r²))·N", "J", "L_lk I_c m r N", "energy: what of the leakage's neither stays nor goes back")
def resistor_energy(leakage: Any, i_clamp: Any, stays: Any, back: Any, returns: Any) -> Any:
    """Energy [J] all resistance of the loop takes each period."""
    return np.maximum(0.0, 0.5 * leakage * np.square(i_clamp) * (1 - stays - back * back)) * returns


@formula("E_d = E_R·R_d/R", "J", "E_R R_d R", "definition")
def own_part(e_resistor: Any, r_diode: Any, r: Any) -> Any:
    """Energy [J] of it that the diode's own resistor takes; the rest heats windings and rectifier and is in their currents."""
    return e_resistor * r_diode / r


@formula("E_a = max(0, ½·L_lk·I_c² − V_d·Q_cl − V_fd·(Q_a − Q_cl) − E_R)", "J", "L_lk I_c V_d Q_cl V_fd Q_a E_R",
         "energy: what of the leakage's neither clamp nor diode nor resistor keeps")
def energy_away(leakage: Any, i_clamp: Any, v_drive: Any, q_net: Any, v_diode: Any, q_in_all: Any, e_resistor: Any) -> Any:
    """Energy [J] of the leakage that rings away or goes to the bus each period."""
    return np.maximum(0.0, 0.5 * leakage * np.square(i_clamp) - v_drive * q_net - v_diode * (q_in_all - q_net) - e_resistor)


@formula("u = min(1, ½·R_d·I_c·C_cl/max(Q_f, 0.000000000000001))", "", "R_d I_c C_cl Q_f",
         "where the resistor's voltage falls as fast as the capacitor's rises; 1: at the start")
def crest_at(r: Any, i_clamp: Any, c: Any, q_forward: Any) -> Any:
    """Current at the crest over the first one."""
    return np.minimum(1.0, 0.5 * r * i_clamp * c / np.maximum(q_forward, 1e-15))


@formula("V̂_x = V̂_cl·e + Q_f/C_cl·(1 − u²) + R_d·I_c·u", "V", "V̂_cl e Q_f C_cl u R_d I_c", "resistor and rising capacitor together")
def crest(crest_net: Any, kept: Any, q_forward: Any, c: Any, at: Any, r: Any, i_clamp: Any) -> Any:
    """Largest voltage [V] across capacitor and series resistor together."""
    return crest_net * kept + q_forward / c * (1 - at * at) + r * i_clamp * at


@formula("A = √(V_d² + L_lk/C_n·I_r²)", "V", "V_d L_lk C_n I_r", "energy in node and leakage when the diode lets go")
def swing(v_drive: Any, leakage: Any, c_node: Any, i_back: Any) -> Any:
    """Amplitude [V] of the ring that follows, about bus and reflected voltage."""
    return np.sqrt(np.square(v_drive) + leakage / c_node * np.square(i_back))


@formula("I_b = √(max(0, C_n/L_lk·(exp(−π/(2·Q))·A² − (V_bus + V_or)²)))", "A", "C_n L_lk Q A V_bus V_or",
         "energy: a ring that reaches ground is caught by the body diode")
def current_to_bus(c_node: Any, leakage: Any, quality: Any, swing: Any, v_bus: Any, v_reflected: Any) -> Any:
    """Leakage current [A] left backwards when the node reaches ground."""
    return np.sqrt(np.maximum(0.0, c_node / leakage * (np.exp(-np.pi / (2 * quality)) * np.square(swing) - np.square(v_bus + v_reflected))))


@formula("I_2 = √(max(0, C_n/L_lk·(exp(−π/(2·Q))·min(exp(−π/(2·Q))·A², (V_bus + V_or)²) − V_d²)))", "A", "C_n L_lk Q A V_bus V_or V_d",
         "energy: half a ring later the node is back at the clamp")
def current_again(c_node: Any, leakage: Any, quality: Any, swing: Any, v_bus: Any, v_reflected: Any, v_drive: Any) -> Any:
    """Leakage current [A] when the ring brings the node to the clamp a second time."""
    quarter = np.exp(-np.pi / (2 * quality))
    return np.sqrt(np.maximum(0.0, c_node / leakage * (quarter * np.minimum(quarter * np.square(swing), np.square(v_bus + v_reflected))
                                                        - np.square(v_drive))))


@formula("x = I_2/max(I_c, 0.000001)", "", "I_2 I_c", "definition")
def again_share(i_again: Any, i_clamp: Any) -> Any:
    """Current of the second time over that of the first."""
    return i_again / np.maximum(i_clamp, 1e-6)


@formula("N = 1 + x³/(1 − (r_2·exp(−π/(2·Q)))³)", "", "x r_2 Q",
         "geometric series: every time the ring comes back the diode turns most of it round once more; what stays and what the resistor "
         "takes goes with the cube of the current")
def returns(again: Any, back: Any, quality: Any) -> Any:
    """What all returns leave in clamp and resistor, over what the first leaves."""
    return 1 + again**3 / (1 - (back * np.exp(-np.pi / (2 * quality))) ** 3)


@formula("m_N = m·N", "", "m N", "definition")
def staying_in_all(stays: Any, returns: Any) -> Any:
    """Part of the leakage's charge that stays in the clamp, all returns together."""
    return stays * returns


@formula("Q_b = ½·L_lk·I_b²/(V_bus + V_or)", "C", "L_lk I_b V_bus V_or", "triangle of the leakage current")
def charge_to_bus(leakage: Any, i_bus: Any, v_bus: Any, v_reflected: Any) -> Any:
    """Charge [C] that goes back to the bus through the body diode."""
    return 0.5 * leakage * np.square(i_bus) / (v_bus + v_reflected)


@formula("I_k = max(0, min(I_s + 2·V_or/R_cl, (P_cl + f_s·(V_fd·Q_a + E_d + E_a − ½·L_lk·I_c²))/V_or − f_s·Q_b))", "A",
         "P_cl f_s V_fd Q_a E_d E_a L_lk I_c V_or Q_b I_s R_cl",
         "energy: what clamp and diode burn and what goes away, less what the leakage brought; what the leakage might feed to the outputs "
         "in the end is left out")
def current_from_core(p_clamp: Any, fs: Any, v_diode: Any, q_forward: Any, e_resistor: Any, e_away: Any, leakage: Any, i_clamp: Any,
                      v_reflected: Any, q_bus_back: Any, i_secondary: Any, r: Any) -> Any:
    """Average current [A], at the reflected voltage, that the clamp takes away from the outputs."""
    taken = p_clamp + fs * (v_diode * q_forward + e_resistor + e_away - 0.5 * leakage * np.square(i_clamp))
    return np.maximum(0.0, np.minimum(i_secondary + 2 * v_reflected / r, taken / v_reflected - fs * q_bus_back))


@formula("P = f_s·(V_fd·Q_a + E_d)", "W", "f_s V_fd Q_a E_d", "fixed drop times charge, and the resistor")
def diode_loss(fs: Any, v_diode: Any, q_forward: Any, e_resistor: Any) -> Any:
    """Loss [W] of the diode and its series resistor."""
    return fs * (v_diode * q_forward + e_resistor)


@formula("P = f_s·max(0, ½·C_n·V_d² + E_a − ½·L_lk·I_b²)", "W", "f_s C_n V_d E_a L_lk I_b",
         "what goes away and what the node keeps, less what the bus gets")
def ring_power(fs: Any, c_node: Any, v_drive: Any, e_away: Any, leakage: Any, i_bus: Any) -> Any:
    """Power [W] of the ring that follows."""
    return fs * np.maximum(0.0, 0.5 * c_node * np.square(v_drive) + e_away - 0.5 * leakage * np.square(i_bus))


@formula("I_2 = √(I_f² + f_s·(t_cl/3·I_r·max(0, 3·Î_1 − I_c + I_r) + ½·I_r²·Q·√(L_lk·C_n)))", "A", "I_f f_s t_cl I_r Î_1 I_c Q L_lk C_n",
         "what turns back flows through the secondary too, and rings there")
def secondary_rms(i_fast: Any, fs: Any, t_clamp: Any, i_back: Any, i_one: Any, i_clamp: Any, quality: Any, leakage: Any,
                  c_node: Any) -> Any:
    """Rms [A] of all secondary current seen from the primary; i_fast: with a diode that lets nothing back."""
    return np.sqrt(
        np.square(i_fast) + fs
        * (t_clamp / 3 * i_back * np.maximum(0.0, 3 * i_one - i_clamp + i_back) + 0.5 * np.square(i_back) * quality
           * np.sqrt(leakage * c_node)))


@formula("C_cl = Q_f/(ρ·V_cl)", "F", "Q_f ρ V_cl", "ripple ratio of the charge that flows forward")
def capacitor(q_forward: Any, ripple_ratio: Any, v_clamp: Any) -> Any:
    """Clamp capacitor [F] for a peak-to-peak ripple ratio."""
    return q_forward / (ripple_ratio * v_clamp)


@formula("ΔV_cl = Q_f/C_cl", "V", "Q_f C_cl", "definition")
def ripple(q_forward: Any, c: Any) -> Any:
    """Peak-to-peak ripple [V] of the capacitor."""
    return q_forward / c


@formula("P_r = f_s·Q_r·V̂_cl", "W", "f_s Q_r V̂_cl", "definition")
def power_back(fs: Any, q_back: Any, v_clamp: Any) -> Any:
    """Power [W] the capacitor gives back."""
    return fs * q_back * v_clamp
