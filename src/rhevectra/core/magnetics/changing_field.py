"""How fast the field changes in the strands of each winding, for the core search: that of all windings block by block, what the gap adds,
and how much of both gets into strands that are no longer thin."""

from collections.abc import Sequence
from functools import cache
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import copper
from rhevectra.core.magnetics import fringing
from rhevectra.core.magnetics.need import TransformerNeed, balanced, relative, wound
from rhevectra.core.magnetics.winding import Laid
from rhevectra.core.magnetics.windows import Windows

DIAMETERS = np.geomspace(0.02e-3, 8e-3, 240)
"""Diameters of a strand [m] at which it is worked out how much of a field gets in."""


@cache
def _of_cylinder() -> tuple[Array, Array]:
    """Diameters in skin depths, and what the exact eddy loss of a cylinder in an even field is there of that of a thin one."""
    deep = np.linspace(0.02, 60.0, 3000)
    thin = np.pi * (2 * np.pi * copper.MU0) ** 2 * deep**4 / (128 * np.pi * copper.MU0)
    return deep, copper.cylinder_loss(1.0, deep, np.pi * copper.MU0, 1.0) / thin


class Change(Struct, frozen=True):
    """Mean square of dB/dt as far as strands let it in. rates: of d(ampere-turns)/dt over each winding for one turn of the regulated
    winding [A²/s²]; own: share of it that gets into strands of DIAMETERS, by winding; gap: the same of what the gap adds; whole: of tracks,
    whose loss is told for one that is thin, as that of a foil is."""

    rates: list[float]
    own: list[Array]
    gap: Array
    whole: bool

    def felt(self, k: int, laid: Laid, scale: Any, near: Any) -> Any:
        """In a winding laid so [T²/s²]. scale: (µ₀·turns/path)² [T²/A²]; near: what the gap adds [T²/s²]."""
        if self.whole:
            return self.rates[k] * scale + near
        own, gap = (np.where(laid.foil, 1.0, np.interp(laid.diameter, DIAMETERS, x)) for x in (self.own[k], self.gap))
        return self.rates[k] * scale * own + near * gap


def change(need: TransformerNeed, rho: float) -> Change:
    """How the field of all windings changes, and what strands of a resistivity [Ωm] let in of it."""
    omega = _omega(need)
    left = np.interp(DIAMETERS[:, None] / copper.skin_depth(rho, omega / (2 * np.pi)), *_of_cylinder())
    net = np.square(omega * np.abs(sum(n * w.harmonics for n, w in zip(relative(need), need.windings, strict=True))))
    rates = field_rates(need)
    own, gap = ([left @ x / max(float(x.sum()), 1e-300) for x in rates], left @ net / max(float(net.sum()), 1e-300))
    return Change([float(x.sum()) for x in rates], own, gap, need.board is not None)


def _omega(need: TransformerNeed) -> Array:
    """Angular frequencies of the harmonics [rad/s]."""
    return 2 * np.pi * need.fs * np.arange(1, len(need.windings[0].harmonics) + 1)


def field_rates(need: TransformerNeed) -> list[Array]:
    """Mean square of d(ampere-turns)/dt over each winding for one turn of the regulated winding, by harmonics (orders,) [A²/s²].

    The gap is in the centre post: the field is zero at the outer leg and grows inwards, block by block. Of chambers it is zero at both ends
    of the post, and the gap under the wall takes what does not cancel.
    """
    omega = _omega(need)
    rates, per_turn = [np.zeros(len(omega)) for _ in need.windings], relative(need)
    flows = balanced(need, per_turn)
    outside, under = np.zeros(len(omega), dtype=complex), need.gap_under
    net = sum(n * h for n, h in zip(per_turn, flows, strict=True)) if under is not None else 0.0
    for k, block in reversed(list(enumerate(need.stack))):
        if block.shield:
            continue
        w, part = block.winding, block.share
        inside = outside + part * per_turn[w] * flows[w]
        mean = (np.abs(outside) ** 2 + np.abs(inside) ** 2 + (outside * np.conj(inside)).real) / 3
        rates[w] += part * omega**2 * mean / 2
        outside = inside - net if k == under else inside
    return rates


def gap_rates(need: TransformerNeed, win: Windows, turns: list[Array], gap: Array, depths: Sequence[Any]) -> list[Any]:
    """What the gap adds to the mean square of dB/dt in each winding [T²/s²]; depths: of the middle of each block above the bobbin's floor
    [m]. Chambers and boards, which lie along the post: the mean of the room across the window."""
    added: list[Any] = [0.0] * len(turns)
    if need.lp is None:
        return added
    real = wound(need, turns)
    omega = _omega(need)
    net = sum(np.asarray(n)[..., None] * w.harmonics for n, w in zip(real, need.windings, strict=True))
    drive = 0.5 * (omega**2 * np.abs(net) ** 2).sum(-1) * copper.MU0**2
    along = need.wall is not None or need.board is not None
    x = (win.wall[:, None]
         + (np.multiply.outer((np.arange(4) + 0.5) / 4, win.width)[..., None] if along else np.stack(np.broadcast_arrays(*depths))))
    uneven = drive * fringing.unevenness(np.maximum(gap, 1e-6), win.window[:, None], win.across[:, None], x)
    if along:
        uneven = np.broadcast_to(uneven.mean(0), (len(need.stack), *gap.shape))
    for block, each in zip(need.stack, uneven, strict=True):
        if not block.shield:
            added[block.winding] = added[block.winding] + block.share * each
    return added
