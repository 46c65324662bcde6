"""A recorded drain: peak, plateau and fitted ring marked, the design's own waveform behind."""

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.stages.drain_trace import DrainTrace
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture

POINTS = 4000
"""Points of a record that are drawn: of more, the least and the greatest of each stretch."""


def trace_picture(read: DrainTrace, own: tuple[Array, Array] | None, width: float, height: float) -> Picture:
    """The whole record above, the turn-off closely below."""
    picture = Picture(width, height, "the record, with what was read from it; pale: the design's exact waveform at the nearest corner")
    top = 1.1 * max(read.peak, float(own[1].max()) if own else 0.0)
    low = float(read.v.min()) if read.v.min() < -0.05 * top else 0.0
    spans = ((float(read.t[0]), float(read.t[-1])), _close(read))
    for k, (start, end) in enumerate(spans):
        each = (height - 16) / 2
        frame = Frame(picture, LEFT + 2, 1 + k * (each + 8), width - LEFT - RIGHT - 2, each - 4, (start, end), (low, top),
                      "drain voltage" if k == 0 else "turn-off", "V")
        if own is not None:
            shown = (own[0] >= start) & (own[0] <= end)
            frame.pale(own[0][shown], own[1][shown])
        inside = (read.t >= start) & (read.t <= end)
        frame.trace("record", *_drawn(read.t[inside], read.v[inside]), "primary", 0.35)
        if k == 1:
            frame.beside(*read.fitted, "accent", 0.4, True)
            frame.level(read.peak, f"peak {show(read.peak, 'V', 3)}", "over")
            frame.level(read.plateau, f"plateau {show(read.plateau, 'V', 3)}", "ink")
        frame.close()
    picture.text(LEFT + 2, height - 1.5,
                 "dashed: the fitted ring" + ("; pale: the design's own waveform, exact" if own is not None else ""), "muted", "left", 3.0)
    return picture


def _close(read: DrainTrace) -> tuple[float, float]:
    """From before the turn-off to the end of the fitted ring."""
    end = float(read.fitted[0][-1])
    return max(-0.15 * end, float(read.t[0])), min(1.15 * end, float(read.t[-1]))


def _drawn(t: Array, v: Array) -> tuple[Array, Array]:
    """Few enough points that keep every extreme."""
    if len(t) <= POINTS:
        return t, v
    n = POINTS // 2
    size = len(t) // n
    stretches = v[: n * size].reshape(n, size)
    places = np.sort(np.concatenate([stretches.argmin(1), stretches.argmax(1)]) + np.tile(np.arange(n) * size, 2))
    return t[places], v[places]
