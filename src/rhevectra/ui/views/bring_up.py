"""Bringing a made supply up: the steps in their order, the band of every reading, a place to enter it, and what it says."""

from collections.abc import Iterable, Sequence
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

from rhevectra.bench.bringup import ROOM, Step, plan
from rhevectra.bench.readings import AS_EXPECTED, Check, last_readings
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import parse, show
from rhevectra.core.design.design import Design
from rhevectra.project.log import entries
from rhevectra.ui.theme import roles
from rhevectra.ui.widgets.tables import filled

COLUMNS = ("reading", "at", "how", "expected", "read", "what it says")
READ, SAYS = 4, 5
BANDS = ("Bands are what the design expects over the line frequencies, its tolerances, and what meters and the setting of the mains add. A "
         "reading goes into the log; Enter or a double click on what is expected tells where it comes from.")


class BringUp(QWidget):
    """Table of steps. Emits a reading with its check, the wish to see a figure, and the wish to save the table."""

    taken = Signal(object, float)
    figure_wanted = Signal(str)
    csv_wanted = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._design: Design | None = None
        self._log: tuple[Any, ...] = ()
        self.checks: dict[int, Check] = {}
        self.cells: dict[int, tuple[QTableWidgetItem, QTableWidgetItem]] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        row = QHBoxLayout()
        self.state = QLabel("", self)
        self.room = QLineEdit(f"{ROOM:g} °C", self)
        self.room.setFixedWidth(80)
        self.room.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.room.setAccessibleName("temperature of the room")
        self.room.setToolTip("temperature of the room at the bench [°C]; readings of heat are carried to the highest ambient from it")
        self.room.editingFinished.connect(self._show)
        self.csv = QPushButton("Save as CSV …", self)
        self.csv.setToolTip("all steps with their bands, what was read last and what it says")
        self.csv.clicked.connect(self.csv_wanted)
        row.addWidget(self.state, 1)
        row.addWidget(QLabel("room", self))
        row.addWidget(self.room)
        row.addWidget(self.csv)
        column.addLayout(row)
        words = QLabel(BANDS, self)
        words.setObjectName("muted")
        words.setWordWrap(True)
        column.addWidget(words)
        self.table = self._made_table()
        column.addWidget(self.table, 1)

    def _made_table(self) -> QTableWidget:
        table = QTableWidget(0, len(COLUMNS), self)
        table.setHorizontalHeaderLabels(COLUMNS)
        table.setAccessibleName("steps and readings")
        table.verticalHeader().hide()
        table.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        table.setWordWrap(True)
        table.setShowGrid(False)
        table.setEditTriggers(
            QAbstractItemView.EditTrigger.AnyKeyPressed | QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed)
        header = table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        for k, mode in enumerate(
                (*4 * [QHeaderView.ResizeMode.ResizeToContents], QHeaderView.ResizeMode.Fixed, QHeaderView.ResizeMode.Stretch)):
            header.setSectionResizeMode(k, mode)
        header.resizeSection(READ, 92)
        table.cellChanged.connect(self._changed)
        table.cellActivated.connect(lambda row, column: self.figure_wanted.emit(self.checks[row].figure)
                                    if column < READ and row in self.checks else None)
        return table

    def show_design(self, design: Design, log: Iterable[Any]) -> None:
        """The plan of a design with what its log holds."""
        self._design, self._log = design, tuple(log)
        self._show()

    def show_log(self, log: Iterable[Any]) -> None:
        """What the log holds now."""
        self._log = tuple(log)
        self._show_readings()

    def _room(self) -> float:
        """The room's temperature; what cannot be read is put back."""
        try:
            room = parse(self.room.text(), "°C", "room")
        except InputError:
            room = ROOM
        self.room.setText(f"{room:g} °C")
        return room

    def _show(self) -> None:
        if self._design is None:
            return
        steps = plan(self._design, self._room())
        self.table.clearSpans()
        with filled(self.table, sum(2 + len(step.checks) for step in steps)):
            self._fill(steps)
            self._fill_readings()

    def _fill(self, steps: Sequence[Step]) -> None:
        self.checks, self.cells, row = {}, {}, 0
        for k, step in enumerate(steps, 1):
            self._head(row, f"{k}  {step.name}", True)
            row += 1
            self._head(row, "\n".join(f"– {line}" for line in step.do), False)
            for c in step.checks:
                row += 1
                self.checks[row] = c
                items = [self._item(text, column) for column, text in enumerate((c.name, c.at, c.how, c.band, "", ""))]
                self.cells[row] = items[READ], items[SAYS]
                for column, item in enumerate(items):
                    self.table.setItem(row, column, item)
            row += 1

    def _head(self, row: int, text: str, title: bool) -> None:
        """A line across the table: name of a step, or what is done in it."""
        item = QTableWidgetItem(text)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
        item.setFont(roles.font(bold=title))
        item.setForeground(roles.colour("ink" if title else "muted"))
        self.table.setItem(row, 0, item)
        self.table.setSpan(row, 0, 1, len(COLUMNS))

    def _item(self, text: str, column: int) -> QTableWidgetItem:
        item = QTableWidgetItem(text)
        item.setTextAlignment(Qt.AlignmentFlag.AlignTop | (Qt.AlignmentFlag.AlignRight if column == READ else Qt.AlignmentFlag.AlignLeft))
        item.setFlags(
            Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
            | (Qt.ItemFlag.ItemIsEditable if column == READ else Qt.ItemFlag.NoItemFlags))
        if column < READ:
            item.setToolTip("Enter or double click: where it comes from")
        return item

    def _show_readings(self) -> None:
        with filled(self.table):
            self._fill_readings()

    def _fill_readings(self) -> None:
        """What was read last of every check, with its word; how many, and how many out."""
        read = last_readings(entries(self._log))
        out = 0
        for row, c in self.checks.items():
            value = read.get(c.key)
            cell = self.cells[row][0]
            cell.setText(c.unit if value is None else show(value, c.unit))  # where nothing was read the unit marks the place
            cell.setForeground(roles.colour("muted" if value is None else "ink"))
            self._say(row, "" if value is None else c.says(value), value is None or c.word(value) == AS_EXPECTED)
            out += value is not None and c.word(value) != AS_EXPECTED
        count = sum(c.key in read for c in self.checks.values())
        self.state.setText(
            f"{count} of {len(self.checks)} read" + (f", {out} out of {'its band' if out == 1 else 'their bands'}" if out else ""))

    def _say(self, row: int, text: str, fine: bool) -> None:
        said = self.cells[row][1]
        said.setText(text)
        said.setToolTip(text)
        said.setForeground(roles.colour("inside" if fine else "over"))

    def _changed(self, row: int, column: int) -> None:
        """A reading was typed: it counts, or a sentence says what is accepted."""
        if column != READ or row not in self.checks:
            return
        check, text = self.checks[row], self.cells[row][0].text()
        if text.strip() in ("", check.unit):
            self._show_readings()
            return
        try:
            value = parse(text, check.unit, check.name)
        except InputError as problem:
            with filled(self.table):
                self._say(row, str(problem), False)
            return
        self.taken.emit(check, value)
