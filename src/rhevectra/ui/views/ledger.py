"""The ledger: every figure of a stage with limit, margin and corner; opening one shows its working."""

from html import escape

from msgspec.structs import replace
from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QTextBrowser,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from rhevectra.app.changes import difference, text_of, value_text
from rhevectra.app.ratings import limit_of
from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import margin_text
from rhevectra.core.basis.working import Working, explain
from rhevectra.core.design.design import Design, Figure, figure_at
from rhevectra.core.design.names import given_as
from rhevectra.ui.theme.roles import colour, font, theme
from rhevectra.ui.widgets.reading_bar import ReadingBar
from rhevectra.ui.widgets.tables import filled

LABEL, VALUE, MOVED, LIMIT, WORD, MARGIN, CORNER = range(7)
WIDTHS = {VALUE: 74, MOVED: 64, LIMIT: 75, WORD: 50, MARGIN: 48, CORNER: 200}
"""Of the columns beside the label [px]."""
BESIDE, LEAST_LABEL = 14, 196
"""Scroll bar and frame, and the room labels need before margins and corners have columns of their own [px]; where they have none, the tip
of each row tells both."""


class LedgerView(QFrame):
    """Table of figures over a drawer with the working of the chosen one.

    Emits the chosen figure's id; a change of the worst | here switch; and (id, reading or None) for a reading of the bench.
    """

    chosen = Signal(str)
    mode_changed = Signal()
    measured = Signal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._design: Design | None = None
        self._reference: Design | None = None
        self._before: Design | None = None
        self._corner: Corner | None = None
        self._ids: list[str] = []
        self._shows: dict[tuple[int, int], tuple[str, str, str, str]] = {}
        """What stands in each cell of the table, its tip, role and theme: one that says the same is left alone."""
        self._open = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(1, 6, 1, 1)
        layout.setSpacing(4)
        layout.addLayout(self._head())
        split = QSplitter(Qt.Orientation.Vertical, self)
        layout.addWidget(split)
        self.table = self._make_table()
        lower = QWidget(self)
        column = QVBoxLayout(lower)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.drawer = QTextBrowser(self)
        self.drawer.setOpenLinks(False)
        self.drawer.anchorClicked.connect(self._follow)
        self.drawer.setAccessibleName("working of the chosen figure")
        self.reading = ReadingBar(self)
        self.reading.measured.connect(self.measured)
        column.addWidget(self.drawer, 1)
        column.addWidget(self.reading)
        split.addWidget(self.table)
        split.addWidget(lower)
        split.setSizes([320, 240])
        split.setChildrenCollapsible(False)

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(10, 0, 8, 0)
        row.setSpacing(0)
        title = QLabel("Ledger", self)
        title.setObjectName("title")
        self.where = QLabel(self)
        self.where.setObjectName("muted")
        self.where.setFont(font(9))
        row.addWidget(title)
        row.addSpacing(10)
        row.addWidget(self.where, 1, Qt.AlignmentFlag.AlignRight)
        row.addSpacing(8)
        self.mode = QButtonGroup(self)
        for k, (name, tip) in enumerate(
                (("worst", "each figure at the corner that is worst for it"), ("here", "all figures at the corner the pictures show"))):
            button = QToolButton(self)
            button.setObjectName("switch")
            button.setText(name)
            button.setCheckable(True)
            button.setChecked(k == 0)
            button.setToolTip(tip)
            button.setAccessibleName(f"show figures {name}")
            self.mode.addButton(button, k)
            row.addWidget(button)
        self.mode.idToggled.connect(lambda _id, on: self.mode_changed.emit() if on else None)
        return row

    @property
    def here(self) -> bool:
        """All figures are shown at the corner of the pictures."""
        return self.mode.checkedId() == 1

    def _make_table(self) -> QTableWidget:
        table = QTableWidget(0, 1 + len(WIDTHS), self)
        table.setAccessibleName("figures of this stage")
        table.verticalHeader().hide()
        table.horizontalHeader().hide()
        table.setShowGrid(False)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        table.setTabKeyNavigation(False)
        table.horizontalHeader().setMinimumSectionSize(20)
        table.horizontalHeader().setSectionResizeMode(LABEL, QHeaderView.ResizeMode.Stretch)
        for column, width in WIDTHS.items():
            table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            table.setColumnWidth(column, width)
        table.verticalHeader().setDefaultSectionSize(25)
        table.currentCellChanged.connect(self._row_changed)
        table.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        copy = table.addAction("Copy figure as text")
        copy.triggered.connect(self.copy)
        return table

    def show_design(self, design: Design, stage: str, corner: Corner, reference: Design | None, before: Design | None) -> None:
        """Show the figures of a stage; a value changes in place. reference is shown beside, before gives the change."""
        self._design, self._corner, self._reference, self._before = design, corner, reference, before
        figures = [figure_at(design, f, corner) if self.here else f for f in design.figures(stage)]
        rows = _headed(design, figures)
        ids = ["" if isinstance(f, str) else f.id for f in rows]
        if ids != self._ids:
            self._rebuild(ids)
        moved = ["" if isinstance(f, str) else self._moved(f) for f in rows]
        self.table.setColumnHidden(MOVED, not any(moved))
        self._make_room()
        heading = ""
        for r, (figure, change) in enumerate(zip(rows, moved, strict=True)):
            if isinstance(figure, str):
                heading = figure
                self._head_row(r, heading)
            else:
                self._fill(r, figure, change, heading)
        self.where.setText("held beside" if reference is not None and not self.here else corner.text() if self.here else "")
        if self._open not in design.rows:
            self._open = self._tightest(figures)
        self._show_working(self._open)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """Columns for margin and corner where the labels leave room for them."""
        room = self.width() - BESIDE - LEAST_LABEL - sum(
            WIDTHS[c] for c in (VALUE, MOVED, LIMIT, WORD) if not self.table.isColumnHidden(c))
        for column in (MARGIN, CORNER):
            room -= WIDTHS[column]
            self.table.setColumnHidden(column, room < 0)

    def _rebuild(self, ids: list[str]) -> None:
        with filled(self.table, len(ids)):
            self.table.clearSpans()
            for r in range(len(ids)):
                for c in range(1 + len(WIDTHS)):
                    item = QTableWidgetItem()
                    item.setTextAlignment(Qt.AlignmentFlag.AlignVCenter
                                          | (Qt.AlignmentFlag.AlignLeft if c in (LABEL, CORNER) else Qt.AlignmentFlag.AlignRight))
                    item.setFont(font(9 if c in (MOVED, CORNER) else 10, c == VALUE))
                    self.table.setItem(r, c, item)
            self.table.setCurrentCell(-1, -1)
        self._ids, self._open = ids, ""
        self._shows.clear()

    def _moved(self, figure: Figure) -> str:
        """The held value where a reference is held, else the change against the value before the edit."""
        other = self._reference or self._before
        if other is None or figure.id not in other.rows or figure.id not in other.specs:
            return ""
        old = other.figure(figure.id)
        if self.here and self._corner is not None and other.grid.shape == (self._design or other).grid.shape:
            old = figure_at(other, old, self._corner)
        change = difference(old, figure)
        return "" if not change else value_text(old) if self._reference is not None else change

    def _tightest(self, figures: list[Figure]) -> str:
        limited = [f for f in figures if f.margin is not None]
        best = min(limited, key=lambda f: f.margin or 0.0) if limited else figures[0] if figures else None
        return best.id if best else ""

    def _head_row(self, r: int, heading: str) -> None:
        """The name of an output over its figures."""
        if self.table.columnSpan(r, LABEL) == 1:
            self.table.setSpan(r, LABEL, 1, 1 + len(WIDTHS))
        item = self.table.item(r, LABEL)
        if item is not None and self._shows.get((r, LABEL)) != (shows := (heading, "", "secondary", theme())):
            self._shows[r, LABEL] = shows
            item.setText(heading)
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            item.setFont(font(9, True))
            item.setForeground(colour("secondary"))

    def _fill(self, r: int, figure: Figure, moved: str, heading: str) -> None:
        margin = "" if figure.margin is None else margin_text(figure.margin)
        where = figure.corner.text() if figure.corner else ""
        texts = (_under(heading, figure.label), value_text(figure), moved, limit_of(figure), figure.word, margin, where)
        tip = (f"{figure.label}\n{figure.symbol}  {figure.id}\njudged on {figure.spec.domain.text}"
               + (f"\nmargin {margin}" if margin else "") + (f"\n{'shown' if self.here else 'worst'} at {where}" if where else "")
               + (f"\nnot varied: {figure.spec.fixed}" if figure.spec.fixed else ""))
        span = len(WIDTHS) if isinstance(figure.value, str) and not moved else 1
        if self.table.columnSpan(r, VALUE) != span:
            self.table.setSpan(r, VALUE, 1, span)
        roles = ("ink", "ink", "accent" if self._reference is None else "muted", "muted", figure.word or "ink", "ink", "muted")
        against = f"{moved} against the {'reference held' if self._reference is not None else 'value before the edit'}"
        for c, (text, role) in enumerate(zip(texts, roles, strict=True)):
            shows = text, against if c == MOVED and moved else tip, role, theme()
            item = self.table.item(r, c)
            if item is None or self._shows.get((r, c)) == shows:
                continue
            self._shows[r, c] = shows
            item.setText(text)
            item.setToolTip(shows[1])
            item.setForeground(colour(role))

    def _row_changed(self, row: int, _c: int, _pr: int, _pc: int) -> None:
        if 0 <= row < len(self._ids) and self._ids[row]:
            self._show_working(self._ids[row])
            self.chosen.emit(self._ids[row])

    @property
    def open_id(self) -> str:
        """The figure whose working stands in the drawer."""
        return self._open if self._design is not None and self._open in self._design.specs else ""

    def select(self, id: str) -> None:
        """Choose a figure of the shown stage."""
        if id in self._ids:
            row = self._ids.index(id)
            self.table.setCurrentCell(row, 0)
            self.table.scrollTo(self.table.model().index(row, 0))

    def copy(self) -> None:
        """The chosen figure as text on the clipboard."""
        if self._design is not None and self._open in self._design.specs:
            f = self._design.figure(self._open)
            QApplication.clipboard().setText(
                f"{f.label} ({f.id}) = {value_text(f)} {limit_of(f)} {f.word} {f.corner.text() if f.corner else ''}".strip())

    def _follow(self, url: QUrl) -> None:
        self._show_working(url.toString())

    def _index(self, id: str) -> tuple[Corner | None, tuple[int, ...] | None]:
        """The corner at which the drawer works: that of the chosen row, or the pictures' where 'here' is on."""
        design, spec = self._design, self._design.specs.get(id) if self._design else None
        if design is None:
            return None, None
        if self.here:
            return self._corner, self._corner.index if self._corner else None
        row = self.table.currentRow()
        chosen = self._ids[row] if 0 <= row < len(self._ids) else ""
        figure = design.figure(chosen) if chosen else design.figure(id) if spec else None
        corner = figure.corner if figure else None
        return corner, corner.index if corner else None

    def _show_working(self, id: str) -> None:
        design = self._design
        if design is None or id not in design.rows:
            self.drawer.setHtml("")
            self.reading.show_figure(None, "")
            return
        self._open = id
        spec = design.specs.get(id)
        corner, index = self._index(id)
        w = explain(design.rows[id], index, spec.sentence if spec else "")
        label = _name(design, id, id)
        if spec is not None and not isinstance(value := design.rows[id].at(index or (0, 0, 0, 0)), str):
            w = replace(w, value=text_of(id, value, design.rows[id].unit, 4))
        if not w.equation:  # nothing to compare symbols with: what it came from goes by its name
            w = replace(w, links=tuple((_name(design, link, symbol), link, text) for symbol, link, text in w.links))
        if index is None:  # the same everywhere: what it came from is told where it is worst
            w = replace(w, links=tuple((symbol, link, value_text(design.figure(link)) if link in design.specs else text)
                                       for symbol, link, text in w.links))
        self.drawer.setHtml(working_html(w, label, corner.text() if corner else "", spec.fixed if spec else ""))
        readable = design.rows[id].kind != "chosen" or id in design.decision_specs  # what the catalogue lists is not read off an instrument
        self.reading.show_figure(design.rows[id] if readable else None, label, _ways(design) if id == "transformer.leakage" else None)


