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
NEWTON, CLOSING, SHORTER = 24, 3, 0.4
APART = 1e-3
"""The search begins on the side of a rectifier that still conducts the other way: at the edge between both the slopes differ."""
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


def spread(found: Found, rows: Array) -> Found:
    """The solved points by number, any of them as often as it is asked for."""
    p, h = found.point, found.half
    return Found(Point(p.half[rows], p.load[rows], p.gain[rows], p.ratio[rows]), Half(h.start[rows], h.end[rows], h.kind[:, rows], h.at[:, rows], h.length[:, rows], h.states[:, rows]), found.miss[rows], found.unknown[rows])


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


def _flow(kind: Array, p: Point, t: Array, moved: Array, by_gain: Array) -> Array:
    """Derivatives (n, 3 states, 3 unknowns) after a piece of fixed length, from those at its start; by_gain: which unknown is the gain, (3,) of 0 and 1."""
    free = kind == OFF
    w = np.where(free, 1 / np.sqrt(1 + p.ratio), 1.0)
    c, s, sense = np.cos(w * t), np.sin(w * t), np.where(free, 0.0, np.where(kind == UP, 1.0, -1.0))
    col = lambda x: x[:, None]  # noqa: E731
    j, jm, u = moved[:, 0], moved[:, 1], moved[:, 2]
    current = col(c) * j - col(w * s) * u - col(sense * s) * by_gain
    voltage = col(s / w) * j + col(c) * u - col(sense * (1 - c)) * by_gain
    return np.stack([current, np.where(col(free), current, jm + col(sense * t / p.ratio) * by_gain), voltage], 1)


def _rates(kind: Array, p: Point, state: Array) -> Array:
    """Time derivatives (n, 3) of the state in a piece."""
    sense = np.where(kind == OFF, 0.0, np.where(kind == UP, 1.0, -1.0))
    current = np.where(kind == OFF, (1 - state[:, 2]) / (1 + p.ratio), 1 - sense * p.gain - state[:, 2])
    return np.stack([current, np.where(kind == OFF, current, sense * p.gain / p.ratio), state[:, 0]], -1)


def _event_shift(kind: Array, p: Point, state: Array, rates: Array, moved: Array, by_gain: Array) -> Array:
    """How the length (n, 3) of a piece that ends by itself moves with the unknowns: its end stays where `_left` is zero."""
    across = np.sign(1 - state[:, 2]) * p.ratio / (1 + p.ratio)
    sense, free = np.where(kind == UP, 1.0, -1.0), kind == OFF
    slope = np.where(free, across * rates[:, 2], sense * (rates[:, 0] - rates[:, 1]))
    rise = np.where(free[:, None], across[:, None] * moved[:, 2] + by_gain, sense[:, None] * (moved[:, 0] - moved[:, 1]))
    return -rise / np.where(np.abs(slope) > 1e-12, slope, 1e-12)[:, None]


def run(point: Point, start: Array) -> Half:
    """Half a period from a state (n, 3)."""
    return _run(point, start, None)[0]


def _run(point: Point, start: Array, moved: tuple[Array, Array, Array] | None) -> tuple[Half, Array]:
    """The same, and the derivatives of its end. moved: those of the start (n, 3, 3), of the half period (n, 3), and which unknown is the gain (3,)."""
    apart = start[:, 0] - start[:, 1]
    kind = np.where(apart > 1e-12, UP, np.where(apart < -1e-12, DOWN, _next(np.full(len(apart), UP), start, point)))
    state, done = start, np.zeros(len(apart))
    kinds, ats, lengths, states = [], [], [], []
    by, shift, until, by_gain = (np.zeros((0, 3, 3)), np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(3)) if moved is None else (moved[0], np.zeros((len(apart), 3)), moved[1], moved[2])
    for k in range(PIECES):
        rest = np.maximum(point.half - done, 0.0)
        length = rest if k == PIECES - 1 else _piece_end(kind, state, point, rest)
        kinds.append(kind)
        ats.append(done)
        lengths.append(length)
        states.append(state)
        state = np.stack([x[:, 0] for x in along(kind, state, point, length[:, None])], -1)
        if moved is not None:
            rates, by = _rates(kind, point, state), _flow(kind, point, length, by, by_gain)
            longer = np.where((length < rest)[:, None], _event_shift(kind, point, state, rates, by, by_gain), until - shift)
            by, shift = by + rates[:, :, None] * longer[:, None, :], shift + longer
        done = done + length
        running = done < point.half * (1 - 1e-12)
        kind = np.where(running, _next(kind, state, point), kind)
        if not running.any():
            break
    return Half(start, state, np.stack(kinds), np.stack(ats), np.stack(lengths), np.stack(states)), by


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


