"""Bringing a made supply up: the bands against the exact circuit and against plain arithmetic, what a reading says, the page, the log,
paper and table."""

import csv
import io
import math
from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QSignalSpy, QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from rhevectra import cli, demo
from rhevectra.app import bringup, dossier
from rhevectra.app.session import Session
from rhevectra.bench.bringup import ROOM, plan
from rhevectra.bench.readings import AS_EXPECTED, HIGH, LOW, Check
from rhevectra.core.basis.quantities import parse
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.stages import FRONT_ENDS
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.display import Text
from rhevectra.project.codec import decode
from rhevectra.project.log import BENCH, entries
from rhevectra.ui.views.bring_up import READ, SAYS


def of_demo(name, **pins):
    document = decode(demo.text(name), name)
    return size(document.requirement, pins or document.decisions)


def checks(design, room=ROOM):
    return {c.key: c for step in plan(design, room) for c in step.checks}


@pytest.mark.parametrize("topology", TOPOLOGIES)
@pytest.mark.parametrize("name", ["logger-rack", "frost-fans"])
def test_every_reading_has_a_band_that_can_be_read(name, topology):
    """Names that differ, ends that are numbers in their order, a figure that stands in the design, bands as words that read back as their
    ends; what is said of a supply without isolation, of a lamp, of a limit."""
    design = of_demo(name, topology=topology)
    steps = plan(design)
    all_of_them = [c for step in steps for c in step.checks]
    assert len({c.key for c in all_of_them}) == len(all_of_them) > 20 and all(step.do for step in steps)
    for c in all_of_them:
        ends = [e for e in (c.low, c.high) if e is not None]
        assert (ends and all(math.isfinite(e) for e in ends) and ends == sorted(ends) and c.figure in design.specs
                and c.figure in design.rows), c
        words = c.band.removeprefix("at most ").removeprefix("at least ").split(" to ")
        assert [parse(w, c.unit) for w in words] == pytest.approx(ends, rel=0.006)
        assert c.word(c.expected) == AS_EXPECTED
    first = " ".join(steps[1].do)
    assert ("current limit" in first) == design.requirement.is_dc and ("lamp" in first) != design.requirement.is_dc
    assert ("the output is live" in first) == (topology == "buck_aux")


def test_three_lines_want_three_lamps(demo_document):
    """A lamp in each; two of three resistors of a star between any two pins; the bulk at 1.414 times the voltage between lines, less two
    drops."""
    need = replace(demo_document.requirement,
                   mains=replace(demo_document.requirement.mains, kind="ac3", v_min=360.0, v_max=440.0, nominals=(400.0,)), hold_up_at=None)
    design = size(need)
    read = {c.name: c for s in reversed(plan(design)) for c in s.checks}
    assert "a lamp in each line" in " ".join(plan(design)[1].do)
    assert read["Between the pins of the plug"].word(2 * float(design.rows["inlet.r_x"].value)) == AS_EXPECTED
    assert read["Bulk"].word(400 * 2**0.5 - 1.6) == AS_EXPECTED


@pytest.mark.parametrize(("name", "topology"),
                         [("camera-hide", "flyback"), ("camera-hide", "flyback_qr"), ("camera-hide", "flyback_2sw"),
                          ("ringing-lab-bench", "forward_2sw"), ("ringing-lab-bench", "half_bridge"), ("ringing-lab-bench", "full_bridge"),
                          ("radar-rotator", "llc_half"), ("camera-hide", "buck_aux")])
def test_a_supply_made_as_designed_reads_as_expected(name, topology):
    """The exact circuit of the design stands in for a made supply: peak voltage and current at every line lie in their bands."""
    design = of_demo(name, topology=topology)
    expected, seen = checks(design), 0
    for line in design.grid.lines:
        found = [exact(design, design.grid.find(line, 1.0, bus=bus)) for bus in design.grid.bus]
        for id, label in (("switch.v_peak", "Peak switch voltage"), ("switch.i_peak", "Peak switch current")):
            if id in TOPOLOGIES[topology].EXACT_RATINGS:
                kind, part, _ = TOPOLOGIES[topology].EXACT_RATINGS[id]
                reading = max(f.greatest(kind, part) for f in found)
                assert expected[f"{label}, {line:g} V, 100 % load"].word(reading) == AS_EXPECTED, (id, line, reading)
                seen += 1
    assert seen >= len(design.grid.lines)


