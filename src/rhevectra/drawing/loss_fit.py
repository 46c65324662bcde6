"""Own core loss points over flux with the fitted lines, and what each point is off."""

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.magnetics.loss_fit import LossFit, surface
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture

ROLES = ("primary", "secondary", "aux", "accent", "tight", "muted")
MOST = 6
"""Lines named beside the curves; more frequencies and temperatures are drawn without a name."""


def fit_picture(found: LossFit, width: float, height: float) -> Picture:
    """Loss over amplitude, both by decades, one line for each frequency and temperature; below, fit over point less one."""
    picture = Picture(width, height, "core loss points with the fitted surface, and what each point is off")
    x, y = np.log10(found.flux), np.log10(found.loss)
    x_range = (float(x.min()) - 0.1, float(x.max()) + 0.1)
    upper = 0.66 * (height - 20)
    frame = Frame(picture, LEFT + 4, 1, width - LEFT - RIGHT - 4, upper, x_range, (float(y.min()) - 0.2, float(y.max()) + 0.2),
                  "log10 of loss", "W/m³", x_unit="log10 of T", x_labels=False)
    kinds = sorted({(float(f), float(t)) for f, t in zip(found.frequency, found.temperature, strict=True)})
    b = np.logspace(*x_range, 60)
    for k, (f, t) in enumerate(kinds):
        role = ROLES[k % len(ROLES)]
        frame.trace(f"{show(f, 'Hz', 3)}, {t:g} °C", np.log10(b), np.clip(np.log10(surface(found.values, f, b, t)), frame.y0, frame.y1),
                    role, 0.4)
        if k < MOST:
            picture.text(frame.left + 3, frame.top + 12 + 4.6 * k, f"● {show(f, 'Hz', 3)}, {t:g} °C", role, "left", 3.1)
        mine = (found.frequency == f) & (found.temperature == t)
        for px, py in zip(x[mine], y[mine], strict=True):
            _dot(picture, frame.x(float(px)), frame.y(float(py)), role)
    frame.close()
    most = max(float(np.abs(found.off).max()) * 100, 1.0)
    below = Frame(picture, LEFT + 4, upper + 9, width - LEFT - RIGHT - 4, height - upper - 20, x_range, (-1.15 * most, 1.15 * most),
                  "fit over point", "%", x_unit="log10 of T")
    for px, off, f, t in zip(x, found.off * 100, found.frequency, found.temperature, strict=True):
        role = ROLES[kinds.index((float(f), float(t))) % len(ROLES)]
        picture.line([(below.x(float(px)), below.y(0.0)), (below.x(float(px)), below.y(float(off)))], role, 0.5)
        _dot(picture, below.x(float(px)), below.y(float(off)), role)
    below.close()
    picture.data["off [%]"] = found.off * 100
    return picture


def _dot(picture: Picture, x: float, y: float, role: str) -> None:
    angle = np.linspace(0, 2 * np.pi, 9)[:-1]
    picture.fill([(x + 0.9 * float(np.cos(a)), y + 0.9 * float(np.sin(a))) for a in angle], role, "card")
