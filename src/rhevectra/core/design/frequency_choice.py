"""The same supply at other switching frequencies, each designed anew: what is lost where, and how large the cores are."""

from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.cost import magnetics_volume
from rhevectra.core.design.design import Design
from rhevectra.core.design.size import size

DECISION = "fs"
FREQUENCIES = (40e3, 50e3, 65e3, 80e3, 100e3, 130e3, 160e3, 200e3, 260e3)
"""What is tried beside the present one [Hz]."""
GROUPS = ("switches", "wound parts", "clamp, rings, bleed")
"""Losses that move with the frequency: conduction and edges of switches, whose class goes with it, too; what is left of the whole hardly
does."""


class FrequencyChoice(Struct, frozen=True):
    """frequency [Hz], rising; losses: by GROUPS [W], at the corner where the whole is worst; total [W]; volume of all cores [m³]; core of
    the transformer (or inductor); feasible and why not; present: the frequency of the design."""

    frequency: Array
    losses: Array
    total: Array
    volume: Array
    core: tuple[str, ...]
    feasible: Array
    why: tuple[str, ...]
    present: float

    @property
    def here(self) -> int:
        """Number of the present frequency."""
        return int(np.abs(self.frequency - self.present).argmin())

    @property
    def sentence(self) -> str:
        """What the present frequency loses in which cores, and what the quietest and the smallest that can be built would."""
        if not self.feasible.any():
            return "none of these can be built with the other decisions as they are"
        least, smallest = (int(np.where(self.feasible, values, np.inf).argmin()) for values in (self.total, self.volume))
        told = [f"now {self._told(self.here)}{', the least of these' if least == self.here else ''}"]
        told += [f"{what} {self._told(k)}" for k, what in ((least, "least loss:"), (smallest, "smallest cores:")) if k != self.here]
        return "; ".join(told)

    def _told(self, k: int) -> str:
        return (f"{show(float(self.frequency[k]), 'Hz')} with {show(float(self.total[k]), 'W')} lost and "
                f"{show(float(self.volume[k]), 'm³')} of cores")


def frequency_steps(design: Design, _corner: Corner) -> Iterator[tuple[int, int, FrequencyChoice | None]]:
    """Steps of (done, total, None) and last the whole: every frequency with the other decisions as they are pinned; the mains filter with
    its usual copper."""
    spec, present = design.decision_specs[DECISION], float(design.rows[DECISION].value)
    tried = sorted({present, *(f for f in FREQUENCIES if (spec.low or 0.0) <= f <= (spec.high or np.inf))})
    made: list[Design] = []
    for k, f in enumerate(tried):
        made.append(size(design.requirement, {**design.pins, "topology": design.topology, DECISION: f}, None, design.catalogue,
                         noise=False))
        yield k + 1, len(tried) + 1, None
    yield len(tried) + 1, len(tried) + 1, FrequencyChoice(
        np.array(tried), np.array([losses(d) for d in made]).T, np.array([d.most("loss.total") for d in made]),
        np.array([magnetics_volume(d) for d in made]), tuple(_core(d) for d in made),
        np.array([d.feasible for d in made]), tuple(d.fault for d in made), present)


def group_of(name: str) -> str:
    """Which of GROUPS a loss belongs to; empty where the frequency hardly moves it."""
    if "clamp" in name or name.endswith("_ring") or name.startswith("bleed"):
        return "clamp, rings, bleed"
    if name in ("core", "copper") or name.startswith(("filter", "tank_inductor", "switch_inductor")):
        return "wound parts"
    return "switches" if name.startswith("switch_") else ""


def losses(design: Design) -> tuple[float, ...]:
    """Losses [W] by GROUPS at the full-load corner where the whole loses most."""
    worst = design.figure("loss.total").corner
    assert worst is not None  # it differs from load to load
    return tuple(sum(float(row.at(worst.index)) for name, row in design.losses.items() if group_of(name) == group) for group in GROUPS)


def _core(design: Design) -> str:
    return str(design.rows["transformer.core" if "transformer.core" in design.rows else "filter1.core"].value)
