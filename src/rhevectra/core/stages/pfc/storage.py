"""A bus that ripples so far that no linear formula holds: half a line cycle of its energy in time, its mean held by the loop."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array

INSTANTS = 361


def energy_swing(power: Array, f_line: Array, c: float, v_bus: float, v_line: Array) -> tuple[Array, Array]:
    """Valley and crest of the bus [V] for arrays of one shape: power drawn [W], line frequency [Hz], line [V rms].

    The square of the bus follows what a sine's power brings and the load takes, V² = A − P/(ω·C)·sin 2ωt; where it would fall below the line the bridge
    feeds it from there (what that adds is left out of the balance). A is found by halving so that the mean stays v_bus, as the slow voltage loop holds it.
    """
    angle = np.linspace(0.0, np.pi, INSTANTS)
    omega = 2 * np.pi * np.asarray(f_line, float)[..., None]
    swing = np.asarray(power, float)[..., None] / (omega * c) * np.sin(2 * angle)
    floor = np.square(np.sqrt(2) * np.asarray(v_line, float)[..., None] * np.sin(angle))

    def wave(a: Any) -> Array:
        return np.sqrt(np.maximum(a[..., None] - swing, floor))
    low, high = np.zeros(swing.shape[:-1]), 4 * v_bus**2 + np.abs(swing).max(-1)
    for _ in range(50):
        middle = 0.5 * (low + high)
        over = wave(middle)[..., :-1].mean(-1) > v_bus
        low, high = np.where(over, low, middle), np.where(over, middle, high)
    found = wave(0.5 * (low + high))
    return found.min(-1), found.max(-1)
