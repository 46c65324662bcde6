"""The Explore desk: hundreds of designs around the present one as points, a brush to filter, one to go on with."""

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rhevectra.app.explore import LEAST, MOST_DESIGNS, USUAL
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX
from rhevectra.core.design.contest import Entry
from rhevectra.core.design.design import Design
from rhevectra.core.explore.explore import open_to_choice, unbeaten
from rhevectra.core.explore.measures import MEASURES, TABLE, told
from rhevectra.core.explore.space import Axis, axes_of, typed
from rhevectra.drawing.explore import explore_picture, values_of
from rhevectra.ui.pictures.scatter import ScatterView
from rhevectra.ui.theme.roles import colour
from rhevectra.ui.widgets.tables import filled

ROWS_MOST = 200
EACH, FRAMES = 25, 40
"""Designs that come in between two paintings, and paintings of a long exploration at most."""


class ExploreView(QWidget):
    """Ranges, points, table. Emits axes and number of designs to make, the decisions to go on with or to hold, and the wish to stop."""

    wanted = Signal(object, int)
    stopped = Signal()
    opened = Signal(object)
    held = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.entries: list[Entry] = []
        self.axes: tuple[Axis, ...] = ()
        self.tried: tuple[Axis, ...] = ()
        self.inside: set[int] | None = None
        self.front: list[int] = []
        self.may: list[bool] = []
        self.rows: list[int] = []
        self.design: Design | None = None
        self.fields: dict[str, QLineEdit] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.setSpacing(8)
        column.addLayout(self._head())
        middle = QHBoxLayout()
        middle.addWidget(self._varied_card(), 0)
        self.view = ScatterView(self)
        self.view.took.connect(self.choose)
        self.view.brushed.connect(self._brush)
        self.view.wanted.connect(self._open)
        self.view.told = self._tip
        middle.addWidget(self.view, 1)
        column.addLayout(middle, 6)
        self.table = self._make_table()
        column.addWidget(self.table, 3)
        column.addLayout(self._foot())
        self._draw()

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        title = QLabel("Explore", self)
        title.setObjectName("title")
        row.addWidget(title)
        self.said = QLabel("", self)
        self.said.setObjectName("muted")
        row.addWidget(self.said, 1)
        self.axis_boxes: list[QComboBox] = []
        for text, usual in (("across", "magnetics_volume"), ("up", "loss")):
            box = QComboBox(self)
            for name, m in MEASURES.items():
                box.addItem(m.title, name)
            box.setCurrentIndex(list(MEASURES).index(usual))
            box.setAccessibleName(f"measure {text}")
            box.currentIndexChanged.connect(lambda _k: self._measure())
            row.addWidget(QLabel(text, self))
            row.addWidget(box)
            self.axis_boxes.append(box)
        return row

    def _varied_card(self) -> QFrame:
        card = QFrame(self)
        card.setObjectName("card")
        card.setFixedWidth(268)
        inner = QVBoxLayout(card)
        head = QLabel("Varied", card)
        head.setObjectName("section")
        inner.addWidget(head)
        self.grid = QGridLayout()
        self.grid.setVerticalSpacing(4)
        inner.addLayout(self.grid)
        self.problem = QLabel("", card)
        self.problem.setObjectName("problem")
        self.problem.setWordWrap(True)
        inner.addWidget(self.problem)
        inner.addStretch(1)
        row = QHBoxLayout()
        self.count = QSpinBox(card)
        self.count.setRange(LEAST, MOST_DESIGNS)
        self.count.setSingleStep(100)
        self.count.setValue(USUAL)
        self.count.setSuffix(" designs")
        self.count.setAccessibleName("how many designs")
        self.count.setToolTip(f"how many designs are made, {LEAST} to {MOST_DESIGNS}")
        row.addWidget(self.count)
        self.button = QPushButton("Start", card)
        self.button.clicked.connect(self._start_or_stop)
        row.addWidget(self.button)
        inner.addLayout(row)
        return card

    def _make_table(self) -> QTableWidget:
        table = QTableWidget(0, 0, self)
        table.setAccessibleName("designs that none beats, or those of the brush")
        table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignCenter | Qt.AlignmentFlag(int(Qt.TextFlag.TextWordWrap)))
        table.horizontalHeader().setMinimumHeight(38)
        table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        table.verticalHeader().hide()
        table.verticalHeader().setDefaultSectionSize(24)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.currentCellChanged.connect(lambda row, *_: self.choose(self.rows[row]) if 0 <= row < len(self.rows) else None)
        table.cellActivated.connect(lambda row, _c: self._open(self.rows[row]))
        return table

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.chosen_text = QLabel("", self)
        self.chosen_text.setObjectName("muted")
        self.chosen_text.setWordWrap(True)
        row.addWidget(self.chosen_text, 1)
        self.buttons = []
        for text, tip, signal in (
                ("Go on with it", "what was varied becomes your decisions, and the Size desk opens; undo takes it back", self.opened),
                ("Hold as reference", "see it pale behind the present design, figure by figure", self.held)):
            button = QPushButton(text, self)
            button.setToolTip(tip)
            button.clicked.connect(lambda _c=False, s=signal: self._send(s))
            row.addWidget(button)
            self.buttons.append(button)
        return row

    def show_design(self, design: Design) -> None:
        """Ranges around another design; the points stay as long as they are of the same requirement and topology."""
        before, self.design = self.design, design
        if before is not None and (before.requirement, before.topology) == (design.requirement, design.topology):
            if dict(before.pins) != dict(design.pins) and self.entries:
                self.said.setText("the ring marks the design these were made around; Start goes on from the present one")
        else:
            if self.button.text() == "Stop":  # what is still under way is for what no longer is asked
                self.stopped.emit()
            self.entries, self.inside = [], None
            self.said.setText("")
        self.axes = axes_of(design)
        self._fill_ranges()
        self._draw()

    def _fill_ranges(self) -> None:
        while (item := self.grid.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.deleteLater()
        self.fields = {}
        for k, axis in enumerate(self.axes):
            label, field = QLabel(axis.label, self), QLineEdit(axis.text(), self)
            label.setWordWrap(True)
            field.setAccessibleName(axis.label)
            field.setToolTip(
                f"{axis.label}: "
                + ("those of these that stand here are tried, commas between them; empty: it stays as it is" if axis.options
                   else f"from-to, in {axis.unit or ('%' if axis.percent else 'plain numbers')}; empty: it stays as it is"))
            field.setCursorPosition(0)
            field.setFixedWidth(130)
            self.grid.addWidget(label, k, 0)
            self.grid.addWidget(field, k, 1)
            self.fields[axis.id] = field
        if not self.axes:
            self.grid.addWidget(QLabel("All that would be varied is pinned.", self), 0, 0, 1, 2)

    def ranges(self) -> tuple[Axis, ...]:
        """The axes as typed. Raises InputError."""
        assert self.design is not None
        made = (typed(a, self.fields[a.id].text(), self.design.decision_specs[a.id]) for a in self.axes)
        return tuple(a for a in made if a is not None)

    def _start_or_stop(self) -> None:
        if self.button.text() == "Stop":
            self.stopped.emit()
            return
        self.problem.setText("")
        try:
            self.wanted.emit(self.ranges(), self.count.value())
        except InputError as problem:
            self.problem.setText(str(problem))

    def begin(self, axes: tuple[Axis, ...]) -> None:
        """New designs are on their way; nothing of the old ones stays."""
        self.tried, self.entries, self.inside, self.view.box, self.view.chosen = axes, [], None, None, None
        self.button.setText("Stop")
        self.said.setText("designing …")
        self._draw()

    def take(self, entry: Entry) -> None:
        """One more design."""
        self.entries.append(entry)
        if len(self.entries) in (2, 5, 10) or len(self.entries) % max(EACH, self.count.value() // FRAMES) == 0:
            self._draw()

    def end(self) -> None:
        """No more are coming."""
        self.button.setText("Start")
        able, says = open_to_choice(self.entries)
        self.said.setText(f"{len(self.entries)} designs, {sum(able)} {says}; the mains filter with its usual copper" if self.entries
                          else "")
        self._draw()

    def _measure(self) -> None:
        self.view.box, self.inside = None, None
        self._draw()

    def _brush(self, inside: set[int] | None) -> None:
        self.inside = inside
        self._draw()

    def _draw(self) -> None:
        """Points and table anew."""
        across, up = (str(b.currentData()) for b in self.axis_boxes)
        self.front, self.may = unbeaten(self.entries), open_to_choice(self.entries)[0]
        self.view.show_points(values_of(self.entries, across).tolist(), values_of(self.entries, up).tolist())
        self._paint()
        self._fill_table()
        self._tell()

    def _paint(self) -> None:
        """The picture anew."""
        across, up = (str(b.currentData()) for b in self.axis_boxes)
        entries, front, chosen, inside = list(self.entries), self.front, self.view.chosen, self.inside
        self.view.set_source(lambda w, h: explore_picture(entries, front, across, up, chosen, inside, w, h))

    def _fill_table(self) -> None:
        by_loss = sorted(self.inside or (), key=lambda k: (not self.may[k], self.entries[k].loss))
        self.rows = (self.front if self.inside is None else by_loss)[:ROWS_MOST]
        titles = [*(MEASURES[m].title for m in TABLE), *(a.label for a in self.tried)]
        with filled(self.table, len(self.rows), titles):
            for r, k in enumerate(self.rows):
                e, tip = self.entries[k], self._tip(k)
                for c, text in enumerate(
                        [*(told(e, m) for m in TABLE), *(a.said(e.pins[a.id]) if a.id in e.pins else "as it is" for a in self.tried)]):
                    item = QTableWidgetItem(text)
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    item.setToolTip(tip)
                    if not self.may[k]:
                        item.setForeground(colour("muted"))
                    self.table.setItem(r, c, item)

    def choose(self, k: int) -> None:
        """Point a design out, in the picture and in the table."""
        if not 0 <= k < len(self.entries):
            return
        self.view.chosen = k
        self._paint()
        if k in self.rows and self.table.currentRow() != self.rows.index(k):
            self.table.setCurrentCell(self.rows.index(k), 0)
        self._tell()

    def _tip(self, k: int) -> str:
        e = self.entries[k]
        return "\n".join(
            [*(f"{MEASURES[m].title}: {told(e, m)}" for m in TABLE), f"Tightest figure: {e.tightest}",
             *(f"{a.label}: {a.said(e.pins[a.id])}" for a in self.tried if a.id in e.pins),
             *([against] if (against := _against(e)) else [])])

    def _tell(self) -> None:
        k = self.view.chosen
        for button in self.buttons:
            button.setEnabled(bool(k))
        if k is None or k >= len(self.entries):
            self.chosen_text.setText(
                "A click or the arrow keys choose a design; drag a box to see only those inside; Enter or a double click goes on with it."
                if self.entries else "")
            return
        e, now = self.entries[k], self.entries[0]
        moved = ", ".join(f"{MEASURES[m].title.lower()} {told(now, m)} → {told(e, m)}" for m in ("loss", "magnetics_volume", "cost_index"))
        self.chosen_text.setText(
            ". ".join(text for text in ("The present design" if k == 0 else f"Against now: {moved}", _against(e)) if text))

    def _open(self, k: int) -> None:
        self.choose(k)
        self._send(self.opened)

    def _send(self, signal: Any) -> None:
        k = self.view.chosen
        if k:
            signal.emit(dict(self.entries[k].pins))


def _against(entry: Entry) -> str:
    """What speaks against a design: why it cannot be built, what it misses, or what is to be looked at; its first finding of that kind."""
    if entry.feasible and entry.missed:
        return f"Misses what is asked: {entry.missed[0]}"
    kind, words = (LOOK_AT, "To look at") if entry.feasible else (MUST_FIX, "Cannot be built")
    return next((f"{words}: {f.text}" for f in entry.findings if f.severity == kind), "")
