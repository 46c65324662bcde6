"""A resonant stage outside its steady period: a short at the output or in a rectifier, a feedback that is open, start-up into full load."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.sheet import Quick, plain
from rhevectra.core.formulas import faults, inductor, resonant
from rhevectra.core.formulas.tank_start import on_the_way, start_time
from rhevectra.core.magnetics.inductor import InductorChoice
from rhevectra.core.stages.dies import SINGLE
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.common import secondaries, sensing
from rhevectra.core.topologies.resonant import ends, several
from rhevectra.core.topologies.resonant import stage as st

DELAY = 300e-9
START_MEAN = 0.47
"""Mean of the rectified tank current over its peak far above the resonance: a triangle's half, less what the magnetising current takes
(exact tanks up to a gain of one: 0.47 to 0.56)."""
START_ROOM, HOLD_ROOM = 1.1, 1.02
"""Current there is by rule to start with over the load's, and at the end of hold-up over what that takes."""
DECISIONS = (common.OWN_TRIP,)
FIGURES = (
    FigureSpec("llc.f_start", "Start-up frequency", "f_st", "switch", corners.RUN, fixed="output capacitor empty",
               sentence="from here the controller comes down while the output rises; the tank current stays at its limit"),
    replace(common.T_START,
            fixed="beyond a gain of one the current taken as at full voltage (told up to twice as long where the bus asks for that)",
            sentence="a soft start that takes longer never meets the limit"),
    common.C_SUPPLY,
    common.DELAY,
    replace(common.I_SHORT, limit="switch.i_single", fixed="rectifier drop and resistances left out; at its resonance",
            sentence="output or rectifier shorted while it runs: bus and resonant capacitor lie across the resonant inductance alone until "
            "the pulse is cut"),
    FigureSpec("short.b_peak", "Flux of the resonant inductor into a short", "B̂_sc", "switch", corners.SHORT,
               limit="inductor.b_saturation", limit_kind="max",
               fixed="current as of nominal parts, which the greatest inductance lets in less",
               sentence="against hot saturation itself, with no derating: once it saturates nothing holds the current"),
)


def current_limit(work: Work, s: st.Stage, settled: st.Settled, moved: ends.Ends, i_hold: float) -> tuple[float, float]:
    """Chooses the current limit over the peak at the overload and that at the end of hold-up [A], its tolerance and delay; returns what a
    short makes of it [A], with nominal parts and at the worst end of their tolerances."""
    rows, peak = work.sheet.rows, s.extra["room"] * moved.most("i_peak", settled.out["i_tank_peak"])
    tolerance = float(work.choose("switch.limit_tolerance", 0.08, "comparator and sense resistor (common practice)").value)
    asks = {"15 % above the peak tank current at overload and the worst end of the tank's tolerances": 1.15 * peak,
            "what the tank needs to start into full load, with a tenth to charge its capacitors":
                START_ROOM / (1 - tolerance) * _to_start(work, s, peak),
            "what full load takes at the end of hold-up, at the worst end of the tank's tolerances": HOLD_ROOM / (1 - tolerance) * i_hold}
    why = max(asks, key=lambda k: asks[k])
    work.choose("switch.current_limit", lambda: sensing.limit_of(work, asks[why]),
                why + (", in the most loaded phase" if s.variant.phases > 1 else "") + "; next sense resistor of E96")
    work.choose("switch.limit_delay", DELAY,
                "comparator, logic and gate: the pulse is cut, a higher frequency alone would come too late (common practice)")
    most = faults.most_limit(float(rows["switch.current_limit"].value), float(rows["switch.limit_tolerance"].value))
    v_cap = s.extra["room"] * settled.out["v_cap"]
    both = _peaks(Quick(), most, s.variant.drive * np.asarray(s.v_bus), s,
                  (resonant.impedance(s.lr, s.cr), v_cap, moved.over["v_cap"] * v_cap), *(float(rows[id].value) for id in _DECIDED))
    return float(np.max(both[0])), float(np.max(both[1]))


def _to_start(work: Work, s: st.Stage, peak: float) -> float:
    """Least current limit [A] at which the stage gives its full load, at an empty output and at the full one; peak: of the tank current at
    the overload, in the phase that carries most [A]."""
    load = work.need.outputs[work.need.main].current_max + several.full(work, s.others, float(plain(s.ns)))
    empty = load * s.extra["room"] * float(plain(s.ns)) / (START_MEAN * s.variant.phases * float(plain(s.np)))
    return float(max(empty, peak * load / (s.variant.phases * np.max(several.total(s)))))


_DECIDED = ("switch.limit_delay", ends.LR, ends.CR)


