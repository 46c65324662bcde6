"""A linear regulator behind an output that no loop holds: what would have to be asked for instead."""

import math
from collections.abc import Mapping

from msgspec import Struct

from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Output
from rhevectra.core.design.design import exceeded, judge
from rhevectra.core.stages.work import FigureSpec, Work

DROP = 2.0
"""Least voltage across a regulator with a pass transistor of its own [V] (typical, from memory; half a volt of one with little drop)."""
LEAST, MOST, ROOM = 0.10, 0.25, 1.3
"""Tolerance that is asked for at least, so that a bleed need not hold the output, and at most, for beyond it the regulator burns as much as
its load takes; over the range that is found (common practice, no source)."""


class Instead(Struct, frozen=True):
    """What to ask for before the regulator: voltage [V] and tolerance; what it burns at most [W]."""

    volts: float
    tolerance: float
    burnt: float


def instead(output: Output, low: float, high: float) -> Instead | None:
    """For an output found between low and high [V]; None where its range is too wide for a regulator to make sense."""
    tolerance = max(LEAST, math.ceil(100 * ROOM * (high - low) / (high + low)) / 100)
    if tolerance > MOST:
        return None
    volts = math.ceil(10 * (output.magnitude + DROP) / (1 - tolerance)) / 10
    return Instead(volts, tolerance, (volts * (1 + tolerance) - output.magnitude) * output.current_max)


def advise(work: Work, specs: Mapping[str, FigureSpec]) -> None:
    """A note for every output that leaves its tolerance: turns, coupling and bleeds are told by the findings of its figures, this is the
    other way."""
    rows, grid = work.sheet.rows, work.grid
    for n, output in enumerate(work.need.outputs, 1):
        ends = [specs[id] for id in (f"output{n}.v_low", f"output{n}.v_high") if id in rows and id in specs]
        if n == 1 or not any(exceeded(spec, rows, grid) for spec in ends):
            continue
        found = instead(output, *(judge(spec, rows, grid).value for spec in ends))
        if found is not None:
            volts, watts = show(math.copysign(found.volts, output.voltage), "V"), show(found.burnt, "W")
            work.find(NOTE, "rectifier", f"{output.name}: a linear regulator behind it would hold it: ask for {volts} ± "
                      f"{100 * found.tolerance:.0f} % here instead; the regulator burns up to {watts}", f"output{n}.v_high")
