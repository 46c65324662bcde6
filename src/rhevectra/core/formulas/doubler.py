"""Two stacked capacitors on one line: each is charged in one half cycle through one diode, both feed a constant-power load.

By symmetry one half period tells all: at its end the two capacitors have changed places. While one charges, the other falls by its share of
the load only, so that the bus (the sum) obeys the equation of a single capacitor whose source is raised by the other's voltage: the pulse
is that of `line_pulse`. Between pulses the square of the bus falls linearly, which is exact. Two unknowns a corner: both voltages where a
pulse begins.
"""

from collections.abc import Mapping
from functools import cache
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.formula import formula
from rhevectra.core.basis.fused import Fused
from rhevectra.core.formulas import line_pulse
from rhevectra.core.formulas.line_pulse import CIRCUIT, first_end, pulse
from rhevectra.core.formulas.rectifier import RESIDUAL, Bulk, LineSource, circuit, measure

_PASSES = 24
CLOSER = 0.2
"""Miss that counts as periodic, over that of a single capacitor: half of the bus's ripple is at stake in each half period."""


@cache
def half_period(steps: int) -> Fused:
    """A trial of half a period, traced: `miss` [V] of the bus from the charging capacitor's start voltage v0 [V], `share`, and `other` [V],
    the capacitor beside it as this trial would have it."""
    def trial(f: Mapping[str, Any], x: Mapping[str, Any]) -> dict[str, Any]:
        beside = x["other"] - x["sag"]
        start = x["v0"] + beside
        s = pulse(start, f, beside)
        lasts, bus = x["share"] * s.quarter, start
        for _ in range(steps):
            lasts, bus = line_pulse.end(lasts, s, f)
        sag = f["power"] * lasts / (f["c"] * (start + bus))  # half of what the other loses in the pulse
        charged = bus - beside
        other = 0.5 * (charged + x["v0"]) + sag
        after = np.sqrt(
            np.maximum(np.square(charged + other - 2 * sag) - 4 * f["power"] * (f["half"] - lasts) / f["c"], np.square(f["floor"])))
        return {"miss": after - x["v0"] - other, "share": lasts / s.quarter, "other": other, "sag": sag, "lasts": lasts, **s._asdict()}
    return Fused(trial, CIRCUIT, ("v0", "share", "other", "sag"), ("miss", "share", "other", "sag"))


def solve_doubler(v_rms: Any, f_line: Any, power: Any, c: Any, source: LineSource, near: Bulk | None = None,
                  residual: float = RESIDUAL) -> Bulk:
    """Periodic steady state of a doubler at every corner, told as of the whole bus.

    v_rms [V], f_line [Hz], power [W] drawn from both capacitors in series, c [F] of each: arrays that broadcast to one shape. source: its
    drop is that of one diode, its esr of one capacitor. Valley and crest are of the bus, i_cap is of each capacitor, v_nodes of the bus.
    Where no steady state exists the corner is marked `collapsed`.
    Source: circuit equations, the load's current in the charging capacitor taken at the other's mean; checked against a circuit simulator
    in the tests.
    """
    shape, top, f = circuit(v_rms, f_line, power, c, source, 0.4)
    if near is not None:
        rows = [near.v_start.ravel(), near.share.ravel(), near.v_other.ravel(), near.sag.ravel()]
    else:
        other = 0.95 * top
        v0 = np.sqrt(np.maximum(top**2 - 1.5 * f["power"] * f["half"] / f["c"], (0.3 * top) ** 2)) * 0.98
        start = pulse(v0 + other, f, other)
        rows = [v0, first_end(start, f) / start.quarter, other, 0 * v0]
    found = _periodic(f, top, rows, 2 if near is None else 1, residual)
    if found is None:
        return solve_doubler(v_rms, f_line, power, c, source, residual=residual)
    return measure(f, found, shape, residual, 2)


