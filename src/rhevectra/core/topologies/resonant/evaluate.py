"""The recorded result of a resonant stage: every figure over the whole grid, losses, ratings."""

from collections.abc import Mapping
from types import ModuleType
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Quick
from rhevectra.core.formulas import flyback, forward, magnetics, oscillator, output, resonant, sink
from rhevectra.core.formulas import secondary as sides
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.magnetics.inductor import TURNS_WHY, InductorChoice
from rhevectra.core.magnetics.transformer import binding
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.stages import rate
from rhevectra.core.stages.beside import hot_said, record_pulsed
from rhevectra.core.stages.dies import record_case
from rhevectra.core.stages.work import Work
from rhevectra.core.stages.wound import core_loss, record_rise
from rhevectra.core.topologies.common import idle, pieces, secondaries, sensing, supply
from rhevectra.core.topologies.common.bank import record_bank
from rhevectra.core.topologies.common.elements import taking_over
from rhevectra.core.topologies.common.ratings import feedback_error, least_setting, switch_heat, transformer_fit
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, RECTIFIERS
from rhevectra.core.topologies.common.supply import AUX_DROP
from rhevectra.core.topologies.common.synchronous import record_most
from rhevectra.core.topologies.resonant import chambers, charge, curves, ends, faults, fixed, hold, others, overload, sharing, signal
from rhevectra.core.topologies.resonant import stage as st
from rhevectra.core.topologies.resonant.build import TAN_DELTA, Plan
from rhevectra.core.topologies.resonant.sharing import even, nominal, of_all, worst, worst_phase

EXACT_FROM = 1e-2
"""Tolerance from which the figures are meant; above it the power for the bus."""
BODY_DIODE = 1.0
"""Drop of a body diode [V] (common practice)."""
_EXACT = "exact period of the tank at each corner, frequency solved for the load; relative miss of the period {:.0e}"


def power_drawn(work: Work, plan: Plan, v_bus: Any, tolerance: float) -> tuple[Any, Any, Plan]:
    """Power drawn from the bus at each corner [W] and the rms of its ripple current [A], from bare numbers."""
    stage = replace(plan.stage, v_bus=v_bus)
    stage, settled = (stage, plan.settled) if tolerance > EXACT_FROM else st.settle(stage, plan.settled.state)
    o, v = settled.out, stage.variant
    if v.phases > 1:
        o.update(sharing.together(stage, settled))
    each = v.drive * np.asarray(v_bus) * o["i_in"] + _apart(plan, stage, o)
    if settled is plan.settled:
        each = each + float(stage.r_inductor + stage.r_sense) * np.square(o["i_tank"])  # it was settled before the inductor was wound
    power = o["share"] * (v.phases * each + v.switches * _off_energy(stage, o) * o["f"]) + float(stage.p_controller) + sharing.uneven_loss(
        stage, o)
    average = power / v_bus
    taken = np.sqrt(o["share"]) * (o["i_upper"] if v.phases > 1 else o["i_tank"] * (1.0 if v.drive == 1 else np.sqrt(0.5)))
    return power, np.sqrt(np.maximum(np.square(taken) - np.square(average), 0.0)), replace(plan, stage=stage, settled=settled)


def _apart(plan: Plan, s: st.Stage, o: Any) -> Any:
    """Losses [W] of a phase, while it runs, that are not in the tank's circuit: capacitor, core of the inductor."""
    film = resonant.capacitor_loss(o["i_tank"], TAN_DELTA, o["f"], s.cr)
    if plan.choke is None:
        return film
    c = s.extra["choke_core"]
    swing = resonant.flux_swing(resonant.beside_leakage(s.lr, s.leakage), o["i_tank_peak"], c["turns"], c["area"])
    return film + _core_loss(Quick(), "inductor", c["core"], c["temperature"], c["volume"], s.extra["kappa"], swing, o["f"])


def _off_energy(s: st.Stage, o: Any) -> Any:
    i = np.maximum(o["i_off"], 1e-3)
    return flyback.turn_off_energy(i, s.t_fall, s.c_node, flyback.voltage_rise_in_fall(s.t_fall, s.v_bus, s.c_node, i), s.v_bus)


