"""The Size desk: energy path, decisions, picture, ledger, corners, findings. Gets a session's designs; emits edits."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design
from rhevectra.ui.feed import Feed
from rhevectra.ui.views.corner_grid import CornerGrid
from rhevectra.ui.views.decisions import DecisionsView
from rhevectra.ui.views.energy_path import EnergyPath
from rhevectra.ui.views.findings import FindingsView
from rhevectra.ui.views.ledger import LedgerView
from rhevectra.ui.views.picture_panel import PicturePanel

FIRST_STAGE = "switch"
LEAST_LEDGER, WIDEST_LEDGER = 384, 690
"""Width [px] the labels of the ledger need, and beyond which all that a window grows goes to the picture."""
SMALL = (1180, 740)
"""Below this width or height [px] the desk folds: plates to name and bar, corners to a strip, findings to a counter."""


class SizeDesk(QWidget):
    """Wires the views of one stage together. The chosen ledger row or corner cell drives the pictures."""

    pinned = Signal(str, object, bool)
    ahead = Signal(str, object)
    freed = Signal(str)
    measured = Signal(str, object)
    admit = Signal()
    picked = Signal(object, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.stage = FIRST_STAGE
        self.corner: Corner | None = None
        self._design: Design | None = None
        self._reference: Design | None = None
        self._before: Design | None = None
        self.path, self.decisions, self.picture = EnergyPath(self), DecisionsView(self), PicturePanel(self)
        self.ledger, self.findings, self.corners = LedgerView(self), FindingsView(self), CornerGrid(self)
        self._lay_out()
        self.path.chosen.connect(self.choose_stage)
        self.path.replaced.connect(lambda id, name: self.pinned.emit(id, name, False))
        self.decisions.pinned.connect(self.pinned)
        self.decisions.ahead.connect(self.ahead)
        self.decisions.freed.connect(self.freed)
        self.decisions.admit.connect(self.admit)
        self.ledger.chosen.connect(self._figure_chosen)
        self.ledger.mode_changed.connect(self._show)
        self.ledger.measured.connect(self.measured)
        self.corners.chosen.connect(self.go_to_corner)
        self.findings.cure.connect(self.go_to)
        self.picture.solved.connect(self._exact_found)
        self.picture.picked.connect(self.picked)
        self.picture.decided.connect(lambda id, value: self.pinned.emit(id, int(value) if value.isdigit() else value, False))

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 8)
        layout.setSpacing(8)
        layout.addWidget(self.path)
        left = QWidget(self)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.inner = QSplitter(Qt.Orientation.Horizontal, left)
        self.inner.addWidget(self.decisions)
        self.inner.addWidget(self.picture)
        self.decisions.setMinimumWidth(284)  # a scroll bar beside the pins, in a small window too
        self.inner.setSizes([286, 484])
        self.inner.setStretchFactor(1, 1)
        self.inner.setChildrenCollapsible(False)
        column.addWidget(self.inner, 1)
        column.addWidget(self.corners)
        self.ledger.setMinimumWidth(LEAST_LEDGER)
        self.ledger.setMaximumWidth(WIDEST_LEDGER)
        right = QSplitter(Qt.Orientation.Vertical, self)
        right.addWidget(self.ledger)
        right.addWidget(self.findings)
        right.setSizes([520, 130])
        right.setStretchFactor(0, 1)
        right.setChildrenCollapsible(False)
        self.right = right
        self.split = QSplitter(Qt.Orientation.Horizontal, self)
        self.split.addWidget(left)
        self.split.addWidget(right)
        self.split.setSizes([770, 424])
        self.split.setStretchFactor(0, 4)  # a small window takes from both
        self.split.setStretchFactor(1, 1)
        self.split.setChildrenCollapsible(False)
        layout.addWidget(self.split, 1)

    @property
    def late(self) -> dict[str, Feed]:
        """The workers of what comes late and may take its time, by what it is called."""
        return {**{name: late.feed for name, late in self.picture.late.items()}, "pins": self.findings.freeing}

    @property
    def busy(self) -> bool:
        """Something is on its way from a worker."""
        return self.picture.busy or self.findings.freeing.busy

    def stop(self) -> None:
        """End what is under way in the workers."""
        self.picture.stop()
        self.findings.freeing.stop()

    @property
    def splitters(self) -> dict[str, QSplitter]:
        """The splitters whose positions are remembered."""
        return {"inner": self.inner, "split": self.split, "right": self.right}

    def resizeEvent(self, event: QResizeEvent) -> None:
        small = self.width() < SMALL[0] - 64 or self.height() < SMALL[1] - 50
        self.path.set_compact(small)
        self.corners.set_compact(small)
        self.findings.set_compact(small)
        if small:
            self.right.setSizes([10_000, 34])
        super().resizeEvent(event)

    def show_design(self, design: Design, reference: Design | None = None, before: Design | None = None) -> None:
        """Show a design: nothing on the desk is from an older one afterwards."""
        fresh = self._design is None or design.grid.shape != self._design.grid.shape
        self._design, self._reference, self._before = design, reference, before
        if self.stage not in [s for s, _, _ in design.plates] + ["load"]:
            self.stage = FIRST_STAGE
        if fresh or self.corner is None:
            self.corner = self._first_corner(design)
        else:
            figure = self.ledger.open_id
            moved = design.figure(figure).corner if figure in design.figure_ids and not self.ledger.here else None
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
        self.findings.show_design(self._design)
        self._show_corner()

    def _show_corner(self) -> None:
        """What follows the corner: ledger, grid and pictures."""
        if self._design is None or self.corner is None:
            return
        self.ledger.show_design(self._design, self.stage, self.corner, self._reference, self._before)
        self.corners.show_design(self._design, self.corner)
        self.picture.show_design(self._design, self.stage, self.corner, self._reference)

    def _exact_found(self, design: Design, found: object) -> None:
        """Ratings that the exact waveform finds worse than the formulas are added to the findings of this design."""
        from rhevectra.core.design.exact import remarks

        if design is self._design:
            self.findings.add(remarks(design, found))  # type: ignore[arg-type]

    def choose_stage(self, stage: str) -> None:
        """Go to another stage; its tightest figure drives the pictures unless a corner is looked at."""
        if stage == self.stage or self._design is None:
            return
        self.stage = stage
        if not self.ledger.here:
            self.corner = self._first_corner(self._design)
        self._show()

    def step_stage(self, direction: int) -> None:
        """The next or previous stage along the energy path."""
        order = list(self.path.buttons)
        self.choose_stage(order[(order.index(self.stage) + direction) % len(order)])

    def _figure_chosen(self, id: str) -> None:
        if self._design is None or self.ledger.here:
            return
        corner = self._design.figure(id).corner
        if corner is not None:
            # start and short are drawn as the current limit they come from
            self.corner = self._design.grid.corner(corner.index)
            self.corners.show_design(self._design, self.corner)
            self.picture.show_design(self._design, self.stage, self.corner, self._reference)

    def go_to_corner(self, corner: Corner) -> None:
        """All pictures, and the ledger with them, move to an operating point."""
        self.corner = corner
        if not self.ledger.here:
            self.ledger.mode.button(1).setChecked(True)
        else:
            self._show_corner()

    def worst_corner(self) -> None:
        """The stage and corner of the tightest figure of all; the ledger shows worst values again."""
        if self._design is None:
            return
        limited = [f for f in self._design.figures() if f.margin is not None]
        worst = min(limited, key=lambda f: f.margin or 0.0)
        self.ledger.mode.button(0).setChecked(True)
        self.go_to_figure(worst.id)

    def go_to_figure(self, id: str) -> None:
        """The stage of a figure, with its row chosen and its working open."""
        if self._design is None or id not in self._design.specs:
            return
        self.choose_stage(self._design.specs[id].stage)
        self.ledger.select(id)

    def go_to(self, stage: str, decision: str) -> None:
        """Go to the decision that cures a finding, or the figure whose reading does."""
        if self._design is not None and decision in self._design.as_built:
            self.go_to_figure(decision)
            return
        if self._design is not None and decision in self._design.decision_specs:
            stage = self._design.decision_specs[decision].stage
        self.choose_stage(stage)
        self.decisions.focus(decision)
