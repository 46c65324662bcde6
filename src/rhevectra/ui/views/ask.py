"""Ask: the requirement on one page, with the cautions."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import parse, parse_range, show
from rhevectra.core.basis.requirement import Mains, Output, Requirement, SourceImpedance
from rhevectra.project.document import Document

CAUTIONS = ("Mains and the bus behind it kill, also minutes after switch-off: discharge, wait, then measure before touching. First power-up through an isolation transformer and a series lamp. "
            "These figures are a starting point for a qualified person, who answers for the design, its testing and the local codes. Insulation, creepage and clearance are to be confirmed "
            "against the standard in force and by a test house.")


KINDS = {"mains, 1 ph.": "ac1", "dc source": "dc"}


class Field:
    """One line of the form: how it reads from a requirement and how it changes one."""

    def __init__(self, label: str, hint: str, editor: QWidget, read: Callable[[Requirement], str], write: Callable[[Requirement, str], Requirement]) -> None:
        self.label, self.hint, self.editor, self.read, self.write = label, hint, editor, read, write


def _percent(text: str, where: str) -> float:
    return parse(text, "%", where) / 100


class AskView(QWidget):
    """The form. Emits a whole new requirement when a field is committed; a wrong field says so and changes nothing."""

    required = Signal(object)
    titled = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._need: Requirement | None = None
        self.fields: dict[str, Field] = {}
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
        self._column.addWidget(self.title)
        self._column.addWidget(self.problem)
        row = QHBoxLayout()
        row.addWidget(self._card("Mains", self._mains()), 1)
        row.addWidget(self._card("Surroundings and safety", self._surroundings()), 1)
        self._column.addLayout(row)
        self._column.addWidget(self._outputs_card())
        caution = QLabel(CAUTIONS, self)
        caution.setWordWrap(True)
        caution.setObjectName("muted")
        self._cautions = self._wrap("Cautions", caution)
        self._column.addWidget(self._cautions)
        self._column.addStretch(1)

    def _mains(self) -> list[Field]:
        def mains(need: Requirement, **changes: Any) -> Requirement:
            m = need.mains
            fresh = {"nominals": ()} if {"v_min", "kind"} & set(changes) else {}
            values: dict[str, Any] = {"kind": m.kind, "v_min": m.v_min, "v_max": m.v_max, "nominals": m.nominals, "f_min": m.f_min, "f_max": m.f_max} | fresh | changes
            made = Mains(**values)
            at = need.hold_up_at if need.hold_up_at is not None and made.v_min <= need.hold_up_at <= made.v_max else None
            return replace(need, mains=made, hold_up_at=at)

        def voltage(need: Requirement, text: str) -> Requirement:
            low, high = parse_range(text, "V", "line voltage")
            return mains(need, v_min=low, v_max=high)

        def frequency(need: Requirement, text: str) -> Requirement:
            low, high = parse_range(text, "Hz", "line frequency")
            return mains(need, f_min=low, f_max=high)
        return [
            Field("Supply", "single-phase mains or a dc source", self._combo(tuple(KINDS)), lambda n: next(k for k, v in KINDS.items() if v == n.mains.kind), lambda n, t: mains(n, kind=KINDS[t])),
            Field("Voltage", "smallest to largest, rms for mains; sets turns ratio (low end) and stresses (high end)", QLineEdit(self), lambda n: f"{n.mains.v_min:g}-{n.mains.v_max:g} V", voltage),
            Field("Frequency", "lowest to highest line frequency; sets the bulk valley", QLineEdit(self), lambda n: f"{n.mains.f_min:g}-{n.mains.f_max:g} Hz", frequency),
            Field("Hold-up", "time the outputs stay up after the line fails; sets the bulk", QLineEdit(self), lambda n: show(n.hold_up, "s"), lambda n, t: replace(n, hold_up=parse(t, "s", "hold-up"))),
            Field("Hold-up at", "line voltage at which the hold-up counts", QLineEdit(self), lambda n: f"{n.hold_up_at:g} V", lambda n, t: replace(n, hold_up_at=parse(t, "V", "hold-up at"))),
            Field("Source resistance", "of the mains; sets line current peak and harmonics", QLineEdit(self), lambda n: show(n.source_impedance.r, "Ω"), lambda n, t: replace(n, source_impedance=SourceImpedance(r=parse(t, "Ω", "source resistance"), x=n.source_impedance.x))),
            Field("Source reactance", "of the mains at 50 Hz", QLineEdit(self), lambda n: show(n.source_impedance.x, "Ω"), lambda n, t: replace(n, source_impedance=SourceImpedance(r=n.source_impedance.r, x=parse(t, "Ω", "source reactance")))),
            Field("Harmonics class", "limits of the line current's harmonics", self._combo(("A", "B", "C", "D", "none")), lambda n: n.harmonics_class, lambda n, t: replace(n, harmonics_class=t))]

    def _surroundings(self) -> list[Field]:
        def ambient(need: Requirement, text: str) -> Requirement:
            low, high = text.split("…") if "…" in text else text.split("to") if "to" in text else (None, None)
            if low is None or high is None:
                raise InputError("ambient", f"'{text}' is not a range", "two temperatures such as -10 to 50")
            return replace(need, ambient_min=parse(low, "°C", "ambient"), ambient_max=parse(high, "°C", "ambient"))
        return [
            Field("Ambient", "lowest to highest; heat, cold capacitors, inrush", QLineEdit(self), lambda n: f"{n.ambient_min:g} to {n.ambient_max:g} °C", ambient),
            Field("Cooling", "heat transfer of the transformer", self._combo(("natural", "forced", "conduction")), lambda n: n.cooling, lambda n, t: replace(n, cooling=t)),
            Field("Insulation", "between mains and outputs; margins or triple-insulated wire", self._combo(("functional", "basic", "reinforced")), lambda n: n.insulation, lambda n, t: replace(n, insulation=t)),
            Field("Pollution degree", "1 to 3; sets creepage", self._combo(("1", "2", "3")), lambda n: str(n.pollution_degree), lambda n, t: replace(n, pollution_degree=int(t))),
            Field("Overvoltage category", "1 to 4; sets clearance", self._combo(("1", "2", "3", "4")), lambda n: str(n.overvoltage_category), lambda n, t: replace(n, overvoltage_category=int(t))),
            Field("Altitude", "highest place of use; sets clearance", QLineEdit(self), lambda n: f"{n.altitude_max:g} m", lambda n, t: replace(n, altitude_max=_metres(t))),
            Field("Efficiency", "wanted at full load at the worst line", QLineEdit(self), lambda n: f"{n.efficiency_target * 100:g} %", lambda n, t: replace(n, efficiency_target=_percent(t, "efficiency"))),
            Field("No-load power", "largest input power without load; empty: not asked", QLineEdit(self), lambda n: "" if n.standby_power_max is None else show(n.standby_power_max, "W"), lambda n, t: replace(n, standby_power_max=parse(t, "W", "no-load power") if t.strip() else None))]

    def _combo(self, options: tuple[str, ...]) -> QComboBox:
        combo = QComboBox(self)
        combo.addItems(options)
        return combo

    def _wrap(self, title: str, inner: QWidget) -> QFrame:
        card = QFrame(self)
        card.setObjectName("card")
        column = QVBoxLayout(card)
        label = QLabel(title, card)
        label.setObjectName("title")
        column.addWidget(label)
        column.addWidget(inner)
        return card

    def _card(self, title: str, fields: list[Field]) -> QFrame:
        inner = QWidget(self)
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(2, 1)
        for r, f in enumerate(fields):
            name = QLabel(f.label, inner)
            hint = QLabel(f.hint, inner)
            hint.setObjectName("muted")
            hint.setWordWrap(True)
            f.editor.setAccessibleName(f.label)
            f.editor.setToolTip(f.hint)
            f.editor.setFixedWidth(120)
            grid.addWidget(name, r, 0)
            grid.addWidget(f.editor, r, 1)
            grid.addWidget(hint, r, 2)
            self.fields[f.label] = f
            if isinstance(f.editor, QLineEdit):
                f.editor.editingFinished.connect(lambda f=f: self._commit(f, f.editor.text()))
            elif isinstance(f.editor, QComboBox):
                f.editor.activated.connect(lambda _i, f=f: self._commit(f, f.editor.currentText()))
        return self._wrap(title, inner)

    def _outputs_card(self) -> QFrame:
        inner = QWidget(self)
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        self._outputs = QGridLayout()
        column.addLayout(self._outputs)
        buttons = QHBoxLayout()
        for text, slot in (("Add output", self._add_output), ("Remove last", self._remove_output)):
            button = QPushButton(text, inner)
            button.clicked.connect(slot)
            buttons.addWidget(button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        self.output_edits: list[list[QLineEdit]] = []
        return self._wrap("Outputs (the first is regulated unless another is)", inner)

    def show_document(self, document: Document) -> None:
        """Show the requirement of a document."""
        need = self._need = document.requirement
        self.title.setText(document.title)
        self.problem.setText("")
        for f in self.fields.values():
            if isinstance(f.editor, QLineEdit):
                f.editor.setText(f.read(need))
            elif isinstance(f.editor, QComboBox):
                f.editor.setCurrentText(f.read(need))
        self._show_outputs(need)

    _COLUMNS = (("name", "Name", ""), ("voltage", "Voltage", "V"), ("current_max", "Current, full", "A"), ("current_min", "Current, least", "A"), ("current_peak", "Current, peak", "A"),
                ("ripple_pp", "Ripple, peak to peak", "V"), ("tolerance", "Tolerance", "%"))

    def _show_outputs(self, need: Requirement) -> None:
        if len(self.output_edits) != len(need.outputs):
            self._build_outputs(len(need.outputs))
        for edits, out in zip(self.output_edits, need.outputs, strict=True):
            for edit, (name, _label, unit) in zip(edits, self._COLUMNS, strict=True):
                value = getattr(out, name)
                edit.setText(value if name == "name" else f"{value * 100:g} %" if unit == "%" else f"{value:g} {unit}" if name == "voltage" else show(value, unit))

    def _build_outputs(self, count: int) -> None:
        while self._outputs.count():
            item = self._outputs.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.deleteLater()
        for c, (_name, label, _unit) in enumerate(self._COLUMNS):
            head = QLabel(label, self)
            head.setObjectName("muted")
            self._outputs.addWidget(head, 0, c)
        self.output_edits = []
        for r in range(count):
            edits = []
            for c, (_name, label, unit) in enumerate(self._COLUMNS):
                edit = QLineEdit(self)
                edit.setAccessibleName(f"output {r + 1} {label}")
                edit.setToolTip(f"{label}{f' in {unit}' if unit else ''}")
                edit.editingFinished.connect(lambda r=r, c=c: self._commit_output(r, c))
                self._outputs.addWidget(edit, r + 1, c)
                edits.append(edit)
            self.output_edits.append(edits)

    def _commit(self, f: Field, text: str) -> None:
        if self._need is None or text == f.read(self._need):
            return
        self._try(lambda need: f.write(need, text))

    def _commit_output(self, r: int, c: int) -> None:
        name, label, unit = self._COLUMNS[c]
        text = self.output_edits[r][c].text()

        def change(need: Requirement) -> Requirement:
            value: Any = text if name == "name" else _percent(text, label) if unit == "%" else parse(text, unit, label)
            old = need.outputs[r]
            changes = {name: value}
            if name == "voltage":
                changes |= {"voltage_min": None, "voltage_max": None, "ripple_pp": None, "name": f"{value:g} V" if old.name == f"{old.voltage:g} V" else old.name}
            if name == "current_max" and old.current_peak == old.current_max:
                changes["current_peak"] = None
            outs = list(need.outputs)
            outs[r] = replace(old, **changes)
            return replace(need, outputs=tuple(outs))
        self._try(change)

    def _add_output(self) -> None:
        self._try(lambda need: replace(need, outputs=(*need.outputs, Output(voltage=12.0, current_max=0.5))))

    def _remove_output(self) -> None:
        self._try(lambda need: replace(need, outputs=need.outputs[:-1]))

    def _try(self, change: Callable[[Requirement], Requirement]) -> None:
        if self._need is None:
            return
        try:
            made = change(self._need)
        except InputError as problem:
            self.problem.setText(str(problem))
            return
        except ValueError as problem:
            self.problem.setText(f"cannot be read: {problem}")
            return
        self.problem.setText("")
        if made != self._need:
            self.required.emit(made)

    def show_problem(self, sentence: str) -> None:
        """A sentence at the top of the form."""
        self.problem.setText(sentence)


def _metres(text: str) -> float:
    raw = text.strip()
    return parse(raw[:-1] if raw.endswith("m") else raw, "", "altitude")
