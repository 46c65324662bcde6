"""The map of a rectifier's snubber: its cells by integration, against whole designs with those values, and picking in the window."""

import random

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from rhevectra import demo
from rhevectra.core.design.size import size
from rhevectra.core.design.snubber_map import RATIOS, RESISTORS, snubber_map, table
from rhevectra.drawing.pictures import pictures_of
from rhevectra.drawing.snubber_map import snubber_picture
from rhevectra.project.codec import decode
from rhevectra.ui.pictures.canvas import PX_PER_MM
from test_snubbing import crest


def test_cells_by_integration():
    """Twenty random cells against the same ring integrated step by step (second algorithm): within 1 %, sudden edges and slow ones."""
    rng = random.Random(7)
    for _ in range(20):
        k, j, edge = rng.randrange(len(RATIOS)), rng.randrange(len(RESISTORS)), rng.choice([0.0, 0.3, 0.51, 1.1])
        assert table(edge)[k, j] == pytest.approx(crest(float(RATIOS[k]), float(RESISTORS[j]), edge), rel=0.01), (k, j, edge)


@pytest.mark.parametrize(("r", "c"), [(47.0, 1e-9), (100.0, 470e-12), (22.0, 2.2e-9)])
def test_the_map_tells_what_a_design_with_these_values_gives(demo_design, r, c):
    """From the map of the design without a snubber: crest of the ring within 1 % (its step hardly moves), loss within 4.5 % (at the
    greatest line the core is empty a tenth of a microsecond before the next pulse: what the snubber takes moves the phase of the ring in
    which the switch turns on, 450 to 467 V); the present values are marked where there are some."""
    m = snubber_map(demo_design)
    same = {**demo_design.pins,
            **{id: demo_design.rows[id].value for id in ("transformer.core", "transformer.np", "transformer.ns1", "transformer.naux")},
            "rectifier.snubber": "rc"}  # what it takes may tip the choice of turns
    d = size(demo_design.requirement, {**same, "rectifier1.snubber_r": r, "rectifier1.snubber_c": c}, noise=False)
    at = np.unravel_index(np.argmin(np.abs(np.log(m.c / c))[:, None] + np.abs(np.log(m.r / r))[None, :]), m.peak.shape)
    near = {"rectifier1.snubber_r": float(m.r[at[1]]), "rectifier1.snubber_c": float(m.c[at[0]])}
    on = size(demo_design.requirement, {**same, **near}, noise=False)
    step = float(np.max(on.rows["rectifier1.v_step"].value))
    assert float(m.peak[at]) == pytest.approx(step * float(on.value("rectifier1.ring_crest")), rel=0.01)
    assert float(m.loss[at]) == pytest.approx(float(on.value("rectifier1.snubber_loss")), rel=0.045)
    assert m.now is None and snubber_map(d).now == (r, c)


def test_what_moves_what_is_computed(demo_design):
    """Numbers of the sentences from whole designs: half and twice the resistor."""
    pins = {**demo_design.pins, "rectifier.snubber": "rc", "rectifier1.snubber_c": 1e-9}
    made = {r: size(demo_design.requirement, {**pins, "rectifier1.snubber_r": r}, noise=False) for r in (23.5, 47.0, 94.0)}
    peak = {r: float(np.max(d.rows["rectifier1.v_step"].value)) * float(d.value("rectifier1.ring_crest")) for r, d in made.items()}
    told = snubber_map(made[47.0]).sentences[0]
    half, twice = (float(told.split(word)[1].split(" V")[0]) for word in ("half the resistor", "twice the resistor"))
    assert half == pytest.approx(peak[23.5] - peak[47.0], abs=0.7) and twice == pytest.approx(peak[94.0] - peak[47.0], abs=0.7)


def test_a_point_is_picked_in_the_window(qtbot, window):
    """A click chooses snubber, resistor and capacitor as one edit; one undo brings the bare rectifier back; the picture keeps inside its
    page."""
    desk, view = window.size_desk, window.size_desk.picture.view
    desk.choose_stage("rectifier")
    tabs = desk.picture.tabs
    tabs.setCurrentIndex(next(k for k in range(tabs.count()) if tabs.tabText(k) == "Snubber"))
    point = QPoint(round(0.5 * view.width()), round(0.25 * view.height()))
    values, text = view.picture().pick(point.x() / PX_PER_MM, point.y() / PX_PER_MM)
    assert "Ω" in text and "W" in text and values["rectifier.snubber"] == "rc"
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=point)
    rows = window.session.design.rows
    assert {k: rows[k].value for k in values} == values
    picture = snubber_picture(window.session.design, window.session.design.grid.find(85.0), 120.0, 100.0, None)
    assert any(getattr(item, "role", "") == "accent" for item in picture.items) and picture.pick(1.0, 1.0) is None
    window.undo()
    assert "rectifier1.snubber_r" not in window.session.design.rows


@pytest.mark.parametrize("topology", ["forward_2sw", "push_pull"])
def test_the_map_of_a_step_down_stage(topology):
    """The design's own snubber lies on the map where its rows are: crest within 1 %, loss within 3 %, and the mark is at its values; the
    phase-shifted bridge, which has a clamp, offers no map."""
    doc = decode(demo.text("ringing-lab-bench"), "x")
    d = size(doc.requirement, {"topology": topology, "rectifier.snubber": "rc"}, noise=False)
    m = snubber_map(d)
    assert m.now == (float(d.rows["rectifier1.snubber_r"].value), float(d.rows["rectifier1.snubber_c"].value))
    at = np.unravel_index(np.argmin(np.abs(np.log(m.c / m.now[1]))[:, None] + np.abs(np.log(m.r / m.now[0]))[None, :]), m.peak.shape)
    near = size(doc.requirement,
                {"topology": topology, "rectifier.snubber": "rc", "rectifier1.snubber_r": float(m.r[at[1]]),
                 "rectifier1.snubber_c": float(m.c[at[0]])}, noise=False)
    assert float(m.peak[at]) == pytest.approx(
        float(np.max(near.rows["rectifier1.v_step"].value)) * float(near.value("rectifier1.ring_crest")), rel=0.01)
    assert float(m.loss[at]) == pytest.approx(float(near.value("rectifier1.snubber_loss")), rel=0.03)
    assert ("snubber" in pictures_of(d, "rectifier")
            and "snubber" not in pictures_of(size(doc.requirement, {"topology": "psfb"}, noise=False), "rectifier"))
