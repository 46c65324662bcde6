"""Heat sinks: against a network of thermal conductances solved by itself, and against the losses a design tells."""

import numpy as np
import pytest

from rhevectra.app import parts
from rhevectra.bench import bringup
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import plain
from rhevectra.core.catalogue.tables import shipped, with_own
from rhevectra.core.design.size import size
from rhevectra.core.stages.sinks import key
from rhevectra.drawing.pictures import PICTURES, pictures_of

WIDE, BUS = Mains(kind="ac1", v_min=90, v_max=264), Mains(kind="dc", v_min=360, v_max=400)
CASES = {
    "flyback": (WIDE, (Output(voltage=24.0, current_max=3.0),), {}),
    "forward_2sw": (WIDE, (Output(voltage=12.0, current_max=15.0),), {"front_end": "pfc_ccm"}),
    "half_bridge": (WIDE, (Output(voltage=24.0, current_max=15.0), Output(name="side", voltage=12.0, current_max=4.0, regulated=False)),
                    {"front_end": "pfc_interleaved"}),
    "llc_half": (WIDE, (Output(voltage=48.0, current_max=12.0),), {"front_end": "pfc_bridgeless"}),
    "full_bridge": (BUS, (Output(voltage=5.0, current_max=100.0),), {"secondary.kind": "centre_tap"}),
}


def designed(topology, pins=(), **changes):
    mains, outputs, own = CASES[topology]
    own = {"sink.free": 300.0, **own}
    asked = {"mains": mains, "outputs": outputs, "cooling": "forced", "hold_up": 0.0} | changes
    return size(Requirement(**asked), {"topology": topology, **own, **dict(pins)}, noise=False, loop=False)


@pytest.fixture(scope="module", params=sorted(CASES))
def cooled(request):
    return designed(request.param)


def at_full(d, values):
    """Numbers at full load, (lines, frequencies, bus ends) in a row."""
    return np.broadcast_to(plain(values), d.grid.shape)[:, :, d.grid.full_load, :].ravel()


def network(d, side, corner, r_sink):
    """Temperatures of the sink and of every die on it, from the conductances between ambient, sink, cases and dies; heat of packages that
    are not the most loaded goes into the sink straight."""
    on, ambient = [p.hot for p in d.context["placed"] if p.side == side], d.requirement.ambient_max
    n, pad = 1 + 2 * len(on), float(plain(d.rows["sink.pad"]))
    g, heat = np.zeros((n, n)), np.zeros(n)

    def join(a, b, conductance):
        g[a, a] += conductance
        if b is None:
            heat[a] += conductance * ambient
            return
        g[b, b] += conductance
        g[a, b] -= conductance
        g[b, a] -= conductance
    join(0, None, 1 / r_sink)
    for k, h in enumerate(on):
        case, die = 1 + 2 * k, 2 + 2 * k
        join(case, 0, h.count / pad)
        join(die, case, 1 / h.r_jc)
        burnt = at_full(d, h.power)[corner]
        heat[die] += burnt
        heat[0] += at_full(d, h.whole)[corner] - burnt
    found = np.linalg.solve(g, heat)
    return found[0], {h.part: found[2 + 2 * k] for k, h in enumerate(on)}


def test_temperatures_are_those_of_the_network(cooled):
    """At every corner of full load; at the largest sink allowed the first of all junctions, or what may stand beside, is at its limit."""
    sides = {p.side for p in cooled.context["placed"]} - {""}
    assert sides == {"primary", "secondary"}
    for side in sides:
        chosen = float(plain(cooled.rows[f"sink.{side}"]))
        for corner, most in enumerate(at_full(cooled, cooled.rows[f"sink.{side}_most"])):
            sink, dies = network(cooled, side, corner, chosen)
            assert sink == pytest.approx(at_full(cooled, cooled.rows[f"sink.{side}_t"])[corner], abs=1e-6)
            for part, t in dies.items():
                assert t == pytest.approx(at_full(cooled, cooled.rows[f"sink.tj_{key(part)}"])[corner], abs=1e-6), part
            sink, dies = network(cooled, side, corner, most)
            left = [float(plain(cooled.rows[f"{part}.t_junction"])) - t for part, t in dies.items()]
            assert min(100.0 - sink, *left) == pytest.approx(0.0, abs=1e-6)
        assert chosen <= 0.9 * at_full(cooled, cooled.rows[f"sink.{side}_most"]).min() * (1 + 1e-9)


def test_what_stands_on_it_burns_what_is_lost(cooled):
    """All packages of a kind together: the losses the design tells for it. Of a resonant stage they are told for the worst end of its
    tolerances: no less than with nominal parts, and no more than a third beyond."""
    rows, losses = cooled.rows, {name: at_full(cooled, row) for name, row in cooled.losses.items()}
    every = {p.hot.part: at_full(cooled, p.hot.whole) for p in cooled.context["placed"]}
    told = {"bridge": losses.get("bridge"), "pfc.diode": losses.get("pfc_diode"),
            **{f"rectifier{n}": losses[f"rectifier{n}"] for n in (1, 2) if f"rectifier{n}" in losses}}
    if "pfc.switch_loss" in rows:
        told["pfc"] = at_full(cooled, rows["pfc.switch_loss"])
    if "rectifiers" in losses:
        told["rectifier1"] = losses["rectifiers"]
    compared = [part for part, heat in told.items() if heat is not None and part in every]
    assert "rectifier1" in compared and ("bridge" in compared) is ("bridge" in losses)
    ends = cooled.topology.startswith("llc")
    for part in compared:
        over = every[part] / told[part]
        assert (over > 0.98).all() and (over < (1.34 if ends and part.startswith("rectifier") else 1.02)).all(), (part, over)


