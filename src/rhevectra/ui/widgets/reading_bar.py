"""A reading from the bench for the figure whose working is open: enter it, or take it back."""

from collections.abc import Mapping

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QToolButton, QWidget

from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import parse, show
from rhevectra.core.basis.sheet import Row
from rhevectra.ui.theme.roles import font

SUCH_AS = {"H": "12u", "F": "120p", "Ω": "0.12", "V": "12", "A": "1.2", "W": "1.2", "Hz": "65k", "s": "10m", "m": "0.5m", "°C": "70",
           "K": "40"}
"""A reading of each unit, as it may be typed."""
_COUNTED = ("turns", "")
"""Units nobody reads off an instrument."""


class ReadingBar(QWidget):
    """One line under the working. Emits (figure id, reading or None to take it back)."""

    measured = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._row: Row | None = None
        self._ways: dict[str, float] = {}
        line = QHBoxLayout(self)
        line.setContentsMargins(8, 3, 6, 3)
        self._label = QLabel("Measured", self)
        self._label.setFont(font(9.5))
        self.value, self.how = QLineEdit(self), QLineEdit(self)
        self.value.setFixedWidth(70)
        self.value.setAccessibleName("measured value")
        self.how.setAccessibleName("how it was measured")
        self.way = QComboBox(self)
        self.way.setAccessibleName("what was shorted")
        self.way.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.way.setMinimumWidth(128)
        self.enter = QToolButton(self)
        self.enter.clicked.connect(self._entered)
        self.value.returnPressed.connect(self._commit)
        for widget in (self._label, self.value, self.way, self.how, self.enter):
            line.addWidget(widget)
        self.problem = QLabel(self)
        self.problem.hide()
        self.hide()

    def show_figure(self, row: Row | None, label: str, ways: Mapping[str, float] | None = None) -> None:
        """Offer a reading for a row that is one number found by estimate; hide for all others. ways: how it may have been read, and what
        each is multiplied by to become the figure; none where there is one way only."""
        offers = (row is not None and not isinstance(row.value, str) and np.ndim(row.value) == 0 and row.unit not in _COUNTED
                  and (row.origin == "measured" or row.kind in ("formula", "solved", "chosen")))
        self.setVisible(offers)
        if not offers or row is None:
            self._row = None
            return
        fresh = self._row is None or self._row.id != row.id
        self._ways = dict(ways or {})
        self.way.setVisible(len(self._ways) > 1)
        if [self.way.itemText(k) for k in range(self.way.count())] != list(self._ways):
            self.way.clear()
            self.way.addItems(list(self._ways))
        self._row = row
        taken = row.origin == "measured"
        self.value.setPlaceholderText(SUCH_AS.get(row.unit, ""))
        if fresh:
            self.how.setPlaceholderText("how: secondaries shorted, 100 kHz" if row.id == "transformer.leakage" else "how it was read")
            self.value.clear()
            self.how.clear()
        self.enter.setText("take back" if taken else "enter")
        self.enter.setToolTip("remove the reading: the estimate holds again" if taken
                              else f"the reading of {label.lower()} [{row.unit}] wins over estimate, rule and pin")
        self.value.setToolTip(f"measured {label.lower()} in {row.unit}" + (f", such as {SUCH_AS[row.unit]}" if row.unit in SUCH_AS else ""))
        self.value.setEnabled(not taken)
        self.how.setEnabled(not taken)
        self.way.setEnabled(not taken)

    def _entered(self) -> None:
        if self._row is not None and self._row.origin == "measured":
            self.measured.emit(self._row.id, None)
        else:
            self._commit()

    def _commit(self) -> None:
        if self._row is None:
            return
        try:
            read, factor = parse(self.value.text(), self._row.unit, "measured value"), self._ways.get(self.way.currentText(), 1.0)
            told = [self.how.text().strip(),
                    *([f"{show(read, self._row.unit, 3)} read, {self.way.currentText()}"] if factor != 1.0 else [])]
            reading = Measured(read * factor, None, "; ".join(x for x in told if x))
        except InputError as problem:
            self.how.setText("")
            self.how.setPlaceholderText(str(problem))
            self.how.setToolTip(str(problem))
            return
        self.measured.emit(self._row.id, reading)
