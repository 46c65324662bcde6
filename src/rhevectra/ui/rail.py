"""The narrow rail at the left edge, and the frame that holds rail, notice bar and desks."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

DESKS = {"Ask": "the requirement on one page", "Contest": "every topology designed for the requirement, in order",
         "Size": "the stages, their decisions and figures", "Explore": "many designs around this one: points, a brush, one to go on with",
         "Wind": "the winding sheet for the maker of the transformer",
         "Prove": "bringing the made supply up with the readings it should show, and the bench log",
         "File": "the design on paper, and all else that is handed on"}

BENCHES = ("Winding sheet", "Gap", "Core loss", "Ringing", "Drain trace", "Rework")
"""Tabs of the Wind desk: the sheet and the benches."""
PROOFS = ("Bring-up", "Log")
"""Tabs of the Prove desk."""


class Rail(QWidget):
    """One button a desk, in working order. Emits the desk's name."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(64)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 12, 0, 0)
        column.setSpacing(0)
        self.buttons = QButtonGroup(self)
        for k, (name, hint) in enumerate(DESKS.items()):
            button = QToolButton(self)
            button.setObjectName("rail")
            button.setText(name)
            button.setCheckable(True)
            button.setFixedWidth(64)
            button.setShortcut(f"Ctrl+{k + 1}")
            button.setToolTip(f"{hint} (Ctrl+{k + 1})")
            button.setAccessibleName(f"{name}: {hint}")
            button.clicked.connect(lambda _checked=False, name=name: self.chosen.emit(name))
            self.buttons.addButton(button, k)
            column.addWidget(button)
        column.addStretch(1)

    def mark(self, desk: str) -> None:
        """Show which desk is in view."""
        self.buttons.button(list(DESKS).index(desk)).setChecked(True)


def framed(rail: Rail, notice: QWidget, stack: QStackedWidget) -> QWidget:
    """Rail at the left; notice bar over the desks."""
    centre, right = QWidget(), QWidget()
    row, column = QHBoxLayout(centre), QVBoxLayout(right)
    for layout in (row, column):
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
    column.addWidget(notice)
    column.addWidget(stack, 1)
    row.addWidget(rail)
    row.addWidget(right, 1)
    return centre
