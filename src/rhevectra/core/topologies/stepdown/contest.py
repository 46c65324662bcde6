"""What a step-down stage brings to the contest: what its search may choose, and its bill of materials."""

from typing import Any

from rhevectra.core.stages import beside
from rhevectra.core.topologies.common.rectifiers import used
from rhevectra.core.topologies.common.secondary_kinds import DOUBLER, RECTIFIERS

CONTEST = {"fs": (100e3, 150e3, 65e3), "filter1.ripple_ratio": (0.35, 0.55)}
"""Decisions the search may choose and the values it tries: the first is begun with, the next ones are tried until one is better; core,
turns, wire and parts follow by rule."""
EXPLORES = {"fs": (0.5, 2.5), "filter1.ripple_ratio": (0.5, 2.5), "transformer.rise_max": (0.35, 1.0)}
"""Decisions an exploration varies, and how far about the present value: least and most of it."""


def bill(design: Any) -> dict[str, Any]:
    """Parts of the power stage: (class, count) of switches, rectifiers and output capacitors; wound parts, gate drives, small parts (reset
    diodes, auxiliary rectifier, current sense)."""
    rows, v, kind = design.rows, design.context["stage"].variant, design.context["stage"].secondary
    n, outputs = v.switches + v.active, (1, *(x.n for x in design.context["stage"].others))
    return {"switches": [(str(rows["switch.class"].value), n * beside.number(rows))],
            "rectifiers": [(str(rows[f"rectifier{k}.class"].value), RECTIFIERS[kind] * used(rows, k)) for k in outputs],
            "capacitors": [(str(rows[f"output{k}.cap"].value), int(rows[f"output{k}.parallel"].value)) for k in outputs],
            "wound": 2 + ("inductor.core" in rows) + (kind == DOUBLER), "drives": n if v.clamped else n // 2,
            "floating_drives": 0 if v.clamped else n // 2,
            "small": (0 if v.both_ways or v.reset else 1 if v.active else 2) + 2 + 1 + v.in_series * bool(v.series)
            + (2 + n if v.clamped else 0) + bool(v.reset)}
