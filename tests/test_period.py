"""The switching period: balances that must hold whatever the formulas, its waveforms, and the accelerated passes."""

import numpy as np
import pytest
from scipy.optimize import brentq

from requirements import random_requirements
from rhevectra.core.basis.fixed_point import PLAIN, FixedPoint
from rhevectra.core.design.size import size
from rhevectra.core.formulas import flyback
from rhevectra.core.topologies.flyback import waveforms
from rhevectra.core.topologies.flyback.period import solve


def run_mask(d) -> np.ndarray:
    return np.broadcast_to(d.grid.where(lambda p: p.case == "run" and p.load > 0), d.grid.shape)


@pytest.fixture(scope="module", params=[3, 4, 5])
def design(request):
    return size(next(iter(random_requirements(request.param, 1, (15, 90)))))


def test_volt_seconds_of_the_magnetising_inductance_balance(design):
    """Over a period at every loaded corner, within 1 %: bus less the drop of the mean ramp current, what lifting the node takes, what the
    free ring leaves, against reflected voltage over the discharge."""
    o, s, mask = design.context["o"], design.context["stage"], run_mask(design)
    value = lambda x: np.broadcast_to(getattr(x, "value", x), design.grid.shape)  # noqa: E731
    up = (value(s.v_bus) - value(o["r_on"]) * (value(o["i_peak"]) + value(o["i_start"])) / 2) * value(o["t_ramp"]) * value(o["lm"]) / value(
        s.lp)
    ring = value(o["lm"]) * np.where(value(o["discontinuous"]), value(o["i_start"]), 0.0)  # what the free ring leaves in the core
    lift = value(o["lm"]) * (
        value(o["i_peak"])
        - np.sqrt(np.maximum(value(o["i_peak"]) ** 2 + value(s.c_node) / value(s.lp) * (value(s.v_bus) ** 2 - value(o["v_or"]) ** 2), 0)))
    down = value(o["v_or"]) * (value(o["t_off"]) - value(o["t_com"]))
    assert np.abs((up + ring - lift) / down - 1)[mask].max() < 0.01


def test_the_secondary_delivers_what_the_loads_take(design):
    """Area of the printed secondary waveform over the period against the sum of the loads, at every loaded corner, within 3 %.

    The rest goes where the model says: the core loss and the turn-off take a share of the discharge.
    """
    for index in zip(*np.nonzero(run_mask(design)), strict=True):
        shape = waveforms(design, design.grid.corner(tuple(int(i) for i in index)))[2]
        load = design.requirement.outputs[0].current_max * design.grid.points[index[2]].load
        mean = float(np.trapezoid(shape.y, shape.t)) / shape.period
        taken = (float(np.broadcast_to(design.rows["switch.e_off"].value, design.grid.shape)[index])
                 + float(np.broadcast_to(design.rows["transformer.loss_core"].value, design.grid.shape)[index]) * shape.period)
        spare = taken / shape.period / abs(design.requirement.outputs[0].voltage)
        assert load * 0.97 <= mean <= load * 1.04 + 1.5 * spare + 0.02, (index, mean, load)


def test_drain_waveform_is_consistent_with_its_figures(design):
    for id in ("switch.v_peak", "switch.i_rms"):
        corner = design.grid.corner(design.figure(id).corner.index)
        v, i, _ = waveforms(design, corner)
        assert v.y.max() == pytest.approx(design.rows["switch.v_peak"].at(corner.index), rel=0.01)
        assert i.y.max() == pytest.approx(design.rows["switch.i_peak"].at(corner.index), rel=1e-6)
        fine = np.linspace(0, i.period, 200_001)
        y = np.interp(fine, i.t, i.y)
        on = fine <= design.rows["switch.t_on"].at(corner.index)
        rms = float(np.sqrt(np.trapezoid(np.where(on, y, 0) ** 2, fine) / i.period))
        assert rms == pytest.approx(design.rows["switch.i_rms"].at(corner.index), rel=0.01)


