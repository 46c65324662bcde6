"""Active clamp of a flyback: a second switch lets the capacitor hand the leakage energy back and brings the node down before each pulse."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import LOOK_AT
from rhevectra.core.basis.preferred import at_least, at_most
from rhevectra.core.basis.sheet import plain
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import flyback, turned_clamp
from rhevectra.core.formulas.clamp import RING_QUALITY
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages import clamping, pulse_duty
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "active"
FALLS = clamping.FALLS
RESTS, BURNS_IN_SWITCH, TURNS, ROOM = False, False, True, 1.2
"""TURNS: its current turns round, and the core's with it. ROOM: its voltage over the reflected one when the switch class decides."""
GRAZED = clamping.GRAZED
CARRIES = ("x_s", "t_wait", "i_kink")
STAGE = ("clamp_r", "clamp_c", "clamp_dead")
"""Hot resistance of the clamp switch [Ω], the capacitor [F], the longest dead time [s]."""
NO_PICTURES = clamping.OF_RCD
BURNING = ("scl", "dcl")
CURES = {"switch.v_peak": "flyback.v_or", "clamp.share": "light_load", "clamp": "clamp.c"}
LOSSES = {"clamp_switch": "clamp_power"}
bus_power = clamping.bus_power
HALF_RINGS, DAMPED, DAMPED_PLAN, SHARE = 1.2, 0.9, 0.7, 0.6
"""More half rings than this in a window bring the current round too early; beyond this share of critical damping the capacitor is larger
than anything gains by."""
LOOP = 2.8
"""Resistance of the whole loop over that of the clamp switch, before the windings are known (typical, from memory)."""
DEAD_SHARE = 0.025
"""Dead time, share of the period (common practice, no source)."""
DECISIONS = (
    DecisionSpec("clamp.switch", "Clamp switch class", "clamp", "choice", table="switches",
                 schools="as small as its rms current lets it be"),
    DecisionSpec("clamp.c", "Clamp capacitor", "clamp", unit="F", low=1e-9, high=100e-6, step="E12",
                 schools="half its ring as long as the open time; several times more: flat voltage, slow to follow"),
    DecisionSpec("clamp.dead_time", "Longest dead time", "clamp", unit="s", low=0.0, high=2e-6,
                 schools="a quarter of the leakage's ring; longer where the core's current, turned round, is to bring the node down"),
)
FIGURES = (
    FigureSpec("clamp.v", "Clamp capacitor crest", "V̂_cl", "clamp", corners.PEAKS, limit="clamp.v_budget", limit_kind="max",
               fixed="leakage tolerance", look_only=True,
               sentence="reflected voltage and what turns the leakage current round within the open time"),
    FigureSpec("clamp.ripple_pp", "Clamp ripple, peak to peak", "ΔV_cl", "clamp", corners.PEAKS),
    FigureSpec("clamp.i_rms", "Clamp current, rms", "I_cl", "clamp", corners.LOADED, fixed="leakage tolerance",
               sentence="through the clamp switch and its capacitor"),
    FigureSpec("clamp.v_on", "Drain voltage at turn-on", "V_t", "clamp", corners.FULL,
               fixed="leakage tolerance; the dead time the controller closes the switch at the node's lowest",
               sentence="zero where the leakage, or the core's current turned round, brings the node to ground"),
    FigureSpec("clamp.power", "Clamp switch loss", "P_cl", "clamp", corners.LOADED,
               fixed="leakage tolerance; its first moments through the body diode left out"),
    *clamping.AT_LITTLE_LOAD,
    FigureSpec("clamp.half_rings", "Half rings in the open time", "x", "clamp", corners.LOADED, limit="clamp.half_rings_limit",
               limit_kind="max", look_only=True),
    FigureSpec("clamp.damping", "Loop damping (critical 1)", "d", "clamp", corners.LOADED, limit="clamp.damping_limit", limit_kind="max",
               look_only=True),
    FigureSpec("clamp.share", "Secondary's share of open time", "x_s", "clamp", corners.IDLE, "min", "clamp.share_limit", "min",
               look_only=True,
               sentence="where the core's current turns round by more than the leakage rings, the secondary stops before the next pulse"),
)
PLATES = (("clamp", "Active clamp", "clamp.v"),)


