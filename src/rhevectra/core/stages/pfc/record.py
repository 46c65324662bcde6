"""The power factor stage at every corner: what it draws, loses and leaves on the bus; rows on the recording sheet."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Grid
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import forward, inductor, output, pfc, rectifier, synchronous
from rhevectra.core.formulas.surge import displaced
from rhevectra.core.stages import air, cold_start, inlet, surge
from rhevectra.core.stages.dies import record_case, record_heat, record_most_loaded
from rhevectra.core.stages.pfc.build import BEYOND, QUICK, SLOW, Plan, switch_losses
from rhevectra.core.stages.pfc.bursts import AUX_AMPS, AUX_VOLTS, Once, with_bursts
from rhevectra.core.stages.pfc.choke import (
    TOLERANCE,
    choke_copper_loss,
    choke_core_loss,
    record_at_limit,
    record_choke,
    record_inductance,
    record_peak,
)
from rhevectra.core.stages.pfc.control import Loop, half_cycle_orders
from rhevectra.core.stages.pfc.line import angles, currents, mean_of
from rhevectra.core.stages.pfc.sensing import record_sensing
from rhevectra.core.stages.pfc.storage import LINEAR, record_ends
from rhevectra.core.stages.work import Work

PASSES = 3
MOST_DRAWN = 2.0
"""Power drawn over that passed on beyond which no stage is worth its name."""
COUNTED = 0.0075
"""Share of the bus in which its ripple is counted where parts are chosen."""
_CYCLE = ("boost converter on a constant input at 24 angles of the line, mean over the cycle (Gauss's quadrature); currents of one phase, "
          "losses of all; at light load in bursts, for as long as they last")


class Solution(Struct, frozen=True):
    """At every corner: power into the bus and from the line [W], currents [A] with the greatest frequency [Hz] and losses [W] by name,
    ripple of the bus [V]; shape of the grid without the bus axis."""

    power: Array
    p_in: Array
    currents: dict[str, Array]
    losses: dict[str, Array]
    ripple: Array


def solve(plan: Plan, grid: Grid, power: Array, near: Solution | None = None) -> Solution:
    """Passes until the losses agree with the power that makes them; a single one without an earlier solution to start from (the bus hardly
    asks for more)."""
    v_line, f_line = grid.v_line[..., 0], grid.f_line[..., 0]
    power = np.broadcast_to(np.asarray(power, float)[..., 0], grid.shape[:3])

    def once(p_in: Array) -> tuple[dict[str, Array], dict[str, Array]]:
        a = angles(plan.boost, v_line, p_in, plan.v_bus)
        amps = currents(plan.boost, a)
        return {**amps, "f_high": a.fs.max(-1)}, _losses(plan, a, amps, p_in, v_line)
    return Solution(power, *agreed(with_bursts(once, plan.burst), power, 0.96, near), pfc.bus_ripple(power, f_line, plan.c_bus, plan.v_bus))


def agreed(once: Once, power: Array, expected: float, near: Solution | None) -> tuple[Array, dict[str, Array], dict[str, Array]]:
    """Power from the line [W], currents and losses that go with a power that passes the bus, from an efficiency expected or a solution near
    by; losses that feed on their own current are followed so far only."""
    p_in = power / expected if near is None else power * near.p_in / near.power
    for _ in range(1 if near is None else PASSES):
        amps, losses = once(p_in)
        p_in = np.minimum(power + sum(losses.values()), _most(power))
    return p_in, amps, losses


def _most(power: Array) -> Array:
    """Power from the line [W] up to which losses are followed."""
    return MOST_DRAWN * power + 0.25 * float(np.max(power)) + 1.0


def tell_held(work: Work, s: Solution) -> None:
    """A must-fix where the losses were not followed further."""
    at = s.p_in >= _most(s.power) * (1 - 1e-9)
    if at.any():
        pinned = [id for id in work.choose.pins if id.startswith("pfc.")]
        k = int(np.argmax(np.where(at, s.power, -1.0)))
        work.find(MUST_FIX, "pfc", "this stage would lose as much as it passes on, and more for what it loses: shown as if it drew "
                  f"{show(float(s.p_in.flat[k]), 'W')} for {show(float(s.power.flat[k]), 'W')}", "pfc.loss",
                  pinned[0] if pinned else "pfc.l")


def _losses(plan: Plan, a: Any, amps: dict[str, Array], p_in: Array, v_line: Any) -> dict[str, Array]:
    line = p_in / v_line
    switch = switch_losses(plan.switch, plan.parallel, plan.diode, plan.boost, a, amps["switch_rms"], plan.v_bus)
    core = choke_core_loss(plan.choke, plan.boost, a, plan.ambient)
    n = plan.boost.phases
    controller = AUX_VOLTS * (AUX_AMPS + n * plan.parallel * (2 if plan.law.bridgeless else 1) * plan.switch["q_gate_c"] * mean_of(a.fs))
    return {("pfc_slow_leg" if plan.law.bridgeless else "bridge"): rectifier.bridge_loss(plan.bridge["v_forward_v"],
        2 * np.sqrt(2) / np.pi * line, 2 * plan.bridge["r_dynamic_ohm"], line),
            "limiter": rectifier.resistive_loss(plan.r_line - 2 * plan.bridge["r_dynamic_ohm"], line),
            "mains_filter": rectifier.resistive_loss(plan.r_filter, line),
            "pfc_switch_on": n * switch["conduction"], "pfc_switch_edges": n * (switch["turn_on"] + switch["turn_off"]),
            ("pfc_synchronous" if plan.law.bridgeless else "pfc_diode"): n * output.rectifier_loss(plan.diode["v_forward_v"],
                amps["diode_avg"], plan.diode["r_dynamic_ohm"], amps["diode_rms"]),
            "pfc_core": n * mean_of(core), "pfc_copper": n * choke_copper_loss(plan.choke, a, amps["l_rms"]),
            "pfc_sense": n * rectifier.resistive_loss(plan.r_sense, amps["l_rms"]), "pfc_controller": controller}


def bus(plan: Plan, grid: Grid, power: Array, near: Solution | None = None) -> tuple[Array, Solution]:
    """Bus at valley and crest [V] for a power [W] drawn from it. Rough without an earlier solution to start from (for choosing parts)."""
    found = solve(plan, grid, np.broadcast_to(power, (*grid.shape[:3], 1)), near)
    ripple = _counted(found.ripple, plan.v_bus) if near is None else found.ripple
    return np.stack([pfc.bus_valley(plan.v_bus, ripple), pfc.bus_peak(plan.v_bus, ripple)], -1), found


def _counted(ripple: Array, v_bus: float) -> Array:
    """A ripple [V] made larger until its greatest is a whole number of COUNTED, in whole microvolts: power stages behind front ends that
    differ by little are built alike, and once."""
    most = float(ripple.max())
    return np.round(ripple * (np.ceil(most / (COUNTED * v_bus)) * COUNTED * v_bus / most), 6)


def record(work: Work, plan: Plan, s: Solution, power: Array, i_hf: Any) -> dict[str, Any]:
    """Rows of the front end. power: what the stage behind draws [W], (lines, freqs, points, 1); i_hf its ripple current at switching
    frequency [A]."""
    sheet, grid = work.sheet, work.grid
    col = lambda x: np.broadcast_to(x, grid.shape[:3])[..., None]  # noqa: E731
    given = {"line": sheet.given("line.v", grid.v_line, "V", text="line voltage of the corner"),
             "f": sheet.given("line.f", grid.f_line, "Hz", text="line frequency of the corner")}
    p = sheet.solved("bulk.p_load", power, "W", "power drawn by the power stage: output plus every loss behind the bus")
    p_in = sheet.solved("inlet.power", col(s.p_in), "W", "power of the bus and every loss before it, passes until both agree", power=p)
    v_bus = sheet.rows["pfc.v_bus"]
    rows = _bus(work, plan, given, p, v_bus)
    _line(work, plan, s, given, p_in, rows)
    losses = _stage(work, plan, s, given, p_in, rows, col)
    total = record_cans(work, plan.cap, plan.cans, sheet("bulk.i_rms_lf", pfc.bus_current_lf, power=p, v_bus=v_bus), i_hf)
    losses |= {"bulk": total, "x_discharge": sheet.rows["standby.x_discharge"], "start_up": sheet.rows["standby.start_up"]}
    tell_held(work, s)
    _findings(work, plan, rows)
    return {"v_bus": rows["bus"], "losses": losses, "source": plan.source}


def _bus(work: Work, plan: Plan, given: dict[str, Any], p: Any, v_bus: Any) -> dict[str, Any]:
    """Ripple, valley and crest of the bus, hold-up and a lost load."""
    sheet = work.sheet
    c = sheet.rows["pfc.c_bus"]
    sheet.again("bulk.c", c)
    of = {"power": p, "f_line": given["f"], "v_bus": v_bus}
    ripple, valley, peak = record_ends(work, plan, {**of, "c": c})
    c_left = inlet.record_left(work, c)
    old = record_ends(work, plan, {**of, "c": c_left}, "_left")[1]
    row = inlet.record_bus(work, valley, peak, c, sheet.rows["bulk.v_min_stage"], p, "bus", (old, c_left))
    sheet("bulk.v_valley_least", pfc.crest, v_line=work.need.mains.v_max)
    sheet.given("bulk.v_limit", plan.cap["v_class_v"], "V", "catalogue", "rated voltage of the capacitor")
    sheet("bulk.v_dump", pfc.dump, v_peak=peak, power=p, delay=sheet.rows["pfc.dump_delay"], c=c)
    sheet.again("pfc.v_switch", sheet.rows["bulk.v_dump"])
    return {"bus": row, "valley": valley, "peak": peak, "ripple": ripple}


def loop_of(plan: Plan, rows: Any, f_line: float) -> Loop:
    """Stage and loops for a line frequency [Hz]."""
    b, crossover = plan.boost, float(rows["pfc.crossover_voltage"].value)
    inductance = b.inductance / b.phases
    ripple = float(pfc.loop_ripple(crossover, f_line, 3 * crossover))
    if b.boundary:
        return Loop(inductance, b.fs, plan.v_bus, 0.0, ripple, b.fs, plan.parallel * plan.switch["c_energy_f"] + plan.diode["c_charge_f"])
    return Loop(inductance, b.fs, plan.v_bus, float(rows["pfc.crossover_current"].value), ripple,
                blank=float(rows["pfc.blanking"].value) if plan.law.bridgeless else 0.0, **bias_of(b, rows))


def bias_of(b: Any, rows: Any) -> dict[str, float]:
    """What a loop has to know of an inductance that falls with the current, of all phases on a line together."""
    return {} if b.i_half is None else {"i_half": b.i_half * b.phases, "exponent": b.exponent,
                                        "designed": float(rows["pfc.l"].value) / b.phases}


def line_orders(lines: Any, freqs: Any, p_in: Array, loop: Callable[[float], Loop], c_x: float, judged: int) -> Array:
    """Harmonics [A rms] of the line current of every switching cycle, (lines, freqs, orders), for lines [V] and the power drawn from each
    at each frequency [W]; loop: stage and loops at a frequency; judged: number of the line where each order is, while elsewhere the power
    factor alone counts."""
    orders = np.zeros((len(lines), len(freqs), len(inlet.ORDERS)))
    for i, v in enumerate(lines):
        for j, f in enumerate(freqs):
            orders[i, j] = half_cycle_orders(loop(f), v, f, float(p_in[i, j]), c_x, i == judged)
    return orders


def _line(work: Work, plan: Plan, s: Solution, given: dict[str, Any], p_in: Any, rows: dict[str, Any]) -> None:
    """Line current from the loops, cycle by cycle, at full load: power factor, harmonics; and the inlet."""
    sheet, grid, choose = work.sheet, work.grid, work.choose
    cross = choose("pfc.crossover_voltage", lambda: _crossover(work, rows["valley"]))
    record_sunk(work, rows["valley"])
    if not plan.boost.boundary:
        choose("pfc.crossover_current", plan.boost.fs / 8,
               "an eighth of the switching frequency, its zero at two fifths of that (common practice)")
    if plan.law.bridgeless:
        choose("pfc.blanking", 100e-6, "both legs rest until the line's sign is certain (common practice)")
    sheet("pfc.loop_ripple", pfc.loop_ripple, crossover=cross, f_line=given["f"], pole=3 * float(cross.value))
    c_x = float(inlet.x_capacitor(work).value)
    full = grid.full_load
    line = grid.lines.index(grid.special["nominal_max"])
    orders = line_orders(grid.lines, grid.freqs, s.p_in[:, :, full], lambda f: loop_of(plan, sheet.rows, f), c_x, line)
    rms = np.sqrt(np.square(orders).sum(-1))
    factor = s.p_in[:, :, full] / (np.asarray(grid.lines)[:, None] * rms)
    text = "line current of every switching cycle with both loops, X capacitor beside it"
    pf = sheet.solved("inlet.power_factor", np.minimum(factor, 1.0)[..., None, None], "",
                      text + "; at full load, taken for other loads too")
    sheet("inlet.power_factor_light", displaced, power=p_in, f_line=given["f"], c_x=sheet.rows["inlet.c_x"], v_line=given["line"])
    rows["i_rms"] = sheet("inlet.i_rms", pfc.line_current, power=p_in, v_line=given["line"], factor=pf)
    sheet.again("inlet.i_peak", sheet("inlet.i_crest", pfc.line_crest, power=p_in, v_line=given["line"]))
    rows["charged"] = sheet.rows["bulk.v_valley_least"]  # the stage lifts the bus above the crest when the limiter has done its work
    inlet.record(work,
                 surge.Inrush(plan.thermistor, work.need.source_impedance.r + 2 * plan.bridge["r_dynamic_ohm"], plan.source,
                              None if plan.law.bridgeless else plan.bridge, sheet.rows["pfc.c_bus"], inlet.record_bleed(work)), rows, given,
                 limited=plan.limiter == "thermistor")
    if plan.limiter == "thermistor":
        cold_start.shaped(work, float(s.p_in[0, 0, full].max()))
    inlet.record_harmonics(work, orders[line : line + 1, :, None, None, :], float(s.p_in[line, :, full].max()), float(factor[line].min()),
                           f"Fourier integral of the {text} at {grid.lines[line]:g} V, full load")


def _crossover(work: Work, valley: Any) -> tuple[float, str, tuple[str, ...]]:
    """The slowest usual voltage loop that holds the bus up when full load comes at once."""
    rows, full = work.sheet.rows, corners.FULL.mask(work.grid)
    sinks = pfc.sink(float(rows["pfc.v_bus"].value), BEYOND, rows["bulk.p_load"].value, 1.0,
                     float(rows["pfc.c_bus"].value))  # by a loop of 1 Hz
    left = np.maximum(valley.value - float(rows["bulk.v_min_stage"].value), 1e-3)
    asked = float(np.max(np.where(full, np.ceil(sinks / left), 0.0)))
    if asked <= SLOW:
        return SLOW, "well below twice the line frequency, so that little third harmonic leaks through (common practice)", ()
    return (min(asked, QUICK),
            "the slowest that keeps the bus above what the power stage works from when full load comes at once" if asked <= QUICK
            else f"{show(asked, 'Hz')} would keep the bus up when full load comes at once: as quick as the third harmonic lets it be "
            "(common practice)", ())


def record_sunk(work: Work, valley: Any) -> None:
    """Row of the bus after full load has come at once."""
    sheet, rows = work.sheet, work.sheet.rows
    beyond = sheet.given("pfc.loop_beyond", BEYOND, "", "rule",
                         "overshoot of a proportional loop with a pole at three times its crossover, the capacitor a fifth down "
                         "(integrated in time)")
    sheet("bulk.v_step", pfc.sunk, v_bus=rows["pfc.v_bus"], v_valley=valley, beyond=beyond, power=rows["bulk.p_load"],
          crossover=rows["pfc.crossover_voltage"], c=rows["pfc.c_bus"])


def _stage(work: Work, plan: Plan, s: Solution, given: dict[str, Any], p_in: Any, rows: dict[str, Any], col: Any) -> dict[str, Any]:
    """Bridge, inductor, switch and diode."""
    sheet = work.sheet
    v_crest = sheet.rows["inlet.v_crest"]
    _bridge(work, plan, given, rows)
    for k, id in {"l_rms": "pfc.i_l_rms", "switch_rms": "pfc.switch_i_rms", "diode_avg": "pfc.diode_i_avg", "diode_rms": "pfc.diode_i_rms",
                  "bus_hf": "pfc.i_bus_hf"}.items():
        sheet.solved(id, col(s.currents[k]), "A", _CYCLE, power=p_in)
    fs: Any = sheet.rows.get("pfc.fs")  # of a boundary stage it follows line and load
    if plan.boost.boundary:
        at_boundary = {"v_line": given["line"], "v_bus": sheet.rows["pfc.v_bus"], "v_crest": v_crest}
        fs = sheet("pfc.f_crest", pfc.boundary_frequency, **at_boundary, inductance=sheet.rows["pfc.l"], power=p_in)
        sheet("pfc.f_low", pfc.boundary_frequency, **at_boundary,
              inductance=sheet("pfc.l_most", inductor.most, inductance=sheet.rows["pfc.l"], tolerance=sheet.rows[TOLERANCE]), power=p_in)
        sheet.solved("pfc.f_high", col(s.currents["f_high"]), "Hz", _CYCLE)
        sheet.given("pfc.f_audible", 25e3, "Hz", "rule", "above hearing (common practice)")
    crest = sheet.rows["inlet.i_crest"] if plan.boost.phases == 1 else sheet("pfc.i_crest", pfc.of_phase,
        current=sheet.rows["inlet.i_crest"], phases=sheet.rows["pfc.phases"])
    at_crest = {"v_crest": v_crest, "v_bus": sheet.rows["pfc.v_bus"], "fs": fs}
    ripple = sheet("pfc.i_ripple_pp", pfc.crest_ripple, inductance=record_inductance(work, plan.choke, crest), **at_crest)
    peak = record_peak(work, crest, ripple, plan.boost.boundary)
    sheet("pfc.bus_ripple_hf_pp", pfc.switching_ripple, power=p_in, v_crest=v_crest, v_bus=sheet.rows["pfc.v_bus"], fs=fs,
          c=sheet.rows["pfc.c_bus"], i_peak=peak if plan.boost.phases == 1 else _summed(sheet, plan, ripple, v_crest),
          esr=sheet.given("bulk.esr", plan.cap["esr_ohm"] / plan.cans, "Ω", "catalogue", f"{plan.cans} × {plan.cap['name']}"))
    most = "pfc.power_max" if plan.boost.phases == 1 else "pfc.power_max_phase"
    if not plan.boost.boundary:
        sheet(most, pfc.power_at_limit, v_line=given["line"], i_limit=sheet.rows["pfc.current_limit"],
              ripple=record_at_limit(work, plan.choke, at_crest))
    else:
        sheet(most, pfc.power_at_limit_boundary, v_line=given["line"], i_limit=sheet.rows["pfc.current_limit"])
    if plan.boost.phases > 1:
        sheet("pfc.power_max", pfc.all_phases, phases=sheet.rows["pfc.phases"], one=sheet.rows[most])
    sheet.again("pfc.power_need", p_in)
    losses = {name: sheet.solved(f"loss.{name}", col(x), "W", _CYCLE, power=p_in, bursts=sheet.rows["pfc.burst_below"])
              for name, x in s.losses.items()}
    sheet.total("pfc.loss", "W", "everything between the plug and the bus", **losses)
    record_sensing(work)
    _heat(work, plan, losses)
    _inductor(work, plan, losses)
    return {("thermistor" if name == "limiter" else name): row for name, row in losses.items()}


def _bridge(work: Work, plan: Plan, given: dict[str, Any], rows: dict[str, Any]) -> None:
    """Ratings of the bridge, or the current of the leg that takes its place."""
    sheet = work.sheet
    if plan.law.bridgeless:
        sheet.again("pfc.slow_i_rms", rows["i_rms"])
        return
    inlet.record_bridge(work, plan.bridge, given["line"])
    sheet("bridge.i_avg", pfc.bridge_average, i_rms=rows["i_rms"])
    sheet.given("bridge.i_limit", plan.bridge["i_rated_a"] * 0.5, "A", "catalogue",
                "half the rated current of the bridge for each of its diodes")


def _summed(sheet: Any, plan: Plan, ripple: Any, v_crest: Any) -> Any:
    """Ripple of all phases together, and the crest of their sum, which the bus capacitor's resistance sees at most."""
    duty = sheet("pfc.duty_crest", pfc.crest_duty, v_crest=v_crest, v_bus=sheet.rows["pfc.v_bus"])
    overlap = sheet.solved("pfc.overlap", np.floor(plan.boost.phases * duty.value), "", "whole part of phases times duty")
    left = sheet("pfc.i_ripple_sum", pfc.summed_ripple, ripple=ripple, phases=sheet.rows["pfc.phases"], duty=duty, overlap=overlap)
    return sheet("pfc.i_peak_sum", pfc.inductor_peak, i_crest=sheet.rows["inlet.i_crest"], ripple=left)


