"""The bridges: what they do not share with the two-switch forward, against a circuit simulator, the engine, and by hand."""

import itertools
import random
import re

import numpy as np
import pytest
from msgspec.structs import replace

from balances import check_balance, whole
from rhevectra.app.netlist import corner_for, netlist_text
from rhevectra.app.steady import run
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.circuit.netlist import write
from rhevectra.core.circuit.parts import NoSteadyState
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas import magnetics
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.pictures import PICTURES, pictures_of
from spice import measure

BRIDGES = ("full_bridge", "half_bridge")
BOTH_WAYS = (*BRIDGES, "push_pull")
BATTERY = Requirement(mains=Mains(kind="dc", v_min=10, v_max=16), outputs=(Output(voltage=48, current_max=8.33),), insulation="basic",
                      cooling="forced", efficiency_target=0.85)
NEED = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12, current_max=20),), harmonics_class="none")


@pytest.fixture(scope="module", params=BOTH_WAYS)
def bridge(request):
    return size(NEED, {"topology": request.param})


def drive(d):
    """Share of the bus across the primary: the whole of it in a full bridge, a half in a half bridge."""
    return {"full_bridge": 1.0, "half_bridge": 0.5, "push_pull": 1.0}[d.topology]


def seeded(seed: int, count: int):
    """Requirements in the usual range of the stage (invented): 200 to 600 W, 12 to 48 V, from a power factor bus."""
    rng = random.Random(seed)
    for _ in range(count):
        power, volts = 200 * 3 ** rng.random(), rng.choice([12, 24, 36, 48])
        yield Requirement(mains=Mains(kind="dc", v_min=rng.uniform(330, 380), v_max=400),
                          outputs=(Output(voltage=volts, current_max=power / volts),), cooling="forced", efficiency_target=0.88)


@pytest.mark.parametrize(("topology", "mains", "volts", "power", "load"), [
    ("half_bridge", Mains(kind="ac1", v_min=195, v_max=265), 5, 220, 0.1),
    ("push_pull", Mains(kind="dc", v_min=36, v_max=60), 3.3, 389, 1.0)])
def test_two_rectifiers_in_series_that_open_at_one_instant_are_followed(topology, mains, volts, power, load):
    """A bridge behind a winding that floats but for a megohm: what leaks there opens and closes one of two, to and fro at one instant. The
    exact period is found, gives the output, and is the same with a tenth and ten times of that resistance."""
    d = size(Requirement(mains=mains, outputs=(Output(voltage=volts, current_max=power / volts),), cooling="forced", efficiency_target=0.7),
             {"topology": topology, "secondary.kind": "bridge"}, noise=False)
    c = d.grid.find(mains.v_min, load, "run", d.grid.bus[0])

    def output(ohms):
        e = exact(d, c, lambda circuit: replace(circuit, elements=tuple(
            replace(x, value=str(ohms)) if x.name == "Rfloat" else x for x in circuit.elements)))
        assert e.residual < 1e-8
        return np.trapezoid(e.voltages["out1"], e.t) / e.period
    as_it_is = output(1e6)
    assert as_it_is == pytest.approx(volts, rel=0.03)
    assert output(1e5) == pytest.approx(as_it_is, rel=1e-3) and output(1e7) == pytest.approx(as_it_is, rel=1e-3)


@pytest.mark.parametrize("topology", BRIDGES)
@pytest.mark.parametrize("power", [16.0, 40.0])
def test_a_small_bridge_takes_from_the_bus_what_the_engine_says(topology, power):
    """Little current leaves little in the leakage to ring with, and at light load the magnetising current brings the nodes round before the
    next turn-on: at full and at a quarter of the load, at the highest bus, within 2 % of the exact period (by the square of its output). A
    full ring and a full turn-on would be 4 to 30 % too much."""
    d = size(Requirement(mains=Mains(kind="dc", v_min=330, v_max=390), outputs=(Output(voltage=48, current_max=power / 48),),
                         cooling="forced"), {"topology": topology}, noise=False)
    for load in (1.0, 0.25):
        c = d.grid.find(390.0, load)
        e = exact(d, c)
        drawn = abs(np.trapezoid(e.currents["vbus"] * e.voltages["bus"], e.t)) / e.period
        held = np.trapezoid(e.voltages["out1"], e.t) / e.period
        told = power * load + float(whole(d, d.rows["loss.total"].value)[c.index])
        assert told == pytest.approx(drawn * (48 / held) ** 2, rel=0.02)
    assert float(whole(d, d.rows["switch.v_turn_on"].value)[c.index]) < 0.8 * drive(d) * 390


