"""What stands at the right end of the menu bar: the project with its requirement in a line, undo, redo, find."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QAction, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement

MENUS_WIDE, LEAST = 270, 80
"""Pixels that the menus need beside it, and the least that is left for the title."""


def in_a_line(need: Requirement) -> str:
    """The outputs and the source: `24.0 V 2.50 A · 85–265 V`."""
    outputs = ", ".join(f"{show(o.voltage, 'V')} {show(o.current_max, 'A')}" for o in need.outputs[:3]) + (
        " …" if len(need.outputs) > 3 else "")
    low, high = (f"{v:g}" for v in (need.mains.v_min, need.mains.v_max))
    return f"{outputs} · {low if low == high else f'{low}–{high}'} V{' dc' if need.mains.kind == 'dc' else ''}"


class TopBar(QWidget):
    """Title and the three buttons, each of which does what its menu entry does and tells the same."""

    def __init__(self, actions: dict[str, QAction], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 12, 0)
        row.setSpacing(6)
        row.addStretch(1)
        self.title = QLabel(self)
        self._text = ""
        row.addWidget(self.title)
        row.addSpacing(10)
        self._actions = {name: actions[id] for name, id in (("undo", "edit.undo"), ("redo", "edit.redo"), ("find", "view.find"))}
        self.buttons: dict[str, QToolButton] = {}
        for name, action in self._actions.items():
            button = QToolButton(self)
            button.setObjectName("link")
            button.setText(name)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the keys of the menu entries serve the keyboard
            button.clicked.connect(action.trigger)
            self.buttons[name] = button
            row.addWidget(button)

    def say(self, title: str, need: Requirement, unsaved: bool) -> None:
        """Show the project, and what undo and redo would do."""
        self._text = f"{'● ' if unsaved else ''}{title} · {in_a_line(need)}"
        for name, button in self.buttons.items():
            action = self._actions[name]
            button.setEnabled(action.isEnabled())
            button.setToolTip(f"{action.text()} ({action.shortcut().toString()})")
            button.setAccessibleName(action.text())
        self._fit()

    @property
    def _taken(self) -> int:
        return sum(b.sizeHint().width() + 6 for b in self.buttons.values()) + 28

    def sizeHint(self) -> QSize:
        """As wide as the menus leave it, whatever it says: the menu bar asks when it is laid out, not when a text changes."""
        return QSize(max(self.window().width() - MENUS_WIDE, LEAST + self._taken), super().sizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """The title cut to the room beside the buttons; the whole of it is in its tool tip."""
        self.title.setText(
            self.title.fontMetrics().elidedText(self._text, Qt.TextElideMode.ElideRight, max(self.width() - self._taken, LEAST)))
        self.title.setToolTip(self._text)
