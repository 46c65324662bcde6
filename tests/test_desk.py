"""The desk people live in, driven by mouse and keys: commands, decisions, corners, reference, search, readings, history."""

import random
from dataclasses import replace

import numpy as np
import pytest
from msgspec import structs
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit

from rhevectra import demo
from rhevectra.app.changes import value_text
from rhevectra.app.session import Session
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Mains, Output
from rhevectra.core.basis.sheet import Row
from rhevectra.core.basis.working import si_text
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.margins import cells
from rhevectra.drawing.display import Line
from rhevectra.drawing.pictures import STAGE_PICTURES
from rhevectra.project.codec import encode
from rhevectra.ui.commands import COMMANDS
from rhevectra.ui.theme import roles
from rhevectra.ui.views.ledger import CORNER, LABEL, LIMIT, MARGIN, MOVED, VALUE, WORD
from rhevectra.ui.widgets.decision_row import QuantityEdit
from test_design import recompute

STAGES = ("inlet", "bulk", "switch", "transformer", "clamp", "rectifier", "feedback", "load")

def column(window, which: int) -> list[str]:
    table = window.size_desk.ledger.table
    return [table.item(r, which).text() for r in range(table.rowCount())]


@pytest.mark.parametrize(("wide", "margins", "corners"), [(1280, False, False), (1920, True, False), (2560, True, True)])
def test_the_ledger_tells_margins_and_corners_where_there_is_room(window, wide, margins, corners):
    """In columns of a wide window, in the tip of a narrow one: the share of the limit that is left, worked out here, and the corner; no
    label is cut for them, nor the columns themselves."""
    window.resize(wide, 1000)
    QApplication.processEvents()
    table, design = window.size_desk.ledger.table, window.session.design
    assert (table.isColumnHidden(MARGIN), table.isColumnHidden(CORNER)) == (not margins, not corners)
    told = 0
    for r, figure in enumerate(design.figures("switch")):
        cell, tip = table.item(r, MARGIN).text(), table.item(r, LABEL).toolTip()
        assert table.item(r, CORNER).text() == (figure.corner.text() if figure.corner else "")
        if figure.limit is None:
            assert cell == "" and "margin" not in tip
            continue
        left = 100 * (figure.limit - figure.value) / figure.limit * (1 if figure.limit_kind == "max" else -1)
        assert cell == (f"{left:.0f} %" if left >= 0.95 else f"{left:.1f} %") and f"margin {cell}\n" in tip
        told += 1
    assert told > 4
    for c in (LABEL, VALUE, LIMIT, WORD, MARGIN, CORNER):
        for r in range(table.rowCount()):
            item = table.item(r, c)
            if not table.isColumnHidden(c) and table.columnSpan(r, c) == 1:
                assert QFontMetrics(item.font()).horizontalAdvance(item.text()) + 8 <= table.columnWidth(c), (item.text(), wide)


def state(window) -> tuple:
    """All that a command may change."""
    desk, palette = window.size_desk, getattr(window, "palette_box", None)
    return (window.stack.currentWidget(), window.windowTitle(), window.statusBar().currentMessage(), desk.stage, desk.corner,
            desk.picture.tabs.currentIndex(), window.session, encode(window.session.document), desk.ledger.here,
            window.session.reference, roles.theme(), QApplication.clipboard().text(), palette is not None and palette.isVisible(),
            window.isVisible())


@pytest.mark.parametrize("command", COMMANDS, ids=lambda c: c.id)
def test_every_command_runs(qtbot, window, command, tmp_path, monkeypatch):
    """Through its menu action. Dialogs are answered with a file of the test; afterwards the window still shows a design."""
    window.session.pin("fs", 80e3)
    window.undo()
    saved = tmp_path / "p.rhevectra.json"
    saved.write_text(demo.text().replace("24.0", "15.0", 1), encoding="utf-8")
    monkeypatch.setattr(window, "_ask_name", lambda save, *_a: str(tmp_path / "out.file") if save else str(saved))
    monkeypatch.setattr(window, "may_leave", lambda: True)
    if command.id == "edit.undo":
        window.redo()
    before = state(window)
    window.size_desk.decisions.rows["fs"].editor.setFocus()
    action = window.actions_by_id[command.id]
    assert action.isEnabled()
    action.trigger()
    if command.id == "decide.admit":
        qtbot.waitUntil(lambda: not window.jobs.running, timeout=30000)
    assert state(window) != before
    if roles.theme() == "dark":
        window.toggle_theme()
    if command.id in ("project.save_as", "project.netlist", "project.dossier", "project.ratings", "project.parts", "edit.csv"):
        assert (tmp_path / "out.file").stat().st_size > 100
    if command.id == "project.compare":
        told = window.page.text.toPlainText()
        assert "figures differ" in told and show(window.session.design.value("output1.v_c"), "V") in told