def _periodic(f: dict[str, Any], top: Array, rows: list[Array], steps: int, residual: float) -> dict[str, Any] | None:
    """Secant search for the start voltage, the other capacitor following; None where a start that was near did not lead there."""
    trial = half_period(steps).bind(f)
    floor, ceiling = 0.15 * top, top * (1 - 1e-9)
    slope, moved, old = np.full_like(top, -1.6), np.zeros_like(top), np.zeros_like(top)
    for k in range(_PASSES):
        miss, share, other, sag = trial.once(rows)
        settled = np.maximum(np.abs(miss), np.abs(other - rows[2])) / top
        if float(settled.max()) < CLOSER * residual or (k == _PASSES - 1 and steps == 2):
            break
        slope = np.where(moved == 0.0, slope, np.clip((miss - old) / np.where(moved == 0.0, 1.0, moved), -4.0, -0.6))
        v0 = np.clip(rows[0] - np.clip(miss / slope, -0.3 * top, 0.3 * top), floor, ceiling)
        moved, old = v0 - rows[0], miss
        rows = [v0, share, np.minimum(other, ceiling), sag]
    else:
        return None
    return trial.finish(rows) | {"v0": rows[0], "miss": miss, "collapsed": (rows[0] <= floor * 1.001) | (settled > 1e-2)}


LEAKAGE = 1.5e-3
"""Difference of leakage of two electrolytic capacitors over their capacitance and the bus voltage [1/s] (common practice, from memory)."""


@formula("ΔI = λ·C·V̂_bus", "A", "λ C V̂_bus", "leakage of an electrolytic grows with its charge (common practice, from memory)")
def leakage_difference(c: Any, v_bus: Any, per_charge: Any = LEAKAGE) -> Any:
    """How far the leakage [A] of two stacked capacitors of c [F] may differ at a bus of v_bus [V]; per_charge [1/s]."""
    return per_charge * c * v_bus


@formula("V_C = V̂_bus·(1 + m)/2 + R_b·ΔI/2", "V", "V̂_bus m R_b ΔI",
         "the bus divides by capacitance while it charges, by the resistors and the leakage after")
def capacitor_voltage(v_bus: Any, match: Any, r_balance: Any, i_leak: Any) -> Any:
    """Largest voltage [V] of either of two stacked capacitors; match: mismatch of their capacitance as a share."""
    return 0.5 * v_bus * (1 + match) + 0.5 * r_balance * i_leak


@formula("C = C_1/2", "F", "C_1", "two equal capacitors in series")
def in_series(c: Any) -> Any:
    """Capacitance [F] of two capacitors of c [F] in series."""
    return 0.5 * c


@formula("R = 1/(1/R_1 + 1/(2·R_b))", "Ω", "R_1 R_b", "in parallel")
def discharge_resistance(r_bleed: Any, r_balance: Any) -> Any:
    """What discharges the bus [Ω]: the path across it, and both balance resistors in series."""
    return 1 / (1 / r_bleed + 1 / (2 * r_balance))


@formula("P = V̂_bus²/(2·R_b)", "W", "V̂_bus R_b", "Joule, both resistors")
def balance_power(v_bus: Any, r_balance: Any) -> Any:
    """Power [W] of both balance resistors at a bus of v_bus [V]."""
    return np.square(v_bus) / (2 * r_balance)


@formula("V̂_R = k·√(2)·V_line", "V", "k V_line", "doubling, each diode that charges blocks both capacitors")
def diode_reverse(times: Any, v_line: Any) -> Any:
    """Reverse voltage [V] of a bridge diode; times: 2 where the line is doubled, else 1."""
    return times * np.sqrt(2.0) * v_line


@formula("I = k·P/(2·V_bus)", "A", "k P V_bus",
         "bridged, each pair carries the bus current in alternate half cycles; doubling, two of the four carry all")
def diode_average(times: Any, power: Any, v_bus: Any) -> Any:
    """Average current [A] of a conducting diode; times: 2 where the line is doubled, else 1."""
    return times * power / (2 * v_bus)


@formula("P = (2/k)·(V_f·I_avg + R_d·I_rms²)", "W", "k V_f I_avg R_d I_rms",
         "one diode conducts where the line is doubled, else two in series")
def bridge_loss(times: Any, v_forward: Any, i_avg_line: Any, r_dynamic: Any, i_rms: Any) -> Any:
    """Loss [W] of the bridge: drop [V] times the average rectified current, and resistance r_dynamic [Ω] of each diode."""
    return 2 / times * (v_forward * i_avg_line + r_dynamic * np.square(i_rms))
