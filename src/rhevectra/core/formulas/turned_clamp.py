"""A flyback's open time under an active clamp: a second switch keeps a capacitor across the primary until just before the next pulse.

All is seen from the primary. When the switch opens, the core's current flows into the capacitor through the leakage and turns round there:
the capacitor gives back what it took, so that its current has no mean. The leakage then carries current backwards; it goes on when the
clamp switch opens and brings the node down before the main switch closes. Core and leakage end each period where they began, the core's
current may turn round as well. The leakage sees the capacitor against the reflected voltage, which falls with the core's current by the
secondary's resistance: a damped ring with a drifting centre. Source of all relations: that circuit's charge, flux and energy balance;
checked against step-by-step integration, the engine and a circuit simulator. The mins and maxes bind only where no such clamp should be
built; its findings say so.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

_RING = "damped ring of leakage and clamp capacitor whose current has no mean"
_MODEL = "charge, flux and energy balance of the flyback period with a clamp that turns the leakage current round"


@formula("R_2 = (N_p/N_s)·(r_d + R_s)·I_o/I_s", "Ω", "N_p N_s r_d R_s I_o I_s", "transformer ratio; the main output's share of the current")
def reflected_resistance(turns_primary: Any, turns_secondary: Any, r_dynamic: Any, r_winding: Any, i_out: Any, i_total: Any) -> Any:
    """Resistance [Ω] of rectifier and winding as the primary sees it; i_total: all outputs' current seen from the primary [A]."""
    return (turns_primary / turns_secondary) * (r_dynamic + r_winding) * i_out / i_total


@formula("R = R_p + R_k + R_2", "Ω", "R_p R_k R_2", "in series")
def loop_resistance(r_primary: Any, r_clamp: Any, r_reflected: Any) -> Any:
    """Resistance [Ω] of the loop of capacitor, clamp switch and both windings."""
    return r_primary + r_clamp + r_reflected


@formula("α = R/(2·L_lk)", "1/s", "R L_lk", "series resonant circuit")
def damping(r: Any, leakage: Any) -> Any:
    """Decay rate [1/s] of the ring."""
    return r / (2 * leakage)


@formula("C = min(C_cl, 3.6·L_lk/R²)", "F", "C_cl L_lk R",
         "a capacitor that no longer lets the loop ring is drawn as one that just does (damping 0.95): its mean voltage is nearly the "
         "same, its ripple smaller")
def ringing_part(c: Any, leakage: Any, r: Any) -> Any:
    """Capacitance [F] the ring is worked out with."""
    return np.minimum(c, 3.6 * leakage / np.square(r))


@formula("ω = √(1/(L_lk·C) − (R/(2·L_lk))²)", "1/s", "L_lk C R", "series resonant circuit")
def ring_rate(leakage: Any, c: Any, r: Any) -> Any:
    """Angular frequency [1/s] of the damped ring."""
    return np.sqrt(1 / (leakage * c) - np.square(r / (2 * leakage)))


@formula("T = max(0.3·t_off, t_off − t_b)", "s", "t_off t_b", "the node's way down and the commutation end the discharge")
def window(t_off: Any, t_back: Any) -> Any:
    """Time [s] the capacitor lies across the primary."""
    return np.maximum(0.3 * t_off, t_off - t_back)


@formula("t_s = T·max(0.3, min(1, x))", "s", "x T",
         "the secondary stops before the window ends where the core's current turns round by more than the ring")
def conducting(share: Any, t_window: Any) -> Any:
    """Time [s] the secondary conducts of the window."""
    return t_window * np.maximum(0.3, np.minimum(1.0, share))


@formula("E = exp(−α·t_s)", "", "α t_s", _RING)
def kept(alpha: Any, t_conducting: Any) -> Any:
    """Share of the ring left when the secondary stops or the window ends."""
    return np.exp(-alpha * t_conducting)


@formula("I_x = C·R_2·V_or/L_m", "A", "C R_2 V_or L_m", "the secondary's drop falls with the core's current, and the capacitor follows it")
def drift(c: Any, r_reflected: Any, v_reflected: Any, lm: Any) -> Any:
    """Current [A] out of the capacitor that follows the falling drop."""
    return c * r_reflected * v_reflected / lm


