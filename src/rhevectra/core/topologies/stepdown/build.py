"""From bus and requirement to the real power stage: semiconductors, duty, filter inductor, transformer."""

from collections.abc import Mapping
from types import ModuleType
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Quick, plain, reader
from rhevectra.core.formulas import forward, magnetics, oscillator, output
from rhevectra.core.formulas import secondary as sides
from rhevectra.core.magnetics import matrix
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics.candidate import leakage_of
from rhevectra.core.magnetics.copper_loss import half_later, phasors
from rhevectra.core.magnetics.inductor import InductorChoice, InductorNeed
from rhevectra.core.magnetics.windows import Windows, windows
from rhevectra.core.stages import beside, rate
from rhevectra.core.stages.dies import SPENT, choose_die
from rhevectra.core.stages.inlet import EXPECTED_C
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import barrier, boards, least_filter, low, pieces, secondaries, secondary_kinds, sensing, slope
from rhevectra.core.topologies.common.chokes import choke_core, choose_choke, current_limit
from rhevectra.core.topologies.common.least_bus import asked
from rhevectra.core.topologies.common.rectifiers import choose_rectifiers, loaded
from rhevectra.core.topologies.common.supply import AIM, AUX_DROP, FLOOR, WINDOW
from rhevectra.core.topologies.common.winding import capacitance_row, copper_of, leak_cost, leakage_row, pins_of, spacing, stack, turns_of
from rhevectra.core.topologies.stepdown import active, faults, phase, primary_snubber, secondary, several, snubbers
from rhevectra.core.topologies.stepdown import stage as st
from rhevectra.core.topologies.stepdown.balance import choose_series, control_of
from rhevectra.core.topologies.stepdown.shapes import shapes
from rhevectra.core.topologies.stepdown.spike import choose_spike
from rhevectra.core.topologies.stepdown.variant import Variant

ORDERS = 24
AUX_AMPS = 4e-3
DRIVE_AMPS = 1e-3
"""Supply current of a synchronous rectifier's controller [A] besides its gate charge (typical, from memory)."""
RESIDUAL_GAP = 10e-6
"""Between two ground faces [m] (typical, from memory)."""
WHOLE_TURNS = 1.03
"""Room in the rectifier's voltage for turns that are rounded to whole ones."""
DRIVE = 12.0
"""Gate voltage that dies are compared at [V]."""
AT_LIMIT = 1.45
"""Largest current at the limit over that of the output while the switch is on: ripple, magnetising current and tolerance, estimated."""
DUTY_AIM, DUTY_ROOM, LITTLE_OVER = 0.975, 0.985, 1.25
"""Longest duty over its limit that is aimed at, which is good enough while it is estimated (of a core driven both ways: 1), and up to which
a shorter planned duty brings it there."""
SAGGED, SAGGED_MORE, LOW_BUS = 0.945, 0.895, 150.0
"""Planned duty over its limit at the end of hold-up: drops, leakage and whole turns take the rest, more of it where a phase shift turns the
current over or the bus is below LOW_BUS [V]."""
SKIPPED = 0.25
"""Share of the full-load pulse below which pulses are left out."""
SPIKE = 1.1
"""Rms of a push-pull's ends over that of its pulses: leakage and magnetising current hold them up a little longer (its exact periods)."""
WIDER = 1.6
"""Filter inductance over that before, where no core takes the windings of several outputs."""


class Plan(Struct, frozen=True):
    """All that was chosen: parts, the wound transformer, the filter inductor, and the power stage they make."""

    stage: st.Stage
    switch: Mapping[str, Any]
    rectifiers: Mapping[int, dict[str, Any]]
    need: tr.TransformerNeed
    choice: tr.Choice
    window: Windows
    turns: list[Any]
    leakage: Any
    choke: InductorChoice
    choke_need: InductorNeed
    margin: float
    state: dict[str, Any]
    change: float
    series: InductorChoice | None = None


