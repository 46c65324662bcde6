"""From bus and requirement to the real resonant stage: semiconductors, tank, transformer, resonant inductor."""

from collections.abc import Mapping
from types import ModuleType
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import magnetics, resonant
from rhevectra.core.magnetics import matrix
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics.candidate import leakage_of
from rhevectra.core.magnetics.copper_loss import half_later, phasors
from rhevectra.core.magnetics.inductor import InductorChoice, InductorNeed
from rhevectra.core.magnetics.windows import Windows, windows
from rhevectra.core.stages import beside
from rhevectra.core.stages.dies import SINGLE, SPENT, choose_die
from rhevectra.core.stages.work import Work
from rhevectra.core.stages.wound import choose_wound
from rhevectra.core.topologies.common import barrier, boards, pieces, secondaries, sensing
from rhevectra.core.topologies.common.rectifiers import choose_rectifiers, loaded
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, TAP
from rhevectra.core.topologies.common.secondary_kinds import choose as choose_secondary
from rhevectra.core.topologies.common.supply import AUX_DROP, FLOOR
from rhevectra.core.topologies.common.winding import boarded, copper_of, leakage_row, pins_of, spacing, stack, turns_of
from rhevectra.core.topologies.resonant import chambers, ends, faults, fixed, hold, several, sharing, waves
from rhevectra.core.topologies.resonant import stage as st
from rhevectra.core.topologies.resonant.choose_tank import estimate
from rhevectra.core.topologies.resonant.variant import Variant

ORDERS = 24
FLUX_ROOM, HEAT_ROOM = 1.02, 1.01
"""Room in flux and currents of the resonant inductor for what the bus still moves after it is chosen."""
AT_LIMIT = 2.4
"""Peak of the tank current at the overload over the rms expected, estimated."""
SMALL, ROOM_SMALL, ROOM_USUAL, ROOM_MOST, ROOM_MORE = 250.0, 1.5, 1.35, 1.8, 1.06
"""Share of the mean that a phase of several is built for, of less than SMALL [W] (its resistance makes it share worse: of a dozen designs
1.35 to 1.48) and of more; up to which it is built for more where its parts spread the current so, and how much over that then."""
BEFORE_WOUND = 1.02
"""By what more than expected before it is wound the tank current grows at the worst end of the tolerances."""
MUCH_LOST = 0.04
"""Share of the reflected output lost on the way from which one pass does not bring the currents to where they end."""
TAN_DELTA = 1e-3
"""Loss factor of the resonant capacitor's film (typical polypropylene, from memory)."""


class Plan(Struct, frozen=True):
    """All that was chosen, and the power stage it makes."""

    stage: st.Stage
    switch: Mapping[str, Any]
    rectifiers: Mapping[int, dict[str, Any]]
    need: tr.TransformerNeed
    choice: tr.Choice
    window: Windows
    turns: list[Any]
    leakage: Any
    choke: InductorChoice | None
    settled: st.Settled
    ends: ends.Ends
    i_short: float
    hold: hold.Hold | None


def choose_switch(work: Work, v: Variant, v_top: float, v_low: float, i_limit: float, room: float) -> Mapping[str, Any]:
    """All switches: a class that holds the highest bus after derating, then the die by conduction, gate and the charge the dead time moves.
    i_limit, room: as `_built` has them."""
    i_rms = 1.2 * work.need.power / v.phases / 0.92 / (v.drive * v_low) / np.sqrt(2)

    def loss(r: Mapping[str, Any]) -> float:
        return float(r["r_on_25_ohm"] * r["hot_ratio"] * i_rms**2 + 1e5 * r["q_gate_c"] * 12 + 1e5 * 0.05 * r["c_charge_f"] * v_top**2)
    budget = SPENT * work.need.power / v.switches
    row = choose_die(work, v_top, "the bus reaches", "the highest bus", 1.8 * i_rms, loss, i_limit=i_limit or AT_LIMIT * room * i_rms,
                     budget=budget, offered=beside.offered(work))
    return beside.choose(work, row, loss, i_limit, budget)


def build(v: Variant, work: Work, v_bus: Any, clamp: ModuleType) -> Plan:
    """All choices of the power stage for a known bus; again, three times at most, of several phases where the most loaded carries more
    than each was built for, with the transformer in pieces where no single core takes it, or with another die where a short draws more
    than was expected."""
    return work.until_enough(lambda **known: _built(v, work, v_bus, **known), lambda plan, _: _missed(v, work, plan))


