"""The exact periodic state of a resonant tank with a magnetising inductance behind a full-wave rectifier, at many operating points at once.

Everything is counted in the tank's own units: time by √(L_r·C_r), impedance by √(L_r/C_r), voltages by that across the tank. In half a period
the rectifier holds the magnetising inductance at plus or minus the reflected output, or lets it go; each piece is a sinusoid, the ends of
pieces are roots. The state after half a period is the negative of that before it, and the energy of half a period gives the capacitor's
voltage at its start, so three numbers remain to be found for each point: two currents, and one of frequency, load or gain.
Source: the differential equations of the lossless circuit, solved piece by piece; checked against a circuit simulator.
"""

from dataclasses import dataclass

import numpy as np

from rhevectra.core.basis.corners import Array

OFF, UP, DOWN = 0, 1, 2
"""What the rectifier does to the magnetising inductance: nothing, holds it at plus or at minus the output."""
PIECES, SCAN = 5, 16
NEWTON, CLOSING = 14, 4
ENOUGH = 1e-9
_GRID = np.linspace(0, 1, SCAN + 1)[None, 1:]


@dataclass(frozen=True)
class Point:
    """Operating points (n,): half period, output current and gain in tank units; ratio of inductances L_m/L_r."""

    half: Array
    load: Array
    gain: Array
    ratio: Array


@dataclass(frozen=True)
class Half:
    """Half a period of each point: state (n, 3) of tank current, magnetising current, capacitor voltage at both ends; pieces (pieces, n) with
    their kind, start, length and state at their start; charge through the rectifier."""

    start: Array
    end: Array
    kind: Array
    at: Array
    length: Array
    states: Array


@dataclass(frozen=True)
class Found:
    """The solved points, their half period, and how far each still is from periodic (large: no such state)."""

    point: Point
    half: Half
    miss: Array
    unknown: Array


def along(kind: Array, state: Array, p: Point, t: Array) -> tuple[Array, Array, Array]:
    """State after a time t (n, m) in a piece: tank current, magnetising current, capacitor voltage."""
    j, jm, u = (state[..., k][..., None] for k in range(3))
    held = np.where(kind == UP, p.gain, np.where(kind == DOWN, -p.gain, 0.0))[:, None]
    free = (kind == OFF)[:, None]
    w = np.where(free, 1 / np.sqrt(1 + p.ratio)[:, None], 1.0)
    middle = 1.0 - held
    c, s = np.cos(w * t), np.sin(w * t)
    voltage = middle + (u - middle) * c + j / w * s
    current = j * c - (u - middle) * w * s
    return current, np.where(free, current, jm + held / p.ratio[:, None] * t), voltage


def _left(kind: Array, p: Point, along: tuple[Array, Array, Array]) -> Array:
    """What falls through zero when a piece ends: rectifier current, or how far the free inductance is from being held."""
    current, magnetising, voltage = along
    sense = (kind - 1.5)[:, None] * -2.0  # +1 where held up, -1 where held down
    free = p.gain[:, None] - np.abs(1.0 - voltage) * (p.ratio / (1 + p.ratio))[:, None]
    return np.where((kind == OFF)[:, None], free, sense * (current - magnetising))


def _slope(kind: Array, p: Point, along: tuple[Array, Array, Array]) -> Array:
    """Rate of `_left`."""
    current, _, voltage = along
    held = np.where(kind == UP, 1.0, -1.0)[:, None]
    gain, ratio = p.gain[:, None], p.ratio[:, None]
    return np.where((kind == OFF)[:, None], np.sign(1.0 - voltage) * current * ratio / (1 + ratio), held * (1.0 - voltage) - gain * (1 + 1 / ratio))


def _next(kind: Array, state: Array, p: Point) -> Array:
    """The piece that follows one of a kind: what the voltage across the free inductance asks for; after a free piece it is held, whatever rounding says."""
    across = (1.0 - state[:, 2]) * p.ratio / (1 + p.ratio)
    free = (np.abs(across) < p.gain) & (kind != OFF)
    return np.where(free, OFF, np.where(across > 0, UP, DOWN))


def _piece_end(kind: Array, state: Array, p: Point, rest: Array) -> Array:
    """Length of the piece that begins here, at most the rest of the half period: scan for the first change of sign, then close in."""
    grid = _GRID * rest[:, None]
    scan = _left(kind, p, along(kind, state, p, grid))
    below = scan < -1e-13
    hit = below.any(1)
    if not hit.any():
        return rest
    first, rows = below.argmax(1), np.arange(len(rest))
    before = np.maximum(first - 1, 0)
    high, low = np.where(hit, grid[rows, first], rest), np.where(hit & (first > 0), grid[rows, before], 0.0)
    f_low, f_high = np.where(first > 0, scan[rows, before], 0.0), scan[rows, first]
    root = low + (high - low) * np.clip(f_low / np.maximum(f_low - f_high, 1e-300), 0.02, 0.98)
    for _ in range(CLOSING):
        here = along(kind, state, p, root[:, None])
        f, slope = _left(kind, p, here)[:, 0], _slope(kind, p, here)[:, 0]
        low, high = np.where(f > 0, root, low), np.where(f > 0, high, root)
        step = root - f / np.where(slope < 0, slope, -1e300)
        root = np.where((slope < 0) & (step >= low) & (step <= high), step, 0.5 * (low + high))
    return np.where(hit, root, rest)


