"""Windings of board copper: the field of tracks by finite elements and closed limits, designs with them, the board's page and what is
refused."""

import itertools

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from balances import check_balance, check_drawn
from rhevectra import demo
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.design.size import size
from rhevectra.core.magnetics import wire
from rhevectra.core.magnetics.board import evenly, vias
from rhevectra.core.magnetics.board_copper import field_of, tracks_of
from rhevectra.core.magnetics.candidate import exact_copper
from rhevectra.core.magnetics.field import Window
from rhevectra.core.magnetics.mesh import Conductor
from rhevectra.core.magnetics.track_field import Track, TrackField
from rhevectra.core.magnetics.window_field import field_steps
from rhevectra.core.topologies.common.board_sheet import INWARDS, OUTWARDS, board_layers, board_notes
from rhevectra.core.topologies.common.making import as_text, complaints, from_text, winding_sheet
from rhevectra.drawing.pictures import pictures_of
from rhevectra.drawing.sheet import pages
from rhevectra.project.codec import decode
from rhevectra.ui.pictures.canvas import PX_PER_MM

MU0, RHO = 4e-7 * np.pi, 2.2e-8
ACROSS, ALONG, THICK = 10e-3, 6e-3, 70e-6


def made(name="radar-rotator", topology="psfb", **pins):
    return size(decode(demo.text(name), "demo").requirement, {"topology": topology, "transformer.construction": "board", **pins})


def sheet(winding, turn, y):
    """A track over nearly the whole window: the field is that of one dimension."""
    return Track(winding, turn, y, 1e-6, ACROSS - 1e-6)


def test_leakage_of_sheets_is_the_distance_between_them():
    field = TrackField([sheet(0, 0, 1e-3), sheet(1, 0, 1.6e-3)], ACROSS, ALONG, THICK)
    assert field.leakage([1.0, 1.0], 0.05).pair(0, 1) == pytest.approx(MU0 * 0.6e-3 / ACROSS * 0.05, rel=1e-3)
    double = TrackField([sheet(0, 0, 1e-3), sheet(0, 1, 1.3e-3), sheet(1, 0, 2e-3)], ACROSS, ALONG, THICK)
    assert double.leakage([2.0, 1.0], 0.05).pair(0, 1) == pytest.approx(MU0 / ACROSS * 0.05 * (0.3e-3 + 4 * 0.7e-3),
        rel=1e-3)  # one ampere in each turn: one between the turns, two to the other winding


@pytest.mark.parametrize("f", [20e3, 150e3, 1e6])
def test_layers_in_parallel_share_as_their_loop_lets_them(f):
    """Two sheets in parallel over a return: the far one's current by the mesh of both, R·i_1 = (R + jω·µ₀·d/w)·i_2, in one dimension."""
    d = 0.25e-3
    field = TrackField([sheet(1, 0, 1e-3), sheet(0, 0, 1.5e-3), sheet(0, 0, 1.5e-3 + d)], ACROSS, ALONG, THICK)
    amps = field.responses(RHO, f) @ np.array([1.0, -1.0])
    near, far = (amps[field.winding.repeat(8) == 0].reshape(2, 8).sum(1))
    r = RHO / (THICK * (ACROSS - 2e-6))
    assert far / near == pytest.approx(r / (r + 2j * np.pi * f * MU0 * d / ACROSS), rel=5e-3)
    assert near + far == pytest.approx(1.0, rel=1e-9)


@pytest.mark.parametrize(("name", "topology", "pins"),
                         [("radar-rotator", "psfb", {}),
                          ("radar-rotator", "full_bridge", {"fs": 200e3, "transformer.arrangement": "interleaved"}),
                          ("ringing-lab-bench", "forward_2sw", {"transformer.arrangement": "interleaved"})])
def test_designed_boards_by_finite_elements(name, topology, pins):
    """Leakage within 5 %, copper loss of every winding at the fundamental within 6 %, currents crowding to the edges of the tracks; one
    turn to a layer or more, none in parallel."""
    d = made(name, topology, **pins)
    assert all(int(x.at((d.context["plan"].choice.core, d.context["plan"].choice.candidate)).strands) == 1
               for x in d.context["plan"].choice.trial.laid)
    found = list(field_steps(d))[-1][2]
    assert found.leakage[1] == pytest.approx(found.leakage[0], rel=0.05)
    assert found.losses[1][:-1] == pytest.approx(found.losses[0][:-1], rel=0.06)


