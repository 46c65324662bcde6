"""Rows of a line-fed bulk from its last solution, and one line cycle of it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import doubler, rectifier, six_pulse
from rhevectra.core.formulas.rectifier import Bulk
from rhevectra.core.stages import air, inlet, surge
from rhevectra.core.stages.bulk import cold_start, three_lines
from rhevectra.core.stages.bulk.build import Plan, bus
from rhevectra.core.stages.bulk.position import SPLIT, part_of
from rhevectra.core.stages.work import Work


def record(work: Work, plan: Plan, b: Bulk, power: Array, i_hf: Any) -> dict[str, Any]:
    """Rows of the front end. power: what the stage draws [W], (lines, freqs, points, 1)."""
    sheet, grid = work.sheet, work.grid
    text = f"solved: periodic steady state of bridge and bulk, largest residual {float(b.residual.max()):.1e} V"
    given = {"c": plan.c, "line": sheet.given("line.v", grid.v_line, "V", text="line voltage of the corner")}
    p = sheet.solved("bulk.p_load", power, "W", "power drawn by the power stage: output plus every loss behind the bulk")
    rows = {k: sheet.solved(id, value, unit, text, **given, power=p) for k, id, value, unit in (
        ("valley", "bulk.v_valley", b.v_valley, "V"), ("peak", "bulk.v_peak", b.v_peak, "V"), ("i_rms", "inlet.i_rms", b.i_rms, "A"),
        ("i_peak", "inlet.i_peak", b.i_peak, "A"),
        ("pf", "inlet.power_factor", b.power_factor, ""), ("time", "bridge.conduction_time", b.t_conduct, "s"),
        ("i_lf", "bulk.i_rms_lf", b.i_cap, "A"), ("p_line", "inlet.power", b.p_line, "W"))}
    three = plan.shape.phases == 3
    times = (sheet.given("bridge.times", _times(work, plan), "",
                         text="how often the line's crest lies on the bus: 2 where the selector doubles") if plan.shape.doubles else None)
    on_bus = sheet("bulk.c_series", doubler.in_series, c=plan.c) if plan.stacked else plan.c
    v_bus = _capacitors(work, plan, b, p, i_hf, rows, given["line"], on_bus)
    _bridge(work, plan, times, p, v_bus, given["line"])
    balance = _inlet(work, plan, b, power, rows, given, on_bus)
    _harmonics(work, b)
    losses = {**(three_lines.losses(work, plan, rows, b) if three else _losses(work, plan, times, rows, b)), **balance,
              "x_discharge": sheet.rows["standby.x_discharge"], "start_up": sheet.rows["standby.start_up"]}
    losses["bulk"] = sheet("loss.bulk", rectifier.resistive_loss,
                           r=sheet.given("bulk.esr", plan.source.esr, "Ω", "catalogue",
                                         "resistance of the capacitor, of both where they are stacked"), i_rms=sheet.rows["bulk.i_rms"])
    if three:
        three_lines.without_one(work, plan, b, power)
    if bool(np.any(b.collapsed & grid.where(lambda q: q.case != "limit"))):
        work.find(MUST_FIX, "bulk",
                  f"the bulk of {show(float(plan.c.value), 'F')} cannot carry the load from crest to crest at {grid.lines[0]:g} V",
                  "bulk.v_valley", "bulk.c")
    if plan.shape.doubles:
        _selector(work, plan)
    return {"v_bus": v_bus, "losses": losses, "source": plan.source}


def _capacitors(work: Work, plan: Plan, b: Bulk, p: Any, i_hf: Any, rows: dict[str, Any], line: Any, on_bus: Any) -> Any:
    """The bus at each end of its ripple with what is left of the capacitors, their ripple current and life; p: row of the power drawn."""
    sheet, c_left = work.sheet, inlet.record_left(work, on_bus)
    old = sheet.solved("bulk.v_valley_left", bus(plan, work.grid, p.value, b, float(sheet.rows["bulk.c_left"].value))[1].v_valley, "V",
                       "the same periodic steady state with what is left of the capacitor", c=c_left, line=line, power=p)
    v_bus = inlet.record_bus(work, rows["valley"], rows["peak"], on_bus, plan.floor, p, "bulk", (old, c_left))
    hf = sheet.solved("bulk.i_rms_hf", i_hf, "A", "rms of what the power stage draws in a period, less its average")
    air.record_life(work, "bulk", plan.cap, plan.cans, sheet("bulk.i_rms", rectifier.root_sum, i_lf=rows["i_lf"], i_hf=hf))
    inlet.record_limit(work, plan.cap, plan.cans)
    sheet.given("bulk.v_limit", plan.v_class * 1.0, "V", "catalogue", "rated voltage of the capacitor")
    return v_bus


def _inlet(work: Work, plan: Plan, b: Bulk, power: Array, rows: dict[str, Any], given: dict[str, Any], on_bus: Any) -> dict[str, Any]:
    """What discharges and balances the capacitors, and the inlet before them; the loss of the balance resistors."""
    sheet, bleed = work.sheet, inlet.record_bleed(work)
    balance = _stack(work, plan, rows["peak"], bleed) if plan.stacked else {}
    lines, limited = plan.shape.in_path, plan.limiter == "thermistor"
    if plan.shape.phases == 3:
        given = {**given, "earth": three_lines.phase(work, given["line"])}
        rows = {**rows, "i_rms": three_lines.unbalanced(work, plan, b, power)}
        if not plan.stacked:
            sheet.again("bulk.v_capacitor", rows["peak"])
    inlet.record(work,
                 surge.Inrush(plan.thermistor, lines * work.need.source_impedance.r + 2 * plan.bridge["r_dynamic_ohm"], plan.source,
                              plan.bridge, on_bus, sheet.rows.get("bulk.r_discharge", bleed), lines), rows, given, limited)
    if limited:
        cold_start.record(work, plan, power)
    return balance


def _times(work: Work, plan: Plan) -> Array:
    """2 on the lines that are doubled, else 1."""
    times = np.ones(len(work.grid.lines))
    for p in plan.places:
        times[p.lines] = 2.0 if p.doubled else 1.0
    return times[:, None, None, None]


def _stack(work: Work, plan: Plan, peak: Any, bleed: Any) -> dict[str, Any]:
    """How the pair shares the bus, and what its resistors lose."""
    sheet = work.sheet
    leak = sheet("bulk.i_leakage", doubler.leakage_difference, c=plan.c, v_bus=peak, per_charge=doubler.LEAKAGE)
    sheet("bulk.v_capacitor", doubler.capacitor_voltage, v_bus=peak, match=plan.match, r_balance=plan.r_balance, i_leak=leak)
    sheet("bulk.r_discharge", doubler.discharge_resistance, r_bleed=bleed, r_balance=plan.r_balance)
    return {"balance": sheet("standby.balance", doubler.balance_power, v_bus=peak, r_balance=plan.r_balance)}


def _bridge(work: Work, plan: Plan, times: Any, power: Any, v_bus: Any, line: Any) -> None:
    """Reverse voltage and current of the bridge's diodes."""
    sheet = work.sheet
    if times is None:
        inlet.record_bridge(work, plan.bridge, line)
        sheet("bridge.i_avg", six_pulse.diode_average if plan.shape.phases == 3 else rectifier.bridge_diode_average, power=power,
              v_bus=v_bus)
    else:
        inlet.record_bridge(work, plan.bridge, line, times)
        sheet("bridge.i_avg", doubler.diode_average, times=times, power=power, v_bus=v_bus)
    sheet.given("bridge.i_limit", plan.bridge["i_rated_a"] * 0.8, "A", "catalogue", "80 % of the rated average current")