def test_the_bulk_unloaded_is_the_crest_less_two_drops(demo_design):
    """Common practice, no source: 1.414 times the mains less two diode drops; and a meter 3 % off that is told."""
    for key, line in (("Bulk, 115 V, least load, lamp", 115.0), ("Bulk, 230 V, least load", 230.0)):
        c = checks(demo_design)[key]
        crest = 1.414 * line - 2 * 0.7
        assert c.word(crest) == AS_EXPECTED and c.word(1.03 * crest) == HIGH and c.word(0.94 * crest) == LOW and "lamp" in c.says(
            0.94 * crest)


def test_input_power_leaves_room_for_the_losses_only(demo_design):
    """At half load 24 V times 1.25 A goes out: less than that cannot go in, and the efficiency of the figures at its hot worst lies
    inside."""
    c = checks(demo_design)["Input power, 230 V, 50 % load"]
    out = 24.0 * 1.25
    assert c.word(out) == LOW and c.word(1.4 * out) == HIGH
    at = demo_design.grid.find(230.0, 0.5).index
    assert c.word(out / float(demo_design.rows["efficiency"].at(at))) == AS_EXPECTED


def test_heat_is_carried_to_the_highest_ambient(demo_design):
    """50 °C ambient, 45 K admitted: 60 °C read at 22 °C comes to 88 °C, 70 °C to 98 °C, which is too hot; in a cooler room the same part
    reads cooler."""
    key = next(k for k in checks(demo_design) if k.startswith("Temperature of the transformer"))
    c, cool = checks(demo_design, 22.0)[key], checks(demo_design, 15.0)[key]
    assert "88 °C at the highest ambient, where 95 °C" in c.says(60.0) and "too hot" not in c.says(60.0)
    assert "98 °C" in c.says(70.0) and "too hot" in c.says(70.0) and cool.high == pytest.approx(c.high - 7.0)
    rise = demo_design.value("transformer.temperature_rise")
    assert c.high == pytest.approx(22.0 + rise)


def test_words_of_a_reading():
    c = Check("Output -15 V", "x", "meter", "V", -15.2, -14.8, "f", "hint of low", "hint of high")
    assert (c.word(-15.0), c.word(-15.3), c.word(-14.7)) == (AS_EXPECTED, LOW, HIGH)
    assert (c.says(-15.0) == "as expected" and c.says(-15.3) == "low; hint of low" and c.says(-14.7) == "high; hint of high"
            and c.expected == pytest.approx(-15.0))


def enter(page, key, text):
    """Type into the cell of a reading and leave it with Enter."""
    row = next(r for r, c in page.checks.items() if c.key == key)
    page.table.setCurrentCell(row, READ)
    page.table.editItem(page.table.item(row, READ))
    editor = page.table.findChild(QLineEdit)
    editor.selectAll()
    QTest.keyClicks(editor, text)
    QTest.keyClick(editor, Qt.Key.Key_Return)
    for _ in range(3):
        QApplication.processEvents()  # a table takes what was typed in an event of its own
    return row


