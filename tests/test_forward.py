"""The two-switch forward: against a circuit simulator, against the exact engine, against balances and closed forms of its own."""

import random
from functools import partial

import numpy as np
import pytest
from scipy.optimize import brentq

from balances import check_balance
from rhevectra import demo
from rhevectra.app.netlist import corner_for, netlist_text
from rhevectra.app.session import Session
from rhevectra.core.basis import corners
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import Quick
from rhevectra.core.circuit.parts import NoSteadyState
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas import copper
from rhevectra.core.magnetics.inductor import USE, choose_inductor
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common.ripple import of_inductor
from rhevectra.project.codec import decode
from spice import measure, shortened

PINS = {"topology": "forward_2sw"}
MU0 = 4e-7 * np.pi


@pytest.fixture(scope="module")
def bench():
    document = decode(demo.text("ringing-lab-bench"), "demo")
    return size(document.requirement, document.decisions)


@pytest.mark.parametrize("load", [1.0, 0.25, 0.1])
def test_the_capacitors_ripple_by_the_exact_period(bench, load):
    """What the capacitance alone takes up and down in the exact period, against the formula with the nominal inductor's ripple: within 4 %
    where it never runs empty and where it does. The wave of a tenth of the load is no triangle around its mean: an eighth of the crest
    would say half as much again too little."""
    c, o = bench.grid.find(265.0, load, "run", "peak"), bench.context["o"]
    e, at = exact(bench, c), lambda x: float(np.broadcast_to(getattr(x, "value", x), bench.grid.shape)[c.index])
    across = e.voltages["out1"] - e.voltages["esr1"]
    told = of_inductor(Quick(), "", at(o["ripple"]), at(bench.rows["load.i1"]), {k: at(o[k]) for k in ("fs", "t_e", "t_d")}, 0.0, 0.0,
                       float(bench.rows["output1.c"].value))
    assert told == pytest.approx(across.max() - across.min(), rel=0.04)
    assert bool(at(o["discontinuous"])) == (load < 0.2)


@pytest.mark.parametrize("esr", [0.0, 2e-3, 10e-3, 50e-3])
def test_the_ripple_of_pulses_integrated(esr):
    """A triangle of current into a capacitor and its resistance less a steady load, step by step: continuous, just empty, and left out for
    nine periods; at a rate that is less by a tenth the same of a period that is longer."""
    for i_out, crest, valley, rise, fall, period in ((5.0, 6.0, 4.0, 3e-6, 7e-6, 10e-6), (1.0, 2.0, 0.0, 3e-6, 7e-6, 10e-6),
                                                     (0.1, 2.0, 0.0, 3e-6, 7e-6, 100e-6)):
        t = np.linspace(0, period, 200_001)
        current = np.interp(t, [0, rise, rise + fall, period], [valley, crest, valley, valley]) - i_out
        volts = np.concatenate([[0.0], np.cumsum(0.5 * (current[1:] + current[:-1]) * np.diff(t))]) / 1e-4
        told = partial(of_inductor, Quick(), "", crest - valley, i_out, esr=esr, c=1e-4)
        assert told({"fs": 1 / period, "t_e": rise, "t_d": fall}, 0.0) == pytest.approx(np.ptp(volts + esr * current), rel=1e-3)
        assert told({"fs": 1 / 0.9 / period, "t_e": 0.9 * rise, "t_d": 0.9 * fall}, 0.1) == pytest.approx(np.ptp(volts + esr * current),
                                                                                                         rel=1e-3)


def seeded(seed: int, count: int):
    """Requirements in the usual range of the stage (invented): 60 to 200 W, 12 to 48 V, European mains or a power factor bus."""
    rng = random.Random(seed)
    for k in range(count):
        power, volts = 60 * (200 / 60) ** rng.random(), rng.choice([12, 15, 24, 36, 48])
        mains = Mains(kind="dc", v_min=rng.uniform(330, 370), v_max=400) if k % 4 == 0 else Mains(kind="ac1",
            v_min=rng.choice([185, 195, 207]), v_max=265)
        yield Requirement(mains=mains, outputs=(Output(voltage=volts, current_max=power / volts),), ambient_max=rng.choice([40, 50]),
                          efficiency_target=0.85, harmonics_class="none", insulation=rng.choice(["basic", "reinforced"]))


