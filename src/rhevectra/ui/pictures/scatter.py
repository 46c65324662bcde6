"""A picture of many points: a click takes the nearest, dragging brushes those inside a box, arrow keys go from one to the next."""

from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QToolTip, QWidget

from rhevectra.ui.pictures.canvas import PX_PER_MM, PictureView
from rhevectra.ui.theme.roles import colour

DRAG_LEAST, REACH = 6.0, 14.0
"""Pixels a box is dragged at least, and within which a point is met."""


class ScatterView(PictureView):
    """Emits the number of a point that was taken, those inside a brushed box (None where the brush is put away), and a point somebody wants
    to go on with."""

    took = Signal(int)
    brushed = Signal(object)
    wanted = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.across: Sequence[float] = ()
        self.up: Sequence[float] = ()
        self.told: Callable[[int], str] = lambda _k: ""
        """What a point says when pointed at."""
        self.chosen: int | None = None
        self.box: QRectF | None = None
        self._pressed: QPointF | None = None
        self.setAccessibleName(
            "designs as points: arrows go from one to the next, Enter takes it, dragging brushes, Escape puts the brush away")

    def show_points(self, across: Sequence[float], up: Sequence[float]) -> None:
        """The points in data of the picture's frame."""
        self.across, self.up = across, up

    def places(self) -> tuple[np.ndarray, np.ndarray]:
        """Where the points are [px]."""
        picture = self.picture()
        if picture is None or not picture.frames:
            return np.zeros(0), np.zeros(0)
        f = picture.frames[0]
        across = f.left + (np.asarray(self.across, float) - f.x_range[0]) / (f.x_range[1] - f.x_range[0]) * f.width
        down = f.top + (f.y_range[1] - np.asarray(self.up, float)) / (f.y_range[1] - f.y_range[0]) * f.height
        return across * PX_PER_MM, down * PX_PER_MM

    def at(self, point: QPointF) -> int | None:
        """The point nearest to the mouse, if one is near."""
        across, down = self.places()
        if not len(across):
            return None
        far = np.hypot(across - point.x(), down - point.y())
        return int(far.argmin()) if far.min() < REACH else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and (event.position() - self._pressed).manhattanLength() > DRAG_LEAST:
            self.box = QRectF(self._pressed, event.position()).normalized()
            self.update()
            return
        near = self.at(event.position())
        self.setCursor(Qt.CursorShape.CrossCursor if near is None else Qt.CursorShape.PointingHandCursor)
        QToolTip.showText(event.globalPosition().toPoint(), self.told(near) if near is not None else "", self)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, self._pressed = self._pressed, None
        if pressed is None:
            return
        if (event.position() - pressed).manhattanLength() > DRAG_LEAST:
            self.box = QRectF(pressed, event.position()).normalized()
            across, down = self.places()
            self.brushed.emit({k for k in range(len(across)) if self.box.contains(QPointF(across[k], down[k]))})
        elif (near := self.at(event.position())) is not None:
            self.took.emit(near)
        elif self.box is not None:
            self.put_away()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if (near := self.at(event.position())) is not None:
            self.wanted.emit(near)

    def put_away(self) -> None:
        """No brush: all designs again."""
        self.box = None
        self.brushed.emit(None)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()  # both axes are fitted to the designs: there is no time to zoom into

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, order = event.key(), np.argsort(np.asarray(self.across, float), kind="stable")
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key))
        if step is not None and len(order):
            at = int(np.flatnonzero(order == self.chosen)[0]) + step if self.chosen is not None and self.chosen < len(order) else 0
            self.took.emit(int(order[min(max(at, 0), len(order) - 1)]))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen is not None:
            self.wanted.emit(self.chosen)
        elif key == Qt.Key.Key_Escape and self.box is not None:
            self.put_away()
        else:
            QWidget.keyPressEvent(self, event)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)
        if self.box is not None:  # it stands where the points were
            self.put_away()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.box is not None:
            painter = QPainter(self)
            painter.setPen(QPen(colour("accent"), 1.2, Qt.PenStyle.DashLine))
            painter.drawRect(self.box)
            painter.end()
