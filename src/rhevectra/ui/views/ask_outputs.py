"""The outputs of the Ask desk: one row an output, one column a property; how each reads and what it changes."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from msgspec import Struct
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import parse, parse_range, show
from rhevectra.core.basis.requirement import LoadStep, Output, Requirement
from rhevectra.ui.views.ask_fields import percent


class Column(Struct, frozen=True):
    """One property of an output: label, what it changes, how it reads, how a text changes it."""

    label: str
    hint: str
    read: Callable[[Output], str]
    write: Callable[[Output, str], Output]


def _number(name: str, label: str, unit: str, hint: str) -> Column:
    return Column(label, hint, lambda o: show(getattr(o, name), unit),
                  lambda o, t: replace(o, **{name: parse(t, unit, label)}))  # type: ignore[arg-type]


def _voltage(out: Output, text: str) -> Output:
    value = parse(text, "V", "voltage")
    named = f"{value:g} V" if out.name == f"{out.voltage:g} V" else out.name
    return replace(out, voltage=value, voltage_min=None, voltage_max=None, ripple_pp=None, name=named)


def _full(out: Output, text: str) -> Output:
    value = parse(text, "A", "full current")
    return replace(out, current_max=value, current_peak=None if out.current_peak == out.current_max else out.current_peak)


def _span(out: Output) -> str:
    low, high = out.least, abs(out.voltage_max or out.voltage)
    return "" if low == high else f"{low:g}-{high:g} V"


def _adjust(out: Output, text: str) -> Output:
    if not text.strip():
        return replace(out, voltage_min=None, voltage_max=None)
    sign = -1.0 if out.voltage < 0 else 1.0
    low, high = parse_range(text, "V", "adjustable")
    return replace(out, voltage_min=sign * low, voltage_max=sign * high)


def _step(out: Output) -> str:
    return "" if out.load_step is None else f"{out.load_step.low:g}-{out.load_step.high:g} A"


def _take_step(out: Output, text: str) -> Output:
    if not text.strip():
        return replace(out, load_step=None)
    low, high = parse_range(text, "A", "load step")
    deviation = out.load_step.deviation if out.load_step else 0.05 * abs(out.voltage)
    return replace(out, load_step=LoadStep(low=low, high=high, deviation=deviation))


def _dip(out: Output, text: str) -> Output:
    if out.load_step is None:
        if not text.strip():
            return out
        raise InputError("step deviation", "there is no load step to judge by it", "a load step such as 0.5-2.5 A first")
    return replace(out, load_step=replace(out.load_step, deviation=parse(text, "V", "step deviation")))


COLUMNS = (
    Column("Name", "stands on the figures of this output", lambda o: o.name, lambda o, t: replace(o, name=t)),
    Column("Voltage", "of either sign; sets the turns", lambda o: f"{o.voltage:g} V", _voltage),
    Column("Adjustable", "range the voltage is set within, smallest to largest magnitude; empty: fixed", _span, _adjust),
    Column("Current, full", "continuous; sets wire, rectifier, heat", lambda o: show(o.current_max, "A"), _full),
    _number("current_min", "Current, least", "A", "least load in use; cross regulation and light-load loss"),
    _number("current_peak", "Current, peak", "A", "short peak; sets the current limit and the flux"),
    _number("peak_duration", "Peak lasts", "s", "a peak longer than a second is sized as full load"),
    _number("ripple_pp", "Ripple, pp", "V", "peak to peak; sets capacitors and filter"),
    Column("Tolerance", "of the voltage, all causes together", lambda o: f"{o.tolerance * 100:g} %",
           lambda o, t: replace(o, tolerance=percent(t, "tolerance"))),
    Column("Load step", "sudden change of the load such as 0.5-2.5 A; sets the output capacitor; empty: not asked", _step, _take_step),
    Column("Step dips by", "voltage the step may move the output",
           lambda o: "" if o.load_step is None else show(o.load_step.deviation, "V"), _dip),
)


class OutputsTable(QWidget):
    """Rows of text fields. Emits changes of the whole requirement for the form to try, and the places of the outputs in an order with
    that of the regulated one."""

    changed = Signal(object)
    ordered = Signal(object, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(6)
        column.addLayout(self._grid)
        buttons = QHBoxLayout()
        self.add = QPushButton("Add output", self)
        self.add.clicked.connect(self._add)
        buttons.addWidget(self.add)
        buttons.addStretch(1)
        column.addLayout(buttons)
        self.edits: list[list[QLineEdit]] = []
        self.loops: list[QRadioButton] = []
        self._main = 0
        self.moves: list[tuple[QToolButton, QToolButton]] = []

    def edit(self, row: int, label: str) -> QLineEdit:
        """The field of an output by the label of its column."""
        return self.edits[row][[c.label for c in COLUMNS].index(label)]

    def show_need(self, need: Requirement) -> None:
        """Show the outputs of a requirement."""
        if len(self.edits) != len(need.outputs):
            self._build(len(need.outputs))
        for edits, out in zip(self.edits, need.outputs, strict=True):
            for edit, column in zip(edits, COLUMNS, strict=True):
                edit.setText(column.read(out))
                edit.setCursorPosition(0)
        self._main = need.main
        for k, loop in enumerate(self.loops):
            loop.setChecked(k == need.main)

    def _build(self, count: int) -> None:
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        several = count > 1
        for c, label in enumerate([*(c.label for c in COLUMNS), *(["Regulated"] if several else [])]):
            head = QLabel(label, self)
            head.setObjectName("muted")
            self._grid.addWidget(head, 0, c)
        self.edits, self.loops, self.moves = [], [], []
        for r in range(count):
            self.edits.append([self._field(r, c) for c in range(len(COLUMNS))])
            if several:
                self._build_place(r, count)

    def _field(self, r: int, c: int) -> QLineEdit:
        column, edit = COLUMNS[c], QLineEdit(self)
        edit.setAccessibleName(f"output {r + 1} {column.label}")
        edit.setToolTip(f"{column.label}: {column.hint}")
        edit.editingFinished.connect(lambda: self._commit(r, c))
        self._grid.addWidget(edit, r + 1, c)
        return edit

    def _build_place(self, r: int, count: int) -> None:
        """Of several outputs: which one the loop holds, and another place or none."""
        loop = QRadioButton(self)
        loop.setAccessibleName(f"output {r + 1} is regulated")
        loop.setToolTip("Regulated: the loop holds this output; the others follow by their turns")
        loop.clicked.connect(lambda: self.ordered.emit(tuple(range(count)), r))
        self._grid.addWidget(loop, r + 1, len(COLUMNS), Qt.AlignmentFlag.AlignCenter)
        self.loops.append(loop)
        up, away = QToolButton(self), QToolButton(self)
        raised = sorted(range(count), key=lambda k: k - 1.5 * (k == r))  # before the one above it
        for c, (button, text, what, order) in enumerate(((up, "↑", "one place up", raised),
                                                         (away, "×", "away", [k for k in range(count) if k != r])), len(COLUMNS) + 1):
            button.setText(text)
            button.setAccessibleName(f"output {r + 1} {what}")
            button.setToolTip(f"this output {what}; what you decided and measured of outputs goes with them")
            button.clicked.connect(lambda _checked=False, order=tuple(order): self._take(order))
            self._grid.addWidget(button, r + 1, c)
        up.setEnabled(r > 0)
        self.moves.append((up, away))

    def _take(self, order: tuple[int, ...]) -> None:
        """The outputs of these places in this order; the first left is regulated where the regulated one goes."""
        self.ordered.emit(order, self._main if self._main in order else order[0])

    def _commit(self, r: int, c: int) -> None:
        text = self.edits[r][c].text()

        def change(need: Requirement) -> Requirement:
            if text == COLUMNS[c].read(need.outputs[r]):
                return need
            outs: list[Any] = list(need.outputs)
            outs[r] = COLUMNS[c].write(outs[r], text)
            return replace(need, outputs=tuple(outs))
        self.changed.emit(change)

    def _add(self) -> None:
        self.changed.emit(lambda need: replace(need, outputs=(*need.outputs, Output(voltage=12.0, current_max=0.5))))
