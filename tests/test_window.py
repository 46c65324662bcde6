"""The real window, driven by mouse and keys."""

import os
import subprocess
import sys

import numpy as np
import pytest
from fontTools.ttLib import TTFont
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QLineEdit

from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.formula import REGISTRY
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.pictures import PICTURES
from rhevectra.project.codec import encode
from rhevectra.ui.theme import roles
from rhevectra.ui.views.ledger import MOVED


def type_into(qtbot, edit: QLineEdit, text: str) -> None:
    edit.setFocus()
    edit.selectAll()
    qtbot.keyClick(edit, Qt.Key.Key_Delete)
    qtbot.keyClicks(edit, text)
    qtbot.keyClick(edit, Qt.Key.Key_Return)


def ledger_text(window) -> str:
    """What the ledger says, without the column of changes."""
    t = window.size_desk.ledger.table
    return "\n".join(" ".join(t.item(r, c).text() for c in range(5) if c != MOVED) for r in range(t.rowCount()))


def pixels(window) -> bytes:
    image: QImage = window.size_desk.picture.view.grab().toImage()
    return bytes(image.constBits())


def test_pinning_by_keyboard_moves_ledger_and_picture_and_undo_brings_them_back(qtbot, window, tmp_path):
    before_text, before_picture, before_document = ledger_text(window), pixels(window), encode(window.session.document)
    row = window.size_desk.decisions.rows["fs"]
    type_into(qtbot, row.editor, "100k")
    assert window.session.document.decisions == {"fs": 100e3}
    assert row.pin.isChecked() and row.origin.text() == "you"
    assert ledger_text(window) != before_text and "100 kHz" in ledger_text(window) and pixels(window) != before_picture
    changes = [window.size_desk.ledger.table.item(r, MOVED).text() for r in range(window.size_desk.ledger.table.rowCount())]
    assert "+35 kHz" in changes
    path = tmp_path / "saved.rhevectra.json"
    assert window.save_to(path) and window.session.changed is False
    shown = ledger_text(window)
    window.undo()
    assert encode(window.session.document) == before_document and ledger_text(window) == before_text
    window.session.saved = window.session.document
    assert window.open_path(path) and ledger_text(window) == shown
    assert encode(window.session.document) == path.read_text(encoding="utf-8")


def test_nudging_by_arrow_keys_takes_preferred_steps(qtbot, window):
    window.size_desk.choose_stage("clamp")
    edit = window.size_desk.decisions.rows["clamp.c"].editor
    before = float(np.asarray(window.session.design.rows["clamp.c"].value))
    edit.setFocus()
    qtbot.keyClick(edit, Qt.Key.Key_Up)
    after = window.session.document.decisions["clamp.c"]
    assert 1.1 < after / before < 1.5
    qtbot.mouseClick(window.size_desk.decisions.rows["clamp.c"].pin, Qt.MouseButton.LeftButton)
    assert "clamp.c" not in window.session.document.decisions


@pytest.mark.parametrize(("typed", "kept", "shown"), [("5 %", 0.05, "5 %"), ("0.5", 0.005, "0.5 %"), ("3%", 0.03, "3 %")])
def test_tolerances_are_written_and_read_in_percent(qtbot, window, typed, kept, shown):
    """With the sign or without; the ledger, the file (a share) and the entry of the history agree; what is out of range says so in percent
    and in the file's number."""
    window.size_desk.choose_stage("feedback")
    row = window.size_desk.decisions.rows["feedback.resistor_tolerance"]
    assert row.editor.text() == "1 %" and "%" in next(
        line for line in ledger_text(window).splitlines() if line.startswith("Output error, worst case"))
    type_into(qtbot, row.editor, typed)
    assert window.session.document.decisions == {"feedback.resistor_tolerance": pytest.approx(kept)} and row.editor.text() == shown
    assert f"1 % → {shown}" in window.session.past[-1].name
    type_into(qtbot, row.editor, "60 %")
    assert "0.01 to 10 %" in row.note.text() and "0.0001 to 0.1" in row.note.text()


