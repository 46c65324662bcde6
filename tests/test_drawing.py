"""The pictures as display lists: what they show is true, nothing lies outside the page, no label covers another."""

import numpy as np
import pytest

from balances import check_read_out
from rhevectra import demo
from rhevectra.app.stages import path_of
from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import HEAD, Frame, round_step
from rhevectra.drawing.display import Disc, Fill, Line, Picture, Text
from rhevectra.drawing.pictures import PICTURES, pictures_of
from rhevectra.drawing.switching import switching_period
from rhevectra.project.codec import decode
from rhevectra.ui.views.ask_fields import with_mains

SIZES = ((150.0, 110.0), (110.0, 80.0), (260.0, 150.0))


@pytest.fixture(scope="module")
def resonant():
    document = decode(demo.text("radar-rotator"), "demo")
    return size(document.requirement, document.decisions)


@pytest.fixture(scope="module")
def unregulated():
    document = decode(demo.text("radar-rotator"), "demo")
    return size(document.requirement, {**document.decisions, "llc.control": "fixed"})


@pytest.fixture(scope="module")
def valley(demo_document):
    return size(demo_document.requirement, {"topology": "flyback_qr"})


@pytest.fixture(scope="module")
def fans():
    document = decode(demo.text("frost-fans"), "demo")
    return size(document.requirement, document.decisions)


@pytest.fixture(scope="module")
def three(fans):
    return size(with_mains(fans.requirement, kind="ac3", v_min=360.0, v_max=440.0), {"topology": "full_bridge"})


@pytest.fixture(scope="module")
def triple(fans):
    return size(fans.requirement, {"topology": "llc_three_phase"}, noise=False)


def all_corners(d) -> list[Corner]:
    return [d.grid.corner(d.figure(id).corner.index) for id in ("switch.v_peak", "switch.i_rms", "bulk.v_valley", "efficiency_light")
            if id in d.rows]


def extent(text: Text) -> tuple[float, float, float, float]:
    """Rough box of a text: half its height per letter."""
    w = 0.5 * text.size * len(text.text)
    left = text.x - {"left": 0.0, "middle": w / 2, "right": w}[text.anchor]
    return left, text.y - 0.8 * text.size, left + w, text.y + 0.1 * text.size


def check_on_page(picture: Picture, page: tuple[float, float]) -> None:
    for item in picture.items:
        points = (item.points if isinstance(item, Line | Fill) else [(item.x, item.y)] if isinstance(item, Text)
                  else [(item.x - item.r, item.y - item.r), (item.x + item.r, item.y + item.r)])
        for x, y in points:
            assert -0.5 <= x <= page[0] + 0.5 and -0.5 <= y <= page[1] + 0.5, (item, page)


def check_apart(picture: Picture, what: object) -> None:
    told = [(extent(t), t.text) for t in picture.items if isinstance(t, Text)]
    for i, (a, one) in enumerate(told):
        for b, other in told[i + 1 :]:
            assert min(min(a[2], b[2]) - max(a[0], b[0]), min(a[3], b[3]) - max(a[1], b[1])) < 0.8, (what, one, other)


@pytest.mark.parametrize("key", PICTURES)
@pytest.mark.parametrize("page", SIZES)
def test_nothing_lies_outside_the_page_and_labels_keep_apart(demo_design, resonant, unregulated, valley, fans, three, triple, key, page):
    design = {"gain": resonant, "output": unregulated, "frequency": valley, "envelope": fans, "derating": fans, "line": fans,
              "phases": three, "legs": triple}.get(key, demo_design)
    for corner in all_corners(design):
        picture = PICTURES[key][1](design, corner, *page)
        assert (picture.width, picture.height) == page
        check_on_page(picture, page)
        check_apart(picture, (key, page))


def test_loss_bars_add_up_and_are_as_long_as_their_watts(demo_design):
    corner = all_corners(demo_design)[1]
    picture = PICTURES["loss"][1](demo_design, corner, 150, 110)
    watts = picture.data["loss [W]"]
    assert watts.sum() == pytest.approx(demo_design.rows["loss.total"].at(corner.index), rel=1e-9)
    lengths = [f.points[1][0] - f.points[0][0] for f in picture.items if isinstance(f, Fill)]
    big = watts > 0.02 * watts[0]
    assert np.array(lengths)[big] / lengths[0] == pytest.approx(watts[big] / watts[0], rel=0.02)


