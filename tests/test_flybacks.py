"""The valley-switching and the two-switch flyback: against a circuit simulator, balances, a second algorithm for the valley, and by
hand."""

import re
from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import brentq

from balances import FRONT, check_drawn, check_finite, whole
from requirements import ALONE, random_requirements
from rhevectra.app.netlist import corner_for, netlist_text
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.core.design.exact import exact, remarks
from rhevectra.core.design.size import size
from rhevectra.core.formulas import valley_switching
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.pictures import pictures_of
from spice import measure, shortened

KINDS = ("flyback_qr", "flyback_2sw")


@pytest.fixture(scope="module")
def designs(demo_document):
    return {kind: size(demo_document.requirement, {"topology": kind}) for kind in KINDS}


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("line", "load", "bus"), [(85.0, 1.0, "valley"), (265.0, 0.5, "peak")])
def test_the_exported_netlist_agrees_with_the_simulator(designs, kind, line, load, bus, tmp_path):
    """Nothing tuned: currents, output and peak voltage within 2 %."""
    d = designs[kind]
    c, text = corner_for(d, line, load, bus), netlist_text(d, line, load, bus)
    period = float(re.search(r"Vclk.* (\S+)\)", text).group(1))
    text, end = shortened(text)
    names = {"bus": "AVG ib", "swp": "MAX isw", "secr": "RMS is", "vo": "AVG v(out1)", "vd": "MAX v(drain)"}
    found = measure(text, ["let ib=-i(vbus)", "let isw=i(vsense)*(v(gate) gt 5)", "let is=i(vsec1)"], names, (end - 20 * period, end),
                    tmp_path / "n.cir")
    at = lambda id: float(d.rows[id].at(c.index))  # noqa: E731
    mine = {"bus": at("switch.p_bus") / at("bus.v"), "swp": at("switch.i_peak"), "secr": at("rectifier1.i_rms"), "vo": at("load.v_main"),
            "vd": at("switch.v_peak")}
    for name, value in mine.items():
        assert value == pytest.approx(found[name], rel=0.02), name


@pytest.mark.parametrize("kind", KINDS)
def test_stresses_are_not_below_the_engine(designs, kind):
    """Full, half and a quarter load at both ends of the line, and the current limit: no rating exceeded by more than 3 %."""
    d = designs[kind]
    for line, bus in ((85.0, "valley"), (265.0, "peak")):
        for load, case in ((1.0, "run"), (0.5, "run"), (0.25, "run"), (1.0, "limit")):
            assert not remarks(d, exact(d, d.grid.find(line, load, case, bus))), (line, load, case)


def test_the_core_peaks_after_the_switch_has_opened():
    """A supply of 5 W from 400 V: what its node adds to the core's current while it rises to the bus counts in the flux, at the limit too,
    and not as current of the switch."""
    d = size(Requirement(mains=Mains(kind="dc", v_min=250, v_max=400), outputs=(Output(voltage=12, current_max=0.45),)),
             {"topology": "flyback_qr"}, noise=False)
    row = lambda id: float(d.rows[id].value)  # noqa: E731
    per_tesla = row("transformer.np") * row("transformer.area_min") / row("transformer.lp_max")
    for load in (1.0, 0.5, 0.1):
        c = d.grid.find(400.0, load)
        e, at = exact(d, c), lambda id, c=c: float(d.rows[id].at(c.index))
        assert not remarks(d, e)
        assert e.greatest("gate", "llk") == pytest.approx(at("switch.i_peak"), rel=0.02)
        assert e.greatest("element", "lm") == pytest.approx(at("transformer.b_run") * per_tesla, rel=0.02)
    assert e.greatest("element", "lm") > 1.2 * e.greatest("gate", "llk")
    c = d.grid.find(400.0, 1.0, "limit")
    trip = row("switch.current_limit") * (1 + row("switch.limit_tolerance")) + 400 * row("switch.limit_delay") / row("transformer.lp_max")
    stored = 0.5 * row("transformer.lp_max") * trip**2 + 0.5 * row("switch.c_node") * 400**2
    assert float(d.rows["transformer.b_peak"].at(c.index)) * per_tesla == pytest.approx(np.sqrt(2 * stored / row("transformer.lp_max")))


