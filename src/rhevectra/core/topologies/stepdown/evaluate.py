"""The recorded last pass of a step-down stage: every figure over the whole grid, losses, ratings."""

from types import ModuleType
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import flyback, forward, magnetics, output, spike
from rhevectra.core.formulas import slope as ramps
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.magnetics.transformer import binding
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.stages.beside import hot_said, record_pulsed
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import idle, least_filter, pieces, secondary_kinds, sensing, slope, supply
from rhevectra.core.topologies.common.bank import record_bank
from rhevectra.core.topologies.common.chokes import choke_rows, record_choke
from rhevectra.core.topologies.common.elements import taking_over
from rhevectra.core.topologies.common.least_bus import record_by_duty
from rhevectra.core.topologies.common.outputs import SLOWER_FED_ALWAYS
from rhevectra.core.topologies.common.ratings import feedback_error, switch_heat, transformer_fit
from rhevectra.core.topologies.common.supply import AUX_DROP
from rhevectra.core.topologies.stepdown import (
    active,
    faults,
    others,
    phase,
    primary_snubber,
    rectified,
    secondary,
    several,
    signal,
    snubbers,
)
from rhevectra.core.topologies.stepdown import stage as st
from rhevectra.core.topologies.stepdown.balance import record as record_balance
from rhevectra.core.topologies.stepdown.build import Plan
from rhevectra.core.topologies.stepdown.spike import record as record_spike

RESET_DIODE = 1.0
"""Drop of the reset diodes [V] (common practice)."""
FIGURES_FROM = 1e-2
"""Tolerance from which the figures are meant; above it the power for the bus."""
UNSETTLED = 0.02


def power_drawn(work: Work, plan: Plan, v_bus: Any, tolerance: float) -> tuple[Any, Any, Plan]:
    """Power drawn from the bus at each corner [W] and the rms of its ripple current [A], from bare numbers."""
    stage = replace(plan.stage, v_bus=v_bus)
    settled = st.solve(stage, st.ROUGH if tolerance > FIGURES_FROM else st.SETTLED, plan.state)
    o = settled.out
    average = o["p_bus"] / v_bus
    if stage.variant.phase:
        return (o["p_bus"], np.sqrt(np.maximum(phase.bus_square(o) - np.square(average), 0.0)),
                replace(plan, stage=stage, state=settled.state, change=settled.change))
    if stage.variant.active:
        return (o["p_bus"], np.sqrt(np.maximum(np.square(o["i_all"]) - np.square(average), 0.0)),
                replace(plan, stage=stage, state=settled.state, change=settled.change))
    back = (o["fs"]
            * ((0.0 if stage.variant.both_ways else o["t_e"]) * np.square(o["i_mag"]) + o["t_l"] * np.square(o["i_peak"] - o["i_mag"])) / 3)
    ripple = np.sqrt(np.maximum(np.square(stage.variant.drive) * (np.square(o["i_all"]) + back) - np.square(average), 0.0))
    return o["p_bus"], ripple, replace(plan, stage=stage, state=settled.state, change=settled.change)


def record(work: Work, plan: Plan, v_bus_row: Any, front: dict[str, Any], clamp: ModuleType) -> dict[str, Any]:
    """Rows of the power stage on the recording sheet."""
    stage = replace(plan.stage, v_bus=v_bus_row, **_given(work, plan))
    o = st.record(work.sheet, stage, plan.state, plan.change)
    seen = secondary.seen_rows(work.sheet, stage)
    _switch(work, plan, seen, o)
    _transformer(work, plan, seen, o)
    shared = several.apart(work.sheet, stage, o) if stage.others else []
    _filter(work, plan, stage, seen, o, shared)
    least = least_filter.record(work, o, secondary.beside(stage, seen), bool(shared), turns_secondary=seen.ns, turns_primary=seen.np)
    losses = (dict(front["losses"]) | _losses(work, plan, stage, seen, o, shared)
              | (others.banks(work, stage, least, shared) if shared else record_bank(work, stage.i_out, least, SLOWER_FED_ALWAYS)))
    if stage.variant.phase:
        losses |= phase.record(work, plan, stage, o)
    found = feedback_error(work, stage.v_out, signal=lambda: signal.of(work, seen, o))
    _supply(work, seen, o)
    if "switch.limit_ramp" in work.sheet.rows:
        slope.record_least(work, work.sheet.rows["switch.current_limit"], ramps.lost_in, t_on=o["t_e"])
    faults.record(work, plan, seen, o)
    return {"o": o, "stage": stage, "shared": shared, "losses": losses, "loop": found}


