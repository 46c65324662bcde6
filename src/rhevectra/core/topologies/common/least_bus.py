"""Down to which bus a stage gives full load, and what hold-up counts on: rows shared by all that have a largest duty."""

from typing import Any

from rhevectra.core.formulas import least_bus
from rhevectra.core.stages.work import Work

END_OF_HOLD_UP = "bulk.v_min_stage"


def asked(work: Work, v_low: float) -> float:
    """The least bus [V] at which full load is wanted: the end of hold-up, or v_low, the lowest bus in run, where no hold-up is asked for."""
    row = work.sheet.rows.get(END_OF_HOLD_UP)
    return v_low if row is None or work.need.hold_up <= 0 else min(v_low, float(row.value))


def record_by_duty(work: Work, v_bus: Any, duty: Any) -> None:
    """The least bus of a stage whose duty goes against the bus in proportion."""
    record_asked(work)
    work.sheet("switch.v_bus_least", least_bus.by_duty, v_bus=v_bus, duty=duty, duty_limit=work.sheet.rows["switch.duty_limit"])


def record_asked(work: Work) -> None:
    """What it is held against."""
    row = work.sheet.rows.get(END_OF_HOLD_UP)
    if row is not None and work.need.hold_up > 0:
        work.sheet.again("switch.v_bus_asked", row)
