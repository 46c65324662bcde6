"""Ampere-turns across the winding window at any instant: what each winding carries, and what lies between a place and the outer leg."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.magnetics.need import TransformerNeed
from rhevectra.core.magnetics.transformer import balanced

INSTANTS = 361
RESTS = 0.1
"""Share of its peak below which a current rests."""


class AmpereTurns(Struct, frozen=True):
    """Instants over a period [s]; ampere-turns of every winding (windings, instants) [A]; of all blocks outside each face of the stack
    (blocks + 1, instants) [A]: the first at the post, the last at the outer leg, where it is none."""

    t: Array
    windings: Array
    faces: Array

    def rms(self) -> Array:
        """Root mean square over the period of what changes at each face [A]: what heats; the mean drives no eddies."""
        moving = self.faces[:, :-1] - self.faces[:, :-1].mean(-1, keepdims=True)
        return np.asarray(np.sqrt(np.mean(np.square(moving), axis=-1)))

    def apart(self, count: int) -> list[int]:
        """Numbers of instants whose profiles differ most from one another, the largest first: each next one is the farthest from those
        before."""
        chosen = [int(np.abs(self.faces).max(0).argmax())]
        while len(chosen) < count:
            far = np.min([np.square(self.faces - self.faces[:, k : k + 1]).sum(0) for k in chosen], axis=0)
            chosen.append(int(far.argmax()))
        return sorted(chosen)


def waveform(average: float, harmonics: Array, angle: Array) -> Array:
    """A current [A] at angles of its period from its harmonics [A peak]; its mean has the sign with which the current rests at zero, as
    rectified currents do."""
    moving = np.real(np.exp(1j * np.multiply.outer(angle, np.arange(1, len(harmonics) + 1))) @ harmonics)
    ways = [moving + sign * abs(average) for sign in (1.0, -1.0)]
    return max(ways, key=lambda i: int((np.abs(i) < RESTS * np.abs(i).max()).sum()))


def ampere_turns(need: TransformerNeed, turns: Sequence[float]) -> AmpereTurns:
    """Ampere-turns of a stack over one period of the currents its core was chosen with. turns: of every winding as wound."""
    angle = np.linspace(0.0, 2 * np.pi, INSTANTS)
    flows = balanced(need, turns)
    means = [0.0 if k == 0 and need.halves == 2 else w.i_avg
             for k, w in enumerate(need.windings)]  # the halves of a tapped primary magnetise in turn, both ways
    each = np.stack([n * waveform(mean, h, angle) for n, mean, h in zip(turns, means, flows, strict=True)])
    blocks = np.stack([np.zeros(INSTANTS) if b.shield else b.share * each[b.winding] for b in need.stack])
    outside = np.cumsum(blocks[::-1], axis=0)[::-1]
    return AmpereTurns(angle / (2 * np.pi * need.fs), each, np.concatenate([outside, np.zeros((1, INSTANTS))]))
