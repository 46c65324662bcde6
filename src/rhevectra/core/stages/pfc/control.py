"""Line current switching cycle by switching cycle: a current loop behind a sine reference that the voltage loop lets ripple.

Not an averaged ideal: the duty cannot follow where the line is too low to drive the current (cusp), cycles rest between pulses near the
zero crossing, and the loop's own lag is in it. Plain numbers in a plain loop: a few hundred cycles are quicker so than as arrays.
"""

import math
from collections.abc import Iterable

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.remembered import Kept
from rhevectra.core.stages.inlet import ORDERS

FORGOTTEN, SAMPLES = 20, 800
"""Periods of the current loop's crossover run before the first half cycle, and instants of half a cycle where no cycle remembers
another."""
REPEATED, AGAIN = 1e-3, 6
"""Half cycles are run until the integrator begins and ends one within so much duty, but no more than that many: at light load the loop is
slow to forget how it began."""
_EVEN = np.arange(1024) / 2048
"""Instants of half a cycle, in line cycles, from which its orders are taken."""
AIR = 30.0
"""Current over the one that leaves half the inductance, beyond which the powder is as good as air."""
APART = 1.01
"""Powers for which the shape of the current is worked out: designs that draw nearly the same share one. Half a per cent moves no order by
more than a thousandth of the fundamental."""
ROUGHLY = 1.05
"""The same where the power factor alone is asked of average-current control: it moves by less than a thousandth."""
_SHAPES = Kept(256)
ZERO = 0.4
"""Zero of the current loop over its crossover (common practice)."""


class Loop(Struct, frozen=True):
    """Boost stage and its loops. inductance [H] of all phases side by side, fs [Hz], v_bus [V], crossover of the current loop [Hz] (0:
    constant on-time, each cycle begins at the boundary below f_top [Hz]), ripple: relative second harmonic of the command, c_node [F]: what
    rings before turn-on at the boundary; blank [s]: pause at each end of a half cycle; i_half [A], exponent: where the inductance falls
    with the current (of all phases), half of it is left there, and `designed` [H] is what the loop was laid out for."""

    inductance: float
    fs: float
    v_bus: float
    crossover: float
    ripple: float
    f_top: float = 0.0
    c_node: float = 0.0
    blank: float = 0.0
    i_half: float = 0.0
    exponent: float = 1.0
    designed: float = 0.0


def half_cycle(loop: Loop, v_line: float, f_line: float, power: float) -> tuple[Array, Array]:
    """Time [s] and the mean of the line current [A] in each switching cycle over half a line cycle, for a power [W]; in its shape that of
    the nearest of powers a hundredth apart."""
    near, t, i, _ = _shape(loop, v_line, f_line, power)
    return t, i * (power / near)


def half_cycle_orders(loop: Loop, v_line: float, f_line: float, power: float, c_x: float, judged: bool) -> Array:
    """Rms [A] of the ORDERS of that current, with that of X capacitors [F] in it; judged: each of them is, not the power factor alone."""
    near, _, _, parts = _shape(loop, v_line, f_line, power, APART if judged or loop.crossover == 0 else ROUGHLY)
    return rms_of(parts * (power / near), ORDERS, f_line, c_x, v_line)


def _shape(loop: Loop, v_line: float, f_line: float, power: float, apart: float = APART) -> tuple[float, Array, Array, Array]:
    """The nearest of the powers [W], so far apart, that have a shape, with time [s], current [A] and its orders."""
    near = float(apart ** round(math.log(max(power, 1e-3)) / math.log(apart)))

    def make() -> tuple[float, Array, Array, Array]:
        t, i = _cycles(loop, v_line, f_line, near)
        return near, t, i, amplitudes(t, i, f_line, ORDERS)
    shape: tuple[float, Array, Array, Array] = _SHAPES.ask((loop, v_line, f_line, near), make)
    return shape


def _cycles(loop: Loop, v_line: float, f_line: float, power: float) -> tuple[Array, Array]:
    """The same, worked out for just this power."""
    t, i = (_boundary if loop.crossover == 0 else _average)(loop, v_line, f_line, power)
    v = math.sqrt(2) * v_line * np.sin(2 * np.pi * f_line * t)
    drawn = 2 * f_line * np.trapezoid(v * i, t)
    return t, i * (power / max(drawn, 1e-9))  # the voltage loop sets the amplitude that the power asks for


def _command(loop: Loop, angle: Array) -> Array:
    """Share of the crest current that is asked for at each angle."""
    return np.asarray(np.sin(angle) * (1 - loop.ripple * np.sin(2 * angle)))


