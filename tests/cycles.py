"""A converter run switching cycle by switching cycle, exact within each interval (the series of the matrix exponential): the second route
to what the loop's formulas say."""

import numpy as np

from rhevectra.core.topologies.common.signal import NEW

TERMS = np.arange(40)
"""Powers of the time over a period: no state moves by more than a few times itself within one."""
NODES, WEIGHTS = np.polynomial.legendre.leggauss(12)
NODES, WEIGHTS = (NODES + 1) / 2, WEIGHTS / 2


def series(part, period):
    """(part·period)ⁿ/n!, (terms, states, states)."""
    out = [np.eye(len(part))]
    for n in TERMS[1:]:
        out.append(out[-1] @ part * (period / n))
    assert abs(out[-1]).max() < 1e-12 * max(abs(o).max() for o in out)
    return np.array(out)


class Cycles:
    """States end in a constant 1; the first is the current the control looks at. on, off, rest: matrices of the intervals; output: what is
    fed back, a row for each; asked(x, t): the crest asked for at an instant, its slope included."""

    def __init__(self, on, off, rest, output, period, waits=False):
        self.parts, self.output, self.period, self.waits = (on, off, rest), output, period, waits
        self._series = [series(part, period) for part in self.parts]

    def _from(self, k, x):
        """The states of interval k as a function of the time since they were x."""
        table = self._series[k] @ x
        return lambda t: np.power.outer(t / self.period, TERMS) @ table

    def _root(self, k, x, value, t):
        """When a quantity of interval k, from a start, is zero: Newton's steps from t."""
        states = self._from(k, x)
        for _ in range(12):
            at = states(t)
            step = value(at, t) / self.slope(k, at)
            t -= step
            if abs(step) < 1e-13 * self.period:
                break
        return t

    def slope(self, k, at):
        return (self.parts[k] @ at)[0] - (self._asked_slope if k == 0 else 0.0)

    def cycle(self, x, begun, asked, asked_slope=0.0, by_duty=False):
        """The state after a period that begins at an instant, its pieces as (interval, start, length, state), and how long it was; by_duty:
        what is asked for is the duty."""
        self._asked_slope = asked_slope
        on = self.period * asked(x, begun) if by_duty else self._root(0, x, lambda at, t: at[0] - asked(at, begun + t), 0.3 * self.period)
        for _ in range(6 if by_duty else 0):  # where a ramp over the period meets what is asked for
            on = self.period * asked(x, begun + on)
        crest = self._from(0, x)(on)
        whole, pieces = self.period, [(0, 0.0, on, x)]
        off = self._root(1, crest, lambda at, t: at[0], crest[0] / -(self.parts[1] @ crest)[0])
        if self.waits:
            whole = on + off
        off = min(off, whole - on)
        pieces.append((1, on, off, crest))
        end = self._from(1, crest)(off)
        if on + off < whole * (1 - 1e-9):
            end[0] = 0.0
            pieces.append((2, on + off, whole - on - off, end))
            end = self._from(2, end)(whole - on - off)
        return end, pieces, whole

    def part(self, pieces, begun, w):
        """Integral of the output times e^(-jωt) over a period, by Gauss's points in each interval."""
        total = 0.0
        for k, at, length, x in pieces:
            t = length * NODES
            total += length * WEIGHTS @ (np.exp(-1j * w * (begun + at + t)) * (self._from(k, x)(t) @ self.output[k]))
        return total

    def response(self, x, crest, added, share, settle, by_duty=False, swing=1e-3):
        """Output per ampere of crest (or for all the duty) at a frequency of so many periods each (share: periods of the swing, of
        switching): the difference of two runs that swing to opposite sides."""
        turns, count = share
        w, found = 2 * np.pi * turns / (count * self.period), []
        for sign in (swing, -swing):
            y = x.copy()
            for n in range(settle + count):
                begun = n * self.period
                asked = lambda at, t, begun=begun: crest * (1 + sign * np.sin(w * t)) - added * (t - begun)  # noqa: B023, E731
                y, pieces, _ = self.cycle(y, begun, asked, -added, by_duty)
                if n == settle:
                    found.append(0.0)
                if n >= settle:
                    found[-1] += self.part(pieces, begun, w)
        return (found[0] - found[1]) / (count * self.period) / (swing * crest) * 1j


def fed_while_off(v_in, ratio, inductance, c, esr, load, period, waits=False):
    """Core current seen from the primary, capacitor voltage, 1."""
    k = load / (load + esr)
    idle = np.array([[0, 0, 0], [0, -1 / ((load + esr) * c), 0], [0, 0, 0]])
    on = idle.copy()
    on[0, 2] = v_in / inductance
    off = idle.copy()
    off[0, :2] = -ratio**2 * k * esr / inductance, -ratio * k / inductance
    off[1, 0] = ratio * k / c
    quiet = np.array([0.0, k, 0.0])
    return Cycles(on, off, idle, (quiet, np.array([ratio * k * esr, k, 0.0]), quiet), period, waits)


def fed_always(v_in, inductance, c, esr, load, period, r_path=0.0):
    """Filter current, capacitor voltage, 1."""
    k = load / (load + esr)
    idle = np.array([[0, 0, 0], [0, -1 / ((load + esr) * c), 0], [0, 0, 0]])
    off = np.array([[-(k * esr + r_path) / inductance, -k / inductance, 0], [k / c, -1 / ((load + esr) * c), 0], [0, 0, 0]])
    on = off.copy()
    on[0, 2] = v_in / inductance
    fed = np.array([k * esr, k, 0.0])
    return Cycles(on, off, idle, (fed, fed, np.array([0.0, k, 0.0])), period)


def settled(cycles, x, crest, added, count, by_duty=False):
    """State, pieces and length of a period after so many of them with the crest (or the duty) held."""
    for _ in range(count):
        x, pieces, whole = cycles.cycle(x, 0.0, lambda at, t: crest - added * t, -added, by_duty)
    return x, pieces, whole


def with_loop(bare, compensation, held, load, c, esr, drawn=0.0):
    """A converter with what compensates it, new, behind its two states: integrator, pin and coupler, all at rest where the output's mean is
    `held` [V]; drawn: current beside the load [A]."""
    made, coupled, share = compensation, compensation.ratios[NEW] / compensation.r_led, load / (load + esr)

    def whole(part, row):
        m, fed = np.zeros((6, 6)), np.array([*row[:2], 0.0, 0.0, 0.0, -held - share * esr * drawn])
        m[:2, :2], m[:2, 5] = part[:2, :2], part[:2, 2] + [-part[0, 1] * esr * drawn, -share * drawn / c]
        m[2] = fed / (made.r_high * made.c_zero)
        m[3] = 2 * np.pi * made.pole * (coupled * made.at_once * fed + [0, 0, coupled, -1, 0, 0])
        m[4, 3:5] = 2 * np.pi * made.coupler * np.array([1, -1])
        return m
    rows = tuple(np.array([*row[:2], 0.0, 0.0, 0.0, -share * esr * drawn]) for row in bare.output)
    return Cycles(*(whole(part, row) for part, row in zip(bare.parts, bare.output, strict=True)), rows, bare.period)
