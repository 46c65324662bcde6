"""The stage as the loop sees it: from the controller's pin to the regulated output, at every corner from a quarter of the load on whose
pulses come at full rate."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import QUARTER, Array, outer_buses
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import loop
from rhevectra.core.stages.banks import LEFT, resistance
from rhevectra.core.stages.work import Work

FULL_RATE = 0.98
"""Share of the full rate of pulses from which on a loop is judged: below it pulses are left out."""
BESIDE = 1.5
"""How far about a resonance it is looked at closely."""
MOVES, FREQUENCY, CHARGE = "feedback.moves", "frequency", "charge"
"""What the pin of a stage may move whose frequency is not fixed: the decision, and its options."""
NEW, OLD = 0, 1
"""The ends between which a loop moves: coupler and capacitors new, or both old (the capacitors cold, where that is worse)."""


class Judged(Struct, frozen=True):
    """Where a loop is judged: the least and the greatest bus of every operating point whose pulses come at full rate, (2, points) numbered
    along the grid; between them it goes in proportion.

    points: their numbers on the grid's axis; share: where each bus of the grid lies between its two, 0 to 1, of its shape.
    """

    at: Array
    points: Array
    share: Array

    def of(self, x: Any) -> Array:
        """Values there (2·points,) of a row, array or number."""
        return np.asarray(np.broadcast_to(np.asarray(plain(x), float), self.share.shape).ravel()[self.at.ravel()])

    def spread(self, values: Array) -> Array:
        """Values there on the whole grid; at other points the mean of all."""
        low, high = values.reshape(self.at.shape)[:, None, None, :, None]
        whole = np.full(self.share.shape, float(np.mean(values)))
        whole[:, :, self.points] = low + self.share[:, :, self.points] * (high - low)
        return whole


class Bank(Struct, frozen=True):
    """Capacitors of an output seen from the regulated one: capacitance and resistance, new and old [F], [Ω]; of its second filter the same,
    with its inductance [H] (0: none) and wire."""

    c: tuple[float, float]
    esr: tuple[float, float]
    inductance: float = 0.0
    r_wire: float = 0.0
    c_second: tuple[float, float] = (1.0, 1.0)
    esr_second: tuple[float, float] = (0.0, 0.0)


def some(x: Any, only: Any) -> Any:
    """Values of some of the judged corners, or what is the same at all."""
    return x[..., only] if isinstance(x, np.ndarray) and x.ndim else x


class FedWhileOff(Struct, frozen=True):
    """A stage that feeds its output while the switch is off; ratio: turns that bring the ramp's current there; waits: each period waits for
    the current."""

    ramp: loop.Ramp
    ratio: float
    waits: bool
    rings = False

    def volts(self, w: Array, load: Array, only: Any) -> tuple[Array, Array]:
        """Output per ampere of the crest, and per ampere drawn from it [V/A]."""
        return loop.fed_while_off(w, _ramp(self.ramp, only), self.ratio, load, self.waits)


class FedAlways(Struct, frozen=True):
    """A stage whose inductor feeds its output all the time, seen from there; by_duty: what damps its resonance under duty control [Ω], none
    where the current is controlled."""

    ramp: loop.Ramp
    by_duty: float | None

    @property
    def rings(self) -> bool:
        """Whether its filter turns the phase at once."""
        return self.by_duty is not None

    def volts(self, w: Array, load: Array, only: Any) -> tuple[Array, Array]:
        """Output per ampere of the crest (or for all the duty), and per ampere drawn from it [V/A]."""
        return loop.fed_always(w, _ramp(self.ramp, only), load, self.by_duty)


def _ramp(ramp: loop.Ramp, only: Any) -> loop.Ramp:
    return loop.Ramp(*(some(getattr(ramp, n), only) for n in loop.Ramp.__struct_fields__))


class Signal(Struct, frozen=True):
    """The stage in small signals at the judged corners (n,).

    stage: what makes volts of what the pin moves; gain: that per ampere pulled [A/A, Hz/A or 1/A]; period: of its pulses [s]; right:
    frequency of the zero on the right side [Hz], infinite where there is none; banks: the regulated output's first; told: how the stage is
    worked out; inductance: of a filter that rings sharply with the output's capacitors [H], 0 where none does; asked: current of the pin at
    every corner of the grid, sign and beginning left out [A].
    """

    where: Judged
    stage: Any
    gain: Any
    period: Array
    r_load: Array
    right: Array
    banks: tuple[Bank, ...]
    told: str = "stage by impulses at its turn-off"
    inductance: float = 0.0
    asked: Any = 0.0

    @property
    def rings(self) -> bool:
        """Whether a tank whose frequency is moved, or a filter under duty control, turns the phase at once."""
        return bool(self.stage.rings)

    def plant(self, w: Array, end: int, only: Any = slice(None)) -> tuple[Array, Any, Array]:
        """Volts at the regulated output, before its second filter, per ampere pulled from the pin (sign left out), the share of it behind
        that filter, and volts there per ampere drawn. w: (m, 1) [1/s]; gives (m, corners)."""
        r_load, first = some(self.r_load, only), self.banks[0]
        load, behind = (loop.impedance(w, r_load, first.c[end], first.esr[end]), 1.0) if not first.inductance else loop.filtered(w,
            (first.c[end], first.esr[end]), (first.c_second[end], first.esr_second[end]), first.inductance, first.r_wire, r_load)
        for bank in self.banks[1:]:
            load = 1 / (1 / load + 1 / loop.impedance(w, np.inf, bank.c[end], bank.esr[end]))
        moved, drawn = self.stage.volts(w, load, only)
        return some(self.gain, only) * moved, behind, drawn

    def frequencies(self, lowest: float, count: int) -> Array:
        """From the lowest [Hz] to the fastest, evenly by their logarithm, and closer about sharp resonances."""
        first = self.banks[0]
        rings = [(self.inductance, first.c),
                 (first.inductance, tuple(a * b / (a + b) for a, b in zip(first.c, first.c_second, strict=True)))]
        close = [np.geomspace(ends[0] / BESIDE, min(ends[1] * BESIDE, self.fastest), count) for inductance, c in rings
                 if inductance and (ends := sorted(1 / (2 * np.pi * np.sqrt(inductance * x)) for x in c))[0] < self.fastest]
        return np.unique(np.concatenate([np.geomspace(lowest, self.fastest, count), *close]))

    @property
    def fastest(self) -> float:
        """Half the least rate of pulses [Hz]: beyond it a loop knows nothing."""
        return float(0.5 / np.max(self.period))


def judged(work: Work, v_bus: Any, rate: Any, nominal: Any) -> Judged:
    """The corners a loop is judged at, at full load in any case; v_bus [V], rates [Hz]: rows, arrays or numbers."""
    shape = work.grid.shape
    bus, full = (np.broadcast_to(plain(v_bus), shape),
                 np.broadcast_to(np.asarray(plain(rate)) >= FULL_RATE * np.asarray(plain(nominal)), shape))
    run = np.flatnonzero(QUARTER.mask(work.grid).all((0, 1, 3)) & (full.all((0, 1, 3)) | (np.arange(shape[2]) == work.grid.full_load)))
    at, share = outer_buses(bus)
    return Judged(at[:, run], run, share)


def bank(work: Work, n: int, scale: float = 1.0, second: bool = False) -> Bank:
    """Capacitors of output n, seen from an output whose turns are `scale` times its own; second: whether its filter inductor is that of a
    second stage."""
    rows, cap = work.sheet.rows, work.parts["output_capacitors"].row(work.sheet.rows[f"output{n}.cap"].value)
    count, old = int(rows[f"output{n}.parallel"].value), resistance(work, cap)[0]
    one = lambda k: ((cap["c_f"] * k / scale**2, LEFT * cap["c_f"] * k / scale**2),  # noqa: E731
                     (cap["esr_ohm"] / k * scale**2, old / k * scale**2))
    return Bank(*one(count), float(rows[f"filter{n}.l"].value), float(rows[f"filter{n}.r"].value), *one(1)) if second else Bank(*one(count))


def banks(work: Work, turns: float) -> tuple[Bank, ...]:
    """The capacitors of all outputs, those of the regulated one, of so many turns, first: the others seen through their windings."""
    rows = work.sheet.rows
    others = [n for n in range(2, len(work.need.outputs) + 1) if f"output{n}.cap" in rows]
    return (bank(work, 1), *(bank(work, n, turns / float(rows[f"transformer.ns{n}"].value)) for n in others))
