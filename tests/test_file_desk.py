"""The File desk: the pages on the screen are those that are written, and every button writes what it says."""

import csv
import re
from itertools import pairwise

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from rhevectra.app import dossier
from rhevectra.app.netlist import netlist_text
from rhevectra.drawing.display import Text
from rhevectra.drawing.sheet import pages as winding_pages
from rhevectra.ui.views.file import PAPERS, contents


@pytest.fixture
def desk(qtbot, window):
    window.go("File")
    settled(qtbot, window)
    return window.file_desk


def settled(qtbot, window):
    qtbot.waitUntil(lambda: not window.file_desk.composing.busy and bool(window.file_desk.contents.count()), timeout=20_000)


def texts(page):
    return " ".join(item.text for item in page.items if isinstance(item, Text))


def shown(desk):
    return [v.page for v in desk.views if v.page is not None]


def test_the_pages_are_those_that_are_written(qtbot, window, desk, tmp_path):
    """As many as the PDF has, with the same words; the contents lead to each heading's first page."""
    design, title = window.session.design, window.session.document.title
    wanted = (*dossier.pages(design, title), *winding_pages(design, title))
    assert [texts(p) for p in shown(desk)] == [texts(p) for p in wanted]
    assert f"{len(wanted)} pages" in desk.said.text() and all(v.isVisibleTo(desk.area.widget()) for v in desk.views)
    window.export_dossier(tmp_path / "design.pdf")
    assert len(re.findall(rb"/Type /Page\b", (tmp_path / "design.pdf").read_bytes())) == len(wanted)
    for k in (0, 4, desk.contents.count() - 1):
        item = desk.contents.item(k)
        place = desk.contents.visualItemRect(item).center()
        qtbot.mouseClick(desk.contents.viewport(), Qt.MouseButton.LeftButton, pos=place)
        view = desk.views[item.data(Qt.ItemDataRole.UserRole)]
        bar = desk.area.verticalScrollBar()
        assert bar.value() == min(view.y(), bar.maximum())
        assert item.text().split("   ")[0].split(": ")[-1].lower() in texts(view.page).lower()
    last = 0
    for _name, first, end in contents(wanted):
        assert first == last + 1 <= end
        last = end
    assert last == len(wanted)


def test_nothing_on_it_is_of_an_older_design(qtbot, window, desk):
    """Pages of another frequency, and under another title; what is not composed yet is not shown."""
    assert not any("90.0 kHz" in texts(p) for p in shown(desk))
    window._edit(lambda: window.session.pin("fs", 90e3))
    assert shown(desk) == [] and desk.contents.count() == 0 and "composed" in desk.said.text()
    settled(qtbot, window)
    assert any("90.0 kHz" in texts(p) for p in shown(desk))
    window._edit(lambda: window.session.require(window.session.document.requirement, "reed bed hide"))
    assert shown(desk) == []
    settled(qtbot, window)
    assert all("reed bed hide" in texts(p) for p in shown(desk))
    window._edit(lambda: window.session.pin("transformer.core", "E20/10/6"))
    settled(qtbot, window)
    assert "breaks a limit" in desk.said.text() and "must fix" in texts(shown(desk)[0])


def test_every_button_writes_what_it_says(qtbot, window, desk, tmp_path, monkeypatch):
    written = []

    def named(_save, _title, name, _kinds):
        written.append(tmp_path / name)
        return str(written[-1])
    monkeypatch.setattr(window, "_ask_name", named)
    window.log("note", "the hide is dry", {})
    for paper in PAPERS:
        qtbot.mouseClick(desk.buttons[paper.method], Qt.MouseButton.LeftButton)
        window.changing.settle()
        assert written[-1].stat().st_size > 30, paper
        assert written[-1].name in window.statusBar().currentMessage()
    names = [p.name for p in written]
    assert len(set(names)) == len(PAPERS) and names[:3] == ["design.pdf", "winding.pdf", "winding.txt"]
    assert all(p.read_bytes().startswith(b"%PDF") for p in written if p.suffix == ".pdf")
    for path in (p for p in written if p.suffix == ".csv"):
        head, *rows = list(csv.reader(path.open(encoding="utf-8")))
        assert rows and all(len(r) == len(head) for r in rows), path.name


@pytest.mark.parametrize(("line", "load", "bus"), [("85 V", "100 % load", "bus valley"), ("230 V", "50 % load", "bus peak")])
def test_the_netlist_is_that_of_the_point_chosen(qtbot, window, desk, tmp_path, monkeypatch, line, load, bus):
    path = tmp_path / "stage.cir"
    monkeypatch.setattr(window, "_ask_name", lambda *_told: str(path))
    for box, text in ((desk.line, line), (desk.load, load), (desk.bus, bus)):
        box.setCurrentText(text)
        assert box.currentText() == text
    qtbot.mouseClick(desk.buttons["netlist"], Qt.MouseButton.LeftButton)
    wanted = netlist_text(window.session.design, float(line.split()[0]), float(load.split()[0]) / 100, bus.split()[1])
    assert path.read_text(encoding="utf-8") == wanted and line.split()[0] in window.statusBar().currentMessage()


def test_what_has_no_transformer_has_no_winding_sheet(qtbot, window, desk):
    window._edit(lambda: window.session.decide("buck", {"topology": "buck_aux"}))
    settled(qtbot, window)
    assert not desk.buttons["winding_dialog"].isEnabled() and not desk.buttons["winding_text_dialog"].isEnabled()
    assert desk.buttons["dossier_dialog"].isEnabled() and len(shown(desk)) == len(dossier.pages(window.session.design, "x"))
    assert sum(not v.isHidden() for v in desk.views) == len(shown(desk))


@pytest.mark.parametrize(("wide", "columns"), [(1100, 1), (1280, 1), (1920, 2), (3840, 4)])
def test_pages_stand_side_by_side_where_there_is_room(window, desk, wide, columns):
    """None is wider than it need be nor cut, none lies on another, and each keeps the shape of its paper."""
    window.resize(wide, 1000)
    QApplication.processEvents()
    first, *others = [v.geometry() for v in desk.views if not v.isHidden()]
    beside = [g for g in others if g.y() == first.y()]
    assert 1 + len(beside) == columns
    assert max(g.right() for g in (first, *beside)) <= desk.area.viewport().width()
    assert not any(a.intersects(b) for a, b in pairwise((first, *others)))
    for view in desk.views[:columns]:
        assert view.height() / view.width() == pytest.approx(297 / 210, abs=0.01)