@formula("Q_z = max(0, ½·(T − t_s)·(V_or/L_m·(T + t_s) − 2·Î_1 − I_y))", "C", "T t_s V_or L_m Î_1 I_y",
         "once the secondary has stopped the capacitor carries the core's current")
def charge_after(t_window: Any, t_conducting: Any, v_reflected: Any, lm: Any, i_one: Any, i_kink: Any) -> Any:
    """Charge [C] the capacitor gives after the secondary has stopped."""
    return np.maximum(0.0, 0.5 * (t_window - t_conducting) * (v_reflected / lm * (t_window + t_conducting) - 2 * i_one - i_kink))


@formula("ΔV_z = Q_z/C", "V", "Q_z C", "definition")
def given_after(q_after: Any, c: Any) -> Any:
    """What the capacitor's voltage falls by [V] after the secondary has stopped."""
    return q_after / c


@formula("a = (E·(Î_1 + I_x)·sin(ω·t_s)/(ω·C) − R_2·V_or/L_m·t_s − Q_z/C)/max(0.05, 1 − E·cos(ω·t_s) − E·α/ω·sin(ω·t_s))", "V",
         "E Î_1 I_x ω t_s C R_2 V_or L_m α Q_z", "the capacitor ends the window at the voltage it began with")
def ring_cosine(keep: Any, i_one: Any, i_drift: Any, omega: Any, t_conducting: Any, c: Any, r_reflected: Any, v_reflected: Any, lm: Any,
                alpha: Any, q_after: Any) -> Any:
    """Part of the capacitor's ring [V] that begins at its crest."""
    sine = np.sin(omega * t_conducting)
    back = keep * (i_one + i_drift) * sine / (omega * c) - r_reflected * v_reflected / lm * t_conducting - q_after / c
    return back / np.maximum(0.05, 1 - keep * np.cos(omega * t_conducting) - keep * alpha / omega * sine)


@formula("b = ((Î_1 + I_x)/C + α·a)/ω", "V", "Î_1 I_x C α a ω", "the window begins with the core's current in the capacitor")
def ring_sine(i_one: Any, i_drift: Any, c: Any, alpha: Any, cosine: Any, omega: Any) -> Any:
    """Part of the capacitor's ring [V] that begins at zero."""
    return ((i_one + i_drift) / c + alpha * cosine) / omega


@formula("V_0 = V_or + R·I_x + ½·R_2·V_or/L_m·t_s + a", "V", "V_or R I_x R_2 L_m t_s a", _RING)
def start_voltage(v_reflected: Any, r: Any, i_drift: Any, r_reflected: Any, lm: Any, t_conducting: Any, cosine: Any) -> Any:
    """Voltage [V] of the capacitor when its window begins and ends."""
    return v_reflected + r * i_drift + 0.5 * r_reflected * v_reflected / lm * t_conducting + cosine


@formula("I_q = C·(α·b + ω·a)", "A", "C α b ω a", "derivative of the ring")
def sine_current(c: Any, alpha: Any, sine: Any, omega: Any, cosine: Any) -> Any:
    """Part of the ring's current [A] that begins at zero and falls."""
    return c * (alpha * sine + omega * cosine)


@formula("t_r = (½·π − atan(I_q/(Î_1 + I_x)))/ω", "s", "I_q Î_1 I_x ω", "damped ring")
def ring_zero(i_sine: Any, i_one: Any, i_drift: Any, omega: Any) -> Any:
    """Time [s] from the window's start until the ring's current passes through zero."""
    return (0.5 * np.pi - np.arctan(i_sine / (i_one + i_drift))) / omega


@formula("V_k = V_0 − a − R_2·V_or/L_m·k·t_r + exp(−α·k·t_r)·(a·cos(ω·k·t_r) + b·sin(ω·k·t_r))", "V", "V_0 a R_2 V_or L_m k t_r α ω b",
         _RING)
def voltage_at(v_start: Any, cosine: Any, r_reflected: Any, v_reflected: Any, lm: Any, part: Any, t_ring: Any, alpha: Any, omega: Any,
               sine: Any) -> Any:
    """Voltage [V] of the capacitor a part of the way to where the ring's current passes through zero."""
    t = part * t_ring
    return v_start - cosine - r_reflected * v_reflected / lm * t + np.exp(-alpha * t) * (
        cosine * np.cos(omega * t) + sine * np.sin(omega * t))


