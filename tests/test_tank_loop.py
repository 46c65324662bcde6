"""A resonant stage in small signals against the tank run in time, its frequency swung by a thousandth; everything in the tank's own
units."""

import cmath
import math

import numpy as np
import pytest

from rhevectra.core.formulas import loop
from rhevectra.core.topologies.resonant import tank
from rhevectra.core.topologies.resonant.signal import Resonant, slopes

STEPS = 120


class Run:
    """Tank, rectifier and output in small steps (second order), a step cut where the rectifier current ends."""

    def __init__(self, ratio, r_load, c, esr):
        self.ratio, self.r_load, self.c, self.esr, self.share = ratio, r_load, c, esr, r_load / (r_load + esr)

    def mode(self, x, source):
        """What the rectifier does: it conducts, or the voltage it would have to stand decides."""
        apart = x[0] - x[1]
        if abs(apart) > 1e-9:
            return 1.0 if apart > 0 else -1.0
        across = (source - x[2]) * self.ratio / (1 + self.ratio)
        return math.copysign(1.0, across) if abs(across) > x[3] * self.share else 0.0

    def rates(self, tank_current, magnetising, cap, out, source, mode):
        fed = mode * (tank_current - magnetising)
        volts = self.share * (out + self.esr * fed)
        if mode:
            return source - cap - mode * volts, mode * volts / self.ratio, tank_current, (fed - volts / self.r_load) / self.c
        free = (source - cap) / (1 + self.ratio)
        return free, free, tank_current, -volts / self.r_load / self.c

    def moved(self, x, source, mode, dt):
        """A step of Heun's, written out: it is taken half a million times."""
        p, q, r, s = x
        a, b, c, d = self.rates(p, q, r, s, source, mode)
        e, f, g, h = self.rates(p + dt * a, q + dt * b, r + dt * c, s + dt * d, source, mode)
        dt *= 0.5
        return [p + dt * (a + e), q + dt * (b + f), r + dt * (c + g), s + dt * (d + h)]

    def step(self, x, source, dt):
        mode = self.mode(x, source)
        new = self.moved(x, source, mode, dt)
        if mode and (new[0] - new[1]) * mode < 0:
            part = dt * (x[0] - x[1]) / ((x[0] - x[1]) - (new[0] - new[1]))
            x = self.moved(x, source, mode, part)
            x[1] = x[0]
            new = self.moved(x, source, self.mode(x, source), dt - part)
        return new

    def swung(self, x, half, w, swing, settle, count):
        """Output of so many half periods at a frequency w, over the swing of the frequency; the state after them."""
        total, t, source, f = 0.0, 0.0, 1.0, 0.5 / half
        for k in range(settle + count):
            length = half
            for _ in range(4):
                length += (0.5 - f * (length - swing * (np.cos(w * (t + length)) - np.cos(w * t)) / w)) / f
            dt = length / STEPS
            for i in range(STEPS):
                new = self.step(x, source, dt)
                if k >= settle:
                    mean = self.share * 0.5 * (x[3] + new[3] + self.esr * (abs(x[0] - x[1]) + abs(new[0] - new[1])))
                    total += mean * dt * cmath.exp(-1j * w * (t + (i + 0.5) * dt))
                x = new
            t, source = t + length, -source
            if k == settle - 1:
                begun = t
        return 2 * total / (t - begun), x


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
    for given, ends, charge in (({"by": d}, s.by_length, s.charge_length), ({"more": d}, s.by_gain, s.charge_gain)):
        (up, more), (down, less) = (ran(start, **{n: sign * x for n, x in given.items()}) for sign in (1, -1))
        assert (up - down) / (2 * d) == pytest.approx(ends.T, abs=1e-4) and (more - less) / (2 * d) == pytest.approx(charge, abs=1e-4)
