"""Output capacitors, ripple, rectifier losses, heat and standby."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("I_C = √(max(0, I_rms² − I_o²))", "A", "I_rms I_o", "rms of the ac part")
def capacitor_rms(i_rms: Any, i_out: Any) -> Any:
    """Ripple current [A] of an output capacitor from rectifier rms and average."""
    return np.sqrt(np.maximum(0.0, np.square(i_rms) - np.square(i_out)))


@formula("C_x = p·C", "F", "p C", "what is left of capacitors at the end of their life")
def left(share: Any, c: Any) -> Any:
    """Capacitance [F] at the end of life."""
    return share * c


@formula("V̂_C = V_o·(1 + δ) + ΔV_o/2", "V", "V_o δ ΔV_o", "crest of the output at the end of its tolerance")
def capacitor_crest(v_out: Any, tolerance: Any, ripple_pp: Any) -> Any:
    """Greatest voltage [V] across an output capacitor in run."""
    return v_out * (1 + tolerance) + ripple_pp / 2


@formula("P = V_f·I_avg + r_d·I_rms²", "W", "V_f I_avg r_d I_rms", "fixed drop and resistance")
def rectifier_loss(v_forward: Any, i_avg: Any, r_dynamic: Any, i_rms: Any) -> Any:
    """Conduction loss [W] of a rectifier."""
    return v_forward * i_avg + r_dynamic * np.square(i_rms)


@formula("P_o = V_o·I_o", "W", "V_o I_o", "definition")
def output_power(v: Any, i: Any) -> Any:
    """Power [W] of one output."""
    return v * i


@formula("P = max(0, V·I − P_cu)", "W", "V I P_cu", "what a winding takes from the core, less what its own copper burns")
def behind_winding(v: Any, i: Any, copper: Any) -> Any:
    """Power [W] that reaches what a winding feeds, copper loss counted apart."""
    return np.maximum(0.0, v * i - copper)


@formula("η = P_o/(P_o + P_loss)", "", "P_o P_loss", "definition")
def efficiency(p_out: Any, p_loss: Any) -> Any:
    """Efficiency."""
    return p_out / (p_out + p_loss)


@formula("P_75 = P_50 + (P_100 − P_25)/3", "W", "P_50 P_100 P_25", "parabola through a quarter, a half and the whole of the load")
def at_three_quarters(half: Any, full: Any, quarter: Any) -> Any:
    """Power [W] at three quarters of the load, from that at a quarter, a half and all of it."""
    return half + (full - quarter) / 3


@formula("η_m = (η_25 + η_50 + η_75 + η_100)/4", "", "η_25 η_50 η_75 η_100",
         "mean of four loads, as external supplies are measured (EN 50563, from memory)")
def mean_of_four(quarter: Any, half: Any, three: Any, full: Any) -> Any:
    """Mean efficiency at four loads."""
    return (quarter + half + three + full) / 4


@formula("I_in = P/V_in", "A", "P V_in", "power over voltage of a dc source")
def input_current(power: Any, v_in: Any) -> Any:
    """Average input current [A]."""
    return power / v_in


@formula("R_ca = (T_j − T_a)/P − R_jc", "K/W", "T_j T_a P R_jc", "series of thermal resistances")
def case_to_ambient(t_junction: Any, ambient: Any, power: Any, r_jc: Any) -> Any:
    """Largest case-to-ambient resistance [K/W] that keeps the junction at its limit."""
    return (t_junction - ambient) / power - r_jc


@formula("g = (T_j − T_a)/max(P, 0.000001)·P_c·(h − 1)/(h·(T_m − 25))", "", "T_j T_a P P_c h T_m",
         "one kelvin more raises the conduction loss, which raises the temperature again by g kelvin: from 1 on it runs away")
def runaway(t_junction: Any, ambient: Any, power: Any, conduction: Any, hot_ratio: Any, t_hot: Any) -> Any:
    """Growth of a switch's temperature through its own resistance. power, conduction: whole loss and its conduction part [W]; hot_ratio:
    resistance at t_hot [°C] over that at 25 °C."""
    return (t_junction - ambient) / np.maximum(power, 1e-6) * conduction * (hot_ratio - 1) / (hot_ratio * (t_hot - 25))


@formula("V_dev = ΔI/(2·π·f_c·C) + ΔI·R_esr", "V", "ΔI f_c C R_esr",
         "single-pole loop of crossover f_c and capacitor resistance (common practice, no source)")
def step_deviation(step: Any, crossover: Any, c: Any, esr: Any) -> Any:
    """Excursion [V] of an output after a load step [A]."""
    return step / (2 * np.pi * crossover * c) + step * esr


@formula("L = L_0·2^((T_max − T)/10)", "s", "L_0 T_max T", "life doubles for every 10 K less (common practice, no source)")
def capacitor_life(life: Any, t_max: Any, temperature: Any) -> Any:
    """Expected life [s] of an electrolytic capacitor at its temperature [°C]."""
    return life * 2.0 ** ((t_max - temperature) / 10)


@formula("T = T_a + ΔT_air + 10·(I/I_r)²", "°C", "T_a ΔT_air I I_r",
         "self-heating of an electrolytic at its rated ripple current taken as 10 K (common practice, no source)")
def capacitor_temperature(ambient: Any, air: Any, current: Any, rated: Any) -> Any:
    """Temperature [°C] of a capacitor at a ripple current [A], in air warmer by `air` [K]; rated [A] at its highest temperature."""
    return ambient + air + 10 * np.square(current / rated)


@formula("I = I_r·√(max(0, (T_max − 10·ln(L/L_0)/ln(2) − T_a − ΔT_air)/10))", "A", "I_r L_0 L T_max T_a ΔT_air",
         "temperature at which a capacitor lasts so long, and what heats it to that")
def current_for_life(rated: Any, life: Any, wanted: Any, t_max: Any, ambient: Any, air: Any) -> Any:
    """Ripple current [A] with which a capacitor lasts as long as is wanted [s]; life [s] at its highest temperature t_max [°C]."""
    return rated * np.sqrt(np.maximum(t_max - 10 * np.log(wanted / life) / np.log(2.0) - ambient - air, 0.0) / 10)


@formula("V_aux = (N_a/N_s)·(V_o + V_d) − V_fa", "V", "N_a N_s V_o V_d V_fa", "transformer ratio")
def auxiliary_voltage(turns_aux: Any, turns_secondary: Any, v_out: Any, v_drop: Any, v_forward: Any) -> Any:
    """Auxiliary supply voltage [V] by turns ratio alone."""
    return (turns_aux / turns_secondary) * (v_out + v_drop) - v_forward


@formula("V_aux,lo = V_aux − (N_a/N_s)·(V_o − V_o,min)", "V", "V_aux N_a N_s V_o V_o,min",
         "transformer ratio; what the leakage adds or takes left as it is")
def auxiliary_at_least(v_aux: Any, turns_aux: Any, turns_secondary: Any, v_out: Any, v_least: Any) -> Any:
    """Auxiliary supply voltage [V] at the smallest setting of the regulated output."""
    return v_aux - (turns_aux / turns_secondary) * (v_out - v_least)


@formula("V_r = V_aux + V_bus·N_a/N_p", "V", "V_aux V_bus N_a N_p", "transformer ratio")
def auxiliary_reverse(v_aux: Any, v_bus: Any, turns_aux: Any, turns_primary: Any) -> Any:
    """Reverse voltage [V] of the auxiliary supply's diode while the switch is on."""
    return v_aux + v_bus * turns_aux / turns_primary


