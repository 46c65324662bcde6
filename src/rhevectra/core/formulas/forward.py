"""The period of a single-ended forward converter: an averaged current through the filter inductor, drops and commutation in it.

While the switch is on the secondary feeds the filter inductor; the leakage first takes the inductor's valley current over
from the freewheeling rectifier (both conduct, nothing reaches the filter). After turn-off the inductor freewheels and the
core gives its magnetising current back. Source of all relations: volt-second and charge balance of that circuit with
resistances taken at the mean current of their interval; checked against a circuit simulator on the exported netlist.
The max in an equation binds only where no converter exists; the duty figure then refuses it.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

_MODEL = "volt-second and charge balance of the forward period"


@formula("V_u = max(0.05·V_o, (N_s/N_p)·(V_p − R_p·((N_s/N_p)·I_m + ½·I_mag)) − V_f − (r_d + R_L)·I_m − V_o)·L/(L + L_lk·(N_s/N_p)²)", "V",
         "V_o N_s N_p V_p R_p I_m I_mag V_f r_d R_L L L_lk", _MODEL)
def voltage_up(v_out: Any, turns_secondary: Any, turns_primary: Any, v_primary: Any, r_primary: Any, i_mid: Any, i_mag: Any, v_forward: Any,
               r_rectifier: Any, r_inductor: Any, inductance: Any, leakage: Any) -> Any:
    """Voltage [V] across the filter inductor while the switch feeds it, its share beside the leakage; r_rectifier includes the secondary
    winding."""
    ratio = turns_secondary / turns_primary
    whole = np.maximum(0.05 * v_out,
                       ratio * (v_primary - r_primary * (ratio * i_mid + 0.5 * i_mag)) - v_forward - (r_rectifier + r_inductor) * i_mid
                       - v_out)
    return whole * inductance / (inductance + leakage * np.square(ratio))


@formula("V_d = V_o + V_f + (r_d + R_L)·I_m", "V", "V_o V_f r_d R_L I_m", _MODEL)
def voltage_down(v_out: Any, v_forward: Any, r_rectifier: Any, r_inductor: Any, i_mid: Any) -> Any:
    """Voltage [V] across the filter inductor while it freewheels."""
    return v_out + v_forward + (r_rectifier + r_inductor) * i_mid


@formula("t_e = V_d/(f_s·(V_u + V_d))", "s", "V_d f_s V_u", "volt-second balance of the filter inductor")
def feeding_ccm(v_down: Any, fs: Any, v_up: Any) -> Any:
    """Time [s] the secondary feeds the filter in continuous conduction."""
    return v_down / (fs * (v_up + v_down))


@formula("t_e = √(2·L·I_o·V_d/(f_s·V_u·(V_u + V_d)))", "s", "L I_o V_d f_s V_u", "charge of a triangle of current")
def feeding_dcm(inductance: Any, i_out: Any, v_down: Any, fs: Any, v_up: Any) -> Any:
    """The same in discontinuous conduction."""
    return np.sqrt(2 * inductance * i_out * v_down / (fs * v_up * (v_up + v_down)))


@formula("f_s = min(f_n, max(f_floor, f_n·(t_n/max(t_floor, 0.000000000001))²))", "Hz", "f_n f_floor t_n t_floor",
         "below the shortest pulse of the light-load law each pulse carries the same charge and the pulse rate falls")
def pulse_rate(fs: Any, f_floor: Any, t_feeding: Any, t_floor: Any) -> Any:
    """Average pulse rate [Hz]; t_feeding [s] is what full rate would ask for in discontinuous conduction."""
    return np.minimum(fs, np.maximum(f_floor, fs * np.square(t_feeding / np.maximum(t_floor, 1e-12))))


@formula("ΔI = V_u·t_e/L", "A", "V_u t_e L", "induction law")
def ripple_current(v_up: Any, t_feeding: Any, inductance: Any) -> Any:
    """Peak-to-peak ripple current [A] of the filter inductor."""
    return v_up * t_feeding / inductance


@formula("t_d = V_u·t_e/V_d", "s", "V_u t_e V_d", "volt-second balance of the filter inductor")
def freewheeling(v_up: Any, t_feeding: Any, v_down: Any) -> Any:
    """Time [s] in which the current falls by what it has risen."""
    return v_up * t_feeding / v_down


@formula("I_v = max(0, I_o − ½·ΔI)", "A", "I_o ΔI", "symmetry of the triangle")
def valley(i_out: Any, ripple: Any) -> Any:
    """Least current [A] of the filter inductor; zero in discontinuous conduction."""
    return np.maximum(0.0, i_out - 0.5 * ripple)


@formula("Î_L = I_v + ΔI", "A", "I_v ΔI", "definition")
def crest(i_valley: Any, ripple: Any) -> Any:
    """Greatest current [A] of the filter inductor."""
    return i_valley + ripple


@formula("I_L = √(f_s·(t_e + t_d)·(I_v² + I_v·Î_L + Î_L²)/3)", "A", "f_s t_e t_d I_v Î_L",
         "rms of linear pieces; where conduction is continuous the two times fill the period")
def inductor_rms(fs: Any, t_feeding: Any, t_freewheeling: Any, i_valley: Any, i_crest: Any) -> Any:
    """Rms current [A] of the filter inductor."""
    return np.sqrt(fs * (t_feeding + t_freewheeling) * (np.square(i_valley) + i_valley * i_crest + np.square(i_crest)) / 3)


@formula("t_c = L_lk·(N_s/N_p)·I_v/V_p", "s", "L_lk N_s N_p I_v V_p",
         "the leakage takes the valley current over while both rectifiers conduct")
def commutation(leakage: Any, turns_secondary: Any, turns_primary: Any, i_valley: Any, v_primary: Any) -> Any:
    """Part of the on-time [s] in which nothing reaches the filter."""
    return leakage * (turns_secondary / turns_primary) * i_valley / v_primary


@formula("t_x = ½·C_p·V_p/max(0.000001, Î)", "s", "C_p V_p Î",
         "after turn-off the peak current takes a while to bring the winding to zero; half of that time counts as feeding")
def feeding_after(c_primary: Any, v_primary: Any, i_peak: Any) -> Any:
    """Feeding time [s] that follows the gate pulse."""
    return 0.5 * c_primary * v_primary / np.maximum(1e-6, i_peak)


@formula("t_on = max(0.1·t_e, t_e + t_c − t_x)", "s", "t_e t_c t_x", "definition")
def on_time(t_feeding: Any, t_commutation: Any, t_after: Any) -> Any:
    """Gate pulse [s]; never below a tenth of the feeding time, where the node capacitance feeds by itself."""
    return np.maximum(0.1 * t_feeding, t_feeding + t_commutation - t_after)


@formula("I_mag = V_p·t_e/L_m", "A", "V_p t_e L_m", "induction law")
def magnetising(v_primary: Any, t_feeding: Any, lm: Any) -> Any:
    """Magnetising current [A] at turn-off."""
    return v_primary * t_feeding / lm


@formula("Î = (N_s/N_p)·Î_L + I_mag", "A", "N_s N_p Î_L I_mag", "transformer ratio")
def switch_peak(turns_secondary: Any, turns_primary: Any, i_crest: Any, i_mag: Any) -> Any:
    """Peak switch current [A]."""
    return turns_secondary / turns_primary * i_crest + i_mag


@formula("I_sw = √(f_s·(t_e·(I_1² + I_1·Î + Î²) + t_c·I_1²)/3)", "A", "f_s t_e I_1 Î t_c",
         "rms of linear pieces; I_1 is the valley current seen from the primary")
def switch_rms(fs: Any, t_feeding: Any, i_start: Any, i_peak: Any, t_commutation: Any) -> Any:
    """Switch rms current [A]."""
    return np.sqrt(fs * (t_feeding * (np.square(i_start) + i_start * i_peak + np.square(i_peak)) + t_commutation * np.square(i_start)) / 3)


@formula("t_l = L_lk·(N_s/N_p)·Î_L/V_p", "s", "L_lk N_s N_p Î_L V_p", "the leakage current returns to the bus through the reset diodes")
def leakage_return(leakage: Any, turns_secondary: Any, turns_primary: Any, i_crest: Any, v_primary: Any) -> Any:
    """Time [s] in which the leakage gives its energy back."""
    return leakage * (turns_secondary / turns_primary) * i_crest / v_primary


@formula("I_p = √(I_sw² + f_s·(t_e·I_mag² + t_l·(Î − I_mag)²)/3)", "A", "I_sw f_s t_e I_mag t_l Î",
         "rms of linear pieces: feeding, reset of the core, return of the leakage")
def primary_rms(i_switch: Any, fs: Any, t_feeding: Any, i_mag: Any, t_return: Any, i_peak: Any) -> Any:
    """Primary winding rms current [A]."""
    return np.sqrt(np.square(i_switch) + fs * (t_feeding * np.square(i_mag) + t_return * np.square(i_peak - i_mag)) / 3)


@formula("P = f_s·V_p·(½·(I_1 + Î)·t_e + ½·I_1·t_c − ½·I_mag·t_e − ½·(Î − I_mag)·t_l) + P_c + P_n + P_off", "W",
         "f_s V_p I_1 Î t_e t_c I_mag t_l P_c P_n P_off",
         "charge drawn from the bus less what reset and leakage give back; core, node and turn-off losses come on top")
def bus_power(fs: Any, v_primary: Any, i_start: Any, i_peak: Any, t_feeding: Any, t_commutation: Any, i_mag: Any, t_return: Any,
              p_core: Any, p_node: Any, p_off: Any) -> Any:
    """Power [W] drawn from the bus by the switching stage."""
    return (fs * v_primary
            * (0.5 * (i_start + i_peak) * t_feeding + 0.5 * i_start * t_commutation - 0.5 * i_mag * t_feeding
               - 0.5 * (i_peak - i_mag) * t_return) + p_core + p_node + p_off)


@formula("V_p = k·V_bus", "V", "k V_bus", "the return of the primary stands at that share of the bus")
def primary_voltage(share: Any, v_bus: Any) -> Any:
    """Voltage [V] across the primary while the switches are on."""
    return share * v_bus


@formula("C_p = n·C_n", "F", "n C_n", "the nodes' capacitances as they lie across the primary, in parallel or in series")
def across_primary(count: Any, c_node: Any) -> Any:
    """Capacitance [F] across the primary."""
    return count * c_node


@formula("P = f_p·(t_e·R_p·(Î − I_1)² + (t_e·r_f + t_d·r_w)·ΔI²)/12", "W", "f_p t_e R_p Î I_1 r_f t_d r_w ΔI",
         "a ramp heats more than its mean does; straight ramps leave that out of the charge drawn")
def ramp_loss(fs: Any, t_feeding: Any, r_path: Any, i_peak: Any, i_start: Any, r_feeding: Any, t_freewheeling: Any, r_freewheeling: Any,
              ripple: Any) -> Any:
    """What the ripple of the ramps heats [W] beyond their means."""
    return (fs / 12
            * (t_feeding * r_path * np.square(i_peak - i_start)
               + (t_feeding * r_feeding + t_freewheeling * r_freewheeling) * np.square(ripple)))


@formula("V̂ = V_bus + V_f + R_f·Î", "V", "V_bus V_f R_f Î", "each switch is held to the bus by a diode that takes its current over")
def held_to_bus(v_bus: Any, v_forward: Any, r_diode: Any, i_peak: Any) -> Any:
    """Largest voltage [V] across a switch; the diode's drop, and its resistance [Ω]."""
    return v_bus + v_forward + r_diode * i_peak


