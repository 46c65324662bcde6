"""The grid of operating points every figure is judged on.

Axes, in this order: line voltage, line frequency, operating point, bus (valley or peak of the
bulk within the line cycle). Values that do not depend on an axis have length 1 there.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace
from numpy.typing import NDArray

Array = NDArray[Any]
LOADS = (0.0, 0.1, 0.25, 0.5, 1.0)


def pick(values: Any, index: tuple[int, ...]) -> float:
    """One corner's number from an array that broadcasts to the grid, without broadcasting it."""
    if isinstance(values, np.ndarray) and values.ndim:
        return float(values[tuple(0 if size == 1 else i for i, size in zip(index[-values.ndim :], values.shape, strict=True))])
    return float(values)


class Point(Struct, frozen=True):
    """One operating point: its case, the share of full load (nominal), the current of each output [A]."""

    case: str
    load: float
    currents: tuple[float, ...]
    label: str = ""


class Corner(Struct, frozen=True):
    """Where a figure is worst: line [V rms or dc], line frequency [Hz], load share, case, bus end; and its grid index."""

    v_line: float
    f_line: float | None
    load: float
    case: str
    bus: str
    index: tuple[int, int, int, int]
    label: str = ""

    def as_dict(self) -> dict[str, object]:
        return {"v_line": self.v_line, "f_line": self.f_line, "load": self.load, "case": self.case, "bus": self.bus}

    def text(self) -> str:
        point = {"run": f"{self.load * 100:.0f} % load", "limit": "current limit", "peak": "peak load", "start": "start-up",
                 "short": "output short"}[self.case]
        line = f"{self.v_line:g} V" + (f" {self.f_line:g} Hz" if self.f_line else "")
        return f"{line} · {self.label or point}" + (f" · bus {self.bus}" if self.bus else "")


class Grid(Struct, frozen=True):
    """lines [V], freqs [Hz] (one 0.0 for dc), points, bus ends; `special` names a line or several that a figure is judged on."""

    lines: tuple[float, ...]
    freqs: tuple[float, ...]
    points: tuple[Point, ...]
    bus: tuple[str, ...] = ("valley", "peak")
    special: dict[str, Any] = field(default_factory=dict)
    _masks: dict[str, NDArray[np.bool_]] = field(default_factory=dict)
    _places: dict[Any, tuple[Array, Array]] = field(default_factory=dict)

    @property
    def shape(self) -> tuple[int, int, int, int]:
        return len(self.lines), len(self.freqs), len(self.points), len(self.bus)

    @property
    def v_line(self) -> Array:
        return np.asarray(self.lines)[:, None, None, None]

    @property
    def f_line(self) -> Array:
        return np.asarray(self.freqs)[None, :, None, None]

    @property
    def full_load(self) -> int:
        """Number of the operating point at full load in run, all outputs together."""
        return self.at_load(1.0)

    def at_load(self, load: float) -> int:
        """Number of the operating point in run at a load, all outputs together."""
        return next(i for i, p in enumerate(self.points) if p.case == "run" and p.load == load and not p.label)

    @property
    def unloaded(self) -> NDArray[np.bool_]:
        """Mask of the operating points in run where nothing is drawn from any output, shape (1, 1, points, 1)."""
        return self.where(lambda p: p.case == "run" and not any(p.currents))

    def current(self, output: int) -> Array:
        """Current of one output at each point [A], shape (1, 1, points, 1)."""
        return np.array([p.currents[output] for p in self.points])[None, None, :, None]

    def where(self, test: Callable[[Point], bool]) -> NDArray[np.bool_]:
        """Mask over the points axis, shape (1, 1, points, 1)."""
        return np.array([test(p) for p in self.points])[None, None, :, None]

    def corner(self, index: tuple[int, ...]) -> Corner:
        line, freq, point, bus = index
        p = self.points[point]
        return Corner(self.lines[line], self.freqs[freq] or None, p.load, p.case, self.bus[bus], (line, freq, point, bus), p.label)

    def along_load(self, corner: Corner) -> list[tuple[float, tuple[int, int, int, int]]]:
        """The loads in run at the line and bus of a corner, rising, each with its index."""
        line, freq, _, bus = corner.index
        return [(p.load, (line, freq, k, bus)) for k, p in enumerate(self.points) if p.case == "run" and not p.label]

    def find(self, v_line: float, load: float = 1.0, case: str = "run", bus: str = "valley", f_line: float | None = None) -> Corner:
        """The corner nearest in line voltage (lowest line frequency unless named) at a point that exists (ValueError if not)."""
        line = int(np.argmin(np.abs(np.asarray(self.lines) - v_line)))
        point = next(i for i, p in enumerate(self.points) if p.case == case and (case != "run" or abs(p.load - load) < 1e-9)
                     and not p.label)
        freq = 0 if f_line is None else int(np.argmin(np.abs(np.asarray(self.freqs) - f_line)))
        return self.corner((line, freq, point, self.bus.index(bus) if bus in self.bus else 0))


