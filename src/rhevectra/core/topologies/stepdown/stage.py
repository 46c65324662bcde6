"""One pulse of a step-down stage into its filter, at every corner at once.

Written once and run three ways: traced, as far as the next pass needs it, until it settles; on `Quick` with bare numbers; and once more on
the recording sheet.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct, field

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import Sheet, plain
from rhevectra.core.formulas import active_clamp, both_ways, flyback, forward, output, phase_shift, spike
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages.wound import core_loss
from rhevectra.core.topologies.common.chokes import eddies
from rhevectra.core.topologies.common.passes import Settled, last, record_last, settle
from rhevectra.core.topologies.common.secondary_kinds import DOUBLER, TAP
from rhevectra.core.topologies.common.supply import AUX_DROP
from rhevectra.core.topologies.stepdown import active, phase, primary_snubber, secondary, snubbers
from rhevectra.core.topologies.stepdown.variant import Variant

PASSES = 40
RING_QUALITY = 20.0
"""Quality factor of the ring between leakage and nodes (common practice, no source)."""
_CARRIED = {"i_mid": "A", "i_load": "A", "i_mag": "A"}


class Stage(Struct, frozen=True):
    """The power stage, numbers or rows. Inductances [H], capacitances [F], resistances [Ω].

    v_bus, i_out (load and bleed), is_limit have the shape of the grid; r_path holds both switches, sense resistor and primary winding;
    core: material row of the transformer; choke: what the filter inductor's core loss needs;
    leakage includes the series inductor of a phase-shifted bridge, whose own numbers stand in extra. spike: resistor and leakage of the
    clamp where another winding holds the open switch; nr: turns of a reset winding (of a tapped primary: its own). secondary: its kind; ns,
    r_secondary: of its winding (of one half of a tap), inductance, r_inductor: of one filter inductor. snubs: across the rectifiers; held:
    of their clamp in a phase-shifted bridge; across_primary: of the primary's snubber. others: outputs beside the regulated one, whose
    current and resistances i_out and r are then alone.
    """

    variant: Variant
    v_bus: Any
    i_out: Any
    v_out: Any
    v_forward: Any
    r_rectifier: Any
    r_secondary: Any
    r_inductor: Any
    np: Any
    ns: Any
    inductance: Any
    lm: Any
    leakage: Any
    r_switch: Any
    r_primary: Any
    fs: Any
    f_floor: Any
    t_floor: Any
    c_node: Any
    t_fall: Any
    limit: Mapping[str, Any]
    is_limit: Array
    core: Mapping[str, Any]
    area: Any
    volume: Any
    core_temperature: Any
    p_controller: Any
    choke: Mapping[str, Any]
    nr: Any = None
    secondary: str = TAP
    spike: Mapping[str, Any] = field(default_factory=dict)
    r_sense: Any = 0.0
    extra: dict[str, Any] = field(default_factory=dict)
    snubs: tuple[snubbers.Across, ...] = ()
    held: Mapping[str, Any] = field(default_factory=dict)
    across_primary: Mapping[str, Any] = field(default_factory=dict)
    others: tuple[Any, ...] = ()


def advance(sheet: Any, s: Stage, b: Mapping[str, Any]) -> dict[str, Any]:
    """One pass over the period of a stage with the centre tap that behaves alike, as far as the next one needs it."""
    turns, v = {"turns_secondary": s.ns, "turns_primary": s.np}, s.variant
    r_path = sheet.total("switch.r_path", "Ω", "the switches that conduct together, hot, current sense and primary winding in series",
                         **{f"switch{k}": s.r_switch for k in range(1, v.in_path + 1)}, sense=s.r_sense, primary=s.r_primary,
                         **({"series": s.extra["r_series"]} if v.phase else {}))
    v_in = sheet("transformer.v_primary", forward.primary_voltage, share=v.drive, v_bus=s.v_bus) if v.drive != 1 else s.v_bus
    v_wound = (sheet("transformer.v_behind_leakage", phase_shift.behind_leakage, v_primary=v_in, lm=s.lm, leakage=s.leakage) if v.phase
               else v_in)
    up = sheet("filter1.v_up", forward.voltage_up, v_out=s.v_out, v_primary=v_wound, r_primary=r_path, i_mid=b["i_mid"],
               i_mag=0.0 if v.both_ways or v.active else b["i_mag"], v_forward=s.v_forward,
               r_rectifier=sheet.total("rectifier.r_feeding", "Ω", "rectifier and secondary winding", rectifier=s.r_rectifier,
                                       winding=s.r_secondary), r_inductor=s.r_inductor, inductance=s.inductance, leakage=s.leakage, **turns)
    r_feed = sheet.total("filter1.r_feeding", "Ω", "rectifier, secondary and inductor while the switches feed", rectifier=s.r_rectifier,
                         winding=s.r_secondary, inductor=s.r_inductor)
    r_free = (sheet("rectifier.r_freewheeling", forward.freewheeling_resistance, r_rectifier=s.r_rectifier,
                    r_winding=s.r_secondary if s.secondary == TAP else 0.0) if v.both_ways else s.r_rectifier)
    down = sheet("filter1.v_down", forward.voltage_down, v_out=s.v_out, v_forward=s.v_forward, r_rectifier=r_free, r_inductor=s.r_inductor,
                 i_mid=b["i_mid"])
    between = phase.between_pulses(sheet, s, b, down, r_path) if v.phase else {"down": down}
    down = between["down"]
    r_wheel = sheet.total("filter1.r_freewheeling", "Ω", "rectifier and inductor while it freewheels", rectifier=r_free,
                          inductor=s.r_inductor)
    c_p = sheet("transformer.c_primary", forward.across_primary, count=v.across, c_node=s.c_node)
    fed = _fed(sheet, s, b, {"v_up": up, "v_down": down}, v_in, c_p)
    t_c, mag = _magnetising(sheet, s, b, {**fed, "c_p": c_p, "v_in": v_in, "fs": fed["nominal"] if v.active else fed["fs"]})
    i_mag, low = mag["i_mag"], fed["valley"]
    if v.active:
        start = sheet("switch.i_start", active_clamp.start, i_valley=low, i_back=mag["i_back"], **turns)
    elif v.both_ways:
        start = sheet("switch.i_start", both_ways.start, i_valley=low, i_mag=i_mag, **turns)
    else:
        start = sheet("switch.i_start", flyback.to_primary, current=low, **turns)
    peak = sheet("switch.i_peak", forward.switch_peak, i_crest=fed["crest"], i_mag=i_mag, **turns)
    out = {**fed, "v_in": v_in, "v_wound": v_wound, "c_p": c_p, "up": up, "down": down, "t_c": t_c, "i_start": start, "i_peak": peak,
           "i_load": b["i_load"], "r_path": r_path, "r_feed": r_feed, "r_wheel": r_wheel, **between, **mag}
    return out | (phase.circulation(sheet, s, b, out) if v.phase else {}) | _next(s, out)


def _fed(sheet: Any, s: Stage, b: Mapping[str, Any], volts: Mapping[str, Any], v_in: Any, c_p: Any) -> dict[str, Any]:
    """Rate and times of the pulses and the filter's current; the conduction mode is decided per corner."""
    nominal = sheet("switch.rate_nominal", forward.pulse_frequency, pulses=s.variant.pulses, fs=s.fs)
    load, stands = {"inductance": s.inductance, "i_out": b["i_load"], **volts}, s.variant.stands
    dcm = both_ways.feeding_dcm if stands else forward.feeding_dcm
    if stands:
        load |= {"v_out": s.v_out, "c_primary": c_p, "v_primary": v_in, "lm": s.lm, "turns_secondary": s.ns, "turns_primary": s.np}
    wanted = sheet("switch.t_dcm_full_rate", dcm, fs=nominal, **load)
    fs = sheet("switch.pulse_rate", forward.pulse_rate, fs=nominal, f_floor=s.f_floor, t_feeding=wanted, t_floor=s.t_floor)
    t_ccm = sheet("switch.t_feeding_ccm", forward.feeding_ccm, fs=fs, **volts)
    t_dcm = sheet("switch.t_feeding_dcm", dcm, fs=fs, **load)
    discontinuous = plain(t_dcm) < plain(t_ccm)
    t_e = sheet.either("switch.t_feeding", discontinuous, t_dcm, t_ccm, "discontinuous where the triangle of current fits into the period")
    ripple = sheet("filter1.i_ripple_pp", forward.ripple_current, v_up=volts["v_up"], t_feeding=t_e, inductance=s.inductance)
    t_d = sheet("filter1.t_down", forward.freewheeling, t_feeding=t_e, **volts)
    mean = {"i_out": b["i_load"], "ripple": ripple}
    low = (sheet("filter1.i_valley", both_ways.valley, **mean, fs=fs, t_feeding=t_e, t_freewheeling=t_d) if stands
           else sheet("filter1.i_valley", forward.valley, **mean))
    return {"fs": fs, "nominal": nominal, "t_e": t_e, "t_d": t_d, "ripple": ripple, "valley": low,
            "crest": sheet("filter1.i_peak", forward.crest, i_valley=low, ripple=ripple), "discontinuous": discontinuous}


