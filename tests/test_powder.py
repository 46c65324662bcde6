"""Boost inductors on powder rings: geometry and turns by other routes, ripple by integrating the falling inductance, and the stage they
stand in."""

import warnings

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.integrate import quad, solve_ivp

from rhevectra import demo
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.cost import magnetics_volume
from rhevectra.core.design.size import size
from rhevectra.core.formulas import powder
from rhevectra.core.magnetics.ring import AGES, rings
from rhevectra.core.stages.pfc.control import Loop, half_cycle
from rhevectra.core.stages.pfc.line import Boost, angles, power_at_peak
from rhevectra.project.codec import decode

MU0 = 4e-7 * np.pi


@pytest.fixture(scope="module")
def fans():
    return decode(demo.text("frost-fans"), "demo")


def _fans(fans, **pins):
    return size(fans.requirement, {**fans.decisions, "front_end": "pfc_ccm", **pins})


def test_ring_parameters_by_integration_over_the_section():
    """The inductance factor Ae/le of every ring is the integral of h/(2πr); its path lies between inner and mean circumference, its volume
    below the whole."""
    table = shipped()["rings"]
    r = rings(table)
    for k, row in enumerate(table.rows):
        permeance = quad(lambda x, h=row["tall_m"]: h / (2 * np.pi * x), row["inner_m"] / 2, row["outer_m"] / 2)[0]
        assert r.area[k] / r.length[k] == pytest.approx(permeance, rel=1e-9)
        assert np.pi * row["inner_m"] < r.length[k] < np.pi * (row["outer_m"] + row["inner_m"]) / 2 and r.volume[k] == pytest.approx(
            r.area[k] * r.length[k])
        assert 0.85 < r.volume[k] / (np.pi / 4 * row["tall_m"] * (row["outer_m"] ** 2 - row["inner_m"] ** 2)) < 1


def test_turns_are_the_first_whole_number_that_gives_enough():
    """Against counting up, over random rings, currents and grades."""
    rng = np.random.default_rng(4)
    for _ in range(60):
        inductance, current, per_turn, half, m = (10 ** rng.uniform(-5, -3), rng.uniform(0.5, 30), 10 ** rng.uniform(-7.5, -6.8),
                                                  10 ** rng.uniform(2.5, 3.5), rng.uniform(1.1, 1.7))
        found = float(powder.turns_for(inductance, current, per_turn, half, m))
        enough = [n for n in range(1, 60000) if per_turn * n**2 / (1 + (n * current / half) ** m) >= inductance * (1 - 1e-12)]
        assert found == enough[0]


def test_ripple_by_integrating_the_falling_inductance():
    """v = L(i)·di/dt through the on-time around the mean: the ripple taken with the inductance at the mean is within 3 %, up to a quarter
    of the mean."""
    b = Boost(0.8e-3, 65e3, False, i_half=8.0, exponent=1.5)
    a = angles(b, 100.0, 600.0, 390.0, np.array([0.5, 1.0, 0.5 * np.pi]))
    for k in range(3):
        v, mean, on = float(a.v[k]), float(a.mean[k]), float(a.duty[k] / a.fs[k])
        rate = lambda t, i, v=v: v * (1 + (abs(i[0]) / 8.0) ** 1.5) / 0.8e-3  # noqa: E731
        start = mean - 0.5 * float(a.ripple[k])
        for _ in range(20):  # the cycle whose mean is the same
            end = solve_ivp(rate, (0, on), [start], rtol=1e-10, atol=1e-10, max_step=on / 50)
            start += mean - float(np.trapezoid(end.y[0], end.t) / on)
        assert float(a.ripple[k]) == pytest.approx(end.y[0][-1] - start, rel=0.03)


def test_a_falling_inductance_leaves_the_power_and_bends_the_current():
    """The same stage with and without bias: power is drawn alike, and the loop, laid out for the inductance left at the crest, is slower
    near the zero crossing."""
    ring = Loop(0.8e-3, 65e3, 390.0, 8e3, 0.0, i_half=8.0, exponent=1.5, designed=0.4e-3)
    gapped = replace(ring, inductance=0.4e-3, i_half=0.0, designed=0.0)
    for v in (100.0, 230.0):
        start = {}
        for name, loop in (("ring", ring), ("gapped", gapped)):
            t, i = half_cycle(loop, v, 50.0, 600.0)
            assert 100 * np.trapezoid(np.sqrt(2) * v * np.sin(100 * np.pi * t) * i, t) == pytest.approx(600.0, rel=1e-6)
            start[name] = float(np.interp(0.25e-3, t, i))
        assert start["ring"] < start["gapped"]