@pytest.mark.parametrize(("line", "load", "bus"), [(195.0, 1.0, "valley"), (265.0, 1.0, "peak"), (265.0, 0.1, "peak")])
def test_the_exported_netlist_agrees_with_the_simulator(bench, line, load, bus, tmp_path):
    """Nothing tuned: output within 2 %, currents and voltages within 3 %, over the last 20 periods.

    The charging current of the switches' node capacitance is left out of the primary's rms. At a tenth of the load it makes that
    3.3 % more, where it heats nothing: hence the bound of 4 % there.
    """
    c, text = corner_for(bench, line, load, bus), netlist_text(bench, line, load, bus)
    o = bench.context["o"]
    at = lambda x: float(np.broadcast_to(getattr(x, "value", x), bench.grid.shape)[c.index])  # noqa: E731
    text, end = shortened(text)
    control = ["let ib=-i(vbus)", "let ip=@llk[i]", "let il=@lout[i]"]
    names = {"bus": "AVG ib", "prms": "RMS ip", "ppk": "MAX ip", "vo": "AVG v(out1)", "vds": "MAX v(b)", "lrms": "RMS il", "lpk": "MAX il"}
    found = measure(text.replace("\n.end\n", "\n.save all @llk[i] @lout[i]\n.end\n"), control, names, (end - 20 / at(o["fs"]), end),
                    tmp_path / "f.cir")
    bus_power = at(o["p_bus"]) - at(bench.rows["loss.controller"]) - at(o["p_choke"])
    mine = {"bus": bus_power / at(bench.rows["bus.v"]), "prms": at(o["i_primary"]), "ppk": at(o["i_peak"]), "vo": 12.0,
            "vds": at(bench.rows["switch.v_peak"]), "lrms": at(o["i_l"]), "lpk": at(o["crest"])}
    for name, value in mine.items():
        assert found[name] == pytest.approx(value, rel=0.02 if name == "vo" else 0.04 if name == "prms" and load < 0.2 else 0.03), name


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_stresses_are_not_below_the_engine(seed):
    """At six corners of three random designs: no peak more than 3 % above its figure, output within 2 %, intervals named without a gap."""
    d = size(next(seeded(seed, 1)), PINS)
    volts, solved = d.requirement.outputs[0].voltage, 0
    for line in (d.grid.lines[0], d.grid.lines[-1]):
        for load in (1.0, 0.5, 0.1):
            c = d.grid.find(line, load, "run", d.grid.bus[-1])
            try:
                e = exact(d, c)
            except NoSteadyState as problem:  # the free ring of a light load can make every second period different; it must be said
                assert "repeats every 2 periods" in str(problem)
                continue
            solved += 1
            at = lambda id, c=c: float(d.rows[id].at(c.index))  # noqa: E731
            assert e.voltages["b"].max() <= at("switch.v_peak") * 1.03 and e.currents["rpri"].max() <= at("switch.i_peak") * 1.03, c.text()
            assert e.currents["lout"].max() == pytest.approx(at("filter1.i_peak"), rel=0.03), c.text()
            assert np.trapezoid(e.voltages["out1"], e.t) / e.period == pytest.approx(volts, rel=0.02), c.text()
            assert e.stretches[0].start == 0.0 and e.stretches[-1].end == pytest.approx(e.period) and all(s.name for s in e.stretches)
            assert ({"the switches are on: the secondary feeds the filter", "the filter inductor freewheels, the core is reset"}
                    <= {s.name for s in e.stretches})
    assert solved >= 5


def test_seeded_requirements_in_the_usual_range_can_be_built():
    """Of 60 at least 95 % feasible; in each what the bus gives is output plus listed losses within 0.5 %, nothing is NaN, the same input
    gives the same output."""
    front, feasible = {"bridge", "thermistor", "mains_filter", "bulk", "x_discharge", "start_up"}, 0
    for need in seeded(11, 60):
        d = size(need, PINS)
        feasible += d.feasible
        assert d.feasible or any(f.severity == "must fix" and f.text for f in d.findings)
        check_balance(d, front)
        again = size(need, PINS)
        assert all(np.array_equal(np.asarray(d.rows[i].value), np.asarray(again.rows[i].value)) for i in d.rows)
    assert feasible >= 57


def test_volt_seconds_of_core_and_filter(bench):
    """At every loaded corner, by hand: the core is reset before the period ends; its swing is bus times feeding time over turns and area;
    the inductor's rise is its fall."""
    o, s = bench.context["o"], bench.context["stage"]
    whole = lambda x: np.broadcast_to(np.asarray(getattr(x, "value", x), float), bench.grid.shape)  # noqa: E731
    run = np.broadcast_to(bench.grid.where(lambda p: p.case == "run" and p.load > 0), bench.grid.shape)
    period = 1 / whole(o["fs"])
    assert (whole(o["t_on"]) + whole(o["t_e"]) < period)[run].all()
    plan, n_p = bench.context["plan"], float(bench.rows["transformer.np"].value)
    area = float(plan.window.effective.area[plan.choice.core])
    assert np.allclose(2 * whole(bench.rows["transformer.b_ac"])[run], (whole(s.v_bus) * whole(o["t_e"]) / (n_p * area))[run])
    falls = (whole(o["down"]) * np.where(whole(o["discontinuous"]), whole(o["t_d"]), period - whole(o["t_e"]))
             / float(bench.rows["filter1.l"].value))
    assert np.allclose(whole(o["ripple"])[run], falls[run], rtol=1e-6)
    worst = 0.48 * float(np.max(bench.rows["bus.v"].value)) / (0.94e5 * n_p * float(bench.rows["transformer.area_min"].value)) + 0.1
    assert bench.figure("transformer.b_peak").value == pytest.approx(worst, rel=1e-6)
    assert bench.figure("transformer.lm").value == pytest.approx(
        MU0 * n_p**2 * area / (float(plan.window.effective.length[plan.choice.core]) / 2200 + 10e-6), rel=1e-6)


