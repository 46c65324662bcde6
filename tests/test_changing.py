"""A long design is made while the window goes on; nothing that is asked for meanwhile is lost or done out of turn."""

import threading

import pytest
from PySide6.QtCore import Qt

from rhevectra.app import session as of_session
from rhevectra.core.basis.errors import InputError
from rhevectra.core.design import size as of_size
from rhevectra.core.design.size import size
from rhevectra.project.log import NOTE
from rhevectra.project.store import load


@pytest.fixture
def held(window, monkeypatch):
    """Designs wait for a gate; the window does not wait for designs. Gives the gate and the pins of what was designed."""
    gate, asked = threading.Event(), []

    def slow(need, pins, *rest):
        asked.append(dict(pins))
        assert gate.wait(20)
        return size(need, pins, *rest)
    monkeypatch.setattr(of_size, "size", slow)
    window.changing.patience = 0
    yield gate, asked
    gate.set()
    window.changing.settle()


def _row(window, id):
    window.size_desk.go_to(window.session.design.decision_specs[id].stage, id)
    return window.size_desk.decisions.rows[id].editor


def test_the_window_goes_on_and_nudges_add_up(qtbot, window, held):
    """Three nudges while the first is designed: two designs, the last three steps on, one undo; meanwhile the old figures stand and stages
    can be looked at."""
    gate, asked = held
    window.changing._rest.setInterval(60_000)  # the next step is not made ahead before the count is taken
    edit, before = _row(window, "fs"), window.session.design
    fs = float(before.rows["fs"].value)
    for _ in range(3):
        qtbot.keyClick(edit, Qt.Key.Key_Up)
    assert window.changing.busy and window.session.design is before and "designing" in window.statusBar().currentMessage()
    wanted = edit._value
    assert wanted > fs and edit.text() != ""
    window.size_desk.choose_stage("clamp")
    qtbot.wait(50)
    assert window.size_desk.stage == "clamp" and window.size_desk.ledger.open_id in before.rows
    gate.set()
    qtbot.waitUntil(lambda: not window.changing.busy, timeout=20_000)
    assert len(asked) == 2 and asked[0]["fs"] < asked[1]["fs"] == wanted == window.session.design.rows["fs"].value
    assert len(window.session.past) == 1
    window.undo()
    qtbot.waitUntil(lambda: not window.changing.busy, timeout=20_000)
    assert window.session.design.rows["fs"].value == fs


def _rested(window):
    """Nothing is made, asked for or made ahead."""
    return not window.changing.busy and window.changing._worker is None and not window.changing._rest.isActive()


def test_the_next_nudge_is_made_ahead(qtbot, window, monkeypatch):
    """After a rest the next step in the same direction is there: the key needs no sizing, and shows what a sizing gives. Document and undo
    know nothing of it; nor is a key held down ever kept waiting for it."""
    made = []
    monkeypatch.setattr(of_size, "size", lambda need, pins, *rest: made.append(pins.get("fs")) or size(need, pins, *rest))
    edit = _row(window, "fs")
    for _ in range(3):
        qtbot.keyClick(edit, Qt.Key.Key_Up)
    assert len(made) == 3
    document, steps = window.session.document, len(window.session.past)
    qtbot.waitUntil(lambda: _rested(window), timeout=20_000)
    assert len(made) == 4 and window.session.document is document and len(window.session.past) == steps
    qtbot.keyClick(edit, Qt.Key.Key_Up)
    assert len(made) == 4 and window.session.design.rows["fs"].value == made[3] > made[2]
    again = size(window.session.document.requirement, window.session.document.decisions)
    assert {id: str(row.value) for id, row in again.rows.items()} == {id: str(row.value) for id, row in window.session.design.rows.items()}


def test_an_edit_comes_before_what_is_made_ahead(qtbot, window, held):
    """Another edit while the next nudge is made: it is asked for behind it, told when it is done, and what was made ahead is not shown."""
    gate, asked = held
    gate.set()
    edit = _row(window, "fs")
    qtbot.keyClick(edit, Qt.Key.Key_Up)
    qtbot.waitUntil(lambda: not window.changing.busy, timeout=20_000)
    gate.clear()
    qtbot.waitUntil(lambda: len(asked) == 2, timeout=20_000)
    assert not window.changing.busy, "nobody waits for what is made ahead"
    shown = window.session.design.rows["fs"].value
    window._edit(lambda: window.session.pin("clamp.c", 22e-9), "clamp.c")
    assert window.changing.busy
    gate.set()
    qtbot.waitUntil(lambda: not window.changing.busy, timeout=20_000)
    assert window.session.design.rows["clamp.c"].value == 22e-9 and window.session.design.rows["fs"].value == shown < asked[1]["fs"]


