"""Small signals of a stage under peak-current or duty control, and what is around it in the loop.

A small shift of the instant at which the switch turns off is an impulse of current slope there; between these instants everything is
linear. Summed over all cycles that gives the response at a frequency exactly, half the switching frequency included, where currents are
straight ramps. No formula of this file is printed: figures of the loop are solved on frequencies. Source: derived here; checked against a
cycle-by-cycle simulation.
"""

from typing import Any

import numpy as np
from msgspec import Struct

Array = Any


class Ramp(Struct, frozen=True):
    """The current that the control looks at, seen from one side of the transformer: period and time that it falls [s], slopes up and down
    and that added to the control [A/s], inductance [H], its crest [A], and where the current returns to zero in each period."""

    period: Array
    t_fall: Array
    up: Array
    down: Array
    added: Array
    inductance: Array
    crest: Array
    discontinuous: Array


def after_period(w: Array, r: Ramp) -> tuple[Array, Array]:
    """What the control finds of a step of its own when it comes back: z of a period, and the pole of the sampled current (its α)."""
    return np.exp(1j * w * r.period), (r.down - r.added) / (r.up + r.added)


def fed_while_off(w: Array, r: Ramp, ratio: Array, load: Array, waits: bool = False) -> tuple[Array, Array]:
    """Output voltage per ampere of the crest asked for, and that per ampere drawn from the output [V/A], of a stage that feeds its output
    while the switch is off.

    w: angular frequency [1/s]; ratio: output ampere turns over those of the ramp's side, as turns of that side over the output's; load:
    impedance the output feeds [Ω]; waits: the next period begins when the current has returned to zero (no longer exact then: within some
    per cent and degrees up to a tenth of the rate).
    """
    jw, inverse = 1j * w, 1 / (r.up + r.added)
    z, alpha = after_period(w, r)
    ahead, behind = (np.exp(jw * r.t_fall) - 1) / jw, (1 - np.exp(-jw * r.t_fall)) / jw
    carried = np.where(r.discontinuous, 0.0, 1.0)
    x0, x1 = carried * (1 + alpha) / (z + alpha), -carried * ratio / r.inductance * ahead / (z + alpha)
    shift0, shift1 = (1 - x0) * inverse, -x1 * inverse
    moved = (r.up + r.down) * behind - r.crest
    own = ratio / r.period * (x0 * behind + moved * shift0)
    by_output = ratio / r.period * (x1 * behind + moved * shift1 - ratio / (jw * r.inductance) * (r.t_fall - behind))
    if waits:
        mean = 0.5 * ratio * r.crest * r.t_fall / r.period**2 * (1 - np.exp(-jw * r.period)) / (jw * r.period)
        own = own - mean * (1 + r.up / r.down) * shift0
        by_output = by_output + mean * ratio * r.t_fall / (r.inductance * r.down)
    drawn = load / (1 - load * by_output)
    return own * drawn, drawn


def fed_always(w: Array, r: Ramp, load: Array, by_duty: Array | None = None) -> tuple[Array, Array]:
    """The same of a stage whose inductor feeds its output all the time; all seen from the output's side.

    by_duty: the duty is what is asked for [V], whatever the current does, with so much resistance in series with the inductor [Ω], which
    damps its resonance.
    """
    jw, inverse = 1j * w, 1 / (r.up + r.added)
    z, alpha = after_period(w, r)
    t_rise = r.crest / r.up
    x0, x1 = (1 + alpha) / (z + alpha), -(z - 1) / (jw * r.inductance) / (z + alpha)
    shift0, shift1 = (r.period, 0.0) if by_duty is not None else (np.where(r.discontinuous, 1.0, 1 - x0) * inverse,
        np.where(r.discontinuous, t_rise / r.inductance, -x1) * inverse)
    slope = (r.up + r.down) / r.period
    path = jw * r.inductance + (0.0 if by_duty is None else by_duty)
    whole = np.where(r.discontinuous, (1 - np.exp(-jw * r.t_fall)) / jw, r.inductance / path)
    fallen = np.where(r.discontinuous, np.square(t_rise + r.t_fall) / (2 * r.inductance * r.period), 1 / path)
    drawn = load / (1 - load * (slope * shift1 * whole - fallen))
    return slope * shift0 * whole * drawn, drawn


