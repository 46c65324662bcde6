"""The main window: wires session, desks and commands together, and nothing else."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import QLabel, QMainWindow, QProgressBar, QStackedWidget, QWidget

from rhevectra.app import settings
from rhevectra.app.autosave import Autosave, Found
from rhevectra.app.changes import summary
from rhevectra.app.session import Session
from rhevectra.app.summary import verdict
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.names import spoken
from rhevectra.project.log import BENCH, NOTE
from rhevectra.ui.changing import Changing
from rhevectra.ui.commands import COMMANDS, MENUS
from rhevectra.ui.files import FileActions
from rhevectra.ui.jobs import Jobs
from rhevectra.ui.looks import ViewActions
from rhevectra.ui.rail import PROOFS, Rail, framed
from rhevectra.ui.views.size_desk import SizeDesk
from rhevectra.ui.widgets.notice import Notice
from rhevectra.ui.widgets.top_bar import TopBar

if TYPE_CHECKING:
    from rhevectra.bench.readings import Check
    from rhevectra.ui.views.ask import AskView
    from rhevectra.ui.views.contest import ContestView
    from rhevectra.ui.views.explore import ExploreView
    from rhevectra.ui.views.file import FileView
    from rhevectra.ui.views.prove import ProveView
    from rhevectra.ui.views.sheet_page import SheetPage
    from rhevectra.ui.views.wind import WindView


class MainWindow(FileActions, ViewActions, QMainWindow):
    """Rail with desks, menus, notice bar, status line."""

    moved = Signal()
    """The document has changed; it may have done so in the thread that designs."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.autosave = Autosave()
        self.session = session
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.size_desk = SizeDesk(self)
        self._ask: AskView | None = None
        self._page: SheetPage | None = None
        self._contest: ContestView | None = None
        self._explore: ExploreView | None = None
        self._wind: WindView | None = None
        self._prove: ProveView | None = None
        self._file: FileView | None = None
        self._stale: set[QWidget | None] = set()
        self.stack, self.notice, self.rail = QStackedWidget(self), Notice(self), Rail(self)
        self.rail.chosen.connect(self.go)
        self.setCentralWidget(framed(self.rail, self.notice, self.stack))
        self.stack.addWidget(self.size_desk)
        self.jobs, self.changing = Jobs(self), Changing(self)
        self._keeper = QTimer(self, singleShot=True)
        self._keeper.timeout.connect(self._keep)
        self.moved.connect(self._keeper.start)
        self._progress = QProgressBar(self)
        self._said = QLabel(self)
        self._make_status()
        self.actions_by_id = self._make_menus()
        self.top = TopBar(self.actions_by_id, self)
        self.menuBar().setCornerWidget(self.top)
        self.size_desk.pinned.connect(lambda id, value, burst: self._edit(lambda: self.session.pin(id, value, burst), id))
        self.size_desk.ahead.connect(lambda id, value: self.changing.ahead(lambda: self.session.foresee(id, value)))
        self.size_desk.picked.connect(lambda values, going_on: self._edit(lambda: self.session.pin_all(values, going_on), "picked"))
        self.size_desk.freed.connect(lambda id: self._edit(lambda: self.session.free(id), id))
        self.size_desk.measured.connect(lambda id, reading: self._edit(lambda: self.session.measure(id, reading)))
        self.size_desk.admit.connect(self.admit)
        for feed in (self.size_desk.picture.feed, *self.size_desk.late.values()):
            feed.waits = lambda: self.changing.busy
        self._adopt(session)
        self.go("Size")
        self._restore_splitters()

    @property
    def ask(self) -> "AskView":
        """The Ask desk, built when it is first looked at: start-up does not wait for it."""
        if self._ask is None:
            from rhevectra.ui.views.ask import AskView

            self._ask = AskView(self)
            self.stack.addWidget(self._ask)
            self._ask.required.connect(lambda need: self._edit(lambda: self.session.require(need)))
            self._ask.ordered.connect(lambda order, main: self._edit(lambda: self.session.reorder(order, main)))
            self._ask.titled.connect(lambda title: self._edit(lambda: self.session.require(self.session.document.requirement, title)))
            self._ask.show_document(self.session.document)
        return self._ask

    @property
    def contest_desk(self) -> "ContestView":
        """The Contest desk, built when it is first looked at."""
        if self._contest is None:
            from rhevectra.ui.views.contest import ContestView

            self._contest = ContestView(self)
            self.stack.addWidget(self._contest)
            self._contest.wanted.connect(self.run_contest)
            self._contest.opened.connect(self.open_entry)
            self._contest.held.connect(self.hold_entry)
            self._contest.prices.kept.connect(self.keep_prices)
            self._contest.priced.toggled.connect(lambda _on, card=self._contest.prices: card.show_catalogue(self.session.catalogue))
        return self._contest

    @property
    def explore_desk(self) -> "ExploreView":
        """The Explore desk, built when it is first looked at."""
        if self._explore is None:
            from rhevectra.ui.views.explore import ExploreView

            self._explore = ExploreView(self)
            self.stack.addWidget(self._explore)
            self._explore.wanted.connect(self.run_explore)
            self._explore.stopped.connect(self.jobs.cancel)
            self._explore.opened.connect(self.open_explored)
            self._explore.held.connect(self.hold_explored)
            self.jobs.ended.connect(lambda name, desk=self._explore: desk.end() if name == "explore" else None)
            self._explore.show_design(self.session.design)
        return self._explore

    @property
    def wind_desk(self) -> "WindView":
        """The Wind desk, built when it is first looked at."""
        if self._wind is None:
            from rhevectra.ui.views.wind import WindView

            self._wind = WindView(self)
            self.stack.addWidget(self._wind)
            self._wind.pdf_wanted.connect(self.winding_dialog)
            self._wind.text_wanted.connect(self.winding_text_dialog)
            self._wind.loss.kept.connect(self.keep_material)
            self._wind.gap.logged.connect(lambda text, values: self.log(BENCH, text, values))
            self._wind.trace.logged.connect(lambda text, values, expected: self.log(BENCH, text, values, expected))
            self._wind.ringing.measured.connect(lambda id, reading: self._edit(lambda: self.session.measure(id, reading)))
            self._wind.show_design(self.session.design, self.session.document.title, self.session.document.log)
        return self._wind

    @property
    def prove_desk(self) -> "ProveView":
        """The Prove desk, built when it is first looked at."""
        if self._prove is None:
            from rhevectra.ui.views.prove import ProveView

            self._prove = ProveView(self)
            self.stack.addWidget(self._prove)
            self._prove.bring_up.taken.connect(self.log_reading)
            self._prove.bring_up.figure_wanted.connect(self._to_figure)
            self._prove.bring_up.csv_wanted.connect(self.bringup_dialog)
            self._prove.log.noted.connect(lambda text: self.log(NOTE, text))
            self._prove.log.csv_wanted.connect(self.log_dialog)
            self._prove.show_design(self.session.design, self.session.document.log)
        return self._prove

    @property
    def page(self) -> "SheetPage":
        """The page of text (shortcuts, comparison), built when it is first wanted."""
        if self._page is None:
            from rhevectra.ui.views.sheet_page import SheetPage

            self._page = SheetPage(self)
            self.stack.addWidget(self._page)
        return self._page

    def _make_status(self) -> None:
        self._progress.setMaximumWidth(160)
        self._progress.hide()
        self.statusBar().addPermanentWidget(self._said)
        self.statusBar().addPermanentWidget(self._progress)
        self.jobs.progress.connect(self._job_progress)
        self.jobs.ended.connect(lambda _name: self._progress.hide())
        for name, feed in self.size_desk.late.items():
            feed.progress.connect(lambda done, total, name=name: self._job_progress(name, done, total))

    def _job_progress(self, name: str, done: int, total: int) -> None:
        self._progress.setRange(0, total)
        self._progress.setValue(done)
        self._progress.setFormat(f"{name} %p %")
        self._progress.setVisible(done < total)

    def _make_menus(self) -> dict[str, QAction]:
        made = {}
        for name in MENUS:
            menu = self.menuBar().addMenu(f"&{name}")
            for command in (c for c in COMMANDS if c.menu == name):
                action = QAction(self)  # with its title at once, the toolkit first makes a list of 150 icons
                action.setText(command.title)
                if command.keys:
                    action.setShortcut(QKeySequence(command.keys))
                action.setToolTip(command.tip)
                action.setStatusTip(command.tip)
                action.triggered.connect(lambda _checked=False, c=command: getattr(self, c.method)())
                menu.addAction(action)
                made[command.id] = action
            if name == "Project":
                self._recent = menu.addMenu("Recent")
                self._recent.aboutToShow.connect(self._fill_recent)
        return made

    def _adopt(self, session: Session) -> None:
        """Take another session into the window."""
        self.jobs.cancel()
        self.changing.stop()
        self.session = session
        session.on_change = lambda _document: self.moved.emit()
        self.size_desk.corner = None
        self.show_all()

    def _keep(self) -> None:
        """Unsaved work goes to disk after every edit, once the figures are painted; a failure is told, not raised."""
        if self.session.changed:
            problem = self.autosave.write(self.session.document, self.session.path)
            if problem:
                self.statusBar().showMessage(problem)
        else:
            self.autosave.clear()

    def go(self, desk: str) -> None:
        """Show a desk by name."""
        self.rail.mark(desk)
        self._show_widget(
            {"Ask": lambda: self.ask, "Contest": lambda: self.contest_desk, "Explore": lambda: self.explore_desk,
             "Wind": lambda: self.wind_desk, "Prove": lambda: self.prove_desk,
             "File": lambda: self.file_desk}.get(desk, lambda: self.size_desk)())

    def _show_widget(self, widget: QWidget) -> None:
        self.stack.setCurrentWidget(widget)
        self._refresh()

    def _refresh(self) -> None:
        """Bring the desk in view up to date; the others wait until they are looked at."""
        shown = self.stack.currentWidget()
        if shown in self._stale:
            self._stale.discard(shown)
            if shown is self.size_desk:
                self.size_desk.show_design(self.session.design, self.session.reference, self.session.before)
            elif shown is self._ask:
                self.ask.show_document(self.session.document)
            elif shown is self._explore:
                self.explore_desk.show_design(self.session.design)
            elif shown is self._wind:
                self.wind_desk.show_design(self.session.design, self.session.document.title, self.session.document.log)
            elif shown is self._prove:
                self.prove_desk.show_design(self.session.design, self.session.document.log)
            elif shown is self._file:
                self.show_file_desk()
        if shown is self._contest and shown is not None:
            self.refresh_contest()

    def show_all(self) -> None:
        """Show the session's document and design everywhere."""
        s = self.session
        self._stale = {self.stack.widget(k) for k in range(self.stack.count())}
        self._refresh()
        moved = summary(s.before, s.design) if s.before is not None else ""
        corners = len(s.design.grid.lines) * len(s.design.grid.freqs) * len(s.design.grid.points) * len(s.design.grid.bus)
        took = f"in {s.elapsed * 1e3:.0f} ms" if s.elapsed > 1e-3 else "a while ago, and kept"
        self.statusBar().showMessage(
            f"{spoken(s.design.topology)} designed at {corners} corners {took} · {verdict(s.design)}" + (f" · {moved}" if moved else ""))
        self._said.setText("reference held" if s.reference is not None else "")
        for id, stack, verb in (("edit.undo", s.past, "Undo"), ("edit.redo", s.future, "Redo")):
            self.actions_by_id[id].setText(f"{verb}: {stack[-1].name}" if stack else verb)
            self.actions_by_id[id].setEnabled(bool(stack))
        self._mark_unsaved()
        self.actions_by_id["view.hold"].setText("Release the reference" if s.reference is not None else "Hold as reference")

    def _mark_unsaved(self) -> None:
        """The title of the window: the project, its file, and whether something is not saved."""
        s = self.session
        name = s.path.name if s.path else "not saved yet"
        self.setWindowTitle(f"{'● ' if s.changed else ''}{s.document.title} · {name} · Rhevectra")
        self.top.say(s.document.title, s.document.requirement, s.changed)

    def _edit(self, change: Any, id: str = "", then: Any = None, doing: str = "designing …",
              refused: Callable[[str], None] | None = None) -> bool:
        """Make a change of the session and show what comes of it; a refused one leaves everything as it was and says why at its field.

        then: called with what the change gave, in place of showing the session; doing: told while it lasts; refused: called with the
        sentence, in place of the field. False where it is refused at once.
        """
        fine = [True]

        def ended(result: Any, problem: Exception | None) -> None:
            fine[0] = problem is None
            if isinstance(problem, InputError) and refused is not None:
                refused(str(problem))
            elif isinstance(problem, InputError):
                self._refuse(str(problem), id)
            elif problem is not None:
                raise problem
            elif then is not None:
                then(result)
            else:
                self.show_all()
        self.changing.ask(change, ended, id)
        if self.changing.busy:
            self.statusBar().showMessage(doing)
        return fine[0]

    def _refuse(self, sentence: str, id: str) -> None:
        row = self.size_desk.decisions.rows.get(id)
        if row is not None:
            row.show_problem(sentence)
        if self._ask is not None:
            self._ask.show_problem(sentence)
        self.statusBar().showMessage(sentence)

    def log(self, kind: str, text: str, values: Any = None, expected: Any = None) -> None:
        """Add to the bench log."""
        def logged(_result: Any) -> None:
            if self._prove is not None:
                self._prove.show_log(self.session.document.log)
            self._mark_unsaved()
            self.statusBar().showMessage("logged: " + text)
        self._edit(lambda: self.session.record(kind, text, values, expected), then=logged)

    def bring_up(self) -> None:
        """The steps of bringing the made supply up."""
        self._to_tab("Prove", PROOFS.index("Bring-up"))

    def write_log(self) -> None:
        """The bench log, ready for a line."""
        self.go("Prove")
        self.prove_desk.show_log_page()

    def log_reading(self, check: "Check", value: float) -> None:
        """A reading of the bring-up goes into the bench log beside what was expected."""
        self.log(BENCH, f"{check.key}: {show(value, check.unit)}, expected {check.band}", {check.key: value}, {check.key: check.expected})

    def undo(self) -> None:
        """Take the last edit back."""
        self._edit(self.session.undo)

    def redo(self) -> None:
        """Do it again."""
        self._edit(self.session.redo)

    def offer_recovery(self, found: list[Found]) -> None:
        """Say that unsaved work was found, and offer it."""
        if not found:
            return
        from datetime import datetime

        first = found[0]
        when = datetime.fromtimestamp(first.when).strftime("%d.%m.%Y %H:%M")
        self.notice.say(f"Unsaved work of “{first.title}” from {when} was found after a crash.",
                        (("Restore it", lambda: self._recover(first)), ("Discard it", first.discard), ("Later", lambda: None)))

    def _recover(self, found: Found) -> None:
        def restored(session: Session) -> None:
            session.path, session.saved = found.path, None
            self._adopt(session)
            self._keep()
            found.discard()
        self._edit(lambda: Session.of_text(found.text, found.title), then=restored)

    def _restore_splitters(self) -> None:
        for name, sizes in settings.read()["splitters"].items():
            splitter = self.size_desk.splitters.get(name)
            if splitter is not None and isinstance(sizes, list) and all(isinstance(n, int) for n in sizes):
                splitter.setSizes(sizes)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.may_leave():
            event.ignore()
            return
        self.jobs.cancel()
        self.changing.stop()
        self._keeper.stop()
        self.size_desk.stop()
        if self._file is not None:
            self._file.composing.stop()
        self.autosave.clear()
        settings.change(splitters={name: s.sizes() for name, s in self.size_desk.splitters.items()})
        event.accept()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        urls = event.mimeData().urls()
        if urls:
            self.open_path(Path(urls[0].toLocalFile()))