@formula("V_R = (1 + a)·V_p·N_s/N_p", "V", "a V_p N_s N_p", "turns ratio; ringing allowance a stated (common practice)")
def rectifier_reverse(allowance: Any, v_primary: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Reverse voltage [V] of either rectifier with its ringing allowance."""
    return (1 + allowance) * v_primary * turns_secondary / turns_primary


@formula("x = max(t_on·f_s, 1 − t_on·f_s)", "", "t_on f_s",
         "the feeding rectifier conducts in the on-time, the freewheeling one in the rest")
def busier_share(t_on: Any, fs: Any) -> Any:
    """Share of the period in which the busier of the two rectifiers conducts (an upper bound in discontinuous conduction)."""
    return np.maximum(t_on * fs, 1 - t_on * fs)


@formula("I = x·I_o", "A", "x I_o", "the two rectifiers share the output current in time")
def rectifier_average(share: Any, i_out: Any) -> Any:
    """Average current [A] of the busier rectifier."""
    return share * i_out


@formula("I = √(x)·I_L", "A", "x I_L", "rms of a current that flows for a share of the period")
def rectifier_rms(share: Any, i_inductor: Any) -> Any:
    """Rms current [A] of the busier rectifier."""
    return np.sqrt(share) * i_inductor


@formula("P = V_f·I_o + r_d·I_L²", "W", "V_f I_o r_d I_L", "one of the two always carries the inductor's current")
def rectifiers_loss(v_forward: Any, i_out: Any, r_dynamic: Any, i_inductor: Any) -> Any:
    """Conduction loss [W] of both rectifiers together."""
    return v_forward * i_out + r_dynamic * np.square(i_inductor)


@formula("L = V_d·(1 − D)/(f_s·k·I_o)", "H", "V_d D f_s k I_o", "ripple ratio k of the output current at the least duty")
def filter_inductance(v_down: Any, duty: Any, fs: Any, ripple_ratio: Any, i_out: Any) -> Any:
    """Filter inductance [H] for a peak-to-peak ripple of ripple_ratio times the output current."""
    return v_down * (1 - duty) / (fs * ripple_ratio * i_out)


@formula("N_s/N_p = (V_o + V_x)/(D·V_p)", "", "V_o V_x D V_p",
         "volt-second balance at the lowest bus and the largest duty used; V_x holds the drops")
def turns_ratio(v_out: Any, v_drops: Any, duty: Any, v_primary: Any) -> Any:
    """Secondary over primary turns."""
    return (v_out + v_drops) / (duty * v_primary)


@formula("B̂ = B_r + V_p·D/(f_s·N_p·A)", "T", "B_r V_p D f_s N_p A", "the loop may answer a load step with its largest duty at any bus")
def flux_at_full_duty(remanence: Any, v_primary: Any, duty: Any, fs: Any, turns: Any, area: Any) -> Any:
    """Peak flux density [T] of a single-ended core when largest duty meets the bus."""
    return remanence + v_primary * duty / (fs * turns * area)


@formula("ΔB = V_p·t_e/(N_p·A)", "T", "V_p t_e N_p A", "induction law")
def flux_swing(v_primary: Any, t_feeding: Any, turns: Any, area: Any) -> Any:
    """Flux swing [T] of the steady state."""
    return v_primary * t_feeding / (turns * area)


@formula("L_m = µ₀·N²·A/(l_e/µ_i + g)", "H", "N A l_e µ_i g", "core without a gap; g is what remains between ground faces")
def ungapped_inductance(turns: Any, area: Any, length: Any, mu: Any, residual: Any) -> Any:
    """Magnetising inductance [H] of an ungapped core with a residual gap [m]."""
    return 4e-7 * np.pi * np.square(turns) * area / (length / mu + residual)


@formula("I_o = max(0.000001, (Î_lim − I_mag)·N_p/N_s − ½·ΔI)", "A", "Î_lim I_mag N_p N_s ΔI",
         "mean of the inductor current whose crest trips the limit, continuous conduction")
def current_at_limit(i_limit: Any, i_mag: Any, turns_primary: Any, turns_secondary: Any, ripple: Any) -> Any:
    """Output current [A] at which the current limit holds."""
    return np.maximum(1e-6, (i_limit - i_mag) * turns_primary / turns_secondary - 0.5 * ripple)


@formula("Î_f = (Î_lim − I_mag)·N_p/N_s", "A", "Î_lim I_mag N_p N_s", "what the limit leaves of the primary current, seen from the filter")
def crest_at_limit(i_limit: Any, i_mag: Any, turns_primary: Any, turns_secondary: Any) -> Any:
    """Crest of the filter's current [A] at which the current limit trips."""
    return (i_limit - i_mag) * turns_primary / turns_secondary


@formula("Î_lim = I_lim·(1 + δ) + (V_p/L_m + V_u·N_s/(L·N_p))·t_d", "A", "I_lim δ V_p L_m V_u N_s L N_p t_d",
         "the current runs on at its own slope during the propagation delay")
def limit_current(i_limit: Any, tolerance: Any, v_primary: Any, lm: Any, v_up: Any, turns_secondary: Any, inductance: Any,
                  turns_primary: Any, t_delay: Any) -> Any:
    """Largest switch current [A] the current limit lets pass."""
    return i_limit * (1 + tolerance) + (v_primary / lm + v_up * turns_secondary / (inductance * turns_primary)) * t_delay


@formula("f_p = m·f_s", "Hz", "m f_s", "a core driven both ways feeds the filter twice a period")
def pulse_frequency(pulses: Any, fs: Any) -> Any:
    """Frequency [Hz] at which the filter is fed."""
    return pulses * fs


@formula("f_s = f_p/m", "Hz", "f_p m", "definition")
def switch_frequency(rate: Any, pulses: Any) -> Any:
    """Frequency [Hz] of one switch."""
    return rate / pulses


@formula("R = ½·(r_d + R_s)", "Ω", "r_d R_s", "both halves of the centre tap freewheel side by side")
def freewheeling_resistance(r_rectifier: Any, r_winding: Any) -> Any:
    """Resistance [Ω] in the path of the freewheeling current of a centre tap."""
    return 0.5 * (r_rectifier + r_winding)


@formula("I_sw = I/√(m)", "A", "I m", "each switch carries one of m pulses")
def one_of_pulses(i_all: Any, pulses: Any) -> Any:
    """Rms current [A] of one switch."""
    return i_all / np.sqrt(pulses)


@formula("P = ½·C_p·V_p²·f_p", "W", "C_p V_p f_p",
         "turn-on from a winding at rest: what lies across the primary is charged through the switches")
def turn_on_loss(c_primary: Any, v_primary: Any, fs: Any) -> Any:
    """Turn-on loss [W] of all switches."""
    return 0.5 * c_primary * np.square(v_primary) * fs


@formula("P_1 = P/n", "W", "P n", "definition")
def share_of(power: Any, count: Any) -> Any:
    """Power [W] of one of several."""
    return power / count


@formula("V_R = (1 + a)·2·V_p·N_s/N_p", "V", "a V_p N_s N_p",
         "turns ratio: the other half of the centre tap adds its voltage; ringing allowance a stated (common practice)")
def centre_tap_reverse(allowance: Any, v_primary: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Reverse voltage [V] of a rectifier of a centre tap with its ringing allowance."""
    return (1 + allowance) * 2 * v_primary * turns_secondary / turns_primary


@formula("I = I_L·√(½·D + ¼·max(0, 1 − D))", "A", "I_L D",
         "its own pulse in full, half the current while both freewheel; D of the pulse period")
def centre_tap_rms(i_inductor: Any, duty: Any) -> Any:
    """Rms current [A] of one rectifier, and one half of the winding, of a centre tap (freewheeling current spread over the rest of the
    period)."""
    return i_inductor * np.sqrt(0.5 * duty + 0.25 * np.maximum(0.0, 1 - duty))


@formula("P = V_f·I_o + ½·r_d·I_L²·(1 + D)", "W", "V_f I_o r_d I_L D",
         "the whole current through one rectifier while feeding, half through each while freewheeling")
def centre_tap_loss(v_forward: Any, i_out: Any, r_dynamic: Any, i_inductor: Any, duty: Any) -> Any:
    """Conduction loss [W] of both rectifiers of a centre tap."""
    return v_forward * i_out + 0.5 * r_dynamic * np.square(i_inductor) * (1 + duty)


@formula("P = ½·R·I_L²·(1 + D)", "W", "R I_L D", "the whole current through one half while feeding, half through each while freewheeling")
def centre_tap_copper(r: Any, i_inductor: Any, duty: Any) -> Any:
    """Copper loss [W] of both halves of a centre tap."""
    return 0.5 * r * np.square(i_inductor) * (1 + duty)