def choose_switch(work: Work, v: Variant, v_bus: Any, v_top: float, v_low: float, share: float, i_limit: float) -> dict[str, Any]:
    """All switches: a class that holds the highest bus after derating, then the die by loss. share, i_limit: as `_built` has them."""
    if v.clamped:
        v_top *= 1 + 1 / _reset_ratio(work, v) + float(work.choose("switch.spike", 0.3, "room for what the leakage between both windings "
            "drives (common practice)").value)
    duty_limit = work.choose("switch.duty_limit", v.duty_limit * _longer(work, v), v.why_limit)
    if v.active:
        v_top = active.worst_held(np.append(v_bus, asked(work, v_low)), v_low, float(_duty(work, v, v_low, share).value))
    i_on, fs = work.need.power / 0.88 / (v.drive * v_low) / v.duty, float(work.choose.pins.get("fs", 100e3))
    charged = (0.0 if v.phase else 0.5 if v.clamped
               # of both legs the current brings the nodes round before their switches turn on; an open node that a winding holds rings
               # besides
               else 0.25)

    def loss(r: Mapping[str, Any]) -> float:
        return float(
            r["r_on_25_ohm"] * r["hot_ratio"] * v.duty / v.pulses * i_on**2
            + (charged * r["c_energy_f"] * v_top**2 + 0.3 * v_top * i_on * r["t_fall_s"] + DRIVE * r["q_gate_c"]) * fs)
    budget = SPENT * work.need.power / v.switches
    row = choose_die(work, v_top, "the switch sees",
                     "the highest input, the held voltage and its spike" if v.clamped or v.active else "the highest bus", 1.3 * i_on, loss,
                     i_limit=i_limit or AT_LIMIT * i_on, budget=budget, offered=beside.offered(work))
    return {"row": beside.choose(work, row, loss, i_limit, budget), "duty_limit": duty_limit}


def _reset_ratio(work: Work, v: Variant) -> float:
    """Turns of the winding that holds the open switch, over those of the primary."""
    return (float(work.choose("reset.ratio", 1.0, "as many turns as the primary, wound with it: twice the input, half the period").value)
            if v.reset else 1.0)


def _duty(work: Work, v: Variant, v_low: float, share: float) -> Any:
    """Duty at the lowest bus in run [V]; share: of the usual one, or of what leaves its limit for the end of hold-up."""
    longest, sagged = work.sheet.rows["switch.duty_limit"].value, asked(work, v_low)
    usual, held = (v.duty * _longer(work, v),
                   float(f"{(SAGGED_MORE if v.phase or v_low < LOW_BUS else SAGGED) * float(longest) * sagged / v_low:.3g}"))
    why = f"school: about {usual:.2g} of the pulse period at the lowest bus, the rest for commutation and load steps"
    if held < usual:
        usual, why = held, f"so that it stays below its limit down to {show(sagged, 'V')} of bus, the end of hold-up"
    return work.choose("forward.duty", usual if share == 1 else float(f"{usual * share:.3g}"),
                       why if share == 1 else f"{why}; less here, for drops, leakage and whole turns would take it over its limit")


def _longer(work: Work, v: Variant) -> float:
    """By how much a reset winding of fewer turns lets the duty grow."""
    return 2 / (1 + _reset_ratio(work, v)) if v.reset else 1.0


def build(v: Variant, work: Work, v_bus: Any, clamp: ModuleType) -> Plan:
    """All choices of the power stage for a known bus; again, a few times at most, with a shorter duty where it comes out a little over its
    limit, with the transformer in pieces where no single core takes it, or with another die where the peak is above what was expected."""
    return work.until_enough(lambda **known: _built(v, work, v_bus, **known), lambda made, known: _missed(v, work, *made, known))[0]


def _missed(v: Variant, work: Work, plan: Plan, longest: float, peak: float, so_far: Mapping[str, Any]) -> dict[str, Any]:
    """What has to be known beforehand for what a plan missed: share of its duty, count of its transformers, its current at the limit [A].
    so_far: what was known."""
    known: dict[str, Any] = {}
    over = longest / float(plan.switch["duty_limit"].value)
    if (1.0 if v.both_ways else DUTY_ROOM) < over < LITTLE_OVER and not work.choose.pinned("forward.duty"):
        # what was not enough the first time was lost to whole turns: twice the step then
        known["share"] = so_far.get("share", 1.0) * (DUTY_AIM / over) ** (2 if "share" in so_far else 1)
    if v.bridged and "count" not in so_far and not plan.stage.others and (count := pieces.fewest(work, plan)) > 1:
        known["count"] = count
    if plan.stage.others and not plan.choke.passed and not work.choose.pinned("filter1.l"):
        known["more"] = WIDER * so_far.get("more", 1.0)
    if i_limit := beside.limit_missed(work, plan.switch["row"], peak):
        known["i_limit"] = i_limit
    return known


