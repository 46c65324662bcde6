"""Exploration: even points, what nothing beats, the same whoever makes it, the command, a stand-in cluster, the desk in the window."""

import dataclasses
import json
import random
import types

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QPainter

from rhevectra import demo
from rhevectra.app.explore import explore_steps, lines
from rhevectra.cli import main
from rhevectra.core.basis.errors import InputError
from rhevectra.core.design.contest import OneByOne, entry_of
from rhevectra.core.design.size import size
from rhevectra.core.explore.explore import BEATS, NEAR, ROUNDS, explore, unbeaten
from rhevectra.core.explore.space import Axis, axes_of, pins_at, shares_of, spread, typed
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.display import Picture
from rhevectra.project.codec import decode
from rhevectra.ui.pictures.canvas import paint

DOCUMENT = decode(demo.text("camera-hide"), "demo")
COUNT = 24


@pytest.fixture(scope="module")
def design():
    return size(DOCUMENT.requirement, DOCUMENT.decisions)


@pytest.fixture(scope="module")
def axes(design):
    return axes_of(design)


@pytest.fixture(scope="module")
def made(design, axes):
    return [e for _, _, e in explore(design.requirement, {**design.pins, "topology": design.topology}, axes, COUNT)]


@pytest.mark.parametrize("count", [128, 256, 1000])
@pytest.mark.parametrize("axes", [1, 2, 3])
def test_points_fill_the_space_evenly(count, axes):
    """However many are taken and from wherever: boxes of equal size hold nearly the same number; of random points the fullest and the
    emptiest lie much further apart (mean of thirty seeds)."""
    points = spread(7, count, axes)
    each = round((count / 8) ** (1 / axes))
    held = np.histogramdd(points, bins=each, range=[(0, 1)] * axes)[0]
    chance = [np.ptp(np.histogramdd(np.random.default_rng(seed).random((count, axes)), bins=each, range=[(0, 1)] * axes)[0])
              for seed in range(30)]
    assert points.shape == (count, axes) and points.min() >= 0 and points.max() < 1 and held.min() > 0
    assert np.ptp(held) < 0.7 * np.mean(chance)
    assert np.array_equal(points[5:], spread(12, count - 5, axes))


def test_a_value_comes_back_from_its_place():
    number, choice = Axis("fs", "f", "Hz", 30e3, 120e3), Axis("transformer.arrangement", "a", options=("split", "simple", "interleaved"))
    assert number.at(0.0) == 30e3 and number.at(1.0) == 120e3 and number.at(0.5) == pytest.approx(60e3)
    assert all(number.share(number.at(s)) == pytest.approx(s, abs=0.004) for s in np.linspace(0, 1, 21)) and number.share(1e6) == 1.0
    assert ([choice.at(s) for s in (0.0, 0.4, 0.99, 1.0)] == ["split", "simple", "interleaved", "interleaved"]
            and all(choice.at(choice.share(o)) == o for o in choice.options))
    pins = pins_at((number, choice), (0.5, 0.5))
    assert shares_of((number, choice), pins) == pytest.approx([0.5, 0.5], abs=0.004)


def test_none_beats_what_is_kept_and_all_else_is_beaten(made):
    """By comparing every pair, on designs whose measures are thrown at random."""
    rng = random.Random(4)
    thrown = [replace(made[0], feasible=rng.random() < 0.8, missed=("efficiency",) * (rng.random() < 0.3),
                      **{m: rng.choice([1.0, 2.0, 3.0, 4.0]) + rng.choice([0.0, rng.random()]) for m in BEATS}) for _ in range(120)]
    kept = unbeaten(thrown)

    def beats(a, b):
        mine, other = ([getattr(e, m) for m in BEATS] for e in (a, b))
        return all(x <= y for x, y in zip(mine, other, strict=True)) and mine != other
    able = [k for k, e in enumerate(thrown) if e.feasible and not e.missed]
    wanted = {k for k in able if not any(beats(thrown[j], thrown[k]) for j in able)}
    values = lambda ks: {tuple(getattr(thrown[k], m) for m in BEATS) for k in ks}  # noqa: E731
    assert set(kept) <= wanted and values(kept) == values(wanted) and [thrown[k].loss for k in kept] == sorted(thrown[k].loss for k in kept)
    assert (unbeaten([replace(made[0], feasible=False)]) == [] and unbeaten([]) == []
            and unbeaten([replace(made[0], missed=("efficiency",))]) == [0]), "where none gives all that is asked"


