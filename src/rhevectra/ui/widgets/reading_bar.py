"""A reading from the bench for the figure whose working is open: enter it, or take it back."""

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QToolButton, QWidget

from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import parse
from rhevectra.core.basis.sheet import Row
from rhevectra.ui.theme.roles import font

_COUNTED = ("turns", "")
"""Units nobody reads off an instrument."""


class ReadingBar(QWidget):
    """One line under the working. Emits (figure id, reading or None to take it back)."""

    measured = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._row: Row | None = None
        line = QHBoxLayout(self)
        line.setContentsMargins(8, 3, 6, 3)
        self._label = QLabel("Measured", self)
        self._label.setFont(font(9.5))
        self.value, self.how = QLineEdit(self), QLineEdit(self)
        self.value.setFixedWidth(70)
        self.value.setPlaceholderText("12u")
        self.how.setPlaceholderText("how: secondaries shorted, 100 kHz")
        self.value.setAccessibleName("measured value")
        self.how.setAccessibleName("how it was measured")
        self.enter = QToolButton(self)
        self.enter.clicked.connect(self._entered)
        self.value.returnPressed.connect(self._commit)
        for widget in (self._label, self.value, self.how, self.enter):
            line.addWidget(widget)
        self.problem = QLabel(self)
        self.problem.hide()
        self.hide()

    def show_figure(self, row: Row | None, label: str) -> None:
        """Offer a reading for a row that is one number found by estimate; hide for all others."""
        offers = row is not None and not isinstance(row.value, str) and np.ndim(row.value) == 0 and row.unit not in _COUNTED and (row.origin == "measured" or row.kind in ("formula", "solved", "chosen"))
        self.setVisible(offers)
        if not offers or row is None:
            self._row = None
            return
        fresh = self._row is None or self._row.id != row.id
        self._row = row
        taken = row.origin == "measured"
        if fresh:
            self.value.clear()
            self.how.clear()
        self.enter.setText("take back" if taken else "enter")
        self.enter.setToolTip("remove the reading: the estimate holds again" if taken else f"the reading of {label.lower()} [{row.unit}] wins over estimate, rule and pin")
        self.value.setToolTip(f"measured {label.lower()} in {row.unit}, such as 12u")
        self.value.setEnabled(not taken)
        self.how.setEnabled(not taken)

    def _entered(self) -> None:
        if self._row is not None and self._row.origin == "measured":
            self.measured.emit(self._row.id, None)
        else:
            self._commit()

    def _commit(self) -> None:
        if self._row is None:
            return
        try:
            reading = Measured(parse(self.value.text(), self._row.unit, "measured value"), None, self.how.text().strip())
        except InputError as problem:
            self.how.setText("")
            self.how.setPlaceholderText(str(problem))
            self.how.setToolTip(str(problem))
            return
        self.measured.emit(self._row.id, reading)
