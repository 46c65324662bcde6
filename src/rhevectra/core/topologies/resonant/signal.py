"""A resonant stage as the loop sees it: the exact half period moved by its start, its length and the output, and so the answer to a
frequency, or to a charge of half a period, that swings.

The controller's pin sets one of them. A small change of state at the start of half a period comes back, turned round, at its end; with
what length and output add to it that gives the response at a frequency, the tank's own (its beat with the switching frequency) included.
Where half a period ends as the resonant capacitor reaches what the pin asks for, its length follows from state and output, and the beat is
gone. Charge into the output follows from the energy of half a period. Source: derived here from the lossless circuit; checked against runs
in time.
"""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import plain
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import signal
from rhevectra.core.topologies.resonant import charge, several, tank
from rhevectra.core.topologies.resonant import stage as st

TOLD = "tank by the exact half period, moved by its start, its length and the output"


class Slopes(Struct, frozen=True):
    """Half a period of each point (n,): how its end moves with its start (3, 3, n), with what the pin sets and with the gain (3, n); how
    the charge into the output does that its new length does not account for, (3, n), (n,), (n,)."""

    start: Array
    by_cause: Array
    by_gain: Array
    charge_start: Array
    charge_cause: Array
    charge_gain: Array

    def ended(self) -> "Slopes":
        """The same where the pin sets the capacitor's voltage at the end, and the length follows; of slopes by the length."""
        rate = self.by_cause[2]
        start, gain = -self.start[2] / rate, -self.by_gain[2] / rate  # what they make of the length
        return Slopes(self.start + self.by_cause[:, None] * start, self.by_cause / rate, self.by_gain + self.by_cause * gain,
                      self.charge_start + self.charge_cause * start, self.charge_cause / rate, self.charge_gain + self.charge_cause * gain)


def slopes(found: tank.Found) -> Slopes:
    """Of solved points, in tank units, by the length of half a period; exact but at the edge between two orders of pieces."""
    p, start, end = found.point, found.half.start.T, found.half.end.T
    n = start.shape[1]

    def ends(before: Array, until: Array, by_gain: bool) -> Array:
        moved = tank.Moved(before[0], before[1], before[2], np.zeros((3, n)), until, by_gain)
        tank.passed(p, tuple(start), moved)
        return np.array((moved.current, moved.magnetising, moved.voltage))  # (state, cause, n)
    zero, one = np.zeros((3, n)), np.zeros((3, 3, n))
    one[[0, 1, 2], [0, 1, 2]] = 1.0
    by_start = ends(one, zero, False)
    until = zero.copy()
    until[1] = 1.0
    _, length, gain = np.moveaxis(ends(np.zeros((3, 3, n)), until, True), 1, 0)
    weight = np.array((start[0], p.ratio * start[1], start[2]))  # energy of half a period: the end is the start turned round
    charge = (((end[2] - start[2]) - 0.5 * ((np.square(end) - np.square(start)) * np.array((np.ones(n), p.ratio, np.ones(n)))).sum(0))
              / p.gain)
    of = lambda e: (e[2] + (weight[(slice(None),) + (None,) * (e.ndim - 2)] * e).sum(0)) / p.gain  # noqa: E731
    return Slopes(by_start, length, gain, of(by_start) + (weight - np.array((zero[0], zero[0], np.ones(n)))) / p.gain,
                  of(length) - charge / p.half, of(gain) - charge / p.gain)


