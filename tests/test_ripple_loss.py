"""The same supply over its ripple ratio: against whole designs, against resistance by wire length, in the window."""

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.core.basis.corners import FULL
from rhevectra.core.design.ripple_loss import decision_of, losses, ripple_steps
from rhevectra.core.design.size import size
from rhevectra.core.formulas import copper
from rhevectra.core.magnetics.candidate import resistance_loss
from rhevectra.drawing.display import Text
from rhevectra.drawing.ripple import ripple_picture
from rhevectra.project.codec import decode


def made(name, **pins):
    document = decode(demo.text(name), "demo")
    return size(document.requirement, {**document.decisions, **pins})


@pytest.mark.parametrize(("name", "id"), [("camera-hide", "flyback.ripple_ratio"), ("ringing-lab-bench", "filter1.ripple_ratio")])
def test_every_ratio_is_a_design_of_its_own(name, id):
    """Each point is what a person sees who pins that ratio; the losses sum to what the sheet lists for the part."""
    d = made(name)
    steps = list(ripple_steps(d, None))
    found = steps[-1][2]
    assert decision_of(d) == id and [s[0] for s in steps] == list(range(1, len(steps) + 1)) and all(s[2] is None for s in steps[:-1])
    for k in (1, len(found.ratio) - 1):
        again = made(name, **{id: float(found.ratio[k])})
        total = np.broadcast_to(again.rows["loss.total"].value, again.grid.shape)[FULL.mask(again.grid)].max()
        assert found.total[k] == pytest.approx(total, rel=1e-9) and found.feasible[k] == again.feasible
        listed = "filter1.loss_copper" if "filter1" in id else "transformer.loss_copper"
        most = np.broadcast_to(again.rows[listed].value, again.grid.shape)[FULL.mask(again.grid)].max()
        assert found.losses[:2, k].sum() == pytest.approx(most, rel=0.01)  # each at its own worst corner
    assert found.ratio[np.abs(found.ratio - found.present).argmin()] == found.present
    best = np.where(found.feasible, found.total, np.inf).argmin()
    assert found.sentence.endswith("least of these") or f"{found.ratio[best]:.2g} would lose" in found.sentence


def test_resistance_by_the_length_of_the_wire():
    """A wire laid turn by turn in its layers, at the density of its copper: the resistance of a transformer's windings without eddies,
    which every winding's whole loss exceeds."""
    d = made("camera-hide")
    plan = d.context["plan"]
    at, trial = (plan.choice.core, plan.choice.candidate), plan.choice.trial
    found = resistance_loss(plan.need, trial, at, 100.0)
    for k, w in enumerate(plan.need.windings):
        one, length = trial.laid[k].at(at), 0.0
        for section in (s for s in trial.sections if s.winding == k):
            depth = float(np.broadcast_to(section.depth, trial.fill.shape)[at])
            length += section.share * float(trial.turns[k][at]) * (float(plan.window.base_turn[at[0]]) + 2 * np.pi * depth)
        area = one.strands * np.pi / 4 * one.diameter**2
        assert found[k] == pytest.approx(w.i_rms**2 * 2.267e-8 * length / area,
                                         rel=2e-3), w.name  # copper at 100 °C, from memory of IEC 60028
    assert losses(d)[1] > 0 and float(copper.resistivity(100.0)) == pytest.approx(2.267e-8, rel=1e-3)


def test_the_picture_waits_and_then_tells(qtbot, window):
    d = window.session.design
    waiting = [t.text for t in ripple_picture(d, None, 120, 110).items if isinstance(t, Text)]
    assert any("designed for other ratios" in t for t in waiting)
    window.go("Size")
    desk = window.size_desk
    desk.choose_stage("switch")
    desk.picture.choose("ripple")
    qtbot.waitUntil(lambda: desk.picture.late["ripple"].found is not None, timeout=60000)
    picture = desk.picture.view.picture
    said = [t.text for t in (picture() if callable(picture) else picture).items if isinstance(t, Text)]
    assert any(t.startswith("whole supply: 0.8 loses") for t in said) and any(t.startswith("eddies") for t in said)
