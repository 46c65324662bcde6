"""The loop: its small signals against converters run cycle by cycle, its gain margin against the closed loop in time, what the rule
chooses, the picture in the window."""

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from balances import check_read_out
from cycles import fed_always, fed_while_off, settled, with_loop
from rhevectra import demo
from rhevectra.app import parts
from rhevectra.core.basis.preferred import step
from rhevectra.core.basis.requirement import LoadStep
from rhevectra.core.design.size import size
from rhevectra.core.formulas import loop
from rhevectra.core.topologies.common.signal import NEW, OLD
from rhevectra.drawing.pictures import pictures_of
from rhevectra.project.codec import decode
from rhevectra.ui.pictures.canvas import PX_PER_MM

CURRENT = ("flyback", "flyback_2sw", "flyback_qr", "forward_reset", "forward_2sw", "forward_active_clamp", "push_pull", "full_bridge",
           "psfb")
"""Topologies whose control looks at the current."""
OTHERS = ("half_bridge", "llc_half", "llc_full", "llc_three_phase")
"""By duty, and by frequency."""
IDEAL = {  # input, ratio (None: fed always), inductance, load, capacitor, its resistance, rate; crest, slope added, start
    "off, continuous": ((100.0, 4.0, 700e-6, 10.0, 47e-6, 60e-3, 65e3), 2.2, 0.02e6, (1.3, 27.0)),
    "off, discontinuous": ((300.0, 4.0, 300e-6, 15.0, 47e-6, 20e-3, 65e3), 1.6, 0.0, (0.0, 19.0)),
    "always, continuous": ((30.0, None, 22e-6, 1.2, 330e-6, 15e-3, 130e3), 11.0, 0.1e6, (8.0, 11.4)),
    "always, discontinuous": ((30.0, None, 22e-6, 30.0, 100e-6, 15e-3, 130e3), 1.5, 0.0, (0.0, 12.9)),
}


def ideal(v_in, ratio, inductance, load, c, esr, rate, waits=False):
    return fed_always(v_in, inductance, c, esr, load, 1 / rate) if ratio is None else fed_while_off(v_in, ratio, inductance, c, esr, load,
        1 / rate, waits)


def ramp_of(pieces, end, whole, added, inductance, ratio):
    """The ramp of a settled period as the formulas take it."""
    (_, _, on, start), (_, _, off, top) = pieces[:2]
    stops = len(pieces) > 2 or end[0] < 1e-9
    return loop.Ramp(whole, off, (top[0] - start[0]) / on, (top[0] - (0.0 if stops else end[0])) / off, added, inductance,
                     top[0] - (start[0] if ratio is None else 0.0), np.array(stops))


@pytest.mark.parametrize("name", IDEAL)
def test_small_signals_against_a_converter_run_cycle_by_cycle(name):
    """Swung by a thousandth at three frequencies up to two fifths of the rate: within 1 % and 2 degrees (what ripple of the output
    moves)."""
    (v_in, ratio, inductance, load, c, esr, rate), crest, added, start = IDEAL[name]
    made = ideal(v_in, ratio, inductance, load, c, esr, rate)
    x, pieces, whole = settled(made, np.array([*start, 1.0]), crest, added, 400)
    ramp = ramp_of(pieces, x, whole, added, inductance, ratio)
    assert bool(ramp.discontinuous) == ("discontinuous" in name)
    for share in ((1, 40), (1, 10), (2, 5)):
        w = np.array(2 * np.pi * share[0] / share[1] * rate)
        z = loop.impedance(w, load, c, esr)
        formula, _ = loop.fed_always(w, ramp, z) if ratio is None else loop.fed_while_off(w, ramp, ratio, z)
        run = made.response(x, crest, added, share, 120)
        assert abs(formula) == pytest.approx(abs(run), rel=0.01) and abs(np.degrees(np.angle(formula / run))) < 2.0, share