def test_the_filter_inductor_by_reluctance_and_by_exhaustion(bench):
    """Its inductance from gap and fringing, its flux and its winding by hand; every smaller core of the catalogue breaks a limit worked out
    here again."""
    plan = bench.context["plan"]
    need, choke, win = plan.choke_need, plan.choke, bench.catalogue["cores"].derived(windows)
    eff, k = win.effective, choke.core
    post = float(eff.area_post[k])
    fringing = 1 + choke.gap / np.sqrt(post) * np.log(2 * float(win.window[k]) / choke.gap)
    reluctance = choke.gap / (MU0 * post * fringing) + float(eff.length[k]) / (MU0 * need.material["mu_initial"] * float(eff.area[k]))
    assert choke.turns**2 / reluctance == pytest.approx(need.inductance, rel=0.01)
    assert (choke.b_peak <= need.b_max and (choke.turns - 1) * choke.b_peak / choke.turns >= 0
            and choke.b_peak * choke.turns / (choke.turns - 1) > need.b_max)

    def by_hand(i):
        """Rise [K] of a core by the dc copper loss alone of the thickest wire that its window and a usual density take; turns and section
        [m²]."""
        turns = np.ceil(need.inductance * need.i_limit / (need.b_max * min(eff.area[i], eff.area_min[i])))
        wire = min(USE * win.width[i] * win.height[i] / turns, need.i_rms / 1.5e6)
        return (copper.resistivity(need.ambient + 0.8 * need.rise_max) * turns * win.turn_length(0.5 * win.height)[i] / wire * need.i_rms**2
                / (10.0 * win.surface[i]), turns, wire)
    besides = choke.rise / by_hand(k)[0]  # eddies and core loss of the chosen one, which a hand leaves out, are no less in a smaller
    assert 1 <= besides < 1.6
    for i in np.flatnonzero(eff.volume < eff.volume[k]):
        heat, turns, wire = by_hand(i)
        post, window, iron = eff.area_post[i], win.window[i], eff.length[i] / (MU0 * need.material["mu_initial"] * eff.area[i])

        def missing(g, post=post, window=window, iron=iron, turns=turns):
            return g / (MU0 * post * (1 + g / np.sqrt(post) * np.log(2 * window / g))) + iron - turns**2 / need.inductance
        gap = brentq(missing, 1e-6, window) if missing(window) > 0 else np.inf
        assert besides * heat > 0.85 * need.rise_max or need.i_rms / wire > 12e6 or gap > 0.35 * np.sqrt(post), win.names[i]
    pinned = choose_inductor(need, win, "E16/8/5")
    assert not pinned.passed and win.names[pinned.core] == "E16/8/5"


def test_what_it_cannot_do_is_said():
    wide = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=12, current_max=8),), harmonics_class="none")
    assert any("narrower bus" in f.text for f in size(wide, PINS).findings)
    with pytest.raises(InputError, match="none"):
        size(wide, PINS | {"clamp.kind": "rcd"})
    over = size(wide, PINS | {"forward.duty": 0.48})
    assert over.figure("switch.duty_max").word == "over" and not over.feasible


def test_light_load_laws_move_the_pulse_rate(bench):
    """Skipping leaves pulses out at no load, the fixed law none; both give the same output power, the first loses less."""
    idle = {law: size(bench.requirement, PINS | {"light_load": law}) for law in ("skip", "fixed")}
    assert idle["fixed"].value("switch.frequency_idle") == pytest.approx(1e5) and idle["skip"].value("switch.frequency_idle") < 2e4
    assert idle["skip"].value("standby.power") < idle["fixed"].value("standby.power")