def record(work: Work, plan: Plan, v_bus_row: Any, front: dict[str, Any], clamp: ModuleType) -> dict[str, Any]:
    """Rows of the power stage on the recording sheet."""
    given = _given(work, plan)
    s, moves = replace(plan.stage, v_bus=v_bus_row, **given), ends.record(work, plan.ends)
    if s.fixed:
        s = replace(s, v_out=fixed.record_output(work, s, plan.settled, given))
    text = (_EXACT if not s.fixed else fixed.EXACT).format(plan.settled.miss)
    names = {"f": ("switch.f_burst", "Hz"), "share": ("llc.burst", ""), "i_tank": ("llc.i_tank", "A"),
             "i_tank_peak": ("llc.i_tank_peak", "A"), "i_in": ("llc.i_in", "A"), "i_off": ("llc.i_off_nominal", "A"),
             "i_mag": ("transformer.i_mag", "A"), "i_rect": ("rectifier.i_seen" if s.others else "rectifier1.i_both", "A"),
             "i_rect_peak": ("rectifier.i_seen_peak" if s.others else nominal(s, "rectifier1.i_peak"), "A"), "v_cap": ("llc.v_ac", "V"),
             "t_turned": ("llc.t_turned", "s")}
    o: dict[str, Any] = {k: work.sheet.solved(id, plan.settled.out[k], unit, text) for k, (id, unit) in names.items()}
    if s.variant.phases > 1:
        sharing.record(work, plan, s, o)
    _switch(work, plan, s, o, moves)
    _transformer(work, plan, s, o, moves)
    if plan.choke is not None:
        _inductor(work, plan, plan.choke, s, o, moves)
    owns = others.each(work, plan, s, o)
    for own in owns:
        _rectifier(work, plan.rectifiers[own["n"] - 1]["row"], s, o, moves, own)
    rectified = work.sheet("rectifier1.rate", resonant.rectified, f=o["f"])
    losses = dict(front["losses"]) | _losses(work, plan, s, o, moves, owns)
    for own in owns:
        losses |= record_bank(work, plan.stage.extra["load"] if own["n"] == 1 else own["i_out"],
                              {"ripple": own["i_swing"], "fs": rectified}, n=own["n"])
    if not s.fixed:
        charge.record(work, s.v_bus, float(plan.stage.v_out), {"i_mean": o["i_in"], "f": o["f"], "cr": s.cr}, plan.hold)
    found = None if s.fixed else feedback_error(work, s.v_out, signal=lambda: signal.of(work, plan.stage, plan.settled))
    faults.record(work, s, o, plan.choke)
    overload.record(work, plan)
    return {"o": o, "stage": s, "shared": owns if s.others else [], "losses": losses, "loop": found}


