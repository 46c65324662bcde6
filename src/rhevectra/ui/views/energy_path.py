"""The energy path: one plate per stage from mains to load, joined by the power that flows."""

from itertools import pairwise

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QAction, QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QMenu, QSizePolicy, QWidget

from rhevectra.app.stages import ISOLATED_AFTER, TRANSFORMER, Plate, plates
from rhevectra.core.basis.quantities import margin_text
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import spoken
from rhevectra.ui.theme.roles import colour, fill, font


class PlateButton(QAbstractButton):
    """One plate: name, telling figure, watts lost, margin bar with its word. Where another kind of stage could stand here a mark, the
    right button or the arrow down offers it in place."""

    replaced = Signal(str, str)

    def __init__(self, plate: Plate, number: int, parent: QWidget) -> None:
        super().__init__(parent)
        self.plate = plate
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setShortcut(f"Alt+{number}")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._compact = False
        self.setFixedHeight(72)
        self.setMinimumWidth(92)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.show_plate(plate)

    def menu(self) -> QMenu:
        """What may stand in this place instead."""
        made = QMenu(self)
        made.setToolTipsVisible(True)
        for name in self.plate.options:
            action = QAction(spoken(name, self.plate.choice), made)
            action.setCheckable(True)
            action.setChecked(name == self.plate.present)
            action.triggered.connect(lambda _c=False, n=name: self.replaced.emit(self.plate.choice, n))
            made.addAction(action)
        return made

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self._offer()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Menu) and self.plate.options:
            self._offer()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.plate.options and event.button() == Qt.MouseButton.LeftButton and self._mark().contains(event.position()):
            self._offer()
        else:
            super().mousePressEvent(event)

    def _offer(self) -> None:
        if self.plate.options:
            self.menu().exec(self.mapToGlobal(QPoint(8, self.height())))

    def _mark(self) -> QRectF:
        """Where the mark of the alternatives stands."""
        return QRectF(self.width() - 24, 4, 20, 20)

    def set_compact(self, compact: bool) -> None:
        """Only name and bar, except on the chosen plate and the worst."""
        self._compact = compact
        self.setFixedHeight(56 if compact else 72)
        self.setMinimumWidth(72 if compact else 92)
        self.update()

    def show_plate(self, plate: Plate) -> None:
        """Show new figures in place."""
        self.plate = plate
        margin = "" if plate.margin is None else f", tightest margin {margin_text(plate.margin)}, {plate.word}"
        self.setAccessibleName(f"{plate.name}: {plate.telling}, {plate.lost} lost{margin}")
        offer = (f"\nmay be: {', '.join(spoken(name, plate.choice) for name in plate.options)} (arrow down or the mark)" if plate.options
                 else "")
        self.setToolTip(f"{plate.name}: {plate.lost} lost at the worst full load{margin}{offer}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p, painter = self.plate, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setBrush(colour("card"))
        painter.setPen(QPen(colour("accent" if self.isChecked() or self.hasFocus() else "rule"), 2 if self.isChecked() else 1))
        painter.drawRoundedRect(box, 3, 3)
        room = int(box.width()) - 16
        painter.setPen(colour("muted"))
        painter.setFont(font(9))
        painter.drawText(9, 18, painter.fontMetrics().elidedText(p.name, Qt.TextElideMode.ElideRight, room - (16 if p.options else 0)))
        if p.options:
            mark = self._mark().center()
            painter.setBrush(colour("accent"))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon(QPolygonF([mark + QPointF(-4, -2), mark + QPointF(4, -2), mark + QPointF(0, 3)]))
        if self._compact:
            self._compact_lines(painter, p, room)
            painter.end()
            return
        painter.setPen(colour("ink"))
        painter.setFont(font(10.5, True))
        painter.drawText(9, 37, painter.fontMetrics().elidedText(p.telling, Qt.TextElideMode.ElideRight, room))
        painter.setFont(font(8.5))
        watts = p.lost if p.watts else ""
        painter.setPen(colour("muted"))
        painter.drawText(9, 52, watts)
        if p.margin is not None:
            word = painter.fontMetrics().horizontalAdvance(p.word)
            painter.setPen(colour(p.word))
            painter.drawText(self.width() - 9 - word, 52, p.word)
            self._bar(painter, p, room, 59)
        painter.end()

    def _compact_lines(self, painter: QPainter, p: Plate, room: int) -> None:
        painter.setFont(font(8.5))
        told = p.telling if self.isChecked() else p.word
        painter.setPen(colour("ink" if self.isChecked() else p.word or "muted"))
        painter.drawText(9, 34, painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, room))
        if p.margin is not None:
            self._bar(painter, p, room, 43)

    def _bar(self, painter: QPainter, p: Plate, room: int, y: int) -> None:
        share = min(max(1 - (p.margin or 0.0), 0.0), 1.0)
        fill(painter, QRectF(9, y, room, 4), colour("rule"))
        fill(painter, QRectF(9, y, room * share, 4), colour(p.word))


class EnergyPath(QWidget):
    """The row of plates. Emits the chosen stage, and a decision with its new value where another kind of stage is put in place."""

    chosen = Signal(str)
    replaced = Signal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(14)
        self.buttons: dict[str, PlateButton] = {}
        self._power = 0.0
        self._compact = False

    def set_compact(self, compact: bool) -> None:
        """Smaller plates in a small window."""
        if compact != self._compact:
            self._compact = compact
            self._row.setSpacing(8 if compact else 14)
            for button in self.buttons.values():
                button.set_compact(compact)

    def show_design(self, design: Design, stage: str) -> None:
        """Show the plates of a design; rebuilt only where the chain itself changed."""
        items = plates(design)
        self._power = design.requirement.power
        if list(self.buttons) != [p.stage for p in items]:
            for old in self.buttons.values():  # gone from the row at once: the new plates must not make room beside them
                self._row.removeWidget(old)
                old.hide()
                old.deleteLater()
            self.buttons = {}
            for number, p in enumerate(items, 1):
                button = PlateButton(p, number, self)
                button.clicked.connect(lambda _checked=False, s=p.stage: self.chosen.emit(s))
                button.replaced.connect(self.replaced)
                button.set_compact(self._compact)
                self._row.addWidget(button)
                self.buttons[p.stage] = button
        for p in items:
            self.buttons[p.stage].show_plate(p)
        self.buttons[stage].setChecked(True)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The line that joins the plates: as thick as the power, dashed where it crosses the isolation barrier."""
        painter = QPainter(self)
        ordered = list(self.buttons.values())
        thickness = 2 + min(self._power / 40.0, 6.0)
        isolated = TRANSFORMER in self.buttons
        for left, right in pairwise(ordered):
            crosses = isolated and right.plate.stage in ISOLATED_AFTER and left.plate.stage not in ISOLATED_AFTER
            painter.setPen(
                QPen(colour("accent"), thickness, Qt.PenStyle.DotLine if crosses else Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            y = left.geometry().center().y()
            painter.drawLine(left.geometry().right(), y, right.geometry().left(), y)
        painter.end()
