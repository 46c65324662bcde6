"""The flyback period with leakage, node capacitance and commutation in it.

Model, stated once and used by sizing, pictures and netlist alike. All currents are seen from the primary. L_p = L_m + L_lk. The node
capacitance C_n is one linear capacitor. In order: the switch is on (t_com of it spent commutating the leakage where conduction is
continuous), the node rises (t_r), leakage current empties into the clamp (t_cl) while the secondary takes over, the secondary
discharges the core (t_off, commutation at the next turn-on included), and in discontinuous mode the node rings around the bus until the
next turn-on. Charge balance of the secondary fixes the currents: the core's discharge charge feeds the outputs, what the clamp took,
and what the core and the turn-off dissipated.
Source of all relations: charge, flux and energy balance of that circuit; checked against a circuit simulator on the exported netlist.
The min and max in the equations bind only where no converter exists (a loss larger than the output, a rise longer than the period);
such a design is refused by its findings and still drawn with finite numbers.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

LEAST_ON_TIME = 50e-9
"""Shortest gate pulse [s] (common practice: gate and blanking times)."""
_MODEL = "charge, flux and energy balance of the flyback period with leakage and node capacitance"


@formula("V_or = (N_p/N_s)·(V_o + V_d)", "V", "N_p N_s V_o V_d", "transformer ratio")
def reflected_voltage(turns_primary: Any, turns_secondary: Any, v_out: Any, v_drop: Any) -> Any:
    """Output voltage with its rectifier and winding drop as the primary sees it [V]."""
    return (turns_primary / turns_secondary) * (v_out + v_drop)


@formula("V_oc = V_or − ½·(N_p/N_s)·(V_d − V_f)", "V", "V_or N_p N_s V_d V_f",
         "while the leakage empties the secondary's current only rises: the drop across its resistance is half of what its charge meets on "
         "the mean, or less")
def commutating_voltage(v_reflected: Any, turns_primary: Any, turns_secondary: Any, v_drop: Any, v_forward: Any) -> Any:
    """Output voltage [V] as the primary sees it while the secondary takes over."""
    return v_reflected - 0.5 * (turns_primary / turns_secondary) * (v_drop - v_forward)


@formula("V_d = V_f + min(½·V_o, (r_d + R_s)·I_rms²/I_avg)", "V", "V_f r_d R_s I_rms I_avg V_o",
         "charge-averaged drop of a resistive rectifier")
def rectifier_drop(v_forward: Any, r_dynamic: Any, r_winding: Any, i_rms: Any, i_avg: Any, v_out: Any) -> Any:
    """Average drop [V] that the secondary charge has to overcome."""
    return v_forward + np.minimum(0.5 * v_out, (r_dynamic + r_winding) * np.square(i_rms) / i_avg)


@formula("D = V_or/(V_or + V_bus)", "", "V_or V_bus", "volt-second balance without losses")
def duty_ideal(v_reflected: Any, v_bus: Any) -> Any:
    """Duty of an ideal flyback in continuous conduction."""
    return v_reflected / (v_reflected + v_bus)


@formula("L_p = (V_bus·D)²/(K·P·f_s)", "H", "V_bus D K P f_s", "ripple ratio K = ΔI/I_mid of the on-time current in continuous conduction")
def primary_inductance(v_bus: Any, duty: Any, ripple_ratio: Any, power: Any, fs: Any) -> Any:
    """Primary inductance [H] for ripple_ratio = peak-to-peak ripple over the mid value of the on-time current."""
    return np.square(v_bus * duty) / (ripple_ratio * power * fs)


@formula("L_m = max(0.05·L_p, L_p − L_lk)", "H", "L_p L_lk", "series splitting of the primary inductance")
def magnetising(lp: Any, leakage: Any) -> Any:
    """Magnetising part of the primary inductance [H]."""
    return np.maximum(0.05 * lp, lp - leakage)


@formula("t_v = min(t_f, √(2·V_x·C_n·t_f/Î))", "s", "t_f V_x C_n Î",
         "a linearly falling current charges the node while the channel still carries the rest")
def voltage_rise_in_fall(t_fall: Any, v_off: Any, c_node: Any, i_peak: Any) -> Any:
    """Time [s] the drain takes to rise while the switch current falls, never longer than the fall itself."""
    return np.minimum(t_fall, np.sqrt(2 * v_off * c_node * t_fall / np.maximum(i_peak, 1e-9)))


@formula("E_off = Î²/(2·t_f·C_n)·(t_v³/3 − t_v²·t_v²/(4·t_f)) + ½·V_x·Î·(t_f − t_v)²/t_f", "J", "Î t_f C_n t_v V_x",
         "integral of drain voltage times channel current; the node capacitance takes over part of the turn-off")
def turn_off_energy(i_peak: Any, t_fall: Any, c_node: Any, t_voltage: Any, v_off: Any) -> Any:
    """Energy [J] lost in the switch while its current falls linearly in t_fall [s]."""
    return (np.square(i_peak) * np.square(t_voltage) * t_voltage * (1 / (6 * t_fall * c_node) - t_voltage / (8 * t_fall**2 * c_node))
            + (0.5 / t_fall) * v_off * i_peak * np.square(t_fall - t_voltage))


@formula("Q = (I_s + I_k)/f_s + min(E_off/V_or + V_or·t_off/R_c, ½·(I_s + I_k)/f_s)", "C", "I_s I_k f_s E_off V_or t_off R_c", _MODEL)
def core_charge(i_secondary: Any, i_clamp: Any, fs: Any, e_off: Any, v_reflected: Any, t_off: Any, r_core: Any) -> Any:
    """Charge [C] the core must discharge each period, seen from the primary."""
    return (i_secondary + i_clamp) / fs + np.minimum(e_off / v_reflected + v_reflected * t_off / r_core, 0.5 * (i_secondary + i_clamp) / fs)


@formula("Î_1 = √(2·V_or·Q/L_m)", "A", "V_or Q L_m", _MODEL)
def discharge_peak_dcm(v_reflected: Any, q: Any, lm: Any) -> Any:
    """Core current [A] when the secondary takes over, discontinuous conduction."""
    return np.sqrt(2 * v_reflected * q / lm)


@formula("Î_1 = (Q + ½·I_e·t_com)/t_off + ½·V_or·t_off/L_m", "A", "Q I_e t_com t_off V_or L_m", _MODEL)
def discharge_peak_ccm(q: Any, i_end: Any, t_com: Any, t_off: Any, v_reflected: Any, lm: Any) -> Any:
    """Core current [A] when the secondary takes over, continuous conduction."""
    return (q + 0.5 * i_end * t_com) / t_off + 0.5 * v_reflected * t_off / lm


@formula("I_e = max(0, Î_1 − V_or·t_off/L_m)", "A", "Î_1 V_or t_off L_m", "discharge at constant voltage")
def current_at_end(i_one: Any, v_reflected: Any, t_off: Any, lm: Any) -> Any:
    """Core current [A] left at the end of the discharge (zero in discontinuous conduction)."""
    return np.maximum(0.0, i_one - v_reflected * t_off / lm)


@formula("t_off = L_m·Î_1/V_or", "s", "L_m Î_1 V_or", "discharge at constant voltage")
def discharge_time_dcm(lm: Any, i_one: Any, v_reflected: Any) -> Any:
    """Time [s] in which the core empties."""
    return lm * i_one / v_reflected


@formula("Î = √(max(0, Î_1² − (C_n/L_p)·(V_bus² − V_or²)))", "A", "Î_1 C_n L_p V_bus V_or",
         "energy of the node rise: bus and inductance charge the node capacitance")
def switch_peak(i_one: Any, c_node: Any, lp: Any, v_bus: Any, v_reflected: Any) -> Any:
    """Current [A] at turn-off that leaves i_one after the node has risen to bus plus reflected voltage."""
    return np.sqrt(np.maximum(0.0, np.square(i_one) - (c_node / lp) * (np.square(v_bus) - np.square(v_reflected))))


@formula("Î_1 = √(max(0, Î² + (C_n/L_p)·(V_bus² − V_or²)))", "A", "Î C_n L_p V_bus V_or",
         "energy of the node rise: bus and inductance charge the node capacitance")
def after_node_rise(i_peak: Any, c_node: Any, lp: Any, v_bus: Any, v_reflected: Any) -> Any:
    """Core current [A] after the node rise, from the current at turn-off."""
    return np.sqrt(np.maximum(0.0, np.square(i_peak) + (c_node / lp) * (np.square(v_bus) - np.square(v_reflected))))


@formula("t_r = min(0.25/f_s, 2·C_n·(V_bus + V_or)/max(Î + Î_1, 0.000001))", "s", "C_n V_bus V_or Î Î_1 f_s",
         "charge of the node at the mean of its two end currents")
def rise_time(c_node: Any, v_bus: Any, v_reflected: Any, i_peak: Any, i_one: Any, fs: Any) -> Any:
    """Time [s] of the drain's rise to bus plus reflected voltage."""
    return np.minimum(0.25 / fs, 2 * c_node * (v_bus + v_reflected) / np.maximum(i_peak + i_one, 1e-6))


