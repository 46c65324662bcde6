"""Creepage, clearance and winding margins after IEC 60664-1:2007 (tables from memory; confirm against the edition in force)."""

import math
from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

EDITION = "IEC 60664-1:2007, tables F.1, F.2, F.4 and A.2, from memory; confirm against the edition in force"
_RMS = (50, 63, 80, 100, 125, 160, 200, 250, 320, 400, 500, 630, 800, 1000)
_CREEPAGE_MM = {  # pollution degree -> material group IIIa
    1: (0.18, 0.20, 0.22, 0.25, 0.28, 0.32, 0.42, 0.56, 0.75, 1.0, 1.3, 1.8, 2.4, 3.2),
    2: (1.2, 1.25, 1.3, 1.4, 1.5, 1.6, 2.0, 2.5, 3.2, 4.0, 5.0, 6.3, 8.0, 10.0),
    3: (1.9, 2.0, 2.1, 2.2, 2.4, 2.5, 3.2, 4.0, 5.0, 6.3, 8.0, 10.0, 12.5, 16.0),
}
_IMPULSE_STEPS = (330.0, 500.0, 800.0, 1500.0, 2500.0, 4000.0, 6000.0, 8000.0, 12000.0)
_IMPULSE = {150: (800.0, 1500.0, 2500.0, 4000.0), 300: (1500.0, 2500.0, 4000.0, 6000.0), 600: (2500.0, 4000.0, 6000.0, 8000.0)}
_CLEARANCE_MM = {330: 0.2, 500: 0.2, 800: 0.2, 1500: 0.5, 2500: 1.5, 4000: 3.0, 6000: 5.5, 8000: 8.0, 12000: 14.0}
_ALTITUDE = ((2000, 3000, 4000, 5000, 6000), (1.00, 1.14, 1.29, 1.48, 1.70))


def creepage(v_rms: float, pollution: int, reinforced: bool) -> float:
    """Creepage [m] for a working voltage [V rms], material group IIIa, linear between rows; doubled for reinforced insulation."""
    basic = float(np.interp(v_rms, _RMS, _CREEPAGE_MM[pollution])) if v_rms <= 1000 else _CREEPAGE_MM[pollution][-1] * v_rms / 1000
    return basic * (2 if reinforced else 1) * 1e-3


def impulse(v_line: float, category: int) -> float:
    """Rated impulse voltage [V] of the mains for its line-to-neutral voltage and overvoltage category."""
    system = next((s for s in _IMPULSE if v_line <= s), 600)
    return _IMPULSE[system][category - 1]


def clearance(v_impulse: float, altitude: float, reinforced: bool) -> float:
    """Clearance [m]; reinforced insulation takes the next step of the preferred impulse series; altitude-corrected."""
    step = _IMPULSE_STEPS.index(v_impulse) + (1 if reinforced else 0)
    return _CLEARANCE_MM[int(_IMPULSE_STEPS[step])] * float(np.interp(altitude, *_ALTITUDE)) * 1e-3


@formula("V_w = √((V_ac + V_s)² + V_m² − 2·V_m·V̂/π + V̂²/4)", "V", "V_m V_ac V_s V̂",
         "half the time the bus's negative pole stands at neutral, else below it by the mains; the swings add where they oppose each other")
def working_mains(mean: Any, swing: Any, other: Any, crest: Any) -> Any:
    """Working voltage [V rms] behind single-phase mains of a crest [V]: mean of an end of the primary over the negative pole, its rms about
    that, and that of the other side's winding [V]."""
    return np.sqrt(np.square(swing + other) + np.square(mean) - 2 * mean * crest / np.pi + np.square(crest) / 4)


@formula("V_w = √((V_ac + V_s)² + (V_m − V/2)²)", "V", "V_m V_ac V_s V", "three phases hold the middle of their bus near earth")
def working_three(mean: Any, swing: Any, other: Any, bus: Any) -> Any:
    """The same behind three phases and their bus [V]."""
    return np.sqrt(np.square(swing + other) + np.square(mean - bus / 2))


@formula("V_w = √((V_ac + V_s)² + V_m²)", "V", "V_m V_ac V_s", "the negative pole of the source earthed, as is worse")
def working_dc(mean: Any, swing: Any, other: Any) -> Any:
    """The same behind a dc source."""
    return np.sqrt(np.square(swing + other) + np.square(mean))


@formula("m = max(s_cr, s_cl)/2", "m", "s_cr s_cl",
         "creepage along the bobbin wall runs over both margins' faces: half on each winding (common practice, no source)")
def margin_width(creepage_m: Any, clearance_m: Any) -> Any:
    """Margin strip width [m] on each side of each winding."""
    return np.maximum(creepage_m, clearance_m) / 2


def cut(width: float) -> float:
    """A margin strip as it is cut [m]: to a tenth of a millimetre, never narrower than asked."""
    return math.ceil(width * 1e4 - 1e-6) / 1e4


def strip(width: float) -> str:
    """The width of a margin strip in words, never rounded down: it insulates."""
    return f"{math.ceil(width * 1e5 - 1e-6) / 100:g} mm"