def _heat(work: Work, plan: Plan, losses: dict[str, Any]) -> None:
    """Heat of switch and diode."""
    sheet, n = work.sheet, plan.parallel * plan.boost.phases
    leg = ({"rectifying": losses["pfc_synchronous"]} if plan.law.bridgeless
           else {})  # in the other half cycle both switches of the leg change places: each has half of both
    whole = sheet.total("pfc.switch_loss", "W", "conduction (hot), turn-on with what the diode asks, turn-off; all side by side",
                        conduction=losses["pfc_switch_on"], edges=losses["pfc_switch_edges"], **leg)
    n *= 2 if plan.law.bridgeless else 1
    record_junction(work, plan.switch, whole, losses["pfc_switch_on"], n, plan.parallel)
    if plan.law.bridgeless:
        sheet.again("pfc.slow_loss", losses["pfc_slow_leg"])
        return
    inlet.record_bridge_heat(work, plan.bridge, losses["bridge"])
    record_diode(work, plan.diode, losses["pfc_diode"], plan.boost.phases)


def record_junction(work: Work, switch: Mapping[str, Any], whole: Any, conduction: Any, count: int, beside: int) -> None:
    """What a case needs to its ambient, and how fast the loss grows with temperature. whole, conduction: losses of all `count` dies, of
    which `beside` share a current: the most loaded of them is judged."""
    sheet = work.sheet
    if beside > 1:
        spread, over = record_most_loaded(work, "pfc.r_spread", "pfc.switch_", beside, sheet.rows["pfc.switch_i_rms"], beside)
        each = sheet("pfc.switch_loss_each", synchronous.loss_of_one, power=whole, conduction=conduction, over_mean=over, spread=spread,
                     count=count)
    else:
        each = sheet("pfc.switch_loss_each", forward.share_of, power=whole, count=count)
    record_heat(work, "pfc", "pfc.switch_r_ca", switch, each, whole, conduction)