def period(sheet: Any, s: Stage, b: Mapping[str, Any]) -> dict[str, Any]:
    """All of one pass."""
    whole, s = s, secondary.seen(sheet, s)
    o = advance(sheet, s, b)
    o["i_l"] = sheet("filter1.i_rms", forward.inductor_rms, fs=o["fs"], t_feeding=o["t_e"], t_freewheeling=o["t_d"], i_valley=o["valley"],
                     i_crest=o["crest"])
    if s.variant.stands:
        o["i_stands"] = sheet("filter1.i_stands", both_ways.stands, i_mag=o["i_mag"], fs=o["fs"], c_primary=o["c_p"], v_out=s.v_out,
                              turns_secondary=s.ns, turns_primary=s.np)
        o["e_ring"] = sheet("switch.e_ring", both_ways.ring_energy, leakage=s.leakage, turns_secondary=s.ns, turns_primary=s.np,
                            i_crest=o["crest"], c_primary=o["c_p"], v_primary=o["v_in"])
    t_x = sheet("switch.t_after", forward.feeding_after, c_primary=o["c_p"], v_primary=o["v_in"], i_peak=o["i_peak"])
    o["t_on"] = sheet("switch.t_on", forward.on_time, t_feeding=o["t_e"], t_commutation=o["t_c"], t_after=t_x)
    o["f_switch"] = sheet("switch.frequency", forward.switch_frequency, rate=o["fs"], pulses=s.variant.pulses)
    o["one"] = secondary.inductor(sheet, whole, o)
    return o | _primary(sheet, s, o)


