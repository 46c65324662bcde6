"""A step-down stage whose core is driven both ways: what its magnetising current does that a single-ended one's does not."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("t_e = √(2·V_d/(f_s·(V_u + V_d))·min(I_o·L/V_u, "
         "(I_o + f_s·C_p·(N_p/N_s)²·V_o)/(V_u/L + V_p·N_p/(L_m·N_s))))", "s", "L I_o V_d f_s V_u V_o C_p V_p L_m N_p N_s",
         "charge of a triangle of current; between the pulses the magnetising current has no way but through the filter, once it has "
         "brought the nodes round by the output's voltage")
def feeding_dcm(inductance: Any, i_out: Any, v_down: Any, fs: Any, v_up: Any, v_out: Any, c_primary: Any, v_primary: Any, lm: Any,
                turns_primary: Any, turns_secondary: Any) -> Any:
    """Time [s] the secondary feeds the filter in discontinuous conduction."""
    ratio = turns_primary / turns_secondary
    helped = (i_out + fs * c_primary * np.square(ratio) * v_out) / (v_up / inductance + v_primary * ratio / lm)
    return np.sqrt(2 * v_down / (fs * (v_up + v_down)) * np.minimum(i_out * inductance / v_up, helped))


@formula("I_v = max(0, I_o/(f_s·(t_e + t_d)) − ½·ΔI)", "A", "I_o f_s t_e t_d ΔI",
         "symmetry of the triangle; in discontinuous conduction it stands on what the magnetising current carries")
def valley(i_out: Any, fs: Any, t_feeding: Any, t_freewheeling: Any, ripple: Any) -> Any:
    """Least current [A] of the filter inductor while it is fed and freewheels."""
    return np.maximum(0.0, i_out / (fs * (t_feeding + t_freewheeling)) - 0.5 * ripple)


@formula("I_s = max(0, I_mag·N_p/N_s − f_s·C_p·(N_p/N_s)²·V_o)", "A", "I_mag N_p N_s f_s C_p V_o",
         "what the magnetising current carries, less what brings the nodes round by the output's voltage")
def stands(i_mag: Any, turns_primary: Any, turns_secondary: Any, fs: Any, c_primary: Any, v_out: Any) -> Any:
    """Current [A] at which the filter inductor would rest between the pulses, at the border of continuous conduction."""
    ratio = turns_primary / turns_secondary
    return np.maximum(0.0, i_mag * ratio - fs * c_primary * np.square(ratio) * v_out)


@formula("I_mag = ½·V_p·t_e/L_m", "A", "V_p t_e L_m", "half the swing to each side")
def magnetising(v_primary: Any, t_feeding: Any, lm: Any) -> Any:
    """Magnetising current [A] at turn-off of a core driven both ways."""
    return 0.5 * v_primary * t_feeding / lm


@formula("I_1 = (N_s/N_p)·I_v − I_mag", "A", "N_s N_p I_v I_mag", "the magnetising current begins at its opposite peak")
def start(turns_secondary: Any, turns_primary: Any, i_valley: Any, i_mag: Any) -> Any:
    """Primary current [A] when the secondary begins to feed."""
    return turns_secondary / turns_primary * i_valley - i_mag


@formula("P = f_p·V_p·(½·(I_1 + Î)·t_e + ½·(I_1 + I_mag)·t_c − ½·(Î − I_mag)·t_l) + P_c + P_n + P_off", "W",
         "f_p V_p I_1 Î t_e I_mag t_c t_l P_c P_n P_off",
         "charge drawn from the bus less what the leakage gives back; core, node and turn-off losses come on top")
def bus_power(fs: Any, v_primary: Any, i_start: Any, i_peak: Any, t_feeding: Any, i_mag: Any, t_commutation: Any, t_return: Any,
              p_core: Any, p_node: Any, p_off: Any) -> Any:
    """Power [W] drawn from the bus by a bridge."""
    return (fs * v_primary
            * (0.5 * (i_start + i_peak) * t_feeding + 0.5 * (i_start + i_mag) * t_commutation - 0.5 * (i_peak - i_mag) * t_return)
            + p_core + p_node + p_off)


@formula("E_r = ½·min(L_lk·(N_s/N_p·Î_L)², C_p·V_p²)", "J", "L_lk N_s N_p Î_L C_p V_p",
         "what the leakage holds when the switches open; what it has beyond bringing the nodes to the rail goes back to the bus")
def ring_energy(leakage: Any, turns_secondary: Any, turns_primary: Any, i_crest: Any, c_primary: Any, v_primary: Any) -> Any:
    """Energy [J] that rings away between leakage and nodes after a pulse."""
    return 0.5 * np.minimum(leakage * np.square(turns_secondary / turns_primary * i_crest), c_primary * np.square(v_primary))


@formula("P = f_p·E_r", "W", "f_p E_r", "definition")
def ring_power(fs: Any, energy: Any) -> Any:
    """Loss [W] of the ring between leakage and nodes of a core driven both ways."""
    return fs * energy


@formula("t_x = max(0, 1/f_p − t_e − L/V_d·(Î_L − N_p/N_s·I_mag))", "s", "f_p t_e L V_d Î_L N_p N_s I_mag",
         "the filter's current falls below the magnetising one, which then finds its way through one rectifier alone")
def time_apart(fs: Any, t_feeding: Any, inductance: Any, v_down: Any, i_crest: Any, turns_primary: Any, turns_secondary: Any,
               i_mag: Any) -> Any:
    """How long before a pulse [s] the secondary is not shorted any more."""
    return np.maximum(0.0, 1 / fs - t_feeding - inductance / v_down * (i_crest - turns_primary / turns_secondary * i_mag))


@formula("V_on = max(0, V_p − N_p/N_s·V_o·(1 − cos(min(½·π, t_x·N_s/(N_p·√(L·C_p))))))", "V", "V_p N_p N_s V_o t_x L C_p",
         "what the magnetising current has beyond the filter's brings the nodes round, towards the output's voltage")
def turn_on_voltage(v_primary: Any, turns_primary: Any, turns_secondary: Any, v_out: Any, t_apart: Any, inductance: Any,
                    c_primary: Any) -> Any:
    """Voltage [V] that the switches have to charge the nodes by when they turn on."""
    ratio = turns_primary / turns_secondary
    turned = np.minimum(0.5 * np.pi, t_apart / (ratio * np.sqrt(inductance * c_primary)))
    return np.maximum(0.0, v_primary - ratio * v_out * (1 - np.cos(turned)))


@formula("t_h = V_p·t_e·N_s/(N_p·V_o)", "s", "V_p t_e N_s N_p V_o",
         "twice the time in which the output's voltage takes the magnetising current down: so long the nodes need to swing back")
def time_helped(v_primary: Any, t_feeding: Any, turns_secondary: Any, turns_primary: Any, v_out: Any) -> Any:
    """How long [s] before a pulse the magnetising current still has the nodes where it brought them."""
    return v_primary * t_feeding * turns_secondary / (turns_primary * v_out)


@formula("I_p = √(I² + f_p·(t_l·(Î − I_mag)²/3 + Q·E_r·√(C_p/L_lk)))", "A", "I f_p t_l Î I_mag Q E_r C_p L_lk",
         "rms of linear pieces, and of a decaying ring of quality Q")
def primary_rms(i_switch: Any, fs: Any, t_return: Any, i_peak: Any, i_mag: Any, quality: Any, energy: Any, c_primary: Any,
                leakage: Any) -> Any:
    """Primary winding rms current [A] of a core driven both ways; i_switch is that of all pulses."""
    return np.sqrt(np.square(i_switch) + fs * (t_return * np.square(i_peak - i_mag) / 3
                                               + quality * energy * np.sqrt(c_primary / leakage)))