@pytest.mark.parametrize("topology", TOPOLOGIES)
def test_every_topology_names_what_is_varied_around_it(topology):
    """At least three decisions with the present value inside their range; what is pinned is not varied; both ends are accepted by the
    decision."""
    need = decode(demo.text("radar-rotator" if topology.startswith("llc") else "camera-hide"), "demo").requirement
    d = size(need, {"topology": topology}, noise=False)
    found = {a.id: a for a in axes_of(d)}
    assert len(found) >= 3 and "fs" in found
    for a in found.values():
        if a.options:
            assert d.rows[a.id].value in a.options
            continue
        now = float(np.max(d.rows[a.id].value))
        assert a.low < now * 1.005 and now < a.high * 1.005
        assert all(d.decision_specs[a.id].check(end) == pytest.approx(end) for end in (a.low, a.high))
    pins = {"topology": topology, "fs": float(d.rows["fs"].value),
            **({"transformer.core": d.value("transformer.core")} if "transformer.core" in d.rows else {})}
    assert not {"fs", "transformer.rise_max"} & {a.id for a in axes_of(size(need, pins, noise=False))}


def test_a_typed_range_is_taken_or_refused_in_a_sentence(design, axes):
    by_id = {a.id: a for a in axes}
    spec = design.decision_specs["fs"]
    assert (typed(by_id["fs"], "50k-200k", spec) == replace(by_id["fs"], low=50e3, high=200e3) and typed(by_id["fs"], " ", spec) is None
            and typed(by_id["transformer.arrangement"], " , ", spec) is None)
    assert all(typed(a, a.text(), design.decision_specs[a.id]) == a for a in axes)
    order = by_id["transformer.arrangement"]
    assert typed(order, "Simple, interleaved", design.decision_specs[order.id]).options == ("simple", "interleaved")
    with pytest.raises(InputError, match="'plaited' is not known"):
        typed(order, "split, plaited", design.decision_specs[order.id])
    for wrong in ("200k-50k", "60k-60k", "fast", "-5k-10k", "1-1e12"):
        with pytest.raises(InputError) as told:
            typed(by_id["fs"], wrong, spec)
        assert "\n" not in str(told.value) and len(str(told.value)) > 20


