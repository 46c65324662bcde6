"""Linear regulators behind outputs that no loop holds: what is advised and what is designed, in every topology that may have them."""

import re
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import Qt

from balances import check_drawn, check_finite, whole
from rhevectra.app.contest import chosen_text
from rhevectra.app.parts import rows as parts_list
from rhevectra.app.stages import plates
from rhevectra.bench.bringup import plan
from rhevectra.core.basis.corners import FULL, RUN
from rhevectra.core.basis.requirement import LoadStep, Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.circuit.netlist import write
from rhevectra.core.design.contest import WEIGHTS, _best, _Fronts, _search, entry_of
from rhevectra.core.design.cost import cost_index, part_count, whole_bill
from rhevectra.core.design.regulators import Before, Known
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.document import Document
from rhevectra.project.reorder import reordered
from spice import measure, shortened

NEED = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265),
                   outputs=(Output(name="5 V", voltage=5, current_max=4.0),
                            Output(name="plus", voltage=12, current_max=1.0, tolerance=0.03),
                            Output(name="minus", voltage=-12, current_max=0.3, tolerance=0.03)))
BOTH = {"output2.regulator": "linear", "output3.regulator": "linear"}
SAID = re.compile(r"(\w+): a linear regulator behind it .* from (−?[\d.]+) V ± (\d+) % it burns up to ([\d.]+) W")


def given_and_burnt(d):
    """All that goes out and all that is burnt [W]."""
    return whole(d, d.rows["load.power"]) + whole(d, d.rows["loss.total"])


@pytest.mark.parametrize("topology", ["flyback", "flyback_2sw", "half_bridge", "psfb", "llc_half"])
def test_what_turns_and_bleeds_cannot_hold_regulators_can(topology):
    """Twelve volts within 3 % on either side of a 5 V output: without regulators none of these holds it, with them each does. At every
    corner in run each regulator has its drop at the trough of the ripple, and what goes in less what comes out is what it burns; the power
    that is given is that behind them, and with all losses it is what the same stage gives and burns that is asked for the raw voltages."""
    bare, d = (size(NEED, {"topology": topology, **pins}, noise=False) for pins in ({}, BOTH))
    assert not bare.feasible and d.feasible
    run, given = np.broadcast_to(RUN.mask(d.grid), d.grid.shape), whole(d, d.rows["load.p1"])
    for n, o in enumerate(NEED.outputs[1:], 2):
        row = shipped()["regulators"].row(d.value(f"regulator{n}.class"))
        assert row["error"] <= o.tolerance and row["i_rated_a"] >= o.current_max
        load = np.array([o.current_max * p.load if not p.label else o.current_max * (p.label == f"only {o.name} at full load")
                         for p in d.grid.points])[:, None] + np.zeros(d.grid.shape)
        least, volts, ripple = (whole(d, d.rows[f"output{n}.{x}"]) for x in ("v_low", "v", "ripple_pp"))
        assert (least - ripple / 2 - o.magnitude)[run].min() >= row["v_drop_v"]
        burnt = volts * (load + row["i_ground_a"]) - o.magnitude * load
        assert whole(d, d.rows[f"regulator{n}.loss"])[run] == pytest.approx(burnt[run])
        given = given + o.magnitude * load
        hot = burnt[np.broadcast_to(FULL.mask(d.grid), d.grid.shape)].max()
        assert d.value(f"regulator{n}.case_to_ambient") == pytest.approx(
            (0.85 * row["t_junction_max_c"] - NEED.ambient_max) / hot - row["r_junction_case_k_w"])
    assert whole(d, d.rows["load.power"])[run] == pytest.approx(given[run])
    alone = size(replace(NEED, outputs=d.delivered.outputs), {"topology": topology}, noise=False)
    full = np.broadcast_to(FULL.mask(d.grid), d.grid.shape)
    assert given_and_burnt(d)[full] == pytest.approx(given_and_burnt(alone)[full], rel=1e-9)


