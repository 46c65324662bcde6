"""Up to what load a supply goes before its current limit takes over: closed forms against the same stage settled at that load, and against
the front end solved for it."""

import numpy as np
import pytest
from msgspec.structs import replace

from rhevectra.bench import bringup
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import plain
from rhevectra.core.design.size import size
from rhevectra.core.stages import plain as plain_front
from rhevectra.core.stages import rate
from rhevectra.core.topologies.buck_aux import stage as buck_stage
from rhevectra.core.topologies.flyback import period
from rhevectra.core.topologies.stepdown import stage as step
from rhevectra.drawing.pictures import PICTURES, pictures_of

WIDE = Mains(kind="ac1", v_min=85, v_max=265)
FLYBACKS = ("flyback", "flyback_qr", "flyback_2sw")
STEPS = ("forward_reset", "forward_2sw", "forward_active_clamp", "push_pull", "half_bridge", "full_bridge", "psfb")


def designed(topology, pins=(), **changes):
    asked = {"mains": WIDE, "outputs": (Output(voltage=24.0, current_max=2.5),), "hold_up": 0.01, "hold_up_at": 230.0,
             "harmonics_class": "none"} | changes
    return size(Requirement(**asked), {"topology": topology, **dict(pins)}, noise=False, loop=False)


def points(d, values):
    """Numbers at the points of the current limit, (lines, frequencies, bus ends)."""
    point = next(k for k, p in enumerate(d.grid.points) if p.case == "limit")
    return np.broadcast_to(plain(values), d.grid.shape)[:, :, point, :]


def at_limit(d, id):
    """A row there."""
    return points(d, d.rows[id])


def everywhere(d, values):
    """Numbers of the limit's points at every operating point."""
    return np.broadcast_to(values[:, :, None, :], d.grid.shape)


def settled_flyback(d, share, lp, v_bus):
    """Peak current in run [A] of a flyback at `share` times full load, with an inductance [H] and on a bus [V]: the passes of the period,
    where the closed forms go from power to power."""
    s = d.context["plan"].stage
    s = replace(s, v_bus=everywhere(d, v_bus), lp=lp, is_limit=np.zeros(d.grid.shape, bool),
                i_outputs=(everywhere(d, share * points(d, s.i_outputs[0])), everywhere(d, points(d, s.i_outputs[-1]))))
    found = period.solve(s)
    assert found.change < 1e-3
    return points(d, found.out["i_peak"])


@pytest.mark.parametrize("topology", FLYBACKS)
@pytest.mark.parametrize("pins", [{}, {"switch.limit_line": 0.15}, {"transformer.lp": 300e-6}], ids=["", "lowered", "emptied"])
def test_a_flyback_settled_at_those_loads_peaks_at_its_limits(topology, pins):
    """At the least: inductance and rate at their bad ends, the bus as it sags under that load; at the greatest the good ends."""
    d = designed(topology, pins)
    valley, slower = topology == "flyback_qr", 1 - float(plain(d.rows[rate.ID])) if rate.ID in d.rows else 1.0
    slow, fast = (float(plain(d.rows[f"transformer.lp_{end}"])) for end in ("min", "max"))
    slow, fast = (slow, fast) if valley else (slow * slower, fast * (2 - slower))
    share = at_limit(d, "overload.by_least")
    peak = settled_flyback(d, share, slow, at_limit(d, "overload.v_bus"))
    assert peak == pytest.approx(at_limit(d, "switch.limit_min"), rel=5e-3)
    peak = settled_flyback(d, at_limit(d, "overload.most"), fast, points(d, d.context["stage"].v_bus))
    assert peak == pytest.approx(at_limit(d, "switch.i_limit_max"), rel=5e-3)


