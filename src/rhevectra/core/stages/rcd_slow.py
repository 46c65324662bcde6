"""Resistor-capacitor clamp with a slow diode and its series resistor: the stored charge lets part of the leakage's energy go back before
the diode blocks."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.preferred import at_least, at_most, nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.circuit.netlist import Element, diode_model, number
from rhevectra.core.formulas import clamp, handed_back, slow_clamp, turned_clamp
from rhevectra.core.stages import clamping, rcd
from rhevectra.core.stages.clamping import DIODE_DROP
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "rcd_slow"
RESTS = rcd.RESTS
FALLS = True
BURNS_IN_SWITCH, LOSSES, ROOM, TURNS = clamping.BURNS_IN_SWITCH, clamping.LOSSES, clamping.ROOM, clamping.TURNS
GRAZED = True
CARRIES = ("stays",)
"""The part of the charge that stays follows from the clamp's voltage, and that from the part: one pass hands it to the next."""
STAGE = ("clamp_r", "clamp_c", "clamp_rd", "clamp_life")
"""Resistor, capacitor, series resistor of the diode [Ω], lifetime of its charge [s]."""
NO_PICTURES = clamping.OF_RCD
BURNING = ("rcl", "dcl", "ddq", "sdq", "rdq")
CURES = {"switch.v_peak": "clamp.r", "clamp": "clamp.r"}
RECOVERY = 2e-6
"""Recovery time [s] of a standard rectifier (typical, from memory); of rectifiers of medium speed a quarter of it."""
DROP = 0.03
"""Share of the clamp's voltage that drops across the diode's resistor at the worst current: enough to damp what follows (common practice:
some ohms)."""
STORE, EMPTY, ON = 100e-9, 0.01, 0.05
"""In the circuit: capacitor that stands for the store [F], the voltage on it that counts as empty [V], resistance of the diode while its
charge goes back [Ω]."""
DECISIONS = (
    *rcd.DECISIONS,
    DecisionSpec("clamp.recovery", "Least recovery time of the clamp diode", "clamp", unit="s", low=0.1e-6, high=20e-6,
                 schools="0.5 µs medium; 2 µs standard; the least of the class, for less goes back with less"),
    DecisionSpec("clamp.r_diode", "Resistor in series with the clamp diode", "clamp", unit="Ω", low=0.5, high=470,
                 schools="some ohms: damps; tens: takes the heat, lifts the peak"),
)
FIGURES = (
    *(f for f in rcd.FIGURES if f.id != "clamp.t_recovery"),
    FigureSpec("clamp.back", "Share turned back", "r", "clamp", corners.LOADED,
               sentence="at which the slow diode lets go, over that at which it began"),
    FigureSpec("clamp.power_back", "Power sent back", "P_r", "clamp", corners.LOADED, "max",
               sentence="by the clamp's capacitor through its slow diode: to outputs, ring and bus instead of into the resistor"),
)
PLATES = rcd.PLATES
target, idle_current = rcd.target, rcd.idle_current


