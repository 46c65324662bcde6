"""What stays on outputs above the touchable voltage: by hand, step by step in time, and what is said of it."""

import pytest

from rhevectra.bench.bringup import _waiting
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size

MAINS = Mains(kind="dc", v_min=360.0, v_max=400.0)


def test_a_high_output_is_discharged_by_divider_and_bleed():
    """Second route: the capacitor emptied in steps of a thousandth of the time told, through divider and bleed side by side, ends at
    60 V."""
    need = Requirement(mains=MAINS, outputs=(Output(voltage=100.0, voltage_max=110.0, current_max=1.0),))
    d = size(need, {"topology": "llc_half"}, noise=False)
    time, c, v = d.value("output1.discharge_time"), d.value("output1.c"), 110.0
    draws = 1 / (d.value("feedback.r_high") + d.value("feedback.r_low")) + (
        1 / d.value("output1.r_bleed") if "output1.r_bleed" in d.rows else 0.0)
    for _ in range(1000):
        v -= v * draws / c * time / 1000
    assert v == pytest.approx(60.0, rel=2e-3)
    said = [f for f in d.findings if f.figure == "output1.discharge_time"]
    assert (time > 2.0) == (len(said) == 1) and (not said or said[0].cure in ("", *d.decision_specs))
    assert any("100 V takes up to" in line for line in _waiting(d))


@pytest.mark.parametrize("topology", ["flyback", "forward_2sw"])
def test_a_bleed_shortens_it(topology):
    """Ten times the bleed, about a tenth of the time; the note goes where it is soon enough."""
    need = Requirement(mains=MAINS, outputs=(Output(voltage=150.0, current_max=0.5),))
    slow, quick = (size(need, {"topology": topology, "output1.bleed": i}, noise=False) for i in (1e-4, 5e-3))
    assert quick.value("output1.discharge_time") < 0.2 * slow.value("output1.discharge_time")
    noted = [any(f.figure == "output1.discharge_time" for f in d.findings) for d in (slow, quick)]
    assert noted == [d.value("output1.discharge_time") > 2.0 for d in (slow, quick)]


def test_an_output_that_can_be_touched_has_no_such_figure():
    need = Requirement(mains=MAINS, outputs=(Output(voltage=48.0, current_max=2.0),))
    d = size(need, {"topology": "llc_half"}, noise=False)
    assert "output1.discharge_time" not in d.rows and not any("takes up to" in line and "48 V" in line for line in _waiting(d))