def test_the_simulator_leaves_the_drop_too(tmp_path):
    """The exported netlist at the corner where the regulator has least, loads that take a constant current as regulators do instead of
    resistances: the voltage before it within 2.5 %, as without regulators, and at the trough of the ripple it still has its drop."""
    d = size(NEED, {"topology": "flyback", **BOTH}, noise=False)
    corner = d.figure("regulator2.v_drop").corner
    at = lambda id: float(d.rows[id].at(corner.index))  # noqa: E731
    text, end = shortened(write(TOPOLOGIES[d.topology].circuit(d, corner)))
    amps = d.grid.points[corner.index[2]].currents
    for n in (2, 3):
        text, found = re.subn(rf"(?m)^Rload{n} .*$", f"Bload{n} out{n} 0 I={amps[n - 1]:g}*min(1,max(0,v(out{n})/6))", text)
        assert found == 1
    found = measure(text, [], {"v1": "AVG v(out1)", "v": "AVG v(out2)", "low": "MIN v(out2)"}, (end - 20 / 65e3, end), tmp_path / "x.cir")
    scale = 5.0 / found["v1"]
    assert found["v"] * scale == pytest.approx(at("output2.v"), rel=0.025)
    assert found["low"] * scale - 12.0 > at("regulator2.v_drop_least")


@pytest.mark.parametrize("topology", ["flyback", "llc_half"])
def test_what_is_advised_holds(topology):
    """What the notes tell of can be done, at the cost they tell: the regulators the rules choose burn no more, at any corner in run."""
    bare = size(NEED, {"topology": topology}, noise=False)
    told = {m[1]: m for f in bare.findings if (m := SAID.match(f.text))}
    assert set(told) == {"plus", "minus"}
    assert {f.cure for f in bare.findings if SAID.match(f.text)} == {"output2.regulator", "output3.regulator"}
    d = size(NEED, {"topology": topology, **BOTH}, noise=False)
    assert not any(SAID.match(f.text) for f in d.findings)
    run = np.broadcast_to(RUN.mask(d.grid), d.grid.shape)
    for n, o in enumerate(NEED.outputs[1:], 2):
        assert whole(d, d.rows[f"regulator{n}.loss"])[run].max() <= float(told[o.name][4]) * 1.01
    bleeds = lambda x: sum(float(np.max(x.rows[f"loss.bleed{n}"].value)) for n in (2, 3))  # noqa: E731
    assert topology != "flyback" or bleeds(d) < 0.5 * bleeds(bare)


def test_nothing_is_said_where_nothing_is_missed():
    d = size(replace(NEED, outputs=(NEED.outputs[0], replace(NEED.outputs[1], tolerance=0.2))), {"topology": "flyback"}, noise=False)
    assert not any("linear regulator" in f.text for f in d.findings)
    assert d.delivered == d.requirement and "regulator2.class" not in d.rows


@pytest.mark.parametrize(("out", "least", "refused"), [
    (Output(voltage=12, current_max=1.0, tolerance=0.05), "linear-35V-1A5", 4), (Output(voltage=12, current_max=0.08), "linear-30V-0A1", 0),
    (Output(voltage=-5, current_max=0.4, tolerance=0.02), "low-drop-26V-0A5", 3),
    (Output(voltage=30, current_max=1.0, tolerance=0.05), "linear-60V-1A5", 5)])
def test_the_first_class_that_does(out, least, refused):
    """By hand from the table: drop at the low end of ± 10 % and of the ripple, 80 % of the rated voltage at the high end, current and
    error."""
    need = replace(NEED, outputs=(NEED.outputs[0], replace(out, name="other")))
    row = size(need, {"topology": "flyback", "output2.regulator": "linear"}, noise=False)
    first = next(r for r in shipped()["regulators"].rows if r["i_rated_a"] >= out.current_max and r["error"] <= out.tolerance
                 and 1.11 * np.ceil(10 * (abs(out.voltage) + r["v_drop_v"]) / 0.89) / 10 <= 0.8 * r["v_in_max_v"])
    assert first["name"] == least
    assert row.value("regulator2.class") == least and len(row.rows["regulator2.class"].refused) == refused
    made = Before(first, out, Known(0.9, 1.1))
    assert made.unfit == "" and made.volts * 0.9 - 0.01 * made.volts - abs(out.voltage) >= first["v_drop_v"] - 1e-9
    assert made.burnt == pytest.approx(1.1 * made.volts * (out.current_max + first["i_ground_a"]) - abs(out.voltage) * out.current_max)


