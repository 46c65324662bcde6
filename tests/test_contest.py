"""The contest: measures worked out again by hand, the order by an independent score, the command and the desk."""

import json
import math
import re

import numpy as np
import pytest
from PySide6.QtCore import Qt

from rhevectra import demo
from rhevectra.app.contest import chosen_text
from rhevectra.app.workers import contest_steps, run
from rhevectra.cli import main
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.contest import COST, WEIGHTS, contest, ranked
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.effective import effective
from rhevectra.core.stages import front_ends_for
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode

BENCH = decode(demo.text("ringing-lab-bench"), "demo")
NEED = BENCH.requirement


@pytest.fixture(scope="module")
def entries():
    return run(NEED, BENCH.decisions, workers=1)


def test_worker_processes_find_the_same(entries):
    """Two processes beside this one: the same order, measures, pins and reasons, progress that only grows, and an early first row."""
    steps = list(contest_steps(NEED, BENCH.decisions, workers=2))
    assert [d for d, _, _ in steps] == list(range(1, len(steps) + 1)) and steps[-1][0] == steps[-1][1]
    last = {e.topology: e for _, _, e in steps}
    assert ranked(list(last.values())) == entries
    unfinished = contest_steps(NEED, BENCH.decisions, workers=2)
    assert next(unfinished)[2].topology in TOPOLOGIES
    unfinished.close()  # ends its workers


def test_every_topology_is_there_with_the_same_budget_and_its_own_choice(entries):
    assert {e.topology for e in entries} == set(TOPOLOGIES)
    budget = math.prod(len(v) for v in TOPOLOGIES[entries[0].topology].CONTEST.values())
    others, beside = sum(m.SHAPES_CURRENT for m in front_ends_for("ac1").values()), len(TOPOLOGIES[entries[0].topology].CONTEST["fs"]) - 1
    assert {e.tried for e in entries} <= {budget, budget + others, budget + others + beside} and all(e.tried == budget for e in entries if e.feasible and e.front_end == "plain")
    for e in entries:
        own = TOPOLOGIES[e.topology].CONTEST if e.front_end == "plain" else ("front_end", "fs")
        assert set(e.pins) == {"topology", *own} and "kHz" in chosen_text(e)
        again = size(NEED, e.pins)
        assert again.value("loss.total") == e.loss and again.feasible == e.feasible


def test_measures_by_hand(entries):
    """Core volume from the dimensions, switch stress from the rows, cost from the bill and the printed weights, efficiency from loss."""
    for e in entries:
        d, cores = size(NEED, e.pins), []
        for id in ("transformer.core", "filter1.core", "inductor.core", "pfc.core"):
            if id in d.rows and isinstance(d.rows[id].value, str):
                cores.append((3 if e.topology == "llc_three_phase" and id != "pfc.core" else 2 if e.front_end == "pfc_interleaved" and id == "pfc.core" else 1) * float(effective([d.catalogue["cores"].row(d.rows[id].value)]).volume[0]))
        assert e.magnetics_volume == pytest.approx(sum(cores), rel=1e-9)
        power = d.requirement.power
        count = sum(n for _, n in TOPOLOGIES[e.topology].bill(d)["switches"])
        assert e.switch_stress == pytest.approx(count * np.max(d.rows["switch.v_peak"].value) * np.max(d.rows["switch.i_peak"].value) / power, rel=1e-9)
        assert e.efficiency == pytest.approx(power / (power + e.loss), rel=1e-3)
        bill = TOPOLOGIES[e.topology].bill(d)
        switch = d.catalogue["switches"].row(bill["switches"][0][0])
        bare = bill["switches"][0][1] * (COST["switch"] + COST["die"] * (switch["v_class_v"] / 600) ** 2 / switch["r_on_25_ohm"]) + bill["wound"] * COST["wound"] + sum(cores) * 1e6 * COST["core_cm3"]
        assert bare < e.cost_index < bare + 0.5 * bill["small"] + 2.0 * sum(n for k in ("rectifiers", "capacitors") for _, n in bill[k]) + 1.0


def test_order_and_reasons(entries):
    """The order by a score written again here; each loser names at least two figures, and the numbers are its own and the winner's."""
    assert [e.topology for e in entries if not e.feasible] == ["buck_aux"] and entries[-1].rank is None and "insulation is asked for" in entries[-1].reason
    entries = entries[:-1]
    least = {m: min(getattr(e, m) for e in entries) for m in WEIGHTS}
    points = [sum(w * getattr(e, m) / least[m] for m, w in WEIGHTS.items()) for e in entries]
    assert points == sorted(points) and [e.rank for e in entries] == list(range(1, len(entries) + 1))
    assert entries[0].topology in entries[0].reason or "first by the weights" in entries[0].reason
    for e in entries[1:]:
        assert e.reason.count(" against ") >= 2
        told = re.findall(r"loses (\S+) W against (\S+) W", e.reason)
        if told:
            assert float(told[0][0]) == pytest.approx(e.loss, rel=0.01) and float(told[0][1]) == pytest.approx(entries[0].loss, rel=0.01)
    cheap = ranked(entries, {"cost_index": 1.0})
    assert cheap[0].cost_index == min(e.cost_index for e in entries)