def target(work: Work, v_class: float, derating: float, v_bus: float, v_or: float) -> float:
    """What the rating leaves above the highest bus [V]; the clamp's own voltage follows from the leakage."""
    work.sheet.given("bus.v_top", v_bus, "V", "solved", "highest bus")
    return derating * v_class - v_bus - clamping.DIODE_DROP


def design(work: Work, v_target: float, leakage: float, i_one: float, v_or: float, c_node: float, fs: float) -> dict[str, Any]:
    """The capacitor by its ring with the leakage, and the dead time."""
    sheet = work.sheet
    top = float(sheet.rows["bus.v_top"].value)
    longest = sheet.given("clamp.plan_open", top / (v_or + top) / fs, "s", "solved", "open time of an ideal stage at the highest bus")
    exact = sheet("clamp.c_exact", turned_clamp.half_ring_capacitor, t_open=longest, leakage=leakage)
    most = sheet("clamp.c_damped", turned_clamp.damped_capacitor, damping=DAMPED_PLAN, leakage=leakage,
                 r=sheet.given("clamp.plan_r", LOOP * float(sheet.rows["clamp.r_hot"].value), "Ω", "rule",
                               f"{LOOP:g} × the clamp switch's: with the windings (typical, from memory)"))
    rings = float(exact.value) <= float(most.value)
    c = work.choose("clamp.c", lambda: float(at_least(max(float(exact.value), 1e-9), "E6") if rings else at_most(float(most.value), "E6")),
                    "next E6 value above: half a ring with the leakage lasts as long as the longest open time" if rings
                    else f"next E6 value below: the loop would damp a slower ring beyond {DAMPED_PLAN:g} of critical", exact=exact,
                    most=most)
    dead = work.choose("clamp.dead_time", lambda: float(f"{DEAD_SHARE / fs:.2g}"),
                       f"{DEAD_SHARE * 100:g} % of the period; used where the core's current has turned round (common practice)")
    return {"stage": {"clamp_r": sheet.rows["clamp.r_hot"], "clamp_c": c, "clamp_dead": dead}, "vf": clamping.DIODE_DROP}


def guess(v_or: float, p_in: float, fs: float) -> dict[str, float]:
    """Values to begin with: half a ring of 1.5 % leakage over some six tenths of the period."""
    leakage = 0.015 * 0.25 * v_or**2 / (0.8 * p_in * fs)
    return {"clamp_r": 0.005 * v_or**2 / p_in, "clamp_c": (0.6 / fs / np.pi) ** 2 / leakage, "clamp_dead": DEAD_SHARE / fs}


def idle_current(s: Any, v_or: Any) -> float:
    """The capacitor gives back what it takes."""
    return 0.0


