"""Zener clamp with a series resistor: holds the drain at any load and burns nothing when the leakage brings nothing."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.preferred import at_least, at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import clamp, zener
from rhevectra.core.stages import clamping
from rhevectra.core.stages.clamping import DIODE_DROP
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "zener"
RESTS = True
FALLS = clamping.FALLS
BURNS_IN_SWITCH, CARRIES, GRAZED, LOSSES, ROOM, TURNS, bus_power = (clamping.BURNS_IN_SWITCH, clamping.CARRIES, clamping.GRAZED,
    clamping.LOSSES, clamping.ROOM, clamping.TURNS, clamping.bus_power)
STAGE = ("clamp_z", "clamp_r", "clamp_most")
"""What of the power stage is this clamp's."""
NO_PICTURES = clamping.OF_RCD
BURNING = ("rcl", "dzen", "dcl")
CURES = {"switch.v_peak": "clamp.v_zener", "clamp": "clamp.v_zener"}
ZENER_VOLTAGE, ZENER_POWER = 200.0, 5.0
"""Largest voltage [V] of one diode and the power [W] its class bears on a board (transient suppressor of 1.5 kW pulses, typical, from
memory)."""
COEFFICIENT, HOT = 1e-3, 100.0
"""Temperature coefficient [1/K] of diodes above some tens of volts, and the junction temperature [°C] the crest is judged at (typical, from
memory)."""
ABOVE = 1.15
"""Least Zener voltage over the reflected one: below, it conducts with every pulse's core current (common practice)."""
DROP = 0.05
"""Share of the clamp voltage that drops across the series resistor at the worst current: it damps the ring and spares the diode (common
practice)."""
LEAK = 1e8
"""Resistor [Ω] that holds the nodes of the drawn clamp while nothing conducts."""
DECISIONS = (
    DecisionSpec("clamp.v_zener", "Zener voltage", "clamp", unit="V", low=5, high=1000,
                 schools="what the switch rating leaves; 1.5 to 2 times the reflected voltage"),
    DecisionSpec("clamp.r_series", "Series resistor of the Zener diode", "clamp", unit="Ω", low=0.5, high=1000,
                 schools="none: hardest clamp, rings most; 5 % of the voltage: damps and shares the heat"),
    DecisionSpec("clamp.z_tolerance", "Zener voltage tolerance", "clamp", low=0.0, high=0.2, schools="5 %; 2 % selected; 10 % cheapest"),
)
FIGURES = (
    FigureSpec("clamp.v", "Clamp voltage", "V_cl", "clamp", corners.PEAKS, limit="clamp.v_budget", limit_kind="max",
               fixed="Zener knee taken as a step",
               sentence="Zener voltage of the class, hot and at its tolerance, and the drop of the series resistor", look_only=True),
    FigureSpec("clamp.power", "Clamp power, diodes and resistor", "P_cl", "clamp", corners.LOADED, limit="clamp.p_limit", limit_kind="max",
               fixed="leakage tolerance; what the auxiliary winding takes of the spike, up to some 6 %"),
    *clamping.FIGURES,
)
PLATES = (("clamp", "Clamp", "clamp.v"),)


def target(work: Work, v_class: float, derating: float, v_bus: float, v_or: float) -> float:
    """The crest aimed at [V]: what the rating leaves above the highest bus and the clamp diode."""
    work.sheet.given("bus.v_top", v_bus, "V", "solved", "highest bus")
    return derating * v_class - v_bus - DIODE_DROP


def design(work: Work, v_target: float, leakage: float, i_one: float, v_or: float, c_node: float, fs: float) -> dict[str, Any]:
    """Zener voltage and resistor that keep to v_target at the worst current (current limit, highest line)."""
    goal = work.sheet.given("clamp.v_goal", v_target, "V", "rule", "crest that the switch rating leaves")
    current = work.sheet.given("clamp.plan_i", i_one, "A", "solved", "core current at the current limit, highest line")
    r = work.choose("clamp.r_series", lambda: at_most(max(DROP * v_target / i_one, 1.0), "E12"),
                    f"{DROP * 100:.0f} % of the voltage at the worst current, next E12 value below", current=current)
    v_z, most = voltage(work, goal, v_target - float(r.value) * i_one, v_or)
    return {"stage": {"clamp_z": v_z, "clamp_r": r, "clamp_most": most}, "vf": DIODE_DROP, "goal": goal}


def voltage(work: Work, goal: Any, room: float, v_or: float) -> tuple[Any, Any]:
    """Zener voltage, and the largest of its class hot, that keep within what there is [V]; goal: the row it comes from."""
    tolerance = work.choose("clamp.z_tolerance", 0.05, "usual class (common practice)")
    room = room / (1 + float(tolerance.value) + COEFFICIENT * (HOT - 25))
    v_z = work.choose("clamp.v_zener", lambda: at_most(room, "E24") if room > ABOVE * v_or else at_least(ABOVE * v_or, "E24"),
                      "largest E24 value that stays below the rating with tolerance, heat and what lies in series" if room > ABOVE * v_or
                      else f"{ABOVE:g} × the reflected voltage: the rating leaves less", goal=goal, tolerance=tolerance)
    return v_z, work.sheet("clamp.v_zener_most", zener.largest, v_zener=v_z, tolerance=tolerance, coefficient=COEFFICIENT, temperature=HOT)


def guess(v_or: float, p_in: float, fs: float) -> dict[str, float]:
    """Values to begin with, before there is a leakage."""
    return {"clamp_z": 1.6 * v_or, "clamp_r": 10.0, "clamp_most": 1.8 * v_or}


def idle_current(s: Any, v_or: Any) -> float:
    """Nothing flows where the leakage brings nothing."""
    return 0.0


