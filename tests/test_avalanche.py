"""A switch without a clamp: its formulas by integration, a whole design against engine and ngspice, and that the danger is said."""

import re

import numpy as np
import pytest

from requirements import ALONE
from rhevectra.app.netlist import netlist_text
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas import avalanche, clamp
from spice import measure, shortened
from test_netlist import corner_for


@pytest.mark.parametrize(("i", "breakdown"), [(2.0, 700.0), (1.2, 700.0), (0.6, 700.0), (2.0, 600.0)])
def test_ring_and_breakdown_by_integration(i, breakdown):
    """7 µH and 80 pF behind a bus of 370 V and 95 V reflected, in steps of a picosecond-like fraction (second algorithm): peak, charge and
    energy of the breakdown."""
    inductance, c, bus, v_or = 7e-6, 80e-12, 370.0, 95.0
    step, now, v, charge, heat, peak = np.sqrt(inductance * c) / 4000, i, bus + v_or, 0.0, 0.0, 0.0
    while now > 0:  # v: the node against ground; the leakage sees what is above bus and reflected voltage
        now -= step * (v - bus - v_or) / inductance
        if v >= breakdown:
            charge, heat = charge + now * step, heat + v * now * step
        else:
            v += now * step / c
        peak = max(peak, v)
    level = float(avalanche.level(breakdown, bus, v_or))
    left = float(clamp.conduction_current(i, c, inductance, level, v_or, np.inf))
    q = float(clamp.charge_offered(inductance, left, level, v_or))
    assert bus + float(avalanche.node_peak(level, avalanche.ring_peak(v_or, i, inductance, c))) == pytest.approx(peak, rel=2e-3)
    assert q == pytest.approx(charge, rel=5e-3, abs=1e-12) and float(avalanche.energy(bus, level, q)) == pytest.approx(heat, rel=5e-3,
        abs=1e-9)


@pytest.fixture(scope="module")
def bare(demo_document):
    return size(demo_document.requirement, {**demo_document.decisions, **ALONE, "clamp.kind": "none"})


@pytest.mark.parametrize(("line", "load"), [(265.0, 1.0), (85.0, 1.0), (265.0, 0.1)])
def test_the_engine_sees_the_same_period(bare, line, load):
    """Node peak within 2 %, bus power within 1 %. The ring's damping (quality factor 20, left out of the formula) takes π/(2·20) of the
    leakage's energy on the way up, so that the sized avalanche is above the exact one by no more than that energy."""
    c = bare.grid.find(line, load)
    at = lambda id: float(bare.rows[id].at(c.index))  # noqa: E731
    e = exact(bare, c)
    power = np.trapezoid((e.voltages["src"] - e.voltages["drain"]) * e.currents["dava"], e.t) / e.period
    damped = np.pi / 40 * 0.5 * at("transformer.leakage") * at("core.i_one") ** 2 * at("switch.frequency")
    lifted = (at("bus.v") + at("clamp.v_level")) / (at("clamp.v_level") - at("transformer.v_reflected"))
    assert power <= 1.01 * at("clamp.power") + 1e-6 and power >= at("clamp.power") - 1.1 * damped * lifted - 1e-6
    assert e.voltages["drain"].max() == pytest.approx(at("bus.v") + at("clamp.v_node"), rel=0.02)
    assert np.trapezoid(-e.currents["vbus"] * e.voltages["bus"], e.t) / e.period == pytest.approx(at("switch.p_bus"), rel=0.01)
    assert any("breaks down" in s.name for s in e.stretches) == (power > 0)


def test_the_simulator_sees_the_same_breakdown(bare, tmp_path):
    """The exported netlist at the highest bus, nothing tuned: bus current and output within 2 %, the node held at the class voltage."""
    c, netlist = corner_for(bare, 265.0, 1.0, "crest"), netlist_text(bare, 265.0, 1.0, "crest")
    period = float(re.search(r"Vclk.* (\S+)\)", netlist).group(1))
    netlist, end = shortened(netlist)
    found = measure(netlist, ["let ib=-i(vbus)"], {"bus": "AVG ib", "vo": "AVG v(out1)", "vd": "MAX v(drain)"}, (end - 20 * period, end),
                    tmp_path / "a.cir")
    at = lambda id: float(bare.rows[id].at(c.index))  # noqa: E731
    assert found["bus"] == pytest.approx(at("switch.p_bus") / at("bus.v"), rel=0.02) and found["vo"] == pytest.approx(at("load.v_main"),
        rel=0.02)
    assert found["vd"] == pytest.approx(float(bare.value("switch.v_class")), rel=0.01)


def test_the_danger_is_said(bare, demo_design):
    """A must-fix with the peak over its limit, energy of each pulse as a figure, the heat in the switch itself; and no clamp part in the
    list."""
    assert not bare.feasible and any(f.severity == "must fix" and f.figure == "switch.v_peak" for f in bare.findings)
    assert bare.value("clamp.e_avalanche") > 0 and bare.rows["switch.loss"].value.max() > demo_design.rows["switch.loss"].value.max() + 1.0
    assert "clamp.r" not in bare.rows and "clamp_diode" not in bare.losses and "switch_avalanche" in bare.losses
    assert "clamp.e_avalanche" not in demo_design.rows
