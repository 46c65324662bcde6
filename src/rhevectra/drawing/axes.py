"""A scaled frame inside a picture: ticks at round numbers, units, traces."""

import math
from collections.abc import Sequence

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import minus
from rhevectra.drawing.display import FrameInfo, Picture, Points

_PREFIXED = ("s", "Hz", "A primary")
"""Units of the horizontal axis that take a prefix; others are words."""
HEAD = 3.8
"""Room [mm] above a frame for its title and what the cursor reads: neither ever lies over a trace."""
CLOSEST = 3.6
"""Distance [mm] at which the labels of two levels still stand apart."""
_PREFIX = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M"}


def round_step(span: float, wanted: int) -> float:
    """Tick distance of the 1-2-5 kind that gives about `wanted` ticks."""
    raw = max(span, 1e-30) / max(wanted, 1)
    power = 10.0 ** math.floor(math.log10(raw))
    return next(m * power for m in (1, 2, 5, 10) if m * power >= raw * 0.999)


def levels(low: float, high: float, height: float) -> tuple[float, float, float]:
    """Tick distance, first and last level of a scale that leaves little of the height [mm] empty and its labels apart."""
    best = (0.0, 0.0, 0.0)
    usual = max(2, int(height / 8))
    for wanted in range(usual, usual + 3):
        step = round_step(high - low, wanted)
        first, last = math.floor(low / step + 1e-9) * step, math.ceil(high / step - 1e-9) * step
        if not best[0] or (height * step / (last - first) >= CLOSEST and last - first < 0.9 * (best[2] - best[1])):
            best = step, first, last
    return best


def thinned(x: Array, y: Array, slack: float = 0.02) -> Points:
    """A curve without the points that lie within `slack` [mm] of the line between their neighbours, in a few sweeps: a stroke costs by the
    point."""
    for _ in range(4):
        if len(x) < 5:
            break
        ends, middle = slice(0, -2, 2), slice(1, -1, 2)
        after = slice(2, None, 2)
        dx, dy = x[after] - x[ends], y[after] - y[ends]
        off = np.abs(dx * (y[middle] - y[ends]) - dy * (x[middle] - x[ends]))
        keep = np.ones(len(x), bool)
        keep[middle] = (off > slack * np.hypot(dx, dy)) | ((x[middle] - x[ends]) * (x[middle] - x[after]) > 0) | (
            (y[middle] - y[ends]) * (y[middle] - y[after]) > 0)
        x, y = x[keep], y[keep]
    return list(zip(x.tolist(), y.tolist(), strict=True))


