"""The voltage that stands across the insulation: what the ends of the primary do against an earthed output."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import insulation
from rhevectra.core.stages.work import FigureSpec, Work

FIGURE = FigureSpec("insulation.v_working", "Working voltage of the insulation, rms", "V_w", "transformer", corners.FULL,
                    fixed="spikes; which end lies beside which: those farthest apart are taken; a neutral away from earth",
                    sentence="between the end of the primary that swings and an earthed output, whose own ends swing against it")


class End(Struct, frozen=True):
    """An end of the primary at the highest bus: its mean over the negative pole and its rms about that, and the rms of the outputs' winding
    ends about theirs that swing against it [V]."""

    mean: float
    swing: float
    other: float


def record(work: Work, bus: float, ends: Sequence[End]) -> Row:
    """Row of the working voltage: of the end of the primary that lies farthest from the outputs; bus: the highest [V]."""
    mains = work.need.mains
    form, against = ((insulation.working_dc, {}) if work.need.is_dc else (insulation.working_three, {"bus": bus}) if mains.kind == "ac3"
                     else (insulation.working_mains, {"crest": float(np.sqrt(2) * mains.v_max)}))
    far = max(ends, key=lambda e: float(form(e.mean, e.swing, e.other, *against.values())))
    found, least = float(form(far.mean, far.swing, far.other, *against.values())), mains.v_max if mains.kind == "ac1" else 0.0
    if found < least:
        return work.sheet.given("insulation.v_working", least, "V", "rule", f"no less than the mains; the winding has {show(found, 'V')}")
    return work.sheet("insulation.v_working", form, mean=far.mean, swing=far.swing, other=far.other, **against)
