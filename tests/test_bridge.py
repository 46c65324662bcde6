"""The full bridge: what it does not share with the two-switch forward, against a circuit simulator, the engine, and by hand."""

import random
import re

import numpy as np
import pytest

from rhevectra.app.netlist import corner_for, netlist_text
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.circuit.parts import NoSteadyState
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.pictures import PICTURES, pictures_of
from spice import measure

PINS = {"topology": "full_bridge"}
NEED = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12, current_max=20),), harmonics_class="none")


@pytest.fixture(scope="module")
def bridge():
    return size(NEED, PINS)


def whole(d, x):
    return np.broadcast_to(np.asarray(getattr(x, "value", x), float), d.grid.shape)


def seeded(seed: int, count: int):
    """Requirements in the usual range of the stage (invented): 200 to 600 W, 12 to 48 V, from a power factor bus."""
    rng = random.Random(seed)
    for _ in range(count):
        power, volts = 200 * 3 ** rng.random(), rng.choice([12, 24, 36, 48])
        yield Requirement(mains=Mains(kind="dc", v_min=rng.uniform(330, 380), v_max=400), outputs=(Output(voltage=volts, current_max=power / volts),), cooling="forced", efficiency_target=0.88)


@pytest.mark.parametrize(("line", "bus"), [(195.0, "valley"), (265.0, "peak")])
def test_the_exported_netlist_agrees_with_the_simulator(bridge, line, bus, tmp_path):
    """Nothing tuned, full load at both ends of the line: output within 2 %, currents and voltages within 3 %, over the last 20 periods of a switch."""
    c, text, o = corner_for(bridge, line, 1.0, bus), netlist_text(bridge, line, 1.0, bus), bridge.context["o"]
    at = lambda x: float(whole(bridge, x)[c.index])  # noqa: E731
    end = float(re.search(r"\.tran \S+ (\S+)", text).group(1))
    names = {"bus": "AVG ib", "prms": "RMS ip", "ppk": "MAX ip", "vo": "AVG v(out1)", "vds": "MAX v(b)", "lrms": "RMS il", "lpk": "MAX il", "rrms": "RMS is"}
    found = measure(text.replace("\n.end\n", "\n.save all @llk[i] @lout[i]\n.end\n"), ["let ib=-i(vbus)", "let ip=@llk[i]", "let il=@lout[i]", "let is=i(vsec1)"], names, (end - 20 / at(o["f_switch"]), end), tmp_path / "b.cir")
    bus_power = at(o["p_bus"]) - at(bridge.rows["loss.controller"]) - at(o["p_choke"])
    mine = {"bus": bus_power / at(bridge.rows["bus.v"]), "prms": at(o["i_primary"]), "ppk": at(o["i_peak"]), "vo": 12.0, "vds": at(bridge.rows["switch.v_peak"]), "lrms": at(o["i_l"]), "lpk": at(o["crest"]), "rrms": at(bridge.rows["rectifier1.i_rms"])}
    for name, value in mine.items():
        assert found[name] == pytest.approx(value, rel=0.02 if name == "vo" else 0.03), name


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_stresses_are_not_below_the_engine(seed):
    """Full and half load at both ends of the bus: no peak more than 3 % above its figure, output within 2 %, both halves of the centre tap alike."""
    d = size(next(seeded(seed, 1)), PINS)
    for line in (d.grid.lines[0], d.grid.lines[-1]):
        for load in (1.0, 0.5):
            c = d.grid.find(line, load, "run", d.grid.bus[-1])
            try:
                e = exact(d, c)
            except NoSteadyState as problem:
                pytest.fail(f"{c.text()}: {problem}")
            at = lambda id, c=c: float(d.rows[id].at(c.index))  # noqa: E731
            assert e.voltages["b"].max() <= at("switch.v_peak") * 1.03 and np.abs(e.currents["rpri"]).max() <= at("switch.i_peak") * 1.03, c.text()
            assert np.trapezoid(e.voltages["out1"], e.t) / e.period == pytest.approx(d.requirement.outputs[0].voltage, rel=0.02), c.text()
            assert np.trapezoid(e.currents["dfeed"], e.t) == pytest.approx(np.trapezoid(e.currents["dfeed2"], e.t), rel=0.01)
            assert {"the switches are on: the secondary feeds the filter", "the filter inductor freewheels through both halves"} <= {s.name for s in e.stretches}