def record_diode(work: Work, diode: Mapping[str, Any], loss: Any, count: int) -> None:
    """Loss of all `count` boost diodes, what each may carry and its case needs."""
    each = work.sheet("pfc.diode_loss_each", forward.share_of, power=loss, count=count)
    record_case(work, "pfc.diode", "pfc.diode_r_ca", diode, each, whole=loss)
    work.sheet.again("pfc.diode_loss", loss)
    work.sheet.given("pfc.diode_i_limit", 0.6 * diode["i_rated_a"], "A", "catalogue",
                     f"60 % of the rating of {diode['name']} (common practice)")


def _inductor(work: Work, plan: Plan, losses: dict[str, Any]) -> None:
    """Core, flux or bias, and rise of one boost inductor."""
    sheet = work.sheet
    core, copper = (
        losses[k] if plan.boost.phases == 1 else sheet(f"loss.{k}_each", forward.share_of, power=losses[k], count=sheet.rows["pfc.phases"])
        for k in ("pfc_core", "pfc_copper"))
    record_choke(work, plan.choke, core, copper, plan.boost.boundary)
    sheet.given("pfc.count", plan.boost.phases, "", "rule", "one inductor for each phase")


def record_cans(work: Work, cap: Mapping[str, Any], cans: int, lf: Any, i_hf: Any, where: str = "") -> Any:
    """Ripple currents, life and loss of the cans side by side; lf: their current at line frequency, i_hf: what the stage behind takes at
    switching frequency [A]; where: in words, of which there are such a number. Returns their loss."""
    sheet = work.sheet
    stage = sheet.solved("bulk.i_rms_stage", i_hf, "A", "rms of what the stage behind takes less its average")
    hf = sheet("bulk.i_rms_hf", rectifier.root_sum, i_lf=sheet.rows["pfc.i_bus_hf"], i_hf=stage)
    total = sheet("bulk.i_rms", rectifier.root_sum, i_lf=lf, i_hf=hf)
    air.record_life(work, "bulk", cap, cans, total)
    inlet.record_limit(work, cap, cans, where)
    return sheet("loss.bulk", rectifier.resistive_loss, r=sheet.rows["bulk.esr"], i_rms=total)