@formula("t_com = min(½·t_off, L_lk·I_e/(V_bus + V_or))", "s", "L_lk I_e V_bus V_or t_off",
         "leakage current taken up at turn-on while the secondary still conducts")
def commutation_time(leakage: Any, i_end: Any, v_bus: Any, v_reflected: Any, t_off: Any) -> Any:
    """Part of the on-time [s] lost to commutation."""
    return np.minimum(0.5 * t_off, leakage * i_end / (v_bus + v_reflected))


@formula("t_m = max(0.00000005, L_p·(Î − I_0)/max(0.2·V_bus, V_bus − ½·R·(Î + I_0)))", "s", "L_p Î I_0 V_bus R",
         "ramp at the mean resistive drop")
def ramp_time(lp: Any, i_peak: Any, i_start: Any, v_bus: Any, r_on: Any) -> Any:
    """Time [s] of the current ramp through switch and primary resistance.

    Where the resistive drop would eat more than four fifths of the bus the ramp is drawn with a fifth of it; the
    flyback's findings say so.
    """
    return np.maximum(LEAST_ON_TIME, lp * (i_peak - i_start) / np.maximum(0.2 * v_bus, v_bus - 0.5 * r_on * (i_peak + i_start)))


@formula("t_on = t_m + t_com", "s", "t_m t_com", "definition")
def on_time(t_ramp: Any, t_com: Any) -> Any:
    """Gate pulse [s]."""
    return t_ramp + t_com