@pytest.mark.parametrize("stage", STAGES)
def test_every_decision_is_nudged_by_keyboard(qtbot, window, stage):
    """Arrow up: the decision is pinned to another value, or a sentence says why it cannot move; one undo brings the document back."""
    if stage != window.size_desk.stage:
        window.size_desk.choose_stage(stage)
    for id in list(window.size_desk.decisions.rows):
        row = window.size_desk.decisions.rows.get(id)
        if row is None or not isinstance(row.editor, QuantityEdit):
            continue
        start, before = encode(window.session.document), row.editor.text()
        row.editor.setFocus()
        qtbot.keyClick(row.editor, Qt.Key.Key_Up)
        spec = row.spec
        moved = id in window.session.document.decisions
        assert moved or row.note.objectName() == "problem" or float(np.asarray(window.session.design.rows[id].value)) >= spec.high, (id,
            before)
        if moved:
            assert spec.low <= float(window.session.document.decisions[id]) <= spec.high
            window.undo()
        assert encode(window.session.document) == start, id


@pytest.mark.parametrize("stage", STAGES)
def test_every_ledger_row_opens_a_working_whose_numbers_recompute(qtbot, window, stage):
    """The numbers printed in the drawer, put into the printed equation, give the printed value: at the worst corner and at the pictures'
    corner."""
    desk, design = window.size_desk, window.session.design
    desk.choose_stage(stage)
    for here in (False, True):
        desk.ledger.mode.button(int(here)).setChecked(True)
        for r, id in enumerate(desk.ledger._ids):
            desk.ledger.table.setCurrentCell(r, LABEL)
            text = desk.ledger.drawer.toPlainText()
            assert text.startswith("Why ")
            figure = design.figure(id)
            index = desk.corner.index if here else figure.corner.index if figure.corner else (0, 0, 0, 0)
            row: Row = design.rows[id]
            again = recompute(row, index)
            if again is not None:
                assert again == pytest.approx(row.at(index), rel=2e-4, abs=1e-12)
                assert si_text(row.at(index)) in text, id


def test_undo_through_200_random_edits_gives_back_every_document(demo_document):
    """Pins, frees, readings and requirements in a seeded order; every document on the way back is byte-identical, and so are the first
    fifty on the way forth. Of a step-down stage on a dc bus, whose designs take a fifth of the time."""
    from rhevectra.core.basis.decisions import Measured

    need = replace(demo_document.requirement, mains=Mains(kind="dc", v_min=300, v_max=400), hold_up_at=350.0,
                   outputs=(Output(voltage=12, current_max=0.3),), insulation="functional")
    rng, session = random.Random(6), Session(demo_document.require(need).decide({"topology": "buck_aux"}), shipped())
    bare = lambda: encode(structs.replace(session.document, log=()))  # noqa: E731  (the log is outside undo)
    seen = [bare()]
    numbers = [s for s, row in session.design.decisions() if s.kind == "number" and not isinstance(row.value, str)]
    while len(seen) < 201:
        what = rng.random()
        try:
            if what < 0.6:
                spec = rng.choice([s for s in numbers if s.id in session.design.rows])
                session.pin(spec.id,
                            min(max(float(np.asarray(session.design.rows[spec.id].value)) * rng.uniform(0.9, 1.1), spec.low), spec.high))
            elif what < 0.75 and session.document.decisions:
                session.free(rng.choice(sorted(session.document.decisions)))
            elif what < 0.85:
                session.measure("filter1.l", Measured(rng.uniform(1e-3, 4e-3)))
            else:
                need = session.document.requirement
                session.require(replace(need, hold_up=rng.uniform(0.005, 0.02)))
        except InputError:
            continue
        text = bare()
        if text != seen[-1]:
            seen.append(text)
    for text in reversed(seen[:-1]):
        assert session.undo() and bare() == text
    assert session.undo() is None
    for text in seen[1:51]:
        assert session.redo() and bare() == text


def test_a_burst_of_nudges_is_one_edit_with_its_first_and_last_value(qtbot, window):
    edit = window.size_desk.decisions.rows["fs"].editor
    first = edit.text()
    edit.setFocus()
    for _ in range(5):
        qtbot.keyClick(edit, Qt.Key.Key_Up)
    assert len(window.session.past) == 1
    name = window.actions_by_id["edit.undo"].text()
    assert name.startswith(f"Undo: Switching frequency {first} → ") and edit.text() in name
    window.session._edited -= 10
    qtbot.keyClick(edit, Qt.Key.Key_Up)
    assert len(window.session.past) == 2


