"""The Wind desk: the winding sheet as it is printed, its pages side by side, ways to hand it to a maker, the benches for gap, core loss,
ringing, the drain's record and rework."""

import itertools
import sys
from collections.abc import Sequence
from importlib import import_module
from threading import Thread
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QScrollArea, QStackedWidget, QTabBar, QVBoxLayout, QWidget

from rhevectra.core.design.design import Design
from rhevectra.core.topologies.common.making import complaints
from rhevectra.drawing.sheet import has_sheet, pages, sheet_of
from rhevectra.ui.rail import BENCHES
from rhevectra.ui.views.gap_bench import GapBench
from rhevectra.ui.views.loss_bench import LossBench
from rhevectra.ui.views.rework_bench import ReworkBench
from rhevectra.ui.views.ring_bench import RingBench
from rhevectra.ui.views.trace_bench import TraceBench
from rhevectra.ui.widgets.page_view import PageView

FITS = "scipy.optimize"
"""What the benches fit readings with."""


class WindView(QWidget):
    """The pages under a line of what they say. Emits the wish to save."""

    pdf_wanted = Signal()
    text_wanted = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.addLayout(self._head())
        self.gap, self.loss, self.ringing = GapBench(self), LossBench(self), RingBench(self)
        self.trace, self.rework = TraceBench(self), ReworkBench(self)
        self.trace.ring_read.connect(self._ring_read)
        self.stack = QStackedWidget(self)
        for page in (self._sheet(), self.gap, self.loss, self.ringing, self.trace, self.rework):
            self.stack.addWidget(page)
        column.addWidget(self.stack, 1)

    def _head(self) -> QHBoxLayout:
        """Tabs, what the sheet says of itself, and the ways to hand it on."""
        row = QHBoxLayout()
        self.said = QLabel("", self)
        self.said.setObjectName("muted")
        self.said.setWordWrap(True)
        self.pdf, self.text = QPushButton("Save as PDF …", self), QPushButton("Save steps as text …", self)
        self.pdf.setToolTip("all pages, A4")
        self.text.setToolTip("the steps as a table of tab-separated columns, for a maker's own system")
        self.pdf.clicked.connect(self.pdf_wanted)
        self.text.clicked.connect(self.text_wanted)
        self.tabs = QTabBar(self)
        self.tabs.setDrawBase(False)
        self.tabs.setAccessibleName("sheet or gap bench")
        for name in BENCHES:
            self.tabs.addTab(name)
        self.tabs.currentChanged.connect(self._turn)
        row.addWidget(self.tabs)
        row.addWidget(self.said, 1)
        row.addStretch()
        row.addWidget(self.pdf)
        row.addWidget(self.text)
        return row

    def _sheet(self) -> QScrollArea:
        """The pages, two side by side."""
        area, body = QScrollArea(self), QWidget()
        area.setWidgetResizable(True)
        grid = QGridLayout(body)
        grid.setContentsMargins(0, 0, 0, 0)
        self.views = tuple(PageView(f"winding sheet, page {k}", body) for k in (1, 2, 3, 4))
        for k, view in enumerate(self.views):
            grid.addWidget(view, k // 2, k % 2, Qt.AlignmentFlag.AlignTop)
            grid.setColumnStretch(k % 2, 1)
        area.setWidget(body)
        return area

    def _ring_read(self, field: str, frequency: float) -> None:
        """A ring read from a record stands in the ringing bench, which comes forward."""
        self.ringing.take_reading(field, frequency)
        self.tabs.setCurrentIndex(self.stack.indexOf(self.ringing))

    def _turn(self, tab: int) -> None:
        self.stack.setCurrentIndex(tab)
        for shown in (self.pdf, self.text, self.said):
            shown.setVisible(tab == 0)
        if tab and FITS not in sys.modules:  # read while somebody types: at the first reading it would hold the window up for half a second
            Thread(target=import_module, args=(FITS,)).start()

    def show_design(self, design: Design, title: str, log: Sequence[Any] = ()) -> None:
        """The sheet of a design, or that there is nothing to wind; log: the project's bench log."""
        able = has_sheet(design)
        self.gap.show_design(design, log)
        self.loss.show_design(design)
        self.ringing.show_design(design)
        self.trace.show_design(design)
        self.rework.show_design(design)
        for button in (self.pdf, self.text):
            button.setEnabled(able)
        if not able:
            self.said.setText("this topology has no transformer: nothing to wind")
            for view in self.views:
                view.show_page(None)
            return
        found = complaints(sheet_of(design))
        state = "" if design.feasible else "; the design breaks a limit: do not order from it"
        self.said.setText(f"pins, turns, layers, ends and barriers agree{state}" if not found else "; ".join(found))
        for view, page in itertools.zip_longest(self.views, pages(design, title)):
            view.show_page(page)
