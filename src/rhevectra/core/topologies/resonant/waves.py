"""What a solved half period amounts to: rms values, means and peaks in tank units, and the waveforms of the whole period."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.rectifier import gauss
from rhevectra.core.topologies.resonant import tank

_GAUSS = gauss(8)
FINE = 24
_TIMES, _WEIGHTS = np.concatenate([0.5 * (_GAUSS[0] + 1), np.linspace(0, 1, FINE)])[:, None], 0.5 * _GAUSS[1][:, None]
"""Gauss's quadrature with eight points over 0 to 1, for a piece is at most half a sinusoid; then even instants."""


def measures(found: tank.Found) -> dict[str, Array]:
    """Per point: rms of tank, rectifier and magnetising current, mean of the tank current over its half, mean and peak of the rectifier
    current, peaks of tank and magnetising current and of the capacitor's voltage, current at turn-off (positive: it still lags), time until
    the tank current turns its sign."""
    p, h = found.point, found.half
    pieces, n = h.kind.shape
    each = lambda x: np.broadcast_to(x, (pieces, n)).ravel()  # noqa: E731  (all pieces of all points in one row)
    t, begun = h.length.ravel() * _TIMES, h.states.reshape(-1, 3)
    j, jm, u = tank.Piece(h.kind.ravel(), (begun[:, 0], begun[:, 1], begun[:, 2]),
                          tank.Point(*(each(getattr(p, k)) for k in ("half", "load", "gain", "ratio")))).at(t)
    rect, w = np.abs(j - jm), h.length.ravel() * _WEIGHTS
    whole = lambda x: (x[:8] * w).sum(0).reshape(pieces, n).sum(0) / p.half  # noqa: E731
    most = lambda x: np.abs(x).max(0).reshape(pieces, n).max(0)  # noqa: E731
    fine, ft = j[8:], t[8:]
    up = (fine[1:] >= 0) & (fine[:-1] < 0)
    k, rows, seen = up.argmax(0), np.arange(pieces * n), up.any(0)
    a, b = fine[k, rows], fine[k + 1, rows]
    cross = h.at.ravel() + ft[k, rows] + (ft[k + 1, rows] - ft[k, rows]) * np.where(seen, -a / np.where(b - a == 0, 1, b - a), 0)
    turned = np.where(seen, cross, np.inf).reshape(pieces, n).min(0)
    return {"tank_rms": np.sqrt(whole(j * j)), "rect_rms": np.sqrt(whole(rect * rect)), "mag_rms": np.sqrt(whole(jm * jm)),
            "tank_mean": whole(j), "rect_mean": whole(rect), "tank_peak": most(j), "rect_peak": most(rect), "mag_peak": most(jm),
            "cap_peak": most(u), "off": -h.start[:, 0], "turned": np.where(np.isfinite(turned), turned, 0.0)}


SAMPLES = 96
"""Instants of half a period at which phases are summed: divisible by 3, so that every shift falls on one."""


def sampled(found: tank.Found) -> tuple[Array, Array]:
    """Tank and magnetising current (SAMPLES, n) of every point at even instants of its half period."""
    p, h = found.point, found.half
    t = p.half * np.arange(SAMPLES)[:, None] / SAMPLES
    j, jm = np.zeros_like(t), np.zeros_like(t)
    for kind, at, length, state in zip(h.kind, h.at, h.length, h.states, strict=True):
        within = (t >= at) & (length > 0)
        here = tank.Piece(kind, state.T, p).at(t - at)
        j, jm = np.where(within, here[0], j), np.where(within, here[1], jm)
    return j, jm


def summed(found: tank.Found, phases: int) -> dict[str, Array]:
    """Currents of evenly shifted phases together, in tank units, per point: rms and swing of the rectified sum, rms of the sum of the tank
    currents (the orders that do not cancel), rms of what the upper switches take."""
    j, jm = sampled(found)
    rect, tanks = np.abs(j - jm), np.concatenate([j, -j])
    upper = np.concatenate([j, np.zeros_like(j)])
    shift = 2 * SAMPLES // phases
    add = lambda x, by: sum(np.roll(x, k * by, axis=0) for k in range(phases))  # noqa: E731
    rms = lambda x: np.sqrt(np.mean(np.square(x), axis=0))  # noqa: E731
    together = add(rect, shift % SAMPLES)
    return {"rect_rms": rms(together), "rect_swing": together.max(0) - together.min(0), "common_rms": rms(add(tanks, shift)),
            "upper_rms": rms(add(upper, shift))}


def waveform(found: tank.Found, row: int, count: int = 60) -> dict[str, Array]:
    """Time and currents of one point over the whole period, in tank units: tank, magnetising, one half of the centre tap (rectifier)."""
    p, h = found.point, found.half
    one = tank.Point(*(getattr(p, n)[row : row + 1] for n in ("half", "load", "gain", "ratio")))
    ts, js, jms, us = [], [], [], []
    for kind, at, length, state in zip(h.kind, h.at, h.length, h.states, strict=True):
        if length[row] <= 0:
            continue
        t = np.linspace(0, length[row], count)[:, None]
        j, jm, u = (x[:, 0] for x in tank.Piece(kind[row : row + 1], state[row : row + 1].T, one).at(t))
        ts.append(at[row] + t[:, 0])
        js.append(j)
        jms.append(jm)
        us.append(u)
    t, j, jm, u = (np.concatenate(x) for x in (ts, js, jms, us))
    half = float(p.half[row])
    both: dict[str, Any] = {"t": np.concatenate([t, t + half]), "tank": np.concatenate([j, -j]), "magnetising": np.concatenate([jm, -jm]),
                            "capacitor": np.concatenate([u, -u])}
    return {**both, "rectifier": np.maximum(both["tank"] - both["magnetising"], 0.0)}
