"""Limits of line current harmonics, per class of IEC 61000-3-2, and of conducted noise."""

import numpy as np

from rhevectra.core.basis.corners import Array

HARMONICS_EDITION = "IEC 61000-3-2 (tables 1 to 3, from memory; confirm against the edition in force)"
_CLASS_A = {3: 2.30, 5: 1.14, 7: 0.77, 9: 0.40, 11: 0.33, 13: 0.21}
_CLASS_D_PER_WATT = {3: 3.4e-3, 5: 1.9e-3, 7: 1.0e-3, 9: 0.5e-3, 11: 0.35e-3}
_CLASS_C_SHARE = {3: None, 5: 0.10, 7: 0.07, 9: 0.05}
D_LEAST_POWER = 75.0


def harmonic_limit(name: str, order: int, power: float, fundamental: float, power_factor: float) -> float | None:
    """Limit [A rms] of an odd order (3 to 39), or None where the class sets none at this power [W].

    Class D applies from 75 W; class C here is the table for more than 25 W of active input power.
    """
    if name == "none" or order < 3 or order > 39:
        return None
    if name in ("A", "B"):
        return (1.5 if name == "B" else 1.0) * _CLASS_A.get(order, 0.15 * 15 / order)
    if name == "D":
        return None if power < D_LEAST_POWER else power * _CLASS_D_PER_WATT.get(order, 3.85e-3 / order)
    if power <= 25.0:
        return None
    return fundamental * (0.30 * power_factor if order == 3 else _CLASS_C_SHARE.get(order) or 0.03)


NOISE_EDITION = "class B of CISPR 32 at the mains port, average detector (from memory; confirm against the edition in force)"


def conducted_limit(f: Array) -> Array:
    """Class B limit [dBµV] for conducted noise with the average detector at frequencies [Hz] from 150 kHz to 30 MHz; the quasi-peak limit
    lies 10 dB above."""
    falling = 56 - 10 * np.log(np.maximum(f, 150e3) / 150e3) / np.log(500 / 150)
    return np.where(f <= 500e3, falling, np.where(f <= 5e6, 46.0, 50.0))
