"""Conducted noise of a switching stage and what a mains filter of one or two stages leaves of it: an estimate from harmonics, with the
stray parts stated.

Differential noise is the ripple current's voltage across the capacitor it closes through; common noise is the switching node's voltage
through the capacitance to earth. Both end in the artificial mains network, 50 Ω from each line to earth: 100 Ω between lines, 25 Ω from
both to earth.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.formula import formula

LOW, HIGH = 150e3, 30e6
"""Band of the limits for conducted noise [Hz]."""
LINE, BOTH = 100.0, 25.0
"""Artificial mains network between the lines, and from both to earth [Ω] (from memory of CISPR 16-1-2)."""
ESL = 15e-9
"""Stray inductance [H] of a capacitor with its leads (common practice, no source)."""
WOUND_C = 6e-12
"""Capacitance [F] across a filter choke wound in two sections: 10 mH then resonates at some 650 kHz (typical, from memory)."""
LEAK = 0.007
"""Leakage of a common-mode choke over its inductance: what it adds between the lines (common practice, no source)."""
ROUND = 0.5
"""Capacitance of layers of round wire over that of plates (common practice, no source)."""
EPS0, POLYESTER = 8.854e-12, 2.8
"""Permittivity of free space [F/m], relative one of tape with some air (typical, from memory)."""


def level(volts: Any) -> Array:
    """Rms volts as dBµV."""
    return np.asarray(20 * np.log10(np.maximum(volts, 1e-12) * 1e6))


def inside(f: Array, rms: Array, faster: float) -> tuple[Array, Array]:
    """Lines [Hz] that lie within the band, or may at the high end of the rate's tolerance: those are judged where it begins."""
    kept = f * (1 + faster) >= LOW * (1 - 1e-9)
    return np.maximum(f[kept], LOW), rms[kept]


def triangle(f0: float, swing: float, duty: float, phases: int = 1, faster: float = 0.0) -> tuple[Array, Array]:
    """Orders within the band [Hz] of a ripple current [A peak to peak] that rises for `duty` of its period, of evenly shifted phases
    together, and their rms (Fourier series of a triangle); faster: tolerance of the rate."""
    n = phases * np.arange(1, int(HIGH / f0 / phases) + 1)
    f, duty = n * f0, min(max(duty, 1e-3), 1 - 1e-3)
    rms = phases * swing / (np.sqrt(2) * np.pi**2 * n**2 * duty * (1 - duty)) * np.abs(np.sin(np.pi * n * duty))
    return inside(f, rms, faster)


def square(f0: float, swing: float, duty: float, edge: float, faster: float = 0.0) -> tuple[Array, Array]:
    """Orders within the band [Hz] of a node that swings [V], its edges rounded by `edge` [s], and their rms; faster: tolerance of the
    rate."""
    n = np.arange(1, int(HIGH / f0) + 1)
    rms = np.sqrt(2) * swing / (np.pi * n) * np.abs(np.sin(np.pi * n * min(max(duty, 1e-3), 1 - 1e-3)) * np.sinc(n * f0 * edge))
    return inside(n * f0, rms, faster)


def capacitor(f: Array, c: Any, esr: Any = 0.0) -> Array:
    """Impedance [Ω] of a capacitor with its lead inductance."""
    w = 2 * np.pi * f
    return np.asarray(esr + 1j * (w * ESL - 1 / (w * c)))


def choke(f: Array, inductance: Any) -> Array:
    """Impedance [Ω] of a filter choke with the capacitance across it; nothing where there is none. inductance [H] broadcasts with f."""
    w = 2 * np.pi * f
    return np.asarray(1j * (w * inductance / (1 - w * w * WOUND_C * inductance)))


def differential(f: Array, source: Array, l_dm: Any, c_x: Any, stages: int = 1) -> Array:
    """Volts across one 50 Ω of the mains network for a source [V rms] between the lines behind l_dm [H] and c_x [F] in each of so many
    stages."""
    seen: Any = LINE
    left: Any = 1.0
    for _ in range(stages):  # from the mains towards the source
        beside = 1 / (1 / seen + (1 / capacitor(f, c_x) if c_x > 0 else 0.0))
        seen = beside + choke(f, l_dm)
        left = left * beside / seen
    return np.abs(0.5 * source * left)


def common(f: Array, source: Array, c_stray: Any, l_cm: Any, c_y: Any, stages: int = 1) -> Array:
    """Volts at the mains network for a node [V rms] behind c_stray [F], the Y capacitors c_y [F] together and a choke l_cm [H] in each of
    so many stages."""
    seen: Any = BOTH
    left: Any = 1.0
    for _ in range(stages):  # from the mains towards the source
        out = seen + choke(f, l_cm)
        left = left * seen / out
        seen = out / (1 + out * (1 / capacitor(f, c_y) if c_y > 0 else 0.0))
    return np.abs(source * seen / (seen - 1j / (2 * np.pi * f * c_stray)) * left)


@formula("C = k·ε₀·ε_r·w·l_t·s/d", "F", "k ε_r w l_t s d",
         "plates of the winding's width and turn length, s faces between primary and secondary, d of insulation; round wires leave the "
         "share k")
def interwinding(share: Any, permittivity: Any, width: Any, turn: Any, faces: Any, distance: Any) -> Any:
    """Capacitance [F] between primary and secondary."""
    return share * EPS0 * permittivity * width * turn * faces / distance


@formula("C_m = σ·β·½·C_w", "F", "σ β C_w",
         "the voltage of the primary rises evenly along it: half of its capacitance counts; a shield leaves the share σ, ends that swing "
         "against each other the share β")
def driven(shielded: Any, balanced: Any, c_winding: Any) -> Any:
    """Capacitance [F] that, driven by the whole node, carries the same current as the winding's."""
    return shielded * balanced * 0.5 * c_winding


@formula("I_t = 2·π·f·V_line·(n·C_y + C_w)", "A", "f V_line n C_y C_w",
         "Y capacitors from the lines to earth, or from primary to secondary, and what the windings have between them")
def touch_current(frequency: Any, v_line: Any, count: Any, c_y: Any, c_winding: Any) -> Any:
    """Current [A rms] that a person would take up."""
    return 2 * np.pi * frequency * v_line * (count * c_y + c_winding)
