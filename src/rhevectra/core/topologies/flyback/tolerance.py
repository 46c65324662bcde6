"""What the tolerance of the inductance does to the peak current in run."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.sheet import plain


@dataclass(frozen=True)
class Peaks:
    """Peak current in run [A] at the corner where it is greatest with the least inductance: as ordered, with the least and the greatest inductance; the least current limit [A]."""

    corner: Corner
    ordered: float
    least: float
    greatest: float
    limit: float


def peak_with(i_one: Array, i_end: Array, share: float) -> Array:
    """Peak current [A] with the inductance times `share`, at the same power, duty and frequency: mean and half ripple where the current does not rest, the same energy in each period where it does. i_one, i_end: at turn-off and before turn-on [A]."""
    mean, half = 0.5 * (i_one + i_end), 0.5 * (i_one - i_end) / share
    return np.asarray(np.where(mean > half, mean + half, np.sqrt((i_one**2 - i_end**2) / share)))


def peaks(design: Any, tolerance: float) -> Peaks | None:
    """Of a flyback whose inductance is made to a tolerance; None of other stages and of those whose frequency follows it."""
    o = design.context.get("o", {})
    if not {"i_one", "i_end"} <= set(o) or "switch.i_peak_run" not in design.rows or "qr.f_max" in design.rows:
        return None
    shape = design.grid.shape
    one, end = (np.broadcast_to(plain(o[k]), shape) for k in ("i_one", "i_end"))
    low = np.where(corners.LOADED.mask(design.grid), peak_with(one, end, 1 - tolerance), -np.inf)
    index = tuple(int(i) for i in np.unravel_index(int(low.argmax()), shape))
    return Peaks(design.grid.corner(index), float(one[index]), float(low[index]), float(peak_with(one, end, 1 + tolerance)[index]), float(np.max(design.rows["switch.limit_min"].value)))
