"""The clamp formulas against a pulse-by-pulse simulation of capacitor, resistor and leakage (second algorithm)."""

import numpy as np
import pytest

from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas import clamp

LEAKAGE, NODE, V_OR, DROP = 8e-6, 80e-12, 95.0, 1.0


def simulate(r: float, c: float, fs: float, i_one: float) -> tuple[float, float, float]:
    """Mean voltage, crest, and resistor power in the steady state: leakage current integrated in steps of 1 ns, resistor in between."""
    v = V_OR
    for _ in range(int(12 * r * c * fs) + 60):
        lift = max(v + DROP - V_OR, 0.0)
        i = np.sqrt(max(i_one**2 - NODE / LEAKAGE * lift**2, 0.0))
        if v + DROP < V_OR:  # the core lifts the capacitor to the reflected voltage first
            v = V_OR - DROP
        while i > 0:
            i -= (v + DROP - V_OR) / LEAKAGE * 1e-9
            v += max(i, 0.0) / c * 1e-9
            if v + DROP - V_OR <= 0 and i <= 0:
                break
        crest = v
        kept = np.exp(-1 / (r * c * fs))
        v = crest * kept
        mean = crest * (1 - kept) * r * c * fs
        power = 0.5 * c * fs * crest**2 * (1 - kept**2)
    return mean, crest, power


@pytest.mark.parametrize(("r", "c", "fs", "i_one"),
                         [(7500.0, 22e-9, 65e3, 2.5), (7500.0, 22e-9, 65e3, 1.2), (20e3, 10e-9, 65e3, 0.6), (3900.0, 47e-9, 100e3, 3.0)])
def test_steady_clamp_voltage_and_power(r, c, fs, i_one):
    kept = clamp.decay(r, c, fs)
    strength = clamp.strength(LEAKAGE, clamp.charge_per_volt(c, kept))
    mid = clamp.voltage(clamp.floor_voltage(V_OR, DROP), strength, clamp.lift(NODE, LEAKAGE), i_one)
    crest = clamp.crest_steady(mid, kept)
    mean, top, power = simulate(r, c, fs, i_one)
    assert clamp.mean_voltage(crest, kept, r, c, fs) == pytest.approx(mean, rel=0.015)
    assert crest == pytest.approx(top, rel=0.015)
    assert clamp.power(c, fs, crest, kept) == pytest.approx(power, rel=0.03)


def test_rare_pulses_lift_the_capacitor_from_the_reflected_voltage():
    r, c, fs, i_one = 9100.0, 22e-9, 800.0, 0.6
    _, top, power = simulate(r, c, fs, i_one)
    crest = clamp.crest_rare(clamp.floor_voltage(V_OR, DROP), i_one, LEAKAGE, c)
    assert crest == pytest.approx(top, rel=0.01)
    assert clamp.power(c, fs, crest, clamp.decay(r, c, fs)) == pytest.approx(power, rel=0.02)


def test_three_beliefs_answered_by_computation():
    """More capacitance does not raise clamp power; a larger resistor raises the voltage and lowers the power; power follows frequency
    through leakage energy."""
    base = simulate(7500.0, 22e-9, 65e3, 2.5)
    more_c = simulate(7500.0, 68e-9, 65e3, 2.5)
    more_r = simulate(15e3, 22e-9, 65e3, 2.5)
    assert more_c[2] == pytest.approx(base[2], rel=0.02)
    assert more_r[0] > base[0] and more_r[2] < base[2]
    twice = simulate(3750.0, 11e-9, 130e3, 2.5)
    assert twice[0] == pytest.approx(base[0], rel=0.01) and twice[2] == pytest.approx(2 * base[2], rel=0.02)


@pytest.mark.parametrize("kind", ["rcd", "zener", "rcd_zener"])
def test_what_the_leakage_takes_from_the_outputs(demo_document, kind):
    """By the exact period: while the leakage empties, its current runs through the core's discharge too; that charge at the reflected
    voltage is the power the outputs miss."""
    d = size(demo_document.requirement, {"clamp.kind": kind} if kind == "rcd" else {"clamp.kind": kind, "clamp.z_tolerance": 0.0})
    c = d.grid.find(85.0)
    e, at = exact(d, c), lambda id: float(np.asarray(d.rows[id].at(c.index)))
    charge = np.trapezoid(e.currents["dcl"], e.t)
    mine = at("clamp.power_stolen")
    assert mine == pytest.approx(charge / e.period * at("transformer.v_reflected"), rel=0.12, abs=0.02 * at("clamp.power"))
    own = 0.5 * at("transformer.leakage") * at("clamp.i_peak") ** 2 * at("switch.frequency")
    assert mine + own == pytest.approx(at("clamp.power") + at("clamp.loss_diode"),
                                       rel=0.03)  # the leakage's own energy is the rest of what clamp and diode burn


@pytest.mark.parametrize(("fs", "most"), [(65e3, 500e-9), (200e3, 250e-9)])
def test_a_faster_stage_asks_for_a_faster_diode(demo_document, fs, most):
    """500 ns (common practice, no source), less where a twentieth of the period is less; without a clamp, or with a slow diode, there is no
    such limit."""
    d = size(demo_document.requirement, {"fs": fs}, noise=False)
    assert d.figure("clamp.t_recovery").value == pytest.approx(most)
    for kind in ("none", "rcd_slow"):
        assert "clamp.t_recovery" not in size(demo_document.requirement, {"fs": fs, "clamp.kind": kind}, noise=False).specs
