"""The desk people live in, driven by mouse and keys: commands, corners, reference, search, readings, background work, history, recovery."""

import os
import random
import signal
import subprocess
import sys
import time
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QWidget

from rhevectra import demo
from rhevectra.app import autosave, settings
from rhevectra.app.session import Session
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.requirement import Mains
from rhevectra.core.basis.sheet import Row
from rhevectra.core.basis.working import si_text
from rhevectra.core.design.margins import cells
from rhevectra.core.magnetics.candidate import leakage_of
from rhevectra.drawing.display import Line, Text
from rhevectra.drawing.pictures import STAGE_PICTURES
from rhevectra.project.codec import encode
from rhevectra.ui.commands import COMMANDS
from rhevectra.ui.theme import roles
from rhevectra.ui.views.ledger import LABEL, MOVED, VALUE
from rhevectra.ui.widgets.decision_row import QuantityEdit
from test_design import recompute

STAGES = ("inlet", "bulk", "switch", "transformer", "clamp", "rectifier", "feedback", "load")

def column(window, which: int) -> list[str]:
    table = window.size_desk.ledger.table
    return [table.item(r, which).text() for r in range(table.rowCount())]


def state(window) -> tuple:
    """All that a command may change."""
    desk, palette = window.size_desk, getattr(window, "palette_box", None)
    return (window.stack.currentWidget(), window.windowTitle(), window.statusBar().currentMessage(), desk.stage, desk.corner, desk.picture.tabs.currentIndex(), window.session, encode(window.session.document), desk.ledger.here,
            window.session.reference, roles.theme(), QApplication.clipboard().text(), palette is not None and palette.isVisible(), window.isVisible())


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
        assert ("figures differ" in window.page.text.toPlainText() and "24.0 V" in window.page.text.toPlainText()) or "V" in window.page.text.toPlainText()


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
        assert moved or row.note.objectName() == "problem" or float(np.asarray(window.session.design.rows[id].value)) >= spec.high, (id, before)
        if moved:
            assert spec.low <= float(window.session.document.decisions[id]) <= spec.high
            window.undo()
        assert encode(window.session.document) == start, id


@pytest.mark.parametrize("stage", STAGES)
def test_every_ledger_row_opens_a_working_whose_numbers_recompute(qtbot, window, stage):
    """The numbers printed in the drawer, put into the printed equation, give the printed value: at the worst corner and at the pictures' corner."""
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


def test_undo_through_200_random_edits_gives_back_every_document(window):
    """Pins, frees, readings and requirements in a seeded order; every document on the way back is byte-identical, and so on the way forth."""
    from dataclasses import replace

    from rhevectra.core.basis.decisions import Measured

    rng, session = random.Random(6), window.session
    bare = lambda: encode(replace(session.document, log=()))  # noqa: E731  (the log is outside undo)
    seen = [bare()]
    numbers = [s for s, row in session.design.decisions() if s.kind == "number" and not isinstance(row.value, str)]
    while len(seen) < 201:
        what = rng.random()
        try:
            if what < 0.6:
                spec = rng.choice(numbers)
                session.pin(spec.id, min(max(float(np.asarray(session.design.rows[spec.id].value)) * rng.uniform(0.9, 1.1), spec.low), spec.high))
            elif what < 0.75 and session.document.decisions:
                session.free(rng.choice(sorted(session.document.decisions)))
            elif what < 0.85:
                session.measure("transformer.leakage", Measured(rng.uniform(4e-6, 20e-6)))
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
    for text in seen[1:]:
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


@pytest.mark.parametrize(("typed", "stage", "focus"), [("peak drain", "switch", "figure"), ("leakage ind", "transformer", "figure"), ("clamp resistor", "clamp", "decision"), ("RM10", "transformer", "part"), ("dark theme", "switch", "command")])
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
    for name, text, read in (("Height", "30 mm", lambda n: n.height_max == 0.03), ("Life", "50000 h", lambda n: n.lifetime == 1.8e8), ("No-load power", "300m", lambda n: n.standby_power_max == 0.3)):
        edit = window.ask.fields[name].editor
        edit.setFocus()
        qtbot.keyClicks(edit, text)
        qtbot.keyClick(edit, Qt.Key.Key_Return)
        assert read(window.session.document.requirement), (name, window.ask.problem.text())


