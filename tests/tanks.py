"""A resonant tank with its output run in time, in the tank's own units: what a swing of its frequency, or of what its capacitor has to
reach, makes of the output."""

import cmath
import math

import numpy as np

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

    def until(self, x, source, dt, reach):
        """A step, cut where the capacitor reaches a voltage, of the time since its start: state, length, and whether it was."""
        new = self.step(x, source, dt)
        sign = math.copysign(1.0, source)
        if sign * new[2] < reach(dt):
            return new, dt, False
        low, high, part = 0.0, dt, dt
        for _ in range(30):
            part = 0.5 * (low + high)
            new = self.step(x, source, part)
            low, high = (part, high) if sign * new[2] < reach(part) else (low, part)
        return new, part, True

    def charged(self, x, half, w, swing, settle, count):
        """The same where half a period ends as the capacitor reaches a voltage, which swings about that of the steady state."""
        total, t, source, steady = 0.0, 0.0, 1.0, -x[2]
        for k in range(settle + count):
            ended = False
            while not ended:
                new, part, ended = self.until(x, source, half / STEPS, lambda at, begun=t: steady + swing * math.cos(w * (begun + at)))
                if k >= settle:
                    mean = self.share * 0.5 * (x[3] + new[3] + self.esr * (abs(x[0] - x[1]) + abs(new[0] - new[1])))
                    total += mean * part * cmath.exp(-1j * w * (t + 0.5 * part))
                x, t = new, t + part
            source = -source
            if k == settle - 1:
                begun = t
        return 2 * total / (t - begun), x