def _magnetising(sheet: Any, s: Stage, b: Mapping[str, Any], o: Mapping[str, Any]) -> tuple[Any, dict[str, Any]]:
    """Time the leakage takes over, and the magnetising current as the variant has it."""
    v, turns = s.variant, {"turns_secondary": s.ns, "turns_primary": s.np}
    if v.phase:
        i_mag = sheet("transformer.i_mag", both_ways.magnetising, v_primary=o["v_in"], t_feeding=o["t_e"], lm=s.lm)
        return (sheet("switch.t_commutation", phase_shift.turning_time, inductance=s.leakage, i_left=b["i_left"], i_valley=o["valley"],
                      i_mag=i_mag, v_primary=o["v_in"], **turns), {"i_mag": i_mag})
    t_c = sheet("switch.t_commutation", forward.commutation, leakage=s.leakage, i_valley=o["valley"], v_primary=o["v_in"], **turns)
    if v.active:
        return t_c, active.magnetising(sheet, s, o["t_e"], t_c, o["fs"], o["v_in"], o["c_p"], o["crest"])
    return (t_c, {
        "i_mag": sheet("transformer.i_mag", both_ways.magnetising if v.both_ways else forward.magnetising, v_primary=o["v_in"],
                       t_feeding=o["t_e"], lm=s.lm)})


