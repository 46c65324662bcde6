"""Parts that somebody pins too small for their voltage are told, in every topology and front end; the rule's own always hold."""

from dataclasses import replace

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.core.basis.corners import RUN
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode

NEED = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=19, current_max=3.8),), hold_up=0.01)


def faults(design):
    return [f.figure for f in design.findings if f.severity == MUST_FIX]


@pytest.mark.parametrize("topology", TOPOLOGIES)
def test_an_output_capacitor_below_the_output_is_told(topology):
    """16 V parts on 19 V: must be fixed, and the pin is what to free; those of the rule hold the output at the end of its tolerance with
    half its ripple at 95 % of their rating."""
    bad, good = size(NEED, {"topology": topology, "output1.cap": "poly-560uF-16V"}), size(NEED, {"topology": topology})
    finding = next(f for f in bad.findings if f.figure == "output1.v_c")
    assert finding.severity == MUST_FIX and finding.cure == "output1.cap" and "16" not in finding.text.split("below")[0][:5]
    rated = good.catalogue["output_capacitors"].row(good.rows["output1.cap"].value)["v_class_v"]
    ripple = float(np.max(np.broadcast_to(good.rows["output1.ripple_pp"].value, good.grid.shape)[RUN.mask(good.grid)]))
    assert ("output1.v_c" not in faults(good) and 19 * 1.05 + ripple / 2 == pytest.approx(float(good.figure("output1.v_c").value), rel=1e-3)
            and float(good.figure("output1.v_c").value) <= 0.95 * rated)


@pytest.mark.parametrize("tolerance", [0.05, 0.3])
@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "llc_half"])
def test_the_rule_follows_tolerance_and_derating(topology, tolerance):
    """A wide tolerance or a careful derating asks for a higher class; the figure holds."""
    need = replace(NEED, outputs=(replace(NEED.outputs[0], voltage=24.0, voltage_min=24.0, voltage_max=24.0, tolerance=tolerance),))
    for share in (0.95, 0.6):
        d = size(need, {"topology": topology, "derating.output_v": share})
        rated = shipped()["output_capacitors"].row(d.rows["output1.cap"].value)["v_class_v"]
        assert rated * share >= 24 * (1 + tolerance) and "output1.v_c" not in faults(d)


def test_every_output_of_several_is_judged(demo_document):
    """What no loop holds by where it really stands: a 16 V part on +15 V that rises beyond it is told, on +5 V it is fine."""
    need = decode(demo.text("logger-rack"), "rack").requirement
    d = size(need, {"output1.cap": "poly-560uF-16V", "output2.cap": "poly-560uF-16V"})
    assert "output2.v_c" in faults(d) and "output1.v_c" not in faults(d)
    assert float(d.figure("output2.v_c").value) >= float(d.figure("output2.v_high").value)


@pytest.mark.parametrize("front", ["plain", "doubler", "pfc_crm", "pfc_ccm", "pfc_interleaved", "pfc_bridgeless"])
def test_an_arrester_below_the_mains_is_told(front):
    """Of 250 V and less on 265 V: must be fixed; 275 V, as many fit, is not, and the rule's rests above a swell of 5 %."""
    for volts, told in ((150.0, True), (250.0, True), (275.0, False)):
        assert ("inlet.v_rest" in faults(size(NEED, {"front_end": front, "inlet.arrester": volts}))) == told
    assert float(size(NEED, {"front_end": front}).rows["inlet.arrester"].value) >= 1.05 * 265