def test_the_designs_are_those_of_their_pins(design, axes, made):
    """The first is the present one; each of the others is what `size()` makes of its decisions; all that is varied lies in its range."""
    assert len(made) == COUNT and made[0].pins == {**design.pins, "topology": design.topology}
    assert made[0].loss == pytest.approx(size(design.requirement, design.pins, noise=False).value("loss.total"))
    for k in (1, COUNT // 2, COUNT - 1):
        d = size(design.requirement, made[k].pins, noise=False)
        assert (d.feasible, float(d.value("loss.total")), float(d.value("efficiency"))) == (made[k].feasible, made[k].loss,
            made[k].efficiency)
    for e in made[1:]:
        assert all(a.low <= e.pins[a.id] <= a.high if not a.options else e.pins[a.id] in a.options for a in axes)


def test_later_rounds_look_near_what_nothing_beat(axes, made):
    """Every design of the second half lies in a box about one that none of those before its round beats, and the box gets smaller."""
    done = COUNT // 2
    for turn in range(ROUNDS):
        more = (COUNT - done) // (ROUNDS - turn)
        front = [shares_of(axes, made[k].pins) for k in unbeaten(made[:done])]
        for e in made[done : done + more]:
            here = np.array(shares_of(axes, e.pins))
            numbers = [k for k, a in enumerate(axes) if not a.options]
            assert front and min(np.abs(here - f)[numbers].max() for f in front) <= 0.5 * NEAR / 2**turn + 0.01
        done += more
    assert done == COUNT


class Shuffled(OneByOne):
    """Makes what it is asked for in an order of its own."""

    def take(self):
        self.asked.rotate(random.Random(len(self.asked)).randrange(3))
        return super().take()


def test_the_same_comes_of_it_whoever_makes_it(design, axes, made):
    """Makers that answer in another order, and two processes: the same designs."""
    pins = {**design.pins, "topology": design.topology}
    known = sorted(made, key=lambda e: str(e.pins))
    for other in (explore(design.requirement, pins, axes, COUNT, None, Shuffled(design.requirement, None)),
                  explore_steps(design.requirement, pins, axes, COUNT, workers=2)):
        steps = list(other)
        assert [(done, total) for done, total, _ in steps] == [(k + 1, COUNT) for k in range(COUNT)]
        assert sorted((e for _, _, e in steps), key=lambda e: str(e.pins)) == known


def test_nothing_varied_is_one_design(design):
    steps = list(explore(design.requirement, {"topology": design.topology}, (), 5))
    assert len(steps) == 1 and "nothing is varied" in lines([e for _, _, e in steps], (), 0.1)[0]


@pytest.fixture
def project(tmp_path):
    path = tmp_path / "p.rhevectra.json"
    path.write_text(demo.text("camera-hide"), encoding="utf-8")
    return str(path)


def test_the_command_prints_one_object_or_a_table(project, capsys):
    assert main(["explore", project, "--designs", "12", "--workers", "1", "--json"]) == 0
    out, err = capsys.readouterr()
    data = json.loads(out)
    assert len(data["designs"]) == 12 and err.count("\n") <= 1 and data["elapsed"] > 0 and {v["id"] for v in data["varied"]} >= {"fs"}
    assert (data["front"] and all(data["designs"][k]["feasible"] for k in data["front"])
            and data["designs"][0]["decisions"]["topology"] == "flyback")
    assert main(["explore", project, "--designs", "12", "--workers", "1"]) == 0
    text = capsys.readouterr().out
    assert (text.count("varied: ") == len(data["varied"])
            and len(text.splitlines()) == len(data["varied"]) + 2 + 1 + sum(k > 0 for k in data["front"]) + 2 and "12 designs in" in text)


@pytest.mark.parametrize(("words", "said"),
                         [(["--designs", "0"], "2 to 5000"), (["--designs", "many"], "--designs"), (["--workers", "0"], "1 to"),
                          (["--workers", "2", "--scheduler", "tcp://x:1"], "--workers")])
def test_wrong_words_are_one_sentence(project, capsys, words, said):
    assert main(["explore", project, *words]) == 2
    out, err = capsys.readouterr()
    assert out == "" and err.count("\n") == 1 and said in err


class StandIn(types.ModuleType):
    """A cluster of one worker in this process, under the names the real package has."""

    def __init__(self, reached=True):
        super().__init__("distributed")
        self.addresses, made = [], self

        class Client:
            def __init__(self, address, timeout):
                made.addresses.append(address)
                if not reached:
                    raise OSError("no route")

            def scatter(self, given, broadcast, hash):
                return given

            def submit(self, what, given, tried, pure):
                return what(given, tried)

            def close(self):
                made.addresses.append("closed")

        class AsCompleted(list):
            def __init__(self, with_results):
                super().__init__()

            def add(self, future):
                self.append(future)

            def __next__(self):
                return None, self.pop()
        self.Client, self.as_completed = Client, AsCompleted


def test_a_cluster_makes_the_same(monkeypatch, project, capsys, design, axes, made):
    """A stand-in for the scheduler: the same designs; one that cannot be reached and a package that is missing are one sentence each."""
    import importlib

    real, stand = importlib.import_module, StandIn()
    monkeypatch.setattr(importlib, "import_module", lambda name, *a: stand if name == "distributed" else real(name, *a))
    found = [e for _, _, e in explore_steps(design.requirement, {**design.pins, "topology": design.topology}, axes, COUNT,
                                            scheduler="tcp://there:8786")]
    assert sorted(found, key=lambda e: str(e.pins)) == sorted(made, key=lambda e: str(e.pins)) and stand.addresses == ["tcp://there:8786",
        "closed"]

    def missing(name, *a):
        if name == "distributed":
            raise ImportError(name)
        return real(name, *a)
    for way, said in ((lambda name, *a: StandIn(False) if name == "distributed" else real(name, *a), "cannot be reached"),
                      (missing, "not installed")):
        monkeypatch.setattr(importlib, "import_module", way)
        assert main(["explore", project, "--designs", "4", "--scheduler", "tcp://there:1"]) == 2
        out, err = capsys.readouterr()
        assert out == "" and err.count("\n") == 1 and said in err


def test_the_desk_makes_brushes_and_goes_on_with_a_design(qtbot, window):
    """Keys and mouse in the real window: ranges are those of the design, a wrong one is said, points arrive, a click and arrow keys choose,
    a brush filters, one becomes the design, undo takes it back."""
    window.go("Explore")
    desk = window.explore_desk
    assert {a.id for a in desk.axes} == set(desk.fields) and "fs" in desk.fields
    desk.fields["fs"].setText("fast")
    desk.button.click()
    assert "fast" in desk.problem.text() and not window.jobs.running
    desk.fields["fs"].setText("60k-140k")
    desk.count.setValue(14)
    qtbot.mouseClick(desk.button, Qt.MouseButton.LeftButton)
    assert desk.button.text() == "Stop" and desk.problem.text() == ""
    qtbot.waitUntil(lambda: not window.jobs.running and len(desk.entries) == 14, timeout=60_000)
    assert desk.button.text() == "Start" and "14 designs" in desk.said.text() and all(
        60e3 <= e.pins["fs"] <= 140e3 for e in desk.entries[1:])
    view, front = desk.view, unbeaten(desk.entries)
    assert desk.rows == front and desk.table.rowCount() == len(front)
    assert all(f"Tightest figure: {desk.entries[j].tightest}" in desk.table.item(r, 0).toolTip() for r, j in enumerate(front))
    across, down = view.places()
    k = front[-1] if front[-1] else front[0]
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=QPoint(round(across[k]), round(down[k])))
    assert view.chosen == view.at(QPointF(across[k], down[k])) and ("Against now" in desk.chosen_text.text() or view.chosen == 0)
    order = np.argsort(view.across, kind="stable")
    view.chosen = int(order[0])
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert view.chosen == order[1]
    able = [j for j, e in enumerate(desk.entries) if e.feasible and 0 <= across[j] <= view.width() and 0 <= down[j] <= view.height()]
    left, right = across[able].min() - 8, np.median(across[able]) + 1
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(round(left), 2))
    qtbot.mouseMove(view, QPoint(round(right), view.height() - 2))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(round(right), view.height() - 2))
    assert (desk.inside == {j for j in range(14) if round(left) <= across[j] <= round(right) and 2 <= down[j] <= view.height() - 2}
            and set(desk.rows) == desk.inside)
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert desk.inside is None and desk.rows == front
    other = next(j for j in range(1, 14) if desk.entries[j].feasible)
    before = window.session.document
    desk.choose(other)
    desk.buttons[0].click()
    assert window.stack.currentWidget() is window.size_desk and window.session.design.pins["fs"] == desk.entries[other].pins["fs"]
    assert window.session.design.value("efficiency") == pytest.approx(desk.entries[other].efficiency,
        rel=2e-3), "but for the copper of the mains filter"
    window.go("Explore")
    assert len(desk.entries) == 14 and "made around" in desk.said.text() and "fs" not in desk.fields
    window.undo()
    assert window.session.document == before and "fs" in desk.fields
    desk.choose(other)
    desk.buttons[1].click()
    assert window.session.reference.pins["fs"] == desk.entries[other].pins["fs"]


