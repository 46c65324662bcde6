"""The ledger: every figure of a stage with limit, margin and corner; opening one shows its working."""

from html import escape

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractItemView, QApplication, QFrame, QHeaderView, QLabel, QSplitter, QTableWidget, QTableWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.working import Working, explain
from rhevectra.core.design.design import Design, Figure
from rhevectra.ui.theme.roles import colour, font


def value_text(figure: Figure) -> str:
    """A figure's value as people read it."""
    if isinstance(figure.value, str):
        return figure.value
    return f"{figure.value * 100:.1f} %" if figure.id.startswith("efficiency") else show(figure.value, figure.unit, 3)


def limit_text(figure: Figure) -> str:
    """Its limit with the direction."""
    if figure.limit is None:
        return ""
    sign = "≤" if figure.limit_kind == "max" else "≥"
    return f"{sign} {figure.limit * 100:.0f} %" if figure.id.startswith("efficiency") else f"{sign} {show(figure.limit, figure.unit, 3)}"


class LedgerView(QFrame):
    """Table of figures over a drawer with the working of the chosen one. Emits the chosen figure's id."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._design: Design | None = None
        self._ids: list[str] = []
        self._open = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(1, 8, 1, 1)
        title = QLabel("Ledger", self)
        title.setObjectName("title")
        title.setContentsMargins(10, 0, 0, 0)
        layout.addWidget(title)
        split = QSplitter(Qt.Orientation.Vertical, self)
        layout.addWidget(split)
        self.table = self._make_table()
        self.drawer = QTextBrowser(self)
        self.drawer.setOpenLinks(False)
        self.drawer.anchorClicked.connect(self._follow)
        self.drawer.setAccessibleName("working of the chosen figure")
        split.addWidget(self.table)
        split.addWidget(self.drawer)
        split.setSizes([300, 260])
        split.setChildrenCollapsible(False)

    def _make_table(self) -> QTableWidget:
        table = QTableWidget(0, 4, self)
        table.setAccessibleName("figures of this stage")
        table.verticalHeader().hide()
        table.horizontalHeader().hide()
        table.setShowGrid(False)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        table.setTabKeyNavigation(False)
        table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column, width in ((1, 70), (2, 72), (3, 50)):
            table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            table.setColumnWidth(column, width)
        table.verticalHeader().setDefaultSectionSize(26)
        table.currentCellChanged.connect(self._row_changed)
        table.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        copy = table.addAction("Copy figure as text")
        copy.triggered.connect(self.copy)
        return table

    def show_design(self, design: Design, stage: str) -> None:
        """Show the figures of a stage; a value changes in place."""
        self._design = design
        figures = design.figures(stage)
        ids = [f.id for f in figures]
        if ids != self._ids:
            self.table.blockSignals(True)
            self.table.setRowCount(len(ids))
            for r in range(len(ids)):
                for c in range(4):
                    self.table.setItem(r, c, QTableWidgetItem())
            self.table.setCurrentCell(-1, -1)
            self.table.blockSignals(False)
            self._ids, self._open = ids, ""
        for r, figure in enumerate(figures):
            self._fill(r, figure)
        if self._open not in design.rows:
            self._open = self._tightest(figures)
        self._show_working(self._open)

    def _tightest(self, figures: list[Figure]) -> str:
        limited = [f for f in figures if f.margin is not None]
        best = min(limited, key=lambda f: f.margin or 0.0) if limited else figures[0] if figures else None
        return best.id if best else ""

    def _fill(self, r: int, figure: Figure) -> None:
        texts = (figure.label, value_text(figure), limit_text(figure), figure.word)
        tip = f"{figure.symbol}  {figure.id}\njudged on {figure.spec.domain.text}" + (f"\nworst at {figure.corner.text()}" if figure.corner else "") + (f"\nnot varied: {figure.spec.fixed}" if figure.spec.fixed else "")
        span = 3 if isinstance(figure.value, str) else 1
        if self.table.columnSpan(r, 1) != span:
            self.table.setSpan(r, 1, 1, span)
        for c, text in enumerate(texts):
            item = self.table.item(r, c)
            if item is None:
                continue
            item.setText(text)
            item.setToolTip(tip)
            item.setTextAlignment(Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignLeft if c == 0 else Qt.AlignmentFlag.AlignRight))
            item.setFont(font(10, c == 1))
            item.setForeground(QColor(colour("muted" if c == 2 else figure.word if c == 3 and figure.word else "ink")))

    def _row_changed(self, row: int, _c: int, _pr: int, _pc: int) -> None:
        if 0 <= row < len(self._ids):
            self._show_working(self._ids[row])
            self.chosen.emit(self._ids[row])

    @property
    def open_id(self) -> str:
        """The figure whose working stands in the drawer."""
        return self._open if self._design is not None and self._open in self._design.specs else ""

    def select(self, id: str) -> None:
        """Choose a figure of the shown stage."""
        if id in self._ids:
            self.table.setCurrentCell(self._ids.index(id), 0)

    def copy(self) -> None:
        """The chosen figure as text on the clipboard."""
        if self._design is not None and self._open in self._design.specs:
            f = self._design.figure(self._open)
            QApplication.clipboard().setText(f"{f.label} ({f.id}) = {value_text(f)} {limit_text(f)} {f.word} {f.corner.text() if f.corner else ''}".strip())

    def _follow(self, url: QUrl) -> None:
        self._show_working(url.toString())

    def _show_working(self, id: str) -> None:
        if self._design is None or id not in self._design.rows:
            self.drawer.setHtml("")
            return
        self._open = id
        spec = self._design.specs.get(id)
        figure = self._design.figure(self._ids[self.table.currentRow()]) if 0 <= self.table.currentRow() < len(self._ids) else self._design.figure(id) if spec else None
        corner = figure.corner if figure else None
        w = explain(self._design.rows[id], corner.index if corner else None, spec.sentence if spec else "")
        label = spec.label if spec else next((s.label for s, _ in self._design.decisions() if s.id == id), id)
        self.drawer.setHtml(working_html(w, label, corner.text() if corner else "", spec.fixed if spec else ""))


def working_html(w: Working, label: str, corner: str, fixed: str) -> str:
    """The drawer's text: sentence, equation, numbers, source, links."""
    muted, accent = colour("muted").name(), colour("accent").name()
    parts = [f'<p style="color:{accent};font-weight:600;margin-bottom:2px">Why {escape(w.value)}?</p>', f'<p style="margin:2px 0"><b>{escape(label)}</b></p>']
    if w.sentence:
        parts.append(f'<p style="margin:2px 0">{escape(w.sentence)}</p>')
    for line in (w.equation, w.numbers):
        if line:
            parts.append(f'<p style="margin:4px 0">{escape(line)}</p>')
    if corner:
        parts.append(f'<p style="color:{muted};margin:4px 0">at {escape(corner)}</p>')
    if w.links:
        links = "<br>".join(f'<a style="color:{accent};text-decoration:none" href="{escape(link)}">{escape(symbol)} = {escape(value)}  ›</a>' for symbol, link, value in w.links)
        parts.append(f'<p style="margin:4px 0">{links}</p>')
    for r in w.refused:
        parts.append(f'<p style="color:{muted};margin:1px 0">refused {escape(r)}</p>')
    if w.source and (w.equation or w.links):
        parts.append(f'<p style="color:{muted};margin:4px 0">Source: {escape(w.source)}</p>')
    if fixed:
        parts.append(f'<p style="color:{muted};margin:4px 0">Not varied: {escape(fixed)}</p>')
    return "".join(parts)
