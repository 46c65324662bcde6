"""Transformers in pieces: what one piece is asked for against the whole, the circuit with the pieces drawn out, merged legs, words and
picture."""

import time

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.core.design.size import size
from rhevectra.core.magnetics import legs, matrix
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common.winding import wires
from rhevectra.drawing.matrix import matrix_picture
from rhevectra.drawing.pictures import PICTURES, pictures_of

NEED = Requirement(mains=Mains(kind="dc", v_min=360, v_max=400), outputs=(Output(voltage=5.0, current_max=140.0),), cooling="forced")


@pytest.fixture(scope="module")
def heavy():
    return size(NEED, {"topology": "llc_half", "transformer.pieces": 1})


def pieces_of(design):
    cores = design.catalogue["cores"]
    return list(matrix.matrix_steps(design.context["plan"], cores.derived(windows), wires(design.catalogue), cores, None))


@pytest.fixture(scope="module")
def pieces(heavy):
    steps = pieces_of(heavy)
    assert [s[:2] for s in steps] == [(k, 6) for k in range(1, 7)] and all(s[2] is None for s in steps[:-1])
    return steps[-1][2]


def test_primaries_in_series_and_secondaries_in_parallel_share_evenly():
    """Three transformers of 4:1 drawn out in a netlist against one of 12:1 (engine): same output, same primary current, a third of the
    secondary current and of the primary voltage in each. What `share_of` asks of one."""
    models = ".model d D(IS=8.8e-27 N=0.52 RS=10m)\n.end\n"
    drive = "Rp s a 0.2\nVs s 0 PULSE(-60 60 0 10n 10n 4.99u 10u)\n"

    def piece(n, top, foot, ratio, r):
        return (f"L{n} {top} {foot} 600u\nE{n} x{n} 0 {top} {foot} {1 / ratio}\nV{n} x{n} y{n} DC 0\nF{n} {top} {foot} V{n} "
                f"{1 / ratio}\nRs{n} y{n} z{n} {r}\nDp{n} z{n} out d\n")
    one = "one\n" + drive + piece(1, "a", "0", 12.0, 0.005).replace("600u", "1800u") + "C1 out 0 100u IC=4\nR1 out 0 1\n" + models
    three = ("three\n" + drive + piece(1, "a", "b", 4.0, 0.035) + piece(2, "b", "c", 4.0, 0.035) + piece(3, "c", "0", 4.0, 0.035)
             + "Rb b 0 100meg\nRc c 0 100meg\nC1 out 0 100u IC=4\nR1 out 0 1\n" + models)
    whole, parts = (Measures(steady(read(text), 10e-6)) for text in (one, three))
    # copper and rectifier of a piece have three times the resistance: the copper is shared out, not added to
    assert parts.measure("n", "out").avg == pytest.approx(whole.measure("n", "out").avg, rel=0.03)
    assert parts.measure("i", "vs").rms == pytest.approx(whole.measure("i", "vs").rms, rel=0.04)
    for n in (1, 2, 3):
        assert parts.measure("i", f"v{n}").rms == pytest.approx(whole.measure("i", "v1").rms / 3, rel=0.04)
        assert (parts.measure("v", f"l{n}").max - parts.measure("v", f"l{n}").min) == pytest.approx(120 / 3, rel=0.02)


def test_one_piece_is_asked_for_its_share(heavy):
    need = heavy.context["plan"].need
    third = matrix.share_of(need, 3)
    assert (third.ratio == pytest.approx(need.ratio / 3) and third.flux_limit == pytest.approx(need.flux_limit / 3)
            and third.lp == pytest.approx(need.lp / 3))
    assert (third.windings[0].i_rms == need.windings[0].i_rms and third.windings[1].i_rms == pytest.approx(need.windings[1].i_rms / 3)
            and third.windings[-1].i_rms == need.windings[-1].i_rms)
    assert np.allclose(third.windings[1].harmonics * 3, need.windings[1].harmonics) and np.allclose(third.swing * 3, need.swing)
    back = matrix.share_of(third, 1)
    assert back.pieces == 1 and back.lp == pytest.approx(need.lp) and back.windings[1].i_rms == pytest.approx(need.windings[1].i_rms)


def test_what_splitting_buys_at_140_amperes(heavy, pieces):
    """One is refused, several pass; flux by volt-seconds over turns and area stays below what the material allows; volume and losses add
    up; words name the best."""
    assert pieces[0].refused and not any(p.refused for p in pieces[1:])
    need, cores = heavy.context["plan"].need, heavy.catalogue["cores"].derived(windows)
    for p in pieces[1:]:
        k = cores.names.index(p.core)
        area = min(cores.effective.area[k], cores.effective.area_min[k])
        assert need.flux_limit / p.count / (p.turns[0] * area) <= need.b_max * (1 + 1e-9)
        assert p.volume == pytest.approx(p.count * cores.effective.volume[k]) and p.i_secondary == pytest.approx(
            need.windings[1].i_rms / p.count)
        assert p.turns[0] / p.turns[1] * p.count == pytest.approx(need.ratio, rel=0.15)
    best = min(pieces[1:], key=lambda p: p.loss)
    words = matrix.said(pieces)
    assert words.startswith(f"{best.count} × {best.core} lose") and "one would be refused" in words
    assert ("Merged" in words) == (best.merged is not None)
    for p in pieces[1:]:
        area = cores.effective.area_min[cores.names.index(p.core)]
        assert p.b_peak == pytest.approx(
            need.flux_limit / p.count / (p.turns[0] * min(area, cores.effective.area[cores.names.index(p.core)])))


