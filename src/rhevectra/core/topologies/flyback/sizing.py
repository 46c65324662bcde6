"""Sizing of a flyback before its transformer exists: inductance, current limit, and what the transformer must be."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.requirement import Output
from rhevectra.core.basis.sheet import Quick, plain, reader
from rhevectra.core.formulas import flyback, inductance, inductor, magnetics, valley_switching
from rhevectra.core.formulas import slope as formulas
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics.copper_loss import phasors
from rhevectra.core.stages import clamping, rate
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import barrier, idle, least_bus, sensing, slope, winding
from rhevectra.core.topologies.common.rectifiers import loaded
from rhevectra.core.topologies.common.supply import AUX_DROP
from rhevectra.core.topologies.common.synchronous import driven
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback import sag
from rhevectra.core.topologies.flyback.semiconductors import USUAL_FS, usual_rate
from rhevectra.core.topologies.flyback.tolerance import SEEN_SLOW, peak_with
from rhevectra.core.topologies.flyback.variant import Variant
from rhevectra.core.topologies.flyback.waveform import primary_shape, secondary_shape

ORDERS = 24
ROUNDING = 0.4
"""Share of an output's tolerance that whole turns may take; the rest is for what load and the other outputs move (common practice, no
source)."""
VALLEY_FS = "65 kHz at the lowest bus and full load: above hearing at every overload, and the frequency rises from there"
CONTROLLER, SKIPPING = 1.5e-3, 0.5e-3
"""Current of a controller without its gate charge, of one that skips pulses at no load [A] (typical, from memory)."""
SYNC_SUPPLY = 1e-3
"""Supply current of a synchronous rectifier's controller [A] besides its gate charge (typical, from memory)."""


OVER_LINE = "switch.limit_line"
"""Decision by what share the current limit is lowered at the highest bus."""
AUX_VOLTS, AUX_LEAST, AUX_MOST = 14.0, 11.5, 60.0
"""What the auxiliary winding is aimed at [V]; at the lowest setting of the output, above the lock-out at 9.5 V by what it sinks at idle;
and at most at the highest."""


def _auxiliary_aim(out: Output) -> tuple[float, str, tuple[str, ...]]:
    """Voltage of the auxiliary winding at the output's highest setting [V]: it follows that output down to its lowest."""
    wanted = (AUX_LEAST + AUX_DROP) * out.magnitude / out.least - AUX_DROP
    if wanted <= AUX_VOLTS:
        return AUX_VOLTS, "middle of the controller's supply window", ()
    return (float(f"{min(wanted, AUX_MOST):.3g}"),
            f"at the highest setting, so that {AUX_LEAST:g} V are left at the lowest of {out.least:g} V", ())


