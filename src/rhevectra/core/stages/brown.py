"""Brown-out and brown-in: the bus, or before a power factor stage the rectified line, below which a supply lets go by itself, and from
which it starts."""

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX, NOTE
from rhevectra.core.basis.preferred import at_least, at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import brown, pfc, rectifier
from rhevectra.core.stages.inlet import CELL
from rhevectra.core.stages.work import FigureSpec, Work

PIN = 1.2
"""Threshold of a sensing pin [V] (typical, from memory)."""
BELOW = 0.985
"""Highest brown-in over the crest that has to start the supply: the meter and the mains are not exact either (common practice, no
source)."""
DIGITS = 0.995
"""What three digits of a threshold may add to it is left beforehand."""
SENSE, MOST = 20e-6, 1e7
"""Current through the divider of a dc source [A], and its largest upper resistor [Ω] (common practice: leakage of the board)."""


def decisions(stage: str, sensed: str = "bus") -> tuple[DecisionSpec, ...]:
    """Both thresholds and their divider, listed with a stage; sensed: what the divider lies across."""
    return (DecisionSpec("brown.v_out", f"Brown-out, {sensed}", stage, unit="V", low=3.0, high=900.0,
                         schools="at the end of hold-up; where the duty ends, to save the switch; higher: against long sags"),
            DecisionSpec("brown.v_in", f"Brown-in, {sensed}", stage, unit="V", low=3.0, high=900.0,
                         schools="just below the crest of the lowest line: no start that fails; lower: starts on a weak line, and may let "
                         "go again"),
            DecisionSpec("brown.tolerance", "Tolerance of both thresholds", stage, low=0.0, high=0.2,
                         schools="4 %: comparator and 1 % resistors; 8 %: a transistor or the controller's own lock-out"),
            DecisionSpec("brown.r_high", "Upper resistor of the sensing divider", stage, unit="Ω", low=1e4, high=5e7),
            DecisionSpec("brown.r_low", "Lower resistor of the sensing divider", stage, unit="Ω", low=10.0, high=1e7, step="E96"))


def figures(stage: str) -> tuple[FigureSpec, ...]:
    """Figures of both thresholds at the ends of their tolerance. They lie in a narrow window whose ends are no limits to stay far from:
    what they miss is told by findings."""
    fixed = "what the capacitor's resistance adds while current flows"
    return (FigureSpec("brown.out_most", "Brown-out, highest", "V_out", stage, fixed=fixed,
                       sentence="above it hold-up, or the valley at the lowest line, would be cut short"),
            FigureSpec("brown.out_least", "Brown-out, lowest", "V_out", stage, worst="min", fixed=fixed,
                       sentence="below the bus down to which full load is held the output sags, or the current limit is reached, before "
                       "this ends it"),
            FigureSpec("brown.in_most", "Brown-in, highest", "V_in", stage, fixed=fixed,
                       sentence="the lowest line has to start the supply"),
            FigureSpec("brown.in_least", "Brown-in, lowest", "V_in", stage, worst="min", fixed=fixed,
                       sentence="a load that is let go lets the bus come back: were it to start again from there, it would start and stop "
                       "for as long as the line sags"),
            FigureSpec("brown.i_hysteresis", "Hysteresis current of the pin", "I_h", stage, fixed="threshold of the pin"))


def record(work: Work) -> dict[str, Row]:
    """Rows of both thresholds and their divider; returns its loss, where it is not the path that senses the bus already."""
    sheet, choose = work.sheet, work.choose
    tolerance = choose("brown.tolerance", 0.04, "comparator and 1 % resistors (common practice)")
    t = float(tolerance.value)
    crest, valley, ends = _bus(work)
    start = choose("brown.v_in", lambda: float(f"{BELOW * float(crest.value) / (1 + t):.3g}"),
                   f"so that the crest of the lowest line, {show(float(crest.value), 'V')}, starts it at the end of its tolerance")
    stop = choose("brown.v_out", lambda: float(f"{_stop(float(start.value) * (1 - t), t, crest, valley, ends):.3g}"),
                  f"ends no hold-up before {show(float(ends.value), 'V')}, and does not start again by itself when its load is gone")
    r_high, losses = _path(work)
    r_low = choose("brown.r_low", lambda: at_least(float(r_high.value) / max(float(stop.value) / PIN - 1, 0.1), "E96"),
                   "E96, at the brown-out or just below it")
    pin = sheet.given("brown.v_pin", PIN, "V", "rule", "threshold of a sensing pin (typical, from memory)")
    out = sheet("brown.v_set", brown.threshold, v_pin=pin, r_high=r_high, r_low=r_low)
    most = sheet("brown.out_most", brown.upper, volts=out, tolerance=tolerance)
    sheet("brown.out_least", brown.lower, volts=out, tolerance=tolerance)
    highest = sheet("brown.in_most", brown.upper, volts=start, tolerance=tolerance)
    least = sheet("brown.in_least", brown.lower, volts=start, tolerance=tolerance)
    again = sheet("brown.v_again", brown.crest_again, v_out=most, crest=crest, valley=valley)
    sheet("brown.i_hysteresis", brown.hysteresis, v_in=start, v_out=out, r_high=r_high)
    _judge(work, {"ends": ends, "most": most, "crest": crest, "highest": highest, "again": again, "least": least})
    return losses


