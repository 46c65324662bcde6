"""Resistor-capacitor-diode clamp: values from the leakage at the current limit, both voltage schools shown."""

from collections.abc import Callable
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_least, at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import clamp
from rhevectra.core.stages import clamping, pulse_duty
from rhevectra.core.stages.clamping import DIODE_DROP
from rhevectra.core.stages.strings import RESISTOR_VOLTAGE, in_series
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "rcd"
RESTS = False
"""Whether it burns nothing where the leakage brings nothing: then it should win at light load."""
FALLS = True
BURNS_IN_SWITCH, CARRIES, GRAZED, LOSSES, ROOM, TURNS, bus_power = (clamping.BURNS_IN_SWITCH, clamping.CARRIES, clamping.GRAZED,
    clamping.LOSSES, clamping.ROOM, clamping.TURNS, clamping.bus_power)
STAGE = ("clamp_r", "clamp_c")
"""What of the power stage is this clamp's."""
NO_PICTURES: tuple[str, ...] = ()
BURNING = ("rcl", "dcl")
"""Elements of the circuit that burn the clamp's power."""
CURES = {"switch.v_peak": "clamp.r", "clamp": "clamp.r"}
KEPT = 0.96
"""Share of the budget that is aimed at: preferred values and a bus a little higher than planned need the rest."""
RESISTOR_POWER = 1.0
"""Rated power [W] of one resistor of the string (common practice)."""
DECISIONS = (
    DecisionSpec("clamp.school", "Clamp voltage school", "clamp", "choice", options=("rating", "multiple"),
                 schools="what the rating leaves; a multiple of the reflected voltage"),
    DecisionSpec("clamp.multiple", "Clamp over reflected voltage", "clamp", low=1.05, high=4.0,
                 schools="1.3 to 1.6 tight; 2 to 2.5 classic"),
    DecisionSpec("clamp.ripple_ratio", "Clamp ripple, share", "clamp", low=0.01, high=0.5, schools="5 to 10 %"),
    DecisionSpec("clamp.r", "Clamp resistor", "clamp", unit="Ω", low=10, high=10e6),
    DecisionSpec("clamp.c", "Clamp capacitor", "clamp", unit="F", low=10e-12, high=10e-6, step="E12"),
)
FIGURES = (
    FigureSpec("clamp.v", "Clamp voltage", "V_cl", "clamp", corners.PEAKS, limit="clamp.v_budget", limit_kind="max",
               fixed="resistor and leakage tolerance",
               sentence="mean of the clamp capacitor where leakage energy and resistor balance, at the current limit", look_only=True),
    FigureSpec("clamp.ripple_pp", "Clamp ripple, peak to peak", "ΔV_cl", "clamp", corners.PEAKS),
    FigureSpec("clamp.power", "Clamp resistor power", "P_cl", "clamp", corners.LOADED, limit="clamp.p_limit", limit_kind="max",
               fixed="leakage tolerance; what the auxiliary winding takes of the spike, up to some 6 %"),
    *clamping.FIGURES,
)
PLATES = (("clamp", "Clamp", "clamp.v"),)


def target(work: Work, v_class: float, derating: float, v_bus: float, v_or: float) -> float:
    """The clamp voltage aimed at [V]; both schools are rows, the chosen one is named."""
    sheet = work.sheet
    ripple = work.choose("clamp.ripple_ratio", 0.08, "school: 5 to 10 % (common practice)")
    rating = sheet("clamp.v_rating", clamp.school_rating, derating=derating, v_class=v_class,
                   v_bus=sheet.given("bus.v_top", v_bus, "V", "solved", "highest bus"), v_diode=DIODE_DROP, ripple_ratio=ripple)
    k = work.choose("clamp.multiple", 1.5, "tight multiple: low peak for a moderate loss (common practice: 2 to 2.5 in the classic school)")
    multiple = sheet("clamp.v_multiple", clamp.school_multiple, k=k,
                     v_reflected=sheet.given("clamp.v_or_plan", v_or, "V", "solved", "reflected voltage at full load"))
    school = work.choose("clamp.school", "rating", "what the switch rating leaves, so that the clamp burns least")
    return KEPT * float((rating if school.value == "rating" else multiple).value)