def test_periods_that_wait_for_the_current():
    """Turned on again when the core is empty, so that the period follows the crest: run in time at a fiftieth and a tenth of the rate, and
    the slow end by two steady states."""
    given = (200.0, 4.0, 300e-6, 10.0, 47e-6, 20e-3, 80e3)
    ratio, inductance, load, c, esr = given[1:-1]
    made, crest = ideal(*given, waits=True), 3.0
    x, pieces, whole = settled(made, np.array([0.0, 35.0, 1.0]), crest, 0.0, 600)
    ramp = ramp_of(pieces, x, whole, 0.0, inductance, ratio)
    at = lambda w: complex(loop.fed_while_off(np.array(w), ramp, ratio, loop.impedance(w, load, c, esr), True)[0])  # noqa: E731
    ends = [made.part(pieces, 0.0, 1e-6).real / whole
            for _, pieces, whole in (settled(made, x, crest * k, 0.0, 900) for k in (0.999, 1.001))]
    assert abs(at(1.0)) == pytest.approx((ends[1] - ends[0]) / (0.002 * crest), rel=0.005)
    mean = made.part(pieces, 0.0, 1e-3).real / whole
    for share, near, off in ((0.02, 0.02, 3.0), (0.1, 0.03, 8.0)):
        w, found = 2 * np.pi * share / whole, []
        for swing in (1e-3, -1e-3):
            y, t, total, since = x, 0.0, 0.0, None
            while since is None or t - since < 20 * 2 * np.pi / w:
                since = t if since is None and t > 120 * whole else since
                y, pieces, long = made.cycle(y, t, lambda at, now, swing=swing: crest * (1 + swing * np.sin(w * now)))  # noqa: B023
                total += made.part(pieces, t, w) if since is not None else 0.0
                t += long
            total -= mean * (np.exp(-1j * w * since) - np.exp(-1j * w * t)) / (1j * w)
            found.append(2 * total / (t - since))
        run = (found[0] - found[1]) / 2 / (1e-3 * crest) * 1j
        assert abs(at(w)) == pytest.approx(abs(run), rel=near) and abs(np.degrees(np.angle(at(w) / run))) < off, share


@pytest.mark.parametrize(("load", "duty"), [(1.2, 0.4), (30.0, 0.25)])
def test_duty_control_against_a_converter_run_cycle_by_cycle(load, duty):
    """The resonance of filter and output with what damps it, and the discontinuous end: within 1.5 % and 2 degrees."""
    v_in, inductance, c, esr, period, r = 30.0, 22e-6, 330e-6, 15e-3, 1 / 130e3, 30e-3
    made = fed_always(v_in, inductance, c, esr, load, period, r)
    x, pieces, whole = settled(made, np.array([10.0 if load < 10 else 0.0, 12.0, 1.0]), duty, 0.0, 3000, True)
    ramp = ramp_of(pieces, x, whole, 0.0, inductance, None)
    assert bool(ramp.discontinuous) == (load > 10)
    for share in ((1, 128), (1, 70), (1, 10)):
        w = np.array(2 * np.pi * share[0] / share[1] / period)
        formula, _ = loop.fed_always(w, ramp, loop.impedance(w, load, c, esr), r)
        run = made.response(x, duty, 0.0, share, 900, True)
        assert abs(formula) == pytest.approx(abs(run), rel=0.015) and abs(np.degrees(np.angle(formula / run))) < 2.0, share


