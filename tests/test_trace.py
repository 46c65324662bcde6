"""Records of a drain: every style of file, what is wrong in one sentence, what is read from simulated ones against what made them, and the
bench in the window."""

import time

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from balances import check_read_out
from rhevectra.app.scope import PROBE, nearest_corner, own_waveform, parse_record, simulated_record
from rhevectra.core.basis.errors import InputError
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas.snubber import uncertainty
from rhevectra.core.stages.drain_trace import read_drain
from rhevectra.core.stages.ringing import ring_of, ring_of_two

T, V = np.arange(12) * 1e-7, np.array([0.5, 0.25, 100.0, 250.5, 240.0, 230.0, 235.0, 232.0, 233.0, 232.5, 232.0, 231.0])


def rows(separator, decimal=".", t=T, v=V):
    return "\n".join(f"{a:.7g}{separator}{b:.7g}".replace(".", decimal) for a, b in zip(t, v, strict=True)) + "\n"


STYLES = {
    "bare": (rows(","), 1.0, 1.0), "semicolons": (rows(";"), 1.0, 1.0), "tabs": (rows("\t"), 1.0, 1.0), "blanks": (rows("   "), 1.0, 1.0),
    "comma decimals": (rows(";", ","), 1.0, 1.0), "comma decimals, tabs": (rows("\t", ","), 1.0, 1.0),
    "comma decimals, blanks": (rows(" ", ","), 1.0, 1.0),
    "one heading": ("time,drain\n" + rows(","), 1.0, 1.0), "units": ("t [us],v (V)\n" + rows(","), 1e-6, 1.0),
    "units below": ("x-axis,1\nmillisecond,x\nms,mV\n" + rows(","), 1e-3, 1e-3),
    "micro sign": ("Zeit / µs;Spannung / kV\n" + rows(";"), 1e-6, 1e3),
    "long heading": ("".join(f"key {k};value\n" for k in range(40)) + "second;volt\n" + rows(";"), 1.0, 1.0),
    "quotes": ("\n".join(f'"{a}","{b}"' for a, b in zip(T, V, strict=True)), 1.0, 1.0),
    "byte order mark, carriage returns": ("\ufefft,v\r\n" + rows(",").replace("\n", "\r\n"), 1.0, 1.0),
    "three columns": ("\n".join(f"{a},{b},7" for a, b in zip(T, V, strict=True)), 1.0, 1.0)}


@pytest.mark.parametrize("style", STYLES)
def test_styles_of_files(style):
    text, t_scale, v_scale = STYLES[style]
    found = parse_record(text, "f.csv")
    assert found.t == pytest.approx(T * t_scale, rel=1e-6, abs=1e-20) and found.v == pytest.approx(V * v_scale, rel=1e-6)
    assert ("time taken as seconds" in found.notes) == (style not in ("units", "units below", "micro sign", "long heading"))


def test_rows_without_numbers_are_left_out_and_counted():
    lines = rows(",").splitlines()
    text = "\n".join([*lines[:6], "1.5e-6,NaN", "", *lines[6:], "end of record"])
    found = parse_record(text, "f.csv")
    assert found.t == pytest.approx(T) and found.skipped == 2 and "2 rows without numbers left out" in found.notes


@pytest.mark.parametrize(("text", "says"),
                         [("", "no five rows"), ("hello\nworld\n", "no five rows"),
                          ("\n".join(f"0,{k},1{k},5" for k in range(10)), "both between the columns and in the numbers"),
                          ("\n".join(f"{k}" for k in range(50)), "no five rows"),
                          ("\n".join("1,2" if k < 6 else "nan,nan" for k in range(40)), "34 of 40 rows")])
def test_what_is_no_record_is_said(text, says):
    with pytest.raises(InputError, match=says):
        parse_record(text, "f.csv")


def test_a_million_rows_are_read():
    n = 1_000_000
    t = np.arange(n) * 1e-10
    text = "s,V\n" + "\n".join(f"{a:.6e},{b:.3f}" for a, b in zip(t, 200 + 50 * np.sin(t * 1e6), strict=True))
    start = time.perf_counter()
    found = parse_record(text, "long.csv")
    assert len(found.t) == n and time.perf_counter() - start < 20  # a hang, not a speed test