def _missed(v: Variant, work: Work, plan: Plan) -> dict[str, Any]:
    """What a plan shows to be needed otherwise, by the names `_built` has for it."""
    found: dict[str, Any] = {}
    most = plan.stage.extra.get("phase_most", 0.0)
    if most > plan.stage.extra["room"] and ROOM_MORE * most <= ROOM_MOST and not work.choose.pinned("llc.phase_room"):
        found["share"] = float(f"{ROOM_MORE * most + 0.005:.2f}")
    if v.phases == 1 and not plan.stage.others and plan.need.pieces == 1 and (count := pieces.fewest(work, plan)) > 1:
        found["count"] = count
    if more := _hotter(work, plan):
        found["more"] = more
    peak = max(plan.stage.extra["room"] * plan.ends.most("i_peak", plan.settled.out["i_tank_peak"]), plan.i_short / SINGLE)
    if i_limit := beside.limit_missed(work, plan.switch, peak):
        found["i_limit"] = i_limit
    return found | {"near": plan.settled.state} if found else {}


def _built(v: Variant, work: Work, v_bus: Any, share: float = 0.0, near: Mapping[str, Any] | None = None, count: int = 1,
           i_limit: float = 0.0, more: float = 0.0) -> Plan:
    """The power stage, where nobody says: count: transformers in series; share: of the mean that each of several phases is built for, 0:
    the usual; i_limit: current at the overload [A], or what a short makes of it as far as a die takes more for a single pulse; 0 where it
    is still estimated; more: tank current the windings have to stand, over that of nominal parts, 0: what the tank gives before it is
    wound; near: what its first solution may begin from."""
    v_top, v_low = float(np.max(v_bus)), float(loaded(work, v_bus).min())
    room = _room(work, v.phases, share) if v.phases > 1 else 1.0
    row = choose_switch(work, v, v_top, v_low, i_limit, room)
    numbers = secondaries.designed(work, v.several)
    kind = TAP if v.phases > 1 or numbers else choose_secondary(work)
    control = v.phases == 1 and not numbers and work.choose("llc.control", fixed.FREQUENCY,
                                                            "the output is regulated (common practice)").value == fixed.FIXED
    highest = v_top / fixed.middle(v_low, v_top) if control else 1.0  # the output of a fixed ratio follows the bus
    integrated = v.phases == 1 and not control and not numbers and work.choose("llc.inductor", chambers.SEPARATE,
        "a small inductor of its own: the transformer leaks little, and both are trimmed apart").value == chambers.LEAKAGE
    count = 1 if v.phases > 1 or numbers else _pieces(work, count, integrated)
    rectifiers = choose_rectifiers(work, lambda out: (1 if kind == BRIDGE else 2) * highest * out.magnitude + 1.0,
                                   all_outputs=bool(numbers), share=room / v.phases, positions=2, sources=count)
    by = ends.choose(work)
    stage = estimate(work, v, kind, row, rectifiers, numbers, v_bus, room, control)
    settled = st.solve(several.seen(stage), near, passes=1)
    full = np.broadcast_to(corners.FULL.mask(work.grid), settled.out["f"].shape)
    stage.extra["more"] = more or BEFORE_WOUND * by.more_current(settled.out["i_tank"][full], settled.out["i_mag_rms"][full])
    grade = work.parts["materials"].row(
        work.choose("transformer.material",
                    lambda: "PW2" if float(work.sheet.rows["fs"].value) < 50e3 else "PW3" if float(work.sheet.rows["fs"].value) < 300e3
                    else "PW4", "class whose frequency band holds the switching frequency").value)
    every = work.parts["cores"].derived(windows)
    if integrated:
        stage = replace(stage, wound=1.0)
    need = matrix.share_of(_transformer_need(work, stage, settled, grade), count)
    need, choice, win = _chambered(work, need, every, float(stage.lr)) if integrated else boards.wind(work, need, every)
    turns = turns_of(work, need, choice)
    stage = _wound(work, stage, need, choice, win, turns, grade)
    leak = chambers.leakage_row(work, need, choice, win) if integrated else _leakage(work, stage, need, choice, win)
    stage = replace(stage, leakage=float(leak.value))
    if control:
        stage = fixed.resonate(work, stage, leak)
    stage, settled = st.settle(stage, settled.state, passes=2 if _lost(settled, stage) > MUCH_LOST else 1)
    moved = ends.solve(stage, settled, by)
    held = hold.solve(work, stage, settled, by)
    i_nominal, i_short = faults.current_limit(work, stage, settled, moved, held.i_peak if held else 0.0)
    stage = replace(stage,
                    r_sense=sensing.choose(work, float(work.sheet.rows["switch.current_limit"].value),
                                           float(settled.out["i_tank"][full].max())))
    choke = None if integrated or control else _inductor(work, stage, settled, grade, every, float(leak.value), i_nominal, moved,
                                                            held.choke if held else 0.0)
    if choke is not None:
        stage = replace(stage, r_inductor=_effective(choke, float(settled.out["f"][full].max())),
                        extra={**stage.extra, "choke_core": _core_of(work, choke, every, grade)})
    if v.phases > 1:
        stage.extra["phase_most"] = sharing.most_loaded(stage, st.solve(stage, settled.state, passes=1), full,
                                                        float(work.sheet.rows["llc.spread"].value))
    return Plan(stage, row, rectifiers, need, choice, win, turns, leak, choke, settled, moved, i_short, held)


