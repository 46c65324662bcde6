"""Paints a display list. The picture is drawn anew for the size of the widget, so text never scales."""

import csv
import io
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QAction, QColor, QContextMenuEvent, QFontMetricsF, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu, QWidget

from rhevectra.core.basis.quantities import show
from rhevectra.drawing.display import Fill, FrameInfo, Line, Picture, Text
from rhevectra.project.store import write_text
from rhevectra.ui.theme.roles import colour, font

PX_PER_MM = 3.6
Source = Callable[[float, float], Picture]


def paint(painter: QPainter, picture: Picture, scale: float) -> None:
    """Paint a picture with `scale` pixels per millimetre."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for item in picture.items:
        if isinstance(item, Line):
            pen = QPen(colour(item.role), max(item.width * scale, 0.8))
            if item.dashed:
                pen.setStyle(Qt.PenStyle.DashLine)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            painter.drawPolyline(QPolygonF([QPointF(x * scale, y * scale) for x, y in item.points]))
        elif isinstance(item, Fill):
            painter.setPen(QPen(colour(item.outline), 0.8) if item.outline else Qt.PenStyle.NoPen)
            painter.setBrush(colour(item.role))
            painter.drawPolygon(QPolygonF([QPointF(x * scale, y * scale) for x, y in item.points]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        else:
            _text(painter, item, scale)


def _text(painter: QPainter, item: Text, scale: float) -> None:
    made = font(bold=item.bold)
    made.setPixelSize(max(round(item.size * scale), 8))
    painter.setFont(made)
    painter.setPen(colour(item.role))
    width = QFontMetricsF(made).horizontalAdvance(item.text)
    x = item.x * scale - {"left": 0.0, "middle": width / 2, "right": width}[item.anchor]
    painter.drawText(QPointF(x, item.y * scale), item.text)


class PictureView(QWidget):
    """Shows one picture; the mouse reads values off its frames; right click copies or exports."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._source: Source | None = None
        self._picture: Picture | None = None
        self._cursor: tuple[float, float] | None = None
        self.setMouseTracking(True)
        self.setMinimumSize(300, 220)
        self.setAccessibleName("picture")

    def set_source(self, source: Source) -> None:
        """Show another picture; it is drawn at the next paint."""
        self._source, self._picture = source, None
        self.update()

    def picture(self) -> Picture | None:
        """The picture as it stands at the present size."""
        if self._picture is None and self._source is not None:
            self._picture = self._source(self.width() / PX_PER_MM, self.height() / PX_PER_MM)
            self.setAccessibleDescription(self._picture.caption)
        return self._picture

    def resizeEvent(self, event: object) -> None:
        self._picture = None

    def paintEvent(self, event: QPaintEvent) -> None:
        picture = self.picture()
        if picture is None:
            return
        painter = QPainter(self)
        paint(painter, picture, PX_PER_MM)
        self._paint_cursor(painter, picture)
        painter.end()

    def _paint_cursor(self, painter: QPainter, picture: Picture) -> None:
        if self._cursor is None:
            return
        x_mm, _ = self._cursor
        for frame in picture.frames:
            if not frame.left <= x_mm <= frame.left + frame.width:
                continue
            at = frame.x_range[0] + (x_mm - frame.left) / frame.width * (frame.x_range[1] - frame.x_range[0])
            painter.setPen(QPen(colour("accent"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x_mm * PX_PER_MM, frame.top * PX_PER_MM), QPointF(x_mm * PX_PER_MM, (frame.top + frame.height) * PX_PER_MM))
            self._read_out(painter, picture, frame, at)

    def _read_out(self, painter: QPainter, picture: Picture, frame: FrameInfo, at: float) -> None:
        texts = [show(at, frame.x_unit, 4)]
        for name in frame.traces:
            x, y = picture.data[f"{name} x [{frame.x_unit}]"], picture.data[f"{name} [{frame.y_unit}]"]
            texts.append(f"{name} {show(float(np.interp(at, x, y)), frame.y_unit)}")
        text = "   ".join(texts)
        painter.setFont(font(9))
        box = QRectF(0, 0, painter.fontMetrics().horizontalAdvance(text) + 12, 20)
        box.moveTopRight(QPointF((frame.left + frame.width) * PX_PER_MM - 4, frame.top * PX_PER_MM + 3))
        painter.fillRect(box, QColor(colour("card")))
        painter.setPen(colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._cursor = (event.position().x() / PX_PER_MM, event.position().y() / PX_PER_MM)
        self.update()

    def leaveEvent(self, event: object) -> None:
        self._cursor = None
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = QMenu(self)
        copy, export = QAction("Copy picture", menu), QAction("Export data as CSV …", menu)
        copy.triggered.connect(self.copy_image)
        export.triggered.connect(self._export)
        menu.addActions([copy, export])
        menu.exec(event.globalPos())

    def image(self) -> QImage:
        """The picture as an image, twice the screen's resolution."""
        image = QImage(self.width() * 2, self.height() * 2, QImage.Format.Format_RGB32)
        image.fill(colour("card"))
        painter = QPainter(image)
        picture = self.picture()
        if picture is not None:
            paint(painter, picture, PX_PER_MM * 2)
        painter.end()
        return image

    def copy_image(self) -> None:
        """Put the picture on the clipboard."""
        QApplication.clipboard().setImage(self.image())

    def _export(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Export data", "picture.csv", "CSV (*.csv)")
        if path:
            self.export_csv(path)

    def export_csv(self, path: str) -> None:
        """Write the traces as columns. Raises InputError where the file cannot be written."""
        picture = self.picture()
        if picture is None:
            return
        longest = max((len(v) for v in picture.data.values()), default=0)
        text = io.StringIO(newline="")
        writer = csv.writer(text)
        writer.writerow(picture.data)
        writer.writerows([f"{float(v[i]):.9g}" if i < len(v) else "" for v in picture.data.values()] for i in range(longest))
        write_text(path, text.getvalue())
