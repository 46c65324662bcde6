"""Secondaries of a core driven both ways, told as the centre tap that behaves alike: full bridge and current doubler.

A bridge is a centre tap whose rectifiers are two in series. Of a current doubler the two filter inductors together fall and rise as one of
half their inductance behind half the winding; what they carry apart flows through the winding like a magnetising current, for both lie in
series across it. Source of all relations: Kirchhoff's laws of the ideal circuits, by hand; checked against the steady-state engine and a
circuit simulator.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_2 = 2·V_f", "V", "V_f", "two rectifiers of the bridge in series")
def pair_drop(v_forward: Any) -> Any:
    """Fixed drop [V] of a bridge."""
    return 2 * v_forward


@formula("r_2 = 2·r_d", "Ω", "r_d", "two rectifiers of the bridge in series")
def pair_resistance(r_rectifier: Any) -> Any:
    """Resistance [Ω] of a bridge."""
    return 2 * r_rectifier


@formula("N_h = ½·N_s", "", "N_s", "a current doubler gives its inductors half the winding's voltage together")
def half_turns(turns: Any) -> Any:
    """Turns of the centre tap's half that behaves alike."""
    return 0.5 * turns


@formula("L_e = ½·L", "H", "L", "both inductors of a current doubler side by side")
def half_inductance(inductance: Any) -> Any:
    """Inductance [H] that the sum of both currents sees."""
    return 0.5 * inductance


@formula("R_e = ½·R_L", "Ω", "R_L", "both inductors of a current doubler side by side")
def half_resistance(r: Any) -> Any:
    """Resistance [Ω] that the sum of both currents sees."""
    return 0.5 * r


@formula("R_e = ¼·R_w", "Ω", "R_w", "half the current in the winding, which has twice the turns")
def quarter_resistance(r: Any) -> Any:
    """Resistance [Ω] of the centre tap's half that behaves alike."""
    return 0.25 * r


@formula("L_e = 1/(1/L_m + (N_s/N_p)²/(2·L))", "H", "L_m N_s N_p L",
         "both inductors in series lie across the winding, beside the magnetising inductance")
def magnetising_with_inductors(lm: Any, turns_secondary: Any, turns_primary: Any, inductance: Any) -> Any:
    """Inductance [H] the primary sees across the winding."""
    return 1 / (1 / lm + np.square(turns_secondary / turns_primary) / (2 * inductance))


@formula("L = V_d·(1 − ½·D)/(f_s·k·½·I_o)", "H", "V_d D f_s k I_o",
         "each inductor carries half the current and falls for the rest of a whole period; k of that half; D of the pulse period")
def doubler_inductance(v_down: Any, duty: Any, fs: Any, ripple_ratio: Any, i_out: Any) -> Any:
    """Inductance [H] of each of both inductors."""
    return v_down * (1 - 0.5 * duty) / (fs * ripple_ratio * 0.5 * i_out)


@formula("δ = ½·V_p·(N_s/N_p)·t_e/L", "A", "V_p N_s N_p t_e L",
         "the winding drives both inductors in series; the difference of their currents turns over in each pulse")
def apart(v_primary: Any, turns_secondary: Any, turns_primary: Any, t_feeding: Any, inductance: Any) -> Any:
    """Greatest difference [A] of the currents of both inductors."""
    return 0.5 * v_primary * turns_secondary / turns_primary * t_feeding / inductance


@formula("ΔI_1 = ½·ΔI + δ", "A", "ΔI δ", "half of what both rise together and half of what they turn apart")
def ripple_of_one(ripple: Any, difference: Any) -> Any:
    """Ripple [A] of one inductor."""
    return 0.5 * ripple + difference


@formula("Î_1 = ½·(Î + δ)", "A", "Î δ", "at the end of its pulse")
def crest_of_one(crest: Any, difference: Any) -> Any:
    """Greatest current [A] of one inductor."""
    return 0.5 * (crest + difference)


@formula("I_1 = ½·√(I_L² + δ²·max(1/3, 1 − (2/3)·f_p·t_e))", "A", "I_L δ f_p t_e",
         "sum and difference are uncorrelated; the difference ramps while it is fed and rests else")
def rms_of_one(i_inductor: Any, difference: Any, fs: Any, t_feeding: Any) -> Any:
    """Rms current [A] of one inductor."""
    return 0.5 * np.sqrt(np.square(i_inductor) + np.square(difference) * np.maximum(1 / 3, 1 - 2 / 3 * fs * t_feeding))


@formula("t_1 = 1/f_s − t_e", "s", "f_s t_e", "one inductor falls for the rest of a whole period")
def falling_of_one(fs: Any, t_feeding: Any) -> Any:
    """Time [s] in which the current of one inductor falls."""
    return 1 / fs - t_feeding


@formula("P = δ²·(R_L·max(1/3, 1 − (2/3)·f_p·t_e) + (1/3)·R_s·f_p·t_e)", "W", "δ R_L f_p t_e R_s",
         "copper of inductors and winding, as the centre tap that behaves alike has it, for the difference alone")
def loss_apart(difference: Any, r_inductor: Any, fs: Any, t_feeding: Any, r_secondary: Any) -> Any:
    """Copper loss [W] of what the inductors of a current doubler carry apart."""
    return np.square(difference) * (r_inductor * np.maximum(1 / 3, 1 - 2 / 3 * fs * t_feeding) + r_secondary * fs * t_feeding / 3)


@formula("P = 2·P_1", "W", "P_1", "both inductors")
def both(one: Any) -> Any:
    """Loss [W] of both inductors of a current doubler."""
    return 2 * one


@formula("P = R·I_L²·D", "W", "R I_L D", "the whole current while feeding, none while the bridge freewheels")
def bridge_copper(r: Any, i_inductor: Any, duty: Any) -> Any:
    """Copper loss [W] of the winding behind a bridge."""
    return r * np.square(i_inductor) * duty


@formula("P = R·D·(¼·I_L² + (1/12)·δ²)", "W", "R D I_L δ", "the current of the rising inductor while feeding, none while both freewheel")
def doubler_copper(r: Any, duty: Any, i_inductor: Any, difference: Any) -> Any:
    """Copper loss [W] of the winding of a current doubler."""
    return r * duty * (0.25 * np.square(i_inductor) + np.square(difference) / 12)
