"""The phase-shifted full bridge: circulating current, soft turn-on of both legs, the share of the period its leakage takes.

Both legs run at nearly half the period; their shift makes the pulse. Between pulses the primary lies short across two switches and its
current circulates. The leg that ends a pulse (leading) is moved by the filter inductor's current; the one that begins it (lagging) only
by the energy of the leakage (and a series inductor). Then the leakage turns the primary current over before anything reaches the
filter. Source of all relations: charge, flux and energy balance of that circuit; checked against a circuit simulator on the exported
netlist.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_m = V_p·L_m/(L_m + L)", "V", "V_p L_m L", "the magnetising current rises through the leakage too")
def behind_leakage(v_primary: Any, lm: Any, leakage: Any) -> Any:
    """Voltage [V] left for the windings before the load's own share of the leakage."""
    return v_primary * lm / (lm + leakage)


@formula("R_w = R_p + ½·(r_d + R_s)·(N_p/N_s)²", "Ω", "R_p r_d R_s N_p N_s",
         "the circulating current flows through two switches, the winding and, transformed, through both rectifiers")
def circulating_resistance(r_path: Any, r_rectifier: Any, r_winding: Any, turns_primary: Any, turns_secondary: Any) -> Any:
    """Resistance [Ω] against which the circulating current decays."""
    return r_path + 0.5 * (r_rectifier + r_winding) * np.square(turns_primary / turns_secondary)


@formula("t_q = ½·π·√(L·C_g)", "s", "L C_g", "quarter of the ring of leakage (with a series inductor) and leg")
def quarter_ring(inductance: Any, c_leg: Any) -> Any:
    """Time [s] in which the lagging leg's node swings as far as it can."""
    return 0.5 * np.pi * np.sqrt(inductance * c_leg)


@formula("t_f = max(0, 1/f_p − t_e − t_c − t_s)", "s", "f_p t_e t_c t_s", "rest of the pulse period")
def circulating_time(fs: Any, t_feeding: Any, t_commutation: Any, t_swing: Any) -> Any:
    """Time [s] the primary current circulates."""
    return np.maximum(0.0, 1 / fs - t_feeding - t_commutation - t_swing)


@formula("y = (t_f + t_s)/max(0.000000000001, t_f + t_s + t_c)", "", "t_f t_s t_c", "definition")
def circulating_share(t_circulating: Any, t_swing: Any, t_commutation: Any) -> Any:
    """Share of the time between two pulses in which the primary current circulates or moves the leg; in the rest it is turned over."""
    return (t_circulating + t_swing) / np.maximum(1e-12, t_circulating + t_swing + t_commutation)


@formula("V_d = V_w − y·max(0, V_w − (V_w + R_w·I_m·(N_s/N_p)²)·L_o/(L_o + L·(N_s/N_p)²))", "V", "V_w y R_w I_m N_s N_p L_o L",
         "while one rectifier carries all, the leakage lies in series with the filter inductor and falls with it, less the drop of the "
         "loop; where the other takes over part of it, nothing is gained")
def voltage_down(v_free: Any, share: Any, r_loop: Any, i_mid: Any, turns_secondary: Any, turns_primary: Any, inductance: Any,
                 leakage: Any) -> Any:
    """Voltage [V] across the filter inductor between two pulses, in the mean."""
    square = np.square(turns_secondary / turns_primary)
    return v_free - share * np.maximum(0.0, v_free - (v_free + r_loop * i_mid * square) * inductance / (inductance + leakage * square))


@formula("I_n = N_s/N_p·max(0, Î_L − V_d·t_f/L_o) + I_mag", "A", "N_s N_p Î_L V_d t_f L_o I_mag",
         "the filter inductor's current as the lagging leg turns off, seen from the primary")
def followed(turns_secondary: Any, turns_primary: Any, i_crest: Any, v_down: Any, t_circulating: Any, inductance: Any, i_mag: Any) -> Any:
    """Primary current [A] that still carries all of the filter inductor's."""
    return turns_secondary / turns_primary * np.maximum(0.0, i_crest - v_down * t_circulating / inductance) + i_mag


@formula("I_f = min(I_n, I_mag·(1 − R_p/R_w) + (Î − I_mag·(1 − R_p/R_w))·exp(−R_w·t_f/L))", "A", "I_n I_mag R_p R_w Î t_f L",
         "decay in leakage and resistances, or the filter inductor's own fall where that is faster")
def circulating_end(i_followed: Any, i_mag: Any, r_path: Any, r_loop: Any, i_peak: Any, t_circulating: Any, inductance: Any) -> Any:
    """Primary current [A] when the lagging leg turns off."""
    rest = i_mag * (1 - r_path / r_loop)
    return np.minimum(i_followed, rest + (i_peak - rest) * np.exp(-r_loop * t_circulating / inductance))


