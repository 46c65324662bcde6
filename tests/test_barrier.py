"""The voltage across the insulation: told by formulas, checked against the exact periods over a line cycle."""

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas import insulation

WIDE = Mains(kind="ac1", v_min=85, v_max=265)
STAGES = {"flyback": ("bus", "drain"), "flyback_2sw": ("top", "drain"), "forward_reset": ("bus", "d1"),
          "forward_active_clamp": ("bus", "d1"), "forward_2sw": ("a", "b"), "push_pull": ("bus", "d1", "d2"), "half_bridge": ("a", "mid"),
          "full_bridge": ("a", "b"), "llc_half": ("a", "m")}
"""The ends of the primary as the circuits name them."""


def across(d, ends):
    """Greatest rms [V] between an end of the primary and one of the output's windings, which is earthed, over a switching period of the
    highest line and all of its cycle: the negative pole stands at neutral for half of it, else below it by the mains."""
    e = exact(d, d.grid.find(max(d.grid.lines), 1.0, "run", d.grid.bus[-1]))
    crest = np.sqrt(2) * max(d.grid.lines)
    pole = np.concatenate([np.zeros(180), -crest * np.sin(np.linspace(0, np.pi, 180))])
    others = [np.zeros_like(e.t)] + [e.voltages[n] for n in ("x1", "x2") if n in e.voltages and (n == "x1" or "fly" not in d.topology)]
    rms = [np.sqrt(np.trapezoid(((e.voltages[p] - s)[:, None] + pole) ** 2, e.t, axis=0).mean() / e.period)
           for p in ends for s in others]
    return float(max(rms))


@pytest.mark.parametrize("topology", STAGES)
@pytest.mark.parametrize("volts", [24.0, 100.0])
def test_against_exact_periods(topology, volts):
    """No more than 3 % below what the exact circuit has, spikes and rings with it, no more than four tenths above (bridges, whose legs may
    ring); never below the mains."""
    need = Requirement(mains=WIDE, outputs=(Output(voltage=volts, current_max=80 / volts),), harmonics_class="none")
    d = size(need, {"topology": topology}, noise=False, loop=False)
    told, found = float(d.value("insulation.v_working")), across(d, STAGES[topology])
    assert told >= 265.0 and 0.97 * found < told < max(1.4 * found, 265.1), (told, found)


def test_creepage_follows_it_and_clearance_the_mains():
    """Creepage by the standard's table at the working voltage, twice for reinforced insulation; the impulse that the clearance stands goes
    by the mains."""
    d = size(Requirement(mains=WIDE, outputs=(Output(voltage=24.0, current_max=2.5),)), {"topology": "flyback"}, noise=False)
    assert d.value("insulation.creepage") == pytest.approx(insulation.creepage(float(d.value("insulation.v_working")), 2, True))
    assert 340 < d.value("insulation.v_working") < 360 and d.value("insulation.clearance") == pytest.approx(3.0e-3)


def test_a_dc_source_and_three_phases():
    """By hand, of a resonant half bridge, whose capacitor may lie at either end of the primary: from 400 V with the negative pole earthed,
    and behind three phases, whose bus lies about earth."""
    dc = Requirement(mains=Mains(kind="dc", v_min=380, v_max=400), outputs=(Output(voltage=24.0, current_max=5.0),))
    assert size(dc, {"topology": "llc_half"}, noise=False).value("insulation.v_working") == pytest.approx(np.hypot(200.0, 224.0))
    three = Requirement(mains=Mains(kind="ac3", v_min=340, v_max=460), outputs=(Output(voltage=48.0, current_max=10.0),))
    d = size(three, {"topology": "llc_half"}, noise=False)
    half = float(np.max(d.rows["bus.v"].value)) / 2
    assert d.value("insulation.v_working") == pytest.approx(np.hypot(half, half + 48.0), rel=0.02)


def test_wire_that_is_made_for_less_is_told():
    """24 V stay below a kilovolt of peak between any two ends; 450 V from a flyback do not: a look at the wire, whose cure is the school of
    insulation, gone with margins."""
    low, high = (Requirement(mains=WIDE, outputs=(Output(voltage=v, current_max=20 / v),)) for v in (24.0, 450.0))
    told = lambda need, **pins: [f.cure for f in size(need, {"topology": "flyback", **pins}, noise=False).findings  # noqa: E731
                                 if "triple-insulated wire is usually" in f.text]
    assert told(low) == [] and told(high) == ["insulation.school"] and told(high, **{"insulation.school": "margin"}) == []
