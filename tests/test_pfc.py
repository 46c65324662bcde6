"""Power factor stages: formulas by hand and by a circuit simulator, currents by drawing every switching cycle, line current by energy and
Parseval, designs by balance."""

import random

import numpy as np
import pytest

from balances import check_drawn, check_finite, whole
from rhevectra import demo
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.working import explain
from rhevectra.core.design.cost import cost_index, whole_bill
from rhevectra.core.design.size import size
from rhevectra.core.formulas import magnetics, output, pfc, rectifier
from rhevectra.core.magnetics.line_cycle import WEIGHTS
from rhevectra.core.stages import front_ends_for
from rhevectra.core.stages.pfc import control
from rhevectra.core.stages.pfc.control import Loop, amplitudes, half_cycle, rms_of
from rhevectra.core.stages.pfc.line import Boost, angles, currents
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.front import part_load
from rhevectra.drawing.pictures import PICTURES, pictures_of
from rhevectra.project.codec import decode
from test_design import recompute

ALL = ("pfc_ccm", "pfc_crm", "pfc_interleaved", "pfc_bridgeless")
ORDERS = np.arange(1, 400, 2)


def harmonics(t, i, f_line, orders, c_x, v_line):
    """Rms [A] of the orders of a line current with that of X capacitors."""
    return rms_of(amplitudes(t, i, f_line, orders), orders, f_line, c_x, v_line)


@pytest.fixture(scope="module", params=ALL)
def fans(request):
    document = decode(demo.text("frost-fans"), "demo")
    return size(document.requirement, {**document.decisions, "front_end": request.param})


def test_facts_of_the_trade():
    """Common practice, no source: two film capacitors of 25 mΩ sharing 2.8 A lose 0.098 W; 30 turns giving 150 µH is 167 nH; 34 W through
    1.62 K/W rises 55 K."""
    assert (2 * rectifier.resistive_loss(25e-3, 1.4) == pytest.approx(0.098)
            and magnetics.inductance_factor(150e-6, 30) == pytest.approx(167e-9, rel=2e-3))
    assert magnetics.temperature_rise(1.62, 30.0, 4.0) == pytest.approx(55, abs=0.2)


def drawn(b, v_line, power, v_bus, count=400):
    """Every switching cycle of a quarter of the line drawn with 400 points: mean squares and means by sampling; the on-time of a cycle that
    rests is found by bisection on its mean."""
    total = np.zeros(5)
    for angle in (np.arange(300) + 0.5) / 300 * 0.5 * np.pi:
        v, mean = np.sqrt(2) * v_line * np.sin(angle), np.sqrt(2) * power / v_line * np.sin(angle)
        on, off = 1 - v / v_bus, v / v_bus
        if b.boundary:
            t_on = 2 * mean * b.inductance / v
            period = max(t_on / on, 1 / b.fs)
        else:
            period = 1 / b.fs
        x = (np.arange(count) + 0.5) / count
        swing = v * on * period / b.inductance
        if mean > 0.5 * swing * (1 + 1e-9):
            wave, gate = mean - swing / 2 + swing * np.where(x < on, x / on, 1 - (x - on) / off), x < on
        else:
            low, high = 0.0, on
            for _ in range(60):
                d = 0.5 * (low + high)
                peak = v * d * period / b.inductance
                low, high = (d, high) if 0.5 * peak * (d + d * v / (v_bus - v)) < mean else (low, d)
            rise, fall = v * period / b.inductance, (v_bus - v) * period / b.inductance
            wave, gate = np.where(x < d, rise * x, np.maximum(rise * d - fall * (x - d), 0.0)), x < d
        diode = np.where(gate, 0.0, wave)
        total += (np.array(
            [np.mean(wave**2), np.mean(np.where(gate, wave, 0.0) ** 2), np.mean(diode**2), np.mean(diode),
             np.mean(diode**2) - np.mean(diode) ** 2]) / 300)
    return {"l_rms": total[0] ** 0.5, "switch_rms": total[1] ** 0.5, "diode_rms": total[2] ** 0.5, "diode_avg": total[3],
            "bus_hf": total[4] ** 0.5}


