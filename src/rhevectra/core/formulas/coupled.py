"""Several outputs of a step-down stage whose filter inductors are windings of one core, in the turns of the transformer.

Winding by winding the core gives all outputs the same volts per turn at every instant, so in the mean each output stands at what its turns
make of the regulated one, drops reckoned in. The ripple is a current of the core: windings that leak alike share it alike, seen from one of
them. Source of all relations: Kirchhoff's laws of coupled inductances, by hand; checked against the steady-state engine and a circuit
simulator.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("I_Σ = I + I_k·N_k/N", "A", "I I_k N_k N", "what output k takes, seen from the regulated one: its ampere-turns over their turns")
def seen(i: Any, i_other: Any, turns_other: Any, turns: Any) -> Any:
    """Current [A] with that of one more output."""
    return i + i_other * turns_other / turns


@formula("I = I_Σ − I_k·N_k/N", "A", "I_Σ I_k N_k N", "what is left for the regulated output of a current of all")
def left(i: Any, i_other: Any, turns_other: Any, turns: Any) -> Any:
    """Current [A] without that of one other output."""
    return i - i_other * turns_other / turns


@formula("R = D_e·r_e + (1 − D_e)·r_w", "Ω", "D_e r_e r_w",
         "mean over a pulse: rectifier and winding while the switches feed, what freewheels for the rest; filter winding all the time")
def mean_resistance(duty: Any, feeding: Any, wheeling: Any) -> Any:
    """Resistance [Ω] in the path of an output in the mean."""
    return duty * feeding + (1 - duty) * wheeling


@formula("V_k = (V_e + V_f + R·I)·N_k/N − V_fk − R_k·I_k − x·(r_k·Î_k − R_k·I_k)", "V", "V_e V_f R I N_k N V_fk R_k I_k x r_k Î_k",
         "the same mean volts per turn in all windings of the filter core; where the regulated output is idle, it is filled at the crest "
         "of what the others carry")
def other_voltage(v_out: Any, v_forward: Any, r: Any, i: Any, turns_other: Any, turns: Any, v_forward_other: Any, r_other: Any,
                  i_other: Any, idle: Any, r_feeding: Any, crest: Any) -> Any:
    """Voltage [V] of an output that no loop holds; idle: share to which the regulated one is."""
    return (v_out + v_forward + r * i) * turns_other / turns - v_forward_other - r_other * i_other - idle * (
        r_feeding * crest - r_other * i_other)


@formula("V_u = V_p·N/N_p − V_o − V_f", "V", "V_p N N_p V_o V_f",
         "what drives the filter winding of the regulated output while the switches feed, but for resistances")
def driving(v_primary: Any, turns: Any, turns_primary: Any, v_out: Any, v_forward: Any) -> Any:
    """Voltage [V] across the filter winding while the switches feed."""
    return v_primary * turns / turns_primary - v_out - v_forward


@formula("ΔI = V_u·(V_o + V_f)/((V_u + V_o + V_f)·f·L)", "A", "V_u V_o V_f f L",
         "volt-seconds of a pulse while the current flows all the time, resistances left out")
def ideal_ripple(v_up: Any, v_out: Any, v_forward: Any, rate: Any, inductance: Any) -> Any:
    """Ripple [A] of the filter core, seen from the regulated output."""
    return v_up * (v_out + v_forward) / ((v_up + v_out + v_forward) * rate * inductance)


@formula("x = max(0, 1 − I_k·N_k/N·n/min(½·ΔI, I_Σ))", "", "I_k N_k N n ΔI I_Σ",
         "0 where its current reaches its part of the ripple, so that its winding carries current all the time; 1 where nothing is drawn")
def idle_share(i: Any, turns_own: Any, turns: Any, count: Any, ripple: Any, i_all: Any) -> Any:
    """How idle an output is."""
    return np.maximum(1 - i * turns_own / turns * count / np.maximum(np.minimum(0.5 * ripple, i_all), 1e-12), 0.0)


@formula("V_λ = V_u·(1 − κ)/κ", "V", "κ V_u",
         "an idle winding shows less of the driving voltage than those that carry the current, by what they do not share of their field")
def lift(coupling: Any, v_up: Any) -> Any:
    """How far an idle output rises above what its turns make [V], seen from the regulated one, but for resistances."""
    return v_up * (1 - coupling) / coupling


@formula("V_e = max(V_o − x·V_λ, 0.2·V_o)", "V", "V_o x V_λ",
         "the loop holds the regulated output; where that is idle itself, all others sink by what it rises above them; below a fifth it is "
         "no design any more, and their least voltages say so")
def even_voltage(v_out: Any, idle: Any, v_lift: Any) -> Any:
    """What the regulated output would stand at with its winding in use [V]."""
    return np.maximum(v_out - idle * v_lift, 0.2 * v_out)


@formula("V_s = max(V_e − x·r·(I_Σ + ½·ΔI), ½·V_e)", "V", "V_e x r I_Σ ΔI",
         "an idle regulated output is filled at the crest of the others' current: what stands against the core there is theirs, drops and "
         "all; where these take half of it, it is no design any more")
def mean_voltage(v_even: Any, idle: Any, r: Any, i_all: Any, ripple: Any) -> Any:
    """What stands against the filter core [V], seen from the regulated output, but for the drops."""
    return np.maximum(v_even - idle * r * (i_all + 0.5 * ripple), 0.5 * v_even)


@formula("V_x = V_k + x·(V_λ + r·(Î − I))·N_k/N", "V", "V_k x V_λ r Î I N_k N",
         "an idle output rises above what its turns make, and is filled at the crest of what the regulated one carries")
def lifted(v: Any, idle: Any, v_lift: Any, r_feeding: Any, crest: Any, i: Any, turns_other: Any, turns: Any) -> Any:
    """Greatest voltage [V] of an output that no loop holds."""
    return v + idle * (v_lift + r_feeding * (crest - i)) * turns_other / turns


@formula("u = (r_e − r_w)·I_k·N/N_k", "V", "r_e r_w I_k N N_k",
         "what resistances take more of an output while the switches feed than while it freewheels, seen from the regulated one")
def uneven_drop(feeding: Any, wheeling: Any, i: Any, turns: Any, turns_other: Any) -> Any:
    """Step of the drops of an output [V]."""
    return (feeding - wheeling) * i * turns / turns_other


@formula("ΔI_u = (u − u_m)·D_e·(1 − D_e)/(f·L_λ)", "A", "u u_m D_e f L_λ",
         "what its drops step more than those of the others in the mean drives through what its winding does not share of its field")
def uneven_ripple(drop: Any, mean: Any, duty: Any, rate: Any, leakage: Any) -> Any:
    """How much less an output has of the ripple than its even part [A], seen from the regulated one."""
    return (drop - mean) * duty * (1 - duty) / (rate * leakage)


@formula("ΔI_k = b·abs(ΔI/n − ΔI_u)·N/N_k + (1 − b)·2·I_k", "A", "ΔI n ΔI_u N N_k b I_k",
         "the ripple of the core, shared alike by the windings that carry current all the time (b is 1), less what their drops drive; one "
         "that does not begins at nothing")
def ripple_of_one(ripple: Any, sharers: Any, uneven: Any, turns: Any, turns_other: Any, busy: Any, i: Any) -> Any:
    """Ripple [A] of the filter winding of one output."""
    return busy * np.abs(ripple / sharers - uneven) * turns / turns_other + (1 - busy) * 2 * i


@formula("I_L = √(I² + ΔI²/12)", "A", "I ΔI", "a straight ripple about the current of the output")
def winding_rms(i: Any, ripple: Any) -> Any:
    """Rms current [A] of the filter winding of one output."""
    return np.sqrt(np.square(i) + np.square(ripple) / 12)


@formula("Î = max(I + ½·ΔI, ΔI)", "A", "I ΔI", "crest of a straight ripple, which begins at nothing at the least")
def winding_crest(i: Any, ripple: Any) -> Any:
    """Crest [A] of the current of the filter winding of one output."""
    return np.maximum(i + 0.5 * ripple, ripple)


@formula("I_C = ΔI/√(12)", "A", "ΔI", "what the load does not take of a straight ripple")
def capacitor_rms(ripple: Any) -> Any:
    """Rms current [A] of an output's capacitors."""
    return ripple / np.sqrt(12)


