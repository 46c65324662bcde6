"""What an oscilloscope's record of a drain tells: peak, plateau, how long the leakage took to empty, frequency and damping of its ring.

The record needs one turn-off with the ring after it. The ring is fitted as a damped cosine on a sloping level (least squares); noise is
read from second differences, so that the steps of an 8-bit converter and its noise are both in the uncertainty.
"""

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show

LEAST_POINTS, LEAST_SWING = 200, 20.0
"""Fewer points [1] or a smaller swing [V] are no drain of a mains converter."""
PER_PERIOD, PERIODS = 6, 10
"""Least points in a period of the ring; periods that are fitted at most."""
LONGEST = 200_000
"""Points that are kept around the turn-off."""
WANTED = "a record of drain voltage against time with one turn-off and the ring after it"


class DrainTrace(Struct, frozen=True):
    """t [s] from the turn-off and v [V] as recorded; peak and plateau (bus and reflected voltage) [V]; noise [V rms]; reset: time above the
    middle of peak and plateau [s]; ring frequency and its standard error [Hz]; quality of the ring; fitted: time and voltage of the fit,
    for drawing."""

    t: Array
    v: Array
    peak: float
    noise: float
    plateau: float
    reset: float
    frequency: float
    frequency_error: float
    quality: float
    fitted: tuple[Array, Array]


def read_drain(t: Array, v: Array, name: str = "trace") -> DrainTrace:
    """What a record of time [s] and drain voltage [V] tells. Raises InputError naming what is missing in it."""
    t, v = _even(np.asarray(t, dtype=float), np.asarray(v, dtype=float), name)
    low, high = (float(x) for x in np.percentile(v, (1.0, 99.9)))
    if high - low < LEAST_SWING:
        raise InputError(name, f"the voltage swings by {show(high - low, 'V', 3)} only: probe factor or unit of the column left out?",
                         WANTED)
    top = int(np.argmax(v))
    below = np.flatnonzero(v[:top] < low + 0.1 * (high - low))
    if not len(below):
        raise InputError(name, "it begins after the turn-off: the switch is never on before the highest voltage", WANTED)
    on = int(below[-1])
    after = np.flatnonzero(v[top:] < low + 0.05 * (high - low))
    end = top + int(after[0]) if len(after) else len(v)
    step = float(t[1] - t[0])
    noise = float(1.4826 * np.median(np.abs(np.diff(v, 2)))) / np.sqrt(6.0)
    ring = _ring(v[top:end], step, max(noise, 1e-3 * (high - low)), name)
    first, period = top + ring[0], ring[1]
    offset, f, error, tau, fit_t, fit_v = _fit(t[first:end], v[first:end], period, name)
    peak = _crest(v, top, noise)
    half = 0.5 * (offset + peak)
    rises, falls = on + int(np.argmax(v[on:] > half)), top + int(np.argmax(v[top:] < half))
    turn_off = float(t[on])
    return DrainTrace(t - turn_off, v, peak, noise, offset, float(t[falls] - t[rises]), f, error, float(np.pi * f * tau),
                      (fit_t - turn_off, fit_v))


def _even(t: Array, v: Array, name: str) -> tuple[Array, Array]:
    """The record at even steps, cut to the points around its highest voltage where it is very long."""
    if len(t) < LEAST_POINTS:
        raise InputError(name, f"{len(t)} points are too few for a ring", f"at least {LEAST_POINTS} points")
    if not np.all(np.diff(t) > 0):
        where = int(np.argmax(np.diff(t) <= 0)) + 2
        raise InputError(name, f"time does not rise at point {where}", "one record, time rising")
    if len(t) > LONGEST:
        top = int(np.argmax(v))
        first = max(min(top - LONGEST // 3, len(t) - LONGEST), 0)
        t, v = t[first : first + LONGEST], v[first : first + LONGEST]
    even = np.linspace(t[0], t[-1], len(t))
    return even, np.interp(even, t, v)


def _ring(v: Array, step: float, noise: float, name: str) -> tuple[int, float]:
    """Index of the first trough after the peak and the period of the ring [s], from its first extremes."""
    from scipy.ndimage import (
        uniform_filter1d,  # here and below: with what they bring along they take two seconds, which the desk does not wait for
    )
    from scipy.signal import find_peaks

    swing = float(v.max() - np.median(v))
    smooth = uniform_filter1d(v, 3)
    troughs, _ = find_peaks(-smooth, prominence=max(6 * noise, 0.06 * swing))
    if len(troughs) < 2:
        raise InputError(name, "no ring is seen after the highest voltage", WANTED)
    spacing = np.diff(troughs[:4])
    period = float(np.median(spacing[: max(1, int(np.sum(spacing < 1.5 * spacing[0])))])) * step
    if period < PER_PERIOD * step:
        raise InputError(name, f"only {period / step:.1f} points fall into a period of the ring",
                         f"a record with at least {PER_PERIOD} points in each period")
    return int(troughs[0]), period


def _fit(t: Array, v: Array, period: float, name: str) -> tuple[float, float, float, float, Array, Array]:
    """Level [V], frequency and its standard error [Hz], time constant [s] of a damped cosine from the first trough on, and the fit
    itself."""
    from scipy.optimize import curve_fit

    inside = t - t[0] < PERIODS * period
    x, y = t[inside] - t[0], v[inside]
    middle = float(np.mean(y[x < max(int(x[-1] / period), 1) * period]))
    depth = middle - float(y[0])

    def shape(x: Array, level: float, slope: float, a: float, f: float, rate: float, phase: float) -> Array:
        return np.asarray(level + slope * x / period - a * np.exp(-rate * x / period) * np.cos(2 * np.pi * f * x / period + phase))
    best = None
    for share in (1.0, 0.6, 0.35):  # a core that empties within the window bends the level: a shorter one fits better
        use = x <= max(share * x[-1], 2.2 * period)
        try:
            with np.errstate(all="ignore"):
                values, spread = curve_fit(shape, x[use], y[use], (middle, 0.0, depth, 1.0, 0.2, 0.0), maxfev=2000)
        except RuntimeError:
            continue
        left = float(np.sqrt(np.mean((shape(x[use], *values) - y[use]) ** 2))) / max(abs(values[2]), 1e-9)
        if np.all(np.isfinite(spread)) and values[3] > 0 and values[4] > 0 and (best is None or left < 0.8 * best[0]):
            best = (left, values, spread, x[use])
    if best is None or best[0] > 0.5:
        raise InputError(name, "the ring after the turn-off is no damped oscillation", WANTED)
    _, values, spread, used = best
    return (float(values[0]), float(values[3] / period), float(np.sqrt(spread[3, 3]) / period), float(period / values[4]), used + t[0],
            shape(used, *values))


def _crest(v: Array, top: int, noise: float) -> float:
    """The peak; of a noisy record that of three points' mean, which noise alone lifts less."""
    from scipy.ndimage import uniform_filter1d

    around = v[max(top - 40, 0) : top + 41]
    return float(around.max() if noise < 2e-3 * v[top] else uniform_filter1d(around, 3).max())