def test_at_a_tenth_of_the_load_the_magnetising_current_feeds_the_filter():
    """Eight stages, both ends of the bus: with the pulses as sized the engine's output is 3 % off at most, by where the ring of filter and
    nodes meets the next pulse, and half a per cent in the mean. Pulses for a triangle that stands on nothing are 5 to 9 % longer: all of
    them would be too high. In the engine the filter carries on between the pulses what the magnetising current's volt-seconds give."""
    off = []
    for topology, volts, power, kind in (("half_bridge", 12, 644, "centre_tap"), ("half_bridge", 24, 300, "bridge"),
                                         ("half_bridge", 5, 200, "centre_tap"), ("full_bridge", 28, 739, "bridge"),
                                         ("full_bridge", 15, 300, "centre_tap"), ("full_bridge", 48, 1500, "centre_tap"),
                                         ("push_pull", 24, 400, "centre_tap"), ("push_pull", 24, 400, "bridge")):
        d = size(Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=volts, current_max=power / volts),),
                             cooling="forced"), {"topology": topology, "light_load": "fixed", "secondary.kind": kind,
                                                 **({"switch.class": "1200V-0.35R"} if topology == "push_pull" else {})}, noise=False)
        for line, bus in ((d.grid.lines[0], d.grid.bus[0]), (d.grid.lines[-1], d.grid.bus[-1])):
            c = d.grid.find(line, 0.1, "run", bus)
            e, at = exact(d, c), lambda id, d=d, c=c: float(whole(d, d.rows[id])[c.index])
            off.append(np.trapezoid(e.voltages["out1"], e.t) / e.period / volts - 1)
            triangle = np.sqrt(2 * at("filter1.l") * at("load.i1") * at("filter1.v_down")
                               / (at("switch.pulse_rate") * at("filter1.v_up") * (at("filter1.v_up") + at("filter1.v_down"))))
            assert abs(off[-1]) < 0.03 and 1.05 < triangle / at("switch.t_feeding") < 1.09, (topology, kind, line, off[-1])
    assert abs(np.mean(off)) < 0.005


@pytest.mark.parametrize("low", [True, False])
def test_the_exported_netlist_agrees_with_the_simulator(bridge, low, tmp_path):
    """Nothing tuned, full load at both ends of the line: output within 2 %, currents and voltages within 3 %, over the last 20 periods of a
    switch."""
    if bridge.topology == "push_pull":
        bridge = size(BATTERY,
                      # where it is at home; at mains voltage what its nodes take through the leakage between the halves adds to its rms
                      # current
                      {"topology": "push_pull"})
    line, bus = (bridge.grid.lines[0], bridge.grid.bus[0]) if low else (bridge.grid.lines[-1], bridge.grid.bus[-1])
    c, text, o = corner_for(bridge, line, 1.0, bus), netlist_text(bridge, line, 1.0, bus), bridge.context["o"]
    at = lambda x: float(whole(bridge, x)[c.index])  # noqa: E731
    end = float(re.search(r"\.tran \S+ (\S+)", text).group(1))
    end = (0.25e-3 if bridge.topology == "push_pull"
           # it begins at its output voltage and has settled by then; the nanohenries of the push-pull make the simulator slow
           else 0.27 * end)
    text = re.sub(r"(\.tran \S+) \S+ \S+", rf"\1 {end} {end - 0.25e-3}", text)
    names = {"bus": "AVG ib", "prms": "RMS ip", "ppk": "MAX ip", "vo": "AVG v(out1)",
             "vds": f"MAX v({bridge.context['stage'].variant.node})", "lrms": "RMS il", "lpk": "MAX il", "rrms": "RMS is"}
    found = measure(text.replace("\n.end\n", "\n.save all @llk[i] @lout[i]\n.end\n"),
                    ["let ib=-i(vbus)", f"let ip={'i(vhalf1)' if bridge.topology == 'push_pull' else '@llk[i]'}", "let il=@lout[i]",
                     "let is=i(vsec1)"], names, (end - 20 / at(o["f_switch"]), end), tmp_path / "b.cir")
    bus_power = at(o["p_bus"]) - at(bridge.rows["loss.controller"]) - at(o["p_choke"])
    mine = {"bus": bus_power / at(bridge.rows["bus.v"]), "prms": at(o["i_primary"]), "ppk": at(o["i_peak"]),
            "vo": bridge.requirement.outputs[0].voltage, "vds": at(bridge.rows["switch.v_peak"]), "lrms": at(o["i_l"]),
            "lpk": at(o["crest"]), "rrms": at(bridge.rows["rectifier1.i_rms"])}
    if bridge.topology == "push_pull":  # the spike at turn-on is not in the figures; the clamp is judged below
        del mine["ppk"], mine["vds"]
        mine["prms"] = mine["prms"] / np.sqrt(2)
    for name, value in mine.items():
        assert found[name] == pytest.approx(value, rel=0.02 if name == "vo" else 0.03), name