FREE = ("half", "load", "gain")


def _rows(p: Point, index: Array) -> Point:
    return Point(p.half[index], p.load[index], p.gain[index], p.ratio[index])


def _with(point: Point, free: str, third: Array) -> Point:
    half, load, gain = (third if n == free else getattr(point, n) for n in FREE)
    return Point(half, load, gain, point.ratio)


def begun(unknown: Array, p: Point) -> Array:
    """State at the start: two currents as they are looked for, and the voltage that the energy of half a period asks for."""
    return np.stack([unknown[:, 0], unknown[:, 1], -0.5 * p.gain * p.load * p.half], -1)


def _judged(unknown: Array, point: Point, free: str) -> tuple[Array, Array]:
    """How far half a period ends from the negative of its start (n, 3), and the Jacobian of that (n, 3, 3)."""
    n, p = len(unknown), _with(point, free, unknown[:, 2])
    before = np.zeros((n, 3, 3))
    before[:, 0, 0] = before[:, 1, 1] = 1.0
    before[:, 2, 2] = -0.5 * p.gain * p.load * p.half / getattr(p, free)
    until = np.zeros((n, 3))
    until[:, 2] = free == "half"
    half, after = _run(p, begun(unknown, p), (before, until, np.array([0.0, 0.0, float(free == "gain")])))
    return half.end + half.start, after + before


def solve(point: Point, free: str = "half", near: Array | None = None, enough: float = ENOUGH, passes: int = NEWTON) -> Found:
    """The periodic state of every point. free: which of half, load, gain is looked for from its value in point; near: unknowns (n, 3) to begin from;
    enough: share of the currents that counts as periodic. Newton; a step that brought a point no closer is shortened."""
    jm = -0.5 * point.gain * point.half / point.ratio
    unknown = np.stack([jm - APART, jm, getattr(point, free)], -1) if near is None else near.copy()
    kept, size, move, miss = unknown.copy(), np.full(len(unknown), np.inf), np.zeros_like(unknown), np.full(len(unknown), np.inf)
    active = np.arange(len(unknown))
    for _ in range(passes):
        x = unknown[active]
        rest, slopes = _judged(x, _rows(point, active), free)
        now = np.linalg.norm(rest, axis=1)
        worse = ~(now < size[active])
        step = -np.linalg.solve(np.where(worse[:, None, None], np.eye(3), slopes + 1e-10 * np.eye(3)), rest[..., None])[..., 0]
        step *= np.minimum(1.0, 0.3 * np.abs(x[:, 2]) / np.maximum(np.abs(step[:, 2]), 1e-300))[:, None]
        move[active] = np.where(worse[:, None], SHORTER * move[active], step)
        kept[active] = np.where(worse[:, None], kept[active], x)
        size[active] = np.where(worse, size[active], now)
        miss[active] = np.where(worse, miss[active], np.abs(rest).max(1) / (np.abs(x[:, 1]) + 0.1))
        active = active[miss[active] > enough]
        if not len(active):
            break
        unknown[active] = kept[active] + move[active]
    p = _with(point, free, kept[:, 2])
    return Found(p, run(p, begun(kept, p)), miss, kept)