@formula("V̂_cl = max(V_0, V_1, V_2, V_3)", "V", "V_0 V_1 V_2 V_3",
         "the crest is flat: the largest of the window's start and of a half, three quarters and all of the way to the ring's zero; drift "
         "and damping bring it forward")
def crest(v_start: Any, v_half: Any, v_late: Any, v_ring: Any) -> Any:
    """Largest voltage [V] of the capacitor."""
    return np.maximum(np.maximum(v_start, v_half), np.maximum(v_late, v_ring))


@formula("ΔV_cl = V̂_cl − V_0", "V", "V̂_cl V_0", "the window begins and ends at its least")
def swing(v_crest: Any, v_start: Any) -> Any:
    """Ripple [V] of the capacitor, peak to peak."""
    return v_crest - v_start


@formula("I_z = I_x − E·((Î_1 + I_x)·cos(ω·t_s) − I_q·sin(ω·t_s))", "A", "I_x E Î_1 ω t_s I_q", "end of the ring")
def ring_back(i_drift: Any, keep: Any, i_one: Any, omega: Any, t_conducting: Any, i_sine: Any) -> Any:
    """Current [A] the leakage carries backwards when the ring ends."""
    return i_drift - keep * ((i_one + i_drift) * np.cos(omega * t_conducting) - i_sine * np.sin(omega * t_conducting))


@formula("x = min(1, max(0.3, (t_s + (Î_1 − V_or/L_m·t_s + I_z)/max(V_or/L_m, V_or/L_m − (a + R_2·V_or/L_m·t_s + Q_z/C + R·(I_x − "
         "I_z))/L_lk))/T))", "", "t_s Î_1 V_or L_m I_z a R_2 Q_z C R I_x L_lk T",
         "Newton's step towards the moment at which core and leakage carry the same current backwards, where there is one in the window")
def conducting_share(t_conducting: Any, i_one: Any, v_reflected: Any, lm: Any, i_ring: Any, cosine: Any, r_reflected: Any, q_after: Any,
                     c: Any, r: Any, i_drift: Any, leakage: Any, t_window: Any) -> Any:
    """Share of the window in which the secondary conducts."""
    slope = v_reflected / lm
    turning = (cosine + r_reflected * slope * t_conducting + q_after / c + r * (i_drift - i_ring)) / leakage
    return np.minimum(1.0, np.maximum(
        0.3, (t_conducting + (i_one - slope * t_conducting + i_ring) / np.maximum(slope, slope - turning)) / t_window))


@formula("I_b = max(0, −I_e, I_z)", "A", "I_e I_z", "where the secondary has stopped core and leakage carry one current")
def current_back(i_end: Any, i_ring: Any) -> Any:
    """Current [A] the leakage carries backwards when the clamp switch opens."""
    return np.maximum(np.maximum(0.0, -i_end), i_ring)


@formula("W = max(0, ((Î_1 + I_x)² + I_q²)·(1 − E²)/(4·α) + ((Î_1 + I_x)² − I_q²)·(α + E²·(ω·sin(2·ω·t_s) − α·cos(2·ω·t_s)))/(4·(α² + ω²)) "
         "− (Î_1 + I_x)·I_q·(ω − E²·(α·sin(2·ω·t_s) + ω·cos(2·ω·t_s)))/(2·(α² + ω²)) − I_x²·t_s − 2·I_x·Q_z)",
         "A²s", "Î_1 I_x I_q E α ω t_s Q_z", "integral of the squared ring current; its mean is that of the drift")
def square_integral(i_one: Any, i_drift: Any, i_sine: Any, keep: Any, alpha: Any, omega: Any, t_conducting: Any, q_after: Any) -> Any:
    """Integral of the capacitor's squared current while the secondary conducts [A²s]."""
    p, e2, w2 = np.square(i_one + i_drift), np.square(keep), np.square(alpha) + np.square(omega)
    q, s, c = np.square(i_sine), np.sin(2 * omega * t_conducting), np.cos(2 * omega * t_conducting)
    both = (p + q) * (1 - e2) / (4 * alpha) + (p - q) * (alpha + e2 * (omega * s - alpha * c)) / (4 * w2)
    return np.maximum(0.0, both - (i_one + i_drift) * i_sine * (omega - e2 * (alpha * s + omega * c)) / (2 * w2)
                      - np.square(i_drift) * t_conducting - 2 * i_drift * q_after)