def design(work: Work, v_target: float, leakage: float, i_one: float, v_or: float, c_node: float, fs: float) -> dict[str, Any]:
    """Resistor and capacitor that hold v_target at the worst current (current limit, highest line)."""
    sheet = work.sheet
    lk, one, vor = (sheet.given(f"clamp.plan_{n}", v, u, "solved", t) for n, v, u, t in (
        ("leakage", leakage, "H", "leakage the clamp is sized for"),
        ("i_one", i_one, "A", "core current at the current limit, highest line"), ("v_or", v_or, "V", "reflected voltage at full load")))
    margin = max(v_target - v_or, 0.05 * v_or)
    goal = sheet.given("clamp.v_goal", v_or + margin, "V", "rule", "clamp voltage aimed at, never below the reflected voltage plus 5 %")
    node = clamp.node_voltage(goal.value, DIODE_DROP)
    i_c = sheet("clamp.plan_i", clamp.conduction_current, i_one=one, c_node=c_node, leakage=lk, v_node=node, v_reflected=vor,
                quality=clamp.RING_QUALITY)
    offered = sheet("clamp.plan_q", clamp.charge_offered, leakage=lk, i_clamp=i_c, v_node=node, v_reflected=vor)
    exact = sheet("clamp.r_exact", clamp.resistor, v_clamp=goal, fs=fs,
                  q_clamp=np.maximum(offered.value, 1e-12) if offered.value <= 0 else offered)
    r = work.choose("clamp.r", lambda: at_most(min(float(exact.value), 9.1e6), "E24"),
                    "next E24 value below: never a higher clamp voltage than aimed at", exact=exact)
    ratio = sheet.rows["clamp.ripple_ratio"]
    return {"stage": {"clamp_r": r, "clamp_c": capacitor(work, ratio, r, fs)}, "vf": DIODE_DROP, "goal": goal}


def capacitor(work: Work, ratio: Any, r: Any, fs: float) -> Any:
    """The capacitor whose ripple with that resistor is not larger than the share aimed at."""
    exact = work.sheet("clamp.c_exact", clamp.capacitor, ripple_ratio=ratio, r=r, fs=fs)
    return work.choose("clamp.c", lambda: at_least(max(float(exact.value), 1e-11), "E6"),
                       "next E6 value above: ripple not larger than aimed at", exact=exact)


def record(work: Work, v_bus: Any, rows: dict[str, Any], plan: dict[str, Any], budget: float, v_class: float) -> None:
    """Parts of the clamp from the recorded period: resistor string, capacitor, diode."""
    sheet = work.sheet
    clamping.limits(work, v_bus, rows["crest"], budget, v_class, "derating, bus and ripple")
    power = clamping.hottest(work, rows["clamp_power"])
    volts = float(np.max(rows["v_clamp"].value))
    series = max(in_series(volts), int(np.ceil(power / (0.6 * RESISTOR_POWER))))
    sheet.chosen("clamp.resistors", series, "",
                 f"{series} in series: {show(volts / series, 'V')} each of {RESISTOR_VOLTAGE:g} V at 80 %, {show(power / series, 'W')} "
                 f"each of {RESISTOR_POWER:g} W at 60 %", power=rows["clamp_power"], voltage=rows["v_clamp"])
    sheet.given("clamp.p_limit", series * RESISTOR_POWER * 0.6, "W", "rule",
                f"{series} resistors of {RESISTOR_POWER:g} W used to 60 % (common practice)")
    pulse_duty.choose_class(work, "clamp.c_v_class", float(np.max(rows["crest"].value)), voltage=rows["v_clamp"])
    clamping.at_little_load(work, rows["clamp_power"])
    clamping.recovery(work, rows)
    clamping.taken_from_outputs(work, rows)


def guess(v_or: float, p_in: float, fs: float) -> dict[str, float]:
    """Values to begin with, before there is a leakage: two per cent of the input in the resistor."""
    return {"clamp_r": 1.6 * v_or**2 / (0.02 * p_in) * 1.5, "clamp_c": 10 / (v_or**2 / (0.02 * p_in) * fs)}


def idle_current(s: Any, v_or: Any) -> Any:
    """Current [A] that the clamp takes from the core where the leakage brings nothing."""
    return v_or / plain(s.clamp_r)


def steady(sheet: Any, s: Any, o: dict[str, Any], free: str = "", loads: Callable[[Any], Any] = lambda strength: strength,
           rare: Callable[[Any], Any] | None = None) -> dict[str, Any]:
    """Crest [V] and what the capacitor keeps of it from pulse to pulse, and the current [A] that reaches the clamp, with nothing else
    across it; free: what its rows are called more; loads: what of the strength of the leakage counts; rare: the crest where pulses are
    rare, of the floor."""
    kept = sheet("clamp.decay", clamp.decay, r=s.clamp_r, c=s.clamp_c, fs=o["fs"])
    floor = sheet("clamp.floor", clamp.floor_voltage, v_reflected=o["v_com"], v_diode=s.clamp_vf)
    strength = sheet("clamp.strength", clamp.strength, leakage=s.leakage,
                     per_volt=sheet("clamp.per_volt", clamp.charge_per_volt, c=s.clamp_c, kept=kept))
    lift = sheet("clamp.lift", clamp.lift, c_node=s.c_node, leakage=s.leakage)
    mid = sheet("clamp.v_mid", clamp.voltage, w=floor, k=loads(strength), a=lift, i_one=o["i_one"])
    usual = sheet("clamp.crest_steady", clamp.crest_steady, v_mid=mid, kept=kept)
    seldom_crest = (sheet("clamp.crest_rare", clamp.crest_rare, w=floor, i_one=o["i_one"], leakage=s.leakage, c=s.clamp_c) if rare is None
                    else rare(floor))
    seldom = plain(usual) * plain(kept) < plain(floor)
    crest = sheet.either(f"clamp.v_crest{free}", seldom, seldom_crest, usual,
                         "pulses so rare that the capacitor falls below the reflected voltage, or not")
    node = sheet("clamp.v_node_mid", clamp.node_voltage, v_clamp=mid, v_diode=s.clamp_vf)
    lifted = sheet("clamp.i_lifted", clamp.conduction_current, i_one=o["i_one"], c_node=s.c_node, leakage=s.leakage, v_node=node,
                   v_reflected=o["v_com"], quality=clamp.RING_QUALITY)
    return {"kept": kept, "crest": crest, "floor": floor, "node": node,
            "i_clamp": sheet.either(f"clamp.i_peak{free}", seldom, o["i_one"], lifted, "what is left after the node has been lifted")}


