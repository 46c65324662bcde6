"""Plain front end: fuse, inrush thermistor, bridge, bulk capacitor. The bulk is solved, never guessed."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Corner, Grid
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue import limits
from rhevectra.core.formulas import rectifier
from rhevectra.core.formulas.rectifier import Bulk, LineSource, solve_bulk
from rhevectra.core.stages import inlet
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "plain"
THERMISTOR_ROOM, THERMISTOR_WARM = 2.0, 1.3
"""Rated over expected current of the inrush thermistor: usual, and where line harmonics are tight (common practice)."""
DECISIONS = (
    DecisionSpec("bulk.valley_share", "Bulk valley at lowest line", "bulk", unit="", low=0.35, high=0.97, schools="0.70 small bulk; 0.75 usual; 0.85 easy transformer"),
    DecisionSpec("bulk.c", "Bulk capacitor", "bulk", unit="F", low=1e-6, high=5e-3, step="E12"),
    DecisionSpec("bulk.v_min_stage", "Least bus the power stage works from", "bulk", unit="V", low=5, high=900),
    *inlet.DECISIONS,
)
FIGURES = (
    *inlet.FIGURES,
    FigureSpec("bridge.conduction_time", "Bridge conduction time", "t_c", "bulk", worst="min", fixed=inlet.TEMPERATURE),
    FigureSpec("bridge.v_reverse", "Bridge reverse voltage", "V̂_R", "bulk", limit="bridge.v_limit", limit_kind="max"),
    FigureSpec("bridge.i_avg", "Diode current, average", "I_D", "bulk", limit="bridge.i_limit", limit_kind="max"),
    FigureSpec("bulk.v_valley", "Bulk valley", "V_valley", "bulk", corners.LOADED, "min", "bulk.v_min_stage", "min", fixed=inlet.TEMPERATURE,
               sentence="lowest bus between two crests of the line"),
    FigureSpec("bulk.v_peak", "Bulk crest", "V̂_bus", "bulk", corners.PEAKS, limit="bulk.v_limit", limit_kind="max", fixed=inlet.TEMPERATURE),
    *inlet.BULK_FIGURES,
)
CURES = inlet.CURES
SHAPES_CURRENT = False
NO_PICTURES = ("envelope",)
PLATES = (("inlet", "Inlet", "inlet.fuse"), ("bulk", "Bridge + bulk", "bulk.v_valley"))


def usual(need: Requirement) -> str:
    """Why this front end is the usual one for a requirement, or nothing."""
    power, most = inlet.beyond_plain(need)
    return "" if most is not None else f"some {power:.0f} W: a plain bridge meets what is asked of line harmonics (class {need.harmonics_class})"


def axes(need: Requirement) -> tuple[tuple[float, ...], tuple[float, ...], tuple[str, ...]]:
    """Lines [V rms], line frequencies [Hz] and bus ends of the grid."""
    m = need.mains
    lines = sorted({m.v_min, *m.nominals, m.v_max, need.hold_up_at or m.v_max})
    return tuple(lines), tuple(sorted({m.f_min, m.f_max})), ("valley", "peak")


def _source(work: Work, power: float) -> dict[str, Any]:
    """Series parts between plug and capacitor, chosen for the input current expected at lowest line."""
    need, parts = work.need, work.parts
    current = power / (need.mains.v_min * 0.55)
    ntc = parts["thermistors"]
    room = THERMISTOR_ROOM if power < limits.D_LEAST_POWER or need.harmonics_class == "none" else THERMISTOR_WARM
    why = "a cooler part with less hot resistance" if room == THERMISTOR_ROOM else "its hot resistance keeps the line harmonics down"
    name = work.choose("inlet.thermistor", lambda: inlet.first_above(ntc, "i_rated_a", room * current), f"smallest class rated above {room:g} × {show(current, 'A')}: {why}")
    bridge = work.choose("bridge.class", lambda: inlet.first_above(parts["bridges"], "i_rated_a", 1.5 * current), "smallest class rated above 1.5 × line current")
    b, t = parts["bridges"].row(bridge.value), ntc.row(name.value)
    z = need.source_impedance
    inductance = z.x / (2 * np.pi * 50)
    return {"bridge": b, "thermistor": t, "r": z.r + t["r_hot_ohm"] + 2 * b["r_dynamic_ohm"], "l": inductance, "drop": 2 * b["v_forward_v"]}


def plan(work: Work, power: float, i_hf: float) -> dict[str, Any]:
    """Choose the series parts and the bulk capacitor for an input power [W] and a switching ripple current [A]."""
    need = work.need
    chosen = _source(work, power)
    crest = np.sqrt(2) * need.mains.v_max
    derate = work.choose("derating.bulk_v", 0.95, "crest voltage at most 95 % of the rating (common practice)").value
    share = work.choose("bulk.valley_share", 0.75, "school: valley at three quarters of the lowest crest").value
    target = share * np.sqrt(2) * need.mains.v_min
    floor = work.choose("bulk.v_min_stage", lambda: float(f"{0.85 * target:.3g}"), "15 % below the valley aimed at: the power stage still regulates there (limit of duty checked)")
    caps = work.parts["bulk_capacitors"]
    classes = sorted({r["v_class_v"] for r in caps.rows})
    v_class = next((v for v in classes if derate * v >= crest), classes[-1])
    expected = 2 * power * 0.75 * 0.5 / need.mains.f_min / (2 * need.mains.v_min**2 - target**2)
    rows = sorted(caps.where(v_class_v=v_class).rows, key=lambda r: r["c_f"])
    least = max(sum(r["c_f"] < expected for r in rows) - 4, 0)
    rows = rows[least : least + 10]
    values = np.array([r["c_f"] for r in rows])

    def rule() -> tuple[float, str, tuple[str, ...]]:
        return _choose_c(need, rows, values, chosen, power, i_hf, target, float(floor.value))

    c = work.choose("bulk.c", rule)
    row = rows[int(np.argmin(np.abs(np.log(values / c.value))))]
    chosen |= {"c": c, "cap": row, "v_class": v_class, "derate": derate, "floor": floor, "target": target}
    chosen["source"] = LineSource(chosen["r"], chosen["l"], chosen["drop"], row["esr_ohm"] * row["c_f"] / float(c.value))
    return chosen


def _choose_c(need: Requirement, rows: list[Any], values: Array, chosen: dict[str, Any], power: float, i_hf: float, target: float, floor: float) -> tuple[float, str, tuple[str, ...]]:
    """Smallest value that gives valley, hold-up and ripple-current life; names the need that decided."""
    esr = np.array([r["esr_ohm"] for r in rows])
    source = LineSource(chosen["r"], chosen["l"], chosen["drop"], np.stack([esr, esr]))
    v = np.array([[need.mains.v_min], [need.hold_up_at]])
    b = solve_bulk(v, need.mains.f_min, power, values[None, :], source, residual=rectifier.ROUGH)
    rated = np.array([r["i_rated_a"] for r in rows]) * inlet.cooler(need, rows[0])
    hold = rectifier.hold_up(values, b.v_valley[1], floor, power)
    ok = {"valley": (b.v_valley[0] >= target) & ~b.collapsed[0], "hold-up": hold >= need.hold_up, "ripple current": np.hypot(b.i_cap[0], i_hf) <= rated}
    first = {name: (int(np.argmax(good)) if good.any() else len(values) - 1) for name, good in ok.items()}
    name = max(first, key=lambda k: first[k])
    index = first[name]
    per_watt = values[index] * 1e6 / power
    habit = "1 µF/W" if need.mains.v_min > 150 else "2 to 3 µF/W"
    text = f"decided by {name}; " + ", ".join(f"{k} asks {show(values[i], 'F')}" for k, i in first.items()) + f"; {per_watt:.2f} µF/W (habit: {habit}, common practice)"
    smaller = []
    for i in range(max(index - 3, 0), index):
        why = next(k for k, good in ok.items() if not good[i])
        number = {"valley": show(b.v_valley[0][i], "V"), "hold-up": show(hold[i], "s"), "ripple current": show(float(np.hypot(b.i_cap[0][i], i_hf)), "A")}[why]
        smaller.append(f"{show(values[i], 'F')}: {why} {number}")
    return float(values[index]), text, tuple(reversed(smaller))


def bus(plan: dict[str, Any], grid: Grid, power: Array, near: Bulk | None = None) -> tuple[Array, Bulk]:
    """Bus voltage at valley and crest [V], shape of the grid, for an input power [W] that broadcasts to (lines, freqs, points, 1).

    Rough without an earlier solution to start from (for choosing parts), exact with one.
    """
    shape = (*grid.shape[:3], 1)
    b = solve_bulk(np.broadcast_to(grid.v_line, shape), np.broadcast_to(grid.f_line, shape), np.broadcast_to(power, shape), float(plan["c"].value), plan["source"], near, rectifier.ROUGH if near is None else rectifier.RESIDUAL)
    return np.concatenate([b.v_valley, b.v_peak], axis=-1), b


def record(work: Work, plan: dict[str, Any], b: Bulk, power: Array, i_hf: Any) -> dict[str, Any]:
    """Rows of the front end from the last solution. power: what the stage draws [W], (lines, freqs, points, 1)."""
    sheet, grid, need = work.sheet, work.grid, work.need
    text = f"solved: periodic steady state of bridge and bulk, largest residual {float(b.residual.max()):.1e} V"
    given = {"c": plan["c"], "line": sheet.given("line.v", grid.v_line, "V", text="line voltage of the corner")}
    p = sheet.solved("bulk.p_load", power, "W", "power drawn by the power stage: output plus every loss behind the bulk")
    rows = {k: sheet.solved(id, value, unit, text, **given, power=p) for k, id, value, unit in (
        ("valley", "bulk.v_valley", b.v_valley, "V"), ("peak", "bulk.v_peak", b.v_peak, "V"), ("i_rms", "inlet.i_rms", b.i_rms, "A"), ("i_peak", "inlet.i_peak", b.i_peak, "A"),
        ("pf", "inlet.power_factor", b.power_factor, ""), ("time", "bridge.conduction_time", b.t_conduct, "s"), ("i_lf", "bulk.i_rms_lf", b.i_cap, "A"), ("p_line", "inlet.power", b.p_line, "W"))}
    v_bus = inlet.record_bus(work, rows["valley"], rows["peak"], plan["c"], plan["floor"], p, "bulk")
    hf = sheet.solved("bulk.i_rms_hf", i_hf, "A", "rms of the switch current less its average")
    sheet("bulk.i_rms", rectifier.root_sum, i_lf=rows["i_lf"], i_hf=hf)
    sheet.given("bulk.i_limit", plan["cap"]["i_rated_a"] * inlet.cooler(need, plan["cap"]), "A", "catalogue", f"rated {show(plan['cap']['i_rated_a'], 'A')} at {plan['cap']['t_max_c']:g} °C, raised by the cooler ambient (common practice, no source)")
    sheet.given("bulk.v_limit", plan["v_class"] * 1.0, "V", "catalogue", "rated voltage of the capacitor")
    inlet.record_bridge(work, plan["bridge"], given["line"])
    sheet("bridge.i_avg", rectifier.bridge_diode_average, power=p, v_bus=v_bus)
    sheet.given("bridge.i_limit", plan["bridge"]["i_rated_a"] * 0.8, "A", "catalogue", "80 % of the rated average current")
    inlet.record(work, plan, rows, given)
    _harmonics(work, b)
    losses = _losses(work, plan, rows, b)
    if bool(np.any(b.collapsed & grid.where(lambda q: q.case != "limit"))):
        work.find(MUST_FIX, "bulk", f"the bulk of {show(float(plan['c'].value), 'F')} cannot carry the load from crest to crest at {grid.lines[0]:g} V", "bulk.v_valley", "bulk.c")
    return {"v_bus": v_bus, "losses": losses, "source": plan["source"]}


def _harmonics(work: Work, b: Bulk) -> None:
    """Odd harmonics at the highest nominal line, both line frequencies, against the class asked for."""
    grid = work.grid
    line = grid.lines.index(grid.special["nominal_max"])
    full = grid.full_load
    pick = (slice(line, line + 1), slice(None), slice(full, full + 1), slice(None))
    part = Bulk(**{name: getattr(b, name)[pick] for name in b.__dataclass_fields__})
    values = rectifier.line_harmonics(part, np.broadcast_to(grid.f_line, part.v_valley.shape), inlet.ORDERS)
    inlet.record_harmonics(work, values, float(part.p_line.max()), float(part.power_factor.min()), f"Fourier integral of the solved line current at {grid.lines[line]:g} V, full load")


def _losses(work: Work, plan: dict[str, Any], rows: dict[str, Any], b: Bulk) -> dict[str, Any]:
    sheet = work.sheet
    average = sheet.solved("inlet.i_avg", (b.i_nodes * b.weights).sum(-1) * 2 * work.grid.f_line, "A", "average of the rectified line current", line_current=rows["i_rms"])
    bridge = sheet("loss.bridge", rectifier.bridge_loss, v_forward=plan["bridge"]["v_forward_v"], i_avg_line=average, r=2 * plan["bridge"]["r_dynamic_ohm"], i_rms=rows["i_rms"])
    thermistor = sheet("loss.thermistor", rectifier.resistive_loss, r=plan["thermistor"]["r_hot_ohm"], i_rms=rows["i_rms"])
    bulk = sheet("loss.bulk", rectifier.resistive_loss, r=plan["source"].esr, i_rms=sheet.rows["bulk.i_rms"])
    return {"bridge": bridge, "thermistor": thermistor, "bulk": bulk, "x_discharge": sheet.rows["standby.x_discharge"], "start_up": sheet.rows["standby.start_up"]}


def cycle(design: Any, corner: Corner) -> dict[str, Array]:
    """One line cycle from the solved bulk: time [s], rectified mains [V], bulk [V], line current [A]."""
    bulk = design.context["bulk"]
    at = (*corner.index[:3], 0)
    f = design.grid.freqs[corner.index[1]]
    half, period = 0.5 / f, 1 / f
    t = np.linspace(0, period, 600)
    pulse_t = np.concatenate([[bulk.t_start[at]], bulk.t_nodes[at], [bulk.t_start[at] + bulk.t_conduct[at]]])
    pulse_i = np.concatenate([[0.0], bulk.i_nodes[at], [0.0]])
    power, c = float(np.broadcast_to(design.rows["bulk.p_load"].value, bulk.v_valley.shape)[at]), float(design.rows["bulk.c"].value)
    v_end, t_end = float(bulk.v_nodes[at][-1]), pulse_t[-1]
    off_t = np.linspace(t_end, bulk.t_start[at] + half, 80)
    off_v = np.sqrt(np.maximum(v_end**2 - 2 * power * (off_t - t_end) / c, 0))
    cycle_t, cycle_v = np.concatenate([bulk.t_nodes[at], off_t]), np.concatenate([bulk.v_nodes[at], off_v])
    bus = np.interp(t, np.concatenate([cycle_t - half, cycle_t, cycle_t + half]), np.tile(cycle_v, 3))
    current = np.interp(t, pulse_t, pulse_i, 0, 0) - np.interp(t - half, pulse_t, pulse_i, 0, 0)
    crest = np.sqrt(2) * design.grid.lines[corner.index[0]]
    return {"t": t, "mains": np.abs(crest * np.sin(2 * np.pi * f * t)), "bulk": bus, "current": current}
