"""What the window does with its views: search, reference, theme, corners, help, background work."""

from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QApplication, QLineEdit

from rhevectra.app import settings
from rhevectra.app.session import Session
from rhevectra.core.catalogue.tables import PRICES, TABLES
from rhevectra.drawing.pictures import PICTURES, pictures_of
from rhevectra.ui.commands import COMMANDS
from rhevectra.ui.rail import BENCHES, DESKS, PROOFS
from rhevectra.ui.theme import roles
from rhevectra.ui.widgets.palette import Entry, Palette

TRIED = 3
"""Refused cores that are worked through when somebody asks what would admit them."""


class ViewActions:
    """Mixed into the window."""

    if TYPE_CHECKING:
        session: Session
        size_desk: Any
        stack: Any
        ask: Any
        page: Any
        jobs: Any
        statusBar: Any
        show_all: Any
        _show_widget: Any
        _edit: Any
        contest_desk: Any
        explore_desk: Any
        go: Any

    def search(self) -> None:
        """Open the search palette."""
        if not hasattr(self, "palette_box"):
            self.palette_box = Palette(self)  # type: ignore[arg-type]
        self.palette_box.open(self._entries())

    def _entries(self) -> list[Entry]:
        from rhevectra.ui.views.ask_fields import MAINS_FIELDS, PLACE_FIELDS  # of a desk that may never have been looked at
        from rhevectra.ui.views.ask_outputs import COLUMNS

        design = self.session.design
        entries = [Entry("figure", design.specs[id].label, f"{id} {design.specs[id].symbol}", partial(self._to_figure, id))
                   for id in design.figure_ids]
        entries += [Entry("decision", spec.label, spec.id, partial(self._to_decision, spec.stage, spec.id))
                    for spec, _ in design.decisions()]
        entries += [Entry("command", c.title, f"{c.id} {c.tip}", getattr(self, c.method)) for c in COMMANDS if c.id != "view.find"]
        entries += [Entry("picture", f"{name}: {PICTURES[key][0]}", key, partial(self._to_picture, stage, key))
                    for stage, name, _ in design.plates for key in pictures_of(design, stage)]
        entries += [Entry("requirement", f.label, f.hint, partial(self._to_field, f.label)) for f in (*MAINS_FIELDS, *PLACE_FIELDS)]
        entries += [Entry("requirement", f"Output: {c.label}", c.hint, partial(self._to_output, c.label)) for c in COLUMNS]
        entries += [Entry("desk", name, hint, partial(self.go, name)) for name, hint in DESKS.items()]
        entries += [Entry("bench", name, f"{desk.lower()} desk", partial(self._to_tab, desk, k))
                    for desk, names in (("Wind", BENCHES), ("Prove", PROOFS)) for k, name in enumerate(names)]
        for table in TABLES:
            spec = next((s for s, _ in design.decisions() if s.table == table), None)
            if spec is not None:
                entries += [Entry(f"part: {table.replace('_', ' ')}", name, spec.id, partial(self._to_decision, spec.stage, spec.id))
                            for name in design.catalogue[table].names]
        return entries

    def _to_figure(self, id: str) -> None:
        self.go("Size")
        self.size_desk.go_to_figure(id)

    def _to_decision(self, stage: str, id: str) -> None:
        self.go("Size")
        self.size_desk.go_to(stage, id)

    def _to_picture(self, stage: str, key: str) -> None:
        self.go("Size")
        self.size_desk.choose_stage(stage)
        self.size_desk.picture.choose(key)

    def _to_field(self, label: str) -> None:
        self.go("Ask")
        self.ask.fields[label].editor.setFocus()

    def _to_output(self, label: str) -> None:
        self.go("Ask")
        self.ask.outputs.edit(0, label).setFocus()

    def _to_tab(self, desk: str, page: int) -> None:
        self.go(desk)
        self.stack.currentWidget().tabs.setCurrentIndex(page)

    def hold(self) -> None:
        """Hold the present design as the reference, or release it."""
        self.session.hold()
        self.show_all()

    def toggle_here(self) -> None:
        """Figures at their worst corner, or all at the corner of the pictures."""
        mode = self.size_desk.ledger.mode
        mode.button(1 - mode.checkedId()).setChecked(True)

    def worst_corner(self) -> None:
        """Move to the tightest figure of all."""
        self.go("Size")
        self.size_desk.worst_corner()

    def next_stage(self) -> None:
        """Along the energy path."""
        self.size_desk.step_stage(1)

    def previous_stage(self) -> None:
        """Back along the energy path."""
        self.size_desk.step_stage(-1)

    def next_picture(self) -> None:
        """The next tab of the picture panel."""
        self.size_desk.picture.next_tab()

    def toggle_pin(self) -> None:
        """Pin or free the decision the keyboard is on."""
        row = self.size_desk.decisions.focused()
        if row is None:
            self.statusBar().showMessage("put the keyboard on a decision first: Ctrl+K finds one by name")
        else:
            row.pin.click()

    def admit(self) -> None:
        """Work out in the background which single change would admit the next smaller cores."""
        from rhevectra.core.design.relax import relaxations

        design = self.session.design
        row = self.size_desk.decisions.rows.get("transformer.core")
        chosen = design.rows.get("transformer.core")
        cores = [r.split(":")[0] for r in chosen.refused[:TRIED]] if chosen is not None else []
        if not cores:
            self.statusBar().showMessage("no smaller core was refused")
            return
        found: list[str] = []

        def take(sentence: str) -> None:
            found.append(sentence)
            self.statusBar().showMessage(sentence)
            shown = self.size_desk.decisions.rows.get("transformer.core")
            if shown is not None and self.session.design is design:
                shown.tell(tuple(found))
        if row is not None:
            row.tell(("working …",))
        self.jobs.start("what would admit a smaller core", relaxations(design, cores), take)

    def contest(self) -> None:
        """The Contest desk."""
        self.go("Contest")

    def explore(self) -> None:
        """The Explore desk."""
        self.go("Explore")

    def run_explore(self, axes: Any, count: int) -> None:
        """Design many supplies around the present one, in the background."""
        from rhevectra.app.explore import explore_steps

        self.jobs.cancel()
        design = self.session.design
        self.explore_desk.begin(axes)
        self.jobs.start("explore",
                        explore_steps(design.requirement, {**design.pins, "topology": design.topology}, axes, count,
                                      self.session.catalogue), self.explore_desk.take)

    def open_explored(self, pins: Any) -> None:
        """A design of an exploration on the Size desk; one edit, taken back by undo."""
        self.jobs.cancel()
        self._edit(lambda: self.session.decide("explored design", pins))
        self.go("Size")

    def hold_explored(self, pins: Any) -> None:
        """A design of an exploration as the reference behind the present design."""
        self._edit(lambda: self.session.hold_pins(pins))
        self.go("Size")

    def run_contest(self) -> None:
        """Design every topology for the requirement, in the background."""
        from rhevectra.app.workers import contest_steps  # not before it is wanted: starting the window does without

        document = self.session.document
        self.contest_desk.begin(self._contest_key())
        self.jobs.start("contest", contest_steps(document.requirement, document.decisions, self.session.catalogue), self.contest_desk.take)

    def _contest_key(self) -> Any:
        """What the contest depends on: the requirement, the prices and the pins all topologies keep."""
        from rhevectra.core.design.contest import COMMON

        document = self.session.document
        return (document.requirement, self.session.catalogue[PRICES],
                tuple((k, v) for k, v in sorted(document.decisions.items()) if k in COMMON))

    def refresh_contest(self) -> None:
        """Run the contest where what is on the desk is for another requirement."""
        if self.contest_desk.key != self._contest_key():
            self.run_contest()

    def keep_prices(self, rows: list[Any], gone: list[str]) -> None:
        """Prices of one's own, and the contest by them. Where they cannot be kept the status line says why."""
        def kept(_path: Any) -> None:
            self.contest_desk.prices.show_catalogue(self.session.catalogue)
            self.show_all()
            self.run_contest()
        self._edit(lambda: self.session.keep_parts(PRICES, rows, gone), then=kept)

    def open_entry(self, entry: Any) -> None:
        """A topology of the contest on the Size desk; one edit, taken back by undo."""
        self.jobs.cancel()
        self._edit(lambda: self.session.decide(f"contest: {entry.topology}", entry.pins))
        self.go("Size")

    def hold_entry(self, entry: Any) -> None:
        """A topology of the contest as the reference behind the present design."""
        self._edit(lambda: self.session.hold_pins(entry.pins))
        self.go("Size")

    def cancel_job(self) -> None:
        """Stop what runs in the background."""
        late = self.size_desk.late.values()
        was = self.jobs.running or any(feed.busy for feed in late)
        self.jobs.cancel()
        for feed in late:
            feed.cancel()
        self.statusBar().showMessage("background work cancelled" if was else "nothing runs in the background")

    def toggle_theme(self) -> None:
        """Light or dark; remembered."""
        name = "dark" if roles.theme() == "light" else "light"
        app = QApplication.instance()
        if isinstance(app, QApplication):
            roles.apply(app, name)
        problem = settings.change(theme=name)
        self.show_all()
        self.statusBar().showMessage(problem or f"{name} theme")

    def copy_figure(self) -> None:
        """The open figure as text on the clipboard."""
        self.size_desk.ledger.copy()
        self.statusBar().showMessage(f"copied: {QApplication.clipboard().text()}")

    def copy_picture(self) -> None:
        """The shown picture on the clipboard."""
        self.size_desk.picture.view.copy_image()
        self.statusBar().showMessage("picture copied")

    def help_field(self) -> None:
        """What the field in focus is, its unit and range."""
        widget = QApplication.focusWidget()
        tip = widget.toolTip() if widget is not None else ""
        if isinstance(widget, QLineEdit) and not tip:
            tip = widget.placeholderText()
        self.statusBar().showMessage(tip.replace("\n", " · ") or "no field is in focus: Ctrl+K finds anything by name")

    def shortcuts(self) -> None:
        """All commands with their keys."""
        self.page.show_shortcuts()
        self._show_widget(self.page)

    def cautions(self) -> None:
        """The cautions, on the Ask desk."""
        self.go("Ask")
        self.ask.show_cautions()
