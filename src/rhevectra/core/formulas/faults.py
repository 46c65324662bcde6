"""A stage outside its steady period: a short at the output or in the rectifier, start-up into full load, a feedback that is open."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula
from rhevectra.core.formulas.rectifier import gauss

_NODES, _WEIGHTS = gauss(8)


@formula("I_w = (V_bus·t_b/(1/f_sc − t_b)/n − V_f)/(n·R)", "A", "V_bus t_b f_sc n V_f R",
         "volt-seconds of the least pulse against those the shorted rectifier takes back, seen from the primary")
def short_balance(v_bus: Any, t_least: Any, f_short: Any, ratio: Any, v_forward: Any, r: Any) -> Any:
    """Core current [A] at which a shorted output takes back what the least pulse adds; negative where a diode drop suffices."""
    return (v_bus * t_least / (1 / f_short - t_least) / ratio - v_forward) / (ratio * r)


@formula("Î_sc = max(Î_lim, I_w + ½·V_bus·t_b/L)", "A", "Î_lim I_w V_bus t_b L",
         "the current limit holds unless the least pulse walks the current up")
def short_peak(i_limit: Any, i_balance: Any, v_bus: Any, t_least: Any, inductance: Any) -> Any:
    """Peak current [A] into a short."""
    return np.maximum(i_limit, i_balance + 0.5 * v_bus * t_least / inductance)


@formula("I_k = I_m − (Î_lim − I_min)·f_s·t_off", "A", "I_m Î_lim I_min f_s t_off",
         "a lower peak takes its difference over the discharge away (exact in continuous, a lower bound in discontinuous conduction)")
def current_at_least_limit(i_mean: Any, limit_worst: Any, limit_least: Any, fs: Any, t_off: Any) -> Any:
    """Average current [A] the core gives at the least current limit."""
    return i_mean - (limit_worst - limit_least) * fs * t_off


@formula("I_k = I_m·I_min/Î_lim", "A", "I_m Î_lim I_min",
         "at the boundary of conduction the average goes with the peak (a lower bound: the way to the valley takes a larger share of a "
         "shorter period)")
def current_in_proportion(i_mean: Any, limit_worst: Any, limit_least: Any) -> Any:
    """Average current [A] the core gives at the least current limit, valley switching."""
    return i_mean * limit_least / limit_worst


@formula("t_su = Q_o/max(I_k − I_s, 0.001·I_s)", "s", "Q_o I_k I_s",
         "charge of the output capacitors at the current limit, the load already taking its full current")
def start_time(charge: Any, i_least: Any, i_load: Any) -> Any:
    """Start-up time [s]; a thousandth of the current is left where the load takes it all, which is a finding of its own."""
    return charge / np.maximum(i_least - i_load, 1e-3 * i_load)


def start_time_filter(c: Any, v_out: Any, i_crest: Any, i_load: Any, v_up: Any, v_forward: Any, inductance: Any, rate: Any) -> Any:
    """Start-up time [s] behind a filter inductor whose crest is held: C·∫dV/(Î − ½·ΔI(V) − I_o), the ripple that of each voltage on the
    way, by Gauss's quadrature."""
    total = 0.0
    for x, w in zip(0.5 * (_NODES + 1), 0.5 * _WEIGHTS, strict=True):
        across = x * v_out + v_forward
        ripple = np.maximum(across * (1 - across / v_up), 0.0) / (inductance * rate)
        total = total + start_time(w, i_crest - 0.5 * ripple, i_load)
    return c * v_out * total


