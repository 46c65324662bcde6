"""The bench log: only ever added to, outside undo, kept in the file, read back by the benches; driven in the window."""

import csv
import io
import json
from datetime import datetime, timedelta

import pytest

from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.core.basis.decisions import Measured
from rhevectra.project.codec import decode, encode
from rhevectra.project.log import NOTE, READING, as_csv, entries, entry
from rhevectra.ui.views.gap_bench import logged_readings
from rhevectra.ui.window import MainWindow


@pytest.fixture
def session():
    return Session.of_text(demo.text(), "demo")


def test_a_reading_is_logged_with_its_time_and_what_was_expected(session):
    """The estimate the design had before the reading stands beside it, and a second reading is set against the same estimate."""
    estimate = float(session.design.rows["transformer.leakage"].value)
    session.measure("transformer.leakage", Measured(12e-6, how="secondaries shorted, 100 kHz"))
    session.measure("transformer.leakage", Measured(11e-6))
    first, second = entries(session.document.log)
    assert first.kind == READING and "12.0 µH" in first.text and "secondaries shorted" in first.text
    assert abs(datetime.fromisoformat(first.at) - datetime.now().astimezone()) < timedelta(minutes=1)
    assert first.values == {"transformer.leakage": 12e-6} and second.values == {"transformer.leakage": 11e-6}
    assert first.expected["transformer.leakage"] == second.expected["transformer.leakage"] == pytest.approx(estimate)


def test_undo_leaves_the_log_alone_and_tells_what_it_took_back(session):
    session.record(NOTE, "lamp dark, bus 325 V")
    session.pin("fs", 100e3)
    session.measure("transformer.leakage", Measured(12e-6))
    session.record(NOTE, "second board")
    before = session.document.log
    session.undo()  # the reading
    assert not session.document.as_built and session.document.log[:-1] == before and entries(session.document.log)[-1].text.startswith(
        "taken back: reading of")
    session.undo()  # the frequency: nothing that was read changes
    assert "fs" not in session.document.decisions and len(session.document.log) == len(before) + 1
    session.redo()
    session.redo()
    assert session.document.as_built and entries(session.document.log)[-1].text.startswith("done again: reading of")
    assert session.document.log[: len(before)] == before and session.changed


def test_the_file_keeps_every_entry_even_of_another_make(session):
    """Own entries come back as they were; a text, a number, an object of other keys and broken numbers are shown as far as they can be read
    and written back untouched."""
    session.record(NOTE, "ripple 80 mV", {"output1.ripple_pp": 0.08}, {"output1.ripple_pp": 0.1})
    tree = json.loads(encode(session.document))
    foreign = ["only words", 7, {"who": "somebody", "when": "monday"},
               {"at": "x", "kind": 3, "text": "t", "values": {"a": "b", "c": True, "d": 1}, "expected": []}]
    tree["log"] += foreign
    back = decode(json.dumps(tree), "log.json")
    assert list(back.log) == tree["log"] and json.loads(encode(back))["log"] == tree["log"]
    found = entries(back.log)
    assert found[0].values == {"output1.ripple_pp": 0.08} and found[0].day == found[0].at[:10] + " " + found[0].at[11:16]
    assert (found[1].text == "only words" and found[2].text == "7" and "somebody" in found[3].text and found[4].values == {"d": 1.0}
            and found[4].kind == "3")
    rows = list(csv.DictReader(io.StringIO(as_csv(back.log))))
    assert (len(rows) == len(back.log) and float(rows[0]["off"]) == pytest.approx(0.08 / 0.1 - 1, abs=1e-4)
            and rows[0]["figure"] == "output1.ripple_pp")
    assert entry({}).text == "{}"


def test_the_log_in_the_window(qtbot, session, tmp_path):
    """Ctrl+L, a line and Enter; a reading of the gap bench; both stand newest first, survive undo, saving and opening, and the bench has
    its readings back; withdrawn ones stay withdrawn."""
    window = MainWindow(session)
    window.changing.patience = 60_000  # a test looks at what comes of a click in its next line
    qtbot.addWidget(window)
    window.show()
    window.actions_by_id["decide.log"].trigger()
    page, bench = window.prove_desk.log, window.wind_desk.gap
    assert window.stack.currentWidget() is window.prove_desk and window.prove_desk.stack.currentWidget() is page and page.words.isVisible()
    qtbot.keyClicks(page.line, "tape under the legs is 65 um")
    qtbot.keyClick(page.line, "\r")
    qtbot.keyClick(page.line, "\r")  # nothing to add
    assert (page.table.rowCount() == 1 and page.table.item(0, 2).text() == "tape under the legs is 65 um" and not page.words.isVisible()
            and window.windowTitle().startswith("●"))
    for micro in ("700", "690"):
        bench.fields["reading"].setText(f"{micro}u")
        bench.add()
    bench.remove()
    assert page.table.rowCount() == 4 and "withdrawn" in page.table.item(0, 2).text() and len(bench.readings) == 1
    window.size_desk.pinned.emit("fs", 70e3, False)
    window.undo()
    assert len(session.document.log) == 4
    path = tmp_path / "logged.rhevectra.json"
    assert window.save_to(path) and window.export_log(tmp_path / "log.csv") and (
        tmp_path / "log.csv").read_text().count("\n") == 1 + 1 + 3 * 3
    again = Session.open(path)
    assert again.document.log == session.document.log
    (kept,) = logged_readings(again.design, again.document.log)
    assert kept.inductance == pytest.approx(700e-6)
    other = Session.of_text(demo.text("logger-rack"), "demo")
    assert logged_readings(other.design, again.document.log) == []  # another core, other turns
    window.session.saved = window.session.document
    window.close()
