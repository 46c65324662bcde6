"""The manners of the desk: themes and sizes, recovery, files, zoom, the time cursor and the exact period behind it."""

import os
import random
import signal
import subprocess
import sys
import time
from dataclasses import replace
from itertools import pairwise

import pytest
from msgspec.structs import replace as changed
from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QWidget

from rhevectra.app import autosave, settings
from rhevectra.app.session import Session
from rhevectra.app.stages import plates
from rhevectra.core.basis.requirement import Mains
from rhevectra.core.magnetics import matrix
from rhevectra.core.magnetics.candidate import leakage_of
from rhevectra.drawing.display import Line, Picture, Text
from rhevectra.project.codec import encode
from rhevectra.ui.pictures.canvas import PX_PER_MM, paint
from rhevectra.ui.theme import roles

STAGES = ("inlet", "bulk", "switch", "transformer", "clamp", "rectifier", "feedback", "load")


@pytest.mark.parametrize("theme", list(roles.THEMES))
def test_text_reads_in_both_themes_also_on_the_tints_of_the_corner_grid(theme):
    """WCAG 2 contrast of at least 4.5 : 1 for every text role on card, paper and drawer, and for each word on its own tint over the
    card."""
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
    light = window.grab().toImage()
    window.toggle_theme()
    dark = window.grab().toImage()  # both held: the bits of an image that is gone are nobody's
    assert settings.read()["theme"] == "dark" and bytes(dark.constBits()) != bytes(light.constBits())
    window.toggle_theme()
    assert settings.read()["theme"] == "light"


def test_a_change_of_theme_polishes_every_part_twice(qtbot, window):
    """Off with the old sheet, on with the new: set over the old one the toolkit had polished each part again for every part it lies in, a
    second and a half with all desks open."""
    class Count(QObject):
        changes = 0

        def eventFilter(self, _of, event):
            self.changes += event.type() == QEvent.Type.StyleChange
            return False
    for desk in ("Ask", "Prove", "Size"):
        window.go(desk)
    count, parts = Count(), len(window.findChildren(QWidget))
    QApplication.instance().installEventFilter(count)
    try:
        window.toggle_theme()
    finally:
        QApplication.instance().removeEventFilter(count)
        window.toggle_theme()
    assert parts > 400 and parts <= count.changes < 3 * parts


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
            if isinstance(widget,
                          QAbstractButton | QLineEdit
                          | QComboBox) and widget.focusPolicy() != Qt.FocusPolicy.NoFocus and widget.isVisibleTo(window):
                text = widget.text() if isinstance(widget, QAbstractButton) else ""
                assert widget.accessibleName() or text or widget.objectName().startswith("qt_"), (widget, widget.parentWidget())


EDITING = """
import os
from rhevectra import demo
from rhevectra.app.autosave import Autosave
from rhevectra.project.codec import decode
document = decode(demo.text(), 'demo')
while input():  # one more of us for every line that is asked for
    child = os.fork()
    if child:
        os.waitpid(child, 0)
        print('gone', flush=True)
        continue
    d, keep, k = document, Autosave(), 0
    print(os.getpid(), flush=True)
    while True:
        k += 1
        d = d.pin('fs', 60000.0 + k)
        assert keep.write(d, None) == ''
        print(k, flush=True)
"""