def _average(loop: Loop, v_line: float, f_line: float, power: float) -> tuple[Array, Array]:
    """Average-current control at a fixed frequency."""
    period, v_crest, v_bus, inductance = 1 / loop.fs, math.sqrt(2) * v_line, loop.v_bus, loop.inductance
    top, omega, steps = math.sqrt(2) * power / v_line, 2 * math.pi * f_line, int(0.5 * loop.fs / f_line)
    angle = omega * (np.arange(steps) + 0.5) * period
    volts, number = v_crest * np.sin(angle), np.arange(steps)
    lives = np.minimum(number, number[::-1]) >= int(loop.blank * loop.fs)
    each = (top * _command(loop, angle), volts * period / inductance, (v_bus - volts) * period / inductance, np.where(lives, 0.97, 0.0))
    cycles = list(
        zip(*(x.tolist() for x in each),
            strict=True))  # what is asked, rise and fall over a whole period at the unbiased inductance, largest duty
    lead = cycles[-math.ceil(FORGOTTEN * loop.fs / loop.crossover) :]
    state, _ = _through(loop, _begin(loop, *lead[0]), lead)
    for _ in range(AGAIN):
        before = state
        state, means = _through(loop, before, cycles)
        if abs(state[0] - before[0]) < REPEATED:
            break
    return (np.arange(steps) + 0.5) * period, np.array(means)


def _begin(loop: Loop, asked: float, rise: float, fall: float, _: float) -> tuple[float, float, float]:
    """Integrator, current at the start of the cycle and mean current [A] about as a cycle has them that draws what is asked."""
    drop = 1 + min(asked / loop.i_half, AIR) ** loop.exponent if loop.i_half else 1.0
    whole = max(fall, 0.0) / (rise + fall)  # nothing where the bus lies below the line
    duty = min(whole, math.sqrt(2 * asked * whole / (rise * drop)))
    return duty, max(asked - 0.5 * rise * drop * duty, 0.0), asked


def _through(loop: Loop, state: tuple[float, float, float],
             cycles: Iterable[tuple[float, float, float, float]]) -> tuple[tuple[float, float, float], list[float]]:
    """The state after these cycles, and the mean current [A] of each."""
    gain = 2 * math.pi * loop.crossover * (loop.designed or loop.inductance) / loop.v_bus
    slope, i_half, exponent = gain * 2 * math.pi * ZERO * loop.crossover / loop.fs, loop.i_half, loop.exponent
    held, i, mean = state
    means = []
    for asked, rise, fall, most in cycles:
        error = asked - mean  # what the cycle before drew
        wanted = gain * error + held
        if 0.0 <= wanted <= most:
            duty = wanted
            held += slope * error
        else:
            duty = 0.0 if wanted < 0.0 else most
            if (wanted - duty) * error < 0:
                held += slope * error
        if i_half:
            over = mean / i_half
            drop = 1 + (over if over < AIR else AIR) ** exponent
            fall *= drop
            rise *= drop
        up, rest = rise * duty, 1 - duty
        peak, down = i + up, fall * rest
        if peak < down:
            mean = 0.5 * ((i + peak) * duty + peak * peak / fall)
            i = 0.0
        else:
            mean = peak - 0.5 * (up * duty + down * rest)
            i = peak - down
        means.append(mean)
    return (held, i, mean), means


def _boundary(loop: Loop, v_line: float, f_line: float, power: float) -> tuple[Array, Array]:
    """Constant on-time: each cycle begins when the current has returned and the node has rung to its valley, at the earliest after 1/f_top.
    No cycle remembers the one before, so they are told at even instants."""
    t = (np.arange(SAMPLES) + 0.5) * 0.5 / f_line / SAMPLES
    angle = 2 * np.pi * f_line * t
    v, inductance = np.maximum(np.sqrt(2) * v_line * np.sin(angle), 1e-3), loop.inductance
    on = 2 * inductance * power / v_line**2 * (1 - loop.ripple * np.sin(2 * angle))
    peak = v * on / inductance
    off, ring = peak * inductance / (loop.v_bus - v), np.pi * np.sqrt(inductance * loop.c_node)
    charge = 2 * loop.c_node * np.minimum(loop.v_bus - v, v)  # half a ring below zero; where the line is low the body diode cuts it short
    return t, np.maximum((0.5 * peak * (on + off) - charge) / np.maximum(on + off + ring, 1 / loop.f_top), 0.0)


def amplitudes(t: Array, i: Array, f_line: float, orders: Array) -> Array:
    """Complex amplitudes of the orders of a line current that repeats with its sign turned."""
    even = np.interp(_EVEN / f_line, np.concatenate([[0.0], t, [0.5 / f_line]]), np.concatenate([[0.0], i, [0.0]]))
    return np.asarray(np.fft.rfft(np.concatenate([even, -even]))[np.asarray(orders, int)] / len(even))


def rms_of(parts: Array, orders: Array, f_line: float, c_x: float, v_line: float) -> Array:
    """Rms of orders with the current of X capacitors, a quarter of a cycle ahead of the voltage."""
    across = np.where(np.asarray(orders) == 1, 2 * np.pi * f_line * c_x * np.sqrt(2) * v_line, 0.0)
    return np.asarray(np.abs(parts + across) / np.sqrt(2))