@pytest.mark.parametrize("topology", BOTH_WAYS)
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_stresses_are_not_below_the_engine(topology, seed):
    """Full and half load at both ends of the bus: no peak more than 3 % above its figure, output within 2 %, both halves of the centre tap
    alike."""
    d = size(next(seeded(seed, 1)), {"topology": topology})
    for line in (d.grid.lines[0], d.grid.lines[-1]):
        for load in (1.0, 0.5):
            c = d.grid.find(line, load, "run", d.grid.bus[-1])
            try:
                e = exact(d, c)
            except NoSteadyState as problem:
                pytest.fail(f"{c.text()}: {problem}")
            at = lambda id, c=c: float(d.rows[id].at(c.index))  # noqa: E731
            assert e.voltages[d.context["stage"].variant.node].max() <= at("switch.v_peak") * 1.03, c.text()
            assert topology == "push_pull" or np.abs(e.currents["rpri"]).max() <= at("switch.i_peak") * 1.03, c.text()
            assert np.trapezoid(e.voltages["out1"], e.t) / e.period == pytest.approx(d.requirement.outputs[0].voltage, rel=0.02), c.text()
            assert np.trapezoid(e.currents["dfeed"], e.t) == pytest.approx(np.trapezoid(e.currents["dfeed2"], e.t), rel=0.01)
            assert ({"the switches are on: the secondary feeds the filter", "the filter inductor freewheels through both halves"}
                    <= {s.name for s in e.stretches})


@pytest.mark.parametrize("topology", BOTH_WAYS)
def test_seeded_requirements_in_the_usual_range_can_be_built(topology):
    """Of 40 at least 95 % feasible; what the bus gives is output plus listed losses within 0.5 %; nothing is NaN."""
    feasible = 0
    for need in seeded(5, 40):
        d = size(need, {"topology": topology})
        feasible += d.feasible
        check_balance(d)
    assert feasible >= 38