def _given(work: Work, plan: Plan) -> dict[str, Any]:
    """Rows for the constants of the stage, so that the working can name them."""
    sheet, s, sw = work.sheet, plan.stage, plan.switch["row"]
    rows, rect = sheet.rows, plan.rectifiers[work.need.main]
    tapped: dict[str, Any] = {}
    if s.variant.clamped:
        apart = sheet("transformer.l_half", spike.between_halves, share=rows["transformer.leakage_halves"], leakage=plan.leakage)
        tapped = {"spike": {"r": rows["spike.r"], "l_half": apart}}
    if s.variant.reset:
        tapped["nr"] = sheet.solved("transformer.nr", s.nr, "turns", "reset winding: its ratio to the primary, in whole turns")
    return {**tapped, **snubbers.given(work, s, plan.turns), **primary_snubber.given(work, s),
            "np": pieces.all_turns(sheet, plan.need, plan.turns[0]), "ns": plan.turns[1], "leakage": plan.leakage,
            **_beside(work, plan), "fs": rows["fs"], "inductance": rows["filter1.l"],
            "i_out": sheet.given("load.i1", s.i_out, "A",
                                 text=f"current of the output ({idle.HANGS}) and the drive of a synchronous rectifier"),
            "v_out": sheet.given("load.v_main", s.v_out, "V", text="regulated output, its largest setting"),
            "v_forward": sheet.given("rectifier.v_forward", s.v_forward, "V", "catalogue", rect["row"]["said"]),
            "r_rectifier": sheet.given("rectifier.r_dynamic", s.r_rectifier, "Ω", "catalogue", rect["row"]["said"]),
            "r_secondary": sheet.solved("transformer.r_secondary", s.r_secondary, "Ω",
                                        "copper loss of the secondary at the worst corner over its rms current squared"),
            "r_inductor": sheet.solved("filter1.r", s.r_inductor, "Ω", "copper of the chosen inductor at its temperature"),
            "r_switch": sheet.given("switch.r_hot", s.r_switch, "Ω", "catalogue", hot_said(sw)),
            "r_sense": sensing.record(work),
            "r_primary": sheet.solved("transformer.r_primary", s.r_primary, "Ω",
                                      "copper loss of the primary at the worst corner over its rms current squared, by layer theory on all "
                                      "harmonics"),
            "lm": _inductance(work, plan),
            "area": rows["transformer.area"],
            "f_floor": sheet.given("light_load.f_floor", s.f_floor, "Hz", "rule", "least pulse rate of the light-load law"),
            "t_floor": sheet.given("light_load.t_floor", s.t_floor, "s", "rule",
                                   "shortest pulse of the light-load law: a quarter of that at full load and lowest bus, or none"),
            "c_node": sheet.given("switch.c_node", s.c_node, "F", "catalogue",
                                  "energy-equivalent output capacitance of one switch plus half the winding capacitance"),
            "t_fall": sheet.given("switch.t_fall", s.t_fall, "s", "catalogue", "current fall time of the class"),
            "limit": {"i_limit": rows["switch.current_limit"], "tolerance": rows["switch.limit_tolerance"],
                      "t_delay": rows["switch.limit_delay"]},
            "volume": sheet.given("transformer.volume", s.volume, "m³", "catalogue",
                                  f"effective volume by IEC 60205 from the dimensions{pieces.together(plan.need)}"),
            "core_temperature": sheet.solved("transformer.temperature", s.core_temperature, "°C",
                                             "ambient plus the rise of the chosen core"),
            "choke": choke_rows(work, s.choke, plan.choke), "others": others.given(work, plan)}


