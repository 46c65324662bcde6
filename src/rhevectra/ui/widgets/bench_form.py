"""A column of fields for readings and wishes on a bench: engineering numbers, a bare length in millimetres."""

from collections.abc import Sequence

from msgspec import Struct
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFormLayout, QFrame, QLabel, QLineEdit, QWidget

from rhevectra.core.basis.quantities import parse


class Field(Struct, frozen=True):
    """One field: name, label, unit, what it is, and the text it begins with."""

    name: str
    label: str
    unit: str
    tip: str
    text: str = ""


class BenchForm(QFrame):
    """The fields under an optional first line. Emits when one is left."""

    changed = Signal()

    def __init__(self, fields: Sequence[Field], first: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.setFixedWidth(380)
        self.layout_of = QFormLayout(self)
        self.layout_of.setContentsMargins(14, 12, 14, 12)
        self.layout_of.setVerticalSpacing(10)
        self.first = QLabel(self)
        if first:
            self.layout_of.addRow(first, self.first)
        self.specs = {f.name: f for f in fields}
        self.fields: dict[str, QLineEdit] = {}
        for f in fields:
            edit = QLineEdit(f.text, self)
            edit.setAccessibleName(f.label)
            edit.setToolTip(f"{f.label} [{'mm, or with its unit: 25u, 0.9 mm' if f.unit == 'm' else f.unit}]: {f.tip}")
            edit.setAlignment(Qt.AlignmentFlag.AlignRight)
            edit.editingFinished.connect(self.changed)
            self.fields[f.name] = edit
            self.layout_of.addRow(f.label, edit)

    def number(self, name: str) -> float:
        """The value of a field in SI units. Raises InputError with the field's label."""
        spec, text = self.specs[name], self.fields[name].text()
        if spec.unit == "m":
            try:
                return float(text.replace(",", ".")) * 1e-3  # a bare length is in mm, as a micrometre shows it
            except ValueError:
                pass
        return parse(text, spec.unit, spec.label)