def test_the_flux_swings_to_both_sides_and_the_tap_blocks_twice_the_winding(bridge):
    """By hand: swing of one pulse, twice the winding's voltage with the allowance, half the output current in each rectifier, and the
    doubling of the first pulse in the flux rating, at the least rate."""
    o, rows = bridge.context["o"], bridge.rows
    n_p, n_s, top = (float(rows["transformer.np"].value), float(rows["transformer.ns1"].value),
                     drive(bridge) * float(np.max(rows["bus.v"].value)))
    assert bridge.figure("rectifier1.v_reverse").value == pytest.approx(1.25 * 2 * top * n_s / n_p, rel=1e-6)
    assert np.allclose(whole(bridge, rows["rectifier1.i_avg"]), 0.5 * whole(bridge, o["i_load"]))
    assert bridge.figure("transformer.b_peak").value == pytest.approx(
        0.92 * top / (2 * 0.94e5 * n_p * float(rows["transformer.area_min"].value)), rel=1e-6)
    assert np.allclose(whole(bridge, o["i_mag"]),
                       drive(bridge) * whole(bridge, rows["bus.v"]) * whole(bridge, o["t_e"]) / (2 * float(rows["transformer.lm"].value)))
    run = np.broadcast_to(bridge.grid.where(lambda p: p.case == "run"), bridge.grid.shape)
    assert (whole(bridge, o["t_on"]) < 0.5 / whole(bridge, o["f_switch"]))[run].all(), "both switches of a leg would be on"


def test_a_full_bridge_halves_the_primary_current_of_a_forward_and_of_a_half_bridge():
    """Common practice, no source: at the same power a core driven both ways at nearly twice the duty needs about half the primary peak of
    the single-ended stage, and half that of a half bridge; its filter sees twice the frequency."""
    full, half, other = (size(NEED, {"topology": t}) for t in ("full_bridge", "half_bridge", "forward_2sw"))
    assert 0.4 < full.value("switch.i_peak_run") / other.value("switch.i_peak_run") < 0.65
    assert full.value("switch.i_peak_run") / half.value("switch.i_peak_run") == pytest.approx(0.5, rel=0.06)
    assert full.rows["switch.rate_nominal"].value == 2 * other.rows["switch.rate_nominal"].value
    assert full.value("filter1.l") < 0.5 * other.value("filter1.l")


@pytest.mark.parametrize(("topology", "pins", "name"),
                         [("half_bridge", {}, "divider"), ("full_bridge", {"switch.control": "voltage"}, "blocking")])
def test_the_series_capacitor_against_the_engine(topology, pins, name):
    """Amplitude and rms current of the capacitor as the exact waveform has them, at full load and both ends of the line; amplitude a few
    per cent of the primary voltage, resonance with the reflected filter inductor by hand."""
    d = size(NEED, {"topology": topology, **pins})
    side = {"divider": 2, "blocking": 1}[name]
    for line in (195.0, 265.0):
        c = d.grid.find(line, 1.0, "run", "peak")
        e = exact(d, c)
        v = e.voltages["mid"] if name == "divider" else e.voltages["a"] - e.voltages["c"]
        i = e.currents["cdivtop" if name == "divider" else "cblock"]
        assert 0.5 * np.ptp(v) == pytest.approx(whole(d, d.rows[f"{name}.v_ac"])[c.index], rel=0.03)
        assert np.sqrt(np.trapezoid(i**2, e.t) / e.period) == pytest.approx(whole(d, d.rows[f"{name}.i_rms"])[c.index], rel=0.03)
    assert d.feasible and d.value(f"{name}.v_ac") < 0.05 * drive(d) * float(np.max(d.rows["bus.v"].value))
    reflected = float(d.rows["filter1.l"].value) * (float(d.rows["transformer.np"].value) / float(d.rows["transformer.ns1"].value)) ** 2
    assert d.value(f"{name}.f_resonance") == pytest.approx(1 / (2 * np.pi * np.sqrt(reflected * side * float(d.rows[f"{name}.c"].value))),
                                                           rel=1e-9)
    assert d.value(f"{name}.f_resonance") < 100e3 / 4


def test_control_and_capacitor_that_do_not_go_together_are_refused():
    """Common practice, no source: current control runs the midpoint away; voltage control with no capacitor walks the flux."""
    apart = size(NEED, {"topology": "half_bridge", "switch.control": "current"})
    assert not apart.feasible and any("runs away" in f.text and f.cure == "divider.balance" for f in apart.findings)
    walking = size(NEED, {"topology": "full_bridge", "switch.control": "voltage", "blocking.c": 0.0})
    assert not walking.feasible and any("nothing holds the flux" in f.text and f.cure == "blocking.c" for f in walking.findings)
    assert size(NEED, {"topology": "full_bridge", "switch.control": "voltage"}).feasible