@pytest.mark.parametrize(("v_line", "power"), [(100.0, 600.0), (230.0, 600.0), (230.0, 60.0), (264.0, 20.0)])
@pytest.mark.parametrize("boundary", [False, True])
def test_currents_over_the_line_cycle_by_drawing_every_cycle(v_line, power, boundary):
    """Within 1 %, deep in both modes of conduction and where the highest frequency makes cycles rest."""
    b = Boost(60e-6, 400e3, True) if boundary else Boost(470e-6, 65e3, False)
    mine, theirs = currents(b, angles(b, v_line, power, 390.0)), drawn(b, v_line, power, 390.0)
    for name, value in theirs.items():
        assert float(mine[name]) == pytest.approx(value, rel=0.01), name


@pytest.mark.parametrize("phases", [2, 3])
def test_evenly_shifted_phases_cancel(phases):
    """Triangles of evenly shifted phases sampled and summed: the ripple left at many duties, nothing at a whole share of the phases (two:
    one half); the bus current's rms over the line cycle on the safe side by up to 6 %: ramps are taken as uncorrelated, and those of three
    phases partly cancel."""
    x = np.arange(12000) / 12000

    def ramps(duty):
        return np.where(x < duty, x / duty, 1 - (x - duty) / (1 - duty))
    for duty in (0.12, 0.3, 0.45, 0.62, 0.81):
        together = sum(np.roll(ramps(duty), k * 12000 // phases) for k in range(phases))
        assert pfc.summed_ripple(1.0, phases, duty, np.floor(phases * duty)) == pytest.approx(together.max() - together.min(), abs=2e-3)
    assert abs(pfc.summed_ripple(1.0, phases, 1 / phases, 1.0)) < 1e-12
    b, v_line, power, bus = Boost(470e-6, 65e3, False, phases), 115.0, 1200.0, 390.0
    square, a = 0.0, angles(b, v_line, power, bus)
    for k, weight in enumerate(WEIGHTS):
        assert not a.rests[k] or k < 4, "the sampling below draws continuous cycles; the first angles weigh next to nothing"
        wave = np.maximum(a.mean[k] + a.ripple[k] * (ramps(a.duty[k]) - 0.5), 0.0)
        diode = sum(np.roll(np.where(x < a.duty[k], 0.0, wave), n * 12000 // phases) for n in range(phases))
        square += weight * np.var(diode)
    assert 0.99 < float(currents(b, a)["bus_hf"]) / np.sqrt(square) < 1.06


def test_continuous_conduction_without_ripple_has_the_closed_forms():
    """By hand: switch mean square I²·(1 − 8·V̂/(3·π·V_b)), diode I²·8·V̂/(3·π·V_b), diode mean P/V_b."""
    b, v, p, bus = Boost(1.0, 65e3, False), 230.0, 1000.0, 390.0
    found, share = currents(b, angles(b, v, p, bus)), 8 * np.sqrt(2) * v / (3 * np.pi * bus)
    assert (float(found["switch_rms"]) == pytest.approx(p / v * np.sqrt(1 - share), rel=1e-4)
            and float(found["diode_rms"]) == pytest.approx(p / v * np.sqrt(share), rel=1e-4))
    assert float(found["diode_avg"]) == pytest.approx(p / bus, rel=1e-4)


def test_the_frequency_at_the_boundary_follows_its_closed_formula():
    """Constant on-time 2·L·P/V²; period longer by V_b/(V_b − v)."""
    b, v, p, bus = Boost(60e-6, 1e9, True), 230.0, 300.0, 390.0
    a = angles(b, v, p, bus, np.array([0.3, 0.5 * np.pi]))
    on = 2 * b.inductance * p / v**2
    assert np.allclose(a.fs, (1 - np.sqrt(2) * v * np.sin([0.3, 0.5 * np.pi]) / bus) / on, rtol=1e-9) and np.allclose(a.duty / a.fs, on,
        rtol=1e-9)
    assert float(a.fs[1]) == pytest.approx(float(pfc.boundary_frequency(v, bus, np.sqrt(2) * v, b.inductance, p)))
    assert np.allclose(a.ripple, 2 * a.mean, rtol=1e-9)


@pytest.mark.parametrize("loop", [Loop(470e-6, 65e3, 390.0, 8e3, 0.02), Loop(60e-6, 400e3, 390.0, 0.0, 0.02, 400e3, 1e-10)],
                         ids=["ccm", "crm"])
@pytest.mark.parametrize(("v", "power"), [(90.0, 300.0), (230.0, 600.0), (264.0, 40.0)])
def test_the_line_current_draws_its_power_and_its_harmonics_its_square(loop, v, power):
    """Energy over the half cycle by the trapezoid; Parseval: squares of the harmonics are the mean square."""
    t, i = half_cycle(loop, v, 50.0, power)
    edge, value = np.concatenate([[0], t, [0.01]]), np.concatenate([[0], i, [0]])
    assert np.trapezoid(np.sqrt(2) * v * np.sin(100 * np.pi * edge) * value, edge) * 100 == pytest.approx(power, rel=2e-3)
    fine = np.linspace(0, 0.01, 200_001)
    square = np.trapezoid(np.interp(fine, edge, value) ** 2, fine) * 100
    assert np.sum(harmonics(t, i, 50.0, ORDERS, 0.0, v) ** 2) == pytest.approx(square, rel=2e-3)


def test_what_bends_the_line_current():
    """Half of the second harmonic of the command becomes third harmonic; a slow current loop dents the zero crossing; the X capacitor turns
    the fundamental by its own current."""
    fast = Loop(470e-6, 65e3, 390.0, 10e3, 0.2)
    t, i = half_cycle(fast, 230.0, 50.0, 1500.0)
    h = harmonics(t, i, 50.0, ORDERS, 0.0, 230.0)
    assert h[1] / h[0] == pytest.approx(0.1, rel=0.1)
    distorted = []
    for crossover in (1e3, 3e3, 9e3):
        t, i = half_cycle(Loop(470e-6, 65e3, 390.0, crossover, 0.0), 230.0, 60.0, 600.0)
        h = harmonics(t, i, 60.0, ORDERS, 0.0, 230.0)
        distorted.append(np.sqrt(np.sum(h[1:] ** 2)) / h[0])
    assert distorted[0] > 1.5 * distorted[1] > 1.5 * distorted[2]
    t = (np.arange(2000) + 0.5) / 2000 / 120
    sine = 3.0 * np.sqrt(2) * np.sin(2 * np.pi * 60 * t)
    assert harmonics(t, sine, 60.0, ORDERS, 2e-6, 230.0)[0] == pytest.approx(np.hypot(3.0, 2 * np.pi * 60 * 2e-6 * 230), rel=1e-4)


@pytest.mark.parametrize("bias", [{}, {"i_half": 12.0, "exponent": 1.5}], ids=["ferrite", "powder"])
@pytest.mark.parametrize("power", [30.0, 100.0, 600.0])
def test_the_line_current_repeats_where_the_loop_is_slow_to_forget(monkeypatch, bias, power):
    """Every order within two thousandths of the fundamental of what twelve half cycles one after the other come to; at light load a single
    one is up to a tenth off."""
    loop = Loop(800e-6, 65e3, 390.0, 8125.0, 0.02, designed=470e-6, **bias)
    orders = lambda: harmonics(*control._cycles(loop, 100.0, 50.0, power), 50.0, ORDERS, 0.0, 100.0)  # noqa: E731
    found = orders()
    monkeypatch.setattr(control, "AGAIN", 12)
    monkeypatch.setattr(control, "REPEATED", 0.0)
    long = orders()
    assert np.abs(found - long).max() < 2e-3 * long[0]


def test_the_loop_ripple_is_the_bus_ripple_through_the_loop():
    """By complex numbers: an integrator C·V_b under a power, a flat gain with a pole, unity at the crossover (pole left out there); the
    ripple of the command over its mean."""
    f, cross, pole, c, bus, power = 50.0, 8.0, 24.0, 540e-6, 390.0, 600.0
    gain = 2 * np.pi * cross * c * bus / power  # relative command per volt that makes the loop cross there
    swing = 0.5 * pfc.bus_ripple(power, f, c, bus)
    assert pfc.loop_ripple(cross, f, pole) == pytest.approx(abs(gain * swing / (1 + 2j * f / pole)), rel=1e-9)


def test_the_demo_stands_and_says_what_decides(fans):
    """Feasible; line power equals output and listed losses within 0.2 % at every line; both ripples told with their capacitance, the line's
    the larger; class A met with room; hold-up from the valley."""
    d = fans
    assert d.feasible, [f.text for f in d.findings]
    full = np.broadcast_to(d.grid.where(lambda p: p.case == "run" and p.load == 1.0), d.grid.shape)
    before = sum(
        whole(d, d.losses[k]) for k in ("bulk", "x_discharge", "start_up"))  # bled at the line and in the capacitor, beside the boost stage
    drawn_power = whole(d, d.rows["inlet.i_rms"]) * whole(d, d.rows["line.v"]) * whole(d, d.rows["inlet.power_factor"]) + before
    made = whole(d, d.rows["load.power"]) + sum(whole(d, r) for r in d.losses.values())
    assert np.abs(drawn_power / made - 1)[full].max() < 0.005
    assert np.abs(whole(d, d.rows["inlet.power"]) / (whole(d, d.rows["bulk.p_load"]) + whole(d, d.rows["pfc.loss"])) - 1)[full].max() < 2e-3
    assert any("twice the line frequency" in f.text and "µF" in f.text and "the first decides" in f.text for f in d.findings)
    assert d.value("pfc.bus_ripple_lf_pp") > d.value("pfc.bus_ripple_hf_pp") and d.value("inlet.power_factor") > 0.95
    assert all(f.margin > 0.3 for f in d.figures() if f.id.startswith("inlet.harmonic") and f.margin is not None)
    c = d.figure("bulk.hold_up").corner
    assert d.value("bulk.hold_up") == pytest.approx(
        0.5 * d.value("pfc.c_bus") * (d.rows["bulk.v_valley"].at(c.index) ** 2 - float(d.rows["bulk.v_min_stage"].value) ** 2)
        / d.rows["bulk.p_load"].at(c.index))
    assert d.rows["llc.v_hold"].value <= d.rows["bulk.v_min_stage"].value


def test_a_switch_that_heats_itself_by_iterating_loss_and_temperature():
    """Loss and temperature taken in turn behind a fixed heat path: the steps shrink by the figure's factor each time, and grow where it
    passes 1."""
    def steps(conduction, fixed, ratio, r_th):
        loss = lambda t: fixed + conduction * (1 + (ratio - 1) * (t - 25) / 125) / ratio  # noqa: E731
        t = [127.5 + 1.0]
        for _ in range(4):
            t.append(40 + r_th * loss(t[-1]) + (127.5 - 40 - r_th * loss(127.5)))
        d = np.diff(t)
        return d[2] / d[1]
    for conduction, fixed, ratio in ((20.0, 10.0, 2.4), (30.0, 1.0, 2.4), (5.0, 20.0, 1.8)):
        whole = fixed + conduction * (1 + (ratio - 1) * 102.5 / 125) / ratio
        hot = conduction  # resistance told at its highest temperature
        assert float(output.runaway(127.5, 40.0, whole, hot, ratio, 150.0)) == pytest.approx(steps(conduction, fixed, ratio, 87.5 / whole),
            rel=1e-6)


@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "half_bridge", "llc_half", "buck_aux"])
def test_the_power_stage_s_switch_heats_itself_by_a_kelvin_more(topology):
    """What a kelvin more adds to its loss, a straight line from 25 °C to the class limit, behind the heat path its case is given (second
    route: the difference of two losses); far from running away."""
    need = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=24, current_max=3),), insulation="functional")
    d = size(need, {"topology": topology}, noise=False)
    figure, row = d.figure("switch.runaway"), d.catalogue["switches"].row(d.value("switch.class"))
    at = lambda id: float(np.broadcast_to(d.rows[id].value, d.grid.shape)[figure.corner.index])  # noqa: E731
    whole, hot, ratio, most = at("switch.loss"), at("switch.loss_conduction"), row["hot_ratio"], row["t_junction_max_c"]
    loss = lambda t: whole - hot + hot * (1 + (ratio - 1) * (t - 25) / (most - 25)) / ratio  # noqa: E731
    path = (at("switch.t_junction") - need.ambient_max) / whole
    assert figure.value == pytest.approx(path * (loss(101.0) - loss(100.0)), rel=1e-6) and 0 < figure.value < 0.6


