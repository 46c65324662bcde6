"""How outputs on one core share its current when only leakage and resistance hold them apart, at many operating points at once.

Everything is seen from the primary. The current of all outputs together is known over the pulse; in every step of time the outputs share it
so that the field between them changes least: what an output takes is found with the others' diodes conducting or not (a convex problem:
exactly one set of them fits). The voltages at which each takes its load are found by Newton's method over whole pulses.
Source: Kirchhoff's laws of coupled inductances, diodes and resistances, implicit steps; checked in the tests against an integration of its
own and the exact circuit.
"""

from collections.abc import Iterator, Sequence
from copy import copy
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array

ENOUGH, CLOSE, ROUNDS = 2e-3, 0.05, 24
"""Share of its charge by which an output may be off; by which it is so close that the slopes are kept; rounds."""
STRIDE, SHORTER, LEAST_SLOPE, TAKES = 0.15, 0.4, 1e-3, 1e-4
"""Most that a voltage moves in a round, of the first; what is left of a step that brought it no closer; what is added to the slopes, of the
largest; share of its charge from which an output counts as having taken some."""


class Shared(Struct, frozen=True):
    """For each output and point (n, N): voltage with its drop [V], charge of a pulse [As], integral of the squared current [A²s], peak [A],
    charge it takes more for every volt it stands lower [As/V]; miss: how far the charge is off (N,)."""

    voltage: Array
    charge: Array
    square: Array
    peak: Array
    yields: Array
    miss: Array


class Some(Struct, frozen=True):
    """A set of outputs that conduct: those and the others by number; what its current answers a voltage with, inverse of leakage over time
    and resistance, in parts (k, k, k) that each go with 1/(1 + rate/h) of a step of length h."""

    on: Array
    off: Array
    parts: Array
    rates: Array


def _sets(apart: Array, resistance: Array) -> list[Some]:
    """Every set of outputs by its bits; the first, of none, stands for all. Leakage and resistance are made diagonal together, so that a
    step of any length is a division."""
    n, root = len(resistance), np.sqrt(np.maximum(resistance, 1e-9 * resistance.max()))
    found = []
    for some in (2**n - 1, *range(1, 2**n)):
        on = np.array([k for k in range(n) if some >> k & 1])
        rates, turned = np.linalg.eigh(apart[on[:, None], on] / (root[on, None] * root[on]))
        turned = turned / root[on, None]
        found.append(Some(on, np.array([k for k in range(n) if not some >> k & 1], int), turned[:, None] * turned, rates))
    return found


class Piece:
    """A piece of the pulse in equal steps: for every set of outputs that conduct (by number, its bits) what becomes of each output.

    That is a current where it conducts; elsewhere how far its diode is from opening, as a current too: of the right set none is negative.
    Both are linear in the currents before, the voltages and the current of all.
    """

    def __init__(self, apart: Array, resistance: Array, sets: Sequence[Some], length: Array, steps: int, first: Array, last: Array) -> None:
        n, points = len(resistance), len(length)
        self.steps, self.first, self.slope = steps, first, (last - first) / steps
        self.h = np.maximum(length / steps, 1e-12)
        own = np.diagonal(apart)[:, None] / self.h + resistance[:, None]
        self.by_voltage, by_total = np.zeros((n, n, len(sets), points)), np.zeros((n, len(sets), points))
        for number, some in enumerate(sets):
            on, off, k = some.on, some.off, len(some.on)
            inverse = (some.parts.reshape(k * k, k) @ (1 / (1 + some.rates[:, None] / self.h))).reshape(k, k, points)
            row = inverse.sum(0)
            total = row.sum(0)
            share = row / total
            answer = inverse - share[:, None] * row
            self.by_voltage[on[:, None], on, number], by_total[on, number] = answer, share
            if len(off):
                across = apart[off[:, None], on]
                self.by_voltage[off[:, None], on,
                                number] = ((across @ answer.reshape(k, -1)).reshape(len(off), k, points) / self.h + share) / own[off, None]
                self.by_voltage[off, off, number] = -1 / own[off]
                by_total[off, number] = (across @ share / self.h - 1 / total) / own[off]
        before = (apart.T @ self.by_voltage.reshape(n, n, -1)).reshape(self.by_voltage.shape) / self.h
        self.by_rest = np.concatenate([before, by_total[:, None]], 1)

    def carrying(self, first: Array, last: Array) -> "Piece":
        """A piece as long as this one with another current of all."""
        other = copy(self)
        other.first, other.slope = first, (last - first) / self.steps
        return other

    def only(self, rows: Array) -> "Piece":
        """The piece at some of the points."""
        part = copy(self)
        for name in ("first", "slope", "h", "by_voltage", "by_rest"):
            setattr(part, name, getattr(self, name)[..., rows])
        return part


