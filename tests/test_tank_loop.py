"""A resonant stage in small signals against the tank run in time, its frequency, or what its capacitor has to reach, swung by a
thousandth; everything in the tank's own units."""

import numpy as np
import pytest

from rhevectra.core.formulas import loop
from rhevectra.core.topologies.resonant import tank
from rhevectra.core.topologies.resonant.signal import Resonant, slopes
from tanks import Run


@pytest.mark.parametrize(("frequency", "ratio", "load", "periods", "near", "off"),
                         [(1.15, 6.0, 0.4, 16, 0.02, 2.0), (1.15, 6.0, 0.4, 50, 0.02, 2.0), (0.8, 5.0, 0.3, 50, 0.03, 2.0),
                          (1.0, 5.0, 0.2, 30, 0.04, 4.0)])
def test_a_tank_whose_frequency_swings(frequency, ratio, load, periods, near, off):
    """Above, below and at the resonance (there at the edge between two ways of conducting, whose slopes differ): size and phase of the
    output's swing."""
    half, c, esr = np.pi / frequency, 60.0, 0.02
    found = tank.solve(tank.Point(np.array([half]), np.array([load]), np.array([1.0]), np.array([ratio])), "gain", None)
    gain = float(found.point.gain[0])
    r_load, w, one = gain / load, 2 * np.pi / periods / (2 * half), np.ones(1)
    stage = Resonant(slopes(found), found.point.half, one, one, 1.0, one, 1, 0.0 * one)
    told = -stage.volts(np.array([[w]]), loop.impedance(np.array([[w]]), r_load, c, esr), slice(None))[0][0, 0]
    run, swing, start = Run(ratio, r_load, c, esr), 2e-3, [*found.half.start[0].tolist(), gain * (1 + esr / r_load) - esr * load]
    ends = [run.swung(start, half, w, s, 8 * periods, 6 * periods)[0] for s in (swing, -swing)]
    seen = (ends[0] - ends[1]) / 2 / swing * 1j * 2 * half
    assert abs(told) == pytest.approx(abs(seen), rel=near) and abs(np.degrees(np.angle(told / seen))) < off


@pytest.mark.parametrize(("frequency", "ratio", "load", "periods"), [(1.15, 6.0, 0.4, 16), (1.15, 6.0, 0.4, 50), (0.8, 5.0, 0.3, 50),
                                                                     (0.8, 5.0, 0.3, 12)])
def test_a_tank_whose_charge_swings(frequency, ratio, load, periods):
    """Above and below the resonance, where the length of half a period follows from what its capacitor has to reach: size and phase of the
    output's swing, fast and slow; and without a swing it stays where it is."""
    half, c, esr = np.pi / frequency, 60.0, 0.02
    found = tank.solve(tank.Point(np.array([half]), np.array([load]), np.array([1.0]), np.array([ratio])), "gain", None)
    gain = float(found.point.gain[0])
    r_load, w, one = gain / load, 2 * np.pi / periods / (2 * half), np.ones(1)
    stage = Resonant(slopes(found).ended(), found.point.half, one, one, 1.0, one, 1, 0.0 * one, by_charge=True)
    told = stage.volts(np.array([[w]]), loop.impedance(np.array([[w]]), r_load, c, esr), slice(None))[0][0, 0]
    run, swing, start = Run(ratio, r_load, c, esr), 1e-3, [*found.half.start[0].tolist(), gain * (1 + esr / r_load) - esr * load]
    assert run.charged(start, half, w, 0.0, 8 * periods, 6 * periods)[1][3] == pytest.approx(start[3], rel=0.01)
    ends = [run.charged(start, half, w, s, 8 * periods, 6 * periods)[0] for s in (swing, -swing)]
    seen = (ends[0] - ends[1]) / 2 / swing
    assert abs(told) == pytest.approx(abs(seen), rel=0.02) and abs(np.degrees(np.angle(told / seen))) < 2.5


def test_slopes_by_finite_differences():
    """Every slope of half a period and of its charge against two half periods a little apart."""
    p = tank.Point(np.array([2.9, 3.8]), np.array([0.35, 0.3]), np.array([1.0, 1.0]), np.array([5.0, 6.0]))
    found = tank.solve(p, "gain", None)
    s, point, start = slopes(found), found.point, found.half.start
    energy = lambda x: 0.5 * (x[:, 0] ** 2 + point.ratio * x[:, 1] ** 2 + x[:, 2] ** 2)  # noqa: E731

    def ran(state, by=0.0, more=0.0):
        at = tank.Point(point.half + by, point.load, point.gain + more, point.ratio)
        half = tank.run(at, state)
        return half.end, ((half.end - state)[:, 2] - (energy(half.end) - energy(state))) / at.gain
    d = 1e-6
    for k in range(3):
        if k < 2 and np.allclose(start[:, 0], start[:, 1]):
            continue  # at rest the rectifier's start differs to both sides
        e = d * np.eye(3)[k]
        (up, more), (down, less) = ran(start + e), ran(start - e)
        wide = np.abs(start[:, 0] - start[:, 1]) > 1e-3
        assert (((up - down) / (2 * d))[wide] == pytest.approx(s.start[:, k].T[wide], abs=1e-4)
                and ((more - less) / (2 * d))[wide] == pytest.approx(s.charge_start[k][wide], abs=1e-4))
    passed = -2 * start[:, 2] / point.gain  # the charge of half a period
    for given, ends, charge in (({"by": d}, s.by_cause, s.charge_cause + passed / point.half), ({"more": d}, s.by_gain, s.charge_gain)):
        (up, more), (down, less) = (ran(start, **{n: sign * x for n, x in given.items()}) for sign in (1, -1))
        assert (up - down) / (2 * d) == pytest.approx(ends.T, abs=1e-4) and (more - less) / (2 * d) == pytest.approx(charge, abs=1e-4)
