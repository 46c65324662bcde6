"""The search palette: any figure, decision, part or command by name, over the window, gone with Escape."""

from collections.abc import Callable, Sequence

from msgspec import Struct
from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from rhevectra.app.vocabulary import meant, plain, tells

SHOWN = 12


class Entry(Struct, frozen=True):
    """One thing that can be found: what it is, its name, further words to find it by, and what choosing it does."""

    kind: str
    name: str
    words: str
    act: Callable[[], object]


def matching(entries: Sequence[Entry], text: str) -> list[Entry]:
    """Entries in which every word of the text occurs, or what it is called here; those whose name begins with it come first, then those
    with all of it in the name, those where it stands in the further words, and those called otherwise."""
    asked = plain(text).split()

    def rank(e: Entry) -> int | None:
        name, whole = plain(e.name), plain(f"{e.name} {e.words} {e.kind}")
        if not tells(whole, asked):
            return None
        return (0 if name.startswith(" ".join(asked)) else 1 if all(w in name for w in asked) else 2
                if any(w in name for word in asked for w in meant(word)) else 3)
    ranked = [(r, len(e.name), k) for k, e in enumerate(entries) if (r := rank(e)) is not None]
    return [entries[k] for *_, k in sorted(ranked)]


class Palette(QFrame):
    """A field over a list. Arrow keys choose, Enter acts, Escape leaves."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._over = parent
        self.setObjectName("palette")
        self._entries: Sequence[Entry] = ()
        self._found: list[Entry] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.field, self.list = QLineEdit(self), QListWidget(self)
        self.field.setPlaceholderText("figure, decision, picture, part, requirement or command")
        self.field.setAccessibleName("search")
        self.list.setAccessibleName("search results")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.field.textChanged.connect(self._search)
        self.field.installEventFilter(self)
        self.list.itemClicked.connect(lambda _item: self.act())
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.hide()

    def open(self, entries: Sequence[Entry]) -> None:
        """Show over the parent with fresh entries."""
        self._entries = entries
        parent = self._over
        width = min(560, parent.width() - 40)
        self.setGeometry((parent.width() - width) // 2, 60, width, 360)
        self.field.clear()
        self._search("")
        self.show()
        self.raise_()
        self.field.setFocus()

    def _search(self, text: str) -> None:
        self._found = matching(self._entries, text)[:SHOWN]
        self.list.clear()
        for entry in self._found:
            self.list.addItem(QListWidgetItem(f"{entry.name}   ·   {entry.kind}"))
        if self._found:
            self.list.setCurrentRow(0)
        else:
            self.list.addItem(QListWidgetItem("nothing is called that"))

    def act(self) -> None:
        """Do what the chosen entry says and close."""
        row = self.list.currentRow()
        self.hide()
        if 0 <= row < len(self._found):
            self._found[row].act()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.act()
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.hide()
                self._over.setFocus()
                return True
        return super().eventFilter(watched, event)
