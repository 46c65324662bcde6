"""The line-fed bulk capacitor: periodic steady state of bridge, source impedance and constant-power load.

During conduction the solution is closed (`line_pulse`); outside it v² falls linearly, which is exact. The periodic solution is a root in
one unknown per corner, the capacitor voltage at which conduction begins; all corners are solved at once.
"""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.formula import formula
from rhevectra.core.basis.remembered import remembered
from rhevectra.core.formulas.line_pulse import Pulse, end, first_end, half_cycle, pulse, solution


def gauss(count: int) -> tuple[Array, Array]:
    """Nodes and weights of Gauss's quadrature over −1 to 1 (eigenvalues of the Legendre recurrence: Golub and Welsch 1969, from memory)."""
    k = np.arange(1, count)
    beside = k / np.sqrt(4.0 * k * k - 1)
    nodes, vectors = np.linalg.eigh(np.diag(beside, 1) + np.diag(beside, -1))
    return nodes, 2 * np.square(vectors[0])


FINE, COARSE = gauss(32), gauss(10)
"""Nodes and weights over a conduction pulse: fine enough for the 39th harmonic; enough for valley, crest and rms."""
RESIDUAL, ROUGH = 1e-4, 2e-3
"""Largest miss of a period, as a share of the crest, that counts as periodic: for figures, and for choosing parts by."""
MIN_INDUCTANCE = 10e-6
"""Wiring inductance [H] assumed where the source is said to have none."""


class LineSource(Struct, frozen=True):
    """What stands between mains and bulk capacitor: resistance [Ω], inductance [H] and fixed drops [V] in series."""

    resistance: Any
    inductance: Any
    drop: float
    esr: Any


class Bulk(Struct, frozen=True):
    """Periodic solution of every corner, arrays of one shape.

    v_valley, v_peak [V] at the capacitor terminals; t_start, t_conduct [s] in the half cycle (t = 0 at the
    zero crossing); line current rms, peak [A]; i_cap capacitor rms at line frequency [A]; p_line, p_load [W];
    i_nodes, t_nodes, v_nodes: samples of the conduction pulse (last axis); weights: their quadrature weights [s];
    collapsed: no steady state exists (the capacitor cannot carry the power to the next crest); residual [V] of the period;
    v_start [V], share: capacitor voltage where conduction starts, and its time over that from there to the crest, to start from again;
    v_other, sag [V]: of a stacked pair, the other capacitor there and half of what it falls in the pulse (nothing for a single one).
    """

    v_valley: Array
    v_peak: Array
    t_start: Array
    t_conduct: Array
    i_rms: Array
    i_peak: Array
    i_cap: Array
    p_line: Array
    power_factor: Array
    i_nodes: Array
    t_nodes: Array
    v_nodes: Array
    weights: Array
    collapsed: Any
    residual: Array
    v_start: Array
    share: Array
    v_other: Array
    sag: Array


def solve_bulk(v_rms: Any, f_line: Any, power: Any, c: Any, source: LineSource, near: Bulk | None = None,
               residual: float = RESIDUAL) -> Bulk:
    """Periodic steady state at every corner.

    v_rms [V], f_line [Hz], power [W] drawn from the capacitor, c [F]: arrays that broadcast to one shape.
    near: an earlier solution of the same shape to start from; residual: largest miss of the period over the crest.
    Where no steady state exists the corner is marked `collapsed` and its valley is the lowest voltage tried.
    Source: circuit equations of the bridge with series impedance; checked against a circuit simulator in the tests.
    """
    shape, top, f = circuit(v_rms, f_line, power, c, source, 0.2)
    if near is not None:
        v0, share = near.v_start.ravel(), near.share.ravel()
    else:
        v0 = np.sqrt(np.maximum(top**2 - 1.5 * f["power"] * f["half"] / f["c"], (0.25 * top) ** 2)) * 0.999
        start = pulse(v0, f)
        share = first_end(start, f) / start.quarter
    tried = _periodic(f, top, v0, share, 2 if near is None else 1, residual)
    if tried is None:  # an earlier solution can be a poor start where the load has all but gone
        return solve_bulk(v_rms, f_line, power, c, source, residual=residual)
    return measure(f, tried, shape, residual)


def circuit(v_rms: Any, f_line: Any, power: Any, c: Any, source: LineSource, floor: float) -> tuple[tuple[int, ...], Array, dict[str, Any]]:
    """Shape of the corners, the crest less the drops [V] and the numbers of CIRCUIT, flattened. floor: least bus a trial may end at, over
    that crest."""
    v_rms, f_line, power, c, esr = np.broadcast_arrays(v_rms, f_line, power, c, source.esr)
    crest = np.sqrt(2.0) * v_rms.ravel()
    top = crest - source.drop
    return v_rms.shape, top, {"crest": crest, "omega": 2 * np.pi * f_line.ravel(), "power": np.maximum(power.ravel(), 1e-3), "c": c.ravel(),
                              "drop": source.drop, "esr": esr.ravel(), "resistance": source.resistance + esr.ravel(),
                              "inductance": max(source.inductance, MIN_INDUCTANCE), "half": 0.5 / f_line.ravel(), "floor": floor * top}