@pytest.mark.parametrize("front", ALL)
def test_random_mains_and_powers_balance(front):
    """Seeded, 75 W to 1.5 kW, any mains: nothing is NaN; what the line gives is bus power and losses within 0.2 %; what cannot be built
    says why; most can."""
    rng, feasible, count = random.Random(9), 0, 10
    for _ in range(count):
        low = rng.choice([85.0, 100.0, 180.0])
        power, volts = 75 * 10 ** (1.3 * rng.random()) if low > 150 else 75 * 10 ** (0.8 * rng.random()), rng.choice([12, 24, 48])
        need = Requirement(mains=Mains(kind="ac1", v_min=low, v_max=rng.uniform(240, 265)),
                           outputs=(Output(voltage=volts, current_max=power / volts),), cooling="forced", harmonics_class="A", hold_up=0.01,
                           efficiency_target=0.8)
        d = size(need, {"topology": "llc_half", "front_end": front})
        check_finite(d)
        assert np.allclose(whole(d, d.rows["inlet.power"]), whole(d, d.rows["bulk.p_load"]) + whole(d, d.rows["pfc.loss"]), rtol=2e-3)
        assert d.feasible or any(f.severity == "must fix" for f in d.findings)
        feasible += d.feasible
    assert feasible >= 0.8 * count