def _given(work: Work, plan: Plan) -> dict[str, Any]:
    """Rows for the constants of the stage, so that the working can name them."""
    sheet, s, row = work.sheet, plan.stage, plan.switch
    rect = plan.rectifiers[work.need.main]
    seen = {"np": pieces.all_turns(sheet, plan.need, plan.turns[0])} if s.wound is None else {
        "np": sheet("transformer.np_seen", resonant.turns_seen, turns=plan.turns[0], lm=sheet.rows["llc.lm"], lr=sheet.rows["llc.lr"]),
        "wound": plan.turns[0]}
    return {**seen, "r_sense": sensing.record(work), "ns": plan.turns[1], "leakage": plan.leakage, "lr": sheet.rows["llc.lr"],
            "cr": sheet.rows["llc.cr"], "lm": sheet.rows["llc.lm"],
            "i_out": sheet.given("load.i1", s.i_out, "A",
                                 text=f"current of the output ({idle.HANGS}), the overload at its corner, and the drive of a synchronous "
                                 "rectifier"),
            "v_out": sheet.given("load.v_main", s.v_out, "V", text="regulated output, its largest setting"),
            **_in_path(sheet, s, rect["row"]),
            "r_secondary": sheet.solved("transformer.r_secondary", s.r_secondary, "Ω",
                                        "copper loss of the secondary (of one half, where it is tapped) at the worst corner over its rms "
                                        "current squared"),
            "r_primary": sheet.solved("transformer.r_primary", s.r_primary, "Ω",
                                      "copper loss of the primary at the worst corner over its rms current squared, by layer theory on all "
                                      "harmonics"),
            "r_inductor": 0.0 if plan.choke is None
            else sheet.solved("inductor.r", s.r_inductor, "Ω",
                              f"{show(plan.choke.resistance, 'Ω', 3)} of copper at its temperature, and eddies in its strands of "
                              f"{show(plan.choke.strand, 'm')} at the highest frequency of full load"),
            "r_switch": sheet.given("switch.r_hot", s.r_switch, "Ω", "catalogue", hot_said(row)),
            "c_node": sheet.given("switch.c_node", s.c_node, "F", "catalogue", "energy-equivalent output capacitance of one switch"),
            "t_fall": sheet.given("switch.t_fall", s.t_fall, "s", "catalogue", "current fall time of the class"),
            "area": sheet.given("transformer.area", s.area, "m²", "catalogue", "effective area by IEC 60205 from the dimensions"),
            "volume": sheet.given("transformer.volume", s.volume, "m³", "catalogue",
                                  f"effective volume by IEC 60205 from the dimensions{pieces.together(plan.need)}"),
            "core_temperature": sheet.solved("transformer.temperature", s.core_temperature, "°C",
                                             "ambient plus the rise of the chosen core"), "p_controller": _supply(work, plan, s),
            "others": others.given(work, plan)}


def _supply(work: Work, plan: Plan, s: st.Stage) -> Any:
    """The controller's supply, which follows the output; returns what is taken for it."""
    sheet, by = work.sheet, {"turns_aux": plan.turns[-1], "turns_secondary": plan.turns[1]}
    current, v_out = sheet.rows["aux.i"], sheet.rows["load.v_main"]
    high = sheet("aux.v_high", output.auxiliary_voltage, v_out=v_out, v_drop=s.v_forward, v_forward=AUX_DROP, **by)
    sheet("aux.v_low", output.auxiliary_at_least, v_aux=high, v_out=v_out, v_least=least_setting(work), **by)
    sheet("aux.v_reverse", output.auxiliary_mirrored, v_aux=high, v_forward=AUX_DROP)
    supply.record(work, float(np.min(sheet.rows["aux.v_low"].value)), current)
    return sheet("loss.controller", output.supply_taken, v_aux=high, v_forward=AUX_DROP, i_supply=current)


def _in_path(sheet: Any, s: st.Stage, row: Any) -> dict[str, Any]:
    """Drop and resistance of the rectifiers that conduct together."""
    pair = 2 if s.secondary == BRIDGE else 1
    drop, r = (sheet.given("rectifier.v_forward", s.v_forward / pair, "V", "catalogue", row["said"]),
               sheet.given("rectifier.r_dynamic", s.r_rectifier / pair, "Ω", "catalogue", row["said"]))
    if pair == 1:
        return {"v_forward": drop, "r_rectifier": r}
    return {"v_forward": sheet("rectifier.v_pair", sides.pair_drop, v_forward=drop),
            "r_rectifier": sheet("rectifier.r_pair", sides.pair_resistance, r_rectifier=r)}