@formula("X = C·(t_s·(a + R_2·V_or/L_m·t_s + Q_z/C + R·I_x) + R·Q_z − L_lk·(Î_1 + I_z)) − ½·I_x·t_s²", "As²",
         "C t_s a R_2 V_or L_m R I_x L_lk Î_1 I_z Q_z", "the capacitor's current times the time since its window began, by parts")
def first_moment(c: Any, t_conducting: Any, cosine: Any, r_reflected: Any, v_reflected: Any, lm: Any, r: Any, i_drift: Any, leakage: Any,
                 i_one: Any, i_ring: Any, q_after: Any) -> Any:
    """First moment of the capacitor's current [As²] while the secondary conducts: negative, as it flows in first."""
    return (c * (t_conducting * (cosine + r_reflected * v_reflected / lm * t_conducting + q_after / c + r * i_drift) + r * q_after
                 - leakage * (i_one + i_ring)) - 0.5 * i_drift * np.square(t_conducting))


@formula("I_y = V_or·(T − t_s)/L_m + ((R − R_2)·Q_z − (V_0 + ½·ΔV_z)·(T − t_s))/L_p", "A", "V_or T t_s L_m R R_2 Q_z V_0 ΔV_z L_p",
         "once the secondary has stopped the core discharges into the capacitor instead, through the primary's leakage and resistances")
def kink(v_reflected: Any, t_window: Any, t_conducting: Any, lm: Any, r: Any, r_reflected: Any, q_after: Any, v_start: Any, v_stop: Any,
         lp: Any) -> Any:
    """Current [A] by which the core ends above a discharge at the reflected voltage."""
    rest = t_window - t_conducting
    return v_reflected * rest / lm + ((r - r_reflected) * q_after - (v_start + 0.5 * v_stop) * rest) / lp


@formula("Q_y = I_y·(t_off − ½·T − ½·t_s)", "C", "I_y t_off T t_s", "area that the kink adds to the discharge")
def kink_charge(i_kink: Any, t_off: Any, t_window: Any, t_conducting: Any) -> Any:
    """Charge [C] the core gives beyond a discharge at the reflected voltage."""
    return i_kink * (t_off - 0.5 * t_window - 0.5 * t_conducting)


@formula("W_z = (T − t_s)/3·((Î_1 − V_or/L_m·t_s)² + (Î_1 − V_or/L_m·t_s)·(Î_1 − V_or/L_m·T + I_y) + (Î_1 − V_or/L_m·T + I_y)²)", "A²s",
         "T t_s Î_1 V_or L_m I_y", "square of a line")
def square_after(t_window: Any, t_conducting: Any, i_one: Any, v_reflected: Any, lm: Any, i_kink: Any) -> Any:
    """Integral of the capacitor's squared current after the secondary has stopped [A²s]."""
    first, last = i_one - v_reflected / lm * t_conducting, i_one - v_reflected / lm * t_window + i_kink
    return (t_window - t_conducting) / 3 * (np.square(first) + first * last + np.square(last))


@formula("A = exp(−π/(4·Q))·√((V_0 − V_or)² + L_lk/C_n·I_b²)", "V", "Q V_0 V_or L_lk C_n I_b",
         "ring of the leakage with the node around bus plus reflected voltage, a quarter of it")
def fall(quality: Any, v_start: Any, v_reflected: Any, leakage: Any, c_node: Any, i_back: Any) -> Any:
    """How far [V] the leakage can bring the node below bus plus reflected voltage."""
    return np.exp(-np.pi / (4 * quality)) * np.sqrt(np.square(v_start - v_reflected) + leakage / c_node * np.square(i_back))


@formula("V_1 = max(0, V_bus + V_or − √(max(0, A² − L_lk/C_n·max(0, −I_e)²)))", "V", "V_bus V_or A L_lk C_n I_e",
         "the leakage rings down until it carries what the core carries")
