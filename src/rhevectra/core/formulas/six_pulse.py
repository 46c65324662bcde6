"""Three-phase mains through six diodes into one capacitor: periodic steady state with source impedance and constant-power load.

Every sixth of a cycle one phase takes over from another while a third carries both; the sixths are alike but for the phases' places. One of
them is integrated, from 6° before two voltages between lines cross, where no commutation is under way: whether the currents have gaps, just
meet or overlap shows by itself. A step is implicit with the weight that makes the decay of a current exact; which diodes conduct is the one
solution of two currents that must not be negative. All corners are integrated at once.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.formula import formula
from rhevectra.core.formulas.rectifier import MIN_INDUCTANCE, RESIDUAL, Bulk, LineSource

STEPS, COARSE, BEFORE = 48, 24, 6.0
"""Steps of a sixth, for figures and for choosing parts by, and the angle [°] by which it begins before the voltages cross."""
MOST_SIXTHS = 40
SHARE, FINEST = 0.02, 2e-6
"""Most a period may miss over what the load takes from the capacitor in a sixth, and what is close enough in any case, over the crest."""
LEFT, FLAT, OVER = 1e-3, 1e-4, 1.8
"""Share of its crest that the current of the phase that is relieved may still have as the sixth ends; determinant below which the search
begins anew; most a sixth may begin at over the crest: lines of little resistance lift a small capacitor above it."""


def angles(steps: int = STEPS) -> Array:
    """Angles [rad] of the steps from the crossing on."""
    return np.radians(np.linspace(-BEFORE, 60.0 - BEFORE, steps + 1))


class SixPulse(Bulk, frozen=True):
    """Periodic solution of every corner, with a sixth of a cycle in place of a pulse.

    As in `Bulk`, but t counts from the beginning of the sixth; v_start and i_start [A], which flows in the phase that is relieved, are of
    that instant; i_rms, i_peak, power_factor of a line; i_nodes: current into capacitor and load; i_phase (last axis): the half wave of one
    line over its three sixths [A].
    """

    i_start: Array
    i_phase: Array


def solve_six_pulse(v_line: Any, f_line: Any, power: Any, c: Any, source: LineSource, near: Bulk | None = None,
                    residual: float = RESIDUAL) -> SixPulse:
    """Periodic steady state at every corner.

    v_line [V rms] between lines, f_line [Hz], power [W], c [F]: arrays that broadcast to one shape; source: what stands in series with two
    phases and two diodes. near: an earlier solution of that shape; residual: largest miss of a sixth over the crest. Where no steady state
    exists the corner is marked `collapsed`.
    Source: circuit equations of the bridge; checked against a circuit simulator in the tests.
    """
    shape, f = _circuit(v_line, f_line, power, c, source, residual)
    start = (near.v_start.ravel(), near.i_start.ravel()) if isinstance(near, SixPulse) else None
    (now,), lost, miss = _periodic(f, [(np.exp(1j * np.pi / 6), np.exp(-1j * np.pi / 6))], start, residual)
    found = _measured(f, now, lost, miss)
    return SixPulse(**{n: x.reshape(shape + x.shape[1:]) for n, x in found.items()})


class Unbalanced(Struct, frozen=True):
    """What unbalanced mains make of it, arrays of one shape: rms of the line that carries most [A], least voltage of the capacitor [V], and
    where no steady state exists; i_lines: half wave of all three lines over three sixths [A] (line, step, then that shape)."""

    i_rms: Array
    v_valley: Array
    collapsed: Array
    i_lines: Array


def solve_unbalanced(v_line: Any, f_line: Any, power: Any, c: Any, source: LineSource, share: float) -> Unbalanced:
    """The same with a negative sequence that is a share of the positive one, in step with it between two lines: those carry most.

    Half a cycle repeats itself: three sixths, in each of which another phase takes over.
    """
    shape, f = _circuit(v_line, f_line, power, c, source, RESIDUAL)
    turn = np.exp(1j * np.pi / 3 * np.array([1, -1, -3]))  # phases a, b and c where a and b cross at their positive halves
    a, b, z = (turn + share * np.exp(1j * np.pi / 3 * np.array([-2, 0, 2]))) / np.sqrt(3)
    sixths, lost, _ = _periodic(f, [(a - z, b - z), (b - z, b - a), (b - a, z - a)], None, RESIDUAL)
    (i0, i1, i), (j0, j1, j), (k0, k1, k) = [(x["i0"], x["i1"], x["i0"] + x["i1"]) for x in sixths]
    lines = np.array([np.concatenate(parts) for parts in ((i0[:-1], -j1[:-1], -k), (i1[:-1], j[:-1], k0), (-i[:-1], -j0[:-1], k1))])
    rms = np.sqrt(np.tensordot(_shares(lines.shape[1] - 1), np.square(lines), ([0], [1])).max(0))
    valley = np.min([_least(x["w"]) for x in sixths], axis=0)
    return Unbalanced(rms.reshape(shape), valley.reshape(shape), lost.reshape(shape), lines.reshape(*lines.shape[:2], *shape))


def _circuit(v_line: Any, f_line: Any, power: Any, c: Any, source: LineSource, residual: float) -> tuple[tuple[int, ...], dict[str, Any]]:
    """Shape of the corners and their numbers, flattened; resistance and inductance of one line."""
    v_line, f_line, power, c, esr = np.broadcast_arrays(v_line, f_line, power, c, source.esr)
    crest, steps = np.sqrt(2.0) * v_line.ravel(), STEPS if residual <= RESIDUAL else COARSE
    return v_line.shape, {"crest": crest, "angle": angles(steps), "h": 1 / (6 * steps * f_line.ravel()),
                          "power": np.maximum(power.ravel(), 1e-3), "c": c.ravel(), "esr": esr.ravel(), "r": 0.5 * source.resistance,
                          "l": 0.5 * max(source.inductance, 2 * MIN_INDUCTANCE), "drop": source.drop}


def _periodic(f: dict[str, Any], pairs: Sequence[tuple[complex, complex]], near: tuple[Array, Array] | None,
              residual: float) -> tuple[list[dict[str, Array]], Array, Array]:
    """Search (Broyden's) for the capacitor voltage and the current at which a row of sixths repeats itself. pairs: voltages between the
    lines of each, over the crest, as they turn from the crossing on: of the phase that is relieved and of the one that takes over, to the
    third. Returns the sixths, where there is no steady state, and the miss [V]."""
    top = f["crest"] - f["drop"]
    falls = f["power"] * (len(f["angle"]) - 1) * f["h"] / (f["c"] * np.square(top))  # in a sixth, over the crest
    v, i = near if near is not None else (top * (1 - np.minimum(np.maximum(0.7 * falls, FINEST), 0.05)), 0.0 * top)
    closed = np.maximum(np.minimum(residual, SHARE * falls), FINEST) * top
    floor, most, z = 0.2 * top, OVER * top, np.sqrt(2 * f["l"] / f["c"])  # both unknowns in volts, as lines and capacitor exchange them
    alike = -np.eye(2)[:, :, None] + np.zeros(len(top))  # what a sixth leaves hardly depends on what it began with
    slope, before, charges = alike, None, 0.9 * top
    waves = [[f["crest"] * np.real(x * np.exp(1j * (f["angle"] + k * np.pi / 3)))[:, None] - f["drop"] for x in pair]
             for k, pair in enumerate(pairs)]
    for _ in range(MOST_SIXTHS):
        start = np.minimum(np.maximum(v, floor), most)
        v1, i1, sixths = start, i, []
        for wave in waves:
            sixths.append(_sixth(f, v1, i1, wave))
            v1, i1 = sixths[-1]["v"][-1], sixths[-1]["i1"][-1]
        miss, strongest = v1 - start, np.max([x["i_peak"] for x in sixths], axis=0)
        idle = strongest <= 0.0
        if not idle.any() and np.all(np.abs(miss) < closed) and np.all(np.abs(i1 - i) < 10 * residual * (1e-3 + strongest)):
            break
        now, at = np.array([miss, z * (i1 - i)]), np.array([start, z * i])
        if before is not None:
            slope = _learnt(slope, at - before[0], now - before[1])
        det = slope[0, 0] * slope[1, 1] - slope[0, 1] * slope[1, 0]
        slope, det = np.where(np.abs(det) > FLAT, slope, alike), np.where(np.abs(det) > FLAT, det, 1.0)
        step_v = -(slope[1, 1] * now[0] - slope[0, 1] * now[1]) / det
        step_i = -(slope[0, 0] * now[1] - slope[1, 0] * now[0]) / det
        charges = np.where(miss > 0, np.maximum(charges, start), charges)
        step_v = np.where(idle, 0.5 * (charges - start), step_v)  # nothing flows: between there and where something did
        v = np.minimum(np.maximum(start + np.clip(step_v, -0.2 * top, 0.2 * top), floor), most)
        before, i = (at, now), np.maximum(i + step_i / z, 0.0)
    overlap = np.max([x["i0"][-1] for x in sixths], axis=0) > LEFT * strongest
    return sixths, (np.abs(miss) > 1e-2 * top) | (start <= floor * 1.001) | overlap, np.abs(miss)


def _learnt(slope: Array, went: Array, came: Array) -> Array:
    """Slopes (2, 2, corners) that explain by the least change what came of going there (Broyden 1965, from memory)."""
    gain = (came - np.einsum("abn,bn->an", slope, went)) / np.maximum(np.square(went).sum(0), 1e-12)
    return np.asarray(slope + gain[:, None] * went[None])


def _sixth(f: dict[str, Any], v: Array, i0: Array, waves: Sequence[Array]) -> dict[str, Array]:
    """A sixth of a cycle from capacitor voltage v [V] with i0 [A] in the phase that is relieved: v, terminal voltage w, both currents, step
    by step (first axis). waves: both voltages between lines less the drops [V]."""
    x = f["r"] * f["h"] / f["l"] + 1e-9
    weight = -1 / np.expm1(-x) - 1 / x
    z_l, behind = f["l"] / (f["h"] * weight), 1 / weight - 1
    z, s, fill = z_l + f["r"], 0.5 * f["h"] / f["c"] + f["esr"], f["h"] / f["c"]
    alone, shared = 1 / (2 * z + s), z + s
    both = 1 / (z * (3 * z + 2 * s))
    i1 = u0 = u1 = np.zeros_like(v)
    rate = i0 - f["power"] / v
    kept: list[tuple[Array, Array, Array, Array]] = [(v, v + f["esr"] * (i0 - f["power"] / v), i0, i1)]
    for e0, e1 in zip(waves[0][1:], waves[1][1:], strict=True):
        i = i0 + i1
        q = f["power"] / np.maximum(v + 0.5 * fill * rate, 0.1 * f["crest"])
        w = v + fill * (0.5 * i - q) - f["esr"] * q
        b0, b1 = behind * u0 + z_l * (i0 + i) + e0 - w, behind * u1 + z_l * (i1 + i) + e1 - w
        x0, x1 = ((z + shared) * b0 - shared * b1) * both, ((z + shared) * b1 - shared * b0) * both
        first, second = np.maximum(b0 * alone, 0.0), np.maximum(b1 * alone, 0.0)
        two = (x0 > 0) & (x1 > 0)
        only = ~two & (first > 0) & (b1 <= shared * first)
        i0, i1 = np.where(two, x0, np.where(only, first, 0.0)), np.where(two, x1, np.where(only, 0.0, second))
        now = i0 + i1
        w = w + s * now
        v, rate = v + fill * (0.5 * (i + now) - q), now - q
        a0, a1, flows = e0 - w - f["r"] * (i0 + now), e1 - w - f["r"] * (i1 + now), now > 0
        u0, u1 = (np.where(flows, np.where(two | only, a0, 0.5 * a1), 0.0), np.where(flows, np.where(only, 0.5 * a0, a1), 0.0))
        kept.append((v, w, i0, i1))
    v_all, w_all, first_all, second_all = (np.array(a) for a in zip(*kept, strict=True))
    return {"v": v_all, "w": w_all, "i0": first_all, "i1": second_all, "i_peak": (first_all + second_all).max(0)}


def _measured(f: dict[str, Any], now: dict[str, Array], lost: Array, miss: Array) -> dict[str, Array]:
    """All that is asked of a solution, from the steps of its sixth (first axis of `now`)."""
    h, i0, i1, v, w = f["h"], now["i0"], now["i1"], now["v"], now["w"]
    steps = len(v) - 1
    share = _shares(steps)
    mean = lambda x: np.tensordot(share, x, 1)  # noqa: E731
    i, load = i0 + i1, f["power"] / np.maximum(v, 1e-3)
    sine = [f["crest"] * np.cos(f["angle"] + side)[:, None] for side in (np.pi / 6, -np.pi / 6)]
    i_rms = np.sqrt(mean(np.square(i0) + np.square(i1) + np.square(i)) / 3)
    p_line = mean(sine[0] * i0 + sine[1] * i1)
    held = lambda x: np.where(lost, np.clip(x, 0.2 * f["crest"], f["crest"]), x)  # noqa: E731  # what has no waveform gives numbers still
    t = np.multiply.outer(h, np.arange(steps + 1))
    flows = h * ((i0 > 0).sum(0) + (i1 > 0).sum(0))
    return {"v_valley": held(_least(w)), "v_peak": held(-_least(-w)), "t_start": 0 * h, "t_conduct": flows,
            "i_rms": i_rms, "i_peak": -_least(-i), "i_cap": np.sqrt(mean(np.square(i - load))), "p_line": p_line,
            "power_factor": p_line / np.maximum(np.sqrt(1.5) * f["crest"] * i_rms, 1e-9), "i_nodes": i.T, "t_nodes": t, "v_nodes": w.T,
            "weights": np.multiply.outer(steps * h, share), "collapsed": lost, "residual": miss, "v_start": v[0],
            "share": flows / (steps * h), "v_other": 0 * h, "sag": 0 * h, "i_start": i0[0],
            "i_phase": np.concatenate([i1[:-1], i[:-1], i0]).T}


def _shares(steps: int) -> Array:
    """Weights of the mean over so many steps by the trapezoidal rule."""
    share = np.full(steps + 1, 1.0 / steps)
    share[[0, -1]] *= 0.5
    return share


def _least(x: Array) -> Array:
    """Least value over the steps (first axis), on the parabola through the lowest three."""
    around = np.concatenate([x[-2:-1], x, x[1:2]])
    k = x.argmin(0)
    a, b, c = (np.take_along_axis(around, (k + j)[None], 0)[0] for j in range(3))
    bend = a - 2 * b + c
    return b - np.where(bend > 0, np.square(a - c) / np.where(bend > 0, 8 * bend, 1.0), 0.0)


def line_harmonics(bulk: SixPulse, orders: Array) -> Array:
    """Rms of the odd harmonics of a line's current [A]; last axis follows `orders`. Lines that are alike and have no neutral carry none of
    those divisible by three."""
    half = bulk.i_phase.shape[-1] - 1
    turn = np.exp(-1j * np.multiply.outer(np.pi / half * np.arange(half + 1), orders)) * _shares(half)[:, None]
    return np.asarray(np.where(orders % 3 == 0, 0.0, np.sqrt(2.0) * np.abs(bulk.i_phase @ turn)))


@formula("I = P/(3·V_bus)", "A", "P V_bus", "the bus current passes from one to the next of three diodes on either side")
def diode_average(power: Any, v_bus: Any) -> Any:
    """Average current [A] of one of six diodes at bus voltage v_bus [V]."""
    return power / (3 * v_bus)


@formula("P = 2·V_f·I_avg + 3·R_d·I_rms²", "W", "V_f I_avg R_d I_rms",
         "two diodes conduct in series; the current of each line flows through one of its two diodes at any time")
def bridge_loss(v_forward: Any, i_avg: Any, r_dynamic: Any, i_rms: Any) -> Any:
    """Loss [W] of six diodes: drop [V] times the average rectified current, resistance r_dynamic [Ω] of each at a line's rms."""
    return 2 * v_forward * i_avg + 3 * r_dynamic * np.square(i_rms)


@formula("P = 3·R·I²", "W", "R I", "Joule, in each of three lines")
def three_lines_loss(r: Any, i_rms: Any) -> Any:
    """Loss [W] of a resistance [Ω] in each of three lines at rms current [A]."""
    return 3 * r * np.square(i_rms)
