"""The main window: wires session, views and menus together, and nothing else."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QMainWindow, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from rhevectra import demo
from rhevectra.app.netlist import netlist_text
from rhevectra.app.session import Session
from rhevectra.core.basis.errors import InputError
from rhevectra.project.store import write_text
from rhevectra.ui.views.size_desk import SizeDesk

if TYPE_CHECKING:
    from rhevectra.ui.views.ask import AskView

DESKS = {"Ask": "the requirement on one page", "Size": "the stages, their decisions and figures"}
FILTER = "Rhevectra projects (*.rhevectra.json)"


class MainWindow(QMainWindow):
    """Rail with desks, menus, status line."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.size_desk = SizeDesk(self)
        self._ask: AskView | None = None
        self._stale: set[QWidget | None] = set()
        self.stack = QStackedWidget(self)
        centre = QWidget(self)
        row = QHBoxLayout(centre)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._rail())
        row.addWidget(self.stack, 1)
        self.setCentralWidget(centre)
        self.stack.addWidget(self.size_desk)
        self._menus()
        self.size_desk.pinned.connect(lambda id, value: self._edit(lambda: self.session.pin(id, value), id))
        self.size_desk.freed.connect(lambda id: self._edit(lambda: self.session.free(id), id))
        self.go("Size")
        self.show_all()

    @property
    def ask(self) -> "AskView":
        """The Ask desk, built when it is first looked at: start-up does not wait for it."""
        if self._ask is None:
            from rhevectra.ui.views.ask import AskView

            self._ask = AskView(self)
            self.stack.addWidget(self._ask)
            self._ask.required.connect(lambda need: self._edit(lambda: self.session.require(need)))
            self._ask.titled.connect(lambda title: self._edit(lambda: self.session.require(self.session.document.requirement, title)))
            self._ask.show_document(self.session.document)
        return self._ask

    def _rail(self) -> QWidget:
        rail = QWidget(self)
        rail.setObjectName("rail")
        rail.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        rail.setFixedWidth(64)
        column = QVBoxLayout(rail)
        column.setContentsMargins(0, 12, 0, 0)
        column.setSpacing(0)
        self.rail = QButtonGroup(self)
        for k, (name, hint) in enumerate(DESKS.items()):
            button = QToolButton(rail)
            button.setObjectName("rail")
            button.setText(name)
            button.setCheckable(True)
            button.setFixedWidth(64)
            button.setShortcut(f"Ctrl+{k + 1}")
            button.setToolTip(f"{hint} (Ctrl+{k + 1})")
            button.clicked.connect(lambda _checked=False, name=name: self.go(name))
            self.rail.addButton(button, k)
            column.addWidget(button)
        column.addStretch(1)
        return rail

    def go(self, desk: str) -> None:
        """Show a desk by name."""
        self.rail.button(list(DESKS).index(desk)).setChecked(True)
        self.stack.setCurrentWidget(self.ask if desk == "Ask" else self.size_desk)
        self._refresh()

    def _refresh(self) -> None:
        """Bring the desk in view up to date; the others wait until they are looked at."""
        shown = self.stack.currentWidget()
        if shown in self._stale:
            self._stale.discard(shown)
            if shown is self.size_desk:
                self.size_desk.show_design(self.session.design)
            else:
                self.ask.show_document(self.session.document)

    def _menus(self) -> None:
        bar = self.menuBar()
        for title, entries in (
            ("&Project", (("Open …", QKeySequence.StandardKey.Open, self.open_dialog), ("Open the demo", None, self.open_demo), ("Save", QKeySequence.StandardKey.Save, self.save), ("Save as …", "Ctrl+Shift+S", self.save_dialog),
                          ("Export netlist …", "Ctrl+E", self.export_dialog), ("Quit", "Ctrl+Q", self.close))),
            ("&Edit", (("Undo", "Ctrl+Z", self.undo), ("Redo", "Ctrl+Y", self.redo))),
            ("&Help", (("Cautions", None, self.cautions),))):
            menu = bar.addMenu(title)
            for text, keys, slot in entries:
                action = QAction(text, self)
                if keys is not None:
                    action.setShortcut(QKeySequence(keys))
                action.triggered.connect(lambda _checked=False, slot=slot: slot())
                menu.addAction(action)
                if text in ("Undo", "Redo"):
                    setattr(self, f"_{text.lower()}_action", action)

    def show_all(self) -> None:
        """Show the session's document and design everywhere."""
        s = self.session
        self._stale = {self.stack.widget(k) for k in range(self.stack.count())}
        self._refresh()
        name = s.path.name if s.path else "not saved yet"
        self.setWindowTitle(f"{'● ' if s.changed else ''}{s.document.title} · {name} · Rhevectra")
        worst = "feasible" if s.design.feasible else "INFEASIBLE: see findings"
        self.statusBar().showMessage(f"{s.design.topology} designed at {s.design.grid.shape[0] * s.design.grid.shape[1] * s.design.grid.shape[2] * s.design.grid.shape[3]} corners in {s.elapsed * 1e3:.0f} ms · {worst}")
        for action, stack in ((self._undo_action, s.past), (self._redo_action, s.future)):  # type: ignore[attr-defined]
            verb = "Undo" if action is self._undo_action else "Redo"  # type: ignore[attr-defined]
            action.setText(f"{verb}: {stack[-1][0]}" if stack else verb)
            action.setEnabled(bool(stack))

    def _edit(self, change: object, id: str = "") -> None:
        """Do an edit; a refused one leaves everything as it was and says why at its field."""
        try:
            change()  # type: ignore[operator]
        except InputError as problem:
            row = self.size_desk.decisions.rows.get(id)
            if row is not None:
                row.show_problem(str(problem))
            if self._ask is not None:
                self._ask.show_problem(str(problem))
            self.statusBar().showMessage(str(problem))
            return
        self.show_all()

    def undo(self) -> None:
        """Take the last edit back."""
        if self.session.undo():
            self.show_all()

    def redo(self) -> None:
        """Do it again."""
        if self.session.redo():
            self.show_all()

    def _replace(self, session: Session) -> None:
        self.session = session
        self.size_desk.corner = None
        self.show_all()

    def _guarded(self, action: object) -> bool:
        try:
            action()  # type: ignore[operator]
        except InputError as problem:
            self.statusBar().showMessage(str(problem))
            return False
        return True

    def open_path(self, path: str | Path) -> bool:
        """Open a project file; a wrong one is told in the status line and the present one stays."""
        return self._may_leave() and self._guarded(lambda: self._replace(Session.open(path)))

    def open_dialog(self) -> None:
        """Ask for a file and open it."""
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getOpenFileName(self, "Open project", "", FILTER)
        if path:
            self.open_path(path)

    def open_demo(self) -> None:
        """Open the demo project."""
        if self._may_leave():
            self._replace(Session.of_text(demo.text(), "demo"))

    def save(self) -> bool:
        """Save to the project's file, asking for one if there is none."""
        if self.session.path is None:
            return self.save_dialog()
        return self.save_to(self.session.path)

    def save_to(self, path: str | Path) -> bool:
        """Save to a file; a failure is told in the status line and nothing is lost."""
        done = self._guarded(lambda: self.session.save(path))
        if done:
            self.show_all()
            self.statusBar().showMessage(f"saved {Path(path).name}")
        return done

    def save_dialog(self) -> bool:
        """Ask for a file and save."""
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getSaveFileName(self, "Save project", "project.rhevectra.json", FILTER)
        return bool(path) and self.save_to(path)

    def export_dialog(self) -> None:
        """Ask for a file and write the netlist at the shown corner's line, full load."""
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getSaveFileName(self, "Export netlist", "power-stage.cir", "SPICE netlist (*.cir)")
        if path:
            corner = self.size_desk.corner
            line = corner.v_line if corner else None
            if self._guarded(lambda: write_text(path, netlist_text(self.session.design, line, 1.0, "valley"))):
                self.statusBar().showMessage(f"netlist written to {Path(path).name}")

    def cautions(self) -> None:
        """The cautions, on the Ask page."""
        self.go("Ask")
        self.ask.show_cautions()

    def _may_leave(self) -> bool:
        if not self.session.changed:
            return True
        from PySide6.QtWidgets import QMessageBox

        answer = QMessageBox.question(self, "Unsaved changes", "The project has changes that are not saved.", QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel)
        if answer == QMessageBox.StandardButton.Save:
            return self.save()
        return answer == QMessageBox.StandardButton.Discard

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._may_leave():
            event.accept()
        else:
            event.ignore()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        urls = event.mimeData().urls()
        if urls:
            self.open_path(urls[0].toLocalFile())
