"""The open loop over frequency: gain and phase, new and old, with crossover and margins."""

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.preferred import between
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.formulas.loop import decades, margins
from rhevectra.core.topologies.common.loop import Loop
from rhevectra.core.topologies.common.signal import NEW, OLD
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture, Spot
from rhevectra.drawing.lines import write_under

COUNT, DECADES_BELOW = 160, 1.3
"""Frequencies of a curve; decades shown below the lowest crossover."""
FAINT = 3e-3
"""Gain below which nothing of a loop is shown."""
FOOT, GAP = 14.0, 4.5
"""Room [mm] for the sentence below, and between both frames."""
ENDS = (("new", "primary", 0.7, False), ("old", "secondary", 0.5, True))
STEPS, APART = (1, 2, 5), 8.0
"""Ticks of a decade, and how far apart their labels stand at least [mm]."""


def _place(loop: Loop, corner: Corner) -> tuple[int, str]:
    """Which judged corner a picture at a corner shows, and what it is called: its load where that is judged, the bus end that is nearer."""
    where = loop.signal.where
    line, freq, point, bus = corner.index
    k = int(np.argmin(np.abs(where.points - point))) if point in where.points else len(where.points) - 1
    high = bool(where.share[line, freq, int(where.points[k]), bus] > 0.5)
    return k + high * len(where.points), "greatest bus" if high else "least bus"


def _ticks(low: float, high: float) -> list[float]:
    """Round frequencies between two."""
    return [float(m * 10.0**d) for d in range(int(np.floor(np.log10(low))), int(np.ceil(np.log10(high))) + 1) for m in STEPS
            if low <= m * 10.0**d <= high]


