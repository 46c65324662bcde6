"""The line-fed bulk capacitor: periodic steady state of bridge, source impedance and constant-power load.

During conduction the circuit is linear but for the constant-power load, which is replaced by its
tangent at the mean capacitor voltage; the solution is then closed (two exponentials and a sinusoid).
Outside conduction v² falls linearly, which is exact. The periodic solution is a root in one unknown
per corner, the capacitor voltage at which conduction begins; all corners are solved at once.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.formula import formula

_FINE, _COARSE = (np.polynomial.legendre.leggauss(n) for n in (32, 10))
"""Nodes and weights over a conduction pulse: fine enough for the 39th harmonic; enough for valley, crest and rms."""
_SCAN = np.concatenate([np.linspace(1.0, 2.6, 9), np.geomspace(3.0, 40.0, 7)])
RESIDUAL, ROUGH = 1e-4, 2e-3
"""Largest miss of a period, as a share of the crest, that counts as periodic: for figures, and for choosing parts by."""
MIN_INDUCTANCE = 10e-6
"""Wiring inductance [H] assumed where the source is said to have none."""


@dataclass(frozen=True)
class LineSource:
    """What stands between mains and bulk capacitor: resistance [Ω], inductance [H] and fixed drops [V] in series."""

    resistance: Any
    inductance: Any
    drop: float
    esr: Any


@dataclass(frozen=True)
class Bulk:
    """Periodic solution of every corner, arrays of one shape.

    v_valley, v_peak [V] at the capacitor terminals; t_start, t_conduct [s] in the half cycle (t = 0 at the
    zero crossing); line current rms, peak [A]; i_cap capacitor rms at line frequency [A]; p_line, p_load [W];
    i_nodes, t_nodes, v_nodes: samples of the conduction pulse (last axis); weights: their quadrature weights [s];
    collapsed: no steady state exists (the capacitor cannot carry the power to the next crest); residual [V] of the period;
    v_start [V], share: capacitor voltage where conduction starts, and its time over that from there to the crest, to start from again.
    """

    v_valley: Array
    v_peak: Array
    t_start: Array
    t_conduct: Array
    i_rms: Array
    i_peak: Array
    i_cap: Array
    p_line: Array
    power_factor: Array
    i_nodes: Array
    t_nodes: Array
    v_nodes: Array
    weights: Array
    collapsed: Any
    residual: Array
    v_start: Array
    share: Array


class _Pulse:
    """Closed solution of the conducting interval for one trial of v0 (all corners at once)."""

    def __init__(self, v0: Array, crest: Array, omega: Array, power: Array, c: Any, source: LineSource) -> None:
        inductance = np.maximum(source.inductance, MIN_INDUCTANCE)
        resistance = source.resistance + source.esr
        middle = 0.5 * (v0 + crest)
        swing = 0.45 * (crest - source.drop - v0)
        even = power * (1 + np.square(swing / middle) / 3)  # the tangent lies below P/v; this gives the mean power back
        pull, slope = 2 * even / middle, even / middle**2
        offset = source.drop - source.esr * power / middle
        self.t0 = np.arcsin(np.minimum(np.maximum((v0 + offset) / crest, 0.0), 1 - 1e-12)) / omega
        self.half = np.pi / omega
        self.quarter = np.maximum(self.half / 2 - self.t0, 1e-7 * self.half)
        alpha = (resistance * c - slope * inductance) / (2 * inductance * c)
        w2 = (1 - resistance * slope) / (inductance * c)
        root = np.sqrt(alpha**2 - w2 + 0j) + 1e-9 * omega
        s1, s2 = -alpha + root, -alpha - root
        k0 = -(offset + resistance * pull) / (1 - resistance * slope)
        m, n = 1 - resistance * slope - inductance * c * omega**2, omega * (resistance * c - slope * inductance)
        a, b = crest * m / (m**2 + n**2), -crest * n / (m**2 + n**2)
        self.omega, self.c, self.pull, self.slope = omega, c, pull, slope
        self.crest, self.offset, self.resistance, self.inductance = crest, offset, resistance, inductance
        sine, cosine = np.sin(omega * self.t0), np.cos(omega * self.t0)
        rest = v0 - k0 - a * sine - b * cosine
        rate = (slope * v0 - pull) / c - omega * (a * cosine - b * sine)
        c2 = (s1 * rest - rate) / (s1 - s2)
        c1 = rest - c2
        d1, d2 = c * s1 * c1, c * s2 * c2
        # Re(c1·e^(s1·t) + c2·e^(s2·t)) with s1 = σ1 + jν, s2 = σ2 − jν, and the same for its derivative, in real numbers
        self._terms = (self.t0, omega, s1.real, s2.real, s1.imag, k0, a, b, c1.real, c1.imag, c2.real, c2.imag, d1.real, d1.imag, d2.real, d2.imag, c, pull, slope)

    @staticmethod
    def _solution(tau: Array, terms: Sequence[Any]) -> tuple[Array, Array]:
        t0, omega, decay1, decay2, nu, k0, a, b, p1, q1, p2, q2, dp1, dq1, dp2, dq2, c, pull, slope = terms
        angle, ring = omega * (t0 + tau), nu * tau
        sine, cosine, rs, rc = np.sin(angle), np.cos(angle), np.sin(ring), np.cos(ring)
        e1, e2 = np.exp(decay1 * tau), np.exp(decay2 * tau)
        v = k0 + a * sine + b * cosine + e1 * (p1 * rc - q1 * rs) + e2 * (p2 * rc + q2 * rs)
        into = c * omega * (a * cosine - b * sine) + e1 * (dp1 * rc - dq1 * rs) + e2 * (dp2 * rc + dq2 * rs)
        return v, into + pull - slope * v

    def at(self, tau: Array) -> tuple[Array, Array]:
        """Capacitor voltage [V] and line current [A], tau [s] after the start; corners last-but-one, samples last."""
        return self._solution(tau, [np.asarray(x)[..., None] for x in self._terms])

    def point(self, tau: Array) -> tuple[Array, Array]:
        """The same at one instant per corner."""
        return self._solution(tau, self._terms)

    def end(self, lasts: Array) -> tuple[Array, Array]:
        """One Newton step of the conduction time [s] towards the return of the current to zero.

        Gives the new time and the capacitor voltage there, to first order of the step.
        """
        v, i = self.point(lasts)
        rate = (self.crest * np.sin(self.omega * (self.t0 + lasts)) - self.offset - self.resistance * i - v) / self.inductance
        falls = rate < 0
        step = np.where(falls, i / np.where(falls, rate, -1.0), -0.05 * lasts)
        step = np.minimum(np.maximum(step, -0.4 * lasts), 0.4 * lasts)
        new = np.minimum(np.maximum(lasts - step, 0.5 * self.quarter), 0.999 * self.half)
        return new, v + (i - self.pull + self.slope * v) / self.c * (new - lasts)

    def first_end(self) -> Array:
        """Start for the conduction time [s]: the first return of the current to zero on a scan."""
        half, quarter = self.half, self.quarter
        tau = np.minimum(quarter[..., None] * _SCAN, 0.999 * half[..., None])
        current = self.at(tau)[1]
        below = current <= 0
        first = np.maximum(np.where(below.any(-1), below.argmax(-1), len(_SCAN) - 1), 1)[..., None]
        high, low = np.take_along_axis(tau, first, -1), np.take_along_axis(tau, first - 1, -1)
        i_high, i_low = np.take_along_axis(current, first, -1), np.take_along_axis(current, first - 1, -1)
        share = np.clip(i_low / np.where(i_low == i_high, 1.0, i_low - i_high), 0.0, 1.0)
        return np.asarray((low + share * (high - low))[..., 0])


def solve_bulk(v_rms: Any, f_line: Any, power: Any, c: Any, source: LineSource, near: Bulk | None = None, residual: float = RESIDUAL) -> Bulk:
    """Periodic steady state at every corner.

    v_rms [V], f_line [Hz], power [W] drawn from the capacitor, c [F]: arrays that broadcast to one shape.
    near: an earlier solution of the same shape to start from; residual: largest miss of the period over the crest.
    Where no steady state exists the corner is marked `collapsed` and its valley is the lowest voltage tried.
    Source: circuit equations of the bridge with series impedance; checked against a circuit simulator in the tests.
    """
    v_rms, f_line, power, c = (np.array(x, dtype=float) for x in np.broadcast_arrays(v_rms, f_line, power, c))
    power = np.maximum(power, 1e-3)
    crest, omega = np.sqrt(2.0) * v_rms, 2 * np.pi * f_line
    half = 0.5 / f_line
    top = crest - source.drop
    floor = 0.25 * top

    def miss(v0: Array, share: Array | None = None) -> tuple[Array, _Pulse, Array]:
        """What the period misses [V]; share: conduction time over the time from its start to the crest."""
        pulse = _Pulse(v0, crest, omega, power, c, source)
        lasts = pulse.first_end() if share is None else share * pulse.quarter
        for _ in range(2 if near is None else 1):
            lasts, v1 = pulse.end(lasts)
        return np.sqrt(np.maximum(v1**2 - 2 * power * (half - lasts) / c, (0.2 * top) ** 2)) - v0, pulse, lasts / pulse.quarter

    v_a = np.sqrt(np.maximum(top**2 - 2 * power * 0.75 * half / c, floor**2)) * 0.999 if near is None else near.v_start
    f_a, pulse, share = miss(v_a, None if near is None else near.share)
    v_b = np.clip(v_a + 0.9 * f_a, floor, top * (1 - 1e-9))
    for _ in range(9 if near is not None else 16):
        f_b, pulse, share = miss(v_b, share)
        if float(np.max(np.abs(f_b) / top)) < residual:
            break
        moved = v_b - v_a
        slope = np.clip((f_b - f_a) / np.where(moved == 0.0, 1.0, moved), -3.0, -0.3)  # the next start hardly depends on this one
        v_a, f_a, v_b = v_b, f_b, np.clip(v_b - np.clip(f_b / slope, -0.3 * v_b, 0.3 * v_b), floor, top * (1 - 1e-9))
    else:
        if near is not None:  # an earlier solution can be a poor start where the load has all but gone
            return solve_bulk(v_rms, f_line, power, c, source)
        f_b, pulse, share = miss(v_b)
    return _measure(pulse, pulse.end(share * pulse.quarter)[0], v_b, f_b, power, c, half, v_rms, source, floor, _COARSE if residual > RESIDUAL else _FINE)


def _measure(pulse: _Pulse, lasts: Array, v0: Array, miss: Array, power: Array, c: Array, half: Array,
             v_rms: Array, source: LineSource, floor: Array, rule: tuple[Array, Array]) -> Bulk:
    tau = 0.5 * lasts[..., None] * (rule[0] + 1)
    v, i = pulse.at(tau)
    weights = 0.5 * lasts[..., None] * rule[1]
    load = power[..., None] / v
    terminal = v + np.asarray(source.esr)[..., None] * (i - load)
    gap = half - lasts
    v1 = pulse.point(lasts)[0]
    fraction = np.clip(2 * power * gap / (c * v1**2), 0.0, 0.98)
    off_square = -0.5 * power * c * np.log1p(-fraction)
    t = pulse.t0[..., None] + tau
    mains = np.sqrt(2.0) * v_rms[..., None] * np.sin(pulse.omega[..., None] * t)
    i_rms = np.sqrt((i**2 * weights).sum(-1) / half)
    p_line = (i * mains * weights).sum(-1) / half
    v_crest, i_crest = _crest(np.stack([terminal, i]), rule[0])
    return Bulk(
        v_valley=np.minimum(terminal.min(-1), v0 - source.esr * power / v0), v_peak=np.maximum(v_crest, v0), t_start=pulse.t0,
        t_conduct=lasts, i_rms=i_rms, i_peak=i_crest, i_cap=np.sqrt((((i - load) ** 2 * weights).sum(-1) + off_square) / half),
        p_line=p_line, power_factor=p_line / np.maximum(v_rms * i_rms, 1e-9), i_nodes=i, t_nodes=t, v_nodes=terminal,
        weights=weights, collapsed=(v0 <= floor * 1.001) | (np.abs(miss) > 1e-3 * v0), residual=np.abs(miss), v_start=v0, share=lasts / pulse.quarter)


def _crest(samples: Array, nodes: Array) -> Array:
    """Maximum of a smooth hump between its samples (parabola through the highest three in node coordinates)."""
    at = np.clip(samples.argmax(-1), 1, samples.shape[-1] - 2)
    flat, start = samples.ravel(), samples.shape[-1] * np.arange(at.size).reshape(at.shape) + at
    y0, y1, y2 = flat[start - 1], flat[start], flat[start + 1]
    x0, x1, x2 = nodes[at - 1], nodes[at], nodes[at + 1]
    d1, d2 = (y1 - y0) / (x1 - x0), (y2 - y1) / (x2 - x1)
    curve = (d2 - d1) / (x2 - x0)
    slope = d1 - curve * (x0 + x1)
    safe = np.where(curve < -1e-30, curve, -1.0)
    peak = np.clip(-slope / (2 * safe), x0, x2)
    value = y1 + (peak - x1) * (d1 + curve * (peak - x0))
    return np.where(curve < -1e-30, np.maximum(value, y1), samples.max(-1))


def line_harmonics(bulk: Bulk, f_line: Array, orders: Array) -> Array:
    """Rms of the odd line-current harmonics [A]; last axis follows `orders`. Half-wave symmetric current."""
    angle = 2 * np.pi * f_line[..., None, None] * bulk.t_nodes[..., None] * orders
    moment = (bulk.i_nodes * bulk.weights)[..., None] * np.exp(-1j * angle)
    return np.abs(moment.sum(-2)) * 4 * f_line[..., None] / np.sqrt(2.0)


@formula("t = ½·C·(V_1² − V_2²)/P", "s", "C V_1 V_2 P", "energy of the capacitor between two voltages at constant power")
def hold_up(c: Any, v_start: Any, v_end: Any, power: Any) -> Any:
    """Hold-up time [s] of c [F] from v_start to v_end [V] at constant power [W]; zero where v_start is below v_end."""
    return 0.5 * c * (np.square(v_start) - np.square(v_end)) / power


@formula("V̂_R = √(2)·V_line", "V", "V_line", "each bridge diode blocks the crest of the line")
def bridge_reverse_voltage(v_line: Any) -> Any:
    """Reverse voltage [V] of a bridge diode."""
    return np.sqrt(2.0) * v_line


@formula("I = P/(2·V_bus)", "A", "P V_bus", "each diode pair carries the bus current in alternate half cycles")
def bridge_diode_average(power: Any, v_bus: Any) -> Any:
    """Average current [A] of one bridge diode at bus voltage v_bus [V]."""
    return power / (2 * v_bus)


@formula("I = √(2)·V_line/(R_ntc + R_source)", "A", "V_line R_ntc R_source", "switch-on at the crest into the empty capacitor, inductance neglected (upper bound)")
def inrush(v_line: Any, r_cold: Any, r_source: Any) -> Any:
    """Peak inrush current [A]."""
    return np.sqrt(2.0) * v_line / (r_cold + r_source)


def inrush_wave(v_rms: float, f_line: float, r: float, inductance: float, c: float, drop: float, steps: int = 600) -> tuple[Array, Array, Array]:
    """Switch-on at the crest into the empty capacitor: time [s], line current [A], capacitor voltage [V] until the current ends.

    Trapezoidal integration of the series circuit, whose rule is stable and of second order in the step.
    """
    inductance = max(inductance, MIN_INDUCTANCE)
    end = 0.25 / f_line
    t, h = np.linspace(0.0, end, steps + 1), end / steps
    source = np.sqrt(2.0) * v_rms * np.cos(2 * np.pi * f_line * t) - drop
    i, v = np.zeros(steps + 1), np.zeros(steps + 1)
    gain = 1 / (1 + h * r / (2 * inductance) + h * h / (4 * inductance * c))
    for k in range(steps):
        push = 0.5 * (source[k] + source[k + 1]) - v[k]
        i[k + 1] = max(gain * (i[k] * (1 - h * r / (2 * inductance) - h * h / (4 * inductance * c)) + h / inductance * push), 0.0)
        v[k + 1] = v[k] + 0.5 * h * (i[k] + i[k + 1]) / c
    return t, i, v


@formula("t = R·C·ln(V_0/V_safe)", "s", "R C V_0 V_safe", "exponential discharge")
def discharge_time(r: Any, c: Any, v_start: Any, v_safe: Any) -> Any:
    """Time [s] to fall from v_start to v_safe [V]."""
    return r * c * np.log(v_start / v_safe)


@formula("P = V²/R", "W", "V R", "Joule")
def resistor_power(v: Any, r: Any) -> Any:
    """Power [W] of a resistor r [Ω] at rms voltage v [V]."""
    return np.square(v) / r


@formula("P = 2·V_f·I_avg + R_s·I_rms²", "W", "V_f I_avg R_s I_rms", "two diodes of the bridge conduct in series")
def bridge_loss(v_forward: Any, i_avg_line: Any, r: Any, i_rms: Any) -> Any:
    """Loss [W] of a bridge: two fixed drops times the average rectified current, and resistance r [Ω]."""
    return 2 * v_forward * i_avg_line + r * np.square(i_rms)


@formula("C_y = I_t/(2·π·f·V_line)", "F", "I_t f V_line", "touch current through the Y capacitors at the highest line and frequency")
def y_capacitance(i_touch: Any, frequency: Any, v_line: Any) -> Any:
    """Largest total Y capacitance [F] that keeps the touch current [A]."""
    return i_touch / (2 * np.pi * frequency * v_line)


@formula("P = R·I²", "W", "R I", "Joule")
def resistive_loss(r: Any, i_rms: Any) -> Any:
    """Loss [W] of a resistance [Ω] at rms current [A]."""
    return r * np.square(i_rms)


@formula("I = √(I_lf² + I_hf²)", "A", "I_lf I_hf", "rms of uncorrelated currents")
def root_sum(i_lf: Any, i_hf: Any) -> Any:
    """Total rms current [A]."""
    return np.sqrt(np.square(i_lf) + np.square(i_hf))
