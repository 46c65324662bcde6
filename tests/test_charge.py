"""A resonant stage whose loop moves the charge of half a period: what its capacitor reaches, against the exact period; when that is chosen;
what it leaves of the bus's ripple, against the closed loop run half period by half period, and beside a loop that moves the frequency."""

import math

import numpy as np
import pytest
from msgspec.structs import replace

from balances import whole
from rhevectra.app.parts import rows as parts_of
from rhevectra.bench import bringup
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.topologies.common.signal import NEW
from rhevectra.core.topologies.resonant import tank
from tanks import Run

NEED = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12.0, current_max=15.0),))
STEPS = 40


@pytest.fixture(scope="module")
def charged():
    return size(NEED, {"topology": "llc_half"}, noise=False)


@pytest.mark.parametrize("topology", ["llc_half", "llc_full"])
def test_what_the_capacitor_reaches_against_the_exact_period(topology):
    """Where the exact period opens the switch, half the dead time before half a period ends, the resonant capacitor's ac voltage is the one
    told, at full and half load, the least and the greatest bus."""
    d = size(NEED, {"topology": topology}, noise=False)
    told = np.broadcast_to(d.rows["llc.v_turn"].value, d.grid.shape)
    points = [k for k, p in enumerate(d.grid.points) if p.case == "run" and not p.label and p.load in (0.5, 1.0)]
    for line, k, bus in [(0, points[0], 0), (0, points[1], 0), (len(d.grid.lines) - 1, points[0], -1)]:
        c = d.grid.corner((line, 0, k, bus % d.grid.shape[3]))
        e = exact(d, c)
        v = e.voltages["a"] - e.voltages["t1"]
        at = np.interp(0.5 * (e.period - float(d.rows["switch.dead_time"].value)), e.t, v) - 0.5 * (v.max() + v.min())
        assert at == pytest.approx(float(told[c.index]), rel=0.03)
    assert d.figure("llc.v_turn").margin > 0


def test_when_it_is_chosen_and_what_it_leaves(charged):
    """By rule where the mains ripple the bus, with its divider among the parts; from a dc source, and on a pin, the frequency is moved. The
    slow loop of that leaves many times more of the ripple, and is told what would cure it."""
    assert charged.value("feedback.moves") == "charge" and charged.figure("output1.ripple_line_pp").margin > 0
    slow = size(NEED, {"topology": "llc_half", "feedback.moves": "frequency"}, noise=False)
    assert slow.value("output1.ripple_line_pp") > 5 * charged.value("output1.ripple_line_pp")
    assert slow.value("feedback.crossover") < 0.3 * charged.value("feedback.crossover")
    assert "feedback.moves" in next(f for f in slow.findings if f.figure == "output1.ripple_line_pp").cure
    for d in (charged, slow):
        assert d.figure("feedback.phase_margin").margin > 0 and d.figure("feedback.gain_margin").margin > 0
        assert d.value("efficiency") == pytest.approx(charged.value("efficiency"), abs=1e-9)
    bought = [{kind for kind, _, _ in parts_of(d)} for d in (charged, slow)]
    assert {"upper capacitor of the charge divider", "lower capacitor of the charge divider"} == bought[0] - bought[1]
    dc = Requirement(mains=Mains(kind="dc", v_min=360, v_max=400), outputs=(Output(voltage=48.0, current_max=10.0),))
    assert size(dc, {"topology": "llc_half"}, noise=False).value("feedback.moves") == "frequency"
    assert "feedback.moves" not in size(NEED, {"topology": "llc_half", "llc.control": "fixed"}, noise=False).rows


def test_the_bench_reads_the_divider(charged):
    """At both ends of the line, around what is told, as the divider shows it."""
    read = [c for step in bringup.plan(charged) for c in step.checks if c.name == "Resonant capacitor at turn-off"]
    ratio = 1 + charged.value("llc.c_sense_lower") / charged.value("llc.c_sense_upper")
    assert [c.at.split()[0] for c in read] == ["195", "230", "265"] and all(f"× {ratio:.3g}" in c.how for c in read)
    full = np.broadcast_to(charged.rows["llc.v_turn"].value, charged.grid.shape)[:, :, charged.grid.full_load]
    for c, line in zip(read, (195.0, 230.0, 265.0), strict=True):
        at = charged.grid.lines.index(line)
        assert c.low < full[at].min() <= full[at].max() < c.high < 1.3 * full[at].max()