def _inductance(work: Work, plan: Plan) -> Any:
    """The primary's inductance, of all pieces where there are several."""
    sheet, s, id = work.sheet, plan.stage, "transformer.lm"
    one = sheet(id if plan.need.pieces == 1 else "transformer.l_each", forward.ungapped_inductance, turns=plan.turns[0],
                area=sheet.given("transformer.area", s.area, "m²", "catalogue", "effective area by IEC 60205 from the dimensions"),
                length=float(plan.window.effective.length[plan.choice.core]), mu=s.core["mu_initial"],
                residual=sheet.rows["transformer.residual_gap"])
    return pieces.of_all(sheet, plan.need, id, magnetics.inductance_in_series, one)


def _beside(work: Work, plan: Plan) -> dict[str, Any]:
    """The auxiliary winding; leakage with the series inductor, and what else the legs of a phase-shifted bridge have."""
    extra = {**plan.stage.extra, **({"coupling": work.sheet.rows["filter1.coupling"]} if plan.stage.others else {}),
             "aux": {"turns": plan.turns[-1], "i": work.sheet.rows["aux.i"]}}
    if plan.stage.variant.active:
        return {"extra": {**extra, "dead": work.sheet.rows["active.dead_time"]}}
    if not plan.stage.variant.phase:
        return {"extra": extra}
    whole = work.sheet.total("psfb.l_total", "H", "what turns the primary current over", leakage=plan.leakage,
                             series=work.sheet.rows["psfb.l_series"])
    return {"leakage": whole, "extra": {**extra, **phase.series_given(work, plan.stage)}}


def _switch(work: Work, plan: Plan, s: st.Stage, o: dict[str, Any]) -> None:
    sheet, row = work.sheet, plan.switch["row"]
    duty = sheet("switch.duty", flyback.duty, t_on=o["t_on"], fs=o["fs"])
    for name in ("switch.duty_max", "switch.duty_min"):
        sheet.again(name, duty)
    record_by_duty(work, s.v_bus, duty)
    sheet.again("switch.i_peak_run", o["i_peak"])
    sheet.again("switch.frequency_idle", o["f_switch"])
    record_pulsed(work, row)
    if s.variant.active:
        active.record(work, s, o, RESET_DIODE)
    else:
        diode = {"v_forward": RESET_DIODE, "r_diode": taking_over(sheet, s.r_switch)}
        if s.variant.clamped:
            sheet("switch.v_peak", spike.switch_peak, v_bus=s.v_bus, v_held=o["held"], excess=o["spike_u"],
                  i_left=sheet.rows["spike.i_left"], **diode)
            record_spike(work, s, o)
        else:
            sheet("switch.v_peak", forward.held_to_bus, v_bus=s.v_bus, i_peak=o["i_peak"], **diode)
    if s.variant.reset:
        sheet("reset.duty_limit", spike.reset_duty, turns_primary=s.np, turns_reset=s.nr)
        sheet("reset.diode_v_reverse", spike.reset_diode_reverse, v_bus=s.v_bus, turns_reset=s.nr, turns_primary=s.np)
    one_on = sheet("switch.loss_turn_on", forward.share_of, power=o["loss_node"], count=s.variant.switches)
    switching = sheet.total("switch.loss_switching", "W", "turn-on and turn-off of one switch", turn_on=one_on, turn_off=o["one_off"])
    total = sheet.total("switch.loss", "W", "conduction (hot) and switching of one switch", conduction=o["loss_on"], switching=switching)
    switch_heat(work, row, total, o["loss_on"], s.variant.switches)