def impedance(w: Array, r_load: Array, c: Array, esr: Array) -> Array:
    """A load [Ω] beside a capacitor [F] with its resistance [Ω]."""
    return 1 / (1 / r_load + 1 / (esr + 1 / (1j * w * c)))


def filtered(w: Array, first: tuple[Array, Array], second: tuple[Array, Array], inductance: Array, r_wire: Array,
             r_load: Array) -> tuple[Array, Array]:
    """Impedance [Ω] before a second filter stage, and the share of the voltage there that is behind it; first, second: capacitor [F] and
    its resistance [Ω]; r_wire: of the inductor [Ω]."""
    behind = impedance(w, r_load, *second)
    path = behind + r_wire + 1j * w * inductance
    return 1 / (1 / (first[1] + 1 / (1j * w * first[0])) + 1 / path), behind / path


def first_order(w: Array, f: Array) -> Array:
    """1 + jω/ω_f: a zero at a frequency [Hz], or the pole below a fraction bar."""
    return 1 + 1j * w / (2 * np.pi * f)


def integrated(w: Array, r_high: Array, c_zero: Array) -> Array:
    """What a shunt reference adds to its coupler's own feed: 1/(jω·R·C), through r_high [Ω] and c_zero [F]."""
    return 1 / (1j * w * r_high * c_zero)


def step_response(w: Array, drawn: Array, t: Array) -> Array:
    """Excursion [V] at times t (k,) [s] after a step of one ampere at an output whose closed impedance is known on frequencies w (m, 1)
    [1/s] evenly apart by their logarithm, (m, n): (2/π)·∫Re Z·sin(ωt)/ω dω."""
    apart = np.log(w[1, 0] / w[0, 0])
    return np.asarray(2 / np.pi * apart * np.einsum("mk,mn->kn", np.sin(w * t), drawn.real))


class Margins(Struct, frozen=True):
    """Of loops (n,): crossover [Hz], phase margin [°], gain margin [dB] (up to the last frequency: no less than that)."""

    crossover: Array
    phase: Array
    gain: Array


def decades(gain: Array) -> Array:
    """Logarithm of sizes; of a stage that the pin does not move, as small as any."""
    return np.log10(np.maximum(np.abs(gain), 1e-30))


def crossing(f: Array, size: Array) -> tuple[Array, Array, Array]:
    """Where logarithms of sizes (m, n) on rising frequencies f (m,) last fall through zero: frequency [Hz], and the interval with the share
    of it gone by; an end where they do not."""
    above, every = size > 0, np.arange(size.shape[1])
    last = np.minimum(np.where(above.any(0), len(f) - 1 - above[::-1].argmax(0), 0), len(f) - 2)
    a, b = size[last, every], size[last + 1, every]
    share = np.minimum(np.maximum(a / np.where(np.abs(a - b) > 1e-12, a - b, 1e-12), 0.0), 1.0)
    return f[last] * (f[last + 1] / f[last]) ** share, last, share


def margins(f: Array, gain: Array) -> Margins:
    """Margins of open loops, between the frequencies by straight lines of logarithms. f: (m,) [Hz]; gain: complex (m, n)."""
    size, every = decades(gain), np.arange(gain.shape[1])
    angle = np.arctan2(gain.imag, gain.real)
    steps = angle[1:] - angle[:-1]
    turned = np.degrees(np.concatenate([angle[:1], angle[:1] + (steps - 2 * np.pi * np.round(steps / (2 * np.pi))).cumsum(0)]))
    crossover, last, share = crossing(f, size)
    phase = turned[last, every] + share * (turned[last + 1, every] - turned[last, every])
    low = turned <= -180
    first = np.where(low.any(0), np.maximum(low.argmax(0), 1), len(f) - 1)
    p, q = turned[first - 1, every], turned[first, every]
    part = np.where(low.any(0), np.minimum(np.maximum((p + 180) / np.maximum(p - q, 1e-9), 0.0), 1.0), 1.0)
    return Margins(crossover, 180 + phase, -20 * (size[first - 1, every] + part * (size[first, every] - size[first - 1, every])))
