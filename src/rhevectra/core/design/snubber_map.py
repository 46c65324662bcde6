"""What resistor and capacitor of a rectifier's snubber do to its reverse voltage and loss: the whole plane of both at once, and what either
moves."""

from functools import lru_cache

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.formulas import snubber
from rhevectra.core.stages.ringing import crests, edged
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common import snubbing

RATIOS = np.geomspace(0.3, 30.0, 33)
"""Capacitors of the map over the junction's."""
RESISTORS = np.geomspace(0.08, 12.0, 37)
"""Resistors of the map over the ring's impedance."""


class SnubberMap(Struct, frozen=True):
    """Of the regulated output's rectifier, by its name: resistors and capacitors of the axes [Ω, F]; peak reverse voltage [V] at the worst
    corner and loss [W] at the worst full load, arrays (c, r); the rectifier's limit and what stands without a snubber [V]; present values,
    or None without; sentences: what either moves."""

    name: str
    r: Array
    c: Array
    peak: Array
    loss: Array
    peak_limit: float
    bare: float
    now: tuple[float, float] | None
    sentences: tuple[str, ...]


@lru_cache(maxsize=16)
def table(edge: float) -> Array:
    """Crests over the step (capacitors, resistors) for an edge in periods of the bare ring."""
    return np.array([crests(float(ratio), RESISTORS, edge) for ratio in RATIOS])


def snubber_map(design: Design) -> SnubberMap:
    """The map of a design whose rectifiers may have snubbers, with or without one."""
    n, rows = design.requirement.main + 1, design.rows
    ring = TOPOLOGIES[design.topology].rectifier_ring(design)
    name = next(f"rectifier{k}" for k in (n, 1) if f"rectifier{k}.v_reverse" in rows)
    own = float(rows[f"{name}.c_junction"].value) if f"{name}.c_junction" in rows else snubbing.junction(ring.row)
    z, edge = (float(snubber.characteristic(ring.inductance, own)),
               round(snubbing.EDGE * float(snubber.ringing_frequency(ring.inductance, own)), 2))
    highest, per_farad = (float(ring.step[corners.PEAKS.mask(design.grid)].max()),
                          float(ring.per_farad[corners.FULL.mask(design.grid)].max()))
    c, r, peak = RATIOS * own, RESISTORS * z, highest * table(edge)
    loss = np.broadcast_to(((c + own) * per_farad)[:, None], peak.shape)
    now = (float(rows[f"{name}.snubber_r"].value), float(rows[f"{name}.snubber_c"].value)) if f"{name}.snubber_r" in rows else None
    bare = highest * (1 + abs(float(np.sinc(edge))))
    return SnubberMap(name, r, c, peak, loss, float(rows[f"{name}.v_limit"].value), bare, now,
                      _sentences(now, own, z, edge, highest, per_farad))


def _sentences(now: tuple[float, float] | None, own: float, z: float, edge: float, step: float, per_farad: float) -> tuple[str, ...]:
    """What moves what, from the present values or, without a snubber, from three times the junction's capacitance and its best resistor."""
    r, c = now or (edged(3.0, edge)[0] * z, 3.0 * own)

    def peak(r: float, c: float) -> float:
        return step * float(crests(c / own, np.array([r / z]), edge)[0])
    here, best = peak(r, c), step * edged(float(f"{2 * c / own:.4g}"), edge)[1]
    return (f"at {show(r, 'Ω', 3)}, {show(c, 'F', 3)}: half the resistor {peak(r / 2, c) - here:+.0f} V, twice the resistor "
            f"{peak(2 * r, c) - here:+.0f} V, at the same loss",
            f"twice the capacitor, with its best resistor: {best - here:+.0f} V, {c * per_farad:+.2g} W; with this one "
            f"{peak(r, 2 * c) - here:+.0f} V",
            f"the junction alone ({show(own, 'F', 3)}) rings with {show(z, 'Ω', 3)} at {show(float(1 / (2 * np.pi * z * own)), 'Hz', 3)}; "
            f"the switch turns on in {edge:g} of a period")
