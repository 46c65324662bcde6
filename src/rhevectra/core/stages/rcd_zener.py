"""Resistor-capacitor-diode clamp with Zener diodes across it: the resistor is sized for running, the diodes catch the current limit."""

from typing import Any

import numpy as np

from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.sheet import plain
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import clamp, zener
from rhevectra.core.stages import clamping, rcd
from rhevectra.core.stages import zener as held
from rhevectra.core.stages.clamping import DIODE_DROP
from rhevectra.core.stages.work import Work

NAME = "rcd_zener"
RESTS = False
FALLS = True
BURNS_IN_SWITCH, CARRIES, GRAZED, LOSSES, ROOM, TURNS, bus_power = (clamping.BURNS_IN_SWITCH, clamping.CARRIES, clamping.GRAZED,
    clamping.LOSSES, clamping.ROOM, clamping.TURNS, clamping.bus_power)
STAGE = ("clamp_r", "clamp_c", "clamp_z", "clamp_most")
NO_PICTURES = clamping.OF_RCD
BURNING = ("rcl", "dzen", "dcl")
CURES = {"switch.v_peak": "clamp.v_zener", "clamp": "clamp.r"}
BELOW, RUNNING = 0.93, 1.3
"""Share of the Zener voltage that the capacitor reaches while running, and the current limit over the peak current in run (common
practice)."""
AT_REST = 1.5
"""What the resistor may burn at the reflected voltage over the energy the leakage brings (assumption: beyond it the clamp wastes more at
rest than it has to take)."""
_OWN = ("clamp.ripple_ratio", "clamp.r", "clamp.c")
DECISIONS = (*(d for d in rcd.DECISIONS if d.id in _OWN), *(d for d in held.DECISIONS if d.id != "clamp.r_series"))
FIGURES = rcd.FIGURES
PLATES = rcd.PLATES
target = held.target


def design(work: Work, v_target: float, leakage: float, i_one: float, v_or: float, c_node: float, fs: float) -> dict[str, Any]:
    """Zener voltage by the rating; resistor and capacitor for the current while running, a little below it."""
    sheet = work.sheet
    goal = sheet.given("clamp.v_goal", v_target, "V", "rule", "crest that the switch rating leaves")
    v_z, most = held.voltage(work, goal, v_target, v_or)
    below = max(BELOW * float(v_z.value), 1.05 * v_or)
    ratio = work.choose("clamp.ripple_ratio", 0.08, "school: 5 to 10 % (common practice)")
    node = clamp.node_voltage(below, DIODE_DROP)
    i_c = sheet.solved("clamp.plan_i", float(clamp.conduction_current(i_one / RUNNING, c_node, leakage, node, v_or, clamp.RING_QUALITY)),
                       "A", f"the current limit over {RUNNING:g}, less what lifts the node")
    q = sheet("clamp.plan_q", clamp.charge_offered,
              leakage=sheet.given("clamp.plan_leakage", leakage, "H", "solved", "leakage the clamp is sized for"), i_clamp=i_c,
              v_node=sheet.given("clamp.plan_node", node, "V", "rule", "node while the capacitor is charged"),
              v_reflected=sheet.given("clamp.plan_v_or", v_or, "V", "solved", "reflected voltage at full load"))
    exact = sheet("clamp.r_exact", clamp.resistor, v_clamp=below, fs=fs, q_clamp=np.maximum(float(q.value), 1e-12))
    brings = 0.5 * leakage * float(i_c.value) ** 2 * fs
    least = v_or**2 / (AT_REST * brings) if brings > 0 else 0.0
    why = "next E24 value above: the diodes catch what is too much" if float(exact.value) >= least else (
        f"the least that burns no more than {AT_REST:g} × what the leakage brings where only the reflected voltage stands across it; "
        "a clamp so near above that voltage takes more, which the diodes do while there is load")
    r = work.choose("clamp.r", lambda: at_least(min(max(float(exact.value), least), 9.1e6), "E24"), why, exact=exact)
    return {"stage": {"clamp_r": r, "clamp_c": rcd.capacitor(work, ratio, r, fs), "clamp_z": v_z, "clamp_most": most}, "vf": DIODE_DROP,
            "goal": goal}


def guess(v_or: float, p_in: float, fs: float) -> dict[str, float]:
    """Values to begin with, before there is a leakage."""
    return {**rcd.guess(v_or, p_in, fs), "clamp_z": 1.6 * v_or, "clamp_most": 1.8 * v_or}


