"""The gap bench: readings of a made core in, what to grind or to put under the legs out."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.magnetics.gapping import Advice, Fitted, Reading, advise, fit, gapped_core
from rhevectra.core.topologies.common.making import ordered
from rhevectra.core.topologies.flyback.tolerance import peaks
from rhevectra.drawing.gapping import gap_curves
from rhevectra.project.log import entries
from rhevectra.ui.pictures.canvas import PictureView
from rhevectra.ui.widgets.bench_form import BenchForm, Field

FIELDS = (Field("gap", "Gap in the post now", "m", "ground into it so far, by the micrometre or by what was ordered"),
          Field("spacer", "Spacer under all legs now", "m", "0 where there is none", "0"),
          Field("reading", "Inductance read", "H", "others open, core clamped as it will be"),
          Field("target", "Inductance wanted", "H", "the design's, unless another is wanted"),
          Field("tape", "One tape or shim", "m", "measured: tape is 20 to 65 µm and creeps when clamped", "25 µm"))


def has_gap(design: Design) -> bool:
    """Whether the transformer of a design is made to an inductance by its gap."""
    return hasattr(design.context["plan"], "choice") and "transformer.gap" in design.rows and ordered(design) is not None


def in_run(design: Design, tolerance: float) -> list[str]:
    """What the tolerance does to the peak current, where that is known."""
    found = peaks(design, tolerance)
    return [] if found is None else [f"In run at {found.corner.text()} the peak is {show(found.ordered, 'A')} as ordered, "
                                     f"{show(found.least, 'A')} with the least and {show(found.greatest, 'A')} with the greatest "
                                     "inductance; the least current limit is "
                                     f"{show(found.limit, 'A')}{'' if found.least < found.limit else ': it would trip'}."]


def _wanted(design: Design) -> tuple[float, float]:
    """Gap and inductance as ordered [m, H]."""
    made = ordered(design)
    return float(np.max(design.rows["transformer.gap"].value)), made[0] if made else 0.0


TITLE, WITHDRAWN = "gap bench", "withdrawn"
"""How the log tells a reading of this bench, and its withdrawal."""


def _made(design: Design) -> str:
    """Core and turns that a reading belongs to."""
    return f"{design.value('transformer.core')}, {design.value('transformer.np'):.0f} turns"


def logged_readings(design: Design, log: Iterable[Any]) -> list[Reading]:
    """Readings of the log that were taken with the core and turns of a design, less those withdrawn."""
    found: list[Reading] = []
    for e in entries(log):
        if not e.text.startswith(f"{TITLE}: ") or not e.text.endswith(f" ({_made(design)})") or not {"gap", "spacer",
                "inductance"} <= set(e.values):
            continue
        reading = Reading(*(float(e.values[k]) for k in ("gap", "spacer", "inductance")))
        if e.text.startswith(f"{TITLE}: {WITHDRAWN}"):
            found = [r for r in found if r != reading]
        elif reading not in found:
            found.append(reading)
    return found


def sentences(advice: Advice, found: Fitted, readings: list[Reading], target: float, tape: float, post: str) -> list[str]:
    """What the readings say, and both ways to the target with what to expect half way."""
    now = readings[-1].inductance
    lines = []
    if advice.spacer is not None and advice.half_spacer is not None:
        verb = "Put" if advice.spacer >= 0 else "Take"
        where = "under all legs" if advice.spacer >= 0 else "out from under all legs"
        lines.append(f"{verb} {show(abs(advice.spacer), 'm', 3)} {where} ({abs(advice.spacer) / tape:.1f} layers of {show(tape, 'm', 3)}): "
                     f"{show(now, 'H', 4)} → {show(target, 'H', 4)}. Half of it first: expect {show(advice.half_spacer, 'H', 4)}.")
    if advice.grind is not None and advice.half_grind is not None:
        lines.append(
            f"Or grind {show(advice.grind, 'm', 3)} more off the {post}. Half of it first: expect {show(advice.half_grind, 'H', 4)}.")
    if not lines:
        lines.append(f"{show(target, 'H', 4)} is more than this core gives: a core with a shorter gap is needed, or more turns.")
    if advice.spacer is not None and advice.spacer > 0:
        lines.append(f"Without the spread of the field one would put {show(advice.naive, 'm', 2)}: too little.")
    lines.append(f"{'The reading says' if len(readings) == 1 else f'The {len(readings)} readings say'}: gap "
                 f"{show(abs(found.longer), 'm', 2)} {'longer' if found.longer >= 0 else 'shorter'} than told, its field spreads "
                 f"{found.spread:.2f} of the formula; {'off' if len(readings) == 1 else 'the last is off'} by "
                 f"{found.residuals[-1] * 100:+.1f} %.")
    return lines


class GapBench(QWidget):
    """Form, picture and sentences. Readings come from the project's log and go into it: emits the words and numbers to log."""

    said = Signal(str)
    logged = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.readings: list[Reading] = []
        self._design: Design | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 8, 0, 0)
        self.form = BenchForm(FIELDS, "Core and turns", self)
        self.core, self.fields = self.form.first, self.form.fields
        self.form.changed.connect(self.work_out)
        self.fields["reading"].returnPressed.connect(self.add)
        self.take, self.drop = QPushButton("Add reading", self.form), QPushButton("Drop the last", self.form)
        self.take.clicked.connect(self.add)
        self.drop.clicked.connect(self.remove)
        both = QHBoxLayout()
        both.addWidget(self.take)
        both.addWidget(self.drop)
        self.form.layout_of.addRow(both)
        self.list = QLabel(self.form)
        self.list.setObjectName("muted")
        self.list.setWordWrap(True)
        self.form.layout_of.addRow(self.list)
        row.addWidget(self.form, 0, Qt.AlignmentFlag.AlignTop)
        right = QVBoxLayout()
        self.view = PictureView(self)
        self.words = QLabel(self)
        self.words.setWordWrap(True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.words.setAccessibleName("what to do")
        right.addWidget(self.words)
        right.addWidget(self.view, 1)
        right.addStretch()
        row.addLayout(right, 1)

    def show_design(self, design: Design, log: Iterable[Any] = ()) -> None:
        """Another design: the wanted inductance and the gap as ordered are its own; of the logged readings those of its core and turns are
        its own too."""
        if not has_gap(design):
            self._design = None
            self.words.setText("this transformer has no gap to adjust")
            self.setEnabled(False)
            self.view.hide()
            return
        self.readings = logged_readings(design, log)
        if self._design is None or _wanted(design) != _wanted(self._design):
            gap, target = _wanted(design)
            self.fields["gap"].setText(show(gap, "m", 3))
            self.fields["target"].setText(show(target, "H", 4))
        self.setEnabled(True)
        self._design = design
        self.core.setText(_made(design))
        self.work_out()

    def add(self) -> None:
        """Take the fields as one more reading."""
        if self._design is None:
            return
        try:
            reading = Reading(self.form.number("gap"), self.form.number("spacer"), self.form.number("reading"))
            fit(gapped_core(self._design), [*self.readings, reading])
        except InputError as problem:
            self._problem(str(problem))
            return
        if reading in self.readings:
            return
        self.readings.append(reading)
        self._log(f"{TITLE}: gap {show(reading.gap, 'm', 3)}, spacer {show(reading.spacer, 'm', 3)}: {show(reading.inductance, 'H', 4)}",
                  reading)
        self.work_out()

    def remove(self) -> None:
        """Withdraw the last reading; the log keeps both."""
        if self.readings:
            last = self.readings.pop()
            self._log(f"{TITLE}: {WITHDRAWN} {show(last.inductance, 'H', 4)}", last)
        self.work_out()

    def _log(self, text: str, r: Reading) -> None:
        if self._design is not None:
            self.logged.emit(f"{text} ({_made(self._design)})", {"gap": r.gap, "spacer": r.spacer, "inductance": r.inductance})

    def _problem(self, text: str) -> None:
        self.words.setText(text)
        self.said.emit(text)

    def work_out(self) -> None:
        """Sentences and picture for the readings there are."""
        self.list.setText(
            "\n".join(f"{k}: gap {show(r.gap, 'm', 3)}, spacer {show(r.spacer, 'm', 3)}: {show(r.inductance, 'H', 4)}"
                      for k, r in enumerate(self.readings, 1)))
        self.drop.setEnabled(bool(self.readings))
        self.view.setVisible(bool(self.readings))
        if self._design is None:
            return
        if not self.readings:
            self.words.setText("Clamp the core with the winding on it, read the inductance, and put it in at the left: both ways to what "
                               "is wanted appear here. The inductance decides, a length of gap is only a guide.")
            return
        core, readings = gapped_core(self._design), list(self.readings)
        try:
            target, tape = self.form.number("target"), self.form.number("tape")
            if tape <= 0:
                raise InputError("One tape or shim", "a thickness of nothing cannot be counted", "a positive length such as 25u")
            advice, found = advise(core, readings, target), fit(core, readings)
        except InputError as problem:
            self._problem(str(problem))
            return
        lp, tol = ordered(self._design) or (target, 0.0)
        band = f"Peak current, flux and limits were sized for {show((1 - tol) * lp, 'H', 4)} to {show((1 + tol) * lp, 'H', 4)}."
        self.words.setText("\n".join([*sentences(advice, found, readings, target, tape, core.post), band, *in_run(self._design, tol)]))
        self.view.set_source(lambda w, h: gap_curves(core, readings, target, advice, w, h))