def test_the_winding_picture_is_to_scale_and_no_turn_lies_on_another(demo_design):
    corner = all_corners(demo_design)[0]
    view = PICTURES["window"][1](demo_design, corner, 150, 110)
    turns = [f for f in view.items if isinstance(f, Disc) and f.outline == "card"]
    d = demo_design
    plan = d.context["plan"]
    beside = [int(x.at((plan.choice.core, plan.choice.candidate)).beside) for x in plan.choice.trial.laid]
    assert len(turns) == sum(int(d.rows[f"transformer.{n}"].value) * b for n, b in zip(("np", "ns1", "naux"), beside, strict=True))
    centres, radii = np.array([(f.x, f.y) for f in turns]), np.array([f.r for f in turns])
    for k in range(len(turns)):
        gap = np.hypot(*(centres - centres[k]).T) - radii - radii[k]
        gap[k] = 1.0
        assert gap.min() > -0.05
    row = d.catalogue["cores"].row(d.rows["transformer.core"].value)
    boxes = [f for f in view.items if isinstance(f, Fill) and f.role == "card" and f.outline == "ink"]
    window = max(boxes, key=lambda f: np.ptp([p[0] for p in f.points]))
    ratio = np.ptp([p[1] for p in window.points]) / np.ptp([p[0] for p in window.points])
    assert ratio == pytest.approx(2 * row["d_m"] / ((row["e_m"] - row["f_m"]) / 2), rel=1e-6)


def test_the_line_cycle_carries_the_solved_power_and_harmonics(demo_design):
    """Power as the mean product of the drawn mains and line current; third harmonic by Fourier of the drawn current, at the corner of the
    figure."""
    d = demo_design
    corner = d.grid.corner(d.figure("inlet.harmonic_3").corner.index)
    data = PICTURES["line"][1](d, corner, 150, 110).data
    t, i = data["line current x [s]"], data["line current [A]"]
    f = corner.f_line
    mains = np.sqrt(2) * corner.v_line * np.sin(2 * np.pi * f * t)
    period = t[-1]
    power = float(np.trapezoid(mains * i, t)) / period
    assert power == pytest.approx(
        d.rows["bulk.p_load"].at((*corner.index[:3], 0))
        + sum(d.losses[n].at((*corner.index[:3], 0)) for n in ("bridge", "thermistor", "mains_filter", "bulk")), rel=0.02)
    third = abs(np.trapezoid(i * np.exp(-6j * np.pi * f * t), t)) * np.sqrt(2) / period
    assert third == pytest.approx(d.value("inlet.harmonic_3"), rel=0.02)


def test_a_dc_input_says_that_there_is_no_line_cycle():
    from rhevectra.core.basis.requirement import Mains, Output, Requirement

    d = size(Requirement(mains=Mains(kind="dc", v_min=36, v_max=60), outputs=(Output(voltage=12.0, current_max=1.0),),
                         insulation="functional"))
    picture = PICTURES["line"][1](d, d.grid.find(36.0), 150, 110)
    assert any("no line cycle" in t.text for t in picture.items if isinstance(t, Text))


@pytest.mark.parametrize(("span", "wanted"), [(9.7, 5), (0.0031, 4), (560.0, 6), (1e-5, 3)])
def test_ticks_stand_at_round_numbers(span, wanted):
    step = round_step(span, wanted)
    mantissa = step / 10 ** np.floor(np.log10(step) + 1e-12)
    assert min(abs(mantissa - m) for m in (1, 2, 5, 10)) < 1e-6
    assert 0.4 * wanted <= span / step <= wanted + 1e-6


def test_a_frame_maps_data_to_millimetres_and_marks_a_limit_only_inside():
    picture = Picture(100, 60)
    frame = Frame(picture, 10, 5, 80, 40, (0, 1e-5), (0, 560), "drain", "V")
    assert frame.x(0) == 10 and frame.x(1e-5) == pytest.approx(90)
    assert frame.y(frame.y1) == pytest.approx(5 + HEAD) and frame.y(0) == pytest.approx(45), "the title stands above the frame"
    before = len(picture.items)
    frame.level(9e3, "limit", "over")
    assert len(picture.items) == before
    frame.level(500, "limit 500 V", "over")
    assert len(picture.items) == before + 2