def settle(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """Ring of the capacitor, what the leakage carries backwards at its end, and where it brings the node."""
    core = {"v_reflected": o["v_or"], "lm": o["lm"]}
    r2 = sheet("clamp.r_reflected", turned_clamp.reflected_resistance, turns_primary=s.np, turns_secondary=s.ns[0], r_dynamic=s.r_rectifier,
               r_winding=s.r_winding, i_out=s.i_outputs[0], i_total=o["i_sum"])
    r = sheet("clamp.r_loop", turned_clamp.loop_resistance, r_primary=s.r_primary, r_clamp=s.clamp_r, r_reflected=r2)
    alpha = sheet("clamp.alpha", turned_clamp.damping, r=r, leakage=s.leakage)
    c = sheet("clamp.c_ringing", turned_clamp.ringing_part, c=s.clamp_c, leakage=s.leakage, r=r)
    omega = sheet("clamp.omega", turned_clamp.ring_rate, leakage=s.leakage, c=c, r=r)
    t = sheet("clamp.t_window", turned_clamp.window, t_off=o["t_off"], t_back=o["t_com"])
    t_s = sheet("clamp.t_secondary", turned_clamp.conducting, share=o["x_s"], t_window=t)
    keep = sheet("clamp.ring_kept", turned_clamp.kept, alpha=alpha, t_conducting=t_s)
    drift = sheet("clamp.i_drift", turned_clamp.drift, c=c, r_reflected=r2, **core)
    q = sheet("clamp.q_after", turned_clamp.charge_after, t_window=t, t_conducting=t_s, i_one=o["i_one"], i_kink=o["i_kink"], **core)
    first, while_on = {"i_one": o["i_one"], "i_drift": drift}, {"t_conducting": t_s, "omega": omega}
    a = sheet("clamp.ring_cosine", turned_clamp.ring_cosine, keep=keep, c=c, r_reflected=r2, alpha=alpha, q_after=q, **first, **while_on,
              **core)
    b = sheet("clamp.ring_sine", turned_clamp.ring_sine, c=c, alpha=alpha, cosine=a, omega=omega, **first)
    v_0 = sheet("clamp.v_start", turned_clamp.start_voltage, r=r, i_drift=drift, r_reflected=r2, t_conducting=t_s, cosine=a, **core)
    i_q = sheet("clamp.i_sine", turned_clamp.sine_current, c=c, alpha=alpha, sine=b, omega=omega, cosine=a)
    i_z = sheet("clamp.i_ring", turned_clamp.ring_back, keep=keep, i_sine=i_q, **first, **while_on)
    loop = {"cosine": a, "r_reflected": r2, "q_after": q, "c": c, "r": r, "leakage": s.leakage, "i_ring": i_z, "t_conducting": t_s, **first,
            **core}
    ring = {"r_loop": r, "r_reflected": r2, "alpha": alpha, "omega": omega, "t_clamp": t, "t_secondary": t_s, "i_drift": drift,
            "q_after": q, "ring_cosine": a, "ring_sine": b, "i_sine": i_q, "v_start": v_0,
            "v_stop": sheet("clamp.v_stop", turned_clamp.given_after, q_after=q, c=c),
            "x_s": sheet("clamp.share", turned_clamp.conducting_share, t_window=t, **loop),
            "moment": sheet("clamp.moment", turned_clamp.first_moment, **loop),
            "square": sheet("clamp.square", turned_clamp.square_integral, i_sine=i_q, keep=keep, alpha=alpha, q_after=q, **first,
                            **while_on),
            "i_back": sheet("clamp.i_back", turned_clamp.current_back, i_end=o["i_end"], i_ring=i_z)}
    kink = sheet("clamp.i_kink", turned_clamp.kink, t_window=t, t_conducting=t_s, r=r, r_reflected=r2, q_after=q, v_start=v_0,
                 v_stop=ring["v_stop"], lp=s.lp, **core)
    ring |= {"i_kink": kink,
             "q_kink": sheet("clamp.q_kink", turned_clamp.kink_charge, i_kink=kink, t_off=o["t_off"], t_window=t, t_conducting=t_s)}
    return ring | _turn_on(sheet, s, o, ring) | _taken(sheet, s, o, ring)


def _turn_on(sheet: Any, s: Any, o: dict[str, Any], ring: dict[str, Any]) -> dict[str, Any]:
    """Where the node is when the main switch closes, what the leakage still carries then, and how long it takes to turn round."""
    bus = {"v_bus": s.v_bus, "v_reflected": o["v_or"]}
    reach = sheet("clamp.fall", turned_clamp.fall, quality=RING_QUALITY, v_start=ring["v_start"], v_reflected=o["v_or"], leakage=s.leakage,
                  c_node=s.c_node, i_back=ring["i_back"])
    tank = {"leakage": s.leakage, "c_node": s.c_node, "i_end": o["i_end"], "amplitude": reach}
    v_one = sheet("clamp.v_one", turned_clamp.node_by_leakage, **tank, **bus)
    t_one = sheet("clamp.t_one", turned_clamp.time_by_leakage, **tank)
    wait = sheet("clamp.t_wait", turned_clamp.waiting, i_end=o["i_end"], i_one=o["i_one"], t_dead=s.clamp_dead, t_one=t_one,
                 c_node=s.c_node, v_one=v_one)
    v_on = sheet("switch.v_turn_on", turned_clamp.turn_on_voltage, v_one=v_one, i_end=o["i_end"], t_wait=wait, c_node=s.c_node)
    start = sheet("switch.i_turn_on", turned_clamp.current_at_start, i_end=o["i_end"], v_bus=s.v_bus, v_one=v_one, v_turn_on=v_on,
                  t_wait=wait, lp=s.lp)
    left = sheet("switch.i_left", turned_clamp.current_left, i_start=start, amplitude=reach, c_node=s.c_node, leakage=s.leakage, **bus)
    t_com = sheet("switch.t_commutation", turned_clamp.commutation_time, leakage=s.leakage, i_start=start, i_left=left, t_off=o["t_off"],
                  **bus)
    taken = sheet("clamp.i_core", turned_clamp.current_from_core, fs=s.fs, i_start=start, i_left=left, t_com=t_com, c_node=s.c_node,
                  v_one=v_one, q_kink=ring["q_kink"], **bus)
    whole = sheet("clamp.t_back", turned_clamp.time_back, t_one=t_one, t_com=t_com)
    return {"v_turn_on": v_on, "i_start": start, "t_wait": wait, "i_left": left, "t_turned": t_com, "t_com": whole, "i_core": taken}


def _taken(sheet: Any, s: Any, o: dict[str, Any], ring: dict[str, Any]) -> dict[str, Any]:
    """What the clamp switch burns: its resistance, and its turn-off while the node softens it."""
    core = {"v_reflected": o["v_or"], "lm": o["lm"]}
    after = sheet("clamp.square_after", turned_clamp.square_after, t_window=ring["t_clamp"], t_conducting=ring["t_secondary"],
                  i_one=o["i_one"], i_kink=ring["i_kink"], **core)
    i_rms = sheet("clamp.i_rms", turned_clamp.clamp_rms, fs=o["fs"], square=ring["square"], square_after=after)
    t_r = sheet("clamp.t_zero", turned_clamp.ring_zero, i_sine=ring["i_sine"], i_one=o["i_one"], i_drift=ring["i_drift"],
                omega=ring["omega"])
    way = {"v_start": ring["v_start"], "cosine": ring["ring_cosine"], "r_reflected": ring["r_reflected"], "t_ring": t_r,
           "alpha": ring["alpha"], "omega": ring["omega"], "sine": ring["ring_sine"], **core}
    half, late, end = (sheet(f"clamp.v_at{k}", turned_clamp.voltage_at, part=part, **way) for k, part in enumerate((0.5, 0.75, 1.0), 1))
    crest = sheet("clamp.v_crest", turned_clamp.crest, v_start=ring["v_start"], v_half=half, v_late=late, v_ring=end)
    stands = sheet("clamp.v_blocks", flyback.plateau, v_bus=s.v_bus, v_reflected=o["v_or"])
    t_v = sheet("clamp.t_voltage", flyback.voltage_rise_in_fall, t_fall=s.t_fall, v_off=stands, c_node=s.c_node, i_peak=ring["i_back"])
    e = sheet("clamp.e_off", flyback.turn_off_energy, i_peak=ring["i_back"], t_fall=s.t_fall, c_node=s.c_node, t_voltage=t_v, v_off=stands)
    power = sheet.total("clamp.power", "W", "conduction (hot) and turn-off, its fall as long as the main switch's",
                        conduction=sheet("clamp.loss_conduction", resistive_loss, r=s.clamp_r, i_rms=i_rms),
                        turn_off=sheet("clamp.loss_turn_off", flyback.energy_rate, energy=e, fs=o["fs"]))
    return {"i_clamp_rms": i_rms, "crest": crest, "clamp_power": power, "i_clamp": o["i_one"]}


def measures(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """Crest again, ripple, and how the ring fits the open time."""
    sheet("clamp.ripple_pp", turned_clamp.swing, v_crest=o["crest"], v_start=o["v_start"])
    sheet("clamp.half_rings", turned_clamp.half_rings, t_conducting=o["t_secondary"], omega=o["omega"])
    sheet("clamp.damping", turned_clamp.damping_share, r=o["r_loop"], c=s.clamp_c, leakage=s.leakage)
    return {"v_clamp": sheet.again("clamp.v", o["crest"]), "v_node": o["crest"]}


def record(work: Work, v_bus: Any, rows: dict[str, Any], plan: dict[str, Any], budget: float, v_class: float) -> None:
    """Capacitor class, limits, the node at turn-on and what light load means here."""
    sheet = work.sheet
    clamping.budget(work, budget, "derating and bus")
    pulse_duty.choose_class(work, "clamp.c_v_class", float(np.max(plain(rows["crest"]))), voltage=rows["v_clamp"])
    sheet.again("clamp.v_on", rows["v_turn_on"])
    sheet.given("clamp.half_rings_limit", HALF_RINGS, "", "rule",
                "beyond it the current turns round a second time before the next pulse (common practice: one)")
    sheet.given("clamp.damping_limit", DAMPED, "", "rule",
                "a capacitor far larger than its ring asks for follows the load slowly and gains nothing; beyond nearly critical damping "
                "these figures are drawn as at it")
    sheet.given("clamp.share_limit", SHARE, "", "rule",
                "below it the figures near no load are rough, up to a fifth high (against the exact period)")
    clamping.at_little_load(work, rows["clamp_power"])
    if work.choose.pins.get("rectifier.snubber") == "rc":
        work.find(LOOK_AT, "rectifier", "snubbers under an active clamp: their loss is an estimate within a third, as the soft edges of "
                  "the clamp feed them more slowly than the formula assumes; the exact period tells it", "rectifier1.loss",
                  "rectifier.snubber")
    if str(work.choose("light_load", "skip", "").value) == "fixed":
        work.find(LOOK_AT, "clamp", "at a fixed rate the core's current swings through zero at every load: what that burns at no load is "
                  "in clamp.power_idle and the losses; pulses in packets (skip) rest in between", "clamp.power_idle", "light_load")


def elements(s: Any, at: Any, v_clamp: float) -> tuple[Element, ...]:
    """Clamp switch with its body diode, and the capacitor to the bus."""
    return (clamping.DIODE, Element("Scl", ("drain", "cl", "gate2", "0"), "CLAMPSWITCH", "clamp"),
            Element("Ccl", ("cl", "bus"), f"{number(at(s.clamp_c))} IC={number(v_clamp)}", "clamp"))


def models(s: Any, at: Any) -> tuple[str, ...]:
    """The switch by its hot resistance, and its body diode."""
    return (clamping.model(at(s.clamp_vf)), f".model CLAMPSWITCH SW(RON={number(at(s.clamp_r))} ROFF=1e7 VT=5 VH=0)")


def symbols(value: Any) -> list[tuple[Any, ...]]:
    """The clamp as drawn, from the bus down to the drain."""
    return [("capacitor", (26, 8), (26, 16), value("clamp.c"), "primary", "Ccl"), ("switch", (26, 14), (26, 28), "", "primary", "Scl"),
            ("note", (17, 3), (17, 6), f"clamp {value('clamp.switch')}", "primary", "Scl"),
            ("wire", (26, 28), (26, 36), "", "primary", "Scl"), ("wire", (26, 36), (44, 36), "", "primary", "Scl")]