def test_it_costs_and_draws_what_it_has(fans):
    """The front end's parts are in the bill, its inductor in the volume; every picture of every stage is drawn, with another design
    held."""
    plain, own = size(fans.requirement, {"topology": "llc_half", "front_end": "plain"}), TOPOLOGIES["llc_half"].bill(fans)
    assert not plain.feasible and cost_index(fans, whole_bill(fans)) > cost_index(fans, own) + 1.0
    assert whole_bill(fans)["wound"] == own["wound"] + fans.context["front"].boost.phases and whole_bill(
        plain) == TOPOLOGIES["llc_half"].bill(plain) | {"small": TOPOLOGIES["llc_half"].bill(plain)["small"] + 3,
                                                        "bridges": [(plain.rows["bridge.class"].value, 1)],
                                                        "bulk": [(plain.context["front"].cap["name"], plain.context["front"].cans)],
                                                        "sinks": [plain.value(f"sink.{side}") for side in ("primary", "secondary")],
                                                        "selectors": 0}  # the trip's reference, coupler and resistor; bridge and bulk
    check_drawn(fans, fans.grid.find(100.0), fans)
    check_drawn(fans, fans.grid.find(264.0), plain)


def test_without_a_bridge_less_is_lost_and_the_crossing_pauses():
    """Common practice, no source: two drops of a bridge go, the slow leg's resistance comes. By hand: its loss is R·I² of one switch; both
    fast switches share their leg's loss; a pause at the crossing raises the distortion."""
    need = decode(demo.text("frost-fans"), "demo").requirement
    bare, usual = (size(need, {"topology": "llc_half", "front_end": f}) for f in ("pfc_bridgeless", "pfc_ccm"))
    assert bare.value("pfc.loss") < 0.75 * usual.value("pfc.loss") and "bridge.i_avg" not in bare.rows and "pfc.diode_loss" not in bare.rows
    slow = bare.catalogue["switches"].row(str(bare.rows["pfc.slow_class"].value))
    c = bare.figure("pfc.slow_loss").corner
    line = float(whole(bare, bare.rows["inlet.power"])[c.index]) / c.v_line
    assert bare.value("pfc.slow_loss") == pytest.approx(slow["r_on_25_ohm"] * slow["hot_ratio"] * line**2, rel=1e-3)
    distorted = []
    for blank in (0.0, 300e-6):
        t, i = half_cycle(Loop(470e-6, 65e3, 390.0, 8e3, 0.0, blank=blank), 230.0, 50.0, 600.0)
        h = harmonics(t, i, 50.0, ORDERS, 0.0, 230.0)
        distorted.append(np.sqrt(np.sum(h[1:] ** 2)) / h[0])
    assert distorted[1] > 1.2 * distorted[0]


