"""The rework bench: a supply that works and the output wanted of it in, turns, wire, rectifier and divider out, with what rounding does to
all else."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QHeaderView, QLabel, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from rhevectra.bench.rework import Found, Side, Way, sentences, ways
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import minus, show
from rhevectra.core.design.design import Design
from rhevectra.ui.widgets.bench_form import BenchForm, Field
from rhevectra.ui.widgets.tables import filled

FIELDS = (Field("volts", "Output voltage now", "V", "as it reads"),
          Field("drop", "Rectifier drop now", "V",
                "0.4 to 0.5 V of a Schottky diode, 0.8 to 1 V of a fast one, a few hundredths of a synchronous switch", "500 mV"),
          Field("current", "Its full current now", "A", "what it was made for"),
          Field("turns", "Its turns now", "", "counted, or by a loop of one turn: the ratio of both voltages"),
          Field("v_wanted", "Voltage wanted", "V", "at the same primary side"),
          Field("drop_wanted", "Rectifier drop then", "V", "of the rectifier that will be fitted", "500 mV"),
          Field("i_wanted", "Current wanted", "A", "power should not rise"),
          Field("primary", "Primary turns", "", "empty: not known"),
          Field("bus", "Highest bus", "V", "1.414 × the highest mains; empty: not known"),
          Field("drain", "Drain peak read", "V", "at the highest mains and full load; empty: not read"),
          Field("auxiliary", "Auxiliary supply read", "V", "empty: not read"),
          Field("wires", "Wires side by side now", "", "of the output's winding; empty: not known"),
          Field("choke", "Turns of the output choke", "", "empty: there is none, as in a flyback"),
          Field("r_low", "Lower resistor of the divider", "Ω", "empty: not known"),
          Field("reference", "Reference of the divider", "V", "at the tap of the divider", "2.495 V"))
EMPTY = ("Rework: from the voltage and turns of an output that works follow the turns for another. Fill in what is known of the supply; "
         "what is left empty is left out. For flybacks and stages with an output choke; a resonant stage keeps its frequencies only at the "
         "exact number of turns.")
COLUMNS = ("turns", "volts a turn", "moved by", "reflected", "drain peak", "auxiliary", "rectifier")


class ReworkBench(QWidget):
    """Form at the left; words and the ways that can be wound at the right."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._usual: dict[str, str] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 8, 0, 0)
        self.form = BenchForm(FIELDS, parent=self)
        self.form.layout_of.setVerticalSpacing(6)
        self.form.changed.connect(self.work_out)
        row.addWidget(self.form, 0, Qt.AlignmentFlag.AlignTop)
        right = QVBoxLayout()
        self.words = QLabel(EMPTY, self)
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.words.setAccessibleName("rework")
        self.table = QTableWidget(0, len(COLUMNS), self)
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.setAccessibleName("turns that can be wound")
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.setFixedHeight(118)  # a head and three ways
        self.table.hide()
        right.addWidget(self.table)
        right.addWidget(self.words)
        right.addStretch()
        row.addLayout(right, 1)

    def show_design(self, design: Design) -> None:
        """What the design knows of its first output stands where nothing else was written."""
        for name, text in _known(design).items():
            edit = self.form.fields[name]
            if edit.text() in ("", self._usual.get(name, "")):
                edit.setText(text)
            self._usual[name] = text
        self.work_out()

    def _number(self, name: str) -> float | None:
        """Of a field that may be left empty."""
        return self.form.number(name) if self.form.fields[name].text().strip() else None

    def _read(self) -> tuple[Found, Side]:
        number = self.form.number
        known = {name: self._number(name) for name in ("primary", "bus", "drain", "auxiliary", "wires", "choke", "r_low")}
        return (Found(Side(number("volts"), number("drop"), number("current")), number("turns"), reference=number("reference"), **known),
                Side(number("v_wanted"), number("drop_wanted"), number("i_wanted")))

    def work_out(self) -> None:
        """Table and words, or what is still wanted, or what is wrong."""
        self.table.hide()
        if any(not self.form.fields[n].text().strip() for n in ("volts", "current", "turns", "v_wanted", "i_wanted")):
            self.words.setText(EMPTY)
            return
        try:
            found, wanted = self._read()
            tried, said = ways(found, wanted), sentences(found, wanted)
        except InputError as problem:
            self.words.setText(str(problem))
            return
        self.words.setText("\n\n".join(said))
        with filled(self.table, len(tried)):
            for r, way in enumerate(tried):
                for c, text in enumerate(_cells(way)):
                    self.table.setItem(r, c, QTableWidgetItem(text))
        self.table.show()


def _cells(way: Way) -> tuple[str, ...]:
    """A way in the table's columns; a dash where something is not known or does not follow."""
    return (f"{way.turns:g}", show(way.per_turn, "V"), minus(f"{100 * (way.ratio - 1):+.0f} %"),
            *("–" if v is None else show(v, "V") for v in (way.reflected, way.drain, way.auxiliary, way.reverse)))


def _known(design: Design) -> dict[str, str]:
    """The fields a design fills: its first output as it stands, at its worst corner where there is one."""
    rows, output = design.rows, design.requirement.outputs[0]
    found = {"volts": show(output.magnitude, "V", 4), "current": show(output.current_max, "A")}
    for name, id, unit in (("turns", "transformer.ns1", ""), ("primary", "transformer.np", ""), ("choke", "filter1.turns", ""),
                           ("drain", "switch.v_peak", "V"), ("auxiliary", "aux.v_low", "V"), ("r_low", "feedback.r_low", "Ω"),
                           ("reference", "feedback.v_ref", "V"), ("bus", "bus.v", "V")):
        if id in rows and not (name == "choke" and "flyback.v_or" in rows):  # there the choke only smooths what the winding gives
            found[name] = show(design.most(id), unit, 4 if name == "reference" else 3) if unit else f"{design.most(id):g}"
    return found
