"""From the chosen core to the real power stage: integer turns, gap, leakage, effective resistances, clamp values."""

from collections.abc import Mapping
from types import ModuleType
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import flyback, magnetics, valley_switching
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics.candidate import leakage_of, resistance_loss
from rhevectra.core.magnetics.windows import Windows, windows
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import boards, half_turn, sensing, snubbing
from rhevectra.core.topologies.common.rectifiers import choose_rectifiers, loaded
from rhevectra.core.topologies.common.winding import capacitance_row, copper_of, leakage_row, turns_of
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback import semiconductors as sc
from rhevectra.core.topologies.flyback import sharing, sizing
from rhevectra.core.topologies.flyback.variant import Variant

DRAWN_SHARE = 0.08
"""A winding that would burn more than this share of the output is drawn in the waveforms as if it burnt just this; its
loss, heat and temperature are figured with its real resistance, and refuse it."""
ESTIMATE = 1e-2
"""Change of the last pass that is good enough to choose a transformer by."""

BLEED_MOST = 0.2
"""Most that a bleed takes by rule, share of the output's current (common practice, no source)."""
LEAKS_MORE = 1.4
"""Leakage over the estimated one from which everything is chosen anew, with what the first choice leaks and burns."""

SPARE, LITTLE = 1.003, 1.2
"""Room in the peak at the end of hold-up for what the figures still move; up to so many times the least limit a higher one cures it."""


class Plan(Struct, frozen=True):
    """All that was chosen: parts, the wound transformer, the clamp, and the power stage they make."""

    stage: pd.Stage
    switch: Mapping[str, Any]
    rectifiers: Mapping[int, dict[str, Any]]
    limit: Mapping[str, Any]
    need: tr.TransformerNeed
    choice: tr.Choice
    window: Windows
    clamp: Mapping[str, Any] | None
    margin: float
    budget: float
    turns: list[Any]
    leakage: Any
    state: dict[str, Any]
    change: float
    snubbers: list[snubbing.Snubber]


def light_load(work: Work, v: Variant, limit: Mapping[str, Any], fs: float, lift: float) -> tuple[float, float]:
    """Least core current [A] and least pulse rate [Hz] of the light-load law; lift [A] is what the node capacitance alone needs."""
    law = work.choose("light_load", "skip",
                      "pulses come in packets below half the current limit: the core's current need not swing through zero" if v.turned
                      else "pulses are left out below a quarter of the current limit: least light-load loss")
    floor = max((0.5 if v.turned else 0.25) * float(limit["nominal"].value), lift)
    return {"skip": (floor, 0.0), "foldback": (floor, 22e3), "fixed": (1e-6, fs)}[str(law.value)]


def build(v: Variant, work: Work, v_bus: Any, clamp: ModuleType) -> Plan:
    """All choices of the power stage for a known bus."""
    v = v if v.held else replace(v, clamp=clamp)
    v = replace(v, snubbed=snubbing.wanted(work))
    v_top, v_low = float(np.max(v_bus)), float(loaded(work, v_bus).min())
    switch = sc.choose_switch(work, v, v_top, v_low, work.need.power / 0.88)
    v_or = sc.reflected(work, v, switch, v_top)
    rectifiers = choose_rectifiers(work,
                                   lambda out: out.magnitude + v_top * (out.magnitude + 0.6) / v_or
                                   * (1.0 if out.regulated else 1 + sizing.ROUNDING * out.tolerance))
    if v.turned:
        switch = {**switch, "c_clamp": sc.clamp_switch(work, switch, v_or, v_low, work.need.power / 0.88)}

    def made(stage: pd.Stage, reach: Mapping[int, sharing.Reach], room: float) -> Plan:
        plan = _wound(work, switch, rectifiers, stage, v_bus, reach, room)
        return plan if v.held else _clamped(work, plan, v_bus, v_or, clamp)

    def tried(stage: pd.Stage, reach: Mapping[int, sharing.Reach], room: float = 1.0) -> tuple[Plan, dict[str, float]]:
        before = work.mark()
        plan = made(stage, reach, room)
        if (float(plan.leakage.value) > LEAKS_MORE
            * stage.leakage):  # the peak rises by what it burns, and with it the current limit and the flux
            work.back(before)
            plan = made(_as_it_leaks(stage, plan.stage), reach, room)
        return _settled(work, plan, v_bus)

    def whole(reach: Mapping[int, sharing.Reach], room: float = 1.0) -> Plan:
        aims, outs = {k: r.aim(work.need.outputs[k]) for k, r in reach.items()}, work.need.outputs
        stage = sizing.estimate(work, v, switch, v_or, rectifiers, v_bus, aims,
                                {k: float(work.choose.pins.get(f"output{k + 1}.bleed",
                                                               _bleed(work, k, reach, aims[k] / reach[k].main if k in reach else 1.0)[0]))
                                 for k in range(len(outs))})
        return work.until_enough(lambda **known: tried(stage, reach, **{"room": room, **known}), lambda made, known: made[1])[0]
    before = work.mark()
    plan = whole({})
    reach, lift = sharing.outside(work, plan)
    if reach:  # once more, with what leakage does to the outputs that no loop holds
        work.back(before)
        plan = whole(reach)
    if not lift:
        return plan
    shared = _shared(work, plan, reach, lift)
    if room := _short(work, shared, pd.solve(shared.stage, passes=3, tolerance=ESTIMATE).out, v_bus):
        work.back(before)
        return _shared(work, whole(reach, room), reach, lift)
    return shared


