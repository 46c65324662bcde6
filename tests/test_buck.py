"""The step-down converter without isolation: against a circuit simulator, the engine, balances, by hand, and in the window."""

import random

import pytest

from balances import check_balance, check_drawn, whole
from rhevectra.app.netlist import corner_for, netlist_text
from rhevectra.app.session import Session
from rhevectra.app.workers import run
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.exact import exact, remarks
from rhevectra.core.design.size import size
from rhevectra.core.formulas import buck
from spice import measure, shortened

PINS = {"topology": "buck_aux"}
NEED = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=15, current_max=0.5),), insulation="functional",
                   efficiency_target=0.7)


@pytest.fixture(scope="module")
def converter():
    return size(NEED, PINS)


def seeded(seed, count):
    """Housekeeping supplies (invented): 1 to 12 W, 12 to 24 V, from any mains or a dc bus."""
    rng = random.Random(seed)
    for _ in range(count):
        volts = rng.choice([12, 15, 18, 24])
        mains = Mains(kind="dc", v_min=rng.uniform(120, 320), v_max=400) if rng.random() < 0.5 else Mains(kind="ac1",
            v_min=rng.choice([85, 180]), v_max=265)
        yield Requirement(mains=mains, outputs=(Output(voltage=volts, current_max=12 ** rng.random() / volts),), insulation="functional",
                          efficiency_target=0.5)


@pytest.mark.parametrize(("line", "load", "bus"), [(85.0, 1.0, "valley"), (265.0, 1.0, "peak"), (85.0, 0.5, "valley")])
def test_the_exported_netlist_agrees_with_the_simulator(converter, line, load, bus, tmp_path):
    """Nothing tuned: output within 1 %, currents within 2 %."""
    c, text, o = corner_for(converter, line, load, bus), netlist_text(converter, line, load, bus), converter.context["o"]
    at = lambda x: float(whole(converter, x)[c.index])  # noqa: E731
    text, end = shortened(text)
    names = {"bus": "AVG ib", "ipk": "MAX il", "ilow": "MIN il", "lrms": "RMS il", "drms": "RMS id", "vo": "AVG v(out1)"}
    found = measure(text.replace("\n.end\n", "\n.save all @lout[i] @dfree[id]\n.end\n"),
                    ["let ib=-i(vbus)", "let il=@lout[i]", "let id=@dfree[id]"], names, (end - 20 / at(o["fs"]), end), tmp_path / "k.cir")
    inside = at(o["p_bus"]) - at(converter.rows["loss.controller"]) - at(o["p_choke"]) - at(o["p_recovery"]) - at(o["loss_off"])
    mine = {"bus": inside / at(converter.rows["bus.v"]), "ipk": at(o["crest"]), "ilow": at(o["valley"]), "lrms": at(o["i_l"]),
            "drms": at(converter.rows["rectifier1.i_rms"]), "vo": 15.0}
    for name, value in mine.items():
        assert value == pytest.approx(found[name], rel=0.01 if name == "vo" else 0.02), name


def test_stresses_are_not_below_the_engine_and_the_intervals_are_named(converter):
    for line, bus in ((85.0, "valley"), (265.0, "peak")):
        for load, case in ((1.0, "run"), (0.25, "run"), (1.0, "limit")):
            e = exact(converter, converter.grid.find(line, load, case, bus))
            assert not remarks(converter, e)
            names = {s.name for s in e.stretches}
            assert {"the switch is on: the bus feeds inductor and output", "the inductor freewheels through the diode"} <= names
            empty = bool(converter.context["o"]["discontinuous"][e.corner.index])
            assert ("the inductor is empty and the node rings around the output" in names) is empty, e.corner.text()