def test_the_conduction_modes_meet_at_their_border():
    """Both peak formulas give the same current where the core just empties as the period ends."""
    v_or, lm, fs = 95.0, 650e-6, 65e3
    t_off = 7e-6
    q = 0.5 * v_or * t_off**2 / lm
    assert flyback.discharge_peak_dcm(v_or, q, lm) == pytest.approx(flyback.discharge_peak_ccm(q, 0.0, 0.0, t_off, v_or, lm))
    assert flyback.discharge_time_dcm(lm, flyback.discharge_peak_dcm(v_or, q, lm), v_or) == pytest.approx(t_off)
    assert fs * q == pytest.approx(fs * t_off * flyback.discharge_peak_dcm(v_or, q, lm) / 2)


def test_ramp_time_against_the_exponential():
    """First-order ramp formula against the root of i(t) of a series R-L circuit."""
    lp, r, v, start, peak = 650e-6, 2.0, 92.0, 0.4, 2.1
    exact = brentq(lambda t: v / r + (start - v / r) * np.exp(-r * t / lp) - peak, 1e-9, 1e-3)
    assert flyback.ramp_time(lp, peak, start, v, r) == pytest.approx(exact, rel=2e-3)


def test_turn_off_energy_by_integrating_the_overlap():
    """Channel current falls linearly in t_f, the rest charges the node; drain voltage times channel current, integrated in 20 000 steps."""
    for i_peak, t_f, c, v_x in ((2.0, 18e-9, 70e-12, 470.0), (0.5, 18e-9, 70e-12, 470.0), (4.0, 30e-9, 40e-12, 200.0)):
        t = np.linspace(0, t_f, 20_001)
        channel = i_peak * (1 - t / t_f)
        into = i_peak - channel
        v = np.minimum(np.concatenate([[0], np.cumsum((into[1:] + into[:-1]) / 2 * np.diff(t))]) / c, v_x)
        wanted = float(np.trapezoid(v * channel, t))
        t_v = flyback.voltage_rise_in_fall(t_f, v_x, c, i_peak)
        assert flyback.turn_off_energy(i_peak, t_f, c, t_v, v_x) == pytest.approx(wanted, rel=2e-3)


def test_accelerated_passes_find_the_fixed_point_plain_passes_find():
    """A slow coupled map of three values in five columns (largest eigenvalue about 0.9): the same point, in a third of the passes at most,
    after the plain ones it begins with."""
    rng = np.random.default_rng(2)
    matrix, shift = np.array([[0.7, 0.15, 0.1], [0.1, 0.6, -0.1], [0.05, 0.1, 0.65]]), rng.uniform(1, 2, (3, 5))

    def g(x):
        return matrix @ x + shift + 0.05 * np.sin(x)
    plain, passes = np.ones((3, 5)), 0
    while np.abs(g(plain) - plain).max() > 1e-10:
        plain, passes = g(plain), passes + 1
    settle, x, used, change = FixedPoint([True, True, False]), np.ones((3, 5)), 0, 1.0
    while change > 1e-10:
        x, change = settle(x, g(x), np.ones((3, 5)))
        used += 1
    assert np.allclose(x, plain, atol=1e-8) and used - PLAIN < passes / 3


def test_settled_means_settled(design):
    """A much tighter solution of the same stage moves no carried value by more than the figures' tolerance allows."""
    s, state = design.context["stage"], design.context["plan"].state
    tight = solve(design.context["plan"].stage, state, passes=200, tolerance=1e-9)
    assert tight.change < 1e-9 and s is not None
    mask = run_mask(design)
    for name in ("t_off", "i_secondary", "i_end"):
        moved = np.abs(tight.state[name] - state[name])[mask]
        assert moved.max() <= 5e-3 * np.abs(state[name])[mask].max(), name
