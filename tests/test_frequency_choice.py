"""What the switching frequency costs: each point against the design of that frequency, losses against their own sum and scaling, the
picture in the window and a click in it."""

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from balances import check_read_out
from rhevectra import demo
from rhevectra.core.design.frequency_choice import FREQUENCIES, GROUPS, FrequencyChoice, frequency_steps
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode
from rhevectra.ui.pictures.canvas import PX_PER_MM

NAMES = {"frost-fans": ("llc_half", "psfb"), "camera-hide": ("flyback", "flyback_qr", "buck_aux"),
         "ringing-lab-bench": ("forward_2sw", "half_bridge")}


def swept(name, topology, **pins):
    document = decode(demo.text(name), name)
    d = size(document.requirement, {"topology": topology, **pins})
    steps = list(frequency_steps(d, None))
    assert [k for k, _, _ in steps] == list(range(1, len(steps) + 1)) and all(found is None for _, _, found in steps[:-1])
    return document, d, steps[-1][2]


@pytest.mark.parametrize(("name", "topology"), [(n, t) for n, ts in NAMES.items() for t in ts])
def test_every_point_is_the_design_of_its_frequency(name, topology):
    """Sized by itself: the same loss and verdict; the volume of a flyback is that of its transformer; groups leave only losses the
    frequency hardly moves."""
    document, _, r = swept(name, topology)
    for k in (0, len(r.frequency) - 1):
        alone = size(document.requirement, {"topology": topology, "fs": float(r.frequency[k])}, noise=False)
        assert (r.total[k] == pytest.approx(alone.most("loss.total")) and r.feasible[k] == alone.feasible
                and (not r.why[k]) == alone.feasible)
        if "transformer.volume" in alone.rows and topology.startswith("flyback"):  # the only core there is
            assert r.volume[k] == pytest.approx(float(alone.rows["transformer.volume"].value))
    rest = r.total - r.losses.sum(0)
    assert np.all(r.losses >= 0) and np.all(rest > 0)


def test_switching_loss_grows_and_wound_parts_shrink():
    """Common practice, no source: from 40 to 260 kHz edges and charges of a flyback's switch cost more, the core becomes smaller; neither
    end need be the best."""
    _, _, r = swept("camera-hide", "flyback")
    switches, wound, _ = r.losses
    assert switches[-1] > switches[0] and wound[-1] < wound[0] and r.volume[-1] < 0.6 * r.volume[0]


def test_other_pins_stay():
    """A pinned core stays what it is at every frequency; the present frequency is one of the points."""
    _, _, r = swept("camera-hide", "flyback", **{"transformer.core": "E32/16/11", "fs": 70e3})
    assert set(r.core) == {"E32/16/11"} and r.frequency[r.here] == 70e3 and len(r.frequency) == len(FREQUENCIES) + 1


def test_the_sentence_tells_the_figures():
    f, ones = np.array([50e3, 100e3, 200e3]), np.ones((len(GROUPS), 3))
    told = lambda total, volume, able, now: FrequencyChoice(f, ones, np.array(total), np.array(volume), ("a", "b", "c"),  # noqa: E731
                                                            np.array(able), ("", "", ""), now).sentence
    all_three = told([9.0, 8.0, 10.0], [3e-6, 2e-6, 1e-6], [True] * 3, 50e3)
    assert ("now 50.0 kHz with 9.00 W lost and 3.00 cm³" in all_three and "least loss: 100 kHz with 8.00 W" in all_three
            and "smallest cores: 200 kHz" in all_three)
    assert "the least of these" in told([9.0, 8.0, 10.0], [3e-6, 2e-6, 1e-6], [True] * 3, 100e3)
    assert "smallest cores: 100 kHz" in told([7.0, 8.0, 10.0], [3e-6, 2e-6, 1e-6], [True, True, False], 50e3)
    assert "none of these" in told([9.0, 8.0, 10.0], [3e-6, 2e-6, 1e-6], [False] * 3, 50e3)


@pytest.mark.parametrize("topology", [*list(TOPOLOGIES)[::2], "flyback_qr"])
def test_topologies_can_be_asked(topology):
    """Numbers at every frequency its decision allows, and why where it cannot be built."""
    _, d, r = swept("ringing-lab-bench", topology)
    spec = d.decision_specs["fs"]
    assert np.all(np.isfinite(r.losses)) and np.all(r.total > 0) and np.all(r.feasible | np.array([bool(w) for w in r.why]))
    assert spec.low <= r.frequency[0] and r.frequency[-1] <= spec.high and len(r.frequency) >= 7


def test_the_picture_comes_from_the_worker_and_a_click_takes_a_frequency(window, qtbot):
    desk = window.size_desk
    desk.choose_stage("switch")
    desk.picture.choose("sweep")
    qtbot.waitUntil(lambda: desk.picture.late["sweep"].found is not None, timeout=60000)
    picture = desk.picture.view.picture
    picture = picture() if callable(picture) else picture
    check_read_out(picture)
    texts = " ".join(i.text for i in picture.items if hasattr(i, "text"))
    assert "all cores" in texts and "switches, now" in texts and "now 65.0 kHz" in texts
    spot = next(s for s in picture.spots if s.name == "100000")
    at = QPointF((spot.left + spot.width / 2) * PX_PER_MM, (spot.top + spot.height / 2) * PX_PER_MM).toPoint()
    QTest.mouseClick(desk.picture.view, Qt.MouseButton.LeftButton, pos=at)
    assert window.session.document.decisions["fs"] == 100e3
