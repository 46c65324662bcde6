"""The wire of an inductor: strands by what its resistance and the eddies of its ripple lose together.

An inductor's winding lies in the field of its own current: the even field of a winding between the post and the outer
leg, which grows from nothing to N·i along the window's width, and the field of the gap beside it. Strands that are
thin against the skin depth lose by the square of their diameter there; thicker ones are not offered.
"""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import copper, inductor
from rhevectra.core.magnetics import fringing
from rhevectra.core.magnetics.windows import Windows

STRANDS_MM = np.array([0.1, 0.14, 0.2, 0.25, 0.315, 0.4, 0.5, 0.71, 0.8, 1.0, 1.12, 1.25, 1.4, 1.6, 1.8, 2.0])
"""Strands a bundle may be made of [mm]."""
DEPTHS = 2.0
"""Strands are at most so many skin depths thick."""
EASIER = 1.05
"""The thickest strand whose loss is within this of the least is taken: few thick ones are the easier wire."""
SINGLE = 0.85
"""Share of a single strand's copper from which it is offered: a turn has no less than one."""
ENAMEL_FULL = 0.5
"""Strands [mm] from which the share of copper in a winding is the usual one; thinner ones have more enamel."""
_DEPTH_POINTS = (np.arange(4) + 0.5) / 4


def _copper_share(d_mm: Any) -> Any:
    """Copper in a bundle of thin strands over that of thick ones (grade 2 enamel of IEC 60317-0-1, fitted to the catalogue's diameters)."""
    def filled(d: Any) -> Any:
        return np.square(d / (d + 0.091 * d**0.47))
    return np.minimum(filled(np.asarray(d_mm)) / filled(ENAMEL_FULL), 1.0)


class Strands(Struct, frozen=True):
    """The wire of each candidate (arrays of one shape): strand diameter [m], copper of one turn [m²], resistance [Ω], eddy loss over the
    mean square of di/dt [Ωs²]."""

    diameter: Array
    copper: Array
    resistance: Array
    eddy: Array

    def loss(self, i_rms: Any, rate: Any) -> Any:
        """Copper loss [W] of an rms current [A] whose mean square of di/dt is `rate` [A²/s²]."""
        return self.resistance * np.square(i_rms) + self.eddy * rate


def gapped_field(turns: Any, gap: Any, win: Windows, deep: Any) -> Any:
    """Mean square of the field in the winding for one ampere [T²/A²]: its even part and the gap's; deep: height of the winding above the
    bobbin [m], one entry per core.

    Source: field energy in one dimension, and the series of `fringing.unevenness`; checked in the tests by finite elements.
    """
    even = 1 / (3 * np.square(win.width))
    x = (win.wall + np.multiply.outer(_DEPTH_POINTS, deep)).clip(0.0, win.across)
    near = fringing.unevenness(np.maximum(gap, 1e-6), win.window, win.across, x).mean(0)
    return np.square(copper.MU0 * turns) * (even + near)


def choose_strands(room: Any, most: Any, turns: Any, mean_turn: Any, field2: Any, rho: float, i_rms: Any, rate: Any,
                   frequency: float) -> Strands:
    """The wire of least copper loss of every candidate, thick strands preferred.

    room: copper of a turn that the window holds with thick strands [m²]; most: copper [m²] beyond which more is a waste; rate: mean square
    of di/dt [A²/s²]; frequency [Hz].
    """
    depth = float(copper.skin_depth(rho, max(frequency, 50.0))) * 1e3
    d_mm = STRANDS_MM[DEPTHS * depth >= STRANDS_MM][::-1] if depth * DEPTHS >= STRANDS_MM[0] else STRANDS_MM[:1]
    d = d_mm * 1e-3
    area = np.minimum(np.asarray(room)[..., None] * _copper_share(d_mm), np.asarray(most)[..., None])
    tail = lambda x: np.asarray(x)[..., None]  # noqa: E731
    resistance = inductor.winding_resistance(rho, tail(turns), tail(mean_turn), area)
    eddy = inductor.eddy_factor(tail(turns), tail(mean_turn), area, d, tail(field2), rho)
    thick = area < SINGLE * np.pi / 4 * d**2
    thick[..., -1] = False
    loss = np.where(thick, np.inf, resistance * np.square(tail(i_rms)) + eddy * tail(rate))
    first = (loss <= EASIER * loss.min(-1, keepdims=True)).argmax(-1)[..., None]
    take = lambda x: np.take_along_axis(x, first, -1)[..., 0]  # noqa: E731
    return Strands(d[first[..., 0]], take(area), take(resistance), take(eddy))
