"""A node's ring without and with a snubber across it."""

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.stages.ringing import Damped, Ring, response
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture


def ring_picture(ring: Ring, chosen: Damped, volts: float, width: float, height: float) -> Picture:
    """Node voltage after a step: bare (dashed) and with the chosen snubber."""
    picture = Picture(width, height, "node voltage after a step, without and with the snubber; no other losses")
    t, bare = response(ring, None)
    _, damped = response(ring, chosen.resistor, chosen.capacitor)
    frame = Frame(picture, LEFT + 2, 1, width - LEFT - RIGHT - 2, height - 10, (0.0, float(t[-1])), (0.0, 2.1 * volts), "node voltage", "V")
    frame.trace("bare", t, bare * volts, "muted", 0.3, True)
    frame.trace("with snubber", t, damped * volts, "primary", 0.6)
    frame.level(volts, f"step {show(volts, 'V')}", "accent")
    at = float(t[int(np.argmax(damped))])
    picture.text(frame.x(at) + 2, frame.y(chosen.peak * volts) - 1.5,
                 f"{show(chosen.peak * volts, 'V', 3)} with {show(chosen.resistor, 'Ω', 3)} and {show(chosen.capacitor, 'F', 3)}",
                 "primary", "left", 3.2)
    picture.text(frame.left + frame.width - 2, frame.top + 6, "dashed: bare", "muted", "right", 3.2)
    frame.close()
    return picture
