"""The field in the winding window by finite elements: flux lines, current density, and what it says beside the closed figures."""

from typing import TYPE_CHECKING

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.magnetics.layout import lay_out
from rhevectra.drawing.display import Picture

if TYPE_CHECKING:
    from rhevectra.core.magnetics.field import Solved
    from rhevectra.core.magnetics.window_field import WindowField

LINES = 15
HEAT = ("heat1", "heat2", "heat3", "heat4", "heat5")
"""Roles of current density, from little to much."""
_WORDS = {"primary": "primary", "nr": "reset", "naux": "auxiliary"}


def contours(points: Array, triangles: Array, values: Array, levels: Array) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    """Segments of the lines of equal value through a mesh: points (2, n), triangles (3, m), values (n,)."""
    found = []
    v = values[triangles]
    for level in levels:
        above = v > level
        for lone in (0, 1, 2):
            a, b, c = lone, (lone + 1) % 3, (lone + 2) % 3
            cut = np.flatnonzero((above[a] != above[b]) & (above[b] == above[c]))
            ends = []
            for other in (b, c):
                share = (level - v[a, cut]) / (v[other, cut] - v[a, cut])
                ends.append(points[:, triangles[a, cut]] * (1 - share) + points[:, triangles[other, cut]] * share)
            found += list(zip(map(tuple, ends[0].T.tolist()), map(tuple, ends[1].T.tolist()), strict=True))
    return found


def _lines(picture: Picture, found: "WindowField", solved: "Solved", points: Array, width: float) -> None:
    """Flux lines at the instant of the greatest field."""
    turn = np.exp(-1j * np.angle(solved.potential[np.argmax(np.abs(solved.potential))]))
    a = (solved.potential * turn).real
    for p, q in contours(points, found.window.mesh.t, a, np.linspace(a.min(), a.max(), LINES + 2)[1:-1]):
        picture.line([p, q], "accent", width)


def _window(picture: Picture, found: "WindowField", solved: "Solved", x0: float, y0: float, scale: float, name: str, most: float) -> None:
    """One field in the window to scale: conductors by their current density, flux lines at the instant of the greatest field."""
    window, layout = found.window, found.layout
    picture.text(x0, y0 - 2, name, "ink", "left", 3.1)
    picture.box(x0, y0, layout.radial * scale, layout.along * scale, "card", "ink")
    points = window.mesh.p * scale + np.array([[x0], [y0]])
    tracks = any(w.across for w in layout.wires)
    if tracks:  # layers lie close: the lines go behind them
        _lines(picture, found, solved, points, 0.12)
    steps = np.clip((np.abs(solved.density) / most * len(HEAT)).astype(int), 0, len(HEAT) - 1)
    by_triangle = {k for k, c in enumerate(window.conductors) if c.solid}
    for t in np.flatnonzero(np.isin(window.owner, list(by_triangle))):
        picture.fill([(float(x), float(y)) for x, y in points[:, window.mesh.t[:, t]].T], HEAT[steps[t]])
    angle = np.linspace(0, 2 * np.pi, 11)[:-1]
    first = np.full(len(window.conductors), 0)
    first[window.owner[window.owner >= 0]] = steps[window.owner >= 0]
    for k, c in enumerate(window.conductors):
        if k not in by_triangle:
            picture.fill(
                [(x0 + (c.x + c.half[0] * float(np.cos(a))) * scale, y0 + (c.y + c.half[1] * float(np.sin(a))) * scale) for a in angle],
                HEAT[first[k]])
    if not tracks:
        _lines(picture, found, solved, points, 0.22)
    if found.gap > 0:
        high = max(found.gap * scale, 0.5)
        picture.box(x0 - 1.6, y0 + (layout.along * scale - high) / 2, 1.6, high, "over")


