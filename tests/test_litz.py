"""Litz: what a maker of wire twists beyond what is twisted by hand, and its insulation over all strands."""

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.size import size
from rhevectra.core.magnetics import winding, wire
from rhevectra.core.magnetics.window_field import field_steps
from rhevectra.core.topologies.common.winding import wires

SIZES = wires(shipped())


def big(volts=48.0, power=1500.0, **pins):
    """A resonant full bridge from a 400 V bus, whose secondary carries some 25 A rms in each half."""
    need = Requirement(mains=Mains(kind="dc", v_min=380.0, v_max=410.0), outputs=(Output(voltage=volts, current_max=power / volts),))
    return size(need, {"topology": "llc_full", **pins}, noise=False)


@pytest.fixture(scope="module")
def design():
    return big()


@pytest.mark.parametrize("strands", [100, 200, 400])
def test_bunched_strands_take_the_customary_room(strands):
    """Packing factor of bunched litz of 25 to 400 strands: its diameter is 1.28 times that of a strand times the root of their number
    (customary in tables of litz, from memory)."""
    assert float(winding.bundle_ratio(strands)) == pytest.approx(1.28 * np.sqrt(strands))


def test_below_five_amperes_nothing_changes_and_above_litz_is_offered():
    """Insulated by itself: few wires with three layers each, or more strands with these layers over all of them, which take far less room
    at the same copper; not insulated: litz beside what is twisted by hand."""
    for triple in (False, True):
        few, many = winding.options(4.9, SIZES, triple), winding.options(20.0, SIZES, triple)
        assert few.strands.max() <= 60 and not few.sheath.any()
        litz = many.strands > (7 if triple else 60)
        twisted = litz & ~many.flat
        assert twisted.sum() >= 8 and many.strands.max() <= 400 and {0.1e-3, 0.25e-3} & set(many.diameter[twisted])
        assert np.all(many.sheath[twisted] == (0.2e-3 if triple else 0.0)) and not many.sheath[~twisted].any()
    sheathed, each = (winding.lay(np.array(6.0), d, o, 40.0, 30e-3, sheath=s)
                      for d, o, s in ((0.25e-3, 0.297e-3, 0.2e-3), (0.25e-3, 0.45e-3, 0.0)))
    assert (sheathed.copper == each.copper and float(sheathed.tall) < 0.75 * float(each.tall) and winding.sheathed(sheathed.at(()))
            and not winding.sheathed(each.at(())))


def test_a_wire_written_by_hand_follows_the_same_rule():
    """Seven strands each insulated, eight and more under one insulation; side by side each its own; without the school none."""
    for text, triple, sheath, overall in (("7x0.25", True, 0.0, 0.45), ("8x0.25", True, 0.2e-3, 0.297), ("8x0.25 flat", True, 0.0, 0.45),
                                          ("200x0.1", True, 0.2e-3, 0.125), ("200x0.1", False, 0.0, 0.125)):
        o = wire.options(text, SIZES, triple)
        assert float(o.sheath[0]) == sheath and float(o.overall[0]) * 1e3 == pytest.approx(overall, abs=1e-6), text


def test_the_rule_takes_what_burns_least_of_wires_tried_by_hand(design):
    """The secondary's wire pinned to bundles a person would try, on the same core and turns: none of those that fit burns less copper than
    the rule's by more than 2 %; the best without litz burns clearly more."""
    same = {"transformer.core": design.value("transformer.core"), "transformer.ns1": int(design.value("transformer.ns1"))}
    burnt = {text: float(big(**same, **{"transformer.wire_ns1": text}).value("transformer.loss_copper"))
             for text in ("7x0.7", "12x0.5 flat", "20x0.4 flat", "60x0.25", "120x0.14", "200x0.14", "200x0.1", "400x0.1")}
    mine = float(design.value("transformer.loss_copper"))
    assert design.feasible and mine <= 1.02 * min(burnt.values()), burnt
    assert mine < 0.9 * min(burnt[t] for t in ("7x0.7", "12x0.5 flat", "20x0.4 flat"))


def test_litz_by_finite_elements():
    """The window with its bundles as laid, fine strands in the primary too: copper loss at the fundamental within a tenth of the closed
    figure (thick strands beside a few thick turns see their uneven field: 17 % low at 0.2 mm)."""
    *_, (_, _, found) = field_steps(big(**{"transformer.wire_np": "60x0.14"}))
    elements, closed = (float(np.sum(x)) for x in found.losses)
    assert elements == pytest.approx(closed, rel=0.10)


def test_the_maker_reads_what_to_order(design):
    """The sheet names strands, litz and the insulation over all of them with the diameter it comes to."""
    from rhevectra.drawing.sheet import sheet_of

    part = next(p for p in sheet_of(design).parts if p.winding == "secondary 1")
    strands, mm = (part.wire.split(" litz")[0].split(" × "))
    count, diameter = int(strands), float(mm.removesuffix(" mm"))
    over = 1e3 * float(winding.bundle_ratio(count)) * float(np.interp(diameter, SIZES["litz"][0] * 1e3, SIZES["litz"][1])) + 0.2
    assert f"triple-insulated over all of them to {over:.3g} mm" in part.wire and count > 7


@pytest.mark.parametrize(("topology", "volts", "amps"), [("llc_full", 48.0, 30.0), ("push_pull", 12.0, 15.0), ("full_bridge", 24.0, 20.0)])
def test_both_halves_of_a_tap_are_wound_with_one_wire(topology, volts, amps):
    """Whatever each would take by itself where it lies: nobody winds a tapped output with two wires."""
    mains = Mains(kind="dc", v_min=24.0, v_max=36.0) if topology == "push_pull" else Mains(kind="dc", v_min=380.0, v_max=410.0)
    d = size(Requirement(mains=mains, outputs=(Output(voltage=volts, current_max=amps),)),
             {"topology": topology, "secondary.kind": "centre_tap"}, noise=False)
    plan = d.context["plan"]
    laid = {w.name: x.at((plan.choice.core, plan.choice.candidate))
            for w, x in zip(plan.need.windings, plan.choice.trial.laid, strict=True)}
    assert "ns1b" in laid and (laid["ns1"].strands, laid["ns1"].diameter, laid["ns1"].tall) == (laid["ns1b"].strands, laid["ns1b"].diameter,
        laid["ns1b"].tall)
