"""Several outputs of a resonant stage: a tapped winding, rectifiers and capacitors each, all behind one tank.

The period is that of one output, the regulated one, with the ampere-turns of all. What each takes of the rectified current follows from
leakage and resistance between the windings, diodes conducting or not (`formulas/sharing.py`); and from that what all look like to the tank:
a voltage and a resistance.
"""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import sharing
from rhevectra.core.magnetics.leakage import Leakage
from rhevectra.core.magnetics.need import TransformerNeed, conducting
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common.secondaries import Other, drops, load_of
from rhevectra.core.topologies.resonant import tank, waves

if TYPE_CHECKING:
    from rhevectra.core.topologies.resonant.stage import Settled, Stage

PIECES, DRAWN, STEPS = 12, 48, 2
"""Pieces of the rectified half sine, and of one that is drawn, and steps of each, in which the outputs share it."""
NOTHING = 1e-6
"""Share of the largest rectified current that counts as none."""
LEAST, GREATEST = 0.2, 5.0
"""What the outputs look like at least and at most, over the regulated one: beyond it is no design any more, and their voltages say so."""
ROUNDS = 1
"""Solutions of the tank with what the outputs look like to it, after the first."""


class Shared(Struct, frozen=True):
    """What each output has of a settled period, the regulated one first, at every corner: rms of both its rectifiers together and peak
    while the stage runs [A], voltage [V]; what all look like from the regulated one: voltage behind the drop of its rectifier [V],
    resistance [Ω]; miss: how far the worst is from its load."""

    rms: list[Array]
    peak: list[Array]
    volts: list[Array]
    v_seen: Array
    r_seen: Array
    miss: float


def estimate(work: Work, rectifiers: Mapping[int, Any], numbers: Sequence[int], main_volts: float, fs: float,
             supply: float) -> tuple[Other, ...]:
    """The other outputs before anything is wound, behind one turn of the regulated winding. main_volts: of that winding, with its drops
    [V]."""
    found = []
    for k in numbers:
        out, row = work.need.outputs[k], rectifiers[k]["row"]
        load = np.broadcast_to(load_of(work, k, row, fs, True, supply), work.grid.shape)
        found.append(
            Other(k + 1, (out.magnitude + drops(work, k, row)) / main_volts, load, row["v_forward_v"], row["r_dynamic_ohm"],
                  0.006 * out.magnitude / out.current_max))
    return tuple(found)


def full(work: Work, others: Sequence[Other], turns: float) -> float:
    """Full current of the outputs beside the regulated one, seen from that, of so many turns [A]."""
    return float(sum(work.need.outputs[x.n - 1].current_max * x.ns / turns for x in others))


def total(s: "Stage") -> Any:
    """Current of all outputs, seen from the regulated one [A], in bare numbers."""
    return plain(s.i_out) + sum(plain(x.i_out) * plain(x.ns) / plain(s.ns) for x in s.others)


def paths(s: "Stage") -> tuple[Any, ...]:
    """What has turns, current, drop and resistances of each output, the regulated one first."""
    return (s, *s.others)


def seen(s: "Stage") -> "Stage":
    """The stage with one output that looks to the tank like all; before their sharing is known as if each stood alike and had its part all
    the time."""
    if not s.others:
        return s
    whole, known = total(s), s.extra.get("shared")
    if known is not None:
        volts, ohms = known.v_seen, known.r_seen
    else:
        volts = s.v_out
        ohms = sum(np.square(plain(i) * plain(ns) / plain(s.ns) / whole) * (r + q) * np.square(plain(s.ns) / plain(ns))
                   for ns, i, r, q in ((x.ns, x.i_out, plain(x.r_rectifier), plain(x.r_secondary)) for x in paths(s)))
    return replace(s, others=(), i_out=whole, v_out=volts, r_rectifier=0.0, r_secondary=ohms)


def apart(need: TransformerNeed, matrix: Leakage, leakage: float) -> Array:
    """Leakage between the primary and the halves of the outputs that conduct together [H], seen from the primary, in the mean of both
    halves: as laid, and as much more as the leakage in use is more than that of the stack."""
    return np.asarray(np.mean([matrix.apart(0, half) * leakage / matrix.shorted(0, half)[0] for half in conducting(need)], axis=0))


class Asked(sharing.Pulse, frozen=True):
    """The rectified half period that outputs share; begins: when the rectifiers take over, from its start [s]."""

    begins: Array

    @property
    def stride(self) -> Array:
        """What holds the outputs apart at the crest, at most [V]: none moves further from the others."""
        peak = self.current.max(0)
        return np.asarray(peak * (self.resistance.max() + np.diag(self.apart).max() * np.pi / (self.length.sum(0))))