class Resonant(Struct, frozen=True):
    """The tanks at the judged corners: slopes and lengths of half a period in tank units, which are `second` [s] and `ohm` [Ω] long and
    large; turns of the primary over those of the output; volts across the tank; how many tanks feed the output; what is lost in resistances
    as one [Ω] before the output's capacitors; by_charge: whether half a period ends as the resonant capacitor reaches what the pin asks
    for."""

    slopes: Slopes
    half: Array
    second: Array
    ohm: Array
    turns: float
    across: Array
    phases: int
    r_path: Array
    by_charge: bool = False

    @property
    def rings(self) -> bool:
        """Whether its beat with the output turns the phase at once."""
        return not self.by_charge

    def volts(self, w: Array, load: Array, only: Any) -> tuple[Array, Array]:
        """Output per hertz that the frequency is lower [V/Hz], or per volt that the resonant capacitor reaches more [V/V], and per ampere
        drawn from it [V/A]."""
        s = Slopes(*(signal.some(getattr(self.slopes, n), only) for n in Slopes.__struct_fields__))
        half, second, ohm, across, r_path = (signal.some(x, only) for x in (self.half, self.second, self.ohm, self.across, self.r_path))
        turn = 1j * w * half * second  # (m, n)
        z, ahead, behind = np.exp(turn), (np.exp(turn) - 1) / turn, (1 - np.exp(-turn)) / turn
        matrix = np.moveaxis(s.start, -1, 0) + z[..., None, None] * np.eye(3)
        causes = np.broadcast_to(np.stack([s.by_cause, s.by_gain], -1).transpose(1, 0, 2), (*z.shape, 3, 2))
        state = -np.linalg.solve(matrix, causes)  # (m, n, 3, 2)
        from_state = (s.charge_start.T[:, :, None] * state).sum(-2)
        by_cause, by_gain = s.charge_cause + from_state[..., 0], s.charge_gain + from_state[..., 1]
        amps = self.turns * self.phases * across / ohm * behind / half  # at the output, of a charge in tank units
        # the pin's cause in tank units: what the capacitor has to reach when it does, or how much longer half a period is per hertz lower,
        # by its mean until then: h/f with f = 1/(2·h)
        cause = z / across if self.by_charge else half * half * second * 2 * ahead
        if self.by_charge and self.phases > 1:  # the others end theirs a share of half a period after the first
            cause = cause * np.mean([np.exp(-turn * k / self.phases) for k in range(self.phases)], 0)
        own, by_output = amps * by_cause * cause, amps * by_gain * ahead * self.turns / across
        drawn = load * (1 - by_output * r_path) / (1 - by_output * (load + r_path))
        return own / (1 - by_output * r_path) * drawn, drawn


def of(work: Work, s: st.Stage, settled: st.Settled) -> signal.Signal:
    """The solved stage in small signals; where it runs in bursts it is not judged."""
    rows, out = work.sheet.rows, settled.out
    where = signal.judged(work, np.broadcast_to(plain(s.v_bus), out["f"].shape), out["share"], 1.0)
    at = where.at.ravel()
    found = tank.spread(settled.found, at)
    lr, cr, turns = float(plain(s.lr)), float(plain(s.cr)), float(plain(s.np)) / float(plain(s.ns))
    by_charge = charge.moved(work)
    asked, full = (np.asarray(rows["llc.v_turn"].value), float(rows["llc.v_turn_range"].value)) if by_charge else (
        out["f"], max(float(plain(s.f_max)) - float(np.min(rows["llc.f_min"].value)), 0.0))
    gain = full / float(rows["feedback.i_pin"].value)
    i_out = where.of(several.total(s)) * s.variant.phases
    r_path = settled.state["drop"][at] / turns / i_out
    by_length = slopes(found)
    stage = Resonant(by_length.ended() if by_charge else by_length, found.point.half, np.full(len(at), np.sqrt(lr * cr)),
                     np.full(len(at), np.sqrt(lr / cr)), turns, s.variant.drive * where.of(s.v_bus), s.variant.phases, r_path, by_charge)
    return signal.Signal(where, stage, gain, 0.5 / where.of(out["f"]), float(plain(s.v_out)) / i_out, np.full(len(at), np.inf),
                         signal.banks(work, float(plain(s.ns))), charge.TOLD if by_charge else TOLD, asked=asked / gain if gain else 0.0)