def _built(v: Variant, work: Work, v_bus: Any, share: float = 1.0, count: int = 1, i_limit: float = 0.0,
           more: float = 1.0) -> tuple[Plan, float, float]:
    """The power stage with its longest duty, at the end of hold-up, and its peak at the current limit [A]; where nobody says, share: of the
    usual duty; count: transformers in series; i_limit: current at the limit [A], 0 where it is still estimated; more: filter inductance
    over what the ripple asks for."""
    others = secondaries.designed(work)
    count = pieces.decide(work, count) if v.bridged and not others else 1
    v_top, v_low = float(np.max(v_bus)), float(loaded(work, v_bus).min())
    switch = choose_switch(work, v, v_bus, v_top, v_low, share, i_limit)
    main = work.need.outputs[work.need.main]
    duty = _duty(work, v, v_low, share)
    blocked = max(v_top, v_low * float(duty.value) / (1 - float(duty.value))) if v.active else v_top
    kind = secondary_kinds.choose(work) if v.secondaries and not others else secondary_kinds.TAP
    rectifiers = choose_rectifiers(work,
                                   lambda out: WHOLE_TURNS * (1 if kind == secondary_kinds.BRIDGE else v.pulses) * blocked
                                   * (out.magnitude + 0.9) / (float(duty.value) * v_low), all_outputs=bool(others), positions=2,
                                   sources=count)
    stage = _estimate(work, v, kind, switch, rectifiers, others, main, v_bus, v_top, v_low, float(duty.value), more)
    near = st.solve(stage, st.ROUGH)
    out = near.out
    grade = work.parts["materials"].row(
        work.choose("transformer.material",
                    lambda: "PW2" if float(plain(stage.fs)) < 50e3 else "PW3" if float(plain(stage.fs)) < 300e3 else "PW4",
                    "class whose frequency band holds the switching frequency").value)
    need, margin = _transformer_need(work, stage, out, grade, v_top, float(switch["duty_limit"].value))
    every = work.parts["cores"].derived(windows)
    need, choice, win = boards.wind(work, matrix.share_of(need, count), every)
    turns = turns_of(work, need, choice)
    stage = _wound(work, stage, need, choice, win, turns, grade)
    capacitance_row(work, need, choice, win)
    leak = leakage_row(work, need, leakage_of(need, choice.trial, (choice.core, choice.candidate), win), float(plain(stage.lm)), 0.001,
                       "an ungapped core: the geometry decides, this is only a floor")
    stage, series = replace(stage, leakage=float(leak.value)), None
    near = st.solve(stage, st.ROUGH, near.state)
    seen = secondary.seen_numbers(stage)
    peak = loaded(work, least_filter.peak(Quick(), near.out, least_filter.choose(work), secondary.beside(stage, seen),
                                          turns_secondary=seen.ns, turns_primary=seen.np)[0])
    limit = current_limit(work, peak, 250e-9, "comparator, logic and gate (common practice)", _lost(work, v, seen, near.out))
    stage = replace(stage, limit=limit,
                    r_sense=sensing.choose(work, limit["i_limit"], float(loaded(work, near.out["i_all"]).max()), bool(v.phase)))
    near = st.solve(stage, st.ROUGH, near.state)
    out = near.out
    if v.active:
        stage = active.choose(work, stage, out)
    if v.phase:
        stage, series = phase.choose_series(work, stage, out, grade, every)
        near = st.solve(stage, st.ROUGH, near.state)
        out = near.out
    if v.both_ways:
        choose_series(work, v, secondary.seen_numbers(stage), out)
    if v.clamped:
        stage = choose_spike(work, stage, out)
        near = st.solve(stage, st.ROUGH, near.state)  # the commutation takes of the duty
    stage = snubbers.choose(work, stage, rectifiers, float(leak.value), out)
    stage = primary_snubber.choose(work, stage, leak)
    choke_need, choke = choose_choke(work, float(stage.inductance), (1 if kind == secondary_kinds.DOUBLER else v.pulses) * float(stage.fs),
                                     out["one"], grade, every, float(work.sheet.rows["transformer.rise_max"].value),
                                     faults.into_short(stage, out["v_in"]), several.common_step(stage) if others else 1)
    stage = replace(several.with_filter(work, stage, choke.resistance) if others else replace(stage, r_inductor=choke.resistance),
                    choke=choke_core(work, choke, every, grade))
    return (Plan(stage, switch, rectifiers, need, choice, win, turns, leak, choke, choke_need, margin, {}, np.inf, series),
            float(loaded(work, near.out["t_on"] * near.out["fs"]).max()) * v_low / asked(work, v_low), float(near.out["i_peak"].max()))


