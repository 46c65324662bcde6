"""How far the load may rise before the current limit takes over, and what the windings come to just before: a load that the limit lets
through lasts as long as somebody asks for it."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.sheet import Row, plain
from rhevectra.core.formulas import overload
from rhevectra.core.stages.work import FigureSpec, Work

RATED = 2.0
"""Rated current of a rectifier over what is let through it at full load."""
HOT = 45.0
"""What a winding may have beyond the temperature of its class in a lasting overload [K]: 175 °C for class 130 (table of winding
temperatures of the safety standard for electronic equipment, from memory)."""
CLASS_ROOM = 10.0
"""What the temperature allowed in run stays below that of the class [K]."""
LEAST, GREATEST = "overload.least", "overload.most"
TIMER, NONE, TIMED = "overload.timer", "none", "timed"
DECISION = DecisionSpec(TIMER, "Overload timer", "switch", "choice", options=(NONE, TIMED),
                        schools="none: windings and heat sinks carry what the limit lets through for good; timed: the controller stops "
                        "after some ten milliseconds above full load and tries again, they are made for full load")
HOLDS_LEAST = FigureSpec(LEAST, "Least load it holds", "k_min", "switch", corners.LIMIT, "min", "overload.asked", "min",
                         fixed="outputs rising together; power that a power factor stage has left", look_only=True,
                         sentence="of full load: where the least current limit, or the least bus under that load, takes over")
HOLDS_MOST = FigureSpec(GREATEST, "Most load it holds", "k_max", "switch", corners.LIMIT, "max", "overload.most_limit", "max",
                        fixed="bus as at full load; outputs rising together; power that a power factor stage has left", look_only=True,
                        sentence="of full load: below the greatest current limit nothing stops it, and all parts carry it as long as it "
                        "is asked for; against what the rectifiers are rated for")
COOLED = FigureSpec("overload.r_ca", "Overload: case to ambient needed", "R_ca", "switch", corners.LIMIT, "min",
                    fixed="loss taken at the junction's limit", sentence="of the switch, at the greatest current limit: what a heat sink "
                    "must do where no timer ends an overload")
FIGURES = (HOLDS_LEAST, HOLDS_MOST, COOLED)
WINDING = FigureSpec("overload.t_winding", "Overload: winding temperature", "T_k", "transformer", corners.LIMIT, "max",
                     "overload.t_limit", "max", fixed="mean of the winding; core loss at its planned temperature", look_only=True,
                     sentence="at the greatest current limit, which may last")


def lasting(work: Work, t_winding: Any = None) -> bool:
    """Whether an overload lasts as long as somebody asks for it; by rule it does not where the windings, which would then come to so much
    [°C], would not stand it."""
    def by_rule() -> tuple[str, str, tuple[str, ...]]:
        if t_winding is not None:
            hottest, allowed = float(np.where(corners.LIMIT.mask(work.grid), plain(t_winding), -np.inf).max()), _winding_allowed(work)
            if hottest > allowed:
                return TIMED, "the controller ends it before the windings are hot", (
                    f"{NONE}: what the limit lets through would heat the windings to {hottest:.0f} °C, {allowed:.0f} °C allowed",)
        return NONE, "below the limit nothing ends an overload: the safe assumption", ()
    return work.choose(TIMER, by_rule).value == NONE


def sagging(work: Work, v_bus: Any) -> dict[str, Any]:
    """Rows of the bus at full load and of its crest at the same line [V]."""
    value = np.broadcast_to(plain(v_bus), work.grid.shape)
    return {"v_bus": v_bus, "v_crest": work.sheet.given("overload.v_crest", value[..., -1:], "V", "solved", "bus at its crest")}


def record(work: Work, least: Row, most: Row, sags: Mapping[str, Any], v_least: Any) -> None:
    """Rows of both ends. least, most: rows of the load at which least and greatest current limit take over, over full load; sags: rows of
    `sagging`; v_least: row of the least bus that holds full load [V]."""
    sheet = work.sheet
    by_bus = sheet("overload.by_bus", overload.share_by_bus, v_least=v_least, **sags)
    sheet.either(LEAST, least.value <= by_bus.value, least, by_bus, "the least current limit takes over, or the bus sags too far")
    sheet.again(GREATEST, most)
    allow(work)
    if lasting(work, sheet.rows.get("transformer.t_winding")):
        sheet.again("overload.r_ca", sheet.rows["switch.case_to_ambient"])


def allow(work: Work) -> None:
    """Rows of what both ends are held against."""
    sheet = work.sheet
    sheet.given("overload.asked", 1.0, "", "requirement", "full load")
    carried, name = min((_carried(work, n), o.name) for n, o in enumerate(work.need.outputs, 1) if f"rectifier{n}.i_avg" in sheet.rows)
    sheet.given("overload.most_limit", carried, "", "solved", f"rated current of the rectifiers of {name} over what full load sends "
                "through them")


def record_currents(work: Work, least: Row, most: Row, i_out: Any, v_bus: Any) -> None:
    """The same of a stage whose filter inductor feeds its output. least, most: rows of the output current at which the limits take over
    [A], i_out: that of full load."""
    by = {end: work.sheet(f"overload.by_{end}", overload.share_of_current, at_limit=i, i_out=i_out)
          for end, i in (("least", least), ("most", most))}
    record(work, by["least"], by["most"], sagging(work, v_bus), work.sheet.rows["switch.v_bus_least"])


def _carried(work: Work, n: int) -> float:
    """Load up to which the rectifiers of output n are rated, over full load."""
    rows, grid = work.sheet.rows, work.grid
    full = np.broadcast_to(plain(rows[f"rectifier{n}.i_avg"]), grid.shape)[:, :, grid.full_load]
    return RATED * float(rows[f"rectifier{n}.i_limit"].value) / float(full.max())


def greatest(work: Work) -> tuple[float, float]:
    """The greatest load that is held, over full load, and the line it is held at [V]."""
    most = np.where(corners.LIMIT.mask(work.grid), work.sheet.rows[GREATEST].value, 0.0)
    return float(most.max()), work.grid.lines[int(np.unravel_index(int(most.argmax()), most.shape)[0])]


def record_winding(work: Work) -> None:
    """Row of the transformer's winding at the greatest current limit, and what it may come to there, where that may last."""
    if not lasting(work, work.sheet.rows["transformer.t_winding"]):
        return
    work.sheet.again("overload.t_winding", work.sheet.rows["transformer.t_winding"])
    allow_winding(work)


def allow_winding(work: Work) -> None:
    """Row of what a winding may come to in a lasting overload."""
    allowed = _winding_allowed(work)
    work.sheet.given("overload.t_limit", allowed, "°C", "rule",
                     f"class {allowed - HOT:g} °C and {HOT:g} K in a lasting overload (safety standard for electronic equipment, from "
                     "memory)")


def _winding_allowed(work: Work) -> float:
    """What a winding may come to in a lasting overload [°C]."""
    return float(work.sheet.rows["transformer.t_winding_max"].value) + CLASS_ROOM + HOT
