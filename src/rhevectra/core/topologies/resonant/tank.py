"""The exact periodic state of a resonant tank with a magnetising inductance behind a full-wave rectifier, at many operating points at once.

Everything is counted in the tank's own units: time by √(L_r·C_r), impedance by √(L_r/C_r), voltages by that across the tank. In half a
period the rectifier holds the magnetising inductance at plus or minus the reflected output, or lets it go; each piece is a sinusoid, the
ends of pieces are roots. The state after half a period is the negative of that before it, and the energy of half a period gives the
capacitor's voltage at its start, so three numbers remain to be found for each point: two currents, and one of frequency, load or gain.
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
NEWTON, CLOSING, SHORTER = 24, 2, 0.4
ALONE = 6
"""Passes from the first harmonic before another start is tried."""
APART = 1e-3
"""The search begins on the side of a rectifier that still conducts the other way: at the edge between both the slopes differ."""
EDGE, BESIDE, ASTRAY = 1e-6, 1e-4, 3.0
"""Rectifier current that counts as the edge, and where it is left for, on the same side; a step off the edge so many times what is missing
was led astray by its slopes."""
ENOUGH, SURE = 1e-9, 0.3
"""Share of the currents that counts as periodic; times its root, Newton's next step is taken to reach it, and judged with the final run."""
THIRD = np.array([[0.0], [0.0], [1.0]])
_SCANNED = np.arange(1.0, SCAN + 1)[:, None]


class Point(Struct, frozen=True):
    """Operating points (n,): half period, output current and gain in tank units; ratio of inductances L_m/L_r."""

    half: Array
    load: Array
    gain: Array
    ratio: Array


class Half(Struct, frozen=True):
    """Half a period of each point: state (n, 3) of tank current, magnetising current, capacitor voltage at both ends; pieces (pieces, n)
    with their kind, start, length and state at their start; charge through the rectifier."""

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
    return Found(Point(p.half[rows], p.load[rows], p.gain[rows], p.ratio[rows]),
                 Half(h.start[rows], h.end[rows], h.kind[:, rows], h.at[:, rows], h.length[:, rows], h.states[:, rows]), found.miss[rows],
                 found.unknown[rows])


class Constants(Struct):
    """What stays the same in every piece of each point: frequency of the free piece over that of a held one, ramp of the held magnetising
    current, voltage at which a free piece ends, share of the voltage that lies across the free magnetising inductance."""

    slow: Array
    ramp: Array
    limit: Array
    share: Array

    @classmethod
    def of(cls, p: Point) -> "Constants":
        more = 1 + p.ratio
        ramp = p.gain / p.ratio
        return cls(1 / np.sqrt(more), ramp, p.gain + ramp, p.ratio / more)