def test_pins_that_do_not_do_are_told_with_their_cure():
    """Too little before it, too small a class, too coarse a class: each by its own figure, none of them repaired behind one's back."""
    told = lambda **pins: {f.figure: f.cure for f in size(  # noqa: E731
        NEED, {"topology": "flyback", **BOTH, **{k.replace("_", ".", 1): v for k, v in pins.items()}}, noise=False).findings
        if f.severity == "must fix"}
    assert told(regulator2_v_in=12.4) == {"regulator2.v_drop": "regulator2.v_in"}
    assert told(regulator2_class="linear-30V-0A1").items() >= {
        "regulator2.i_peak": "regulator2.class", "regulator2.error": "regulator2.class"}.items()
    assert set(told(regulator3_class="linear-35V-0A5")) == {"regulator3.error"}
    most = max(r["i_rated_a"] for r in shipped()["regulators"].rows)
    heavy = replace(NEED, outputs=(NEED.outputs[0], Output(name="plus", voltage=5, current_max=1.5 * most)))
    d = size(heavy, {"topology": "flyback", "output2.regulator": "linear"}, noise=False)
    assert shipped()["regulators"].row(d.value("regulator2.class"))["i_rated_a"] == most
    assert [f.cure for f in d.findings if f.figure == "regulator2.i_peak"] == [""], "no class carries it"
    d = size(NEED, {"topology": "flyback", **BOTH, "regulator2.v_in": 18.0}, noise=False)
    assert d.feasible and d.value("regulator2.v_drop") > 3.0 and d.value("regulator2.v_in") == 18.0


def test_less_is_planned_where_much_is_left():
    """Two switches that hand the leakage energy back lift no output: its regulators are planned lower than by the usual spread, and with a
    voltage that is pinned where it would have stood they burn more."""
    usual = Before(shipped()["regulators"].row("low-drop-26V-1A5"), NEED.outputs[1], Known(0.9, 1.1)).volts
    near = size(NEED, {"topology": "flyback_2sw", **BOTH}, noise=False)
    assert near.value("regulator2.v_in") <= usual and near.feasible
    pinned = size(NEED, {"topology": "flyback_2sw", **BOTH, "regulator2.v_in": usual + 1.0}, noise=False)
    assert pinned.value("regulator2.loss") > near.value("regulator2.loss")


def test_random_outputs_behind_regulators():
    """Regulators behind random outputs of random stages: numbers everywhere, and no regulator short of its drop in silence."""
    rng = np.random.default_rng(27)
    for k in range(7):
        one = lambda of, most: float(rng.choice(of) if most is None else rng.uniform(of, most))  # noqa: E731
        outs = [Output(name="main", voltage=one([5, 12, 24], None), current_max=one(1, 6))]
        outs += [Output(name=f"o{n}", voltage=one([-15, -12, -5, 3.3, 5, 12, 15, 24], None), current_max=one(0.05, 1.4),
                        tolerance=one([0.02, 0.03, 0.05], None)) for n in range(1, int(rng.integers(2, 4)))]
        topology = str(rng.choice(["flyback", "flyback_qr", "half_bridge", "llc_half", "forward_2sw", "full_bridge"]))
        pins = {"topology": topology} | {f"output{n}.regulator": "linear" for n in range(2, len(outs) + 1)}
        d = size(replace(NEED, outputs=tuple(outs)), pins, noise=False)
        check_finite(d)
        run = np.broadcast_to(RUN.mask(d.grid), d.grid.shape)
        for n in range(2, len(outs) + 1):
            left = (whole(d, d.rows[f"output{n}.v_low"]) - whole(d, d.rows[f"output{n}.ripple_pp"]) / 2 - outs[n - 1].magnitude)[run].min()
            short = left < d.rows[f"regulator{n}.v_drop_least"].value
            assert short == any(f.figure == f"regulator{n}.v_drop" for f in d.findings), (k, n)