@pytest.mark.parametrize("topology", [*STEPS, "buck_aux"])
def test_a_step_down_stage_settled_at_those_loads_peaks_at_its_limits(topology):
    """At the least with the least filter inductance at the least rate, as one of so much less; at the greatest as ordered, without the
    delay's own path: the limit of that bus."""
    insulation = {"insulation": "functional", "outputs": (Output(voltage=24.0, current_max=1.0),)} if topology == "buck_aux" else {}
    d = designed(topology, **insulation)
    of = buck_stage if topology == "buck_aux" else step
    s = replace(d.context["plan"].stage, v_bus=d.context["stage"].v_bus.value, is_limit=np.zeros(d.grid.shape, bool))
    worse = (1 - float(plain(d.rows["filter1.l_tolerance"]))) * (1 - float(plain(d.rows[rate.ID])))
    for id, inductance, limit in (("overload.by_least", worse, "switch.limit_min"), ("overload.most", 1.0, "switch.i_peak")):
        load = everywhere(d, points(d, s.i_out) * at_limit(d, id))
        found = of.solve(replace(s, i_out=load, inductance=inductance * s.inductance)).out
        peak = points(d, found["i_peak"] if "i_peak" in found else found["crest"])
        assert peak == pytest.approx(np.broadcast_to(at_limit(d, limit), peak.shape), rel=0.01), id


def test_the_bus_sags_under_that_load_as_the_front_end_has_it():
    """The bulk solved against the line for the power drawn then; a resistance in the path takes a little more."""
    d = designed("flyback")
    share = at_limit(d, "overload.share_before")[..., :1]
    full = np.broadcast_to(plain(d.rows["load.power"]) + plain(d.rows["loss.total"]), d.grid.shape)[:, :, d.grid.full_load, :1]
    power = np.broadcast_to((full * share)[:, :, None, :], (*d.grid.shape[:3], 1))
    v_bus, _ = plain_front.bus(d.context["front"], d.grid, power)
    found = points(d, v_bus)[..., 0]
    assert found.min() > 60.0 and (share > 1.05).all()
    assert at_limit(d, "overload.v_bus")[..., 0] == pytest.approx(found, rel=0.03)


def test_a_limit_lowered_with_the_line():
    """Nothing at the lowest valley, the share at the highest crest, between them in proportion; the load it gives way at falls there, core
    and drain see less, and a limit that full load needs at some line is raised for all."""
    flat, lowered = designed("flyback"), designed("flyback", {"switch.limit_line": 0.15})
    v_bus = points(lowered, lowered.context["stage"].v_bus)
    nominal = float(plain(lowered.rows["switch.current_limit"]))
    straight = nominal * (1 - 0.15 * (v_bus - v_bus.min()) / (v_bus.max() - v_bus.min()))
    assert at_limit(lowered, "switch.limit_here") == pytest.approx(straight, rel=5e-3)
    for id in ("overload.most", "switch.v_peak", "transformer.b_peak"):
        assert lowered.value(id) < flat.value(id), id
    assert lowered.value("overload.least") >= flat.value("overload.least")
    for share in (0.0, 0.15, 0.4):
        d = designed("flyback", {"switch.limit_line": share})
        over = at_limit(d, "switch.i_peak_least") / at_limit(d, "switch.limit_min")
        assert d.feasible and 0.7 < over.max() < 1.0
    assert float(plain(d.rows["switch.current_limit"])) > 1.1 * float(plain(flat.rows["switch.current_limit"]))


def test_what_gives_far_more_than_its_load_is_told_with_its_cure():
    """A wide range of mains at a limit that is the same everywhere; one line does not do so."""
    told = [f for f in designed("flyback").findings if f.figure == "overload.most"]
    assert len(told) == 1 and told[0].severity == "note" and told[0].cure == "switch.limit_line" and "265 V" in told[0].text
    for other in (designed("flyback", mains=Mains(kind="ac1", v_min=207, v_max=253)), designed("flyback", {"switch.limit_line": 0.1})):
        assert not [f for f in other.findings if f.figure == "overload.most"]


def test_against_what_the_rectifiers_are_rated_for():
    """The least of all outputs: rated amperes of the class over those of full load; half of that is what a class is chosen by."""
    outputs = (Output(name="main", voltage=24.0, current_max=2.0), Output(name="side", voltage=12.0, current_max=1.0, regulated=False))
    pins = {"rectifier1.class": "schottky-150V-5A", "rectifier2.class": "fast-200V-1A", "rectifier2.parallel": 1}
    d = designed("flyback", pins, outputs=outputs)
    carries = 1.0 + float(plain(d.rows["output2.bleed"]))
    assert d.figure("overload.most").limit == pytest.approx(1.0 / carries, rel=0.02)  # 1 A rated; of the other 5 A for 2 A
    assert [f for f in d.findings if f.figure == "overload.most" and f.severity == "look at"]