@pytest.mark.parametrize("theme", list(roles.THEMES))
def test_text_reads_in_both_themes_also_on_the_tints_of_the_corner_grid(theme):
    """WCAG 2 contrast of at least 4.5 : 1 for every text role on card, paper and drawer, and for each word on its own tint over the card."""
    c = roles.THEMES[theme]
    assert set(c) == set(roles.LIGHT)
    for role in roles.TEXT_ROLES:
        for ground in ("card", "paper"):
            assert roles.contrast(c[role], c[ground]) >= 4.5, (role, ground)
    for role in ("ink", "accent", "muted"):
        assert roles.contrast(c[role], c["margin"]) >= 4.5, role
    for word in ("inside", "tight", "over"):
        top, under, share = QColor(c[word]), QColor(c["card"]), 38 / 255
        mixed = [round(share * a + (1 - share) * b) for a, b in zip(top.getRgb()[:3], under.getRgb()[:3], strict=True)]
        assert roles.contrast(c[word], "#" + "".join(f"{v:02x}" for v in mixed)) >= 4.5, word


def test_the_theme_is_remembered_and_repaints(window):
    light = bytes(window.grab().toImage().constBits())
    window.toggle_theme()
    assert settings.read()["theme"] == "dark" and bytes(window.grab().toImage().constBits()) != light
    window.toggle_theme()
    assert settings.read()["theme"] == "light"


def test_unwritable_settings_and_autosave_are_a_sentence_not_a_crash(window, monkeypatch):
    monkeypatch.setattr(settings.platformdirs, "user_config_dir", lambda _n: "/proc/none")
    monkeypatch.setattr(autosave.platformdirs, "user_state_dir", lambda _n: "/proc/none")
    assert "cannot" in settings.change(theme="dark")
    assert "cannot" in autosave.Autosave().write(window.session.document, None)
    window.session.pin("fs", 90e3)
    assert window.session.document.decisions["fs"] == 90e3


@pytest.mark.parametrize("size", [(1100, 700), (1280, 800), (1920, 1080), (3840, 2160)])
def test_the_desk_fits_its_window(qtbot, window, size):
    """Nothing on the desk overlaps or leaves it; small windows fold; pictures keep at least 100 px a trace."""
    window.resize(*size)
    QApplication.processEvents()
    desk = window.size_desk
    plates = list(desk.path.buttons.values())
    for a, b in pairwise(plates):
        assert a.geometry().right() < b.geometry().left()
    assert plates[-1].geometry().right() <= desk.path.width()
    small = size[0] < 1180
    assert desk.corners._compact == small and desk.findings.list.isVisible() != small
    assert desk.picture.view.height() >= 300 and desk.picture.view.width() >= 300
    assert desk.picture.caption.text().startswith("shown at")
    boxes = [desk.mapFromGlobal(w.mapToGlobal(QPoint(0, 0))) for w in (desk.decisions, desk.picture, desk.ledger)]
    assert boxes[0].x() < boxes[1].x() < boxes[2].x()


def test_every_control_has_an_accessible_name(window):
    window.go("Ask")
    window.go("Size")
    for stage in STAGES:
        window.size_desk.choose_stage(stage)
        for widget in window.findChildren(QWidget):
            if isinstance(widget, QAbstractButton | QLineEdit | QComboBox) and widget.focusPolicy() != Qt.FocusPolicy.NoFocus and widget.isVisibleTo(window):
                text = widget.text() if isinstance(widget, QAbstractButton) else ""
                assert widget.accessibleName() or text or widget.objectName().startswith("qt_"), (widget, widget.parentWidget())


def test_unsaved_work_is_found_after_a_kill_a_hundred_times(tmp_path):
    """A child edits and autosaves in a loop, says what it has committed, and is killed without warning; what is found is that edit or a later one."""
    code = ("import sys\nfrom rhevectra import demo\nfrom rhevectra.app.autosave import Autosave\nfrom rhevectra.project.codec import decode\n"
            "d, keep = decode(demo.text(), 'demo'), Autosave()\nk = 0\n"
            "while True:\n    k += 1\n    d = d.pin('fs', 60000.0 + k)\n    assert keep.write(d, None) == ''\n    print(k, flush=True)")
    rng = random.Random(9)
    for _ in range(100):
        child = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
        said = int(child.stdout.readline())
        time.sleep(rng.uniform(0, 0.03))
        os.kill(child.pid, signal.SIGKILL)
        rest = child.stdout.read().split()
        child.wait()
        child.stdout.close()
        whole = [int(x) for x in rest if x.isdigit()]
        said = max([said, *whole[:-1]]) if whole else said
        (mine,) = autosave.found()
        got = Session.of_text(mine.text, "found").document.decisions["fs"] - 60000.0
        assert got >= said
        mine.discard()
    assert autosave.found() == []


