"""One page of paper on the screen, as it is printed."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from rhevectra.drawing.display import Picture
from rhevectra.drawing.paper import PAGE
from rhevectra.ui.pictures.canvas import paint
from rhevectra.ui.theme import roles


class PageView(QWidget):
    """One page, as wide as there is room, always in the light theme. name: what it is a page of, and its number."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.page: Picture | None = None
        self.setAccessibleName(name)

    def show_page(self, page: Picture | None) -> None:
        """Another page."""
        self.page = page
        self.setAccessibleDescription(page.caption if page else "")
        self.setVisible(page is not None)
        self.update()

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return round(width * PAGE[1] / PAGE[0])

    def sizeHint(self) -> QSize:
        return QSize(590, self.heightForWidth(590))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.page is None:
            return
        painter = QPainter(self)
        roles.fill(painter, self.rect(), Qt.GlobalColor.white)
        with roles.light():
            paint(painter, self.page, self.width() / self.page.width)
        painter.end()