def _primary(sheet: Any, s: Stage, o: Mapping[str, Any]) -> dict[str, Any]:
    """Primary currents, losses of switches and cores, and what the bus gives."""
    v = s.variant
    out = _currents(sheet, s, o) | _cores(sheet, s, o)
    now = {**o, **out}
    held = sheet("spike.v_held", spike.held_by_reset, v_bus=s.v_bus, turns_primary=s.np, turns_reset=s.nr) if v.reset else s.v_bus
    off = _turn_off(sheet, s, now, held)
    if v.phase:
        on, node = phase.turn_on(sheet, s, now), None
        ring = sheet.given("loss.winding_ring", 0.0, "W", "rule", "the leakage always lies against the bus or in a short circuit")
        more = {"turning": on["turning"]} | phase.series_core(sheet, s, now)
        out |= {"loss_node": on["node"], "p_series": more.get("series", 0.0), "p_series_eddies": more.get("series_eddies", 0.0)}
    else:
        v_on = (sheet("active.v_turn_on", active_clamp.turn_on_voltage, v_primary=o["v_in"], v_clamp=o["v_c"], i_back=o["i_back"], lm=s.lm,
                      c_primary=o["c_p"]) if v.active else _turned_on(sheet, s, o) if v.both_ways else o["v_in"])
        node = sheet("switch.loss_turn_on_all", forward.turn_on_loss,
                     c_primary=s.c_node if v.tapped else o["c_p"],  # the other node's share overshoots into the clamp
                     v_primary=v_on, fs=o["fs"])
        ring = (sheet("loss.winding_ring", both_ways.ring_power, fs=o["fs"], energy=o["e_ring"]) if v.both_ways
                else sheet.given("loss.winding_ring", 0.0, "W", "rule",
                                 "the leakage hands its energy back and the shorted winding holds the nodes"))
        more, on = ({"clamp": out["loss_clamp"], "loop": out["loop"]} if v.active else {}), {}
        out["loss_node"] = node
    clamp = _spike(sheet, s, now, held, out["t_l"])
    snub = snubbers.loss(sheet, s, now)
    damped = primary_snubber.loss(sheet, s, now)
    more |= secondary.loss_apart(sheet, s, now) | {f"snubbers{n}": x for n, x in snub["snubbers"].items()} | damped
    supply = _supply(sheet, s, o)
    ramps = sheet("switch.p_ramps", forward.ramp_loss, fs=o["fs"], t_feeding=o["t_e"], r_path=o["r_path"], i_peak=o["i_peak"],
                  i_start=o["i_start"], r_feeding=o["r_feed"], t_freewheeling=o["t_d"], r_freewheeling=o["r_wheel"], ripple=o["ripple"])
    also = sheet.total("switch.p_parallel", "W",
                       "what straight ramps leave out, core losses, eddies, ring, clamp, reset winding and controller, which draw no load "
                       "current through the filter", ramps=ramps, transformer=out["p_core"], inductor=out["p_choke"], eddies=out["p_eddy"],
                       ring=ring, controller=supply, **more, **{k: x for k, x in clamp.items() if k in ("spike", "reset")})
    if v.phase:
        p_bus = phase.bus_power(sheet, now, also, on["leading"], off["loss_off"])
    elif v.active:
        p_bus = active.bus_power(sheet, now, also, node, off["loss_off"])
    else:
        p_bus = sheet("switch.p_bus", both_ways.bus_power if v.both_ways else forward.bus_power, fs=o["fs"], v_primary=o["v_in"],
                      i_start=o["i_start"], i_peak=o["i_peak"], t_feeding=o["t_e"], t_commutation=o["t_c"], i_mag=o["i_mag"],
                      t_return=out["t_l"], p_core=also, p_node=node, p_off=off["loss_off"])
    return {**out, **off, "loss_ring": ring,
            "loss_on": sheet("switch.loss_conduction", resistive_loss, r=s.r_switch, i_rms=out["i_switch"]), "p_bus": p_bus, **clamp,
            **snub, **damped}


