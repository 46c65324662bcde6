"""Weighted feedback: the divider of two outputs by Kirchhoff, its factor by a supply sized anew, and where the rule takes it."""

import numpy as np
import pytest

from balances import check_finite
from rhevectra.app.parts import rows as parts_of
from rhevectra.bench.bringup import plan
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.formulas import weighted

RAIL = Mains(kind="dc", v_min=14.4, v_max=33.6)


def rail(main=5.0):
    return Requirement(mains=RAIL, insulation="functional",
                       outputs=(Output(voltage=main, current_max=4.0, name="main"),
                                Output(voltage=3.3, current_max=3.0, tolerance=0.1, regulated=False, name="core"),
                                Output(voltage=12.0, current_max=1.0, tolerance=0.1, regulated=False, name="drive")))


@pytest.fixture(scope="module")
def shared():
    return size(rail(), noise=False)


def test_the_divider_meets_its_reference():
    """Node equations solved: with both outputs multiplied by the factor, and the input's current drawn, the tap stands at the reference."""
    v_ref, r_low, bias, v_out, v_second = 2.495, 6810.0, 2e-6, 5.0, 12.7
    first = weighted.first_resistor(6800.0, 0.3)
    second = weighted.second_resistor(12.0, v_ref, r_low, bias, v_out, first)
    factor = weighted.scale(v_ref, r_low, bias, first, second, v_out, v_second)
    admittance = np.array([[1 / first + 1 / second + 1 / r_low]])
    tap = np.linalg.solve(admittance, np.array([factor * v_out / first + factor * v_second / second - bias]))
    assert tap[0] == pytest.approx(v_ref, rel=1e-9) and factor < 1
    assert weighted.scale(v_ref, r_low, bias, first, second, v_out, 12.0) == pytest.approx(1.0, rel=1e-9)


def test_the_rule_takes_the_least_share_that_cures(shared):
    """One output alone leaves another 0.3 % below its tolerance; a tenth of the divider's current from it is enough. Where all keep theirs
    nothing is shared."""
    alone = size(rail(), {"feedback.second": 0}, noise=False)
    assert [f.figure for f in alone.findings if f.severity == "must fix"] == ["output3.v_low"] and not alone.feasible
    assert shared.feasible and shared.rows["feedback.second"].value == 3 and shared.rows["feedback.weight"].value == pytest.approx(0.1)
    for n in (1, 2, 3):
        assert shared.figure(f"output{n}.v_low").margin >= 0 and shared.figure(f"output{n}.v_high").margin >= 0
    assert shared.value("output3.v_low") > alone.value("output3.v_low") and shared.value("output3.v_high") < alone.value("output3.v_high")
    wide = size(Requirement(mains=RAIL, insulation="functional", outputs=(*rail().outputs[:2],)), noise=False)
    assert wide.rows["feedback.second"].value == 0 and "feedback.r_second" not in wide.rows


def test_all_outputs_move_together(shared):
    """The same parts with the regulated output asked for where the loop puts it: the others come out where the factor has them, 0.5 %."""
    parts = ("fs", "switch.class", *(f"transformer.{k}" for k in ("core", "np", "ns1", "ns2", "ns3", "lp")))
    hardware = {id: shared.rows[id].value for id in parts if id in shared.rows and id in shared.decision_specs}
    end = shared.figure("output3.v_low")
    at = end.corner.index
    factor = float(np.asarray(shared.rows["feedback.scale_low"].at(at)))
    moved = size(rail(5.0 * factor), {**hardware, "feedback.second": 0}, noise=False)
    assert float(np.asarray(moved.rows["output3.v"].at(at))) == pytest.approx(end.value, rel=5e-3)


def test_a_pinned_share_is_worked_out_and_told(shared):
    """Two fifths put the regulated output beyond what its own tolerance leaves, told with the decision that cures it; an output that cannot
    share is told and has no effect; the bench and the parts list have both resistors."""
    much = size(rail(), {"feedback.second": 3, "feedback.weight": 0.4}, noise=False)
    told = next(f for f in much.findings if f.figure == "output1.v_high")
    assert told.severity == "must fix" and told.cure == "feedback.weight"
    itself = size(rail(), {"feedback.second": 1}, noise=False)
    assert any(f.cure == "feedback.second" for f in itself.findings) and "feedback.r_second" not in itself.rows
    bought = [kind for kind, _, _ in parts_of(shared)]
    assert "upper resistor, second output" in bought and "divider, upper resistor" not in bought
    read = [c for s in plan(shared) for c in s.checks if c.name == "Output main"]
    assert read and all(c.low <= 5.0 <= c.high for c in read)
    check_finite(shared)


def test_a_negative_output_cannot_share():
    """A divider adds currents of one sign: the rule leaves a negative output alone, and one that is pinned is told to have no effect."""
    minus = Output(voltage=-12.0, current_max=1.0, tolerance=0.02, regulated=False, name="minus")
    need = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12.0, current_max=2.0, name="plus"), minus))
    d = size(need, {"feedback.second": 2}, noise=False)
    assert any(f.cure == "feedback.second" and f.severity == "look at" for f in d.findings) and "feedback.r_second" not in d.rows
