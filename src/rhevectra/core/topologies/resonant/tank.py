"""The exact periodic state of a resonant tank with a magnetising inductance behind a full-wave rectifier, at many operating points at once.

Everything is counted in the tank's own units: time by √(L_r·C_r), impedance by √(L_r/C_r), voltages by that across the tank. In half a period
the rectifier holds the magnetising inductance at plus or minus the reflected output, or lets it go; each piece is a sinusoid, the ends of
pieces are roots. The state after half a period is the negative of that before it, and the energy of half a period gives the capacitor's
voltage at its start, so three numbers remain to be found for each point: two currents, and one of frequency, load or gain.
Source: the differential equations of the lossless circuit, solved piece by piece; checked against a circuit simulator.
"""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array

OFF, UP, DOWN = 0.0, 1.0, -1.0
"""What the rectifier does to the magnetising inductance: nothing, holds it at plus or at minus the output."""
State = tuple[Array, Array, Array]
PIECES, SCAN = 5, 16
NEWTON, CLOSING, SHORTER = 24, 3, 0.4
ALONE = 6
"""Passes from the first harmonic before another start is tried."""
APART = 1e-3
"""The search begins on the side of a rectifier that still conducts the other way: at the edge between both the slopes differ."""
EDGE, BESIDE, ASTRAY = 1e-6, 1e-4, 3.0
"""Rectifier current that counts as the edge, and where it is left for, on the same side; a step off the edge so many times what is missing was led astray by its slopes."""
ENOUGH, SURE = 1e-9, 0.3
"""Share of the currents that counts as periodic; times its root, Newton's next step is taken to reach it, and judged with the final run."""
_GRID = np.linspace(0, 1, SCAN + 1)[1:, None]


class Point(Struct, frozen=True):
    """Operating points (n,): half period, output current and gain in tank units; ratio of inductances L_m/L_r."""

    half: Array
    load: Array
    gain: Array
    ratio: Array


class Half(Struct, frozen=True):
    """Half a period of each point: state (n, 3) of tank current, magnetising current, capacitor voltage at both ends; pieces (pieces, n) with
    their kind, start, length and state at their start; charge through the rectifier."""

    start: Array
    end: Array
    kind: Array
    at: Array
    length: Array
    states: Array


class Found(Struct, frozen=True):
    """The solved points, their half period, and how far each still is from periodic (large: no such state)."""

    point: Point
    half: Half
    miss: Array
    unknown: Array


def spread(found: Found, rows: Array) -> Found:
    """The solved points by number, any of them as often as it is asked for."""
    p, h = found.point, found.half
    return Found(Point(p.half[rows], p.load[rows], p.gain[rows], p.ratio[rows]), Half(h.start[rows], h.end[rows], h.kind[:, rows], h.at[:, rows], h.length[:, rows], h.states[:, rows]), found.miss[rows], found.unknown[rows])