def _harmonics(work: Work, b: Bulk) -> None:
    """Odd harmonics at the highest nominal line, both line frequencies, against the class asked for."""
    grid = work.grid
    line = grid.lines.index(grid.special["nominal_max"])
    full = grid.full_load
    part = part_of(b, (slice(line, line + 1), slice(None), slice(full, full + 1), slice(None)))
    values = (six_pulse.line_harmonics(part, inlet.ORDERS) if isinstance(part, six_pulse.SixPulse)
              else rectifier.line_harmonics(part, np.broadcast_to(grid.f_line, part.v_valley.shape), inlet.ORDERS))
    inlet.record_harmonics(work, values, float(part.p_line.max()), float(part.power_factor.min()),
                           f"Fourier integral of the solved line current at {grid.lines[line]:g} V, full load")


def _losses(work: Work, plan: Plan, times: Any, rows: dict[str, Any], b: Bulk) -> dict[str, Any]:
    """Heat between plug and bridge of one line."""
    sheet, d = work.sheet, plan.bridge
    average = sheet.solved("inlet.i_avg", (b.i_nodes * b.weights).sum(-1) * 2 * work.grid.f_line, "A",
                           "average of the rectified line current", line_current=rows["i_rms"])
    if times is None:
        bridge = sheet("loss.bridge", rectifier.bridge_loss, v_forward=d["v_forward_v"], i_avg_line=average, r=2 * d["r_dynamic_ohm"],
                       i_rms=rows["i_rms"])
    else:
        bridge = sheet("loss.bridge", doubler.bridge_loss, times=times, v_forward=d["v_forward_v"], i_avg_line=average,
                       r_dynamic=d["r_dynamic_ohm"], i_rms=rows["i_rms"])
    inlet.record_bridge_heat(work, d, bridge)
    thermistor = sheet("loss.thermistor", rectifier.resistive_loss, r=plan.thermistor["r_hot_ohm"], i_rms=rows["i_rms"])
    mains_filter = sheet("loss.mains_filter", rectifier.resistive_loss, r=sheet.rows["inlet.r_filter"], i_rms=rows["i_rms"])
    return {"bridge": bridge, "thermistor": thermistor, "mains_filter": mains_filter}