def test_what_is_asked_meanwhile_comes_after(qtbot, window, held):
    """An entry of the log and an undo asked for while a design is made: the entry stays, the undo takes back that very edit."""
    gate, _ = held
    first = window.session.document
    window._edit(lambda: window.session.pin("fs", 90e3), "fs")
    window.log(NOTE, "lamp dark")
    window.undo()
    assert window.session.document is first
    gate.set()
    qtbot.waitUntil(lambda: not window.changing.busy, timeout=20_000)
    assert window.session.document.decisions == first.decisions and [e["text"] for e in window.session.document.log] == ["lamp dark"]
    assert [s.name for s in window.session.future] == ["Switching frequency 65.0 kHz → 90.0 kHz"]


def test_nudges_on_both_sides_of_an_undo_stay_there(qtbot, window, held):
    """A nudge, an undo and a nudge of the same decision asked for while another edit is designed: the undo takes back the first nudge, the
    second stands."""
    gate, _ = held
    window._edit(lambda: window.session.pin("clamp.c", 22e-9), "clamp.c")
    window._edit(lambda: window.session.pin("fs", 90e3), "fs")
    window.undo()
    window._edit(lambda: window.session.pin("fs", 100e3), "fs")
    gate.set()
    qtbot.waitUntil(lambda: not window.changing.busy, timeout=20_000)
    assert ([s.key for s in window.session.past] == ["clamp.c", "fs"]
            and window.session.past[-1].name.startswith("Switching frequency 65.0 kHz"))
    assert window.session.document.decisions["fs"] == 100e3 and window.session.document.decisions["clamp.c"] == 22e-9


def test_slow_pictures_wait_for_the_design_under_way(qtbot, window, held):
    """No exact period of a design that is being replaced is begun; that of the new one follows."""
    gate, _ = held
    window.size_desk.choose_stage("switch")
    qtbot.waitUntil(lambda: not window.size_desk.picture.busy, timeout=20_000)
    window._edit(lambda: window.session.pin("fs", 90e3), "fs")
    feed = window.size_desk.picture.feed
    feed.want(window.session.design, window.size_desk.corner)
    qtbot.wait(400)
    assert feed.busy and feed._worker is None
    gate.set()
    qtbot.waitUntil(lambda: window.size_desk.picture.exact is not None and not window.changing.busy and not feed.busy, timeout=20_000)
    assert window.size_desk.picture.exact.period == pytest.approx(1 / 90e3, rel=1e-6)


def test_saving_waits_for_what_was_asked(window, held, tmp_path):
    """A file saved right after an edit holds that edit, and nothing counts as unsaved."""
    gate, _ = held
    window._edit(lambda: window.session.pin("fs", 90e3), "fs")
    threading.Timer(0.2, gate.set).start()
    assert window.save_to(tmp_path / "kept.rhevectra.json") and not window.session.changed
    assert load(tmp_path / "kept.rhevectra.json").decisions["fs"] == 90e3


def test_a_refusal_found_late_is_told_at_its_field(qtbot, window, held, monkeypatch):
    """What cannot be designed changes nothing and says why where it was typed; a defect is not taken for a refusal."""
    gate, _ = held

    def refuse():
        gate.wait(20)
        raise InputError("decisions.fs", "it is not possible", "less")
    before = window.session.document
    _row(window, "fs")
    window._edit(refuse, "fs")
    assert window.changing.busy
    gate.set()
    qtbot.waitUntil(lambda: not window.changing.busy, timeout=20_000)
    assert "not possible" in window.size_desk.decisions.rows["fs"].note.text() and window.session.document is before
    window.changing.patience = 60_000
    with pytest.raises(ZeroDivisionError):
        window._edit(lambda: 1 / 0)
    window._edit(lambda: window.session.pin("fs", 90e3), "fs")
    assert window.session.design.rows["fs"].value == 90e3


def test_a_decision_that_another_edit_took_away_is_refused(qtbot, window, held):
    """A nudge of the clamp asked for while a topology without one is designed: one sentence, and the topology stands."""
    gate, _ = held
    window._edit(lambda: window.session.pin("topology", "flyback_2sw"), "topology")
    window._edit(lambda: window.session.pin("clamp.c", 22e-9), "clamp.c")
    gate.set()
    qtbot.waitUntil(lambda: not window.changing.busy, timeout=20_000)
    assert window.session.design.topology == "flyback_2sw" and "no such decision" in window.statusBar().currentMessage()
    assert "clamp.c" not in window.session.document.decisions and len(window.session.past) == 1


def test_another_project_drops_what_was_under_way(window, held, demo_file):
    """A project that is opened takes the place of the present one, whatever was still being designed for that."""
    gate, asked = held
    window._edit(lambda: window.session.pin("fs", 90e3), "fs")
    window._edit(lambda: window.session.pin("clamp.c", 22e-9), "clamp.c")
    gate.set()
    window._adopt(of_session.Session.open(demo_file))
    assert not window.changing.busy and window.session.path == demo_file and not window.session.past
    assert not any("clamp.c" in pins and pins.get("fs") == 90e3 for pins in asked)