def estimate(work: Work, v: Variant, switch: Mapping[str, Any], v_or: float, rectifiers: Mapping[int, dict[str, Any]], v_bus: Array,
             aims: Mapping[int, float], bleeds: Mapping[int, float]) -> pd.Stage:
    """The power stage with an ideal turns ratio, for choosing inductance, limit and transformer. aims: voltages of the windings of outputs
    that are not aimed at the output's own; bleeds: what holds outputs down at light load [A], as expected before there are turns."""
    need, grid = work.need, work.grid
    main = need.main
    volts = [aims.get(k, out.magnitude + rectifiers[k]["row"]["v_forward_v"]) for k, out in enumerate(need.outputs)]
    aux = work.choose("aux.v", lambda: _auxiliary_aim(need.outputs[main]))
    aux_i = work.choose("aux.i", lambda: CONTROLLER + (2 if v.turned else 1) * switch["row"]["q_gate_c"] * USUAL_FS,
                        "controller and gate charge (common practice)")
    law = str(work.choose.pins.get("light_load", "skip"))
    aux_idle = work.choose("aux.i_idle", lambda: min({"skip": SKIPPING, "foldback": CONTROLLER}.get(law, np.inf), float(aux_i.value)),
                           "a controller that leaves pulses out sleeps between them, and hardly charges a gate (typical, from memory)")
    r = rectifiers[main]["row"]
    c_wind = work.choose("transformer.c_winding", 40e-12, "layered winding of this size (common practice); measure it from the ring")
    ratio = v_or / volts[0]
    fs = work.choose("fs", *((switch["row"]["f_switch_hz"], "fixed by the integrated class") if switch["integrated"]
                             else (USUAL_FS, VALLEY_FS) if v.valley else usual_rate(need, work.parts)))
    drive = [driven(grid, SYNC_SUPPLY, rectifiers[k]["row"]["q_gate_c"], float(fs.value), law != "fixed")
             for k in range(len(need.outputs))]
    io = [idle.load(work, k) + extra + bleeds.get(k, 0.0) for k, extra in enumerate(drive)]
    first = {"v_bus": v_bus, "i_outputs": (*io, np.where(grid.unloaded, aux_idle.value, aux_i.value)),
             "v_out": need.outputs[main].magnitude, "v_forward": r["v_forward_v"], "r_rectifier": r["r_dynamic_ohm"],
             "r_winding": 0.004 * volts[0] / need.outputs[main].current_max, "np": ratio,
             "ns": (1.0, *(v / volts[0] for v in volts[1:]), (float(aux.value) + AUX_DROP) / volts[0]),
             "r_switch": switch["row"]["r_on_25_ohm"] * switch["row"]["hot_ratio"], "t_fall": switch["row"]["t_fall_s"],
             "fs": float(fs.value), "f_floor": 0.0,
             "c_node": v.across * switch["row"]["c_energy_f"] + float(c_wind.value) + switch.get("c_clamp", 0.0), "clamp_vf": 1.0,
             "is_limit": grid.where(lambda p: p.case == "limit") & np.ones(grid.shape, bool)}
    v_low = float(loaded(work, v_bus).min())
    p_in = (1.03 * sum(v * ((need.outputs[k].current_peak or 0.0) + bleeds.get(k, 0.0)) for k, v in enumerate(volts))
            + float(aux.value) * float(aux_i.value))
    work.sheet.given("bus.v_high", float(np.max(v_bus)), "V", "solved", "highest bus")
    duty = float(flyback.duty_ideal(v_or, v_low))
    stage = {"v_bus": work.sheet.given("bus.v_low", v_low, "V", "solved", "lowest bus at full or peak load"),
             "duty": work.sheet.given("switch.duty_valley", duty, "", "solved", "ideal duty at the lowest bus"),
             "power": work.sheet.given("transformer.p_through", p_in, "W", "solved",
                                       "outputs, drops and auxiliary at the larger of full and peak load, plus 3 %"), "fs": fs}
    if v.valley:
        wanted, why = (_boundary(work, stage, first["c_node"]),
                       "the core empties at the lowest bus and full load just before the first valley, rounded to three digits")
        first["f_max"] = float(work.choose("qr.f_max", 130e3, "130 kHz keeps the fundamental below the 150 kHz limit line").value)
    else:
        k_ripple = work.choose("flyback.ripple_ratio", 0.8, "school: 0.6 to 1.25, a small core with moderate peak current")
        wanted, why = (work.sheet("transformer.lp_wanted", flyback.primary_inductance, ripple_ratio=k_ripple, **stage),
                       "from the ripple ratio at the valley, rounded to three digits")
    lp = work.choose("transformer.lp", lambda: float(f"{float(wanted.value):.3g}"), why, wanted=wanted)
    leak = 0.015 * float(lp.value)
    return pd.Stage(**first, variant=v, lp=float(lp.value), leakage=leak, r_primary=0.004 * v_low**2 / p_in,
                    i_floor=0.4 * p_in / (v_low * duty), i_limit=np.full(grid.shape, 2.0 * p_in / (v_low * duty)),
                    **({} if v.clamp is None else v.clamp.guess(v_or, p_in, float(fs.value))),
                    core=work.parts["materials"].rows[1], area=v_or * 0.5 / float(fs.value) / 0.2 / ratio, volume=6e-6 * p_in / 60,
                    core_temperature=need.ambient_max + 35.0,
                    extra={"kappa": 0.3, "bleeds": bleeds, "volts": volts, "lp": lp, "fs": fs, "aux": aux, "aux_i": aux_i,
                           "wanted": wanted, "p_in": p_in})


