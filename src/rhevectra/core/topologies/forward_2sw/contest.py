"""What a two-switch forward brings to the contest: what its search may choose, and its bill of materials."""

from typing import Any

CONTEST = {"fs": (65e3, 100e3, 150e3), "filter1.ripple_ratio": (0.3, 0.4, 0.6)}
"""Decisions the search may choose and the values it tries; core, turns, wire and parts follow by rule."""


def bill(design: Any) -> dict[str, Any]:
    """Parts of the power stage: (class, count) of switches, rectifiers and output capacitors; wound parts, gate drives, small parts (reset diodes, auxiliary rectifier, current sense)."""
    rows = design.rows
    return {"switches": [(str(rows["switch.class"].value), 2)], "rectifiers": [(str(rows["rectifier1.class"].value), 2)], "capacitors": [(str(rows["output1.cap"].value), int(rows["output1.parallel"].value))],
            "wound": 2, "drives": 1, "floating_drives": 1, "small": 2 + 2 + 1}
