"""The bus behind a power factor stage: its ripple, its sag at a load step and its wide swing, by hand, in time and by the circuit
simulator."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from balances import check_finite
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.formulas import pfc, rectifier
from rhevectra.core.stages.pfc.storage import energy_swing
from spice import measure


def test_the_bus_of_a_large_stage_by_hand_and_by_time():
    """2.4 kW, 390 V, 60 Hz (invented): 560 µF ripples 29.15 V by the formula and 29.17 V by integrating the power balance (29.2 V by both,
    rounded); its valley lies 2 V above a 264 V crest at 60 Hz and below it at 50 Hz; 10 ms of lost load reach 488 V."""
    ripple = pfc.bus_ripple(2400, 60, 560e-6, 390)
    assert ripple == pytest.approx(29.2, abs=0.06) and pfc.bus_valley(390, ripple) == pytest.approx(375.1, abs=0.1)
    omega = 2 * np.pi * 60
    found = solve_ivp(lambda t, v: -2400 * np.cos(2 * omega * t) / (560e-6 * v), (0, 1 / 60), [390.0], rtol=1e-9, max_step=1e-5)
    assert (found.y[0].max() - found.y[0].min() == pytest.approx(29.2, abs=0.06)
            and found.y[0].max() - found.y[0].min() == pytest.approx(ripple, rel=0.005))
    assert (pfc.bus_valley(390, ripple) == pytest.approx(found.y[0].min(), abs=0.05)
            and pfc.bus_peak(390, ripple) == pytest.approx(found.y[0].max(), abs=0.05))
    crest = pfc.crest(264)
    assert 0 < pfc.bus_valley(390, ripple) - crest < 2 and pfc.bus_valley(390, pfc.bus_ripple(2400, 50, 560e-6, 390)) < crest
    assert pfc.dump(390, 2400, 10e-3, 560e-6) == pytest.approx(488, abs=0.5)


def test_the_bus_ripple_against_the_simulator(tmp_path):
    """An averaged power source into the capacitor and a constant-power load: swing within 1 %; and the time from the valley down to 300 V
    without the source within 2 %."""
    text = ("bus\nCb bus 0 560u IC=390\nBin 0 bus I=2400*(1-cos(2*3.14159265*120*time))/v(bus)\nBout bus 0 I=2400/v(bus)\n.options "
            "reltol=1e-6\n.tran 20u 100m 0 20u uic\n.end\n")
    found = measure(text, [], {"high": "MAX v(bus)", "low": "MIN v(bus)"}, (66.667e-3, 100e-3), tmp_path / "b.cir")
    assert found["high"] - found["low"] == pytest.approx(pfc.bus_ripple(2400, 60, 560e-6, 390), rel=0.01)
    start = float(pfc.bus_valley(390, pfc.bus_ripple(2400, 60, 560e-6, 390)))
    lasts = rectifier.hold_up(560e-6, start, 300.0, 2400.0)
    gone = measure(f"gone\nCb bus 0 560u IC={start}\nBout bus 0 I=2400/v(bus)\n.tran 2u 10m 0 2u uic\n.end\n", [], {"v": "MIN v(bus)"},
                   (0, float(lasts)), tmp_path / "h.cir")
    assert gone["v"] == pytest.approx(300.0, rel=0.005)


def test_a_capacitor_for_the_switching_ripple_only_is_refused():
    """70 µF under 2.4 kW ripples far beyond what the linear formula holds for: said so, with both ripples; and the classic slip of a bus
    below the crest."""
    need = Requirement(mains=Mains(kind="ac1", v_min=180, v_max=264), outputs=(Output(voltage=48, current_max=45),), cooling="forced",
                       harmonics_class="A")
    d = size(need, {"topology": "full_bridge", "front_end": "pfc_ccm", "pfc.c_bus": 70e-6})
    told = [f.text for f in d.findings if f.severity == "must fix"]
    assert any("linear formula no longer holds" in t and "switching ripple only" in t for t in told) and any(
        "Bus valley" in t for t in told)
    at = (0, 0, d.grid.full_load, 0)
    assert (d.rows["pfc.bus_ripple_lf_pp"].at(at) == pytest.approx(d.rows["bulk.v_peak"].at(at) - d.rows["bulk.v_valley"].at(at))
            and d.rows["pfc.bus_ripple_lf_pp"].at(at) != d.rows["pfc.bus_ripple_lf_pp_linear"].at(at))
    low = size(need, {"topology": "full_bridge", "front_end": "pfc_ccm", "pfc.v_bus": 350.0})
    assert any("below the crest" in f.text for f in low.findings if f.severity == "must fix")
    check_finite(low)
    late = size(need, {"topology": "full_bridge", "front_end": "pfc_ccm", "pfc.c_bus": 560e-6, "pfc.dump_delay": 10e-3})
    assert any(f.figure == "bulk.v_dump" and f.severity == "must fix" for f in late.findings)


def _sinks(power: float, crossover: float, c: float, v_bus: float, left: float, zero: float) -> float:
    """How far [V] a bus sinks when a power [W] is asked for at once: the energy of its capacitor (left of it) and a loop with its
    crossover, a pole at three times that and an integral part from `zero` [Hz] on, in time."""
    omega = 2 * np.pi * crossover
    k = c * v_bus * omega

    def rates(_t, y):
        v, drawn, held = y
        return (drawn - power) / (left * c * v), 3 * omega * (k * (v_bus - v) + held - drawn), k * 2 * np.pi * zero * (v_bus - v)
    return v_bus - solve_ivp(rates, (0.0, 4 / crossover), (v_bus, 0.0, 0.0), max_step=0.002 / crossover, rtol=1e-8).y[0].min()


@pytest.mark.parametrize(("hold_up", "front"), [(20e-3, "pfc_ccm"), (10e-3, "pfc_ccm"), (0.0, "pfc_bridgeless")])
def test_full_load_at_once_sinks_the_bus_as_far_as_the_loop_lets_it(hold_up, front):
    """Bus and loop integrated in time: with a fifth of the capacitor gone and no integral part the figure is met within 4 % of what it
    sinks, with one it is on the safe side; where little is stored the rule quickens the loop and the power stage keeps its bus."""
    need = Requirement(mains=Mains(kind="ac1", v_min=100, v_max=264), outputs=(Output(voltage=48, current_max=12),), hold_up=hold_up,
                       hold_up_at=230, cooling="forced", harmonics_class="A")
    d = size(need, {"topology": "full_bridge", "front_end": front}, noise=False)
    figure = d.figure("bulk.v_step")
    at = lambda id: float(d.rows[id].at(figure.corner.index))  # noqa: E731
    bus = (at("bulk.p_load"), at("pfc.crossover_voltage"), at("pfc.c_bus"), at("pfc.v_bus"))
    sinks = at("bulk.v_valley") - figure.value
    assert sinks == pytest.approx(_sinks(*bus, 0.8, 0.0), rel=0.04) and 0.8 * sinks < _sinks(*bus, 0.8, bus[1] / 4) < sinks
    assert (bus[1] > 8.0) == (hold_up < 20e-3) and figure.margin >= 0 and d.feasible
    slow = size(need, {"topology": "full_bridge", "front_end": front, "pfc.crossover_voltage": 3.0}, noise=False)
    assert ([(f.severity, f.cure) for f in slow.findings if f.figure == "bulk.v_step"] == [("look at", "pfc.crossover_voltage")]
            and slow.feasible)


@pytest.mark.parametrize(("c", "v_line"), [(560e-6, 200.0), (70e-6, 100.0), (120e-6, 150.0)])
def test_a_wide_swing_in_time_by_integrating_the_power_balance(c, v_line):
    """Source of a sine's power and constant-power load, the bus above the line throughout: valley and crest for the mean that comes out,
    0.5 %."""
    omega = 2 * np.pi * 50
    y = solve_ivp(lambda t, v: -2400 * np.cos(2 * omega * t) / v / c, (0, 0.01), [420.0], rtol=1e-8, max_step=5e-6)
    v, mean = y.y[0], float(np.trapezoid(y.y[0], y.t) / 0.01)
    low, high = energy_swing(np.array(2400.0), np.array(50.0), c, mean, np.array(v_line))
    assert np.all(np.sqrt(2) * v_line * np.abs(np.sin(omega * y.t)) < v)
    assert float(low) == pytest.approx(v.min(), rel=0.005) and float(high) == pytest.approx(v.max(), rel=0.005)