def design(work: Work, v_target: float, leakage: float, i_one: float, v_or: float, c_node: float, fs: float) -> dict[str, Any]:
    """Diode with its resistor, then resistor and capacitor for the charge that stays."""
    sheet = work.sheet
    recovery = work.choose("clamp.recovery", RECOVERY, "a standard rectifier (typical)")
    life = sheet("clamp.life", slow_clamp.lifetime, recovery=recovery)
    r_d = work.choose("clamp.r_diode", lambda: float(nearest(max(DROP * v_target / i_one, 1.0), "E12")),
                      f"{DROP * 100:g} % of the clamp's voltage at the worst current, nearest E12 value")
    aim = max(v_target - float(r_d.value) * i_one, 0.0)
    lk, one, vor = (sheet.given(f"clamp.plan_{n}", v, u, "solved", t) for n, v, u, t in (
        ("leakage", leakage, "H", "leakage the clamp is sized for"),
        ("i_one", i_one, "A", "core current at the current limit, highest line"), ("v_or", v_or, "V", "reflected voltage at full load")))
    goal = sheet.given("clamp.v_goal", v_or + max(aim - v_or, 0.05 * v_or), "V", "rule",
                       "clamp voltage aimed at: what the resistor of the diode leaves, never below the reflected voltage plus 5 %")
    node = clamp.node_voltage(goal.value, DIODE_DROP)
    i_c = sheet("clamp.plan_i", clamp.conduction_current, i_one=one, c_node=c_node, leakage=lk, v_node=node, v_reflected=vor,
                quality=clamp.RING_QUALITY)
    offered = sheet("clamp.plan_q", clamp.charge_offered, leakage=lk, i_clamp=i_c, v_node=node, v_reflected=vor)
    tank = {"v_bus": sheet.rows["bus.v_top"], "v_reflected": vor, "c_node": c_node, "leakage": lk, "v_diode": DIODE_DROP}
    went = _turned(sheet, "clamp.plan_", i_c, sheet("clamp.plan_drive", slow_clamp.drive, v_node=node, v_reflected=vor), r_d, life, tank)
    net = max(float(plain(went["stays"]) * plain(offered)), 1e-12)
    exact = sheet("clamp.r_exact", clamp.resistor, v_clamp=goal, fs=fs,
                  q_clamp=sheet.given("clamp.plan_q_net", net, "C", "solved", "offered charge times the part that stays"))
    r = work.choose("clamp.r", lambda: at_most(min(float(exact.value), 9.1e6), "E24"),
                    "next E24 value below: never a higher clamp voltage than aimed at", exact=exact)
    forward = sheet.given("clamp.plan_q_forward", net / float(plain(went["returns"])) + float(plain(went["q_back"])), "C", "solved",
                          "what stays and what goes back, the first time")
    room = sheet("clamp.c_exact", slow_clamp.capacitor, q_forward=forward, ripple_ratio=sheet.rows["clamp.ripple_ratio"], v_clamp=goal)
    c = work.choose("clamp.c", lambda: at_least(max(float(room.value), 1e-11), "E6"),
                    "next E6 value above: ripple not larger than aimed at", exact=room)
    return {"stage": {"clamp_r": r, "clamp_c": c, "clamp_rd": r_d, "clamp_life": life}, "vf": DIODE_DROP, "goal": goal}


def _turned(sheet: Any, prefix: str, i_c: Any, v_drive: Any, r: Any, life: Any, tank: dict[str, Any]) -> dict[str, Any]:
    """How much of the current turns back, how often the ring brings it again, and what both do with the charge. tank: bus, reflected
    voltage, node, leakage, drop of the diode."""
    leakage = tank["leakage"]
    fall = sheet(f"{prefix}fall", slow_clamp.fall_over_life, leakage=leakage, i_clamp=i_c, life=life, v_drive=v_drive,
                 v_diode=tank["v_diode"])
    share = sheet(f"{prefix}r_share", slow_clamp.resistor_share, r=r, i_clamp=i_c, v_drive=v_drive)
    back = sheet(f"{prefix}back", slow_clamp.turned_back, fall=fall, share=share)
    i_back = sheet(f"{prefix}i_back", slow_clamp.current_back, back=back, i_clamp=i_c, v_diode=tank["v_diode"], v_drive=v_drive)
    reach = {"quality": clamp.RING_QUALITY,
             "swing": sheet(f"{prefix}swing", slow_clamp.swing, v_drive=v_drive, leakage=leakage, c_node=tank["c_node"], i_back=i_back),
             **{k: v for k, v in tank.items() if k != "v_diode"}}
    again = sheet(f"{prefix}i_again", slow_clamp.current_again, v_drive=v_drive, **reach)
    x = sheet(f"{prefix}again", slow_clamp.again_share, i_again=again, i_clamp=i_c)
    later = sheet(f"{prefix}back_again", slow_clamp.turned_back_again, fall=fall, share=share, again=x)
    count = sheet(f"{prefix}returns", slow_clamp.returns, again=x, back=later, quality=clamp.RING_QUALITY)
    once = sheet(f"{prefix}stays_once", slow_clamp.staying, share=share, back=back)
    return {"back": back, "i_back": i_back, "returns": count, "again": x, "later": later, "once": once,
            "stays": sheet(f"{prefix}stays", slow_clamp.staying_in_all, stays=once, returns=count), "ring_swing": reach["swing"],
            "i_bus": sheet(f"{prefix}i_bus", slow_clamp.current_to_bus, **reach),
            "q_back": sheet(f"{prefix}q_back", slow_clamp.charge_back, leakage=leakage, back=back, i_clamp=i_c, v_drive=v_drive,
                            share=share)}


def guess(v_or: float, p_in: float, fs: float) -> dict[str, float]:
    """Values to begin with, before there is a leakage."""
    return {**rcd.guess(v_or, p_in, fs), "clamp_rd": 5.0, "clamp_life": float(slow_clamp.lifetime(RECOVERY))}


