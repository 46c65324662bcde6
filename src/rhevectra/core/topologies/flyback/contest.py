"""What a flyback brings to the contest: what its search may choose, and its bill of materials."""

from typing import Any

from rhevectra.core.stages import beside
from rhevectra.core.topologies.common.rectifiers import used

CONTEST = {"fs": (100e3, 130e3, 65e3), "flyback.ripple_ratio": (0.6, 1.0)}
"""Decisions the search may choose and the values it tries: the first is begun with, the next ones are tried until one is better; core,
turns, wire and parts follow by rule."""
VALLEY_CONTEST = {"fs": (65e3, 90e3, 45e3), "qr.f_max": (130e3, 250e3)}
EXPLORES = {"fs": (0.5, 2.0), "flyback.ripple_ratio": (0.4, 1.8), "flyback.v_or": (0.7, 1.4), "transformer.rise_max": (0.35, 1.0)}
"""Decisions an exploration varies, and how far about the present value: least and most of it."""
VALLEY_EXPLORES = {"fs": (0.5, 1.8), "qr.f_max": (0.6, 2.5), "flyback.v_or": (0.7, 1.4), "transformer.rise_max": (0.35, 1.0)}


def bill(design: Any) -> dict[str, Any]:
    """Parts of the power stage: (class, count) of switches, rectifiers and output capacitors; wound parts, gate drives, small parts (clamp
    or reset diodes, auxiliary rectifier, current sense)."""
    v = design.context["stage"].variant
    n = v.switches
    rows, outs = design.rows, range(1, len(design.requirement.outputs) + 1)
    second = {n: float(rows[f"filter{n}.l"].value) > 0 for n in outs}  # a choke, with one more capacitor behind it
    clamp = [(str(rows["clamp.switch"].value), 1)] if v.turned else []
    return {"switches": [(str(rows["switch.class"].value), n * beside.number(rows)), *clamp],
            "rectifiers": [(str(rows[f"rectifier{n}.class"].value), used(rows, n)) for n in outs],
            "capacitors": [(str(rows[f"output{n}.cap"].value), int(rows[f"output{n}.parallel"].value) + second[n]) for n in outs],
            "wound": 1, "drives": 1, "floating_drives": n - 1 + v.turned,
            "small": (2 + int(rows["clamp.resistors"].value) if "clamp.resistors" in rows else 2) + 2 + 1 + sum(second.values())}
