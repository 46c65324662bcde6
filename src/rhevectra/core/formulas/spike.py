"""The spike of a primary whose flux another winding takes over: what the leakage between both drives into a clamp to the input.

When a switch opens, the other half of a tapped primary, or the reset winding, hands the flux's current back to the input and holds the open
switch above it; only the leakage between both windings goes on, lifts the node and then empties into the clamp's capacitor, whose resistor
leads back to the input. When the other switch of a tapped primary turns on, the open one's node swings from the input to twice the input
through that same leakage, and its overshoot empties there too. Source: energy and charge balance of that circuit, checked against a circuit
simulator on the exported netlist.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("L_h = s·L_lk", "H", "s L_lk", "bifilar windings leave a share of the leakage to the secondary between them")
def between_halves(share: Any, leakage: Any) -> Any:
    """Leakage inductance [H] of one half towards the other."""
    return share * leakage


@formula("I_h = √(max(0, Î² − n·C_n·V_h²/L_lk))", "A", "Î n C_n V_h L_lk",
         "the nodes move on by the held voltage on the leakage's energy before the other winding takes over")
def left_current(i_peak: Any, nodes: Any, c_node: Any, v_held: Any, leakage: Any) -> Any:
    """Current [A] of the opened winding when its node has reached the held voltage above the input."""
    return np.sqrt(np.maximum(0.0, np.square(i_peak) - nodes * c_node * np.square(v_held) / leakage))


@formula("V_s = V_bus·(1 + exp(−max(0, 1/f_p − t_on)/(2·Q·√(L_lk·C_p))))", "V", "V_bus f_p t_on Q L_lk C_p",
         "the node rests at the input, and what is left of its ring with the leakage may stand at its worst when the other switch turns on")
def swing(v_bus: Any, fs: Any, t_on: Any, quality: Any, leakage: Any, c_primary: Any) -> Any:
    """Voltage [V] by which the open switch's node swings up to twice the input."""
    return v_bus * (1 + np.exp(-np.maximum(0.0, 1 / fs - t_on) / (2 * quality * np.sqrt(leakage * c_primary))))


@formula("u = (√(V_h² + 2·(1 + ½·n·R·f_p·C_n)·R·f_p·(L_h·I_h² + (n − 1)·C_n·V_s²)) − V_h)/(2·(1 + ½·n·R·f_p·C_n))", "V",
         "V_h n R f_p C_n L_h I_h V_s",
         "what drives charge in, less what lifts the node, equals what the resistor leads away: the leakage's current at turn-off, and "
         "with two switches the overshoot of the open one's node when the other turns on")
def excess(v_held: Any, nodes: Any, r: Any, fs: Any, c_node: Any, l_half: Any, i_left: Any, v_swing: Any) -> Any:
    """Voltage [V] of the clamp above where the other winding holds the node; fs is the pulse rate."""
    a = 1 + 0.5 * nodes * r * fs * c_node
    return ((np.sqrt(np.square(v_held) + 2 * a * r * fs * (l_half * np.square(i_left) + (nodes - 1) * c_node * np.square(v_swing)))
             - v_held) / (2 * a))


@formula("I_c = min(I_mag, I_h)", "A", "I_mag I_h", "the core's part of the current, which no secondary takes")
def of_core(i_mag: Any, i_left: Any) -> Any:
    """Part [A] of the opened winding's current that the other winding takes over whatever the secondary does."""
    return np.minimum(i_mag, i_left)


@formula("V_b = V_h − ½·R·f_p·L_lk·(I_h² − I_c²)/V_h", "V", "V_h R f_p L_lk I_h I_c",
         "a clamp that stands little above the held voltage takes the load's part of the leakage's current to its end: the leakage to the "
         "shorted secondary keeps the other winding below what would let it conduct")
def not_driven(v_held: Any, r: Any, fs: Any, leakage: Any, i_left: Any, i_core: Any) -> Any:
    """What of the held voltage [V] the charge of the whole leakage does not bring up; fs is the pulse rate."""
    return v_held - 0.5 * r * fs * leakage * (np.square(i_left) - np.square(i_core)) / v_held


@formula("u = min(u_h, u_b)", "V", "u_h u_b", "the other winding takes over, or the clamp has emptied the leakage before")
def excess_left(held: Any, emptied: Any) -> Any:
    """Voltage [V] of the clamp above where the other winding holds the node."""
    return np.minimum(held, emptied)


@formula("u_f = ½·R·f_p·(√(L_m·C_n·I_k² + 2·(L_m·I_m² + L_lk·(Î − I_m)²)/(R·f_p)) − I_k·√(L_m·C_n)) − V_h", "V",
         "V_h R f_p L_m C_n I_k I_m L_lk Î",
         "energy balance: what core and leakage hold at turn-off goes into the resistor; where the filter's current keeps the secondary "
         "shorted, the core begins each pulse with what the node handed back to it when it fell from the clamp's voltage to the input")
