"""Air around the parts inside a case, warmer than the ambient: what small parts that burn little drift by and age in."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import FULL
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import output
from rhevectra.core.stages.work import FigureSpec, Work

ID = "air.rise"
DECISION = DecisionSpec(ID, "Air around small parts, over the ambient", "load", unit="K", low=0.0, high=60.0,
                        schools="0 K: beside a fan; 10 K: open frame; 20 to 30 K: a closed case of plastic, to be measured")

LOADED = 1.0
"""Heating of its own [K] with which a capacitor still counts as hardly loaded: at a third of its rated ripple current."""


def rise(work: Work) -> Row:
    """By how much it is warmer [K], by rule or pin."""
    return work.choose(ID, 10.0, "between the warm parts of an open frame (common practice, no source)")


def life_figure(part: str, label: str, stage: str) -> FigureSpec:
    """How the life of some capacitors is judged."""
    return FigureSpec(f"{part}.life", label, "L", stage, FULL, "min", f"{part}.life_limit", "min",
                      fixed="heat of the nearest parts, beyond that of the air")


def record_life(work: Work, part: str, cap: Mapping[str, Any], count: int, i_rms: Any) -> None:
    """How long `count` capacitors side by side last in the highest ambient, with the ripple current of all of them [A]."""
    sheet = work.sheet
    hot = sheet(f"{part}.temperature", output.capacitor_temperature, ambient=sheet.given("ambient.max", work.need.ambient_max, "°C",
                                                                                         text="highest ambient"),
                air=rise(work), current=i_rms, rated=cap["i_rated_a"] * count)
    sheet(f"{part}.life", output.capacitor_life, life=cap["life_s"], t_max=cap["t_max_c"], temperature=hot)
    if work.need.lifetime is not None:
        sheet.given(f"{part}.life_limit", work.need.lifetime, "s", text="requirement")


def carried(work: Work, cap: Mapping[str, Any]) -> Any:
    """Ripple current [A] that one capacitor of a class, or of each of many, may carry to last as long as is asked: without limit where
    nothing is asked or none at all would do, for then no number of them helps."""
    if work.need.lifetime is None:
        return np.inf
    most = output.current_for_life(cap["i_rated_a"], cap["life_s"], work.need.lifetime, cap["t_max_c"], work.need.ambient_max,
                                   float(rise(work).value))
    return np.where(most > 0, most, np.inf)


def lasting(work: Work, rows: Sequence[Any]) -> Sequence[Any]:
    """Of capacitor classes those that last as long as is asked, if hardly loaded; all where none does."""
    if work.need.lifetime is None:
        return rows
    cool = work.need.ambient_max + float(rise(work).value) + LOADED
    return [r for r in rows if output.capacitor_life(r["life_s"], r["t_max_c"], cool) >= work.need.lifetime] or rows