def test_every_figure_of_the_stage_recomputes_from_its_printed_numbers(fans):
    """Six printed digits in the printed equation give the printed value to four; every figure opens."""
    checked = 0
    for figure in fans.figures():
        row, index = fans.rows[figure.id], figure.corner.index if figure.corner else (0, 0, 0, 0)
        assert explain(row, index, figure.spec.sentence).value, figure.id
        again = recompute(row, index)
        if again is not None and figure.stage in ("inlet", "pfc", "bulk"):
            checked += 1
            assert again == pytest.approx(row.at(index), rel=2e-4, abs=1e-12), figure.id
    assert checked > 18


def test_the_front_end_is_exchanged_in_place(qtbot, window):
    """The mark on the plate of the bus: its menu lists the front ends with the present one ticked; a power factor stage brings its plate
    and pictures, and undo takes it back."""
    path = window.size_desk.path
    button = path.buttons["bulk"]
    assert button.plate.options == tuple(front_ends_for("ac1")) and button.plate.present == "plain"
    next(a for a in button.menu().actions() if a.text() == "PFC, boundary mode").trigger()
    design = window.session.design
    assert design.front_end == "pfc_crm" and design.feasible and "envelope" in pictures_of(design, "pfc")
    assert list(path.buttons)[:3] == ["inlet", "pfc", "bulk"]
    window.size_desk.choose_stage("pfc")
    assert "pfc.i_peak" in window.size_desk.ledger._ids
    window.undo()
    assert window.session.design.front_end == "plain" and "pfc" not in path.buttons


