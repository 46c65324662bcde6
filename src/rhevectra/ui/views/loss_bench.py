"""The loss bench: a person's own core loss points in, the fitted surface with what each point is off, and a material class out."""

from pathlib import Path

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from rhevectra.core.basis.errors import InputError
from rhevectra.core.design.design import Design
from rhevectra.core.magnetics.loss_fit import COLUMNS, LossFit, fit, material_row, read_points
from rhevectra.drawing.loss_fit import fit_picture
from rhevectra.ui.pictures.canvas import PictureView

EMPTY = (f"Open a table of your own points: CSV with the columns {', '.join(COLUMNS)} (sine, SI units). "
         "The fit and what each point is off appear here; kept as a material class it can be chosen like any other.")


class LossBench(QWidget):
    """A button for the file, the picture, the words, and a name to keep it by. Emits the row to keep."""

    kept = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.found: LossFit | None = None
        self._design: Design | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        row = QHBoxLayout()
        self.open, self.keep = QPushButton("Open points …", self), QPushButton("Keep as material class", self)
        self.name = QLineEdit("own-1", self)
        self.name.setAccessibleName("name of the material class")
        self.name.setFixedWidth(140)
        self.open.clicked.connect(self._ask)
        self.keep.clicked.connect(self._keep)
        row.addWidget(self.open)
        row.addStretch()
        row.addWidget(QLabel("kept as", self))
        row.addWidget(self.name)
        row.addWidget(self.keep)
        column.addLayout(row)
        self.words = QLabel(EMPTY, self)
        self.words.setWordWrap(True)
        self.words.setAccessibleName("what the fit says")
        column.addWidget(self.words)
        self.view = PictureView(self)
        column.addWidget(self.view, 1)
        column.addStretch()
        self.view.hide()
        self.keep.setEnabled(False)

    def show_design(self, design: Design) -> None:
        """The design whose material lends saturation and permeability."""
        self._design = design

    def _ask(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open core loss points", "", "CSV (*.csv)")
        if path:
            self.load(Path(path))

    def load(self, path: Path) -> None:
        """Fit the points of a file; what is wrong with it is said, and the last fit stays."""
        try:
            try:
                text = path.read_text(encoding="utf-8-sig")
            except (OSError, UnicodeDecodeError) as problem:
                raise InputError(path.name, f"cannot be read ({getattr(problem, 'strerror', None) or 'not UTF-8 text'})",
                                 "a CSV file") from None
            found = fit(*read_points(text, path.name), path.name)
        except InputError as problem:
            self.words.setText(str(problem))
            return
        self.found = found
        v, off = found.values, np.abs(found.off) * 100
        warm = (f"least loss at {v['loss_t_min_c']:.0f} °C" if found.warm
                else f"one temperature: least loss taken at {v['loss_t_min_c']:.0f} °C as power ferrites have it")
        self.words.setText(f"{len(found.loss)} points: loss grows with f^{v['loss_alpha']:.2f} and B^{v['loss_beta']:.2f}, "
                           f"{v['loss_ref_w_m3'] / 1e3:.3g} kW/m³ at {v['loss_f_ref_hz'] / 1e3:g} kHz and {v['loss_b_ref_t'] * 1e3:g} mT; "
                           f"{warm}. "
                           f"The fit is off by {np.sqrt(np.mean(off**2)):.1f} % rms, {off.max():.1f} % at most.")
        self.view.set_source(lambda w, h: fit_picture(found, w, h))
        self.view.show()
        self.keep.setEnabled(True)

    def _keep(self) -> None:
        name = self.name.text().strip()
        if self.found is None or self._design is None:
            return
        if not name:
            self.words.setText("name of the material class: it is empty; accepted: any text")
            return
        like = self._design.catalogue["materials"].row(
            str(self._design.value("transformer.material")) if "transformer.material" in self._design.rows else "PW3")
        self.kept.emit(material_row(name, self.found, like))
