"""The clamp's map by exact periods: a few cells solved, the others by how far the formulas are off there, which changes slowly over the
plane."""

from collections.abc import Iterator

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from scipy.interpolate import RectBivariateSpline

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.netlist import write
from rhevectra.core.circuit.parts import Network, NoSteadyState, Passive
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.core.design.design import Design
from rhevectra.core.stages.rcd_map import ClampMap, clamp_map, corners_of
from rhevectra.core.topologies import TOPOLOGIES

SOLVED = 9
"""Cells solved along each axis."""


class Cell(Struct, frozen=True):
    """The exact period with one resistor and capacitor: drain peak [V], power of the resistor [W], mean of the capacitor [V] and its
    ripple, peak to peak [V]."""

    peak: float
    power: float
    mean: float
    swing: float


class Varied:
    """A design's network at a corner, whose clamp takes other values. Each period starts from the one found before."""

    def __init__(self, design: Design, corner: Corner) -> None:
        circuit = TOPOLOGIES[design.topology].circuit(design, corner)
        self.network, self.period = read(write(circuit)), circuit.period
        self.drain = TOPOLOGIES[design.topology].EXACT_RATINGS["switch.v_peak"][1]
        self._starts: dict[str, float] = {}

    def solved(self, r: float, c: float, held: float) -> Cell:
        """With a resistor [Ω] and a capacitor [F], of which something about `held` [V] is expected. Raises NoSteadyState."""
        values = {"rcl": r, "ccl": c}
        starts = {**self._starts, "ccl": held}
        parts = tuple(replace(p, value=values.get(p.name, p.value), start=starts.get(p.name, p.start)) if isinstance(p, Passive) else p
                      for p in self.network.parts)
        found = steady(Network(self.network.title, parts, {p.name: p for p in parts}), self.period)
        self._starts = {p.name: float(x) for p, x in zip(found.equations.states, found.start, strict=True)}
        m = Measures(found)
        across = m.measure("v", "ccl")
        return Cell(m.measure("n", self.drain).max, m.energy("rcl") / self.period, across.avg, across.max - across.min)


def exact_map_steps(design: Design, _corner: Corner) -> Iterator[tuple[int, int, ClampMap | None]]:
    """Steps of (done, total, None), row by row of the capacitors, and last the map.

    Where a period is not found the formulas stand, corrected as the cell beside it is.
    """
    m = clamp_map(design)
    at = np.linspace(0, len(m.r) - 1, SOLVED).round().astype(int)
    worst, full = (Varied(design, corner) for corner in corners_of(design)[:2])
    off = np.ones((3, SOLVED, SOLVED))
    for i, row in enumerate(at):
        for j, column in enumerate(at):
            r, c, held = float(m.r[column]), float(m.c[row]), float(np.sqrt(m.power[row, column] * m.r[column]))
            try:
                top, mean = worst.solved(r, c, held), full.solved(r, c, held)
                off[:, i, j] = (top.peak / m.peak[row, column], mean.power / m.power[row, column],
                                mean.swing / mean.mean / m.ripple[row, column])
            except NoSteadyState:
                off[:, i, j] = off[:, i, j - 1] if j else 1.0
        yield i + 1, SOLVED, None
    peak, power, ripple = (_over(at, z, len(m.c)) for z in off)
    yield SOLVED, SOLVED, replace(m, peak=m.peak * peak, power=m.power * power, ripple=m.ripple * ripple, exact=True)


def _over(at: Array, z: Array, count: int) -> Array:
    """A correction known at every place of `at` by both axes, over the whole plane: a bicubic spline."""
    every = np.arange(count)
    return np.asarray(RectBivariateSpline(at, at, z)(every, every))