def _switch(work: Work, plan: Plan, s: st.Stage, o: dict[str, Any], moves: dict[str, Any]) -> None:
    """Switches and tank; moves: what the ends of the tolerances make of them."""
    sheet, row, v = work.sheet, plan.switch, s.variant
    o["v_p"] = sheet("llc.v_primary", resonant.bus_share, share=v.drive, v_bus=s.v_bus)
    o["fs"] = sheet("switch.frequency", resonant.pulse_rate, share=o["share"], f=o["f"])
    for id, end in (("llc.f_min", "f_low"), ("llc.f_max", "f_high")):
        sheet(id, resonant.frequency_at_ends, moves=moves[end], nominal=o["f"])
    sheet("llc.z", resonant.impedance, lr=s.lr, cr=s.cr)
    if not s.fixed:
        _gain(work, plan, s)
    run = sheet("llc.v_cr_run", resonant.capacitor_peak, v_dc=sheet("llc.v_dc", resonant.bus_share, share=1 - v.drive, v_bus=s.v_bus),
                v_ac=worst(sheet, s, "llc.v_ac_most", o["v_cap"], moves["v_cap"]))
    hold.record_volts(work, plan.hold, s, run)
    hold.record_current(work, plan.hold)
    o["i_burst"] = sheet(nominal(s, "llc.i_cr_rms"), resonant.burst_rms, share=o["share"], i_rms=o["i_tank"])
    i_sw = sheet(nominal(s, "switch.i_rms"), resonant.switch_rms, i_tank=o["i_burst"])
    for id, mean in (("llc.i_cr_rms", o["i_burst"]), ("switch.i_rms", i_sw)):
        worst(sheet, s, id, mean, moves["tank"])
    worst(sheet, s, "switch.i_peak", o["i_tank_peak"], moves["i_peak"])
    record_pulsed(work, row)
    sheet("switch.v_peak", forward.held_to_bus, v_bus=s.v_bus, v_forward=BODY_DIODE, r_diode=taking_over(sheet, s.r_switch),
          i_peak=sheet.rows["switch.i_peak"])
    lag = sheet("llc.i_off_lag", resonant.lagging, i_off=o["i_off"])
    least = sheet("llc.i_off", resonant.off_at_the_ends, nominal=o["i_off"], lost=moves["i_off"])
    sheet("llc.dead_time_min", resonant.dead_time_least, c_switches=sheet.rows["switch.c_leg"], v_bus=s.v_bus,
          i_off=sheet("llc.i_off_left", resonant.lagging, i_off=least))
    sheet("llc.dead_time_max", resonant.time_at_ends, moves=moves["turned"], nominal=o["t_turned"])
    sheet("llc.i_off_need", resonant.current_needed, c_switches=sheet.rows["switch.c_leg"], v_bus=s.v_bus,
          t_dead=sheet.rows["switch.dead_time"])
    t_v = sheet("switch.t_voltage", flyback.voltage_rise_in_fall, t_fall=s.t_fall, v_off=s.v_bus, c_node=s.c_node, i_peak=lag)
    e_off = sheet("switch.e_off", flyback.turn_off_energy, i_peak=lag, t_fall=s.t_fall, c_node=s.c_node, t_voltage=t_v, v_off=s.v_bus)
    o["one_off"] = sheet("switch.loss_switching", flyback.energy_rate, energy=e_off, fs=o["fs"])
    o["loss_off"] = sheet.total("switch.loss_turn_off_all", "W", "all switches; turn-on is at zero voltage",
                                **{f"switch{k}": o["one_off"] for k in range(1, v.switches + 1)})
    o["loss_on"] = sheet(nominal(s, "switch.loss_conduction"), resistive_loss, r=s.r_switch, i_rms=i_sw)
    hottest = worst(sheet, s, "switch.loss_conduction", o["loss_on"], moves["tank"])
    switch_heat(work, row,
                sheet.total("switch.loss", "W", "conduction (hot) and turn-off of one switch", conduction=hottest, turn_off=o["one_off"]),
                hottest, v.switches)


def _gain(work: Work, plan: Plan, s: st.Stage) -> None:
    """The gain that is asked of a regulated tank, and the most it gives."""
    sheet, limit = work.sheet, curves.border(plan, work)
    border = sheet.solved("llc.f_border", limit["f_border"], "Hz",
                          "highest frequency at which an end of the tolerances gives its most, in the slowest tank they allow: lower it "
                          "may turn capacitive")
    sheet("llc.f_set", oscillator.lowest_setting, border=border, tolerance=rate.choose(work, ends.LOWEST))
    sheet.solved("llc.gain_need", plan.settled.out["gain"], "",
                 "reflected output with what is lost on the way, over the voltage across the tank")
    sheet("llc.gain_hold", resonant.gain_at_hold, gain=sheet.rows["llc.gain_need"], v_bus=s.v_bus, v_hold=sheet.rows["llc.v_hold"])
    sheet.solved("llc.gain_max", limit["gain_max"], "",
                 "greatest exact gain at overload and the end of hold-up while the tank current still lags, of the end of the tolerances "
                 "that gives least; searched up to 1.6 times what is asked")


