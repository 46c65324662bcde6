"""The forward with an active clamp: a capacitor behind a second switch holds the open switch and turns the magnetising current round.

While the main switch is off the capacitor lies across the primary. First the leakage empties into it (both rectifiers conduct, the core
waits), then it resets the core and drives the magnetising current negative; what the leakage brought leaves as a more negative current,
which goes back to the bus in the next pulse. Source of all relations: volt-second and charge balance of that circuit; checked against a
circuit simulator on the exported netlist.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("t_o = max(0.05/f_s, 1/f_s − t_e − t_c)", "s", "f_s t_e t_c",
         "rest of the period; the max binds only where the duty figure refuses the design")
def off_time(fs: Any, t_feeding: Any, t_commutation: Any) -> Any:
    """Time [s] between two pulses."""
    return np.maximum(0.05 / fs, 1 / fs - t_feeding - t_commutation)


@formula("t_b = min(t_d, 2·C_p·L_m/t_o)", "s", "t_d C_p L_m t_o",
         "half the swing of the magnetising current brings the node from the clamp to the input")
def falling_time(t_dead: Any, c_primary: Any, lm: Any, t_off: Any) -> Any:
    """Time [s] the node takes down to the input, within the dead time."""
    return np.minimum(t_dead, 2 * c_primary * lm / t_off)


@formula("t_r = max(0.3·t_o, t_o − t_d + ½·t_b)", "s", "t_o t_d t_b",
         "of the dead time the node's way down counts half; on its way up and at the input the secondary is short")
def reset_time(t_off: Any, t_dead: Any, t_falling: Any) -> Any:
    """Time [s] at the capacitor's voltage that gives the core the same volt-seconds."""
    return np.maximum(0.3 * t_off, t_off - t_dead + 0.5 * t_falling)


@formula("I_l = √(max(0, ((N_s/N_p)·Î_L)² − C_p/L_lk·(V_p·t_e/t_r)²))", "A", "N_s N_p Î_L C_p L_lk V_p t_e t_r",
         "energy: the leakage lifts the node from the input to the clamp before the capacitor takes its current")
def leakage_left(turns_secondary: Any, turns_primary: Any, i_crest: Any, c_primary: Any, leakage: Any, v_primary: Any, t_feeding: Any,
                 t_reset: Any) -> Any:
    """Current [A] of the leakage, beside the magnetising current, when the clamp capacitor takes it."""
    return np.sqrt(np.maximum(0.0, np.square(turns_secondary / turns_primary * i_crest)
                              - c_primary / leakage * np.square(v_primary * t_feeding / t_reset)))


@formula("V_c = (V_p·t_e + L_lk·I_l)/t_r", "V", "V_p t_e L_lk I_l t_r",
         "the capacitor takes the volt-seconds of the pulse and those of the leakage")
def capacitor_voltage(v_primary: Any, t_feeding: Any, leakage: Any, i_left: Any, t_reset: Any) -> Any:
    """Voltage [V] of the clamp capacitor, above the input."""
    return (v_primary * t_feeding + leakage * i_left) / t_reset


@formula("t_l = L_lk·I_l/V_c", "s", "L_lk I_l V_c", "the leakage empties into the capacitor")
def leakage_time(leakage: Any, i_left: Any, v_clamp: Any) -> Any:
    """Time [s] before the core begins to reset."""
    return leakage * i_left / v_clamp


@formula("I_mag = ½·(V_p·t_e/L_m·(t_r − t_l) − I_l·t_l)/t_r", "A", "V_p t_e L_m t_r t_l I_l", "charge balance of the capacitor")
def magnetising_peak(v_primary: Any, t_feeding: Any, lm: Any, t_reset: Any, t_leakage: Any, i_left: Any) -> Any:
    """Magnetising current [A] when the main switch turns off; may be negative where the leakage brings more than half the swing."""
    return 0.5 * (v_primary * t_feeding / lm * (t_reset - t_leakage) - i_left * t_leakage) / t_reset


@formula("I_n = V_p·t_e/L_m − I_mag", "A", "V_p t_e L_m I_mag", "the swing of the pulse less what it ends at")
def magnetising_back(v_primary: Any, t_feeding: Any, lm: Any, i_mag: Any) -> Any:
    """Magnetising current [A], backwards, when the main switch turns on."""
    return v_primary * t_feeding / lm - i_mag


@formula("I_1 = (N_s/N_p)·I_v − I_n", "A", "N_s N_p I_v I_n", "the magnetising current begins at its negative end")
def start(turns_secondary: Any, turns_primary: Any, i_valley: Any, i_back: Any) -> Any:
    """Primary current [A] when the secondary begins to feed."""
    return turns_secondary / turns_primary * i_valley - i_back


@formula("I_k = √(f_s/3·(t_l·((I_l + I_mag)² + (I_l + I_mag)·I_mag + I_mag²) + (t_r − t_l)·(I_mag² − I_mag·I_n + I_n²)))", "A",
         "f_s t_l I_l I_mag t_r I_n", "rms of linear pieces")