class Piece:
    """A piece of every point: tank current, magnetising current and capacitor voltage (n,) at its start, and what stays the same in it."""

    __slots__ = ("current", "free", "magnetising", "middle", "over", "point", "ramp", "sense", "swing", "voltage", "w")

    def __init__(self, kind: Array, state: State, point: Point) -> None:
        self.current, self.magnetising, self.voltage = state
        self.point, self.sense, self.free = point, kind, kind == OFF
        held = kind * point.gain
        self.w = np.where(self.free, 1 / np.sqrt(1 + point.ratio), 1.0)
        self.middle, self.ramp = 1.0 - held, held / point.ratio
        self.swing, self.over = self.voltage - self.middle, self.current / self.w

    def turn(self, t: Array) -> tuple[Array, Array]:
        """Cosine and sine of how far the piece has turned after a time t (..., n)."""
        turned = self.w * t
        return np.cos(turned), np.sin(turned)

    def at(self, t: Array, turn: tuple[Array, Array] | None = None) -> State:
        """State after a time t (..., n); turn: that of t, where it is known."""
        c, s = self.turn(t) if turn is None else turn
        current = self.current * c - self.swing * self.w * s
        return current, np.where(self.free, current, self.magnetising + self.ramp * t), self.middle + self.swing * c + self.over * s

    def end(self, rest: Array) -> Array:
        """Length, at most the rest of the half period: a held piece ends when the rectifier current has fallen to zero, a free one when its voltage reaches the output."""
        length = self._held_end(rest)
        if not self.free.any():
            return length
        limit = self.point.gain * (1 + 1 / self.point.ratio)
        far = np.maximum(np.hypot(self.swing, self.over), 1e-300)
        turned = np.pi - np.arccos(np.minimum(limit / far, 1.0)) - np.mod(-np.arctan2(self.over, self.swing), np.pi)
        return np.where(self.free, np.where(far > limit, np.clip(turned / self.w, 0.0, rest), rest), length)

    def _held_end(self, rest: Array) -> Array:
        """Scan of the rectifier current for its first change of sign, then Newton within the interval found."""
        a, b, zero, fall = self.sense * self.current, self.sense * self.swing, self.sense * self.magnetising, self.point.gain / self.point.ratio
        grid = _GRID * rest
        scan = a * np.cos(grid) - b * np.sin(grid) - zero - fall * grid
        below = scan < -1e-13
        hit = below.any(0) & ~self.free
        if not hit.any():
            return rest
        first, rows, width = below.argmax(0), np.arange(len(rest)), rest / SCAN
        f_low, f_high = np.where(first > 0, scan[first - 1, rows], 0.0), scan[first, rows]
        low, high = first * width, (first + 1) * width
        root = low + width * np.minimum(np.maximum(f_low / np.maximum(f_low - f_high, 1e-300), 0.02), 0.98)
        for _ in range(CLOSING):
            c, s = np.cos(root), np.sin(root)
            f, slope = a * c - b * s - zero - fall * root, -a * s - b * c - fall
            above = f > 0
            low, high = np.where(above, root, low), np.where(above, high, root)
            step = root - f / np.where(slope < 0, slope, -1e300)
            root = np.where((slope < 0) & (step >= low) & (step <= high), step, 0.5 * (low + high))
        return np.where(hit, root, rest)


def _next(kind: Array, state: State, p: Point) -> Array:
    """The piece that follows one of a kind: what the voltage across the free inductance asks for; after a free piece it is held, whatever rounding says."""
    across = (1.0 - state[2]) * p.ratio / (1 + p.ratio)
    free = (np.abs(across) < p.gain) & (kind != OFF)
    return np.where(free, OFF, np.where(across > 0, UP, DOWN))


class Moved(Struct):
    """Derivatives (3, n) of the state, and of the time since the start, by the three unknowns. until: of the half period; by_gain: whether the third is the gain."""

    current: Array
    magnetising: Array
    voltage: Array
    shift: Array
    until: Array
    by_gain: bool

    def through(self, piece: Piece, t: Array, turn: tuple[Array, Array], ends: Array, state: State) -> None:
        """Take them through a piece of length t, which turns so far, to the state at its end. ends: where it ends by itself, and its end moves too; elsewhere that of the half period does."""
        (c, s), w, sense = turn, piece.w, piece.sense
        self.current, self.voltage = c * self.current - w * s * self.voltage, s / w * self.current + c * self.voltage
        if self.by_gain:
            self.current[2] -= sense * s
            self.voltage[2] -= sense * (1 - c)
        self.magnetising = np.where(piece.free, self.current, self.magnetising)
        if self.by_gain:
            self.magnetising[2] += sense * t / piece.point.ratio
        rates = (piece.middle - state[2]) * w * w, state[0]
        ramps = np.where(piece.free, rates[0], piece.ramp)
        across = np.sign(1 - state[2]) * piece.point.ratio / (1 + piece.point.ratio)
        slope = np.where(piece.free, across * rates[1], sense * (rates[0] - ramps))
        rise = np.where(piece.free, across * self.voltage, sense * (self.current - self.magnetising))
        if self.by_gain:
            rise[2] += piece.free
        longer = np.where(ends, -rise / np.where(np.abs(slope) > 1e-12, slope, 1e-12), self.until - self.shift)
        self.current, self.magnetising, self.voltage = self.current + rates[0] * longer, self.magnetising + ramps * longer, self.voltage + rates[1] * longer
        self.shift = self.shift + longer


