"""Ask: the requirement on one page, with the cautions."""

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from rhevectra.app.cautions import CAUTIONS
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.requirement import Requirement
from rhevectra.project.document import Document
from rhevectra.ui.theme.roles import look_as
from rhevectra.ui.views.ask_fields import MAINS_FIELDS, PLACE_FIELDS, Field
from rhevectra.ui.views.ask_outputs import OutputsTable
from rhevectra.ui.widgets.card import titled


class FieldRow(QObject):
    """Label, editor and note of one field. The note says what the field will change, or why its text cannot be used."""

    typed = Signal(str, str)

    def __init__(self, field: Field, parent: QWidget) -> None:
        super().__init__(parent)
        self.field = field
        self.name, self.note = QLabel(field.label, parent), QLabel(field.hint, parent)
        self.note.setObjectName("muted")
        self.note.setWordWrap(True)
        self.editor: QComboBox | QLineEdit
        if field.options:
            combo = QComboBox(parent)
            combo.addItems(field.options)
            combo.activated.connect(lambda _i: self.typed.emit(field.label, combo.currentText()))
            self.editor = combo
        else:
            edit = QLineEdit(parent)
            edit.editingFinished.connect(lambda: self.typed.emit(field.label, edit.text()))
            self.editor = edit
        self.editor.setAccessibleName(field.label)
        self.editor.setToolTip(f"{field.label}: {field.hint}" + (f"; default {field.default}" if field.default else ""))
        self.editor.setFixedWidth(128)

    def show_need(self, need: Requirement) -> None:
        """Show the field of a requirement."""
        text = self.field.read(need)
        if isinstance(self.editor, QComboBox):
            self.editor.setCurrentText(text)
        elif self.editor.text() != text:
            self.editor.setText(text)
        if self.field.usual and isinstance(self.editor, QLineEdit):
            self.editor.setPlaceholderText(self.field.usual(need))
        self._say(("default · " if self.field.default and text == self.field.default else "") + self.field.hint, "muted")

    def show_problem(self, sentence: str) -> None:
        """A sentence at the field."""
        self._say(sentence, "problem")

    def _say(self, text: str, name: str) -> None:
        look_as(self.note, name)
        self.note.setText(text)


class AskView(QWidget):
    """The form. Emits a whole new requirement when a field is committed; a wrong field says so and changes nothing."""

    required = Signal(object)
    ordered = Signal(object, int)
    titled = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._need: Requirement | None = None
        self.fields: dict[str, FieldRow] = {}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 8, 12, 8)
        self._area = QScrollArea(self)
        self._area.setWidgetResizable(True)
        body = QWidget()
        self._column = QVBoxLayout(body)
        self._area.setWidget(body)
        outer.addWidget(self._area)
        self.problem = QLabel(body)
        self.problem.setObjectName("problem")
        self.problem.setWordWrap(True)
        self._build()

    def show_cautions(self) -> None:
        """Bring the cautions into view."""
        self._area.ensureWidgetVisible(self._cautions)

    def _build(self) -> None:
        self.title = QLineEdit(self)
        self.title.setAccessibleName("project title")
        self.title.editingFinished.connect(lambda: self.titled.emit(self.title.text()))
        head = QHBoxLayout()
        head.addWidget(QLabel("Project", self))
        head.addWidget(self.title, 1)
        self._column.addLayout(head)
        self._column.addWidget(self.problem)
        row = QHBoxLayout()
        row.addWidget(self._card("Mains", MAINS_FIELDS), 1)
        row.addWidget(self._card("Surroundings and safety", PLACE_FIELDS), 1)
        self._column.addLayout(row)
        self.outputs = OutputsTable(self)
        self.outputs.changed.connect(self._try)
        self.outputs.ordered.connect(self.ordered)
        self._column.addWidget(titled("Outputs", self.outputs, self))
        caution = QLabel(CAUTIONS, self)
        caution.setWordWrap(True)
        caution.setObjectName("muted")
        self._cautions = titled("Cautions", caution, self)
        self._column.addWidget(self._cautions)
        self._column.addStretch(1)

    def _card(self, title: str, listed: tuple[Field, ...]) -> QFrame:
        inner = QWidget(self)
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(2, 1)
        for r, f in enumerate(listed):
            made = FieldRow(f, inner)
            made.typed.connect(self._commit)
            for c, widget in enumerate((made.name, made.editor, made.note)):
                grid.addWidget(widget, r, c)
            self.fields[f.label] = made
        return titled(title, inner, self)

    def show_document(self, document: Document) -> None:
        """Show the requirement of a document."""
        need = self._need = document.requirement
        self.title.setText(document.title)
        self._tell("")
        for f in self.fields.values():
            f.show_need(need)
        self.outputs.show_need(need)

    def _commit(self, label: str, text: str) -> None:
        row = self.fields[label]
        if self._need is None or text == row.field.read(self._need):
            return
        if not self._try(lambda need: row.field.write(need, text)):
            row.show_problem(self.problem.text())

    def _try(self, change: Callable[[Requirement], Requirement]) -> bool:
        if self._need is None:
            return True
        try:
            made = change(self._need)
        except InputError as problem:
            self._tell(str(problem))
            return False
        except ValueError as problem:
            self._tell(f"cannot be read: {problem}")
            return False
        self._tell("")
        if made != self._need:
            self.required.emit(made)
        return True

    def show_problem(self, sentence: str) -> None:
        """A sentence at the top of the form."""
        self._tell(sentence)

    def _tell(self, sentence: str) -> None:
        """What is wrong, over the fields; nothing takes no room."""
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))

