"""Upright pages of A4 that are written from the top: titles, tables, notes and pictures; what does not fit goes on with the next page."""

from collections.abc import Sequence

from msgspec.structs import replace

from rhevectra.drawing.display import Disc, Picture, Text
from rhevectra.drawing.lines import folded

PAGE = (210.0, 297.0)
EDGE = 14.0
"""Margin of the page [mm]."""
NUMBER = 24.0
"""Room for the number of a page beside its heading [mm]."""
BOTTOM = PAGE[1] - 10.0
"""What is written ends above this [mm]."""
TABLE, NOTE = 2.9, 2.9
"""Size of the letters of tables and notes [mm]."""
_LETTER = 0.50
"""Mean width of a letter over its size."""


def wrapped(text: str, width: float, size: float) -> list[str]:
    """Lines of a text that keep to a width [mm]."""
    return folded(text, max(int(width / (_LETTER * size)), 4)) or [""]


def _starts(widths: Sequence[float]) -> list[float]:
    return [EDGE + sum(widths[:k]) for k in range(len(widths))]


class Paper:
    """Pages with the project's title at their head, and what kind of paper it is. page: the one that is written, y: where it goes on
    [mm]."""

    def __init__(self, title: str, kind: str = "Winding sheet") -> None:
        self.title, self.kind, self.pages = title, kind, list[Picture]()
        self._heading, self.page, self.y = "", Picture(*PAGE, ""), 0.0

    def start(self, heading: str) -> None:
        """A new page under a heading."""
        self._heading, self.page, self.y = heading, Picture(*PAGE, f"{self.kind.lower()}, {heading}"), 34.0
        self.pages.append(self.page)
        head = f"{self.kind} · {heading}"
        self.page.text(EDGE, 18, head, "ink", "left", min(6.0, (PAGE[0] - 2 * EDGE - NUMBER) / (_LETTER * len(head))), True)
        self.page.text(EDGE, 24.5, self.title, "muted", "left", 3.8)
        self.page.line([(EDGE, 27.5), (PAGE[0] - EDGE, 27.5)], "ink", 0.4)

    def room(self, high: float) -> None:
        """The next page, under the same heading, where this one has no room for so much [mm]."""
        if self.y + high > BOTTOM:
            self.start(self._heading)

    def titled(self, text: str, after: float = 20.0) -> None:
        """A title, with room for so much below it [mm]."""
        self.room(5.5 + after)
        self.page.text(EDGE, self.y, text, "ink", "left", 4.2, True)
        self.y += 5.5

    def table(self, heads: Sequence[str], widths: Sequence[float], rows: Sequence[Sequence[str]]) -> None:
        """A table with wrapped cells, its head again on every page. widths: of the columns [mm]."""
        self._heads(heads, widths)
        for row in rows:
            cells = [wrapped(text, w - 1.5, TABLE) for text, w in zip(row, widths, strict=True)]
            high = max(len(c) for c in cells) * TABLE * 1.25
            if self.y + high + 1.6 > BOTTOM:
                self.start(self._heading)
                self._heads(heads, widths)
            for lines, x in zip(cells, _starts(widths), strict=True):
                for k, line in enumerate(lines):
                    self.page.text(x, self.y + TABLE * (1.2 + 1.25 * k), line, "ink", "left", TABLE)
            self.y += high + 1.6
            self.page.line([(EDGE, self.y), (EDGE + sum(widths), self.y)], "rule", 0.2)
        self.y += 6.0

    def _heads(self, heads: Sequence[str], widths: Sequence[float]) -> None:
        for head, x in zip(heads, _starts(widths), strict=True):
            self.page.text(x, self.y, head, "muted", "left", TABLE)
        self.y += 1.6
        self.page.line([(EDGE, self.y), (EDGE + sum(widths), self.y)], "ink", 0.3)

    def noted(self, notes: Sequence[str]) -> None:
        """A dash before each note."""
        for note in notes:
            lines = wrapped(note, PAGE[0] - 2 * EDGE - 4, NOTE)
            self.room(3.8 * (len(lines) - 1))
            for k, line in enumerate(lines):
                self.page.text(EDGE + (0 if k == 0 else 3), self.y, f"– {line}" if k == 0 else line, "ink", "left", NOTE)
                self.y += 3.8

    def placed(self, part: Picture, high: float) -> None:
        """Another picture's items across the page, so high [mm]."""
        self.room(high)
        x, y = EDGE, self.y
        for item in part.items:
            if isinstance(item, Text | Disc):
                self.page.items.append(replace(item, x=item.x + x, y=item.y + y))
            else:
                self.page.items.append(replace(item, points=[(a + x, b + y) for a, b in item.points]))
        self.y += high

    def numbered(self) -> tuple[Picture, ...]:
        """All pages, with their numbers."""
        for k, page in enumerate(self.pages, 1):
            page.text(PAGE[0] - EDGE, 18, f"page {k} of {len(self.pages)}", "muted", "right", 3.4)
            page.caption = f"{page.caption}, page {k} of {len(self.pages)}"
        return tuple(self.pages)
