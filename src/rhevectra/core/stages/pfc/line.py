"""Currents of a boost stage over the line cycle, at every corner at once: each angle is a boost converter on a constant input."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.powder import biased
from rhevectra.core.magnetics.line_cycle import ANGLES, WEIGHTS


class Boost(Struct, frozen=True):
    """What the currents need: inductance [H] (without bias, where it falls with the current), frequency [Hz] (the highest, where the
    frequency is free), whether each cycle begins at the boundary, phases side by side; i_half [A]: current that leaves half the inductance,
    nothing for a gapped core."""

    inductance: Any
    fs: float
    boundary: bool
    phases: int = 1
    i_half: Any = None
    exponent: Any = 1.0

    def at(self, mean: Any) -> Any:
        """Inductance [H] of a phase around a mean current [A]."""
        return self.inductance if self.i_half is None else biased(self.inductance, mean, self.i_half, self.exponent)


class Feed(Struct, frozen=True):
    """What a stage is chosen for: lines from the lowest to the highest [V rms], the bus it boosts into [V], power drawn [W]."""

    lines: Array
    v_bus: float
    power: float

    @property
    def lowest(self) -> float:
        return float(self.lines[0])


class Angles(Struct, frozen=True):
    """At each angle (last axis) of one phase: input voltage, mean current, ripple (the peak where it rests between pulses), duty of switch
    and of the diode, frequency."""

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
    duty, inductance = 1 - v / v_bus, b.at(mean)
    free = v * duty / (2 * np.maximum(mean, 1e-12) * inductance)
    fs = np.minimum(free, b.fs) if b.boundary else np.broadcast_to(b.fs, free.shape)
    whole = v * duty / (inductance * fs)
    rests = mean <= 0.5 * whole * (1 + 1e-12)
    ripple = np.where(rests, np.sqrt(2 * mean * whole), whole)
    on = np.where(rests, ripple * inductance * fs / v, duty)
    return Angles(v, mean, ripple, on, np.where(rests, ripple * inductance * fs / (v_bus - v), 1 - duty), fs, rests)


def power_at_peak(b: Boost, v_line: Array, v_bus: float, peak: float) -> Array:
    """Power [W] drawn from each line [V] when the inductor's peak at the crest stands at `peak` [A], found by halving: at the crest the
    peak grows with the power."""
    low, high = np.zeros_like(v_line), b.phases * v_line * peak
    for _ in range(45):
        middle = 0.5 * (low + high)
        over = angles(b, v_line, middle, v_bus, np.array([0.5 * np.pi])).peak[..., 0] > peak
        low, high = np.where(over, low, middle), np.where(over, middle, high)
    return 0.5 * (low + high)


def mean_of(values: Array) -> Array:
    """Mean over the line cycle of values at ANGLES."""
    return np.asarray((values * WEIGHTS).sum(-1))


def currents(b: Boost, a: Angles) -> dict[str, Array]:
    """Over the line cycle, of one phase: rms of inductor, switch and diode, mean of the diode, mean of the duty; of all phases, evenly
    shifted: rms of the current into the bus within the switching cycles (their ramps, and cycles that rest, taken as uncorrelated)."""
    rest, p = a.rests, a.ripple
    square = np.where(rest, np.square(p) * (a.duty + a.off) / 3, np.square(a.mean) + np.square(p) / 12)
    per_on = np.where(rest, np.square(p) / 3, np.square(a.mean) + np.square(p) / 12)
    switch, diode, average = per_on * a.duty, per_on * a.off, np.where(rest, 0.5 * p, a.mean) * a.off
    parts = b.phases * a.off
    apart = parts - np.floor(parts)  # between as many diodes that conduct together and one more
    together = np.where(rest, b.phases * (diode - np.square(average)), np.square(a.mean) * apart * (1 - apart) + parts * np.square(p) / 12)
    return {"l_rms": np.sqrt(mean_of(square)), "switch_rms": np.sqrt(mean_of(switch)), "diode_rms": np.sqrt(mean_of(diode)),
            "diode_avg": mean_of(average), "bus_hf": np.sqrt(mean_of(np.maximum(together, 0.0)))}