def test_windings_in_a_lasting_overload():
    """Hotter than in run, by no more than the square of the load does; 175 °C for class 130 (safety standard, from memory)."""
    d = designed("forward_2sw")
    hot, run, most = (float(d.value(id)) for id in ("overload.t_winding", "transformer.t_winding", "overload.most"))
    assert run < hot < 40.0 + (run - 40.0) * most**2 * 1.2 and d.figure("overload.t_winding").limit == 175.0


@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "llc_half", "llc_three_phase"])
def test_a_timer_ends_what_windings_and_heat_sinks_would_have_to_carry(topology):
    """Three phases start with so much that their windings would not stand it for good: the rule takes a timer there and says so, and
    without one the timer is told as the cure. With it the loads are told as before, the heat is not."""
    asked = ({"mains": Mains(kind="dc", v_min=360, v_max=400), "outputs": (Output(voltage=48.0, current_max=30.0),), "cooling": "forced",
              "hold_up_at": None} if topology.startswith("llc") else {})
    ruled, d, timed = (designed(topology, pins, **asked) for pins in ({}, {"overload.timer": "none"}, {"overload.timer": "timed"}))
    hot, needed = [f for f in d.findings if f.figure == "overload.t_winding"], topology == "llc_three_phase"
    assert [f.cure for f in hot] == (["overload.timer"] if needed else [])
    assert ruled.value("overload.timer") == ("timed" if needed else "none")
    chosen = ruled.rows["overload.timer"]
    assert bool(chosen.refused) is needed and (not needed or f"{float(d.value('overload.t_winding')):.0f} °C" in chosen.refused[0])
    assert not [f for f in ruled.findings if f.figure == "overload.t_winding"]
    assert {"overload.r_ca", "overload.t_winding"} <= d.rows.keys()
    assert not {"overload.r_ca", "overload.t_winding"} & timed.rows.keys()
    for id in ("overload.least", "overload.most"):
        assert timed.value(id) == pytest.approx(d.value(id))


def test_a_filter_that_lets_much_through_gets_a_timer_too():
    """A half bridge of 9 V and 49 A heats its windings beyond what they stand at the greatest limit: by rule the controller ends that."""
    need = Requirement(mains=Mains(kind="ac1", v_min=90, v_max=265), outputs=(Output(voltage=9.0, current_max=48.7),), cooling="forced")
    ruled, d = (size(need, {"topology": "half_bridge", **pins}, noise=False) for pins in ({}, {"overload.timer": "none"}))
    hot = d.figure("overload.t_winding")
    assert hot.margin < 0 and ruled.value("overload.timer") == "timed" and f"{hot.value:.0f} °C" in ruled.rows["overload.timer"].refused[0]
    assert not {"overload.r_ca", "overload.t_winding"} & ruled.rows.keys()


def test_the_bench_reads_where_it_gives_way():
    """At both ends of the line, between the amperes of the least and the greatest limit."""
    d = designed("flyback")
    read = [c for step in bringup.plan(d) for c in step.checks if c.name == "Load of 24 V where it gives way"]
    assert [c.at.split()[0] for c in read] == ["85", "265"]
    for c, line in zip(read, (0, len(d.grid.lines) - 1), strict=True):
        assert c.low == pytest.approx(2.5 * at_limit(d, "overload.least")[line].min(), rel=0.06)
        assert c.high == pytest.approx(2.5 * at_limit(d, "overload.most")[line].max(), rel=0.06)


def test_the_picture_over_the_line():
    """Both ends in per cent at every line of the grid; none for a stage whose peak says little about its load."""
    d = designed("flyback")
    drawn = PICTURES["overload"][1](d, d.grid.find(230.0), 120.0, 90.0, None)
    assert drawn.data["least limit x [V of mains]"].tolist() == list(d.grid.lines)
    for name, id, worst in (("least limit", "overload.least", np.min), ("greatest limit", "overload.most", np.max)):
        assert drawn.data[f"{name} [%]"] == pytest.approx(100 * worst(at_limit(d, id), (1, 2)))
    assert "overload" in pictures_of(d, "switch") and "overload" not in pictures_of(designed("llc_half"), "switch")