def settle(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """What the clamp takes in a period, by the nominal voltage; the crest by the largest."""
    node = sheet("clamp.v_node_mid", clamp.node_voltage, v_clamp=s.clamp_z, v_diode=s.clamp_vf)
    i_c = sheet("clamp.i_peak", clamp.conduction_current, i_one=o["i_one"], c_node=s.c_node, leakage=s.leakage, v_node=node,
                v_reflected=o["v_com"], quality=clamp.RING_QUALITY)
    against = {"leakage": s.leakage, "i_clamp": i_c, "v_node": node, "v_reflected": o["v_com"]}
    loop = sheet.total("clamp.r_loop", "Ω", "resistor and primary winding, one after the other", resistor=s.clamp_r, winding=s.r_primary)
    t = sheet("clamp.t_reset", zener.reset_time, t_off=o["t_off"], r=loop, **against)
    q = sheet("clamp.q", zener.charge, t_reset=t, r=loop, **against)
    p = sheet("clamp.power", zener.power, fs=o["fs"], leakage=s.leakage, i_clamp=i_c, v_reflected=o["v_com"], v_diode=s.clamp_vf, q_clamp=q)
    taken = sheet("clamp.i_core", zener.current_from_core, i_secondary=o["i_sum"], fs=o["fs"], q_clamp=q)
    crest = sheet("clamp.v_crest", zener.crest, v_most=s.clamp_most, r=s.clamp_r, i_clamp=i_c)
    return {"crest": crest, "i_clamp": i_c, "q_clamp": q, "t_clamp": t, "clamp_power": p, "i_core": taken}


def measures(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """The node it holds, its diode's loss and the ring it leaves."""
    v_node = sheet("clamp.v_node", clamp.node_voltage, v_clamp=s.clamp_z, v_diode=s.clamp_vf)
    return {"v_clamp": sheet.again("clamp.v", o["crest"]), "v_node": v_node, **clamping.losses(sheet, s, o, v_node)}


def record(work: Work, v_bus: Any, rows: dict[str, Any], plan: dict[str, Any], budget: float, v_class: float) -> None:
    """Parts of the clamp from the recorded period: diodes in series, their heat, the clamp diode."""
    sheet = work.sheet
    clamping.limits(work, v_bus, rows["crest"], budget, v_class, "derating and bus")
    power = clamping.hottest(work, rows["clamp_power"])
    clear_of_core(work, plan)
    count = diodes(work, plan, power, rows["clamp_power"])
    sheet.given("clamp.p_limit", count * ZENER_POWER * 0.6, "W", "rule",
                f"{count} diodes of {ZENER_POWER:g} W used to 60 %, the resistor's share not counted (common practice)")
    clamping.at_little_load(work, rows["clamp_power"])
    clamping.recovery(work, rows)
    clamping.taken_from_outputs(work, rows)


def diodes(work: Work, plan: dict[str, Any], power: float, row: Any) -> int:
    """How many Zener diodes lie in series, by voltage and by heat [W]."""
    volts = float(plan["stage"]["clamp_z"].value)
    series = max(int(np.ceil(volts / ZENER_VOLTAGE)), int(np.ceil(power / (0.6 * ZENER_POWER))), 1)
    work.sheet.chosen("clamp.zeners", series, "",
                      f"{series} in series: {show(volts / series, 'V')} each of {ZENER_VOLTAGE:g} V at most, {show(power / series, 'W')} "
                      f"each of {ZENER_POWER:g} W at 60 %", power=row)
    return series


def clear_of_core(work: Work, plan: dict[str, Any]) -> None:
    """Refuses diodes that conduct before the output does: the core would empty into them."""
    volts = float(plan["stage"]["clamp_z"].value)
    least = volts * (1 - float(work.sheet.rows["clamp.z_tolerance"].value)) + DIODE_DROP
    planned, highest = (float(np.max(work.sheet.rows[f"transformer.v_reflected{k}"].value)) for k in ("_plan", ""))
    if least <= highest:
        wanted = next(v for v in (at_least(ABOVE * planned, "E24"), at_least(ABOVE * highest, "E24")) if v > volts)
        work.find(MUST_FIX, "clamp", f"Zener diodes of {show(volts, 'V')} conduct from {show(least, 'V')} on, below what the output "
                  f"reflects ({show(planned, 'V')} as planned, {show(highest, 'V')} with all drops): the core empties into the clamp and "
                  f"these figures are not to be used; {show(wanted, 'V')} at least, or a lower reflected voltage", "clamp.v",
                  "clamp.v_zener")


def elements(s: Any, at: Any, v_clamp: float) -> tuple[Element, ...]:
    """Series resistor and Zener diode between the clamp's node and the bus."""
    return (clamping.DIODE, Element("Rcl", ("cl", "cz"), number(at(s.clamp_r)), "clamp"), Element("Dzen", ("bus", "cz"), "DZENER", "clamp"),
            Element("Rleak", ("cl", "bus"), number(LEAK), "clamp"))


def models(s: Any, at: Any) -> tuple[str, ...]:
    """The Zener diode, nominal."""
    return (clamping.model(at(s.clamp_vf)), f".model DZENER D(IS=1e-14 N=1 RS=0.05 BV={number(at(s.clamp_z))})")


def symbols(value: Any) -> list[tuple[Any, ...]]:
    """The clamp as drawn, from the bus down to its diode."""
    return [*clamping.SYMBOLS, ("diode", (26, 8), (26, 17), f"Zener {value('clamp.v_zener')}", "primary", "Dzen", True),
            ("resistor", (26, 17), (26, 26), value("clamp.r_series"), "primary", "Rcl")]
