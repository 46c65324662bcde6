"""Three phases, six diodes, one bulk: its steady state against a circuit simulator and by hand, and the front end built on it."""

import random

import numpy as np
import pytest

from rhevectra.app.parts import rows as parts_of
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.limits import harmonic_limit
from rhevectra.core.design.cost import whole_bill
from rhevectra.core.design.size import size, usual_front_end
from rhevectra.core.formulas.rectifier import LineSource, solve_bulk
from rhevectra.core.formulas.six_pulse import line_harmonics, solve_six_pulse, solve_unbalanced
from rhevectra.core.stages import front_ends_for
from rhevectra.core.stages.bulk.cold_start import COLD_ESR
from rhevectra.drawing.pictures import PICTURES, pictures_of
from spice import measure

DROP = 0.8
ORDERS = np.array([1, 5, 7, 11, 13])


def source(r, x, esr):
    """Two lines of r [Ω] and x [Ω at 50 Hz] each, two diodes."""
    return LineSource(2 * r, 2 * x / (2 * np.pi * 50), 2 * DROP, esr)


def simulated(v, f, r, x, esr, c, p, path, unbalance=0.0):
    """Valley, crest, rms of the lines and peak of the first, power and its harmonics in the last cycles of a run in time; unbalance: of the
    negative sequence, in step with the positive one between the last two lines."""
    end, inductance = 8 / f, x / (2 * np.pi * 50)
    lines = ["six diodes"]
    for k, name in enumerate("abc"):
        phase = np.exp(-2j * np.pi / 3 * k) + unbalance * np.exp(1j * np.pi * (1 + 2 / 3 * k))
        crest, angle = abs(phase) * v * (2 / 3) ** 0.5, np.degrees(np.angle(phase))
        lines += [f"V{name} {name} 0 SIN(0 {crest:.9g} {f} 0 0 {angle:.9g})", f"R{name} {name} {name}1 {r}",
                  f"L{name} {name}1 {name}2 {inductance:.6g}", f"Du{name} {name}2 p dm", f"Dl{name} n {name}2 dm", f"Cs{name} {name}2 0 9n"]
    lines += [f"C1 p x {c} IC={1.36 * v:.6g}", f"R2 x n {esr}", "Rg n 0 1meg", f"B1 p n I={p}/max(v(p,n),50)",
              f".model dm D(IS=1e-42 N={0.32 * DROP / 0.8} RS=5m)", ".options reltol=1e-4 abstol=1e-8 method=gear",
              f".tran 20u {end:.9g} 0 20u uic", ".end", ""]
    found = measure("\n".join(lines), ["let vb=v(p)-v(n)", "let ii=i(va)", "let pw=-(v(a)*i(va)+v(b)*i(vb)+v(c)*i(vc))",
                                       f"wrdata {path}/i.txt i(va)"],
                    {"vmin": "MIN vb", "vmax": "MAX vb", "irms": "RMS ii", "ipk": "MAX ii", "power": "AVG pw", "second": "RMS i(vb)",
                     "third": "RMS i(vc)"}, (end - 3 / f, end),
                    path / "six.cir")
    t, i = np.loadtxt(path / "i.txt").T
    last = t >= end - 1 / f
    turn = np.exp(-2j * np.pi * f * np.multiply.outer(ORDERS, t[last]))
    return found, np.sqrt(2) * f * np.abs(np.trapezoid(i[last] * turn, t[last], axis=1))


