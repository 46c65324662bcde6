"""The bench of the drain's record: a file of an oscilloscope in; peak, plateau, reset and ring out, the design's own waveform behind; its
ring goes to the ringing bench."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from rhevectra.app.scope import nearest_corner, own_waveform, parse_record, simulated_record
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.circuit.parts import NoSteadyState
from rhevectra.core.design.design import Design
from rhevectra.core.formulas.snubber import ringing_frequency
from rhevectra.core.stages.drain_trace import DrainTrace, read_drain
from rhevectra.drawing.trace import trace_picture
from rhevectra.ui.jobs import Jobs
from rhevectra.ui.pictures.canvas import PictureView

EMPTY = ("Open the record of the drain: rows of time and voltage, any separator, any heading. Peak, plateau, reset time and ring are read "
         "from it and laid over the design's own waveform. "
         "The bus and the drain are live: isolation transformer, differential probe or a rated one, never an earthed clip on the primary.")
STEPS = 4
ADDED = 100e-12
"""Capacitor [F] of the second simulated record."""


class TraceBench(QWidget):
    """Buttons, words and the record. Emits what a ring was read as (which field of the ringing bench, frequency [Hz]), and what to log of a
    file: words, values, what was expected."""

    ring_read = Signal(str, float)
    logged = Signal(str, object, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._design: Design | None = None
        self.found: DrainTrace | None = None
        self.jobs = Jobs(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        row = QHBoxLayout()
        self.open = self._button("Open record …", "a CSV or text file of an oscilloscope", self._ask)
        seen = "what a simulated oscilloscope sees of this design at the middle line and full load: 10 pF probe, 8 bits, noise"
        self.simulate = self._button("Simulated record", seen, lambda: self._simulate(0.0))
        self.simulate_added = self._button(f"Simulated, {show(ADDED, 'F')} added", f"{seen}, and a known capacitor across the switch",
                                           lambda: self._simulate(ADDED))
        self.bare = self._button("Ring without a capacitor", "hand the frequency to the ringing bench as read without an added capacitor",
                                 lambda: self._hand("bare"))
        self.loaded = self._button("Ring with the capacitor",
                                   "hand the frequency to the ringing bench as read with the known capacitor across the switch",
                                   lambda: self._hand("loaded"))
        for button in (self.open, self.simulate, self.simulate_added):
            row.addWidget(button)
        row.addStretch()
        for button in (self.bare, self.loaded):
            row.addWidget(button)
            button.setEnabled(False)
        column.addLayout(row)
        self.words = QLabel(EMPTY, self)
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.words.setAccessibleName("what the record says")
        column.addWidget(self.words)
        self.view = PictureView(self)
        column.addWidget(self.view, 1)
        column.addStretch()
        self.view.hide()

    def _button(self, text: str, tip: str, act: Any) -> QPushButton:
        button = QPushButton(text, self)
        button.setToolTip(tip)
        button.clicked.connect(act)
        return button

    def show_design(self, design: Design) -> None:
        """The design whose waveform lies behind from the next record on."""
        self._design = design

    def _ask(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open the record of a drain", "", "Records (*.csv *.txt *.dat);;All files (*)")
        if path:
            self.load(Path(path))

    def load(self, path: Path) -> None:
        """Read a record in the background; what is wrong with it is said, and the last one stays."""
        if self._design is not None:
            self.words.setText(f"{path.name}: being read …")
            self.jobs.start("trace", _file_steps(path, self._design), self._take)

    def _simulate(self, added: float) -> None:
        if self._design is not None:
            self.words.setText("simulated record: being made …")
            self.jobs.start("trace", _simulated_steps(self._design, added), self._take)

    def _take(self, result: Any) -> None:
        if isinstance(result, str):
            self.words.setText(result)
            return
        self.found, own, words, told = result
        self.words.setText(words)
        if told is not None:
            self.logged.emit(*told)
        read = self.found
        self.view.set_source(lambda w, h: trace_picture(read, own, w, h))
        self.view.show()
        for button in (self.bare, self.loaded):
            button.setEnabled(True)

    def _hand(self, field: str) -> None:
        if self.found is not None:
            self.ring_read.emit(field, self.found.frequency)


def _file_steps(path: Path, design: Design) -> Iterator[tuple[int, int, Any]]:
    """Steps of reading a file; the last has (trace, own waveform or None, words), or a sentence about what is wrong."""
    yield 0, STEPS, None
    try:
        text = path.read_text(encoding="utf-8", errors="replace")
    except OSError as problem:
        yield STEPS, STEPS, f"{path.name}: it cannot be read ({problem.strerror}); accepted: a text file"
        return
    yield from _steps(text, path.name, design, True)


def _simulated_steps(design: Design, added: float) -> Iterator[tuple[int, int, Any]]:
    """The same from the simulated oscilloscope."""
    yield 0, STEPS, None
    lines = sorted(design.grid.lines)
    try:
        text = simulated_record(design, design.grid.find(lines[len(lines) // 2], 1.0), added)
    except (NoSteadyState, KeyError) as problem:
        yield STEPS, STEPS, f"simulated record: the design has no such drain ({problem})"
        return
    yield from _steps(text, "simulated record", design, False)


def _steps(text: str, name: str, design: Design, to_log: bool) -> Iterator[tuple[int, int, Any]]:
    try:
        record = parse_record(text, name)
        yield 1, STEPS, None
        read = read_drain(record.t, record.v, name)
    except InputError as problem:
        yield STEPS, STEPS, str(problem)
        return
    yield 2, STEPS, None
    corner = nearest_corner(design, read)
    own = None
    if corner is not None:
        try:
            own = own_waveform(design, corner)
        except NoSteadyState:
            corner = None
    said = sentences(read, design, name, record.notes, corner)
    yield STEPS, STEPS, (read, own, "\n".join(said), (f"drain record {said[0]}", *_told(read, design, corner)) if to_log else None)


def _told(read: DrainTrace, design: Design, corner: Any) -> tuple[dict[str, float], dict[str, float]]:
    """What was read and what the design has at the nearest corner, by figure."""
    values = {"switch.v_peak": read.peak, "switch.v_plateau": read.plateau, "ring": read.frequency}
    if corner is None:
        return values, {}
    rows = design.rows
    expected = {id: float(rows[id].at(corner.index)) for id in ("switch.v_peak", "switch.v_plateau")}
    return (values,
            {**expected, "ring": float(ringing_frequency(float(rows["transformer.leakage"].value), float(rows["switch.c_node"].value)))})


def sentences(read: DrainTrace, design: Design, name: str, notes: tuple[str, ...], corner: Any) -> list[str]:
    """What was read, and what the design has there."""
    left = (f"{name}: peak {show(read.peak, 'V', 3)}, plateau (bus and reflected voltage) {show(read.plateau, 'V', 3)}, "
            f"{show(read.reset, 's', 3)} above the middle of both. ")
    ring = (f"Ring {show(read.frequency, 'Hz', 4)} ± {show(2 * read.frequency_error, 'Hz', 2)} (fit, two standard errors), quality "
            f"{read.quality:.0f}; noise {show(read.noise, 'V', 2)} rms.")
    out = [left + ring + (f" {'; '.join(notes)}." if notes else "")]
    if corner is not None:
        rows, i = design.rows, corner.index
        at = lambda id, unit: show(float(rows[id].at(i)), unit, 3)  # noqa: E731
        inductance, c = float(rows["transformer.leakage"].value), float(rows["switch.c_node"].value)
        out.append(f"The design at {corner.text()}, the nearest: peak {at('switch.v_peak', 'V')}, plateau {at('switch.v_plateau', 'V')}, "
                   f"reset {at('clamp.t_reset', 's')}, ring {show(float(ringing_frequency(inductance, c)), 'Hz', 4)}. "
                   "A lower ring is more leakage or more capacitance, the probe's included: a second record with a known capacitor tells "
                   "them apart.")
    return out