def _chambered(work: Work, need: tr.TransformerNeed, every: Any, lr: float) -> tuple[tr.TransformerNeed, Any, Any]:
    """The transformer whose leakage is the resonant inductance [H], in two chambers."""
    if boarded(work):
        work.find(MUST_FIX, "transformer", "chambers are wound of wire, a board has none: sized with wire", "transformer.core",
                  "llc.inductor")
    return chambers.choose(work, need, every, lr)


def _leakage(work: Work, stage: st.Stage, need: tr.TransformerNeed, choice: Any, win: Any) -> Any:
    """Row of the leakage of a transformer beside a resonant inductor; what it holds apart of several outputs goes to the stage."""
    between = leakage_of(need, choice.trial, (choice.core, choice.candidate), win)
    leak = leakage_row(work, need, between, float(plain(stage.lm)), 0.005,
                       "a gapped transformer with primary and secondary apart leaks more; the resonant inductor makes up the rest")
    if stage.others:
        stage.extra["apart"] = several.apart(need, between, float(leak.value))
    return leak


def _hotter(work: Work, plan: Plan) -> float:
    """Tank current the windings have to stand over that of nominal parts, where the worst end has more than was expected and that heats the
    transformer beyond what it may; 0 else."""
    over, full = plan.ends.over["tank"], np.broadcast_to(corners.FULL.mask(work.grid), plan.ends.over["tank"].shape)
    most, expected = float(over[full].max()), float(plan.stage.extra["more"])
    rise = float(plan.choice.trial.rise[plan.choice.core, plan.choice.candidate])
    return (1.01 * most if most > expected and rise * (most / expected) ** 2 > plan.need.rise_max
            and not work.choose.pinned("transformer.core") else 0.0)


def _pieces(work: Work, count: int, integrated: bool) -> int:
    """How many transformers there are; one where its leakage is the resonant inductance."""
    wanted = pieces.decide(work, count)
    if wanted > 1 and integrated:
        work.find(MUST_FIX, "transformer", "a transformer whose leakage is the resonant inductance is one: sized as one",
                  "transformer.core", pieces.ID)
        return 1
    return wanted


def _room(work: Work, phases: int, share: float) -> float:
    """Share of the mean that a phase of several is built for."""
    work.choose("llc.spread", 0.01, "inductors and capacitors sorted into sets (common practice)")
    share = share or (ROOM_SMALL if work.need.power < SMALL * phases else ROOM_USUAL)
    return float(work.choose("llc.phase_room", share, "what sorted parts leave: see the most loaded phase").value)


def _lost(settled: st.Settled, s: st.Stage) -> float:
    """Greatest share of the reflected output that is lost in resistances."""
    return float(np.max(settled.state["drop"])) / (float(plain(s.np)) / float(plain(s.ns)) * float(plain(s.v_out)))


def worst(work: Work, settled: st.Settled, key: str) -> int:
    """Number of the solved point at full load where a quantity is greatest."""
    full = np.broadcast_to(corners.FULL.mask(work.grid), settled.out[key].shape)
    return int(np.argmax(np.where(full, settled.out[key], -1.0)))


