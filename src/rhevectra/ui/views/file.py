"""The File desk: all that leaves the program, and the whole design on paper as it will be printed."""

import itertools
from collections.abc import Iterator, Sequence
from typing import Any

from msgspec import Struct
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from rhevectra.app import dossier
from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design
from rhevectra.drawing.display import Picture
from rhevectra.drawing.sheet import has_sheet
from rhevectra.ui.feed import Feed
from rhevectra.ui.widgets.card import titled
from rhevectra.ui.widgets.page_view import PageView

LEFT, LEAST_PAGE = 344, 740
"""Width of what is handed on [px]: room for a hint of two lines beside its button; and of a page that is read without effort."""


class Paper(Struct, frozen=True):
    """Something that can be handed on: what the button says, what it is, the method of the window that asks for its name."""

    text: str
    hint: str
    method: str
    wound: bool = False


PAPERS = (Paper("Design as PDF …", "all pages beside: for the file, a colleague, a review", "dossier_dialog"),
          Paper("Winding sheet …", "PDF for the maker of transformer, inductors and chokes", "winding_dialog", True),
          Paper("Winding steps …", "the same as a table of text", "winding_text_dialog", True),
          Paper("Ratings …", "every limit with margin, corner and rule, as CSV", "ratings_dialog"),
          Paper("Parts list …", "parts of the power path and their count, as CSV", "parts_dialog"),
          Paper("Bring-up …", "steps with the readings to expect and those taken, as CSV", "bringup_dialog"),
          Paper("Bench log …", "every entry with its time, as CSV", "log_dialog"))


def contents(pages: Sequence[Picture]) -> list[tuple[str, int, int]]:
    """Heading, first and last page (from one up) of all that stands on pages one behind the other under the same heading."""
    found: list[tuple[str, int, int]] = []
    for k, page in enumerate(pages, 1):
        kind, *words, _number = page.caption.split(", ")
        heading = ", ".join(words)
        name = heading if kind == "design" else f"{kind}: {heading}"
        if found and found[-1][0] == name:
            found[-1] = (name, found[-1][1], k)
        else:
            found.append((name, k, k))
    return found


def _offer(box: QComboBox, choices: Sequence[tuple[str, Any]]) -> None:
    """Fill a box with texts and what they stand for."""
    box.clear()
    for text, value in choices:
        box.addItem(text, value)


