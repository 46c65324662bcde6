"""Tape and margin strips as decisions: what they do to height, leakage, capacitance and turns of a layer, and what is told where they do
not insulate."""

import re

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.compare import facing
from rhevectra.core.topologies.common.making import as_text, winding_sheet
from rhevectra.drawing.display import Text
from rhevectra.drawing.sheet import pages

MU0 = 4e-7 * np.pi


def held(design, **pins):
    """The design with its core, turns and wires held and other tape."""
    keep = {id: r.value for id, r in design.rows.items()
            if id in ("transformer.core", "transformer.np", "transformer.ns1", "transformer.naux", "transformer.lp", "transformer.wire_np",
                      "transformer.wire_ns1", "transformer.wire_naux") and id in design.decision_specs}
    return size(design.requirement, {**design.pins, **keep, "transformer.arrangement": "simple", **pins}, noise=False)


def tapes_between(design):
    """Tapes as the sheet's table lists them, over all steps, and those between layers of one winding, counted from its layers."""
    sheet = winding_sheet(design)
    return sum(s.tapes for s in sheet.steps), sum(s.layers - 1 for s in sheet.steps)


def height(design):
    """Height of the stack [m] from its fill."""
    plan = design.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    return float(plan.choice.trial.fill[at]) * float(plan.need.room(plan.window).height[plan.choice.core])


def test_thicker_tape_takes_the_height_it_has(demo_design):
    """From 55 to 80 µm the stack grows by 25 µm for every tape in the sheet's table and between layers; every figure of the winding that
    does not lie over tape stays."""
    thin, thick = held(demo_design), held(demo_design, **{"transformer.tape": 80e-6})
    listed, between = tapes_between(thin)
    assert (listed, between) == tapes_between(thick)
    assert height(thick) - height(thin) == pytest.approx(25e-6 * (listed + between), rel=0.02)
    assert thick.value("transformer.np") == thin.value("transformer.np")


def test_more_tape_at_the_barrier_leaks_by_its_own_field(demo_design):
    """The whole ampere-turns stand across the barrier: leakage grows by µ0·N²·turn/width of the added thickness (one interface), and the
    capacitance between the windings falls as the plates move apart."""
    few, many = held(demo_design, **{"transformer.barrier_tapes": 3}), held(demo_design, **{"transformer.barrier_tapes": 8})
    plan = few.context["plan"]
    win, core = plan.need.room(plan.window), plan.choice.core
    added = (MU0 * float(few.value("transformer.np")) ** 2 * float(win.turn_length(0.5 * win.height)[core])
             / float(win.path[core] - 2 * plan.need.margin) * 5 * 55e-6)
    grown = float(many.rows["transformer.leakage_geometric"].value) - float(few.rows["transformer.leakage_geometric"].value)
    assert grown == pytest.approx(added, rel=0.1)
    across = [facing(d.context["plan"].need, d.context["plan"].choice.trial,
                     (d.context["plan"].choice.core, d.context["plan"].choice.candidate), d.context["plan"].window)["distance"]
              for d in (few, many)]
    assert across[1] - across[0] == pytest.approx(0.0)  # triple-insulated wire lies over one tape, whatever stands round it
    margin = [held(demo_design, **{"insulation.school": "margin", "transformer.barrier_tapes": n}).context["plan"] for n in (3, 8)]
    plates = [facing(p.need, p.choice.trial, (p.choice.core, p.choice.candidate), p.window)["distance"] for p in margin]
    assert plates[1] - plates[0] == pytest.approx(5 * 55e-6)