def _transformer_need(work: Work, s: st.Stage, settled: st.Settled, material: Any) -> tr.TransformerNeed:
    """What the tank asks of the transformer: waveforms where the tank current is greatest, flux where the magnetising current is."""
    need, choose, o = work.need, work.choose, settled.out
    row = worst(work, settled, "i_tank")
    f, n = float(o["f"].reshape(-1)[row]), float(s.np) / float(s.ns)
    wave = waves.waveform(settled.found, row)
    z, w = np.sqrt(s.lr / s.cr), 1 / np.sqrt(s.lr * s.cr)
    amps = s.variant.drive * float(np.broadcast_to(s.v_bus, o["f"].shape).reshape(-1)[row]) / z
    most = s.extra["room"] * s.extra["more"]
    amps *= most  # windings carry the most loaded phase at the worst end of the tolerances
    avg_p, har_p = phasors(wave["t"] / w, wave["tank"] * amps, 1 / f, ORDERS)
    avg_s, har_s = phasors(wave["t"] / w, wave["rectifier"] * amps * n, 1 / f, ORDERS)
    bus, other = float(np.max(s.v_bus)), max(o.magnitude for o in need.outputs)  # the capacitor may lie at either end of the primary
    triple, margin, tapes = spacing(work, barrier.Across(bus, 0.5, [barrier.End(mean, bus / 2, other) for mean in (0.0, bus / 2)]))
    coupled = 1.0 if s.wound is None else float(np.sqrt(1 + s.lr / s.lm))  # turns as wound over those of the ideal transformer
    linkage = s.linkage(o["i_mag"], o["i_tank_peak"])
    if s.secondary == BRIDGE:  # one winding carries both halves of the period: odd orders twice, nothing else
        avg_s, har_s = 0.0, har_s * (1 - (-1.0) ** np.arange(1, ORDERS + 1))
    i_s = float(np.sqrt(avg_s**2 + 0.5 * np.sum(np.abs(har_s) ** 2)))
    derate = choose("derating.flux", 0.85, "85 % of hot saturation (common practice)")
    rise = choose("transformer.rise_max", 45.0, "class of insulation and of neighbours (common practice)")
    b_sat = material["b_sat_100_t"]
    limit = work.sheet.given("transformer.b_limit", b_sat * float(derate.value), "T", "rule",
                             f"{b_sat:g} T at 100 °C × {float(derate.value):g}")
    main = need.outputs[need.main]
    windings = (tr.WindingNeed("primary", main.magnitude * n * coupled, most * float(o["i_tank"].reshape(-1)[row]), avg_p, har_p, False),
                *(tr.WindingNeed(name + b, main.magnitude * turns, part * i_s, part * avg_s, part * h, triple, tolerance)
                  for name, turns, tolerance, part in _secondaries(need, s, row)
                  for b, h in (("", -har_s), ("b", half_later(-har_s)))[: 1 if s.secondary == BRIDGE else 2]),
                tr.WindingNeed("naux", (float(work.sheet.rows["aux.v"].value) + AUX_DROP) * main.magnitude / (main.magnitude + s.v_forward),
                               0.02, 0.01, -0.002 * har_s / max(i_s, 1e-9), False, 0.3, FLOOR))
    full = np.broadcast_to(corners.FULL.mask(work.grid), o["f"].shape)
    by = ends.of(work.sheet.rows)
    held, half = hold.solve(work, s, settled, by, 1), (0.5 * by.slowest / o["f"])[full]
    made = tr.TransformerNeed(windings=windings, ratio=n * coupled, lp=float(s.lm if s.wound is None else s.lm + s.lr),
                              flux_limit=max(by.more_flux * float(np.max(linkage)), held.linkage if held else 0.0),
                              swing=(2 * by.more_flux * linkage)[full], t_up=half,
                              t_down=half, fs=f, b_max=float(limit.value), material=dict(material), ambient=need.ambient_max,
                              rise_max=float(rise.value), cooling=need.cooling, height_max=need.height_max, margin=margin,
                              usual=by.more_core(material) / most**2,
                              stack=() if s.wound is not None else stack(work, windings, tapes, "split primary: less copper loss; simple "
                                  "leaks more, which the tank can use"), pins=pins_of(work), tapes=tapes)
    return made if s.wound is None else chambers.beside(replace(made, leak_aim=float(resonant.geometric_for(s.lr, s.lm + s.lr))),
                                                        chambers.wall_least(margin))


