"""What the loop leaves of the bus's ripple at the output: closed form against the closed loop run cycle by cycle on a bus that swings."""

from dataclasses import replace

import numpy as np
import pytest

from cycles import fed_always, fed_while_off, settled, with_loop
from rhevectra import demo
from rhevectra.app.parts import rows
from rhevectra.core.basis import corners
from rhevectra.core.basis.preferred import step
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import plain
from rhevectra.core.design.size import size
from rhevectra.core.topologies.common.signal import NEW
from rhevectra.project.codec import decode

LEVELS = 25
"""Heights of the bus between valley and crest that the run knows."""


def looped(found, k, bus, volts):
    """Converter of so many volts with its whole loop at a judged corner, one for each bus over that corner's, and where all begins at the
    first of them; new parts. Behind a filter inductor all of the slope that is added is the magnetising current's, which follows the
    bus."""
    s, c, ramp, ratio = found.signal, found.compensation, found.signal.stage.ramp, getattr(found.signal.stage, "ratio", None)
    at = lambda x: float(x[k]) if np.ndim(x) else float(x)  # noqa: E731
    inductance, period, load, up, down, added = (at(x) for x in (ramp.inductance, ramp.period, s.r_load, ramp.up, ramp.down, ramp.added))
    bank = s.banks[0]

    def bare(over):
        if ratio is None:
            return fed_always((up + down) * inductance * over, inductance, bank.c[NEW], bank.esr[NEW], load, period)
        return fed_while_off(up * inductance * over, float(ratio), inductance, bank.c[NEW], bank.esr[NEW], load, period)
    peak = at(ramp.crest) if ratio is not None else volts / load + 0.5 * at(ramp.crest)
    first, top = bare(1.0), peak + added * (period - at(ramp.t_fall))
    x, pieces, _ = settled(first, np.array([max(peak - down * at(ramp.t_fall), 0.0), volts, 1.0]), top, added, 2000)
    held = first.part(pieces, 0.0, 1e-6).real / period
    assert held == pytest.approx(volts, rel=0.06)

    slopes = added * (np.asarray(bus) if ratio is None else np.ones(len(bus)))
    made = [with_loop(bare(over), c, held, load, bank.c[NEW], bank.esr[NEW]) for over in bus]
    return made, np.array([*x[:2], 0.0, 0.0, 0.0, 1.0]), top, at(s.gain), slopes


@pytest.mark.parametrize(("topology", "volts"), [("flyback", 24.0), ("forward_2sw", 24.0), ("flyback", 3.3)])
def test_against_the_closed_loop_on_a_swinging_bus(topology, volts):
    """At the lowest line, full load, couplers and capacitors new, the bus as a sine between its valley and its crest: the output swings as
    told, within a tenth (the swing is a fifth of the bus, and the run knows no leakage and no delay). Of 3.3 V the coupler is fed from
    elsewhere, with a resistor in series with the integrator."""
    demos = decode(demo.text(), "demo").requirement
    need = demos if volts == 24 else replace(demos, outputs=(Output(voltage=volts, current_max=10.0),), efficiency_target=None)
    d = size(need, {"topology": topology, "switch.limit_delay": 0.0}, noise=False)
    assert (d.value("feedback.feed") == "fixed" and d.value("feedback.r_zero") > 0) is (volts < 5)
    found, grid = d.context["loop"], d.grid
    s, full = found.signal, grid.full_load
    k = int(np.flatnonzero(s.where.points == full)[0])  # the least bus of full load
    bus = np.broadcast_to(plain(d.context["stage"].v_bus), grid.shape)
    line, freq, _, _ = np.unravel_index(int(s.where.at.ravel()[k]), grid.shape)
    low, high = bus[line, freq, full]
    made, y, top, gain, added = looped(found, k, np.linspace(1.0, high / low, LEVELS), volts)
    period, w = made[0].period, 2 * np.pi * 2 * grid.freqs[freq]
    seen, every = [], int(2 * np.pi / w / period)
    for n in range(6 * every):
        level = round((LEVELS - 1) * 0.5 * (1 - np.cos(w * n * period)))
        y, pieces, _ = made[level].cycle(y, 0.0, lambda at, t, j=level: top - gain * at[4] - added[j] * t, -added[level])
        seen.append(made[level].part(pieces, 0.0, 1e-6).real / period)
    run = float(np.ptp(np.convolve(seen[-2 * every:], np.ones(9) / 9, "valid")))
    plant, behind, _ = s.plant(np.array([[w]]), NEW, [k])
    around = found.compensation.around(np.array([[w]]), NEW, behind)
    asked = np.broadcast_to(s.asked, grid.shape)[line, freq, full]
    told = float(abs(asked[0] - asked[-1]) * np.abs(plant / (1 + plant * around)).item())
    assert told == pytest.approx(run, rel=0.1)
    assert d.value("output1.ripple_line_pp") >= 0.99 * told


def test_a_low_output_answers_at_once_from_another_rail():
    """3.3 V leave a coupler on the output no margin. With a resistor in series with the integrator the loop is many times faster than by
    the integrator alone, holds its margins, and leaves less than a third of the bus's ripple; the resistor is bought."""
    need = Requirement(mains=Mains(kind="ac1", v_min=90, v_max=264), outputs=(Output(voltage=3.3, current_max=10.0),))
    d, alone = (size(need, pins, noise=False) for pins in ({}, {"feedback.r_zero": 0.0}))
    assert d.value("feedback.crossover_least") > 10 * alone.value("feedback.crossover_least")
    assert d.value("output1.ripple_line_pp") < 1 / 3 * alone.value("output1.ripple_line_pp")
    for x in (d, alone):
        assert x.figure("feedback.phase_margin").margin > 0 and x.figure("feedback.gain_margin").margin > 0
    bought = ["resistor in series with the integrator" in {kind for kind, _, _ in rows(x)} for x in (d, alone)]
    assert bought == [True, False]


