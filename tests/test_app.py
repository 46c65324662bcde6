"""Services without a window: changes between designs, session history, settings, autosave, palette order, listings, and the sheet behind
them."""

import json
import random
from dataclasses import replace

import numpy as np
import pytest
from msgspec import structs

from requirements import random_requirements
from rhevectra import demo
from rhevectra.app import autosave, settings, summary
from rhevectra.app.changes import changes, difference
from rhevectra.app.changes import summary as moved
from rhevectra.app.session import RECENT, Session
from rhevectra.app.stages import plates
from rhevectra.cli import main
from rhevectra.core.basis.corners import FULL, LIGHT, PEAKS, SHORT, Grid, Point, pick
from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.sheet import Quick, Sheet
from rhevectra.core.design.design import figure_at, margin_of
from rhevectra.core.design.relax import STEPS, relaxations
from rhevectra.core.design.size import size
from rhevectra.core.formulas import flyback, output
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode, encode
from rhevectra.project.document import Document


@pytest.fixture
def session():
    return Session.of_text(demo.text(), "demo")


def test_changes_name_every_figure_that_moved_and_none_that_did_not(demo_document, demo_design):
    faster = size(demo_document.requirement, {"fs": 100e3})
    found = {c.id: c for c in changes(demo_design, faster)}
    for id in demo_design.figure_ids:
        a, b = demo_design.figure(id).value, faster.figure(id).value
        differs = a != b if isinstance(a, str) else abs(b - a) > 5e-4 * abs(a)
        assert (id in found) == differs, id
    assert found["switch.frequency"].old == "65.0 kHz" and found["switch.frequency"].new == "100 kHz"
    assert found["switch.frequency"].relative == pytest.approx(35 / 65)
    assert changes(demo_design, demo_design) == []
    assert "→" in moved(demo_design, faster) and moved(demo_design, demo_design) == ""
    assert difference(demo_design.figure("switch.frequency"), faster.figure("switch.frequency")) == "+35 kHz"
    slow, quick = demo_design.figure("efficiency"), faster.figure("efficiency")
    assert difference(slow, quick).startswith("−" if quick.value < slow.value else "+") and difference(slow, quick)[1:] == difference(quick,
        slow)[1:]


def test_a_figure_at_another_corner_is_its_row_there(demo_design):
    """And a figure of one load or case says nothing where it is not judged."""
    c = demo_design.grid.find(230.0, 0.5)
    for id in demo_design.figure_ids:
        f = figure_at(demo_design, demo_design.figure(id), c)
        row = demo_design.rows[id]
        if f.spec.domain.special and not f.spec.domain.mask(demo_design.grid)[c.index]:
            assert f.value == "–" or isinstance(row.value, str)
        elif not isinstance(row.value, str):
            assert f.value == row.at(c.index)
            if f.margin is not None:
                assert f.margin == margin_of(f.value, f.limit, f.limit_kind)


@pytest.mark.parametrize(("name", "topologies"), [("logger-rack", ("flyback", "half_bridge")), ("radar-rotator", TOPOLOGIES),
                                                  ("frost-fans", ("llc_three_phase", "psfb"))],
                         ids=lambda x: x if isinstance(x, str) else "")
def test_every_loss_is_counted_on_the_plate_of_its_stage(name, topologies):
    """The plates' watts add up to all that is burnt, and nothing of it is left to the load."""
    need = decode(demo.text(name), "demo").requirement
    for topology in topologies:
        d = size(need, {"topology": topology}, noise=False)
        *path, load = plates(d)
        worst = d.figure("loss.total").corner
        assert sum(p.watts for p in path) == pytest.approx(float(d.rows["loss.total"].at(worst.index)))
        assert load.stage == "load" and load.watts == 0.0


def test_energy_path_watts_add_up_to_the_total_loss(demo_design):
    path = plates(demo_design)
    total = np.broadcast_to(demo_design.rows["loss.total"].value, demo_design.grid.shape)[FULL.mask(demo_design.grid)].max()
    assert sum(p.watts for p in path) == pytest.approx(float(total), rel=1e-9)
    for p in path:
        margins = [f.margin for f in demo_design.figures(p.stage) if f.margin is not None]
        assert p.margin == (min(margins) if margins else None)


def test_history_names_edits_and_a_refused_edit_leaves_no_trace(session):
    session.pin("fs", 80e3)
    assert session.past[-1].name == "Switching frequency 65.0 kHz → 80.0 kHz" and session.changed and session.before is not None
    with pytest.raises(InputError, match="fs"):
        session.pin("fs", 5.0)
    assert len(session.past) == 1 and float(session.design.rows["fs"].value) == 80e3
    session.measure("transformer.leakage", Measured(9e-6))
    assert "9.00 µH" in session.past[-1].name
    session.free("fs")
    assert session.past[-1].name == "Switching frequency follows its rule"
    names = [session.undo(), session.undo(), session.undo(), session.undo()]
    assert names[-1] is None and structs.replace(session.document,
                                                 # the log of the reading stays
                                                 log=()) == session.saved and session.changed and session.before is None
    assert session.redo() == "Switching frequency 65.0 kHz → 80.0 kHz"


