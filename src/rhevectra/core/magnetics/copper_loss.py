"""Copper loss of a stack of winding sections in a gapped core, from the harmonics of all currents.

The gap is in the centre post, so the field is zero at the outer leg and grows section by section
towards the post. Each section meets the field of every section outside it, whether it conducts at
that moment or not: in a flyback the windings do not conduct together, and a secondary inside half the
primary is heated by the primary's ripple too. One dimension; end effects are left out.
"""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.copper import layer_stack_loss
from rhevectra.core.magnetics.arrangement import SHIELD, SHIELD_FOIL
from rhevectra.core.magnetics.winding import Laid


class Section(Struct, frozen=True):
    """One block of the stack, from the post outwards: winding number (SHIELD: a foil), share of its turns, layers, mean depth [m], wire
    (None of a shield)."""

    winding: int
    share: float
    layers: Any
    depth: Any
    laid: Laid | None

    @property
    def shield(self) -> bool:
        return self.winding == SHIELD


def phasors(times: Array, currents: Array, period: float, orders: int, samples: int = 1024) -> tuple[float, Array]:
    """Average and complex peak harmonics 1..orders of a piecewise-linear periodic current."""
    t = np.arange(samples) * (period / samples)
    spectrum = np.fft.rfft(np.interp(t, times, currents)) / samples
    return float(spectrum[0].real), 2 * spectrum[1 : orders + 1]


def half_later(harmonics: Array) -> Array:
    """The same current half a period later, in a winding that lies the other way round: the other half of a tap. Odd orders magnetise
    alike, even ones against each other."""
    return np.asarray(harmonics * (-1.0) ** np.arange(len(harmonics)))


def stack_loss(sections: list[Section], turns: list[Any], averages: list[Any], harmonics: list[Array], fs: float,
               width: Any, turn_length: Any, rho: Any) -> list[Any]:
    """Loss [W] of each winding. width, rho: arrays of the candidates' shape (or scalars); turn_length: depth -> length [m].

    averages [A] and harmonics (orders,) [A peak] per winding; turns per winding (candidates' shape).
    What a shield burns is counted with the first winding, whose field it is in.
    """
    orders = np.arange(1, len(harmonics[0]) + 1)
    shape = np.shape(np.asarray(width) * np.asarray(turns[0]))
    losses: list[Any] = [0.0] * len(turns)
    for w in range(len(turns)):
        own = [s for s in sections if s.winding == w]
        length = sum(s.share * turn_length(s.depth) for s in own)
        losses[w] = averages[w] ** 2 * rho * turns[w] * length / next(s.laid.copper for s in own if s.laid)
    field = np.zeros((*shape, len(orders)), dtype=complex)
    column = np.asarray(width)[..., None]
    for section in reversed(sections):
        w, laid = section.winding, section.laid
        if laid is None:
            eddy = layer_stack_loss(field, field, 1.0, SHIELD_FOIL, np.asarray(rho)[..., None], fs * orders, 1.0).sum(-1)
            losses[0] = losses[0] + eddy * width * turn_length(section.depth)
            continue
        high = field + section.share * np.asarray(turns[w])[..., None] * harmonics[w] / column
        sub = section.layers * laid.deep
        thickness = laid.diameter * np.where(laid.foil, 1.0, np.sqrt(np.pi) / 2)
        cover = np.where(laid.foil, laid.copper / laid.diameter / laid.strands * section.share * turns[w] / section.layers,
                         thickness * section.share * turns[w] * laid.strands / np.maximum(sub, 1e-9))
        porosity = np.minimum(cover / width, 1.0)
        per_area = layer_stack_loss(field, high, np.asarray(sub)[..., None], np.asarray(thickness)[..., None], np.asarray(rho)[..., None],
                                    fs * orders, np.asarray(porosity)[..., None]).sum(-1)
        losses[w] = losses[w] + per_area * width * turn_length(section.depth)
        field = high
    return losses
