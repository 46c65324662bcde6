"""The recorded last pass of a flyback: every figure over the whole grid, losses, ratings, supply window."""

from types import ModuleType
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import faults as fault_currents
from rhevectra.core.formulas import flyback, forward, handed_back, inductance, magnetics
from rhevectra.core.formulas import slope as ramps
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.magnetics.transformer import binding
from rhevectra.core.stages.beside import hot_said, record_pulsed
from rhevectra.core.stages.work import Work
from rhevectra.core.stages.wound import record_nodes, record_rise
from rhevectra.core.topologies.common import half_turn, idle, sensing, slope
from rhevectra.core.topologies.common.elements import taking_over
from rhevectra.core.topologies.common.ratings import feedback_error, switch_heat, transformer_fit
from rhevectra.core.topologies.flyback import auxiliary, faults, overload, sag, sharing, signal
from rhevectra.core.topologies.flyback import outputs as out_parts
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback.sizing import limit_at, limit_rows
from rhevectra.core.topologies.flyback.tolerance import record_peak
from rhevectra.core.topologies.flyback.wound import Plan

UNSETTLED = 0.02
"""Largest pass-to-pass change that still counts as a steady state."""
LEAST_GAP = 40e-6
"""Gap [m] that two spacers of the thinnest usual tape, 20 µm, make (common practice, no source)."""
LONG_PEAK = 1.0
"""A peak longer than this [s] is no peak for silicon and wire (common practice)."""
SHARE_MOST = 0.83
"""Largest reflected voltage over the bus that two switches are held to."""
AUDIBLE = 20e3


def power_drawn(work: Work, plan: Plan, v_bus: Any, tolerance: float) -> tuple[Any, Any, Plan]:
    """Power drawn from the bus at each corner [W] and the rms of its ripple current [A], from bare numbers."""
    stage = replace(plan.stage, v_bus=v_bus, i_limit=limit_at(work, v_bus))
    settled = pd.solve(stage, plan.state, tolerance=tolerance)
    o = settled.out
    average = o["p_bus"] / v_bus
    ripple = np.sqrt(np.maximum(np.square(o["i_primary" if stage.variant.held else "i_drawn"]) - np.square(average), 0.0))
    return o["p_bus"], ripple, replace(plan, stage=settled.stage, state=settled.state, change=settled.change)


def record(work: Work, plan: Plan, v_bus_row: Any, front: dict[str, Any], clamp: ModuleType) -> dict[str, Any]:
    """Rows of the power stage on the recording sheet."""
    sheet, s = work.sheet, plan.stage
    _limits(work, v_bus_row)
    rows = _given(work, plan)
    stage = replace(s, v_bus=v_bus_row, **rows)
    o = pd.record(sheet, stage, plan.state, plan.change)
    sheet.solved("transformer.v_reflected_plan", float(plan.need.windings[0].volts), "V", "reflected voltage the transformer was sized for")
    _switch(work, plan, stage, o)
    _transformer(work, plan, stage, o)
    if plan.clamp is not None:
        clamp.record(work, v_bus_row, o, plan.clamp, plan.budget, plan.switch["row"]["v_class_v"])
    shared = sharing.record(work, plan, stage, o)
    auxiliary.record(work, plan, stage, o, shared)
    losses = dict(front["losses"]) | _losses(work, plan, stage, o)
    losses |= out_parts.record(work, plan, stage, o, shared)
    auxiliary.record_loss(work, stage, o)
    found = feedback_error(work, stage.v_out, signal=lambda: signal.of(work, stage, o))
    faults.record(work, plan, stage, o)
    sag.record(work, stage, o)
    overload.record(work, stage, o)
    losses["controller"] = sheet.rows["loss.controller"]
    return {"o": o, "stage": stage, "losses": losses, "loop": found}


def _limits(work: Work, v_bus: Any) -> None:
    """Rows of the current limit at every bus, its greatest and its least."""
    sheet, rows = work.sheet, work.sheet.rows
    here, _ = limit_rows(sheet, work, v_bus)
    if "switch.limit_ramp" in rows:
        slope.record_least(work, here, ramps.lost_in_pulse, v_reflected=rows["switch.v_reflected_plan"], v_bus=v_bus, fs=rows["fs"])
    else:
        sheet("switch.limit_min", fault_currents.least_limit, i_limit=here, tolerance=rows["switch.limit_tolerance"])