def test_by_hand(converter):
    """Duty of output over bus, inductor ripple by the induction law, recovery as stated, the switch held to the bus, all at 265 V and full
    load."""
    i = converter.grid.find(265.0, 1.0, "run", "peak").index
    at = lambda x: float(whole(converter, x)[i])  # noqa: E731
    o, v, v_f = converter.context["o"], at(converter.rows["bus.v"]), at(converter.rows["rectifier.v_forward"])
    drop = 0.5 * float(converter.rows["filter1.r"].value)  # half an ampere through its copper
    assert at(o["t_e"]) * at(o["fs"]) == pytest.approx((15 + v_f + drop) / (v + v_f),
                                                       rel=0.03)  # the drop of the switch and the diode's resistance come on top
    assert at(o["ripple"]) == pytest.approx((v - 15) * at(o["t_e"]) / float(converter.rows["filter1.l"].value), rel=0.01)
    assert float(converter.rows["filter1.l"].value) == pytest.approx(buck.inductance(15.0, v_f, v, at(o["fs"]), 0.6, 0.5), rel=0.03)
    assert at(o["p_recovery"]) == pytest.approx(0.5 * at(o["valley"]) * at(converter.rows["rectifier.t_recovery"]) * v * at(o["fs"]),
                                                rel=1e-9)
    most = converter.figure("switch.v_peak")
    there = [float(whole(converter, x)[most.corner.index]) for x in (converter.rows["bus.v"], o["crest"])]
    r = converter.catalogue["rectifiers"].row(converter.value("rectifier1.class"))["r_dynamic_ohm"]
    assert most.value == pytest.approx(there[0] + v_f + r * there[1], rel=1e-9)


def test_it_is_never_a_candidate_where_isolation_is_asked_for_and_always_says_that_it_is_live(converter):
    assert any("live" in f.text and "isolation transformer" in f.text for f in converter.findings)
    from dataclasses import replace

    asked = size(replace(NEED, insulation="reinforced"), PINS)
    assert not asked.feasible and any("reinforced insulation is asked for" in f.text and f.cure == "topology" for f in asked.findings)
    entries = {e.topology: e for e in run(replace(NEED, insulation="basic"))}
    assert not entries["buck_aux"].feasible and entries["buck_aux"].rank is None and entries["flyback"].feasible
    assert "no isolation: every node is live" in netlist_text(converter, 85.0, 1.0, "valley")


def test_a_bus_below_the_output_and_a_pulse_too_short_are_refused():
    low = size(Requirement(mains=Mains(kind="dc", v_min=20, v_max=60), outputs=(Output(voltage=24, current_max=0.3),),
                           insulation="functional"), PINS)
    assert not low.feasible and any("cannot give more than it gets" in f.text for f in low.findings)
    need = Requirement(mains=Mains(kind="dc", v_min=300, v_max=400), outputs=(Output(voltage=3.3, current_max=1.0),),
                       insulation="functional", efficiency_target=0.5)
    short, slower = size(need, {**PINS, "fs": 65e3}), size(need, PINS)
    assert not short.feasible and any(f.figure == "switch.pulse_least" and f.cure == "fs" for f in short.findings)
    assert (slower.feasible and 20e3 < slower.value("fs") < 65e3
            and slower.value("switch.pulse_least") * slower.value("fs") == pytest.approx(short.value("switch.pulse_least") * 65e3,
                rel=0.1)), "the same duty, by rule as slow as the pulse asks for"


def test_seeded_requirements_in_the_usual_range_can_be_built():
    """Of 30 at least 95 % feasible; what the bus gives is output plus listed losses within 0.5 %; nothing is NaN."""
    feasible = 0
    for need in seeded(4, 30):
        d = size(need, PINS)
        feasible += d.feasible
        check_balance(d, ("bridge", "bulk", "thermistor", "mains_filter", "x_discharge", "start_up"))
    assert feasible >= 29


def test_every_picture_is_drawn_and_the_window_shows_no_barrier(converter, window, qtbot):
    c = converter.grid.find(85.0)
    check_drawn(converter, c, converter)
    assert "transformer" in window.size_desk.path.buttons
    window.session.require(NEED)
    window.session.pin("topology", "buck_aux")
    window.show_all()
    assert "transformer" not in window.size_desk.path.buttons and window.session.design.topology == "buck_aux"
    for stage in list(window.size_desk.path.buttons):
        window.size_desk.choose_stage(stage)
    window.admit()
    assert "no smaller core was refused" in window.statusBar().currentMessage()
    assert "live" in window.size_desk.findings.list.item(0).text()
    assert isinstance(window.session, Session)