@formula("V_s = min(V_p, I_f·√(L/C_g))", "V", "V_p I_f L C_g", "a quarter of the ring of leakage and leg, or the bus")
def swing(v_primary: Any, i_end: Any, inductance: Any, c_leg: Any) -> Any:
    """How far [V] the leakage moves the lagging leg's node before its switch turns on."""
    return np.minimum(v_primary, i_end * np.sqrt(inductance / c_leg))


@formula("V_s = min(V_p, I_f·t_q/C_g)", "V", "V_p I_f t_q C_g",
         "both rectifiers block: the magnetising inductance keeps its current while the node moves")
def swing_blocked(v_primary: Any, i_end: Any, t_dead: Any, c_leg: Any) -> Any:
    """The same where the filter inductor is empty."""
    return np.minimum(v_primary, i_end * t_dead / c_leg)


@formula("t_s = √(L·C_g)·asin(V_s/max(0.001, V_s, I_f·√(L/C_g)))", "s", "L C_g V_s I_f", "ring of leakage and leg")
def swing_time(inductance: Any, c_leg: Any, v_swing: Any, i_end: Any) -> Any:
    """Time [s] of that movement."""
    return np.sqrt(inductance * c_leg) * np.arcsin(v_swing / np.maximum(np.maximum(1e-3, v_swing), i_end * np.sqrt(inductance / c_leg)))


@formula("I_r = √(max(0, I_f² − C_g·V_p²/L))", "A", "I_f C_g V_p L", "energy of the leakage less that of the leg")
def left_current(i_end: Any, c_leg: Any, v_primary: Any, inductance: Any) -> Any:
    """Primary current [A] left when the bus begins to turn it over; it first flows back into the bus."""
    return np.sqrt(np.maximum(0.0, np.square(i_end) - c_leg * np.square(v_primary) / inductance))


@formula("t_c = max(0, L·(I_r + N_s/N_p·I_v − I_mag)/V_p)", "s", "L I_r N_s N_p I_v I_mag V_p",
         "the bus turns the current of the leakage over while both rectifiers conduct")
def turning_time(inductance: Any, i_left: Any, turns_secondary: Any, turns_primary: Any, i_valley: Any, i_mag: Any, v_primary: Any) -> Any:
    """Time [s] in which the pulse lasts and nothing reaches the filter: the duty lost."""
    return np.maximum(0.0, inductance * (i_left + turns_secondary / turns_primary * i_valley - i_mag) / v_primary)


@formula("D_l = t_c·f_p", "", "t_c f_p", "definition")
def duty_lost(t_commutation: Any, fs: Any) -> Any:
    """Share of the pulse period lost to turning the current over."""
    return t_commutation * fs


@formula("t_g = min(t_f + t_s, t_d)", "s", "t_f t_s t_d", "in discontinuous conduction only the magnetising current circulates on")
def loaded_time(t_circulating: Any, t_swing: Any, t_freewheeling: Any) -> Any:
    """Time [s] in which the circulating current still holds some of the filter inductor's."""
    return np.minimum(t_circulating + t_swing, t_freewheeling)


@formula("I_p = √(f_p·(t_c·(I_r² − I_r·I_1 + I_1²) + t_e·(I_1² + I_1·Î + Î²) + t_g·(Î² + Î·I_f + I_f²) + 3·(t_f + t_s − t_g)·I_f²)/3)", "A",
         "f_p t_c I_r I_1 t_e Î t_g t_f t_s I_f", "rms of linear pieces")
def primary_rms(fs: Any, t_commutation: Any, i_left: Any, i_start: Any, t_feeding: Any, i_peak: Any, t_loaded: Any, t_circulating: Any,
                t_swing: Any, i_end: Any) -> Any:
    """Primary winding rms current [A]; no interval of the period is free of current."""
    turning = t_commutation * (np.square(i_left) - i_left * i_start + np.square(i_start))
    feeding = t_feeding * (np.square(i_start) + i_start * i_peak + np.square(i_peak))
    circulating = t_loaded * (np.square(i_peak) + i_peak * i_end + np.square(i_end)) + 3 * (t_circulating + t_swing - t_loaded) * np.square(
        i_end)
    return np.sqrt(fs * (turning + feeding + circulating) / 3)


@formula("d = min(1, max(0, I_f − I_mag)/max(0.000001, I_n − I_mag))", "", "I_f I_mag I_n",
         "what the primary still holds of the filter inductor's current flows in one rectifier, the rest in both")
def held_share(i_end: Any, i_mag: Any, i_followed: Any) -> Any:
    """Difference of both rectifiers' currents over their sum at the end of the circulation."""
    return np.minimum(1.0, np.maximum(0.0, i_end - i_mag) / np.maximum(1e-6, i_followed - i_mag))


@formula("x = f_p·(t_e + (t_f + t_s)·(1 + d + d²)/3 + t_c·(1 − d + d²)/3)", "", "f_p t_e t_f t_s d t_c",
         "mean square of that share; one rectifier carries all while the bridge feeds")