def test_what_is_taken_back_stands_at_once_and_is_what_would_be_designed(session, monkeypatch):
    """Undo, redo and a value tried before give the very design of then; another catalogue, reading or requirement, or one of long ago, is
    designed anew."""
    made = []
    monkeypatch.setattr("rhevectra.core.design.size.size", lambda *given: made.append(given) or size(*given))
    first = session.design
    session.pin("fs", 80e3)
    second = session.design
    assert session.undo() and session.design is first and session.redo() and session.design is second and len(made) == 1
    session.measure("transformer.leakage", Measured(9e-6))
    session.measure("transformer.leakage", Measured(12e-6))
    assert len(made) == 3 and float(session.design.rows["transformer.leakage"].value) == 12e-6
    session.require(replace(session.document.requirement, hold_up=0.02))
    session.catalogue = structs.replace(session.catalogue)
    session.undo()
    assert len(made) == 5 and session.design.rows["clamp.v"].value.tobytes() == size(session.document.requirement,
        session.document.decisions, session.document.as_built).rows["clamp.v"].value.tobytes()
    for k in range(RECENT):
        session.pin("fs", 81e3 + k)
    session.decide("back", {})
    assert len(made) == 6 + RECENT


def test_every_document_is_told_to_whoever_keeps_it(session):
    kept = []
    session.on_change = kept.append
    session.pin("clamp.c", 22e-9)
    session.undo()
    session.redo()
    assert [d.decisions.get("clamp.c") for d in kept] == [22e-9, None, 22e-9]


def test_settings_survive_nonsense_on_disk(tmp_path):
    file = settings._file()
    file.parent.mkdir(parents=True, exist_ok=True)
    for text in ("", "[]", '{"theme": 5, "recent": "x"}', "{"):
        file.write_text(text, encoding="utf-8")
        assert settings.read() == settings.DEFAULTS
    paths = [tmp_path / f"{k}.rhevectra.json" for k in range(12)]
    for p in paths:
        p.write_text("{}", encoding="utf-8")
        assert settings.remember(p) == ""
    assert settings.recent() == [p.resolve() for p in reversed(paths[-settings.RECENT :])]
    settings.remember(paths[-3])
    assert settings.recent()[0] == paths[-3].resolve() and len(settings.recent()) == settings.RECENT


def test_autosave_of_a_running_program_is_not_offered_and_leftovers_are_passed_over(session):
    keep = autosave.Autosave()
    assert keep.write(session.document, None) == "" and autosave.found() == []
    (autosave._folder() / "bad.json").write_text("{", encoding="utf-8")
    (autosave._folder() / "foreign.json").write_text('{"format": "x"}', encoding="utf-8")
    assert autosave.found() == []
    keep.clear()
    assert not list(autosave._folder().glob(f"{__import__('os').getpid()}-*.json"))


def test_random_requirements_survive_the_file(demo_document):
    """300 random documents written and read back are equal, and their text is stable."""
    for k, need in enumerate(random_requirements(17, 300, (1, 150), any_mains=True)):
        document = Document(f"supply {k}", need, {"fs": 70e3 + k}, {"transformer.leakage": Measured(1e-6 * (1 + k % 9), 1e-7, "shorted")})
        text = encode(document)
        again = decode(text, "x")
        assert again.requirement == need and again.decisions == document.decisions and again.as_built == document.as_built
        stable = encode(again)  # whole numbers have become numbers with a point by now
        assert encode(decode(stable, "x")) == stable and json.loads(text)["format"] == "rhevectra-project"


def test_relaxations_report_progress_and_settle_each_core(demo_design):
    cores = [r.split(":")[0] for r in demo_design.rows["transformer.core"].refused[:2]]
    steps = list(relaxations(demo_design, cores))
    done = [d for d, _, _ in steps]
    assert done == sorted(done) and steps[-1][0] == steps[-1][1] == len(cores) * len(STEPS)
    told = [t for _, _, t in steps if t]
    assert len(told) == 2 and all(c in t for c, t in zip(cores, told, strict=True))


def test_listing_prints_every_figure_with_its_word(demo_file, capsys, demo_design):
    assert main(["size", str(demo_file)]) == 0
    out = capsys.readouterr().out
    assert all(id in out for id in demo_design.figure_ids)
    line = next(x for x in out.splitlines() if x.startswith("switch.v_peak"))
    assert f"{demo_design.value('switch.v_peak'):.1f}" in line and "≤" in line and "tight" in line and "current limit" in line
    data = summary.as_json(demo_design, 0.01)
    assert json.loads(json.dumps(data, allow_nan=False))["figures"][0]["id"] == demo_design.figure_ids[0]


