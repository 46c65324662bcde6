"""What the ripple ratio costs: energy, peak and rms current of the ideal stage, and the losses of the same supply designed for other
ratios."""

from typing import TYPE_CHECKING, Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture

if TYPE_CHECKING:
    from rhevectra.core.design.ripple_loss import RippleLoss

GAP, FOOT = 5.0, 17.0
"""Room [mm] between frames over one another, and for the sentences below."""
ROLES = {"resistance": "primary", "eddies": "accent", "core": "aux"}
SPAN = (0.05, 2.4)


def ripple_picture(design: Design, found: "RippleLoss | None", width: float, height: float) -> Picture:
    """Above: each over its least value; between: over its value at the choice; below: losses as designed, once they are there."""
    view = TOPOLOGIES[design.topology].ripple_choice(design)
    picture = Picture(width, height, "above: ideal stage at its worst bus, full power; below: the same supply designed for each ratio")
    top, inner = min(max(float(y.max()) for _, y, _ in view.curves), 3.0), width - LEFT - RIGHT
    high = height - FOOT - (2 if found else 1) * GAP - 6
    shares: tuple[float, ...] = (0.42, 0.24, 0.34) if found else (0.6, 0.4)
    over = Frame(picture, LEFT, 1, inner, shares[0] * high, SPAN, (1.0, 1.0 + 1.15 * (top - 1.0)), "over the least value", "×",
                 x_labels=False)
    beside = Frame(picture, LEFT, over.top + over.height + GAP, inner, shares[1] * high, SPAN, (0.0, 3.0), "over the value at the choice",
                   "×", x_labels=found is None, x_unit="ripple ratio")
    lines = [(f"{name}: {text}, {float(np.interp(view.chosen, view.ratio, y)):.2f} × least", name, y, role)
             for (name, y, role), text in zip(view.curves, view.texts, strict=True)]
    for frame, told in ((over, lines), (beside, [(f"{name}: {text}", name, y, role) for name, y, role, text in view.beside])):
        _ideal(picture, frame, view, told, frame is over)
        frame.close()
    if found is None:
        picture.text(width / 2, height - 4, "the same supply is designed for other ratios …", "muted", "middle", 3.4)
    else:
        _designed(picture, found, beside.top + beside.height + GAP, inner, shares[2] * high)
    return picture


def _ideal(picture: Picture, frame: Frame, view: Any, told: list[tuple[str, str, Array, str]], named: bool) -> None:
    """Curves of the ideal stage in one frame, with the present choice and the boundary."""
    for k, (text, name, y, role) in enumerate(told):
        seen = (y >= frame.y0) & (y <= frame.y1)
        if seen.sum() > 1:  # beside a choice with hardly any ripple everything else lies above the frame
            frame.trace(name, view.ratio[seen], y[seen], role, 0.5)
        picture.text(frame.left + frame.width - 2, frame.top + 8.5 + 4.2 * k, text, role, "right", 3.2)
    for value, text, role in ((view.chosen, "chosen", "accent"), (2.0, "boundary", "muted")):
        right = frame.x(value) > frame.left + 0.6 * frame.width
        picture.line([(frame.x(value), frame.top + (6 + 4.2 * len(told) if right else 0)), (frame.x(value), frame.top + frame.height)],
                     role, 0.35, True)
        if named:
            picture.text(frame.x(value) - 1, frame.top + frame.height - 1.5, text, role, "right", 3.0)


def _designed(picture: Picture, found: "RippleLoss", begin: float, inner: float, high: float) -> None:
    """Losses of the wound part over the ratios, what cannot be built marked, and in words where the whole loses least."""
    from rhevectra.core.design.ripple_loss import LOSSES

    whole = found.losses.sum(0)
    frame = Frame(picture, LEFT, begin, inner, high, SPAN, (0.0, 1.3 * float(whole.max())), f"{found.part} as designed", "W",
                  x_unit="ripple ratio")
    for name, y in zip(LOSSES, found.losses, strict=True):
        frame.trace(name, found.ratio, y, ROLES[name], 0.5)
    frame.trace("all of it", found.ratio, whole, "ink", 0.6)
    frame.marks(found.ratio, whole, found.feasible, "ink")
    here = int(np.abs(found.ratio - found.present).argmin())
    x = frame.x(found.present)
    picture.line([(x, frame.top + 5), (x, frame.top + frame.height)], "accent", 0.35, True)
    said = [("all of it", float(whole[here]), "ink"), *((n, float(y[here]), ROLES[n]) for n, y in zip(LOSSES, found.losses, strict=True))]
    frame.close()
    at, y = frame.left, frame.top + frame.height + 9
    for text, v, role in said:
        label = f"{text} {show(v, 'W', 3)}"
        picture.text(at, y, label, role, "left", 3.0)
        at += 1.6 * len(label) + 5
    y += 4.5
    picture.text(LEFT, y, f"whole supply: {found.sentence}", "ink", "left", 3.0)
    refused = next((f"red: not feasible ({w})" for w in found.why if w), "")
    if refused:
        picture.text(LEFT, y + 4, refused[: int(inner / 1.45)], "over", "left", 2.7)
