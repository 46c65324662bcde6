"""A picture whose parts can be taken: blocks of a winding window are dragged, split and joined; rows of a choice are clicked; the mark of a
map is dragged."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QAction, QContextMenuEvent, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QMenu, QToolTip, QWidget

from rhevectra.core.magnetics.arrangement import write
from rhevectra.core.magnetics.rearrange import CHANGES, Blocks, move
from rhevectra.drawing.display import Spot
from rhevectra.ui.pictures.canvas import PX_PER_MM, PictureView, Source
from rhevectra.ui.theme.roles import colour

DRAG_LEAST = 6.0
"""Pixels a block must be dragged before it moves."""
REST = 60
"""Milliseconds a mark that is dragged over a map must rest before the design follows: the mark itself never waits for it."""


class ArrangerView(PictureView):
    """Shows any picture; where it has spots or can be picked from, mouse and keys act on it. Emits a new arrangement, a decision and its
    value, or several decisions at once."""

    arranged = Signal(str)
    decided = Signal(str, str)
    picked = Signal(object, bool)
    """Decisions picked from a map, and whether they go on with the drag before them."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.chosen: int | None = None
        self._pressed: QPointF | None = None
        self._dropped: int | None = None
        self._foretold = ("", "")
        self.foretell: Callable[[str], str] = lambda _text: ""
        """What an order of the windings comes to, in a few lines, asked while a block is dragged."""
        self._mark: QPointF | None = None
        self._told: dict[str, float | str] | None = None
        self._next: Source | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST)
        self._rest.timeout.connect(self._tell_mark)

    def set_source(self, source: Source) -> None:
        """Show another picture; under a mark that is held the map stays, for its axes go with the values chosen."""
        self._foretold = ("", "")
        if self._mark is not None:
            self._next = source
        else:
            super().set_source(source)

    @property
    def spots(self) -> list[Spot]:
        """What can be taken in the picture in view."""
        picture = self.picture()
        return picture.spots if picture is not None else []

    @property
    def _decides(self) -> str:
        picture = self.picture()
        return picture.decides if picture is not None else ""

    def blocks(self) -> Blocks:
        """The blocks of the winding window in view: word and turns."""
        return [(word, float(turns)) for word, _, turns in (s.name.partition(":") for s in self.spots)]

    def change(self, made: Blocks) -> None:
        """Emit another arrangement, unless nothing changed."""
        if made != self.blocks():
            self.arranged.emit(write(made))

    def _at(self, point: QPointF) -> int | None:
        x, y = point.x() / PX_PER_MM, point.y() / PX_PER_MM
        return next((k for k, s in enumerate(self.spots) if s.left <= x <= s.left + s.width and s.top <= y <= s.top + s.height), None)

    def _gap_at(self, x: float) -> int:
        """Number of the block before which something dropped at x [mm] goes."""
        return sum(s.left + s.width / 2 < x for s in self.spots)

    def pick_at(self, point: QPointF) -> tuple[dict[str, float | str], str] | None:
        """What a point of the picture stands for, if it is a map."""
        picture = self.picture()
        return picture.pick(point.x() / PX_PER_MM, point.y() / PX_PER_MM) if picture is not None and picture.pick is not None else None

    def _tell_mark(self) -> None:
        """The values under the dragged mark, once each."""
        if self._mark is not None and (here := self.pick_at(self._mark)) is not None and here[0] != self._told:
            going_on, self._told = self._told is not None, here[0]
            self.picked.emit(here[0], going_on)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if event.button() == Qt.MouseButton.LeftButton and self.pick_at(event.position()) is not None:
            self._mark, self._told = event.position(), None
            self.update()
        if self.spots:
            self.chosen = self._at(event.position())
            self._pressed = event.position() if event.button() == Qt.MouseButton.LeftButton and self.chosen is not None else None
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if (here := self.pick_at(event.position())) is not None:
            self.setCursor(Qt.CursorShape.CrossCursor)
            QToolTip.showText(event.globalPosition().toPoint(), here[1], self)
            if self._mark is not None:
                self._mark = event.position()
                self._rest.start()
                self.update()
            return
        if not self.spots:
            self.unsetCursor()
            super().mouseMoveEvent(event)
            return
        if self._pressed is not None and not self._decides and (event.position() - self._pressed).manhattanLength() > DRAG_LEAST:
            self._dropped = self._gap_at(event.position().x() / PX_PER_MM)
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            QToolTip.showText(event.globalPosition().toPoint(), self._told_of(self._dropped), self)
        else:
            at = self._at(event.position())
            self.setCursor(Qt.CursorShape.ArrowCursor if at is None else Qt.CursorShape.PointingHandCursor if self._decides
                           else Qt.CursorShape.OpenHandCursor)
            QToolTip.showText(event.globalPosition().toPoint(), self.spots[at].tip if at is not None else "", self)
        self.update()

    def _told_of(self, gap: int) -> str:
        """What the block comes to where it is held, worked out once for every place."""
        made = move(self.blocks(), self.chosen or 0, gap)
        if made == self.blocks():
            return ""
        text = write(made)
        if self._foretold[0] != text:
            self._foretold = text, self.foretell(text)
        return self._foretold[1]

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._mark is not None and event.button() == Qt.MouseButton.LeftButton:
            self._rest.stop()
            if self.pick_at(event.position()) is not None:
                self._mark = event.position()
            self._tell_mark()
            self._mark, later, self._next = None, self._next, None
            if later is not None:
                self.set_source(later)
            self.update()
            return
        pressed, dropped, at = self._pressed, self._dropped, self.chosen
        self._pressed = self._dropped = None
        QToolTip.hideText()
        if at is None or pressed is None or at >= len(self.spots):
            return
        if self._decides and self._at(event.position()) == at:
            self.decided.emit(self._decides, self.spots[at].name)
        elif dropped is not None:
            self.change(move(self.blocks(), at, dropped))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self.spots:
            super().mouseDoubleClickEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        spots, key = self.spots, event.keyCombination()
        if not spots:
            super().keyPressEvent(event)
            return
        at = self.chosen if self.chosen is not None and self.chosen < len(spots) else None
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is not None and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            self.chosen = (0 if step > 0 else len(spots) - 1) if at is None else min(max(at + step, 0), len(spots) - 1)
            self.setAccessibleDescription(self.spots[self.chosen].tip)
        elif at is not None and self._decides and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.decided.emit(self._decides, spots[at].name)
        elif at is not None and not self._decides:
            act = next((act for _, keys, act in CHANGES if QKeySequence(keys) == QKeySequence(key)), None)
            if act is None:
                super().keyPressEvent(event)
                return
            self.change(act(self.blocks(), at))
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        at = self._at(QPointF(event.pos()))
        if at is None or self._decides:
            super().contextMenuEvent(event)
            return
        menu = self.block_menu(at)
        menu.exec(event.globalPos())

    def block_menu(self, at: int) -> QMenu:
        """What can be done with a block; what would change nothing is greyed."""
        menu, blocks = QMenu(self), self.blocks()
        for name, keys, act in CHANGES:
            made = act(blocks, at)
            action = QAction(f"{name}\t{keys}", menu)
            action.setEnabled(made != blocks)
            action.triggered.connect(lambda _checked=False, made=made: self.change(made))
            menu.addAction(action)
        menu.addSeparator()
        copy = QAction("Copy picture", menu)
        copy.triggered.connect(self.copy_image)
        menu.addAction(copy)
        return menu

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._mark is not None:
            self._paint_mark(self._mark)
        spots = self.spots
        if not spots:
            return
        painter = QPainter(self)
        if self.chosen is not None and self.chosen < len(spots):
            s = spots[self.chosen]
            painter.setPen(QPen(colour("accent"), 2))
            painter.drawRect(QRectF(s.left * PX_PER_MM, s.top * PX_PER_MM, s.width * PX_PER_MM, s.height * PX_PER_MM))
        if self._dropped is not None:
            before = spots[min(self._dropped, len(spots) - 1)]
            x = (before.left if self._dropped < len(spots) else before.left + before.width) * PX_PER_MM
            painter.setPen(QPen(colour("accent"), 3))
            painter.drawLine(QPointF(x, (before.top - 1.5) * PX_PER_MM), QPointF(x, (before.top + before.height + 1.5) * PX_PER_MM))
        painter.end()

    def _paint_mark(self, at: QPointF) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("accent"), 2))
        painter.drawEllipse(at, 7, 7)
        painter.drawLine(at - QPointF(14, 0), at + QPointF(14, 0))
        painter.drawLine(at - QPointF(0, 14), at + QPointF(0, 14))
        painter.end()