def test_shares_take_a_percent_sign_too(qtbot, window):
    window.size_desk.choose_stage("switch")
    type_into(qtbot, window.size_desk.decisions.rows["flyback.ripple_ratio"].editor, "60 %")
    assert window.session.document.decisions == {"flyback.ripple_ratio": pytest.approx(0.6)}


def test_half_typed_text_changes_nothing_and_nonsense_gets_a_sentence(qtbot, window):
    for stage in ("inlet", "bulk", "switch", "transformer", "clamp", "rectifier", "feedback"):
        window.size_desk.choose_stage(stage)
        before = window.session.design
        for id, row in list(window.size_desk.decisions.rows.items()):
            if isinstance(row.editor, QLineEdit):
                row.editor.setFocus()
                qtbot.keyClicks(row.editor, "9")
                assert window.session.design is before, id
                type_into(qtbot, row.editor, "1,5 bananas")
                assert "accepted" in row.note.text() and window.session.design is before, id
                qtbot.keyClick(row.editor, Qt.Key.Key_Escape)
    window.go("Ask")
    for name, field in window.ask.fields.items():
        if isinstance(field.editor, QLineEdit):
            type_into(qtbot, field.editor, "nonsense!")
            assert window.ask.problem.text(), name
            field.show_need(window.session.document.requirement)
    assert window.session.document.decisions == {}


def test_choosing_a_ledger_row_moves_the_picture_to_its_corner(qtbot, window):
    desk = window.size_desk
    for id in ("switch.v_peak", "switch.i_rms"):
        desk.ledger.select(id)
        corner = window.session.design.figure(id).corner
        assert (desk.corner == corner and corner.text() in desk.picture.caption.text()
                and corner.text() in desk.picture.view.picture().caption)
    assert "V̂" not in desk.ledger.drawer.toPlainText().splitlines()[0]
    assert "Source" in desk.ledger.drawer.toPlainText()


def test_every_row_of_every_stage_opens_its_working(qtbot, window):
    for stage, button in list(window.size_desk.path.buttons.items()):
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        assert window.size_desk.stage == stage
        table = window.size_desk.ledger.table
        for r in range(table.rowCount()):
            table.setCurrentCell(r, 0)
            text = window.size_desk.ledger.drawer.toPlainText()
            assert text.startswith("Why ") and len(text.splitlines()) >= 3


def test_asking_for_another_requirement(qtbot, window):
    window.go("Ask")
    type_into(qtbot, window.ask.fields["Voltage"].editor, "180-265")
    assert window.session.document.requirement.mains.v_min == 180.0 and window.session.design.grid.lines[0] == 180.0
    type_into(qtbot, window.ask.outputs.edit(0, "Current, full"), "1.2")
    assert (window.session.document.requirement.outputs[0].current_max == 1.2
            and window.session.document.requirement.outputs[0].current_peak == 1.2)
    window.undo()
    window.undo()
    assert encode(window.session.document) == encode(Session.of_text(demo.text(), "demo").document)