def node_by_leakage(v_bus: Any, v_reflected: Any, amplitude: Any, leakage: Any, c_node: Any, i_end: Any) -> Any:
    """Drain voltage [V] when the leakage has given its part."""
    return np.maximum(0.0, v_bus + v_reflected
                      - np.sqrt(np.maximum(0.0, np.square(amplitude) - leakage / c_node * np.square(np.maximum(0.0, -i_end)))))


@formula("t_1 = √(L_lk·C_n)·(½·π − asin(min(1, √(L_lk/C_n)·max(0, −I_e)/max(A, 0.000001))))", "s", "L_lk C_n I_e A",
         "a quarter of the ring, less where the core's current has turned round and takes over")
def time_by_leakage(leakage: Any, c_node: Any, i_end: Any, amplitude: Any) -> Any:
    """Time [s] of the leakage's part."""
    return np.sqrt(leakage * c_node) * (
        0.5 * np.pi - np.arcsin(np.minimum(1.0, np.sqrt(leakage / c_node) * np.maximum(0.0, -i_end) / np.maximum(amplitude, 1e-6))))


@formula("t_w = min(1, 20·max(0, −I_e)/Î_1)·min(max(0, t_d − t_1), C_n·V_1/max(0.000001, −I_e))", "s", "I_e Î_1 t_d t_1 C_n V_1",
         "the core's current goes on while there is dead time; one below a twentieth of the peak is not waited for")
def waiting(i_end: Any, i_one: Any, t_dead: Any, t_one: Any, c_node: Any, v_one: Any) -> Any:
    """Time [s] the core's own current brings the node further down."""
    back = np.maximum(0.0, -i_end)
    return np.minimum(1.0, 20 * back / i_one) * np.minimum(np.maximum(0.0, t_dead - t_one), c_node * v_one / np.maximum(1e-6, back))


@formula("V_t = max(0, V_1 − max(0, −I_e)·t_w/C_n)", "V", "V_1 I_e t_w C_n", "charge of the node")
def turn_on_voltage(v_one: Any, i_end: Any, t_wait: Any, c_node: Any) -> Any:
    """Drain voltage [V] when the main switch closes; zero where the body diode holds it."""
    return np.maximum(0.0, v_one - np.maximum(0.0, -i_end) * t_wait / c_node)


@formula("I_r = max(0, −I_0, √(max(0, A² − (V_bus + V_or)²)·C_n/L_lk))", "A", "I_0 A V_bus V_or C_n L_lk",
         "what is left of the leakage's current when the node has reached ground")
def current_left(i_start: Any, amplitude: Any, v_bus: Any, v_reflected: Any, c_node: Any, leakage: Any) -> Any:
    """Backward current [A] with which the next pulse begins."""
    return np.maximum(np.maximum(0.0, -i_start),
                      np.sqrt(np.maximum(0.0, np.square(amplitude) - np.square(v_bus + v_reflected)) * c_node / leakage))


@formula("t_com = min(½·t_off, L_lk·(I_0 + I_r)/(V_bus + V_or))", "s", "L_lk I_0 I_r V_bus V_or t_off",
         "leakage current turned round at turn-on while the secondary still conducts")
def commutation_time(leakage: Any, i_start: Any, i_left: Any, v_bus: Any, v_reflected: Any, t_off: Any) -> Any:
    """Part of the on-time [s] lost to commutation."""
    return np.minimum(0.5 * t_off, leakage * (i_start + i_left) / (v_bus + v_reflected))


@formula("t_b = t_1 + t_com", "s", "t_1 t_com", "one after the other")
def time_back(t_one: Any, t_com: Any) -> Any:
    """Time [s] after the clamp switch's opening in which the secondary still conducts."""
    return t_one + t_com


@formula("I_0 = I_e + (V_bus − ½·V_1 − ½·V_t)·t_w/L_p", "A", "I_e V_bus V_1 V_t t_w L_p",
         "the core sees the bus less the node, on its way down")
def current_at_start(i_end: Any, v_bus: Any, v_one: Any, v_turn_on: Any, t_wait: Any, lp: Any) -> Any:
    """Core current [A] when the main switch closes."""
    return i_end + (v_bus - 0.5 * v_one - 0.5 * v_turn_on) * t_wait / lp