def _periodic(f: dict[str, Any], top: Array, v0: Array, share: Array, steps: int, residual: float) -> dict[str, Any] | None:
    """Secant search for the start voltage whose period closes; None where a start that was near did not lead there."""
    trial = half_cycle(steps).bind(f)
    floor, ceiling = 0.25 * top, top * (1 - 1e-9)
    miss, share = trial.once((v0, share))
    v_old, f_old, v0 = v0, miss, np.minimum(np.maximum(v0 + 0.9 * miss, floor), ceiling)
    for _ in range(9 if steps == 1 else 16):
        rows = (v0, share)
        miss, share = trial.once(rows)
        if float(np.max(np.abs(miss) / top)) < residual:
            break
        moved = v0 - v_old
        slope = np.minimum(np.maximum((miss - f_old) / np.where(moved == 0.0, 1.0, moved), -3.0),
                           -0.3)  # the next start hardly depends on this one
        step = np.minimum(np.maximum(miss / slope, -0.3 * v0), 0.3 * v0)
        v_old, f_old, v0 = v0, miss, np.minimum(np.maximum(v0 - step, floor), ceiling)
    else:
        if steps == 1:
            return None
    return trial.finish(rows) | {"v0": rows[0], "miss": miss, "collapsed": (rows[0] <= floor * 1.001) | (np.abs(miss) > 1e-3 * rows[0])}


def measure(f: dict[str, Any], tried: dict[str, Any], shape: tuple[int, ...], residual: float, stack: int = 1) -> Bulk:
    """All that is asked of a solution, from quadrature over its conduction pulse. stack: capacitors in series on the bus, charged in
    turn."""
    s, omega, power, c, half, esr = Pulse(*(tried[n] for n in Pulse._fields)), f["omega"], f["power"], f["c"], f["half"], f["esr"]
    rule = COARSE if residual > RESIDUAL else FINE
    none = np.zeros_like(tried["v0"])
    other, sag = tried.get("other", none), tried.get("sag", none)
    v0, lasts = tried["v0"] + other, end(tried["lasts"], s, f)[0]
    tau, weights = 0.5 * lasts[:, None] * (rule[0] + 1), 0.5 * lasts[:, None] * rule[1]
    v, i = solution(tau, Pulse(*(np.asarray(x)[..., None] for x in s)), omega[:, None], c[:, None])
    load = power[:, None] / v
    terminal = v - sag[:, None] * rule[0] + esr[:, None] * (i - stack * load)
    v_end = solution(lasts, s, omega, c)[0] - sag
    fraction = np.minimum(np.maximum(2 * stack * power * (half - lasts) / (c * np.square(v_end)), 0.0), 0.98)
    rests = -0.5 / stack * power * c * np.log1p(-fraction)
    in_pulse = (np.square(i - load) + (stack - 1) * np.square(load)) * weights
    t = s.t0[:, None] + tau
    mains = f["crest"][:, None] * np.sin(omega[:, None] * t)
    flow = i * weights
    i_rms = np.sqrt((i * flow).sum(-1) / half)
    p_line = (mains * flow).sum(-1) / half
    v_crest, i_crest = _crest(np.stack([terminal, i]), rule[0])
    valley = np.minimum(terminal.min(-1), v0 - stack * esr * power / v0)
    collapsed = tried["collapsed"] | ~(valley >= f["floor"])  # has no waveform to take a valley from, or no number at all
    found = {"v_valley": np.where(collapsed, np.fmax(valley, f["floor"]), valley), "v_peak": np.maximum(v_crest, v0), "t_start": s.t0,
             "t_conduct": lasts, "i_rms": i_rms, "i_peak": i_crest, "i_cap": np.sqrt((in_pulse.sum(-1) + stack * rests) / (stack * half)),
             "p_line": p_line, "power_factor": p_line / np.maximum(f["crest"] / np.sqrt(2.0) * i_rms, 1e-9), "i_nodes": i, "t_nodes": t,
             "v_nodes": terminal,
             "weights": weights, "collapsed": collapsed, "residual": np.abs(tried["miss"]), "v_start": tried["v0"],
             "share": lasts / s.quarter, "v_other": other, "sag": sag}
    if collapsed.any():
        _hold(found, collapsed, stack * f["crest"], f["crest"] / f["resistance"])
    return Bulk(**{n: x.reshape(shape + x.shape[1:]) for n, x in found.items()})