def _as_it_leaks(stage: pd.Stage, made: pd.Stage) -> pd.Stage:
    """An estimated stage with what a wound one leaks and burns."""
    clamp = stage.variant.clamp
    return replace(stage, **{k: getattr(made, k) for k in ("leakage", "r_primary", "r_winding", *(() if clamp is None else clamp.STAGE))})


def _settled(work: Work, plan: Plan, v_bus: Any) -> tuple[Plan, dict[str, float]]:
    """The plan with its period begun, and the room its limit needs."""
    settled = pd.solve(plan.stage, passes=3, tolerance=ESTIMATE)
    room = _short(work, plan, settled.out, v_bus)
    return replace(plan, state=settled.state), {"room": room} if room else {}


def _short(work: Work, plan: Plan, out: Mapping[str, Any], v_bus: Any) -> float:
    """Room the current limit needs where the peak at the end of hold-up is a little above the least of it, else 0; out: a period."""
    peak = SPARE * sizing.at_hold_up(work, plan.stage, out, v_bus)
    free = not (plan.switch["integrated"] or work.choose.pinned("switch.current_limit"))
    return peak / plan.limit["at_hold_up"] if free and 1 < peak / float(plan.limit["least"].value) < LITTLE else 0.0


def _shared(work: Work, plan: Plan, reach: Mapping[int, sharing.Reach], lift: list[Array]) -> Plan:
    """The plan with what each of several outputs takes from the core; where a bleed by rule was not enough, with more of it. lift: about
    that of each."""
    stage, more = sharing.lifted(work, replace(plan, stage=replace(plan.stage, extra={**plan.stage.extra, "lift": lift})))
    return replace(plan, stage=_bled(work, stage, more) if reach and more else stage)


def _wound(work: Work, switch: Mapping[str, Any], rectifiers: Mapping[int, dict[str, Any]], stage: pd.Stage, v_bus: Any,
           reach: Mapping[int, sharing.Reach], room: float) -> Plan:
    """Current limit and transformer for an estimated stage, and the real stage they make; still without a clamp. reach: how far outputs
    move that no loop holds, where that is known; room: in the peak at the end of hold-up."""
    grid, v = work.grid, stage.variant
    out = pd.solve(stage, passes=3, tolerance=ESTIMATE).out
    limit = sizing.current_limit(work, switch, stage, out, v_bus, room)
    i_floor, f_floor = light_load(work, v, limit, float(plain(stage.fs)),
                                  1.6 * float(np.max(v_bus)) * float(np.sqrt(plain(stage.c_node) / plain(stage.lp))))
    sensed = 0.0 if switch["integrated"] else sensing.choose(work, float(limit["nominal"].value),
                                                             float(np.max(loaded(work, out["i_switch"]))))
    stage = replace(stage, i_limit=np.broadcast_to(limit["worst"], grid.shape), i_floor=i_floor, f_floor=f_floor, r_sense=sensed)
    material = work.choose("transformer.material",
                           lambda: "PW2" if float(plain(stage.fs)) < 50e3 else "PW3" if float(plain(stage.fs)) < 300e3 else "PW4",
                           "class whose frequency band holds the switching frequency")
    grade = work.parts["materials"].row(material.value)
    need, margin = sizing.transformer_need(work, stage, limit, out, v_bus, grade)
    need = replace(need, half=half_turn.wanted(work, ["primary", *(w.name for w in need.windings[1:])]))
    need, choice, win = boards.wind(work, need, work.parts["cores"].derived(windows))
    turns = half_turn.seen(work, need, turns_of(work, need, choice))
    capacitance_row(work, need, choice, win)
    matrix = leakage_of(need, choice.trial, (choice.core, choice.candidate), win)
    leak = leakage_row(work, need, matrix, float(plain(stage.lp)))
    real = _real_stage(work, stage, need, choice, win, turns, leak, grade)
    wound = [float(t.value) for t in turns]
    apart = sharing.apart(matrix, float(leak.value))
    snubbers = snubbing.choose(work, rectifiers, wound, [float(x) for x in np.diag(apart)[:-1]]) if v.snubbed else []
    real = _bled(work, replace(real, c_snub=snubbing.seen_from_primary(snubbers, wound), extra={**real.extra, "apart": apart}), reach)
    return Plan(real, switch, rectifiers, limit, need, choice, win, None, margin, 0.0, turns, leak, {}, np.inf, snubbers)


