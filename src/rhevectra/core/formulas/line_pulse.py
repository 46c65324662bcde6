"""One conduction pulse of a line-fed capacitor in closed form, and what a whole half cycle misses of being periodic.

While the bridge conducts the circuit is linear but for the constant-power load, which is replaced by its
tangent at the mean capacitor voltage: v(t) = k + a·sin ωt + b·cos ωt + e^(−ατ)·(p·cosh ρτ + q·sinh ρτ / ρ),
with cos and sin of ν in place of the hyperbolic ones where the circuit rings. Everything works on numbers, on
arrays of corners, and on the nodes of a traced chain alike.
"""

from collections.abc import Mapping
from functools import cache
from typing import Any, NamedTuple

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.fused import Fused

SCAN = np.concatenate([np.linspace(1.0, 2.6, 9), np.geomspace(3.0, 40.0, 7)])
"""Conduction times tried first, over the time from the start to the crest."""
CIRCUIT = ("crest", "omega", "power", "c", "drop", "esr", "resistance", "inductance", "half", "floor")
"""Line crest [V], ω [rad/s], load [W], capacitance [F], fixed drops [V], capacitor resistance, all resistance [Ω],
inductance [H], half period [s], least voltage a trial may end at [V]."""


MOST = 150.0
"""Exponent beyond which a pulse has left every circuit; keeps numbers finite until it is told that no steady state exists."""


class Pulse(NamedTuple):
    """Terms of the closed solution: start t0, quarter = time from there to the crest [s], exponents [1/s], amplitudes [V], [V/s]."""

    t0: Any
    quarter: Any
    slow: Any
    fast: Any
    rho: Any
    nu: Any
    rings: Any
    k: Any
    a: Any
    b: Any
    p: Any
    q: Any
    dp: Any
    dq: Any
    pull: Any
    slope: Any
    offset: Any


def pulse(v0: Any, f: Mapping[str, Any], beside: Any = None) -> Pulse:
    """The pulse that starts at bus voltage v0 [V]. f: the numbers of CIRCUIT; beside [V]: another capacitor in series with the one that is
    charged."""
    crest, omega, c, inductance, resistance = f["crest"], f["omega"], f["c"], f["inductance"], f["resistance"]
    drop = f["drop"] if beside is None else f["drop"] - beside
    middle = 0.5 * (v0 + crest if beside is None else v0 + crest + beside)
    swing = 0.45 * (crest - drop - v0)
    even = f["power"] * (1 + np.square(swing / middle) / 3)  # the tangent lies below P/v; this gives the mean power back
    pull, slope = 2 * even / middle, even / np.square(middle)
    offset = drop - f["esr"] * f["power"] / middle
    t0 = np.arcsin(np.minimum(np.maximum((v0 + offset) / crest, 0.0), 1 - 1e-12)) / omega
    stiff = 1 - resistance * slope
    alpha = (resistance * c - slope * inductance) / (2 * inductance * c)
    square = np.square(alpha) - stiff / (inductance * c)
    rings = square < 0.0
    rho, nu = np.sqrt(np.maximum(square, 0.0)) + 1e-9 * omega, np.sqrt(np.maximum(-square, 0.0))
    k = -(offset + resistance * pull) / stiff
    m, n = stiff - inductance * c * np.square(omega), omega * (resistance * c - slope * inductance)
    size = np.square(m) + np.square(n)
    a, b = crest * m / size, -(crest * n / size)
    sine, cosine = np.sin(omega * t0), np.cos(omega * t0)
    p = v0 - k - a * sine - b * cosine
    q = (slope * v0 - pull) / c - omega * (a * cosine - b * sine) + alpha * p
    return Pulse(t0, np.maximum(f["half"] / 2 - t0, 1e-7 * f["half"]), rho - alpha, -(rho + alpha), rho, nu, rings, k, a, b, p, q,
                 q - alpha * p, p * square - alpha * q, pull, slope, offset)


def solution(tau: Any, s: Pulse, omega: Any, c: Any) -> tuple[Any, Any]:
    """Capacitor voltage [V] and line current [A], tau [s] after the start."""
    angle, ring = omega * (s.t0 + tau), s.nu * tau
    sine, cosine = np.sin(angle), np.cos(angle)
    grow, fall = (np.exp(np.minimum(s.slow * tau, MOST)),
                  np.exp(s.fast * tau))  # a capacitor far too small for its load runs away within a pulse
    even = 0.5 * (grow + fall) * np.cos(ring)
    odd = np.where(s.rings, grow * np.sin(ring) / np.maximum(s.nu, 1e-30), 0.5 * (grow - fall) / s.rho)
    v = s.k + s.a * sine + s.b * cosine + s.p * even + s.q * odd
    return v, c * (omega * (s.a * cosine - s.b * sine) + s.dp * even + s.dq * odd) + s.pull - s.slope * v


def end(lasts: Any, s: Pulse, f: Mapping[str, Any]) -> tuple[Any, Any]:
    """One Newton step of the conduction time [s] towards the return of the current to zero.

    Gives the new time and the capacitor voltage there, to first order of the step.
    """
    v, i = solution(lasts, s, f["omega"], f["c"])
    rate = (f["crest"] * np.sin(f["omega"] * (s.t0 + lasts)) - s.offset - f["resistance"] * i - v) / f["inductance"]
    falls = rate < 0.0
    step = np.where(falls, i / np.where(falls, rate, -1.0), -0.05 * lasts)
    step = np.minimum(np.maximum(step, -0.4 * lasts), 0.4 * lasts)
    new = np.minimum(np.maximum(lasts - step, 0.5 * s.quarter), 0.999 * f["half"])
    return new, v + (i - s.pull + s.slope * v) / f["c"] * (new - lasts)


def first_end(s: Pulse, f: Mapping[str, Array]) -> Array:
    """Start for the conduction time [s]: the first return of the current to zero on a scan."""
    s = Pulse(*(np.asarray(x)[..., None] for x in s))
    tau = np.minimum(s.quarter * SCAN, 0.999 * f["half"][..., None])
    current = solution(tau, s, f["omega"][..., None], f["c"][..., None])[1]
    below = current <= 0
    first = np.maximum(np.where(below.any(-1), below.argmax(-1), len(SCAN) - 1), 1)[..., None]
    high, low = np.take_along_axis(tau, first, -1), np.take_along_axis(tau, first - 1, -1)
    i_high, i_low = np.take_along_axis(current, first, -1), np.take_along_axis(current, first - 1, -1)
    share = np.clip(i_low / np.where(i_low == i_high, 1.0, i_low - i_high), 0.0, 1.0)
    return np.asarray((low + share * (high - low))[..., 0])


@cache
def half_cycle(steps: int) -> Fused:
    """A trial of a half cycle, traced: `miss` [V] of the period from start voltage v0 [V], and `share`, conduction time over `quarter`.

    steps: Newton steps of the conduction time in one trial. After the last trial also `lasts` [s] and the terms of the pulse.
    """
    def trial(f: Mapping[str, Any], x: Mapping[str, Any]) -> dict[str, Any]:
        s = pulse(x["v0"], f)
        lasts, v1 = x["share"] * s.quarter, x["v0"]
        for _ in range(steps):
            lasts, v1 = end(lasts, s, f)
        after = np.sqrt(np.maximum(np.square(v1) - 2 * f["power"] * (f["half"] - lasts) / f["c"], np.square(f["floor"])))
        return {"miss": after - x["v0"], "share": lasts / s.quarter, "lasts": lasts, **s._asdict()}
    return Fused(trial, CIRCUIT, ("v0", "share"), ("miss", "share"))