def run(point: Point, start: Array) -> Half:
    """Half a period from a state (n, 3)."""
    pieces, ats, lengths, end = _run(point, start.T, None)
    states = np.array([(q.current, q.magnetising, q.voltage) for q in pieces]).transpose(0, 2, 1)
    return Half(start, np.array(end).T, np.array([q.sense for q in pieces]), np.array(ats), np.array(lengths), states)


def _run(point: Point, start: Any, moved: Moved | None) -> tuple[list[Piece], list[Array], list[Array], State]:
    """Pieces of half a period from a state, when each begins, how long it is, and the state at the end. moved: derivatives of the start, taken along to the end."""
    apart = start[0] - start[1]
    kind = np.where(apart > 1e-12, UP, np.where(apart < -1e-12, DOWN, _next(np.full(len(apart), UP), start, point)))
    state, done = start, np.zeros(len(apart))
    pieces, ats, lengths = [], [], []
    for k in range(PIECES):
        rest = np.maximum(point.half - done, 0.0)
        piece = Piece(kind, state, point)
        length = rest if k == PIECES - 1 else piece.end(rest)
        pieces.append(piece)
        ats.append(done)
        lengths.append(length)
        turn = piece.turn(length)
        state = piece.at(length, turn)
        if moved is not None:
            moved.through(piece, length, turn, length < rest, state)
        done = done + length
        running = done < point.half * (1 - 1e-12)
        if not running.any():
            break
        kind = np.where(running, _next(kind, state, point), kind)
    return pieces, ats, lengths, state


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
    start = unknown.copy()
    start[:, 2] = -0.5 * p.gain * p.load * p.half
    return start


def _judged(unknown: Array, point: Point, free: str) -> tuple[Array, Array]:
    """How far half a period ends from the negative of its start (n, 3), and the Jacobian of that (n, 3, 3)."""
    n, p = len(unknown), _with(point, free, unknown[:, 2])
    before = np.zeros((3, 3, n))
    before[0, 0] = before[1, 1] = 1.0
    before[2, 2] = -0.5 * p.gain * p.load * p.half / getattr(p, free)
    until = np.zeros((3, n))
    until[2] = free == "half"
    start = begun(unknown, p).T
    moved = Moved(before[0], before[1], before[2], np.zeros((3, n)), until, free == "gain")
    end = _run(p, start, moved)[3]
    return (np.array(end) + start).T, (np.array((moved.current, moved.magnetising, moved.voltage)) + before).transpose(2, 0, 1)


def solve(point: Point, free: str = "half", near: Array | None = None, enough: float = ENOUGH, passes: int = NEWTON) -> Found:
    """The periodic state of every point. free: which of half, load, gain is looked for from its value in point; near: unknowns (n, 3) to begin from;
    enough: share of the currents that counts as periodic. Near the peak of the gain the first harmonic leads astray: frequencies looked for
    without a start get a second one from the nearest point whose current lags, and the rest of the passes from where they stood."""
    if near is not None or free != "half" or passes <= ALONE:
        return _newton(point, free, near, enough, passes)
    found = _newton(point, free, None, enough, ALONE)
    for from_nearest in (True, False):
        solved = found.miss <= enough
        good = solved & (found.unknown[:, 0] < 0)
        late = np.flatnonzero(~good if from_nearest else ~solved)
        if not len(late) or (from_nearest and not good.any()):
            continue
        again = _newton(_rows(point, late), free, found.unknown[_nearest(point, late, good) if from_nearest else late], enough, passes - ALONE)
        better = (again.miss <= enough) & ((again.unknown[:, 0] < 0) | ~solved[late])
        found = mended(found, free, late, again, better)
    return found


