"""What a resonant stage brings to the contest: what its search may choose, and its bill of materials."""

from typing import Any

from rhevectra.core.stages import beside
from rhevectra.core.topologies.common.rectifiers import used
from rhevectra.core.topologies.common.secondary_kinds import RECTIFIERS

CONTEST = {"fs": (100e3, 140e3, 80e3), "transformer.arrangement": ("split", "simple")}
"""Decisions the search may choose and the values it tries: the first is begun with, the next ones are tried until one is better; tank,
core, turns, wire and parts follow by rule."""
EXPLORES = {"fs": (0.5, 2.0), "llc.ratio": (0.6, 1.8), "llc.margin": (0.8, 1.3), "transformer.rise_max": (0.35, 1.0)}
"""Decisions an exploration varies, and how far about the present value: least and most of it."""


def bill(design: Any) -> dict[str, Any]:
    """Parts of the power stage: (class, count) of switches, rectifiers and output capacitors; wound parts, gate drives, small parts
    (resonant capacitor, auxiliary rectifier, current sense, divider of the charge)."""
    rows, s = design.rows, design.context["stage"]
    v, outputs = s.variant, (1, *(x.n for x in s.others))
    return {"switches": [(str(rows["switch.class"].value), v.switches * beside.number(rows))],
            "rectifiers": [(str(rows[f"rectifier{k}.class"].value), RECTIFIERS[s.secondary] * v.phases * used(rows, k)) for k in outputs],
            "capacitors": [(str(rows[f"output{k}.cap"].value), int(rows[f"output{k}.parallel"].value)) for k in outputs],
            "wound": (2 if "inductor.core" in rows else 1) * v.phases, "drives": v.switches // 2, "floating_drives": v.switches // 2,
            "small": v.phases + 2 + 1 + 2 * ("llc.v_turn" in rows)}