@formula("D = t_on·f_s", "", "t_on f_s", "definition")
def duty(t_on: Any, fs: Any) -> Any:
    """Share of the period the switch is on."""
    return t_on * fs


@formula("t_off = max(0.05/f_s, (1/f_s − t_r)/(1 + t_m/t_off0))", "s", "f_s t_r t_m t_off0",
         "the period is ramp, rise and discharge; flux balance keeps the ratio of ramp to discharge")
def discharge_time_ccm(fs: Any, t_rise: Any, t_ramp: Any, t_off_before: Any) -> Any:
    """Discharge time [s] in continuous conduction, from the ramp-to-discharge ratio of the pass before."""
    return np.maximum(0.05 / fs, (1 / fs - t_rise) / (1 + t_ramp / t_off_before))


@formula("I_sw = √(f_s·(t_m·(I_0² + I_0·Î + Î²) + t_com·I_e²)/3)", "A", "f_s t_m I_0 Î t_com I_e", "rms of linear pieces")
def switch_rms(fs: Any, t_ramp: Any, i_start: Any, i_peak: Any, t_com: Any, i_end: Any) -> Any:
    """Switch rms current [A]."""
    return np.sqrt(fs * (t_ramp * (np.square(i_start) + i_start * i_peak + np.square(i_peak)) + t_com * np.square(i_end)) / 3)


@formula("I_h = √(I_d² + f_s·t_cl·I_c²/3)", "A", "I_d f_s t_cl I_c", "rms of pieces that follow each other")
def heating_rms(i_pulse: Any, fs: Any, t_clamp: Any, i_clamp: Any) -> Any:
    """Rms primary current [A] that heats the copper: without the rings of the node, whose energy is counted whole as it is."""
    return np.sqrt(np.square(i_pulse) + fs * t_clamp * np.square(i_clamp) / 3)


@formula("I_2 = √(f_s/3·(t_cl·((Î_1 − I_c)² + (Î_1 − I_c)·I_x + I_x²)"
         " + max(0, t_off − t_cl − t_com)·(I_x² + I_x·I_e + I_e²) + t_com·I_e²))", "A",
         "f_s t_cl Î_1 I_c I_x t_off t_com I_e", "rms of linear pieces")
def secondary_rms(fs: Any, t_clamp: Any, i_one: Any, i_clamp: Any, i_cross: Any, t_off: Any, t_com: Any, i_end: Any) -> Any:
    """Rms [A] of all secondary current seen from the primary; i_cross is the core current when the clamp lets go."""
    start = i_one - i_clamp
    last, cross = i_end * i_end, i_cross * i_cross
    return np.sqrt(
        fs / 3 * (t_clamp * (start * (start + i_cross) + cross) + np.maximum(t_off - t_clamp - t_com, 0.0)
                  * (cross + i_cross * i_end + last) + t_com * last))


