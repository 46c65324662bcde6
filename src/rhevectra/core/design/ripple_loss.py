"""The same supply with other ripple ratios, each designed anew: what the wound part that carries the ripple loses, and what becomes of the
whole."""

from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.candidate import exact_copper, resistance_loss
from rhevectra.core.topologies import TOPOLOGIES

RATIOS = (0.1, 0.2, 0.3, 0.45, 0.6, 0.8, 1.0, 1.3, 1.6, 2.0)
CHOICES = {"flyback.ripple_ratio": "flyback.ripple_ratio", "filter1.ripple_ratio": "filter1.l"}
"""The decision that sets the ripple, and the one that would hold it if it were pinned."""
LOSSES = ("resistance", "eddies", "core")
"""What the wound part loses: resistance of its copper, eddies in it, core."""


class RippleLoss(Struct, frozen=True):
    """ratio: rising; part: in words, what carries the ripple; losses: of that part (kind, ratio) [W]; total: of the whole supply [W]; core,
    feasible and why not; present: the ratio of the design."""

    ratio: Array
    part: str
    losses: Array
    total: Array
    core: tuple[str, ...]
    feasible: Array
    why: tuple[str, ...]
    present: float

    @property
    def sentence(self) -> str:
        """Where the whole loses least among what can be built, and what the present choice gives away."""
        here = int(np.abs(self.ratio - self.present).argmin())
        if not self.feasible.any():
            return "none of these can be built with the other decisions as they are"
        best = int(np.where(self.feasible, self.total, np.inf).argmin())
        now = f"{self.ratio[here]:.2g} loses {show(float(self.total[here]), 'W', 3)} on {self.core[here]}"
        if best == here:
            return f"{now}: the least of these"
        return f"{now}; {self.ratio[best]:.2g} would lose {show(float(self.total[best]), 'W', 3)} on {self.core[best]}"


def decision_of(design: Design) -> str:
    """The decision that sets the ripple of a design."""
    return next(id for id in CHOICES if id in design.rows)


def ripple_steps(design: Design, _corner: Corner) -> Iterator[tuple[int, int, RippleLoss | None]]:
    """Steps of (done, total, None) and last the whole: every ratio with the other decisions as they are pinned."""
    id = decision_of(design)
    present = float(design.rows[id].value)
    spec = next(s for s in TOPOLOGIES[design.topology].DECISIONS if s.id == id)
    ratios = sorted({present, *(r for r in RATIOS if (spec.low or 0.0) <= r <= (spec.high or np.inf))})
    pins = {k: v for k, v in design.pins.items() if k not in (id, CHOICES[id])} | {"topology": design.topology}
    made: list[Design] = []
    for k, r in enumerate(ratios):
        made.append(size(design.requirement, pins | {id: r}, None, design.catalogue))
        yield k + 1, len(ratios) + 1, None
    yield len(ratios) + 1, len(ratios) + 1, RippleLoss(
        np.array(ratios), "transformer" if id == "flyback.ripple_ratio" else "filter inductor", np.array([losses(d) for d in made]).T,
        np.array([d.most("loss.total") for d in made]), tuple(core_of(d) for d in made),
        np.array([d.feasible for d in made]), tuple(d.fault for d in made), present)


def core_of(design: Design) -> str:
    """Name of the core that carries the ripple."""
    return str(design.rows["filter1.core" if "filter1.core" in design.rows else "transformer.core"].value)


def losses(design: Design) -> tuple[float, float, float]:
    """Losses [W] of the part that carries the ripple, each at its worst full-load corner. Of a transformer the copper is parted as at the
    corner it was chosen for."""
    if "filter1.core" in design.rows:
        return design.most("filter1.loss_resistance"), design.most("filter1.loss_eddy"), design.most("filter1.loss_core")
    plan = design.context["plan"]
    at, trial = (plan.choice.core, plan.choice.candidate), plan.choice.trial
    hot = plan.need.ambient + float(trial.rise[at])
    share = sum(resistance_loss(plan.need, trial, at, hot)) / sum(exact_copper(plan.need, trial, at, plan.window, hot)[0])
    copper = design.most("transformer.loss_copper")
    return copper * share, copper * (1 - share), design.most("transformer.loss_core")