def closed(found, k, gain, drawn=0.0):
    """A judged corner as a converter with its whole loop, run in time: from a small push the swing that is left over it, or where a current
    is drawn beside the load from then on [A] where the output goes, cycle by cycle [V]. gain: over that designed."""
    s, c, ramp, ratio = found.signal, found.compensation, found.signal.stage.ramp, getattr(found.signal.stage, "ratio", None)
    at = lambda x: float(x[k]) if np.ndim(x) else float(x)  # noqa: E731
    inductance, period, load, up, down, added = (at(x) for x in (ramp.inductance, ramp.period, s.r_load, ramp.up, ramp.down, ramp.added))
    bank, volts, one = s.banks[0], 24.0, at(s.gain)
    bare = (fed_always((up + down) * inductance, inductance, bank.c[NEW], bank.esr[NEW], load, period) if ratio is None
            else fed_while_off(up * inductance, float(ratio), inductance, bank.c[NEW], bank.esr[NEW], load, period))
    crest = at(ramp.crest) if ratio is not None else volts / load + 0.5 * at(ramp.crest)
    x, pieces, _ = settled(bare, np.array([max(crest - down * at(ramp.t_fall), 0.0), volts, 1.0]), crest, added, 1200)
    held, top = bare.part(pieces, 0.0, 1e-6).real / period, pieces[1][3][0] + added * pieces[0][2]
    made = with_loop(bare, c, held, load, bank.c[NEW], bank.esr[NEW], drawn)
    y, seen, push = np.array([x[0], x[1] * (1.0 if drawn else 1.002), 0.0, 0.0, 0.0, 1.0]), [], 0.002 * x[1]
    for _ in range(1500):
        y, pieces, _ = made.cycle(y, 0.0, lambda at, t: top - one * gain * at[4] - added * t, -added)
        seen.append(made.part(pieces, 0.0, 1e-6).real / period - held if drawn else y[1] - x[1])
        if abs(seen[-1]) > 5 * push:
            break
    return np.array(seen) if drawn else np.ptp(seen[-200:]) / push


@pytest.mark.parametrize(("topology", "k"), [("flyback", -1), ("forward_2sw", 0)])
def test_the_gain_margin_is_where_the_closed_loop_begins_to_swing(demo_document, topology, k):
    """The whole loop in time, cycle by cycle: it comes to rest as designed and with a tenth less than its margin more gain, and swings by
    itself with a tenth more."""
    found = size(demo_document.requirement, {"topology": topology}, noise=False).context["loop"]
    k %= len(found.signal.period)
    f = np.geomspace(50.0, found.signal.fastest, 2000)
    margin = 10 ** (float(loop.margins(f, found.open(f, NEW, [k])).gain[0]) / 20)
    assert 2.0 < margin < 10.0
    assert closed(found, k, 1.0) < 0.02 and closed(found, k, 0.9 * margin) < 0.05 and closed(found, k, 1.12 * margin) > 1.0


@pytest.fixture(scope="module")
def designs():
    return {(name, t): size(decode(demo.text(name), name).requirement, {"topology": t}, noise=False) for name in demo.NAMES
            for t in (*CURRENT, *OTHERS)}


def test_margins_of_few_frequencies_are_those_of_many(designs):
    """Crossover and margins of every demo: one by one on fifteen hundred frequencies, where the phase is taken at the crossing itself."""
    for key, d in designs.items():
        found = d.context["loop"]
        f = np.geomspace(0.2, found.signal.fastest, 1500)
        least, high, low, slack = np.inf, 0.0, np.inf, np.inf
        for end in (NEW, OLD):
            gain = found.open(f, end)
            for one in gain.T:
                last = int(np.flatnonzero(np.abs(one) > 1)[-1])
                turned = np.degrees(np.unwrap(np.angle(one)))
                least, high, low = min(least, 180 + turned[last]), max(high, f[last]), min(low, f[last])
                below = np.flatnonzero(turned <= -180)
                slack = min(slack, -20 * np.log10(np.abs(one[below[0] if len(below) else -1])))
        assert d.value("feedback.phase_margin") == pytest.approx(least, abs=2.5), key
        assert d.value("feedback.crossover") == pytest.approx(high, rel=0.03) and d.value("feedback.crossover_least") == pytest.approx(low,
            rel=0.03), key
        assert d.value("feedback.gain_margin") == pytest.approx(slack, abs=0.8), key


