"""Outputs in another order, or one less: what was decided and measured of each goes with it."""

from dataclasses import replace
from itertools import permutations

import numpy as np
import pytest
from PySide6.QtCore import Qt

from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.project.codec import decode
from rhevectra.project.reorder import reordered

PINS = {"output2.parallel": 2, "output3.bleed": 0.02, "transformer.ns2": 22, "transformer.wire_ns3": "0.3", "rectifier1.parallel": 2,
        "transformer.arrangement": "p:22 | s1 | s3 | s2 | p:12 | aux", "fs": 90e3}
READ = {"output3.v": Measured(15.4)}


@pytest.fixture(scope="module")
def rack():
    document = decode(demo.text("logger-rack"), "demo").decide(PINS)
    return document.measured(READ)


@pytest.mark.parametrize("order", list(permutations(range(3)))[1:])
def test_the_same_supply_whatever_the_order(rack, order):
    """Every order of three outputs with decisions, a reading and an order of windings of one's own: the design is the same supply, every
    figure of an output where that output has gone. The second route is the design of the order before."""
    made = reordered(rack, order, 0)
    before, after = (size(d.requirement, d.decisions, d.as_built) for d in (rack, made))
    assert [o.name for o in made.requirement.outputs] == [rack.requirement.outputs[k].name for k in order]
    assert made.requirement.outputs[made.requirement.main].name == "+5 V"
    assert len(made.decisions) == len(PINS) and not any("not known" in f.text or "no effect" in f.text for f in after.findings)
    assert before.value("loss.total") == pytest.approx(after.value("loss.total"), rel=1e-9)
    names = [o.name for o in after.requirement.outputs]
    for old, name in enumerate(("+5 V", "+15 V", "-15 V")):
        new = names.index(name)
        for id in (*(["output#.v"] if old else []), "rectifier#.v_reverse", "rectifier#.i_rms", "output#.i_c_rms", "transformer.ns#",
                   "transformer.wire_ns#", "output#.parallel", "output#.bleed"):
            one, two = before.rows[id.replace("#", str(old + 1))].value, after.rows[id.replace("#", str(new + 1))].value
            if isinstance(one, str):
                assert one == two, id
            else:
                assert np.max(one) == pytest.approx(np.max(two), rel=1e-9), id


def test_an_output_that_goes_takes_its_decisions_along(rack):
    made = reordered(rack, (0, 2), 0)
    assert made.decisions == {"output2.bleed": 0.02, "transformer.wire_ns2": "0.3", "rectifier1.parallel": 2, "fs": 90e3}
    assert made.as_built == {"output2.v": READ["output3.v"]}
    left = reordered(rack, (1, 2), 1)
    assert left.requirement.main == 0 and left.requirement.outputs[0].name == "+15 V", "the first left is regulated"
    assert left.decisions["output1.parallel"] == 2 and left.decisions["transformer.ns1"] == 22
    assert "rectifier1.parallel" not in left.decisions


def test_what_all_outputs_share_keeps_its_number(rack):
    made = reordered(rack.decide({"filter1.rise_max": 50.0, "filter1.l": 1e-6, "filter3.l": 2e-6}), (0, 1, 2), 2)
    assert made.decisions == {"filter1.rise_max": 50.0, "filter2.l": 1e-6, "filter1.l": 2e-6}


THREE = (Output(voltage=12, current_max=2, tolerance=0.1), Output(voltage=5, current_max=30),
         Output(voltage=-12, current_max=1, tolerance=0.1))


def held(k, outs=THREE):
    return Requirement(mains=Mains(kind="dc", v_min=360, v_max=400),
                       outputs=tuple(replace(o, regulated=i == k) for i, o in enumerate(outs)))


