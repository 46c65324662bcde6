"""Inductance over what is ground off the centre post or put under all legs, from the readings of a made core."""

from collections.abc import Sequence

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.magnetics.gapping import Advice, GappedCore, Reading, fit, inductance
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture


def gap_curves(core: GappedCore, readings: Sequence[Reading], target: float, advice: Advice, width: float, height: float) -> Picture:
    """Both ways from the last reading, the target and where each way reaches it."""
    found, now = fit(core, readings), readings[-1]
    picture = Picture(width, height,
                      "inductance over what is added to the last state; from the readings, each gap with the spread of its field")
    reached = [x for x in (advice.grind, advice.spacer) if x is not None and x > 0]
    end = max(1.5 * max(reached, default=0.3e-3), 1e-4)
    step = np.linspace(0.0, end, 240)
    here = float(inductance(core, now.gap + found.longer, now.spacer, found.spread))
    curves = {f"ground off the {core.post}": (inductance(core, now.gap + found.longer + step, now.spacer, found.spread), advice.grind,
                                              "primary", False),
              "under all legs": (inductance(core, now.gap + found.longer, now.spacer + step, found.spread), advice.spacer, "secondary",
                                 True)}
    top = 1.08 * max(now.inductance, target)
    low = 0.9 * min(float(v[0].min()) for v in curves.values()) * now.inductance / here
    frame = Frame(picture, LEFT + 4, 1, width - LEFT - RIGHT - 4, height - 10, (0.0, end * 1e3), (low, top), "inductance", "H",
                  x_unit="mm more")
    for k, (name, (made, at, role, dashed)) in enumerate(curves.items()):
        y = made * now.inductance / here
        frame.trace(name, step * 1e3, y, role, 0.5, dashed)
        picture.text(frame.left + frame.width - 2, frame.top + 6 + 4.6 * k, f"{'– –' if dashed else '——'} {name}", role, "right", 3.2)
        if at is not None and 0 < at < end:
            picture.line([(frame.x(at * 1e3), frame.y(target)), (frame.x(at * 1e3), frame.top + frame.height)], role, 0.3, True)
            picture.text(frame.x(at * 1e3) + 1, frame.top + frame.height - 2 - 4.6 * k, show(at, "m", 3), role, "left", 3.2)
    frame.level(target, f"wanted {show(target, 'H', 4)}", "accent")
    frame.close()
    return picture