def bill(design: Any) -> dict[str, Any]:
    """What stands between the mains filter and the power stage: bridge, bulk capacitors, and of a pair what balances them and what joins
    their mid-point."""
    plan: Plan = design.context["front"]
    bridges = "bridges_three" if plan.shape.phases == 3 else "bridges"
    return {bridges: [(str(plan.bridge["name"]), 1)], "bulk": [(str(plan.cap["name"]), plan.cans * (2 if plan.stacked else 1))],
            "small": 2 * plan.stacked, "selectors": int(len(plan.places) > 1)}


def _selector(work: Work, plan: Plan) -> None:
    """What a pair with a selector asks of the people who use it."""
    grid, need = work.grid, work.need
    doubled = [p for p in plan.places if p.doubled]
    if not doubled:
        work.find(LOOK_AT, "bulk", f"mains from {need.mains.v_min:g} V leave nothing to double (up to {SPLIT:g} V would be): the pair is "
                  "always in series; one capacitor behind a plain bridge does the same", "bulk.v_valley", "front_end")
        return
    low = grid.lines[doubled[0].lines.stop - 1]
    if len(plan.places) == 1:
        work.find(NOTE, "bulk", f"mains up to {low:g} V are doubled, with no selector", "bulk.v_valley")
        return
    high = grid.lines[plan.places[-1].lines.start]
    each = np.sqrt(2) * need.mains.v_max
    work.find(NOTE, "bulk", f"two positions: {need.mains.v_min:g} to {low:g} V doubled, {high:g} to {need.mains.v_max:g} V bridged; "
              "between them no position is rated", "bulk.v_valley")
    if each > plan.v_class:
        work.find(LOOK_AT, "bulk", f"left in the low position at {need.mains.v_max:g} V each capacitor would see {show(each, 'V')}, rated "
                  f"{show(plan.v_class, 'V')}: it bursts. A selector that senses the line, or an arrester across each capacitor with a "
                  "fuse that clears, is needed", "bulk.v_peak", "front_end")


def cycle(design: Any, corner: Corner) -> dict[str, Array]:
    """One line cycle from the solved bulk: time [s], rectified mains [V], bulk [V], line current [A]; of a pair also one of its capacitors
    [V]."""
    bulk, plan = design.context["bulk"], design.context["front"]
    if plan.shape.phases == 3:
        return three_lines.cycle(design, corner)
    at = (*corner.index[:3], 0)
    f = design.grid.freqs[corner.index[1]]
    half, period = 0.5 / f, 1 / f
    t = np.linspace(0, period, 600)
    pulse_t = np.concatenate([[bulk.t_start[at]], bulk.t_nodes[at], [bulk.t_start[at] + bulk.t_conduct[at]]])
    pulse_i = np.concatenate([[0.0], bulk.i_nodes[at], [0.0]])
    power, c = float(np.broadcast_to(design.rows["bulk.p_load"].value, bulk.v_valley.shape)[at]), plan.c_bus
    v_end, t_end = float(bulk.v_nodes[at][-1]), pulse_t[-1]
    off_t = np.linspace(t_end, bulk.t_start[at] + half, 80)
    off_v = np.sqrt(np.maximum(v_end**2 - 2 * power * (off_t - t_end) / c, 0))
    cycle_t, cycle_v = np.concatenate([bulk.t_nodes[at], off_t]), np.concatenate([bulk.v_nodes[at], off_v])
    bus = np.interp(t, np.concatenate([cycle_t - half, cycle_t, cycle_t + half]), np.tile(cycle_v, 3))
    current = np.interp(t, pulse_t, pulse_i, 0, 0) - np.interp(t - half, pulse_t, pulse_i, 0, 0)
    crest = np.sqrt(2) * design.grid.lines[corner.index[0]]
    one = {}
    if plan.stacked:
        beside = float(bulk.v_other[at]) - 2 * float(bulk.sag[at]) * (bulk.t_nodes[at] - bulk.t_start[at]) / bulk.t_conduct[at]
        apart = v_end - 2 * float(beside[-1])
        charged = np.concatenate([bulk.v_nodes[at] - beside, 0.5 * (off_v + apart)]) if bulk.v_other[at] > 0 else 0.5 * cycle_v
        one = {"capacitor": np.interp(t, np.concatenate([cycle_t - half, cycle_t, cycle_t + half]),
                                      np.concatenate([cycle_v - charged, charged, cycle_v - charged]))}
    return {**one, "t": t, "mains": np.abs(crest * np.sin(2 * np.pi * f * t)), "bulk": bus, "current": current}