def test_the_page_takes_readings_into_the_log(window, tmp_path):
    """Typed readings stand in the log beside what was expected, survive undo, saving and opening, and follow another design's bands;
    nonsense is told at its place and logged nowhere; Enter leads to the figure."""
    window.go("Prove")
    page = window.prove_desk.bring_up
    assert page.state.text().startswith("0 of ")
    row = enter(page, "Leakage of the primary, bench", "8.2u")
    assert "high" in page.table.item(row, SAYS).text() and page.table.item(row,
        READ).text() == "8.20 µH" and "1 out of its band" in page.state.text()
    bad = enter(page, "Reference pin, 230 V, least load", "two and a half")
    assert "is not a number" in page.table.item(bad, SAYS).text()
    (entry,) = entries(window.session.document.log)
    assert (entry.kind == BENCH and entry.values == {"Leakage of the primary, bench": pytest.approx(8.2e-6)}
            and "at most 6.78 µH" in entry.text)
    window.size_desk.pinned.emit("transformer.leakage_share", 0.02, False)
    window.go("Prove")
    row = next(r for r, c in page.checks.items() if c.key == "Leakage of the primary, bench")
    assert page.table.item(row, SAYS).text() == "as expected"  # the same reading beside a design that allows for it
    window.undo()
    window._refresh()
    assert "high" in page.table.item(row, SAYS).text() and len(window.session.document.log) == 1
    path = tmp_path / "made.rhevectra.json"
    assert window.save_to(path)
    table = list(csv.DictReader(io.StringIO(bringup.as_csv(window.session.design, Session.open(path).document.log))))
    assert [(r["reading"], r["read"]) for r in table if r["read"]] == [("Leakage of the primary", "8.20 µH")]
    page.table.setCurrentCell(row, 3)
    page.table.setFocus()
    QTest.keyClick(page.table, Qt.Key.Key_Return)
    assert window.stack.currentWidget() is window.size_desk and window.size_desk.ledger._open == "transformer.leakage"


def test_the_room_moves_the_bands_of_heat(qtbot, window):
    window.go("Prove")
    page = window.prove_desk.bring_up
    band = lambda: next(c for c in page.checks.values() if c.key.startswith("Temperature of the transformer")).high  # noqa: E731
    before = band()
    page.room.setText("18")
    page.room.editingFinished.emit()
    assert band() == pytest.approx(before - 7.0) and page.room.text() == "18 °C"
    page.room.setText("warm")
    page.room.editingFinished.emit()
    assert page.room.text() == "25 °C" and band() == pytest.approx(before)


def test_a_refill_is_told_to_the_headers_once(window):
    """Headers that follow their contents measure the whole table whenever a cell is told of: 300 cells told one by one had held the window
    up for five seconds, and a log of 300 lines for nine."""
    window.go("Prove")
    page, log = window.prove_desk.bring_up, window.prove_desk.log
    told = {table: QSignalSpy(table.model().dataChanged) for table in (page.table, log.table)}
    page.room.setText("18")
    page.room.editingFinished.emit()
    window.session.record("note", "a line")
    window.prove_desk.show_log(window.session.document.log)
    assert page.table.rowCount() > 30 and told[page.table].count() == 2  # the plan with its readings, the readings after the note
    assert log.table.item(0, 2).text() == "a line" and told[log.table].count() == 1
    window._edit(lambda: window.session.pin("fs", 70e3))
    assert told[page.table].count() == 3 and told[log.table].count() == 1  # an edit moves the plan; the log stays as it is


def test_paper_and_command_tell_the_same(demo_design, demo_file, tmp_path, capsys):
    """Every reading with its band stands on paper and in the file the command writes."""
    paper = " ".join(" ".join(t.text for t in p.items if isinstance(t, Text)) for p in dossier.pages(demo_design, "t")
                     if "bring-up" in p.caption)
    out = tmp_path / "b.csv"
    assert cli.main(["report", str(demo_file), "--bringup", str(out)]) == 0
    told = list(csv.DictReader(io.StringIO(out.read_text(encoding="utf-8"))))
    assert len(told) == len(checks(demo_design))
    for c in told:
        assert all(word in paper for word in f"{c['reading']} {c['expected']}".split()) and not c["read"]


@pytest.mark.parametrize("front", ["plain", "doubler", "pfc_crm", "pfc_ccm", "pfc_interleaved", "pfc_bridgeless"])
def test_every_front_end_is_brought_up(demo_document, front):
    """Behind a boost the bus is its own voltage once it runs, and may stand at the crest behind a lamp."""
    design = size(demo_document.requirement, {"front_end": front})
    found = checks(design)
    lamp, free = found["Bulk, 115 V, least load, lamp"], found["Bulk, 230 V, least load"]
    assert ((lamp.word(1.414 * 115.0) == AS_EXPECTED) == (front != "doubler")
            and (free.word(1.414 * 230.0) != AS_EXPECTED) == FRONT_ENDS[front].SHAPES_CURRENT)
