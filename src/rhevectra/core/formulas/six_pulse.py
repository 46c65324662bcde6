"""Three-phase mains through six diodes into one capacitor: periodic steady state with source impedance and constant-power load.

Every sixth of a cycle one phase takes over from another while a third carries both; the sixths are alike but for the phases' places. One of
them is integrated, from 6° before two voltages between lines cross, where no commutation is under way: whether the currents have gaps, just
meet or overlap shows by itself. A step is implicit with the weight that makes the decay of a current exact; which diodes conduct is the one
solution of two currents that must not be negative. All corners are integrated at once.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.formula import formula
from rhevectra.core.formulas.rectifier import MIN_INDUCTANCE, RESIDUAL, Bulk, LineSource

STEPS, BEFORE = 48, 6.0
"""Steps of a sixth, and the angle [°] by which it begins before the voltages cross."""
MOST_SIXTHS = 40
ANGLE = np.radians(np.linspace(-BEFORE, 60.0 - BEFORE, STEPS + 1))
"""Angles of the steps from the crossing on."""
LEFT = 1e-3
"""Share of its crest that the current of the phase that is relieved may still have as the sixth ends."""


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
    v_line, f_line, power, c, esr = np.broadcast_arrays(v_line, f_line, power, c, source.esr)
    shape, crest = v_line.shape, np.sqrt(2.0) * v_line.ravel()
    f = {"crest": crest, "f": f_line.ravel(), "h": 1 / (6 * STEPS * f_line.ravel()), "power": np.maximum(power.ravel(), 1e-3),
         "c": c.ravel(), "esr": esr.ravel(), "r": 0.5 * source.resistance, "l": 0.5 * max(source.inductance, 2 * MIN_INDUCTANCE),
         "drop": source.drop}
    top = crest - source.drop
    if isinstance(near, SixPulse):
        v, i = near.v_start.ravel(), near.i_start.ravel()
    else:
        v, i = 0.95 * top, 0.0 * top
    floor, slope = 0.2 * top, np.full_like(top, -1.0)
    moved = old = np.zeros_like(top)
    for _ in range(MOST_SIXTHS):
        now = _sixth(f, np.minimum(np.maximum(v, floor), top), i)
        start, miss, i_miss = now["v"][0], now["v"][-1] - now["v"][0], now["i1"][-1] - i
        if max(float(np.max(np.abs(miss) / top)), float(np.max(np.abs(i_miss) / (1e-3 + now["i_peak"]))) * 0.1) < residual:
            break
        slope = np.where(moved == 0.0, slope, np.clip((miss - old) / np.where(moved == 0.0, 1.0, moved), -2.0, -0.05))
        step = np.clip(-miss / slope, -0.2 * top, 0.2 * top)
        v, i = np.minimum(np.maximum(start + step, floor), top), now["i1"][-1]
        moved, old = v - start, miss
    lost = (np.abs(miss) > 1e-2 * top) | (start <= floor * 1.001) | (now["i0"][-1] > LEFT * now["i_peak"])
    found = _measured(f, now, lost, np.abs(miss))
    return SixPulse(**{n: x.reshape(shape + x.shape[1:]) for n, x in found.items()})


def _sixth(f: dict[str, Any], v: Array, i0: Array) -> dict[str, Array]:
    """A sixth of a cycle from capacitor voltage v [V] with i0 [A] in the phase that is relieved: v, terminal voltage w, both currents, step
    by step (first axis)."""
    x = f["r"] * f["h"] / f["l"] + 1e-9
    weight = -1 / np.expm1(-x) - 1 / x
    z_l, behind = f["l"] / (f["h"] * weight), 1 / weight - 1
    z, s, fill = z_l + f["r"], 0.5 * f["h"] / f["c"] + f["esr"], f["h"] / f["c"]
    alone, shared = 1 / (2 * z + s), z + s
    both = 1 / (z * (3 * z + 2 * s))
    e = [f["crest"] * np.cos(ANGLE + side)[:, None] - f["drop"] for side in (np.pi / 6, -np.pi / 6)]
    i1 = u0 = u1 = np.zeros_like(v)
    rate = i0 - f["power"] / v
    kept: list[tuple[Array, Array, Array, Array]] = [(v, v + f["esr"] * (i0 - f["power"] / v), i0, i1)]
    for e0, e1 in zip(e[0][1:], e[1][1:], strict=True):
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
    share = np.full(STEPS + 1, 1.0 / STEPS)
    share[[0, -1]] *= 0.5
    mean = lambda x: np.tensordot(share, x, 1)  # noqa: E731
    i, load = i0 + i1, f["power"] / np.maximum(v, 1e-3)
    sine = [f["crest"] * np.cos(ANGLE + side)[:, None] for side in (np.pi / 6, -np.pi / 6)]
    i_rms = np.sqrt(mean(np.square(i0) + np.square(i1) + np.square(i)) / 3)
    p_line = mean(sine[0] * i0 + sine[1] * i1)
    held = lambda x: np.where(lost, np.clip(x, 0.2 * f["crest"], f["crest"]), x)  # noqa: E731  # what has no waveform gives numbers still
    t = np.multiply.outer(h, np.arange(STEPS + 1))
    flows = h * ((i0 > 0).sum(0) + (i1 > 0).sum(0))
    return {"v_valley": held(_least(w)), "v_peak": held(-_least(-w)), "t_start": 0 * h, "t_conduct": flows,
            "i_rms": i_rms, "i_peak": -_least(-i), "i_cap": np.sqrt(mean(np.square(i - load))), "p_line": p_line,
            "power_factor": p_line / np.maximum(np.sqrt(1.5) * f["crest"] * i_rms, 1e-9), "i_nodes": i.T, "t_nodes": t, "v_nodes": w.T,
            "weights": np.multiply.outer(STEPS * h, share), "collapsed": lost, "residual": miss, "v_start": v[0],
            "share": flows / (STEPS * h), "v_other": 0 * h, "sag": 0 * h, "i_start": i0[0],
            "i_phase": np.concatenate([i1[:-1], i[:-1], i0]).T}


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
    turn = np.exp(-1j * np.multiply.outer(np.pi / (3 * STEPS) * np.arange(3 * STEPS + 1), orders)) / (3 * STEPS)
    turn[[0, -1]] *= 0.5
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