def _headed(design: Design, figures: list[Figure]) -> list[Figure | str]:
    """The figures with the name of an output before its own, where there are several outputs."""
    if len(design.requirement.outputs) == 1:
        return list(figures)
    names = {f"{o.name}: ": o.name for need in (design.delivered, design.requirement) for o in need.outputs}
    rows, last = list[Figure | str](), ""
    for figure in figures:
        name = next((name for start, name in names.items() if figure.label.startswith(start)), last)
        if name != last:
            rows.append(name)
        rows.append(figure)
        last = name
    return rows


def _under(heading: str, label: str) -> str:
    """A label as it stands under a heading that it begins with."""
    short = label.removeprefix(f"{heading}: ") if heading else label
    return f"{short[0].upper()}{short[1:]}" if short != label else label


def _name(design: Design, id: str, else_: str) -> str:
    """What a row is called on the desk."""
    label = design.specs[id].label if id in design.specs else next((s.label for s, _ in design.decisions() if s.id == id), "")
    return label or given_as(else_)


def working_html(w: Working, label: str, corner: str, fixed: str) -> str:
    """The drawer's text: sentence, equation, numbers, source, links."""
    muted, accent = colour("muted").name(), colour("accent").name()
    parts = [f'<p style="color:{accent};font-weight:600;margin-bottom:2px">Why {escape(w.value)}?</p>',
             f'<p style="margin:2px 0"><b>{escape(label)}</b></p>']
    if w.sentence:
        parts.append(f'<p style="margin:2px 0">{escape(w.sentence)}</p>')
    for line in (w.equation, w.numbers):
        if line:
            parts.append(f'<p style="margin:4px 0">{escape(line)}</p>')
    if corner:
        parts.append(f'<p style="color:{muted};margin:4px 0">at {escape(corner)}</p>')
    if w.links:
        links = "<br>".join(
            f'<a style="color:{accent};text-decoration:none" href="{escape(link)}">{escape(symbol)} = {escape(value)}  ›</a>'
            for symbol, link, value in w.links)
        parts.append(f'<p style="margin:4px 0">{links}</p>')
    for r in w.refused:
        parts.append(f'<p style="color:{muted};margin:1px 0">refused {escape(r)}</p>')
    if w.source and w.source != w.sentence and (w.equation or w.links):
        parts.append(f'<p style="color:{muted};margin:4px 0">Source: {escape(w.source)}</p>')
    if fixed:
        parts.append(f'<p style="color:{muted};margin:4px 0">Not varied: {escape(fixed)}</p>')
    return "".join(parts)


def _ways(design: Design) -> dict[str, float]:
    """How a leakage may have been read: of a tapped output one half conducts at a time, and both shorted read less than that; of several
    transformers in series, on one of them or on all."""
    from rhevectra.core.topologies.common.making import all_shorted  # the winding sheet is not read before it is wanted

    plan = design.context["plan"]
    share, count = all_shorted(plan), plan.need.pieces
    halves = {"one half shorted": 1.0, "all shorted": 1 / share} if share < 1.0 else {"": 1.0}
    whole = {f"all {count} in series": 1.0, f"one of {count}": float(count)} if count > 1 else {"": 1.0}
    ways = {", ".join(x for x in (who, how) if x): a * b for who, a in whole.items() for how, b in halves.items()}
    return ways if len(ways) > 1 else {}