def loop_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Heavy: coupler and capacitors new; dashed: both old; band: all judged corners, new and old; a click takes another crossover to aim
    at."""
    loop: Loop = design.context["loop"]
    only, bus = _place(loop, corner)
    load = design.grid.points[int(loop.signal.where.points[only % len(loop.signal.where.points)])].load
    picture = Picture(width, height, f"open loop at the {bus}, {load * 100:.0f} % load; heavy: coupler and capacitors new, dashed: old and "
                      "cold; band: all corners")
    f = np.geomspace(float(design.value("feedback.crossover_least")) / 10.0**DECADES_BELOW, loop.signal.fastest, COUNT)
    gains = [loop.open(f, end) for end in (NEW, OLD)]
    seen = max(int((np.abs(np.concatenate(gains, 1)).max(1) > FAINT).sum()), 2)  # a loop that has died away shows nothing
    f, x, gains = f[:seen], np.log10(f[:seen]), [g[:seen] for g in gains]
    size, phase = (np.array([one(g) for g in gains]) for one in (_decibels, _degrees))
    inner, high = width - LEFT - RIGHT, height - FOOT - GAP - 4
    span, ticks = (float(x[0]), float(x[-1])), _ticks(float(f[0]), float(f[-1]))
    above = Frame(picture, LEFT, 1, inner, 0.55 * high, span, (max(float(size.min()), -80.0), min(float(size.max()), 80.0)),
                  "gain of the open loop", "dB", x_unit="Hz, logarithmic", x_labels=False, x_ticks=list(np.log10(ticks)))
    below = Frame(picture, LEFT, above.top + above.height + GAP, inner, 0.45 * high, span, (max(float(phase.min()), -300.0), -60.0),
                  "phase", "°", x_unit="Hz, logarithmic", x_labels=False, x_ticks=list(np.log10(ticks)))
    for frame, values in ((above, size), (below, phase)):
        least, most = values.min((0, 2)), values.max((0, 2))
        picture.fill(
            [(frame.x(a), frame.y(float(np.clip(b, frame.y0, frame.y1))))
             for a, b in [*zip(x, least, strict=True), *zip(x[::-1], most[::-1], strict=True)]], "rule")
    _held(held, corner, (above, below), f, x)
    for end, (name, role, thick, dashed) in enumerate(ENDS):
        above.trace(f"gain, {name}", x, size[end][:, only], role, thick, dashed)
        below.trace(f"phase, {name}", x, phase[end][:, only], role, thick, dashed)
    picture.line([(above.left, above.y(0.0)), (above.left + above.width, above.y(0.0))], "muted", 0.3, True)
    below.level(-180.0, "half a turn", "over")
    _aims(picture, (above, below), design, f)
    _marks(picture, (above, below), f, [g[:, only] for g in gains])
    _labels(picture, below, ticks)
    above.close()
    below.close()
    _sentence(picture, design)
    return picture


def _decibels(gain: Array) -> Array:
    return 20 * decades(gain)


def _degrees(gain: Array) -> Array:
    return np.asarray(np.degrees(np.unwrap(np.angle(gain), axis=0)))


def _held(held: Design | None, corner: Corner, frames: tuple[Frame, Frame], f: Array, x: Array) -> None:
    """The new loop of the held design, pale."""
    if held is None or held.context.get("loop") is None or any(i >= n for i, n in zip(corner.index, held.grid.shape, strict=True)):
        return
    loop: Loop = held.context["loop"]
    near = f <= loop.signal.fastest
    gain = loop.open(f[near], NEW)[:, _place(loop, corner)[0]]
    frames[0].pale(x[near], _decibels(gain))
    frames[1].pale(x[near], _degrees(gain))


def _marks(picture: Picture, frames: tuple[Frame, Frame], f: Array, gains: list[Array]) -> None:
    """Where each curve crosses one, and what is left there to half a turn."""
    above, below = frames
    for k, (gain, (name, role, _, _)) in enumerate(zip(gains, ENDS, strict=True)):
        m = margins(f, gain[:, None])
        f_c, left = float(m.crossover[0]), float(m.phase[0])
        if not f[0] < f_c < f[-1]:
            continue
        at = above.x(float(np.log10(f_c)))
        picture.line([(at, above.y(0.0) - 2.5), (at, above.y(0.0) + 2.5)], "accent", 0.6)
        picture.line([(at, below.y(-180.0)), (at, below.y(float(np.clip(left - 180, below.y0, below.y1))))], "accent", 0.6)
        end = at > above.left + 0.72 * above.width
        picture.label(at + (-1.5 if end else 1.5), above.y(0.0) - 3.0 - 4.2 * k, f"{name}: {show(f_c, 'Hz')}, {left:.0f}° left", role,
                      "right" if end else "left")


def _labels(picture: Picture, frame: Frame, ticks: list[float]) -> None:
    """Frequencies below the lower frame."""
    last = -APART
    for f in ticks:
        at = frame.x(float(np.log10(f)))
        if at > frame.left + frame.width - 8 or at - last < APART:
            continue
        last = at
        picture.text(at, frame.top + frame.height + 4.0, f"{f / 1e3:g} k" if f >= 1e3 else f"{f:g}", "muted", "middle", 3.0)
    picture.text(frame.left + frame.width, frame.top + frame.height + 4.0, "Hz", "muted", "right", 3.0)


def _aims(picture: Picture, frames: tuple[Frame, Frame], design: Design, f: Array) -> None:
    """The aim as a dashed line, and the aims a click takes."""
    above, below = frames
    aim = float(design.rows["feedback.f_aim"].value)
    if f[0] < aim < f[-1]:
        at = above.x(float(np.log10(aim)))
        picture.line([(at, above.top), (at, below.top + below.height)], "muted", 0.25, True)
        end = at > above.left + 0.9 * above.width
        picture.label(at + (-1 if end else 1), above.top + 3.2, "aim", "muted", "right" if end else "left", 2.8)
    picture.decides = "feedback.f_aim"
    offers = [v for d in range(6) for v in between(10.0**d, 9.9 * 10.0**d, "E6") if f[0] < v < f[-1] and v >= 10.0]
    for k, value in enumerate(offers):
        ends = [above.x(0.5 * (np.log10(value) + np.log10(offers[j]))) if 0 <= j < len(offers) else above.x(float(np.log10(value)))
                for j in (k - 1, k + 1)]
        picture.spots.append(
            Spot(ends[0], above.top, ends[1] - ends[0], below.top + below.height - above.top, f"{value:g}",
                 f"takes {show(value, 'Hz')} as the highest crossover"))


def _sentence(picture: Picture, design: Design) -> None:
    """What the worst corner leaves, in words."""
    phase, gain, fast, slow = (design.figure(f"feedback.{k}") for k in ("phase_margin", "gain_margin", "crossover", "crossover_least"))
    assert phase.corner is not None
    text = (f"All corners cross between {show(slow.value, 'Hz')} (old) and {show(fast.value, 'Hz')} (new); least margins "
            f"{phase.value:.0f}° at {phase.corner.text()} and {gain.value:.0f} dB.")
    write_under(picture, text, picture.height - FOOT + 5, 3)
