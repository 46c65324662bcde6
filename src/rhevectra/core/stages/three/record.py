"""The three-phase stage at every corner: rows on the recording sheet, and one line cycle for the pictures."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array, Corner, Grid
from rhevectra.core.basis.findings import MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import forward, output, pfc, rectifier, three_phase
from rhevectra.core.formulas.surge import displaced
from rhevectra.core.stages import inlet, surge
from rhevectra.core.stages.pfc.bursts import AUX_AMPS, AUX_VOLTS, with_bursts
from rhevectra.core.stages.pfc.choke import (
    choke_copper_loss,
    choke_core_loss,
    record_at_limit,
    record_choke,
    record_inductance,
    record_peak,
)
from rhevectra.core.stages.pfc.control import Loop, half_cycle
from rhevectra.core.stages.pfc.line import angles, currents, mean_of, power_at_peak
from rhevectra.core.stages.pfc.record import (
    Solution,
    agreed,
    bias_of,
    line_orders,
    record_cans,
    record_diode,
    record_junction,
    record_sunk,
    tell_held,
)
from rhevectra.core.stages.pfc.sensing import record_sensing
from rhevectra.core.stages.pfc.switching import Switching, largest
from rhevectra.core.stages.three.build import PATHS, Plan, phase_losses
from rhevectra.core.stages.work import Work

_CYCLE = ("boost converter of one phase on half the bus at 24 angles of the line, mean over the cycle (Gauss's quadrature); losses of all "
          "three")


def bus(plan: Plan, grid: Grid, power: Array, near: Solution | None = None) -> tuple[Array, Solution]:
    """Bus at valley and crest [V] for a power [W] drawn from it. Rough without an earlier solution to start from (for choosing parts)."""
    v, f = three_phase.phase_voltage(grid.v_line[..., 0]), grid.f_line[..., 0]
    power = np.broadcast_to(power, (*grid.shape[:3], 1))[..., 0]

    def once(p_in: Array) -> tuple[dict[str, Array], dict[str, Array]]:
        a = angles(plan.boost, v, p_in / 3, plan.half)
        amps = currents(plan.boost, a)
        return amps, _losses(plan, a, amps, p_in, v)
    ripple = three_phase.unbalance_ripple(plan.unbalance, power, f, plan.c_bus, plan.v_bus)
    return (np.stack([pfc.bus_valley(plan.v_bus, ripple), pfc.bus_peak(plan.v_bus, ripple)], -1),
            Solution(power, *agreed(with_bursts(once, plan.burst), power, 0.97, near), ripple))


def _losses(plan: Plan, a: Any, amps: dict[str, Array], p_in: Array, v: Any) -> dict[str, Array]:
    """Losses [W] of all three phases."""
    line = p_in / 3 / v
    switch = phase_losses(plan.switch, plan.parallel, plan.diode, plan.boost, a, amps["switch_rms"], plan.half)
    each = {"limiter": rectifier.resistive_loss(plan.r_line, line), "mains_filter": rectifier.resistive_loss(plan.r_filter, line),
            "pfc_switch_on": switch["conduction"], "pfc_switch_edges": switch["turn_on"] + switch["turn_off"],
            "pfc_diode": output.rectifier_loss(plan.diode["v_forward_v"], amps["diode_avg"], plan.diode["r_dynamic_ohm"],
                                               amps["diode_rms"]),
            "pfc_core": mean_of(choke_core_loss(plan.choke, plan.boost, a, plan.ambient)),
            "pfc_copper": choke_copper_loss(plan.choke, a, amps["l_rms"]),
            "pfc_sense": rectifier.resistive_loss(plan.r_sense, amps["l_rms"]),
            "pfc_controller": AUX_VOLTS * (AUX_AMPS + PATHS * plan.parallel * plan.switch["q_gate_c"] * plan.boost.fs)}
    return {name: 3 * x for name, x in each.items()}


def record(work: Work, plan: Plan, s: Solution, power: Array, i_hf: Any) -> dict[str, Any]:
    """Rows of the front end. power: what the stage behind draws [W], (lines, freqs, points, 1); i_hf its ripple current at switching
    frequency [A]."""
    sheet, grid = work.sheet, work.grid
    col = lambda x: np.broadcast_to(x, grid.shape[:3])[..., None]  # noqa: E731
    line = sheet.given("line.v", grid.v_line, "V", text="voltage between lines of the corner")
    given = {"line": line, "f": sheet.given("line.f", grid.f_line, "Hz", text="line frequency of the corner"),
             "earth": sheet("line.v_phase", three_phase.phase_voltage, v_line=line)}
    p = sheet.solved("bulk.p_load", power, "W", "power drawn by the power stage: output plus every loss behind the bus")
    p_in = sheet.solved("inlet.power", col(s.p_in), "W", "power of the bus and every loss before it, passes until both agree", power=p)
    rows = _bus(work, plan, given, p)
    _line(work, plan, s, given, p_in, rows)
    losses = _stage(work, plan, s, given, p_in, col)
    lf = sheet("bulk.i_rms_lf", three_phase.half_current, current=sheet.rows["pfc.i_mid"])
    losses["bulk"] = record_cans(work, plan.cap, plan.cans, lf, i_hf, " in each half")
    losses |= {"x_discharge": sheet.rows["standby.x_discharge"], "start_up": sheet.rows["standby.start_up"]}
    tell_held(work, s)
    _findings(work, plan, rows)
    return {"v_bus": rows["bus"], "losses": losses, "source": plan.source}


def _bus(work: Work, plan: Plan, given: dict[str, Any], p: Any) -> dict[str, Any]:
    """What is left of ripple: unbalance on the bus, the third harmonic on its mid-point; hold-up and a lost load."""
    sheet, v_bus, half = work.sheet, work.sheet.rows["pfc.v_bus"], work.sheet.rows["pfc.c_half"]
    c = sheet.solved("pfc.c_bus", plan.c_bus, "F", "both halves in series", half=half)
    sheet.again("bulk.c", c)
    ripple_with = lambda id, c: sheet(id, three_phase.unbalance_ripple, unbalance=sheet.rows["pfc.unbalance"], power=p,  # noqa: E731
                                      f_line=given["f"], c=c, v_bus=v_bus)
    ripple = ripple_with("pfc.bus_ripple_lf_pp", c)
    sheet("pfc.mid_ripple_pp", three_phase.mid_ripple, current=sheet("pfc.i_mid", three_phase.mid_current, power=p, v_bus=v_bus),
          f_line=given["f"], c_half=half)
    valley, peak = (sheet("bulk.v_valley", pfc.bus_valley, v_bus=v_bus, ripple=ripple),
                    sheet("bulk.v_peak", pfc.bus_peak, v_bus=v_bus, ripple=ripple))
    c_left = inlet.record_left(work, c)
    old = sheet("bulk.v_valley_left", pfc.bus_valley, v_bus=v_bus, ripple=ripple_with("pfc.bus_ripple_lf_pp_left", c_left))
    row = inlet.record_bus(work, valley, peak, c, sheet.rows["bulk.v_min_stage"], p, "bus", (old, c_left))
    sheet.given("bulk.v_valley_least", float(2 * np.sqrt(2) * three_phase.phase_voltage(work.need.mains.v_max)), "V", "rule",
                "twice the crest of a phase at the highest mains")
    sheet.given("bulk.v_limit", 2 * plan.cap["v_class_v"], "V", "catalogue", "rated voltage of both halves")
    dump = sheet("bulk.v_dump", pfc.dump, v_peak=peak, power=p, delay=sheet.rows["pfc.dump_delay"], c=c)
    sheet("pfc.v_switch", three_phase.half_bus, v_bus=dump)
    sheet.again("pfc.v_diode", dump)
    sheet.given("pfc.v_diode_limit", 0.8 * plan.diode["v_class_v"], "V", "catalogue", f"80 % of {plan.diode['name']} (common practice)")
    return {"bus": row, "valley": valley, "peak": peak, "ripple": ripple}


def loop_of(plan: Plan, rows: Any, f_line: float) -> Loop:
    """One phase and its loops for a line frequency [Hz]: the voltage loop has no second harmonic to leak but what unbalance leaves."""
    b = plan.boost
    ripple = plan.unbalance * float(
        pfc.loop_ripple(float(rows["pfc.crossover_voltage"].value), f_line, 3 * float(rows["pfc.crossover_voltage"].value)))
    return Loop(b.inductance, b.fs, plan.half, float(rows["pfc.crossover_current"].value), ripple, **bias_of(b, rows))


def _line(work: Work, plan: Plan, s: Solution, given: dict[str, Any], p_in: Any, rows: dict[str, Any]) -> None:
    """Line current of a phase from the loops, cycle by cycle, at full load: power factor, harmonics; and the inlet."""
    sheet, grid, choose = work.sheet, work.grid, work.choose
    choose("pfc.crossover_voltage", 30.0,
           "nothing pulsates at twice the line frequency where the mains are balanced: the voltage loop may be quick (common practice)")
    record_sunk(work, rows["valley"])
    choose("pfc.crossover_current", plan.boost.fs / 8,
           "an eighth of the switching frequency, its zero at two fifths of that (common practice)")
    c_x, full = float(inlet.x_capacitor(work).value), grid.full_load
    line = grid.lines.index(grid.special["nominal_max"])
    orders = line_orders([float(three_phase.phase_voltage(v)) for v in grid.lines], grid.freqs, s.p_in[:, :, full] / 3,
                         lambda f: loop_of(plan, sheet.rows, f), c_x, line)
    factor = s.p_in[:, :, full] / (np.sqrt(3) * np.asarray(grid.lines)[:, None] * np.sqrt(np.square(orders).sum(-1)))
    text = "line current of every switching cycle of a phase with both loops, X capacitor from line to star beside it"
    pf = sheet.solved("inlet.power_factor", np.minimum(factor, 1.0)[..., None, None], "",
                      text + "; at full load, taken for other loads too")
    sheet("inlet.power_factor_light", displaced, power=p_in, f_line=given["f"], c_x=sheet.rows["inlet.c_x"], v_line=given["line"])
    rows["i_rms"] = sheet("inlet.i_rms", three_phase.line_current, power=p_in, v_line=given["line"], factor=pf)
    crest = sheet("inlet.i_crest", pfc.line_crest, power=sheet("pfc.p_phase", three_phase.of_phase, power=p_in), v_line=given["earth"])
    sheet.again("inlet.i_peak", crest)
    inlet.record(work,
                 surge.Inrush(plan.thermistor, 2 * work.need.source_impedance.r, plan.source, None, sheet.rows["pfc.c_bus"],
                              inlet.record_bleed(work), limiters=2), rows, given, limited=plan.limiter == "thermistor")
    inlet.record_harmonics(work, orders[line : line + 1, :, None, None, :], float(s.p_in[line, :, full].max()), float(factor[line].min()),
                           f"Fourier integral of the {text} at {grid.lines[line]:g} V, full load")


def _stage(work: Work, plan: Plan, s: Solution, given: dict[str, Any], p_in: Any, col: Any) -> dict[str, Any]:
    """Inductor, switch and diode of a phase; what is left without one."""
    sheet = work.sheet
    v_crest = sheet("pfc.v_crest_phase", pfc.crest, v_line=given["earth"])
    for k, id in {"l_rms": "pfc.i_l_rms", "switch_rms": "pfc.switch_i_rms", "diode_rms": "pfc.diode_i_rms"}.items():
        sheet.solved(id, col(s.currents[k]), "A", _CYCLE, power=p_in)
    sheet.solved("pfc.diode_i_avg", col(0.5 * s.currents["diode_avg"]), "A", "half of what a phase rectifies: its two diodes take turns",
                 power=p_in)
    sheet.solved("pfc.i_bus_hf", col(np.sqrt(1.5) * s.currents["bus_hf"]), "A",
                 "of the three phases half feed each half of the bus on average, taken as uncorrelated", power=p_in)
    half = sheet("pfc.v_half", three_phase.half_bus, v_bus=sheet.rows["pfc.v_bus"])
    at_crest = {"v_crest": v_crest, "v_bus": half, "fs": sheet.rows["pfc.fs"]}
    ripple = sheet("pfc.i_ripple_pp", pfc.crest_ripple, inductance=record_inductance(work, plan.choke, sheet.rows["inlet.i_crest"]),
                   **at_crest)
    peak = record_peak(work, sheet.rows["inlet.i_crest"], ripple)
    esr = sheet.given("bulk.esr", plan.source.esr, "Ω", "catalogue", f"{plan.cans} × {plan.cap['name']} in each half")
    sheet("pfc.bus_ripple_hf_pp", pfc.switching_ripple, power=sheet.rows["pfc.p_phase"], v_crest=v_crest, v_bus=half,
          fs=sheet.rows["pfc.fs"], c=sheet.rows["pfc.c_half"], i_peak=peak, esr=esr)
    there = record_at_limit(work, plan.choke, at_crest)
    one = sheet("pfc.power_max_phase", pfc.power_at_limit, v_line=given["earth"], i_limit=sheet.rows["pfc.current_limit"], ripple=there)
    count = sheet.given("pfc.count", 3, "", "rule", "one inductor for each phase")
    sheet("pfc.power_max", pfc.all_phases, phases=count, one=one)
    sheet.again("pfc.power_need", p_in)
    two = sheet("pfc.power_two_phases", three_phase.power_without_phase, v_line=given["line"], i_limit=sheet.rows["pfc.current_limit"],
                ripple=there)
    left = sheet("pfc.power_phase_loss", three_phase.kept, power=p_in, power_two=two)
    sheet("pfc.bus_ripple_phase_loss_pp", pfc.bus_ripple, power=left, f_line=given["f"], c=sheet.rows["pfc.c_bus"],
          v_bus=sheet.rows["pfc.v_bus"])
    losses = {name: sheet.solved(f"loss.{name}", col(x), "W", _CYCLE, power=p_in) for name, x in s.losses.items()}
    sheet.total("pfc.loss", "W", "everything between the plug and the bus", **losses)
    record_sensing(work)
    _heat(work, plan, losses, count)
    return {("thermistor" if name == "limiter" else name): row for name, row in losses.items()}


def _heat(work: Work, plan: Plan, losses: dict[str, Any], count: Any) -> None:
    """Heat of switches, diodes and inductors."""
    sheet = work.sheet
    whole = sheet.total("pfc.switch_loss", "W", "conduction (hot) in both dies, turn-on with what the diode asks, turn-off; all phases",
                        conduction=losses["pfc_switch_on"], edges=losses["pfc_switch_edges"])
    record_junction(work, plan.switch, whole, losses["pfc_switch_on"], 3 * PATHS * plan.parallel, plan.parallel)
    record_diode(work, plan.diode, losses["pfc_diode"], 3 * PATHS)
    core, copper = (sheet(f"loss.{k}_each", forward.share_of, power=losses[k], count=count) for k in ("pfc_core", "pfc_copper"))
    record_choke(work, plan.choke, core, copper, False)


def _findings(work: Work, plan: Plan, rows: dict[str, Any]) -> None:
    """What only this stage knows how to say."""
    grid, need, sheet = work.grid, work.need, work.sheet
    at = (0, 0, grid.full_load, 0)
    drawn, left = (float(sheet.rows[id].at(at)) for id in ("inlet.power", "pfc.power_phase_loss"))
    least = plan.v_bus <= 2 * np.sqrt(2) * three_phase.phase_voltage(need.mains.v_max)
    if least:
        work.find(MUST_FIX, "pfc",
                  f"half the bus of {show(plan.v_bus, 'V')} lies below the crest of a phase: the stage cannot draw a sine there",
                  "bulk.v_valley", "pfc.v_bus")
    work.find(NOTE, "bulk", f"balanced mains bring constant power: {show(float(sheet.rows['pfc.bus_ripple_lf_pp'].at(at)), 'V')} is left "
              f"of the bus ripple at {plan.unbalance * 100:g} % unbalance, {show(float(sheet.rows['pfc.mid_ripple_pp'].at(at)), 'V')} at "
              "the mid-point; the capacitor stands for hold-up and a lost load", "pfc.bus_ripple_lf_pp")
    work.find(NOTE, "pfc", f"with a phase gone {show(left, 'W')} of {show(drawn, 'W')} are left at {grid.lines[0]:g} V, and the bus "
              f"ripples by {show(float(sheet.rows['pfc.bus_ripple_phase_loss_pp'].at(at)), 'V')} at twice the line frequency",
              "pfc.power_phase_loss")
    work.find(NOTE, "pfc", "three single-phase stages with a third of the power each, isolated before they are joined, give the same "
              "constant power with 600 V parts: design one with single-phase mains of the phase voltage and a third of the current", "", "")


def cycle(design: Any, corner: Corner) -> dict[str, Array]:
    """One line cycle: time [s], rectified mains [V], bus [V], line current [A] of the first phase; its inductor's highest and lowest
    current [A], frequency [Hz] and inductance [H]; powers of the three phases [W]."""
    plan, s, rows = design.context["front"], design.context["bulk"], design.rows
    f, v = design.grid.freqs[corner.index[1]], float(three_phase.phase_voltage(design.grid.lines[corner.index[0]]))
    p_in, power = float(s.p_in[corner.index[:3]]), float(s.power[corner.index[:3]])
    t_half, i_half = half_cycle(loop_of(plan, rows, f), v, f, p_in / 3)
    t = np.linspace(0, 1 / f, 800)
    omega = 2 * np.pi * f
    current = (np.interp(t % (0.5 / f), np.concatenate([[0.0], t_half, [0.5 / f]]), np.concatenate([[0.0], i_half, [0.0]]))
               * np.where(t < 0.5 / f, 1, -1))
    stored = plan.v_bus**2 - plan.unbalance * power / (omega * plan.c_bus) * np.sin(2 * omega * t)
    a = angles(plan.boost, v, p_in / 3, plan.half, np.mod(omega * t, np.pi))
    return {"t": t, "mains": np.abs(np.sqrt(2) * v * np.sin(omega * t)), "bulk": np.sqrt(stored), "current": current, "highest": a.peak,
            "lowest": a.least, "frequency": np.broadcast_to(a.fs, t.shape),
            "inductance": np.broadcast_to(plan.boost.at(a.mean), t.shape), "powers": three_phase.phase_powers(p_in, omega * t)}


def limit_power(plan: Plan, lines: Array) -> Array:
    """Power [W] that all phases draw from each line [V] with the inductors at their limit."""
    return 3 * power_at_peak(plan.boost, three_phase.phase_voltage(lines), plan.half, plan.limit)


def switching(plan: Plan, v_line: float, power: float) -> Switching:
    """Of one phase at a voltage between lines [V] and the power of all three [W]."""
    return largest(plan.boost, float(three_phase.phase_voltage(v_line)), power / 3, plan.half, plan.switch["t_fall_s"])
