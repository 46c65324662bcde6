"""How much load a line-fed bulk carries behind a cold thermistor."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.quantities import show
from rhevectra.core.stages import cold_start
from rhevectra.core.stages.bulk.build import Plan
from rhevectra.core.stages.work import Work

COLD_ESR = 10.0
"""Resistance of an electrolytic capacitor below 0 °C over that at 20 °C (common practice)."""
SHARES = np.array([0.5, 0.75, 1.0])
"""Shares of the power through the thermistor onto a bus without ripple that are tried; between them the valley is all but straight."""


def record(work: Work, plan: Plan, power: Any) -> None:
    """The cold start. power: what the stage draws [W], at every corner."""
    need, place, cold = work.need, plan.places[0], cold_start.resistance(work)
    source = replace(place.source, resistance=place.source.resistance + float(cold.value)
                     - plan.shape.in_path * plan.thermistor["r_hot_ohm"],
                     esr=place.source.esr * (COLD_ESR if need.ambient_min < 0 else 1.0))
    full, floor = float(np.broadcast_to(power, work.grid.shape)[0, 0, work.grid.full_load, 0]), float(plan.floor.value)
    tried = min(full, _without_ripple(floor / (2 if place.doubled else 1), np.sqrt(2) * need.mains.v_min - source.drop, source.resistance,
                                   plan.shape.pulses))
    solved = replace(place, source=source).solve(need.mains.v_min, need.mains.f_min, tried * SHARES, float(plan.c.value))
    share = tried / full * _reached(np.where(solved.collapsed, 0.0, solved.v_valley), floor)
    cold_start.told(work, share, f"solved: periodic steady state of the bulk at {need.mains.v_min:g} V through the cold thermistor; "
                    f"greatest load whose valley stays above the {show(floor, 'V')} the stage needs", thermistor=cold, c=plan.c)


def _without_ripple(v: float, crest: float, r: float, pulses: int) -> float:
    """Power [W] that rectified sines of that crest [V], so many pulses a cycle, bring through r [Ω] onto a bus that stands at v [V]: the
    mean of the current where they are above it."""
    v = min(v, 0.999 * crest)
    half = min(np.arccos(v / crest), np.pi / pulses)
    return float(pulses * v / (np.pi * r) * (crest * np.sin(half) - v * half))


def _reached(valleys: Any, floor: float) -> float:
    """Greatest share of what was tried whose valley stays above the floor; on the straight line through the nearest two where it lies
    between them, or below."""
    if valleys[-1] >= floor:
        return 1.0
    k = max(int(np.argmax(valleys < floor)), 1)
    slope = (SHARES[k] - SHARES[k - 1]) / max(valleys[k - 1] - valleys[k], 1e-9)
    return float(max(SHARES[k - 1] + slope * (valleys[k - 1] - floor), 0.0))