def _peaks(on: Any, i_limit: Any, v_primary: Any, s: st.Stage, tank: tuple[Any, Any, Any], t_delay: Any, lr_tolerance: Any,
           cr_tolerance: Any) -> tuple[Any, Any]:
    """Peak into a short with nominal parts and at the worst end of their tolerances, as rows or bare numbers. tank: impedance, ac amplitude
    of its capacitor with nominal parts and the greatest."""
    z, v_cap, v_most = tank
    into = {"i_limit": i_limit, "v_primary": v_primary, "t_delay": t_delay}
    nominal = on("short.i_nominal", faults.short_peak_tank, **into, v_cap=v_cap, z=z, lr=s.lr)
    least = on("llc.z_least", resonant.impedance_least, lr=s.lr, lr_tolerance=lr_tolerance, cr=s.cr, cr_tolerance=cr_tolerance)
    return (nominal,
            on("short.i_peak", faults.short_peak_tank, **into, v_cap=v_most, z=least,
               lr=on("llc.lr_least", inductor.least, inductance=s.lr, tolerance=lr_tolerance)))


def record(work: Work, s: st.Stage, o: dict[str, Any], choke: InductorChoice | None) -> None:
    """Rows of all cases; choke: the resonant inductor, where it is a part of its own."""
    sheet, rows = work.sheet, work.sheet.rows
    most = sheet("switch.limit_max", faults.most_limit, i_limit=rows["switch.current_limit"], tolerance=rows["switch.limit_tolerance"])
    v_cap = o["v_cap"] if s.variant.phases == 1 else rows["llc.v_ac_most"]
    peak, worst = _peaks(sheet, most, o["v_p"], s, (rows["llc.z"], v_cap, rows["llc.v_ac_most"]), *(rows[id] for id in _DECIDED))
    limit = _begin(work, s, o)
    if not s.fixed:
        _start(work, s, o, limit)
    sheet.given("switch.i_single", SINGLE * float(rows["switch.i_max"].value), "A", "catalogue",
                f"single pulse at {SINGLE:g} × the pulsed current (typical, from memory)")
    if choke is not None:
        common.into_saturation(work, "inductor", rows["inductor.l"], peak, rows["inductor.turns"], s.core, rows[ends.LR])
    if not s.fixed:
        volts = common.caught(work, s.lr, worst, s.variant.phases, rows["start.c_load"] if s.others else None)
        secondaries.opened(work, s.others, s.v_forward, volts)


def _begin(work: Work, s: st.Stage, o: dict[str, Any]) -> Any:
    """Row of the frequency it begins with; returns that of the least current limit."""
    sheet, rows = work.sheet, work.sheet.rows
    limit = sheet("switch.limit_min", faults.least_limit, i_limit=rows["switch.current_limit"], tolerance=rows["switch.limit_tolerance"])
    fast = sheet("llc.f_fastest", resonant.fastest_resonance, lr=s.lr, lr_tolerance=rows[ends.LR], cr=s.cr, cr_tolerance=rows[ends.CR])
    sheet("llc.f_start", resonant.start_frequency, fr=fast, lr=rows["llc.lr_least"], i_limit=limit, v_primary=o["v_p"])
    return limit


def _start(work: Work, s: st.Stage, o: dict[str, Any], limit: Any) -> None:
    """Start-up at the least current limit: the current there is on the way, the time it takes, what feeds the controller meanwhile."""
    sheet, rows, main, v = work.sheet, work.sheet.rows, work.need.outputs[work.need.main], s.variant
    load, c = (secondaries.charged(work, s.others) if s.others
               else (sheet.given("start.i_load", main.current_max, "A", text=f"full current of {main.name}"), rows["output1.c"]))
    full = sheet("start.i_full", resonant.full_current, i_over=sheet.rows["load.i_seen"] if s.others else s.i_out, i_limit=limit,
                 i_peak=rows["switch.i_peak"])
    most = rows["llc.phase_most"] if v.phases > 1 else 1.0
    bare = replace(s, lr=plain(s.lr), cr=plain(s.cr), lm=plain(s.lm))
    tank = {"gain": rows["llc.gain_need"], "v_primary": o["v_p"], "i_limit": limit, "n": s.np.value / s.ns.value / plain(most),
            "i_full": full}
    ways = [on_the_way(ratio=e.lm / e.lr, z=resonant.impedance(e.lr, e.cr), **{k: plain(x) for k, x in tank.items()})
            for e in (ends.at(bare, parts) for parts in ends.of(rows).least_to_start)]
    way, weights = v.phases * np.minimum(ways[0][0], ways[1][0]), ways[0][1]
    given = {**tank, "phases": v.phases, "most": most, "lr": s.lr, "cr": s.cr, "lm": s.lm,
             **{id: rows[id] for id in (ends.LR, ends.CR, ends.LM)}}
    least = sheet.solved("start.i_least", way.min(0), "A",
                         "least of the way up: below a gain of one by the two arcs of half a period with its peak at the least limit, of "
                         "the end of the tolerances that gives least; beyond it as at full voltage", **given)
    sheet.solved("start.time", start_time(plain(c), plain(rows["load.v1"]), way, weights, float(load.value)), "s",
                 "the output's charge over what the load leaves of that current, added up from zero to the full voltage",
                 least_on_the_way=least, full_load=load, c=c, output_voltage=rows["load.v1"])
    common.supply_capacitor(work, False)
    common.short_of(work, least.value - float(load.value))
