"""The slow clamp diode: its charge model against integration, what it does to the demo's clamp on exact periods, its picture."""

import numpy as np
import pytest

from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.netlist import Circuit, Element, diode_model, write
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.core.design import slow_diode as sd
from rhevectra.core.stages import rcd_slow
from rhevectra.drawing.pictures import PICTURES, pictures_of
from rhevectra.drawing.slow_diode import slow_diode_picture


@pytest.mark.parametrize(("recovery", "r"), [(0.5e-6, 1.0), (2e-6, 1.0), (2e-6, 5.0)])
def test_the_stored_charge_against_integration(recovery, r):
    """10 µH driven to 2 A and back through the diode, in steps of 0.2 ns (second algorithm): reverse peak and charge that goes back."""
    circuit = Circuit("recovery",
                      (Element("Vs", ("a", "0"), "PULSE(-20 20 0 1n 1n 1u 20u)"), Element("L1", ("a", "b"), "10u IC=0"),
                       Element("Dcl", ("b", "0"), "DX"), Element("Rp", ("b", "0"), "100k")), (diode_model("DX", 0.7, 0.01),), 20e-6, 0.0)
    m = Measures(steady(read(write(sd.with_slow(circuit, recovery, r))), 20e-6))
    i = m.values("i", "vdq")
    tau, step = recovery / np.log(1.5), 2e-10
    now, charge, back, lowest, blocked = 0.0, 0.0, 0.0, 0.0, False
    for k in range(60_000):
        source = 20.0 if k * step < 1e-6 else -20.0
        if blocked:
            break
        now += step * (source - r * now - (0.7 + 0.01 * now if now > 0 else 0.1 * now)) / 10e-6
        charge += step * (now - charge / tau)
        lowest, back = min(lowest, now), back + max(-now, 0.0) * step
        blocked = k * step > 1e-6 and charge <= 0.01 * rcd_slow.STORE
    assert (blocked and m.measure("i", "vdq").min == pytest.approx(lowest, rel=0.01)
            and -float(m.samples.weights @ np.minimum(i, 0)) == pytest.approx(back, rel=0.02))


@pytest.fixture(scope="module")
def tried(demo_design):
    c, judged = demo_design.grid.find(85.0), demo_design.figure("switch.v_peak").corner
    return {key: sd._tried(demo_design, c, judged, *key) for key in ((0.0, 0.0), (2e-6, 2.2), (2e-6, 22.0))}


def test_on_the_demo(demo_design, tried):
    """The fast diode burns what the figure says; the slow one hands charge back, so that clamp, stage and peak fall; a large resistor lifts
    the peak, by less than its drop at the limit."""
    fast, small, large = (tried[key][0] for key in tried)
    corner, judged = demo_design.grid.find(85.0), demo_design.figure("switch.v_peak").corner
    assert fast.in_clamp == pytest.approx(float(demo_design.rows["clamp.power"].at(corner.index)), rel=0.05) and fast.back < 0.01
    assert fast.peak == pytest.approx(demo_design.figure("switch.v_peak").value, rel=0.02)
    assert small.back > 0.5 and small.in_clamp < 0.7 * fast.in_clamp and small.lost < fast.lost and small.peak < fast.peak
    drop = (22.0 - 2.2) * float(demo_design.rows["clamp.i_peak"].at(judged.index))
    assert (0.2 * drop < large.peak - small.peak < drop
            and large.in_diode > small.in_diode)  # less of it than the drop alone: the clamp's voltage falls
    for key, (_, (t, i)) in tried.items():
        assert t[0] <= 0 < t[-1] and (i.min() < -0.1) == (key[0] > 0)


def test_the_picture_and_where_it_is_offered(demo_design, tried):
    """Both diodes drawn, the words tell the numbers; without a result it says what is under way; other clamps do not offer it."""
    fast, small, large = (tried[key][0] for key in tried)
    c = demo_design.grid.find(85.0)
    found = sd.SlowDiode(fast, (small, large), small, (tried[0.0, 0.0][1], tried[2e-6, 2.2][1]), c, c, 560.0, sd._said(fast, small, 560.0))
    p = slow_diode_picture(demo_design, found, 150.0, 120.0)
    words = " ".join(x.text for x in p.items if hasattr(x, "text"))
    assert ({"fast diode [A]", "2.0 µs diode [W]", "2.0 µs diode [V]"} <= set(p.data) and f"{small.back * 100:.0f} %" in words
            and "forward recovery" in words)
    assert "slow" in pictures_of(demo_design, "clamp") and PICTURES["slow"][1](demo_design, c, 150.0, 120.0, None).items
    assert "better one" in sd._said(small, fast, 560.0) and "rating" in sd._said(fast, small, 100.0)
