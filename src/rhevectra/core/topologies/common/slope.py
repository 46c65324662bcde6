"""Slope compensation: how steep it is, what the sense pin sees of it, and what a current limit loses by it that trips on the sum."""

from collections.abc import Callable
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.formulas import slope as formulas
from rhevectra.core.stages.work import FigureSpec, Work

ID, WHERE = "feedback.slope", "switch.limit_slope"
FROM = 0.4
"""Duty from which a controller of the crest needs a slope of its own; a half without any margin."""
INSIDE, SENSED = "inside", "sensed"
DECISION = DecisionSpec(ID, "Slope compensation over the falling slope", "feedback", low=0.0, high=2.0,
                        schools="a half above half the duty in continuous conduction; none below; more makes the stage behave as under "
                        "duty control")
LIMIT = DecisionSpec(WHERE, "Slope compensation and the current limit", "switch", "choice", options=(INSIDE, SENSED),
                     schools="inside: the controller takes it from its own command and the limit stays; sensed: added to the sensed "
                     "current, it trips the sooner the longer the pulse: least at the lowest bus")
FIGURES = (FigureSpec("feedback.ramp", "Slope to add at the sense resistor", "m_R", "feedback", corners.FULL,
                      fixed="inductance at its nominal value",
                      sentence="by how much the ramp at the sense pin rises: a share of the slope at which the current falls"),)


def share(work: Work, duty: Array, continuous: Array) -> float:
    """Slope over the steepest falling one; what the current limit was chosen with holds for the loop too."""
    if ID in work.sheet.rows:
        return float(work.sheet.rows[ID].value)
    needs = bool(np.any(continuous & (duty > FROM)))
    return float(work.choose(ID, 0.5 if needs else 0.0,
                             f"half the falling slope where a pulse lasts more than {FROM:g} of the period in continuous conduction "
                             "(common practice)" if needs
                             else f"no pulse lasts more than {FROM:g} of the period in continuous conduction").value)


def steepest(down: Array, continuous: Array) -> float:
    """Steepest falling slope [A/s] of the corners in continuous conduction; 0 where there is none."""
    return float(np.max(np.where(continuous, down, 0.0)))


def added(work: Work, down: Array, duty: Array, continuous: Array, turns: float = 1.0) -> Array:
    """Slope [A/s] the controller adds to the current the loop holds, alike at all corners (n,), with the row of what the sense resistor has
    to see. down: slopes at which that current falls [A/s], turns: of its side over the switch's."""
    rows = work.sheet.rows
    slope = share(work, duty, continuous) * steepest(down, continuous)
    if "sense.r" in rows:
        work.sheet("feedback.ramp", formulas.at_resistor, slope=work.sheet.given("feedback.slope_added", turns * slope, "A/s", "solved",
                   "share of the steepest falling slope in continuous conduction, in the switch's path"), r=rows["sense.r"],
                   ratio=rows["sense.ratio"])
    return np.full(len(down), slope)


def record_least(work: Work, i_limit: Any, function: Callable[..., Any], **pulse: Any) -> None:
    """The least current limit where it sees the ramp, by what that has taken of it; function, pulse: what a ramp takes until a pulse
    ends."""
    sheet, rows = work.sheet, work.sheet.rows
    taken = sheet("switch.limit_lost", function, slope=rows["switch.limit_ramp"], **pulse)
    sheet("switch.limit_min", formulas.least_limit, i_limit=i_limit, tolerance=rows["switch.limit_tolerance"], lost=taken)


def carried(work: Work, down: Any, duty: Any, continuous: Any) -> float:
    """Slope compensation [A/s] by every load that is carried in run. down: slope at which the current falls [A/s]; on the grid, or what
    spreads over it."""
    within = np.broadcast_to(corners.CARRIED.mask(work.grid), work.grid.shape)
    down, duty, continuous = (np.broadcast_to(x, work.grid.shape)[within] for x in (down, duty, continuous))
    return share(work, duty, continuous) * steepest(down, continuous)


def lost(work: Work, down: Any, t_on: Any, duty: Any, continuous: Any) -> Array | None:
    """What the ramp has taken of the limit when the pulse ends [A] at every corner of the grid; None where the limit does not see it. down:
    slope in the switch's path [A/s]; t_on [s]."""
    if str(work.choose(WHERE, INSIDE, "the controller takes it from its command").value) == INSIDE:
        return None
    ramp = carried(work, down, duty, continuous)
    work.sheet.given("switch.limit_ramp", ramp, "A/s", "solved", "slope compensation in the switch's path")
    return np.asarray(ramp * np.broadcast_to(t_on, work.grid.shape))