@formula("L_1 = L·n/(κ·n + 1 − κ)", "H", "L κ n",
         "of n windings that each share κ of their field with the others, all driven alike: what one of them has alone, so that together "
         "they have L")
def alone(inductance: Any, coupling: Any, count: Any) -> Any:
    """Inductance [H] of one filter winding with the others open."""
    return inductance * count / (coupling * count + 1 - coupling)


@formula("L_λ = L·n·(1 − κ)/(κ·n + 1 − κ)", "H", "L κ n", "what one of n windings has alone, less what it shares")
def unshared(inductance: Any, coupling: Any, count: Any) -> Any:
    """Inductance [H] that a filter winding does not share with the others."""
    return inductance * count * (1 - coupling) / (coupling * count + 1 - coupling)


@formula("C_Σ = C + C_k·(N_k/N)²", "F", "C C_k N_k N", "the charge of output k, seen from the regulated one")
def seen_capacitance(c: Any, c_other: Any, turns_other: Any, turns: Any) -> Any:
    """Capacitance [F] with that of one more output."""
    return c + c_other * np.square(turns_other / turns)


@formula("V_x = (V_o + V_f)·N_k/N − V_fk", "V", "V_o V_f N_k N V_fk", "it follows the regulated output by its turns")
def opened(v_open: Any, v_forward: Any, turns_other: Any, turns: Any, v_forward_other: Any) -> Any:
    """What an output comes to [V] while the regulated one is at v_open."""
    return (v_open + v_forward) * turns_other / turns - v_forward_other