def test_an_adjustable_output_and_a_load_step_are_asked_for_on_the_form(qtbot, window):
    window.go("Ask")
    row = window.ask.outputs
    type_into(qtbot, row.edit(0, "Step dips by"), "0.5")
    assert "load step" in window.ask.problem.text() and window.session.document.requirement.outputs[0].load_step is None
    row.show_need(window.session.document.requirement)
    type_into(qtbot, row.edit(0, "Load step"), "0.5-2.5")
    step = window.session.document.requirement.outputs[0].load_step
    assert (step.low, step.high, step.deviation) == (0.5, 2.5, pytest.approx(1.2)) and row.edit(0, "Step dips by").text() == "1.20 V"
    type_into(qtbot, row.edit(0, "Step dips by"), "600m")
    assert window.session.design.figure("output1.step").limit == pytest.approx(0.6)
    before = window.session.design.figure("transformer.v_reflected").value
    type_into(qtbot, row.edit(0, "Adjustable"), "20-28")
    out = window.session.document.requirement.outputs[0]
    assert (out.voltage_min, out.voltage, out.voltage_max) == (20.0, 24.0, 28.0) and out.magnitude == 28.0
    assert window.session.design.row("load.v_main").value == 28.0 and window.session.design.row(
        "load.v_main_least").value == 20.0 and before > 0
    type_into(qtbot, row.edit(0, "Adjustable"), "25-28")
    assert "order" in window.ask.problem.text() and window.session.document.requirement.outputs[0] == out
    type_into(qtbot, row.edit(0, "Adjustable"), "")
    type_into(qtbot, row.edit(0, "Load step"), "")
    assert (window.session.document.requirement.outputs[0].magnitude == 24.0
            and window.session.document.requirement.outputs[0].load_step is None)


def test_forcing_a_small_core_names_what_breaks_and_the_finding_leads_to_the_cure(qtbot, window):
    window.session.pin("transformer.core", "E20/10/6")
    window.show_all()
    texts = [window.size_desk.findings.list.item(i).text() for i in range(window.size_desk.findings.list.count())]
    assert any("must fix" in t and "E20/10/6" in t for t in texts) and "INFEASIBLE" in window.statusBar().currentMessage()
    window.size_desk.choose_stage("bulk")
    window.size_desk.findings._activated(window.size_desk.findings.list.item(next(i for i, t in enumerate(texts) if "E20/10/6" in t)))
    assert window.size_desk.stage == "transformer"
    window.session.measure("transformer.leakage", Measured(12e-6, None, "secondaries shorted"))
    window.show_all()
    assert window.session.design.rows["transformer.leakage"].origin == "measured"


def test_a_damaged_file_is_told_and_the_present_project_stays(qtbot, window, tmp_path):
    bad = tmp_path / "bad.rhevectra.json"
    bad.write_text("{", encoding="utf-8")
    before = window.session
    assert window.open_path(bad) is False
    assert window.session is before and "bad.rhevectra.json" in window.statusBar().currentMessage()
    assert window.save_to("/proc/none/x.json") is False and "cannot be written" in window.statusBar().currentMessage()


def test_pictures_tell_the_design_and_export(qtbot, window, tmp_path):
    design = window.session.design
    corner = design.figure("switch.v_peak").corner
    picture = PICTURES["period"][1](design, corner, 150, 110)
    assert picture.data["drain voltage [V]"].max() == pytest.approx(design.value("switch.v_peak"), rel=0.01)
    assert picture.data["primary current [A]"].max() == pytest.approx(design.value("switch.i_peak"), rel=0.001)
    line = PICTURES["line"][1](design, design.figure("bulk.v_valley").corner, 150, 110)
    assert line.data["bulk [V]"].min() == pytest.approx(design.value("bulk.v_valley"), rel=0.01)
    turns = [t for t in PICTURES["window"][1](design, corner, 150, 110).items if getattr(t, "role", "") == "secondary"
             and getattr(t, "outline", "") == "card"]
    plan = design.context["plan"]
    assert len(turns) == int(design.rows["transformer.ns1"].value) * int(
        plan.choice.trial.laid[1].at((plan.choice.core, plan.choice.candidate)).beside)
    window.size_desk.picture.view.export_csv(str(tmp_path / "p.csv"))
    assert (tmp_path / "p.csv").read_text().startswith("drain voltage")


