"""Gain of a resonant tank over frequency: exact curves, the first harmonic beside them, border and working points."""

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture

NAMED = 42.0
"""Width [mm] that a working point with its frequency and gain takes."""


def _between(frame: Frame, ends: list[tuple[Array, Array]], across: tuple[float, float], up: tuple[float, float]) -> None:
    """What lies between the slowest and the fastest tank."""
    (slow, below), (fast, above) = ([x[(g <= up[1]) & (g >= up[0]) & (f >= across[0]) & (f <= across[1])] for x in (f, g)] for f, g in ends)
    points = [*zip(slow, below, strict=True), *reversed(list(zip(fast, above, strict=True)))]
    if len(points) > 2:
        frame.picture.fill([(frame.x(float(f) * 1e-3), frame.y(float(g))) for f, g in points], "rule")


def gain_curves(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Heavy: exact and lagging; thin: exact but capacitive; dashed: first harmonic; pale: the held design's exact curves."""
    view = TOPOLOGIES[design.topology].gain_view(design)
    picture = Picture(width, height, "at the lowest bus, constant output current; heavy: exact, the tank current lags; thin: capacitive; "
                      "dashed: first harmonic")
    low, high = (min(0.97 * view.border, *(c.frequency[0] for c in view.curves)),
                 max(*(c.frequency[-1] for c in view.curves), *(1.02 * f for _, f, _ in view.points)))
    wanted = max(p[2] for p in view.points)
    top = min(1.2 * view.gain_max, 2.0 * wanted)
    floor = 0.9 * min(*(float(c.exact.min()) for c in view.curves), *(gain for *_, gain in view.points))
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (low * 1e-3, high * 1e-3), (floor, top), "gain of the tank", "×",
                  x_unit="kHz")
    _between(frame, view.ends, (low, high), (floor, top))
    if held is not None and held.topology == design.topology:
        for c in TOPOLOGIES[held.topology].gain_view(held).curves:
            near = (c.exact <= top) & (c.exact >= floor) & (c.frequency >= low) & (c.frequency <= high)
            frame.pale(c.frequency[near] * 1e-3, c.exact[near])
    for k, c in enumerate(view.curves):
        seen = c.exact <= top
        frame.beside(c.frequency[c.harmonic <= top] * 1e-3, c.harmonic[c.harmonic <= top], c.role, 0.3, True)
        frame.trace(c.name, c.frequency[seen] * 1e-3, c.exact[seen], c.role, 0.25)
        frame.beside(c.frequency[seen & c.lagging] * 1e-3, c.exact[seen & c.lagging], c.role, 0.7)
        picture.text(frame.left + frame.width - 2, frame.top + 12 + 5 * k, c.name, c.role, "right", 3.2)
    for k, text in enumerate(
            ("lowest bus, constant current", "band: overload, parts at their ends", "dashed: first harmonic", "thin: capacitive")):
        picture.text(frame.left + frame.width - 2, frame.top + 36 + 4.5 * k, text, "muted", "right", 3.0)
    for value, text in ((view.resonance, f"resonance {show(view.resonance, 'Hz')}"),
                        (view.border, f"slowest lags to {show(view.border, 'Hz')}")):
        picture.line([(frame.x(value * 1e-3), frame.top), (frame.x(value * 1e-3), frame.top + frame.height)], "muted", 0.3, True)
        picture.label(frame.x(value * 1e-3) + 1, frame.top + frame.height - 2, text, "muted")
    for name, f, gain in sorted(view.points, key=lambda p: p[1]):
        x, y = frame.x(f * 1e-3), frame.y(gain)
        end = x > frame.left + frame.width - NAMED
        picture.line([(x - 2, y), (x + 2, y)], "accent", 0.9)
        picture.line([(x, y - 2), (x, y + 2)], "accent", 0.9)
        picture.label(x + (-3 if end else 3), y - 1.5, f"{name}: {show(f, 'Hz')}, {gain:.3g}", "accent", "right" if end else "left", 3.2)
    frame.close()
    return picture
