"""The display list: lines, texts and fills in millimetres with a role instead of a colour."""

from collections.abc import Callable

from msgspec import Struct, field

from rhevectra.core.basis.corners import Array

Points = list[tuple[float, float]]


class Line(Struct, frozen=True):
    """A polyline. role names its colour; width in mm; dashed tells kinds apart without colour."""

    points: Points
    role: str = "ink"
    width: float = 0.25
    dashed: bool = False


class Fill(Struct, frozen=True):
    """A filled polygon, with an outline role if any."""

    points: Points
    role: str
    outline: str = ""


class Disc(Struct, frozen=True):
    """A filled circle about x, y with radius r [mm], with an outline role if any."""

    x: float
    y: float
    r: float
    role: str
    outline: str = ""


class Dots(Struct, frozen=True):
    """Many small filled circles of one radius [mm]: thousands of them are stamped, not drawn one by one."""

    points: Points
    r: float
    role: str


class Text(Struct, frozen=True):
    """A text. anchor: left, middle or right of x; y is the base line; size in mm of line height; clear: on a patch of the card, so that
    what lies behind does not cross it."""

    x: float
    y: float
    text: str
    role: str = "ink"
    anchor: str = "left"
    size: float = 3.4
    bold: bool = False
    clear: bool = False


def extent(text: Text) -> tuple[float, float, float, float]:
    """About where a text lies, half its height per letter: left, top, right, bottom [mm]."""
    w = 0.5 * text.size * len(text.text)
    left = text.x - {"left": 0.0, "middle": w / 2, "right": w}[text.anchor]
    return left, text.y - 0.8 * text.size, left + w, text.y + 0.1 * text.size


def _over(a: tuple[float, float, float, float], b: tuple[float, float, float, float]) -> bool:
    """Whether two boxes lie on each other."""
    return min(a[2], b[2]) > max(a[0], b[0]) and min(a[3], b[3]) > max(a[1], b[1])


class Spot(Struct, frozen=True):
    """A part of a picture that can be taken with the mouse: rectangle [mm], what it is, what it says when pointed at."""

    left: float
    top: float
    width: float
    height: float
    name: str
    tip: str


class Picture(Struct, eq=False):
    """A picture of a width and height in mm; y grows downwards. data: named columns for export and cursors; spots: what can be taken;
    decides: the decision a click on a spot makes, with its name as value; pick: decisions that a point of the picture [mm] stands for, and
    what they would give."""

    width: float
    height: float
    caption: str = ""
    items: list[Line | Fill | Disc | Dots | Text] = field(default_factory=list)
    data: dict[str, Array] = field(default_factory=dict)
    frames: list["FrameInfo"] = field(default_factory=list)
    spots: list[Spot] = field(default_factory=list)
    decides: str = ""
    pick: Callable[[float, float], tuple[dict[str, float | str], str] | None] | None = None

    def line(self, points: Points, role: str = "ink", width: float = 0.25, dashed: bool = False) -> None:
        self.items.append(Line(points, role, width, dashed))

    def fill(self, points: Points, role: str, outline: str = "") -> None:
        self.items.append(Fill(points, role, outline))

    def disc(self, x: float, y: float, r: float, role: str, outline: str = "") -> None:
        self.items.append(Disc(x, y, r, role, outline))

    def dots(self, points: Points, r: float, role: str) -> None:
        if points:
            self.items.append(Dots(points, r, role))

    def text(self, x: float, y: float, text: str, role: str = "ink", anchor: str = "left", size: float = 3.4, bold: bool = False,
             clear: bool = False) -> None:
        self.items.append(Text(x, y, text, role, anchor, size, bold, clear))

    def label(self, x: float, y: float, text: str, role: str = "ink", anchor: str = "left", size: float = 3.0, down: bool = False) -> None:
        """A text over traces, on a patch of the card, that keeps clear of the texts before it: at its place, or the nearest free line above
        or below; down: below is tried first."""
        taken = [extent(i) for i in self.items if isinstance(i, Text)]
        for line in (0, -1, 1, -2, 2, -3, 3):
            here = Text(x, y + 1.25 * (-line if down else line) * size, text, role, anchor, size, False, True)
            if size <= here.y <= self.height and not any(_over(extent(here), other) for other in taken):
                break
        else:
            here = Text(x, y, text, role, anchor, size, False, True)
        self.items.append(here)

    def box(self, x: float, y: float, w: float, h: float, role: str, outline: str = "") -> None:
        self.fill([(x, y), (x + w, y), (x + w, y + h), (x, y + h)], role, outline)


class FrameInfo(Struct, frozen=True):
    """Where a scaled frame lies in the picture, for cursors: rectangle [mm], data range, units, names of its traces; x_name: unit of its
    time ticks with its prefix, empty where they are not written; title with its unit."""

    left: float
    top: float
    width: float
    height: float
    x_range: tuple[float, float]
    y_range: tuple[float, float]
    x_unit: str
    y_unit: str
    traces: tuple[str, ...]
    x_name: str = ""
    title: str = ""