@formula("I_s = f_s·(½·(Î_1 + I_e)·t_off − ½·I_e·t_com)", "A", "f_s Î_1 I_e t_off t_com", "area of the discharge")
def secondary_average(fs: Any, i_one: Any, i_end: Any, t_off: Any, t_com: Any) -> Any:
    """Average of all current the core discharges, seen from the primary [A]."""
    return fs * (0.5 * (i_one + i_end) * t_off - 0.5 * i_end * t_com)


@formula("I_x = max(I_e, Î_1 − V_or·t_cl/L_m)", "A", "I_e Î_1 V_or t_cl L_m", "discharge at constant voltage")
def current_after_clamp(i_end: Any, i_one: Any, v_reflected: Any, t_clamp: Any, lm: Any) -> Any:
    """Core current [A] when the clamp lets go."""
    return np.maximum(i_end, i_one - v_reflected * t_clamp / lm)


@formula("V_t = max(0, V_bus + V_or·exp(−t_i/τ)·cos(t_i/√(L_p·C_n)))", "V", "V_bus V_or t_i τ L_p C_n",
         "free ring of primary inductance and node capacitance around the bus")
def turn_on_voltage(v_bus: Any, v_reflected: Any, t_idle: Any, tau: Any, lp: Any, c_node: Any) -> Any:
    """Drain voltage [V] at turn-on in discontinuous conduction (the body diode holds it at zero)."""
    return np.maximum(0.0, v_bus + v_reflected * np.exp(-t_idle / tau) * np.cos(t_idle / np.sqrt(lp * c_node)))


@formula("R_c = f_s·(V_bus²·t_m + V_or²·t_off)/P_c", "Ω", "f_s V_bus t_m V_or t_off P_c",
         "resistance across the magnetising inductance that dissipates the core loss")
def core_resistance(fs: Any, v_bus: Any, t_ramp: Any, v_reflected: Any, t_off: Any, p_core: Any) -> Any:
    """Equivalent core-loss resistance [Ω]."""
    return fs * (np.square(v_bus) * t_ramp + np.square(v_reflected) * t_off) / p_core


@formula("Q_b = (½·(Î + I_0) + R·t_m·(Î − I_0)/(12·L_p))·t_m + ½·I_e·t_com + V_bus·t_m/R_c + C_n·V_t", "C",
         "Î I_0 t_m R L_p I_e t_com V_bus R_c C_n V_t",
         "charge of an exponential ramp to first order in R·t/L, commutation, core loss, node capacitance")
def bus_charge(i_peak: Any, i_start: Any, t_ramp: Any, r_on: Any, lp: Any, i_end: Any, t_com: Any, v_bus: Any, r_core: Any, c_node: Any,
               v_turn_on: Any) -> Any:
    """Charge [C] drawn from the bus each period: current ramp, commutation, core loss, node capacitance."""
    return ((0.5 * (i_peak + i_start) + r_on * t_ramp * (i_peak - i_start) / (12 * lp)) * t_ramp + 0.5 * i_end * t_com
            + v_bus * t_ramp / r_core + c_node * v_turn_on)


@formula("P = f_s·V_bus·Q_b", "W", "f_s V_bus Q_b", "definition")
def bus_power(fs: Any, v_bus: Any, q_bus: Any) -> Any:
    """Power [W] drawn from the bus by the switching stage."""
    return fs * v_bus * q_bus


@formula("I_l = I_lim·(1 − c·min(1, max(0, V_bus − V_lo)/max(V_hi − V_lo, 0.001·V_hi)))", "A", "I_lim c V_bus V_lo V_hi",
         "a part of the bus is added to the sensed current: nothing at the lowest bus, all of it at the highest")
def limit_over_line(i_limit: Any, share: Any, v_bus: Any, v_low: Any, v_high: Any) -> Any:
    """Nominal current limit [A] at a bus [V] where it is lowered by `share` at the highest."""
    return i_limit * (1 - share * np.minimum(1.0, np.maximum(0.0, v_bus - v_low) / np.maximum(v_high - v_low, 1e-3 * v_high)))