def _hold(found: dict[str, Array], collapsed: Array, crest: Array, most: Array) -> None:
    """What has no waveform still gives numbers: never beyond the crest [V] and what the mains can drive [A]."""
    for name, top in {"v_valley": crest, "v_peak": crest, "v_nodes": crest, "i_rms": most, "i_peak": most, "i_cap": most, "i_nodes": most,
                      "p_line": crest * most}.items():
        x = found[name]
        where, least = (collapsed, top) if x.ndim == 1 else (collapsed[:, None], top[:, None])
        found[name] = np.where(where, np.fmin(x, least), x)
    found["v_peak"] = np.where(collapsed, np.maximum(found["v_peak"], found["v_valley"]), found["v_peak"])


def _crest(samples: Array, nodes: Array) -> Array:
    """Maximum of a smooth hump between its samples (parabola through the highest three in node coordinates)."""
    at = np.clip(samples.argmax(-1), 1, samples.shape[-1] - 2)
    flat, start = samples.ravel(), samples.shape[-1] * np.arange(at.size).reshape(at.shape) + at
    y0, y1, y2 = flat[start - 1], flat[start], flat[start + 1]
    x0, x1, x2 = nodes[at - 1], nodes[at], nodes[at + 1]
    d1, d2 = (y1 - y0) / (x1 - x0), (y2 - y1) / (x2 - x1)
    curve = (d2 - d1) / (x2 - x0)
    slope = d1 - curve * (x0 + x1)
    safe = np.where(curve < -1e-30, curve, -1.0)
    peak = np.clip(-slope / (2 * safe), x0, x2)
    value = y1 + (peak - x1) * (d1 + curve * (peak - x0))
    return np.where(curve < -1e-30, np.maximum(value, y1), samples.max(-1))


def line_harmonics(bulk: Bulk, f_line: Array, orders: Array) -> Array:
    """Rms of the odd line-current harmonics [A]; last axis follows `orders`. Half-wave symmetric current."""
    angle = 2 * np.pi * f_line[..., None, None] * bulk.t_nodes[..., None] * orders
    moment = (bulk.i_nodes * bulk.weights)[..., None] * np.exp(-1j * angle)
    return np.abs(moment.sum(-2)) * 4 * f_line[..., None] / np.sqrt(2.0)


@formula("t = ½·C·(V_1² − V_2²)/P", "s", "C V_1 V_2 P", "energy of the capacitor between two voltages at constant power")
def hold_up(c: Any, v_start: Any, v_end: Any, power: Any) -> Any:
    """Hold-up time [s] of c [F] from v_start to v_end [V] at constant power [W]; zero where v_start is below v_end."""
    return 0.5 * c * (np.square(v_start) - np.square(v_end)) / power


@formula("C_x = s·C", "F", "s C", "definition; a fifth less is both the usual tolerance and the usual end of life of an electrolytic "
         "capacitor (common practice, no source)")
def capacitance_left(share: Any, c: Any) -> Any:
    """Capacitance [F] that is left of c [F]."""
    return share * c


@formula("V̂_R = √(2)·V_line", "V", "V_line", "each bridge diode blocks the crest of the line")
def bridge_reverse_voltage(v_line: Any) -> Any:
    """Reverse voltage [V] of a bridge diode."""
    return np.sqrt(2.0) * v_line


@formula("I = P/(2·V_bus)", "A", "P V_bus", "each diode pair carries the bus current in alternate half cycles")
def bridge_diode_average(power: Any, v_bus: Any) -> Any:
    """Average current [A] of one bridge diode at bus voltage v_bus [V]."""
    return power / (2 * v_bus)


@formula("I = √(2)·V_line/(R_ntc + R_source)", "A", "V_line R_ntc R_source",
         "switch-on at the crest into the empty capacitor, inductance neglected (upper bound)")
def inrush(v_line: Any, r_cold: Any, r_source: Any) -> Any:
    """Peak inrush current [A]."""
    return np.sqrt(2.0) * v_line / (r_cold + r_source)