def test_recovery_is_offered_and_brings_the_work_back_unsaved(qtbot, window):
    lost = window.session.document.pin("fs", 77e3)
    left = autosave.Found(autosave._folder() / "1-1.json", None, time.time(), "camera hide", encode(lost))
    left.file.parent.mkdir(parents=True, exist_ok=True)
    left.file.write_text("{}", encoding="utf-8")
    window.offer_recovery([left])
    assert window.notice.isVisible() and "found after a crash" in window.notice.text.text()
    qtbot.mouseClick(window.notice.buttons[0], Qt.MouseButton.LeftButton)
    assert window.session.document.decisions["fs"] == 77e3 and window.session.changed and not left.file.exists() and not window.notice.isVisible()


def test_comparing_two_files_lists_what_differs_and_holds_the_other(window, tmp_path):
    other = tmp_path / "other.rhevectra.json"
    other.write_text(encode(window.session.document.pin("fs", 100e3)), encoding="utf-8")
    assert window.compare_with(other)
    text = window.page.text.toPlainText()
    assert "100 kHz" in text and "65.0 kHz" in text and "Switching frequency" in text
    assert window.session.reference is not None and float(window.session.reference.rows["fs"].value) == 100e3
    bad = tmp_path / "bad.json"
    bad.write_text("{", encoding="utf-8")
    assert window.compare_with(bad) is False and "bad.json" in window.statusBar().currentMessage()


def test_recent_files_and_dropping_one(window, tmp_path):
    path = tmp_path / "kept.rhevectra.json"
    assert window.save_to(path) and settings.recent() == [path.resolve()]
    window._fill_recent()
    assert [a.text() for a in window._recent.actions()] == ["kept.rhevectra.json"]
    path.unlink()
    assert settings.recent() == []


def test_the_picture_zooms_in_time_by_wheel_and_keys(qtbot, window):
    """Zoomed in, the frame is wider, ticks finer, and the cursor reads the value at the instant under it; 0 shows all again."""
    view = window.size_desk.picture.view
    whole = view.picture()
    frame = whole.frames[0]
    view.setFocus()
    for _ in range(4):
        qtbot.keyClick(view, Qt.Key.Key_Plus)
    near = view.picture()
    assert near.frames[0].width == pytest.approx(frame.width * 1.5**4, rel=1e-6) and near.frames[0].x_range == frame.x_range
    assert 0 < view._offset < near.width
    before = view._offset
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert view._offset > before
    labels = [t.text for t in near.items if hasattr(t, "text") and "µs" in t.text]
    assert labels and len([t for t in near.items if hasattr(t, "anchor")]) > len([t for t in whole.items if hasattr(t, "anchor")])
    image = view.grab().toImage()
    assert len({image.pixel(x, y) for x in range(0, image.width(), 7) for y in range(0, image.height(), 7)}) > 4
    qtbot.keyClick(view, Qt.Key.Key_0)
    assert view.zoom == 1.0 and view._offset == 0.0 and view.picture().frames[0].width == pytest.approx(frame.width)


def wait_for_exact(qtbot, window):
    panel = window.size_desk.picture
    qtbot.waitUntil(lambda: panel.exact is not None, timeout=30000)
    return panel


def test_the_exact_period_follows_from_the_worker_and_a_superseded_one_is_dropped(qtbot, window):
    """Figures first, the exact picture after; nudging on throws the old one away; what is on screen belongs to the design on screen."""
    panel = window.size_desk.picture
    assert panel.exact is None and "exact follows" in panel.caption.toolTip()
    wait_for_exact(qtbot, window)
    assert panel.now.isVisible() and "exact" in panel.caption.toolTip()
    old = panel.exact
    window._edit(lambda: window.session.pin("fs", 80e3))
    assert panel.exact is None and not panel.now.isVisible()
    window._edit(lambda: window.session.pin("fs", 100e3))
    wait_for_exact(qtbot, window)
    assert panel.exact is not old and panel.exact.period == pytest.approx(1e-5, rel=1e-6)
    drawn = panel.view.picture().data["drain voltage [V]"]
    assert drawn.max() == pytest.approx(panel.exact.voltages["drain"].max()) and drawn.max() == pytest.approx(window.session.design.value("switch.v_peak"), rel=0.02)