@pytest.mark.parametrize(("v", "f", "r", "x", "esr", "c", "p"), [
    pytest.param(400, 50, 1.0, 0.25, 0.4, 100e-6, 500, id="currents with gaps"),
    pytest.param(340, 47, 4.0, 0.25, 0.8, 47e-6, 300, id="behind thermistors"),
    pytest.param(400, 50, 0.4, 0.25, 0.05, 1000e-6, 10000, id="currents that meet"),
    pytest.param(400, 50, 0.4, 1.0, 0.05, 300e-6, 8000, id="a soft source, currents that overlap"),
])
def test_the_steady_state_against_the_simulator(v, f, r, x, esr, c, p, tmp_path):
    """Sources, lines and diodes one by one, run until it repeats: all within 1 %, harmonics within 2 % of the first."""
    theirs, harmonics = simulated(v, f, r, x, esr, c, p, tmp_path)
    b = solve_six_pulse(float(v), float(f), float(p), c, source(r, x, esr))
    assert not b.collapsed
    for mine, name in ((b.v_valley, "vmin"), (b.v_peak, "vmax"), (b.i_rms, "irms"), (b.i_peak, "ipk"), (b.p_line, "power")):
        assert float(mine) == pytest.approx(theirs[name], rel=0.01), name
    np.testing.assert_allclose(line_harmonics(b, ORDERS), harmonics, atol=0.02 * harmonics[0])
    assert float(b.power_factor) == pytest.approx(theirs["power"] / (np.sqrt(3) * v * theirs["irms"]), rel=0.015)


@pytest.mark.parametrize(("v", "r", "c", "p", "share"), [(400, 1.0, 100e-6, 500, 0.02), (208, 0.4, 1000e-6, 5000, 0.03)])
def test_unbalanced_mains_against_the_simulator(v, r, c, p, share, tmp_path):
    """The line that carries most, and the valley, within 1 and 0.5 %; it carries a seventh more at least than on balanced mains, which is
    what fuses and limiters have to bear."""
    theirs, _ = simulated(v, 50, r, 0.25, 0.2, c, p, tmp_path, share)
    loop = source(r, 0.25, 0.2)
    found, alike = solve_unbalanced(float(v), 50.0, float(p), c, loop, share), solve_six_pulse(float(v), 50.0, float(p), c, loop)
    assert not found.collapsed
    assert float(found.i_rms) == pytest.approx(max(theirs[k] for k in ("irms", "second", "third")), rel=0.01)
    assert float(found.v_valley) == pytest.approx(theirs["vmin"], rel=0.005) and float(found.i_rms) > 1.15 * float(alike.i_rms)
    level = solve_unbalanced(float(v), 50.0, float(p), c, loop, 0.0)
    assert float(level.i_rms) == pytest.approx(float(alike.i_rms), rel=0.01)


def test_what_is_known_beforehand():
    """Without load the bus stands at the crest less two drops; a capacitor too small to matter leaves the six-pulse wave, whose valley is
    cos 30° of the crest and whose mean is 3/π of it (by hand); what enters leaves, or heats lines, diodes and capacitor."""
    crest, stiff = np.sqrt(2) * 400.0, source(0.01, 0.01, 0.01)
    assert float(solve_six_pulse(400.0, 50.0, 0.1, 100e-6, source(1.0, 0.25, 0.4)).v_peak) == pytest.approx(crest - 2 * DROP, abs=0.3)
    wave = solve_six_pulse(400.0, 50.0, 50.0, 1e-6, stiff)
    mean = float((wave.v_nodes * wave.weights).sum() / wave.weights.sum())
    assert float(wave.v_valley) == pytest.approx(np.cos(np.pi / 6) * crest - 2 * DROP, rel=4e-3)
    assert mean == pytest.approx(3 / np.pi * crest - 2 * DROP, rel=4e-3)
    r, esr = 1.0, 0.4
    b = solve_six_pulse(400.0, 50.0, 800.0, 100e-6, source(r, 0.25, esr))
    direct = float((b.i_nodes * b.weights).sum() / b.weights.sum())
    assert float(b.p_line) == pytest.approx(800.0 + 3 * r * float(b.i_rms) ** 2 + 2 * DROP * direct + esr * float(b.i_cap) ** 2, rel=2e-3)


