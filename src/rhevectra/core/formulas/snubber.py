"""Parasitic ringing read on a bench, and the series resistor and capacitor that damp it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("C_p = C_a/((f_1/f_2)^2 − 1)", "F", "C_a f_1 f_2", "two resonances of one inductance, without and with a known capacitor")
def parasitic_capacitance(added: Any, f_bare: Any, f_loaded: Any) -> Any:
    """Capacitance [F] that rings at f_bare [Hz], and at f_loaded with `added` [F] across it; a third of `added` where the frequency
    halves."""
    return added / ((f_bare / f_loaded) ** 2 - 1)


@formula("δ = √(2)·ε·2·(f_1/f_2)^2/((f_1/f_2)^2 − 1)", "", "ε f_1 f_2",
         "first-order propagation of two independent errors of the same share")
def uncertainty(error: Any, f_bare: Any, f_loaded: Any) -> Any:
    """Share by which the capacitance may be off where each frequency is read to `error`; least where the frequency falls most."""
    square = (f_bare / f_loaded) ** 2
    return np.sqrt(2) * error * 2 * square / (square - 1)


@formula("L_p = 1/((2·π·f_1)^2·C_p)", "H", "f_1 C_p", "resonance")
def parasitic_inductance(f_bare: Any, capacitance: Any) -> Any:
    """Inductance [H] that rings with it."""
    return 1 / ((2 * np.pi * f_bare) ** 2 * capacitance)


@formula("f = 1/(2·π·√(L_p·C_p))", "Hz", "L_p C_p", "resonance")
def ringing_frequency(inductance: Any, capacitance: Any) -> Any:
    """Frequency [Hz] at which they ring."""
    return 1 / (2 * np.pi * np.sqrt(inductance * capacitance))


@formula("Z = √(L_p/C_p)", "Ω", "L_p C_p", "characteristic impedance: the first value of the damping resistor (common practice)")
def characteristic(inductance: Any, capacitance: Any) -> Any:
    """Characteristic impedance of the ring [Ω]."""
    return np.sqrt(inductance / capacitance)


@formula("V = 2·V_p", "V", "V_p", "both halves of a tapped winding in series")
def across_halves(volts: Any) -> Any:
    """Voltage [V] from end to end of a tapped winding."""
    return 2 * volts


@formula("C = ¼·C_p", "F", "C_p", "the same charge at twice the voltage: a capacitance across one half, from end to end of both")
def capacitance_of_halves(capacitance: Any) -> Any:
    """Capacitance [F] from end to end of a tapped winding."""
    return capacitance / 4


@formula("L = 4·L_lk", "H", "L_lk", "twice the turns: a leakage seen by one half, from end to end of both")
def leakage_of_halves(leakage: Any) -> Any:
    """Leakage [H] from end to end of a tapped winding."""
    return 4 * leakage


@formula("P = ½·(C_s + C_p)·(V_R^2 + (V_t·N_s/N_p)^2)·f", "W", "C_s C_p V_R V_t N_s N_p f",
         "half at each edge; at turn-on the winding swings by what the drain falls from")
def rectifier_loss(capacitor: Any, parasitic: Any, v_step: Any, v_turn_on: Any, turns_secondary: Any, turns_primary: Any, rate: Any) -> Any:
    """Loss [W] of the snubber across a flyback's rectifier, which blocks v_step [V]; v_turn_on: drain voltage at turn-on [V]."""
    return 0.5 * (capacitor + parasitic) * (np.square(v_step) + np.square(v_turn_on * turns_secondary / turns_primary)) * rate


@formula("P = ½·(C_s + C_p)·(V_c·N_s/N_p)^2·f", "W", "C_s C_p V_c N_s N_p f",
         "the node rises as slowly as the magnetising current charges it, which costs next to nothing, and falls at once")
