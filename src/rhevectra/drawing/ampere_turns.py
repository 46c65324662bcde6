"""The ampere-turns across the winding window: over the period at every face of the stack, and as a profile of the window at the instants
that differ most."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.magnetics.ampere_turns import AmpereTurns, ampere_turns
from rhevectra.core.magnetics.layout import Band
from rhevectra.core.magnetics.transformer import wound
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture

SHOWN = 4
_ROLES = ("primary", "secondary", "aux", "accent")


def _of(design: Design) -> tuple[AmpereTurns, list[Band]]:
    plan: Any = design.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    return (ampere_turns(plan.need, [float(n[at]) for n in wound(plan.need, plan.choice.trial.turns)]),
            TOPOLOGIES[design.topology].winding_view(design).layout.bands)


def ampere_turns_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Faces over the period above, the window below."""
    found, bands = _of(design)
    picture = Picture(width, height, "currents the core was chosen with (full load, worst corner); the field is these ampere-turns over "
                      "the width of the winding")
    top = 1.15 * max(float(np.abs(found.faces).max()), 1e-9)
    low = -top if float(found.faces.min()) < -0.05 * top else 0.0
    over = Frame(picture, LEFT, 1, width - LEFT - RIGHT, 0.42 * height - 8, (0.0, float(found.t[-1])), (low, top),
                 "ampere-turns outside each face", "A")
    chosen = found.apart(SHOWN)
    for k, face in enumerate(found.faces[:-1]):
        over.trace("at the post" if k == 0 else f"outside block {k}", found.t, face, "ink" if k == 0 else _ROLES[(k - 1) % len(_ROLES)],
                   0.6 if k == 0 else 0.4, k > len(_ROLES))
    for n, k in enumerate(chosen, 1):
        x = over.x(float(found.t[k]))
        picture.line([(x, over.top), (x, over.top + over.height)], "muted", 0.25, True)
        picture.text(x + 0.8, over.top + over.height - 1.2, str(n), "ink", "left", 3.0, clear=True)
    over.close()
    _profile(picture, found, bands, chosen, 3 + 0.42 * height, width, height, (low, top), held)
    return picture


def _profile(picture: Picture, found: AmpereTurns, bands: list[Band], chosen: list[int], y: float, width: float, height: float,
             span: tuple[float, float], held: Design | None) -> None:
    """Across the window, from the post outwards: the blocks, the profiles at the chosen instants and the root mean square."""
    x = _places(bands)
    frame = Frame(picture, LEFT, y, width - LEFT - RIGHT - 34, height - y - 14, (0.0, 1.04 * 1e3 * bands[-1].end), span,
                  "across the window", "A", x_unit="mm from the post")
    for k, band in enumerate(bands, 1):
        left, right = frame.x(1e3 * band.begin), frame.x(1e3 * band.end)
        picture.box(left, frame.top + frame.height - 2.2, max(right - left, 0.4), 2.2, "rule")
        if right - left > 3.0:
            picture.text(0.5 * (left + right), frame.top + frame.height - 0.4, str(k), "muted", "middle", 2.6)
    was, old = _of(held) if held is not None and hasattr(held.context["plan"], "choice") else (None, [])
    if was is not None and old:  # boards and chambers have no blocks over one another
        frame.pale(1e3 * _places(old), np.repeat(was.rms(), 2)[1:-1])
    for n, (k, role) in enumerate(zip(chosen, _ROLES, strict=True), 1):
        frame.trace(f"{n}: {show(float(found.t[k]), 's', 3)}", x * 1e3, np.repeat(found.faces[:, k], 2)[1:-1], role, 0.5, n > 2)
        picture.text(frame.left + frame.width + 3, frame.top + 4 + 4.6 * n,
                     f"{'– –' if n > 2 else '——'} {n}: {show(float(found.t[k]), 's', 3)}", role, "left", 3.1)
    frame.trace("rms of what changes", x * 1e3, np.repeat(found.rms(), 2)[1:-1], "ink", 0.8)
    picture.text(frame.left + frame.width + 3, frame.top + 4, "—— rms, without mean", "ink", "left", 3.1, True)
    frame.close()


def _places(bands: list[Band]) -> np.ndarray:
    """Begin and end of every block [m]: between two blocks the ampere-turns stay."""
    return np.array([x for b in bands for x in (b.begin, b.end)])
