"""Prices behind the contest's cost index: the shipped assumptions, one's own in their place, and prices of single parts."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import parse
from rhevectra.core.catalogue.tables import PRICES, Catalogue, shipped
from rhevectra.core.design.cost import PRICED, prices
from rhevectra.ui.widgets.tables import filled

HEAD = ("Relative prices, 1 about a 600 V, 0.19 Ω switch: assumptions without a source until they are your own. They are kept for all "
        "projects of this machine.")


class PriceCard(QFrame):
    """A table of prices and a line to price one part. Emits the rows that changed and the names that follow the rule again."""

    kept = Signal(list, list)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._names: list[str] = []
        self._own: dict[str, float] = {}
        column = QVBoxLayout(self)
        self.said = QLabel(HEAD, self)
        self.said.setObjectName("muted")
        self.said.setWordWrap(True)
        column.addWidget(self.said)
        self.table = QTableWidget(0, 3, self)
        self.table.setAccessibleName("relative prices")
        self.table.setHorizontalHeaderLabels(["Of", "Price", "Shipped"])
        self.table.verticalHeader().hide()
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        column.addWidget(self.table, 1)
        column.addLayout(self._foot())

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.part, self.price = QComboBox(self), QLineEdit(self)
        self.part.setAccessibleName("part to price")
        self.price.setAccessibleName("price of the part")
        self.price.setPlaceholderText("price")
        self.price.setFixedWidth(90)
        add, keep = QPushButton("Price this part", self), QPushButton("Keep and run again", self)
        add.setToolTip("its own price in place of the rules above; an empty price lets it follow them again")
        add.clicked.connect(self.add)
        self.price.returnPressed.connect(self.add)
        keep.clicked.connect(self.keep)
        for widget in (self.part, self.price, add):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(keep)
        return row

    def show_catalogue(self, catalogue: Catalogue) -> None:
        """The prices that hold; what was typed and not kept is gone."""
        self.said.setText(HEAD)
        first, now = prices(shipped()[PRICES]), prices(catalogue[PRICES])
        told = {row["name"]: row["what"] for row in shipped()[PRICES].rows}
        self._own = now
        self._names = [*told, *sorted(set(now) - set(told))]
        with filled(self.table, len(self._names)):
            for k, name in enumerate(self._names):
                self._line(k, told.get(name) or name, f"{now[name]:g}", f"{first[name]:g}" if name in first else "by rule")
        self.part.clear()
        self.part.addItems([name for table in PRICED for name in catalogue[table].names])

    def _line(self, k: int, what: str, price: str, rule: str) -> None:
        for column, text in enumerate((what, price, rule)):
            item = QTableWidgetItem(text)
            if column != 1:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
            self.table.setItem(k, column, item)

    def add(self) -> None:
        """The part and its price as one more line, or in its line."""
        name, text = self.part.currentText(), self.price.text().strip()
        if name not in self._names:
            self._names.append(name)
            self.table.setRowCount(len(self._names))
        self._line(self._names.index(name), name, text, "by rule")
        self.table.scrollToBottom()
        self.price.clear()

    def keep(self) -> None:
        """Emit what changed; a price that cannot be read is said, and everything stays as it was typed."""
        rule = prices(shipped()[PRICES])
        rows, gone = [], []
        try:
            for k, name in enumerate(self._names):
                item, what = self.table.item(k, 1), self.table.item(k, 0)
                text, label = (item.text().strip() if item else ""), (what.text() if what else name)
                if not text:
                    gone += [name] if name in self._own else []
                    continue
                value = parse(text, "", label)
                if value < 0:
                    raise InputError(label, "a price cannot be negative", "0 or more, such as 0.6")
                if value != self._own.get(name):
                    rows.append({"name": name, "what": label if name in rule else "", "value": value, "source": "own price"})
        except InputError as problem:
            self.said.setText(str(problem))
            return
        self.kept.emit(rows, gone)
