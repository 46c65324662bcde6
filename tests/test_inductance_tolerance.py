"""What a reading away from the ordered inductance does to the peak in run: against designs wound to it, and said on the gap bench."""

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.core.design.size import size
from rhevectra.core.topologies.flyback.tolerance import peak_with, peaks
from rhevectra.project.codec import decode
from rhevectra.ui.views.gap_bench import in_run


@pytest.mark.parametrize("name", ["camera-hide", "logger-rack"])
def test_the_peak_at_both_ends_of_the_tolerance(name):
    """The same core and turns designed with nine tenths and eleven tenths of the inductance: the peak in run at that corner within 1 %; least inductance, greatest peak."""
    doc = decode(demo.text(name), name)
    d = size(doc.requirement, doc.decisions, noise=False)
    keep = {k: r.value for k, r in d.rows.items() if k in d.decision_specs and (k == "transformer.core" or k.startswith("transformer.n"))}
    told = peaks(d, 0.1)
    assert told.least > told.ordered > told.greatest and told.ordered == pytest.approx(float(d.rows["switch.i_peak_run"].at(told.corner.index)), rel=1e-3)
    for share, peak in ((0.9, told.least), (1.1, told.greatest)):
        wound = size(doc.requirement, {**doc.decisions, **keep, "transformer.lp": float(d.rows["transformer.lp"].value) * share}, noise=False)
        assert float(wound.rows["switch.i_peak_run"].at(told.corner.index)) == pytest.approx(peak, rel=0.01)


def test_with_a_current_that_rests_the_energy_counts():
    """Energy of a period kept: half the inductance, the peak times root two; a current that no longer comes down to zero keeps its mean instead."""
    assert peak_with(np.array(2.0), np.array(0.0), 0.5) == pytest.approx(2 * np.sqrt(2))
    assert peak_with(np.array(2.0), np.array(1.0), 1.25) == pytest.approx(1.5 + 0.5 / 1.25)


def test_it_is_said_on_the_bench(demo_design):
    """In amperes, at its corner, beside the least current limit; a tolerance under which full load would trip is told; stages that find their own frequency have no such sentence."""
    (told,) = in_run(demo_design, 0.1)
    assert "85 V" in told and "the least current limit is 2.12 A." in told
    assert "it would trip" in in_run(demo_design, 0.4)[0]
    assert not in_run(size(demo_design.requirement, {"topology": "flyback_qr"}, noise=False), 0.1)