def _boundary(work: Work, stage: Mapping[str, Any], c_node: float) -> Any:
    """Inductance of the boundary of conduction; the way to the valley depends on it."""
    v_low, duty, power, fs = (float(plain(stage[k])) for k in ("v_bus", "duty", "power", "fs"))
    lp = float(valley_switching.boundary_inductance(v_low, duty, 0.0, fs, power))
    for _ in range(6):
        lp = float(valley_switching.boundary_inductance(v_low, duty, min(valley_switching.half_ring(lp, c_node), 0.5 / fs), fs, power))
    way = work.sheet.solved("switch.t_valley_plan", float(min(valley_switching.half_ring(lp, c_node), 0.5 / fs)), "s",
                            "half a free ring of the inductance wanted; six passes")
    return work.sheet("transformer.lp_wanted", valley_switching.boundary_inductance, t_valley=way, **stage)


def limit_rows(on: Any, work: Work, v_bus: Any) -> tuple[Any, Any]:
    """Nominal current limit at a bus [V] and the largest current it lets pass [A], as rows or, for sizing and the passes before the
    recorded one, bare numbers."""
    read = (lambda id: work.sheet.rows[id]) if on is work.sheet else (lambda id: float(work.sheet.rows[id].value))
    here = on("switch.limit_here", flyback.limit_over_line, i_limit=read("switch.current_limit"), share=read(OVER_LINE), v_bus=v_bus,
              v_low=read("bus.v_low"), v_high=read("bus.v_high"))
    return here, on("switch.i_limit_max", flyback.limit_current, i_limit=here, tolerance=read("switch.limit_tolerance"), v_bus=v_bus,
                    t_delay=read("switch.limit_delay"), lp=read("transformer.lp_min"))


def limit_at(work: Work, v_bus: Any) -> Any:
    """The largest current the limit lets pass at a bus [V], bare numbers [A]."""
    return limit_rows(Quick(), work, v_bus)[1]


def at_hold_up(work: Work, s: pd.Stage, out: Mapping[str, Any], v_bus: Array) -> float:
    """Largest peak current [A] at full load from the bus at the end of hold-up, at the bad ends of inductance and rate; out: a period."""
    floor = least_bus.asked(work, float(loaded(work, np.broadcast_to(v_bus, work.grid.shape)).min()))
    return sag.peak_at(work, s, out, floor, _share(work, s.variant))


def _share(work: Work, v: Variant) -> float:
    """Share of inductance times rate that is left at the bad ends of both; where the frequency follows the inductance the peak hardly
    does."""
    rows = work.sheet.rows
    return 1.0 if v.valley else 1 - float(inductor.spread(rows["transformer.lp_tolerance"].value, rows[rate.ID].value))


def _taken(work: Work, stage: pd.Stage, out: Mapping[str, Any], v_bus: Array) -> tuple[Any, float]:
    """What slope compensation takes of the current limit at each corner, and at the end of hold-up [A]; out: a period."""
    duty, lp = np.asarray(out["t_ramp"]) * out["fs"], float(plain(stage.lp))
    taken = slope.lost(work, np.asarray(out["v_or"]) / lp, out["t_ramp"], duty, ~np.asarray(out["discontinuous"], bool))
    if taken is None:
        return 0.0, 0.0
    v_or = work.sheet.given("switch.v_reflected_plan", float(np.max(out["v_or"])), "V", "solved", "reflected voltage expected")
    floor = least_bus.asked(work, float(loaded(work, np.broadcast_to(v_bus, work.grid.shape)).min()))
    return taken, float(formulas.lost_in_pulse(float(work.sheet.rows["switch.limit_ramp"].value), float(v_or.value), floor,
                                               float(plain(stage.fs))))