def test_unsaved_work_is_found_after_a_kill_a_hundred_times(tmp_path):
    """A process edits and autosaves in a loop, says what it has committed, and is killed without warning; what is found is that edit or a
    later one. Its parent only has what to begin with read already."""
    rng = random.Random(9)
    with subprocess.Popen([sys.executable, "-c", EDITING], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as parent:
        for _ in range(100):
            parent.stdin.write("one\n")
            parent.stdin.flush()
            child, said = int(parent.stdout.readline()), int(parent.stdout.readline())
            time.sleep(rng.uniform(0, 0.03))
            os.kill(child, signal.SIGKILL)
            while not (line := parent.stdout.readline()).endswith("gone\n"):  # what stands before that was cut off
                said = int(line)
            (mine,) = autosave.found()
            assert Session.of_text(mine.text, "found").document.decisions["fs"] - 60000.0 >= said
            mine.discard()
        parent.kill()
    assert autosave.found() == []


def test_recovery_is_offered_and_brings_the_work_back_unsaved(qtbot, window):
    lost = window.session.document.pin("fs", 77e3)
    left = autosave.Found(autosave._folder() / "1-1.json", None, time.time(), "camera hide", encode(lost))
    left.file.parent.mkdir(parents=True, exist_ok=True)
    left.file.write_text("{}", encoding="utf-8")
    window.offer_recovery([left])
    assert window.notice.isVisible() and "found after a crash" in window.notice.text.text()
    qtbot.mouseClick(window.notice.buttons[0], Qt.MouseButton.LeftButton)
    assert (window.session.document.decisions["fs"] == 77e3 and window.session.changed and not left.file.exists()
            and not window.notice.isVisible())


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
    assert drawn.max() == pytest.approx(panel.exact.voltages["drain"].max()) and drawn.max() == pytest.approx(
        window.session.design.value("switch.v_peak"), rel=0.02)


def test_a_period_that_is_hard_to_find_is_left_for_another(qtbot, window, monkeypatch):
    """While one solution goes on without end (a circuit that will not close, told here by a step that never ends it) another corner is
    chosen: the solution is left between two of its steps, and the exact period of the other corner comes."""
    from rhevectra.core.design import exact as of_exact

    real, steps, wanted = of_exact.exact_steps, [], []

    def hard(design, corner, *rest):
        wanted.append(corner)
        while len(wanted) == 1:
            steps.append(len(steps))
            time.sleep(1e-3)
            yield len(steps), 1.0
        return (yield from real(design, corner, *rest))
    monkeypatch.setattr(of_exact, "exact_steps", hard)
    panel = window.size_desk.picture
    window._edit(lambda: window.session.pin("fs", 80e3))
    qtbot.waitUntil(lambda: len(steps) > 5, timeout=20_000)
    other = window.session.design.grid.find(115.0, 0.5)
    window.size_desk.go_to_corner(other)
    wait_for_exact(qtbot, window)
    assert len(wanted) == 2 and wanted[1].index == other.index != wanted[0].index and panel.exact.corner.index == other.index


def test_the_time_cursor_lights_what_conducts_by_mouse_and_by_keys(qtbot, window):
    """Stepping by keys visits every interval once round; at each the heavy symbols are those whose current in the exact solution is not
    nothing."""
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
    assert ({"the switch is on: the core takes energy from the bus", "leakage empties into the clamp while the secondary takes over",
             "the secondary carries the core's energy to the output"} <= set(names))
    qtbot.keyClick(panel.view, Qt.Key.Key_Comma)
    frame = panel.view.picture().frames[0]
    at = QPoint(int((frame.left + 0.5 * frame.width) * 3.6), 60)
    qtbot.mouseMove(panel.view, QPoint(5, 5))
    qtbot.mouseMove(panel.view, at)
    qtbot.waitUntil(lambda: abs(panel.instant / panel.exact.period - 0.5) < 0.02, timeout=3000)


def test_an_exact_value_worse_than_the_formula_is_a_finding_with_both_numbers(qtbot, window):

    from rhevectra.core.design.exact import remarks

    panel = wait_for_exact(qtbot, window)
    design = window.session.design
    assert remarks(design, panel.exact) == []
    worse = changed(panel.exact, voltages={**panel.exact.voltages, "drain": panel.exact.voltages["drain"] * 1.05})
    (finding,) = remarks(design, worse)
    assert (finding.severity == "look at" and f"formula gives {design.value('switch.v_peak'):.0f} V" in finding.text
            and finding.stage == "switch")
    window.size_desk.findings.add([finding])
    assert "1 look at" in window.size_desk.findings.title.text()


def test_a_tapped_output_asks_what_was_shorted(qtbot, window):
    """The reading with both halves shorted becomes the leakage that works: by the field energy of both ways, worked out here from the
    stack's own matrix; a winding without a tap asks nothing."""
    bar = window.size_desk.ledger.reading
    window.size_desk.go_to_figure("transformer.leakage")
    assert bar.isVisible() and not bar.way.isVisible()
    window._edit(
        lambda: window.session.require(
            replace(window.session.document.requirement, mains=Mains(kind="dc", v_min=360, v_max=400), hold_up=0.0)))
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


def test_a_number_of_transformers_is_taken_from_the_picture(qtbot, window):
    """On the picture Split a click, or arrows and Enter, pins the number its bar stands for; the plate counts the cores, undo brings one
    back."""
    need = window.session.document.requirement
    window._edit(
        lambda: window.session.require(
            replace(need, mains=Mains(kind="dc", v_min=360, v_max=400), hold_up=0.0,
                    outputs=(replace(need.outputs[0], voltage=12.0, current_max=80.0),), cooling="forced")))
    window._edit(lambda: window.session.decide("x", {"topology": "llc_half"}))
    desk, view = window.size_desk, window.size_desk.picture.view
    desk.choose_stage("transformer")
    desk.picture.choose("split")
    qtbot.waitUntil(lambda: len(view.spots) == matrix.MOST, timeout=60000)
    at = next(s for s in view.spots if s.name == "3")
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton,
                     pos=QPoint(int((at.left + at.width / 2) * PX_PER_MM), int((at.top + at.height / 2) * PX_PER_MM)))
    assert window.session.document.decisions["transformer.pieces"] == 3 and int(window.session.design.rows["transformer.pieces"].value) == 3
    assert next(p.telling for p in plates(window.session.design) if p.stage == "transformer").startswith("3 × ")
    bar = desk.ledger.reading
    desk.go_to_figure("transformer.leakage")
    bar.value.setText("0.5u")
    bar.way.setCurrentIndex(bar.way.findText("one of 3, one half shorted"))
    qtbot.mouseClick(bar.enter, Qt.MouseButton.LeftButton)
    assert (float(window.session.design.rows["transformer.leakage"].value)
            == pytest.approx(1.5e-6)), "three of them in series leak three times what one reads"
    window.undo()
    window.undo()
    # the log keeps the reading
    assert dict(window.session.document.decisions) == {"topology": "llc_half"} and not window.session.document.as_built
    desk.choose_stage("transformer")
    desk.picture.choose("split")
    qtbot.waitUntil(lambda: len(view.spots) == matrix.MOST, timeout=60000)
    view.setFocus()
    for key in (*[Qt.Key.Key_Left] * matrix.MOST, Qt.Key.Key_Right):
        qtbot.keyClick(view, key)
    qtbot.keyClick(view, Qt.Key.Key_Return)
    assert window.session.document.decisions["transformer.pieces"] == 2


