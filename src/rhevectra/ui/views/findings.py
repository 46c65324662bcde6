"""Findings: what must be fixed and what to look at. A double click or Enter goes to the decision that cures it. Where something
must be fixed, which of the pins and readings is to blame is tried in the background and told first."""

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX, NOTE, Finding
from rhevectra.core.design.design import Design
from rhevectra.drawing.lines import kept
from rhevectra.ui.feed import Feed, freeing_steps
from rhevectra.ui.theme.roles import colour

_MARKS = {MUST_FIX: ("▲", "over"), LOOK_AT: ("◆", "tight"), NOTE: ("–", "muted")}


class FindingsView(QFrame):
    """List of findings. Emits the stage and the curing decision."""

    cure = Signal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._design: Design | None = None
        self._more: tuple[Finding, ...] = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(1, 8, 1, 1)
        self.title = QLabel("Findings", self)
        self.title.setObjectName("title")
        self.title.setContentsMargins(10, 0, 0, 0)
        self.list = QListWidget(self)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("findings")
        self.list.itemActivated.connect(self._activated)
        layout.addWidget(self.title)
        layout.addWidget(self.list)
        self.freeing = Feed(freeing_steps, self)
        self.freeing.found.connect(lambda _design, found, _why: self.add([found] if found else []))

    def set_compact(self, compact: bool) -> None:
        """Fold to the title with its count in a small window."""
        self.list.setVisible(not compact)
        self.setMaximumHeight(34 if compact else 16777215)

    def add(self, more: Sequence[Finding]) -> None:
        """Findings that came later than the design itself."""
        if self._design is not None and more:
            known = {f.text for f in self._more}
            self._more = (*self._more, *(f for f in more if f.text not in known))
            self._fill((*self._more, *self._design.findings))

    def show_design(self, design: Design) -> None:
        """Show all findings of a design, the gravest first."""
        if design is not self._design:
            self._more = ()
            self.freeing.cancel()
            if (design.pins or design.as_built) and not design.feasible:
                self.freeing.want(design)
        self._design = design
        self._fill((*self._more, *design.findings))

    def _fill(self, findings: Sequence[Finding]) -> None:
        at, chosen = self.list.verticalScrollBar().value(), self.list.currentItem()
        words = chosen.text() if chosen else ""
        self.list.clear()
        order = list(_MARKS)
        for finding in sorted(findings, key=lambda f: order.index(f.severity)):
            mark, role = _MARKS[finding.severity]
            item = QListWidgetItem(kept(f"{mark} {finding.severity}: {finding.text}"))
            item.setForeground(colour(role))
            item.setData(Qt.ItemDataRole.UserRole, (finding.stage, finding.cure))
            item.setToolTip(finding.text + (f"\ncured by {finding.cure}" if finding.cure else ""))
            self.list.addItem(item)
            if item.text() == words:
                self.list.setCurrentItem(item)
        self.list.verticalScrollBar().setValue(at)
        if not findings:
            item = QListWidgetItem("Nothing to fix: every figure is inside its limit at every corner.")
            item.setForeground(colour("inside"))
            self.list.addItem(item)
        counts = [f"{mark} {n} {name}{'s' if name == NOTE and n > 1 else ''}" for name, (mark, _) in _MARKS.items()
                  if (n := sum(f.severity == name for f in findings))]
        self.title.setText("Findings   " + ("   ".join(counts) or "none"))

    def _activated(self, item: QListWidgetItem) -> None:
        data = item.data(Qt.ItemDataRole.UserRole)
        if data:
            self.cure.emit(*data)