def test_the_switch_turns_on_in_a_valley(designs):
    """The engine's drain just before turn-on is the lowest of the last half ring, and where the ring was heading is what the figure says,
    within 3 % of the ring from crest to trough: the engine turns on by the clock, some hundredths of a microsecond early, and what the core
    still carries is a part of the swing."""
    d = designs["flyback_qr"]
    for line, load, bus in ((85.0, 1.0, "valley"), (85.0, 0.5, "valley"), (265.0, 1.0, "peak"), (265.0, 0.5, "peak")):
        c = d.grid.find(line, load, "run", bus)
        e, bus_v = exact(d, c), float(d.rows["bus.v"].at(c.index))
        half = float(np.pi * np.sqrt(float(d.rows["transformer.lp"].value) * float(d.rows["switch.c_node"].value)))
        last = e.voltages["drain"][e.t > e.period - half]
        assert abs(last[-5] - last.min()) < 0.05 * bus_v and last.max() > bus_v, c.text()
        swing = 2 * float(d.rows["transformer.v_reflected"].at(c.index))
        carried = e.currents["lm"][-1] * np.sqrt(float(d.rows["transformer.lp"].value) / float(d.rows["switch.c_node"].value))
        trough = bus_v - np.hypot(last.min() - bus_v, carried)
        assert float(d.rows["qr.v_on"].at(c.index)) == pytest.approx(max(trough, 0.0), abs=0.03 * swing), c.text()


def test_the_valley_is_the_first_that_the_highest_frequency_leaves(designs):
    """Second algorithm at every loaded run corner that skips no pulse: for each valley from the first on, the lossless period solved by
    root finding from power and valley; the first period not shorter than 1/f_max is the valley of the design, and its frequency within 6
    %."""
    d = designs["flyback_qr"]
    o, s, top = d.context["o"], d.context["stage"], float(d.rows["qr.f_max"].value)
    lp, half = float(s.lp.value), float(np.pi * np.sqrt(float(s.lp.value) * float(s.c_node.value)))
    compared = 0
    for index in np.ndindex(d.grid.shape):
        point, at = d.grid.points[index[2]], lambda x, i=index: float(whole(d, x)[i])
        if point.case != "run" or point.load < 0.4:
            continue
        v, v_or, power = at(s.v_bus), at(o["v_or"]), at(o["p_bus"])

        def period(k, v=v, v_or=v_or, power=power):
            return brentq(lambda t: lp * np.sqrt(2 * power * t / lp) * (1 / v + 1 / v_or) + (2 * k - 1) * half - t, 1e-7, 1e-3)
        k = next(k for k in range(1, 40) if period(k) >= 0.995 / top)
        near = abs(period(k) * top - 1) < 0.03 or (
            k > 1 and abs(period(k - 1) * top - 1) < 0.03)  # at the edge of two valleys losses decide
        if not near:
            compared += 1
            assert at(s.valley) == k and at(o["fs"]) == pytest.approx(1 / period(k), rel=0.06), d.grid.corner(index).text()
    assert compared > 12


def test_the_boundary_inductance_empties_the_core_before_the_valley():
    """By hand: 100 V, duty 0.5, 60 W, 65 kHz, 100 pF: ramp, discharge and half a ring fill the period, ½·L·Î²·f is the power."""
    wanted = valley_switching.boundary_inductance
    lp = brentq(lambda x: x - wanted(100.0, 0.5, valley_switching.half_ring(x, 1e-10), 65e3, 60.0), 1e-5, 1e-2)
    peak = np.sqrt(2 * 60.0 / (lp * 65e3))
    assert 2 * lp * peak / 100.0 + np.pi * np.sqrt(lp * 1e-10) == pytest.approx(1 / 65e3, rel=1e-9)


def test_frequency_follows_line_and_load_and_its_picture_passes_through_the_design(designs):
    d = designs["flyback_qr"]
    full = lambda line, bus: float(d.rows["switch.frequency"].at(d.grid.find(line, 1.0, "run", bus).index))  # noqa: E731
    assert full(85.0, "valley") < full(230.0, "valley") <= d.value("qr.f_max") * (1 + 1e-9)
    assert full(85.0, "valley") == pytest.approx(float(d.rows["fs"].value), rel=0.05)
    view = TOPOLOGIES["flyback_qr"].frequency_view(d)
    low = view.curves[0]
    assert low.frequency[-1] == pytest.approx(full(85.0, "valley"), rel=1e-3) and (np.diff(low.frequency[-20:]) < 0).all()
    assert max(c.frequency.max() for c in view.curves) <= view.f_max * (1 + 1e-9)
    higher = size(d.requirement, {"topology": "flyback_qr", "qr.f_max": 300e3})
    assert higher.value("qr.valley") < d.value("qr.valley") and higher.value("switch.frequency") > d.value("switch.frequency")


