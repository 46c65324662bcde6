"""Random designs with random decisions, and random hands on the window: nothing raises, nothing is left out of step. Seeded, invented
data."""

import random
import warnings

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox

from balances import check_drawn, check_finite
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.working import explain
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.sheet import has_sheet, pages

AC = ((85.0, 265.0), (195.0, 265.0), (100.0, 264.0), (90.0, 132.0))
DC = ((360.0, 400.0), (36.0, 75.0), (18.0, 36.0), (200.0, 400.0), (380.0, 395.0))


def any_need(rng):
    """Mains or a dc bus, 3.3 to 100 V, 6 W to 1 kW."""
    kind, (low, high) = rng.choice([("ac1", pair) for pair in AC] + [("dc", pair) for pair in DC])
    volts, power = rng.choice([3.3, 5.0, 12.0, 24.0, 48.0, 100.0]), 10 ** rng.uniform(0.8, 3.0)
    return Requirement(mains=Mains(kind=kind, v_min=low, v_max=high), outputs=(Output(voltage=volts, current_max=power / volts),),
                       insulation=rng.choice(["basic", "reinforced", "functional"]), efficiency_target=0.8)


def any_pins(rng, design, count):
    """Some decisions of a design changed: another option or row of the catalogue, or a value from 0.6 to 1.6 of the present one within its
    range."""
    pins = {}
    for id in rng.sample(sorted(set(design.decision_specs) - {"topology"}), count):
        spec, row = design.decision_specs[id], design.rows.get(id)
        if row is None:
            continue
        if spec.kind == "choice":
            options = spec.options or (design.catalogue[spec.table].names if spec.table else ())
            pins |= {id: rng.choice(list(options))} if options else {}
        elif not isinstance(row.value, str):
            value = min(max(float(row.value) * rng.uniform(0.6, 1.6), spec.low), spec.high)
            pins[id] = round(value) if spec.kind == "integer" else value
    return pins


@pytest.mark.parametrize("topology", TOPOLOGIES)
def test_any_decisions_give_a_design_or_one_sentence(topology):
    """Two random requirements, each with five random decisions, warnings as errors: finite rows, a working for figures, every picture and
    the winding sheet; what is refused says where and what is accepted, in one line."""
    rng = random.Random(f"wild {topology}")
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        for _ in range(2):
            need = any_need(rng)
            first = size(need, {"topology": topology}, noise=False)
            try:
                d = size(need, {"topology": topology, **any_pins(rng, first, 5)})
            except InputError as refused:
                assert refused.accepted and "\n" not in str(refused)
                continue
            check_finite(d)
            assert all(np.isfinite(f.value) for f in d.figures() if not isinstance(f.value, str))
            for figure in rng.sample(sorted(d.specs), 4):
                if figure in d.rows:
                    assert explain(d.rows[figure], d.figure(figure).corner.index if d.figure(figure).corner else None).source
            check_drawn(d, d.grid.find(d.grid.lines[0]))
            if has_sheet(d):
                assert len(pages(d, "wild")) >= 2


def in_step(window):
    """What is on screen is the document's: figures as designed anew from it, the ledger's texts those of the present design."""
    document, shown = window.session.document, window.session.design
    fresh = size(document.requirement, document.decisions, document.as_built, shown.catalogue)
    assert set(fresh.rows) == set(shown.rows)
    for id, row in fresh.rows.items():
        mine = shown.rows[id].value
        assert mine == row.value if isinstance(row.value, str) else np.allclose(np.asarray(mine, float), np.asarray(row.value, float),
            rtol=1e-9, atol=0), id
    for row in window.size_desk.decisions.rows.values():
        assert row.spec.id in shown.decision_specs


@pytest.mark.parametrize(("seed", "patience"), [(1, 60_000), (2, 0)])
def test_random_hands_on_the_window(qtbot, window, seed, patience):
    """Keys on decisions, stages, pictures, undo and redo, pins, desks, held designs and worst corners in any order, once with changes that
    are waited for and once in the background: no exception reaches the window, and at the end everything is in step."""
    window.changing.patience = patience
    rng, desk = random.Random(seed), window.size_desk

    def decide():
        row = rng.choice(list(desk.decisions.rows.values()) or [None])
        if row is None or row.spec.id == "front_end":
            return
        for _ in range(1 if isinstance(row.editor, QComboBox) else rng.choice([1, 1, 3])):
            QTest.keyClick(row.editor, rng.choice([Qt.Key.Key_Up, Qt.Key.Key_Down]))

    def look():
        tabs = desk.picture.tabs
        tabs.setCurrentIndex(rng.randrange(max(tabs.count(), 1)))

    hands = (decide, decide, decide, decide, lambda: desk.choose_stage(rng.choice(list(desk.path.buttons))), look, look, window.undo,
             window.redo, lambda: [
                 row.pin.click() for row in rng.sample(list(desk.decisions.rows.values()), min(1, len(desk.decisions.rows)))],
             lambda: window.go(rng.choice(["Ask", "Size", "Wind", "File", "Size"])), window.hold, window.worst_corner, window.cancel_job,
             lambda: qtbot.wait(20))
    try:
        with qtbot.captureExceptions() as raised:
            for _ in range(50):
                rng.choice(hands)()
                qtbot.wait(1)
            window.changing.settle()
            qtbot.wait(20)
    finally:
        window.changing.settle()
    assert not raised
    in_step(window)


@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "half_bridge", "psfb", "llc_full"])
def test_any_core_may_be_forced(topology):
    """The smallest cores of the catalogue for 600 W with basic insulation, whose margins leave no width on some of them: refused by number
    and cure, the smallest drawn all the same (thousands of turns), every figure finite."""
    need = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=5, current_max=120),), insulation="basic")
    cores = shipped()["cores"].derived(windows)
    for place, k in enumerate(np.argsort(cores.effective.volume)[:9:4]):
        d = size(need, {"topology": topology, "transformer.core": cores.names[k]})
        check_finite(d)
        assert any(f.severity == "must fix" and f.cure == "transformer.core" and cores.names[k] in f.text for f in d.findings)
        if place == 0:
            check_drawn(d, d.grid.find(d.grid.lines[0]))