def mended(found: Found, free: str, rows: Array, again: Found, better: Array) -> Found:
    """The points solved, those of `rows` (by number) from another attempt at them where it is better."""
    if not better.any():
        return found
    unknown, miss = found.unknown.copy(), found.miss.copy()
    unknown[rows[better]], miss[rows[better]] = again.unknown[better], again.miss[better]
    p = _with(found.point, free, unknown[:, 2])
    return Found(p, run(p, begun(unknown, p)), miss, unknown)


def _newton(point: Point, free: str, near: Array | None, enough: float, passes: int) -> Found:
    """The same from one start by Newton's method; a step that brought a point no closer is shortened."""
    jm = -0.5 * point.gain * point.half / point.ratio
    unknown = np.stack([jm - APART, jm, getattr(point, free)], -1) if near is None else near.copy()
    n = len(unknown)
    kept, size, move, miss, presumed = unknown.copy(), np.full(n, np.inf), np.zeros_like(unknown), np.full(n, np.inf), np.zeros(n, bool)
    active, sure = np.arange(n), SURE * np.sqrt(enough)
    for left in range(passes, 0, -1):
        x = unknown[active]
        rest, slopes = _judged(x, _rows(point, active), free)
        now = np.linalg.norm(rest, axis=1)
        worse = ~(now < size[active])
        step = -np.linalg.solve(np.where(worse[:, None, None], np.eye(3), slopes + 1e-10 * np.eye(3)), rest[..., None])[..., 0]
        step *= np.minimum(1.0, 0.3 * np.abs(x[:, 2]) / np.maximum(np.abs(step[:, 2]), 1e-300))[:, None]
        astray = (np.abs(x[:, 0] - x[:, 1]) < EDGE) & (np.abs(step[:, 0] - step[:, 1]) > ASTRAY * now)
        if astray.any():
            step[astray] = -BESIDE, 0.0, 0.0
            now = np.where(astray, np.inf, now)
        move[active] = np.where(worse[:, None], SHORTER * move[active], step)
        kept[active] = np.where(worse[:, None], kept[active], x)
        size[active] = np.where(worse, size[active], now)
        miss[active] = np.where(worse, miss[active], _share(rest, x))
        presumed[active] = ~worse & ~astray & (miss[active] <= sure) & (miss[active] > enough)
        unknown[active] = np.where((miss[active] > enough)[:, None], kept[active] + move[active], kept[active])
        active = active[(miss[active] > enough) & ~presumed[active]]
        if not len(active) or left == 1:
            last = np.where(presumed[:, None], unknown, kept)
            p = _with(point, free, last[:, 2])
            half = run(p, begun(last, p))
            found = Found(p, half, np.where(presumed, _share(half.end + half.start, last), miss), last)
            reached = presumed & (found.miss <= enough)
            kept[reached], miss[reached] = last[reached], found.miss[reached]
            active = np.flatnonzero(presumed & ~reached)
            presumed[:] = False
            if not len(active):
                break
    return found


def _nearest(point: Point, late: Array, good: Array) -> Array:
    """For every point that is late the good one nearest in gain and load."""
    where = np.log(np.stack([point.gain, point.load]))
    apart = np.square(where[:, late, None] - where[:, None, :]).sum(0)
    return np.asarray(np.where(good, apart, np.inf).argmin(1))


def _share(rest: Array, unknown: Array) -> Array:
    """What is missing to periodic, over the current at the start."""
    return np.asarray(np.abs(rest).max(1) / (np.abs(unknown[:, 1]) + 0.1))