def _supply(sheet: Any, s: Stage, o: Mapping[str, Any]) -> Any:
    """What the controller takes from its winding, which is rectified while the switches feed; what was estimated before there is one."""
    aux = s.extra.get("aux")
    if aux is None:
        return s.p_controller
    volts = sheet("aux.v_high", output.auxiliary_in_pulse, v_primary=o["v_in"], turns_aux=aux["turns"], turns_primary=s.np,
                  v_forward=AUX_DROP)
    return sheet("loss.controller", output.supply_taken, v_aux=volts, v_forward=AUX_DROP, i_supply=aux["i"])


def _currents(sheet: Any, s: Stage, o: Mapping[str, Any]) -> dict[str, Any]:
    """Rms currents of switch and primary; i_heat leaves out a ring that has a loss of its own."""
    v = s.variant
    i_all = phase.rms(sheet, o) if v.phase else sheet("switch.i_rms_pulses", forward.switch_rms, fs=o["fs"], t_feeding=o["t_e"],
                                                      i_start=o["i_start"], i_peak=o["i_peak"], t_commutation=o["t_c"])
    i_sw = sheet("switch.i_rms", forward.one_of_pulses, i_all=i_all, pulses=v.pulses)
    if v.active:
        return {"i_all": i_all, "i_switch": i_sw, "t_l": o["t_l"], **active.currents(sheet, s, o, i_all)}
    t_l = sheet("switch.t_return", forward.leakage_return, leakage=s.leakage, i_crest=o["crest"], v_primary=o["v_in"], turns_secondary=s.ns,
                turns_primary=s.np)
    back = {"i_switch": i_all, "fs": o["fs"], "t_return": t_l, "i_peak": o["i_peak"], "i_mag": o["i_mag"]}
    if v.phase:
        i_p = i_heat = sheet.total("transformer.i_rms_primary", "A", "that of a leg, which carries it all the time", leg=i_all)
    elif v.both_ways:
        around = {"energy": o["e_ring"], "c_primary": o["c_p"], "leakage": s.leakage}
        i_p = sheet("transformer.i_rms_primary", both_ways.primary_rms, **back, quality=RING_QUALITY, **around)
        i_heat = sheet("transformer.i_rms_without_ring", both_ways.primary_rms, **back, quality=0.0, **around)
    elif v.reset:
        i_p = i_heat = sheet.total("transformer.i_rms_primary", "A",
                                   "that of the switch: reset and leakage return through the reset winding", switch=i_all)
    else:
        i_p = i_heat = sheet("transformer.i_rms_primary", forward.primary_rms, **back, t_feeding=o["t_e"])
    return {"i_all": i_all, "i_switch": i_sw, "t_l": t_l, "i_primary": i_p, "i_heat": i_heat}


def _turned_on(sheet: Any, s: Stage, o: Mapping[str, Any]) -> Any:
    """Voltage at which the switches of a core driven both ways turn on; of several outputs, or of two inductors, as if the nodes
    stood."""
    if s.others or s.secondary == DOUBLER:
        return o["v_in"]
    turns = {"turns_primary": s.np, "turns_secondary": s.ns}
    apart = sheet("switch.t_apart", both_ways.time_apart, fs=o["fs"], t_feeding=o["t_e"], inductance=s.inductance, v_down=o["down"],
                  i_crest=o["crest"], i_mag=o["i_mag"], **turns)
    helped = sheet("switch.v_turn_on_helped", both_ways.turn_on_voltage, v_primary=o["v_in"], v_out=s.v_out, t_apart=apart,
                   inductance=s.inductance, c_primary=o["c_p"], **turns)
    lasts = sheet("switch.t_helped", both_ways.time_helped, v_primary=o["v_in"], t_feeding=o["t_e"], v_out=s.v_out, **turns)
    return sheet.either("switch.v_turn_on", plain(apart) > plain(lasts), o["v_in"], helped,
                        "helped as long as the magnetising current lasts, from rest where pulses are rarer")