def _transformer(work: Work, plan: Plan, s: st.Stage, o: dict[str, Any], moves: dict[str, Any]) -> None:
    sheet, at, eff = work.sheet, (plan.choice.core, plan.choice.candidate), plan.window.effective
    area = sheet.given("transformer.area_min", float(min(eff.area[at[0]], eff.area_min[at[0]])), "m²", "catalogue",
                       "smallest section of the core")
    turns, lp = plan.turns[0], pieces.inductance_of_one(sheet, plan.need, s.lm)
    if s.wound is None:
        peak = sheet("transformer.b_nominal", magnetics.flux_density, inductance=lp, current=o["i_mag"], turns=turns, area=area)
        swing = sheet("transformer.b_swing", resonant.flux_swing, lm=lp, i_mag=o["i_mag"], turns=turns, area=s.area)
    else:
        lp = sheet.total("transformer.lp", "H", "what the primary reads with all others open", magnetising=s.lm, leakage=s.lr)
        linked = sheet("transformer.linkage", resonant.linkage_peak, lm=s.lm, lr=s.lr, i_mag=o["i_mag"], i_peak=o["i_tank_peak"],
                       ramp=sheet("transformer.ramp_share", resonant.ramp_share, lm=s.lm, lr=s.lr, i_mag=o["i_mag"],
                                  i_peak=o["i_tank_peak"]))
        peak = sheet("transformer.b_nominal", resonant.flux_of_linkage, linkage=linked, turns=turns, area=area)
        swing = sheet("transformer.b_swing", resonant.swing_of_linkage, linkage=linked, turns=turns, area=s.area)
    sheet("transformer.b_peak", resonant.flux_at_ends, moves=moves["flux"], nominal=peak)
    hold.record_flux(work, plan.hold, turns, area)
    sheet("transformer.b_ac", flyback.flux_amplitude, swing=swing)
    whole = _core_loss(sheet, "transformer", s.core, s.core_temperature, s.volume, s.extra["kappa"], swing, o["f"])
    o["p_core"] = sheet("transformer.loss_core_nominal", resonant.burst_power, share=o["share"], power=whole)
    sheet("transformer.loss_core", resonant.power_at_ends, moves=moves["core"], nominal=o["p_core"])
    post, length = float(eff.area_post[at[0]]), float(eff.length[at[0]])
    gap, _ = magnetics.solve_gap(post, float(turns.value), float(lp.value), length, s.core["mu_initial"], float(s.area.value),
                                 plan.window.window[at[0]])
    fringe = sheet("transformer.fringing", magnetics.fringing_factor,
                   gap=sheet.solved("transformer.gap_solved", float(gap), "m",
                                    "solved: gap and fringing factor that belong together, eight passes"), area=post,
                   window=float(plan.window.window[at[0]]))
    gap_row = sheet("transformer.gap", magnetics.gap_length, fringing=fringe,
                    area_post=sheet.given("transformer.area_post", post, "m²", "catalogue", "section of the leg inside the windings"),
                    turns=turns, inductance=lp, length=length, mu=s.core["mu_initial"], area=s.area)
    sheet.given("transformer.gap_limit", plan.need.gap_max_share * post**0.5, "m", "rule",
                "35 % of the post's width: beyond it fringing heats the winding (common practice)")
    sheet("transformer.gap_shim", magnetics.shim, gap=gap_row)
    sheet("transformer.al", magnetics.inductance_factor, inductance=lp, turns=turns)
    transformer_fit(work, plan.need, plan.choice)


