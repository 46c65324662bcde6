"""The main window: wires session, views and menus together, and nothing else."""

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import QButtonGroup, QFileDialog, QHBoxLayout, QMainWindow, QMessageBox, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from rhevectra import demo
from rhevectra.app.netlist import netlist_text
from rhevectra.app.session import Session
from rhevectra.core.basis.errors import InputError
from rhevectra.project.store import write_text
from rhevectra.ui.views.ask import CAUTIONS, AskView
from rhevectra.ui.views.size_desk import SizeDesk

FILTER = "Rhevectra projects (*.rhevectra.json)"


class MainWindow(QMainWindow):
    """Rail with desks, menus, status line."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.ask, self.size_desk = AskView(self), SizeDesk(self)
        self.stack = QStackedWidget(self)
        centre = QWidget(self)
        row = QHBoxLayout(centre)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._rail())
        row.addWidget(self.stack, 1)
        self.setCentralWidget(centre)
        for view in (self.ask, self.size_desk):
            self.stack.addWidget(view)
        self._menus()
        self.ask.required.connect(lambda need: self._edit(lambda: self.session.require(need)))
        self.ask.titled.connect(lambda title: self._edit(lambda: self.session.require(self.session.document.requirement, title)))
        self.size_desk.pinned.connect(lambda id, value: self._edit(lambda: self.session.pin(id, value), id))
        self.size_desk.freed.connect(lambda id: self._edit(lambda: self.session.free(id), id))
        self.go("Size")
        self.show_all()

    def _rail(self) -> QWidget:
        rail = QWidget(self)
        rail.setObjectName("rail")
        rail.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        rail.setFixedWidth(64)
        column = QVBoxLayout(rail)
        column.setContentsMargins(0, 12, 0, 0)
        column.setSpacing(0)
        self.rail = QButtonGroup(self)
        for k, name in enumerate(("Ask", "Size")):
            button = QToolButton(rail)
            button.setObjectName("rail")
            button.setText(name)
            button.setCheckable(True)
            button.setFixedWidth(64)
            button.setShortcut(f"Ctrl+{k + 1}")
            button.setToolTip({"Ask": "the requirement on one page (Ctrl+1)", "Size": "the stages, their decisions and figures (Ctrl+2)"}[name])
            self.rail.addButton(button, k)
            column.addWidget(button)
        self.rail.idClicked.connect(self.stack.setCurrentIndex)
        column.addStretch(1)
        return rail

    def go(self, desk: str) -> None:
        """Show a desk by name."""
        index = {"Ask": 0, "Size": 1}[desk]
        self.rail.button(index).setChecked(True)
        self.stack.setCurrentIndex(index)

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
        self.ask.show_document(s.document)
        self.size_desk.show_design(s.design)
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
            self.ask.show_problem(str(problem))
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
        path, _ = QFileDialog.getSaveFileName(self, "Save project", "project.rhevectra.json", FILTER)
        return bool(path) and self.save_to(path)

    def export_dialog(self) -> None:
        """Ask for a file and write the netlist at the shown corner's line, full load."""
        path, _ = QFileDialog.getSaveFileName(self, "Export netlist", "power-stage.cir", "SPICE netlist (*.cir)")
        if path:
            corner = self.size_desk.corner
            line = corner.v_line if corner else None
            if self._guarded(lambda: write_text(path, netlist_text(self.session.design, line, 1.0, "valley"))):
                self.statusBar().showMessage(f"netlist written to {Path(path).name}")

    def cautions(self) -> None:
        """The cautions, on the Ask page."""
        self.go("Ask")
        self.statusBar().showMessage(CAUTIONS[:120] + " …")

    def _may_leave(self) -> bool:
        if not self.session.changed:
            return True
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