def _cores(sheet: Any, s: Stage, o: Mapping[str, Any]) -> dict[str, Any]:
    """Flux swing and loss of the transformer's core, loss of the filter inductor's and of its strands."""
    swing = sheet("transformer.b_swing", forward.flux_swing, v_primary=o["v_in"], t_feeding=o["t_e"], turns=s.np, area=s.area)
    p_core = core_loss(sheet, "transformer", s.core, s.core_temperature, s.volume, s.extra["kappa"], swing, o["f_switch"], o["t_e"],
                       o["t_e"])
    choke, one = s.choke, o["one"]
    swing_l = sheet("filter1.b_swing", flyback.flux_swing, v_reflected=o["down"], t_off=one["t_d"], turns=choke["turns"],
                    area=choke["area"])
    p_one = core_loss(sheet, "filter1", choke["core"], choke["temperature"], choke["volume"], choke["kappa"], swing_l, one["fs"],
                      one["t_e"], one["t_d"])
    burnt = eddies(sheet, choke, one["fs"], one["ripple"], one["t_e"], one["t_d"])
    return {"swing": swing, "p_core": p_core, "p_one": p_one, "p_choke": secondary.of_both(sheet, s, "filter1.loss_core_both", p_one),
            "p_eddy_one": burnt, "p_eddy": secondary.of_both(sheet, s, "filter1.loss_eddy_both", burnt)}


def _turn_off(sheet: Any, s: Stage, o: Mapping[str, Any], held: Any) -> dict[str, Any]:
    """Turn-off loss of one switch and of all; of a phase-shifted bridge the leg that begins a pulse turns off what still circulates."""
    v = s.variant
    if v.active:
        v_off = sheet("reset.v_switch", spike.reset_voltage, v_bus=s.v_bus, v_held=o["v_c"])
    else:
        v_off = sheet("reset.v_switch", spike.reset_voltage, v_bus=s.v_bus, v_held=held) if v.clamped else s.v_bus
    c_off = o["c_p"] if v.phase or v.active else s.c_node

    def one(name: str, current: Any) -> Any:
        t_v = sheet(f"switch.t_voltage{name}", flyback.voltage_rise_in_fall, t_fall=s.t_fall, v_off=v_off, c_node=c_off, i_peak=current)
        e_off = sheet(f"switch.e_off{name}", flyback.turn_off_energy, i_peak=current, t_fall=s.t_fall, c_node=c_off, t_voltage=t_v,
                      v_off=v_off)
        return sheet(f"switch.loss_turn_off{name}", flyback.energy_rate, energy=e_off, fs=o["f_switch"])
    first = one("", o["i_peak"])
    each = [first, one("_lagging", o["i_end"])] if v.phase else [first]
    off = sheet.total("switch.loss_turn_off_all", "W", "all switches",
                      **{f"switch{k}": each[k % len(each)] for k in range(1, v.switches + 1)})
    return {"one_off": first, "loss_off": off}


