"""The ringing bench: two frequencies read on a made circuit in, parasitics and a snubber with its loss out."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.preferred import nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.formulas.snubber import snubber_loss
from rhevectra.core.stages.ringing import RATIOS, READ_TO, Damped, Ring, ring_of, ring_of_two, snubber_for
from rhevectra.drawing.ringing import ring_picture
from rhevectra.ui.pictures.canvas import PictureView
from rhevectra.ui.widgets.bench_form import BenchForm, Field

FIELDS = (Field("bare", "Ringing frequency read", "Hz", "short ground spring at the probe; the ring after the edge"),
          Field("added", "Capacitor added across it", "F", "film or ceramic, short leads; about until the frequency halves"),
          Field("loaded", "Frequency with it", "Hz", "must be lower"),
          Field("added2", "A second, larger capacitor", "F",
                "empty: none; a junction that moves with the swing shows in the difference of both answers, which is counted as doubt"),
          Field("loaded2", "Frequency with the second", "Hz", "alone across the part, without the first"),
          Field("probe", "Probe capacitance", "F", "at its tip, both times; empty: none. 3 to 15 pF at 10:1"),
          Field("volts", "Step of the node", "V", "what the node swings by, without the ring; the design's unless another is wanted"),
          Field("rate", "Switching frequency", "Hz", "the design's, unless another is wanted"),
          Field("own", "Snubber capacitor", "F", "empty: three times the parasitic one"))
EMPTY = ("Read the ring's frequency, add a known capacitor across the ringing part, read again. The parasitic capacitance is a third of "
         "the added one where the frequency halves; inductance, resistor and loss follow here.")


def usual_step(design: Design) -> float:
    """What the first rectifier blocks without its ringing allowance [V]."""
    allowance = float(design.value("rectifier.ringing")) if "rectifier.ringing" in design.rows else 0.0
    return float(design.figure("rectifier1.v_reverse").value) / (1 + allowance)


def sentences(ring: Ring, chosen: Damped, volts: float, rate: float, differ: float | None = None) -> list[str]:
    """Parasitics, the chosen snubber, and what smaller and larger capacitors would do."""
    lines = [f"{show(ring.capacitance, 'F', 3)} ring with {show(ring.inductance, 'H', 3)}: impedance {show(ring.impedance, 'Ω', 3)}; both "
             f"within {ring.unsure * 100:.0f} % where each frequency is read to {READ_TO * 100:.0f} %"
             + ("." if differ is None
                else f"; the smaller capacitor alone gives {differ * 100:+.1f} % in the capacitance, counted as doubt."),
             f"{show(chosen.capacitor, 'F', 3)} with {show(chosen.resistor, 'Ω', 3)} (use {show(nearest(chosen.resistor, 'E24'), 'Ω')}): "
             f"crest {show(chosen.peak * volts, 'V', 3)} instead of up to {show(2 * volts, 'V', 3)}, {chosen.left * 100:.0f} % of the ring "
             f"left after a period, {show(float(snubber_loss(chosen.capacitor, ring.capacitance, volts, rate)), 'W', 2)} in the resistor."]
    others = [snubber_for(ring, k * ring.capacitance) for k in RATIOS]
    lines.append("By capacitor: " + "; ".join(f"{show(d.capacitor, 'F', 2)} {show(d.resistor, 'Ω', 2)} → {show(d.peak * volts, 'V', 3)}, "
                                              f"{show(float(snubber_loss(d.capacitor, ring.capacitance, volts, rate)), 'W', 2)}"
                                              for d in others) + ".")
    return lines


class RingBench(QWidget):
    """Form, words and the ring without and with the snubber. Emits the inductance as a reading of the leakage."""

    measured = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._design: Design | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 8, 0, 0)
        self.form = BenchForm(FIELDS, parent=self)
        self.form.changed.connect(self.work_out)
        self.take = QPushButton("Drain: take the inductance as leakage", self.form)
        self.take.setToolTip("the drain rings with the leakage once the clamp lets go: read it there, outputs loaded; undo takes it back")
        self.take.clicked.connect(self._take)
        self.take.setEnabled(False)
        self.form.layout_of.addRow(self.take)
        self._ring: Ring | None = None
        row.addWidget(self.form, 0, Qt.AlignmentFlag.AlignTop)
        right = QVBoxLayout()
        self.words = QLabel(EMPTY, self)
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.words.setAccessibleName("snubber")
        self.view = PictureView(self)
        right.addWidget(self.words)
        right.addWidget(self.view, 1)
        right.addStretch()
        self.view.hide()
        row.addLayout(right, 1)

    def show_design(self, design: Design) -> None:
        """Another design: its step and frequency stand where nothing else was written."""
        old, self._design = self._design, design
        for name, value, unit in (("volts", usual_step(design), "V"), ("rate", float(design.figure("switch.frequency").value), "Hz")):
            edit, text = self.form.fields[name], show(value, unit, 3)
            if old is None or not edit.text() or edit.property("usual") == edit.text():
                edit.setText(text)
            edit.setProperty("usual", text)
        self.work_out()

    def _take(self) -> None:
        if self._ring is not None:
            f = self._ring.frequency
            self.measured.emit("transformer.leakage",
                               Measured(self._ring.inductance, None, f"ring at {show(f, 'Hz', 3)} with and without a known capacitor"))

    def _read(self) -> tuple[Ring, float | None]:
        """The ring behind the readings, and by how much two capacitors differ in their answers."""
        probe = self.form.number("probe") if self.form.fields["probe"].text().strip() else 0.0
        bare, first = self.form.number("bare"), (self.form.number("added"), self.form.number("loaded"))
        if not self.form.fields["added2"].text().strip():
            return ring_of(bare, *first, probe), None
        return ring_of_two(bare, first, (self.form.number("added2"), self.form.number("loaded2")), probe)

    def take_reading(self, field: str, frequency: float) -> None:
        """A frequency [Hz] read elsewhere stands in one of the fields."""
        self.form.fields[field].setText(show(frequency, "Hz", 4))
        self.work_out()

    def work_out(self) -> None:
        """Words and picture, or what is still wanted, or what is wrong."""
        self._ring = None
        self.take.setEnabled(False)
        wanted = [n for n in ("bare", "added", "loaded") if not self.form.fields[n].text().strip()]
        if wanted:
            self.words.setText(EMPTY)
            self.view.hide()
            return
        try:
            ring, differ = self._read()
            volts, rate = self.form.number("volts"), self.form.number("rate")
            if volts <= 0 or rate <= 0:
                raise InputError("ringing", "step and switching frequency have to be positive", "12, 65k")
            own = self.form.fields["own"].text().strip()
            chosen = snubber_for(ring, self.form.number("own") if own else nearest(3 * ring.capacitance, "E6"))
        except InputError as problem:
            self.words.setText(str(problem))
            return
        self._ring = ring
        self.take.setEnabled(self._design is not None and "transformer.leakage" in self._design.rows)
        self.words.setText("\n".join(sentences(ring, chosen, volts, rate, differ)))
        self.view.set_source(lambda w, h: ring_picture(ring, chosen, volts, w, h))
        self.view.show()
