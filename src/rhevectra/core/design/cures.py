"""What would cure a figure that breaks its limit: a decision of this design, pinned or not."""

import re
from collections.abc import Mapping
from typing import Any

from rhevectra.core.basis.sheet import Row
from rhevectra.core.stages.work import FigureSpec, Work

Cures = Mapping[str, str | tuple[str, ...]]
"""Figure or stage -> the decision that cures it, or several of which the first that this design has is meant; # stands for the number of an output."""

COMMON: Cures = {"inlet.i_rms": "front_end", "inlet.i_thermistor": ("inlet.thermistor", "inlet.limiter"), "inlet.discharge_time": "inlet.c_x", "inlet.i_inrush_hot": ("bridge.class", "inlet.thermistor"),
                 "bridge.i_avg": "bridge.class", "bridge.v_reverse": "bridge.class", "bulk": ("bulk.c", "pfc.c_bus", "pfc.c_half"), "bulk.v_peak": ("pfc.v_bus", "derating.bulk_v"), "pfc.f_low": "pfc.f_min",
                 "switch": "switch.class", "switch.i_peak_run": "switch.current_limit", "switch.i_peak_least": "switch.current_limit", "short.b_peak": "switch.short_rate", "switch.duty_max": ("bulk.c", "flyback.v_or"), "switch.v_bus_least": ("bulk.v_min_stage", "forward.duty", "flyback.v_or"), "transformer": "transformer.core", "rectifier": "rectifier1.class", "filter1.gap": "filter1.ripple_ratio", "load": "switch.class",
                 "rectifier#.i_avg": "rectifier#.parallel", "rectifier#": "rectifier#.class", "output#.ripple_pp": "output#.parallel", "output#.i_c_rms": "output#.parallel", "output#.v_c": "output#.cap", "output#.life": "output#.parallel", "output#.step": "output#.parallel", "output#.v_open": ("aux.v_trip", "feedback.v_trip", "output#.cap"), "feedback.i_end": "feedback.r_led", "feedback.phase_margin": "feedback.f_aim", "feedback.gain_margin": "feedback.f_aim",
                 "output#.v_low": ("transformer.ns#", "rectifier1.class"), "output#.v_high": ("output#.bleed", "transformer.ns#", "rectifier1.class")}
"""Where neither front end, topology nor clamp names its own."""
ASKED = {"inlet.i_rms": "less power or a higher lowest line", "switch.v_bus_least": "a shorter hold-up", "switch.duty_max": "an output below the lowest bus"}
"""What of the requirement would have to give where no decision helps."""
SHAPE = ("topology", "front_end", "clamp.kind")
"""Decisions that change which stages stand in the path; a pin on one is no cause of a figure."""


def cure_of(spec: FigureSpec, work: Work, cures: Cures) -> tuple[str, str]:
    """The decision that would cure a figure ("" where there is none), and what to do in words: its own cure, and before it a pin of its stage that the figure was worked out from."""
    pins, specs = work.choose.pins, work.choose.specs
    named = _named(spec, specs, cures)
    if named in pins and named not in SHAPE:
        return named, f"freeing the pin on {named} may cure it"
    rows = work.sheet.rows
    causes = _origins(rows[spec.id], rows.get(spec.limit)) if pins else set()
    pinned = [id for id in pins if id in causes and id not in SHAPE and specs[id].stage == spec.stage]
    if pinned:
        return pinned[0], f"freeing the pin on {pinned[0]}{f' or changing {named}' if named else ''} may cure it"
    return named, f"change {named}" if named else f"no decision cures it, only {ASKED.get(spec.id, 'another requirement')}"


def _named(spec: FigureSpec, specs: Mapping[str, Any], cures: Cures) -> str:
    found = re.match(r"(output|rectifier)(\d+)\b", spec.id)
    number = found.group(2) if found else ""
    keys = [spec.id, *((spec.id.replace(number, "#", 1), f"{found.group(1)}#") if found else ()), spec.stage]
    for key in keys:
        if key in cures:
            given = cures[key]
            return next((id for one in ((given,) if isinstance(given, str) else given) if (id := one.replace("#", number)) in specs), "")
    return ""


def _origins(*rows: Row | None) -> set[str]:
    """Ids of all rows that some rows were worked out from."""
    seen, ids, open_ = set[int](), set[str](), [r for r in rows if r is not None]
    while open_:
        row = open_.pop()
        if id(row) in seen:
            continue
        seen.add(id(row))
        ids.add(row.id)
        open_ += [r for r in (*row.inputs.values(), row.estimate) if isinstance(r, Row)]
    return ids