def test_a_zoomed_picture_keeps_titles_and_the_unit_of_its_time_axis(qtbot, styled, demo_design):
    """Grabbed twice, with and without the frame's names: the strip of the unit at the right edge and of the title at the left differ."""
    from msgspec.structs import replace

    from rhevectra.drawing.switching import switching_period
    from rhevectra.ui.pictures.canvas import PictureView

    def shown(strip):
        view = PictureView()
        qtbot.addWidget(view)
        view.resize(460, 300)

        def source(w, h):
            picture = switching_period(demo_design, demo_design.grid.find(85.0), w, h)
            assert [f.x_name for f in picture.frames] == ["", "", "µs"] and picture.frames[0].title.startswith("drain voltage [")
            if strip:
                picture.frames = [replace(f, x_name="", title="") for f in picture.frames]
            return picture
        view.set_source(source)
        view.zoom_to(6.0, 0.5)
        return view.grab().toImage()
    told, bare = shown(False), shown(True)
    ink = {(x, y) for x in range(told.width()) for y in range(told.height()) if told.pixelColor(x, y) != bare.pixelColor(x, y)}
    assert any(x > 0.9 * told.width() for x, _ in ink) and any(x < 0.4 * told.width() for x, _ in ink)


def test_a_picture_that_fails_is_said_and_ends_nothing(qtbot, styled, monkeypatch):
    """An exception in drawing reaches the hook, not the event loop; the widget says that the figures stand and draws the next picture."""
    import sys

    from rhevectra.ui.pictures.canvas import PictureView

    seen = []
    monkeypatch.setattr(sys, "excepthook", lambda *what: seen.append(what[1]))

    def broken(_w, _h):
        raise ValueError("seeded")
    view = PictureView()
    qtbot.addWidget(view)
    view.resize(400, 300)
    view.set_source(broken)
    image = view.grab().toImage()
    assert str(seen[0]) == "seeded" and len({image.pixel(x, 150) for x in range(image.width())}) > 2
    view.set_source(lambda w, h: Picture(w, h, "whole"))
    count = len(seen)
    view.grab()
    assert len(seen) == count


def test_traces_of_one_name_in_two_frames_keep_their_own_data():
    picture = Picture(100, 80, "")
    for k, title in enumerate(("a", "b", "b")):
        frame = Frame(picture, 10, 5 + 25 * k, 80, 20, (0, 1), (0, 3), title, "V")
        frame.trace("one", np.linspace(0, 1, 2 + k), np.full(2 + k, float(k)), "ink")
        frame.close()
    check_read_out(picture)
    assert [float(picture.data[f"{f.traces[0]} [V]"][0]) for f in picture.frames] == [0.0, 1.0, 2.0]


def test_marks_close_together_keep_their_texts_apart():
    """Two levels within a text's height: the second is named below its line; one near the top stands beside the title, never over the
    traces."""
    picture = Picture(120, 60)
    frame = Frame(picture, 10, 2, 100, 50, (0, 1), (0, 600), "drain", "V")
    frame.level(500, "limit 500 V", "over")
    frame.level(490, "fast diode", "muted")
    frame.level(598, "limit 598 V", "over")
    upper, lower, top = (t.y for t in picture.items if isinstance(t, Text) and t.text in ("limit 500 V", "fast diode", "limit 598 V"))
    assert upper < frame.y(500) and lower > frame.y(490) and lower - upper >= 3.4 and top < frame.top


def test_pulses_longer_than_their_period_are_not_drawn():
    """A bridge on a core far too small: at full load a sentence with the period instead of traces that run back in time; on the core it
    takes by rule the waveform, each trace from left to right."""
    need = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=15, current_max=10.5),), efficiency_target=0.8)
    small, usual = (size(need, {"topology": "half_bridge", **pins}, noise=False) for pins in ({"transformer.core": "EFD15/8/5"}, {}))
    none, drawn = (switching_period(d, d.grid.find(85.0), 120, 100) for d in (small, usual))
    said = " ".join(i.text for i in none.items if isinstance(i, Text))
    assert f"longer than its period of {1e6 / small.value('fs'):.1f} µs" in said and not any(isinstance(i, Line) for i in none.items)
    traces = [i for i in drawn.items if isinstance(i, Line) and len(i.points) > 6]
    assert len(traces) >= 3 and all(np.all(np.diff(np.asarray(i.points)[:, 0]) >= -1e-3) for i in traces)