def test_the_rule_holds_what_it_promises(designs):
    """Every demo: margins as wanted, the fastest corner below the aim, the old coupler still stops the pulses, bought values, the
    integrator well below the slowest crossing."""
    for key, d in designs.items():
        at = {k: float(d.rows[f"feedback.{k}"].value) for k in ("f_aim", "r_led", "r_led_most", "r_high", "c_zero", "c_pole", "r_pull")}
        assert d.value("feedback.phase_margin") >= 45 and d.value("feedback.gain_margin") >= 6 and d.figure(
            "feedback.phase_margin").word == d.figure("feedback.gain_margin").word == "inside", key
        assert (d.value("feedback.crossover") <= at["f_aim"] and at["r_led"] <= at["r_led_most"]
                and d.value("feedback.i_end") >= float(d.rows["feedback.i_pin"].value)), key
        assert at["f_aim"] <= 0.1 * 2 * d.context["loop"].signal.fastest * 1.01
        if key[1] in CURRENT:
            nearer = "bus's ripple" in d.rows["feedback.c_zero"].rule  # what the tests of that ripple look into
            assert (1 / (2 * np.pi * at["r_high"] * at["c_zero"]) < 0.3 * d.value("feedback.crossover_least")) is not nearer, key
        elif d.value("feedback.feed") == "fixed":  # with the next smaller one some margin would not hold
            smaller = size(d.requirement, {"topology": key[1], "feedback.c_zero": step(at["c_zero"], -1, "E6"), "feedback.feed": "fixed"},
                           noise=False)
            assert (smaller.value("feedback.phase_margin") < 1.1 * 45 or smaller.value("feedback.gain_margin") < 1.1 * 6
                    or smaller.value("feedback.crossover") > at["f_aim"]), key
        assert not any(f.figure.startswith("feedback.") and f.figure != "feedback.i_end" for f in d.findings), key
        listed = {kind for kind, _, _ in parts.rows(d)}
        assert {"capacitor of the integrator", "capacitor at the controller's pin"} <= listed


def test_what_the_stage_is_decides(designs):
    """A zero on the right side only in continuous conduction of a flyback; a coupler on the output where the current is controlled; the
    integrator alone where a filter's resonance stands in the way; nothing where no coupler is."""
    for (_, topology), d in designs.items():
        s, direct = d.context["loop"].signal, d.value("feedback.feed") == "output"
        fed_off = topology.startswith("flyback")
        assert np.isfinite(
            s.right).any() == (topology in ("flyback", "flyback_2sw") and bool((~s.stage.ramp.discontinuous).any())), topology
        assert direct or topology in OTHERS
        assert topology != "half_bridge" or not direct
        assert hasattr(s.stage, "ratio") == fed_off
    need = decode(demo.text("ringing-lab-bench"), "demo").requirement
    for other in ({"topology": "forward_2sw", "insulation": "functional"}, {"topology": "llc_half", "llc.control": "fixed"},
                  {"topology": "buck_aux"}):
        asked = replace(need, insulation=other.pop("insulation", need.insulation))
        d = size(asked, other, noise=False)
        assert d.context["loop"] is None and "feedback.crossover" not in d.rows, other
    by_duty = size(need, {"topology": "full_bridge", "switch.control": "voltage"}, noise=False)
    assert by_duty.value("feedback.feed") == "fixed" and by_duty.value("feedback.crossover") < 0.3 * designs["ringing-lab-bench",
        "full_bridge"].value("feedback.crossover")


def test_a_pinned_resistor_is_told_what_it_costs(demo_document):
    """A fifth of the resistor: the loop crosses above its aim with less phase, and the finding names the pin; a pinned aim is followed."""
    usual = size(demo_document.requirement, {}, noise=False)
    fast = size(demo_document.requirement, {"feedback.r_led": float(usual.value("feedback.r_led")) / 5}, noise=False)
    assert (fast.value("feedback.crossover") > 2 * usual.value("feedback.crossover")
            and fast.value("feedback.phase_margin") < usual.value("feedback.phase_margin") - 15)
    assert {f.cure for f in fast.findings if f.figure == "feedback.phase_margin"} == {"feedback.r_led"}
    slow = size(demo_document.requirement, {"feedback.f_aim": 1000.0, "feedback.c_zero": 100e-9}, noise=False)
    assert 800 < slow.value("feedback.crossover") <= 1000.0 and slow.value("feedback.phase_margin") > usual.value("feedback.phase_margin")