@formula("P = max(0, V_i − V_o)·I", "W", "V_i V_o I", "what a series regulator drops")
def dropped(v_in: Any, v_out: Any, i: Any) -> Any:
    """Power [W] in a linear regulator."""
    return np.maximum(0.0, v_in - v_out) * i


@formula("R_cs = n·V_cs/I_lim", "Ω", "n V_cs I_lim", "Ohm: it carries the n-th part of the current")
def sense_resistor(ratio: Any, v_trip: Any, i_limit: Any) -> Any:
    """Current sense resistor [Ω] for a trip voltage and a current limit, behind a ratio of currents."""
    return ratio * v_trip / i_limit


@formula("R_seen = R_cs/n²", "Ω", "R_cs n", "impedances go with the square of the ratio")
def sense_seen(r: Any, ratio: Any) -> Any:
    """What a sense resistor [Ω] behind a ratio of currents puts into the path."""
    return r / np.square(ratio)


@formula("V_set = V_ref·(1 + R_hi/R_lo) + I_b·R_hi", "V", "V_ref R_hi R_lo I_b", "Kirchhoff at the reference's input")
def divider_output(v_ref: Any, r_high: Any, r_low: Any, i_bias: Any) -> Any:
    """Output [V] at which a divider of r_high over r_low [Ω] meets a reference whose input draws i_bias [A]."""
    return v_ref * (1 + r_high / r_low) + i_bias * r_high


