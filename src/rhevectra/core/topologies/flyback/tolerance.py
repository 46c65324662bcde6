"""What the tolerances of inductance and rate do to the peak current in run."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Corner, pick
from rhevectra.core.basis.sheet import Quick, plain
from rhevectra.core.formulas import inductance
from rhevectra.core.stages import rate
from rhevectra.core.stages.work import Work

SEEN_SLOW = "transformer.lp_slow"
"""Row of the least inductance as the least rate sees it."""


class Peaks(Struct, frozen=True):
    """Peak current in run [A] at the corner where it is greatest with the least inductance, at the least rate: as ordered, with the least
    and the greatest inductance; the least current limit [A]."""

    corner: Corner
    ordered: float
    least: float
    greatest: float
    limit: float


def _peak(sheet: Any, turned: bool, **both: Any) -> Any:
    """Peak current with the least inductance, as a row or a bare number. both: inputs of the formulas; turned: the current may turn round
    and never rests."""
    flowing, resting = (
        sheet(f"switch.i_peak_{name}", function, **both)
        for name, function in (("flowing", inductance.peak_flowing), ("resting", inductance.peak_resting)))
    return sheet.either("switch.i_peak_least", turned | inductance.flows(*(plain(x) for x in both.values())), flowing, resting,
                        "whether the current comes to rest with the least inductance")


def peak_with(i_peak: Array, i_end: Array, share: float, turned: bool) -> Array:
    """Peak current [A] with the inductance times `share`. i_end: before turn-on [A]; turned: the current may turn round and never rests."""
    return np.asarray(_peak(Quick(), turned, i_peak=i_peak, i_end=i_end, lp=1.0, lp_min=share))


def record_peak(work: Work, i_end: Any, turned: bool) -> None:
    """The peak in run with the least inductance at the least rate."""
    rows = work.sheet.rows
    _peak(work.sheet, turned, i_peak=rows["switch.i_peak_run"], i_end=i_end, lp=rows["transformer.lp"], lp_min=rows[SEEN_SLOW])


def peaks(design: Any, tolerance: float) -> Peaks | None:
    """Of a flyback whose inductance is made to a tolerance; None of other stages and of those whose frequency follows it."""
    if "switch.i_peak_least" not in design.rows:
        return None
    shape, o = design.grid.shape, design.context["o"]
    peak, end = (np.broadcast_to(plain(x), shape) for x in (design.rows["switch.i_peak_run"], o["i_end"]))
    turned = design.context["stage"].variant.turned
    slow = 1 - float(design.rows[rate.ID].value)
    ordered, least, greatest = (peak_with(peak, end, share * slow, turned) for share in (1.0, 1 - tolerance, 1 + tolerance))
    index = tuple(int(i) for i in np.unravel_index(int(np.where(corners.LOADED.mask(design.grid), least, -np.inf).argmax()), shape))
    return Peaks(design.grid.corner(index), float(ordered[index]), float(least[index]), float(greatest[index]),
                 pick(design.rows["switch.limit_min"].value, index))