@pytest.mark.parametrize(("name", "power", "front"),
                         [("none", 400, "plain"), ("A", 60, "plain"), ("A", 200, "pfc_crm"), ("A", 500, "pfc_ccm"), ("D", 50, "plain"),
                          ("D", 100, "pfc_crm"), ("C", 40, "pfc_crm")])
def test_the_front_end_follows_the_class_of_harmonics(name, power, front):
    """Where nobody chose: plain as long as a plain bridge meets the class, else a power factor stage that does; the rule agrees with the
    solved line current of the plain one."""
    need = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=24, current_max=power / 24),),
                       cooling="forced", harmonics_class=name)
    topology = "flyback" if power <= 100 else "half_bridge"
    d = size(need, {"topology": topology})
    assert d.front_end == front and d.rows["front_end"].origin == "rule" and not any(
        f.figure.startswith("inlet.harmonic") for f in d.findings)
    plain = size(need, {"topology": topology, "front_end": "plain"})
    assert any(f.figure.startswith("inlet.harmonic") and f.cure == "front_end" for f in plain.findings) is (front != "plain")


@pytest.mark.parametrize("kind", ["pfc_ccm", "pfc_crm", "plain"])
def test_harmonics_of_part_load_are_those_of_the_drawn_line_current(kind):
    """The Fourier integral of the drawn cycle gives at full load what is recorded (another integral, of the switching cycles or the bulk's
    pieces), at half load less of the fundamental in proportion; the picture marks both loads."""
    d = size(decode(demo.text("frost-fans"), "demo").requirement if kind != "plain"
             else decode(demo.text("camera-hide"), "demo").requirement, {"topology": "flyback_2sw", "front_end": kind})
    orders = [n for n in (3, 5, 7, 11, 13) if f"inlet.harmonic_{n}" in d.rows]
    assert part_load(d, 1.0, orders) == pytest.approx([float(d.value(f"inlet.harmonic_{n}")) for n in orders], rel=0.01)
    whole, half = (float(part_load(d, share, [1])[0]) for share in (1.0, 0.5))
    assert 0.4 < half / whole < 0.62
    picture = PICTURES["harmonics"][1](d, d.grid.find(d.grid.lines[0]), 150.0, 110.0, None)
    assert {"half load", "a tenth"} <= {t.text for t in picture.items if hasattr(t, "text")}


