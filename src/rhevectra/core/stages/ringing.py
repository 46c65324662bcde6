"""The ring of a node behind an inductance, with a resistor and a capacitor in series across it: exact response and best resistor.

States: current of the inductance, voltage of the node, voltage of the snubber's capacitor. The source steps by one volt.
"""

from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import snubber

READ_TO = 0.01
"""Share to which a frequency is read from a screen (common practice, no source)."""
RATIOS = (1.0, 2.0, 3.0, 4.0, 6.0, 10.0)
"""Capacitors that are tried, over the parasitic one."""
PERIODS, POINTS = 8, 1200


class Ring(Struct, frozen=True):
    """What rings: inductance [H] and capacitance [F], with its frequency [Hz] and impedance [Ω]."""

    inductance: float
    capacitance: float
    frequency: float
    impedance: float
    unsure: float = 0.0
    """Share by which capacitance and inductance may be off for a stated error of the frequencies."""


class Damped(Struct, frozen=True):
    """One snubber: capacitor [F], its best resistor [Ω], peak of the node over the step, and how fast the slowest ring dies: share left
    after one bare period."""

    capacitor: float
    resistor: float
    peak: float
    left: float


def ring_of(f_bare: float, added: float, f_loaded: float, probe: float = 0.0, error: float = READ_TO) -> Ring:
    """The parasitics behind two readings [Hz] with a probe [F] across the node both times, and as they ring without it; error: share to
    which each frequency is read. Raises InputError where the frequency does not fall with the capacitor, or the probe is more than all
    there is."""
    if not (added > 0 and 0 < f_loaded < 0.999 * f_bare):
        raise InputError("ringing", "the frequency has to fall when a capacitor is added",
                         "two frequencies, the second lower, and the capacitor that was added")
    c = float(snubber.parasitic_capacitance(added, f_bare, f_loaded))
    inductance = float(snubber.parasitic_inductance(f_bare, c))
    if not 0 <= probe < c:
        raise InputError("probe", f"{show(probe, 'F')} are more than the {show(c, 'F', 3)} that ring",
                         "the capacitance at the probe's tip, 3 to 15 pF")
    own = c - probe
    off = float(snubber.uncertainty(error, f_bare, f_loaded)) * c / own
    return Ring(inductance, own, float(snubber.ringing_frequency(inductance, own)), float(snubber.characteristic(inductance, own)), off)


def ring_of_two(f_bare: float, first: tuple[float, float], second: tuple[float, float], probe: float = 0.0,
                error: float = READ_TO) -> tuple[Ring, float]:
    """The parasitics behind readings with two capacitors (capacitor [F], frequency [Hz]), the smaller one first, and by how much the
    smaller alone says otherwise [share]. Where a junction's capacitance moves with the swing they differ; the larger is the better one (its
    own capacitance hides the junction's: integrated in the tests), their difference counts as doubt. Raises InputError as `ring_of`."""
    if not 0 < first[0] < second[0]:
        raise InputError("ringing", "the second capacitor has to be larger than the first",
                         "two different capacitors and the frequency with each")
    near, far = (ring_of(f_bare, c, f, probe, error) for c, f in (first, second))
    differ = near.capacitance / far.capacitance - 1
    return replace(far, unsure=float(np.hypot(far.unsure, differ))), differ


def _system(ring: Ring, r: float, c: float) -> Array:
    """Matrix of the states with the snubber, for a step of one volt held in a fourth, constant state."""
    g = 1 / r
    return np.array(
        [[0.0, -1 / ring.inductance, 0.0, 1 / ring.inductance], [1 / ring.capacitance, -g / ring.capacitance, g / ring.capacitance, 0.0],
         [0.0, g / c, -g / c, 0.0], [0.0, 0.0, 0.0, 0.0]])


def response(ring: Ring, r: float | None, c: float = 0.0) -> tuple[Array, Array]:
    """Time [s] and node voltage over the step for a snubber of r [Ω] and c [F]; r None: nothing across."""
    t = np.linspace(0, PERIODS / ring.frequency, POINTS)
    if r is None:
        return t, 1 - np.cos(2 * np.pi * ring.frequency * t)
    rates, shapes = np.linalg.eig(_system(ring, r, c))
    weight = shapes[1] * np.linalg.solve(shapes, np.array([0.0, 0.0, 0.0, 1.0]))
    return t, np.asarray((weight @ np.exp(rates[:, None] * t)).real)


@lru_cache(maxsize=64)
def _best(ratio: float) -> tuple[float, float, float]:
    """For a capacitor of `ratio` times the parasitic one and a ring of unit impedance and frequency: resistor of the least peak, that peak,
    and what is left after a period."""
    unit = Ring(1 / (2 * np.pi), 1 / (2 * np.pi), 1.0, 1.0)
    low, high = 0.1, 10.0
    for _ in range(4):  # the crest falls and rises again: the neighbours of the least of a few bracket it
        tried = np.geomspace(low, high, 12)
        crests = [float(response(unit, float(r), ratio * unit.capacitance)[1].max()) for r in tried]
        k = int(np.argmin(crests))
        low, high = float(tried[max(k - 1, 0)]), float(tried[min(k + 1, len(tried) - 1)])
    r = float(tried[k])
    slow = max(v.real for v in np.linalg.eigvals(_system(unit, r, ratio * unit.capacitance)) if abs(v.imag) > 1e-6 or v.real < -1e-9)
    return r, crests[k], float(np.exp(slow))


def crests(ratio: float, resistors: Array, edge: float) -> Array:
    """Crest over the step for a capacitor of `ratio` times the parasitic one, resistors over the impedance of the ring, and a step that
    takes `edge` periods of the bare ring.

    The ramp is the mean of steps along it, so its response has every mode of the step's once more divided by the mode's own change over the
    edge: exact.
    """
    unit = Ring(1 / (2 * np.pi), 1 / (2 * np.pi), 1.0, 1.0)
    rates, shapes = np.linalg.eig(np.array([_system(unit, float(r), ratio * unit.capacitance)[:3, :3] for r in resistors]))
    weight = shapes[:, 1] * np.linalg.solve(shapes,
                                            np.broadcast_to(np.array([0.0, -1.0, -1.0])[:, None],
                                                            (len(resistors), 3, 1)).astype(complex))[..., 0]
    if edge > 0:
        weight = weight * (np.exp(rates * edge) - 1) / (
            rates * edge)  # at the end of the ramp, from where the time is counted: no mode grows
    t = np.linspace(0.0, 1.5, 300)
    return np.asarray(1 + np.max((weight[:, :, None] * np.exp(rates[:, :, None] * t)).sum(1).real, axis=1))


@lru_cache(maxsize=512)
def edged(ratio: float, edge: float) -> tuple[float, float]:
    """The best resistor over the impedance of the ring, and its crest over the step (see `crests`)."""
    tried = np.geomspace(0.12, 6.0, 64)
    found = crests(ratio, tried, edge)
    k = int(np.argmin(found))
    return float(tried[k]), float(found[k])


def snubber_for(ring: Ring, capacitor: float) -> Damped:
    """The best resistor for a capacitor [F]: least peak of the node."""
    if capacitor <= 0:
        raise InputError("snubber", "a snubber of nothing damps nothing", "a capacitor such as 470p")
    r, peak, left = _best(float(f"{capacitor / ring.capacitance:.4g}"))
    return Damped(capacitor, r * ring.impedance, peak, left)
