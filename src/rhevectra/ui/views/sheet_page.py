"""A page of text beside the desks: keyboard shortcuts, and the comparison of two designs figure by figure."""

from collections.abc import Sequence
from html import escape

from PySide6.QtWidgets import QFrame, QTextBrowser, QVBoxLayout, QWidget

from rhevectra.app.changes import Change
from rhevectra.ui.commands import COMMANDS, MENUS
from rhevectra.ui.theme.roles import colour

_OTHER_KEYS = (("Alt+1 … Alt+9", "stage along the energy path"), ("Ctrl+1 … Ctrl+7", "desk on the rail"),
               ("↑ ↓ in a field", "nudge by preferred numbers or sensible steps"), ("Enter", "a typed value counts"),
               ("+ − 0 in a picture", "zoom in time, show all"),
               (", and . in the switching period", "time cursor to the previous or next interval"), ("Esc", "half-typed text is forgotten"),
               ("↑ ↓ ← → in the corner grid", "choose a cell: pictures and ledger move there"))


class SheetPage(QFrame):
    """One scrolling text, made of tables."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        self.text = QTextBrowser(self)
        self.text.setAccessibleName("page")
        column.addWidget(self.text)

    def _table(self, rows: Sequence[tuple[str, ...]], bold: int = 0) -> str:
        muted = colour("muted").name()
        cells = "".join(
            "<tr>" + "".join(f'<td style="padding:2px 18px 2px 0;color:{muted if k > bold else colour("ink").name()}">{escape(c)}</td>'
                             for k, c in enumerate(r)) + "</tr>" for r in rows)
        return f"<table>{cells}</table>"

    def show_shortcuts(self) -> None:
        """All commands with their keys, made from the one list."""
        parts = ["<h3>Keyboard shortcuts</h3>"]
        for menu in MENUS:
            parts.append(f"<h4>{menu}</h4>" + self._table([(c.keys or "–", c.title, c.tip) for c in COMMANDS if c.menu == menu], 1))
        parts.append("<h4>Everywhere</h4>" + self._table(_OTHER_KEYS, 1))
        self.text.setHtml("".join(parts))

    def show_comparison(self, mine: str, other: str, found: Sequence[Change]) -> None:
        """Every figure that differs between the present design and another."""
        head = f"<h3>{escape(mine)} against {escape(other)}</h3>"
        if not found:
            self.text.setHtml(head + "<p>Every figure is the same.</p>")
            return
        rows = [("figure", other, mine, "change")] + [
            (c.label, c.old or "–", c.new or "–", "" if c.relative == float("inf") else f"{c.relative * 100:.1f} %") for c in found]
        self.text.setHtml(
            head + f"<p>{len(found)} figures differ; the other design is held as the reference on the Size desk.</p>"
            + self._table(rows, 2))