def test_what_cannot_be_built_comes_last_and_says_why():
    need = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12, current_max=1.5), Output(voltage=5, current_max=1.0, tolerance=0.07)), harmonics_class="none")
    found = run(need)
    last = next(e for e in found if e.topology == "half_bridge")
    assert not last.feasible and last.rank is None and "cannot be built" in last.reason and "one output" in last.reason and not found[-1].feasible
    assert {e.topology for e in found if e.feasible} == {"flyback", "flyback_2sw", "flyback_qr"}, "only these have several outputs"
    alone = [e for e in found if e.topology in (found[0].topology, last.topology)]
    assert ranked(alone)[0].reason == "the only one that can be built"


def test_pins_of_one_topology_are_dropped_and_the_common_ones_kept():
    need = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12, current_max=5),), harmonics_class="none")
    steps = list(contest(need, {"front_end": "plain", "fs": 50e3, "flyback.v_or": 60.0}))
    assert [done for done, _, _ in steps] == list(range(1, len(steps) + 1)) and steps[-1][1] == len(steps)
    assert all(e.pins["front_end"] == "plain" and "flyback.v_or" not in e.pins and e.pins["fs"] != 50e3 for _, _, e in steps)
    assert len({e.topology for _, _, e in steps[: len(TOPOLOGIES)]}) == len(TOPOLOGIES)


def test_the_command_prints_one_object_and_its_exit_code(tmp_path, capsys):
    path = tmp_path / "p.rhevectra.json"
    path.write_text(demo.text("camera-hide"), encoding="utf-8")
    assert main(["contest", str(path), "--json"]) == 0
    out, err = capsys.readouterr()
    data = json.loads(out)
    assert err == "" and data["elapsed"] > 0 and data["entries"][0]["rank"] == 1
    for key in ("topology", "front_end", "feasible", "efficiency", "efficiency_light", "magnetics_volume", "switch_stress", "cost_index", "tightest_margin", "reason"):
        assert all(key in e for e in data["entries"]), key
    assert main(["contest", str(path)]) == 0
    text = capsys.readouterr().out
    assert all(t in text for t in TOPOLOGIES) and "best of" in text
    path.write_text(demo.text("camera-hide").replace('"hold_up": 0.010', '"height_max": 0.003, "hold_up": 0.010'), encoding="utf-8")
    assert main(["contest", str(path), "--json"]) == 3
    assert all(e["rank"] is None and e["reason"].startswith("cannot be built") for e in json.loads(capsys.readouterr().out)["entries"])


def test_the_desk_runs_orders_opens_and_holds(qtbot, window):
    """Keys and mouse in the real window: the contest runs in the background, a weight moves the order, a row opens on the Size desk, undo brings the old design back."""
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    desk = window.contest_desk
    qtbot.waitUntil(lambda: not window.jobs.running and len(desk.order) == len(TOPOLOGIES), timeout=90_000)
    assert window.stack.currentWidget() is desk and desk.table.rowCount() == len(TOPOLOGIES) and str(sum(e.tried for e in desk.order)) in desk.said.text()
    assert desk.table.item(0, 1).text() == desk.order[0].topology and desk.order[0].reason[1:10] in desk.reason.toPlainText()
    for name, box in desk.weights.items():
        box.setValue(5.0 if name == "loss" else 0.0)
    assert [e.loss for e in desk.order if e.feasible] == sorted(e.loss for e in desk.order if e.feasible)
    row = next(k for k, e in enumerate(desk.order) if e.topology != window.session.design.topology)
    entry, before = desk.order[row], window.session.document
    desk.table.setCurrentCell(row, 1)
    desk.held.emit(desk.chosen())
    assert window.session.reference.topology == entry.topology and window.session.reference.value("loss.total") == entry.loss and window.session.document is before
    window.go("Contest")
    desk.table.cellActivated.emit(row, 1)
    assert window.session.design.topology == entry.topology and window.session.design.value("loss.total") == entry.loss and window.stack.currentWidget() is window.size_desk
    window.undo()
    assert window.session.document == before


def test_another_requirement_starts_the_contest_anew_and_it_can_be_cancelled(qtbot, window):
    window.go("Contest")
    desk = window.contest_desk
    qtbot.waitUntil(lambda: len(desk.found) == len(TOPOLOGIES), timeout=90_000)
    key = desk.key
    window.session.require(Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=24, current_max=4),), harmonics_class="none"))
    window.show_all()
    assert desk.key != key
    window.cancel_job()
    assert not window.jobs.running
