"""Switching frequency over load at several buses, of a stage whose frequency follows them."""

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture


def frequency_curves(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """One curve per bus; steps are changes of the valley; marks are the corners of the design; pale: the held design's curves."""
    view = TOPOLOGIES[design.topology].frequency_view(design)
    picture = Picture(width, height, "every load solved afresh; a step is another valley; marks: corners of the design")
    top = 1.12e-3 * max(view.f_max, *(float(c.frequency.max()) for c in view.curves))
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (0.0, 100.0), (0.0, top), "frequency", "kHz", x_unit="% load")
    if held is not None and held.topology == design.topology:
        for c in TOPOLOGIES[held.topology].frequency_view(held).curves:
            frame.pale(100 * c.load, np.minimum(1e-3 * c.frequency, top))
    for k, c in enumerate(view.curves):
        frame.trace(c.name, 100 * c.load, 1e-3 * c.frequency, c.role, 0.6)
        picture.text(frame.left + frame.width - 2, frame.top + frame.height - 32 + 4.5 * k, c.name, c.role, "right", 3.2)
    for value, text in ((view.f_max, f"highest {show(view.f_max, 'Hz')}"), (view.f_audible, f"heard below {show(view.f_audible, 'Hz')}")):
        y = frame.y(1e-3 * value)
        picture.line([(frame.left, y), (frame.left + frame.width, y)], "muted", 0.3, True)
        picture.text(frame.left + 2, y - 1, text, "muted", "left", 3.0)
    for load, f in view.points:
        x, y = frame.x(100 * load), frame.y(1e-3 * f)
        picture.line([(x - 1.2, y), (x + 1.2, y)], "accent", 0.7)
        picture.line([(x, y - 1.2), (x, y + 1.2)], "accent", 0.7)
    frame.close()
    return picture
