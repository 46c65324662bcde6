"""The clamp's map: drain peak over resistor and capacitor, lines of power and ripple, the present values; a click or a drag chooses others."""

import math

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.preferred import nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.stages.rcd_map import ClampMap, clamp_map
from rhevectra.drawing.display import Picture, Points
from rhevectra.drawing.field import HEAT, contours

LEVELS = (0.80, 0.87, 0.94, 1.0)
"""Shares of the limit at which the colour of the drain peak changes; beyond the last it is over."""
OVER = "pale"
LEFT, RIGHT, TOP, BELOW = 16.0, 5.0, 6.0, 40.4
POWERS = (0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0)
RIPPLES = (0.02, 0.05, 0.1, 0.2, 0.5)


class _Plane:
    """Maps logarithms of resistor and capacitor to millimetres and back."""

    def __init__(self, m: ClampMap, width: float, height: float) -> None:
        self.x0, self.x1 = math.log10(m.r[0]), math.log10(m.r[-1])
        self.y0, self.y1 = math.log10(m.c[0]), math.log10(m.c[-1])
        self.left, self.top, self.width, self.height = LEFT, TOP, width - LEFT - RIGHT, height - TOP - BELOW

    def x(self, r: float | Array) -> Array:
        return self.left + (np.log10(r) - self.x0) / (self.x1 - self.x0) * self.width

    def y(self, c: float | Array) -> Array:
        return self.top + (self.y1 - np.log10(c)) / (self.y1 - self.y0) * self.height

    def values(self, x: float, y: float) -> tuple[float, float] | None:
        """Resistor [Ω] and capacitor [F] at a point of the picture, as preferred values; None outside."""
        sx, sy = (x - self.left) / self.width, (y - self.top) / self.height
        if not (0 <= sx <= 1 and 0 <= sy <= 1):
            return None
        return nearest(10 ** (self.x0 + sx * (self.x1 - self.x0)), "E24"), nearest(10 ** (self.y1 - sy * (self.y1 - self.y0)), "E6")


def _cells(picture: Picture, m: ClampMap, plane: _Plane) -> None:
    """The drain peak as colour, row by row; cells of one colour that follow each other are one box."""
    xs, ys = plane.x(m.r), plane.y(m.c)
    dx, dy = xs[1] - xs[0], ys[0] - ys[1]
    kind = np.searchsorted(LEVELS, m.peak / m.peak_limit)
    for k in range(len(m.c)):
        start = 0
        for j in range(1, len(m.r) + 1):
            if j == len(m.r) or kind[k, j] != kind[k, start]:
                left, right = max(xs[start] - dx / 2, plane.left), min(xs[j - 1] + dx / 2, plane.left + plane.width)
                up, low = max(ys[k] - dy / 2, plane.top), min(ys[k] + dy / 2, plane.top + plane.height)
                picture.box(float(left), float(up), float(right - left), float(low - up), (*HEAT[:4], OVER)[kind[k, start]])
                start = j


def _lines(picture: Picture, m: ClampMap, plane: _Plane) -> None:
    """Lines of equal power (thick, with their watts) and of equal ripple (dashed, with their per cent)."""
    n, rows = len(m.r), len(m.c)
    x, y = np.meshgrid(plane.x(m.r), plane.y(m.c))
    points = np.array([x.ravel(), y.ravel()])
    corner = (np.arange(rows - 1)[:, None] * n + np.arange(n - 1)).ravel()
    triangles = np.concatenate([np.array([corner, corner + 1, corner + n]), np.array([corner + 1, corner + n + 1, corner + n])], axis=1)
    for values, levels, dashed, text in ((m.power, POWERS, False, lambda v: show(v, "W", 2)), (m.ripple, RIPPLES, True, lambda v: f"{v * 100:g} %")):
        for level in levels:
            found = contours(points, triangles, values.ravel(), np.array([level]))
            for p, q in found:
                ends: Points = [p, q]
                picture.line(ends, "ink", 0.5 if not dashed else 0.25, dashed)
            if found:
                px, py = min((p for p, _ in found), key=lambda p: p[1]) if not dashed else max((p for p, _ in found), key=lambda p: p[0] + p[1])
                if not dashed and py < plane.top + 1:
                    picture.text(min(px + 0.8, plane.left + plane.width - 9), plane.top + 3.6, text(level), "ink", "left", 2.9)
                elif dashed and py > plane.top + plane.height - 1 and plane.left + 9 < px < plane.left + plane.width - 9:
                    picture.text(px - 1.0, plane.top + plane.height - 1.2, text(level), "ink", "right", 2.9)


def _ticks(picture: Picture, plane: _Plane) -> None:
    """Decades with their values."""
    for exponent in range(math.ceil(plane.x0), math.floor(plane.x1) + 1):
        picture.text(float(plane.x(10.0**exponent)), plane.top + plane.height + 4.4, show(10.0**exponent, "Ω", 1), "muted", "middle", 3.0)
    for exponent in range(math.ceil(plane.y0), math.floor(plane.y1) + 1):
        picture.text(plane.left - 1.5, float(plane.y(10.0**exponent)) + 1.0, show(10.0**exponent, "F", 1), "muted", "right", 3.0)


def map_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The map with its legend and the answers to the common beliefs."""
    m = clamp_map(design)
    picture = Picture(width, height, "clamp resistor and capacitor: colour for the drain peak at the worst corner, lines for power and ripple at full load")
    plane = _Plane(m, width, height)
    _cells(picture, m, plane)
    _lines(picture, m, plane)
    _ticks(picture, plane)
    for d, role in ((held, "muted"), (design, "accent")):
        if d is not None and "clamp.r" in d.rows:
            x, y = float(plane.x(float(d.rows["clamp.r"].value))), float(plane.y(float(d.rows["clamp.c"].value)))
            if plane.left <= x <= plane.left + plane.width and plane.top <= y <= plane.top + plane.height:
                picture.line([(x - 4, y), (x + 4, y)], role, 0.7)
                picture.line([(x, y - 4), (x, y + 4)], role, 0.7)
    picture.text(plane.left, 4.2, f"drain peak over its limit of {show(m.peak_limit, 'V')}; lines: power, dashed: ripple; a click chooses", "ink", "left", 3.2)
    foot = plane.top + plane.height + 8.0
    for k, (role, text) in enumerate(zip((*HEAT[:4], OVER), ("under 80 %", "to 87 %", "to 94 %", "to 100 %", "over"), strict=True)):
        picture.box(plane.left + k * (width - LEFT) / 5.2, foot - 2.4, 3.0, 2.6, role, "rule")
        picture.text(plane.left + 4 + k * (width - LEFT) / 5.2, foot, text, "muted", "left", 3.0)
    size = min(3.1, (width - 8) / 43)
    for k, (head, tail) in enumerate(m.sentences):
        picture.text(3, foot + 6.2 + 6.4 * k, head, "ink", "left", size)
        picture.text(3, foot + 9.2 + 6.4 * k, tail, "muted", "left", 0.9 * size)

    def chosen(x: float, y: float) -> tuple[dict[str, float], str] | None:
        found = plane.values(x, y)
        if found is None:
            return None
        r, c = found
        k, j = int(np.abs(np.log(m.c / c)).argmin()), int(np.abs(np.log(m.r / r)).argmin())
        return {"clamp.r": r, "clamp.c": c}, f"{show(r, 'Ω')}, {show(c, 'F')}: about {show(float(m.peak[k, j]), 'V', 3)}, {show(float(m.power[k, j]), 'W', 2)}, ripple {m.ripple[k, j] * 100:.0f} %"
    picture.pick = chosen
    return picture
