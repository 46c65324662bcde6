"""From a reading of inductance to the gap that is wanted: grind the centre post, or put a spacer under all legs.

A spacer opens the centre gap and the outer legs alike, so its gap counts twice; and every gap spreads its field,
the wider it is the more, so its reluctance grows slower than its length. Readings correct both the length of the
gap and its spread: the most likely pair, given how well either is known beforehand.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas.magnetics import MU0, fringing_factor
from rhevectra.core.magnetics.effective import leg_area
from rhevectra.core.magnetics.windows import legs_called

READING_ERROR, GAP_ERROR, SPREAD_ERROR = 0.005, 30e-6, 0.10
"""How well a reading of inductance, the length of a gap [m] and the formula of its spread are known beforehand (common practice, no
source)."""
GAP_MOST = 8e-3


class GappedCore(Struct, frozen=True):
    """A core set with turns: area of the centre post, of each outer leg, effective area [m²], effective length [m], permeability, height of
    the window along the post [m], turns; what its post is called."""

    area_post: float
    area_leg: float
    area: float
    length: float
    mu: float
    window: float
    turns: float
    post: str = "centre post"


class Reading(Struct, frozen=True):
    """One state of the core and what was read: gap ground into the centre post, spacer under all legs [m], inductance [H]."""

    gap: float
    spacer: float
    inductance: float


class Fitted(Struct, frozen=True):
    """What the readings say: how much longer the centre gap is than was told [m], share of the formula's spread, and how far each reading
    is from it."""

    longer: float
    spread: float
    residuals: tuple[float, ...]


class Advice(Struct, frozen=True):
    """Two ways to an inductance: to grind off the centre post [m], or to put under all legs [m] (less than nothing: to take out; None: not
    by that way); the spacer an estimate without spread of the field would give, and what to expect after half of either step [H]."""

    grind: float | None
    spacer: float | None
    naive: float
    half_grind: float | None
    half_spacer: float | None


def inductance(core: GappedCore, gap: Array | float, spacer: Array | float, spread: float = 1.0) -> Array:
    """Inductance [H] with a centre gap and a spacer under all legs [m] (arrays broadcast). Source: reluctances in series, each gap with its
    fringing factor."""
    middle = np.maximum(np.asarray(gap, dtype=float) + spacer, 0.0)
    under = np.maximum(np.asarray(spacer, dtype=float), 0.0)

    def wider(length: Array, area: float) -> Array:
        return 1 + spread * (fringing_factor(length, area, core.window) - 1)
    reluctance = core.length / (MU0 * core.mu * core.area) + middle / (MU0 * core.area_post * wider(middle, core.area_post)) + under / (
        MU0 * 2 * core.area_leg * wider(under, core.area_leg))
    return np.asarray(core.turns**2 / reluctance)


def fit(core: GappedCore, readings: Sequence[Reading]) -> Fitted:
    """The most likely length and spread of the gap for one reading or more. Raises InputError where a reading is not possible with this
    core."""
    from scipy.optimize import least_squares

    bare = float(inductance(core, 0.0, 0.0))
    for r in readings:
        if not 0 < r.inductance < 1.25 * bare or r.gap < 0 or r.spacer < 0 or r.gap + r.spacer > GAP_MOST:
            raise InputError("gap", f"{show(r.inductance, 'H', 4)} with a gap of {show(r.gap, 'm', 3)} and a spacer of "
                             f"{show(r.spacer, 'm', 3)} is not possible on this core",
                             f"up to {show(bare, 'H', 3)} without a gap, and gaps up to {show(GAP_MOST, 'm')}")
    gaps, spacers, read = (np.array([getattr(r, n) for r in readings]) for n in ("gap", "spacer", "inductance"))

    def off(x: Array) -> Array:
        made = inductance(core, gaps + x[0] * GAP_ERROR, spacers, 1 + x[1] * SPREAD_ERROR)
        return np.concatenate([np.log(made / read) / READING_ERROR, x])
    found = least_squares(off, np.zeros(2)).x
    longer, spread = float(found[0] * GAP_ERROR), float(1 + found[1] * SPREAD_ERROR)
    made = inductance(core, gaps + longer, spacers, spread)
    return Fitted(longer, spread, tuple(float(x) for x in made / read - 1))


def advise(core: GappedCore, readings: Sequence[Reading], target: float) -> Advice:
    """Both ways from the last reading to a target [H]. Raises InputError where target or readings are not possible."""
    if not target > 0:
        raise InputError("gap", f"a target of {show(target, 'H', 4)} is not possible", "a positive inductance")
    found, now = fit(core, readings), readings[-1]

    def step(grind: bool) -> tuple[float | None, float | None]:
        steps = np.linspace(0.0 if grind else -now.spacer, GAP_MOST, 40001)
        made = (inductance(core, now.gap + found.longer + (steps if grind else 0.0), now.spacer + (0.0 if grind else steps), found.spread)
                * now.inductance / float(inductance(core, now.gap + found.longer, now.spacer, found.spread)))
        if not made[-1] <= target <= made[0]:
            return None, None
        here = float(np.interp(-target, -made, steps))
        return here, float(np.interp(here / 2, steps, made))
    grind, half_grind = step(True)
    spacer, half_spacer = step(False)
    flat = MU0 * core.area * core.turns**2 * (1 / target - 1 / now.inductance)
    return Advice(grind, spacer, float(flat / 2), half_grind, half_spacer)


def gapped_core(design: Any) -> GappedCore:
    """The core of a design with its primary turns."""
    plan = design.context["plan"]
    core, eff = plan.choice.core, plan.window.effective
    row = design.catalogue["cores"].row(plan.window.names[core])
    return GappedCore(float(eff.area_post[core]), leg_area(row), float(eff.area[core]), float(eff.length[core]),
                      float(design.catalogue["materials"].row(design.value("transformer.material"))["mu_initial"]),
                      float(plan.window.window[core]), float(design.value("transformer.np")), legs_called(row)[0])