def test_three_phases_follow_the_first():
    """Their half periods end a third and two thirds of one after its own: the same answer as of one tank that feeds three times as much,
    later by a third of half a period on the mean. The bus's ripple is left to as little."""
    d, slow = (size(NEED, {"topology": "llc_three_phase", "front_end": "plain", **pins}, noise=False)
               for pins in ({}, {"feedback.moves": "frequency"}))
    assert d.value("feedback.moves") == "charge" and d.figure("output1.ripple_line_pp").margin > 0
    assert slow.figure("output1.ripple_line_pp").margin < 0 and d.figure("feedback.phase_margin").margin > 0
    stage = d.context["loop"].signal.stage
    w, only = np.array([[2 * np.pi * 5e3]]), slice(None)
    stage = replace(stage, r_path=0.0 * stage.r_path)
    alone = replace(stage, phases=1, turns=3 * stage.turns)  # as much current; into a short, no output moves it
    load = np.full((1, len(stage.half)), 1e-6 + 0j)
    three, one = (x.volts(w, load, only)[0] for x in (stage, alone))
    later = w * stage.half * stage.second / 3
    assert np.angle(one / three) == pytest.approx(later, rel=0.02) and np.abs(one / three) == pytest.approx(1.0, abs=0.01)


def test_the_divider_covers_the_limit_and_the_least_capacitor():
    """By hand: two capacitors, the controller's 2 V, a resonant capacitor at the low end of its tolerance at the current limit; of a stage
    that is not asked to go on below its least bus."""
    charged = size(NEED, {"topology": "llc_half", "llc.v_hold": 390.0}, noise=False)
    upper, lower = (float(charged.value(f"llc.c_sense_{x}")) for x in ("upper", "lower"))
    reach = 2.0 * (upper + lower) / upper
    most = float(np.max(charged.rows["llc.v_turn"].value)) * (1 + float(charged.value("llc.cr_tolerance")))
    assert most <= reach < 1.25 * most and charged.figure("llc.v_turn").limit == pytest.approx(reach)


def test_against_the_closed_loop_on_a_swinging_bus(charged):
    """At the lowest line and full load, all new: tank, output, optocoupler, integrator and pin in small steps on a bus that swings between
    valley and crest as a sine. The output swings as told, within a tenth."""
    d, loop, grid = charged, charged.context["loop"], charged.grid
    signal, made, full = loop.signal, loop.compensation, grid.full_load
    k = int(np.flatnonzero(signal.where.points == full)[0])
    place = np.unravel_index(int(signal.where.at.ravel()[k]), grid.shape)
    bus = whole(d, d.context["stage"].v_bus)[place[0], place[1], full]
    s, stage, w = d.context["stage"], signal.stage, 2 * np.pi * 2 * grid.freqs[place[1]]
    second, ohm, n, across = float(stage.second[k]), float(stage.ohm[k]), stage.turns, float(s.variant.drive * bus[0])
    found = tank.spread(d.context["plan"].settled.found, np.array([int(signal.where.at.ravel()[k])]))
    x, half, bank = found.half.start[0].tolist(), float(found.point.half[0]), signal.banks[0]
    run = Run(float(found.point.ratio[0]), float(found.point.gain[0] / found.point.load[0]), bank.c[NEW] * ohm / n**2 / second,
              bank.esr[NEW] * n**2 / ohm)
    held, coupled = float(found.point.gain[0]), made.ratios[NEW] / made.r_led
    x, steady, source = [*x, held], -x[2], 1.0
    integral = pin = pulled = t = 0.0
    seen, height = [], float(bus[-1] / bus[0] - 1)
    while t * second < 4 * 2 * np.pi / w:
        ended, begun, total = False, t, 0.0
        level = source * (1 + 0.5 * height * (1 - math.cos(w * second * t)))
        while not ended:
            reach = steady - signal.gain * pulled / across
            new, part, ended = run.until(x, level, half / STEPS, lambda _, reach=reach: reach)
            volts = run.share * (new[3] + run.esr * abs(new[0] - new[1]))
            moved, dt = (volts - held) * across / n, part * second
            integral += moved / (made.r_high * made.c_zero) * dt
            pin += 2 * np.pi * made.pole * (coupled * (made.at_once * moved + integral) - pin) * dt
            pulled += 2 * np.pi * made.coupler * (pin - pulled) * dt
            x, t, total = new, t + part, total + volts * part
        source = -source
        seen.append((t * second, total / (t - begun) * across / n))
    last = np.array([v for at, v in seen if at > 2 * 2 * np.pi / w])
    swung = float(np.ptp(np.convolve(last, np.ones(9) / 9, "valid")))
    plant, behind, _ = signal.plant(np.array([[w]]), NEW, [k])
    asked = np.broadcast_to(signal.asked, grid.shape)[place[0], place[1], full]
    told = float(abs(asked[0] - asked[-1]) * np.abs(plant / (1 + plant * made.around(np.array([[w]]), NEW, behind))).item())
    assert told == pytest.approx(swung, rel=0.1)
    assert d.value("output1.ripple_line_pp") >= 0.99 * told
