"""The supply that a winding of little current makes beside the outputs of a flyback, at many operating points at once.

The outputs' currents over a pulse are known, and with them what stands at the winding while it is open: the voltage of the output that
conducts, moved by what leakage drives between the two while the currents change. Its diode conducts where that is more than its capacitor
holds; what the winding takes that output loses, so the leakage between both and both resistances stand behind it. While all changes are
steady its current is an exponential, taken exactly. It can take no more than all outputs carry. Of trial voltages, which all are followed
at once, the two that enclose the charge wanted are kept and divided anew.
Source: Kirchhoff's laws of coupled inductances; checked in the tests against the exact circuit and the simulator.
"""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array

TRIALS, ROUNDS = 8, 3


class Supply(Struct, frozen=True):
    """At each point (N,): voltage of the winding with its diode's drop [V], peak [A], integral of the squared current over a pulse [A²s];
    share of the charge wanted that it gets even into an empty capacitor, where that is less than 1."""

    voltage: Array
    peak: Array
    square: Array
    given: Array


def _followed(settled: Array, total: Array, decay: Array) -> tuple[Array, Array]:
    """Currents at the ends of all steps (steps + 1, trials, N), and at the end of each what it would be if nothing held it (steps, trials,
    N). settled: what every step tends to."""
    ends, free = [np.zeros_like(settled[0])], []
    for towards, most, left in zip(settled, total[1:], decay, strict=True):
        free.append((ends[-1] - towards) * left + towards)
        ends.append(np.minimum(np.maximum(free[-1], 0.0), most))
    return np.array(ends), np.array(free)


def _conducts(ends: Array, free: Array, settled: Array, constant: Array, length: Array) -> Array:
    """How long the winding conducts in each step [s]: its diode lets go when the exponential reaches nothing."""
    lets_go = free < 0
    return np.where(lets_go, constant * np.log1p(ends[:-1] / np.where(lets_go, -settled, np.inf)), length)


def _charge(ends: Array, free: Array, settled: Array, constant: Array, length: Array) -> Array:
    """Charge of a pulse [As] (trials, N)."""
    until, change = _conducts(ends, free, settled, constant, length), ends[1:] - ends[:-1]
    return np.where(free > ends[1:], 0.5 * length * (ends[1:] + ends[:-1]), settled * until - constant * change).sum(0)


def _square(ends: Array, free: Array, settled: Array, constant: Array, length: Array) -> Array:
    """Integral of the squared current of a pulse [A²s] (trials, N)."""
    until, before, after = _conducts(ends, free, settled, constant, length), ends[:-1] - settled, ends[1:] - settled
    held = length / 3 * (ends[:-1] * (ends[:-1] + ends[1:]) + ends[1:] * ends[1:])
    let_go = settled * (settled * until - 2 * constant * (after - before)) + 0.5 * constant * (before * before - after * after)
    return np.maximum(np.where(free > ends[1:], held, let_go).sum(0), 0.0)  # terms that cancel leave what rounding does


def supply(open_voltage: Any, total: Any, length: Any, leakage: Any, resistance: Any, charge: Any, rounds: int = ROUNDS) -> Supply:
    """What a winding stands at that takes a charge [As] (N,) from every pulse, all seen from one winding.

    The pulse in steps: open_voltage (steps, N) [V], with the diode's drop; total (steps + 1, N): current of all outputs [A] at their ends;
    length (steps, N) [s], leakage (steps, N) [H] and resistance (steps, N) [Ω] behind the winding, both greater than zero. rounds: one
    tells corners apart.
    """
    open_voltage, total, length, leakage, resistance, charge = (
        np.asarray(x, float) for x in (open_voltage, total, length, leakage, resistance, charge))
    low, high, points = np.zeros_like(charge), np.maximum(open_voltage.max(0), 1e-9), np.arange(len(charge))
    constant, many = (leakage / resistance)[:, None], length[:, None]
    decay, part, given = np.exp(-many / constant), np.linspace(0.0, 1.0, TRIALS)[:, None], np.ones_like(charge)
    for turn in range(rounds):
        trial = low + part * (high - low)
        settled = (open_voltage[:, None] - trial) / resistance[:, None]
        pulse = (*_followed(settled, total, decay), settled, constant, many)
        taken = _charge(*pulse)
        if turn == 0:
            given = np.minimum(taken[0] / charge, 1.0)
        at = np.clip((taken >= charge).sum(0), 1, TRIALS - 1)
        low, high = trial[at - 1, points], trial[at, points]
    below, above = (np.sqrt(taken[at - 1, points]),
                    np.sqrt(taken[at, points]))  # of a short pulse the charge goes with the square of the voltage left for it
    share = np.clip((below - np.sqrt(charge)) / np.maximum(below - above, 1e-30), 0.0, 1.0)

    def between(x: Array) -> Array:
        return np.asarray(x[at - 1, points] + share * (x[at, points] - x[at - 1, points]))
    return Supply(low + share * (high - low), between(pulse[0].max(0)), between(_square(*pulse)), given)
