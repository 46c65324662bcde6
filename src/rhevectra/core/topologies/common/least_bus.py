"""Down to which bus a stage gives full load, and what hold-up counts on: rows shared by all that have a largest duty."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import least_bus
from rhevectra.core.stages.work import Work


def _end_of_hold_up(work: Work) -> Row | None:
    """The bus at which hold-up is counted to end; None where none is asked for."""
    return work.sheet.rows.get("bulk.v_min_stage") if work.need.hold_up > 0 else None


def asked(work: Work, v_low: float) -> float:
    """The least bus [V] at which full load is wanted: the end of hold-up, or v_low, the lowest bus in run, where no hold-up is asked
    for."""
    row = _end_of_hold_up(work)
    return v_low if row is None else min(v_low, float(row.value))


def record_by_duty(work: Work, v_bus: Any, duty: Any) -> None:
    """The least bus of a stage whose duty goes against the bus in proportion."""
    record_asked(work)
    work.sheet("switch.v_bus_least", least_bus.by_duty, v_bus=v_bus, duty=duty, duty_limit=work.sheet.rows["switch.duty_limit"])
    record_line(work)


def record_asked(work: Work) -> None:
    """What it is held against."""
    row = _end_of_hold_up(work)
    if row is not None:
        work.sheet.again("switch.v_bus_asked", row)


def record_line(work: Work) -> None:
    """The line current of a plain bridge or a doubler when the line has sagged so far that full load is about to be lost."""
    rows, grid = work.sheet.rows, work.grid
    if "bulk.v_valley" not in rows or "pfc.v_bus" in rows:
        return
    full = np.broadcast_to(corners.FULL.mask(grid), grid.shape)
    valley, line, least = (np.broadcast_to(rows[id].value, grid.shape) for id in ("bulk.v_valley", "inlet.i_rms", "switch.v_bus_least"))
    at = np.unravel_index(int(np.argmin(np.where(full, valley, np.inf))), grid.shape)
    there = "at the lowest valley of full load"
    i_line = work.sheet.given("sag.i_line_there", float(line[at]), "A", "solved", f"line current {there}")
    v_valley = work.sheet.given("sag.v_valley", float(valley[at]), "V", "solved", f"bus {there}")
    v_least = work.sheet.given("sag.v_least", float(np.where(full, least, -np.inf).max()), "V", "solved",
                               "greatest of all corners: bus down to which full load is held")
    work.sheet("sag.i_line", least_bus.line_current, i_line=i_line, v_bus=v_valley, v_least=v_least)