def asked(s: "Stage", settled: "Settled", rows: Any = slice(None), pieces: int = PIECES) -> Asked:
    """The sharing at the solved points (some of them: rows) of a stage with several outputs, the pulse in so many pieces."""
    shape, every = settled.out["f"].shape, paths(s)
    flat = lambda x: np.broadcast_to(np.asarray(plain(x), float), shape).ravel()[rows]  # noqa: E731
    ratio = np.array([float(plain(s.np)) / float(plain(x.ns)) for x in every])
    resistance = np.array([float(plain(x.r_rectifier) + plain(x.r_secondary)) for x in every]) * ratio**2
    forward = np.array([float(plain(x.v_forward)) for x in every])
    lr, cr = float(plain(s.lr)), float(plain(s.cr))
    amps = s.variant.drive * flat(s.v_bus) / np.sqrt(lr / cr)
    current, length, begins = _pulse(tank.spread(settled.found, np.arange(len(settled.found.miss))[rows]), pieces)
    current, length = current * amps, length * np.sqrt(lr * cr)
    wanted = np.array([flat(x.i_out) for x in every]) / ratio[:, None] / (2 * flat(settled.out["f"]) * flat(settled.out["share"]))
    given = (0.5 * (current[1:] + current[:-1])).sum(0) * length
    known = s.extra.get("shared")
    volts = ((float(plain(s.v_out)) + forward[0]) * ratio[0] * np.ones_like(wanted) if known is None
             else (np.array([flat(v) for v in known.volts]) + forward[:, None]) * ratio[:, None])
    return Asked(s.extra["apart"], resistance, volts, wanted, current * wanted.sum(0) / np.maximum(given, 1e-15),
                 np.broadcast_to(length, (pieces, len(length))), [STEPS] * pieces, ratio, forward, begins * np.sqrt(lr * cr))


def _pulse(found: tank.Found, pieces: int) -> tuple[Array, Array, Array]:
    """The rectified current of each point at the ends of even pieces of the pulse (pieces + 1, n), the length of a piece and when the pulse
    begins (n,), in tank units."""
    current = np.abs(np.subtract(*waves.sampled(found)))
    carries = current > NOTHING * current.max(0)
    always = carries.all(0)
    first = np.where(always, current.argmin(0), (carries & ~np.roll(carries, 1, 0)).argmax(0) - 1)
    count = np.where(always, waves.SAMPLES, carries.sum(0) + 1)
    place = first + count * np.linspace(0.0, 1.0, pieces + 1)[:, None]
    low = np.floor(place).astype(int)
    a, b = (np.take_along_axis(current, (low + k) % waves.SAMPLES, 0) for k in (0, 1))
    value = a + (b - a) * (place - low)
    value[0] = value[-1] = 0.0
    step = found.point.half / waves.SAMPLES
    return value, count * step / pieces, first * step


def share(s: "Stage", settled: "Settled") -> Shared:
    """What each output has of the settled period."""
    a = asked(s, settled)
    found, ratio = a.shared(stride=a.stride), a.ratio[:, None]
    shape, f = settled.out["f"].shape, settled.out["f"].ravel()
    whole = np.square(settled.out["i_rect"].ravel()) / (2 * f)  # seen from the regulated output
    lost = (a.resistance[:, None] * found.square).sum(0)
    behind = (found.voltage * found.charge).sum(0) / np.maximum(found.charge.sum(0), 1e-30) / a.ratio[0] - a.forward[0]
    v_seen = np.clip(behind, LEAST * float(plain(s.v_out)), GREATEST * float(plain(s.v_out)))
    each = lambda x: [v.reshape(shape) for v in x]  # noqa: E731
    return Shared(each(np.sqrt(2 * f * found.square) * ratio), each(found.peak * ratio), each(found.voltage / ratio - a.forward[:, None]),
                  v_seen.reshape(shape), (lost / np.maximum(whole, 1e-18)).reshape(shape), float(found.miss.max()))


def traces(s: "Stage", settled: "Settled", row: int) -> tuple[Array, Array]:
    """Instants [s] of the rectified pulse of a solved point, from the start of its half period on, and the current of each output then
    (outputs, instants) [A]."""
    a = asked(s, settled, np.array([row]), DRAWN)
    length, current = a.followed(a.shared(stride=a.stride).voltage)
    return a.begins[0] + np.append(0.0, length[:, 0].cumsum()), (current[:, :, 0] * a.ratio).T