def _transformer(work: Work, plan: Plan, s: st.Stage, o: dict[str, Any]) -> None:
    sheet, at = work.sheet, (plan.choice.core, plan.choice.candidate)
    eff = plan.window.effective
    area = sheet.given("transformer.area_min", float(min(eff.area[at[0]], eff.area_min[at[0]])), "m²", "catalogue",
                       "smallest section of the core")
    sheet("transformer.b_peak", forward.flux_at_full_duty, remanence=sheet.rows["transformer.remanence"], v_primary=o["v_in"],
          duty=sheet.rows["switch.duty_limit"], fs=sheet.rows["switch.rate_least"], turns=s.np, area=area)
    sheet("transformer.b_ac", flyback.flux_amplitude, swing=o["swing"])
    transformer_fit(work, plan.need, plan.choice)
    if s.variant.both_ways:
        record_balance(work, s, o)


def _filter(work: Work, plan: Plan, whole: st.Stage, s: st.Stage, o: dict[str, Any], shared: list[dict[str, Any]]) -> None:
    """The filter inductor and the rectifiers that feed it; whole: the stage as it is, s: with the centre tap that behaves alike; shared:
    what each of several outputs has of the period."""
    sheet, need = work.sheet, work.need.outputs[work.need.main]
    windings = {f"winding{x['n']}": sheet(f"filter1.loss_winding{x['n']}", resistive_loss, r=r, i_rms=x["i_l"])
                for x, r in zip(shared, (whole.r_inductor, *(y.r_inductor for y in whole.others)), strict=False)}
    record_choke(work, plan.choke, plan.choke_need, work.parts["cores"].derived(windows), whole,
                 {**o["one"], "p_choke": o["p_one"], "p_eddy": o["p_eddy_one"]}, windings)
    if whole.secondary == secondary_kinds.DOUBLER:
        sheet.given("filter1.count", 2, "", "rule", "two inductors of a current doubler")
    sheet.given("load.v1", need.magnitude, "V", text=f"magnitude of {need.name}")
    fed = sheet.again("switch.duty_feeding", o["one_sided"]) if s.variant.phase else sheet("switch.duty_feeding", flyback.duty,
        t_on=o["t_e"], fs=o["fs"])
    for own in _each(s, o, shared):
        rectified.record(work, own["n"], plan.rectifiers[own["n"] - 1]["row"], s, o, own, fed)