def test_the_older_loop_and_the_lower_bus_leave_more():
    """By what is around it, with hardly an integrator: half the crossover leaves about twice as much; a bus that ripples little leaves
    little, and a dc source has none."""
    need, hardly = decode(demo.text(), "demo").requirement, {"feedback.c_zero": 1e-6}
    usual, slow = (size(need, hardly | pins, noise=False) for pins in ({}, {"feedback.f_aim": 1500.0}))
    shares = [x.value("output1.ripple_line_pp") * x.value("feedback.crossover") for x in (usual, slow)]
    assert shares[1] == pytest.approx(shares[0], rel=0.2) and slow.value("output1.ripple_line_pp") > usual.value("output1.ripple_line_pp")
    stiff = size(need, hardly | {"bulk.c": 3 * float(plain(usual.rows["bulk.c"]))}, noise=False)
    assert stiff.value("output1.ripple_line_pp") < 0.45 * usual.value("output1.ripple_line_pp")
    dc = Requirement(mains=Mains(kind="dc", v_min=120, v_max=375), outputs=(Output(voltage=24.0, current_max=2.5),))
    assert "output1.ripple_line_pp" not in size(dc, {"topology": "flyback"}, noise=False).rows


def test_both_ripples_together_are_held_against_what_is_asked():
    """Each within what is asked for, both together not: told once, with what cures it, and no more once that is done."""
    need, kept = decode(demo.text(), "demo").requirement, {"feedback.c_zero": 22e-9}
    told = lambda d: [f for f in d.findings if f.figure == "output1.ripple_line_pp"]  # noqa: E731
    d = size(need, kept, noise=False)
    both = d.rows["output1.ripple_line_pp"].value + d.rows["output1.ripple_pp"].value
    most = float(np.where(corners.FULL.mask(d.grid), both, 0.0).max())
    assert max(float(d.value(f"output1.ripple{x}_pp")) for x in ("", "_line")) < need.outputs[0].ripple_pp < most
    assert len(told(d)) == 1 and (told(d)[0].cure, told(d)[0].severity) == ("bulk.c", "note") and show(most, "V") in told(d)[0].text
    assert not told(size(need, kept | {"bulk.c": 2 * float(plain(d.rows["bulk.c"]))}, noise=False))


def test_the_rule_brings_the_integrator_nearer_for_it():
    """Where both ripples together are more than is asked for with the integrator at a quarter of the lowest crossover, it ends higher up:
    no further than it has to, and only as far as the margins hold with their room."""
    need = decode(demo.text(), "demo").requirement
    both = lambda d: np.where(corners.FULL.mask(d.grid), d.rows["output1.ripple_line_pp"].value  # noqa: E731
                              + d.rows["output1.ripple_pp"].value, 0.0).max()
    d = size(need, {}, noise=False)
    made = float(plain(d.rows["feedback.c_zero"]))
    larger, quarter = (size(need, {"feedback.c_zero": c}, noise=False) for c in (step(made, 1, "E6"), 22e-9))
    assert 1 / (2 * np.pi * float(plain(d.rows["feedback.r_high"])) * 22e-9) < 0.3 * quarter.value("feedback.crossover_least")
    assert both(d) <= need.outputs[0].ripple_pp < both(larger) < both(quarter)
    assert d.value("feedback.phase_margin") >= 1.1 * 45 and d.value("feedback.gain_margin") >= 1.1 * 6
    nothing = size(replace(need, outputs=(replace(need.outputs[0], ripple_pp=0.05),)), {"output1.parallel": 4}, noise=False)
    assert nothing.value("feedback.phase_margin") >= 1.1 * 45  # out of reach: as far as the margins let it
    beyond = step(float(plain(nothing.rows["feedback.c_zero"])), -1, "E6")
    beyond = size(nothing.requirement, {"output1.parallel": 4, "feedback.c_zero": beyond}, noise=False)
    assert beyond.value("feedback.phase_margin") < 1.1 * 45 or beyond.value("feedback.gain_margin") < 1.1 * 6


@pytest.mark.parametrize("name", ["camera-hide", "ringing-lab-bench"])
def test_feed_forward_keeps_it_from_a_slow_loop(name):
    """A half bridge under duty control, whose loop stays below the resonance of its filter: without the bus in its modulator the output
    would follow it; with it only what the drops make remains. By hand: without a loop the output goes as the bus does."""
    need = decode(demo.text(name), "demo").requirement
    followed, alone = (size(need, {"topology": "half_bridge", "switch.feed_forward": kind}, noise=False) for kind in ("bus", "none"))
    assert followed.rows["switch.feed_forward"].value == size(need, {"topology": "half_bridge"}, noise=False).rows[
        "switch.feed_forward"].value
    assert followed.value("output1.ripple_line_pp") < 0.05 * alone.value("output1.ripple_line_pp")
    bus = np.broadcast_to(plain(alone.context["stage"].v_bus), alone.grid.shape)[:, :, alone.grid.full_load]
    swings = float(((bus[..., -1] - bus[..., 0]) / bus.mean(-1)).max()) * need.outputs[0].voltage
    assert 0.3 * swings < alone.value("output1.ripple_line_pp") < 1.4 * swings
    assert any(f.figure == "output1.ripple_line_pp" and f.severity == "look at" for f in alone.findings)