def test_every_circuit_that_can_carry_its_load_is_found():
    """Three hundred random ones at once, from small capacitors behind soft lines to large ones behind stiff: each period closes, and what
    enters leaves or heats, 1 %; only lines that would drop a third of the crest, or a
    capacitor that does not hold what a sixth takes, may fail."""
    rng = np.random.default_rng(5)
    n = 60
    for r, x in ((0.2, 0.1), (0.41, 0.25), (0.5, 1.0), (4.0, 0.25), (1.0, 0.0)):
        f, c, power = rng.choice([47.0, 50.0, 63.0], n), 10 ** rng.uniform(-4.7, -2.3, n), 10 ** rng.uniform(1.5, 4.1, n)
        b = solve_six_pulse(rng.uniform(180.0, 480.0, n), f, power, c, source(r, x, 0.05))
        able = np.hypot(r, x) * power / 300.0**2 < 0.1
        able &= power / (c * 300.0**2) < 6 * f  # a sixth may not ask for more than a capacitor holds
        assert not np.any(b.collapsed[able]) and able.sum() > 30
        direct = (b.i_nodes * b.weights).sum(-1) / b.weights.sum(-1)
        gone = power + 3 * r * b.i_rms**2 + 2 * DROP * direct + 0.05 * b.i_cap**2
        np.testing.assert_allclose(b.p_line[able], gone[able], rtol=0.01)


def test_an_earlier_solution_is_found_again_and_a_hopeless_one_is_told():
    """From a solution nearby the same state is reached; lines that cannot bring the power collapse, with numbers all the same."""
    power, loop = np.array([50.0, 400.0, 2000.0]), source(1.0, 0.25, 0.4)
    first = solve_six_pulse(400.0, 50.0, power, 100e-6, loop)
    again = solve_six_pulse(400.0, 50.0, power, 100e-6, loop, solve_six_pulse(400.0, 50.0, 1.1 * power, 100e-6, loop))
    np.testing.assert_allclose(again.v_valley, first.v_valley, rtol=5e-4)
    np.testing.assert_allclose(again.i_rms, first.i_rms, rtol=5e-3)
    weak = solve_six_pulse(400.0, 50.0, 5000.0, 100e-6, source(20.0, 0.25, 0.4))
    assert bool(weak.collapsed) and np.isfinite(weak.v_valley) and np.isfinite(weak.i_rms)


def asked(power, low=340.0, high=460.0, volts=24.0, **more):
    return Requirement(mains=Mains(kind="ac3", v_min=low, v_max=high), outputs=(Output(voltage=volts, current_max=power / volts),),
                       **{"harmonics_class": "A", "cooling": "forced", **more})


@pytest.fixture(scope="module")
def pump():
    return size(asked(240.0), noise=False)


def test_it_is_the_usual_one_where_its_harmonics_are_let(pump):
    """Class A lets six diodes some 400 W, no class any power; behind the limit stands the stage that shapes its current. Its own solved
    harmonics agree: inside every limit below, beyond one of them well above."""
    assert pump.feasible and pump.front_end == "plain_three_phase" == usual_front_end(asked(5000.0, harmonics_class="none"))[0]
    assert usual_front_end(asked(800.0))[0] == "pfc_three_phase" and "plain_three_phase" not in front_ends_for("ac1")
    for power, inside in ((330.0, True), (700.0, False)):
        d = size(asked(power, volts=48.0), {"front_end": "plain_three_phase", "topology": "full_bridge"}, noise=False)
        assert all(d.value(f"inlet.harmonic_{n}") <= harmonic_limit("A", n, 0.0, 0.0, 0.0) for n in range(3, 40, 2)) is inside
    assert not pump.value("inlet.harmonic_3") and pump.value("inlet.harmonic_5") > 0.1


