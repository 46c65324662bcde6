"""Currents of a boost stage over the line cycle, at every corner at once: each angle is a boost converter on a constant input."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.magnetics.line_cycle import ANGLES, WEIGHTS


@dataclass(frozen=True)
class Boost:
    """What the currents need: inductance [H], frequency [Hz] (the highest, where the frequency is free), whether each cycle begins at the boundary, phases side by side."""

    inductance: float
    fs: float
    boundary: bool
    phases: int = 1


@dataclass(frozen=True)
class Angles:
    """At each angle (last axis) of one phase: input voltage, mean current, ripple (the peak where it rests between pulses), duty of switch and of the diode, frequency."""

    v: Array
    mean: Array
    ripple: Array
    duty: Array
    off: Array
    fs: Array
    rests: Array

    @property
    def peak(self) -> Array:
        """Greatest current of a cycle [A]."""
        return np.where(self.rests, self.ripple, self.mean + 0.5 * self.ripple)

    @property
    def least(self) -> Array:
        """Current [A] at turn-on."""
        return np.where(self.rests, 0.0, self.mean - 0.5 * self.ripple)


def angles(b: Boost, v_line: Any, power: Any, v_bus: Any, at: Array = ANGLES) -> Angles:
    """The switching cycle at each angle [rad]. v_line [V], power [W] and v_bus [V] broadcast together; a last axis is added."""
    v_line, power, v_bus = (np.asarray(x, float)[..., None] for x in (v_line, power, v_bus))
    sine = np.maximum(np.sin(at), 1e-9)
    v = np.minimum(np.sqrt(2) * v_line * sine, 0.999 * v_bus)
    mean = np.sqrt(2) * power / v_line * sine / b.phases
    duty = 1 - v / v_bus
    free = v * duty / (2 * np.maximum(mean, 1e-12) * b.inductance)
    fs = np.minimum(free, b.fs) if b.boundary else np.broadcast_to(b.fs, free.shape)
    whole = v * duty / (b.inductance * fs)
    rests = mean <= 0.5 * whole * (1 + 1e-12)
    ripple = np.where(rests, np.sqrt(2 * mean * whole), whole)
    on = np.where(rests, ripple * b.inductance * fs / v, duty)
    return Angles(v, mean, ripple, on, np.where(rests, ripple * b.inductance * fs / (v_bus - v), 1 - duty), fs, rests)


def mean_of(values: Array) -> Array:
    """Mean over the line cycle of values at ANGLES."""
    return np.asarray((values * WEIGHTS).sum(-1))


def currents(b: Boost, a: Angles) -> dict[str, Array]:
    """Over the line cycle, of one phase: rms of inductor, switch and diode, mean of the diode, mean of the duty; of all phases, evenly shifted: rms of the current into the bus within the switching cycles (their ramps, and cycles that rest, taken as uncorrelated)."""
    rest, p = a.rests, a.ripple
    square = np.where(rest, np.square(p) * (a.duty + a.off) / 3, np.square(a.mean) + np.square(p) / 12)
    per_on = np.where(rest, np.square(p) / 3, np.square(a.mean) + np.square(p) / 12)
    switch, diode, average = per_on * a.duty, per_on * a.off, np.where(rest, 0.5 * p, a.mean) * a.off
    parts = b.phases * a.off
    apart = parts - np.floor(parts)  # between as many diodes that conduct together and one more
    together = np.where(rest, b.phases * (diode - np.square(average)), np.square(a.mean) * apart * (1 - apart) + parts * np.square(p) / 12)
    return {"l_rms": np.sqrt(mean_of(square)), "switch_rms": np.sqrt(mean_of(switch)), "diode_rms": np.sqrt(mean_of(diode)), "diode_avg": mean_of(average), "bus_hf": np.sqrt(mean_of(np.maximum(together, 0.0)))}