def _lost(work: Work, v: Variant, seen: st.Stage, out: Mapping[str, Any]) -> Any:
    """What slope compensation takes of the current limit at the corners of full and peak load [A]; seen: the stage with the centre tap that
    behaves alike."""
    if v.both_ways and control_of(work, v, out) == "voltage":
        return 0.0
    down = np.asarray(out["down"]) / float(plain(seen.inductance)) * float(plain(seen.ns)) / float(plain(seen.np))
    taken = slope.lost(work, down, out["t_e"], out["t_e"] * out["fs"], ~np.asarray(out["discontinuous"], bool))
    return 0.0 if taken is None else loaded(work, taken)


def _estimate(work: Work, v: Variant, kind: str, switch: Mapping[str, Any], rectifiers: Mapping[int, Any], numbers: list[int], main: Any,
              v_bus: Array, v_top: float, v_low: float, duty: float, more: float) -> st.Stage:
    """The power stage with an ideal turns ratio, for choosing filter inductor, limit and transformer."""
    grid, sheet, choose = work.grid, work.sheet, work.choose
    fs = choose("fs", *low.usual(work.need, work.parts, (100e3, "100 kHz: small magnetics, moderate switching loss (common practice)")))
    rect, pulsed = rectifiers[work.need.main]["row"], v.pulses * float(fs.value)
    law = str(choose("light_load", *(("fixed", "the clamp needs every period") if v.active else ("skip", "pulses are left out below a "
        "quarter of the full-load pulse: least light-load loss"))).value)
    load = secondaries.load_of(work, work.need.main, rect, float(fs.value), law != "fixed", DRIVE_AMPS)
    in_path = 2 if kind == secondary_kinds.BRIDGE else 1
    drops = secondaries.drops(work, work.need.main, rect, in_path)
    ratio = sheet("transformer.ratio_wanted", forward.turns_ratio, v_out=main.magnitude,
                  v_drops=sheet.given("transformer.v_drops", drops, "V", "rule",
                                      "rectifier at full current and 2 % of the output for the copper"),
                  duty=sheet.rows["forward.duty"],
                  v_primary=sheet.given("transformer.v_low", v.drive * v_low, "V", "solved",
                                        "across the primary at the lowest bus, full or peak load"))
    others = several.estimate(work, rectifiers, numbers, main.magnitude + drops, float(fs.value), law != "fixed", DRIVE_AMPS)
    of_all = (sheet.given("load.full_seen", main.current_max + sum(work.need.outputs[x.n - 1].current_max * x.ns for x in others), "A",
                          "rule", "full load of all outputs, seen from the regulated one") if others else main.current_max)
    share = choose("filter1.ripple_ratio", 0.4, "school: more than the textbook third, for a smaller inductor")
    least = (main.magnitude + drops) / (float(ratio.value) * v.drive * v_top)
    down = main.magnitude + in_path * rect["v_forward_v"]
    least_duty, rate_row = (sheet.given("switch.duty_least", least, "", "solved", "ideal duty at the highest bus"),
                            sheet("switch.rate_wanted", forward.pulse_frequency, pulses=v.pulses, fs=fs))
    sheet("switch.rate_least", oscillator.least_rate, fs=rate_row, tolerance=rate.choose(work))
    wanted_by, rate_of_one = (sides.doubler_inductance, fs) if kind == secondary_kinds.DOUBLER else (forward.filter_inductance, rate_row)
    wanted = sheet("filter1.l_wanted", wanted_by, v_down=down, duty=least_duty, fs=rate_of_one, ripple_ratio=share, i_out=of_all)
    l_out = choose("filter1.l", lambda: float(f"{more * float(wanted.value):.2g}"),
                   "from the ripple ratio at the highest bus, rounded to two digits"
                   + ("; more of it, so that the turns which all its windings need leave no wide gap" if more > 1 else ""), wanted=wanted)
    c_wind = choose("transformer.c_winding", 30e-12, "layered winding of this size (common practice); measure it from the ring")
    row = switch["row"]
    pulse = (main.magnitude + drops) / (float(ratio.value) * v.drive * v_low) / pulsed
    floor, t_floor = {"skip": (0.0, SKIPPED * pulse), "foldback": (22e3, SKIPPED * pulse), "fixed": (pulsed, 0.0)}[law]
    lm = 4e-3 * v.drive**2 * v_top / 375 * 200 / work.need.power * 100e3 / float(fs.value)
    grade = work.parts["materials"].rows[1]
    p_ctl = float(choose("aux.v", AIM, "what the winding gives at the least bus").value) * float(
        choose("aux.i", lambda: AUX_AMPS + v.switches * row["q_gate_c"] * float(fs.value),
               "controller and the gate charge of all switches (common practice)").value)
    sheet.given(EXPECTED_C, output.supply_between_pulses(sheet.rows["aux.i"].value, pulsed, AIM, WINDOW[False][0]), "F", "rule",
                "holds the controller from one pulse to the next; the winding gives its voltage from the first one on")
    tiny = {"turns": 1.0, "area": 1.0, "volume": 1e-6, "core": grade, "kappa": 0.3, "temperature": 100.0, "eddy": 0.0}
    return st.Stage(variant=v, v_bus=v_bus, i_out=np.broadcast_to(load, grid.shape), v_out=main.magnitude, v_forward=rect["v_forward_v"],
                    r_rectifier=rect["r_dynamic_ohm"], r_secondary=0.006 * main.magnitude / main.current_max,
                    r_inductor=0.006 * main.magnitude / main.current_max,
                    np=1 / float(ratio.value), ns=2.0 if kind == secondary_kinds.DOUBLER else 1.0, secondary=kind,
                    inductance=float(l_out.value), lm=lm, leakage=2e-3 * lm, r_switch=row["r_on_25_ohm"] * row["hot_ratio"],
                    r_primary=0.004 * (v.drive * v_low)**2 / work.need.power, fs=float(fs.value), f_floor=floor, t_floor=t_floor,
                    c_node=row["c_energy_f"] + 0.5 * float(c_wind.value), t_fall=row["t_fall_s"],
                    limit={"i_limit": 1e3, "tolerance": 0.0, "t_delay": 0.0},
                    is_limit=grid.where(lambda p: p.case == "limit") & np.ones(grid.shape, bool),
                    core=grade, area=1.0, volume=1e-6, core_temperature=100.0, p_controller=p_ctl, choke=tiny,
                    nr=_reset_ratio(work, v) / float(ratio.value), others=others,
                    extra={**({"coupling": float(choose("filter1.coupling", several.COUPLING, "windings side by side in one bundle "
                                                        "(typical, from memory); measure it: open and short").value)} if others else {}),
                           "kappa": 0.3, "fs": fs, "drops": drops, "pulse": pulse,
                           **({"r_series": 0.0, "dead_leading": 2e-7} if v.phase else {"dead": 2e-7} if v.active else {})})