def test_a_part_alone_is_as_hot_as_its_package_lets_it():
    """Small losses stand in the air: ambient and power times package; nothing asks for a sink."""
    d = size(Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=12.0, current_max=0.5),)),
             {"topology": "flyback"}, noise=False, loop=False)
    assert {p.side for p in d.context["placed"]} == {""} and not any(id.startswith(("sink.primary", "sink.secondary")) for id in d.rows)
    switch = next(p.hot for p in d.context["placed"] if p.hot.part == "switch")
    assert at_full(d, d.rows["sink.tj_switch"]) == pytest.approx(40.0 + at_full(d, switch.power) * (switch.r_jc + 60.0))
    assert not [r for r in parts.rows(d) if "heat sink" in r[0]]
    forced = size(d.requirement, {"topology": "flyback", "sink.free": 300.0}, noise=False, loop=False)
    assert "sink.primary" in forced.rows


def test_a_sink_too_small_is_refused_with_its_cure():
    small = designed("forward_2sw", {"sink.secondary": 150.0})
    told = [f for f in small.findings if f.figure == "sink.secondary"]
    assert not small.feasible and told[0].severity == "must fix" and told[0].cure == "sink.secondary"
    assert float(plain(small.rows["sink.secondary_t"]).max()) > 100.0
    cool, warm = (designed("forward_2sw", {"sink.t_max": t}) for t in (70.0, 150.0))
    assert cool.value("sink.secondary_most") < warm.value("sink.secondary_most")
    # behind what may stand beside it the junctions decide: rectifier and pad, by hand
    hot = next(p.hot for p in warm.context["placed"] if p.hot.part == "rectifier1")
    at = at_full(warm, hot.power).argmax()
    left = float(plain(warm.rows["rectifier1.t_junction"])) - 40.0 - at_full(warm, hot.power)[at] * (hot.r_jc + 0.5 / hot.count)
    assert warm.value("sink.secondary_most") == pytest.approx(left / at_full(warm, hot.whole)[at], rel=1e-9)


def test_heat_no_profile_gets_rid_of_is_told():
    """Some hundreds of watts in still air."""
    d = designed("full_bridge", {"rectifier1.class": "schottky-45V-30A", "rectifier1.parallel": 3}, cooling="natural")
    assert d.value("sink.secondary_most") < 1.0
    assert [f for f in d.findings if f.figure == "sink.secondary_most" and "more sinks" in f.text]


def test_a_bridge_of_ones_own_may_tell_nothing_of_its_heat():
    """Columns that older rows of one's own do not have are no fault; its case is then not judged."""
    own = {"name": "mine", "v_class_v": 1000, "i_rated_a": 8, "v_forward_v": 0.8, "r_dynamic_ohm": 0.02, "r_junction_ambient_k_w": 20,
           "source": "own"}
    need = Requirement(mains=WIDE, outputs=(Output(voltage=24.0, current_max=3.0),))
    told = size(need, {"topology": "flyback"}, noise=False, loop=False)
    d = size(need, {"topology": "flyback", "bridge.class": "mine"}, catalogue=with_own(shipped(), {"bridges": [own]}, "test"), noise=False,
             loop=False)
    assert "bridge.case_to_ambient" in told.rows and "bridge.case_to_ambient" not in d.rows
    row = told.catalogue["bridges"].row(str(told.rows["bridge.class"].value))
    by_hand = (0.85 * 150.0 - 40.0) / at_full(told, told.losses["bridge"]).max() - row["r_junction_case_k_w"]
    assert told.value("bridge.case_to_ambient") == pytest.approx(by_hand)


def test_parts_list_bench_and_picture(cooled):
    """A heat sink to buy, its temperature to read, a bar for every part."""
    bought = [r for r in parts.rows(cooled) if r[0].endswith("heat sink")]
    assert {r[0].split()[0] for r in bought} == {p.side for p in cooled.context["placed"]} - {""}
    read = {c.name: c for step in bringup.plan(cooled) for c in step.checks}
    for side in {p.side for p in cooled.context["placed"]} - {""}:
        check = read[f"Temperature of the {side} heat sink"]
        assert check.high == pytest.approx(25.0 + float(cooled.value(f"sink.{side}_t")) - 40.0)
        assert check.carried == (15.0, 100.0)
    assert "heat" in pictures_of(cooled, "load")
    corner = cooled.figure("loss.total").corner
    picture = PICTURES["heat"][1](cooled, corner, 140.0, 110.0, cooled)
    assert len(picture.data["junction [°C]"]) == len(cooled.context["placed"])
    assert picture.data["junction [°C]"].max() < 150.0


def test_all_of_a_live_converter_stands_on_one_side():
    d = size(Requirement(mains=Mains(kind="ac1", v_min=190, v_max=265), outputs=(Output(voltage=24.0, current_max=3.0),),
                         insulation="functional"), {"topology": "buck_aux"}, noise=False, loop=False)
    assert {p.side for p in d.context["placed"]} <= {"primary", ""}
