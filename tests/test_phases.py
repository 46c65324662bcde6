"""The three-phase resonant stage: what cancels in the sums, how phases share when their parts differ, and what both cost, against the
engine on the exported circuit."""

import re

import numpy as np
import pytest

from balances import whole
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.netlist import write
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.core.design.cost import magnetics_volume
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.topologies import TOPOLOGIES

NEED = Requirement(mains=Mains(kind="dc", v_min=360, v_max=400), outputs=(Output(voltage=48, current_max=40),), cooling="forced")


@pytest.fixture(scope="module")
def three():
    return size(NEED, {"topology": "llc_three_phase"})


@pytest.fixture(scope="module")
def period(three):
    return exact(three, three.grid.find(360.0))


def summed(e, prefix):
    return sum(i for name, i in e.currents.items() if name.startswith(prefix))


def orders(e, values, most):
    """Amplitudes of the harmonics 0 to most of a waveform at uneven instants, by trapezoids."""
    return np.array(
        [abs(np.trapezoid(values * np.exp(-2j * np.pi * k * e.t / e.period), e.t)) * (2 if k else 1) / e.period for k in range(most + 1)])


def test_in_the_sum_of_the_tank_currents_all_but_the_triplen_orders_cancel(three, period):
    """Common practice, no source; on the engine's waveforms, node capacitance and dead time in them. The figure is the rms of that sum."""
    one, all_three = orders(period, period.currents["lres"], 11), orders(period, summed(period, "lres"), 11)
    others = [k for k in range(1, 12) if k % 3]
    assert max(all_three[others]) < 2e-3 * one[1] and all_three[3] == pytest.approx(3 * one[3], rel=0.01) and one[5] > 5e-3 * one[1]
    rms = np.sqrt(np.trapezoid(summed(period, "lres") ** 2, period.t) / period.period)
    assert three.rows["llc.i_common"].at(period.corner.index) == pytest.approx(rms, rel=0.04)


def test_the_rectified_ripple_begins_at_six_times_the_frequency(three, period):
    """Even phases: nothing below the sixth order; rms of the sum within 3 %; its swing, the small difference of currents taken without
    loss, within 1.5 % of the peak of one phase, and far below it."""
    fed, at = summed(period, "dfeed"), period.corner.index
    seen = orders(period, fed, 12)
    assert max(seen[1:6]) < 0.01 * seen[6] and seen[6] > 0.02 * seen[0]
    assert three.rows["output1.i_fed_even"].at(at) == pytest.approx(np.sqrt(np.trapezoid(fed**2, period.t) / period.period), rel=0.03)
    swing = float(three.rows["output1.i_swing_even"].at(at))
    peak = float(three.rows["rectifier1.i_peak_even"].at(at))
    assert swing == pytest.approx(fed.max() - fed.min(), abs=0.015 * peak) and swing < 0.25 * peak


@pytest.mark.parametrize(("line", "pins"), [(360.0, {}), (400.0, {}), (400.0, {"llc.spread": 0.03})])
def test_uneven_parts_share_as_the_engine_finds(three, line, pins):
    """Inductances and capacitors of phase 1 at one end of the spread, of the others at the other, all eight ways: the worst share of the
    engine is at most that of the figure, and not far below where the figure has its worst; the frequency stays, so that the output moves a
    little instead. The peak of its tank current and what its capacitor sees are at most those of even phases times that share, and told so
    at the worst end of the tolerances."""
    three = size(NEED, {"topology": "llc_three_phase", **pins}) if pins else three
    c, spread = three.grid.find(line), float(three.rows["llc.spread"].value)
    circuit = TOPOLOGIES["llc_three_phase"].circuit(three, c)
    worst, peak, volts = 1.0, 0.0, 0.0
    for signs in ((1, 1, 1), (1, 1, -1), (-1, -1, 1), (-1, -1, -1)):
        text = write(circuit)
        for name, sign in zip(("Lres", "Cres", "Lm"), signs, strict=True):
            text = re.sub(rf"(?m)^{name}(_\d)?( \S+ \S+) (\S+)",
                          lambda m, n=name, s=sign: f"{n}{m[1] or ''}{m[2]} {float(m[3]) * (1 + spread * (-s if m[1] else s)):.9g}", text)
        m = Measures(steady(read(text), circuit.period))
        fed = [sum(np.trapezoid(m.values("i", f"dfeed{half}{phase}"), m.samples.t) for half in ("", "2")) for phase in ("", "_2", "_3")]
        worst = max(worst, max(fed) / np.mean(fed))
        peak = max(peak, *(float(np.abs(m.values("i", f"lres{phase}")).max()) for phase in ("", "_2", "_3")))
        volts = max(volts, *(float(np.ptp(m.values("v", f"cres{phase}"))) / 2 for phase in ("", "_2", "_3")))
    at = lambda id: float(whole(three, three.rows[id])[c.index])  # noqa: E731
    for found, even, figure in ((peak, "llc.i_tank_peak", "switch.i_peak"), (volts, "llc.v_ac", "llc.v_ac_most")):
        assert found < 1.01 * at("llc.phase_most") * at(even) and at("llc.phase_most") * at(even) < at(figure)
        assert found > (1.1 if line == 400.0 else 1.0) * at(even), "an uneven phase carries more than an even one"
    most = three.value("llc.phase_most")
    assert worst < most < 3 and (most - 1 < 1.35 * (worst - 1) or line != 400.0), (worst, most)


def test_parts_as_bought_are_refused_and_say_what_cures_it(three):
    """Common practice, no source: at a gain of one the phases share by their resistances only, and 5 % parts leave one of them most of the
    load. Without a spread they share evenly."""
    bought = size(NEED, {"topology": "llc_three_phase", "llc.spread": 0.05})
    found = [f for f in bought.findings if f.figure == "llc.phase_most"]
    assert bought.value("llc.phase_most") > 1.5 and found and found[0].severity == "must fix" and "llc.spread" in found[0].text
    even = size(NEED, {"topology": "llc_three_phase", "llc.spread": 0.0})
    assert even.value("llc.phase_most") == 1.0 and even.value("output1.i_c_rms") < three.value("output1.i_c_rms")


def test_what_uneven_phases_lose_is_the_mean_square_of_their_currents(three):
    """By hand: shares s and (3 − s)/2 twice; the loss by resistance grows by the mean of their squares less one."""
    s = three.value("llc.phase_most")
    grown = (s**2 + 2 * ((3 - s) / 2) ** 2) / 3 - 1
    assert three.rows["loss.uneven_phases"].value == pytest.approx(grown * three.rows["loss.conduction_all"].value, rel=1e-12)


def test_three_of_each_wound_part_are_counted(three):
    """Volume by hand from the catalogue's cores, and the bill; each phase carries a third."""
    table = three.catalogue["cores"].derived(windows)
    volume = sum(float(table.effective.volume[table.names.index(str(three.rows[id].value))])
                 for id in ("transformer.core", "inductor.core"))
    assert magnetics_volume(three) == pytest.approx(3 * volume) and TOPOLOGIES["llc_three_phase"].bill(three)["wound"] == 6
    full = three.grid.find(360.0).index
    assert 6 * float(whole(three, three.rows["rectifier1.i_avg_even"])[full]) == pytest.approx(40.0, rel=0.01)