def excess_without(v_held: Any, r: Any, fs: Any, lm: Any, c_node: Any, i_kept: Any, i_mag: Any, leakage: Any, i_peak: Any) -> Any:
    """The same [V], below nothing, where core and leakage hold too little for the clamp to reach the voltage at which the reset winding
    conducts."""
    lifting = i_kept * np.sqrt(lm * c_node)
    return (0.5 * r * fs
            * (np.sqrt(np.square(lifting) + 2 * (lm * np.square(i_mag) + leakage * np.square(i_peak - i_mag)) / (r * fs)) - lifting)
            - v_held)


@formula("u = min(u_h, u_f)", "V", "u_h u_f", "the reset winding holds the clamp where there is enough to get there")
def excess_reached(held: Any, free: Any) -> Any:
    """Voltage [V] of the clamp above where the reset winding would hold the node; negative where it never conducts."""
    return np.minimum(held, free)


@formula("L = min(L_h, L_lk·u/V_h·(1 − k) + L_h·k)", "H", "L_h L_lk u V_h k",
         "the lesser of both charges, told as that of a leakage between the windings; k of the current squared is the core's")
def emptying(l_half: Any, leakage: Any, excess: Any, v_held: Any, share: Any) -> Any:
    """Leakage [H] that empties into a clamp `excess` [V] above the held voltage."""
    return np.minimum(l_half, leakage * excess / v_held * (1 - share) + l_half * share)


@formula("R = u·(V_h + u)/(f_p·½·(L_h·I_h² + C_n·max(0, (n − 1)·V_s² − n·u²)))", "Ω", "u V_h f_p L_h I_h C_n n V_s",
         "the same solved for the resistor")
def resistor(excess: Any, v_held: Any, fs: Any, l_half: Any, i_left: Any, c_node: Any, nodes: Any, v_swing: Any) -> Any:
    """Resistor [Ω] that keeps the excess."""
    energy = l_half * np.square(i_left) + c_node * np.maximum(0.0, (nodes - 1) * np.square(v_swing) - nodes * np.square(excess))
    return excess * (v_held + excess) / (fs * 0.5 * energy)


@formula("P = (V_h + u)²/R", "W", "V_h u R", "the resistor lies between clamp and input")
def power(v_held: Any, excess: Any, r: Any) -> Any:
    """Power [W] in the clamp's resistor."""
    return np.square(v_held + excess) / r


@formula("V̂ = V_bus + V_h + u + V_f + R_f·I_h", "V", "V_bus V_h u V_f R_f I_h",
         "held above the input by the other winding, the clamp's excess, and its diode")
def switch_peak(v_bus: Any, v_held: Any, excess: Any, v_forward: Any, r_diode: Any, i_left: Any) -> Any:
    """Largest voltage [V] across a switch; drop and resistance [Ω] of the clamp's diode."""
    return v_bus + v_held + excess + v_forward + r_diode * i_left


@formula("ΔV = (V_h + u)/(R·f_p·C)", "V", "V_h u R f_p C", "the resistor's charge between two pulses")
def ripple(v_held: Any, excess: Any, r: Any, fs: Any, c: Any) -> Any:
    """Ripple [V] on the clamp's capacitor."""
    return (v_held + excess) / (r * fs * c)


@formula("V_h = V_bus·N_p/N_r", "V", "V_bus N_p N_r", "the reset winding lies at the input while the core resets")
def held_by_reset(v_bus: Any, turns_primary: Any, turns_reset: Any) -> Any:
    """Voltage [V] by which the reset winding holds the open switch above the input."""
    return v_bus * turns_primary / turns_reset


@formula("D = N_p/(N_p + N_r)", "", "N_p N_r", "volt-second balance of the core: it resets at V_bus·N_p/N_r")
def reset_duty(turns_primary: Any, turns_reset: Any) -> Any:
    """Largest duty with which the core still resets."""
    return turns_primary / (turns_primary + turns_reset)


@formula("V = V_bus + V_h", "V", "V_bus V_h", "without its spike")
def reset_voltage(v_bus: Any, v_held: Any) -> Any:
    """Voltage [V] across the switch while the core resets."""
    return v_bus + v_held


@formula("V_R = V_bus·(1 + N_r/N_p)", "V", "V_bus N_r N_p", "the input, and the winding against it while the switch conducts")
def reset_diode_reverse(v_bus: Any, turns_reset: Any, turns_primary: Any) -> Any:
    """Reverse voltage [V] of the diode of the reset winding."""
    return v_bus * (1 + turns_reset / turns_primary)


@formula("I_r = (N_p/N_r)·√(f_s·(N_r/N_p)·(t_e·I_mag² + t_l·(Î − I_mag)²)/3)", "A", "N_p N_r f_s t_e I_mag t_l Î",
         "rms of linear pieces: the magnetising current and what the leakage gives back, both in the reset winding; they last N_r/N_p "
         "times as long as against the input itself; an upper bound, for what lifts the node never gets there")
def reset_rms(turns_primary: Any, turns_reset: Any, fs: Any, t_feeding: Any, i_mag: Any, t_return: Any, i_peak: Any) -> Any:
    """Rms current [A] of the reset winding."""
    ratio = turns_primary / turns_reset
    return ratio * np.sqrt(fs / ratio * (t_feeding * np.square(i_mag) + t_return * np.square(i_peak - i_mag)) / 3)
