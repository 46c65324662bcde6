"""Supplies under a low lid, and at high buses: how tall a core stands or lies, how fast such a supply runs, which parts bear a kilovolt."""

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.contest import choices_of, entry_of
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.topologies import TOPOLOGIES, usual_topology
from rhevectra.core.topologies.common import low

WIN = shipped()["cores"].derived(windows)


def height(name):
    return 1e3 * float(WIN.tall[WIN.names.index(name)])


def asked(mains, volts, amps, **more):
    return Requirement(mains=mains, outputs=(Output(voltage=volts, current_max=amps),), **more)


BATTERY = Mains(kind="dc", v_min=36.0, v_max=75.0)


def test_cores_stand_or_lie():
    """EFD shapes are made to lie: 8, 10 and 12.5 mm (what they are sold by, from memory). An E lies as high as its window is wide, by its
    own drawing; pots and RM stand with both halves on each other; planar halves have no bobbin that would lie."""
    for name, tall in (("EFD15/8/5", 8.0), ("EFD20/10/7", 10.0), ("EFD25/13/9", 12.5)):
        assert height(name) == pytest.approx(tall, rel=0.03)
    rows = {row["name"]: row for row in shipped()["cores"].rows}
    lying = 1e3 * (rows["E25/13/7"]["c_m"] + rows["E25/13/7"]["e_m"] - rows["E25/13/7"]["f_m"])
    assert height("E25/13/7") == pytest.approx(lying) and lying < 2e3 * rows["E25/13/7"]["b_m"]
    for name in ("RM8", "PQ26/20", "P18/11", "E38/8/25"):
        assert height(name) == pytest.approx(2e3 * rows[name]["b_m"])


def test_a_lid_offers_the_low_shapes():
    """Shapes that are left to people to name come into the search where height is limited and they are low enough; never one that takes a
    board; without a lid none of them."""
    for lid in (0.008, 0.0127, 0.016):
        able = WIN.searched(lid)
        assert np.all(WIN.tall[able & WIN.rare] <= lid) and not np.any(able & WIN.rare & WIN.bare) and np.any(able & WIN.rare)
    assert not np.any(WIN.searched(None) & WIN.rare)
    d = size(asked(Mains(kind="ac1", v_min=90, v_max=264), 12.0, 2.0, height_max=0.015), noise=False)
    assert d.feasible and height(str(d.rows["transformer.core"].value)) <= 15.0
    under = size(asked(Mains(kind="ac1", v_min=90, v_max=264), 12.0, 2.0, height_max=0.006), noise=False)
    assert any("tall, limit 6.00 mm" in f.text and f.severity == "must fix" for f in under.findings)


def test_what_has_to_be_low_runs_faster():
    """Twice the power asks for twice the frequency of the same core, to a step of E24 and up to the rule's end; a lid that is no bar asks
    for nothing; a 300 W brick of half an inch can be built as it comes, and cannot at the usual frequency."""
    rates = [low.rate(asked(BATTERY, 12.0, watts / 12.0, height_max=0.0127), shipped())[0] for watts in (40.0, 80.0, 160.0, 1600.0)]
    assert rates[1] == pytest.approx(2 * rates[0], rel=0.11) and rates[2] == pytest.approx(2 * rates[1], rel=0.11) and rates[3] == low.MOST
    assert low.rate(asked(BATTERY, 12.0, 8.0), shipped())[0] == 0.0
    assert low.rate(asked(BATTERY, 12.0, 8.0, height_max=0.2), shipped())[0] < 65e3
    need = asked(BATTERY, 12.0, 25.0, height_max=0.0127, insulation="basic", cooling="forced")
    d, usual = size(need, noise=False), size(need, {"fs": 100e3}, noise=False)
    assert d.feasible and float(d.rows["fs"].value) > 150e3 and not usual.feasible
    assert height(str(d.rows["transformer.core"].value)) <= 12.7 and height(str(d.rows["filter1.core"].value)) <= 12.7


def test_the_contest_begins_where_the_lid_does():
    """Its frequencies begin at the rule's under a lid, within what each topology can be set to; without one they are its own."""
    need = asked(BATTERY, 12.0, 25.0, height_max=0.0127, insulation="basic", cooling="forced")
    for name, topology in TOPOLOGIES.items():
        free, held = choices_of(asked(BATTERY, 12.0, 25.0), name, shipped()), choices_of(need, name, shipped())
        assert free == topology.CONTEST and held["fs"][0] == low.rate(need, shipped(), low.RESONANT)[0] > free["fs"][0]
        most = {s.id: s.high for s in topology.DECISIONS}
        assert all(v <= most[knob] for knob in held if knob.endswith(("fs", "f_max")) for v in held[knob])
    assert entry_of(need, None, {"topology": "full_bridge", "fs": 200e3, "filter1.ripple_ratio": 0.35}).feasible


def test_heavy_currents_are_no_flyback_by_habit():
    """99 W at 3.3 V is 30 A in pulses: a filter inductor by habit; 60 W at 12 V stays a flyback."""
    assert usual_topology(asked(BATTERY, 3.3, 30.0), False)[0] == "forward_active_clamp"
    assert usual_topology(asked(Mains(kind="ac1", v_min=90, v_max=264), 12.0, 5.0), False)[0] == "flyback"


@pytest.mark.parametrize("topology", ["flyback", "flyback_2sw"])
def test_a_kilovolt_of_bus_is_borne(topology):
    """From 200 to 1000 V dc: a switch class above what it blocks, an input capacitor above the source, margins where triple-insulated wire
    is not usually made for such a bus; below 800 V it stays the usual school."""
    d = size(asked(Mains(kind="dc", v_min=200.0, v_max=1000.0), 24.0, 1.0), {"topology": topology}, noise=False)
    assert d.feasible and d.rows["insulation.school"].value == "margin"
    switch = d.catalogue["switches"].row(str(d.rows["switch.class"].value))
    cap = d.catalogue["output_capacitors"].row(str(d.rows["input.cap"].value))
    assert switch["v_class_v"] >= 1.25 * float(d.value("switch.v_peak")) and 0.8 * cap["v_class_v"] >= 1000.0
    assert size(asked(Mains(kind="dc", v_min=200.0, v_max=700.0), 24.0, 1.0), noise=False).rows["insulation.school"].value == "triple"


def test_a_meter_on_three_phases():
    """Four watts from 150 to 530 V between lines: built as it comes."""
    d = size(asked(Mains(kind="ac3", v_min=150.0, v_max=530.0), 12.0, 0.3), noise=False)
    assert d.feasible and d.front_end == "plain_three_phase"