def test_every_glyph_is_in_the_shipped_font_and_text_reads(window):
    folder = os.path.join(os.path.dirname(roles.__file__), "fonts")
    shown = set("".join(f.equation + f.source + f.unit for f in REGISTRY))
    design = window.session.design
    for id in design.figure_ids:
        shown |= set(design.figure(id).label + design.figure(id).symbol + design.rows[id].rule)
    for spec, row in design.decisions():
        shown |= set(spec.label + spec.schools + row.rule + spec.unit)
    shown |= set("▲◆–×µ½²³√°ΩΔηλε±…›→")
    for name in ("SourceSansPro-Regular.ttf", "SourceSansPro-Semibold.ttf"):
        have = TTFont(os.path.join(folder, name)).getBestCmap()
        assert not {c for c in shown if ord(c) not in have and c != "\n"}
    for role in roles.TEXT_ROLES:
        for ground in ("card", "paper"):
            assert roles.contrast(roles.LIGHT[role], roles.LIGHT[ground]) >= 4.5, (role, ground)


def test_a_real_window_on_a_virtual_screen(tmp_path):
    """Xvfb, the X platform, the installed command: a picture of the window that is neither empty nor one colour."""
    read, write = os.pipe()
    server = subprocess.Popen(["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"], pass_fds=[write],
                              stderr=subprocess.DEVNULL)
    try:
        os.close(write)
        number = os.read(read, 16).decode().strip()
        env = {**os.environ, "DISPLAY": f":{number}", "QT_QPA_PLATFORM": "xcb"}
        shot = tmp_path / "w.png"
        done = subprocess.run([sys.executable, "-m", "rhevectra", "--demo", "--shot", str(shot)], env=env, capture_output=True, text=True,
                              timeout=120)
        assert done.returncode == 0, done.stderr
        image = QImage(str(shot))
        assert (image.width(), image.height()) == (1280, 800)
        assert len({image.pixel(x, y) for x in range(0, 1280, 16) for y in range(0, 800, 16)}) > 12
    finally:
        os.close(read)
        server.terminate()
        server.wait()


def test_the_bar_at_the_top_tells_the_project_and_takes_back_by_mouse(qtbot, window):
    """Title, requirement and the unsaved mark; undo and redo name the edit they mean; in a narrow window the title gives way, never the
    menus."""
    bar = window.top
    assert "24.0 V 2.50 A · 85–265 V" in bar.title.toolTip() and not bar.buttons["undo"].isEnabled() and "●" not in bar.title.text()
    before = window.session.document
    window.size_desk.decisions.pinned.emit("fs", 100e3, False)
    qtbot.waitUntil(lambda: "fs" in window.session.document.decisions)
    qtbot.waitUntil(lambda: bar.buttons["undo"].isEnabled())
    assert "100 k" in bar.buttons["undo"].toolTip() and "Ctrl+Z" in bar.buttons["undo"].toolTip() and bar.title.text().startswith("●")
    qtbot.mouseClick(bar.buttons["undo"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.session.document == before)
    qtbot.waitUntil(lambda: bar.buttons["redo"].isEnabled())
    window.resize(1100, 700)
    bar.say("a title that goes on and on " * 9, window.session.document.requirement, unsaved=False)
    last = window.menuBar().actions()[-1]
    assert bar.title.text().endswith("…") and window.menuBar().actionGeometry(
        last).right() <= bar.geometry().left() and last.text() == "&Help"
    assert bar.geometry().right() <= window.width() and bar.buttons["find"].geometry().right() <= bar.width()


def test_choices_of_ours_are_shown_in_words_and_kept_by_their_names(qtbot, window):
    """The combo of the topology reads as people speak; what is pinned is the name that files and commands know."""
    combo = window.size_desk.decisions.rows["topology"].editor
    names = [combo.itemData(k) for k in range(combo.count())]
    assert names == list(TOPOLOGIES) and not any("_" in combo.itemText(k) for k in range(combo.count()))
    k = names.index("forward_2sw")
    combo.setCurrentIndex(k)
    combo.activated.emit(k)
    qtbot.waitUntil(lambda: window.session.design.topology == "forward_2sw", timeout=10_000)
    assert window.session.document.decisions["topology"] == "forward_2sw"
    shown = window.size_desk.decisions.rows["topology"].editor
    assert shown.currentText() == "two-switch forward" and window.statusBar().currentMessage().startswith("two-switch forward designed")