def run(point: Point, start: Array) -> Half:
    """Half a period from a state (n, 3)."""
    apart = start[:, 0] - start[:, 1]
    kind = np.where(apart > 1e-12, UP, np.where(apart < -1e-12, DOWN, _next(np.full(len(apart), UP), start, point)))
    state, done = start, np.zeros(len(apart))
    kinds, ats, lengths, states = [], [], [], []
    for k in range(PIECES):
        rest = np.maximum(point.half - done, 0.0)
        length = rest if k == PIECES - 1 else _piece_end(kind, state, point, rest)
        kinds.append(kind)
        ats.append(done)
        lengths.append(length)
        states.append(state)
        state = np.stack([x[:, 0] for x in along(kind, state, point, length[:, None])], -1)
        done = done + length
        ended = done < point.half * (1 - 1e-12)
        kind = np.where(ended, _next(kind, state, point), kind)
        if not ended.any():
            break
    return Half(start, state, np.stack(kinds), np.stack(ats), np.stack(lengths), np.stack(states))


def first_harmonic(frequency: Array, ratio: Array, quality: Array) -> Array:
    """Gain by the first harmonic: M = 1/√((1 + (1 − 1/F²)/k)² + Q²·(F − 1/F)²), F of the series resonance, Q = Z/R with R = 8/π²·n²·R_load."""
    return np.asarray(1 / np.sqrt(np.square(1 + (1 - 1 / np.square(frequency)) / ratio) + np.square(quality * (frequency - 1 / frequency))))


def quality_of(load: Array, gain: Array) -> Array:
    """Quality factor of a point in tank units."""
    return np.asarray(np.pi**2 / 8 * load / gain)


def guess_half(load: Array, gain: Array, ratio: Array, low: float = 0.2, high: float = 4.0) -> Array:
    """Half period at which the first harmonic gives the gain, on the falling side; at its peak where it never reaches it."""
    f = np.geomspace(low, high, 240)
    m = first_harmonic(f[None, :], ratio[:, None], quality_of(load, gain)[:, None])
    peak = m.argmax(1)
    able = (m >= gain[:, None]) & (np.arange(len(f))[None, :] >= peak[:, None])
    last = np.where(able.any(1), len(f) - 1 - able[:, ::-1].argmax(1), peak)
    return np.asarray(np.pi / f[last])


def _values(point: Point, free: str, third: Array) -> Point:
    return Point(**({n: getattr(point, n) for n in ("half", "load", "gain", "ratio")} | {free: third}))


def _residual(unknown: Array, point: Point, free: str) -> tuple[Array, Half, Point]:
    """How far half a period ends from the negative of its start; unknown (n, 3): tank and magnetising current at the start, and what is free."""
    p = Point(**({n: getattr(point, n) for n in ("half", "load", "gain", "ratio")} | {free: unknown[:, 2]}))
    half = run(p, np.stack([unknown[:, 0], unknown[:, 1], -0.5 * p.gain * p.load * p.half], -1))
    return half.end + half.start, half, p


def _rows(p: Point, index: Array) -> Point:
    return Point(*(getattr(p, n)[index] for n in ("half", "load", "gain", "ratio")))


def _slopes(unknown: Array, base: Array, point: Point, free: str) -> Array:
    """Jacobian (n, 3, 3) by differences, all columns at once."""
    n = len(unknown)
    size = np.abs(unknown[:, 1]) + 0.1
    step = 1e-6 * np.stack([-size, size, np.abs(unknown[:, 2])], -1)  # the tank current stays on the side of a rectifier that still conducts
    moved = np.concatenate([unknown + step * np.eye(3)[k] for k in range(3)])
    there, _, _ = _residual(moved, _rows(point, np.tile(np.arange(n), 3)), free)
    return np.asarray(np.stack([(there[k * n : (k + 1) * n] - base) / step[:, k : k + 1] for k in range(3)], -1))


def _damped(x: Array, r: Array, move: Array, sub: Point, free: str) -> tuple[Array, Array]:
    """The longest of a few shortenings of the step that brings each point closer; the shortest where none does."""
    share, before = np.ones(len(x)), np.linalg.norm(r, axis=1)
    trial, there = x, r
    for _ in range(5):
        trial = x + share[:, None] * move
        there, _, _ = _residual(trial, sub, free)
        good = np.linalg.norm(there, axis=1) < before
        if good.all():
            break
        share = np.where(good, share, 0.4 * share)
    return trial, there


def solve(point: Point, free: str = "half", near: Array | None = None, enough: float = ENOUGH, passes: int = NEWTON) -> Found:
    """The periodic state of every point. free: which of half, load, gain is looked for from its value in point; near: unknowns (n, 3) to begin from;
    enough: share of the currents that counts as periodic."""
    jm = -0.5 * point.gain * point.half / point.ratio
    unknown = np.stack([jm, jm, getattr(point, free)], -1) if near is None else near.copy()
    base, _, _ = _residual(unknown, point, free)
    for _ in range(passes):
        active = np.flatnonzero(np.abs(base).max(1) > enough * (np.abs(unknown[:, 1]) + 0.1))
        if not len(active):
            break
        x, r, sub = unknown[active], base[active], _rows(point, active)
        move = -np.linalg.solve(_slopes(x, r, sub, free) + 1e-10 * np.eye(3), r[..., None])[..., 0]
        move *= np.minimum(1.0, 0.3 * np.abs(x[:, 2]) / np.maximum(np.abs(move[:, 2]), 1e-300))[:, None]
        unknown[active], base[active] = _damped(x, r, move, sub, free)
    _, half, p = _residual(unknown, point, free)
    return Found(p, half, np.abs(base).max(1) / (np.abs(unknown[:, 1]) + 0.1), unknown)