def _findings(work: Work, plan: Plan, rows: dict[str, Any]) -> None:
    """What only this stage knows how to say."""
    grid, need = work.grid, work.need
    full = np.broadcast_to(corners.FULL.mask(grid), grid.shape)
    worst = float(np.broadcast_to(rows["ripple"].value, grid.shape)[full].max())
    hf = float(np.broadcast_to(work.sheet.rows["pfc.bus_ripple_hf_pp"].value, grid.shape)[full].max())
    both = (f"the bus of {show(plan.c_bus, 'F')} ripples by {show(worst, 'V')} at twice the line frequency and {show(hf, 'V')} at the "
            "switching frequency")
    if worst > LINEAR * plan.v_bus:
        work.find(MUST_FIX, "bulk", f"{both}: so far from its mean that the linear formula no longer holds (valley and crest are worked "
                  "out in time); the capacitor suits the switching ripple only", "pfc.bus_ripple_lf_pp", "pfc.c_bus")
    else:
        work.find(NOTE, "bulk", f"{both}: the {'first' if worst > hf else 'second'} decides", "pfc.bus_ripple_lf_pp")
    if plan.v_bus <= np.sqrt(2) * need.mains.v_max:
        work.find(MUST_FIX, "pfc", f"the bus of {show(plan.v_bus, 'V')} lies below the crest of "
                  f"{show(np.sqrt(2) * need.mains.v_max, 'V')}: the stage cannot draw a sine there", "bulk.v_valley", "pfc.v_bus")
    least = float(np.broadcast_to(rows["valley"].value, grid.shape)[full].min())
    if np.sqrt(2) * need.mains.v_max <= least < np.sqrt(2) * need.mains.v_max + inlet.CLEAR:
        work.find(LOOK_AT, "bulk", f"the valley of {show(least, 'V')} is within {show(least - np.sqrt(2) * need.mains.v_max, 'V')} of the "
                  "highest crest of the mains", "bulk.v_valley", "pfc.c_bus")