def _core_loss(sheet: Any, name: str, m: Any, temperature: Any, volume: Any, kappa: Any, swing: Any, f: Any) -> Any:
    half = sheet(f"{name}.t_half", resonant.half_period, f=f)
    return core_loss(sheet, name, m, temperature, volume, kappa, swing, f, half, half, "loss_core_running")


def _inductor(work: Work, plan: Plan, c: InductorChoice, s: st.Stage, o: dict[str, Any], moves: dict[str, Any]) -> None:
    """The resonant inductor beside the leakage."""
    sheet, every = work.sheet, work.parts["cores"].derived(windows)
    eff = every.effective
    sheet.given("inductor.core", c.name, "", "rule", "see the decision on it")
    turns = sheet.solved("inductor.turns", float(c.turns), "turns", TURNS_WHY.format("a short"))
    sheet.solved("inductor.gap", c.gap, "m", "gap and fringing factor that belong together, for inductance and turns")
    l_x = sheet("inductor.l", resonant.beside_leakage, lr=s.lr, leakage=s.leakage)
    area = sheet.given("inductor.area_min", float(min(eff.area[c.core], eff.area_min[c.core])), "m²", "catalogue",
                       "smallest section of its core")
    worst(sheet, s, "inductor.b_peak",
          sheet("inductor.b_nominal", magnetics.flux_density, inductance=l_x, current=o["i_tank_peak"], turns=turns, area=area),
          moves["choke"])
    hold.record_choke(work, plan.hold, l_x, turns, area)
    core = plan.stage.extra["choke_core"]
    swing = sheet("inductor.b_swing", resonant.flux_swing, lm=l_x, i_mag=o["i_tank_peak"], turns=turns,
                  area=sheet.given("inductor.area", core["area"], "m²", "catalogue", "effective area of its core"))
    running = _core_loss(sheet, "inductor", core["core"],
                         sheet.solved("inductor.temperature", core["temperature"], "°C", "ambient plus its rise"),
                         sheet.given("inductor.volume", core["volume"], "m³", "catalogue", "effective volume of its core"),
                         s.extra["kappa"], swing, o["f"])
    o["p_choke"] = sheet("inductor.loss_core_nominal", resonant.burst_power, share=o["share"], power=running)
    o["p_choke_copper"] = sheet(nominal(s, "inductor.loss_copper"), resistive_loss, r=s.r_inductor, i_rms=o["i_burst"])
    core_most = sheet("inductor.loss_core", resonant.power_at_ends, moves=moves["choke_core"], nominal=o["p_choke"])
    record_rise(work, "inductor", float(every.surface[c.core]), core_most,
                worst(sheet, s, "inductor.loss_copper", o["p_choke_copper"], moves["tank"]))