def test_margins_narrow_the_layers_and_too_little_is_refused(demo_design):
    """Margin school: the strip follows creepage; a wider one leaves fewer turns in a layer, a narrower one and fewer than three tapes are
    told with the decision that cures them. With triple-insulated wire one tape is no fault."""
    usual = size(demo_design.requirement, {"insulation.school": "margin"}, noise=False)
    strip = float(usual.rows["transformer.margin"].value)
    asked = float(usual.rows["insulation.margin"].value)
    assert asked <= strip < asked + 1e-4 and strip > 2e-3 and strip * 1e4 == pytest.approx(round(strip * 1e4))
    core = {"insulation.school": "margin", "transformer.core": usual.rows["transformer.core"].value,
            "transformer.np": usual.rows["transformer.np"].value}
    wider = size(demo_design.requirement, {**core, "transformer.margin": strip + 1e-3}, noise=False)
    first = lambda d: winding_sheet(d).steps[0]  # noqa: E731
    assert first(wider).margin == pytest.approx(strip + 1e-3) and "margins of" in " ".join(winding_sheet(wider).notes)
    for pins, words in (({"transformer.margin": 1e-3}, ("margins of 1.00 mm", "transformer.margin")),
                        ({"transformer.barrier_tapes": 1}, ("tapes at the barrier: 1", "transformer.barrier_tapes"))):
        d = size(demo_design.requirement, {"insulation.school": "margin", **pins}, noise=False)
        assert not d.feasible and any(f.severity == "must fix" and words[0] in f.text and words[1] in f.cure for f in d.findings), words
    assert size(demo_design.requirement, {"transformer.barrier_tapes": 1}, noise=False).feasible


def test_the_sheet_tells_the_tape_that_was_chosen(demo_design):
    d = size(demo_design.requirement, {"transformer.tape": 70e-6, "transformer.barrier_tapes": 4}, noise=False)
    sheet = winding_sheet(d)
    assert "tapes of 70 µm" in " ".join(sheet.notes) and ", 4 between the mains side" in " ".join(sheet.notes)
    assert sheet.steps[-1].tapes == 4 and {s.tapes for s in sheet.steps} <= {1, 4}


def test_a_board_asks_for_no_tape_and_a_pin_on_it_is_told(demo_design):
    """Laminate keeps the sides of a board apart: school, margin and tapes are no decisions there; one that is pinned all the same is said
    to have no effect, and has none."""
    idle = ("insulation.school", "transformer.margin", "transformer.tape", "transformer.barrier_tapes")
    d = size(demo_design.requirement, {"topology": "flyback_2sw", "transformer.construction": "board"}, noise=False)
    assert not set(idle) & set(d.rows) and not {s.id for s, _ in d.decisions("transformer")} & set(idle) and set(idle) <= set(
        demo_design.rows)
    told = size(demo_design.requirement, {"topology": "flyback_2sw", "transformer.construction": "board", "transformer.tape": 80e-6},
                noise=False)
    (finding,) = [f for f in told.findings if f.cure == "transformer.tape"]
    assert finding.severity == "look at" and "no effect" in finding.text and [row.origin for s, row in told.decisions("transformer")
        if s.id == "transformer.tape"] == ["pinned"]  # where it can be freed
    assert all(np.array_equal(np.asarray(row.value), np.asarray(told.rows[id].value)) for id, row in d.rows.items())


@pytest.mark.parametrize("volts", [210.0, 233.0, 265.0, 277.0])
def test_no_margin_is_written_narrower_than_what_insulates(volts):
    """Between steps of the standard's table creepage is interpolated to thousandths: what stands on the sheet, in its text and in the notes
    is half of it or more, by rule and pinned."""
    need = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=volts), outputs=(Output(voltage=24, current_max=3),), insulation="basic")
    half = max(size(need, {}, noise=False).value(f"insulation.{k}") for k in ("creepage", "clearance")) / 2
    for pins in ({}, {"transformer.margin": half}):
        d = size(need, pins, noise=False)
        assert not any("margins of" in f.text for f in d.findings)
        sheet = winding_sheet(d)
        margin = sheet.steps[0].margin * 1e3
        column = [float(line.split("\t")[9].removesuffix(" mm")) for line in as_text(sheet).splitlines()[1:]]
        cells = [float(t.text.removesuffix(" mm")) for page in pages(d, "x") for t in page.items
                 if isinstance(t, Text) and re.fullmatch(r"[\d.]+ mm", t.text)]
        noted = [float(found[1]) for note in sheet.notes if (found := re.search(r"margins? (?:of|tape of) ([\d.]+) mm", note))]
        shown = [x for x in cells if margin - 1e-6 <= x < margin + 0.011]
        assert (margin >= 1e3 * half - 1e-6 and len(shown) == len(sheet.steps) and len(noted) == 2
                and min(*column, *noted) >= 1e3 * half - 1e-6)
