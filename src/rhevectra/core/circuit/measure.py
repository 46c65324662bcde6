"""Averages, rms values, extremes, energies, harmonics and waveforms of a steady state, from the interval solutions."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from msgspec import Struct
from msgspec.structs import asdict
from scipy.linalg import expm

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit.engine import Interval, Propagators
from rhevectra.core.circuit.parts import Coupling, NetlistError, Part
from rhevectra.core.circuit.steady import Steady

_NODES, _WEIGHTS = (np.polynomial.legendre.leggauss(6)[0] + 1) / 2, np.polynomial.legendre.leggauss(6)[1] / 2
STIFF = 5.0
"""Decay per scan step beyond which the first step of an interval is graded towards its start."""
GRADED = 18


class Samples(Struct, frozen=True):
    """Quadrature samples over the period, and both ends of every interval: time [s], weights [s], y (samples, y), and the interval each
    belongs to."""

    t: Array
    weights: Array
    y: Array
    interval: Array


class Measure(Struct, frozen=True):
    """avg, rms, least and greatest of one quantity over a period."""

    avg: float
    rms: float
    min: float
    max: float


def _pieces(made: Propagators, length: float) -> list[tuple[float, float]]:
    """Start and length [s] of the pieces of an interval on which it is smooth enough for six points."""
    step = made.tied.step
    count = int(length / step)
    pieces = [(k * step, step) for k in range(count)]
    rest = length - count * step
    if rest > 1e-12 * step or not pieces:
        pieces.append((count * step, rest))
    if pieces and made.tied.decay * pieces[0][1] > STIFF:
        first = pieces[0][1]
        edges = [0.0, *(first / 2**k for k in range(GRADED, -1, -1))]
        pieces = [(a, b - a) for a, b in pairwise(edges)] + pieces[1:]
    return pieces


def _sample(made: Propagators, interval: Interval) -> tuple[Array, Array, Array]:
    """Time from the interval's start [s], weights [s] and y at the quadrature points of one interval, and at both its ends, which weigh
    nothing."""
    pieces = _pieces(made, interval.length)
    starts, lengths = np.array(pieces).T
    t = np.concatenate([[0.0], (starts[:, None] + _NODES * lengths[:, None]).ravel(), [interval.length]])
    weights = np.concatenate([[0.0], (_WEIGHTS * lengths[:, None]).ravel(), [0.0]])
    if made.tied.modes is not None:
        return t, weights, made.tied.modes.after(interval.y, t)
    ys, y = [interval.y[None]], interval.y
    kept: dict[float, Array] = {}
    for _, length in pieces:
        if length not in kept:
            half = kept.get(0.5 * length)  # graded pieces grow by two
            kept[length] = half @ half if half is not None else np.stack([expm(made.tied.F * (c * length)) for c in (*_NODES, 1.0)])
        along = kept[length] @ y
        ys.append(along[:-1])
        y = along[-1]
    return t, weights, np.concatenate([*ys, y[None]])


class Measures:
    """All measures of a steady state; the samples are made once."""

    def __init__(self, found: Steady) -> None:
        self.found, self.eq = found, found.equations
        self._lasting = [i for i in found.intervals if i.length > 0]
        parts = [_sample(found.engine.of(i.combination), i) for i in self._lasting]
        starts, counts = np.array([i.start for i in self._lasting]), [len(t) for t, _w, _y in parts]
        self._cuts = np.cumsum(counts)[:-1]
        t, weights, y = (np.concatenate(rows) for rows in zip(*parts, strict=True))
        self.samples = Samples(t + np.repeat(starts, counts), weights, y, np.repeat(np.arange(len(parts)), counts))

    def _row(self, kind: str, name: str, combination: tuple[int, ...]) -> Array:
        """A quantity as a row over y in one combination. kind: v or i of an element, n for a node."""
        z = self.eq.tied(combination).z
        if kind == "n":
            return self.eq.node_row(name) @ z
        p = self.part(name)
        return self.eq.across(p) @ z if kind == "v" else self.eq.current(p, z, combination)

    def part(self, name: str) -> Part:
        """An element by name (NetlistError if there is none)."""
        if name.lower() not in self.eq.network.by_name:
            raise NetlistError(0, f"{name!r} is no element of this netlist", "the name of one")
        return self.eq.network.by_name[name.lower()]

    def values(self, kind: str, name: str) -> Array:
        """A quantity at all samples. kind: v or i of an element, n for a node voltage."""
        return self.many([(kind, name)])[0]

    def many(self, wanted: Sequence[tuple[str, str]]) -> Array:
        """Quantities (kind and name) at all samples, (quantities, samples)."""
        tables = {c: np.stack([self._row(kind, name, c) for kind, name in wanted]) for c in {i.combination for i in self._lasting}}
        return np.concatenate(
            [tables[i.combination] @ y.T for i, y in zip(self._lasting, np.split(self.samples.y, self._cuts), strict=True)], axis=1)

    def measure(self, kind: str, name: str) -> Measure:
        """Average, rms and extremes; extremes include the values on both sides of every event."""
        values, w = self.values(kind, name), self.samples.weights / self.eq.period
        return Measure(float(values @ w), float(np.sqrt(np.maximum(values**2 @ w, 0.0))), *self._extremes(values))

    def _extremes(self, values: Array) -> tuple[float, float]:
        """Extremes between samples: parabola through the three about the largest and the least of one interval."""
        out = []
        for sign in (-1.0, 1.0):
            k = int((sign * values).argmax())
            best = values[k]
            if 0 < k < len(values) - 1 and self.samples.interval[k - 1] == self.samples.interval[k + 1]:
                t0, t1, t2 = self.samples.t[k - 1 : k + 2]
                y0, y1, y2 = values[k - 1 : k + 2]
                d1, d2 = (y1 - y0) / (t1 - t0), (y2 - y1) / (t2 - t1)
                curve = (d2 - d1) / (t2 - t0)
                if sign * curve < 0:
                    top = 0.5 * (t0 + t1) - d1 / (2 * curve)
                    if t0 <= top <= t2:
                        best = sign * max(sign * (y0 + d1 * (top - t0) + curve * (top - t0) * (top - t1)), sign * best)
            out.append(float(best))
        return out[0], out[1]

    def energy(self, name: str) -> float:
        """Energy [J] an element takes in a period."""
        return float((self.values("v", name) * self.values("i", name)) @ self.samples.weights)

    def harmonics(self, kind: str, name: str, orders: Array) -> Array:
        """Rms of the harmonics of a quantity at multiples of one over the period."""
        w = self.samples.weights / self.eq.period
        phase = np.exp(-2j * np.pi * np.outer(orders, self.samples.t) / self.eq.period)
        return np.asarray(np.abs(phase @ (self.values(kind, name) * w)) * np.sqrt(2))

    def table(self) -> dict[str, object]:
        """What `steady --json` prints of elements and nodes."""
        elements = {p.name: {q: asdict(self.measure(q, p.name)) for q in ("i", "v")} for p in self.eq.network.parts
                    if not isinstance(p, Coupling)}
        return {"elements": elements, "nodes": {n: asdict(self.measure("n", n)) for n in self.eq.nodes}}