@pytest.mark.parametrize(("topology", "k"), [("flyback", -1), ("forward_2sw", 0)])
def test_a_load_step_against_the_closed_loop_in_time(demo_document, topology, k):
    """A tenth of the load more: how far the output goes in time, cycle by cycle, is what its closed impedance says, within 5 %."""
    found = size(demo_document.requirement, {"topology": topology}, noise=False).context["loop"]
    s, k = found.signal, k % len(found.signal.period)
    w = 2 * np.pi * np.geomspace(1.0, s.fastest, 400)[:, None]
    gain, behind, drawn = s.plant(w, NEW, [k])
    z = drawn / (1 + gain * found.compensation.around(w, NEW, behind))
    more = 2.4 / float(s.r_load[k])
    asked = more * float(np.abs(loop.step_response(w, z, np.geomspace(1e-5, 0.05, 200))).max())
    moved = closed(found, k, 1.0, more) - closed(found, k, 1.0, 1e-9 * more)  # it does not begin quite at rest
    assert np.abs(moved).max() == pytest.approx(asked, rel=0.05)


def test_a_load_step_is_told_for_the_worse_loop(demo_document):
    """Twice the step, twice the excursion; both told by the closed loop, new and old; the requirement is met by capacitors for it."""
    need = demo_document.requirement
    at = lambda high: size(  # noqa: E731
        replace(need, outputs=(replace(need.outputs[0], load_step=LoadStep(low=0.5, high=high, deviation=1.0)),)), {"output1.parallel": 6},
        noise=False)
    one, two = at(1.0), at(1.5)
    assert two.value("output1.step") == pytest.approx(2 * one.value("output1.step"))
    found, f = one.context["loop"], np.geomspace(0.5, one.context["loop"].signal.fastest, 1500)
    w, worst = 2 * np.pi * f[:, None], 0.0
    for end in (NEW, OLD):
        gain, behind, drawn = found.signal.plant(w, end)
        z = drawn / (1 + gain * found.compensation.around(w, end, behind))
        for t in np.geomspace(1e-5, 0.2, 150):
            worst = max(worst, float(np.abs(2 / np.pi * np.trapezoid(z.real * np.sin(w * t) / w, w[:, 0], axis=0)).max()))
    assert one.value("output1.step") == pytest.approx(0.5 * worst, rel=0.06)
    free = size(replace(need, outputs=(replace(need.outputs[0], load_step=LoadStep(low=0.5, high=1.5, deviation=1.0)),)), {}, noise=False)
    assert free.feasible and free.value("output1.step") <= 1.0


def test_the_picture_shows_the_loop_and_a_click_takes_an_aim(window, qtbot):
    desk = window.size_desk
    desk.choose_stage("feedback")
    desk.picture.choose("loop")
    shown = desk.picture.view.picture
    shown = shown() if callable(shown) else shown
    check_read_out(shown)
    d = window.session.design
    f, gain = (np.asarray(shown.data[k]) for k in ("gain, new x [Hz, logarithmic]", "gain, new [dB]"))
    crossing = 10 ** np.interp(0.0, -gain, f)
    assert d.value("feedback.crossover_least") < crossing <= 1.02 * d.value("feedback.crossover") and shown.decides == "feedback.f_aim"
    spot = next(s for s in shown.spots if s.name == "1000")
    at = QPointF((spot.left + spot.width / 2) * PX_PER_MM, (spot.top + spot.height / 2) * PX_PER_MM).toPoint()
    QTest.mouseClick(desk.picture.view, Qt.MouseButton.LeftButton, pos=at)
    assert window.session.document.decisions["feedback.f_aim"] == 1000.0
    assert window.session.design.value("feedback.crossover") <= 1000.0
    window.session.pin("topology", "buck_aux")
    window.show_all()
    desk.choose_stage("feedback")
    assert "loop" not in pictures_of(window.session.design, "feedback")