class Piece:
    """A piece of every point: tank current, magnetising current and capacitor voltage (n,) at its start, and what stays the same in it.
    Where it is free, or held, at all points, only that is worked out."""

    __slots__ = ("all_free", "constants", "current", "free", "magnetising", "middle", "none_free", "over", "point", "ramp", "sense",
                 "swing", "voltage", "w")

    def __init__(self, kind: Array, state: State, point: Point, constants: Constants | None = None) -> None:
        self.current, self.magnetising, self.voltage = state
        self.constants = constants = constants or Constants.of(point)
        self.point, self.sense, self.free = point, kind, kind == OFF
        free = np.count_nonzero(self.free)
        self.none_free, self.all_free = free == 0, free == len(kind)
        self.w: Any = self.either(constants.slow, 1.0)
        self.middle: Any = 1.0 if self.all_free else 1.0 - kind * point.gain
        self.ramp: Any = 0.0 if self.all_free else kind * constants.ramp
        self.swing, self.over = self.voltage - self.middle, self.current / self.w

    def either(self, free: Any, held: Any) -> Any:
        """What holds of free pieces where they are, of held ones elsewhere."""
        return held if self.none_free else free if self.all_free else np.where(self.free, free, held)

    def turn(self, t: Array) -> tuple[Array, Array]:
        """Cosine and sine of how far the piece has turned after a time t (..., n)."""
        turned = self.w * t
        return np.cos(turned), np.sin(turned)

    def at(self, t: Array, turn: tuple[Array, Array] | None = None) -> State:
        """State after a time t (..., n); turn: that of t, where it is known."""
        c, s = self.turn(t) if turn is None else turn
        current = self.current * c - self.swing * self.w * s
        magnetising = current if self.all_free else self.either(current, self.magnetising + self.ramp * t)
        return current, magnetising, self.middle + self.swing * c + self.over * s

    def end(self, rest: Array) -> Array:
        """Length, at most the rest of the half period: a held piece ends when the rectifier current has fallen to zero, a free one when its
        voltage reaches the output."""
        if self.none_free:
            return self._held_end(rest)
        limit = self.constants.limit
        far = np.maximum(np.hypot(self.swing, self.over), 1e-300)
        turned = np.pi - np.arccos(np.minimum(limit / far, 1.0)) - np.mod(-np.arctan2(self.over, self.swing), np.pi)
        length = np.where(far > limit, np.minimum(np.maximum(turned / self.w, 0.0), rest), rest)
        return length if self.all_free else np.where(self.free, length, self._held_end(rest))

    def _held_end(self, rest: Array) -> Array:
        """Scan of the rectifier current for its first change of sign, then Halley's steps within the interval found."""
        a, b, zero, fall = self.sense * self.current, self.sense * self.swing, self.sense * self.magnetising, self.constants.ramp
        width = rest / SCAN
        turning = np.empty((SCAN, len(rest)), complex)
        turning[:] = np.exp(1j * width)
        turning[0] *= a + 1j * b
        scan = np.multiply.accumulate(turning, 0).real - zero - _SCANNED * (fall * width)
        below = scan < -1e-13
        rows = np.arange(len(rest))
        first = below.argmax(0)
        hit = below[first, rows] & ~self.free
        if not np.count_nonzero(hit):
            return rest
        f_low, f_high = np.where(first > 0, scan[first - 1, rows], 0.0), scan[first, rows]
        low = first * width
        high = low + width
        root = low + width * np.minimum(np.maximum(f_low / np.maximum(f_low - f_high, 1e-300), 0.02), 0.98)
        for _ in range(CLOSING):
            c, s = np.cos(root), np.sin(root)
            bends = a * c - b * s
            f, slope = bends - zero - fall * root, -a * s - b * c - fall
            above = f > 0
            low, high = np.where(above, root, low), np.where(above, high, root)
            steeper = 2 * slope * slope + f * bends  # the second derivative is -bends
            step = root - 2 * f * slope / np.where(steeper > 0, steeper, 1e-300)
            root = np.where((slope < 0) & (step >= low) & (step <= high), step, 0.5 * (low + high))
        return np.where(hit, root, rest)


def _next(kind: Any, state: State, gain: Array, constants: Constants) -> Array:
    """The piece that follows one of a kind: what the voltage across the free inductance asks for; after a free piece it is held, whatever
    rounding says."""
    across = (1.0 - state[2]) * constants.share
    free = (np.abs(across) < gain) & (kind != OFF)
    return np.where(free, OFF, np.where(across > 0, UP, DOWN))