def _end(s: st.Stage, volts: float, bus: float) -> barrier.End:
    """What an end of the primary does at the highest bus, where it swings most; volts: of the output with its drop."""
    v, n = s.variant, float(plain(s.ns)) / float(plain(s.np))
    duty = min(volts / (n * v.drive * bus), 0.9)
    around = duty if v.both_ways else duty / (1 - duty) if v.active else 2 * duty  # mean square of the winding's voltage over the pulse's
    winding = v.drive * bus * float(np.sqrt(around)) * (SPIKE if v.tapped else 1.0)
    other = (0.5 if s.secondary == secondary_kinds.BRIDGE else 1.0) * winding * max(n, *(x.ns / float(plain(s.np)) for x in s.others), 0.0)
    if v.tapped or v.reset or v.active:  # about the bus: to twice of it, or as far as a clamp lets them
        return barrier.End(bus, winding, other)
    legs = 1.0 if v.phase else float(np.sqrt((1 + duty) / 2))  # between the pulses they ring about the middle, half as much by rms
    return barrier.End(bus / 2, winding / 2 if v.held else legs * bus / 2, other)


def _transformer_need(work: Work, s: st.Stage, out: Mapping[str, Any], material: Any, v_top: float,
                      duty_limit: float) -> tuple[tr.TransformerNeed, float]:
    """What the circuit asks of the transformer, from one period `out` of the estimated stage; and the margin width [m]."""
    need, grid, choose = work.need, work.grid, work.choose
    full = corners.FULL.mask(grid)
    index = np.unravel_index(int(np.argmax(np.where(full, out["i_primary"], -1))), grid.shape)
    at = reader(tuple(int(i) for i in index))
    fs, n = at(out["f_switch"]), float(s.ns) / float(s.np)
    waves = shapes(out, at, n, s.variant)
    avg_p, har_p = phasors(*waves["primary"], 1 / fs, ORDERS)
    flows = [shapes(o, at, n, s.variant)["secondary"] for o in several.own_pulses(s, out)] if s.others else [
        secondary.winding(s.secondary, waves["secondary"], at(out["one"].get("apart", 0.0)))]
    currents = [phasors(*flow, 1 / fs, ORDERS) for flow in flows]
    triple, margin, tapes = spacing(work, barrier.Across(
        v_top, 0.5 if s.variant.both_ways else 1.0, [_end(s, need.outputs[need.main].magnitude + float(s.v_forward), v_top)]))
    b_sat, remanence = (material["b_sat_100_t"],
                        choose("transformer.remanence", s.variant.remanence, "core without a gap (typical, from memory)"))
    derate = choose("derating.flux", 0.85, "85 % of hot saturation (common practice)")
    rise = choose("transformer.rise_max", 45.0, "class of insulation and of neighbours (common practice)")
    limit = work.sheet.given("transformer.b_limit", b_sat * float(derate.value), "T", "rule",
                             f"{b_sat:g} T at 100 °C × {float(derate.value):g}")
    main = need.outputs[need.main]
    volts, count = (main.magnitude * (2 if s.secondary == secondary_kinds.DOUBLER else 1),
                    s.variant.pulses if s.secondary == secondary_kinds.TAP else 1)
    outs = [("ns1", volts, main.tolerance),
            *((f"ns{x.n}", volts * x.ns / s.ns, secondaries.ROUNDING * need.outputs[x.n - 1].tolerance) for x in s.others)]
    windings = (_primary_need(s.variant, volts / n, at(out["i_primary"]), avg_p, har_p),
                *(w for told, (average, har) in zip(outs, currents, strict=True)
                  for w in _secondary_need(*told, triple, average, har)[:count]),
                *(_reset_need(s, at, volts / n, at(out["i_primary"]), har_p) if s.variant.reset else ()),
                tr.WindingNeed("naux",
                               volts * (float(work.sheet.rows["aux.v"].value) + AUX_DROP)
                               / (s.variant.drive * n * asked(work, float(loaded(work, s.v_bus).min()))), 0.02, 0.01,
                               -0.002 * currents[0][1] / max(_rms(*currents[0]), 1e-9), False, 0.3, FLOOR, pulsed=True))
    spread = np.broadcast_to(out["t_e"], grid.shape)[full]
    return tr.TransformerNeed(windings=windings, ratio=1 / n, lp=None,
                              flux_limit=s.variant.drive * v_top * duty_limit / float(work.sheet.rows["switch.rate_least"].value),
                              swing=s.variant.drive * np.broadcast_to(s.v_bus, grid.shape)[full] * spread, t_up=spread, t_down=spread,
                              fs=fs,
                              b_max=float(limit.value) - float(remanence.value), material=dict(material), ambient=need.ambient_max,
                              rise_max=float(rise.value), cooling=need.cooling, height_max=need.height_max, margin=margin,
                              halves=s.variant.halves,
                              stack=stack(work, windings, tapes), tapes=tapes, pins=pins_of(work),
                              leak_cost=leak_cost(at(out["i_peak"]), s.variant.pulses * float(s.fs),
                                                  2.0 if s.variant.active else 0.5)), margin