def test_the_corner_grid_shows_the_least_margins_and_drives_pictures_and_ledger(qtbot, window):
    """Cells against a plain search over all figures; a click moves the pictures, the ledger goes to `here` and agrees."""
    desk, design = window.size_desk, window.session.design
    for row in cells(design):
        for cell in row:
            wanted = np.inf
            for id in design.figure_ids:
                spec, r = design.specs[id], design.rows[id]
                limit = design.rows.get(spec.limit)
                if limit is None or not isinstance(r.value, np.ndarray) or r.value.size == 1:
                    continue
                for f in range(len(design.grid.freqs)):
                    for b in range(len(design.grid.bus)):
                        at = (cell.line, f, cell.point, b)
                        if spec.domain.mask(design.grid)[at]:
                            v, top = r.at(at), limit.at(at)
                            wanted = min(wanted, ((top - v) if spec.limit_kind == "max" else (v - top)) / abs(top))
            assert cell.margin == pytest.approx(wanted, rel=1e-9)
    box = desk.corners._box(3, 2)
    qtbot.mouseClick(desk.corners, Qt.MouseButton.LeftButton, pos=QPoint(int(box.center().x()), int(box.center().y())))
    assert desk.corner.v_line == 230.0 and desk.corner.load == 0.25 and desk.ledger.here
    assert desk.corner.text() in desk.picture.caption.text()
    shown = dict(zip(column(window, LABEL), column(window, VALUE), strict=True))
    from rhevectra.core.basis.quantities import show

    assert shown["Switch current, rms"] == show(design.rows["switch.i_rms"].at(desk.corner.index), "A")
    desk.corners.setFocus()
    qtbot.keyClick(desk.corners, Qt.Key.Key_Left)
    assert desk.corner.v_line == 115.0
    window.worst_corner()
    tightest = min((f for f in design.figures() if f.margin is not None), key=lambda f: f.margin)
    assert desk.ledger.open_id == tightest.id and not desk.ledger.here


def test_forcing_a_margin_lower_changes_its_cell_and_the_figures_corner(window):
    desk = window.size_desk
    before = {(c.line, c.point): c.word for row in cells(window.session.design) for c in row}
    window.session.pin("clamp.r", 3 * float(window.session.design.rows["clamp.r"].value))
    window.show_all()
    figure = window.session.design.figure("switch.v_peak")
    at = figure.corner.index
    cell = next(c for row in cells(window.session.design) for c in row if (c.line, c.point) == (at[0], at[2]))
    assert cell.word == "over" and before[cell.line, cell.point] != "over" and cell.figure in ("switch.v_peak", "clamp.v")
    desk.go_to_figure("switch.v_peak")
    assert desk.corner.v_line == 265.0 and desk.corner.case == "limit"
    k = next(i for i, row in enumerate(desk.corners.rows) if row[0].point == cell.point)
    assert "over" in desk.corners.cell_text(k, cell.line) and cell.figure in desk.corners.cell_text(k, cell.line)


def test_a_held_reference_stands_beside_figures_and_behind_traces(window):
    window.hold()
    held = window.session.reference
    window.session.pin("fs", 100e3)
    window.show_all()
    values = dict(zip(column(window, LABEL), column(window, MOVED), strict=True))
    assert values["Switching frequency"] == "65.0 kHz"
    for stage in STAGES[:-1]:
        window.size_desk.choose_stage(stage)
        window.size_desk.picture.tabs.setCurrentIndex(0)
        picture = window.size_desk.picture.view.picture()
        if STAGE_PICTURES[stage][0] in ("line", "period", "transient"):
            assert any(isinstance(i, Line) and i.role == "pale" for i in picture.items), stage
    assert held is window.session.reference
    window.hold()
    assert window.session.reference is None
    window.size_desk.choose_stage("switch")
    assert not any(isinstance(i, Line) and i.role == "pale" for i in window.size_desk.picture.view.picture().items)


@pytest.mark.parametrize(("typed", "stage", "focus"),
                         [("peak drain", "switch", "figure"), ("leakage ind", "transformer", "figure"),
                          ("clamp resistor", "clamp", "decision"), ("RM10", "transformer", "part"), ("dark theme", "switch", "command")])
def test_the_palette_finds_figures_decisions_parts_and_commands(qtbot, window, typed, stage, focus):
    window.search()
    palette = window.palette_box
    theme = roles.theme()
    qtbot.keyClicks(palette.field, typed)
    texts = [palette.list.item(k).text() for k in range(palette.list.count())]
    row = next(k for k, t in enumerate(texts) if focus in t.split("·")[1])
    for _ in range(row):
        qtbot.keyClick(palette.field, Qt.Key.Key_Down)
    qtbot.keyClick(palette.field, Qt.Key.Key_Return)
    assert not palette.isVisible() and window.size_desk.stage == stage
    if focus == "command":
        assert roles.theme() != theme
        window.toggle_theme()


