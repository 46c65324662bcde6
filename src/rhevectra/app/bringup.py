"""The plan of bringing a supply up as a table, with what the bench log holds of it."""

from collections.abc import Iterable
from typing import Any

from rhevectra.bench.bringup import plan
from rhevectra.bench.readings import last_readings
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.project import table
from rhevectra.project.log import entries

COLUMNS = ("step", "reading", "at", "how", "expected", "read", "says")


def rows(design: Design, log: Iterable[Any] = ()) -> list[tuple[str, ...]]:
    """Step by step, every reading with its band, what was read last and what that says; both empty where nothing was."""
    read = last_readings(entries(log))
    return [(step.name, c.name, c.at, c.how, c.band, *((show(read[c.key], c.unit), c.says(read[c.key])) if c.key in read else ("", "")))
            for step in plan(design) for c in step.checks]


def as_csv(design: Design, log: Iterable[Any] = ()) -> str:
    """The table under its columns."""
    return table.as_csv(COLUMNS, rows(design, log))