def _spike(sheet: Any, s: Stage, o: Mapping[str, Any], held: Any, t_return: Any) -> dict[str, Any]:
    """The clamp's excess voltage and its loss; nothing before it is chosen, and where there is none."""
    if not s.spike:
        return {}
    left = sheet("spike.i_left", spike.left_current, i_peak=o["i_peak"], nodes=s.variant.pulses, c_node=s.c_node, v_held=held,
                 leakage=s.leakage)
    step = sheet("spike.swing", spike.swing, v_bus=s.v_bus, fs=o["fs"], t_on=o["t_on"], quality=RING_QUALITY, leakage=s.leakage,
                 c_primary=o["c_p"])
    driven = {"nodes": s.variant.pulses, "r": s.spike["r"], "fs": o["fs"], "c_node": s.c_node, "l_half": s.spike["l_half"], "v_swing": step}
    core = sheet("spike.i_core", spike.of_core, i_mag=o["i_mag"], i_left=left)
    rest = sheet("spike.v_rest", spike.not_driven, v_held=held, r=s.spike["r"], fs=o["fs"], leakage=s.leakage, i_left=left, i_core=core)
    u = sheet("spike.excess_left" if s.variant.reset else "spike.excess", spike.excess_left,
              held=sheet("spike.excess_held", spike.excess, v_held=held, i_left=left, **driven),
              emptied=sheet("spike.excess_emptied", spike.excess, v_held=rest, i_left=core, **driven))
    reset = {}
    if s.variant.reset:
        kept = sheet.either("spike.i_kept", np.asarray(plain(o["valley"])) > 0, o["i_mag"],
                            sheet.given("spike.i_rung", 0.0, "A", "rule", "the filter runs empty: the node rings until the next pulse"))
        free = sheet("spike.excess_free", spike.excess_without, v_held=held, r=s.spike["r"], fs=o["fs"], lm=s.lm, c_node=s.c_node,
                     i_kept=kept, i_mag=o["i_mag"], leakage=s.leakage, i_peak=o["i_peak"])
        u = sheet("spike.excess", spike.excess_reached, held=u, free=free)
        i_reset = sheet("reset.i_rms", spike.reset_rms, turns_primary=s.np, turns_reset=s.nr, fs=o["fs"], t_feeding=o["t_e"],
                        i_mag=o["i_mag"], t_return=t_return, i_peak=o["i_peak"])
        reset["reset"] = sheet("loss.copper_reset", resistive_loss,
                               r=sheet.given("transformer.r_reset", s.extra["r_reset"], "Ω", "solved",
                                             "copper loss of the reset winding as it was chosen over its rms current squared"),
                               i_rms=i_reset)
    return {**reset, "spike_u": u, "held": held, "spike": sheet("spike.power", spike.power, v_held=held, excess=u, r=s.spike["r"])}


def _next(s: Stage, o: Mapping[str, Any]) -> dict[str, Any]:
    """What the next pass starts from: the current in the middle of the ramp; at the current limit the output current that just trips it."""
    at_limit = forward.limit_current(v_primary=plain(o["v_in"]), lm=plain(s.lm), v_up=plain(o["up"]), turns_secondary=plain(s.ns),
                                     inductance=plain(s.inductance), turns_primary=plain(s.np), **{k: plain(v) for k, v in s.limit.items()})
    load = forward.current_at_limit(at_limit, plain(o["i_mag"]), plain(s.np), plain(s.ns), plain(o["ripple"]))
    return {"next_mid": 0.5 * (plain(o["valley"]) + plain(o["crest"])), "next_load": np.where(s.is_limit, load, plain(s.i_out)),
            "limit_worst": at_limit}


def _carried(v: Variant) -> dict[str, str]:
    """What one pass hands to the next, with its unit."""
    return {**_CARRIED, **phase.CARRIED} if v.phase else _CARRIED


ROUGH, SETTLED = 1e-3, 1e-5
"""Largest change of the last pass, of the crest current: for choosing parts, and for the figures."""


def solve(s: Stage, tolerance: float = SETTLED, before: Mapping[str, Any] | None = None) -> Settled:
    """Passes on bare numbers until the currents stand; before: the state of a solution near by."""
    return last(period, s, *settle(advance, secondary.seen_numbers(s), ("limit", "extra"), _carried(s.variant), PASSES, tolerance, before))


def record(sheet: Sheet, s: Stage, state: Mapping[str, Any], change: float) -> dict[str, Any]:
    """The last pass on the recording sheet."""
    return record_last(sheet, period, s, _carried(s.variant), state, change)
