"""The Size desk: energy path, decisions, picture, ledger, findings. Gets (Design, stage, corner); emits edits."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design
from rhevectra.ui.views.decisions import DecisionsView
from rhevectra.ui.views.energy_path import EnergyPath
from rhevectra.ui.views.findings import FindingsView
from rhevectra.ui.views.ledger import LedgerView
from rhevectra.ui.views.picture_panel import PicturePanel

FIRST_STAGE = "switch"


class SizeDesk(QWidget):
    """Wires the views of one stage together. The chosen ledger row's corner drives the pictures."""

    pinned = Signal(str, object)
    freed = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.stage = FIRST_STAGE
        self.corner: Corner | None = None
        self._design: Design | None = None
        self.path, self.decisions, self.picture = EnergyPath(self), DecisionsView(self), PicturePanel(self)
        self.ledger, self.findings = LedgerView(self), FindingsView(self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 8)
        layout.setSpacing(8)
        layout.addWidget(self.path)
        middle = QVBoxLayout()
        centre = QWidget(self)
        middle.setContentsMargins(0, 0, 0, 0)
        centre.setLayout(middle)
        inner = QSplitter(Qt.Orientation.Vertical, centre)
        inner.addWidget(self.picture)
        inner.addWidget(self.findings)
        inner.setSizes([470, 120])
        middle.addWidget(inner)
        self.split = QSplitter(Qt.Orientation.Horizontal, self)
        for widget in (self.decisions, centre, self.ledger):
            self.split.addWidget(widget)
        self.split.setSizes([306, 524, 372])
        self.split.setStretchFactor(1, 1)
        self.split.setChildrenCollapsible(False)
        layout.addWidget(self.split, 1)
        self.path.chosen.connect(self.choose_stage)
        self.decisions.pinned.connect(self.pinned)
        self.decisions.freed.connect(self.freed)
        self.ledger.chosen.connect(self._figure_chosen)
        self.findings.cure.connect(self.go_to)

    def show_design(self, design: Design) -> None:
        """Show a design: nothing on the desk is from an older one afterwards."""
        fresh = self._design is None or design.grid.shape != self._design.grid.shape
        self._design = design
        if self.stage not in [s for s, _, _ in design.plates] + ["load"]:
            self.stage = FIRST_STAGE
        if fresh or self.corner is None:
            self.corner = self._first_corner(design)
        else:
            figure = self.ledger.open_id
            moved = design.figure(figure).corner if figure in design.figure_ids else None
            self.corner = design.grid.corner((moved or self.corner).index)
        self._show()

    def _first_corner(self, design: Design) -> Corner:
        """Corner of the stage's tightest figure, which the ledger opens first."""
        limited = [f for f in design.figures(self.stage) if f.margin is not None and f.corner is not None]
        best = min(limited, key=lambda f: f.margin or 0.0) if limited else None
        return design.grid.corner(best.corner.index) if best and best.corner else design.grid.find(min(design.grid.lines))

    def _show(self) -> None:
        if self._design is None or self.corner is None:
            return
        self.path.show_design(self._design, self.stage)
        self.decisions.show_design(self._design, self.stage)
        self.ledger.show_design(self._design, self.stage)
        self.findings.show_design(self._design)
        self.picture.show_design(self._design, self.stage, self.corner)

    def choose_stage(self, stage: str) -> None:
        """Go to another stage; its tightest figure drives the pictures."""
        if stage == self.stage or self._design is None:
            return
        self.stage = stage
        self.corner = self._first_corner(self._design)
        self._show()

    def _figure_chosen(self, id: str) -> None:
        if self._design is None:
            return
        corner = self._design.figure(id).corner
        if corner is not None:
            self.corner = self._design.grid.corner(corner.index)  # start and short are drawn as the current limit they come from
            self.picture.show_design(self._design, self.stage, self.corner)

    def go_to(self, stage: str, decision: str) -> None:
        """Go to the decision that cures a finding."""
        if self._design is not None and decision in self._design.decision_specs:
            stage = self._design.decision_specs[decision].stage
        self.choose_stage(stage)
        self.decisions.focus(decision)