def _given(work: Work, plan: Plan) -> dict[str, Any]:
    """Rows for the constants of the stage, so that the working can name them."""
    sheet, s, sw = work.sheet, plan.stage, plan.switch["row"]
    ambient = hot_said(sw)
    main = plan.rectifiers[work.need.main]
    outs = work.need.outputs
    turns = plan.turns
    return {
        "np": turns[0], "ns": tuple(turns[1:]), "lp": sheet.rows["transformer.lp"], "leakage": plan.leakage,
        "i_outputs": tuple(
            sheet.given(f"load.i{k}", i, "A",
                        text=f"current of {'the auxiliary winding' if k == len(outs) + 1 else outs[k - 1].name} "
                        f"({idle.HANGS})") for k, i in enumerate(s.i_outputs, 1)),
        "takes": tuple(sheet.solved(f"secondary{k}.lift", x, "", "what the winding takes from the core for its charge over what that is at "
                                    "the reflected voltage: outputs held apart by leakage and resistance, worked out when the transformer "
                                    "was chosen") for k, x in enumerate(s.takes, 1)),
        "v_out": sheet.given("load.v_main", s.v_out, "V", text="regulated output, its largest setting"),
        "v_forward": sheet.given("rectifier.v_forward", s.v_forward, "V", "catalogue", f"class {main['name'].value}"),
        "r_rectifier": sheet.given("rectifier.r_dynamic", s.r_rectifier, "Ω", "catalogue", f"class {main['name'].value}"),
        "r_winding": sheet.solved("transformer.r_secondary", s.r_winding, "Ω",
                                  "copper loss of the main secondary at the worst corner over its rms current squared"),
        "r_primary": sheet.solved("transformer.r_primary", s.r_primary, "Ω",
                                  "copper loss of the primary at the worst corner over its rms current squared"),
        "c_node": sheet.given("switch.c_node", s.c_node, "F", "catalogue",
                              "energy-equivalent output capacitance (of both switches in series) plus winding capacitance" if s.variant.held
                              else "energy-equivalent output capacitance plus winding capacitance"),
        "r_switch": sheet.given("switch.r_hot", s.r_switch, "Ω", "catalogue", ambient),
        "t_fall": sheet.given("switch.t_fall", s.t_fall, "s", "catalogue", "current fall time of the class"),
        "r_sense": sheet.given("sense.r_seen", 0.0, "Ω", "catalogue", "an integrated class senses inside its switch")
        if plan.switch["integrated"] else sensing.record(work),
        "fs": sheet.rows["fs"],
        "f_floor": sheet.given("light_load.f_floor", s.f_floor, "Hz", "rule", "least pulse rate of the light-load law"),
        "i_floor": sheet.given("light_load.i_floor", s.i_floor, "A", "rule",
                               "least peak current of the light-load law: a quarter of the current limit and enough to lift the node, or "
                               "none"),
        "i_limit": sheet.rows["switch.i_limit_max"], **_at_rest(work, plan),
        **({"c_snub": sheet.solved("rectifier.c_snub", s.c_snub, "F",
                                   "snubbers and junctions of all rectifiers, by the square of their turns over the primary's")}
           if s.variant.snubbed else {}),
        "area": sheet.given("transformer.area", s.area, "m²", "catalogue", "effective area by IEC 60205 from the dimensions"),
        "volume": sheet.given("transformer.volume", s.volume, "m³", "catalogue", "effective volume by IEC 60205 from the dimensions"),
        "core_temperature": sheet.solved("transformer.temperature", s.core_temperature, "°C", "ambient plus the rise of the chosen core")}


def _at_rest(work: Work, plan: Plan) -> dict[str, Any]:
    """Rows of what the variant has in place of others: clamp or diodes, and the valley."""
    sheet, s = work.sheet, plan.stage
    clamped = {} if plan.clamp is None else dict(plan.clamp["stage"])
    drop = (sheet.given("clamp.v_diode", s.clamp_vf, "V", "rule",
                        "drop of the clamp switch's body diode (common practice)" if s.variant.turned
                        else "drop of the clamp diode (common practice)") if clamped
            else sheet.given("return.v_diode", s.clamp_vf, "V", "rule",
                             "drop of each diode that holds a switch to the bus (common practice)"))
    valley = ({"valley": sheet.solved("qr.valley", s.valley, "", "the first valley that the highest frequency leaves"),
               "f_max": sheet.rows["qr.f_max"]} if s.variant.valley else {})
    return {**clamped, "clamp_vf": drop, **valley}


