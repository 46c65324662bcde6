"""The contest: measures worked out again by hand, the order by an independent score, the command and the desk."""

import json
import os
import re
import subprocess
import sys

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt

from rhevectra import demo
from rhevectra.app import workers
from rhevectra.app.contest import chosen_text, lines
from rhevectra.app.workers import _POOL, Workers, contest_steps, run
from rhevectra.cli import main
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import read_rows, shipped, with_own
from rhevectra.core.design.contest import NEAR, WEIGHTS, _Fronts, contest, entry_of, example_of, ranked
from rhevectra.core.design.cost import prices, whole_bill
from rhevectra.core.design.names import spoken
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.effective import effective
from rhevectra.core.stages import front_ends_for
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode
from rhevectra.project.store import own_folder
from rhevectra.ui.views.contest import COLUMNS, FIRST_NUMBER, SHARE, ContestView

BENCH = decode(demo.text("ringing-lab-bench"), "demo")
NEED = BENCH.requirement


def test_worker_processes_find_the_same(entries):
    """Two processes beside this one: the same order, measures, pins and reasons, progress that only grows, and an early first row."""
    steps = list(contest_steps(NEED, BENCH.decisions, workers=2))
    assert [d for d, _, _ in steps] == list(range(1, len(steps) + 1)) and steps[-1][0] == steps[-1][1]
    last = {e.topology: e for _, _, e in steps}
    assert ranked(list(last.values())) == entries
    unfinished = contest_steps(NEED, BENCH.decisions, workers=2)
    assert next(unfinished)[2].topology in TOPOLOGIES
    unfinished.close()  # leaves out the rest


def test_workers_that_die_cost_nothing(entries):
    """Both worker processes are killed half way: what they had is made here, the order is the same, and the next contest has workers
    again."""
    steps, killed = [], False
    for step in contest_steps(NEED, BENCH.decisions, workers=2):
        steps.append(step)
        started = _POOL.ready(2)
        if not killed and len(started) == 2 and len(steps) > 20:
            for process in [p for worker in started for p in worker._processes.values()]:
                process.kill()
            killed = True
    assert killed and ranked(list({e.topology: e for _, _, e in steps}.values())) == entries
    assert ranked(list({e.topology: e for _, _, e in contest_steps(NEED, BENCH.decisions, workers=2)}.values())) == entries


def test_a_design_given_to_a_worker_that_has_ended_is_not_lost(monkeypatch):
    """The worker ends between two designs, so that giving it the next one fails: that one is made here."""
    ended = workers.ProcessPoolExecutor(1)
    with pytest.raises(workers.BrokenProcessPool):
        ended.submit(os._exit, 1).result()
    monkeypatch.setattr(workers, "_POOL", pool := workers._Pool())
    pool._workers[2] = [ended]
    made = Workers(NEED, None, 2)
    made.ask({"topology": "forward_2sw"})
    assert made.take().topology == "forward_2sw" and 2 not in pool._workers


@pytest.mark.parametrize("window", ["", "import PySide6.QtCore"])
def test_workers_end_with_a_program_that_is_killed(window):
    """Killed, it can tell nobody; its workers hold its output open until they end, so that reading it to its end waits for them. (They had
    stayed for ever.)"""
    code = (f"{window}\nimport os, time\nfrom rhevectra.app.workers import _POOL\nwhile len(_POOL.ready(2)) < 2: "
            "time.sleep(0.05)\nprint('ready', flush=True)\nos.kill(os.getpid(), 9)")
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    assert (told.returncode, told.stdout) == (-9, "ready\n")


def test_without_worker_processes_all_is_made_here(entries, monkeypatch):
    """Where no process can be started nobody is told, and nothing is missing."""
    def refused(*_given):
        raise OSError("no more processes")
    monkeypatch.setattr(workers, "_POOL", workers._Pool())
    monkeypatch.setattr(workers, "ProcessPoolExecutor", refused)
    assert ranked(list({e.topology: e for _, _, e in contest_steps(NEED, BENCH.decisions, workers=2)}.values())) == entries