class Frame:
    """Maps data to millimetres and draws grid, ticks and traces. top and height are given with the title above the frame."""

    def __init__(self, picture: Picture, left: float, top: float, width: float, height: float, x_range: tuple[float, float],
                 y_range: tuple[float, float],
                 title: str, y_unit: str, x_unit: str = "s", x_labels: bool = True, x_ticks: Sequence[float] = ()) -> None:
        self.picture, self.left, self.top, self.width, self.height = picture, left, top + HEAD, width, height - HEAD
        self.x0, self.x1 = x_range
        self.step, self.y0, self.y1 = levels(*y_range, self.height)
        self.heading = title
        self._levels(title, y_unit)
        self.x_name = f"{_PREFIX[_power(max(abs(self.x0), abs(self.x1)))] if x_unit in _PREFIXED else ''}{x_unit}" if x_labels else ""
        self._times(x_unit, x_labels, x_ticks)
        self.y_unit, self.x_unit = y_unit, x_unit
        self.names: list[str] = []

    def x(self, value: float) -> float:
        return self.left + (value - self.x0) / (self.x1 - self.x0) * self.width

    def y(self, value: float) -> float:
        return self.top + (self.y1 - value) / (self.y1 - self.y0) * self.height

    def _levels(self, title: str, y_unit: str) -> None:
        p = self.picture
        count = round((self.y1 - self.y0) / self.step)
        scale = _power(max(abs(self.y0), abs(self.y1)))
        for k in range(count + 1):
            value = self.y0 + k * self.step
            p.line([(self.left, self.y(value)), (self.left + self.width, self.y(value))], "rule", 0.18)
            p.text(self.left - 1.5, self.y(value) + 1.1, _plain(value / 10.0**scale, self.step / 10.0**scale), "muted", "right", 3.0)
        self.title = f"{title} [{_PREFIX[scale]}{y_unit}]" if y_unit else title

    def _times(self, x_unit: str, labels: bool, ticks: Sequence[float]) -> None:
        p = self.picture
        step = round_step(self.x1 - self.x0, max(3, int(self.width / 24)))
        scale = _power(max(abs(self.x0), abs(self.x1))) if x_unit in _PREFIXED else 0
        places = [k * step for k in range(math.ceil(self.x0 / step - 1e-9), math.floor(self.x1 / step + 1e-9) + 1)]
        words = x_unit not in _PREFIXED
        room = self.left + self.width - (0.55 * 3.0 * len(x_unit) + 2 if words else 0)
        for value in ticks or places:
            last = value == (ticks or places)[-1]
            p.line([(self.x(value), self.top), (self.x(value), self.top + self.height)], "rule", 0.18)
            if labels and self.x(value) < room + 1e-6:
                text = _plain(value / 10.0**scale, (1.0 if ticks else step) / 10.0**scale)
                if last and not words:
                    p.text(min(self.x(value) + 6.0, self.left + self.width), self.top + self.height + 4.0,
                           f"{text} {_PREFIX[scale]}{x_unit}", "muted", "right", 3.0)
                else:
                    p.text(self.x(value), self.top + self.height + 4.0, text, "muted", "middle", 3.0)
        if words and labels:
            p.text(self.left + self.width, self.top + self.height + 4.0, x_unit, "muted", "right", 3.0)

    def pale(self, x: Array, y: Array) -> None:
        """A trace of the held design, behind those of the present one and without a read-out."""
        self.picture.line(self._curve(np.clip(np.asarray(x), self.x0, self.x1), y), "pale", 0.9)

    def beside(self, x: Array, y: Array, role: str, width: float, dashed: bool = False) -> None:
        """A further line of a trace, without a read-out of its own."""
        self.picture.line(self._curve(x, y), role, width, dashed)

    def marks(self, x: Array, y: Array, able: Array, role: str) -> None:
        """A small square on each point; another colour where the design behind it cannot be built."""
        for a, b, fine in zip(x, y, able, strict=True):
            self.picture.box(self.x(float(a)) - 0.7, self.y(float(b)) - 0.7, 1.4, 1.4, role if fine else "over")

    def _curve(self, x: Array, y: Array) -> Points:
        """Data as points of the picture, cut off at the frame's levels."""
        xs = self.left + (np.asarray(x) - self.x0) / (self.x1 - self.x0) * self.width
        ys = self.top + (self.y1 - np.clip(np.asarray(y), self.y0, self.y1)) / (self.y1 - self.y0) * self.height
        return thinned(xs, ys)

    def trace(self, name: str, x: Array, y: Array, role: str, width: float = 0.45, dashed: bool = False) -> None:
        """Draw one trace; its data is kept for the cursor and the export, under a name of its own in the whole picture: that of another
        frame gets the frame's title."""
        if f"{name} [{self.y_unit}]" in self.picture.data:
            name = (f"{name}, {self.heading} {len(self.picture.frames) + 1}"
                    if f"{name}, {self.heading} [{self.y_unit}]" in self.picture.data else f"{name}, {self.heading}")
        self.picture.line(self._curve(x, y), role, width, dashed)
        self.picture.data[f"{name} x [{self.x_unit}]"], self.picture.data[f"{name} [{self.y_unit}]"] = np.asarray(x), np.asarray(y)
        self.names.append(name)

    def close(self) -> None:
        """Write the title and record the frame for cursors."""
        self.picture.text(self.left, self.top - 1.2, self.title, "ink", "left", 3.4, True)
        self.picture.frames.append(
            FrameInfo(self.left, self.top, self.width, self.height, (self.x0, self.x1), (self.y0, self.y1), self.x_unit, self.y_unit,
                      tuple(self.names), self.x_name, self.title))

    def level(self, value: float, text: str, role: str) -> None:
        """A horizontal mark such as a limit."""
        if self.y0 <= value <= self.y1:
            self.picture.line([(self.left, self.y(value)), (self.left + self.width, self.y(value))], role, 0.3, True)
            if text and self.y(value) - 3.2 > self.top:
                self.picture.label(self.left + 0.58 * self.width, self.y(value) - 0.8, text, role, "right",
                                   down=True)  # left of the read-out
            else:  # too near the top: beside the title, where the read-out covers it while somebody points
                self.picture.text(self.left + self.width - 1.5, self.top - 1.2, text, role, "right", 3.0)


def _power(largest: float) -> int:
    """Prefix exponent of a scale: volts up to 2000 stay volts."""
    if largest <= 0:
        return 0
    return min(max(math.floor(math.log10(largest / 1.9999 if largest > 999.0 else largest * 1.0001) / 3) * 3, -12), 6)


def _plain(value: float, step: float) -> str:
    places = max(0, -math.floor(math.log10(step) + 1e-9))
    return minus(f"{value:.{places}f}") if abs(value) > step * 1e-6 else "0"
