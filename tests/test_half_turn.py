"""Half a turn through one window of the core: flux of the legs and added inductance against a network of reluctances, designs with it, the
maker's sheet."""

import re
from dataclasses import replace

import numpy as np
import pytest
from msgspec.structs import replace as changed

from balances import check_balance, check_drawn, check_finite
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.formulas import half_turn
from rhevectra.core.magnetics.candidate import leakage_of
from rhevectra.core.topologies.common.making import complaints, winding_sheet

NEED = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=5, current_max=3),))
TWO = replace(NEED, outputs=(*NEED.outputs, Output(voltage=12, current_max=0.5, tolerance=0.05)))
MU0 = 4e-7 * np.pi


def made(need=NEED, name="ns1", **pins):
    return size(need, {"transformer.half_turn": name, "transformer.arrangement": "split", **pins})


def network(np_amps, half_amps, n, r_post, r_leg):
    """Fluxes of the post and both outer legs (the half turn round the first) by Kirchhoff's laws: Φ_c = Φ_1 + Φ_2; F = R_c·Φ_c + R_l·Φ_1 +
    I = R_c·Φ_c + R_l·Φ_2 with F = N_p·I_p − n·I."""
    force = np_amps - n * half_amps
    matrix = np.array([[1.0, -1.0, -1.0], [r_post, r_leg, 0.0], [r_post, 0.0, r_leg]])
    return np.linalg.solve(matrix, [0.0, force - half_amps, force])


@pytest.mark.parametrize("spacer", [0.0, 0.1e-3, 0.4e-3])
def test_legs_and_inductance_by_a_network_of_reluctances(spacer):
    """With the post's flux given, the fuller leg and the inductance the half turn sees are those of the network; n whole turns beside it
    change nothing."""
    area, length, mu, post, gap, n = 40e-6, 50e-3, 2000.0, 80e-6, 0.5e-3, 5
    r_leg, r_post = (length / mu + spacer) / (MU0 * area), gap / (MU0 * post)
    phi, one, two = network(60.0, 8.0, n, r_post, r_leg)
    assert float(half_turn.leg_flux(phi / post, post, area, 8.0, length, mu, spacer)) == pytest.approx(max(one, two) / area, rel=1e-9)
    shorted = network(0.0, 1.0, n, 1e15, r_leg)  # no flux through the post: what one ampere links by itself
    assert float(half_turn.inductance(area, length, mu, spacer)) == pytest.approx(-shorted[1], rel=1e-6)


def test_a_design_counts_half_a_turn_less_than_is_wound():
    """Feasible with a spacer under all legs, in balance, drawn; volts follow the turns that count; the leg's flux stands above half of the
    post's."""
    d = made()
    assert d.feasible, [f.text for f in d.findings if f.severity == MUST_FIX]
    check_balance(d, front=("bridge", "thermistor", "mains_filter", "bulk", "x_discharge", "start_up"),
                  # without load its clamp takes nearly all of the core's current, whose loss in the primary's copper is counted beside the
                  # clamp's: half a per cent
                  loaded=True)
    check_finite(d)
    check_drawn(d, d.grid.find(85.0))
    rows = d.rows
    wound, counts = float(rows["transformer.ns1"].value), float(rows["transformer.ns1_seen"].value)
    assert counts == wound - 0.5 and d.context["stage"].ns[0].value == counts
    reflected = np.asarray(rows["transformer.v_reflected"].value)
    assert np.allclose(reflected / (float(rows["transformer.np"].value) / counts), 5.0 + 0.6, atol=0.9)
    assert d.figure("transformer.b_leg").value > d.figure("transformer.b_peak").value * 0.98


def test_it_adds_its_inductance_to_the_leakage():
    """Of one output: the working leakage with it less the same stack's without is the half turn's inductance seen from the primary."""
    d = made()
    plan = d.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    bare = leakage_of(changed(plan.need, half=None), plan.choice.trial, at, plan.window)
    with_it = leakage_of(plan.need, plan.choice.trial, at, plan.window)
    ratio = float(d.rows["transformer.np"].value) / float(d.rows["transformer.ns1_seen"].value)
    assert with_it.pair(0, 1) - bare.pair(0, 1) == pytest.approx(float(d.rows["transformer.half_l"].value) * ratio**2, rel=1e-3)


def test_a_ground_post_fills_one_leg():
    """Outer legs closed: the unpaired turn saturates one of them, must be fixed, and the spacer is named as the cure with what it buys."""
    ground = made(**{"transformer.gap_place": "post"})
    spaced = made(**{id: ground.value(id) for id in ("transformer.core", "transformer.np", "transformer.ns1", "transformer.lp")})
    assert not ground.feasible and any("fuller outer leg" in f.text for f in ground.findings if f.severity == MUST_FIX)
    bought = float(ground.rows["transformer.half_l"].value) / float(spaced.rows["transformer.half_l"].value)
    told = next(f.text for f in ground.findings if "times smaller" in f.text)
    assert float(re.search(r"(\d+) times smaller", told).group(1)) == pytest.approx(bought, rel=0.05) and bought > 5


def test_where_it_cannot_be():
    """A winding that is not there, and a core without two outer legs: one sentence each."""
    assert any("no winding ns3" in f.text and f.severity == MUST_FIX for f in made(name="ns3").findings)
    assert any("no two outer legs" in f.text and f.severity == MUST_FIX for f in made(**{"transformer.core": "EP20"}).findings)


def test_the_sheet_tells_the_maker():
    """The step says it, the ratio to be measured counts it, the gap is the one that was designed; steps and parts still agree."""
    d = made(TWO, "ns2")
    s = winding_sheet(d)
    assert not complaints(s) and any("one window only" in step.remark and step.winding == "secondary 2" for step in s.steps)
    check = next(c for c in s.checks if c[0] == "turns, secondary 2")
    counts = float(d.rows["transformer.ns2_seen"].value)
    assert check[2].startswith(f"{counts / float(d.rows['transformer.np'].value):.4f}")
    assert "under all legs" in s.gap and "ground" not in s.gap