def settle(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """What the clamp takes and the voltage it settles at."""
    found = steady(sheet, s, o)
    kept, crest, i_c = found["kept"], found["crest"], found["i_clamp"]
    ripple = sheet("clamp.ripple_pp", clamp.ripple, crest=crest, kept=kept)
    q = sheet("clamp.q", clamp.charge, c=s.clamp_c, ripple_pp=ripple)
    t = sheet("clamp.t_reset", clamp.reset_time, t_off=o["t_off"], q_clamp=q, i_clamp=i_c)
    p, held = burnt(sheet, s, o, found)
    taken = sheet("clamp.i_core", clamp.current_from_core, p_clamp=p, fs=o["fs"], v_diode=s.clamp_vf, q_clamp=q, leakage=s.leakage,
                  i_clamp=i_c, v_reflected=o["v_com"], i_secondary=o["i_sum"], r=s.clamp_r)
    return {**found, "q_clamp": q, "t_clamp": t, "clamp_power": p, "i_core": taken, **held}


def burnt(sheet: Any, s: Any, o: dict[str, Any], found: dict[str, Any], name: str = "clamp.power") -> tuple[Any, dict[str, Any]]:
    """Power of the resistor [W], and what its mean voltage is told from; found: crest [V], what the capacitor keeps of it, and the floor
    [V] at which the secondary holds it."""
    crest, floor = found["crest"], found["floor"]
    down = sheet("clamp.t_down", clamp.time_down, r=s.clamp_r, c=s.clamp_c, crest=crest, w=floor)
    held = {"fs": o["fs"], "c": s.clamp_c, "crest": crest, "w": floor, "r": s.clamp_r, "t_off": o["t_off"], "t_down": down}
    small = plain(down) < plain(o["t_off"])
    p = sheet.either(name, small, sheet("clamp.power_held", clamp.power_held, **held),
                     sheet("clamp.power_free", clamp.power, c=s.clamp_c, fs=o["fs"], crest=crest, kept=found["kept"]),
                     "a capacitor that falls to the reflected voltage while the secondary still conducts is held there")
    return p, {"small": small, "held": held}


def mean(sheet: Any, s: Any, o: dict[str, Any], crest: Any) -> Any:
    """Mean voltage of the clamp's capacitor [V] with a crest [V]."""
    held, free = {**o["held"], "crest": crest}, {"crest": crest, "kept": o["kept"], "r": s.clamp_r, "c": s.clamp_c, "fs": o["fs"]}
    return sheet.either("clamp.v", o["small"], sheet("clamp.v_held", clamp.mean_held, **held),
                        sheet("clamp.v_free", clamp.mean_voltage, **free), "held by the secondary for a while, or not")


def measures(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """Mean clamp voltage, the node it holds, its diode's loss and the ring it leaves."""
    v_node = sheet("clamp.v_node", clamp.node_voltage, v_clamp=o["crest"], v_diode=s.clamp_vf)
    return {"v_clamp": mean(sheet, s, o, o["crest"]), "v_node": v_node, **clamping.losses(sheet, s, o, v_node)}


def elements(s: Any, at: Any, v_clamp: float) -> tuple[Element, ...]:
    """Resistor and capacitor between the clamp's node and the bus."""
    return (clamping.DIODE, Element("Ccl", ("cl", "bus"), f"{number(at(s.clamp_c))} IC={number(v_clamp)}", "clamp"),
            Element("Rcl", ("cl", "bus"), number(at(s.clamp_r)), "clamp"))


def symbols(value: Any) -> list[tuple[Any, ...]]:
    """The clamp as drawn, from the bus down to its diode: kind, from, to, label, side, element of each symbol."""
    return [*clamping.SYMBOLS, ("resistor", (19, 8), (19, 26), value("clamp.r"), "primary", "Rcl"),
            ("capacitor", (26, 8), (26, 26), value("clamp.c"), "primary", "Ccl"), ("wire", (19, 26), (26, 26), "", "primary", "Rcl")]


def models(s: Any, at: Any) -> tuple[str, ...]:
    """Models that its elements want."""
    return (clamping.model(at(s.clamp_vf)),)