@pytest.mark.parametrize("boundary", [False, True])
def test_a_shape_shared_with_a_power_nearby(boundary):
    """Forty loops and powers: every order from the shape of a power up to half a per cent away lies within a thousandth of the fundamental
    of that from the power itself; the power drawn is the one asked for."""
    rng, orders = np.random.default_rng(7), np.arange(1, 40, 2)
    for _ in range(40):
        v, power, v_bus = rng.uniform(85, 265), np.exp(rng.uniform(np.log(75), np.log(3000))), rng.uniform(385, 400)
        fs, crest = rng.uniform(45e3, 150e3), np.sqrt(2) * v
        room = crest * (v_bus - crest) / v_bus
        loop = (Loop(v * v * (v_bus - crest) / (2 * power * v_bus * 6e4), 4e5, v_bus, 0.0, 0.03, 4e5, 2e-10) if boundary
                else Loop(room / fs / (rng.uniform(0.15, 0.5) * np.sqrt(2) * power / v), fs, v_bus, fs / 8, 0.03))
        t, shared = half_cycle(loop, v, 50.0, power)
        own = control._cycles(loop, v, 50.0, power)[1]
        assert np.trapezoid(shared * crest * np.sin(2 * np.pi * 50.0 * t), t) * 100.0 == pytest.approx(power, rel=1e-9)
        a, b = (harmonics(t, x, 50.0, orders, 0.0, v) for x in (shared, own))
        assert np.abs(a - b).max() < 1e-3 * b[0]
        roughly = control.half_cycle_orders(loop, v, 50.0, power, 0.0, judged=False)
        assert np.sqrt(np.square(roughly).sum()) == pytest.approx(np.sqrt(np.square(b).sum()),
            rel=1e-3), "where the power factor alone is asked powers further apart share a shape"


@pytest.mark.parametrize(("front", "beside"), [("pfc_ccm", 2), ("pfc_ccm", 4), ("pfc_interleaved", 2), ("pfc_bridgeless", 2)])
def test_the_most_loaded_of_dies_side_by_side(front, beside):
    """One of the least resistance beside others of the greatest, as conductances in parallel (second route): its share of the current, and
    of the heat its case has to carry; of a single one there is nothing to share, and alike they carry alike."""
    need = Requirement(mains=Mains(kind="ac1", v_min=100, v_max=264), outputs=(Output(voltage=48, current_max=12),), cooling="forced")
    pins = {"front_end": front, "topology": "full_bridge", "pfc.switch_parallel": beside}
    d, alike, alone = (size(need, {**pins, **p}, noise=False) for p in ({}, {"pfc.r_spread": 0.0}, {"pfc.switch_parallel": 1}))
    conductance = 1 / np.array([0.85, *[1.15] * (beside - 1)])
    share = conductance / conductance.sum()
    figure = d.figure("pfc.switch_i_most")
    here = lambda id, x=d: float(np.broadcast_to(x.rows[id].value, x.grid.shape)[figure.corner.index])  # noqa: E731
    assert figure.value == pytest.approx(here("pfc.switch_i_rms") * share[0], rel=1e-9)
    mean = here("pfc.switch_loss") / here("pfc.switch_loss_each")  # dies, as if each lost as much as the most loaded
    dies = round(here("pfc.switch_loss", alike) / here("pfc.switch_loss_each", alike))
    conduction = here("loss.pfc_switch_on") / dies  # of one of them, alike
    hotter = conduction * ((share[0] * beside) ** 2 * 0.85 - 1)
    assert here("pfc.switch_loss_each") == pytest.approx(here("pfc.switch_loss") / dies + hotter, rel=1e-9) and mean < dies
    assert d.value("pfc.switch_r_ca") < alike.value("pfc.switch_r_ca") and "pfc.switch_i_most" not in alone.rows