def test_without_a_window_workers_are_there_at_once(entries):
    """A process of one thread is copied: both workers stand before the first design, and find the same; beside a window nothing is
    copied."""
    code = ("from rhevectra.app import workers as w; from rhevectra import demo; from rhevectra.project.codec import decode; d = "
            "decode(demo.text('ringing-lab-bench'), 'demo'); print(len(w._POOL.ready(2))); print([(e.topology, e.loss) for e in "
            "w.run(d.requirement, d.decisions, workers=2)])")
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=120, check=True)
    count, found = told.stdout.splitlines()
    assert (count, found) == ("2", str([(e.topology, e.loss) for e in entries])) and not told.stderr and not workers._may_fork()


def test_slow_topologies_are_made_first():
    """What has not been made yet comes before all that, in the order it was asked for."""
    made = Workers(NEED, None, 2)
    for name in ("flyback", "llc_half", "psfb", "push_pull"):
        made.ask({"topology": name})
    made._took = {"flyback": 0.03, "llc_half": 0.08, "psfb": 0.04}
    assert made._next(object())["topology"] == "push_pull"
    made._took["push_pull"] = 0.03
    assert made._next(object())["topology"] == "llc_half"


def test_a_worker_goes_on_with_what_it_has_made():
    """What another has made comes last, however long it takes; where nothing else is left it is taken all the same."""
    made, one, other = Workers(NEED, None, 2), object(), object()
    made._took, made._home = {"flyback": 0.03, "llc_half": 0.08, "psfb": 0.04}, {"flyback": one, "llc_half": other}
    for name in ("flyback", "llc_half", "psfb"):
        made.ask({"topology": name})
    made._example = "flyback"
    assert made._next(one)["topology"] == "flyback", "the others wait for it"
    made._example = "push_pull"
    assert made._next(one)["topology"] == "psfb" and made._next(other)["topology"] == "llc_half"
    made._asked.pop()
    assert made._next(one)["topology"] == "flyback"
    made._asked.pop(0)
    assert made._next(one)["topology"] == "llc_half"


def test_every_topology_is_there_with_the_same_budget_and_its_own_choice(entries):
    assert {e.topology for e in entries} == set(TOPOLOGIES)
    others = sum(m.SHAPES_CURRENT for m in front_ends_for("ac1").values())
    assert entries[-1].topology == "buck_aux" and entries[-1].tried == 1, "refused for what it is, whatever else is chosen"
    for e in entries[:-1]:
        choices = TOPOLOGIES[e.topology].CONTEST
        steps = 1 + sum(
            v.index(e.pins[k]) or len(v) - 1 for k, v in choices.items())  # all the values of a choice, or up to the first that is better
        assert e.tried in (steps, steps + others) and (e.tried == steps or not e.feasible or e.front_end != "plain"), e.topology
    for e in entries:
        own = (*TOPOLOGIES[e.topology].CONTEST, *(() if e.front_end == "plain" else ("front_end",)))
        assert set(e.pins) == {"topology", *own} and "kHz" in chosen_text(e)
        again = size(NEED, e.pins)
        assert again.value("loss.total") == e.loss and again.feasible == e.feasible


@pytest.fixture(scope="module")
def fans():
    """The contest of a requirement whose harmonics ask for a power factor stage, in one process and in two."""
    need = decode(demo.text("frost-fans"), "demo").requirement
    return need, run(need, workers=1), run(need, workers=2)


def test_power_factor_stages_left_out_are_no_better(fans):
    """Every topology waits for what the usual one, here a resonant half bridge, makes of the stages, and tries fewer. Each that was left
    out is made by hand: none would be better by more than the margin and half a per cent of the score."""
    need, alone, both = fans
    assert alone == both
    shaping = [front for front, m in front_ends_for("ac1").items() if m.SHAPES_CURRENT]
    of = {e.topology: e for e in alone}
    assert of[example_of(need)].tried >= 2 + len(shaping), "it tries them all"
    for name in ("flyback_2sw", "full_bridge"):
        assert of[name].tried < of[example_of(need)].tried
        made = [entry_of(need, None, {**of[name].pins, "front_end": front}) for front in shaping]
        score = [sum(w * getattr(e, m) / getattr(of[name], m) for m, w in WEIGHTS.items()) / sum(WEIGHTS.values()) for e in made
                 if e.feasible]
        assert len(score) == len(shaping) and min(score) > 1 - 0.005 - NEAR, name