def test_what_is_the_same_everywhere_comes_from_the_worst_of_what_varies(window):
    """A fuse is chosen once, by the line current where it is greatest; a rated part is not read off an instrument, an inductance is, and is
    told how."""
    desk, design = window.size_desk, window.session.design
    desk.go_to_figure("inlet.fuse")
    assert (f"Line current, rms = {value_text(design.figure('inlet.i_rms'))}" in desk.ledger.drawer.toPlainText()
            and not desk.ledger.reading.isVisible())
    desk.go_to_figure("transformer.lp")
    assert (desk.ledger.reading.isVisible() and desk.ledger.reading.value.placeholderText() == "12u"
            and "shorted" not in desk.ledger.reading.how.placeholderText())


def test_a_reading_is_entered_by_keyboard_and_moves_clamp_and_drain(qtbot, window):
    desk = window.size_desk
    desk.go_to_figure("transformer.leakage")
    bar = desk.ledger.reading
    assert bar.isVisible()
    before = window.session.design.value("switch.v_peak")
    bar.value.setFocus()
    qtbot.keyClicks(bar.value, "12 bananas")
    qtbot.keyClick(bar.value, Qt.Key.Key_Return)
    assert "accepted" in bar.how.placeholderText() and not window.session.document.as_built
    bar.value.clear()
    bar.how.setText("secondaries shorted, 100 kHz")
    qtbot.keyClicks(bar.value, "12u")
    qtbot.keyClick(bar.value, Qt.Key.Key_Return)
    reading = window.session.document.as_built["transformer.leakage"]
    assert reading.value == 12e-6 and reading.how == "secondaries shorted, 100 kHz"
    assert window.session.design.rows["transformer.leakage"].origin == "measured" and window.session.design.value("switch.v_peak") != before
    assert "measured" in desk.ledger.drawer.toPlainText()
    qtbot.mouseClick(bar.enter, Qt.MouseButton.LeftButton)
    assert not window.session.document.as_built


def test_what_would_admit_a_smaller_core_is_found_in_the_background_and_can_be_cancelled(qtbot, window):
    desk = window.size_desk
    desk.choose_stage("transformer")
    qtbot.mouseClick(desk.decisions.rows["transformer.core"].ask, Qt.MouseButton.LeftButton)
    assert window.jobs.running
    window.cancel_job()
    assert not window.jobs.running and "cancelled" in window.statusBar().currentMessage()
    window.admit()
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=60000)
    said = desk.decisions.rows["transformer.core"].ask.text()
    names = [r.split(":")[0] for r in window.session.design.rows["transformer.core"].refused[:3]]
    assert all(n in said for n in names)


def test_nonsense_gets_its_sentence_at_its_field_and_the_last_good_design_stays(qtbot, window):
    window.go("Ask")
    before = window.session.design
    for name, row in window.ask.fields.items():
        if isinstance(row.editor, QLineEdit):
            row.editor.setFocus()
            row.editor.selectAll()
            qtbot.keyClicks(row.editor, "?!")
            qtbot.keyClick(row.editor, Qt.Key.Key_Return)
            assert row.note.objectName() == "problem" and "?!" in row.note.text(), name
            assert window.session.design is before
            row.show_need(window.session.document.requirement)
    for edits in window.ask.outputs.edits:
        for edit in edits[1:]:
            text = edit.text()
            edit.setFocus()
            edit.selectAll()
            qtbot.keyClicks(edit, "x1")
            qtbot.keyClick(edit, Qt.Key.Key_Return)
            assert window.ask.problem.text() and window.session.design is before
            edit.setText(text)


def test_presets_and_optional_fields_change_the_requirement(qtbot, window):
    window.go("Ask")
    combo = window.ask.fields["Preset"].editor
    assert isinstance(combo, QComboBox) and combo.currentText().startswith("world")
    combo.setCurrentText("230 V 195–265 V")
    combo.activated.emit(combo.currentIndex())
    assert window.session.document.requirement.mains.v_min == 195.0 and window.session.design.grid.lines[0] == 195.0
    assert "default" not in window.ask.fields["Frequency"].note.text()
    for name, text, read in (("Height", "30 mm", lambda n: n.height_max == 0.03), ("Life", "50000 h", lambda n: n.lifetime == 1.8e8),
                             ("No-load power", "300m", lambda n: n.standby_power_max == 0.3)):
        edit = window.ask.fields[name].editor
        edit.setFocus()
        qtbot.keyClicks(edit, text)
        qtbot.keyClick(edit, Qt.Key.Key_Return)
        assert read(window.session.document.requirement), (name, window.ask.problem.text())
    wanted = window.ask.fields["Efficiency"].editor
    wanted.setFocus()
    wanted.selectAll()
    qtbot.keyClick(wanted, Qt.Key.Key_Delete)
    qtbot.keyClick(wanted, Qt.Key.Key_Return)
    assert window.session.document.requirement.efficiency_target is None and wanted.text() == "" and wanted.placeholderText() == "85 %"