class FileView(QWidget):
    """What can be handed on at the left; the pages at the right, composed by a worker. Emits the window's method that asks for a name, and
    an operating point for the netlist: line [V], share of the load, end of the bus."""

    wanted = Signal(str)
    netlist_wanted = Signal(float, float, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._design: Design | None = None
        self._title = ""
        self.composing = Feed(self._pages, self)
        self.composing.found.connect(self._composed)
        self.buttons: dict[str, QPushButton] = {}
        self.line, self.load, self.bus = QComboBox(self), QComboBox(self), QComboBox(self)
        self.contents, self.said = QListWidget(self), QLabel("", self)
        self.views: list[PageView] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 12, 8)
        row.setSpacing(8)
        left = QVBoxLayout()
        left.setSpacing(8)
        for title, inner in (("Hand on", self._papers()), ("Netlist for a circuit simulator", self._netlist()),
                             ("Pages", self._contents())):
            card = titled(title, inner, self, fills=True)
            card.setFixedWidth(LEFT)
            left.addWidget(card, int(title == "Pages"))
        row.addLayout(left)
        self.area, body = QScrollArea(self), QWidget()
        self.area.setWidgetResizable(True)
        self.area.setAccessibleName("pages as they are printed")
        self._grid, self._columns = QGridLayout(body), 1
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(8)
        self.area.setWidget(body)
        row.addWidget(self.area, 1)

    def _papers(self) -> QWidget:
        inner = QWidget(self)
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        for r, paper in enumerate(PAPERS):
            button, hint = QPushButton(paper.text, inner), QLabel(paper.hint, inner)
            button.setToolTip(paper.hint)
            button.clicked.connect(lambda _checked=False, method=paper.method: self.wanted.emit(method))
            hint.setObjectName("muted")
            hint.setWordWrap(True)
            grid.addWidget(button, r, 0)
            grid.addWidget(hint, r, 1)
            self.buttons[paper.method] = button
        return inner

    def _netlist(self) -> QWidget:
        inner = QWidget(self)
        row = QHBoxLayout(inner)
        row.setContentsMargins(0, 0, 0, 0)
        for box, name, tip in ((self.line, "line voltage", "voltage of the mains, or of the dc source"),
                               (self.load, "load", "share of full load"), (self.bus, "end of the bus", "the bus at its valley or crest")):
            box.setAccessibleName(f"netlist: {name}")
            box.setToolTip(tip)
            row.addWidget(box)
        save = self.buttons["netlist"] = QPushButton("Netlist …", inner)
        save.setToolTip("the power stage at this point, run unedited by a general circuit simulator; its first lines tell what to expect")
        save.clicked.connect(lambda: self.netlist_wanted.emit(self.line.currentData(), self.load.currentData(), self.bus.currentData()))
        row.addStretch(1)
        row.addWidget(save)
        return inner

    def _contents(self) -> QWidget:
        inner = QWidget(self)
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        self.said.setObjectName("muted")
        self.said.setWordWrap(True)
        self.contents.setAccessibleName("contents")
        self.contents.currentItemChanged.connect(lambda item, _before: self._turn_to(item))
        self.contents.itemClicked.connect(self._turn_to)
        column.addWidget(self.said)
        column.addWidget(self.contents, 1)
        return inner

    def show_design(self, design: Design, title: str, corner: Corner | None) -> None:
        """The pages of a design; corner: of the pictures, from which the netlist's point is taken."""
        if design is self._design and title == self._title:
            return
        self._design, self._title = design, title
        for paper in PAPERS:
            self.buttons[paper.method].setEnabled(has_sheet(design) or not paper.wound)
        grid = design.grid
        loads = sorted({p.load for p in grid.points if p.case == "run" and not p.label and p.load > 0}, reverse=True)
        _offer(self.line, [(f"{x:g} V", float(x)) for x in grid.lines])
        _offer(self.load, [(f"{100 * x:g} % load", x) for x in loads])
        _offer(self.bus, [(f"bus {name}", name) for name in grid.bus])
        self.line.setCurrentIndex(grid.lines.index(corner.v_line) if corner is not None and corner.v_line in grid.lines else 0)
        self._show_pages(())
        self.said.setText("the pages are being composed …")
        self.composing.want(design)

    def _pages(self, design: Design, _corner: Corner | None) -> Iterator[tuple[int, int, Any]]:
        """In the worker: the pages, with the title they bear."""
        title = self._title
        yield 1, 1, (title, dossier.whole(design, title))

    def _composed(self, design: Design, found: Any, why: str) -> None:
        if found is None:
            self.said.setText(f"the pages cannot be composed: {why}")
            return
        title, pages = found
        if title != self._title:  # another title since: the pages bear the old one
            self.composing.want(design)
            return
        self._show_pages(pages)
        self.said.setText(f"{len(pages)} pages, A4" + ("" if design.feasible else "; the design breaks a limit, and they say so"))

    def _show_pages(self, pages: Sequence[Picture]) -> None:
        for _ in range(len(self.views), len(pages)):
            self.views.append(PageView(f"page {len(self.views) + 1}", self.area.widget()))
        self._place()
        for view, page in itertools.zip_longest(self.views, pages):
            view.show_page(page)
        self.contents.clear()
        for name, first, last in contents(pages):
            item = QListWidgetItem(f"{name[0].upper()}{name[1:]}   {first}{f'–{last}' if last > first else ''}")
            item.setData(Qt.ItemDataRole.UserRole, first - 1)
            self.contents.addItem(item)
        self.area.verticalScrollBar().setValue(0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        columns = max((self.width() - LEFT) // LEAST_PAGE, 1)
        if columns != self._columns:
            self._columns = columns
            self._place()
        super().resizeEvent(event)

    def _place(self) -> None:
        """The pages side by side, as many as there is room for."""
        for k, view in enumerate(self.views):
            self._grid.addWidget(view, k // self._columns, k % self._columns, Qt.AlignmentFlag.AlignTop)

    def _turn_to(self, item: QListWidgetItem | None) -> None:
        """Bring the first page of an entry to the top."""
        if item is not None:
            self.area.verticalScrollBar().setValue(self.views[item.data(Qt.ItemDataRole.UserRole)].y())
