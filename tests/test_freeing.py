"""Which pins and readings break a design: told first, by designing without them."""

import json

import pytest

from rhevectra import cli, demo
from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.freeing import freeing_steps, with_pins_tried
from rhevectra.core.design.size import size
from rhevectra.project.codec import decode


def blamed(design):
    return next((found for _, _, found in freeing_steps(design) if found is not None), None)


def left(need, pins):
    return sum(f.severity == MUST_FIX for f in size(need, pins).findings)


CASES = [("camera-hide", {"transformer.ns1": 999}, {"transformer.ns1"}),
         ("camera-hide", {"transformer.core": "EFD15/8/5", "fs": 65e3, "bulk.c": 330e-6}, {"transformer.core"}),
         ("camera-hide", {"fs": 300e3, "transformer.ns1": 40, "flyback.v_or": 300.0}, {"transformer.ns1", "flyback.v_or"}),
         ("logger-rack", {"output2.parallel": 1, "transformer.ns2": 44}, {"transformer.ns2"}),
         ("frost-fans", {"pfc.v_bus": 250.0}, {"pfc.v_bus"})]


@pytest.mark.parametrize(("name", "pins", "guilty"), CASES)
def test_the_guilty_pins_are_named_first_and_without_them_it_can_be_built(name, pins, guilty):
    """A number far from the rule's, alone or among innocent ones: the pins told are the ones that break it, no fewer cure it, and the
    others stay."""
    document = decode(demo.text(name), "demo")
    need, pins = document.requirement, {**document.decisions, **pins}
    broken = size(need, pins)
    told = with_pins_tried(broken)
    first, *others = told.findings
    assert not broken.feasible and tuple(others) == broken.findings and first.severity == MUST_FIX
    assert first.cure in guilty and "nothing is left that must be fixed" in first.text
    for id, spec in broken.decision_specs.items():
        assert ((spec.label + " ") in first.text) == (id in guilty) or id not in pins, id
    cured = size(need, {k: v for k, v in pins.items() if k not in guilty})
    assert cured.feasible
    for id in guilty:
        assert f"by rule {cured.value(id):.0f}" in first.text if id == "transformer.ns1" else "by rule" in first.text
        assert left(need, {k: v for k, v in pins.items() if k not in guilty - {id}}) > 0


def test_a_reading_with_a_slip_in_its_prefix_is_named():
    """Leakage read as 4.2 mH where µH were meant, beside a sound reading and a pin."""
    need = decode(demo.text(), "demo").requirement
    sound = size(need, {"fs": 65e3})
    readings = {"transformer.leakage": Measured(1e3 * sound.value("transformer.leakage")),
                "transformer.lp": Measured(1.01 * sound.value("transformer.lp"))}
    first, *_ = with_pins_tried(size(need, {"fs": 65e3}, readings)).findings
    expected = show(size(need, {"fs": 65e3}, {"transformer.lp": readings["transformer.lp"]}).value("transformer.leakage"), "H")
    assert first.figure == first.cure == "transformer.leakage" and first.stage == "transformer"
    read = show(readings["transformer.leakage"].value, "H")
    assert first.text == f"Leakage inductance read as {read} (expected {expected}): without this nothing is left that must be fixed"


def test_innocent_pins_are_not_named():
    """What the requirement itself makes impossible, or no pin touches: 4.6 kW from 200 V draw more into a short than any die stands."""
    need = Requirement(mains=Mains(kind="dc", v_min=200, v_max=400), outputs=(Output(voltage=48, current_max=95),))
    d = size(need, {"topology": "llc_three_phase", "aux.i": 5e-3}, noise=False)
    assert not d.feasible and "aux.i" in d.pins and blamed(d) is None and with_pins_tried(d) is d
    fine = size(decode(demo.text(), "demo").requirement, {"fs": 65e3})
    assert fine.feasible and list(freeing_steps(fine)) == [(3, 3, None)]


def test_what_mends_a_part_says_how_much():
    """A requirement that cannot be met as it stands, and a pin that breaks more: counted by designing without it."""
    need = Requirement(mains=Mains(kind="dc", v_min=200, v_max=400), outputs=(Output(voltage=48, current_max=95),))
    pins = {"topology": "llc_three_phase", "transformer.np": 200}
    d = size(need, pins)
    before, after = left(need, pins), left(need, {"topology": "llc_three_phase"})
    found = blamed(d)
    assert before > after > 0
    assert found is not None and f"{before - after} of {before} things that must be fixed are gone" in found.text


def test_the_command_tells_it_first(tmp_path, capsys):
    document = json.loads(demo.text())
    document["decisions"] = {"transformer.ns1": 999}
    path = tmp_path / "hide.rhevectra.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    assert cli.main(["size", str(path), "--json"]) == cli.INFEASIBLE
    assert json.loads(capsys.readouterr().out)["findings"][0]["cure"] == "transformer.ns1"
    assert cli.main(["size", str(path)]) == cli.INFEASIBLE
    findings = [line for line in capsys.readouterr().out.splitlines() if line.startswith("must fix")]
    assert findings[0].startswith("must fix: Secondary turns 1 of 999 (by rule") and findings[0].endswith(
        "without this nothing is left that must be fixed")


def test_in_the_window_it_comes_first_and_leads_to_the_pin(qtbot, window):
    """It comes a moment after the design, does not move what is looked at, is gone with the pin, and can be cancelled."""
    findings, texts = window.size_desk.findings, lambda: [findings.list.item(k).text() for k in range(findings.list.count())]
    window._edit(lambda: window.session.pin("transformer.ns1", 999))
    findings.list.setCurrentRow(4)
    chosen = findings.list.currentItem().text()
    qtbot.waitUntil(lambda: "without this" in texts()[0], timeout=20_000)
    assert findings.list.currentItem().text() == chosen
    window.size_desk.choose_stage("bulk")
    assert "without this" in texts()[0], "another stage of the same design"
    findings._activated(findings.list.item(0))
    assert window.size_desk.stage == "transformer"
    window._edit(lambda: window.session.free("transformer.ns1"))
    window._edit(lambda: window.session.measure("transformer.leakage", Measured(4e-3)))
    window.size_desk.choose_stage("bulk")
    qtbot.waitUntil(lambda: "Leakage inductance read as" in texts()[0], timeout=20_000)
    findings._activated(findings.list.item(0))
    assert window.size_desk.stage == "transformer" and window.size_desk.ledger.open_id == "transformer.leakage"
    window._edit(lambda: window.session.measure("transformer.leakage", None))
    assert not window.size_desk.busy or not findings.freeing.busy
    assert not any("without this" in t for t in texts())
    window._edit(lambda: window.session.pin("transformer.ns1", 999))
    assert findings.freeing.busy
    window.cancel_job()
    qtbot.waitUntil(lambda: not findings.freeing.busy, timeout=20_000)
    assert not any("without this" in t for t in texts())
