"""What a range of the input costs: against volt-seconds and the turns they ask for, against the design itself, and the picture in the
window."""

import numpy as np
import pytest

from balances import check_read_out
from rhevectra import demo
from rhevectra.core.design.input_range import MEASURES, range_steps, said
from rhevectra.core.design.size import size
from rhevectra.project.codec import decode

DOC = decode(demo.text("ringing-lab-bench"), "bench")
TURNS, CURRENT, REVERSE, ENERGY, COPPER = range(5)


@pytest.fixture(scope="module", params=["forward_2sw", "full_bridge"])
def swept(request):
    d = size(DOC.requirement, {**DOC.decisions, "topology": request.param})
    steps = list(range_steps(d, None))
    assert [k for k, _, _ in steps] == list(range(1, len(steps) + 1))
    return d, steps[-1][2]


def test_turns_follow_the_least_bus(swept):
    """Volt-seconds: at the same largest duty the turns ratio times the range is constant, but for whole turns and the drops (a twelfth);
    what the rectifier blocks is the top of the bus over the turns, with its allowance."""
    d, r = swept
    assert r.values[TURNS] * r.ratio == pytest.approx(np.full(len(r.ratio), float(np.median(r.values[TURNS] * r.ratio))), rel=0.085)
    pair = {"forward_2sw": 1.0, "full_bridge": 2.0}[d.topology]  # both halves of a centre tap
    assert r.values[REVERSE] == pytest.approx((1 + float(d.value("rectifier.ringing"))) * pair * r.top / r.values[TURNS], rel=0.04)


def test_narrowing_lowers_current_stress_and_energy(swept):
    """Common practice, no source: all fall with the range; at three to one the rectifier blocks several times the output, at one to one
    little more than twice (of a centre tap) plus the ring."""
    _, r = swept
    for k in (CURRENT, REVERSE):
        assert np.all(np.diff(r.values[k]) > 0)
    assert r.values[ENERGY][0] < r.values[ENERGY][-1] and r.values[COPPER][0] < r.values[COPPER][-1]
    assert r.values[REVERSE][-1] > 2.3 * r.values[REVERSE][0]


def test_the_present_range_is_the_design_itself(swept):
    """Behind a dc bus with the design's own ends the turns are its own within a turn, the reverse voltage within 6 %."""
    d, r = swept
    here = int(np.abs(r.ratio - r.present).argmin())
    assert r.ratio[here] == pytest.approx(r.present, rel=1e-3)
    assert r.values[TURNS][here] == pytest.approx(float(d.value("transformer.np")) / float(d.value("transformer.ns1")), rel=0.07)
    assert r.values[REVERSE][here] == pytest.approx(float(d.value("rectifier1.v_reverse")), rel=0.06)


def test_the_sentence_tells_the_figures():
    ratio, values = np.array([1.03, 1.5, 2.0]), tuple(np.array([1.0, 2.0, 3.0]) * (k + 1) for k in range(len(MEASURES)))
    text = said(ratio, values, np.array([True, True, True]), 2.0)
    assert "from 2.00 : 1 to 1.03 : 1" in text and "turns ratio 3.00 → 1.00" in text and "rectifier reverse voltage 9.00 V → 3.00 V" in text
    assert "not feasible" in said(ratio, values, np.array([True, True, False]), 2.0) and "narrow already" in said(ratio, values,
        np.array([True, True, True]), 1.02)
    assert "to 1.50 : 1" in said(ratio, values, np.array([False, True, True]), 2.0)


@pytest.mark.parametrize("name", demo.NAMES)
def test_every_demo_can_be_asked(name):
    """No figure is missing in any topology of the demos, none is not a number."""
    doc = decode(demo.text(name), name)
    r = list(range_steps(size(doc.requirement, doc.decisions), None))[-1][2]
    assert len(r.ratio) >= 6 and all(np.all(np.isfinite(v)) and np.all(v > 0) for v in r.values) and np.all(
        (r.feasible) | np.array([bool(w) for w in r.why]))


def test_the_picture_comes_from_the_worker(window, qtbot):
    desk = window.size_desk
    desk.choose_stage("switch")
    tabs = desk.picture.tabs
    tabs.setCurrentIndex(next(k for k in range(tabs.count()) if tabs.tabText(k) == "Input range"))
    qtbot.waitUntil(lambda: desk.picture.late["range"].found is not None, timeout=60000)
    picture = desk.picture.view.picture
    check_read_out(picture() if callable(picture) else picture)
    texts = " ".join(i.text for i in (picture() if callable(picture) else picture).items if hasattr(i, "text"))
    assert "turns ratio" in texts and "now" in texts
    window.session.pin("topology", "buck_aux")
    window.show_all()
    assert "Input range" not in [tabs.tabText(k) for k in range(tabs.count())]