def current_limit(work: Work, switch: Mapping[str, Any], stage: pd.Stage, out: Mapping[str, Any], v_bus: Array,
                  room: float) -> dict[str, Any]:
    """Nominal limit and its extremes with tolerance, delay and inductance tolerance; out: one period of the estimated stage; room: in its
    peak at the end of hold-up."""
    row, sheet, valley = switch["row"], work.sheet, stage.variant.valley
    lp_tol = work.choose("transformer.lp_tolerance", 0.10, "gapped core as made (common practice); a ground gap holds 5 %")
    tol = work.choose("switch.limit_tolerance", lambda: (row["limit_max_a"] / row["limit_typ_a"] - 1) if switch["integrated"] else 0.08,
                      "integrated class" if switch["integrated"] else "comparator and sense resistor (common practice)")
    work.choose("switch.limit_delay", 250e-9, "comparator, logic and gate (common practice)")
    if not valley:
        rate.choose(work)
    lowered = work.choose(OVER_LINE, 0.0, "none: trips at the same current at every bus")
    half = 1 + 0.5 * float(lp_tol.value) if valley else 1.0
    run = out["i_peak"] if valley else peak_with(out["i_peak"], out["i_end"], _share(work, stage.variant), stage.variant.turned)
    ends = at_hold_up(work, stage, out, v_bus)
    taken, taken_sag = (0.0, 0.0) if valley else _taken(work, stage, out, v_bus)
    bus = {f"v_{end}": float(sheet.rows[f"bus.v_{end}"].value) for end in ("low", "high")}
    left = flyback.limit_over_line(1.0, float(lowered.value), v_bus, **bus)
    in_run, sagged = float(np.max(loaded(work, (1.05 * half * run + taken) / left))), room * half * ends + taken_sag

    def rule() -> float:
        if switch["integrated"]:
            return float(row["limit_typ_a"])
        return sensing.limit_of(work, max(in_run, sagged, 1e-3) / (1 - float(tol.value)))

    nominal = work.choose("switch.current_limit", rule,
                          ("full load at the end of hold-up" if sagged > in_run else "5 % above the largest peak in run")
                          + (" with half the inductance tolerance" if valley else " with the least inductance at the least rate")
                          + ", at the least trip; next sense resistor of E96" if not switch["integrated"] else "typical value of the class")
    least = sheet.given("transformer.lp_min", float(plain(stage.lp)) * (1 - float(lp_tol.value)), "H", "rule",
                        "inductance less its tolerance")
    if not valley:
        sheet(SEEN_SLOW, inductance.seen_slow, lp_min=least, tolerance=sheet.rows[rate.ID])
    here, worst = limit_rows(Quick(), work, v_bus)
    low = sheet.given("switch.limit_sagged", float(nominal.value) * (1 - float(tol.value)) - taken_sag, "A", "rule",
                      "nominal current limit less its tolerance, at the lowest bus and below"
                      + ("; less what slope compensation takes in the longest pulse" if taken_sag else ""))
    return {"nominal": nominal, "here": here, "worst": worst, "least": low, "lp_tol": lp_tol, "at_hold_up": ends,
            "lp_max": float(plain(stage.lp)) * (1 + float(lp_tol.value))}


def _burnt(v: Variant, share: float) -> float:
    """What is burnt of the leakage's energy, over that; share: of the greatest current at the limit that flows in run."""
    return 1.0 if v.clamp is None else clamping.burnt(v.clamp.FALLS, share)


def _across(stage: pd.Stage, bus: float, main: int) -> barrier.Across:
    """What the ends of the primary do: the drain stands at the bus and what the outputs reflect as planned, whose own ends swing with it.
    main: number of the regulated output, from 0."""
    reflected = stage.extra["volts"][main] * float(stage.np)
    swing, other = float(np.sqrt(bus * reflected)), max(stage.extra["volts"]) * float(np.sqrt(bus / reflected))
    if stage.variant.held:  # either end goes from pole to pole, one of them against the outputs
        return barrier.Across(bus, 1.0, [barrier.End(bus / 2, bus * swing / (bus + reflected), other)])
    return barrier.Across(bus, 0.0, [barrier.End(bus, swing, 0.0), barrier.End(bus, 0.0, other)])


