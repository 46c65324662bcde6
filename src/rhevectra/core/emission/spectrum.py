"""Noise sources of a design at one corner: harmonics of its switching waveforms."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.formulas import noise
from rhevectra.core.formulas.noise import HIGH, LOW
from rhevectra.core.stages import rate
from rhevectra.core.topologies import TOPOLOGIES

_SAMPLES, _BINS = 4096, 24
"""Instants of a period that are transformed; bins a decade, of each of which the strongest line is kept: a filter's response is even over a
bin."""


class Lines(Struct, frozen=True):
    """Spectral lines: frequency [Hz] and volts rms of the source."""

    f: Array
    volts: Array


def strongest(f: Array, volts: Array) -> Lines:
    """The strongest line of each bin."""
    if not len(f):
        return Lines(f, volts)
    bins = np.floor(np.log10(f / LOW) * _BINS + 1e-9)
    starts = np.flatnonzero(np.concatenate([[True], np.diff(bins) > 0]))
    most = np.repeat(np.maximum.reduceat(volts, starts), np.diff(np.append(starts, len(f))))
    kept = volts >= most
    return Lines(f[kept], volts[kept])


def harmonics(even: Array, period: float, edge: float, faster: float) -> tuple[Array, Array]:
    """Orders within the band [Hz] of a periodic shape given at even instants, and their rms; edges that take `edge` [s] are rounded by
    that; faster: tolerance of the rate."""
    rms = np.abs(np.fft.rfft(even)) / len(even) * np.sqrt(2)
    last = min(int(HIGH * period), len(rms) - 1)
    f = np.arange(1, last + 1) / period
    return noise.inside(f, rms[1 : last + 1] * np.abs(np.sinc(f * edge)), faster)


def faster(design: Any, id: str = rate.ID) -> float:
    """Tolerance of an oscillator; nothing where the rate is free."""
    return float(design.rows[id].value) if id in design.rows else 0.0


def even(shape: Any) -> Array:
    """A shape at even instants of its period."""
    return np.interp(np.arange(_SAMPLES) * (shape.period / _SAMPLES), shape.t, shape.y)


def edge_of(design: Any) -> float:
    """Time an edge of the switching node takes [s]: the switch's own fall time."""
    name = design.rows["switch.class"].value
    return float(design.catalogue["switches"].row(name)["t_fall_s"])


def waves(design: Any, corner: Corner) -> list[Any]:
    """The switching waveforms of a corner: voltage of the node first."""
    return list(TOPOLOGIES[design.topology].waveforms(design, corner))


def taken(current: Array, node: Array) -> tuple[Array, ...]:
    """What a stage may take from the bus of its primary's current: all of it, its magnitude, what flows while the node is high, or that
    with its sign turned while it is low, or while it is high."""
    high = node > 0.5 * node.max()
    return current, np.abs(current), np.where(high, current, 0.0), np.where(high, current, -current), np.where(high, -current, current)


def bus_ripple(design: Any, corner: Corner, shape: Any, node: Array, edge: float, esr: float, c: float) -> Lines:
    """Voltage that the power stage's current (its shape; node: the switching node at even instants) makes across the bulk capacitor."""
    current, period = drawn(design, corner, shape, node)
    f, amps = harmonics(current, period, edge, faster(design))
    return strongest(f, amps * np.abs(noise.capacitor(f, c, esr)))


def drawn(design: Any, corner: Corner, shape: Any, node: Array) -> tuple[Array, float]:
    """What the power stage takes from the bus at even instants [A] and its period [s]: as the topology says, or of the ways a stage can
    take its primary's current (its shape; node: the switching node at even instants) the one with the mean that is drawn."""
    told = getattr(TOPOLOGIES[design.topology], "bus_current", None)
    if told is not None:
        shape = told(design, corner)
        return even(shape), shape.period
    rows = design.rows
    mean = float((rows.get("bulk.p_load") or rows["bus.p"]).at(corner.index)) / float(rows["bus.v"].at(corner.index))
    return min(taken(even(shape), node), key=lambda k: abs(float(k.mean()) - mean)), shape.period