def test_two_switches_see_the_bus_and_hand_the_leakage_back(designs):
    """Peak voltage is the bus and one diode, of no more resistance than the die; what the engine's diodes carry back is the figure within
    5 % at the lowest bus (the formula leaves out that the reflected voltage is a little lower while the secondary current builds up, and
    the winding's own drop: 34 V empty the leakage); no clamp is left."""
    d = designs["flyback_2sw"]
    die, most = d.catalogue["switches"].row(d.value("switch.class")), d.figure("switch.v_peak")
    bus, peak = (float(np.broadcast_to(d.rows[id].value, d.grid.shape)[most.corner.index]) for id in ("bus.v", "switch.i_peak"))
    # 0.05 ohm: the most of a small diode's own, common practice, no source
    r = min(0.05, die["r_on_25_ohm"] * die["hot_ratio"])
    assert most.value == pytest.approx(bus + float(d.rows["return.v_diode"].value) + r * peak, rel=1e-9)
    assert not any(id.startswith("clamp.") for id in d.figure_ids) and all(p[0] != "clamp" for p in d.plates)
    d = size(d.requirement,
             {**ALONE, "topology": "flyback_2sw",
              "transformer.core": "ETD39/20/13"})  # 0.6 W in the copper; with 1.4 W the winding's drop makes it 5.3 %
    c = d.grid.find(85.0)
    e = exact(d, c)
    back = float(d.rows["bus.v"].at(c.index)) * float(np.trapezoid(e.currents["dcl"], e.t)) / e.period
    assert float(d.rows["return.power"].at(c.index)) == pytest.approx(back, rel=0.05)
    high = size(d.requirement, {"topology": "flyback_2sw", "flyback.v_or": 110.0})
    assert not high.feasible and any(f.figure == "return.share" and f.cure == "flyback.v_or" for f in high.findings)


@pytest.mark.parametrize(("kind", "power"), [("flyback_qr", (10, 90)), ("flyback_2sw", (30, 110))])
def test_seeded_requirements_in_the_usual_range_can_be_built(kind, power):
    """Of 40 at least 95 % feasible; with load, bus power is output plus every listed loss of the stage within 0.5 %; nothing is NaN."""
    feasible = 0
    for need in random_requirements(11, 40, power):
        d = size(need, {"topology": kind})
        check_finite(d)
        feasible += d.feasible
        lost = sum(whole(d, r) for name, r in d.losses.items() if name not in FRONT)
        run = np.broadcast_to(d.grid.where(lambda p: p.case == "run" and p.load > 0), d.grid.shape)
        assert np.abs((whole(d, d.rows["load.power"]) + lost) / whole(d, d.context["o"]["p_bus"]) - 1)[run].max() < 0.005, need
    assert feasible >= 38


@pytest.mark.parametrize("kind", KINDS)
def test_every_picture_of_every_stage_is_drawn(designs, kind):
    d, held = designs[kind], size(designs[kind].requirement, {"topology": kind, "fs": 80e3})
    c = d.grid.find(85.0)
    check_drawn(d, c, held)
    assert ("frequency" in pictures_of(d, "switch")) is (kind == "flyback_qr") and ("ripple" in pictures_of(d, "switch")) is (
        kind == "flyback_2sw")


def test_several_outputs_are_designed_too(demo_document):
    outs = demo_document.requirement.outputs
    need = replace(demo_document.requirement,
                   outputs=(replace(outs[0], name="main", current_max=1.5, current_min=0.15, regulated=True),
                            replace(outs[0], name="fan", voltage=12.0, voltage_min=12.0, voltage_max=12.0, current_max=0.4,
                                    current_min=0.04, tolerance=0.18, regulated=False)))
    for kind in KINDS:
        d = size(need, {"topology": kind})
        assert d.feasible and d.figure("output2.v_low").limit is not None, [f.text for f in d.findings]


def test_a_diode_that_only_touches_its_border_does_not_stop_the_engine():
    """A rectifier whose forward voltage just meets its knee at the crest of a sine: the period is found, and the current stays nothing."""
    text = "touch\nV1 a 0 SIN(0 {v} 50k)\nR1 a b 1\nC1 b 0 1n\nD1 b c dm\nR2 c 0 100\n.model dm D(IS=1e-12 N=1 RS=10m)\n.end\n"
    knee = 0.025865 * np.log(1 + 1e12)  # 27 °C, 1 A
    for share in (1 - 1e-9, 1.0, 1 + 1e-9, 1 + 1e-7):
        found = steady(read(text.replace("{v}", f"{knee * share * np.hypot(1, 2 * np.pi * 50e3 * 1e-9):.15g}")), 2e-5)
        assert found.residual < 1e-9
