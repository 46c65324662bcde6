"""What the window does with files: open, save, compare, export. Dialogs ask for a name; the methods beside them do the work."""

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from rhevectra import demo
from rhevectra.app import settings
from rhevectra.app.changes import changes
from rhevectra.app.session import Session
from rhevectra.core.basis.errors import InputError
from rhevectra.project.log import as_csv
from rhevectra.project.store import write_text

if TYPE_CHECKING:
    from rhevectra.ui.views.file import FileView

FILTER = "Rhevectra projects (*.rhevectra.json)"
EMPTY = ('{"format": "rhevectra-project", "version": 1, "title": "new supply", "requirement": {"mains": {"kind": "ac1", "v_min": 85, '
         '"v_max": 265}, "outputs": [{"voltage": 12.0, "current_max": 1.0}]}, "decisions": {}}')


class FileActions:
    """Mixed into the window. A wrong file is told in the status line and the present project stays."""

    if TYPE_CHECKING:
        session: Session
        size_desk: Any
        autosave: Any
        page: Any
        statusBar: Any
        show_all: Any
        changing: Any
        _edit: Any
        _adopt: Any
        _show_widget: Any
        _recent: Any
        _file: "FileView | None"
        stack: Any
        go: Any

    @property
    def file_desk(self) -> "FileView":
        """The File desk, built when it is first looked at."""
        if self._file is None:
            from rhevectra.ui.views.file import FileView

            self._file = FileView(self)  # type: ignore[arg-type]
            self.stack.addWidget(self._file)
            self._file.wanted.connect(lambda method: getattr(self, method)())
            self._file.netlist_wanted.connect(self.export_dialog)
            self._file.composing.waits = lambda: self.changing.busy
            self.show_file_desk()
        return self._file

    def show_file_desk(self) -> None:
        """The pages of the present design."""
        self.file_desk.show_design(self.session.design, self.session.document.title, self.size_desk.corner)

    def _guarded(self, action: Any) -> bool:
        try:
            action()
        except InputError as problem:
            self.statusBar().showMessage(str(problem))
            return False
        return True

    def keep_material(self, row: Mapping[str, Any]) -> None:
        """Keep a fitted material class among the person's own parts."""
        def kept(path: Path) -> None:
            self.show_all()
            self.statusBar().showMessage(f"{row['name']} is kept in {path} and can be chosen as core material class")
        self._edit(lambda: self.session.keep_parts("materials", [row]), then=kept)

    def _ask_name(self, save: bool, title: str, name: str, kinds: str) -> str:
        from PySide6.QtWidgets import QFileDialog

        ask = QFileDialog.getSaveFileName if save else QFileDialog.getOpenFileName
        path, _ = ask(self, title, name, kinds)  # type: ignore[arg-type]
        return str(path)

    def new_project(self) -> None:
        """An empty requirement on the Ask desk."""
        def opened(session: Session) -> None:
            self._adopt(session)
            self.go("Ask")
        if self.may_leave():
            self._edit(lambda: Session.of_text(EMPTY, "new"), then=opened)

    def open_path(self, path: str | Path) -> bool:
        """Open a project file."""
        def opened(session: Session) -> None:
            self._adopt(session)
            self.autosave.clear()
            settings.remember(Path(path))
        return self.may_leave() and bool(self._edit(lambda: Session.open(path), then=opened))

    def open_dialog(self) -> None:
        """Ask for a file and open it."""
        path = self._ask_name(False, "Open project", "", FILTER)
        if path:
            self.open_path(path)

    def open_demo(self, name: str = demo.NAMES[0]) -> None:
        """Open a demo project."""
        if self.may_leave():
            self.autosave.clear()
            self._edit(lambda: Session.of_text(demo.text(name), "demo"), then=self._adopt)

    def open_rack_demo(self) -> None:
        """Open the demo with several outputs."""
        self.open_demo("logger-rack")

    def open_bench_demo(self) -> None:
        """Open the demo of a forward."""
        self.open_demo("ringing-lab-bench")

    def open_rotator_demo(self) -> None:
        """Open the demo that runs from a dc bus."""
        self.open_demo("radar-rotator")

    def open_fans_demo(self) -> None:
        """Open the demo with a power factor stage."""
        self.open_demo("frost-fans")

    def _fill_recent(self) -> None:
        self._recent.clear()
        for path in settings.recent():
            self._recent.addAction(path.name, lambda p=path: self.open_path(p)).setToolTip(str(path))
        if self._recent.isEmpty():
            self._recent.addAction("no recent files").setEnabled(False)

    def save(self) -> bool:
        """Save to the project's file, asking for one if there is none."""
        return self.save_dialog() if self.session.path is None else self.save_to(self.session.path)

    def save_to(self, path: str | Path) -> bool:
        """Save to a file; a failure is told and nothing is lost."""
        self.changing.settle()
        done = self._guarded(lambda: self.session.save(path))
        if done:
            self.autosave.clear()
            settings.remember(Path(path))
            self.show_all()
            self.statusBar().showMessage(f"saved {Path(path).name}")
        return done

    def save_dialog(self) -> bool:
        """Ask for a file and save."""
        path = self._ask_name(True, "Save project", "project.rhevectra.json", FILTER)
        return bool(path) and self.save_to(path)

    def compare_dialog(self) -> None:
        """Ask for a file and compare with it."""
        path = self._ask_name(False, "Compare with", "", FILTER)
        if path:
            self.compare_with(path)

    def compare_with(self, path: str | Path) -> bool:
        """Figure by figure against another project, which is then held as the reference."""
        def opened(other: Session) -> None:
            self.session.reference = other.design
            self.show_all()
            self.page.show_comparison(self.session.document.title, Path(path).name, changes(other.design, self.session.design))
            self._show_widget(self.page)
        return bool(self._edit(lambda: Session.open(path), then=opened))

    def export_dialog(self, line: float | None = None, load: float = 1.0, bus: str = "valley") -> None:
        """Ask for a file and write the netlist."""
        path = self._ask_name(True, "Export netlist", "power-stage.cir", "SPICE netlist (*.cir)")
        if path:
            self.export_netlist(path, line, load, bus)

    def export_netlist(self, path: str | Path, line: float | None = None, load: float = 1.0, bus: str = "valley") -> bool:
        """Write the netlist at a line (without one that of the pictures), a share of the load and an end of the bus."""
        from rhevectra.app.netlist import netlist_text  # it checks what it writes with the engine's reader, which is large

        corner = self.size_desk.corner
        at = corner.v_line if line is None and corner else line
        done = self._guarded(lambda: write_text(path, netlist_text(self.session.design, at, load, bus)))
        if done:
            where = "" if at is None else f" at {at:g} V, {'full load' if load == 1 else f'{load:.0%} load'},"
            self.statusBar().showMessage(f"netlist{where} written to {Path(path).name}")
        return done

    def winding_dialog(self) -> None:
        """Ask for a file and write the winding sheet."""
        path = self._ask_name(True, "Save winding sheet", "winding.pdf", "PDF (*.pdf)")
        if path:
            self.export_winding(path)

    def winding_text_dialog(self) -> None:
        """Ask for a file and write the steps as text."""
        path = self._ask_name(True, "Save winding steps", "winding.txt", "Text (*.txt)")
        if path:
            self.export_winding(path)

    def dossier_dialog(self) -> None:
        """Ask for a file and write the whole design."""
        path = self._ask_name(True, "Save the design", "design.pdf", "PDF (*.pdf)")
        if path:
            self.export_dossier(path)

    def export_dossier(self, path: str | Path) -> bool:
        """Write the whole design as PDF."""
        from rhevectra.ui.report import write_dossier

        return self._exported("design", path, lambda: write_dossier(self.session.design, self.session.document.title, Path(path)))

    def ratings_dialog(self) -> None:
        """Ask for a file and write the ratings."""
        from rhevectra.app.ratings import as_csv

        self._table_dialog("ratings", lambda: as_csv(self.session.design))

    def parts_dialog(self) -> None:
        """Ask for a file and write the parts list."""
        from rhevectra.app.parts import as_csv

        self._table_dialog("parts list", lambda: as_csv(self.session.design), "parts.csv")

    def _table_dialog(self, what: str, text: Callable[[], str], name: str = "") -> None:
        """Ask for a file and write a table. name: of the file, where it is not called what it holds."""
        path = self._ask_name(True, f"Save {what}", name or f"{what}.csv", "CSV (*.csv)")
        if path:
            self._exported(what, path, lambda: write_text(path, text()))

    def _exported(self, what: str, path: str | Path, write: Callable[[], Any]) -> bool:
        """Write a file while the window goes on, and say so; a failure is told. False where it is known at once."""
        say = self.statusBar().showMessage
        return bool(self._edit(write, then=lambda _done: say(f"{what} written to {Path(path).name}"), doing=f"writing the {what} …",
                               refused=say))

    def bringup_dialog(self) -> None:
        """Ask for a file and write the plan of the bring-up with its readings."""
        from rhevectra.app.bringup import as_csv

        self._table_dialog("bring-up", lambda: as_csv(self.session.design, self.session.document.log))

    def log_dialog(self) -> None:
        """Ask for a file and write the bench log as a table."""
        path = self._ask_name(True, "Save bench log", "bench-log.csv", "CSV (*.csv)")
        if path:
            self.export_log(path)

    def export_log(self, path: str | Path) -> bool:
        """Write the bench log as a table."""
        return self._exported("bench log", path, lambda: write_text(path, as_csv(self.session.document.log)))

    def export_winding(self, path: str | Path) -> bool:
        """Write the winding sheet, as PDF or, by the name's ending, as text."""
        from rhevectra.ui.report import write_winding

        return self._exported("winding sheet", path, lambda: write_winding(self.session.design, self.session.document.title, Path(path)))

    def export_csv_dialog(self) -> None:
        """Ask for a file and write the shown traces."""
        path = self._ask_name(True, "Export picture data", "picture.csv", "CSV (*.csv)")
        if path and self._guarded(lambda: self.size_desk.picture.view.export_csv(path)):
            self.statusBar().showMessage(f"data of the picture written to {Path(path).name}")

    def may_leave(self) -> bool:
        """Nothing unsaved, or the person says what to do with it."""
        self.changing.settle()
        if not self.session.changed:
            return True
        from PySide6.QtWidgets import QMessageBox

        box = QMessageBox.StandardButton
        asked = "The project has changes that are not saved."
        answer = QMessageBox.question(self, "Unsaved changes", asked, box.Save | box.Discard | box.Cancel)  # type: ignore[arg-type]
        return self.save() if answer == box.Save else bool(answer == box.Discard)