def test_merged_legs_leave_what_geometry_says(heavy):
    """Of E30/15/7 (30.0 × 15.0 × 7.2, window to 19.5, 9.7 deep; handbook, from memory) each outer leg is about a seventh of the core; a
    closed shape has none to share."""
    table = heavy.catalogue["cores"]
    win, row = table.derived(windows), table.row("E30/15/7")
    volume = float(win.effective.volume[win.names.index("E30/15/7")])
    leg = (30.0 - 19.5) / 2 * 7.2 * 2 * 9.7 * 1e-9
    for n in (2, 4):
        assert matrix.merged_share(row, volume, n) == pytest.approx(1 - 2 * (n - 1) / n * leg / volume, rel=0.03)
    assert matrix.merged_share(row, volume, 1) is None and matrix.merged_share(table.row("RM8"), 1e-6, 3) is None


def test_the_picture_and_its_speed(demo_design, heavy, pieces):
    """Refused pieces are told as such, the best stands out; a small flyback needs one; the whole of it takes well under a second; a buck
    has no transformer to split."""
    p = matrix_picture(heavy, pieces, 150.0, 130.0)
    words = [x.text for x in p.items if hasattr(x, "text")]
    assert words.count("refused") == 1 and all(any(f"{x.count} × {x.core}" == w for w in words) for x in pieces)
    assert PICTURES["split"][1](heavy, heavy.grid.find(360.0), 150.0, 130.0, None).items and "split" in pictures_of(heavy, "transformer")
    start = time.perf_counter()
    small = pieces_of(demo_design)[-1][2]
    assert time.perf_counter() - start < 5.0 and matrix.said(small).startswith("One transformer is enough")
    buck = size(Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12.0, current_max=0.3),),
                            insulation="functional"), {"topology": "buck_aux"})
    assert "split" not in pictures_of(buck, "transformer")


def test_flux_of_shared_legs():
    """Posts of sine flux by their phasors (second route): three at 120° leave shared legs with half, two wound against each other leave
    none, alike the whole; triangles leave a third of their own at three times the frequency around one leg."""
    t = np.linspace(0.0, 1.0, 1801)
    sine = legs.shifted(t, np.sin(2 * np.pi * t), 1.0, 3)
    phasors = np.exp(-2j * np.pi * np.arange(3) / 3)
    row = legs.in_a_row(sine)
    for k, want in enumerate(
            (0.5 * abs(phasors[0]), 0.5 * abs(phasors[0] + phasors[1]), 0.5 * abs(phasors[1] + phasors[2]), 0.5 * abs(phasors[2]))):
        assert np.abs(row[k]).max() == pytest.approx(want, rel=1e-3)
    assert np.abs(legs.around_one(sine)).max() < 1e-4
    assert np.abs(legs.in_a_row(legs.turned(sine, [1]))[1]).max() == pytest.approx(0.5 * abs(phasors[0] - phasors[1]), rel=1e-3)
    one = np.stack([sine[0], sine[0]])
    assert (np.abs(legs.in_a_row(one)[1]).max() == pytest.approx(1.0, rel=1e-3)
            and np.abs(legs.in_a_row(legs.turned(one, [1]))[1]).max() < 1e-9)
    triangle = legs.shifted(t, 1 - 4 * np.abs(t - 0.5), 1.0, 3)
    closing = legs.around_one(triangle)
    assert np.abs(closing).max() == pytest.approx(1 / 3, rel=1e-3) and np.allclose(closing, np.interp((t + 1 / 3) % 1.0, t, closing),
        atol=2e-3)
    assert np.allclose(legs.in_a_row(triangle).sum(0), triangle.sum(0))  # no flux is lost


def test_legs_of_the_three_phase_stage():
    """Slope of a post's flux times its turns is the reflected output while a rectifier conducts; its peak is the figure's flux density; the
    picture names every leg, and no other stage offers it."""
    d = size(Requirement(mains=Mains(kind="dc", v_min=360, v_max=400), outputs=(Output(voltage=48.0, current_max=40.0),), cooling="forced"),
             {"topology": "llc_three_phase", "transformer.core": "ETD44/22/15"})  # a shape whose legs can be shared
    c = d.grid.find(360.0)
    found = TOPOLOGIES["llc_three_phase"].legs_view(d, c)
    assert found.posts.shape[0] == 3 and found.row.shape[0] == 4
    volts = float(d.value("transformer.np")) * np.gradient(found.posts[0], found.t)
    assert (np.percentile(np.abs(volts), 95)
            == pytest.approx(
                float(d.rows["load.v_main"].at(c.index)) * float(d.value("transformer.np")) / float(d.value("transformer.ns1")), rel=0.1))
    assert found.largest / float(d.rows["transformer.area"].value) == pytest.approx(
        float(np.asarray(d.rows["transformer.b_ac"].at(c.index))), rel=0.05)
    assert 0.2 < found.share(found.middle) < 0.45 and 0.25 < found.shared < 0.75 and 0 < found.saved < 1 - found.shared
    p = PICTURES["legs"][1](d, c, 150.0, 120.0, None)
    words = " ".join(x.text for x in p.items if hasattr(x, "text"))
    assert ("shared" in words and "polarity" in words and "legs" in pictures_of(d, "transformer")
            and {"phase 1 [µWb]", "all three [µWb]"} <= set(p.data))
    assert "legs" not in pictures_of(size(NEED, {"topology": "llc_half"}, noise=False), "transformer")
