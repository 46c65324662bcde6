"""The Contest desk: every topology designed for the requirement, in the order of weights, with bars and the reason each one loses."""

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from rhevectra.app.contest import chosen_text
from rhevectra.core.basis.quantities import margin_text, show
from rhevectra.core.design.contest import WEIGHTS, Entry, ranked
from rhevectra.core.design.names import spoken
from rhevectra.ui.theme.roles import colour, fill
from rhevectra.ui.views.prices import PriceCard
from rhevectra.ui.widgets.tables import filled

SHARE = Qt.ItemDataRole.UserRole
"""Where a cell keeps the length of its bar, 0 to 1."""
WEIGHT_LABELS = {"loss": "loss", "magnetics_volume": "core volume", "cost_index": "cost", "switch_stress": "switch stress"}


class BarDelegate(QStyledItemDelegate):
    """A cell with a bar under its text."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        super().paint(painter, option, index)
        share = index.data(SHARE)
        if share is not None:
            box = QRectF(option.rect).adjusted(8, 0, -8, -3)
            fill(painter, QRectF(box.left(), box.bottom() - 4, box.width(), 4), colour("rule"))
            fill(painter, QRectF(box.left(), box.bottom() - 4, box.width() * float(share), 4), colour("primary"))


def _margin(e: Entry) -> str:
    """The tightest margin, marked where a limit is passed."""
    return ("▲ " if e.tightest_margin < 0 else "") + margin_text(e.tightest_margin)


Column = tuple[str, str, Callable[[Entry], str], Callable[[Entry], float] | None]
COLUMNS: tuple[Column, ...] = (
    ("", "place by the weights; – cannot be built", lambda e: "–" if e.rank is None else str(e.rank), None),
    ("Topology", "double click opens it on the Size desk", lambda e: spoken(e.topology), None),
    ("Front end", "what stands between mains and bus; power factor stages are tried where the plain one is refused",
     lambda e: spoken(e.front_end or "–"), None),
    ("η full", "efficiency at full load, worst corner", lambda e: f"{e.efficiency * 100:.1f} %", None),
    ("η 10 %", "efficiency at a tenth of the load, worst corner", lambda e: f"{e.efficiency_light * 100:.1f} %", None),
    ("Loss", "all losses at full load, worst corner", lambda e: f"{show(e.loss)} W", lambda e: e.loss),
    ("Cores", "effective volume of all wound cores", lambda e: f"{show(e.magnetics_volume * 1e6)} cm³", lambda e: e.magnetics_volume),
    ("Switch stress", "sum over switches of peak voltage times peak current, per output watt", lambda e: f"{show(e.switch_stress)} VA/W",
     lambda e: e.switch_stress),
    ("Capacitors", "ripple current times voltage of the output capacitors, per output watt", lambda e: f"{show(e.capacitor_stress)} VA/W",
     lambda e: e.capacitor_stress),
    ("Parts", "parts of power stage and front end, without fuse and mains filter", lambda e: str(e.part_count),
     lambda e: float(e.part_count)),
    ("Cost", "relative cost index of power stage and front end; 1 is about one 600 V, 0.19 Ω switch", lambda e: show(e.cost_index),
     lambda e: e.cost_index),
    ("Margin", "tightest margin of all figures; ▲ a limit is passed", _margin, None))


FIRST_NUMBER = 3
"""Column from which on there are numbers."""


class ContestView(QWidget):
    """Table, weights, reason. Emits the entry to open or to hold as the reference, and the wish to run again."""

    opened = Signal(object)
    held = Signal(object)
    wanted = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.found: dict[str, Entry] = {}
        self.order: list[Entry] = []
        self.key: Any = None
        self._picked = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.setSpacing(8)
        column.addLayout(self._head())
        self.said = QLabel("", self)
        self.said.setObjectName("muted")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        self.table = self._make_table()
        column.addWidget(self.table, 7)
        self.why, self.prices = self._reason_card(), PriceCard(self)
        self.prices.hide()
        column.addWidget(self.why, 2)
        column.addWidget(self.prices, 6)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        title = QLabel("Contest", self)
        title.setObjectName("title")
        row.addWidget(title)
        row.addStretch(1)
        self.weights: dict[str, QDoubleSpinBox] = {}
        for name, label in WEIGHT_LABELS.items():
            box = QDoubleSpinBox(self)
            box.setRange(0.0, 5.0)
            box.setSingleStep(0.25)
            box.setValue(WEIGHTS[name])
            box.setAccessibleName(f"weight of {label}")
            box.setToolTip(f"how much {label} counts in the order, 0 to 5")
            box.valueChanged.connect(lambda _v: self._rank())
            row.addWidget(QLabel(label, self))
            row.addWidget(box)
            self.weights[name] = box
        self.priced = QPushButton("Prices", self)
        self.priced.setCheckable(True)
        self.priced.setToolTip("what the cost index counts with; your own prices in its place")
        self.priced.toggled.connect(self._show_prices)
        row.addWidget(self.priced)
        again = QPushButton("Run again", self)
        again.clicked.connect(self.wanted)
        row.addWidget(again)
        return row

    def _make_table(self) -> QTableWidget:
        table = QTableWidget(0, len(COLUMNS), self)
        table.setAccessibleName("topologies in order")
        table.setHorizontalHeaderLabels([c[0] for c in COLUMNS])
        for k, (_title, tip, _text, _bar) in enumerate(COLUMNS):
            item = table.horizontalHeaderItem(k)
            if item is not None:
                item.setToolTip(tip)
        table.verticalHeader().hide()
        table.verticalHeader().setDefaultSectionSize(33)
        for k, (_title, _tip, _text, bar) in enumerate(COLUMNS):
            mode = QHeaderView.ResizeMode.ResizeToContents if bar is None else QHeaderView.ResizeMode.Stretch
            table.horizontalHeader().setSectionResizeMode(k, mode)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setItemDelegate(BarDelegate(table))
        table.currentCellChanged.connect(lambda *_: self._pick())
        table.cellActivated.connect(lambda row, _c: self.opened.emit(self.order[row]))
        return table

    def _reason_card(self) -> QFrame:
        card = QFrame(self)
        card.setObjectName("card")
        inner = QVBoxLayout(card)
        self.reason = QTextBrowser(card)
        self.reason.setAccessibleName("why it stands where it stands")
        inner.addWidget(self.reason)
        row = QHBoxLayout()
        for text, tip, signal in (
                ("Open on the Size desk", "its topology and what the search chose become your decisions; undo takes it back", self.opened),
                ("Hold as reference", "see it pale behind the present design, figure by figure", self.held)):
            button = QPushButton(text, card)
            button.setToolTip(tip)
            button.clicked.connect(lambda _c=False, s=signal: self._send(s))
            row.addWidget(button)
        row.addStretch(1)
        inner.addLayout(row)
        return card

    def _show_prices(self, on: bool) -> None:
        self.prices.setVisible(on)
        self.why.setVisible(not on)

    def begin(self, key: Any) -> None:
        """A new run for another requirement: nothing of the old one stays."""
        self.key, self.found, self.order, self._picked = key, {}, [], ""
        self.table.setRowCount(0)
        self.reason.setHtml("")
        self.said.setText("designing …")

    def take(self, entry: Entry) -> None:
        """The best so far of one topology; where it is the one that already stands there, only the count moves."""
        before = self.found.get(entry.topology)
        self.found[entry.topology] = entry
        if before is None or before.pins != entry.pins:
            self._rank()
        else:
            self.order = [replace(e, tried=self.found[e.topology].tried) for e in self.order]
            self._count()
            if (shown := self.chosen()) is not None and shown.topology == entry.topology:
                self._tell()

    def _rank(self) -> None:
        if not self.found:
            return
        self.order = ranked(list(self.found.values()), {name: box.value() for name, box in self.weights.items()})
        field = [e for e in self.order if e.feasible] or self.order  # what cannot be built does not set the scale
        most = {k: max(bar(e) for e in field) for k, (_t, _tip, _text, bar) in enumerate(COLUMNS) if bar is not None}
        with filled(self.table, len(self.order)):
            for r, e in enumerate(self.order):
                for k, (_title, tip, text, bar) in enumerate(COLUMNS):
                    blank = e.hopeless and k >= FIRST_NUMBER
                    item = QTableWidgetItem("–" if blank else text(e))
                    item.setToolTip("it would burn more than it gives: its numbers say nothing" if blank else f"{tip}; here: {e.tightest}"
                                    if k == len(COLUMNS) - 1 else tip)
                    if bar is not None and not blank:
                        item.setData(SHARE, min(bar(e) / max(most[k], 1e-12), 1.0))
                    if not e.feasible:
                        item.setForeground(colour("muted"))
                    self.table.setItem(r, k, item)
            self.table.setCurrentCell(next((r for r, e in enumerate(self.order) if e.topology == self._picked), 0), 1)
        self._count()
        self._tell()

    def _count(self) -> None:
        self.said.setText(f"{sum(e.tried for e in self.order)} designs of {len(self.order)} topologies, each with the best of its own "
                          "choices within the same budget, rules and corners; the mains filter with its usual copper")

    def _pick(self) -> None:
        """A row somebody chose stays chosen while the order still moves."""
        entry = self.chosen()
        self._picked = entry.topology if entry is not None else ""
        self._tell()

    def chosen(self) -> Entry | None:
        """The entry of the row in focus."""
        row = self.table.currentRow()
        return self.order[row] if 0 <= row < len(self.order) else None

    def _send(self, signal: Any) -> None:
        entry = self.chosen()
        if entry is not None:
            signal.emit(entry)

    def _tell(self) -> None:
        e = self.chosen()
        if e is None:
            return
        place = "cannot be built" if e.rank is None else f"place {e.rank}"
        self.reason.setHtml(f'<p><b>{spoken(e.topology)}</b>{" behind " + spoken(e.front_end) if e.front_end else ""}: {place} · tightest '
                            f'figure: {e.tightest}, {_margin(e)}</p><p>{e.reason[0].upper()}{e.reason[1:]}.</p><p '
                            f'style="color:{colour("muted").name()}">Best of {e.tried} designs; the search chose {chosen_text(e)}. Core, '
                            'turns, wire and parts follow by rule.</p>')