@formula("Î_lim = I_lim·(1 + δ) + V_bus·t_d/L_p", "A", "I_lim δ V_bus t_d L_p", "the current runs on during the propagation delay")
def limit_current(i_limit: Any, tolerance: Any, v_bus: Any, t_delay: Any, lp: Any) -> Any:
    """Largest switch current [A] the current limit lets pass, lp [H] being the least inductance."""
    return i_limit * (1 + tolerance) + v_bus * t_delay / lp


@formula("V̂_ds = V_bus + V̂_cl + V_fd", "V", "V_bus V̂_cl V_fd", "drain held by the clamp capacitor through its diode")
def drain_peak(v_bus: Any, crest: Any, v_diode: Any) -> Any:
    """Peak drain voltage [V]."""
    return v_bus + crest + v_diode


@formula("V_R = (1 + a)·(V_o + V_bus·N_s/N_p)", "V", "a V_o V_bus N_s N_p", "turns ratio; ringing allowance a stated (common practice)")
def rectifier_reverse(allowance: Any, v_out: Any, v_bus: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Reverse voltage [V] of an output rectifier with its ringing allowance."""
    return (1 + allowance) * (v_out + v_bus * turns_secondary / turns_primary)


@formula("I_s = I_o·N_s/N_p", "A", "I_o N_s N_p", "transformer ratio")
def to_primary(current: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """An output's average current seen from the primary [A]."""
    return current * turns_secondary / turns_primary


@formula("I_s = λ·I_o·N_s/N_p", "A", "λ I_o N_s N_p",
         "transformer ratio; what an output takes from the core for its charge, over what that is at the reflected voltage")
def to_primary_lifted(lift: Any, current: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Current at the reflected voltage that takes as much from the core as an output's average current at its own [A]."""
    return lift * current * turns_secondary / turns_primary


@formula("I = I_2·(I_o/I_s)", "A", "I_2 I_o I_s", "outputs share the secondary current in proportion to their load (assumption)")
def share(i_secondary: Any, i_out: Any, i_total: Any) -> Any:
    """One output's part of a current of the whole secondary side (seen from the primary), in its own winding [A]."""
    return i_secondary * (i_out / i_total)


@formula("Î = Î_s + k·(N_p/N_s)·min(Î_1, (V_x − V_or)·√(C_n/L_lk))", "A", "Î_s k N_p N_s V_x V_or C_n L_lk Î_1",
         "what the node holds over the reflected voltage swings through the leakage into the outputs: ring without losses, at most as much "
         "again")
def swung(i_peak: Any, share: Any, turns_primary: Any, turns_secondary: Any, v_node: Any, v_reflected: Any, c_node: Any, leakage: Any,
          i_top: Any) -> Any:
    """Peak current of an output [A] with its share of the ring behind the spike; i_top: of the whole secondary, seen from the primary."""
    return i_peak + share * (turns_primary / turns_secondary) * np.minimum(i_top, (v_node - v_reflected) * np.sqrt(c_node / leakage))


@formula("f_s = min(f_n, max(f_floor, (I_s + I_k)/max(½·L_m·Î_k²/V_or − E_off/V_or, 0.000000000001)))", "Hz",
         "f_n f_floor I_s I_k L_m Î_k V_or E_off",
         "below the least peak current each pulse carries the same charge and the pulse rate falls")
def pulse_rate(fs: Any, f_floor: Any, i_secondary: Any, i_clamp: Any, lm: Any, i_floor: Any, v_reflected: Any, e_off: Any) -> Any:
    """Average pulse rate [Hz] under the light-load law; i_floor is the least core current [A], f_floor the law's least rate."""
    charge = 0.5 * lm * np.square(i_floor) / v_reflected - e_off / v_reflected
    return np.minimum(fs, np.maximum(f_floor, (i_secondary + i_clamp) / np.maximum(charge, 1e-12)))


@formula("E_k = E_off + ½·C_sn·((V_bus + V_or)^2 + V_t^2)", "J", "E_off C_sn V_bus V_or V_t",
         "what snubbers take in both edges of a period comes out of the core as the turn-off does")
def energy_taken(e_off: Any, c_snub: Any, v_bus: Any, v_reflected: Any, v_turn_on: Any) -> Any:
    """Energy [J] a period of turn-off and rectifier snubbers (as a capacitance of the primary); v_turn_on: node before turn-on [V]."""
    return e_off + 0.5 * c_snub * (np.square(v_bus + v_reflected) + np.square(v_turn_on))


@formula("t_i = max(0, 1/f_s − t_m − t_r − t_off)", "s", "f_s t_m t_r t_off", "rest of the period")
def idle_time(fs: Any, t_ramp: Any, t_rise: Any, t_off: Any) -> Any:
    """Time [s] in which nothing conducts."""
    return np.maximum(0.0, 1 / fs - t_ramp - t_rise - t_off)


@formula("I_0 = −V_or·√(C_n/L_p)·exp(−t_i/τ)·sin(t_i/√(L_p·C_n))", "A", "V_or C_n L_p t_i τ",
         "free ring of primary inductance and node capacitance around the bus")
def turn_on_current(v_reflected: Any, c_node: Any, lp: Any, t_idle: Any, tau: Any) -> Any:
    """Primary current [A] at turn-on in discontinuous conduction."""
    return -v_reflected * np.sqrt(c_node / lp) * np.exp(-t_idle / tau) * np.sin(t_idle / np.sqrt(lp * c_node))


@formula("τ = 2·R_c·C_n", "s", "R_c C_n", "parallel resonant circuit")
def ring_decay(r_core: Any, c_node: Any) -> Any:
    """Decay time [s] of the free ring."""
    return 2 * r_core * c_node


@formula("V_1 = V_bus + V_or", "V", "V_bus V_or", "the drain stands at bus plus reflected voltage while the secondary conducts")
def plateau(v_bus: Any, v_reflected: Any) -> Any:
    """Drain voltage [V] during the discharge."""
    return v_bus + v_reflected


@formula("ΔB = V_or·t_off/(N_p·A)", "T", "V_or t_off N_p A", "induction law over the discharge")
def flux_swing(v_reflected: Any, t_off: Any, turns: Any, area: Any) -> Any:
    """Peak-to-peak flux density [T]."""
    return v_reflected * t_off / (turns * area)


@formula("B_ac = ½·ΔB", "T", "ΔB", "definition")
def flux_amplitude(swing: Any) -> Any:
    """Half the flux swing [T]."""
    return 0.5 * swing


@formula("P = ½·C_n·V_t²·f_s", "W", "C_n V_t f_s", "energy of the node capacitance shorted by the switch")
def turn_on_loss(c_node: Any, v_turn_on: Any, fs: Any) -> Any:
    """Turn-on loss [W]."""
    return 0.5 * c_node * np.square(v_turn_on) * fs


@formula("P = E·f_s", "W", "E f_s", "definition")
def energy_rate(energy: Any, fs: Any) -> Any:
    """Power [W] of an energy per pulse [J]."""
    return energy * fs


@formula("P = f_s·(½·C_n·V_or² − ½·C_n·(V_t − V_bus)² − ½·L_p·I_0²)", "W", "f_s C_n V_or V_t V_bus L_p I_0",
         "energy the free ring has lost by the next turn-on")
def idle_ring_loss(fs: Any, c_node: Any, v_reflected: Any, v_turn_on: Any, v_bus: Any, lp: Any, i_start: Any) -> Any:
    """Power [W] dissipated by the free ring in discontinuous conduction."""
    return fs * (0.5 * c_node * np.square(v_reflected) - 0.5 * c_node * np.square(v_turn_on - v_bus) - 0.5 * lp * np.square(i_start))


@formula("Î = P/(V_bus·D)·(1 + ½·K)", "A", "P V_bus D K",
         "mid current of the on-time plus half its ripple, ideal stage in continuous conduction")
def peak_of_ripple(power: Any, v_bus: Any, duty: Any, ripple_ratio: Any) -> Any:
    """Peak primary current [A] for a ripple ratio."""
    return power / (v_bus * duty) * (1 + 0.5 * ripple_ratio)


@formula("I = P/(V_bus·D)·√(D·(1 + K²/12))", "A", "P V_bus D K", "rms of a trapezoid")
def rms_of_ripple(power: Any, v_bus: Any, duty: Any, ripple_ratio: Any) -> Any:
    """Rms primary current [A] for a ripple ratio."""
    return power / (v_bus * duty) * np.sqrt(duty * (1 + np.square(ripple_ratio) / 12))


@formula("W = ½·L·Î²", "J", "L Î", "definition")
def stored_energy(inductance: Any, i_peak: Any) -> Any:
    """Energy [J] stored at the peak current, to which the size of a gapped core goes."""
    return 0.5 * inductance * np.square(i_peak)