def test_what_a_stage_adds_is_carried_over():
    """Entries made up: the example loses 10 W more and costs 5 less with one stage, ten times as much with another; to a topology of the
    same loss the first is nearer, to one of twice the cost and little loss it is not; what the example could not build, or never had, is
    tried."""
    first = replace(run(NEED, {"front_end": "plain"}, workers=1)[0], feasible=True, front_end="pfc_ccm", loss=50.0, cost_index=20.0,
                    magnetics_volume=1e-5, switch_stress=10.0)
    told = _Fronts("psfb",
                   {"pfc_ccm": first, "pfc_crm": replace(first, front_end="pfc_crm", loss=60.0, cost_index=15.0),
                    "pfc_bridgeless": replace(first, front_end="pfc_bridgeless", loss=500.0),
                    "pfc_interleaved": replace(first, front_end="pfc_interleaved", feasible=False)})
    asked = ["pfc_crm", "pfc_bridgeless", "pfc_interleaved", "pfc_never_made"]
    assert told.worth(first, asked, WEIGHTS) == ["pfc_crm", "pfc_interleaved", "pfc_never_made"]
    assert told.worth(replace(first, loss=20.0, cost_index=40.0), asked, WEIGHTS) == ["pfc_interleaved", "pfc_never_made"]
    lean = _Fronts("psfb", {"pfc_ccm": first, "pfc_bridgeless": replace(first, front_end="pfc_bridgeless", loss=45.0, cost_index=200.0)})
    assert (lean.worth(first, ["pfc_bridgeless"], WEIGHTS) == []
            and lean.worth(replace(first, missed=("efficiency",)), ["pfc_bridgeless"], WEIGHTS)
            == ["pfc_bridgeless"]), "a dear one that loses less, where something asked is missed"
    assert told.worth(replace(first, feasible=False), asked, WEIGHTS) == asked and _Fronts("psfb").worth(first, asked, WEIGHTS) == asked


def test_the_last_choice_is_the_best_of_its_values(entries):
    """What each search tried last is tried again by hand: no other value of it gives a better score within the topology, nor does the
    frequency it began with."""
    for e in entries[:-1]:
        knob, values = list(TOPOLOGIES[e.topology].CONTEST.items())[-1]
        tried = [entry_of(NEED, None, {**e.pins, knob: v}) for v in values]
        tried.append(entry_of(NEED, None, {**e.pins, "fs": TOPOLOGIES[e.topology].CONTEST["fs"][0]}))
        field = [t for t in tried if t.feasible] or tried
        best = min(field, key=lambda t: sum(w * getattr(t, m) / getattr(e, m) for m, w in WEIGHTS.items()))
        assert sum(w * getattr(best, m) / getattr(e, m) for m, w in WEIGHTS.items()) > 0.99 * sum(WEIGHTS.values()), e.topology


