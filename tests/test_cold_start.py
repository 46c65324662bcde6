"""How much load starts through a cold thermistor: against an integration of the line-fed bulk in time (second algorithm), the thermistor's
law by hand, and what is said of it."""

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size


def supply(watts=40.0, ambient=-10.0, v_min=85.0):
    """12 V from the mains in the cold."""
    return Requirement(mains=Mains(kind="ac1", v_min=v_min, v_max=265.0), outputs=(Output(voltage=12.0, current_max=watts / 12.0),),
                       ambient_min=ambient)


def valley_in_time(v_line, f, r, drop, c, esr, power):
    """Least bus [V] in the last of 30 half cycles: rectified sine behind r [Ω] into c [F] and esr [Ω], constant power taken; explicit steps
    of a thousandth of a half cycle."""
    steps = 1000
    h, v, least = 0.5 / f / steps, np.sqrt(2) * v_line - drop, 0.0
    mains = np.abs(np.sqrt(2) * v_line * np.sin(np.pi * (np.arange(steps) + 0.5) / steps)) - drop
    for _half in range(30):
        seen = []
        for m in mains:
            i_load = power / max(v, 5.0)
            i = max(0.0, (m - v + esr * i_load) / (r + esr))
            seen.append(v + esr * (i - i_load))
            v += h * (i - i_load) / c
        least = min(seen)
    return least


@pytest.mark.parametrize(("watts", "ambient", "v_min"), [(40.0, -10.0, 85.0), (12.0, 0.0, 85.0), (90.0, -20.0, 195.0)])
def test_the_load_that_starts_against_an_integration_in_time(watts, ambient, v_min):
    """With that load the valley lies at the least bus the stage works from, within 2 % of it; with a tenth more it is below."""
    d = size(supply(watts, ambient, v_min), {"front_end": "plain", "topology": "flyback"}, noise=False)
    share, plan, floor = d.value("start.p_cold") / watts, d.context["front"], d.value("bulk.v_min_stage")
    assert 0.05 < share < 1.0
    ntc = plan.thermistor
    r = plan.source.resistance - ntc["r_hot_ohm"] + ntc["r_cold_ohm"] * np.exp(3000.0 * (1 / (ambient + 273.15) - 1 / 298.15))
    full = float(np.broadcast_to(d.rows["bulk.p_load"].value, d.grid.shape)[0, 0, d.grid.full_load, 0])
    esr = plan.source.esr * (10.0 if ambient < 0 else 1.0)
    at, above = (valley_in_time(v_min, 47.0, r, plan.source.drop, d.value("bulk.c"), esr, x * share * full) for x in (1.0, 1.1))
    assert at == pytest.approx(floor, rel=0.02) and above < floor


def test_what_is_said_and_when():
    """The note names both loads and the resistance; it is not there where all of the load starts; more starts where it is warmer."""
    cold, mild = (size(supply(ambient=a), {"topology": "flyback"}, noise=False) for a in (-20.0, 20.0))
    assert cold.value("start.p_cold") < mild.value("start.p_cold") and cold.feasible
    said = [f for f in cold.findings if f.figure == "start.p_cold"]
    assert len(said) == 1 and said[0].cure == "inlet.thermistor" and "59.8 Ω" in said[0].text and "of 40.0 W" in said[0].text
    small = size(supply(2.0, 20.0, 195.0), {"topology": "flyback"}, noise=False)
    assert small.value("start.p_cold") == pytest.approx(2.0) and not [f for f in small.findings if f.figure == "start.p_cold"]


def test_before_a_stage_that_draws_a_sine():
    """Second algorithm: of all currents through mains, bridge and cold thermistor the one that leaves most behind. A relay cures
    it."""
    need = supply(150.0)
    d = size(need, {"front_end": "pfc_ccm"}, noise=False)
    plan, i = d.context["front"], np.linspace(0.01, 50.0, 200_000)
    r = (plan.thermistor["r_cold_ohm"] * np.exp(3000.0 * (1 / 263.15 - 1 / 298.15)) + need.source_impedance.r
         + 2 * plan.bridge["r_dynamic_ohm"])
    most, drawn = np.max(85.0 * i - r * i * i), float(np.max(d.rows["inlet.power"].value[0, 0, d.grid.full_load]))
    assert d.value("start.p_cold") == pytest.approx(150.0 * min(1.0, most / drawn), rel=1e-3) and most < drawn
    said = [f for f in d.findings if f.figure == "start.p_cold"]
    assert [f.cure for f in said] == ["inlet.limiter"]
    cured = size(need, {"front_end": "pfc_ccm", "inlet.limiter": "relay"}, noise=False)
    assert "start.p_cold" not in cured.rows and not any("cold thermistor" in f.text for f in cured.findings)