@formula("t_off = max(0.05/f_s, (1/f_s − t_r − t_w)/(1 + t_m/t_off0))", "s", "f_s t_r t_w t_m t_off0",
         "the period is ramp, rise, discharge and what the core's current alone brings the node down in; flux balance keeps the ratio of "
         "ramp to discharge")
def discharge_time(fs: Any, t_rise: Any, t_wait: Any, t_ramp: Any, t_off_before: Any) -> Any:
    """Discharge time [s], from the ramp-to-discharge ratio of the pass before."""
    return np.maximum(0.05 / fs, (1 / fs - t_rise - t_wait) / (1 + t_ramp / t_off_before))


@formula("I_k = f_n·(½·(I_0 − I_r)·t_com − C_n·(V_bus + V_or − V_1) − Q_y)", "A", "f_n I_0 I_r t_com C_n V_bus V_or V_1 Q_y",
         "the commutation keeps charge from the outputs, the node's way down while the secondary conducts gives them some, as does a "
         "slower end of the discharge")
def current_from_core(fs: Any, i_start: Any, i_left: Any, t_com: Any, c_node: Any, v_bus: Any, v_reflected: Any, v_one: Any,
                      q_kink: Any) -> Any:
    """What the core gives beside the outputs at the reflected voltage, as a current [A]; negative where the leakage feeds them."""
    return fs * (0.5 * (i_start - i_left) * t_com - c_node * (v_bus + v_reflected - v_one) - q_kink)


@formula("f_s = min(f_n, max(f_floor, I_s/max(0.000000000001, t_off·max(0.2·Î_k, Î_k − ½·V_or·t_off/L_m) − E_off/V_or − I_k/f_n)))", "Hz",
         "f_n f_floor I_s I_k t_off Î_k V_or L_m E_off",
         "below the least peak current pulses come in packets at the full rate, and no pulse carries less than a fifth of that current")
def packet_rate(fs: Any, f_floor: Any, i_secondary: Any, i_clamp: Any, t_off: Any, i_floor: Any, v_reflected: Any, lm: Any,
                e_off: Any) -> Any:
    """Average pulse rate [Hz] under the light-load law; within a packet the pulses follow each other at the full rate."""
    charge = t_off * np.maximum(0.2 * i_floor, i_floor - 0.5 * v_reflected * t_off / lm) - e_off / v_reflected - i_clamp / fs
    return np.minimum(fs, np.maximum(f_floor, i_secondary / np.maximum(1e-12, charge)))


@formula("Q = I_s/f_s + I_k/f_n + E_off/V_or + V_or·t_off/R_c", "C", "I_s I_k f_s f_n E_off V_or t_off R_c", _MODEL)
def core_charge(i_secondary: Any, i_clamp: Any, rate: Any, fs: Any, e_off: Any, v_reflected: Any, t_off: Any, r_core: Any) -> Any:
    """Charge [C] the core must discharge each pulse, seen from the primary; fs: full rate, rate: average one [Hz]."""
    return i_secondary / rate + i_clamp / fs + e_off / v_reflected + v_reflected * t_off / r_core


@formula("Î_1 = Q/t_off + ½·V_or·t_off/L_m", "A", "Q t_off V_or L_m", _MODEL)
def discharge_peak(q: Any, t_off: Any, v_reflected: Any, lm: Any) -> Any:
    """Core current [A] when the secondary takes over."""
    return q / t_off + 0.5 * v_reflected * t_off / lm


@formula("I_e = Î_1 − V_or·t_off/L_m + I_y", "A", "Î_1 V_or t_off L_m I_y",
         "discharge at constant voltage, through zero where the load asks for less")
def current_at_end(i_one: Any, v_reflected: Any, t_off: Any, lm: Any, i_kink: Any) -> Any:
    """Core current [A] at the end of the discharge."""
    return i_one - v_reflected * t_off / lm + i_kink


@formula("I_sw = √(f_s/3·(t_m·(I_0² + I_0·Î + Î²) + t_com·(I_r² − I_r·I_0 + I_0²)))", "A", "f_s t_m I_0 Î t_com I_r",
         "rms of linear pieces")
def switch_rms(fs: Any, t_ramp: Any, i_start: Any, i_peak: Any, t_com: Any, i_left: Any) -> Any:
    """Main switch rms current [A]."""
    return np.sqrt(
        fs / 3 * (t_ramp * (np.square(i_start) + i_start * i_peak + np.square(i_peak)) + t_com
                  * (np.square(i_left) - i_left * i_start + np.square(i_start))))