@formula("ε_set = max(V_set/V_o − 1, 1 − V_set/V_o)", "", "V_set V_o", "what preferred values leave")
def divider_off(v_set: Any, v_out: Any) -> Any:
    """How far the output the divider sets is from the one asked for, relative."""
    return np.abs(v_set / v_out - 1)


@formula("ΔT = max(T_max + ΔT_in − 25, 25 − T_min)", "K", "T_max ΔT_in T_min", "largest step from the 25 °C that tolerances are told at")
def from_room(t_max: Any, rise: Any, t_min: Any) -> Any:
    """How far from room temperature parts come [K] that stand in air warmer by `rise` [K] than an ambient of t_min to t_max [°C]."""
    return np.maximum(t_max + rise - 25, 25 - t_min)


@formula("ε_x = ε + α/1000000·ΔT", "", "ε α ΔT", "tolerance at room temperature and what temperature adds")
def warmed(tolerance: Any, drift: Any, span: Any) -> Any:
    """Tolerance of a part anywhere in its range of temperature; drift [ppm/K], span: from room temperature [K]."""
    return tolerance + drift / 1e6 * span


@formula("ε_x = √(ε² + (α/1000000·ΔT)²)", "", "ε α ΔT", "root of the sum of squares: the drift knows nothing of the tolerance")
def warmed_statistical(tolerance: Any, drift: Any, span: Any) -> Any:
    """The same, statistical."""
    return np.hypot(tolerance, drift / 1e6 * span)


@formula("ε = ε_set + ε_ref + 2·ε_R·(1 − V_ref/V_o) + ΔI_b·R_hi/V_o", "", "ε_set ε_ref ε_R V_ref V_o ΔI_b R_hi",
         "both divider resistors at opposite ends of their tolerance, all others at their worst")
def divider_error(off: Any, reference: Any, resistor: Any, v_ref: Any, v_out: Any, bias_spread: Any, r_high: Any) -> Any:
    """Worst-case relative error of an output set by a divider and a shunt reference."""
    return off + reference + 2 * resistor * (1 - v_ref / v_out) + bias_spread * r_high / v_out


@formula("ε = ε_set + √(ε_ref² + 2·(ε_R·(1 − V_ref/V_o))² + (ΔI_b·R_hi/V_o)²)", "", "ε_set ε_ref ε_R V_ref V_o ΔI_b R_hi",
         "root of the sum of squares: independent tolerances")
def divider_error_statistical(off: Any, reference: Any, resistor: Any, v_ref: Any, v_out: Any, bias_spread: Any, r_high: Any) -> Any:
    """Statistical relative error of the same divider."""
    return off + np.sqrt(np.square(reference) + 2 * np.square(resistor * (1 - v_ref / v_out)) + np.square(bias_spread * r_high / v_out))


