"""How the mains reach the bulk: one way for a bridge, two positions of a selector for a pair that is charged in turn."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.remembered import remembered
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.formulas.doubler import solve_doubler
from rhevectra.core.formulas.rectifier import Bulk, LineSource, solve_bulk
from rhevectra.core.formulas.six_pulse import solve_six_pulse

SPLIT = 150.0
"""Mains [V rms] up to which a stacked pair is charged in turn: between the crests of 115 V and 230 V mains (common practice)."""
LOW_TOP, HIGH_LEAST = 1.15, 0.78
"""Ends of the selector's positions over the nominal voltages beside them: 90 to 132 V and 180 to 264 V (common practice)."""


class Shape(Struct, frozen=True):
    """What stands behind the mains. pair: two capacitors in series; doubles: a selector charges them in turn from low mains; phases: one or
    three."""

    pair: bool = False
    doubles: bool = False
    phases: int = 1

    @property
    def pulses(self) -> int:
        """Conduction pulses in a cycle of the line."""
        return 6 if self.phases == 3 else 2

    @property
    def in_path(self) -> int:
        """Lines of the mains that a current passes one after the other, besides a neutral."""
        return 2 if self.phases == 3 else 1


class Position(Struct, frozen=True):
    """Lines served (a run of the grid's), whether the pair is charged in turn, what stands in series then; in_series: capacitors that count
    as one in between; phases: of the mains."""

    lines: slice
    doubled: bool
    source: LineSource
    in_series: int
    phases: int = 1

    @property
    def on_bus(self) -> int:
        """Capacitors in series as the load sees them."""
        return 2 if self.doubled else self.in_series

    @remembered(16)
    def solve(self, v: Any, f: Any, power: Any, c: Any, near: Bulk | None = None, residual: float = 1e-4) -> Bulk:
        """Periodic state for capacitors of c [F] each; arrays broadcast to one shape."""
        if self.doubled:
            return solve_doubler(v, f, power, c, self.source, near, residual)
        return (solve_six_pulse if self.phases == 3 else solve_bulk)(v, f, power, c / self.in_series, self.source, near, residual)


def lines(need: Requirement, selector: bool) -> tuple[float, ...]:
    """Lines [V rms] of the grid; with a selector also the ends of its positions where the range goes on."""
    m = need.mains
    found = {m.v_min, *m.nominals, m.v_max, need.hold_up_at or m.v_max}
    if selector and m.v_min <= SPLIT < m.v_max:
        low = [v for v in m.nominals if v <= SPLIT] or [115.0]
        high = [v for v in m.nominals if v > SPLIT] or [230.0]
        found |= {max(float(round(LOW_TOP * max(low))), m.v_min), min(float(round(HIGH_LEAST * min(high))), m.v_max)}
    return tuple(sorted(found))


def positions(grid_lines: tuple[float, ...], shape: Shape, series: LineSource, drop: float, r_diode: float) -> tuple[Position, ...]:
    """Positions that serve some line. series: in each line, without bridge, and one capacitor; drop [V] and r_diode [Ω] of one diode."""
    def with_diodes(count: int, esr: Any, lines: int = 1) -> LineSource:
        return LineSource(lines * series.resistance + count * r_diode, lines * series.inductance, count * drop, esr)
    if not shape.doubles:
        n = 2 if shape.pair else 1
        return (Position(slice(0, len(grid_lines)), False, with_diodes(2, n * series.esr, shape.in_path), n, shape.phases),)
    first = sum(v <= SPLIT for v in grid_lines)
    low, high = (Position(slice(0, first), True, with_diodes(1, series.esr), 2),
                 Position(slice(first, len(grid_lines)), False, with_diodes(2, 2 * series.esr), 2))
    return tuple(p for p in (low, high) if p.lines.start < p.lines.stop)


def part_of(b: Bulk, where: Any) -> Bulk:
    """A solution at some of its corners."""
    return type(b)(**{name: getattr(b, name)[where] for name in b.__struct_fields__})


def joined(parts: list[Bulk]) -> Bulk:
    """Solutions of the positions as one over all lines."""
    if len(parts) == 1:
        return parts[0]
    return Bulk(**{name: np.concatenate([getattr(b, name) for b in parts]) for name in parts[0].__struct_fields__})
