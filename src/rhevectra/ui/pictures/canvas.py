"""Paints a display list. The picture is drawn anew for the size of the widget, so text never scales."""

import sys
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QAction,
    QColor,
    QContextMenuEvent,
    QFontMetricsF,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu, QWidget

from rhevectra.core.basis.quantities import show
from rhevectra.drawing.axes import HEAD
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Disc, Dots, Fill, FrameInfo, Line, Picture, Text
from rhevectra.project.store import write_text
from rhevectra.project.table import as_csv
from rhevectra.ui.theme.roles import colour, fill, font, theme

PX_PER_MM = 3.6
MOST_ZOOM = 40.0
TITLE = 24.0
"""Room of a frame's title [mm]."""
PATCH = 0.6
"""How opaque the patch behind a text is: what crosses it is still guessed."""
LEAST_PX, EDGE = 8, 1.0
"""Smallest letters, and what stays free at the edges of a picture [px]."""
Source = Callable[[float, float], Picture]


def paint(painter: QPainter, picture: Picture, scale: float) -> None:
    """Paint a picture with `scale` pixels per millimetre."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    filled: tuple[str, str] | None = None
    for item in picture.items:
        if isinstance(item, Fill | Disc):
            if filled != (item.role, item.outline):  # hundreds of turns one after the other share them
                filled = item.role, item.outline
                painter.setPen(QPen(colour(item.outline), 0.8) if item.outline else Qt.PenStyle.NoPen)
                painter.setBrush(colour(item.role))
            if isinstance(item, Disc):
                painter.drawEllipse(QPointF(item.x * scale, item.y * scale), item.r * scale, item.r * scale)
            else:
                painter.drawPolygon(QPolygonF([QPointF(x * scale, y * scale) for x, y in item.points]))
            continue
        filled = None
        if isinstance(item, Dots):
            _stamp(painter, item, scale)
        elif isinstance(item, Line):
            pen = QPen(colour(item.role), max(item.width * scale, 0.8))
            if item.dashed:
                pen.setStyle(Qt.PenStyle.DashLine)
            pen.setJoinStyle(Qt.PenJoinStyle.BevelJoin)  # as good as round at this width, and half the work where a trace rings
            painter.setPen(pen)
            painter.drawPolyline(QPolygonF([QPointF(x * scale, y * scale) for x, y in item.points]))
        else:
            _text(painter, item, scale, picture.width * scale)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _stamp(painter: QPainter, item: Dots, scale: float) -> None:
    """Many circles of one kind: one is drawn, the others are copies of it."""
    half, finer = float(np.ceil(item.r * scale)) + 1, painter.device().devicePixelRatio()
    stamp = QImage(int(np.ceil(2 * half * finer)), int(np.ceil(2 * half * finer)),
                   QImage.Format.Format_ARGB32_Premultiplied)  # a pixmap is the window's alone; pages are painted beside it
    stamp.setDevicePixelRatio(finer)
    stamp.fill(Qt.GlobalColor.transparent)
    one = QPainter(stamp)
    one.setRenderHint(QPainter.RenderHint.Antialiasing)
    one.setPen(Qt.PenStyle.NoPen)
    one.setBrush(colour(item.role))
    one.drawEllipse(QPointF(half, half), item.r * scale, item.r * scale)
    one.end()
    for x, y in item.points:
        painter.drawImage(QPointF(x * scale - half, y * scale - half), stamp)


def _text(painter: QPainter, item: Text, scale: float, right: float) -> None:
    """A text, smaller where it would run over an edge of the picture [px], and cut short with dots where that does not do."""
    made, text = font(bold=item.bold), item.text
    made.setPixelSize(max(round(item.size * scale), LEAST_PX))
    metrics = QFontMetricsF(made)
    width = metrics.horizontalAdvance(text)
    at, wide = item.x * scale, right - 2 * EDGE
    room = min(wide, {"left": right - EDGE - at, "middle": 2 * min(at, right - at) - 2 * EDGE, "right": at - EDGE}[item.anchor])
    if width > room > 0:
        made.setPixelSize(max(int(made.pixelSize() * room / width), LEAST_PX))
        metrics = QFontMetricsF(made)
        text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, room)
        width = metrics.horizontalAdvance(text)
    painter.setFont(made)
    x = at - {"left": 0.0, "middle": width / 2, "right": width}[item.anchor]
    if item.clear:
        patch = QColor(colour("card"))
        patch.setAlphaF(PATCH)
        fill(painter, QRectF(x - 2, item.y * scale - metrics.capHeight() - 2, width + 4, metrics.capHeight() + 5), patch)
    painter.setPen(colour(item.role))
    painter.drawText(QPointF(x, item.y * scale), text)


class PictureView(QWidget):
    """Shows one picture. The mouse reads values off its frames, the wheel or + and − zoom in time, dragging or arrow keys move along.

    Zooming asks for the picture at a greater width and looks at a part of it: ticks get finer, texts keep their size.
    """

    cursor_at = Signal(float)
    stepped = Signal(int)
    drawn = Signal(str)
    """A picture was made: its caption."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._source: Source | None = None
        self._picture: Picture | None = None
        self._still: tuple[tuple[Picture, QSize, float, str], QPixmap] | None = None
        self._cursor: float | None = None
        self.zoom, self._offset, self._grip = 1.0, 0.0, 0.0
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(300, 200)
        self.setAccessibleName("picture: + and − zoom in time, arrows move, 0 shows all")

    def set_source(self, source: Source) -> None:
        """Show another picture; it is drawn at the next paint."""
        self._source, self._picture = source, None
        self.update()

    def picture(self) -> Picture | None:
        """The picture as it stands at the present size and zoom."""
        if self._picture is None and self._source is not None:
            width = self.width() / PX_PER_MM
            self._picture = self._source(width if self.zoom == 1.0 else LEFT + RIGHT + (width - LEFT - RIGHT) * self.zoom,
                                         self.height() / PX_PER_MM)
            self.setAccessibleDescription(self._picture.caption)
            self.drawn.emit(self._picture.caption)
        return self._picture

    def zoom_to(self, factor: float, at: float = 0.5) -> None:
        """Zoom in time about a share of the shown width; 1 shows all."""
        picture = self.picture()
        if picture is None or not picture.frames:
            return
        shown = self.width() / PX_PER_MM - LEFT - RIGHT
        held = (self._offset + at * shown) / self.zoom
        self.zoom = min(max(factor, 1.0), MOST_ZOOM)
        self._picture = None
        self._move_to(held * self.zoom - at * shown)

    def _move_to(self, offset: float) -> None:
        shown = self.width() / PX_PER_MM - LEFT - RIGHT
        self._offset = min(max(offset, 0.0), shown * (self.zoom - 1))
        self.update()

    def resizeEvent(self, event: object) -> None:
        self._picture = None
        self._move_to(self._offset)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        try:
            self._paint(painter)
        # what is raised in an event handler would end the program: said in the picture's place, and to whoever watches the hook
        except Exception:
            sys.excepthook(*sys.exc_info())
            painter.resetTransform()
            painter.setClipping(False)
            fill(painter, self.rect(), colour("card"))
            painter.setPen(colour("muted"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "this picture could not be drawn; the figures stand")
        painter.end()

    def _paint(self, painter: QPainter) -> None:
        """Picture, cursor and read-out at the present zoom."""
        picture = self.picture()
        if picture is None:
            return
        if self.zoom == 1.0:
            painter.drawPixmap(0, 0, self._painted(picture))
        else:
            edge = (LEFT - 0.4) * PX_PER_MM
            painter.setClipRect(QRectF(0, 0, edge, self.height()))
            paint(painter, picture, PX_PER_MM)
            painter.setClipRect(QRectF(edge, 0, self.width() - edge, self.height()))
            painter.translate(-self._offset * PX_PER_MM, 0)
            paint(painter, picture, PX_PER_MM)
        self._paint_cursor(painter, picture)
        if self.zoom > 1.0:
            self._paint_units(painter, picture)

    def _painted(self, picture: Picture) -> QPixmap:
        """The picture as it was painted last, if nothing of it has changed: pointing at it must not paint hundreds of turns anew."""
        key = (picture, self.size(), self.devicePixelRatio(), theme())
        if self._still is None or self._still[0] != key:
            still = QPixmap(self.size() * self.devicePixelRatio())
            still.setDevicePixelRatio(self.devicePixelRatio())
            still.fill(Qt.GlobalColor.transparent)
            painter = QPainter(still)
            try:
                paint(painter, picture, PX_PER_MM)
            finally:
                painter.end()
            self._still = key, still
        return self._still[1]

    def _paint_units(self, painter: QPainter, picture: Picture) -> None:
        """Titles and the unit of the time ticks stay at their edges while the picture moves under them."""
        painter.resetTransform()
        for frame in picture.frames:
            painter.setFont(font(9, bold=True))
            box = QRectF(LEFT * PX_PER_MM - 3, (frame.top - HEAD) * PX_PER_MM - 1, painter.fontMetrics().horizontalAdvance(frame.title) + 6,
                         16)
            if self._offset * PX_PER_MM > box.width():  # before that the picture's own title is still in sight
                painter.setPen(colour("ink"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, frame.title)
            painter.setFont(font(9))
            if frame.x_name:
                box = QRectF(0, 0, painter.fontMetrics().horizontalAdvance(frame.x_name) + 8, 16)
                box.moveTopRight(QPointF(self.width() - 2, (frame.top + frame.height) * PX_PER_MM + 2))
                fill(painter, box, colour("card"))
                painter.setPen(colour("muted"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, frame.x_name)

    def _paint_cursor(self, painter: QPainter, picture: Picture) -> None:
        if self._cursor is None:
            return
        x_mm = self._cursor + self._offset
        for frame in picture.frames:
            if not frame.left <= x_mm <= frame.left + frame.width:
                continue
            at = frame.x_range[0] + (x_mm - frame.left) / frame.width * (frame.x_range[1] - frame.x_range[0])
            painter.setPen(QPen(colour("accent"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x_mm * PX_PER_MM, frame.top * PX_PER_MM),
                             QPointF(x_mm * PX_PER_MM, (frame.top + frame.height) * PX_PER_MM))
            self._read_out(painter, picture, frame, at)

    def _read_out(self, painter: QPainter, picture: Picture, frame: FrameInfo, at: float) -> None:
        texts = [show(at, frame.x_unit, 4)]
        for name in frame.traces:
            x, y = picture.data[f"{name} x [{frame.x_unit}]"], picture.data[f"{name} [{frame.y_unit}]"]
            value = show(float(np.interp(at, x, y)), frame.y_unit)
            texts.append(value if len(frame.traces) == 1 else f"{name} {value}")  # a lone trace is what the frame's title names
        painter.setFont(font(9))
        right = min((frame.left + frame.width) * PX_PER_MM, self.width() - RIGHT * PX_PER_MM + self._offset * PX_PER_MM) - 4
        wide = painter.fontMetrics().horizontalAdvance
        row = "   ".join(texts)
        lines = [row] if wide(row) + 12 < right - (frame.left + TITLE) * PX_PER_MM else texts  # beside the title, or below each other
        box = QRectF(0, 0, max(wide(line) for line in lines) + 12, 14 * len(lines))
        box.moveTopRight(QPointF(right, (frame.top - HEAD) * PX_PER_MM + (0 if len(lines) == 1 else 14)))
        fill(painter, box, colour("card"))
        painter.setPen(colour("ink"))
        painter.drawText(box.adjusted(6, -1, 0, 1), Qt.AlignmentFlag.AlignRight, "\n".join(lines))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x = event.position().x() / PX_PER_MM
        if event.buttons() & Qt.MouseButton.LeftButton and self.zoom > 1.0:
            self._move_to(self._grip - x)
        self._cursor = x
        self._tell()
        self.update()

    def _tell(self) -> None:
        """Where the cursor stands, as a share of the first frame's range."""
        picture = self.picture()
        if picture is not None and picture.frames and self._cursor is not None:
            frame = picture.frames[0]
            share = (self._cursor + self._offset - frame.left) / frame.width
            if 0.0 <= share <= 1.0:
                self.cursor_at.emit(share)

    def clear_cursor(self) -> None:
        """No cursor: what it stood at means nothing in another picture."""
        self._cursor = None
        self.update()

    def set_cursor(self, share: float) -> None:
        """Put the cursor at a share of the first frame's range; what is out of sight is brought into it."""
        picture = self.picture()
        if picture is None or not picture.frames:
            return
        frame = picture.frames[0]
        at, shown = frame.left + share * frame.width, self.width() / PX_PER_MM
        if not LEFT <= at - self._offset <= shown - RIGHT:
            self._move_to(at - shown / 2)
        self._cursor = at - self._offset
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._grip = event.position().x() / PX_PER_MM + self._offset

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.zoom_to(1.0)

    def wheelEvent(self, event: QWheelEvent) -> None:
        shown = self.width() / PX_PER_MM - LEFT - RIGHT
        at = min(max((event.position().x() / PX_PER_MM - LEFT) / shown, 0.0), 1.0)
        self.zoom_to(self.zoom * (1.25 if event.angleDelta().y() > 0 else 0.8), at)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 0.1 * self.width() / PX_PER_MM
        acts = {Qt.Key.Key_Plus: lambda: self.zoom_to(self.zoom * 1.5), Qt.Key.Key_Minus: lambda: self.zoom_to(self.zoom / 1.5),
                Qt.Key.Key_0: lambda: self.zoom_to(1.0), Qt.Key.Key_Comma: lambda: self.stepped.emit(-1),
                Qt.Key.Key_Period: lambda: self.stepped.emit(1),
                Qt.Key.Key_Left: lambda: self._move_to(self._offset - step), Qt.Key.Key_Right: lambda: self._move_to(self._offset + step)}
        act = acts.get(Qt.Key(event.key()))
        if act is None:
            super().keyPressEvent(event)
        else:
            act()

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
            painter.translate(-self._offset * PX_PER_MM * 2, 0)
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
        write_text(path,
                   as_csv(picture.data,
                          ([f"{float(v[i]):.9g}" if i < len(v) else "" for v in picture.data.values()] for i in range(longest))))
