"""The gap bench: from a reading to a spacer or to what is ground off, against common practice and reluctances worked out by hand."""

import numpy as np
import pytest
from PySide6.QtCore import Qt

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.effective import effective, leg_area
from rhevectra.core.magnetics.gapping import GappedCore, Reading, advise, fit, gapped_core, inductance
from rhevectra.ui.views.gap_bench import GapBench

ROW = shipped()["cores"].row("E20/10/6")
EFF = effective([ROW])
CORE = GappedCore(float(EFF.area_post[0]), leg_area(ROW), float(EFF.area[0]), float(EFF.length[0]), 2300.0, 2 * ROW["d_m"], 170.0)
READ = Reading(0.9e-3, 0.0, 1870e-6)


def test_a_ground_core_brought_down_with_tape_or_by_grinding():
    """Common practice, no source: 170 turns on a 20 mm E core with 0.9 mm read 1870 µH; 1530 to 1490 µH take 0.10 to 0.12 mm under all legs
    or 0.30 to 0.34 mm off the post; 0.07 to 0.08 mm is the naive estimate."""
    aims = [advise(CORE, [READ], x) for x in np.linspace(1490e-6, 1530e-6, 9)]
    assert aims[4].spacer == pytest.approx(0.11e-3, abs=0.01e-3)
    assert aims[4].grind == pytest.approx(0.32e-3, abs=0.02e-3)
    assert aims[4].naive == pytest.approx(0.075e-3, abs=0.005e-3)
    assert all(a.naive < a.spacer < a.grind for a in aims)


def by_hand(gap, spacer, spread):
    """Reluctances of centre gap, outer gaps and ferrite in series, the spread of each gap's field by 1 + s·g/√A·ln(2w/g)."""
    mu0 = 4e-7 * np.pi
    total = CORE.length / (mu0 * CORE.mu * CORE.area)
    for g, area, all_of in ((gap + spacer, CORE.area_post, CORE.area_post), (spacer, CORE.area_leg, 2 * CORE.area_leg)):
        if g > 0:
            total += g / (mu0 * all_of * (1 + spread * g / np.sqrt(area) * np.log(2 * CORE.window / g)))
    return CORE.turns**2 / total


@pytest.mark.parametrize(("gap", "spacer"), [(0.0, 0.0), (0.9e-3, 0.0), (0.9e-3, 0.11e-3), (0.0, 0.3e-3)])
def test_inductance_by_reluctances_in_series(gap, spacer):
    assert float(inductance(CORE, gap, spacer, 0.9)) == pytest.approx(by_hand(gap, spacer, 0.9), rel=2e-3)


def test_several_readings_find_the_gap_that_is_really_there():
    """Readings made up from a gap 25 µm longer than told and a spread of 0.93: three of them find both back, and the step from the last is
    that of the true core."""
    states = [(0.9e-3, 0.0), (0.9e-3, 0.06e-3), (0.9e-3, 0.2e-3)]
    readings = [Reading(g, s, by_hand(g + 25e-6, s, 0.93)) for g, s in states]
    found = fit(CORE, readings)
    assert max(abs(r) for r in found.residuals) < 2e-3
    target = by_hand(0.925e-3, 0.3e-3, 0.93)
    assert advise(CORE, readings, target).spacer == pytest.approx(0.1e-3, abs=4e-6)
    half = advise(CORE, readings, target).half_spacer
    assert half == pytest.approx(by_hand(0.925e-3, 0.25e-3, 0.93), rel=3e-3)


def test_too_little_inductance_takes_the_spacer_out_again_or_says_it_cannot():
    low = Reading(0.9e-3, 0.11e-3, 1500e-6)
    back = advise(CORE, [low], 1600e-6)
    assert back.grind is None and back.spacer is not None and -0.11e-3 < back.spacer < 0
    assert advise(CORE, [READ], 2500e-6).spacer is None
    for bad in (Reading(0.9e-3, 0.0, 1.0), Reading(0.9e-3, 0.0, -1e-6), Reading(-1e-3, 0.0, 1e-3), Reading(0.02, 0.0, 1e-3)):
        with pytest.raises(InputError, match="not possible"):
            fit(CORE, [bad])
    with pytest.raises(InputError, match="target"):
        advise(CORE, [READ], 0.0)


def test_the_bench_in_the_window(qtbot, window):
    """Fields by keyboard: a bare length is in mm; a reading gives both ways; nonsense says one sentence and keeps what stands."""
    window.go("Wind")
    desk = window.wind_desk
    desk.tabs.setCurrentIndex(1)
    bench = desk.gap
    assert bench.fields["target"].text().endswith("H") and "Clamp the core" in bench.words.text()
    lp = float(window.session.design.value("transformer.lp"))
    bench.fields["gap"].setText("1.0")
    bench.fields["reading"].setText(f"{1.1 * lp * 1e6:.0f}u")
    qtbot.keyClick(bench.fields["reading"], Qt.Key.Key_Return)
    assert bench.readings == [Reading(1.0e-3, 0.0, pytest.approx(1.1 * lp, rel=1e-2))] and bench.view.isVisible()
    words = bench.words.text()
    assert words.startswith("Put") and "Or grind" in words and "layers of 25.0 µm" in words and "sized for" in words
    target = advise_target(bench)
    assert bench.view.picture().frames and target == pytest.approx(lp, rel=1e-3)
    bench.fields["reading"].setText("nonsense")
    bench.take.click()
    assert "Inductance read" in bench.words.text() and "\n" not in bench.words.text() and len(bench.readings) == 1
    bench.drop.click()
    assert not bench.readings and not bench.view.isVisible()
    window.session.pin("topology", "forward_2sw")
    window.show_all()
    assert "no gap" in bench.words.text() and not bench.isEnabled()


def advise_target(bench):
    return bench.form.number("target")


def test_every_gapped_transformer_finds_its_wanted_inductance(qtbot, styled):
    need = Requirement(mains=Mains(kind="ac1", v_min=195.0, v_max=264.0), outputs=(Output(voltage=24.0, current_max=4.0),),
                       harmonics_class="none")
    bench = GapBench()
    qtbot.addWidget(bench)
    for topology, id in (("flyback", "transformer.lp"), ("flyback_2sw", "transformer.lp"), ("llc_half", "llc.lm"), ("psfb", "")):
        d = size(need, {"topology": topology}, noise=False)
        bench.show_design(d)
        assert bench.isEnabled() == bool(id)
        if id:
            assert advise_target(bench) == pytest.approx(float(np.max(d.rows[id].value)), rel=1e-3)
            assert float(inductance(gapped_core(d), float(np.max(d.rows["transformer.gap"].value)), 0.0)) == pytest.approx(
                float(np.max(d.rows[id].value)), rel=0.02)