class Domain(Struct, frozen=True):
    """A named set of corners on which a figure is judged."""

    name: str
    text: str
    points: Callable[[Point], bool]
    line: str = ""
    case: str = ""
    """Name of the case where it is not that of the points: start and short are worked out from the points at the current limit."""

    def __reduce__(self) -> tuple[Callable[[str], "Domain"], tuple[str]]:
        return _domain, (self.name,)  # another process has the same ones

    @property
    def special(self) -> bool:
        """A single load other than full, a single line or a case: the figure means nothing elsewhere."""
        return bool(self.line or self.case) or self.name in ("light", "idle")

    def named(self, corner: Corner) -> Corner:
        """A corner under the name of this domain's case, where it has one of its own."""
        return replace(corner, case=self.case) if self.case else corner

    def mask(self, grid: Grid) -> NDArray[np.bool_]:
        """The corners of this domain on a grid, which keeps the mask: every figure of the domain asks for it."""
        if self.name not in grid._masks:
            grid._masks[self.name] = self._mask(grid)
        return grid._masks[self.name]

    def places(self, grid: Grid, shape: tuple[int, ...]) -> tuple[Array, Array]:
        """Where an array that broadcasts to the grid has numbers of this domain, each once, and the first corner of each (counted along the
        whole grid); kept by the grid like the mask."""
        key = self.name, shape
        if key not in grid._places:
            mask = np.flatnonzero(self.mask(grid))
            numbers = np.broadcast_to(np.arange(int(np.prod(shape))).reshape(shape), grid.shape).ravel()[mask]
            first = np.sort(np.unique(numbers, return_index=True)[1])
            grid._places[key] = numbers[first], mask[first]
        return grid._places[key]

    def _mask(self, grid: Grid) -> NDArray[np.bool_]:
        chosen = np.broadcast_to(grid.where(self.points), grid.shape)
        if self.line and self.line in grid.special:
            chosen = chosen & np.isin(grid.v_line, grid.special[self.line])
        return chosen


FULL = Domain("full", "all lines and line frequencies, load 1", lambda p: p.case == "run" and p.load == 1.0)
LIGHT = Domain("light", "all lines and line frequencies, load 0.1", lambda p: p.case == "run" and p.load == 0.1)
IDLE = Domain("idle", "all lines and line frequencies, load 0", lambda p: p.case == "run" and p.load == 0.0)
RUN = Domain("run", "all lines and line frequencies, every load in run", lambda p: p.case == "run")
PEAKS = Domain("peaks", "all lines and line frequencies, every load, peak load and the case limit", lambda p: True)
LOADED = Domain("loaded", "all lines and line frequencies, load 1 and peak load",
                lambda p: p.case == "peak" or (p.case == "run" and p.load == 1.0))
CARRIED = Domain("carried", "all lines and line frequencies, every load in run and peak load", lambda p: p.case in ("run", "peak"))
QUARTER = Domain("quarter", "all lines and line frequencies, load 0.25 and more",
                 lambda p: p.case == "run" and not p.label and p.load >= 0.25)
HARMONIC = Domain("harmonic", "highest nominal line, load 1", lambda p: p.case == "run" and p.load == 1.0, "nominal_max")
HOLD_UP = Domain("hold-up", "hold_up_at, load 1", lambda p: p.case == "run" and p.load == 1.0, "hold_up_at")
START = Domain("start", "all lines and line frequencies, start-up into full load at the current limit", lambda p: p.case == "limit",
               case="start")
FOUR = Domain("four", "nominal lines, mean of loads 0.25 to 1", lambda p: p.case == "run" and p.load == 1.0 and not p.label, "nominals")
LIMIT = Domain("limit", "all lines and line frequencies, at the current limit", lambda p: p.case == "limit", case="limit")
SHORT = Domain("short", "all lines and line frequencies, outputs short", lambda p: p.case == "limit", case="short")
_DOMAINS = {d.name: d for d in (FULL, LIGHT, IDLE, RUN, PEAKS, LOADED, CARRIED, QUARTER, HARMONIC, HOLD_UP, START, LIMIT, SHORT, FOUR)}


def _domain(name: str) -> Domain:
    return _DOMAINS[name]


def outer_buses(v_bus: Array) -> tuple[Array, Array]:
    """Numbers of the corners (2, points) with the least and the greatest bus of every operating point, and where each corner lies between
    them, 0 to 1."""
    by_point = np.moveaxis(v_bus, 2, 0).reshape(v_bus.shape[2], -1)
    number = np.moveaxis(np.arange(v_bus.size).reshape(v_bus.shape), 2, 0).reshape(by_point.shape)
    every = np.arange(len(by_point))
    outer = np.array([number[every, by_point.argmin(1)], number[every, by_point.argmax(1)]])
    low, high = v_bus.ravel()[outer][:, None, None, :, None]
    return outer, (v_bus - low) / np.maximum(high - low, 1e-9)