@pytest.mark.parametrize("anchor", ["left", "middle", "right"])
@pytest.mark.parametrize("length", [8, 40, 200])
def test_no_text_of_a_picture_runs_over_its_edge(window, anchor, length):
    """Smaller where it would, cut short with dots where that does not do: both edges stay free, and something is written."""
    picture = Picture(60.0, 12.0, "")
    picture.text({"left": 4.0, "middle": 30.0, "right": 56.0}[anchor], 8.0, ("zero voltage " * 20)[:length], "ink", anchor)
    image = QImage(240, 48, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    paint(painter, picture, 4.0)
    painter.end()
    dark = [[image.pixelColor(x, y).lightness() < 160 for x in range(240)] for y in range(48)]
    assert any(map(any, dark)) and not any(row[0] or row[-1] for row in dark)


def test_a_small_window_takes_from_the_ledger_too_and_a_large_one_gives_to_the_picture(qtbot, window):
    desk, wide = window.size_desk, window.size_desk.ledger.width()
    window.resize(1100, 700)
    qtbot.waitUntil(lambda: desk.width() < 1100)
    assert desk.decisions.width() + 20 < desk.picture.width() and 0.85 * wide < desk.ledger.width() < wide - 20
    window.resize(3840, 2160)
    qtbot.waitUntil(lambda: desk.width() > 3000)
    assert desk.picture.width() > 3 * desk.ledger.width()