def test_the_walk_against_the_engine():
    """A bridge without capacitor, one half 20 ns longer by hand in the netlist: over all lines and both ends of the bus the exact steady
    state shifts the flux on the mean as far as `walk.b_end` says; what is left of a ring at the next turn-on moves it by a fifth, by half
    where the pause is shortest (as the finding says)."""
    d, found = size(NEED, {"topology": "full_bridge", "walk.t_mismatch": 20e-9, "walk.v_mismatch": 0.0}), []
    lm, n, area = (float(d.rows[k].value) for k in ("transformer.lm", "transformer.np", "transformer.area_min"))
    for v, bus in itertools.product((195.0, 230.0, 265.0), ("valley", "peak")):
        c = d.grid.find(v, 1.0, "run", bus)
        circuit = TOPOLOGIES[d.topology].circuit(d, c)
        pulse = next(e.value for e in circuit.elements if e.name == "Vgate1")
        words = pulse.rstrip(")").split()
        words[5] = repr(float(words[5]) + 20e-9)
        _, measures = run(write(circuit).replace(pulse, " ".join(words) + ")"), circuit.period)
        found.append(abs(measures.measure("i", "lm").avg) * lm / (n * area) / whole(d, d.rows["walk.b_end"])[c.index])
    assert (np.mean(found) == pytest.approx(1.0, rel=0.2) and all(0.8 < x < 1.25 for x in found[2:])
            and all(0.8 < x < 1.6 for x in found[:2]))


def test_a_push_pull_holds_twice_the_input_and_its_spike():
    """Common practice, no source: a switch sees twice the input and a spike. The clamp as the exact waveform has it, at the highest input
    where it is sized: never more than 3 % above the figures, which take the ring at its worst phase and no resistance; the drain at most 7
    % below; less leakage between the halves, less heat."""
    for need, pins in ((BATTERY, {}), (NEED, {})):
        d = size(need, {"topology": "push_pull", **pins})
        c = d.grid.find(d.grid.lines[-1], 1.0, "run", d.grid.bus[-1])
        e, bus = exact(d, c), float(np.max(d.rows["bus.v"].value))
        assert d.feasible and 2 * bus < d.value("switch.v_peak") < (2 + 0.31) * bus + 1.5
        assert 0.93 < e.voltages["d1"].max() / whole(d, d.rows["switch.v_peak"])[c.index] < 1.03
        assert np.abs(e.currents["lhalf1"]).mean() == pytest.approx(np.abs(e.currents["lhalf2"]).mean(), rel=0.01)
        heat = np.trapezoid(e.currents["rclamp"] ** 2, e.t) / e.period * float(d.rows["spike.r"].value)
        assert 0.6 < heat / whole(d, d.rows["spike.power"])[c.index] < 1.03
    assert size(BATTERY, {"topology": "push_pull", "transformer.leakage_halves": 0.1}).value("spike.power") < size(BATTERY,
        {"topology": "push_pull", "transformer.leakage_halves": 0.4}).value("spike.power")


def test_a_clamp_little_above_twice_the_input_empties_the_whole_leakage():
    """Many amperes and few volts: the leakage to the shorted secondary keeps the other half below what would let it take over, and the
    charge of one turn-off in the engine is that of all the leakage at the drain's voltage above the input."""
    d = size(BATTERY, {"topology": "push_pull", "switch.parallel": 1}, noise=False)
    c = d.grid.find(d.grid.lines[-1], 1.0, "run", d.grid.bus[-1])
    e, bus = exact(d, c), float(np.max(d.rows["bus.v"].value))
    i, off = e.currents["dclamp1"], e.voltages["g1"] < 5
    begins = int(np.argmax(off[1:] & ~off[:-1])) + 1
    ends = begins + int(np.argmax(i) - begins) + int(np.argmax(i[int(np.argmax(i)) :] < 1e-3))
    pulse = slice(begins, ends)
    charge = np.trapezoid(i[pulse], e.t[pulse])
    volts = np.trapezoid(i[pulse] * (e.voltages["d1"][pulse] - bus), e.t[pulse]) / charge
    leakage = float(whole(d, d.rows["transformer.leakage"])[c.index])
    assert charge == pytest.approx(0.5 * leakage * i[pulse].max() ** 2 / volts, rel=0.05)
    assert whole(d, d.rows["spike.excess_emptied"])[c.index] < whole(d, d.rows["spike.excess_held"])[c.index]
    assert whole(d, d.rows["spike.excess"])[c.index] == whole(d, d.rows["spike.excess_emptied"])[c.index]