def _switch(work: Work, plan: Plan, s: pd.Stage, o: dict[str, Any]) -> None:
    sheet, row = work.sheet, plan.switch["row"]
    duty = sheet("switch.duty", flyback.duty, t_on=o["t_on"], fs=o["fs"])
    for name in ("switch.duty_max", "switch.duty_min"):
        sheet.again(name, duty)
    record_pulsed(work, row)
    if s.variant.held:
        sheet("switch.v_peak", forward.held_to_bus, v_bus=s.v_bus, v_forward=s.clamp_vf, r_diode=taking_over(sheet, s.r_switch),
              i_peak=sheet.rows["switch.i_peak"])
        sheet("return.share", handed_back.reflected_share, v_reflected=o["v_or"], v_bus=s.v_bus)
        sheet.given("return.share_limit", SHARE_MOST, "", "rule",
                    "a sixth of the bus left to empty the leakage against (common practice, no source)")
        turning = {k: sheet(f"switch.one_{k}", forward.share_of, power=o[f"loss_{k}"], count=2) for k in ("turn_on", "turn_off")}
    else:
        sheet("switch.v_peak", flyback.drain_peak, v_bus=s.v_bus, crest=o["crest"], v_diode=s.clamp_vf)
        turning = {k: o[f"loss_{k}"] for k in ("turn_on", "turn_off")}
    lp_max = sheet.given("transformer.lp_max", plan.limit["lp_max"], "H", "rule", "inductance plus its tolerance")
    if s.variant.valley:
        sheet("qr.f_min", inductance.frequency_least, fs=o["fs"], lp=s.lp, lp_max=lp_max)
        sheet.again("qr.v_on", o["v_turn_on"])
        sheet.given("qr.f_audible", AUDIBLE, "Hz", "rule", "above hearing")
    else:  # there the frequency follows the inductance, and the peak hardly does
        record_peak(work, o["i_end"], s.variant.turned)
    switching = sheet.total("switch.loss_switching", "W", "turn-on and turn-off", **turning)
    taken = {"avalanche": o["clamp_power"]} if s.variant.clamp is not None and s.variant.clamp.BURNS_IN_SWITCH else {}
    total = sheet.total("switch.loss", "W", "conduction (hot) and switching" + (", and what it takes in avalanche" if taken else ""),
                        conduction=o["loss_conduction"], switching=switching, **taken)
    switch_heat(work, row, total, o["loss_conduction"], s.variant.switches)
    sheet.again("switch.frequency_idle", o["fs"])


def _transformer(work: Work, plan: Plan, s: pd.Stage, o: dict[str, Any]) -> None:
    sheet, at, lp_max = work.sheet, (plan.choice.core, plan.choice.candidate), work.sheet.rows["transformer.lp_max"]
    run_area = sheet.given("transformer.area_min", float(min(plan.window.effective.area[at[0]], plan.window.effective.area_min[at[0]])),
                           "m²", "catalogue", "smallest section of the core")
    limit_b = sheet("transformer.b_limit_case", magnetics.flux_at_limit, lp=lp_max, i_limit=sheet.rows["switch.limit_here"],
                    tolerance=sheet.rows["switch.limit_tolerance"], v_bus=s.v_bus, t_delay=sheet.rows["switch.limit_delay"],
                    c_node=s.c_node, turns=s.np, area=run_area)
    most = sheet("core.i_most", magnetics.core_peak, i_peak=o["i_peak"], c_node=s.c_node, lp=lp_max, v_bus=s.v_bus)
    run_b = sheet("transformer.b_run", magnetics.flux_density, inductance=lp_max, current=most, turns=s.np, area=run_area)
    sheet.either("transformer.b_peak", s.is_limit, limit_b, run_b,
                 "at the current limit the delay adds bus times delay, whatever the inductance")
    sheet("transformer.b_ac", flyback.flux_amplitude, swing=o["swing"])
    gap, _ = magnetics.solve_gap(plan.window.effective.area_post[at[0]], plain(s.np), plain(s.lp), plan.window.effective.length[at[0]],
                                 s.core["mu_initial"], plain(s.area), plan.window.window[at[0]])
    post = float(plan.window.effective.area_post[at[0]])
    fringe = sheet("transformer.fringing", magnetics.fringing_factor,
                   gap=sheet.solved("transformer.gap_solved", float(gap), "m",
                                    "solved: gap and fringing factor that belong together, eight passes"), area=post,
                   window=float(plan.window.window[at[0]]))
    gap_row = sheet("transformer.gap", magnetics.gap_length, fringing=fringe,
                    area_post=sheet.given("transformer.area_post", post, "m²", "catalogue", "section of the leg inside the windings"),
                    turns=s.np, inductance=s.lp, length=float(plan.window.effective.length[at[0]]), mu=s.core["mu_initial"], area=s.area)
    sheet.given("transformer.gap_limit", plan.need.gap_max_share * post**0.5, "m", "rule",
                "35 % of the post's width: beyond it fringing heats the winding (common practice)")
    sheet("transformer.gap_shim", magnetics.shim, gap=gap_row)
    sheet("transformer.al", magnetics.inductance_factor, inductance=s.lp, turns=s.np)
    half_turn.record(work, plan.need, plan.choice, plan.window, plan.turns, o["i_peak"])
    transformer_fit(work, plan.need, plan.choice)