def test_measures_by_hand(entries):
    """Core volume from the dimensions, switch stress from the rows, cost from the bill and the printed weights, efficiency from loss."""
    cost = prices(shipped()["costs"])
    for e in entries:
        d, cores = size(NEED, e.pins), []
        for id in ("transformer.core", "filter1.core", "inductor.core", "pfc.core"):
            if id in d.rows and isinstance(d.rows[id].value, str):
                cores.append(
                    (3 if e.topology == "llc_three_phase" and id != "pfc.core" else 2 if e.front_end == "pfc_interleaved"
                     and id == "pfc.core" else 1) * float(effective([d.catalogue["cores"].row(d.rows[id].value)]).volume[0]))
        assert e.magnetics_volume == pytest.approx(sum(cores), rel=1e-9)
        power = d.requirement.power
        count = sum(n for _, n in TOPOLOGIES[e.topology].bill(d)["switches"])
        assert e.switch_stress == pytest.approx(
            count * np.max(d.rows["switch.v_peak"].value) * np.max(d.rows["switch.i_peak"].value) / power, rel=1e-9)
        assert e.efficiency == pytest.approx(power / (power + e.loss), rel=1e-3)
        bill = TOPOLOGIES[e.topology].bill(d)
        switch = d.catalogue["switches"].row(bill["switches"][0][0])
        bulk, pair = d.catalogue["bulk_capacitors"].row(d.context["front"].cap["name"]), 1 + ("bulk.r_balance" in d.rows)
        front = cost["rectifier"] + cost["ampere"] * d.catalogue["bridges"].row(d.rows["bridge.class"].value)["i_rated_a"] + pair * (
            cost["capacitor"] + cost["storage"] * np.sqrt(bulk["c_f"] * 1e6 * bulk["v_class_v"] / 10) / 10)
        die = cost["switch"] + cost["die"] * (switch["v_class_v"] / 600) ** 2 / switch["r_on_25_ohm"]
        bare = front + bill["switches"][0][1] * die + bill["wound"] * cost["wound"] + sum(cores) * 1e6 * cost["core_cm3"]
        others = sum(n for k in ("rectifiers", "capacitors") for _, n in bill[k])
        assert bare < e.cost_index < bare + 0.5 * bill["small"] + 2.0 * others + 1.0


def test_prices_of_ones_own(entries):
    """A price of a rule or of a part changes the cost by the difference times what the bill counts, and nothing else; no clash is told; who
    orders by cost sees another order where one topology's part is dear."""
    first = entries[0]
    d = size(NEED, first.pins)
    bill, cost = whole_bill(d), prices(shipped()["costs"])
    name, count = bill["switches"][0]
    row = d.catalogue["switches"].row(name)
    by_rule = cost["switch"] + cost["die"] * (row["v_class_v"] / 600) ** 2 / row["r_on_25_ohm"]
    own = with_own(shipped(),
                   {"costs": [{"name": "wound", "what": "a wound part", "value": "1.1", "source": "own"},
                              {"name": name, "what": "", "value": "7.5", "source": "own"}]}, "own parts")
    dear = entry_of(NEED, own, first.pins)
    assert dear.cost_index - first.cost_index == pytest.approx(bill["wound"] * (1.1 - cost["wound"]) + count * (7.5 - by_rule), rel=1e-9)
    assert dear.loss == first.loss and not any("own row replaces" in f.text for f in dear.findings)
    others = [e for e in entries if e.feasible and e.topology != first.topology]
    assert ranked([dear, *others], {"cost_index": 1.0})[0].topology != first.topology


def test_order_and_reasons(entries):
    """The order by a score written again here; each loser names at least two figures, and the numbers are its own and the winner's."""
    assert ([e.topology for e in entries if not e.feasible] == ["buck_aux"] and entries[-1].rank is None
            and "insulation is asked for" in entries[-1].reason)
    entries = entries[:-1]
    least = {m: min(getattr(e, m) for e in entries) for m in WEIGHTS}
    points = [sum(w * getattr(e, m) / least[m] for m, w in WEIGHTS.items()) for e in entries]
    assert points == sorted(points) and [e.rank for e in entries] == list(range(1, len(entries) + 1))
    assert spoken(entries[1].topology) in entries[0].reason or "first by the weights" in entries[0].reason
    for e in entries[1:]:
        assert e.reason.count(" against ") >= 2
        told = re.findall(r"loses (\S+) W against (\S+) W", e.reason)
        if told:
            assert float(told[0][0]) == pytest.approx(e.loss, rel=0.01) and float(told[0][1]) == pytest.approx(entries[0].loss, rel=0.01)
    cheap = ranked(entries, {"cost_index": 1.0})
    assert cheap[0].cost_index == min(e.cost_index for e in entries)


