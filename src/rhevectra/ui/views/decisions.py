"""The decisions of the chosen stage."""

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from rhevectra.core.design.design import Design
from rhevectra.ui.widgets.decision_row import DecisionRow


class DecisionsView(QFrame):
    """A list of decision rows. Emits (id, value, whether it was a nudge) to pin, (id, value) that may come next, id to free, and the wish
    to know what would admit a refused core."""

    pinned = Signal(str, object, bool)
    ahead = Signal(str, object)
    freed = Signal(str)
    admit = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.rows: dict[str, DecisionRow] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(1, 8, 1, 4)
        self.title = QLabel("Decisions", self)
        self.title.setObjectName("title")
        self.title.setContentsMargins(10, 0, 0, 0)
        layout.addWidget(self.title)
        self._area = QScrollArea(self)
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout.addWidget(self._area)

    def show_design(self, design: Design, stage: str) -> None:
        """Show the decisions of a stage; rows are made anew only when the list itself changes."""
        taken = design.decisions(stage)
        if [s.id for s, _ in taken] != list(self.rows):
            self._build(design, taken)
        for spec, row in taken:
            self.rows[spec.id].show_row(row)

    def _build(self, design: Design, taken: list[Any]) -> None:
        body = QWidget()
        body.setObjectName("body")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.rows = {}
        for spec, _ in taken:
            choices = spec.options or (design.catalogue[spec.table].names if spec.table else ())
            row = DecisionRow(spec, choices, body)
            row.pinned.connect(self.pinned)
            row.ahead.connect(self.ahead)
            row.freed.connect(self.freed)
            row.admit.connect(self.admit)
            self.rows[spec.id] = row
            column.addWidget(row)
        if not taken:
            empty = QLabel("Nothing is decided here: this stage follows from the others.", body)
            empty.setWordWrap(True)
            empty.setContentsMargins(10, 6, 10, 6)
            column.addWidget(empty)
        column.addStretch(1)
        old = self._area.takeWidget()
        self._area.setWidget(body)
        if old is not None:
            old.deleteLater()  # the row that asked for the change may still be handling its key

    def focused(self) -> DecisionRow | None:
        """The row the keyboard is on."""
        return next((r for r in self.rows.values() if r.isAncestorOf(self.window().focusWidget() or self)), None)

    def focus(self, id: str) -> None:
        """Put the keyboard on a decision."""
        if id in self.rows:
            self.rows[id].editor.setFocus()
            self._area.ensureWidgetVisible(self.rows[id])