def clamp_rms(fs: Any, t_leakage: Any, i_left: Any, i_mag: Any, t_reset: Any, i_back: Any) -> Any:
    """Rms current [A] of clamp switch and capacitor."""
    first = i_left + i_mag
    whole = t_leakage * (np.square(first) + first * i_mag + np.square(i_mag)) + (t_reset - t_leakage) * (
        np.square(i_mag) - i_mag * i_back + np.square(i_back))
    return np.sqrt(fs / 3 * whole)


@formula("I_p = √(I_sw² + I_k²)", "A", "I_sw I_k", "one after the other")
def primary_rms(i_switch: Any, i_clamp: Any) -> Any:
    """Primary winding rms current [A]."""
    return np.sqrt(np.square(i_switch) + np.square(i_clamp))


@formula("V̂ = V_r + ½·ΔV + V_f", "V", "V_r ΔV V_f", "and its ripple; the body diode of the clamp switch conducts first")
def switch_peak(v_held: Any, ripple: Any, v_forward: Any) -> Any:
    """Largest voltage [V] across a switch."""
    return v_held + 0.5 * ripple + v_forward


@formula("ΔV = (max(0, ½·I_l + I_mag)·t_l + ½·max(0, I_mag)²·(t_r − t_l)/max(0.000001, I_mag + I_n))/C", "V", "I_l I_mag t_l t_r I_n C",
         "the charge that flows in before the current turns round")
def ripple(i_left: Any, i_mag: Any, t_leakage: Any, t_reset: Any, i_back: Any, c: Any) -> Any:
    """Ripple [V] of the clamp capacitor, peak to peak."""
    return ((np.maximum(0.0, 0.5 * i_left + i_mag) * t_leakage + 0.5 * np.square(np.maximum(0.0, i_mag)) * (t_reset - t_leakage)
             / np.maximum(1e-6, i_mag + i_back)) / c)


@formula("C = (k·t_r/(2·π))²/L_m", "F", "k t_r L_m",
         "its ring with the magnetising inductance lasts k times the reset, so that the voltage hardly bends")
def slow_capacitor(times: Any, t_reset: Any, lm: Any) -> Any:
    """Least clamp capacitor [F] by the ring."""
    return np.square(times * t_reset / (2 * np.pi)) / lm


@formula("V_t = V_p + max(0, V_c − max(0, I_n)·√(L_m/C_p))", "V", "V_p V_c I_n L_m C_p",
         "the negative magnetising current brings the node down to the input, where the secondary takes it over")
def turn_on_voltage(v_primary: Any, v_clamp: Any, i_back: Any, lm: Any, c_primary: Any) -> Any:
    """Drain voltage [V] when the main switch turns on."""
    return v_primary + np.maximum(0.0, v_clamp - np.maximum(0.0, i_back) * np.sqrt(lm / c_primary))


@formula("t_d = C_p·V_c/max(0.000001, I_n)", "s", "C_p V_c I_n", "charge of the node at the negative magnetising current")
def dead_time(c_primary: Any, v_clamp: Any, i_back: Any) -> Any:
    """Time [s] the node takes down to the input."""
    return c_primary * v_clamp / np.maximum(1e-6, i_back)


@formula("L_m = t_r·t_d/(2·C_p)", "H", "t_r t_d C_p",
         "half the swing of the reset, V_c·t_r/L_m, brings the node's charge C_p·V_c within the dead time")
def most_magnetising(t_reset: Any, t_dead: Any, c_primary: Any) -> Any:
    """Greatest magnetising inductance [H]."""
    return t_reset * t_dead / (2 * c_primary)


@formula("P = f_s·V_p·(½·(I_1 + Î)·t_e + ½·(I_1 − I_n)·t_c) + P_c + P_n + P_off", "W", "f_s V_p I_1 Î t_e I_n t_c P_c P_n P_off",
         "charge drawn from the bus; core, clamp, node and turn-off losses come on top")
def bus_power(fs: Any, v_primary: Any, i_start: Any, i_peak: Any, t_feeding: Any, i_back: Any, t_commutation: Any, p_core: Any, p_node: Any,
              p_off: Any) -> Any:
    """Power [W] drawn from the bus."""
    return fs * v_primary * (0.5 * (i_start + i_peak) * t_feeding + 0.5 * (i_start - i_back) * t_commutation) + p_core + p_node + p_off


@formula("V_R = (1 + a)·max(V_p, V_c)·N_s/N_p", "V", "a V_p V_c N_s N_p",
         "the freewheeling rectifier blocks the pulse, the feeding one the reset; ringing allowance a stated (common practice)")
def rectifier_reverse(allowance: Any, v_primary: Any, v_clamp: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Reverse voltage [V] of the rectifier that blocks more, with its ringing allowance."""
    return (1 + allowance) * np.maximum(v_primary, v_clamp) * turns_secondary / turns_primary


@formula("V_s = V_p/(1 − D)", "V", "V_p D", "where the capacitor followed the largest duty at once")
def at_full_duty(v_primary: Any, duty: Any) -> Any:
    """Voltage [V] across the open switch if the largest duty lasted."""
    return v_primary / (1 - duty)
