"""A bar over the desks that says something and offers what to do about it; never a dialog."""

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QToolButton, QWidget


class Notice(QFrame):
    """Text and buttons; hidden when nothing is to be said."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("bar")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 5, 12, 5)
        self.text = QLabel(self)
        self.text.setWordWrap(True)
        self._row.addWidget(self.text, 1)
        self.buttons: list[QToolButton] = []
        self.hide()

    def say(self, text: str, offers: Sequence[tuple[str, Callable[[], object]]]) -> None:
        """Show a text; each offer is a button that also closes the bar."""
        for old in self.buttons:
            old.deleteLater()
        self.buttons = []
        self.text.setText(text)
        for title, act in offers:
            button = QToolButton(self)
            button.setText(title)
            button.setAccessibleName(title)
            button.clicked.connect(self.hide)
            button.clicked.connect(lambda _checked=False, act=act: act())
            self._row.addWidget(button)
            self.buttons.append(button)
        self.show()