def test_nothing_is_set_against_itself(entries):
    """A design that differs in cost alone, or by less than what is shown, names no measure with the same number twice."""
    first, second = entries[:2]
    twin = replace(first, topology=second.topology, cost_index=1.2 * first.cost_index, loss=first.loss * 1.00001)
    reason = next(e for e in ranked([first, twin]) if e.topology == second.topology).reason
    assert reason.startswith("costs ") and reason.endswith("in all else they read the same")
    for e in (*entries, *ranked([first, twin])):
        assert all(a != b for a, b in re.findall(r"(?:loses|needs|costs|with) (\S+)(?: \S+)*? against (\S+)", e.reason)), e.reason


def test_what_cannot_be_built_comes_last_and_says_why():
    need = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265),
                       outputs=(Output(voltage=12, current_max=1.5, current_min=0.15),
                                Output(voltage=5, current_max=1.0, current_min=0.1, tolerance=0.15)), harmonics_class="none")
    found = run(need)
    last = next(e for e in found if e.topology == "llc_three_phase")
    assert (not last.feasible and last.rank is None and "cannot be built" in last.reason and "share one output" in last.reason
            and not found[-1].feasible)
    assert ({e.topology for e in found if e.feasible} >= {"flyback", "flyback_2sw", "flyback_qr", "forward_2sw", "forward_reset",
                                                          "forward_active_clamp", "half_bridge", "full_bridge", "push_pull", "psfb"}
            and "buck_aux" in {e.topology for e in found if not e.feasible})
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
    path.write_text(demo.text("radar-rotator"), encoding="utf-8")
    assert main(["contest", str(path), "--json"]) == 0
    out, err = capsys.readouterr()
    data = json.loads(out)
    assert err == "" and data["elapsed"] > 0 and data["entries"][0]["rank"] == 1
    for key in ("topology", "front_end", "feasible", "efficiency", "efficiency_light", "magnetics_volume", "switch_stress", "cost_index",
                "tightest_margin", "reason"):
        assert all(key in e for e in data["entries"]), key
    assert main(["contest", str(path)]) == 0
    text = capsys.readouterr().out
    assert all(t in text for t in TOPOLOGIES) and "best of" in text
    path.write_text(demo.text("radar-rotator").replace('"ambient_min"', '"height_max": 0.003, "ambient_min"'), encoding="utf-8")
    assert main(["contest", str(path), "--json"]) == 3
    assert all(e["rank"] is None and e["reason"].startswith("cannot be built") for e in json.loads(capsys.readouterr().out)["entries"])