def one_sided(fs: Any, t_feeding: Any, t_circulating: Any, t_swing: Any, held: Any, t_commutation: Any) -> Any:
    """Share of the pulse period in which one rectifier carries all, in the mean square."""
    return fs * (
        t_feeding + (t_circulating + t_swing) * (1 + held + np.square(held)) / 3 + t_commutation * (1 - held + np.square(held)) / 3)


@formula("P = f_p·V_p·(½·(I_1 + Î)·t_e + ½·(I_1 − I_r)·t_c + C_g·(½·V_p − V_s)) + P_c + P_a + P_off", "W",
         "f_p V_p I_1 Î t_e I_r t_c C_g V_s P_c P_a P_off",
         "charge drawn from the bus less what the leakage and the lagging leg give back; core, leading leg and turn-off losses come on top")
def bus_power(fs: Any, v_primary: Any, i_start: Any, i_peak: Any, t_feeding: Any, i_left: Any, t_commutation: Any, c_leg: Any, v_swing: Any,
              p_core: Any, p_leading: Any, p_off: Any) -> Any:
    """Power [W] drawn from the bus."""
    return (fs * v_primary
            * (0.5 * (i_start + i_peak) * t_feeding + 0.5 * (i_start - i_left) * t_commutation + c_leg * (0.5 * v_primary - v_swing))
            + p_core + p_leading + p_off)


@formula("P = f_p·t_c·R_w·(I_r² − I_r·I_1 + I_1²)/3", "W", "f_p t_c R_w I_r I_1",
         "what the turning current heats; straight pieces leave that out of the charge drawn")
def turning_loss(fs: Any, t_commutation: Any, r_loop: Any, i_left: Any, i_start: Any) -> Any:
    """Heat [W] of the current while it is turned over."""
    return fs * t_commutation * r_loop * (np.square(i_left) - i_left * i_start + np.square(i_start)) / 3


@formula("P_e = k_e·f_p·(t_c·(V_p/L)² + (I_p − I_s)²/t_e)", "W", "k_e f_p t_c V_p L I_p I_s t_e",
         "eddies of the strands while the current is turned over and while it rises; what it changes while it circulates is left out")
def series_eddies(factor: Any, fs: Any, t_commutation: Any, v_primary: Any, inductance: Any, i_peak: Any, i_start: Any,
                  t_feeding: Any) -> Any:
    """What the current of the series inductor burns in its strands [W]; factor [Ωs²], inductance: all that turns the current over [H]."""
    return factor * fs * (t_commutation * np.square(v_primary / inductance) + np.square(i_peak - i_start) / t_feeding)


@formula("P = ½·C_g·(V_p − V_s)²·f_p", "W", "C_g V_p V_s f_p", "what is left across the switch of a leg when it turns on")
def turn_on_loss(c_leg: Any, v_primary: Any, v_swing: Any, fs: Any) -> Any:
    """Turn-on loss [W] of both switches of a leg."""
    return 0.5 * c_leg * np.square(v_primary - v_swing) * fs


@formula("V_a = min(V_p, Î·t_a/C_g)", "V", "V_p Î t_a C_g",
         "the filter inductor's current and the magnetising current charge the leg at a nearly constant rate")
def leading_swing(v_primary: Any, i_peak: Any, t_dead: Any, c_leg: Any) -> Any:
    """How far [V] the leading leg's node moves within its dead time."""
    return np.minimum(v_primary, i_peak * t_dead / c_leg)


@formula("w = L·I_f²/(C_g·V_p²)", "", "L I_f C_g V_p",
         "energy of the leakage over that of the leg; at one the lagging leg just turns on softly")
def energy_ratio(inductance: Any, i_end: Any, c_leg: Any, v_primary: Any) -> Any:
    """Energy the leakage has over what moving the lagging leg takes."""
    return inductance * np.square(i_end) / (c_leg * np.square(v_primary))


@formula("L_z = C_g·(V_p/I)²", "H", "C_g V_p I", "energy of the leakage that just moves the lagging leg")
def soft_inductance(c_leg: Any, v_primary: Any, current: Any) -> Any:
    """Inductance [H] with which a primary current just turns the lagging leg on softly."""
    return c_leg * np.square(v_primary / current)


@formula("L_d = D_l·V_p/(2·f_p·I)", "H", "D_l V_p f_p I", "turning a current over takes that share of the pulse period")
def lossy_inductance(duty_lost: Any, v_primary: Any, fs: Any, current: Any) -> Any:
    """Inductance [H] that costs a share duty_lost of the pulse period at a primary current."""
    return duty_lost * v_primary / (2 * fs * current)


@formula("V_r = 2·V_R/(1 + a)", "V", "V_R a",
         "a rectifier that turns off against the leakage rings to twice its winding's voltage where nothing damps it")
def undamped_reverse(v_reverse: Any, allowance: Any) -> Any:
    """Reverse voltage [V] of a rectifier without a snubber, from the one with its allowance."""
    return 2 * v_reverse / (1 + allowance)