def settle(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """The capacitor's balance with the charge that stays, and where the rest goes."""
    found = rcd.steady(sheet, s, o, "_net",
                       lambda strength: sheet("clamp.strength_left", slow_clamp.strength_left, stays=o["stays"], strength=strength),
                       lambda floor: sheet("clamp.crest_rare", slow_clamp.crest_rare, w=floor, i_one=o["i_one"], leakage=s.leakage,
                                           c=s.clamp_c, life=s.clamp_life))
    i_c, net = found["i_clamp"], found["crest"]
    drive = sheet("clamp.v_drive", slow_clamp.drive, v_node=found["node"], v_reflected=o["v_com"])
    r2 = sheet("clamp.r_reflected", turned_clamp.reflected_resistance, turns_primary=s.np, turns_secondary=s.ns[0], r_dynamic=s.r_rectifier,
               r_winding=s.r_winding, i_out=s.i_outputs[0], i_total=o["i_sum"])
    loop = sheet("clamp.r_loop", turned_clamp.loop_resistance, r_primary=s.r_primary, r_clamp=s.clamp_rd, r_reflected=r2)
    went = _turned(sheet, "clamp.", i_c, drive, loop, s.clamp_life,
                   {"v_bus": s.v_bus, "v_reflected": o["v_com"], "c_node": s.c_node, "leakage": s.leakage, "v_diode": s.clamp_vf})
    q = sheet("clamp.q", clamp.charge, c=s.clamp_c, ripple_pp=sheet("clamp.ripple_net", clamp.ripple, crest=net, kept=found["kept"]))
    return _balance(sheet, s, o,
                    {**went, "r_loop": loop, "kept": found["kept"], "floor": found["floor"], "net": net, "drive": drive, "i_clamp": i_c,
                     "q_clamp": q})


def _balance(sheet: Any, s: Any, o: dict[str, Any], w: dict[str, Any]) -> dict[str, Any]:
    """Crest, times and energies of one pulse, and what the core has to give beside the outputs."""
    leak = {"leakage": s.leakage, "i_clamp": w["i_clamp"]}
    forward = sheet("clamp.q_forward", slow_clamp.charge_forward, q_net=w["q_clamp"], returns=w["returns"], q_back=w["q_back"])
    t = sheet("clamp.t_reset", slow_clamp.reset_time, t_off=o["t_off"], q_forward=forward, i_clamp=w["i_clamp"], back=w["back"])
    at = sheet("clamp.crest_at", slow_clamp.crest_at, r=s.clamp_rd, i_clamp=w["i_clamp"], c=s.clamp_c, q_forward=forward)
    crest = sheet("clamp.v_crest", slow_clamp.crest, crest_net=w["net"], kept=w["kept"], q_forward=forward, c=s.clamp_c, at=at,
                  r=s.clamp_rd, i_clamp=w["i_clamp"])
    under = sheet.either("clamp.v_hold", plain(w["net"]) < plain(w["floor"]), w["floor"], w["net"],
                         "a capacitor left below the reflected voltage is filled up to it by the core while the secondary conducts")
    p, held = rcd.burnt(sheet, s, o, {**w, "crest": under})
    e_r = sheet("clamp.e_resistor", slow_clamp.resistor_energy, stays=w["once"], back=w["back"], returns=w["returns"], **leak)
    in_all = sheet("clamp.q_in_all", slow_clamp.charge_in_all, q_forward=forward, again=w["again"], back=w["later"],
                   quality=clamp.RING_QUALITY)
    e_d = sheet("clamp.e_diode_resistor", slow_clamp.own_part, e_resistor=e_r, r_diode=s.clamp_rd, r=w["r_loop"])
    away = sheet("clamp.e_away", slow_clamp.energy_away, v_drive=w["drive"], q_net=w["q_clamp"], v_diode=s.clamp_vf, q_in_all=in_all,
                 e_resistor=e_r, **leak)
    q_bus = sheet("clamp.q_bus", slow_clamp.charge_to_bus, leakage=s.leakage, i_bus=w["i_bus"], v_bus=s.v_bus, v_reflected=o["v_com"])
    taken = sheet("clamp.i_core", slow_clamp.current_from_core, p_clamp=p, fs=o["fs"], v_diode=s.clamp_vf, q_forward=in_all, e_resistor=e_d,
                  e_away=away, v_reflected=o["v_com"], q_bus_back=q_bus, i_secondary=o["i_sum"], r=s.clamp_r, **leak)
    return {**w, **held, "crest": crest, "q_forward": forward, "q_in_all": in_all, "t_clamp": t, "clamp_power": p, "e_resistor": e_d,
            "e_away": away, "q_back_bus": q_bus, "i_core": taken}


def secondary(sheet: Any, s: Any, o: dict[str, Any], i_fast: Any) -> Any:
    """Rms of all secondary current seen from the primary [A], with what turns back."""
    return sheet("secondary.i_rms", slow_clamp.secondary_rms, i_fast=i_fast, fs=o["fs"], t_clamp=o["t_clamp"], i_back=o["i_back"],
                 i_one=o["i_one"], i_clamp=o["i_clamp"], quality=clamp.RING_QUALITY, leakage=s.leakage, c_node=s.c_node)


def bus_power(sheet: Any, o: dict[str, Any], drawn: dict[str, Any]) -> Any:
    """Power [W] drawn from the bus, less what the body diode hands back."""
    return sheet("switch.p_bus", handed_back.bus_power, charge=o["q_back_bus"], **drawn)


def measures(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """Mean clamp voltage, the node it holds, its diode's loss, what goes back and the ring it leaves."""
    sheet("clamp.ripple_pp", slow_clamp.ripple, q_forward=o["q_forward"], c=s.clamp_c)
    sheet("clamp.power_back", slow_clamp.power_back, fs=o["fs"], q_back=o["q_back"], v_clamp=o["net"])
    return {"v_clamp": rcd.mean(sheet, s, o, o["held"]["crest"]),
            "v_node": sheet("clamp.v_node", clamp.node_voltage, v_clamp=o["crest"], v_diode=s.clamp_vf),
            "loss_clamp_diode": sheet("clamp.loss_diode", slow_clamp.diode_loss, fs=o["fs"], v_diode=s.clamp_vf, q_forward=o["q_in_all"],
                                      e_resistor=o["e_resistor"]),
            "loss_ring": sheet("clamp.loss_ring", slow_clamp.ring_power, fs=o["fs"], c_node=s.c_node, v_drive=o["drive"],
                               e_away=o["e_away"], leakage=s.leakage, i_bus=o["i_bus"])}


def record(work: Work, v_bus: Any, rows: dict[str, Any], plan: dict[str, Any], budget: float, v_class: float) -> None:
    """Parts of the clamp, and what its figures leave out."""
    rcd.record(work, v_bus, rows, plan, budget, v_class)
    work.find(NOTE, "clamp", f"what turns round rings: {show(float(np.max(plain(rows['ring_swing']))), 'V', 2)} about bus and reflected "
              f"voltage, as far as ground lets it, where a fast diode leaves {show(float(np.max(plain(rows['drive']))), 'V', 2)}; the "
              "charge a slow diode stores differs from maker to maker and with heat, and its forward recovery, which lifts the peak by "
              "some volts, is left out; its power without load is an upper estimate: measure the drain before the series is released",
              "switch.v_peak", "clamp.recovery")


def stored(diode: Element, life: float, r: float) -> tuple[Element, ...]:
    """A diode with its stored charge, of a lifetime [s], and series resistor [Ω] (the lumped charge model of a diode, textbooks, from
    memory): the switch beside it lets current back until the store, a capacitor that the diode's own current fills, is empty."""
    anode, cathode = diode.nodes
    return (Element("Vdq", (anode, "dqa"), "DC 0", "clamp"), Element(diode.name, ("dqa", "dqb"), diode.value, "clamp"),
            Element("Ddq", ("dqb", "dqc"), "DBACK", "clamp"), Element("Sdq", ("dqc", "dqa", "qd", "0"), "STORED", "clamp"),
            Element("Rdq", ("dqb", cathode), number(r), "clamp"),
            Element("Fdq", ("0", "qd"), "Vdq 1", "clamp"), Element("Cqd", ("qd", "0"), number(STORE), "clamp"),
            Element("Rqd", ("qd", "0"), number(life / STORE), "clamp"))


STORED_MODELS = (diode_model("DBACK", 1e-3, ON), f".model STORED SW(RON={number(ON)} ROFF=1e7 VT={number(EMPTY)} VH=0)")


def elements(s: Any, at: Any, v_clamp: float) -> tuple[Element, ...]:
    """The slow diode, and resistor and capacitor between the clamp's node and the bus."""
    return (*stored(clamping.DIODE, at(s.clamp_life), at(s.clamp_rd)), *rcd.elements(s, at, v_clamp)[1:])


def models(s: Any, at: Any) -> tuple[str, ...]:
    """Models that its elements want."""
    return (clamping.model(at(s.clamp_vf)), *STORED_MODELS)


def symbols(value: Any) -> list[tuple[Any, ...]]:
    """The clamp as drawn: the diode's resistor lies between it and the drain."""
    diode, wire = clamping.SYMBOLS
    return [diode, ("resistor", wire[1], wire[2], value("clamp.r_diode"), "primary", "Rdq"), *rcd.symbols(value)[len(clamping.SYMBOLS) :]]