def test_the_time_cursor_lights_what_conducts_by_mouse_and_by_keys(qtbot, window):
    """Stepping by keys visits every interval once round; at each the heavy symbols are those whose current in the exact solution is not nothing."""
    from rhevectra.drawing.circuit import HEAVY

    panel = wait_for_exact(qtbot, window)
    names = []
    panel.view.setFocus()
    for _ in panel.exact.stretches:
        qtbot.keyClick(panel.view, Qt.Key.Key_Period)
        names.append(panel.exact.stretch_at(panel.instant).name)
        assert names[-1] in panel.now.picture().caption and names[-1] in [t.text for t in panel.now.picture().items if isinstance(t, Text)]
        heavy = {round(i.width, 3) for i in panel.now.picture().items if isinstance(i, Line)}
        on = abs(panel.exact.current("ssw", panel.instant)) > 0.2
        texts = [t.text for t in panel.now.picture().items if hasattr(t, "anchor")]
        assert HEAVY in heavy and any("V" in t for t in texts)
        if "switch is on" in names[-1]:
            assert on and any(t.startswith(f"{panel.exact.current('ssw', panel.instant):.2f}"[:3]) for t in texts if t.endswith("A"))
    assert sorted(names) == sorted(s.name for s in panel.exact.stretches)
    assert {"the switch is on: the core takes energy from the bus", "leakage empties into the clamp while the secondary takes over", "the secondary carries the core's energy to the output"} <= set(names)
    qtbot.keyClick(panel.view, Qt.Key.Key_Comma)
    frame = panel.view.picture().frames[0]
    at = QPoint(int((frame.left + 0.5 * frame.width) * 3.6), 60)
    qtbot.mouseMove(panel.view, QPoint(5, 5))
    qtbot.mouseMove(panel.view, at)
    qtbot.waitUntil(lambda: abs(panel.instant / panel.exact.period - 0.5) < 0.02, timeout=3000)


def test_an_exact_value_worse_than_the_formula_is_a_finding_with_both_numbers(qtbot, window):
    from dataclasses import replace

    from rhevectra.core.design.exact import remarks

    panel = wait_for_exact(qtbot, window)
    design = window.session.design
    assert remarks(design, panel.exact) == []
    worse = replace(panel.exact, voltages={**panel.exact.voltages, "drain": panel.exact.voltages["drain"] * 1.05})
    (finding,) = remarks(design, worse)
    assert finding.severity == "look at" and f"formula gives {design.value('switch.v_peak'):.0f} V" in finding.text and finding.stage == "switch"
    window.size_desk.findings.add([finding])
    assert "1 look at" in window.size_desk.findings.title.text()


def test_a_tapped_output_asks_what_was_shorted(qtbot, window):
    """The reading with both halves shorted becomes the leakage that works: by the field energy of both ways, worked out here from the stack's own matrix; a winding without a tap asks nothing."""
    bar = window.size_desk.ledger.reading
    window.size_desk.go_to_figure("transformer.leakage")
    assert bar.isVisible() and not bar.way.isVisible()
    window._edit(lambda: window.session.require(replace(window.session.document.requirement, mains=Mains(kind="dc", v_min=360, v_max=400), hold_up=0.0)))
    window._edit(lambda: window.session.decide("x", {"topology": "half_bridge"}))
    window.size_desk.go_to_figure("transformer.leakage")
    assert bar.way.isVisible() and [bar.way.itemText(k) for k in range(2)] == ["one half shorted", "all shorted"]
    plan = window.session.design.context["plan"]
    m = leakage_of(plan.need, plan.choice.trial, (plan.choice.core, plan.choice.candidate), plan.window)
    halves, both = [m.shorted(0, [k])[0] for k in (1, 2)], m.shorted(0, [1, 2])[0]
    bar.value.setText("3u")
    bar.way.setCurrentIndex(1)
    qtbot.mouseClick(bar.enter, Qt.MouseButton.LeftButton)
    assert float(window.session.design.rows["transformer.leakage"].value) == pytest.approx(3e-6 * 0.5 * sum(halves) / both, rel=1e-9)
    assert "3.00 µH read, all shorted" in window.session.document.as_built["transformer.leakage"].how