@pytest.mark.parametrize(("name", "topology", "pins"),
                         [("radar-rotator", "psfb", {}), ("radar-rotator", "half_bridge", {"fs": 150e3}),
                          ("ringing-lab-bench", "forward_2sw", {}), ("ringing-lab-bench", "push_pull", {})])
def test_designs_on_boards(name, topology, pins):
    """Feasible, in balance, drawn; the layers add up to the turns and alternate; no more of them than a board has; the sheet agrees with
    itself and has its page."""
    d = made(name, topology, **pins)
    assert d.feasible, [f.text for f in d.findings if f.severity == MUST_FIX]
    check_balance(d, front=("bridge", "thermistor", "mains_filter", "bulk", "x_discharge", "start_up"))
    check_drawn(d, d.grid.find(d.grid.lines[0]))
    plan, layers = d.context["plan"], list(board_layers(d))
    at = (plan.choice.core, plan.choice.candidate)
    assert plan.window.bare[at[0]] and len(layers) == int(d.rows["board.layers"].value) <= 16
    turns = {"primary": float(plan.choice.trial.turns[0][at]) * plan.need.halves, "secondary 1": float(plan.choice.trial.turns[1][at])}
    for k, (winding, whole) in enumerate(turns.items()):
        own = [x for x in layers if x.winding == winding]
        parallel = int(plan.choice.trial.laid[k].at(at).strands)
        assert sum(x.turns for x in own) == whole * parallel
        assert [x.way for x in own][::parallel][:2] == [INWARDS, OUTWARDS][: len(own) // parallel][:2]
    thick = sum(x.above for x in layers) + len(layers) * plan.need.board.copper
    assert float(d.rows["board.thickness"].value) == pytest.approx(thick, abs=0.2e-3) and thick < float(plan.window.window[at[0]])
    s = winding_sheet(d)
    assert not complaints(s) and from_text(as_text(s)) and "layers, tracks and laminate" in " ".join(s.notes)
    assert any("layer" in t.text for t in pages(d, "x")[2].items if hasattr(t, "text"))
    assert d.value("inlet.c_interwinding") > 0 if "inlet.c_interwinding" in d.rows else True


def test_tracks_keep_their_distances():
    """No two tracks of a layer nearer than the spacing, none nearer to the core than the edge, all over the whole room."""
    d = made()
    plan = d.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    board, across = plan.need.board, float(plan.window.across[at[0]])
    tracks = tracks_of(plan.need, plan.choice.trial, at, plan.window)
    for y in {t.y for t in tracks}:
        own = sorted((t for t in tracks if t.y == y), key=lambda t: t.begin)
        narrow = own[0].winding == len(plan.need.windings) - 1
        assert ((own[0].begin >= board.edge - 1e-9 if narrow else own[0].begin == pytest.approx(board.edge))
                and own[-1].end <= across - board.edge + 1e-9)
        assert all(b.begin - a.end == pytest.approx(board.spacing, abs=1e-9) for a, b in itertools.pairwise(own))


def test_a_board_of_less_laminate_leaks_less_and_couples_more():
    thin, thick = (made(**{"board.barrier": 0.2e-3, "transformer.core": "E43/10/28"}),
                   made(**{"board.barrier": 1.0e-3, "transformer.core": "E43/10/28", "board.layers_most": 16}))
    assert float(thin.rows["transformer.leakage"].value) < float(thick.rows["transformer.leakage"].value)


GAP, EDGE = 0.5e-3, 0.8e-3


def _row(winding, y, begin, end, count=2):
    """Tracks of one layer side by side, each a turn of its own."""
    pitch = (end - begin + 0.2e-3) / count
    return [Track(winding, 10 * round(1e6 * y) + k, y, begin + k * pitch, begin + (k + 1) * pitch - 0.2e-3) for k in range(count)]


@pytest.mark.parametrize(("share", "f", "limit"), [(0.0, 65e3, 0.04), (0.0, 200e3, 0.06), (0.6, 200e3, 0.06), (1.0, 200e3, 0.03)])
def test_tracks_beside_a_gap_by_finite_elements(share, f, limit):
    """One winding carries an ampere in each turn, the other a share of it backwards: nothing (as in a flyback, whose windings take turns),
    some, or all. An idle winding loses more than the one that works."""
    tracks = [t for k in range(6) for t in _row(k // 3, (1.0 + 0.45 * k) * 1e-3, EDGE, ACROSS - EDGE)]
    closed = TrackField(tracks, ACROSS, ALONG, THICK, GAP).losses(np.array([[1.0], [-share]]), f, RHO)
    made = [Conductor(t.winding, 0.5 * (t.begin + t.end), t.y, (0.5 * (t.end - t.begin), 0.5 * THICK), False, True, 1,
                      float(np.sqrt(4 / np.pi * THICK * (t.end - t.begin)))) for t in tracks]
    window = Window(made, ACROSS, ALONG, GAP, RHO)
    solved = window.solve(np.array([1.0 if t.winding == 0 else -share for t in tracks]), f)
    elements = window.per_winding(solved.loss, 2)
    assert closed == pytest.approx(elements, rel=limit)
    if share == 0.0:
        assert closed[1] > closed[0]


def test_the_gap_moves_no_leakage():
    """Leakage is of ampere-turns that cancel: it does not see the gap."""
    tracks = [*_row(0, 1e-3, EDGE, ACROSS - EDGE), *_row(1, 2e-3, EDGE, ACROSS - EDGE)]
    closed, gapped = (TrackField(tracks, ACROSS, ALONG, THICK, gap).leakage([2.0, 2.0], 0.05).pair(0, 1) for gap in (0.0, GAP))
    assert gapped == pytest.approx(closed, rel=1e-6)


@pytest.mark.parametrize(("name", "topology", "pins"),
                         [("camera-hide", "flyback", {}), ("logger-rack", "flyback", {}),
                          ("radar-rotator", "llc_half", {"transformer.arrangement": "simple"}),
                          ("radar-rotator", "llc_full", {"fs": 150e3})])
def test_designed_boards_behind_a_gap(name, topology, pins):
    """Flybacks and resonant stages on boards: feasible, in balance, drawn, within the rise that is allowed; by finite elements leakage
    within 5 %, copper of every winding that carries current within 10 %."""
    d = made(name, topology, **pins)
    assert d.feasible, [f.text for f in d.findings if f.severity == MUST_FIX]
    check_balance(d, front=("bridge", "thermistor", "mains_filter", "bulk", "x_discharge", "start_up"))
    check_drawn(d, d.grid.find(d.grid.lines[0]))
    assert float(np.max(d.rows["transformer.gap"].value)) > 0 and float(d.rows["transformer.rise_limit"].value) == float(
        d.rows["transformer.rise_max"].value)
    assert not complaints(winding_sheet(d))
    found = list(field_steps(d))[-1][2]
    assert found.leakage[1] == pytest.approx(found.leakage[0], rel=0.05)
    assert found.losses[1][:-1] == pytest.approx(found.losses[0][:-1], rel=0.10)


def test_an_auxiliary_winding_has_narrow_tracks_far_from_the_post():
    """It carries milliamps; as wide as the others it would burn a hundred times as much in the field of the gap."""
    d = made("camera-hide", "flyback")
    plan = d.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    tracks = [t for t in tracks_of(plan.need, plan.choice.trial, at, plan.window) if t.winding == len(plan.need.windings) - 1]
    assert all(t.end - t.begin == pytest.approx(0.3e-3) and t.begin > 0.5 * float(plan.window.across[at[0]]) for t in tracks)
    board, across, along = plan.need.board, float(plan.window.across[at[0]]), float(plan.window.window[at[0]])
    field, half = field_of(plan.need, plan.choice.trial, at, plan.window), 0.5 * across
    ends = [(board.edge, half - 0.5 * board.spacing), (half + 0.5 * board.spacing, across - board.edge)]
    spread = [t if t.winding != tracks[0].winding else Track(t.winding, t.turn, t.y, *ends[t.turn % 2]) for t in field.tracks]
    flows = np.array([w.harmonics for w in plan.need.windings])
    wide = TrackField(spread, across, along, board.copper, float(plan.choice.trial.gap[at]))
    assert field.losses(flows, plan.need.fs, RHO)[-1] < 0.01 * wide.losses(flows, plan.need.fs, RHO)[-1]


def test_orders_of_layers_come_from_a_worker_and_a_click_takes_one(qtbot, window):
    """Every usual order of a board is solved in the background; the copper of the present one is that of the design; a click on another is
    an edit."""
    window._edit(lambda: window.session.pin("transformer.construction", "board"))
    desk = window.size_desk
    desk.choose_stage("transformer")
    assert "orders" not in pictures_of(window.session.design, "transformer")
    desk.picture.choose("layers")
    assert not desk.picture.view.picture().spots and len(desk.picture.view.picture().items) > 5
    qtbot.waitUntil(lambda: desk.picture.late["layers"].found is not None, timeout=20_000)
    found = {w.text: w for w in desk.picture.late["layers"].found}
    plan = window.session.design.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    own = exact_copper(plan.need, plan.choice.trial, at, plan.window, plan.need.ambient + float(plan.choice.trial.rise[at]))[0]
    assert found["split"].copper == pytest.approx(sum(own), rel=0.02) and found["interleaved"].leakage < found["simple"].leakage
    view = desk.picture.view
    spot = next(s for s in view.picture().spots if s.name == "interleaved")
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton,
                     pos=QPoint(round((spot.left + 0.5 * spot.width) * PX_PER_MM), round((spot.top + 0.5 * spot.height) * PX_PER_MM)))
    assert window.session.document.decisions["transformer.arrangement"] == "interleaved"


def test_what_does_not_suit_a_board_is_told():
    wired = made(**{"transformer.wire_np": "0.6"})
    assert any("is no track" in f.text and f.severity == MUST_FIX for f in wired.findings) and not wired.feasible
    bobbin = made(**{"transformer.core": "ETD39/20/13"})
    assert any("takes wire" in f.text and f.severity == MUST_FIX for f in bobbin.findings)
    bare = size(decode(demo.text("radar-rotator"), "demo").requirement, {"topology": "psfb", "transformer.core": "E38/8/25"})
    assert bare.rows["transformer.construction"].value == "board" and bare.rows["transformer.core"].value == "E38/8/25"
    wound = size(decode(demo.text("camera-hide"), "demo").requirement, {"transformer.core": "E38/8/25", "transformer.construction": "wire"})
    assert any("has no bobbin" in f.text for f in wound.findings)
    chambers = made(topology="llc_half", **{"llc.inductor": "leakage"})
    assert (any("chambers are wound of wire" in f.text and f.severity == MUST_FIX for f in chambers.findings)
            and "board.layers" not in chambers.rows)
    tracked = made(**{"transformer.wire_ns1": "board 1x2"})
    assert tracked.rows["transformer.wire_ns1"].value == "board 1x2"


def test_tracks_as_people_write_them():
    assert wire.read("Board 4") == "board 4" and wire.read("board 1 x 3") == "board 1x3" and wire.tracks("0.6") is None
    with pytest.raises(InputError, match="cannot be drawn"):
        wire.read("board 40")
    assert evenly(13, 4) == [4, 3, 3, 3] and evenly(4, 4) == [4] and evenly(5, 2) == [2, 2, 1]
    assert vias(4, 1, 2.0) == 6 and vias(1, 3, 4.0) == 6  # three changes of two holes each; both ends of one turn, three holes each


def test_the_page_of_the_board_tells_where_it_lies():
    """With a gap the place in the window decides the loss: told with the distance of the nearest copper, by the tracks themselves; without
    one nothing is said."""
    d = made("camera-hide", "flyback")
    plan = d.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    top = max(t.y for t in tracks_of(plan.need, plan.choice.trial, at, plan.window))
    clear = 0.5 * float(plan.window.window[at[0]]) - 0.5 * float(plan.choice.trial.gap[at]) - top
    note = board_notes(d)[0]
    assert clear > 0 and f"{clear * 1e3:.1f} mm from the gap" in note.replace(f"{clear * 1e3:.2g} mm", f"{clear * 1e3:.1f} mm")
    assert not any("gap" in n for n in board_notes(made()))