def test_paper_bench_and_bill_have_them():
    """Parts list and bill have one more part each; on the bench an output is read before its regulator, at the current of the load alone,
    and behind it in the band of its class; its load step is left to the regulator, in words; every picture is drawn."""
    stepped = replace(NEED, outputs=(*NEED.outputs[:2], replace(NEED.outputs[2], load_step=LoadStep(low=0.1, high=0.3, deviation=0.2))))
    d, bare = size(stepped, {"topology": "flyback", **BOTH}), size(NEED, {"topology": "flyback"})
    listed = [(what, count) for kind, what, count in parts_list(d) if kind == "linear regulator"]
    assert listed == [(d.value("regulator2.class"), 1), (d.value("regulator3.class"), 1)]
    bill = whole_bill(d)
    assert part_count(bill) - part_count({**bill, "regulators": []}) == 2
    assert cost_index(d, bill) > cost_index(d, {**bill, "regulators": []}) and "regulators" not in whole_bill(bare)
    checks = [c for step in plan(d) for c in step.checks]
    behind = next(c for c in checks if c.name == "Output minus" and "full" not in c.name)
    error = shipped()["regulators"].row(d.value("regulator3.class"))["error"]
    assert (behind.low, behind.high) == pytest.approx((-12 * (1 + error), -12 * (1 - error)))
    raw = [c for c in checks if c.name == "Output plus, raw" and "1.00 A" in c.how]
    assert raw and all(c.low > 12.6 for c in raw)
    assert {"Ripple of plus, raw", "Ripple of plus"} <= {c.name for c in checks}
    assert any("load step" in f.text and f.text.startswith("minus") for f in d.findings) and "output3.step" not in d.rows
    check_drawn(d, d.figure("regulator2.v_drop").corner)


def test_they_go_with_their_outputs():
    """An output that changes its place takes its regulator along."""
    made = Document("x", NEED, {"topology": "flyback", "output3.regulator": "linear", "regulator3.v_in": 15.0})
    moved = reordered(made, [0, 2, 1], 0)
    assert {k: v for k, v in moved.decisions.items() if "regulator" in k} == {"output2.regulator": "linear", "regulator2.v_in": 15.0}


def test_from_the_note_to_the_decision_in_the_window(window, qtbot):
    """Activating the note goes to the decision; with linear chosen there by keyboard the note is gone, the ledger has the regulator and its
    loss is on the rectifier's plate."""
    window.session.require(replace(NEED, outputs=NEED.outputs[:2]))
    window.show_all()
    findings, lost = window.size_desk.findings.list, next(p.watts for p in plates(window.session.design) if p.stage == "rectifier")
    window.size_desk.choose_stage("bulk")
    window.size_desk.findings._activated(next(findings.item(i) for i in range(findings.count()) if "linear reg" in findings.item(i).text()))
    assert window.size_desk.stage == "rectifier"
    combo = window.focusWidget()
    assert combo.currentText() == "none"
    qtbot.keyClick(combo, Qt.Key.Key_Down)
    window.show_all()
    design = window.session.design
    assert window.session.document.decisions["output2.regulator"] == "linear" and "regulator2.loss" in design.figure_ids
    assert not any("linear regulator" in findings.item(i).text() for i in range(findings.count()))
    assert next(p.watts for p in plates(design) if p.stage == "rectifier") > lost
    rows = [window.size_desk.ledger.table.item(r, 0) for r in range(window.size_desk.ledger.table.rowCount())]
    heads = [x.text() for x in rows if not x.flags() & Qt.ItemFlag.ItemIsEnabled]
    assert heads == ["5 V", "plus, raw", "plus"] and sum(x.text() == "Output capacitance" for x in rows) == 2
    assert not any(x.text().startswith("plus:") for x in rows) and any(x.text() == "Loss of the regulator" for x in rows)


def search(kept):
    """All a half bridge tries for the requirement, and the best of it."""
    found, told = [], _Fronts("half_bridge")
    for asked in _search(NEED, "half_bridge", kept, found, WEIGHTS, told, shipped()):
        found += [entry_of(NEED, None, {"topology": "half_bridge", "front_end": "plain", **kept, **own}) for own in asked]
    return found, _best(found, WEIGHTS)


def test_the_contest_gives_regulators_to_what_lacks_nothing_else():
    """A half bridge whose other outputs leave their tolerance, and that has no other fault, gets regulators as its last try, is built with
    them, and the table says so; where a person wants none, it stays as it is."""
    found, best = search({"front_end": "plain"})
    assert best.feasible and not any(e.feasible for e in found[:-1])
    assert {k: v for k, v in best.pins.items() if "regulator" in k} == BOTH
    assert chosen_text(best).endswith("regulator behind output 2 linear, regulator behind output 3 linear")
    tried, without = search({"front_end": "plain", **dict.fromkeys(BOTH, "none")})
    assert not without.feasible and len(tried) == len(found) - 1