def test_the_input_current_of_a_battery_stage_is_told_first():
    """Common practice: 400 W from 12 V at 85 % is 400/(12·0.85) = 39 A; here from 10 V with the efficiency the design itself reaches. It is
    the first finding and the first plate."""
    d = size(BATTERY, {"topology": "push_pull"})
    first = d.findings[0]
    assert first.figure == "inlet.i_avg" and "the input carries" in first.text and d.plates[0][2] == "inlet.i_avg"
    assert d.value("inlet.i_avg") == pytest.approx(400 / (10 * d.value("efficiency")), rel=0.03)
    assert not any(f.figure == "inlet.i_avg" for f in size(next(seeded(1, 1)), {"topology": "push_pull"}).findings)


def test_both_halves_of_a_tapped_primary_are_wound(bridge):
    """A push-pull lays its primary turns twice and each half carries every second pulse: by hand, copper of the primary from rms and length
    of all turns."""
    view = TOPOLOGIES[bridge.topology].winding_view(bridge)
    n_p = int(float(bridge.rows["transformer.np"].value))
    halves = 2 if bridge.topology == "push_pull" else 1
    assert sum(w.share for w in view.layout.wires if w.side == "primary") > halves * n_p - 1e-6 and view.turns.startswith(
        f"{halves * n_p} :")


def test_the_rule_of_thumb_for_the_core_stands_beside_the_computed_one(bridge):
    """Common practice, no source: 0.11·√(P/η) cm² gives 2.4 cm² at 400 W and 85 %. It is shown, and chooses nothing."""
    assert magnetics.area_rule(400.0, 0.85) == pytest.approx(2.4e-4, rel=0.01)
    assert bridge.value("transformer.area_rule") == pytest.approx(1.1e-5 * np.sqrt(bridge.requirement.power / 0.85), rel=1e-12)
    assert bridge.value("transformer.area") == pytest.approx(float(bridge.context["stage"].area.value))


def test_every_picture_of_every_stage_is_drawn(bridge):
    for stage in (s for s, _, _ in bridge.plates):
        for key in pictures_of(bridge, stage):
            picture = PICTURES[key][1](bridge, bridge.grid.find(195.0), 130, 90, None)
            assert len(picture.items) > 5, key
    drawn = {s.element.lower() for s in TOPOLOGIES[bridge.topology].schematic(bridge, bridge.grid.find(195.0)) if s.element}
    circuit = {e.name.lower() for e in TOPOLOGIES[bridge.topology].circuit(bridge, bridge.grid.find(195.0)).elements}
    assert drawn <= circuit


@pytest.mark.parametrize(("watts", "volts"), [(400, 48), (371, 48), (250, 24), (300, 170)])
def test_whole_turns_of_a_few_take_no_duty_over_its_limit(watts, volts):
    """From 10 V two turns or one: a duty that is planned a little shorter may leave the turns as they are, so that the next is planned for
    one turn more. With a turn less than the rule takes it would be over its limit."""
    need = Requirement(mains=BATTERY.mains, outputs=(Output(voltage=volts, current_max=watts / volts),), insulation="basic")
    d = size(need, {"topology": "push_pull"}, noise=False)
    assert not [f for f in d.findings if f.figure == "switch.duty_max"]
    less = size(need, {"topology": "push_pull", "transformer.np": d.value("transformer.np"),
                       "transformer.ns1": float(d.value("transformer.ns1")) - 1}, noise=False)
    assert less.figure("switch.duty_max").value > d.figure("switch.duty_max").value