def test_the_front_end_stands_on_its_steady_state(pump):
    """Valley, crest and line current are those of the parts that were chosen, solved here from its rows; the losses told make up what
    enters less what leaves; with a phase gone two lines feed the bulk alone."""
    at = pump.grid.find(pump.grid.lines[0]).index
    row = lambda id: float(np.asarray(pump.rows[id].at(at) if pump.rows[id].value is not None else 0))  # noqa: E731
    z, ntc = pump.requirement.source_impedance, pump.catalogue["thermistors"].row(str(pump.rows["inlet.thermistor"].value))
    bridge = pump.catalogue["bridges_three"].row(str(pump.rows["bridge.class"].value))
    each, power = row("bulk.c"), row("bulk.p_load")
    loop = LineSource(2 * (z.r + ntc["r_hot_ohm"] + row("inlet.r_filter")) + 2 * bridge["r_dynamic_ohm"], 2 * z.x / (2 * np.pi * 50),
                      2 * bridge["v_forward_v"], row("bulk.esr"))
    f = pump.grid.freqs[at[1]]
    b = solve_six_pulse(340.0, f, power, each / 2, loop)
    assert row("bulk.v_valley") == pytest.approx(float(b.v_valley), rel=1e-3)
    assert row("inlet.i_rms") == pytest.approx(float(b.i_rms), rel=5e-3)
    heat = sum(row(f"loss.{k}") for k in ("bridge", "thermistor", "mains_filter")) + loop.esr * row("bulk.i_rms_lf") ** 2
    assert row("inlet.power") == pytest.approx(power + heat, rel=5e-3)
    askew = solve_unbalanced(340.0, f, power, each / 2, loop, 0.02)
    assert row("inlet.i_unbalanced") == pytest.approx(float(askew.i_rms), rel=5e-3) == row("inlet.i_thermistor")
    assert 1.5 * row("inlet.i_unbalanced") <= float(pump.rows["inlet.fuse"].value) * (1 + 1e-9)
    alone = solve_bulk(340.0, f, power, each / 2, loop)
    assert row("bulk.v_valley_phase_loss") == pytest.approx(float(alone.v_valley), rel=2e-3)
    assert row("inlet.i_phase_loss") == pytest.approx(float(alone.i_rms), rel=1e-2)
    assert any("with a phase gone" in found.text for found in pump.findings)


def test_one_capacitor_or_two_in_series(pump):
    """Behind 208 V one capacitor bears the crest, behind 400 V two do, with what balances them; a pin on one is told that it is over."""
    low = size(asked(120.0, 180.0, 230.0), noise=False)
    assert low.rows["bulk.in_series"].value == 1 and "bulk.r_balance" not in low.rows and low.feasible
    assert low.value("bulk.v_capacitor") == pytest.approx(low.value("bulk.v_peak")) and low.value("bulk.v_peak") < 230 * np.sqrt(2)
    assert pump.rows["bulk.in_series"].value == 2 and pump.rows["bulk.r_balance"].value > 1e4
    assert pump.value("bulk.v_capacitor") > 0.5 * pump.value("bulk.v_peak")
    one = size(asked(240.0), {"bulk.in_series": 1}, noise=False)
    assert any(found.figure == "bulk.v_capacitor" and found.severity == "must fix" for found in one.findings)


def test_the_line_cycle_carries_its_power(pump):
    """The picture's line current times its phase's voltage, three times, is the power told; the rectified mains are the greatest voltage
    between two lines."""
    corner = pump.grid.find(pump.grid.lines[-1])
    c = front_ends_for("ac3")[pump.front_end].cycle(pump, corner)
    angle = 2 * np.pi * c["t"] / c["t"][-1]
    phases = [np.sqrt(2 / 3) * corner.v_line * np.sin(angle - k * 2 * np.pi / 3) for k in range(3)]
    power = 3 * np.trapezoid(phases[0] * c["current"], c["t"]) / c["t"][-1]
    assert power == pytest.approx(float(pump.rows["inlet.power"].at(corner.index)), rel=0.01)
    between = np.max([np.abs(phases[j] - phases[k]) for j, k in ((0, 1), (1, 2), (2, 0))], axis=0)
    np.testing.assert_allclose(c["mains"], between, rtol=1e-6)
    on = c["current"] > 0.3 * c["current"].max()
    assert c["bulk"][on].mean() == pytest.approx(between[on].mean(), rel=0.03)  # it charges while the mains are above it


