"""What the loop of a resonant stage moves: its frequency, or the charge of half a period, told by the voltage the resonant capacitor
reaches."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import charge
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common.signal import CHARGE, FREQUENCY, MOVES
from rhevectra.core.topologies.resonant.hold import Hold

UPPER, SENSED = 100e-12, 2.0
"""Upper capacitor of the divider [F], and the voltage behind it at which the controller ends half a period at most [V] (typical, from
memory)."""
DECISIONS = (
    DecisionSpec(MOVES, "What the loop moves", "feedback", "choice", options=(FREQUENCY, CHARGE),
                 schools="frequency: an oscillator the pin pulls; the loop has to stay below the beat of tank and output, and leaves much "
                 "of the bus's ripple; charge: half a period ends as the resonant capacitor reaches what the pin asks for, the stage feeds "
                 "its output like a current and the beat is gone; of several phases the first ends by it, the others follow"),
    DecisionSpec("llc.c_sense_upper", "Upper capacitor of the charge divider", "feedback", unit="F", low=1e-12, high=1e-8, step="E12",
                 schools="100 pF of the resonant capacitor's voltage class; less is at the mercy of the layout, more takes from the tank"),
    DecisionSpec("llc.c_sense_lower", "Lower capacitor of the charge divider", "feedback", unit="F", low=1e-11, high=1e-5, step="E12"),
)
FIGURES = (
    FigureSpec("llc.v_turn", "Resonant capacitor at turn-off", "V_t", "feedback", corners.PEAKS, limit="llc.v_turn_range",
               limit_kind="max", fixed="tank of nominal parts; dead time",
               sentence="its ac voltage there tells the charge of half a period: what the pin has to ask for"),
)
TOLD = "tank by the exact half period, which ends as the resonant capacitor reaches what the pin asks for"


def moved(work: Work) -> bool:
    """Whether the loop moves the charge; of several phases that of the first, which the others follow."""
    return bool(work.sheet.rows[MOVES].value == CHARGE)


def record(work: Work, v_bus: Any, v_out: float, half: Mapping[str, Any], hold: Hold | None) -> None:
    """Rows of what is moved, and of the divider. v_bus [V]: at each corner; v_out: regulated output [V]; half: rows of the mean current of
    half a period [A], its frequency [Hz] and the resonant capacitor [F], as `turned_at` has them; hold: the end of hold-up."""
    sheet = work.sheet
    if str(work.choose(MOVES, lambda: _by_rule(work, v_bus, v_out)).value) != CHARGE:
        return
    v_turn = sheet("llc.v_turn", charge.turned_at, **half)
    upper = work.choose("llc.c_sense_upper", UPPER, "small, of the resonant capacitor's voltage class (typical, from memory)")
    sensed = sheet.given("llc.v_sensed", SENSED, "V", "rule", "at which the controller ends half a period at most (typical, from memory)")
    most = float(np.max(v_turn.value)) * (1 + float(sheet.rows["llc.cr_tolerance"].value))
    if "llc.phase_most" in sheet.rows:
        most *= float(sheet.rows["llc.phase_most"].value)
    most = max(most, hold.v_turn if hold is not None else 0.0)
    lower = work.choose("llc.c_sense_lower",
                        lambda: float(at_least(float(charge.divider_below(upper.value, most, SENSED)), "E12")),
                        f"E12: {show(most, 'V')} at the current limit or the end of hold-up, of the least resonant capacitor, still lie "
                        f"within {show(SENSED, 'V')}")
    sheet("llc.v_turn_range", charge.before_divider, v_sensed=sensed, upper=upper, lower=lower)


def _by_rule(work: Work, v_bus: Any, v_out: float) -> tuple[str, str, tuple[str, ...]]:
    """Which, and why: where a steady frequency would let more of the bus's ripple through than is asked for, the charge."""
    bus = np.broadcast_to(plain(v_bus), work.grid.shape)
    shows = float(np.where(corners.FULL.mask(work.grid)[..., :1], bus[..., -1:] / bus[..., :1] - 1, 0.0).max()) * v_out
    limit = float(np.min(work.sheet.rows["output1.ripple_limit"].value))
    if shows <= limit:
        return FREQUENCY, "an oscillator the pin pulls (common practice)", ()
    return (CHARGE, "its loop crosses at some kilohertz and leaves little of the bus's ripple",
            (f"{FREQUENCY}: held steady it would let {show(shows, 'V')} of the bus's ripple through, {show(limit, 'V')} are asked for, and "
             "its loop is slow",))
