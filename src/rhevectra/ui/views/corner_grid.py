"""The corner grid: least margin at every line voltage and operating point; a chosen cell drives the pictures."""

from PySide6.QtCore import QEvent, QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import margin_text
from rhevectra.core.design.design import Design
from rhevectra.core.design.margins import Cell, cells
from rhevectra.ui.theme.roles import colour, font

MARKS = {"over": "▲ ", "tight": "◆ ", "inside": "", "": ""}
LEFT, TOP, ROW = 92, 42, 17


class CornerGrid(QWidget):
    """Painted grid. Arrow keys and the mouse choose a cell; emits its corner. Compact: one row, the worst of each line."""

    chosen = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.rows: list[list[Cell]] = []
        self._labels: list[str] = []
        self._lines: list[str] = []
        self._at = (0, 0)
        self._compact = False
        self._freq = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("corners: line voltage by load, least margin in each")

    def set_compact(self, compact: bool) -> None:
        """Fold to one strip in a small window."""
        self._compact = compact
        self._fit()

    def _fit(self) -> None:
        self.setFixedHeight(TOP + ROW * len(self.shown()) + 8)
        self.update()

    def shown(self) -> list[list[Cell]]:
        """The rows on screen: all operating points, or in the compact form the worst of each line."""
        if not self._compact or not self.rows:
            return self.rows
        return [[min((r[k] for r in self.rows), key=lambda c: 9.0 if c.margin is None else c.margin) for k in range(len(self.rows[0]))]]

    def show_design(self, design: Design, corner: Corner) -> None:
        """Show the margins of a design and mark the corner the pictures are at."""
        found = cells(design)
        order = sorted(range(len(found)),
                       key=lambda k: ({"limit": 0, "peak": 1, "run": 2}[design.grid.points[k].case], -design.grid.points[k].load,
                                      design.grid.points[k].label))
        self.rows = [found[k] for k in order]
        points = [design.grid.points[k] for k in order]
        self._labels = [
            p.label.replace(" at full load", "") or {"limit": "current limit", "peak": "peak load"}.get(p.case, f"{p.load * 100:.0f} %")
            for p in points]
        self._lines = [f"{v:g} V" for v in design.grid.lines]
        freqs = [f for f in design.grid.freqs if f]
        self._freq = f"worst of {min(freqs):g}–{max(freqs):g} Hz; " if freqs else ""
        self._at = (order.index(corner.index[2]), corner.index[0])
        self.setAccessibleDescription(self.cell_text(*self._at))
        self._fit()

    def cell_text(self, row: int, column: int) -> str:
        """What a cell says in words."""
        c = self.rows[row][column]
        where = f"{self._lines[column]}, {self._labels[row]}"
        return (f"{where}: nothing with a limit is judged here" if c.margin is None
                else f"{where}: least margin {margin_text(c.margin)}, {c.word}, left by {c.figure}")

    def _box(self, row: int, column: int) -> QRectF:
        width = (self.width() - LEFT - 14) / max(len(self._lines), 1)
        return QRectF(LEFT + column * width + 2, TOP + row * ROW + 1, width - 4, ROW - 2)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("rule"), 1))
        painter.setBrush(colour("card"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        painter.setPen(colour("ink"))
        painter.setFont(font(bold=True))
        painter.drawText(QPoint(12, 19), "Corners")
        painter.setPen(colour("muted"))
        painter.setFont(font(9))
        painter.drawText(QPoint(LEFT, 19), f"least margin at each line and load; {self._freq}◆ tight  ▲ over")
        for k, text in enumerate(self._lines):
            painter.drawText(QRectF(self._box(0, k)).translated(0, -ROW), Qt.AlignmentFlag.AlignCenter, text)
        for r, row in enumerate(self.shown()):
            painter.setPen(colour("muted"))
            label = "worst load" if self._compact else self._labels[r]
            painter.drawText(QRectF(4, TOP + r * ROW, LEFT - 10, ROW), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                             painter.fontMetrics().elidedText(label, Qt.TextElideMode.ElideLeft, LEFT - 14))
            for k, cell in enumerate(row):
                self._paint_cell(painter, self._box(r, k), cell, (r, k) == self._marked())
        painter.end()

    def _marked(self) -> tuple[int, int]:
        return (0, self._at[1]) if self._compact else self._at

    def _paint_cell(self, painter: QPainter, box: QRectF, cell: Cell, marked: bool) -> None:
        tint = QColor(colour(cell.word or "rule"))
        tint.setAlpha(38 if cell.word else 60)
        painter.setPen(QPen(colour("accent"), 2) if marked else Qt.PenStyle.NoPen)
        painter.setBrush(tint)
        painter.drawRoundedRect(box, 3, 3)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(colour(cell.word or "muted"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "–" if cell.margin is None else f"{MARKS[cell.word]}{margin_text(cell.margin)}")

    def _cell_at(self, x: float, y: float) -> tuple[int, int] | None:
        for r, row in enumerate(self.shown()):
            for k in range(len(row)):
                if self._box(r, k).contains(x, y):
                    return r, k
        return None

    def choose(self, row: int, column: int) -> None:
        """Choose a cell: the pictures move to its corner."""
        self.chosen.emit(self.shown()[row][column].corner)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        hit = self._cell_at(event.position().x(), event.position().y())
        if hit:
            self.choose(*hit)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0), Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1)}
        move = moves.get(Qt.Key(event.key()))
        if move is None or not self.rows:
            super().keyPressEvent(event)
            return
        row, column = self._marked()
        self.choose(min(max(row + move[0], 0), len(self.shown()) - 1), min(max(column + move[1], 0), len(self._lines) - 1))

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            hit = self._cell_at(event.pos().x(), event.pos().y())
            if hit:
                cell = self.shown()[hit[0]][hit[1]]
                words = ("nothing with a limit is judged here" if cell.margin is None
                         else f"least margin {margin_text(cell.margin)}, {cell.word}: {cell.figure}")
                QToolTip.showText(event.globalPos(), f"{cell.corner.text()}\n{words}", self)
            return True
        return super().event(event)