def made(ring=7e6, quality=18.0, peak=450.0, plateau=400.0, points=2500, span=20e-6, noise=0.5, slow=0.0):
    """A drain drawn from its own formulas: on, 300 ns at the peak, damped cosine on the plateau."""
    t = np.linspace(0, span, points)
    x = t - 3e-6 - 300e-9
    after = plateau - slow * x + (peak - plateau) * np.exp(-np.pi * ring / quality * np.maximum(x, 0)) * np.cos(2 * np.pi * ring * x)
    v = np.where(t < 3e-6, 1.0, np.where(x < 0, peak, after))
    return t, v + np.random.default_rng(5).normal(0, noise, points)


@pytest.mark.parametrize("asked", [{}, {"ring": 3e6}, {"quality": 8.0}, {"noise": 3.0}, {"slow": 2e5}, {"plateau": 380.0, "peak": 600.0}])
def test_reading_gives_back_what_was_drawn(asked):
    want = {"ring": 7e6, "quality": 18.0, "peak": 450.0, "plateau": 400.0, **asked}
    r = read_drain(*made(**asked))
    assert (r.frequency == pytest.approx(want["ring"], rel=0.01) and abs(r.frequency - want["ring"]) < 6 * r.frequency_error + 2e-3
            * want["ring"])
    assert (r.quality == pytest.approx(want["quality"], rel=0.2) and r.plateau == pytest.approx(want["plateau"], abs=2.0)
            and r.peak == pytest.approx(want["peak"], rel=0.02))
    assert r.reset == pytest.approx(300e-9 + 0.25 / want["ring"] * np.arccos(0.5) / (np.pi / 2), rel=0.15)


@pytest.mark.parametrize(("t", "v", "says"),
                         [(T, V, "too few"), (np.zeros(500), np.zeros(500), "time does not rise at point 2"),
                          (np.arange(500.0), np.sin(np.arange(500.0)), "swings by"),
                          (np.linspace(0, 1e-5, 500), np.linspace(400, 0, 500), "begins after the turn-off"),
                          (np.linspace(0, 1e-5, 500), np.where(np.arange(500) < 100, 0.0, 400.0), "no ring")])
def test_records_that_tell_nothing_are_refused(t, v, says):
    with pytest.raises(InputError, match=says):
        read_drain(t, v)


def test_a_coarse_record_is_refused():
    with pytest.raises(InputError, match=r"points fall into a period|no ring"):
        read_drain(*made(ring=40e6, points=2500))


@pytest.mark.parametrize(("pins", "line", "load"),
                         [({}, 230.0, 1.0), ({}, 85.0, 1.0), ({}, 265.0, 0.25), ({"clamp.kind": "zener"}, 230.0, 0.5)])
def test_parasitics_from_simulated_records(demo_document, pins, line, load):
    """Two records with probe, 8-bit steps and noise give leakage and node capacitance of the circuit they were made from within 5 %; peak
    and plateau within 1.5 %."""
    d = size(demo_document.requirement, {**demo_document.decisions, **pins})
    c = d.grid.find(line, load)
    bare, loaded = (read_drain(*_of(simulated_record(d, c, added, seed=3))) for added in (0.0, 100e-12))
    ring = ring_of(bare.frequency, 100e-12, loaded.frequency, PROBE, 2e-3)
    assert ring.inductance == pytest.approx(float(d.value("transformer.leakage")), rel=0.05)
    assert ring.capacitance == pytest.approx(float(d.value("switch.c_node")), rel=0.05)
    found = exact(d, c)
    assert (bare.peak == pytest.approx(float(found.voltages["drain"].max()), rel=0.015)
            and bare.plateau == pytest.approx(float(d.rows["switch.v_plateau"].at(c.index)), rel=0.015))
    near = nearest_corner(d, bare)
    assert near.v_line == line
    t, v = own_waveform(d, near)
    assert abs(float(np.interp(1e-6, t, v)) - bare.plateau) < 0.15 * bare.plateau and v.max() == pytest.approx(bare.peak, rel=0.02)


def _of(text):
    record = parse_record(text, "simulated")
    return record.t, record.v


def test_uncertainty_by_drawing_lots():
    """Two frequencies read to 1 % (a thousand lots, second algorithm): the capacitance scatters as the formula says; halving the frequency
    is a good choice, a fall by a tenth is not."""
    rng = np.random.default_rng(2)
    for loaded in (10e6, 18e6):
        lots = [ring_of(20e6 * (1 + a), 1e-10, loaded * (1 + b)).capacitance for a, b in rng.normal(0, 0.003, (1000, 2))]
        assert np.std(lots) / np.mean(lots) == pytest.approx(float(uncertainty(0.003, 20e6, loaded)), rel=0.1)


