"""Resonant stages with one secondary and a bridge: against the engine, against the centre tap, and what the winding carries."""

import numpy as np
import pytest

from balances import check_finite
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.cost import whole_bill
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common.making import complaints, winding_sheet

KINDS = ("centre_tap", "bridge")


@pytest.fixture(scope="module", params=[("llc_half", 48.0, 5.0), ("llc_full", 100.0, 2.5)], ids=lambda p: f"{p[0]} {p[1]:g} V")
def both(request):
    topology, volts, amps = request.param
    need = Requirement(mains=Mains(kind="dc", v_min=370, v_max=400), outputs=(Output(voltage=volts, current_max=amps),))
    return {kind: size(need, {"topology": topology, "secondary.kind": kind}, noise=False) for kind in KINDS}


@pytest.mark.parametrize(("bus", "load"), [(370.0, 1.0), (400.0, 0.5)])
def test_the_engine_sees_the_same_stage(both, bus, load):
    """Tank and rectifier currents within 3 %, output and bus power within 1 %, reverse voltage without its allowance within 2 %."""
    d = both["bridge"]
    c = d.grid.find(bus, load)
    at = lambda id: float(np.broadcast_to(d.rows[id].value, d.grid.shape)[c.index])  # noqa: E731
    e, elements = exact(d, c), TOPOLOGIES[d.topology].circuit(d, c).elements
    volt = lambda n: e.voltages.get(n, np.zeros_like(e.t))  # noqa: E731
    rms = lambda n: float(np.sqrt(np.trapezoid(e.currents[n] ** 2, e.t) / e.period))  # noqa: E731
    assert rms("lres") == pytest.approx(at("llc.i_tank"), rel=0.03) and rms("dfeed") == pytest.approx(at("rectifier1.i_rms"), rel=0.03)
    assert rms("vsec1") == pytest.approx(at("rectifier1.i_rms_both"), rel=0.03)
    assert e.voltages["out1"].mean() == pytest.approx(at("load.v_main"), rel=0.01)
    assert -np.trapezoid(e.currents["vbus"] * e.voltages["bus"], e.t) / e.period == pytest.approx(at("switch.p_bus"), rel=0.01)
    blocked = max(float((volt(x.nodes[1]) - volt(x.nodes[0])).max()) for x in elements if x.value == "DOUT")
    assert blocked == pytest.approx(at("rectifier1.v_reverse") / (1 + float(d.rows["rectifier.ringing"].value)), rel=0.02)
    assert sum(x.value == "DOUT" for x in elements) == 4


def test_beside_the_centre_tap(both):
    """Half the reverse voltage, two drops, twice the rectifiers; one winding whose current has no even order and no mean, with less copper
    loss where both halves had to share the window."""
    tap, bridge = both["centre_tap"], both["bridge"]
    assert bridge.value("rectifier1.v_reverse") == pytest.approx(0.5 * tap.value("rectifier1.v_reverse"), rel=0.03)
    assert (sum(n for _, n in whole_bill(bridge)["rectifiers"]) / int(bridge.rows["rectifier1.parallel"].value) == 2
            * sum(n for _, n in whole_bill(tap)["rectifiers"]) / int(tap.rows["rectifier1.parallel"].value) == 4)
    one, half = bridge.context["plan"].need.windings, tap.context["plan"].need.windings
    assert [w.name for w in one] == ["primary", "ns1", "naux"] and [w.name for w in half] == ["primary", "ns1", "ns1b", "naux"]
    assert (one[1].i_avg == 0 and np.all(np.abs(one[1].harmonics[1::2]) < 1e-9 * np.abs(one[1].harmonics[0]))
            and one[1].i_rms == pytest.approx(np.sqrt(2) * half[1].i_rms, rel=0.03))
    full = bridge.grid.find(370.0, 1.0).index
    row = bridge.context["plan"].rectifiers[0]["row"]
    assert float(np.broadcast_to(bridge.rows["rectifier.v_pair"].value, ())) == pytest.approx(2 * row["v_forward_v"])
    amps = bridge.requirement.outputs[0].current_max
    rms = float(bridge.rows["rectifier1.i_rms_both"].at(full))
    assert float(bridge.rows["loss.rectifiers"].at(full)) == pytest.approx(2 * (row["v_forward_v"] * amps + row["r_dynamic_ohm"] * rms**2),
        rel=0.02)  # all the current passes two of them
    assert not complaints(winding_sheet(bridge))
    names = {s.element for s in TOPOLOGIES[bridge.topology].schematic(bridge, bridge.grid.find(370.0))}
    assert {"Dfeed", "Dfeed2", "Dback", "Dback2"} <= names
    check_finite(bridge)


def test_the_usual_kind_follows_the_voltage():
    """A bridge from 60 V, as for the other stages; several phases keep their centre taps."""
    need = lambda volts: Requirement(mains=Mains(kind="dc", v_min=370, v_max=400),  # noqa: E731
                                     outputs=(Output(voltage=volts, current_max=120 / volts),))
    assert [size(need(v), {"topology": "llc_half"}, noise=False).rows["secondary.kind"].value for v in (24.0, 100.0)] == list(KINDS)
    assert "secondary.kind" not in size(need(24.0), {"topology": "llc_three_phase"}, noise=False).rows
