"""A start in the cold at the lowest line: how much load the bus can feed before the thermistor has warmed up."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import rectifier
from rhevectra.core.stages.bulk.build import Plan
from rhevectra.core.stages.work import FigureSpec, Work

B = 3000.0
"""Material constant of inrush thermistors [K] (typical, from memory)."""
COLD_ESR = 10.0
"""Resistance of an electrolytic capacitor below 0 °C over that at 20 °C (common practice)."""
SHARES = np.array([0.5, 0.75, 1.0])
"""Shares of the power through the thermistor onto a bus without ripple that are tried; between them the valley is all but straight."""
FIGURES = (
    FigureSpec("start.r_cold", "Thermistor in the cold", "R_θ", "inlet", corners.FULL, fixed="its tolerance",
               sentence="at the lowest ambient temperature, before it has carried anything"),
    FigureSpec("start.p_cold", "Load that starts in the cold", "P_θ", "inlet", corners.FULL, fixed="line above its lowest voltage",
               sentence="output that the bus feeds through the cold thermistor at the lowest line; more of it once that has warmed up"),
)


def record(work: Work, plan: Plan, power: Any) -> None:
    """Rows of the cold start, and a note where not all of the load starts. power: what the stage draws [W], at every corner."""
    sheet, need, place = work.sheet, work.need, plan.places[0]
    cold = sheet("start.r_cold", rectifier.thermistor_cold, r_cold=sheet.rows["inlet.r_cold"], b=B,
                 ambient=sheet.given("ambient.min", need.ambient_min, "°C", text="requirement"))
    source = replace(place.source, resistance=place.source.resistance + float(cold.value) - plan.thermistor["r_hot_ohm"],
                     esr=place.source.esr * (COLD_ESR if need.ambient_min < 0 else 1.0))
    full, floor = float(np.broadcast_to(power, work.grid.shape)[0, 0, work.grid.full_load, 0]), float(plan.floor.value)
    tried = min(full, _without_ripple(floor / (2 if place.doubled else 1), np.sqrt(2) * need.mains.v_min - source.drop, source.resistance))
    solved = replace(place, source=source).solve(need.mains.v_min, need.mains.f_min, tried * SHARES, float(plan.c.value))
    share = tried / full * _reached(np.where(solved.collapsed, 0.0, solved.v_valley), floor)
    sheet.solved("start.p_cold", share * need.power, "W",
                 f"solved: periodic steady state of the bulk at {need.mains.v_min:g} V through the cold thermistor; greatest load whose "
                 f"valley stays above the {show(floor, 'V')} the stage needs", thermistor=cold, c=plan.c)
    if share < 1.0:
        work.find(NOTE, "inlet",
                  f"started at {need.mains.v_min:g} V and {need.ambient_min:g} °C, the cold thermistor ({show(float(cold.value), 'Ω')}) "
                  f"lets the bus feed {show(share * need.power, 'W')} of {show(need.power, 'W')}; asked for more at once the stage starts "
                  "in hiccups until it has warmed up. Less load at first, or a resistor that a relay bridges, avoids that",
                  "start.p_cold", "inlet.thermistor")


def _without_ripple(v: float, crest: float, r: float) -> float:
    """Power [W] that a rectified sine of that crest [V] brings through r [Ω] onto a bus that stands at v [V]: the mean of the current where
    the sine is above it."""
    v = min(v, 0.999 * crest)
    angle = np.arcsin(v / crest)
    return float(v / (np.pi * r) * (2 * crest * np.cos(angle) - v * (np.pi - 2 * angle)))


def _reached(valleys: Any, floor: float) -> float:
    """Greatest share of what was tried whose valley stays above the floor; on the straight line through the nearest two where it lies
    between them, or below."""
    if valleys[-1] >= floor:
        return 1.0
    k = max(int(np.argmax(valleys < floor)), 1)
    slope = (SHARES[k] - SHARES[k - 1]) / max(valleys[k - 1] - valleys[k], 1e-9)
    return float(max(SHARES[k - 1] + slope * (valleys[k - 1] - floor), 0.0))