def slow_rise_loss(capacitor: Any, parasitic: Any, v_clamp: Any, turns_secondary: Any, turns_primary: Any, rate: Any) -> Any:
    """Loss [W] of the snubber across a forward's feeding rectifier, which blocks while a clamp resets the core by v_clamp [V]."""
    return 0.5 * (capacitor + parasitic) * np.square(v_clamp * turns_secondary / turns_primary) * rate


@formula("P = (C_s + C_p)·V^2·f", "W", "C_s C_p V f",
         "at each edge the source gives twice what the capacitors keep; the resistor takes the rest, the ring's energy with it")
def snubber_loss(capacitor: Any, parasitic: Any, volts: Any, rate: Any) -> Any:
    """Loss [W] of a snubber's resistor where nothing else damps; the node swings by `volts` once up and once down a period."""
    return (capacitor + parasitic) * volts**2 * rate


@formula("P = (½·C_s·V^2 + E)·f", "W", "C_s V E f",
         "at turn-on the switch lifts the primary at once and the resistor takes as much as the capacitor keeps; and what it takes after "
         "each pulse")
def across_primary(capacitor: Any, volts: Any, after: Any, rate: Any) -> Any:
    """Loss [W] of a resistor across a primary that `rate` pulses a second [Hz] lift to `volts`; after: what it takes behind each [J]."""
    return (0.5 * capacitor * np.square(volts) + after) * rate


def after_pulse(current: Any, ratio: float, damping: float) -> Any:
    """What the resistor of a snubber across a primary takes after a pulse, over C_p·V². At first the current stays, which the output's
    inductor holds, and brings the primary from V down to nothing; then the leakage lies against a short circuit and rings with the nodes,
    no further than to −V, where what is left of its current goes back to the bus.

    current: at turn-off, over V/Z; Z = √(L/C_p); ratio: C_s/C_p; damping: R/Z. Source: circuit equations, the fall solved by Newton's rule,
    the ring by Runge and Kutta's; checked against the circuit in the tests.
    """
    x = np.maximum(np.asarray(current, float), 1e-3)
    slow = damping * ratio / (1 + ratio)
    fall = (1 + ratio) / x
    for _ in range(12):
        rest = np.exp(-fall / slow)
        volts = 1 - x * (fall + ratio * slow * (1 - rest)) / (1 + ratio)
        fall = np.maximum(fall + volts * (1 + ratio) / (x * (1 + ratio * rest)), 1e-9)
    rest = np.exp(-fall / slow)
    in_fall = np.square(x * slow) / damping * (fall - 2 * slow * (1 - rest) + slow / 2 * (1 - np.square(rest)))
    held = x * slow * (1 - rest)
    return in_fall + 0.5 * np.square(x) + 0.5 * ratio * np.square(held) - _handed_back(x, held, ratio, damping)


def _handed_back(current: Any, held: Any, ratio: float, damping: float) -> Any:
    """Of a ring that begins with a current in the leakage and a voltage on the snubber's capacitor (over V/Z and V), what goes to the bus
    while the primary is held at −V (over C_p·V²)."""
    state, back = np.stack([current, np.zeros_like(current), held]), np.zeros_like(current)
    step = _STEP * np.maximum(1.0, current / _LONG)

    def slope(y: Any) -> tuple[Any, Any]:
        i, v, u = y
        through = (v - u) / damping
        rise = -i - through
        stands = (v <= -1) & (rise < 0)
        return np.stack([v, np.where(stands, 0.0, rise), through / ratio]), np.where(stands, -rise, 0.0)
    for _ in range(_STEPS):
        a, x1 = slope(state)
        b, x2 = slope(state + 0.5 * step * a)
        c, x3 = slope(state + 0.5 * step * b)
        d, x4 = slope(state + step * c)
        state = state + step / 6 * (a + 2 * b + 2 * c + d)
        state[1] = np.maximum(state[1], -1.0)
        back = back + step / 6 * (x1 + 2 * x2 + 2 * x3 + x4)
    return back


_STEP, _STEPS, _LONG = 0.06, 140, 5.0
"""Steps of the ring, of its own time √(L·C_p), how many, and the current from which on they are longer: it takes as long to go back."""
