"""The divider that sets the regulated output: two resistors to be bought, and how far they may put it off."""

from functools import lru_cache
from typing import Any

import numpy as np

from rhevectra.core.basis.preferred import between, nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row, plain
from rhevectra.core.formulas import output
from rhevectra.core.stages import air
from rhevectra.core.stages.work import Work

SHUNTS = (2.495, 1.24)
"""Shunt references [V] (typical classes, from memory)."""
REFERENCES = (*SHUNTS[1:], 0.6)
"""What serves an output too low for an optocoupler beside its reference [V]: the last a comparator's own."""
CURRENT = 0.25e-3
"""Current of the divider [A] (typical, from memory)."""
BIAS, BIAS_SPREAD = 2e-6, 1e-6
"""What the reference's input draws through the upper resistor, and by how much that differs from part to part [A] (typical, from
memory)."""

LEAST = 0.65
"""Lower resistor over what the divider's current asks for, at the least; at most as many times that."""
BOUGHT = ("E24", "E96")
"""Series that 1 % resistors come in; members of one alone stand in steps of their ratio, whichever is the lower one."""
PARTS = ("reference", "resistor")
BOUGHT_AS = ("reference_tolerance", "resistor_tolerance", "reference_drift", "resistor_drift")
GRADES = ((0.01, 0.01, 100.0, 100.0), (0.005, 0.01, 100.0, 100.0), (0.005, 0.001, 100.0, 25.0), (0.002, 0.001, 50.0, 25.0))
"""Tolerances at room temperature and temperature coefficients [ppm/K] that reference and resistors are bought with, the cheapest first
(typical, from memory)."""


def reference(volts: float) -> float:
    """The largest reference that is no more than half the output [V], so that an optocoupler has room above it; of a low output the largest
    below it."""
    return next((v for v in SHUNTS if v <= 0.5 * volts), next((v for v in REFERENCES if v <= 0.95 * volts), 0.5 * volts))


def current(work: Work) -> float:
    """Current of the divider [A]."""
    low = work.choose.pins.get("feedback.r_low")
    return reference(work.need.outputs[work.need.main].magnitude) / float(low) if low else CURRENT


def record(work: Work, v_out: Any) -> None:
    """Rows of both resistors, of the output they set, and of how far it may be off: worst case and statistical."""
    sheet, main = work.sheet, work.need.outputs[work.need.main]
    v = reference(main.magnitude)
    v_ref = sheet.given("feedback.v_ref", v, "V", "rule",
                        f"reference of the {v:g} V class, where one is at most half the output (typical, from memory)")
    bias = sheet.given("feedback.i_bias", BIAS, "A", "rule", "into the reference's input (typical, from memory)")
    pins = work.choose.pins
    low, high = _pair(main.magnitude, v, pins.get("feedback.r_low"), pins.get("feedback.r_high"))
    r_low = work.choose("feedback.r_low", low,
                        f"of E24 or E96, near {show(v / CURRENT, 'Ω')} for a current of {show(CURRENT, 'A')}: with the other it comes "
                        "nearest to the output")
    r_high = work.choose("feedback.r_high", high, "of E24 or E96, what goes with the lower one")
    set_to = sheet("feedback.v_set", output.divider_output, v_ref=v_ref, r_high=r_high, r_low=r_low, i_bias=bias)
    off = sheet("feedback.off", output.divider_off, v_set=set_to, v_out=v_out)
    spread = sheet.given("feedback.i_spread", BIAS_SPREAD, "A", "rule", "how far that differs from part to part (typical, from memory)")
    parts = {"off": off, "v_ref": v_ref, "v_out": v_out, "bias_spread": spread, "r_high": r_high}
    span = sheet("feedback.t_span", output.from_room, t_max=sheet.given("ambient.max", work.need.ambient_max, "°C", text="highest ambient"),
                 rise=air.rise(work), t_min=sheet.given("ambient.min", work.need.ambient_min, "°C", text="requirement"))
    bought = _grades(work, main.tolerance, {name: plain(part) for name, part in parts.items()}, span.value)
    for id, whole, warmed in (("error", output.divider_error, output.warmed),
                              ("error_statistical", output.divider_error_statistical, output.warmed_statistical)):
        sheet(f"feedback.{id}", whole, **parts,
              **{part: sheet(f"feedback.{part}_{id}", warmed, tolerance=bought[f"{part}_tolerance"], drift=bought[f"{part}_drift"],
                             span=span) for part in PARTS})
    sheet.given("feedback.error_limit", main.tolerance, "", text="requirement: tolerance of the regulated output")


def _grades(work: Work, most: float, parts: dict[str, Any], span: float) -> dict[str, Row]:
    """Reference and resistors as bought: the cheapest with which the output is off by no more than `most`, else the tightest; what is
    pinned stays. parts: all else the error is made of; span: of temperature from the room's [K]."""
    pins = work.choose.pins
    ways = [{name: pins.get(f"feedback.{name}", x) for name, x in zip(BOUGHT_AS, grade, strict=True)} for grade in GRADES]

    def error(way: dict[str, float]) -> float:
        warm = {part: output.warmed(way[f"{part}_tolerance"], way[f"{part}_drift"], span) for part in PARTS}
        return float(np.max(output.divider_error(**warm, **parts)))
    kept = [way for way in ways if error(way) <= most]
    way, why = ((kept[0], f"the cheapest grade that keeps the output within {100 * most:.3g} % (typical grades, from memory)") if kept
                else (ways[-1], f"the tightest grade, and not enough for {100 * most:.3g} % (typical grades, from memory)"))
    return {name: work.choose(f"feedback.{name}", way[name], why) for name in BOUGHT_AS}


@lru_cache(maxsize=64)
def _pair(volts: float, v_ref: float, low: float | None, high: float | None) -> tuple[float, float]:
    """Lower and upper resistor [Ω] of BOUGHT that set an output nearest to `volts`, the lower between LEAST of what the divider's current
    asks for and as many times that; either given goes with what suits it."""
    around = v_ref / CURRENT
    lows = [low] if low else sorted({r for series in BOUGHT for r in between(LEAST * around, around / LEAST, series)},
                                    key=lambda r: abs(r - around))
    pairs = [(r, x) for r in lows
             for x in ([high] if high else [nearest(max((volts - v_ref) / (v_ref / r + BIAS), 1.0), series) for series in BOUGHT])]
    return min(pairs, key=lambda p: round(abs(float(output.divider_output(v_ref, p[1], p[0], BIAS)) / volts - 1), 4))