def transformer_need(work: Work, stage: pd.Stage, limit: Mapping[str, Any], out: Mapping[str, Any], v_bus: Array,
                     material: Any) -> tuple[tr.TransformerNeed, float]:
    """What the circuit asks of the transformer, from one period `out` of the estimated stage; and the margin width [m]."""
    need, grid, choose = work.need, work.grid, work.choose
    full = corners.FULL.mask(grid) & np.broadcast_to(np.array([p.label == "" for p in grid.points])[None, None, :, None], grid.shape)
    index = np.unravel_index(int(np.argmax(np.where(full, out["i_heat"], -1))), grid.shape)
    at = reader(tuple(int(i) for i in index))
    fs, ratio = at(out["fs"]), float(stage.np)
    tol = [ROUNDING * out.tolerance for out in need.outputs]
    t_p, i_p = primary_shape(out, at)
    t_s, i_s = secondary_shape(out, at)
    avg_p, har_p = phasors(t_p, i_p, 1 / fs, ORDERS)
    _, har_s = phasors(t_s, i_s, 1 / fs, ORDERS)
    triple, margin, tapes = winding.spacing(work, _across(stage, float(np.max(v_bus)), need.main))
    needs = [tr.WindingNeed("primary", at(out["v_or"]), at(out["i_heat"]), avg_p, har_p, False)]
    reach = at(out["i_sum"])
    for k in range(len(need.outputs)):
        scale = at(stage.i_outputs[k]) / reach
        name = f"ns{k + 1}"
        needs.append(
            tr.WindingNeed(name, stage.extra["volts"][k], at(out["i_secondary"]) * scale, at(stage.i_outputs[k]), har_s * scale, triple,
                           tol[k]))
    scale = at(stage.i_outputs[-1]) / reach
    needs.append(
        tr.WindingNeed("naux", float(stage.extra["aux"].value) + AUX_DROP, at(out["i_secondary"]) * scale, at(stage.i_outputs[-1]),
                       har_s * scale, False, 0.2))
    b_sat = material["b_sat_100_t"]
    derate = choose("derating.flux", 0.85, "85 % of hot saturation at the worst current limit (common practice)")
    rise = choose("transformer.rise_max", 45.0, "class of insulation and of neighbours (common practice)")
    b_max = work.sheet.given("transformer.b_limit", b_sat * float(derate.value), "T", "rule",
                             f"{b_sat:g} T at 100 °C × {float(derate.value):g}")
    flux = np.max(magnetics.flux_at_limit(limit["lp_max"], limit["here"],
                                          float(work.sheet.rows["switch.limit_tolerance"].value), v_bus,
                                          float(work.sheet.rows["switch.limit_delay"].value), plain(stage.c_node), 1, 1))
    return tr.TransformerNeed(
        windings=tuple(needs), ratio=ratio, lp=float(plain(stage.lp)), flux_limit=float(flux),
        swing=np.array([at(out["v_or"]) * t for t in np.broadcast_to(out["t_off"], grid.shape)[full]]),
        t_up=np.broadcast_to(out["t_ramp"], grid.shape)[full], t_down=np.broadcast_to(out["t_off"], grid.shape)[full], fs=fs,
        fs_each=np.broadcast_to(out["fs"], grid.shape)[full],
        b_max=float(b_max.value), material=dict(material), ambient=need.ambient_max, rise_max=float(rise.value), cooling=need.cooling,
        height_max=need.height_max, margin=margin,
        stack=winding.stack(work, needs, tapes), tapes=tapes, pins=winding.pins_of(work),
        leak_cost=winding.leak_cost(at(out["i_peak"]), fs, 0.5 * _burnt(stage.variant, at(out["i_peak"]) / float(np.max(limit["worst"])))),
        leak_least=winding.leak_least(work, float(plain(stage.lp)))), margin