@remembered(16)
def inrush_wave(v_rms: float, f_line: float, r: float, inductance: float, c: float, drop: float, steps: int = 300,
                phase: float = 0.5 * np.pi) -> tuple[Array, Array, Array]:
    """Switch-on into the empty capacitor at an angle of the line [rad], its crest unless named: time [s], line current [A], capacitor
    voltage [V] until the half cycle is over.

    Trapezoidal integration of the series circuit, whose rule is stable and of second order in the step; steps grow from the start on, where
    the current is steepest.
    """
    inductance = max(inductance, MIN_INDUCTANCE)
    t = (1 - phase / np.pi) / (2 * f_line) * np.linspace(0.0, 1.0, steps + 1) ** 2
    source = np.sqrt(2.0) * v_rms * np.sin(2 * np.pi * f_line * t + phase) - drop
    h = np.diff(t)
    slow, stiff = h * r / (2 * inductance), h * h / (4 * inductance * c)
    each = (0.5 * (source[:-1] + source[1:]), 1 / (1 + slow + stiff), 1 - slow - stiff, h / inductance, 0.5 * h / c)
    i = v = 0.0
    amps, volts = [i], [v]
    for middle, gain, keep, push, fill in zip(*(x.tolist() for x in each), strict=True):
        new = gain * (i * keep + push * (middle - v))
        new = 0.0 if new < 0.0 else new
        v += fill * (i + new)
        i = new
        amps.append(i)
        volts.append(v)
    return t, np.array(amps), np.array(volts)


@formula("R_θ = R_25·exp(B·(1/(θ + 273.15) − 1/298.15))", "Ω", "R_25 B θ", "law of a thermistor between two temperatures")
def thermistor_cold(r_cold: Any, b: Any, ambient: Any) -> Any:
    """Resistance [Ω] at an ambient temperature [°C] of a thermistor of r_cold [Ω] at 25 °C and a constant of b [K]."""
    return r_cold * np.exp(b * (1 / (ambient + 273.15) - 1 / 298.15))


@formula("P = V_line²/(4·R)", "W", "V_line R", "a sine into a load that shapes the current: at most as much behind the resistance as in it")
def most_through(v_line: Any, r: Any) -> Any:
    """Greatest power [W] that a line of v_line [V rms] brings through r [Ω]."""
    return np.square(v_line) / (4 * r)


@formula("t = R·C·ln(V_0/V_safe)", "s", "R C V_0 V_safe", "exponential discharge")
def discharge_time(r: Any, c: Any, v_start: Any, v_safe: Any) -> Any:
    """Time [s] to fall from v_start to v_safe [V]."""
    return r * c * np.log(v_start / v_safe)


@formula("t = t_w + R·C·ln(V_0/V_safe)", "s", "t_w R C V_0 V_safe", "exponential discharge, once it is seen that the line is gone")
def discharge_after(t_wait: Any, r: Any, c: Any, v_start: Any, v_safe: Any) -> Any:
    """Time [s] to fall from v_start to v_safe [V] where a switch waits for t_wait [s]."""
    return t_wait + discharge_time(r, c, v_start, v_safe)


@formula("P = V·I_q", "W", "V I_q", "on the safe side: the current taken in phase with the line")
def watching(v: Any, i_quiet: Any) -> Any:
    """Power [W] of what watches a line of v [V rms] with i_quiet [A]."""
    return v * i_quiet


@formula("P = V²/R", "W", "V R", "Joule")
def resistor_power(v: Any, r: Any) -> Any:
    """Power [W] of a resistor r [Ω] at rms voltage v [V]."""
    return np.square(v) / r


@formula("P = V²/R + V·I_off", "W", "V R I_off", "Joule, and what an open start-up cell lets pass")
def across_bus(v: Any, r: Any, i_off: Any) -> Any:
    """Power [W] of what lies across the bus v [V]: a resistance r [Ω] and a current i_off [A]."""
    return np.square(v) / r + v * i_off


@formula("P = 2·V_f·I_avg + R_s·I_rms²", "W", "V_f I_avg R_s I_rms", "two diodes of the bridge conduct in series")
def bridge_loss(v_forward: Any, i_avg_line: Any, r: Any, i_rms: Any) -> Any:
    """Loss [W] of a bridge: two fixed drops times the average rectified current, and resistance r [Ω]."""
    return 2 * v_forward * i_avg_line + r * np.square(i_rms)


@formula("C_y = I_t/(2·π·f·V_line)", "F", "I_t f V_line", "touch current through the Y capacitors at the highest line and frequency")
def y_capacitance(i_touch: Any, frequency: Any, v_line: Any) -> Any:
    """Largest total Y capacitance [F] that keeps the touch current [A]."""
    return i_touch / (2 * np.pi * frequency * v_line)


@formula("P = R·I²", "W", "R I", "Joule")
def resistive_loss(r: Any, i_rms: Any) -> Any:
    """Loss [W] of a resistance [Ω] at rms current [A]."""
    return r * np.square(i_rms)


@formula("I = √(I_lf² + I_hf²)", "A", "I_lf I_hf", "rms of uncorrelated currents")
def root_sum(i_lf: Any, i_hf: Any) -> Any:
    """Total rms current [A]."""
    return np.sqrt(np.square(i_lf) + np.square(i_hf))