idle_current = rcd.idle_current


def settle(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """The capacitor's steady state, or where that would go beyond the diodes, held by them: they take the charge that is left over."""
    free = rcd.steady(sheet, s, o, "_free")
    caught = plain(free["crest"]) > plain(s.clamp_z)
    level = sheet.either("clamp.v_level", caught, s.clamp_z, free["crest"], "held by the nominal Zener diodes, or by the resistor alone")
    crest = sheet.either("clamp.v_crest", plain(free["crest"]) > plain(s.clamp_most), s.clamp_most, free["crest"],
                         "held by the largest Zener diodes of their class, hot, or by the resistor alone")
    ripple = sheet("clamp.ripple_pp", clamp.ripple, crest=level, kept=free["kept"])
    given = sheet("clamp.q_kept", clamp.charge, c=s.clamp_c, ripple_pp=ripple)
    node = sheet("clamp.v_node_held", clamp.node_voltage, v_clamp=s.clamp_z, v_diode=s.clamp_vf)
    i_held = sheet("clamp.i_held", clamp.conduction_current, i_one=o["i_one"], c_node=s.c_node, leakage=s.leakage, v_node=node,
                   v_reflected=o["v_com"], quality=clamp.RING_QUALITY)
    i_c = sheet.either("clamp.i_peak", caught, i_held, free["i_clamp"], "what is left after the node has been lifted")
    offered = sheet("clamp.q_held", clamp.charge_offered, leakage=s.leakage, i_clamp=i_held, v_node=node, v_reflected=o["v_com"])
    q = sheet.either("clamp.q", caught, offered, given, "charge of each period")
    t = sheet("clamp.t_reset", clamp.reset_time, t_off=o["t_off"], q_clamp=q, i_clamp=i_c)
    resistor, held_by = rcd.burnt(sheet, s, o, {**free, "crest": level}, "clamp.power_resistor")
    diodes = sheet("clamp.power_zener", zener.overflow, v_zener=s.clamp_z, fs=o["fs"], q_clamp=q, q_kept=given)
    p = sheet.total("clamp.power", "W", "resistor and Zener diodes", resistor=resistor, diodes=diodes)
    taken = sheet("clamp.i_core", clamp.current_from_core, p_clamp=p, fs=o["fs"], v_diode=s.clamp_vf, q_clamp=q, leakage=s.leakage,
                  i_clamp=i_c, v_reflected=o["v_com"], i_secondary=o["i_sum"], r=s.clamp_r)
    return {"crest": crest, "kept": free["kept"], "i_clamp": i_c, "q_clamp": q, "t_clamp": t, "clamp_power": p, "i_core": taken, **held_by}


measures = rcd.measures
"""As of the resistor and capacitor: the crest it is given is that of the largest diode."""


def record(work: Work, v_bus: Any, rows: dict[str, Any], plan: dict[str, Any], budget: float, v_class: float) -> None:
    """Parts of the clamp: resistor string and capacitor for running, diodes for the limit."""
    rcd.record(work, v_bus, rows, plan, budget, v_class)
    row = work.sheet.rows["clamp.power_zener"]
    held.clear_of_core(work, plan)
    held.diodes(work, plan, clamping.hottest(work, row), row)


def elements(s: Any, at: Any, v_clamp: float) -> tuple[Element, ...]:
    """Resistor, capacitor and Zener diode between the clamp's node and the bus."""
    return (*rcd.elements(s, at, v_clamp), Element("Dzen", ("bus", "cl"), "DZENER", "clamp"))


def models(s: Any, at: Any) -> tuple[str, ...]:
    """The Zener diode, nominal, with the resistance of its breakdown."""
    return (clamping.model(at(s.clamp_vf)), f".model DZENER D(IS=1e-14 N=1 RS=1 BV={number(at(s.clamp_z))})")


def symbols(value: Any) -> list[tuple[Any, ...]]:
    """The clamp as drawn, from the bus down to its diode."""
    return [*clamping.SYMBOLS, ("resistor", (17.5, 8), (17.5, 26), value("clamp.r"), "primary", "Rcl"),
            ("capacitor", (26, 8), (26, 26), value("clamp.c"), "primary", "Ccl"), ("wire", (17.5, 26), (26, 26), "", "primary", "Rcl"),
            ("diode", (22, 8), (22, 26), "", "primary", "Dzen"),
            ("note", (19, 3), (19, 6), f"Zener {value('clamp.v_zener')}", "primary", "Dzen")]
