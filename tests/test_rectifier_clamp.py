"""The rectifiers' clamp of a phase-shifted bridge: charge and balance by step-by-step integration, whole designs against the engine."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from balances import check_finite
from rhevectra import demo
from rhevectra.app import parts
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas import rectifier_clamp as clamp
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode


@pytest.mark.parametrize("inductance", [0.3e-6, 3e-6])
@pytest.mark.parametrize(("node", "step"), [(1.25, 1.0), (1.6, 1.0), (1.1, 1.0)])
def test_charge_of_a_pulse_by_integration(inductance, node, step):
    """A step of 40 V through an inductance into 5 nF, held by an ideal clamp: the charge it takes until the current is used up, whatever
    the inductance; what is left swings around the step."""
    c, v2, held = 5e-9, 40.0 * step, 40.0 * node
    reach = lambda t, x: x[1] - held  # noqa: E731
    reach.terminal = True
    rise = solve_ivp(lambda t, x: [(v2 - x[1]) / inductance, x[0] / c], (0, 1e-5), [0.0, 0.0], events=reach, rtol=1e-10, atol=1e-12)
    current = float(rise.y[0, -1])
    spent = current * inductance / (held - v2)
    taken = 0.5 * current * spent
    assert taken == pytest.approx(float(clamp.charge(c, held, v2)), rel=1e-6)
    left = 0.5 * c * (held - v2) ** 2
    given, stored = v2 * (c * v2 + taken), 0.5 * c * v2**2
    assert given - stored - held * taken == pytest.approx(left,
                                                          # energy: what the source gave, less what stands and what the clamp took
                                                          rel=1e-6)
    assert float(clamp.ring_power(c, held, v2, 1.0)) == pytest.approx(left)


@pytest.mark.parametrize(("r", "v_out"), [(100.0, 12.0), (1e3, 24.0), (50.0, 5.0)])
def test_the_clamp_settles_where_charge_balances(r, v_out):
    """Pulse by pulse from the output's voltage up (second algorithm): the same node voltage, and the resistor's formula gives the resistor
    back."""
    c, v2, rate, drop, big = 4e-9, 40.0, 200e3, 1.0, 5e-6
    v = v2
    for _ in range(20000):
        v += (float(clamp.charge(c, v + drop, v2)) - (v - v_out) / r / rate) / big
    node = float(clamp.node_voltage(v_out, drop, v2, clamp.strength(rate, r, c)))
    assert float(clamp.voltage(node, drop)) == pytest.approx(v, rel=1e-3)
    assert float(clamp.resistor(node - drop, v_out, rate, clamp.charge(c, node, v2))) == pytest.approx(r, rel=1e-6)


@pytest.fixture(scope="module", params=[("ringing-lab-bench", "centre_tap"), ("ringing-lab-bench", "bridge"), ("frost-fans", "centre_tap")],
                ids="-".join)
def both(request):
    name, kind = request.param
    doc = decode(demo.text(name), name)
    pins = {k: v for k, v in doc.decisions.items() if k == "front_end"} | {"topology": "psfb", "secondary.kind": kind}
    return tuple(size(doc.requirement, {**pins, "rectifier.snubber": snub}, noise=False) for snub in ("none", "clamp"))


def test_a_whole_design_against_the_engine(both):
    """Worst rectifier no more than 1 % above and 4 % below; the capacitor's voltage within 6 % and the resistor's power no more than a
    quarter too high, both on the safe side (drops of the path leave a lower step); the reverse voltage keeps to its allowance; the bus
    gives the loss."""
    bare, d = both
    c = d.grid.find(max(d.grid.lines), 1.0)
    at = lambda x, id: float(np.broadcast_to(x.rows[id].value, x.grid.shape)[c.index])  # noqa: E731
    e, elements = exact(d, c), TOPOLOGIES["psfb"].circuit(d, c).elements
    volt = lambda n: e.voltages.get(n, np.zeros_like(e.t))  # noqa: E731
    blocked = max(float((volt(x.nodes[1]) - volt(x.nodes[0])).max()) for x in elements if x.value == "DOUT")
    power = float(np.trapezoid((volt("rc") - volt("out1")) * e.currents["rrc"], e.t)) / e.period
    assert 0.96 * at(d, "rectifier1.v_reverse") < blocked < 1.01 * at(d, "rectifier1.v_reverse") and blocked < 0.75 * at(d,
        "psfb.v_undamped")
    assert at(d, "rectifier1.v_clamp") / 1.06 <= float(volt("rc").mean()) <= 1.005 * at(d, "rectifier1.v_clamp")
    assert at(d, "rectifier1.clamp_power") / 1.25 <= power <= 1.01 * at(d, "rectifier1.clamp_power")
    assert float(np.ptp(volt("rc"))) < 0.08 * float(volt("rc").mean())
    assert at(d, "rectifier1.v_reverse") <= 1.0 * at(bare, "rectifier1.v_reverse")
    assert at(d, "switch.p_bus") - at(bare, "switch.p_bus") == pytest.approx(at(d, "rectifier1.snubber_loss"), rel=0.1, abs=0.02)
    assert ("rectifier1.clamp_r" not in bare.rows
            and {"rectifier clamp resistor", "rectifier clamp capacitor"} <= {kind for kind, _, _ in parts.rows(d)})
    assert any("rectifier clamp" in s.label for s in TOPOLOGIES["psfb"].schematic(d, c))
    check_finite(d)


def test_the_clamp_does_not_jump_where_the_bus_at_no_load_is_a_hair_above_that_at_full_load():
    """Copper in the mains filter from nothing to an ohm moves the bus by volts only, the turns given: the resistor stays within one step of
    its series, the reverse voltage within 3 %."""
    doc = decode(demo.text("ringing-lab-bench"), "demo")
    found = [size(doc.requirement, {"topology": "psfb", "rectifier.snubber": "clamp", "inlet.r_filter": r, "bulk.c": 220e-6,
                                    "transformer.np": 56}, noise=False)
             for r in (0.0, 0.4, 0.89, 1.2)]
    r, v = ([float(np.max(d.rows[id].value)) for d in found] for id in ("rectifier1.clamp_r", "rectifier1.v_reverse"))
    assert max(r) / min(r) < 1.3 and max(v) / min(v) < 1.03