@formula("I_2 = √(f_s·max(0, t_s·(Î_1² − V_or/L_m·t_s·Î_1 + (V_or/L_m·t_s)²/3) − 2·Î_1·Q_z + 2·V_or/L_m·X + W + (t_off − T)·(I_e + "
         "I_b)²/3))", "A", "f_s t_s Î_1 V_or L_m Q_z X W t_off T I_e I_b",
         "core current less the capacitor's, squared; the rest of the discharge as a triangle")
def secondary_rms(fs: Any, t_conducting: Any, i_one: Any, v_reflected: Any, lm: Any, q_after: Any, moment: Any, square: Any, t_off: Any,
                  t_window: Any, i_end: Any, i_back: Any) -> Any:
    """Rms [A] of all secondary current seen from the primary."""
    falls = v_reflected / lm * t_conducting
    core = t_conducting * (np.square(i_one) - falls * i_one + np.square(falls) / 3)
    return np.sqrt(fs * np.maximum(0.0, core - 2 * i_one * q_after + 2 * v_reflected / lm * moment + square
                                   + (t_off - t_window) * np.square(i_end + i_back) / 3))


@formula("I_s = f_s·((Î_1 − ½·V_or·t_off/L_m)·t_off − I_k/f_n)", "A", "f_s f_n Î_1 V_or t_off L_m I_k", "area of the discharge")
def secondary_average(rate: Any, fs: Any, i_one: Any, v_reflected: Any, t_off: Any, lm: Any, i_clamp: Any) -> Any:
    """Average of all current the core discharges, seen from the primary [A]."""
    return rate * ((i_one - 0.5 * v_reflected * t_off / lm) * t_off - i_clamp / fs)


@formula("I_cl = √(f_s·(W + W_z))", "A", "f_s W W_z", "definition")
def clamp_rms(fs: Any, square: Any, square_after: Any) -> Any:
    """Rms current [A] of clamp switch and capacitor."""
    return np.sqrt(fs * (square + square_after))


@formula("C = (t/π)²/L_lk", "F", "t L_lk", "half the ring with the leakage lasts as long as the longest open time")
def half_ring_capacitor(t_open: Any, leakage: Any) -> Any:
    """Clamp capacitor [F] by its ring."""
    return np.square(t_open / np.pi) / leakage


@formula("C = 4·d²·L_lk/R²", "F", "d L_lk R", "series resonant circuit")
def damped_capacitor(damping: Any, leakage: Any, r: Any) -> Any:
    """Clamp capacitor [F] whose ring with the leakage has a share of critical damping."""
    return 4 * np.square(damping) * leakage / np.square(r)


@formula("d = R/2·√(C/L_lk)", "", "R C L_lk", "share of critical damping")
def damping_share(r: Any, c: Any, leakage: Any) -> Any:
    """Damping of the clamp's ring over the critical one."""
    return 0.5 * r * np.sqrt(c / leakage)


@formula("x = t_s·ω/π", "", "t_s ω", "half rings of the capacitor while the secondary conducts")
def half_rings(t_conducting: Any, omega: Any) -> Any:
    """How many half rings the leakage makes with the capacitor."""
    return t_conducting * omega / np.pi


@formula("I_t = I_0 − I_r", "A", "I_0 I_r", "sum of both ends of the commutation")
def turned(i_start: Any, i_left: Any) -> Any:
    """Twice the mean current [A] the bus gives while the leakage current turns round."""
    return i_start - i_left


def secondary_peak(i_end: Any, i_back: Any, i_one: Any, v_reflected: Any, lm: Any, t_conducting: Any, i_drift: Any, alpha: Any, omega: Any,
                   i_sine: Any) -> Any:
    """Largest secondary current [A], seen from the primary: core's less leakage's current, at its end and at fifteen instants before."""
    most = i_end + i_back
    for k in range(1, 16):
        t = k / 16 * t_conducting
        ring = np.exp(-alpha * t) * ((i_one + i_drift) * np.cos(omega * t) - i_sine * np.sin(omega * t))
        most = np.maximum(most, i_one - v_reflected / lm * t + i_drift - ring)
    return most