@formula("V_x = (V_t + V_ft)·N_s/N_t − V_d", "V", "V_t V_ft N_t N_s V_d", "transformer ratio")
def at_trip(v_trip: Any, v_forward: Any, turns_trip: Any, turns_secondary: Any, v_drop: Any) -> Any:
    """Output [V] at which the voltage of another winding reaches its over-voltage trip, by turns ratio alone."""
    return (v_trip + v_forward) * turns_secondary / turns_trip - v_drop


@formula("R = (V_o − V_ref − V_led)·c·k/I_fb", "Ω", "V_o V_ref V_led c k I_fb",
         "Ohm: what is left over the diode with the shunt reference fully on, times the transfer ratio that is left")
def coupler_resistor(v_out: Any, v_ref: Any, v_led: Any, ratio: Any, left: Any, i_pull: Any) -> Any:
    """Largest resistor [Ω] of an optocoupler's diode with which its transistor still draws i_pull [A] at the end of its life."""
    return (v_out - v_ref - v_led) * ratio * left / i_pull


@formula("I_end = (V_o − V_ref − V_led)·c·k/R", "A", "V_o V_ref V_led c k R", "Ohm, times the transfer ratio that is left")
def coupler_pull(v_out: Any, v_ref: Any, v_led: Any, ratio: Any, left: Any, r: Any) -> Any:
    """Current [A] an optocoupler's transistor can draw at the end of its life."""
    return (v_out - v_ref - v_led) * ratio * left / r


@formula("V_aux = V_p·N_a/N_p − V_fa", "V", "V_p N_a N_p V_fa",
         "transformer ratio: the diode takes the voltage of the pulses, which goes with the bus")
def auxiliary_in_pulse(v_primary: Any, turns_aux: Any, turns_primary: Any, v_forward: Any) -> Any:
    """Voltage [V] of an auxiliary supply that is rectified while the switches feed."""
    return v_primary * turns_aux / turns_primary - v_forward


@formula("C_su = I_cc/(f_s·max(0.1, V_aux − V_min))", "F", "I_cc f_s V_aux V_min",
         "it feeds the controller from one pulse to the next (a tenth of a volt where the supply leaves no more)")
def supply_between_pulses(i_supply: Any, fs: Any, v_aux: Any, v_min: Any) -> Any:
    """Least supply capacitor [F] that a winding refills with every pulse."""
    return i_supply / (fs * np.maximum(0.1, v_aux - v_min))


@formula("V_h = (V_aux + V_fa)·V_x/V_bus − V_fa", "V", "V_aux V_fa V_x V_bus", "in proportion to the bus")
def auxiliary_at_bus(v_aux: Any, v_forward: Any, v_asked: Any, v_bus: Any) -> Any:
    """The same on another bus [V]."""
    return (v_aux + v_forward) * v_asked / v_bus - v_forward


@formula("P = (V_aux + V_fa)·I_cc", "W", "V_aux V_fa I_cc",
         "whatever stands between winding and controller, its current comes from the winding")
def supply_taken(v_aux: Any, v_forward: Any, i_supply: Any) -> Any:
    """Power [W] that a controller takes from its winding."""
    return (v_aux + v_forward) * i_supply


@formula("V_r = V_aux + V_k·N_a/N_p", "V", "V_aux V_k N_a N_p", "transformer ratio")
def auxiliary_blocked(v_aux: Any, v_back: Any, turns_aux: Any, turns_primary: Any) -> Any:
    """Reverse voltage [V] of the supply's diode while v_back lies across the primary the other way round."""
    return v_aux + v_back * turns_aux / turns_primary


@formula("V_r = 2·V_aux + V_fa", "V", "V_aux V_fa", "the winding swings as far to the other side")
def auxiliary_mirrored(v_aux: Any, v_forward: Any) -> Any:
    """Reverse voltage [V] of the supply's diode at a winding that is driven both ways alike."""
    return 2 * v_aux + v_forward