def _losses(work: Work, plan: Plan, s: pd.Stage, o: dict[str, Any]) -> dict[str, Any]:
    sheet = work.sheet
    effective = s.extra["r_effective"]
    real = sheet.solved("transformer.r_primary_real", effective[0], "Ω",
                        "copper loss of the primary at the worst corner over its rms current squared, by layer theory on all harmonics")
    copper = {"primary": sheet("loss.copper_primary", resistive_loss, r=real, i_rms=o["i_heat"])}
    for k, (current, r) in enumerate(zip(s.i_outputs, effective[1:], strict=True), 1):
        id = f"secondary{k}.i_rms"
        rms = sheet.rows.get(id) or sheet(id, flyback.share, i_secondary=o["i_secondary"], i_out=current, i_total=o["i_sum"])
        copper[f"winding{k}"] = sheet(f"loss.copper{k}", resistive_loss, r=r, i_rms=rms)
    total = sheet.total("transformer.loss_copper", "W", "all windings, effective resistances at the worst corner", **copper)
    record_rise(work, "transformer", float(plan.window.surface[plan.choice.core]), o["p_core"], total, "temperature_rise")
    record_nodes(work, "transformer", plan.window, plan.choice.core, o["p_core"], total)
    idle = sheet("switch.loss_idle_ring", flyback.idle_ring_loss, fs=o["fs"], c_node=s.c_node, v_reflected=o["v_or"],
                 v_turn_on=o["v_turn_on"], v_bus=s.v_bus, lp=s.lp, i_start=o["i_start"])
    zero = sheet.given("switch.no_idle", 0.0, "W", "rule", "continuous conduction: no free ring")
    ring = sheet.either("loss.idle_ring", o["discontinuous"], idle, zero, "free ring in discontinuous conduction")
    conduction = (sheet.total("loss.switch_conduction", "W", "both switches", upper=o["loss_conduction"], lower=o["loss_conduction"])
                  if s.variant.held else o["loss_conduction"])
    leakage = ({"switch_return": o["loss_clamp_diode"], "winding_ring": o["loss_ring"]} if s.variant.clamp is None
               else {name: o[row] for name, row in s.variant.clamp.LOSSES.items()})
    sensed = {} if plan.switch["integrated"] else {"current_sense": sensing.heat(work, s.r_sense, o["i_switch"])}
    return {"switch_conduction": conduction, **sensed, "switch_turn_on": o["loss_turn_on"], "switch_turn_off": o["loss_turn_off"],
            "core": o["p_core"], "copper": total, **leakage, "idle_ring": ring}


def findings(work: Work, plan: Plan) -> None:
    """What only the flyback knows how to say."""
    if plan.change > UNSETTLED:
        work.find(MUST_FIX, "switch", f"no steady state was found: the passes of the period still change by {plan.change:.1g} of the "
                  "current; these figures are not to be used", "switch.i_peak", "flyback.v_or")
    if not plan.choice.passed:
        name = plan.window.names[plan.choice.core]
        work.find(MUST_FIX, "transformer", f"{name} is refused: {binding(plan.choice.trial, plan.choice.core)}", "transformer.core",
                  "transformer.core" if work.choose.pinned("transformer.core") else "fs")
    for out in work.need.outputs:
        if (out.current_peak or 0.0) > out.current_max and out.peak_duration > LONG_PEAK:
            work.find(LOOK_AT, "transformer", f"{out.name}: a peak of {show(out.current_peak or 0.0, 'A')} for "
                      f"{show(out.peak_duration, 's')} heats like a steady load; ask for it as full current",
                      "transformer.temperature_rise", "")
    gap = float(np.asarray(work.sheet.rows["transformer.gap"].value))
    if 0 < gap < LEAST_GAP:
        work.find(LOOK_AT, "transformer", f"a gap of {show(gap, 'm')} can hardly be ground, and the thinnest tape under all legs already "
                  f"makes {show(LEAST_GAP, 'm')}: more ripple or more turns widen it", "transformer.gap",
                  "" if plan.stage.variant.valley else "flyback.ripple_ratio")
    power = work.need.power
    if power > 150 and plan.clamp is not None:
        work.find(LOOK_AT, "switch", f"{show(power, 'W')} is above the habit for a flyback (about 100 W): its clamp burns with power; "
                  "compare other topologies", "clamp.power", "topology")