def _secondaries(need: Any, s: st.Stage, row: int) -> list[tuple[str, float, float, float]]:
    """Name of each secondary, its turns over the regulated one's, tolerance of its volts, and its current over the rectified current of all
    at a solved point."""
    whole = np.broadcast_to(several.total(s), s.i_out.shape).reshape(-1)[row]
    return [(f"ns{n}", float(ns) / float(s.ns), tolerance, float(i.reshape(-1)[row] / whole) if s.others else 1.0)
            for n, ns, tolerance, i in ((1, s.ns, need.outputs[need.main].tolerance, s.i_out),
                                        *((x.n, x.ns, secondaries.ROUNDING * need.outputs[x.n - 1].tolerance, x.i_out) for x in s.others))]


def _wound(work: Work, s: st.Stage, need: tr.TransformerNeed, choice: tr.Choice, win: Windows, turns: list[Any], grade: Any) -> st.Stage:
    """The stage with whole turns and the effective winding resistances of the worst corner."""
    trial, at = choice.trial, (choice.core, choice.candidate)
    exact = copper_of(work, need, choice, win)
    pieces.record(work, need)
    effective, eff = pieces.resistances(need, exact), win.effective
    seen = need.pieces * float(turns[0].value) if s.wound is None else float(resonant.turns_seen(float(turns[0].value), s.lm, s.lr))
    return replace(s, others=secondaries.wound(s.others, turns, effective, 2), np=seen,
                   wound=None if s.wound is None else float(turns[0].value), ns=float(turns[1].value), r_primary=effective[0],
                   r_secondary=effective[1],
                   p_controller=float(work.sheet.rows["aux.i"].value) * float(turns[-1].value) / float(turns[1].value)
                   * (work.need.outputs[work.need.main].magnitude + s.v_forward), core=grade, area=float(eff.area[at[0]]),
                   volume=need.pieces * float(eff.volume[at[0]]),
                   core_temperature=float(min(work.need.ambient_max + trial.rise[at], 140.0)),
                   extra={**s.extra, "kappa": float(magnetics.igse_constant(grade["loss_alpha"], grade["loss_beta"]))})


def _inductor(work: Work, s: st.Stage, settled: st.Settled, grade: Any, win: Windows, leakage: float, i_short: float,
              moved: ends.Ends, i_hold: float) -> InductorChoice:
    """The resonant inductor beside what the transformer leaks, at the worst ends of the tolerances: its flux at the overload after
    derating, and at the end of hold-up [A]; into a short [A] up to saturation itself; its heat."""
    o, rows = settled.out, work.sheet.rows
    i_flux = max(s.extra["room"] * moved.most("choke", o["i_tank_peak"]), i_hold,
                 float(rows["derating.flux"].value) * (1 + ends.of(rows).lr) * i_short)
    full = np.broadcast_to(corners.FULL.mask(work.grid), o["f"].shape)
    half, current = (0.5 / o["f"])[full], HEAT_ROOM * (s.extra["room"] * moved.over["tank"] * o["i_tank"])[full]
    swing = (2 * moved.over["choke_core"] ** (1 / grade["loss_beta"]) * o["i_tank_peak"])[full]
    need = InductorNeed(max(float(s.lr) - leakage, 0.02 * float(s.lr)), FLUX_ROOM * i_flux, float(current.max()), swing, half, half,
                        float(o["f"][full].min()), float(rows["transformer.b_limit"].value), grade,
                        work.need.ambient_max, float(rows["transformer.rise_max"].value), work.need.cooling, work.need.height_max,
                        rate=np.square(2 * np.pi * float(o["f"][full].max()) * current))
    return choose_wound(work, "llc.inductor_core", need, win, "a short")


def _effective(c: InductorChoice, f: float) -> float:
    """Effective resistance [Ω] at a frequency [Hz]: a sine's di/dt has the mean square (ω·I)²."""
    return c.resistance + c.eddy * (2 * np.pi * f) ** 2


def _core_of(work: Work, c: InductorChoice, win: Windows, grade: Any) -> dict[str, Any]:
    return {"turns": float(c.turns), "area": float(win.effective.area[c.core]), "volume": float(win.effective.volume[c.core]),
            "core": grade, "temperature": float(min(work.need.ambient_max + c.rise, 140.0))}