def _beside(picture: Picture, found: "WindowField", x: float, y: float) -> None:
    """Leakage and losses by elements and closed, with their difference."""
    def row(y: float, name: str, elements: float, closed: float, unit: str, bold: bool = False) -> None:
        off = f"{(elements / closed - 1) * 100:+.0f} %" if closed > 1e-6 else "–"
        picture.text(x, y, name, "ink", "left", 3.1, bold)
        for at, text in ((x + 36, show(elements, unit, 3)), (x + 51, show(closed, unit, 3)), (x + 61, off)):
            picture.text(at, y, text, "ink", "right", 3.1, bold)
    for at, text in ((x + 36, "elements"), (x + 51, "closed"), (x + 61, "off")):
        picture.text(at, y, text, "muted", "right", 3.0)
    row(y + 6, "leakage", *found.leakage, "H", True)
    picture.text(x, y + 14, f"copper at {show(found.frequency, 'Hz', 3)}, fundamental", "muted", "left", 3.0)
    rows = [(_WORDS.get(n, f"secondary {n[2:].replace('b', ', half')}"), float(e), float(c))
            for n, e, c in zip(found.names, *found.losses, strict=True)]
    for k, (name, e, c) in enumerate(rows):
        row(y + 19.5 + 5 * k, name, e, c, "W")
    total = y + 21 + 5 * len(rows)
    row(total, "together", float(found.losses[0].sum()), float(found.losses[1].sum()), "W", True)
    for k, text in enumerate(
            ("inside the window, times the mean turn; core ideal;", "the red mark is the gap. Leads and end turns are",
             "in the leakage of the ledger, not here.")):
        picture.text(x, total + 8 + 4.2 * k, text, "muted", "left", 2.9)


def _waiting(picture: Picture, design: Design) -> None:
    """The empty window with the conductors that will be solved for."""
    plan = design.context["plan"]
    layout = lay_out(plan, design.catalogue["cores"].row(plan.window.names[plan.choice.core]))
    scale = min((picture.height - 24) / layout.along, 40.0 / layout.radial)
    picture.box(6, 10, layout.radial * scale, layout.along * scale, "card", "rule")
    for w in layout.wires:
        if w.x > layout.radial:  # what does not fit
            continue
        across, along = (w.wide / 2, w.radius) if w.across else (w.radius, min(w.wide, layout.along) / 2) if w.wide else (0.7 * w.radius,
            0.7 * w.radius)
        picture.box(6 + (w.x - across) * scale, 10 + (w.y - along) * scale, 2 * across * scale, 2 * along * scale, "heat1")
    picture.text(0.5 * (picture.width + 46), picture.height / 2, "worked out by finite elements …", "muted", "middle", 3.6)


def field_picture(design: Design, found: "WindowField | None", width: float, height: float) -> Picture:
    """Both fields and the table; before the field is there, that it is worked out."""
    picture = Picture(width, height, "magnetic field in the winding window by finite elements")
    if found is None:
        _waiting(picture, design)
        return picture
    x, y = 6.0, 10.0
    side = 63.0
    tall = 52.0 + 5 * len(found.names)
    beside, below = (min((height - 24 - foot) / found.layout.along, (width - room - 3 * x - 4) / 2 / found.layout.radial)
                     for foot, room in ((0.0, side), (tall, 0.0)))
    scale = max(beside, below)  # the figures stand where they leave the windows larger: below wide ones
    step = found.layout.radial * scale + x
    for k, (solved, name) in enumerate(
            ((found.leaking, "leakage: outputs shorted"), (found.working, f"at work, {show(found.frequency, 'Hz', 3)}"))):
        most = float(np.abs(solved.density).max()) or 1.0
        _window(picture, found, solved, x + k * step, y, scale, name if step > 36 else name.split(":")[0].split(",")[0], most)
    foot = y + found.layout.along * scale + 4
    most = float(np.abs(found.working.density).max()) * 1e-6
    for k, role in enumerate(HEAT):
        picture.box(x + step + k * 4.4, foot, 4.0, 2.2, role, "rule")
    picture.text(x + step, foot + 6.2, f"0 to {most:.3g} A/mm² peak", "muted", "left", 3.0)
    _beside(picture, found, *((width - side, y + 4) if beside >= below else (x, foot + 14)))
    return picture