def test_the_desk_runs_orders_opens_and_holds(qtbot, window):
    """Keys and mouse in the real window: the contest runs in the background, a weight moves the order, a row opens on the Size desk, undo
    brings the old design back."""
    qtbot.keyClick(window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    desk = window.contest_desk
    qtbot.waitUntil(lambda: not window.jobs.running and len(desk.order) == len(TOPOLOGIES), timeout=90_000)
    assert (window.stack.currentWidget() is desk and desk.table.rowCount() == len(TOPOLOGIES)
            and str(sum(e.tried for e in desk.order)) in desk.said.text())
    first = desk.chosen()
    desk.take(replace(first, tried=first.tried + 1))
    assert f"Best of {first.tried + 1} designs" in desk.reason.toPlainText(), "the count below goes with the one above"
    assert desk.table.item(0, 1).text() == spoken(desk.order[0].topology) and desk.order[0].reason[1:10] in desk.reason.toPlainText()
    for name, box in desk.weights.items():
        box.setValue(5.0 if name == "loss" else 0.0)
    assert [e.loss for e in desk.order if e.feasible] == sorted(e.loss for e in desk.order if e.feasible)
    row = next(k for k, e in enumerate(desk.order) if e.topology != window.session.design.topology)
    entry, before = desk.order[row], window.session.document
    desk.table.setCurrentCell(row, 1)
    desk.held.emit(desk.chosen())
    assert (window.session.reference.topology == entry.topology and window.session.reference.value("loss.total") == entry.loss
            and window.session.document is before)
    window.go("Contest")
    desk.table.cellActivated.emit(row, 1)
    assert (window.session.design.topology == entry.topology and window.session.design.value("loss.total") == entry.loss
            and window.stack.currentWidget() is window.size_desk)
    window.undo()
    assert window.session.document == before


def test_what_burns_more_than_it_gives_shows_no_numbers(qtbot, entries):
    """Its row names topology and fault alone, on the desk and in print, and what cannot be built does not set the scale of the bars."""
    good = [e for e in entries if e.feasible]
    wild = replace(good[-1], topology="buck_aux", feasible=False, efficiency=0.013, loss=5e4, part_count=79616, cost_index=2445.0)
    heavy = replace(good[-2], feasible=False, efficiency=0.8, part_count=500)
    assert wild.hopeless and not heavy.hopeless and not any(e.hopeless for e in good)
    printed = [line for line in lines([*good, heavy, wild], 1.0) if line.startswith(wild.topology) is False
               and wild.topology in line.split()[:2]]
    assert len(printed) == 1 and "burn more than it gives" in printed[0] and "79616" not in printed[0]
    view = ContestView()
    qtbot.addWidget(view)
    for e in (*good[:-2], good[-1], heavy, wild):
        view.take(e)
    row = next(k for k, e in enumerate(view.order) if e.hopeless)
    assert {view.table.item(row, k).text() for k in range(FIRST_NUMBER, len(COLUMNS))} == {"–"} and view.table.item(row,
        1).text() == spoken(wild.topology)
    parts = next(k for k, c in enumerate(COLUMNS) if c[0] == "Parts")
    shares = {e.topology: view.table.item(k, parts).data(SHARE) for k, e in enumerate(view.order)}
    assert shares[wild.topology] is None and shares[heavy.topology] == 1.0
    most = max(good[:-2] + good[-1:], key=lambda e: e.part_count)
    assert shares[most.topology] == pytest.approx(1.0)


def test_another_requirement_starts_the_contest_anew_and_it_can_be_cancelled(qtbot, window):
    window.go("Contest")
    desk = window.contest_desk
    qtbot.waitUntil(lambda: len(desk.found) == len(TOPOLOGIES), timeout=90_000)
    key = desk.key
    window.session.require(
        Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=24, current_max=4),), harmonics_class="none"))
    window.show_all()
    assert desk.key != key
    window.cancel_job()
    assert not window.jobs.running


def test_prices_are_edited_on_the_desk(qtbot, window):
    """A wrong price is said and nothing is lost; a right one and one of a part are kept in the user folder and the contest runs by them; an
    empty price follows the rule again."""
    window.go("Contest")
    desk, card = window.contest_desk, window.contest_desk.prices
    window.cancel_job()
    desk.priced.click()
    assert card.isVisible() and not desk.why.isVisible() and card.table.rowCount() == len(shipped()["costs"].rows)
    cell = card.table.item(0, 1)
    assert float(cell.text()) == prices(shipped()["costs"])["wound"]
    cell.setText("cheap")
    card.keep()
    assert "cheap" in card.said.text() and "accepted" in card.said.text() and not (
        own_folder() / "costs.csv").exists() and cell.text() == "cheap"
    cell.setText("1.1")
    card.part.setCurrentText("600V-0.19R")
    card.price.setText("2.5")
    qtbot.keyClick(card.price, Qt.Key.Key_Return)
    card.keep()
    assert window.jobs.running and {n: prices(window.session.catalogue["costs"])[n] for n in ("wound", "600V-0.19R", "small")} == {
        "wound": 1.1, "600V-0.19R": 2.5, "small": prices(shipped()["costs"])["small"]}
    window.cancel_job()
    assert (card.table.rowCount() == len(shipped()["costs"].rows) + 1
            and len(read_rows("costs", (own_folder() / "costs.csv").read_text(encoding="utf-8"), "x")) == 2)
    card.table.item(card.table.rowCount() - 1, 1).setText("")
    card.keep()
    window.cancel_job()
    assert "600V-0.19R" not in prices(window.session.catalogue["costs"]) and prices(window.session.catalogue["costs"])["wound"] == 1.1
    desk.priced.click()
    assert desk.why.isVisible() and not card.isVisible()
