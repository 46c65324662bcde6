"""Choosing the parts of a three-phase stage: bus, inductors, switches to the mid-point, diodes to the rails, both halves of the bus."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import pfc, rectifier, surge, three_phase
from rhevectra.core.formulas.rectifier import LineSource
from rhevectra.core.stages import inlet
from rhevectra.core.stages.pfc import bursts
from rhevectra.core.stages.pfc.build import (
    EXPECTED,
    SILICON,
    choose_boost,
    choose_cans,
    choose_diode,
    choose_limit,
    choose_switches,
    switch_losses,
)
from rhevectra.core.stages.pfc.choke import Choke, choose_choke
from rhevectra.core.stages.pfc.line import Boost, Feed, angles, currents
from rhevectra.core.stages.pfc.sensing import capacitors, choose_sensing
from rhevectra.core.stages.work import Work

CHARGED = 1.02
"""Bus crest over the bus, for choosing the limiter."""
PATHS = 2
"""Dies in series in the switch of a phase: it must hold both signs."""


class Plan(Struct, frozen=True):
    """All that was chosen. boost, switch, parallel, diode, choke, limit: of one phase, on half the bus; c_half [F]: each half, cans side by
    side in it; unbalance of the mains as a share; burst: power from the line [W] below which it runs in bursts."""

    boost: Boost
    v_bus: float
    switch: Mapping[str, Any]
    parallel: int
    diode: Mapping[str, Any]
    thermistor: Mapping[str, Any]
    limiter: str
    r_line: float
    r_filter: float
    choke: Choke
    limit: float
    cap: Mapping[str, Any]
    cans: int
    c_half: float
    source: LineSource
    ambient: float
    unbalance: float
    r_sense: float
    burst: float

    @property
    def half(self) -> float:
        """Half the bus [V]."""
        return 0.5 * self.v_bus

    @property
    def c_bus(self) -> float:
        """Capacitance as the load sees it [F]."""
        return 0.5 * self.c_half


def plan(work: Work, power: float, i_hf: float) -> Plan:
    """Choose for a power [W] drawn from the bus and a ripple current at switching frequency [A] that the power stage takes from it."""
    need, choose = work.need, work.choose
    crest = float(np.sqrt(2) * three_phase.phase_voltage(need.mains.v_max))
    v_bus = float(choose("pfc.v_bus", lambda: float(np.ceil((2 * crest + 16) / 10) * 10), "next ten volts at least 16 V above twice the "
                         f"crest of a phase at {need.mains.v_max:g} V between lines: each half has to stand above it").value)
    feed = Feed(three_phase.phase_voltage(np.array([need.mains.v_min, *need.mains.nominals, need.mains.v_max])), 0.5 * v_bus,
                power / EXPECTED / 3)
    line = feed.power / feed.lowest
    boost = choose_boost(False, work, feed, 1)
    low = angles(boost, feed.lowest, feed.power, feed.v_bus)
    amps = currents(boost, low)
    peak, limit = choose_limit(work, boost, feed)
    diode = choose_diode(work, "wide-gap", feed.power / feed.v_bus / 2, v_bus,
                         "it blocks the whole bus, and the switch closes into it half the time")

    def total(row: Mapping[str, Any], count: int = 1) -> float:
        return float(sum(phase_losses(row, count, diode, boost, low, amps["switch_rms"], feed.v_bus).values()))
    row, parallel = choose_switches(work, feed.v_bus, peak, 1.2 * float(amps["switch_rms"]), total, SILICON, "in both dies of a phase ")
    choke, boost = choose_choke(work, boost, feed, limit)
    r_sense = choose_sensing(work, float(amps["l_rms"]), limit)
    v_min = float(choose("bulk.v_min_stage", lambda: float(f"{0.8 * v_bus:.3g}"), "four fifths of the bus: the power stage still regulates "
                         "there, hold-up ends there").value)
    unbalance = float(choose("pfc.unbalance", 0.02, "public mains are within 2 % nearly always (from memory of EN 50160; confirm)").value)
    cap, cans, c_half = _halves(work, power, float(np.hypot(np.sqrt(1.5) * amps["bus_hf"], i_hf * need.mains.v_min / v_bus)), v_bus, v_min,
                                2 * crest, unbalance)
    limiter, thermistor = inlet.choose_limiter(work, line,
                                               float(surge.charging_energy(c_half / 2, CHARGED * v_bus))
                                               / 2)  # two of them stand in the path
    r_line = inlet.in_run(limiter, thermistor)
    z = need.source_impedance
    r_filter = inlet.filter_copper(work, feed.lowest, feed.power)
    source = LineSource(2 * (z.r + r_line + r_filter), 2 * z.x / (2 * np.pi * 50), 2 * diode["v_forward_v"], 2 * cap["esr_ohm"] / cans)
    return Plan(boost, v_bus, row, parallel, diode, thermistor, limiter, r_line, r_filter, choke, limit, cap, cans, c_half, source,
                need.ambient_max, unbalance, r_sense, bursts.choose(work, 3 * feed.power))


def phase_losses(row: Mapping[str, Any], count: int, diode: Mapping[str, Any], b: Boost, a: Any, i_rms: Any, v_half: Any) -> dict[str, Any]:
    """Losses [W] of the switch of one phase: both dies conduct, one of them switches half the bus."""
    found = switch_losses(row, count, diode, b, a, i_rms, v_half)
    return {**found, "conduction": PATHS * found["conduction"]}


def _halves(work: Work, power: float, i_hf: float, v_bus: float, v_min: float, top: float,
            unbalance: float) -> tuple[Mapping[str, Any], int, float]:
    """Cans side by side in each half: valley above twice the crest of a phase, hold-up, ripple current, a lost load; the need that decides
    is named."""
    need, choose = work.need, work.choose
    derate = float(choose("derating.bulk_v", 0.95, "half the bus at most 95 % of the rating (common practice)").value)
    delay = float(choose("pfc.dump_delay", 0.5e-3, "an over-voltage comparator answers (common practice)").value)
    table = capacitors(work, "storage for hold-up at a low price (common practice)")
    left = float(inlet.left_of(work, str(work.sheet.rows["pfc.c_kind"].value)).value)
    classes = sorted({r["v_class_v"] for r in table.rows})
    v_class = next((v for v in classes if derate * v >= 0.5 * v_bus), classes[-1])
    rows = table.where(v_class_v=v_class).rows
    i_mid = three_phase.mid_current(power, v_bus)
    i_c = float(np.hypot(i_hf, three_phase.half_current(i_mid)))

    def asks(half: Array, rated: Array, lasting: Array) -> dict[str, Array]:
        ripple = three_phase.unbalance_ripple(unbalance, power, need.mains.f_min, half / 2, v_bus)
        valley, mid = pfc.bus_valley(v_bus, ripple / left), three_phase.mid_ripple(i_mid, need.mains.f_min, half)
        return {"valley above the mains": valley - mid >= top,
                "hold-up": rectifier.hold_up(left * half / 2, valley, v_min, power) >= inlet.ROOM * need.hold_up,
                "ripple current": inlet.ROOM * i_c <= rated, "life": inlet.ROOM * i_c <= lasting,
                "lost load": 0.5 * (pfc.dump(pfc.bus_peak(v_bus, ripple), power, delay, half / 2) + mid) <= v_class}
    return choose_cans(work, "pfc.c_half", rows, asks, " in each half")
