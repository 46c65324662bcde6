"""The bench log: what was read, changed and noted, newest first; a line for one's own words. Nothing in it can be changed or taken back."""

from collections.abc import Iterable, Mapping
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rhevectra.project.log import Entry, entries
from rhevectra.ui.widgets.tables import filled

EMPTY = ("Nothing is logged yet. Readings that are entered, what the benches are told and find, and your own words stand here with their "
         "time, and stay with the project; undo does not touch them.")
COLUMNS = ("when", "kind", "what", "read against expected")


def compared(e: Entry, labels: Mapping[str, str]) -> str:
    """How far each reading of an entry is from what the design had expected; labels: figure -> its name."""
    return ", ".join(f"{labels.get(name, name).lower()} {100 * (v / e.expected[name] - 1):+.1f} %".replace("-", "−")
                     for name, v in e.values.items() if e.expected.get(name))


class LogPage(QWidget):
    """Table and line. Emits the words to add, and the wish to save the table."""

    noted = Signal(str)
    csv_wanted = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._told: tuple[list[Entry], Mapping[str, str]] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        row = QHBoxLayout()
        self.line = QLineEdit(self)
        self.line.setPlaceholderText("what was changed, why, what was seen")
        self.line.setAccessibleName("words for the log")
        self.line.returnPressed.connect(self._add)
        self.add, self.csv = QPushButton("Add to the log", self), QPushButton("Save as CSV …", self)
        self.add.setToolTip("stands in the log with date and time; it cannot be taken back")
        self.csv.setToolTip("one row for each value that was read, beside what was expected")
        self.add.clicked.connect(self._add)
        self.csv.clicked.connect(self.csv_wanted)
        for widget in (self.line, self.add, self.csv):
            row.addWidget(widget, 1 if widget is self.line else 0)
        column.addLayout(row)
        self.words = QLabel(EMPTY, self)
        self.words.setObjectName("muted")
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.table = QTableWidget(0, len(COLUMNS), self)
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.setAccessibleName("bench log")
        self.table.verticalHeader().hide()
        self.table.setWordWrap(True)
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        for k in range(len(COLUMNS)):
            header.setSectionResizeMode(k, QHeaderView.ResizeMode.Stretch if k == 2 else QHeaderView.ResizeMode.ResizeToContents)
        column.addWidget(self.table, 1)

    def _add(self) -> None:
        text = self.line.text().strip()
        if text:
            self.line.clear()
            self.noted.emit(text)

    def show_log(self, log: Iterable[Any], labels: Mapping[str, str]) -> None:
        """The entries of a document; labels: figure -> its name."""
        found = entries(log)[::-1]
        if (found, labels) == self._told:  # an edit does not touch it
            return
        self._told = found, labels
        self.words.setVisible(not found)
        self.csv.setEnabled(bool(found))
        with filled(self.table, len(found)):
            for r, e in enumerate(found):
                for c, text in enumerate((e.day, e.kind, e.text, compared(e, labels))):
                    item = QTableWidgetItem(text)
                    item.setTextAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
                    item.setToolTip(text)
                    self.table.setItem(r, c, item)
        self.table.resizeRowsToContents()
