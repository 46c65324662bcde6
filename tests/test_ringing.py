"""The ringing bench: parasitics from two readings, the best resistor by another route, the steady-state engine with the snubber in it, the
window."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhevectra.app.steady import run
from rhevectra.core.basis.errors import InputError
from rhevectra.core.formulas.snubber import snubber_loss
from rhevectra.core.stages.ringing import RATIOS, response, ring_of, snubber_for
from rhevectra.ui.views.ring_bench import usual_step


def test_halving_the_frequency_tells_a_third():
    """Common practice, no source: a capacitor that halves the frequency is three times the parasitic one; 100 pF and 633 nH ring at 20
    MHz."""
    ring = ring_of(20e6, 300e-12, 10e6)
    assert ring.capacitance == pytest.approx(100e-12) and ring.inductance == pytest.approx(1 / ((2 * np.pi * 20e6) ** 2 * 100e-12))
    assert ring.impedance == pytest.approx(np.sqrt(ring.inductance / ring.capacitance))


@pytest.mark.parametrize(("bare", "added", "loaded"), [(20e6, 0.0, 10e6), (20e6, 1e-10, 20e6), (20e6, 1e-10, 25e6), (20e6, 1e-10, 0.0)])
def test_impossible_readings_are_refused(bare, added, loaded):
    with pytest.raises(InputError, match="frequency has to fall"):
        ring_of(bare, added, loaded)


RING = ring_of(20e6, 300e-12, 10e6)


@pytest.mark.parametrize(("r", "ratio"), [(80.0, 3.0), (25.0, 3.0), (200.0, 1.0)])
def test_response_by_integration(r, ratio):
    c = ratio * RING.capacitance

    def rates(_t, x):
        through = (x[1] - x[2]) / r
        return [(1.0 - x[1]) / RING.inductance, (x[0] - through) / RING.capacitance, through / c]
    t, v = response(RING, r, c)
    found = solve_ivp(rates, (0, t[-1]), [0, 0, 0], t_eval=t, rtol=1e-9, atol=1e-12, method="LSODA")
    assert v == pytest.approx(found.y[1], abs=1e-4)


@pytest.mark.parametrize("ratio", RATIOS)
def test_no_other_resistor_gives_a_lower_crest(ratio):
    best = snubber_for(RING, ratio * RING.capacitance)
    scan = [response(RING, best.resistor * f, best.capacitor)[1].max() for f in np.linspace(0.5, 2.0, 61)]
    assert best.peak <= min(scan) + 1e-3 and best.peak < 1.7


def test_the_engine_sees_the_same_crest_and_loss():
    """A node driven through the inductance by a square wave of 100 V at 200 kHz, snubber across it: crest within 1 %, the resistor's heat
    within 3 %: it takes the ring's energy too, not only C·V²·f of the snubber."""
    snub = snubber_for(RING, 330e-12)
    text = (f"ring\nV1 a 0 PULSE(0 100 0 0.1n 0.1n 2.5u 5u)\nL1 a n {RING.inductance}\nC1 n 0 {RING.capacitance}\nR1 n m "
            f"{snub.resistor}\nC2 m 0 {snub.capacitor}\n.end\n")
    found, _ = run(text, 5e-6)
    assert found["nodes"]["n"]["max"] == pytest.approx(100 * snub.peak, rel=0.01)
    assert found["elements"]["r1"]["i"]["rms"] ** 2 * snub.resistor == pytest.approx(
        float(snubber_loss(snub.capacitor, RING.capacitance, 100.0, 200e3)), rel=0.03)


def test_the_bench_in_the_window(window):
    window.go("Wind")
    desk = window.wind_desk
    desk.tabs.setCurrentIndex(3)
    bench = desk.ringing
    assert "add a known capacitor" in bench.words.text() and bench.view.isHidden()
    assert bench.form.number("volts") == pytest.approx(usual_step(window.session.design), rel=5e-3)
    for name, text in (("bare", "20M"), ("added", "300p"), ("loaded", "10M"), ("volts", "100")):
        bench.form.fields[name].setText(text)
    bench.form.fields["volts"].editingFinished.emit()
    words = bench.words.text()
    assert "100 pF" in words and "79.6 Ω" in words and "330 pF" in words and not bench.view.isHidden()
    assert "W in the resistor" in words and "By capacitor" in words
    bench.take.click()
    assert (window.session.design.rows["transformer.leakage"].origin == "measured"
            and float(window.session.design.value("transformer.leakage")) == pytest.approx(633e-9, rel=1e-2))
    window.undo()
    assert window.session.design.rows["transformer.leakage"].origin != "measured"
    bench.form.fields["loaded"].setText("30M")
    bench.form.fields["loaded"].editingFinished.emit()
    assert "frequency has to fall" in bench.words.text() and not bench.take.isEnabled()
    bench.form.fields["loaded"].setText("a lot")
    bench.form.fields["loaded"].editingFinished.emit()
    assert "Frequency with it" in bench.words.text()
    window.session.pin("fs", 90e3)
    window.show_all()
    assert bench.form.number("rate") == pytest.approx(90e3, rel=1e-2) and bench.form.number("volts") == 100.0
