"""A plane of resistor and capacitor, both logarithmic: its cells, lines, ticks and marks."""

import math
from collections.abc import Callable, Sequence

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.preferred import nearest
from rhevectra.core.basis.quantities import show
from rhevectra.drawing.display import Picture, Points
from rhevectra.drawing.field import HEAT, contours

LEFT, RIGHT, TOP = 16.0, 5.0, 6.0
LEVELS = (0.80, 0.87, 0.94, 1.0)
"""Shares of a limit at which the colour changes; beyond the last it is over."""
ROLES = {"to 80 %": HEAT[0], "to 87 %": HEAT[1], "to 94 %": HEAT[2], "to 100 %": HEAT[3], "over": "pale"}


class Plane:
    """Maps logarithms of resistor r [Ω] and capacitor c [F], the points of the plane, to millimetres and back; below: what stands under it
    [mm]."""

    def __init__(self, r: Array, c: Array, width: float, height: float, below: float) -> None:
        self.r, self.c = r, c
        self.x0, self.x1 = math.log10(r[0]), math.log10(r[-1])
        self.y0, self.y1 = math.log10(c[0]), math.log10(c[-1])
        self.left, self.top, self.width, self.height = LEFT, TOP, width - LEFT - RIGHT, height - TOP - below

    def x(self, r: float | Array) -> Array:
        return self.left + (np.log10(r) - self.x0) / (self.x1 - self.x0) * self.width

    def y(self, c: float | Array) -> Array:
        return self.top + (self.y1 - np.log10(c)) / (self.y1 - self.y0) * self.height

    def values(self, x: float, y: float, series: str = "E24") -> tuple[float, float] | None:
        """Resistor [Ω] and capacitor [F] at a point of the picture, as preferred values; None outside."""
        sx, sy = (x - self.left) / self.width, (y - self.top) / self.height
        if not (0 <= sx <= 1 and 0 <= sy <= 1):
            return None
        return nearest(10 ** (self.x0 + sx * (self.x1 - self.x0)), series), nearest(10 ** (self.y1 - sy * (self.y1 - self.y0)), "E6")

    def place(self, r: float, c: float) -> tuple[int, int]:
        """Row and column of the point nearest to a resistor and a capacitor."""
        return int(np.abs(np.log(self.c / c)).argmin()), int(np.abs(np.log(self.r / r)).argmin())


def cells(picture: Picture, plane: Plane, share: Array) -> None:
    """share (c, r): of the limit, as colour; row by row, cells of one colour that follow each other are one box."""
    kind, roles = np.searchsorted(LEVELS, share), list(ROLES.values())
    xs, ys = plane.x(plane.r), plane.y(plane.c)
    dx, dy = xs[1] - xs[0], ys[0] - ys[1]
    for k in range(len(plane.c)):
        start = 0
        for j in range(1, len(plane.r) + 1):
            if j == len(plane.r) or kind[k, j] != kind[k, start]:
                left, right = max(xs[start] - dx / 2, plane.left), min(xs[j - 1] + dx / 2, plane.left + plane.width)
                up, low = max(ys[k] - dy / 2, plane.top), min(ys[k] + dy / 2, plane.top + plane.height)
                picture.box(float(left), float(up), float(right - left), float(low - up), roles[kind[k, start]])
                start = j


def lines(picture: Picture, plane: Plane, values: Array, levels: Sequence[float], text: Callable[[float], str],
          dashed: bool = False) -> None:
    """Lines of equal value: thick with their text at the top (or at the right where they do not rise), or dashed with it at the bottom."""
    n, rows = len(plane.r), len(plane.c)
    x, y = np.meshgrid(plane.x(plane.r), plane.y(plane.c))
    points = np.array([x.ravel(), y.ravel()])
    corner = (np.arange(rows - 1)[:, None] * n + np.arange(n - 1)).ravel()
    triangles = np.concatenate([np.array([corner, corner + 1, corner + n]), np.array([corner + 1, corner + n + 1, corner + n])], axis=1)
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
            elif not dashed and max(p[0] for p, _ in found) > plane.left + plane.width - 9:
                picture.text(plane.left + plane.width - 1, py - 0.9, text(level), "ink", "right", 2.9)


def ticks(picture: Picture, plane: Plane) -> None:
    """Decades with their values."""
    for exponent in range(math.ceil(plane.x0), math.floor(plane.x1) + 1):
        picture.text(float(plane.x(10.0**exponent)), plane.top + plane.height + 4.4, show(10.0**exponent, "Ω", 1), "muted", "middle", 3.0)
    for exponent in range(math.ceil(plane.y0), math.floor(plane.y1) + 1):
        picture.text(plane.left - 1.5, float(plane.y(10.0**exponent)) + 1.0, show(10.0**exponent, "F", 1), "muted", "right", 3.0)


def cross(picture: Picture, plane: Plane, r: float, c: float, role: str) -> None:
    """A mark at a resistor and a capacitor, where they lie inside."""
    x, y = float(plane.x(r)), float(plane.y(c))
    if plane.left <= x <= plane.left + plane.width and plane.top <= y <= plane.top + plane.height:
        picture.line([(x - 4, y), (x + 4, y)], role, 0.7)
        picture.line([(x, y - 4), (x, y + 4)], role, 0.7)


def legend(picture: Picture, plane: Plane, y: float) -> None:
    """What each colour stands for, in a row."""
    each = (picture.width - plane.left) / len(ROLES)
    size = min(3.0, (each - 5.0) / 5.2)  # the longest of them in its place
    for k, (text, role) in enumerate(ROLES.items()):
        x = plane.left + k * each
        picture.box(x, y - 2.4, 3.0, 2.6, role, "rule")
        picture.text(x + 4, y, text, "muted", "left", size)
