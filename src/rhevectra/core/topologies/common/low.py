"""How fast a supply runs by rule that has to be low: its transformer has to give its power from the largest core under the lid."""

import numpy as np

from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.magnetics.windows import windows

BOTH_WAYS, ONE_WAY, RESONANT, MOST = 6e-3, 12e-3, 3e-3, 300e3
"""Frequency over the power that each volume gives [Hz·m³/W], of stages whose transformer hands it on at once, of those that store it and of
resonant ones; highest frequency the rule goes to [Hz] (by this program's own designs of 20 to 300 W under 10 to 20 mm: half to twice)."""


def rate(need: Requirement, parts: Catalogue, each: float = BOTH_WAYS, count: int = 1) -> tuple[float, str]:
    """The frequency [Hz] at which `count` of the largest core that is low enough give the power, at most MOST, and the name of that core;
    nothing where height is not limited or no core is low enough."""
    if need.height_max is None:
        return 0.0, ""
    win = parts["cores"].derived(windows)
    low = win.searched(need.height_max) & (win.tall <= need.height_max)
    if not low.any():
        return 0.0, ""
    k = int(np.where(low, win.effective.volume, 0.0).argmax())
    return min(MOST, at_least(each * need.power / (count * float(win.effective.volume[k])), "E24")), win.names[k]


def usual(need: Requirement, parts: Catalogue, otherwise: tuple[float, str], each: float = BOTH_WAYS,
          count: int = 1) -> tuple[float, str]:
    """The frequency [Hz] by rule, and why. otherwise: where height does not ask for more; each [Hz·m³/W]; count: of transformers."""
    fs, core = rate(need, parts, each, count)
    if fs <= otherwise[0]:
        return otherwise
    least = "" if fs < MOST else ", if at all"
    return fs, (f"{core}, the largest core under {show(need.height_max or 0.0, 'm')}, gives {show(need.power, 'W')} at no less{least} "
                "(this program's own designs of low cores)")