def test_the_window_shows_another_topology_from_the_decision(qtbot, styled, window):
    """Topology chosen in its own row: plates, pictures, circuit and corners follow; undo brings the flyback back."""
    from rhevectra.ui.theme import roles
    from rhevectra.ui.views.energy_path import PlateButton

    document = decode(demo.text("camera-hide"), "demo")
    window.size_desk.choose_stage("switch")
    window.size_desk.decisions.rows["topology"].pinned.emit("topology", "forward_2sw", False)
    styled.processEvents()  # shows what is new; what was deleted later is still there
    path = window.size_desk.path
    assert [b for b in path.findChildren(PlateButton) if not b.isHidden()] == list(path.buttons.values()) and window.width() == 1280
    assert window.session.design.topology == "forward_2sw" and "clamp" not in window.size_desk.path.buttons and len(TOPOLOGIES) >= 2
    for stage in list(window.size_desk.path.buttons):
        window.size_desk.choose_stage(stage)
        for tab in range(window.size_desk.picture.tabs.count()):
            window.size_desk.picture.tabs.setCurrentIndex(tab)
            picture = window.size_desk.picture.view.picture()
            assert picture is not None and len(picture.items) > 5, (stage, window.size_desk.picture.key)
    assert "two-switch forward" in window.statusBar().currentMessage() and roles.theme() == "light"
    window.undo()
    assert (window.session.design.topology == "flyback" and "clamp" in window.size_desk.path.buttons
            and window.session.document.decisions == document.decisions)


def test_a_plate_offers_the_other_topology_in_place(qtbot, styled, window):
    """The mark on the switch plate: its menu lists the topologies with the present one ticked; choosing another designs it and can be
    undone. A plate without an alternative has no mark."""
    buttons = window.size_desk.path.buttons
    assert (buttons["switch"].plate.options == tuple(TOPOLOGIES) and not buttons["load"].plate.options
            and "may be" in buttons["switch"].toolTip())
    actions = {a.text(): a for a in buttons["switch"].menu().actions()}
    assert (list(actions) == [TOPOLOGIES.said(name) for name in TOPOLOGIES] and actions["flyback"].isChecked()
            and not actions["two-switch forward"].isChecked())
    actions["two-switch forward"].trigger()
    assert window.session.design.topology == "forward_2sw" and window.session.design.rows["topology"].origin == "pinned"
    styled.processEvents()
    assert window.size_desk.path.buttons["switch"].plate.present == "forward_2sw"
    window.undo()
    assert window.session.design.topology == "flyback"


def test_every_row_of_the_bench_demo_opens_its_working(bench, qtbot, styled):
    """Substituting the printed numbers into the printed equation gives the printed value, at the corner that causes the figure."""
    from rhevectra.core.basis.equation import evaluate
    from rhevectra.core.basis.sheet import plain
    from rhevectra.core.basis.working import explain

    checked = 0
    for f in bench.figures():
        row, index = bench.rows[f.id], f.corner.index if f.corner else (0, 0, 0, 0)
        while row.kind == "either":
            row = row.inputs["yes"] if bool(np.broadcast_to(row.mask, bench.grid.shape)[index]) else row.inputs["no"]
        if row.kind != "formula":
            continue
        numbers = {row.source.symbols[n]: float(np.broadcast_to(np.asarray(plain(x), float), bench.grid.shape)[index])
                   for n, x in row.inputs.items()}
        assert evaluate(row.source.equation, numbers) == pytest.approx(float(row.at(index)), rel=1e-9), f.id
        assert explain(bench.rows[f.id], index, "").value
        checked += 1
    assert checked > 30
    session = Session.of_text(demo.text("ringing-lab-bench"), "demo")
    assert session.design.feasible and corners.FULL.mask(session.design.grid).any()


@pytest.mark.parametrize("name", demo.NAMES)
def test_every_demo_can_be_built_and_drawn(name):
    """Each demo of the observatory is feasible as shipped, its circuit at full load is read by the engine's own reader, and its title tells
    the scenario."""
    from rhevectra.core.circuit.read import read

    document = decode(demo.text(name), name)
    d = size(document.requirement, document.decisions)
    assert d.feasible and all(f.severity == "note" or f.figure == "inlet.noise_cm" for f in d.findings) and "Saltmarsh" in document.title
    assert len(read(netlist_text(d, None, 1.0, d.grid.bus[0])).parts) > 15


@pytest.mark.parametrize(("mains", "usual"), [(Mains(kind="ac1", v_min=85, v_max=265), "forward_2sw"),
                                              (Mains(kind="dc", v_min=36, v_max=75), "forward_active_clamp")])
def test_much_current_at_little_power_is_not_given_to_a_flyback(mains, usual):
    """60 A at 1.2 V: no flyback can be built for it, and the usual topology is one that can."""
    need = Requirement(mains=mains, outputs=(Output(voltage=1.2, current_max=60),), hold_up=0.01 if mains.kind == "ac1" else 0.0)
    made, flyback = size(need), size(need, {"topology": "flyback"})
    assert made.topology == usual and made.feasible and not flyback.feasible