def _rectifier(work: Work, row: Mapping[str, Any], s: st.Stage, o: dict[str, Any], moves: dict[str, Any], own: dict[str, Any]) -> None:
    """Ratings of the rectifiers of one output, of class `row`; own: what it has of the period, and here gets the rms of both of them, their
    loss and what its capacitors see."""
    sheet, n = work.sheet, own["n"]
    name, need = f"rectifier{n}", work.need.outputs[n - 1]
    sheet.given(f"load.v{n}", need.magnitude, "V", text=f"magnitude of {need.name}")
    sheet(f"{name}.v_reverse", resonant.reverse_of_bridge if s.secondary == BRIDGE else resonant.reverse,
          allowance=sheet.rows["rectifier.ringing"], v_out=own["v_out"], v_forward=own["v_forward"])
    sheet.given(f"{name}.v_limit", row["v_class_v"] * float(sheet.rows["derating.rectifier_v"].value), "V", "catalogue",
                f"class {row['name']} × derating")
    average = sheet(even(s, f"{name}.i_avg"), resonant.half_of, total=own["i_out"])
    own["i_both"] = sheet(f"{name}.i_rms_both", resonant.burst_rms, share=o["share"], i_rms=own["i_rect"])
    rms = sheet(nominal(s, f"{name}.i_rms"), resonant.switch_rms, i_tank=own["i_both"])
    most = [worst_phase(sheet, s, f"{name}.i_avg", average), worst(sheet, s, f"{name}.i_rms", rms, moves["rect"])]
    own["i_swing"] = worst(sheet, s, f"{name}.i_peak", own["i_peak"], moves["rect_peak"])
    sheet.given(f"{name}.i_limit", row["i_rated_a"] * 0.5, "A", "catalogue", "half the rated current (twice the current: common practice)")
    own["loss"], loss = (sheet(id, output.rectifier_loss, v_forward=row["v_forward_v"], i_avg=i, r_dynamic=row["r_dynamic_ohm"], i_rms=j)
                         for id, i, j in ((nominal(s, f"{name}.loss"), average, rms), (f"{name}.loss", *most)))
    record_most(work, name, row, most[1])
    record_case(work, name, f"{name}.case_to_ambient", row, loss, "the class limit",
                sheet(f"{name}.loss_all", sink.of_all, count=RECTIFIERS[s.secondary] * s.variant.phases, one=loss))
    both_most = sheet(f"{name}.i_both_most", resonant.current_at_ends, moves=moves["rect"], nominal=own["i_both"])
    if s.variant.phases == 1:
        sheet(f"output{n}.i_c_rms", output.capacitor_rms, i_rms=both_most, i_out=own["i_out"])
    else:
        own["i_swing"] = sharing.record_ripple(work, s, o, both_most, moves)


def _losses(work: Work, plan: Plan, s: st.Stage, o: dict[str, Any], moves: dict[str, Any], owns: list[dict[str, Any]]) -> dict[str, Any]:
    sheet = work.sheet
    secondaries = {f"winding{x['n']}": sheet(f"loss.copper{x['n']}", resistive_loss, r=x["r_winding"], i_rms=x["i_both"]) for x in owns}
    primary = sheet("loss.copper_primary", resistive_loss, r=s.r_primary, i_rms=o["i_burst"])
    one = sheet.total(nominal(s, "transformer.loss_copper"), "W", "all windings, effective resistances at the worst corner",
                      primary=primary, **secondaries)
    most = worst(sheet, s, "transformer.loss_copper", one, moves["tank"])
    pieces.record_heat(work, plan, sheet.rows["transformer.loss_core"], most)
    v = s.variant
    conduction = sheet.total("loss.switch_conduction", "W", "all switches",
                             **{f"switch{k}": o["loss_on"] for k in range(1, v.switches + 1)})
    rectifiers = {
        f"rectifier{x['n']}": sheet.total("loss.rectifiers" if x["n"] == 1 else f"loss.rectifiers{x['n']}", "W", "all",
                                          **{f"rectifier{k}": x["loss"] for k in range(1, RECTIFIERS[s.secondary] * v.phases + 1)})
                  for x in owns}
    film = sheet("loss.resonant_capacitor", resonant.capacitor_loss, i_rms=o["i_burst"], tan_delta=TAN_DELTA, f=o["f"], cr=s.cr)
    wound = {"core": o["p_core"], "copper": one,
             **({"tank_inductor_core": o["p_choke"], "tank_inductor_copper": o["p_choke_copper"]} if plan.choke is not None else {}),
             "tank_capacitor": film, "current_sense": sensing.heat(work, s.r_sense, o["i_burst"])}
    parts = {name: of_all(sheet, s, f"loss.{name}", row) for name, row in wound.items()}
    _more_lost(sheet, o, parts, conduction, moves)
    uneven = {} if v.phases == 1 else {"uneven_phases": sharing.record_loss(work, s, conduction, parts, owns[0])}
    beside = sheet.total("switch.p_beside", "W", "turn-off, inductor core, capacitor and controller, which are not in the tank's circuit",
                         turn_off=o["loss_off"], **({"inductor": parts["tank_inductor_core"]} if plan.choke is not None else {}),
                         capacitor=parts["tank_capacitor"], controller=s.p_controller, **uneven)
    i_in = sheet(even(s, "llc.i_in_mean"), resonant.burst_mean, share=o["share"], current=o["i_in"])
    o["p_bus"] = sheet("switch.p_bus", resonant.bus_power, v_primary=o["v_p"],
                       i_in=i_in if v.phases == 1 else sheet("llc.i_in_mean", resonant.all_phases, phases=v.phases, one=i_in),
                       p_beside=beside)
    return {"switch_conduction": conduction, "switch_turn_off": o["loss_off"], **parts, **rectifiers,
            "controller": sheet.rows["loss.controller"], **uneven}