@pytest.mark.parametrize(("volts", "amps"), [(4.0, 0.0), (40.0, 0.08)])
def test_two_capacitors_where_the_junction_moves(volts, amps):
    """A junction of 60 pF/√(1 + v/20 V) rings with 7 µH around 40 V, let go at a voltage or with a current (integrated, second algorithm):
    the larger capacitor is nearer the truth, and the difference of both covers what is off."""
    inductance = 7e-6

    def frequency(added):
        def rates(_t, x):
            return [-(x[1] - 40.0) / inductance, x[0] / (60e-12 / np.sqrt(1 + max(x[1], -15.0) / 20.0) + added)]
        found = solve_ivp(rates, (0, 6e-6), [amps, volts], rtol=1e-9, atol=1e-9, method="LSODA", max_step=2e-9)
        k = np.flatnonzero((found.y[0][:-1] < 0) & (found.y[0][1:] >= 0))
        up = found.t[k] - found.y[0][k] * (found.t[k + 1] - found.t[k]) / (found.y[0][k + 1] - found.y[0][k])
        return (len(up) - 1) / (up[-1] - up[0])
    bare = frequency(0.0)
    honest = 1 / ((2 * np.pi * bare) ** 2 * inductance)  # what rings at this swing
    small, (both, differ) = (ring_of(bare, 22e-12, frequency(22e-12)),
                             ring_of_two(bare, (22e-12, frequency(22e-12)), (100e-12, frequency(100e-12)), error=0.0))
    assert abs(both.capacitance / honest - 1) < abs(small.capacitance / honest - 1)
    assert abs(differ) > 1e-3 and abs(both.capacitance / honest - 1) < 2.0 * both.unsure
    with pytest.raises(InputError, match="larger than the first"):
        ring_of_two(20e6, (1e-10, 15e6), (1e-11, 19e6))


def test_the_probe_is_taken_out_again():
    whole = ring_of(20e6, 300e-12, 10e6)
    less = ring_of(20e6, 300e-12, 10e6, probe=10e-12)
    assert less.capacitance == pytest.approx(whole.capacitance - 10e-12)
    assert less.inductance == pytest.approx(whole.inductance) and less.frequency > whole.frequency
    with pytest.raises(InputError, match="more than the"):
        ring_of(20e6, 300e-12, 10e6, probe=200e-12)


def test_the_bench_in_the_window(window, qtbot, tmp_path):
    """A file from disk, what is wrong with one, a simulated record; its ring goes to the ringing bench with one click."""
    window.go("Wind")
    desk = window.wind_desk
    desk.tabs.setCurrentIndex(4)
    bench = desk.trace
    assert "never an earthed clip" in bench.words.text() and not bench.bare.isEnabled()
    c = window.session.design.grid.find(230.0)
    path = tmp_path / "drain.csv"
    path.write_text(simulated_record(window.session.design, c), encoding="utf-8")
    bench.load(path)
    qtbot.waitUntil(lambda: bench.found is not None, timeout=20000)
    words = bench.words.text()
    assert "drain.csv: peak 4" in words and "MHz" in words and "The design at 230 V" in words and not bench.view.isHidden()
    first = bench.found
    check_read_out(bench.view.picture())
    path.write_text("nothing here", encoding="utf-8")
    bench.load(path)
    qtbot.waitUntil(lambda: "no five rows" in bench.words.text(), timeout=20000)
    bench.load(tmp_path / "absent.csv")
    qtbot.waitUntil(lambda: "cannot be read" in bench.words.text(), timeout=20000)
    assert bench.found is first
    bench.bare.click()
    assert desk.stack.currentWidget() is desk.ringing and desk.ringing.form.number("bare") == pytest.approx(first.frequency, rel=1e-3)
    desk.tabs.setCurrentIndex(4)
    bench.simulate_added.click()
    qtbot.waitUntil(lambda: bench.found is not first, timeout=20000)
    bench.loaded.click()
    for name, text in (("added", "100p"), ("probe", "10p")):
        desk.ringing.form.fields[name].setText(text)
    desk.ringing.work_out()
    assert "within" in desk.ringing.words.text()
    desk.ringing.take.click()
    assert (float(window.session.design.value("transformer.leakage")) == pytest.approx(6.48e-6, rel=0.05)
            or window.session.design.rows["transformer.leakage"].origin == "measured")