def _each(s: st.Stage, o: dict[str, Any], shared: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What each output has of the period; one alone has all of it."""
    return shared or [{"n": 1, "ns": s.ns, "i": o["i_load"], "i_l": o["i_l"], "crest": o["crest"]}]


def _losses(work: Work, plan: Plan, whole: st.Stage, s: st.Stage, o: dict[str, Any], shared: list[dict[str, Any]]) -> dict[str, Any]:
    sheet = work.sheet
    fed = sheet.rows["switch.duty_feeding"]
    own = _each(s, o, shared)[0]
    wound = secondary.copper(sheet, whole, {**o, "i_l": own["i_l"]}, fed)
    windings, beside = others.losses(sheet, whole, shared, fed) if shared else ({}, {})
    primary = sheet("loss.copper_primary", resistive_loss, r=s.r_primary, i_rms=o["i_heat"])  # the ring has a loss of its own
    reset = {"reset": o["reset"]} if s.variant.reset else {}
    copper = sheet.total("transformer.loss_copper", "W", "all windings, effective resistances at the worst corner", primary=primary,
                         winding1=wound, **windings, **reset)
    pieces.record_heat(work, plan, o["p_core"], copper)
    conduction = sheet.total("loss.switch_conduction", "W", "all switches",
                             **{f"switch{k}": o["loss_on"] for k in range(1, s.variant.switches + 1)})
    rectifiers = others.rectifiers(sheet, "loss.rectifiers", s, whole if shared else s, own, fed)
    return {"switch_conduction": conduction, "current_sense": sensing.heat(work, s.r_sense, o["i_all"]), "switch_turn_on": o["loss_node"],
            "switch_turn_off": o["loss_off"], "core": o["p_core"], "copper": copper, "rectifier1": rectifiers, **beside,
            **{f"rectifier{n}_snubber": x for n, x in o["snubbers"].items()},
            **({"switch_snubber": o["primary_snubber"]} if s.across_primary else {}), "winding_ring": o["loss_ring"],
            **({"switch_spike": o["spike"]} if s.variant.clamped else {"switch_clamp": o["loss_clamp"]} if s.variant.active else {}),
            "filter_core": o["p_choke"],
            "filter_copper": secondary.of_both(sheet, whole, "filter1.loss_copper_both", sheet.rows["filter1.loss_copper"]),
            "controller": sheet.rows["loss.controller"]}


def _supply(work: Work, s: st.Stage, o: dict[str, Any]) -> None:
    """The controller's supply over bus and load, and at the end of hold-up."""
    sheet, aux = work.sheet, s.extra["aux"]
    high = sheet.rows["aux.v_high"]
    sheet.again("aux.v_low", high)
    asked = sheet.rows.get("switch.v_bus_asked")
    least = high if asked is None else sheet("aux.v_hold", output.auxiliary_at_bus, v_aux=high, v_forward=AUX_DROP, v_asked=asked,
                                             v_bus=s.v_bus)
    sheet("aux.v_reverse", output.auxiliary_blocked, v_aux=high,
          v_back=o["v_c"] if s.variant.active else o["held"] if s.variant.reset else o["v_in"], turns_aux=aux["turns"], turns_primary=s.np)
    supply.record(work, float(np.min(least.value)), aux["i"])
    sheet("aux.c_least", output.supply_between_pulses, i_supply=aux["i"], fs=o["f_switch"], v_aux=high, v_min=sheet.rows["aux.v_min"])


def findings(work: Work, plan: Plan) -> None:
    """What only this stage knows how to say."""
    if plan.stage.variant.phase:
        phase.findings(work, plan)
    if plan.stage.others:
        others.findings(work)
    if plan.change > UNSETTLED:
        work.find(MUST_FIX, "switch", f"no steady state was found: the passes still change by {plan.change:.1g} of the current; these "
                  "figures are not to be used", "switch.i_peak", "forward.duty")
    if not plan.choice.passed:
        work.find(MUST_FIX, "transformer",
                  f"{plan.window.names[plan.choice.core]} is refused: {binding(plan.choice.trial, plan.choice.core)}", "transformer.core",
                  "transformer.core" if work.choose.pinned("transformer.core") else "fs")
    if not plan.choke.passed:
        work.find(MUST_FIX, "rectifier",
                  f"the filter inductor on {plan.choke.name} is refused; a larger core, more ripple or more rise admits it", "filter1.core",
                  "filter1.ripple_ratio")
    top, low = (float(np.max(plan.stage.v_bus)),
                float(np.min(np.broadcast_to(plan.stage.v_bus, work.grid.shape)[corners.FULL.mask(work.grid)])))
    if plan.stage.variant.series == "divider" and "bulk.c_series" in work.sheet.rows:
        work.find(NOTE, "transformer", "the mid-point of the stacked bulk may take the place of the divider: it then carries the primary's "
                  "ripple current too, and the selector's wire joins the half bridge", "divider.c", "")
    if top > 2.5 * low:
        work.find(LOOK_AT, "transformer", f"the bus spans {show(low, 'V')} to {show(top, 'V')}: turns follow the low end, flux at full "
                  "duty and rectifier voltage the high end; a narrower bus makes both parts smaller", "transformer.b_peak", "")