def _rms(average: float, harmonics: Array) -> float:
    return float(np.sqrt(average**2 + 0.5 * np.sum(np.abs(harmonics) ** 2)))


def _secondary_need(name: str, volts: float, tolerance: float, triple: bool, average: float,
                    harmonics: Array) -> tuple[tr.WindingNeed, ...]:
    """A secondary, and what would be the other half of its tap."""
    return tuple(tr.WindingNeed(own, volts, _rms(average, harmonics), average, h, triple, tolerance)
                 for own, h in ((name, -harmonics), (f"{name}b", half_later(-harmonics))))


def _reset_need(s: st.Stage, at: Any, volts: float, i_primary: float, harmonics: Array) -> tuple[tr.WindingNeed, ...]:
    """The reset winding, beside the primary: the magnetising current and what the leakage gives back."""
    ratio, current = float(s.nr) / float(s.np), 0.15 * i_primary
    return (tr.WindingNeed("nr", volts * ratio, current, 0.3 * current, 0.1 * harmonics, False, 0.3),)


def _primary_need(v: Variant, volts: float, i_all: float, average: float, harmonics: Array) -> tr.WindingNeed:
    """The primary; of a tapped one each half carries every second pulse: half the current of both as harmonics, the rest of its rms
    apart."""
    if not v.tapped:
        return tr.WindingNeed("primary", volts, i_all, average, harmonics, False)
    own = i_all / np.sqrt(2)
    return tr.WindingNeed("primary", volts, own, float(np.sqrt(max(own**2 - 0.125 * np.sum(np.abs(harmonics) ** 2), 0.0))), harmonics / 2,
                          False)