def _through(piece: Piece, voltage: Array, current: Array, some: Array, moved: Array | None) -> tuple[list[Array], Array, list[Array]]:
    """Currents (n, N) at the ends of all steps of a piece, the set that conducts at last, and the derivatives of the currents by the
    voltages (n, n, N), where they are asked for."""
    n, points = voltage.shape
    bits, some = (1 << np.arange(n))[:, None], some.copy()
    by_rest, by_voltage = piece.by_rest.reshape(n, n + 1, -1), piece.by_voltage.reshape(n, n, -1)
    driven = -(piece.by_voltage * voltage[:, None]).sum(1).reshape(n, -1)
    place = some * points + np.arange(points)
    rest, drive = by_rest.take(place, -1), driven.take(place, -1)
    currents, moves, on = [current], [] if moved is None else [moved], None
    for k in range(1, piece.steps + 1):
        last = np.concatenate([currents[-1], (piece.first + k * piece.slope)[None]])
        found = (rest * last).sum(1) + drive
        for turn in range(3 * n):
            wrong = found < -1e-9
            if not wrong.any():
                break
            at = np.flatnonzero(wrong.any(0))
            flips = wrong[:, at] * bits
            now = some[at] ^ (flips.sum(0) if turn < n else flips.max(0))  # all at once mostly does; one at a time always ends
            some[at] = now = np.where(now == 0, 2**n - 1, now)
            place[at] = now * points + at
            rest[:, :, at], drive[:, at] = by_rest.take(place[at], -1), driven.take(place[at], -1)
            found[:, at] = (rest[:, :, at] * last[:, at]).sum(1) + drive[:, at]
            on = None
        if on is None:
            on = (some & bits) > 0
            if moves:
                kept, pushed = np.where(on[:, None], rest[:, :-1], 0.0)[:, :, None], np.where(on[:, None], by_voltage.take(place, -1), 0.0)
        currents.append(np.where(on, np.maximum(found, 0.0), 0.0))
        if moves:
            moves.append((kept * moves[-1]).sum(1) - pushed)
    return currents, some, moves


def _pieces(apart: Array, resistance: Array, current: Array, length: Array, steps: Sequence[int]) -> list[Piece]:
    """The pieces of a pulse, those as long as the one before worked out with it."""
    sets, pieces = _sets(apart, resistance), list[Piece]()
    for p, m in enumerate(steps):
        alike = p and m == steps[p - 1] and np.array_equal(length[p], length[p - 1])
        pieces.append(pieces[-1].carrying(current[p], current[p + 1]) if alike
                      else Piece(apart, resistance, sets, length[p], m, current[p], current[p + 1]))
    return pieces


def _walk(pieces: list[Piece], voltage: Array, moved: Array | None) -> Iterator[tuple[Piece, list[Array], list[Array]]]:
    """Every piece of a pulse that begins with nothing: the currents at its steps, and their derivatives where they are asked for."""
    current, some = np.zeros_like(voltage), np.full(voltage.shape[1], 2 ** len(voltage) - 1)
    for piece in pieces:
        currents, some, moves = _through(piece, voltage, current, some, moved)
        yield piece, currents, moves
        current, moved = currents[-1], moves[-1] if moves else None


def _pulse(pieces: list[Piece], voltage: Array, slope: Array | None = None) -> tuple[Shared, Array]:
    """One pulse at given voltages, and the derivative of the charges by them (n, n, N): slope, where it is known well enough."""
    n, points = voltage.shape
    moved = np.zeros((n, n, points)) if slope is None else None
    charge, square, peak = (np.zeros_like(voltage) for _ in range(3))
    slope = np.zeros((n, n, points)) if slope is None else slope
    for piece, currents, moves in _walk(pieces, voltage, moved):
        x = np.array(currents)
        charge, peak = charge + piece.h * (x.sum(0) - 0.5 * (x[0] + x[-1])), np.maximum(peak, x.max(0))
        square = square + piece.h / 3 * (x[:-1] * (x[:-1] + x[1:]) + x[1:] * x[1:]).sum(0)
        if moves:
            slope = slope + piece.h * (sum(moves) - 0.5 * (moves[0] + moves[-1]))
    return Shared(voltage, charge, square, peak, -np.moveaxis(np.diagonal(slope), -1, 0), np.zeros(points)), slope


def _step(found: Shared, wanted: Array, slope: Array, rest: Array, most: Array, fall: Array) -> Array:
    """By how much the voltages are to move, at most so far [V]; that of the output that takes the rest stays. The charge of a short pulse
    goes with the square of the voltage left for it, so its root is followed; an output that took nothing comes down by so much (fall)."""
    charge, still = found.charge, (np.arange(len(wanted))[:, None] == rest).T
    off = np.where(still, 0.0, 2 * (charge - np.sqrt(charge * wanted)).T)
    by = np.moveaxis(slope, -1, 0)
    own = np.abs(np.diagonal(by, axis1=1, axis2=2))
    largest = own.max(1)[:, None, None]
    by = (np.where(still[:, :, None] | still[:, None, :], 0.0, by)
          - (LEAST_SLOPE * largest + largest * still[:, :, None] + 1e-18) * np.eye(len(wanted)))
    step = np.clip(-np.linalg.solve(by, off[..., None])[..., 0].T, -most, most)
    return np.where(still.T | (charge > TAKES * wanted), step, -np.minimum(fall, most))