def _judge(work: Work, rows: dict[str, Row]) -> None:
    """What the thresholds miss at the ends of their tolerance."""
    stage = work.choose.specs["brown.v_out"].stage
    if "pfc.v_bus" in work.sheet.rows and work.need.hold_up > 0:
        work.find(NOTE, stage, f"brown-out watches the line: it has to wait for longer than the hold-up of {show(work.need.hold_up, 's')} "
                  "before it acts", "brown.out_most", "")
    volts = {name: float(row.value) for name, row in rows.items()}
    told = lambda name: show(volts[name], "V")  # noqa: E731
    if volts["highest"] > volts["crest"]:
        work.find(MUST_FIX, stage, f"brown-in may lie at {told('highest')}, above the {told('crest')} there are at the lowest line: "
                  "it would not start", "brown.in_most", "brown.v_in")
    if volts["most"] > volts["ends"]:
        work.find(LOOK_AT, stage, f"brown-out may lie at {told('most')}, above the {told('ends')} that full load is to be held down "
                  "to: it ends that too soon", "brown.out_most", "brown.v_out")
    if volts["least"] < volts["again"]:
        work.find(LOOK_AT, stage, f"brown-in may lie at {told('least')}, below the {told('again')} the bus comes back to once the load "
                  "is let go: on a sagging line it would start and stop", "brown.in_least", "brown.v_in")


def _stop(start: float, t: float, crest: Row, valley: Row, ends: Row) -> float:
    """The highest brown-out [V] that ends no hold-up and after which the bus does not come back to `start`, the lowest brown-in [V]; half
    of that where none is."""
    again = start**2 - float(crest.value) ** 2 + float(valley.value) ** 2
    return DIGITS * min(float(ends.value), np.sqrt(again) if again > 0.25 * start**2 else 0.5 * start) / (1 + t)


def _bus(work: Work) -> tuple[Row, Row, Row]:
    """Crest of the bus at the lowest line before anything runs, valley of full load there with what is left of the capacitor, and the least
    bus that is worked from [V]; the crest of the line alone where its capacitor does not stand behind the divider."""
    sheet, rows, grid = work.sheet, work.sheet.rows, work.grid
    if work.need.is_dc or "pfc.v_bus" in rows:
        crest = (sheet.given("brown.crest", work.need.mains.v_min, "V", text="requirement: lowest input") if work.need.is_dc
                 else sheet("brown.crest", pfc.crest, v_line=work.need.mains.v_min))
        return crest, crest, crest
    idle, full = grid.find(grid.lines[0], 0.0, bus=grid.bus[-1]), np.broadcast_to(corners.FULL.mask(grid), grid.shape)
    left = np.broadcast_to(rows["bulk.v_valley_left"].value, grid.shape)
    valley = sheet.given("brown.valley", float(np.where(full, left, np.inf).min()), "V", "solved",
                         "least valley of full load, with what is left of the capacitor")
    crest = sheet.given("brown.crest", float(rows["bulk.v_peak"].at(idle.index)), "V", "solved", "crest at the lowest line without load")
    return crest, valley, rows["bulk.v_min_stage"] if work.need.hold_up > 0 else valley


def _path(work: Work) -> tuple[Row, dict[str, Row]]:
    """Upper resistor of the divider, and what it burns: none where the path across the bus only senses it."""
    rows, sheet = work.sheet.rows, work.sheet
    path, across = rows.get("start.path"), rows["line.v" if "pfc.v_bus" in rows else "bus.v"]
    if path is not None and str(path.value) == CELL and "pfc.v_bus" not in rows:
        return rows["bulk.r_bleed"], {}
    by_rule = at_most(min(MOST, work.need.mains.v_max / SENSE)) if work.need.is_dc else MOST
    r_high = work.choose("brown.r_high", by_rule, "so little flows that it hardly burns (common practice)")
    return r_high, {"brown_out": sheet("loss.brown_out", rectifier.resistor_power, v=across, r=r_high)}