class Moved(Struct):
    """Derivatives (3, n) of the state, and of the time since the start, by the three unknowns. until: of the half period; by_gain: whether
    the third is the gain."""

    current: Array
    magnetising: Array
    voltage: Array
    shift: Array
    until: Array
    by_gain: bool

    def through(self, piece: Piece, t: Array, turn: tuple[Array, Array], ends: Array, state: State) -> None:
        """Take them through a piece of length t, which turns so far, to the state at its end. ends: where it ends by itself, and its end
        moves too; elsewhere that of the half period does."""
        (c, s), w, sense = turn, piece.w, piece.sense
        self.current, self.voltage = c * self.current - w * s * self.voltage, s / w * self.current + c * self.voltage
        if self.by_gain:
            self.current[2] -= sense * s
            self.voltage[2] -= sense * (1 - c)
        self.magnetising = piece.either(self.current, self.magnetising)
        if self.by_gain and not piece.all_free:
            self.magnetising = self.magnetising + THIRD * (sense * t / piece.point.ratio)
        rates = (piece.middle - state[2]) * w * w, state[0]
        ramps = piece.either(rates[0], piece.ramp)
        slope, rise = self._approach(piece, rates, state)
        longer = np.where(ends, -rise / np.where(np.abs(slope) > 1e-12, slope, 1e-12), self.until - self.shift)
        self.current, self.magnetising, self.voltage = (self.current + rates[0] * longer, self.magnetising + ramps * longer,
                                                        self.voltage + rates[1] * longer)
        self.shift = self.shift + longer

    def _approach(self, piece: Piece, rates: tuple[Array, Array], state: State) -> tuple[Array, Array]:
        """How fast the quantity whose root ends the piece moves there with time, and with the unknowns: of a held piece the rectifier
        current, of a free one the voltage across the magnetising inductance."""
        slope = rise = None
        if not piece.all_free:
            slope, rise = piece.sense * (rates[0] - piece.ramp), piece.sense * (self.current - self.magnetising)
        if not piece.none_free:
            across = np.sign(1 - state[2]) * piece.constants.share
            slope, rise = piece.either(across * rates[1], slope), piece.either(across * self.voltage, rise)
            if self.by_gain:
                rise[2] += piece.free
        return np.asarray(slope), np.asarray(rise)


def run(point: Point, start: Array) -> Half:
    """Half a period from a state (n, 3)."""
    pieces, ats, lengths, end = passed(point, start.T, None)
    states = np.array([(q.current, q.magnetising, q.voltage) for q in pieces]).transpose(0, 2, 1)
    return Half(start, np.array(end).T, np.array([q.sense for q in pieces]), np.array(ats), np.array(lengths), states)


def passed(point: Point, start: Any, moved: Moved | None) -> tuple[list[Piece], list[Array], list[Array], State]:
    """Pieces of half a period from a state, when each begins, how long it is, and the state at the end. moved: derivatives of the start,
    taken along to the end."""
    apart, constants = start[0] - start[1], Constants.of(point)
    kind = np.where(apart > 1e-12, UP, np.where(apart < -1e-12, DOWN, _next(UP, start, point.gain, constants)))
    state, done = start, np.zeros(len(apart))
    pieces, ats, lengths = [], [], []
    for k in range(PIECES):
        rest = np.maximum(point.half - done, 0.0)
        piece = Piece(kind, state, point, constants)
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
        if not np.count_nonzero(running):
            break
        kind = np.where(running, _next(kind, state, point.gain, constants), kind)
    return pieces, ats, lengths, state


def first_harmonic(frequency: Array, ratio: Array, quality: Array) -> Array:
    """Gain by the first harmonic: M = 1/√((1 + (1 − 1/F²)/k)² + Q²·(F − 1/F)²), F of the series resonance, Q = Z/R with R =
    8/π²·n²·R_load."""
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
    end = passed(p, start, moved)[3]
    return (np.array(end) + start).T, (np.array((moved.current, moved.magnetising, moved.voltage)) + before).transpose(2, 0, 1)


def solve(point: Point, free: str = "half", near: Array | None = None, enough: float = ENOUGH, passes: int = NEWTON) -> Found:
    """The periodic state of every point. free: which of half, load, gain is looked for from its value in point; near: unknowns (n, 3) to
    begin from; enough: share of the currents that counts as periodic. Near the peak of the gain the first harmonic leads astray:
    frequencies looked for without a start get a second one from the nearest point whose current lags, and the rest of the passes from where
    they stood."""
    if near is not None or free != "half" or passes <= ALONE:
        return _newton(point, free, near, enough, passes)
    found = _newton(point, free, None, enough, ALONE)
    for from_nearest in (True, False):
        solved = found.miss <= enough
        good = solved & (found.unknown[:, 0] < 0)
        late = np.flatnonzero(~good if from_nearest else ~solved)
        if not len(late) or (from_nearest and not good.any()):
            continue
        again = _newton(_rows(point, late), free, found.unknown[_nearest(point, late, good) if from_nearest else late], enough,
                        passes - ALONE)
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
