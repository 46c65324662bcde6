"""A card: what belongs together, under its title."""

from PySide6.QtWidgets import QFrame, QLabel, QVBoxLayout, QWidget


def titled(title: str, inner: QWidget, parent: QWidget, fills: bool = False) -> QFrame:
    """A card with a title over a widget. fills: the widget takes all the room there is, where it else stands at the top."""
    card = QFrame(parent)
    card.setObjectName("card")
    column, label = QVBoxLayout(card), QLabel(title, card)
    label.setObjectName("title")
    column.addWidget(label)
    column.addWidget(inner, int(fills))
    if not fills:
        column.addStretch(1)
    return card