@pytest.mark.parametrize("topology", ["flyback", "flyback_qr", "half_bridge", "forward_2sw", "psfb", "llc_half"])
def test_the_regulated_output_may_stand_anywhere(topology):
    """The same outputs listed with the regulated one first, in the middle and last: the same supply to the last bit, output 1 is the
    regulated one, the others follow as they stand."""
    first = size(held(0, (THREE[1], THREE[0], THREE[2])), {"topology": topology})
    for k, outs in ((1, THREE), (2, (THREE[0], THREE[2], THREE[1]))):
        other = size(held(k, outs), {"topology": topology})
        assert other.rows.keys() == first.rows.keys() and not any("is designed" in f.text for f in other.findings)
        for id, row in first.rows.items():
            assert isinstance(row.value, str) or np.array_equal(row.value, other.rows[id].value), id
        assert [other.specs[f"output{n}.ripple_pp"].label.split(":")[0] for n in (1, 2, 3)] == ["5 V", "12 V", "-12 V"]
        assert other.findings == first.findings
    c = other.grid.find(other.grid.lines[0], 1.0, "run", other.grid.bus[0])
    e = exact(other, c)
    for n, out in enumerate(other.requirement.outputs, 1):  # nodes of the circuit are numbered alike
        assert np.trapezoid(e.voltages[f"out{n}"], e.t) / e.period == pytest.approx(out.magnitude, rel=0.03 if n == 1 else 0.3)


def test_decisions_stay_with_their_output():
    """The regulated one is output 1 wherever it stands: moved, or another regulated, its own pins follow each output."""
    document = decode(demo.text(), "demo").require(held(1)).decide(
        {"topology": "half_bridge", "output1.parallel": 3, "output2.parallel": 2, "rectifier3.parallel": 2})
    session = Session(document, size(held(1)).catalogue)
    assert session.design.value("load.v_main") == 5.0
    session.reorder((1, 0, 2), 1)
    assert session.design.pins == document.decisions and session.design.value("load.v_main") == 5.0
    assert session.undo() == "outputs in the order 5 V, 12 V, -12 V" and session.document == document
    session.reorder((0, 1, 2), 0)
    assert session.design.value("load.v_main") == 12.0 and session.undo() == "12 V regulated"
    session.redo()
    assert session.design.pins == {"topology": "half_bridge", "output2.parallel": 3, "output1.parallel": 2, "rectifier3.parallel": 2}
    session.reorder((1, 2), 1)
    assert session.design.pins == {"topology": "half_bridge", "output1.parallel": 3, "rectifier2.parallel": 2}


def test_rows_of_the_ask_desk_are_regulated_moved_and_taken_away(qtbot, window):
    """By mouse, each one edit that can be taken back; one output has neither a choice nor a place."""
    window._adopt(Session.of_text(demo.text("logger-rack"), "demo"))
    window.go("Ask")
    table, names = window.ask.outputs, lambda: [o.name for o in window.session.document.requirement.outputs]
    main = lambda: window.session.document.requirement.main  # noqa: E731
    assert [b.isChecked() for b in table.loops] == [True, False, False] and not table.moves[0][0].isEnabled()
    window._edit(lambda: window.session.pin("output2.parallel", 2))
    shown = lambda: qtbot.waitUntil(lambda: all(b.height() > 10 for pair in table.moves for b in pair))  # noqa: E731
    shown()
    qtbot.mouseClick(table.loops[1], Qt.MouseButton.LeftButton, pos=table.loops[1].rect().center())
    assert main() == 1 and [b.isChecked() for b in table.loops] == [False, True, False]
    qtbot.mouseClick(table.moves[1][0], Qt.MouseButton.LeftButton)
    assert names() == ["+15 V", "+5 V", "-15 V"] and main() == 0
    assert table.edit(0, "Voltage").text() == "15 V" and window.session.document.decisions == {"output1.parallel": 2}
    qtbot.mouseClick(table.moves[0][1], Qt.MouseButton.LeftButton)
    assert names() == ["+5 V", "-15 V"] and main() == 0 and window.session.document.decisions == {}
    shown()
    qtbot.mouseClick(table.moves[1][1], Qt.MouseButton.LeftButton)
    assert names() == ["+5 V"] and not table.loops and not table.moves
    qtbot.mouseClick(table.add, Qt.MouseButton.LeftButton)
    assert len(names()) == 2 and table.loops[0].isChecked()
    for _ in range(5):
        window.undo()
    assert names() == ["+5 V", "+15 V", "-15 V"] and main() == 0 and window.session.document.decisions == {"output2.parallel": 2}
    assert [b.isChecked() for b in table.loops] == [True, False, False] and len(table.moves) == 3