def test_the_picture_of_three_lines_shows_the_one_that_carries_most(pump):
    """Currents of three lines without a neutral sum to nothing at every instant; the largest rms is the figure told at that corner."""
    corner = pump.grid.find(pump.grid.lines[0])
    now = front_ends_for("ac3")[pump.front_end].line_currents(pump, corner)
    assert np.max(np.abs(now["lines"].sum(0))) < 1e-9 < now["rms"].min()
    assert now["rms"].max() == pytest.approx(float(pump.rows["inlet.i_unbalanced"].at(corner.index)), rel=5e-3)
    drawn = PICTURES["phases"][1](pump, corner, 150, 110, None)
    assert "phases" in pictures_of(pump, "inlet") and [name for name in drawn.data if name.endswith("[A]")] == [
        f"line {k} [A]" for k in (1, 2, 3)]


def test_the_cold_start_is_what_the_lines_bring():
    """Behind cold thermistors the load told is that at which the valley reaches the least bus."""
    d = size(asked(300.0, volts=48.0, ambient_min=-25.0), noise=False)
    assert d.rows["inlet.limiter"].value == "thermistor"
    share = d.value("start.p_cold") / d.requirement.power
    at = d.grid.find(d.grid.lines[0]).index
    z, bridge = d.requirement.source_impedance, d.catalogue["bridges_three"].row(str(d.rows["bridge.class"].value))
    row = lambda id: float(np.asarray(d.rows[id].at(at)))  # noqa: E731
    loop = LineSource(2 * (z.r + row("inlet.r_filter")) + row("start.r_cold") + 2 * bridge["r_dynamic_ohm"], 2 * z.x / (2 * np.pi * 50),
                      2 * bridge["v_forward_v"], COLD_ESR * row("bulk.esr"))
    full = float(solve_six_pulse(340.0, 47.0, row("bulk.p_load"), row("bulk.c") / 2, loop).v_valley)
    there = float(solve_six_pulse(340.0, 47.0, share * row("bulk.p_load"), row("bulk.c") / 2, loop).v_valley)
    least = float(d.rows["bulk.v_min_stage"].value)
    assert (share == 1.0 and full >= least) or there == pytest.approx(least, rel=0.03)


def test_three_of_each_on_the_bill(pump):
    """A fuse, a limiter, an arrester and an X capacitor for every line; at kilowatts a relay with a contact for each; six diodes in one
    bridge of its own table."""
    count = {kind: n for kind, _, n in parts_of(pump)}
    assert all(count[kind] == 3 for kind in ("fuse, rated current", "inrush thermistor", "surge arrester, continuous voltage"))
    assert [name for name, _ in whole_bill(pump)["bridges_three"]] == [pump.rows["bridge.class"].value] and "inrush relay" not in count
    strong = size(asked(3000.0, volts=48.0, harmonics_class="none"), noise=False)
    assert strong.rows["inlet.limiter"].value == "relay" and "inrush relay" in {kind for kind, _, _ in parts_of(strong)}
    assert np.max(strong.rows["loss.thermistor"].value) < 5.0 and "start.p_cold" not in strong.rows


def test_random_requirements_give_finite_numbers():
    """Any three-phase mains, loads and impedances: designed without an error, every number finite, valley below crest."""
    rng = random.Random(11)
    for _ in range(12):
        low = rng.uniform(150.0, 420.0)
        d = size(asked(10 ** rng.uniform(0.7, 3.5), low, min(low * rng.uniform(1.05, 2.5), 530.0), rng.choice([12.0, 24.0, 48.0]),
                       harmonics_class=rng.choice(["A", "none"]), hold_up=rng.choice([0.0, 0.01, 0.02])),
                 {"front_end": "plain_three_phase"}, noise=False)
        for id, row in d.rows.items():
            if isinstance(row.value, float | np.ndarray) and row.value is not None:
                assert np.all(np.isfinite(np.asarray(row.value, float))), id
        assert np.all(np.asarray(d.rows["bulk.v_valley"].value) <= np.asarray(d.rows["bulk.v_peak"].value) + 1e-9)