@formula("Q = C·V·N_s/N_p", "C", "C V N_s N_p", "charge of an output capacitor seen from the primary")
def reflected_charge(c: Any, v: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Charge [C] of an output's capacitors seen from the primary."""
    return c * v * turns_secondary / turns_primary


@formula("C_su = I_cc·t_su/ΔV", "F", "I_cc t_su ΔV", "the supply capacitor feeds the controller until the auxiliary winding takes over")
def supply_capacitor(i_supply: Any, t_start: Any, hysteresis: Any) -> Any:
    """Least supply capacitor [F]."""
    return i_supply * t_start / hysteresis


@formula("t = −R·C·ln(max(0.0001, 1 − V_st/max(0.001, V̂ − R·I_0)))", "s", "R C V_st V̂ I_0",
         "exponential charge through a resistor beside a constant current; it never ends where the last bracket is not above V_st")
def start_by_resistor(r: Any, c: Any, v_start: Any, v_crest: Any, i_before: Any) -> Any:
    """Time [s] until a supply capacitor c [F] reaches v_start [V] through r [Ω] from the crest of the line v_crest [V], the controller
    taking i_before [A]."""
    return -r * c * np.log(np.maximum(0.0001, 1 - v_start / np.maximum(0.001, v_crest - r * i_before)))


@formula("t = C·V_st/I_st", "s", "C V_st I_st", "a constant current charges the supply capacitor")
def start_by_cell(c: Any, v_start: Any, i_start: Any) -> Any:
    """Time [s] until a supply capacitor c [F] reaches v_start [V] from i_start [A]."""
    return c * v_start / i_start


@formula("I_x = (V_bus + V_or)·t/L_lk", "A", "V_bus V_or t L_lk",
         "bus and the output's voltage, which a shorted rectifier turns against it, across the leakage alone (resistances left out: upper "
         "bound)")
def fault_current(v_bus: Any, v_reflected: Any, t_least: Any, leakage: Any) -> Any:
    """Switch current [A] at the end of the least pulse where the main rectifier is shorted."""
    return (v_bus + v_reflected) * t_least / leakage


@formula("f_sc = k·m·f_s", "Hz", "k m f_s", "definition: a share of the switching frequency, with one or two pulses a period")
def pulses_into_short(share: Any, pulses: Any, fs: Any) -> Any:
    """Rate of pulses into a short [Hz]."""
    return share * pulses * fs


@formula("V_s = V_p·N_s/N_p", "V", "V_p N_s N_p", "transformer ratio: into a short all of it lies across the filter inductor")
def across_filter(v_primary: Any, turns_secondary: Any, turns_primary: Any) -> Any:
    """Voltage [V] that drives the filter inductor's current into a short."""
    return v_primary * turns_secondary / turns_primary


@formula("I_w = (V_s·t_b·f_sc − V_f)/(R + k·f_sc·L_lk·(N_s/N_p)²)", "A", "V_s t_b f_sc V_f R k L_lk N_s N_p",
         "volt-seconds of the least pulse, less those in which the leakage takes the current over, against rectifier drop and resistance "
         "for the whole period")
def filter_balance(v_up: Any, t_least: Any, f_short: Any, v_forward: Any, r: Any, turning: Any, leakage: Any, turns_secondary: Any,
                   turns_primary: Any) -> Any:
    """Current [A] of a filter inductor at which a shorted output takes back what the least pulse adds; negative where a diode drop
    suffices. turning: 1 where the primary's current begins at zero with each pulse, more where it is turned round."""
    return (v_up * t_least * f_short - v_forward) / (r + turning * f_short * leakage * np.square(turns_secondary / turns_primary))


@formula("k = 1 + √(max(0, exp(−2·R_w·(1/f_sc − t_b)/L_lk) − C_g·V_p²/(L_lk·Î_x²)))", "", "R_w f_sc t_b L_lk C_g V_p Î_x",
         "decay of the circulating current until the next pulse, less what the node's charge takes, at the current limit")
def turned_round(r_loop: Any, f_short: Any, t_least: Any, leakage: Any, c_leg: Any, v_primary: Any, i_limit: Any) -> Any:
    """How much of the limit current each pulse of a phase-shifted bridge has to turn over, in units of it: 1 where nothing circulates any
    more."""
    return 1 + np.sqrt(np.maximum(0.0, np.exp(-2 * r_loop * (1 / f_short - t_least) / leakage)
                                  - c_leg * np.square(v_primary) / (leakage * np.square(i_limit))))


@formula("Î_sc = max(Î_x, (I_w + ½·V_s·t_b/L)·N_s/N_p)", "A", "Î_x I_w V_s t_b L N_s N_p",
         "the current limit holds unless the least pulse walks the current up")
def short_peak_filter(i_limit: Any, i_balance: Any, v_up: Any, t_least: Any, inductance: Any, turns_secondary: Any,
                      turns_primary: Any) -> Any:
    """Peak current of a switch [A] that feeds a filter inductor into a short."""
    return np.maximum(i_limit, (i_balance + 0.5 * v_up * t_least / inductance) * turns_secondary / turns_primary)


@formula("I_x = I_lim·(1 + δ)", "A", "I_lim δ", "definition")
def most_limit(i_limit: Any, tolerance: Any) -> Any:
    """Greatest current limit [A]."""
    return i_limit * (1 + tolerance)


@formula("I_min = I_lim·(1 − δ)", "A", "I_lim δ", "definition")
def least_limit(i_limit: Any, tolerance: Any) -> Any:
    """Least current limit [A]."""
    return i_limit * (1 - tolerance)


@formula("Î_sc = I_x + (V_c + V_p·(2 − √(1 − (min(1, Z·I_x/V_p))²)))·t_d/L_r", "A", "I_x V_p V_c Z t_d L_r",
         "series circuit of tank alone; worst is a short just so late in a half period that the limit is not met before the bus turns "
         "round (upper bound: the slope taken as it begins)")
def short_peak_tank(i_limit: Any, v_primary: Any, v_cap: Any, z: Any, t_delay: Any, lr: Any) -> Any:
    """Peak current of a resonant tank [A] whose output is shorted while it runs at its resonance; v_cap: ac amplitude of its capacitor
    [V]."""
    return i_limit + (v_cap + v_primary * (2 - np.sqrt(1 - np.square(np.minimum(1.0, z * i_limit / v_primary))))) * t_delay / lr


@formula("I_x = V_p·t/L_lk", "A", "V_p t L_lk", "the whole voltage across the leakage alone (resistances left out: upper bound)")
def fault_current_filter(v_primary: Any, t_least: Any, leakage: Any) -> Any:
    """Switch current [A] at the end of the least pulse where a rectifier before a filter inductor is shorted."""
    return v_primary * t_least / leakage


@formula("I = Î·N_p/N_s", "A", "Î N_p N_s", "ampere turns")
def to_filter(current: Any, turns_primary: Any, turns_secondary: Any) -> Any:
    """Current of the primary [A] as it flows in the filter inductor."""
    return current * turns_primary / turns_secondary


@formula("V_x = √((V_t·(1 + δ))² + m·L·I²/C)", "V", "V_t δ m L I C",
         "the energy of the inductors that feed the output goes on into its capacitors, with nothing connected")
def caught(v_trip: Any, tolerance: Any, count: Any, inductance: Any, current: Any, c: Any) -> Any:
    """Output [V] where a trip catches it; inductance [H] and current [A] of each of `count`."""
    return np.sqrt(np.square(v_trip * (1 + tolerance)) + count * inductance * np.square(current) / c)