def crowded():
    """Designs with much to tell, or where it does not fit: seven windings, a core far too small for its turns, a tank that works below its
    curves, a narrow bus."""
    many = (Output(voltage=12, current_max=8), Output(name="a", voltage=15, current_max=1, tolerance=0.1),
            Output(name="b", voltage=-12, current_max=0.5, tolerance=0.1))
    wide, dc = Mains(kind="ac1", v_min=195, v_max=265), Mains(kind="dc", v_min=360, v_max=400)
    return {"tank with three outputs": (Requirement(mains=wide, outputs=many, cooling="forced"), {"topology": "llc_half"}),
            "push-pull with three outputs": (Requirement(mains=dc, outputs=many, cooling="forced"), {"topology": "push_pull"}),
            "overfull": (
                Requirement(mains=Mains(kind="dc", v_min=10, v_max=15), outputs=(Output(voltage=3.3, current_max=60), many[1]),
                            cooling="forced"), {"topology": "llc_half"}),
            "overfull across": (Requirement(mains=dc, outputs=(Output(voltage=48, current_max=20),), cooling="forced"),
                                {"topology": "llc_full", "transformer.core": "E20/10/6"}),
            "below its curves": (Requirement(mains=dc, outputs=(Output(voltage=19, current_max=30),), cooling="forced"),
                                 {"topology": "llc_full", "llc.v_unity": 200.0}),
            "a narrow bus": (Requirement(mains=Mains(kind="ac3", v_min=340, v_max=460), outputs=(Output(voltage=400, current_max=0.06),)),
                             {"topology": "flyback_qr"})}


@pytest.mark.parametrize("name", list(crowded()))
def test_much_to_tell_stays_on_its_page_and_apart(name):
    """Every picture of such a design as large as in the window, beside the held one of a stage without a transformer: nothing outside, no
    text on another."""
    need, pins = crowded()[name]
    d, page = size(need, pins), (125.0, 112.0)
    held = size(Requirement(mains=Mains(kind="dc", v_min=200, v_max=400), outputs=(Output(voltage=12, current_max=0.3),),
                            insulation="functional"), {"topology": "buck_aux"})
    for key in {k for stage, *_ in path_of(d) for k in pictures_of(d, stage)}:
        for corner in all_corners(d)[:2]:
            picture = PICTURES[key][1](d, corner, *page, held)
            check_on_page(picture, page)
            check_apart(picture, (name, key))


def test_a_label_takes_the_nearest_free_line():
    """Three at one place lie over one another without touching, the first where it was wanted; one far away stays where it is put."""
    picture = Picture(100.0, 60.0)
    for text in ("one", "two", "three"):
        picture.label(20.0, 30.0, text)
    picture.label(70.0, 30.0, "far")
    at = {t.text: t for t in picture.items if isinstance(t, Text)}
    assert at["one"].y == at["far"].y == 30.0 and len({at[k].y for k in ("one", "two", "three")}) == 3 and all(
        abs(at[k].y - 30.0) < 5 for k in at)
    check_apart(picture, "labels")


def test_a_slip_of_the_keyboard_asks_for_no_picture_of_millions_of_turns():
    """999 secondary turns for 0.8 V make hundreds of thousands at the other windings: those near the window are laid, all are counted."""
    need = Requirement(mains=Mains(kind="ac1", v_min=195.0, v_max=265.0),
                       outputs=(Output(voltage=0.8, current_max=0.01), Output(name="far", voltage=400.0, current_max=0.01, tolerance=0.1)))
    d = size(need, {"topology": "flyback", "transformer.ns1": 999}, noise=False)
    layout = TOPOLOGIES["flyback"].winding_view(d).layout
    turns = sum(float(d.rows[f"transformer.{n}"].value) for n in ("np", "ns1", "ns2", "naux"))
    assert turns > 200_000 and sum(b.turns for b in layout.bands) == turns
    assert 100 < len(layout.wires) < 0.5 * turns and max(w.x for w in layout.wires) < 1.3 * layout.radial < layout.bands[-1].end
    usual = size(Requirement(mains=Mains(kind="ac1", v_min=85.0, v_max=265.0), outputs=(Output(voltage=24.0, current_max=2.5),)),
                 {"topology": "flyback"}, noise=False)
    whole = TOPOLOGIES["flyback"].winding_view(usual).layout
    drawn = sum(w.share for w in whole.wires if w.winding == 0)
    assert drawn == pytest.approx(float(usual.rows["transformer.np"].value))