def _more_lost(sheet: Any, o: dict[str, Any], parts: dict[str, Any], conduction: Any, moves: dict[str, Any]) -> None:
    """What the worst end of the tank's tolerances would lose beyond nominal parts, which efficiency is told for."""
    copper = sheet.total("loss.ends_tank", "W", "in the path of the tank current, and in the windings as if all carried it",
                         switches=conduction, sense=parts["current_sense"], copper=parts["copper"],
                         **({"inductor": parts["tank_inductor_copper"]} if "tank_inductor_copper" in parts else {}))
    more = {"tank": sheet("loss.ends_more_tank", resonant.more_heat, moves=moves["tank"], nominal=copper),
            "core": sheet("loss.ends_more_core", resonant.more_power, moves=moves["core"], nominal=parts["core"])}
    if "tank_inductor_core" in parts:
        more["inductor"] = sheet("loss.ends_more_inductor", resonant.more_power, moves=moves["choke_core"],
                                 nominal=parts["tank_inductor_core"])
    sheet.total("llc.loss_ends", "W", "each at its own worst end (safe side)", **more)


def findings(work: Work, plan: Plan) -> None:
    """What only this stage knows how to say."""
    settled = plan.settled
    secondaries.refused(work, plan.stage.variant.several)
    if plan.stage.others:
        others.findings(work, plan.stage)
    if settled.miss > st.UNSOLVED:
        work.find(MUST_FIX, "switch", "at some corner no frequency gives the output: the tank's gain does not reach, or would have to fall "
                  "below what its highest frequency gives; these figures are not to be used", "llc.gain_need", "llc.ratio")
    elif plan.ends.miss > st.UNSOLVED:
        work.find(MUST_FIX, "switch", "at an end of its parts' tolerances the tank does not give the output at some corner, though nominal "
                  "parts do: what is told of the worst end there is not to be used", "llc.gain_need", "llc.margin")
    if not plan.choice.passed:
        work.find(MUST_FIX, "transformer",
                  f"{plan.window.names[plan.choice.core]} is refused: {binding(plan.choice.trial, plan.choice.core)}", "transformer.core",
                  "transformer.core" if work.choose.pinned("transformer.core") else "fs")
    if plan.stage.fixed:
        fixed.findings(work, plan.stage, settled)
    elif plan.choke is None:
        chambers.findings(work, float(plan.leakage.value), float(plan.stage.lr), ends.of(work.sheet.rows).lr)
    elif not plan.choke.passed:
        work.find(MUST_FIX, "switch", f"the resonant inductor on {plan.choke.name} is refused; a larger core or more rise admits it",
                  "inductor.core", "llc.inductor_core")
    burst = [p.load for k, p in enumerate(work.grid.points) if p.case == "run" and not p.label and p.load > 0
             and bool((settled.out["share"][:, :, k] < 0.999).any())]
    if burst:
        work.find(NOTE, "switch", f"up to {max(burst) * 100:g} % load the stage runs in bursts at some line", "llc.f_max",
                  "llc.burst_below")
    full = corners.FULL.mask(work.grid)
    if float(np.min(np.broadcast_to(settled.out["i_off"], work.grid.shape)[np.broadcast_to(full, work.grid.shape)])) <= 0:
        work.find(MUST_FIX, "switch", "the tank current leads at full load: the switches turn on hard and the body diodes recover; more "
                  "gain or a smaller ratio of inductances cures it", "llc.i_off", "llc.ratio")
