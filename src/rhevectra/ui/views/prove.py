"""The Prove desk: bringing the made supply up with the readings it should show, and the bench log."""

from collections.abc import Sequence
from typing import Any

from PySide6.QtWidgets import QStackedWidget, QTabBar, QVBoxLayout, QWidget

from rhevectra.core.design.design import Design
from rhevectra.ui.rail import PROOFS
from rhevectra.ui.views.bring_up import BringUp
from rhevectra.ui.views.log_page import LogPage


class ProveView(QWidget):
    """Two pages under their tabs."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._labels: dict[str, str] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        self.tabs = QTabBar(self)
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("bring-up or log")
        for name in PROOFS:
            self.tabs.addTab(name)
        column.addWidget(self.tabs)
        self.bring_up, self.log, self.stack = BringUp(self), LogPage(self), QStackedWidget(self)
        self.stack.addWidget(self.bring_up)
        self.stack.addWidget(self.log)
        self.tabs.currentChanged.connect(self.stack.setCurrentIndex)
        column.addWidget(self.stack, 1)

    def show_design(self, design: Design, log: Sequence[Any]) -> None:
        """Plan and log of a design."""
        self._labels = {id: spec.label for id, spec in design.specs.items()}
        self.bring_up.show_design(design, log)
        self.log.show_log(log, self._labels)

    def show_log(self, log: Sequence[Any]) -> None:
        """The entries there are now."""
        self.bring_up.show_log(log)
        self.log.show_log(log, self._labels)

    def show_log_page(self) -> None:
        """The log comes forward, its line has the keyboard."""
        self.tabs.setCurrentIndex(self.stack.indexOf(self.log))
        self.log.line.setFocus()