def _wound(work: Work, s: st.Stage, need: tr.TransformerNeed, choice: tr.Choice, win: Windows, turns: list[Any], grade: Any) -> st.Stage:
    """The stage with integer turns, the core's own inductance and the effective winding resistances of the worst corner."""
    trial, at = choice.trial, (choice.core, choice.candidate)
    exact = copper_of(work, need, choice, win)
    pieces.record(work, need)
    effective = pieces.resistances(need, exact)
    effective[0] /= need.halves  # both halves share the pulses
    n_p, n_s, eff = float(turns[0].value), float(turns[1].value), win.effective
    rest = work.choose("transformer.residual_gap",
                       lambda: active.gap(work, s, n_p, float(eff.area[at[0]]), float(eff.length[at[0]]) / grade["mu_initial"],
                                          RESIDUAL_GAP) if s.variant.active else RESIDUAL_GAP,
                       "two ground faces (typical, from memory)" if not s.variant.active
                       else "two ground faces, or what lets the magnetising current bring the node down within the dead time")
    lm = need.pieces * forward.ungapped_inductance(n_p, float(eff.area[at[0]]), float(eff.length[at[0]]), grade["mu_initial"],
                                                   float(rest.value))
    reset = next((k for k, w in enumerate(need.windings) if w.name == "nr"), 0)
    nr = float(choice.trial.turns[reset][at]) if reset else n_p
    return replace(s, np=need.pieces * n_p, ns=n_s, nr=nr, lm=lm, r_primary=effective[0], r_secondary=effective[1],
                   others=secondaries.wound(s.others, turns, effective, s.variant.pulses), core=grade, area=float(eff.area[at[0]]),
                   volume=need.pieces * float(eff.volume[at[0]]),
                   core_temperature=float(min(work.need.ambient_max + trial.rise[at], 140.0)),
                   extra={**s.extra, "kappa": float(magnetics.igse_constant(grade["loss_alpha"], grade["loss_beta"])),
                          "r_effective": effective, **({"r_reset": effective[reset]} if reset else {}),
                          "aux": {"turns": float(turns[-1].value), "i": float(work.sheet.rows["aux.i"].value)}})
