"""The voltage that stands across the insulation: what the ends of the primary do against an earthed output."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import LOOK_AT
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import insulation
from rhevectra.core.stages.work import FigureSpec, Work

FIGURE = FigureSpec("insulation.v_working", "Working voltage of the insulation, rms", "V_w", "transformer", corners.FULL,
                    fixed="spikes; which end lies beside which: those farthest apart are taken; a neutral away from earth",
                    sentence="between the end of the primary that swings and an earthed output, whose own ends swing against it")


TRIPLE = 1000.0
"""Working voltage [V peak] that triple-insulated wire is usually made for (typical, from memory; the very wire decides)."""
TRIPLE_BUS = 0.8 * TRIPLE
"""Bus [V] up to which the rule takes it: the switch's node or the outputs' windings swing a fifth above it at least."""


class End(Struct, frozen=True):
    """An end of the primary at the highest bus: its mean over the negative pole and its rms about that, and the rms of the outputs' winding
    ends about theirs that swing against it [V]."""

    mean: float
    swing: float
    other: float


class Across(Struct, frozen=True):
    """What stands across the barrier at the highest bus [V]; series: share of what a rectifier blocks that adds to the switch's peak, none
    where the outputs' ends swing up with the switch."""

    bus: float
    series: float
    ends: Sequence[End]


def record(work: Work, across: Across) -> Row:
    """Row of the working voltage: of the end of the primary that lies farthest from the outputs."""
    mains = work.need.mains
    work.sheet.given("insulation.series", across.series, "", "rule", "share of what a rectifier blocks that adds to the switch's peak")
    form, against = ((insulation.working_dc, {}) if work.need.is_dc
                     else (insulation.working_three, {"bus": across.bus}) if mains.kind == "ac3"
                     else (insulation.working_mains, {"crest": float(np.sqrt(2) * mains.v_max)}))
    volts = [float(form(e.mean, e.swing, e.other, *against.values())) for e in across.ends]
    found, least = max(volts), mains.v_max if mains.kind == "ac1" else 0.0
    far = across.ends[volts.index(found)]
    if found < least:
        return work.sheet.given("insulation.v_working", least, "V", "rule", f"no less than the mains; the winding has {show(found, 'V')}")
    return work.sheet("insulation.v_working", form, mean=far.mean, swing=far.swing, other=far.other, **against)


def judge(work: Work) -> None:
    """A look at triple-insulated wire whose working voltage goes beyond what it is usually made for: the switch's peak with what a
    rectifier blocks, or the bus with it where both rise together."""
    rows = work.sheet.rows
    if "insulation.school" not in rows or rows["insulation.school"].value != "triple" or work.need.insulation == "functional":
        return
    top, node = (float(np.max(rows[id].value)) for id in ("bus.v", "switch.v_peak"))
    blocked = max(float(np.max(rows[id].value)) for n in range(1, 7) if (id := f"rectifier{n}.v_reverse") in rows)
    series = float(rows["insulation.series"].value)
    peak = node + series * blocked if series else max(node, top + blocked)
    if peak > TRIPLE:
        work.find(LOOK_AT, "transformer", f"up to {show(peak, 'V')} may stand between ends of the primary and of the outputs; "
                  f"triple-insulated wire is usually made for some {show(TRIPLE, 'V')} peak (from memory): a wire for more, or margins",
                  "insulation.v_working", "insulation.school")