def _bleed(work: Work, index: int, reach: Mapping[int, sharing.Reach], turns: float) -> tuple[float, str]:
    """Bleed of an output by rule [A], and why; turns: over the regulated one's."""
    out = work.need.outputs[index]
    if index == work.need.main:
        least = sharing.LEAST_LOAD * out.current_max - out.current_min
        if least <= 0 or not reach:
            return 0.0, "the loop holds it"
        return (float(f"{least:.2g}"), f"with less than {sharing.LEAST_LOAD * 100:.0f} % of its load it lives on the spike of the leakage, "
                "and the loaded outputs sag (common practice)")
    asked = float(f"{reach[index].bleed(out, turns):.2g}") if index in reach else 0.0
    most = BLEED_MOST * out.current_max
    if asked > most:
        return most, f"a fifth of its current, the most by rule; {show(asked, 'A')} would keep it inside its tolerance"
    return (asked,
            f"keeps it {sharing.ROOM * 100:.0f} % below its greatest voltage while another output is loaded and it is not" if asked
            else "it stays inside its tolerance by itself")


def _bled(work: Work, s: pd.Stage, reach: Mapping[int, sharing.Reach]) -> pd.Stage:
    """The stage with the bleeds that its turns ask for, in place of those it was given before."""
    before, chosen = s.extra["bleeds"], dict[int, float]()
    for k in range(len(work.need.outputs)):
        amps, why = _bleed(work, k, reach, s.ns[k] / s.ns[0])
        chosen[k] = float(work.choose(f"output{k + 1}.bleed", amps, why).value)
    loads = (s.i_outputs[k] + more - before.get(k, 0.0) for k, more in chosen.items())
    return replace(s, i_outputs=(*loads, s.i_outputs[-1]), extra={**s.extra, "bleeds": chosen})


def _clamped(work: Work, plan: Plan, v_bus: Any, v_or: float, clamp: ModuleType) -> Plan:
    """The plan with its clamp, sized for the current limit at the highest bus."""
    real, v_class, derating, v_top = plan.stage, plan.switch["row"]["v_class_v"], float(plan.switch["derate"].value), float(np.max(v_bus))
    goal = clamp.target(work, v_class, derating, v_top, v_or)
    worst = np.max(flyback.after_node_rise(real.i_limit, real.c_node, real.lp, v_bus, v_or))
    fs = (float(np.max(valley_switching.limit_rate(real.lp, real.i_limit, v_bus, v_or, valley_switching.half_ring(real.lp, real.c_node))))
          if real.variant.valley else real.fs)
    ratio = real.np / real.ns[0] / plan.need.ratio
    values = clamp.design(work, goal, real.leakage, float(worst), plan.need.windings[0].volts * ratio * 1.01, real.c_node,
                          min(fs, real.f_max) if real.variant.valley else fs)
    held: dict[str, Any] = {name: float(row.value) for name, row in values["stage"].items()}
    return replace(plan, stage=replace(real, clamp_vf=values["vf"], **held), clamp=values, budget=derating * v_class - v_top - values["vf"])


def _real_stage(work: Work, stage: pd.Stage, need: tr.TransformerNeed, choice: tr.Choice, win: Windows, turns: list[Any], leak: Any,
                grade: Any) -> pd.Stage:
    """The stage with integer turns, real leakage and the effective winding resistances of the worst corner; of the auxiliary winding also
    what its own current sees: what it burns beside that the others' field drives."""
    trial, at = choice.trial, (choice.core, choice.candidate)
    exact = copper_of(work, need, choice, win)
    effective = [p / w.i_rms**2 for p, w in zip(exact, need.windings, strict=True)]
    alone = resistance_loss(need, trial, at, float(work.need.ambient_max + trial.rise[at]))[-1] / need.windings[-1].i_rms**2
    n = [float(t.value) for t in turns]
    worst = DRAWN_SHARE * work.need.power
    drawn = [min(r, worst / w.i_rms**2) for r, w in zip(effective, need.windings, strict=True)]
    lp = work.sheet.rows["transformer.lp"]
    return replace(stage, np=n[0], ns=tuple(n[1:]), lp=float(lp.value), leakage=float(leak.value), r_primary=drawn[0], r_winding=drawn[1],
                   core=grade,
                   area=float(win.effective.area[choice.core]), volume=float(win.effective.volume[choice.core]),
                   core_temperature=float(min(work.need.ambient_max + trial.rise[at], 140.0)),
                   extra={**stage.extra, "kappa": float(magnetics.igse_constant(grade["loss_alpha"], grade["loss_beta"])),
                          "r_effective": effective, "r_auxiliary": alone})
