"""One decision: value, who chose it, a pin, the rule or the schools, refused alternatives."""

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QWheelEvent
from PySide6.QtWidgets import QComboBox, QFrame, QGridLayout, QLabel, QLineEdit, QToolButton, QWidget

from rhevectra.core.basis import preferred
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.sheet import Row
from rhevectra.core.design.names import amount, in_words, made_by, spoken
from rhevectra.drawing.lines import kept
from rhevectra.ui.theme.roles import font, look_as

ASK = "what would admit a smaller one?"


class QuantityEdit(QLineEdit):
    """A field for one engineering number. Half-typed text changes nothing: it counts on Enter, focus-out or a nudge."""

    committed = Signal(float, bool)
    ahead = Signal(float)
    refused = Signal(str)

    def __init__(self, spec: DecisionSpec, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._spec, self._shown, self._value = spec, "", 0.0
        self.editingFinished.connect(self._finish)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)

    def set_value(self, value: float) -> None:
        """Show a value without emitting anything."""
        self._value, self._shown = value, amount(self._spec, value)
        if self.text() != self._shown:
            self.setText(self._shown)

    def _finish(self) -> None:
        if self.text() == self._shown:
            return
        try:
            value = self._spec.check(self._spec.read(self.text()))
        except InputError as problem:
            self.refused.emit(str(problem))
            return
        self.committed.emit(float(value), False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.nudge(1 if event.key() == Qt.Key.Key_Up else -1)
            return
        if event.key() == Qt.Key.Key_Escape:
            self.setText(self._shown)
            return
        super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.hasFocus() and event.angleDelta().y():
            self.nudge(1 if event.angleDelta().y() > 0 else -1)
            event.accept()
        else:
            event.ignore()

    def nudge(self, direction: int) -> None:
        """One step up or down; then tell where the next one would lead."""
        self.set_value(self._stepped(direction))  # the next nudge starts here, also while a long design is still made
        self.committed.emit(self._value, True)
        self.ahead.emit(self._stepped(direction))

    def _stepped(self, direction: int) -> float:
        """One step on: whole numbers for turns, hundredths for shares, preferred values else."""
        spec, value = self._spec, self._value
        if spec.kind == "integer":
            new = value + direction
        elif spec.unit == "":
            new = round(value + direction * (0.01 if value < 0.5 else 0.05), 3)
        elif spec.unit in ("V", "K"):
            new = round(value + direction * (1 if value < 100 else 5), 3)
        else:
            new = preferred.step(value, direction, spec.step) if value > 0 else spec.low
        return float(min(max(new, spec.low), spec.high))


class ChoiceBox(QComboBox):
    """A list as wide as its longest name; measured when it is opened, for most never are."""

    def showPopup(self) -> None:
        self.view().setMinimumWidth(self.view().sizeHintForColumn(0) + 24)
        super().showPopup()


def _brief(text: str) -> str:
    """The first clause of a rule; the whole of it is in the tool tip."""
    head = text.split(": ")[0] if len(text) > 70 else text
    head = head.split("; ")[0] if len(head) > 70 else head
    return _short(head)


def _short(text: str) -> str:
    return text if len(text) <= 90 else text[:88].rsplit(" ", 1)[0] + " …"


class DecisionRow(QFrame):
    """The row of one decision. Emits edits; knows nothing of the design beyond its own row."""

    pinned = Signal(str, object, bool)
    ahead = Signal(str, object)
    freed = Signal(str)
    admit = Signal()

    def __init__(self, spec: DecisionSpec, choices: tuple[str, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.spec = spec
        grid = QGridLayout(self)
        grid.setContentsMargins(8, 5, 6, 5)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(1)
        self.label = QLabel(spec.label, self)
        self.label.setWordWrap(True)
        self.origin = QLabel(self)
        self.origin.setObjectName("muted")
        self.note = QLabel(self)
        self.note.setObjectName("muted")
        self.note.setWordWrap(True)
        self.note.setFont(font(9))
        self.origin.setFont(font(9))
        self.pin = QToolButton(self)
        self.pin.setCheckable(True)
        self.pin.setObjectName("pin")
        self.pin.setText("pin")
        self.pin.setFixedWidth(36)
        self.pin.setAccessibleName(f"pin {spec.label}")
        self.pin.clicked.connect(self._toggle)
        self.editor = self._make_editor(choices)
        self.editor.setAccessibleName(spec.label)
        tip = f"{spec.label}: {spec.accepted(choices)}" + (f"\nschools: {spec.schools}" if spec.schools else "") + f"\n{spec.id}"
        self.editor.setToolTip(tip)
        self.label.setToolTip(tip)
        grid.addWidget(self.label, 0, 0)
        grid.addWidget(self.editor, 0, 1)
        grid.addWidget(self.pin, 0, 2)
        grid.addWidget(self.note, 1, 0, 1, 2)
        grid.addWidget(self.origin, 1, 2, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
        grid.setColumnStretch(0, 1)
        self.ask: QToolButton | None = None
        if spec.table == "cores":
            self._offer_smaller(grid)
        self._told: tuple[str, ...] = ()
        self._stands = ""

    def _offer_smaller(self, grid: QGridLayout) -> None:
        """A link under the row of the core."""
        self.ask = QToolButton(self)
        self.ask.setObjectName("link")
        self.ask.setText(ASK)
        self.ask.setToolTip("tries the cheapest single changes in the background")
        self.ask.clicked.connect(self.admit)
        grid.addWidget(self.ask, 2, 0, 1, 3, Qt.AlignmentFlag.AlignLeft)

    def tell(self, sentences: tuple[str, ...]) -> None:
        """Sentences found in the background, shown under the row until the design changes."""
        self._told = sentences
        if self.ask is not None:
            self.ask.setText("\n".join(sentences) or ASK)

    def _make_editor(self, choices: tuple[str, ...]) -> QWidget:
        if self.spec.kind == "choice":
            combo = ChoiceBox(self)
            for name in choices:
                combo.addItem(spoken(name, self.spec.id) if self._spoken else name, name)
            advance = self.label.fontMetrics().horizontalAdvance
            longest = max((advance(combo.itemText(k)) for k in range(combo.count())), default=0)
            combo.setFixedWidth(
                max(122, min(longest + 36, 138), 210 - advance(self.spec.label)))  # a long name finds room, beside a short label more
            combo.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            if self.spec.own is not None:  # a person's own text is as good as a listed name
                combo.setEditable(True)
                combo.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
                combo.setCompleter(None)  # type: ignore[arg-type]
            combo.activated.connect(lambda _i: self.pinned.emit(self.spec.id, self._choice(combo), False))
            if (line := combo.lineEdit()) is not None:
                line.setAccessibleName(f"{self.spec.label}, text")
                line.editingFinished.connect(lambda: self._typed(combo))
            return combo
        edit = QuantityEdit(self.spec, self)
        edit.setFixedWidth(88)
        edit.committed.connect(lambda v, nudge: self.pinned.emit(self.spec.id, self._own(v), nudge))
        edit.ahead.connect(lambda v: self.ahead.emit(self.spec.id, self._own(v)))
        edit.refused.connect(self.show_problem)
        return edit

    def _own(self, value: float) -> float:
        """A number in the kind of its decision."""
        return int(value) if self.spec.kind == "integer" else value

    @property
    def _spoken(self) -> bool:
        """Its options are short names of ours: shown in words. Parts and texts of one's own stand as they are."""
        return in_words(self.spec)

    def _choice(self, combo: QComboBox) -> str:
        """The chosen option by the name the file knows, or the text typed in its place."""
        return str(combo.currentData()) if self._spoken else combo.currentText()

    def _typed(self, combo: QComboBox) -> None:
        """A text typed into a choice counts when it is left, if it says something else than what stands."""
        if combo.currentText() != self._stands:
            self.pinned.emit(self.spec.id, combo.currentText(), False)

    def show_row(self, row: Row) -> None:
        """Show the value, its origin and its rule."""
        if self._told and self._told != ("working …",):
            self.tell(())
        if isinstance(self.editor, QComboBox):
            self._stands = str(row.value)
            self.editor.setCurrentText(spoken(self._stands, self.spec.id) if self._spoken else self._stands)
            self.editor.setToolTip(f"{self._stands}\n{self.spec.label}: {self.spec.accepted()}" if self.spec.own else self.editor.toolTip())
        elif isinstance(self.editor, QuantityEdit):
            self.editor.set_value(float(np.asarray(row.value)))
        self.origin.setText(made_by(row))
        self.pin.setChecked(row.origin == "pinned")
        self.pin.setToolTip("free this decision: it follows its rule again" if row.origin == "pinned"
                            else "keep this value whatever else changes")
        refused = "\n".join(f"refused {r}" for r in row.refused[:2]) if row.origin != "pinned" else ""
        pinned = row.origin == "pinned" and bool(self.spec.schools)
        rule = f"schools: {self.spec.schools}" if pinned else row.rule
        self._note(kept((_short(rule) if pinned else _brief(rule)) + (f"\n{refused}" if refused else "")), "muted")
        self.note.setToolTip(rule + "".join(f"\nrefused {r}" for r in row.refused[:12]))

    def show_problem(self, sentence: str) -> None:
        """A sentence at the field; the last good design stays."""
        self._note(sentence, "problem")

    def _note(self, text: str, name: str) -> None:
        look_as(self.note, name)
        self.note.setText(text)

    def _toggle(self, checked: bool) -> None:
        if not checked:
            self.freed.emit(self.spec.id)
        elif isinstance(self.editor, QComboBox):
            self.pinned.emit(self.spec.id, self._choice(self.editor), False)
        elif isinstance(self.editor, QuantityEdit):
            value = self.editor._value
            self.pinned.emit(self.spec.id, int(value) if self.spec.kind == "integer" else value, False)