def share(apart: Any, resistance: Any, voltage: Any, charge: Any, current: Any, length: Any, steps: Sequence[int],
          stride: Any = None) -> Shared:
    """Currents of n outputs at N points, and the voltages at which each takes its charge.

    apart (n, n): leakage that holds the outputs apart [H], of any common part; resistance (n,) [Ω]; voltage (n, N): with drops [V], the
    first is held, the others are a start; charge (n, N): wanted in a pulse [As], greater than zero; the pulse in pieces: current (pieces +
    1, N) of all together at their ends [A], length (pieces, N) [s], and steps of each; stride (N,): most that a voltage moves in a round
    [V], STRIDE of the first where it is not known better. What all take moves none of them against another, so the one that takes most is
    given what the others leave, and all are moved to where the first is held.
    """
    apart, resistance, voltage, wanted, current, length = (
        np.asarray(x, float) for x in (apart, resistance, voltage, charge, current, length))
    pieces = _pieces(apart, resistance, current, length, steps)
    left, none, rest, slope = np.arange(voltage.shape[1]), np.zeros_like(voltage), wanted.argmax(0), None
    out, first = Shared(none, none.copy(), none.copy(), none.copy(), none.copy(), np.zeros(len(left))), voltage[0]
    kept, move, size = voltage, np.full_like(voltage, np.inf), np.full(len(left), np.inf)
    most, took = STRIDE * np.abs(first) if stride is None else np.asarray(stride, float), np.ones_like(voltage, bool)
    for _ in range(ROUNDS):
        found, slope = _pulse(pieces, voltage, slope)
        root = np.where(np.arange(len(wanted))[:, None] == rest, 0.0, np.sqrt(found.charge / wanted) - 1)
        now, miss = np.square(root).sum(0), np.abs(root * (root + 2)).max(0)
        for name in ("voltage", "charge", "square", "peak", "yields"):
            getattr(out, name)[:, left] = getattr(found, name)
        out.miss[left] = miss
        more = np.flatnonzero(miss >= ENOUGH)
        if not len(more):
            break
        # back half of the step that went too far, and twice as far each time it still takes nothing
        fall = np.where(took, 0.5, 2.0) * np.abs(move)
        took = found.charge > TAKES * wanted
        worse = now > size  # a step that brought a point further away is shortened
        move = np.where(worse, SHORTER * move, _step(found, wanted, slope, rest, most, fall))[:, more]
        kept, size = np.where(worse, kept, voltage)[:, more], np.minimum(size, now)[more]
        voltage, wanted, rest, most = kept + move, wanted[:, more], rest[more], most[more]
        took = took[:, more]
        slope = slope[:, :, more] if miss.max() < CLOSE else None
        left, pieces = left[more], [p.only(more) for p in pieces] if len(more) < len(left) else pieces
    return replace(out, voltage=out.voltage - out.voltage[0] + first)


def followed(apart: Array, resistance: Array, voltage: Array, current: Array, length: Array, steps: Sequence[int]) -> tuple[Array, Array]:
    """Lengths of all steps of the pulse (steps, N) [s] and currents at their ends (steps + 1, n, N) [A], at the voltages that `share` has
    found; the rest as it takes them."""
    lengths, taken = [], [np.zeros_like(voltage)]
    for piece, currents, _ in _walk(_pieces(apart, resistance, current, length, steps), voltage, None):
        lengths += [piece.h] * piece.steps
        taken += currents[1:]
    return np.array(lengths), np.array(taken)


class Pulse(Struct, frozen=True):
    """A pulse that outputs share, as `share` takes it (volts: to begin from), with their ratios of turns and the fixed drops of their
    rectifiers [V] (n,)."""

    apart: Array
    resistance: Array
    volts: Array
    wanted: Array
    current: Array
    length: Array
    steps: Sequence[int]
    ratio: Array
    forward: Array

    def shared(self, known: Any = 1.0, fewer: int = 1, stride: Any = None) -> Shared:
        """What each has of it. known: where the voltages stand over those it begins from; fewer: divides the steps; stride: as `share` has
        it."""
        return share(self.apart, self.resistance, self.volts * known, self.wanted, self.current, self.length,
                     [m // fewer for m in self.steps], stride)

    def followed(self, voltage: Array) -> tuple[Array, Array]:
        """Lengths of all steps and currents at their ends, as `followed` tells them."""
        return followed(self.apart, self.resistance, voltage, self.current, self.length, self.steps)