def test_the_ring_gives_what_was_asked_at_the_crest_of_the_lowest_line(fans):
    """Recomputed from the catalogue by hand: section, turns and bias at the crest current, at least the inductance decided."""
    d = _fans(fans, **{"pfc.core_kind": "powder"})
    assert d.feasible
    ring, grade = shipped()["rings"].row(d.value("pfc.core")), shipped()["powders"].row(d.rows["pfc.powder"].value)
    n, low = float(d.value("pfc.turns")), d.rows["inlet.i_crest"].at((0, 0, d.grid.full_load, 0))
    zero = MU0 * grade["mu_initial"] * n**2 * ring["tall_m"] * np.log(ring["outer_m"] / ring["inner_m"]) / (2 * np.pi)
    assert float(d.value("pfc.l_unbiased")) == pytest.approx(zero, rel=1e-6)
    length = float(rings(shipped()["rings"]).length[shipped()["rings"].names.index(ring["name"])])
    left = zero / (1 + (n * low / length / grade["h_half_a_m"]) ** grade["bias_exponent"])
    assert d.rows["pfc.l_crest"].at((0, 0, d.grid.full_load, 0)) == pytest.approx(left, rel=1e-3)
    assert left >= float(d.value("pfc.l")) * 0.97  # the crest it was chosen for assumed an efficiency
    assert "pfc.gap" not in d.rows and "pfc.b_peak" not in d.rows and float(d.value("pfc.l_left")) >= 0.4
    assert magnetics_volume(d) > 0


def test_the_smaller_kind_is_taken_and_a_pinned_core_tells_which(fans):
    free = _fans(fans)
    kinds = {k: _fans(fans, **{"pfc.core_kind": k}) for k in ("ferrite", "powder")}
    assert free.value("pfc.core") == kinds["powder"].value("pfc.core") and "cm³" in free.rows["pfc.core_kind"].rule
    assert magnetics_volume(kinds["powder"]) < magnetics_volume(kinds["ferrite"])
    assert _fans(fans, **{"pfc.core": "E65/32/27"}).rows["pfc.core_kind"].value == "ferrite"
    pinned = _fans(fans, **{"pfc.powder": "Fe-u35"})
    assert pinned.rows["pfc.core_kind"].value == "powder" and pinned.rows["pfc.powder"].value == "Fe-u35"
    assert not any(free.rows["pfc.powder"].value.startswith(f"{a}-") for a in AGES)
    at = (0, 0, free.grid.full_load, 0)
    assert kinds["powder"].rows["loss.pfc_core"].at(at) > kinds["ferrite"].rows["loss.pfc_core"].at(at)


def test_a_ring_too_small_is_refused_by_name(fans):
    d = _fans(fans, **{"pfc.ring": "R27/15/11"})
    assert not d.feasible and any("R27/15/11" in f.text and f.cure == "pfc.ring" for f in d.findings)


@pytest.mark.parametrize("front", ["pfc_ccm", "pfc_crm", "pfc_interleaved"])
def test_power_at_the_limit_by_two_routes(fans, front):
    """The closed figure against halving the interval on the drawn cycles: the same within 1 % at every line (a ring's figure takes the
    inductance left at the limit, which is less than at the mean there)."""
    d = size(fans.requirement, {**fans.decisions, "front_end": front})
    plan = d.context["front"]
    found = power_at_peak(plan.boost, np.array(d.grid.lines), plan.v_bus, plan.limit)
    told = np.array([float(d.rows["pfc.power_max"].at((i, 0, d.grid.full_load, 0))) for i in range(len(d.grid.lines))])
    assert np.all(told <= found * 1.001) and told == pytest.approx(found, rel=0.01 if plan.choke.ring is None else 0.05)


def test_a_ring_far_too_small_is_told_and_its_losses_are_not_followed_without_end():
    """Half a kilowatt through a ring of 13 mm by hand: its copper would lose more for what it loses. One sentence says so and frees the
    pin, the line current stays one of this world, and nothing overflows."""
    need = Requirement(mains=Mains(kind="ac1", v_min=90, v_max=132), outputs=(Output(voltage=100, current_max=4.7),), efficiency_target=0.8)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        d = size(need, {"topology": "half_bridge", "front_end": "pfc_ccm", "pfc.ring": "R13/8/5"})
    told = [f for f in d.findings if "lose as much as it passes on" in f.text]
    assert len(told) == 1 and told[0].cure == "pfc.ring" and told[0].severity == "must fix"
    assert 470 / 90 < float(np.max(d.rows["inlet.i_rms"].value)) < 3 * 470 / 90 and all(
        np.isfinite(f.value) for f in d.figures() if not isinstance(f.value, str))
    whole = size(need, {"topology": "half_bridge", "front_end": "pfc_ccm"})
    assert not any("lose as much" in f.text for f in whole.findings)