def test_the_sheet_lets_a_reading_win_and_keeps_the_estimate():
    sheet = Sheet({"a": Measured(5.0, None, "meter")})
    row = sheet("a", output.output_power, v=2.0, i=3.0)
    assert row.value == 5.0 and row.origin == "measured" and row.estimate.value == 6.0
    total = sheet.total("t", "W", "sum", one=row, two=sheet.given("b", 1.5, "W"))
    assert total.value == 6.5 and set(total.inputs) == {"one", "two"}
    mask = np.array([True, False])
    either = sheet.either("e", mask, sheet.given("y", np.array([1.0, 1.0]), "A"), sheet.given("n", np.array([9.0, 9.0]), "A"))
    assert either.value.tolist() == [1.0, 9.0] and either.at((0,)) == 1.0
    assert Quick()("a", output.output_power, v=2.0, i=3.0) == 6.0


def test_grid_domains_and_corners():
    grid = Grid((85.0, 230.0), (47.0, 63.0), (Point("run", 0.1, (0.1,)), Point("run", 1.0, (1.0,)), Point("limit", 1.0, (1.0,))))
    assert FULL.mask(grid).sum() == 2 * 2 * 2 and LIGHT.mask(grid)[:, :, 0].all() and not LIGHT.mask(grid)[:, :, 1:].any()
    assert PEAKS.mask(grid).all() and (SHORT.mask(grid) == grid.where(lambda p: p.case == "limit")).all() and SHORT.case == "short"
    assert grid.find(200.0, 0.1).v_line == 230.0 and grid.find(85.0, case="limit").case == "limit"
    values = np.arange(4.0).reshape(2, 1, 1, 2)
    assert pick(values, (1, 1, 2, 1)) == 3.0 and pick(np.float64(7.0), (1, 1, 2, 1)) == 7.0


def test_ripple_choice_and_stored_energy():
    """Common practice, no source: 30 % to 66 % ripple cuts the stored energy by about 40 %; at the chosen ripple the peak is the valley's
    mid current plus half its ripple."""
    inputs = {"power": 60.0, "v_bus": 92.0, "duty": 0.5}

    def energy(k: float) -> float:
        return flyback.stored_energy(flyback.primary_inductance(ripple_ratio=k, fs=65e3, **inputs),
                                     flyback.peak_of_ripple(ripple_ratio=k, **inputs))
    assert 1 - energy(0.66) / energy(0.30) == pytest.approx(0.40, abs=0.02)
    t = np.linspace(0, 1, 200_001)
    mid = 60 / (92 * 0.5)
    wave = np.where(t < 0.5, mid * (1 + 0.8 * (t / 0.5 - 0.5)), 0.0)
    assert flyback.rms_of_ripple(ripple_ratio=0.8, **inputs) == pytest.approx(float(np.sqrt(np.trapezoid(wave**2, t))), rel=1e-4)
    assert flyback.peak_of_ripple(ripple_ratio=0.8, **inputs) == pytest.approx(wave.max(), rel=1e-4)


@pytest.mark.parametrize("k", [0.4, 2.0, 2.3])
def test_ripple_of_a_filter_inductor_within_and_beyond_the_boundary(k):
    """A triangle of slope k drawn by hand: mean 1 A by construction; crest and rms by sampling. Beyond a ratio of 2 it rests between its
    pulses."""
    from rhevectra.core.topologies.common.views import ripple_crest, ripple_rms

    t, duty = np.linspace(0, 1, 400_001), 0.4
    length = min(1.0, np.sqrt(2 / k))  # share of the period the current flows
    rise, fall = k / duty, k / (1 - duty)
    shape = np.where(t < duty * length, rise * t, np.maximum(rise * duty * length - fall * (t - duty * length), 0.0))
    wave = shape + (1 - np.trapezoid(shape, t) if length == 1 else 0.0)
    assert np.trapezoid(wave, t) == pytest.approx(1.0, rel=1e-3)
    assert (ripple_crest(1.0, np.array(k)) == pytest.approx(wave.max(), rel=1e-3)
            and ripple_rms(1.0, np.array(k)) == pytest.approx(np.sqrt(np.trapezoid(wave**2, t)), rel=1e-3))


def test_one_more_output_never_leaves_a_row_behind():
    """Going from one to three outputs and back through the session: figures follow, nothing of the third output stays."""
    session, rng = Session.of_text(demo.text(), "demo"), random.Random(2)
    need = session.document.requirement
    from rhevectra.core.basis.requirement import Output

    more = replace(need,
                   outputs=(*need.outputs, Output(voltage=12.0, current_max=0.2, tolerance=0.15),
                            Output(voltage=-5.0, current_max=rng.uniform(0.05, 0.2), tolerance=0.25)))
    session.require(more)
    assert "output3.ripple_pp" in session.design.rows and "transformer.ns3" in session.design.rows
    session.undo()
    assert not any(id.startswith(("output2", "output3", "rectifier3")) for id in session.design.rows)
