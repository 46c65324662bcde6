"""Ampere-turns across the window: waveforms back from their harmonics, sums at the faces of the stack, what the gap and a transformer
without one leave at the post, the picture and its caption."""

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.ampere_turns import ampere_turns, waveform
from rhevectra.core.magnetics.copper_loss import phasors
from rhevectra.core.magnetics.transformer import wound
from rhevectra.drawing.pictures import PICTURES, pictures_of
from rhevectra.project.codec import decode


def of(design):
    plan = design.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    turns = [float(n[at]) for n in wound(plan.need, plan.choice.trial.turns)]
    return plan.need, turns, ampere_turns(plan.need, turns)


@pytest.mark.parametrize(("duty", "sign"), [(0.3, 1.0), (0.7, 1.0), (0.4, -1.0)])
def test_a_rectified_current_comes_back_with_its_mean(duty, sign):
    """A trapezoid pulse through its harmonics: the same current but for the highest orders, its mean with the sign of the pulse."""
    t = np.array([0.0, duty, duty + 0.01, 0.99, 1.0])
    i = sign * np.array([1.0, 2.0, 0.0, 0.0, 1.0])
    average, harmonics = phasors(t, i, 1.0, 24)
    angle = np.linspace(0.0, 2 * np.pi, 721)[:-1]
    back = waveform(abs(average), harmonics, angle)
    true = np.interp(angle / (2 * np.pi), t, i)
    assert back.mean() == pytest.approx(average, rel=1e-3) and np.sqrt(np.mean((back - true) ** 2)) < 0.12


def test_faces_of_the_stack_add_up(demo_design):
    """At the outer leg nothing, at the post all windings together; between them block by block, by the turns the sheet deals out; the
    gapped core carries the flux on when the switch opens."""
    need, turns, found = of(demo_design)
    assert np.allclose(found.faces[-1], 0.0) and np.allclose(found.faces[0], found.windings.sum(0))
    for k, block in enumerate(need.stack):
        own = 0.0 if block.shield else block.share * found.windings[block.winding]
        assert np.allclose(found.faces[k] - found.faces[k + 1], own)
    peak = float(demo_design.rows["switch.i_peak"].at(demo_design.grid.find(85.0).index))
    assert found.faces[0].max() == pytest.approx(turns[0] * peak, rel=0.05)
    post = found.faces[0]
    assert post.min() > -0.02 * post.max() and np.abs(np.diff(post)).max() < 0.06 * post.max()  # one winding takes over from the other
    for k, w in enumerate(need.windings[:2]):
        rms = np.sqrt(np.mean(found.windings[k][:-1] ** 2))
        assert rms == pytest.approx(turns[k] * w.i_rms, rel=0.05)


def test_a_core_without_a_gap_leaves_nothing_at_the_post(demo_document):
    """Forward: both windings conduct together and cancel; halves of a split primary see the field with opposite signs, which is what
    splitting is for."""
    d = size(demo_document.requirement, {"topology": "forward_2sw"}, noise=False)
    _, _, found = of(d)
    top = np.abs(found.faces).max()
    moving = found.faces[0] - found.faces[0].mean()
    assert np.abs(moving).max() < 1e-9 * top and abs(found.faces[0].mean()) < 0.02 * top
    inner, outer = found.faces[1] - found.faces[1].mean(), found.faces[2] - found.faces[2].mean()
    assert np.corrcoef(inner, outer)[0, 1] < -0.9 and found.rms()[1] == pytest.approx(found.rms()[2], rel=0.15)
    simple = of(size(demo_document.requirement, {"topology": "forward_2sw", "transformer.arrangement": "simple"}, noise=False))[2]
    assert simple.rms().max() > 1.8 * found.rms().max()


@pytest.mark.parametrize("topology", ["half_bridge", "full_bridge", "push_pull", "psfb", "llc_half", "llc_full"])
def test_the_halves_of_a_tap_take_turns(topology, demo_document):
    """The second half, from the first by shifting it in time and turning it round (second route): what its harmonics say is the same, both
    together leave no mean and no even orders to a core that is driven both ways, and copper that sees them."""
    need = decode(demo.text("ringing-lab-bench"), "demo").requirement
    d = size(need, {"topology": topology, "secondary.kind": "centre_tap"}, noise=False)
    found = of(d)[2]
    one, other = found.windings[1, :-1], found.windings[2, :-1]
    assert np.abs(other + np.roll(one, len(one) // 2)).max() < 1e-6 * np.abs(one).max()
    post, top = found.faces[0, :-1], np.abs(found.windings[0]).max()
    assert abs(post.mean()) < 0.02 * top
    even = np.abs(np.fft.rfft(post))[2:24:2].max() / len(post)
    assert even < 0.01 * top
    assert np.abs(found.faces).max() < 1.6 * top  # neither half adds to the other


def test_the_picture_tells_its_instants(demo_design, demo_document):
    """Every face a trace over the period, four different instants as profiles, the root mean square; its caption does not claim a corner;
    boards and chambers do not offer it."""
    _, _, found = of(demo_design)
    p = PICTURES["mmf"][1](demo_design, demo_design.grid.find(265.0), 150.0, 110.0, None)
    assert "mmf" in pictures_of(demo_design, "transformer") and "at the post [A]" in p.data and "rms of what changes [A]" in p.data
    assert len(found.apart(4)) == len(set(found.apart(4))) == 4 and "shown at" not in p.caption
    last = p.data["rms of what changes [A]"]
    assert last[0] == pytest.approx(found.rms()[0]) and last[-1] == pytest.approx(0.0, abs=1e-9)
    board = size(demo_document.requirement, {"transformer.construction": "board"}, noise=False)
    assert "mmf" not in pictures_of(board, "transformer")


def test_a_picture_says_itself_what_it_shows(qtbot, window):
    """The line below a picture is the picture's own caption: the corner where it is drawn for one, what it shows where it is not."""
    desk = window.size_desk
    desk.choose_stage("transformer")
    tabs = desk.picture.tabs
    tabs.setCurrentIndex(next(k for k in range(tabs.count()) if tabs.tabText(k) == "MMF"))
    desk.picture.view.picture()
    assert desk.picture.caption.toolTip().startswith("currents the core was chosen with")
    desk.choose_stage("bulk")
    desk.picture.view.picture()
    assert desk.picture.caption.toolTip() == desk.picture.view.picture().caption and desk.corner.text() in desk.picture.caption.toolTip()