def test_seeded_requirements_in_the_usual_range_can_be_built():
    """Of 40 at least 95 % feasible; what the bus gives is output plus listed losses within 0.5 %; nothing is NaN."""
    feasible = 0
    for need in seeded(5, 40):
        d = size(need, PINS)
        feasible += d.feasible
        lost, run = sum(whole(d, r) for r in d.losses.values()), np.broadcast_to(d.grid.where(lambda p: p.case == "run"), d.grid.shape)
        assert np.abs((whole(d, d.rows["load.power"]) + lost) / whole(d, d.context["o"]["p_bus"]) - 1)[run].max() < 0.005
        assert all(np.isfinite(np.asarray(r.value, float)).all() for r in d.rows.values() if not isinstance(r.value, str))
    assert feasible >= 38


def test_the_flux_swings_to_both_sides_and_the_tap_blocks_twice_the_winding(bridge):
    """By hand: swing of one pulse, twice the winding's voltage with the allowance, half the output current in each rectifier, and the doubling of the first pulse in the flux rating."""
    o, rows = bridge.context["o"], bridge.rows
    n_p, n_s, top = float(rows["transformer.np"].value), float(rows["transformer.ns1"].value), float(np.max(rows["bus.v"].value))
    assert bridge.figure("rectifier1.v_reverse").value == pytest.approx(1.25 * 2 * top * n_s / n_p, rel=1e-6)
    assert np.allclose(whole(bridge, rows["rectifier1.i_avg"]), 0.5 * whole(bridge, o["i_load"]))
    assert bridge.figure("transformer.b_peak").value == pytest.approx(0.92 * top / (2 * 1e5 * n_p * float(rows["transformer.area_min"].value)), rel=1e-6)
    assert np.allclose(whole(bridge, o["i_mag"]), whole(bridge, rows["bus.v"]) * whole(bridge, o["t_e"]) / (2 * float(rows["transformer.lm"].value)))
    run = np.broadcast_to(bridge.grid.where(lambda p: p.case == "run"), bridge.grid.shape)
    assert (whole(bridge, o["t_on"]) < 0.5 / whole(bridge, o["f_switch"]))[run].all(), "both switches of a leg would be on"


def test_it_halves_the_primary_current_of_a_forward(bridge):
    """Common practice, no source: a core driven both ways at nearly twice the duty needs about half the primary peak of the single-ended stage at the same power, and its filter sees twice the frequency."""
    other = size(NEED, {"topology": "forward_2sw"})
    assert 0.4 < bridge.value("switch.i_peak_run") / other.value("switch.i_peak_run") < 0.65
    assert bridge.rows["switch.rate_nominal"].value == 2 * other.rows["switch.rate_nominal"].value
    assert bridge.value("filter1.l") < 0.5 * other.value("filter1.l")


def test_every_picture_of_every_stage_is_drawn(bridge):
    for stage in (s for s, _, _ in bridge.plates):
        for key in pictures_of(bridge, stage):
            picture = PICTURES[key][1](bridge, bridge.grid.find(195.0), 130, 90, None)
            assert len(picture.items) > 5, key
    drawn = {s.element.lower() for s in TOPOLOGIES["full_bridge"].schematic(bridge, bridge.grid.find(195.0)) if s.element}
    circuit = {e.name.lower() for e in TOPOLOGIES["full_bridge"].circuit(bridge, bridge.grid.find(195.0)).elements}
    assert drawn <= circuit