def _under_way(qtbot, window, count, made):
    """The desk with an exploration of so many designs begun and some of them made."""
    window.go("Explore")
    desk = window.explore_desk
    desk.count.setValue(count)
    desk.button.click()
    qtbot.waitUntil(lambda: len(desk.entries) >= made, timeout=30_000)
    return desk


def test_stop_keeps_what_was_made(qtbot, window):
    desk = _under_way(qtbot, window, 4000, 5)
    qtbot.mouseClick(desk.button, Qt.MouseButton.LeftButton)
    assert not window.jobs.running and desk.button.text() == "Start" and 5 <= len(desk.entries) < 4000
    assert all(entry_of(window.session.document.requirement, None, e.pins).loss == pytest.approx(e.loss) for e in desk.entries[3:4])


@pytest.mark.parametrize("finer", [1.0, 2.0])
def test_stamped_points_lie_where_circles_would(styled, finer):
    """Area and middle of each, on a plain and on a finer screen, beside circles drawn one by one."""
    made = []
    for way in ("dots", "discs"):
        picture = Picture(60.0, 20.0)
        if way == "dots":
            picture.dots([(10.0, 10.0), (30.3, 9.7), (50.6, 10.2)], 0.9, "accent")
        else:
            for x, y in ((10.0, 10.0), (30.3, 9.7), (50.6, 10.2)):
                picture.disc(x, y, 0.9, "accent")
        image = QImage(int(216 * finer), int(72 * finer), QImage.Format.Format_ARGB32)
        image.setDevicePixelRatio(finer)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        paint(painter, picture, 3.6)
        painter.end()
        made.append(np.frombuffer(bytes(image.constBits()), np.uint8).reshape(image.height(), image.width(), 4)[:, :, 3] / 255.0)
    for k in range(3):
        spots = [m[:, k * m.shape[1] // 3 : (k + 1) * m.shape[1] // 3] for m in made]
        areas = [s.sum() for s in spots]
        middles = [np.array([(s * i).sum() for i in np.indices(s.shape)]) / s.sum() for s in spots]
        assert areas[0] == pytest.approx(np.pi * (0.9 * 3.6 * finer) ** 2, rel=0.06) and areas[0] == pytest.approx(areas[1], rel=0.06)
        assert np.abs(middles[0] - middles[1]).max() < 0.75


def test_another_requirement_ends_what_is_under_way(qtbot, window):
    """Designs of the supply that was asked for before do not come in among those of the new one."""
    desk = _under_way(qtbot, window, 2000, 2)
    window.session.require(dataclasses.replace(window.session.document.requirement, hold_up=0.005))
    window.show_all()
    assert not window.jobs.running and desk.button.text() == "Start" and desk.entries == [] and desk.rows == []
