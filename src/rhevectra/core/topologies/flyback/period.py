"""One switching period of a flyback, at every corner at once.

`advance` is written once and run two ways: on `Quick`, with bare numbers, until the pass-to-pass
change is small; and once more on the recording sheet, so that every number of the last pass
explains itself. What one pass takes from the pass before (`before`) is then a `solved` row.
"""

from collections.abc import Callable, Mapping
from functools import cache
from typing import Any

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.fixed_point import FixedPoint
from rhevectra.core.basis.fused import Fused
from rhevectra.core.basis.sheet import Quick, Sheet, plain
from rhevectra.core.formulas import clamp, flyback, handed_back, magnetics, valley_switching
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages.wound import core_loss
from rhevectra.core.topologies.flyback import active
from rhevectra.core.topologies.flyback.primary import primary
from rhevectra.core.topologies.flyback.variant import Variant

PASSES = 16
VALLEY_FOUND = 1e-3
"""Change of the last pass that is good enough to tell which valley is meant."""
_CARRIED = {"i_core": "A", "e_off": "J", "t_off": "s", "t_com": "s", "i_end": "A", "t_ramp": "s", "r_core": "Ω", "i_start": "A",
            "i_secondary": "A", "t_rise": "s", "i_mean": "A", "x_s": "", "t_wait": "s", "i_kink": "A", "stays": ""}
"""What one pass hands to the next, with its unit; the last ones only where a clamp asks for them."""
_OF_CLAMPS = ("x_s", "t_wait", "i_kink", "stays")
_POSITIVE = ("t_off", "t_ramp", "r_core", "i_secondary", "i_mean", "stays")
_COUNTS = {"r_core": 5.0, "e_off": 5.0, "x_s": 0.3, "stays": 1.0}
"""Values that reach the next pass only through a drop or a loss a fraction of the whole: a change counts that many times less; a share
counts for itself."""

_AGAINST = {"t_busy": {"t_off": 1.0, "t_com": 1.0, "t_wait": 1.0, "t_rise": 1.0, "t_ramp": 10.0},
            "i_one": {"i_end": 1.0, "i_kink": 1.0, "i_start": 10.0}, "i_given": {"i_core": 1.0, "i_secondary": 10.0, "i_mean": 10.0}}
"""What the change of a value counts against: the conducting time, the peak current, all current the core gives; times a factor."""


def _carried(v: Variant) -> tuple[str, ...]:
    """Names of what a pass of a variant hands to the next."""
    own = () if v.clamp is None else v.clamp.CARRIES
    return tuple(k for k in _CARRIED if k not in _OF_CLAMPS or k in own)


@cache
def _scales(names: tuple[str, ...]) -> tuple[Array, Array]:
    """What the changes of these values count against: of themselves, and of what they belong to."""
    return np.array([[_COUNTS.get(k, 0.0)] for k in names]), np.array([[of.get(k, 0.0) for of in _AGAINST.values()] for k in names])


class Stage(Struct, frozen=True):
    """The circuit of the power stage, numbers or rows. Inductances [H], capacitances [F], resistances [Ω], turns.

    v_bus and i_outputs (one per secondary and the auxiliary, [A]) have the shape of the grid; is_limit masks the
    current-limit case. v_drops: fixed part of each rectifier's drop [V]; r_outputs: its resistance plus the winding's.
    core: material row, effective area and volume, temperature. clamp_vf: drop of the clamp diode, or of each of the diodes that hold
    two switches [V]; clamp_r, clamp_c, clamp_z, clamp_most [V], clamp_dead [s], clamp_rd, clamp_life [s]: what the kind of clamp has of
    them; c_snub [F]: snubbers of the rectifiers as they load bus and reflected voltage. valley: number of the valley the switch turns on
    in, f_max [Hz] what keeps it waiting (where the variant does). r_sense: what the current sense puts into the switch's path. takes: of
    several outputs' currents, what each takes from the core for its charge, over what it would at the regulated one's voltage (as
    i_outputs; empty where there is one, or before it is known).
    """

    v_bus: Any
    i_outputs: tuple[Any, ...]
    v_out: Any
    v_forward: Any
    r_rectifier: Any
    r_winding: Any
    np: Any
    ns: tuple[Any, ...]
    lp: Any
    leakage: Any
    c_node: Any
    r_switch: Any
    r_primary: Any
    t_fall: Any
    fs: Any
    f_floor: Any
    i_floor: Any
    i_limit: Any
    clamp_vf: Any
    is_limit: Array
    core: Mapping[str, Any]
    area: Any
    volume: Any
    core_temperature: float
    variant: Variant
    clamp_r: Any = 0.0
    clamp_c: Any = 0.0
    clamp_z: Any = 0.0
    clamp_most: Any = 0.0
    clamp_dead: Any = 0.0
    clamp_rd: Any = 0.0
    clamp_life: Any = 0.0
    c_snub: Any = 0.0
    valley: Any = 1.0
    f_max: Any = 0.0
    r_sense: Any = 0.0
    takes: tuple[Any, ...] = ()
    extra: dict[str, Any] = field(default_factory=dict)


def total_secondary(sheet: Any, s: Stage) -> tuple[Any, list[Any]]:
    """Average secondary current seen from the primary, and each output's part of it."""
    parts = []
    for k, (i, n) in enumerate(zip(s.i_outputs, s.ns, strict=True), 1):
        lifted = {"lift": s.takes[k - 1]} if s.takes else {}
        parts.append(
            sheet(f"secondary.i_reflected{k}", flyback.to_primary_lifted if lifted else flyback.to_primary, **lifted, current=i,
                  turns_secondary=n, turns_primary=s.np))
    return (sheet.total("secondary.i_reflected", "A", "all outputs and the auxiliary winding, seen from the primary",
                        **{f"output{k}": p for k, p in enumerate(parts, 1)}), parts)


def advance(sheet: Any, s: Stage, before: Mapping[str, Any]) -> dict[str, Any]:
    """One pass, only as far as the next pass needs it."""
    b = before
    i_sum, parts = total_secondary(sheet, s)
    main_rms = sheet("secondary.main_i_rms", flyback.share, i_secondary=b["i_secondary"], i_out=s.i_outputs[0], i_total=i_sum)
    overload = sheet("secondary.main_i_overload", flyback.share, i_secondary=b["i_mean"], i_out=s.i_outputs[0], i_total=i_sum)
    main_avg = sheet.either("secondary.main_i_avg", s.is_limit, overload, s.i_outputs[0],
                            "at the current limit the core discharges more than the load was asked to take")
    drop = sheet("secondary.v_drop", flyback.rectifier_drop, v_forward=s.v_forward, r_dynamic=s.r_rectifier, r_winding=s.r_winding,
                 i_rms=main_rms, i_avg=main_avg, v_out=s.v_out)
    v_or = sheet("transformer.v_reflected", flyback.reflected_voltage, turns_primary=s.np, turns_secondary=s.ns[0], v_out=s.v_out,
                 v_drop=drop)
    lm = sheet("transformer.lm", flyback.magnetising, lp=s.lp, leakage=s.leakage)
    v_com = sheet("transformer.v_commutating", flyback.commutating_voltage, v_reflected=v_or, turns_primary=s.np, turns_secondary=s.ns[0],
                  v_drop=drop, v_forward=s.v_forward)
    out = {"v_or": v_or, "v_com": v_com, "lm": lm, "i_sum": i_sum, "parts": parts, "drop": drop}
    out |= active.currents(sheet, s, b, v_or, lm, i_sum) if s.variant.turned else _pulse(sheet, s, b, v_or, lm, i_sum)
    if s.variant.clamp is not None:
        out |= {k: b[k] for k in s.variant.clamp.CARRIES}
    out |= _handing_back(sheet, s, out) if s.variant.clamp is None else s.variant.clamp.settle(sheet, s, out)
    out |= _currents_and_core(sheet, s, out)
    return out


def _pulse(sheet: Any, s: Stage, b: Mapping[str, Any], v_or: Any, lm: Any, i_sum: Any) -> dict[str, Any]:
    """Rate of the pulses, the charge of one, and its currents and times."""
    rate = (sheet("switch.valley_rate", valley_switching.valley_rate, f_max=s.f_max, t_ramp=b["t_ramp"], t_rise=b["t_rise"],
                  t_off=b["t_off"], valley=s.valley,
                  t_valley=sheet("switch.t_valley", valley_switching.half_ring, lp=s.lp, c_node=s.c_node)) if s.variant.valley else s.fs)
    fs = sheet("switch.frequency", flyback.pulse_rate, fs=rate, f_floor=s.f_floor, i_secondary=i_sum, lm=lm, i_floor=s.i_floor,
               v_reflected=v_or, i_clamp=b["i_core"], e_off=b["e_off"])
    q = sheet("secondary.q", flyback.core_charge, i_secondary=i_sum, fs=fs, i_clamp=b["i_core"], e_off=b["e_off"], v_reflected=v_or,
              t_off=b["t_off"], r_core=b["r_core"])
    return {"fs": fs, "rate": fs, **_currents(sheet, s, b, v_or, lm, fs, q)}


def _currents(sheet: Any, s: Stage, b: Mapping[str, Any], v_or: Any, lm: Any, fs: Any, q: Any) -> dict[str, Any]:
    """Currents and times of the period; the conduction mode is decided per corner."""
    bus = {"v_bus": s.v_bus, "v_reflected": v_or}
    i_dcm = sheet("core.i_one_dcm", flyback.discharge_peak_dcm, v_reflected=v_or, q=q, lm=lm)
    i_ccm = sheet("core.i_one_ccm", flyback.discharge_peak_ccm, q=q, i_end=b["i_end"], t_com=b["t_com"], t_off=b["t_off"], v_reflected=v_or,
                  lm=lm)
    i_held = sheet("core.i_one_limit", flyback.after_node_rise, i_peak=s.i_limit, c_node=s.c_node, lp=s.lp, **bus)
    t_dcm = sheet("core.t_off_dcm", flyback.discharge_time_dcm, lm=lm,
                  i_one=sheet.either("core.i_one_first", s.is_limit, i_held, i_dcm, "at the current limit the peak is given"),
                  v_reflected=v_or)
    peak_dcm = np.where(s.is_limit, plain(s.i_limit),
                        flyback.switch_peak(plain(i_dcm), plain(s.c_node), plain(s.lp), plain(s.v_bus), plain(v_or)))
    path = {"switch": s.r_switch, "sense": s.r_sense, "primary": s.r_primary, **({"second": s.r_switch} if s.variant.held else {})}
    ramp_dcm = flyback.ramp_time(plain(s.lp), peak_dcm, 0.0, plain(s.v_bus), sum(plain(r) for r in path.values()))
    discontinuous = plain(s.v_bus) > 0 if s.variant.valley else ramp_dcm + plain(t_dcm) + plain(b["t_rise"]) < 1 / plain(fs)
    i_run = sheet.either("core.i_one_run", discontinuous, i_dcm, i_ccm, "discontinuous where ramp and discharge end before the period does")
    i_one = sheet.either("core.i_one", s.is_limit, i_held, i_run, "at the current limit the peak is given")
    run_peak = sheet("switch.i_peak_run", flyback.switch_peak, i_one=i_run, c_node=s.c_node, lp=s.lp, **bus)
    i_peak = sheet.either("switch.i_peak", s.is_limit, s.i_limit, run_peak, "at the current limit the peak is given")
    t_rise = sheet("switch.t_rise", flyback.rise_time, c_node=s.c_node, i_peak=i_peak, i_one=i_one, fs=fs, **bus)
    t_ccm = sheet("core.t_off_ccm", flyback.discharge_time_ccm, fs=fs, t_rise=t_rise, t_ramp=b["t_ramp"], t_off_before=b["t_off"])
    t_off = sheet.either("core.t_off", discontinuous, t_dcm, t_ccm, "the whole core current, or what the period leaves")
    i_end = sheet("core.i_end", flyback.current_at_end, i_one=i_one, v_reflected=v_or, t_off=t_off, lm=lm)
    t_com = sheet("switch.t_commutation", flyback.commutation_time, leakage=s.leakage, i_end=i_end, t_off=t_off, **bus)
    tau = sheet("core.ring_decay", flyback.ring_decay, r_core=b["r_core"], c_node=s.c_node)
    r_on = sheet.total("switch.r_path", "Ω", "switch hot, current sense and primary winding in series", **path)
    t_guess = flyback.ramp_time(plain(s.lp), plain(i_peak), plain(b["i_start"]), plain(s.v_bus), plain(r_on))
    t_idle = sheet("core.t_idle", flyback.idle_time, fs=fs,
                   t_ramp=sheet.solved("switch.t_ramp_before", t_guess, "s", "ramp of the pass before"), t_rise=t_rise, t_off=t_off)
    ring = sheet("switch.i_turn_on_dcm", flyback.turn_on_current, v_reflected=v_or, c_node=s.c_node, lp=s.lp, t_idle=t_idle, tau=tau)
    i_start = sheet.either("switch.i_turn_on", discontinuous, ring, i_end, "ring current, or what the core still carries")
    t_ramp = sheet("switch.t_ramp", flyback.ramp_time, lp=s.lp, i_peak=i_peak, i_start=i_start, v_bus=s.v_bus, r_on=r_on)
    return {"i_one": i_one, "i_peak": i_peak, "t_rise": t_rise, "t_off": t_off, "i_end": i_end, "t_com": t_com, "i_start": i_start,
            "t_ramp": t_ramp, "r_on": r_on, "discontinuous": discontinuous, "t_idle": t_idle, "tau": tau}


def _at_turn_on(sheet: Any, s: Stage, o: dict[str, Any]) -> dict[str, Any]:
    """The gate pulse and the drain voltage the switch finds when it turns on."""
    t_on = sheet("switch.t_on", flyback.on_time, t_ramp=o["t_ramp"], t_com=o["t_turned" if s.variant.turned else "t_com"])
    if s.variant.turned:
        return {"v_turn_on": o["v_turn_on"], "v_edge": active.edge(sheet, s, o), "t_on": t_on}
    v_ring = sheet("switch.v_turn_on_dcm", flyback.turn_on_voltage, v_bus=s.v_bus, v_reflected=o["v_or"], t_idle=o["t_idle"], tau=o["tau"],
                   lp=s.lp, c_node=s.c_node)
    v_on = sheet.either("switch.v_turn_on", o["discontinuous"], v_ring, o["plateau"], "drain voltage when the switch turns on")
    return {"v_turn_on": v_on, "v_edge": v_on, "t_on": t_on}


def _handing_back(sheet: Any, s: Stage, o: dict[str, Any]) -> dict[str, Any]:
    """What the diodes of two switches take back to the bus."""
    v_node = sheet("return.v_node", handed_back.held_voltage, v_bus=s.v_bus, v_diode=s.clamp_vf)
    against = {"leakage": s.leakage, "v_node": v_node, "v_reflected": o["v_com"]}
    i_c = sheet("return.i_peak", clamp.conduction_current, i_one=o["i_one"], c_node=s.c_node, **against, quality=clamp.RING_QUALITY)
    q = sheet("return.q", handed_back.charge_back, i_peak=i_c, **against)
    t = sheet("return.t_reset", clamp.reset_time, t_off=o["t_off"], q_clamp=q, i_clamp=i_c)
    return {"v_node": v_node, "i_clamp": i_c, "q_clamp": q, "t_clamp": t,
            "i_core": sheet("return.i_core", handed_back.current_past_outputs, i_secondary=o["i_sum"], fs=o["fs"], charge=q)}


def _return_measures(sheet: Any, s: Stage, o: dict[str, Any]) -> dict[str, Any]:
    """Power handed back, the diodes' loss and the ring that is left."""
    return {"power_back": sheet("return.power", handed_back.power_back, fs=o["fs"], v_bus=s.v_bus, charge=o["q_clamp"]),
            "loss_clamp_diode": sheet("return.loss_diodes", handed_back.diodes_loss, v_diode=s.clamp_vf, charge=o["q_clamp"], fs=o["fs"]),
            "loss_ring": sheet("return.loss_ring", handed_back.ring_power, fs=o["fs"], c_node=s.c_node, v_node=o["v_node"],
                               v_reflected=o["v_com"], leakage=s.leakage, i_one=o["i_one"])}


def _currents_and_core(sheet: Any, s: Stage, o: dict[str, Any]) -> dict[str, Any]:
    """Secondary current and core loss, which set the drops and the charge of the next pass."""
    given = active.secondary(sheet, s, o) if s.variant.turned else _secondary(sheet, s, o)
    swing = sheet("transformer.b_swing", flyback.flux_swing, v_reflected=o["v_or"], t_off=o["t_off"], turns=s.np, area=s.area)
    p_core = core_loss(sheet, "transformer", s.core, s.core_temperature, s.volume, s.extra["kappa"], swing, o["fs"], o["t_ramp"],
                       o["t_off"])
    r_core = sheet("transformer.r_core", flyback.core_resistance, fs=o["fs"], v_bus=s.v_bus, t_ramp=o["t_ramp"], v_reflected=o["v_or"],
                   t_off=o["t_off"], p_core=p_core)
    plateau = sheet("switch.v_plateau", flyback.plateau, v_bus=s.v_bus, v_reflected=o["v_or"])
    e_cut = sheet("switch.e_off", flyback.turn_off_energy, i_peak=o["i_peak"], t_fall=s.t_fall, c_node=s.c_node, v_off=plateau,
                  t_voltage=sheet("switch.t_voltage", flyback.voltage_rise_in_fall, t_fall=s.t_fall, v_off=plateau, c_node=s.c_node,
                                  i_peak=o["i_peak"]))
    return {**given, "swing": swing, "p_core": p_core, "r_core": r_core, "e_cut": e_cut,
            "e_off": _taken(sheet, s, o, e_cut, plateau) if s.variant.snubbed else e_cut, "plateau": plateau}


def _secondary(sheet: Any, s: Stage, o: dict[str, Any]) -> dict[str, Any]:
    """Rms and average of all secondary current, and the core's current when the clamp lets go."""
    cross = sheet("core.i_after_clamp", flyback.current_after_clamp, i_end=o["i_end"], i_one=o["i_one"], v_reflected=o["v_or"],
                  t_clamp=o["t_clamp"], lm=o["lm"])
    clamp_of = s.variant.clamp if "i_back" in o else None
    i_rms = sheet("secondary.i_rms_fast" if clamp_of else "secondary.i_rms", flyback.secondary_rms, fs=o["fs"], t_clamp=o["t_clamp"],
                  i_one=o["i_one"], i_clamp=o["i_clamp"], i_cross=cross, t_off=o["t_off"], t_com=o["t_com"], i_end=o["i_end"])
    return {"i_cross": cross, "i_top": o["i_one"], "i_secondary": clamp_of.secondary(sheet, s, o, i_rms) if clamp_of else i_rms,
            "i_mean": sheet("secondary.i_mean", flyback.secondary_average, fs=o["fs"], i_one=o["i_one"], i_end=o["i_end"], t_off=o["t_off"],
                            t_com=o["t_com"])}


def _taken(sheet: Any, s: Stage, o: dict[str, Any], e_cut: Any, plateau: Any) -> Any:
    """What turn-off and snubbers take each period."""
    v_on = _at_turn_on(sheet, s, {**o, "plateau": plateau})["v_edge"]
    return sheet("core.e_taken", flyback.energy_taken, e_off=e_cut, c_snub=s.c_snub, v_bus=s.v_bus, v_reflected=o["v_or"], v_turn_on=v_on)


def _energy(sheet: Any, s: Stage, o: dict[str, Any]) -> dict[str, Any]:
    """Primary rms currents, the charge drawn from the bus and the losses of the switch."""
    p = active.primary(sheet, s, o) if s.variant.turned else primary(sheet, s, o)
    drawn = {"fs": o["fs"], "v_bus": s.v_bus, "q_bus": p["q_bus"]}
    return {**p, "p_bus": sheet("switch.p_bus", handed_back.bus_power, charge=o["q_clamp"], **drawn) if s.variant.clamp is None
            else s.variant.clamp.bus_power(sheet, o, drawn),
            "loss_turn_on": sheet("switch.loss_turn_on", flyback.turn_on_loss, c_node=s.c_node, v_turn_on=o["v_turn_on"], fs=o["fs"]),
            "loss_turn_off": sheet("switch.loss_turn_off", flyback.energy_rate, energy=o["e_cut"], fs=o["fs"]),
            "loss_conduction": sheet("switch.loss_conduction", resistive_loss, r=s.r_switch, i_rms=p["i_switch"])}


def first_guess(s: Stage) -> dict[str, Any]:
    """A start for the passes: an ideal flyback whose clamp sits at the reflected voltage, in the mode its charge asks for."""
    v_bus = plain(s.v_bus)
    v_or = flyback.reflected_voltage(plain(s.np), plain(s.ns[0]), plain(s.v_out), plain(s.v_forward))
    i_sum = sum(plain(i) * plain(n) / plain(s.np) for i, n in zip(s.i_outputs, s.ns, strict=True))
    lm, i_clamp, zero = (flyback.magnetising(plain(s.lp), plain(s.leakage)),
                         0.0 if s.variant.clamp is None else s.variant.clamp.idle_current(s, v_or),
                         np.zeros(np.broadcast_shapes(np.shape(v_bus), np.shape(i_sum))))
    fs = flyback.pulse_rate(plain(s.fs), s.f_floor, i_sum, i_clamp, lm, plain(s.i_floor), v_or, 0.0)
    q, off = (i_sum + i_clamp) / fs, (1 - flyback.duty_ideal(v_or, v_bus)) / fs
    t_off = np.minimum(flyback.discharge_time_dcm(lm, flyback.discharge_peak_dcm(v_or, q, lm), v_or), off)
    i_one = np.where(s.is_limit, plain(s.i_limit), flyback.discharge_peak_ccm(q, 0.0, 0.0, t_off, v_or, lm))
    i_end = flyback.current_at_end(i_one, v_or, t_off, lm)
    i_rms, t_ramp, m = np.sqrt(fs * t_off * (i_one * i_one + i_one * i_end + i_end * i_end) / 3), t_off * v_or / v_bus, s.core
    reference = magnetics.loss_at_temperature(m["loss_ref_w_m3"], m["loss_t_curvature_1_k2"], s.core_temperature, m["loss_t_min_c"])
    p_core = magnetics.core_loss_two_slope(s.volume, s.extra["kappa"], reference, flyback.flux_swing(v_or, t_off, plain(s.np), s.area),
                                           m["loss_f_ref_hz"], m["loss_alpha"], m["loss_b_ref_t"], m["loss_beta"], fs, t_ramp, t_off)
    return {"i_core": zero + i_clamp, "e_off": zero, "t_off": zero + t_off, "t_com": zero, "i_end": zero + i_end, "t_ramp": zero + t_ramp,
            "r_core": zero + flyback.core_resistance(fs, v_bus, t_ramp, v_or, t_off, p_core),
            "i_start": zero + i_end, "i_secondary": zero + i_rms, "t_rise": zero, "x_s": zero + 1.0, "t_wait": zero, "i_kink": zero,
            "stays": zero + 0.5, "i_mean": zero + 0.5 * fs * t_off * (i_one + i_end)}


class Settled(Struct, frozen=True):
    """stage: what was solved, with the valley found; state: the carried values; out: all of the last pass, arrays of the grid's shape;
    change: how much that pass still moved."""

    stage: Stage
    state: dict[str, Any]
    out: dict[str, Any]
    change: float


_CORE_KEYS = ("loss_ref_w_m3", "loss_t_curvature_1_k2", "loss_t_min_c", "loss_f_ref_hz", "loss_alpha", "loss_b_ref_t", "loss_beta")
_SCALARS = ("v_out", "v_forward", "r_rectifier", "r_winding", "np", "lp", "leakage", "c_node", "r_switch", "r_sense", "r_primary", "t_fall",
            "fs", "f_floor", "i_floor", "clamp_vf", "area", "volume", "core_temperature")
_CORNERED = ("v_bus", "i_limit", "is_limit")


def _names(v: Variant) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Numbers of a stage that are the same at all corners, and those that are not."""
    return ((*_SCALARS, *(() if v.clamp is None else v.clamp.STAGE), *(("f_max",) if v.valley else ()),
             *(("c_snub",) if v.snubbed else ())), (*_CORNERED, *(("valley",) if v.valley else ())))


def _numbers(s: Stage, line: Callable[[Any], Any]) -> dict[str, Any]:
    """The stage as named numbers; `line` lays what differs from corner to corner out in one row."""
    scalars, cornered = _names(s.variant)
    return ({n: getattr(s, n) for n in scalars} | {n: line(getattr(s, n)) for n in cornered}
            | {f"i{k}": line(i) for k, i in enumerate(s.i_outputs)} | {f"e{k}": line(x) for k, x in enumerate(s.takes)}
            | {f"n{k}": n for k, n in enumerate(s.ns)}
            | {k: s.core[k] for k in _CORE_KEYS} | {"kappa": s.extra["kappa"]})


@cache
def _passes(outputs: int, variant: Variant, lifted: bool) -> Fused:
    """The pass of a stage with that many secondaries (the auxiliary one included), traced."""
    scalars, cornered = _names(variant)

    def one_pass(f: Mapping[str, Any], x: Mapping[str, Any]) -> dict[str, Any]:
        s = Stage(**{n: f[n] for n in (*scalars, *cornered)}, variant=variant, i_outputs=tuple(f[f"i{k}"] for k in range(outputs)),
                  takes=tuple(f[f"e{k}"] for k in range(outputs)) if lifted else (), ns=tuple(f[f"n{k}"] for k in range(outputs)),
                  core={k: f[k] for k in _CORE_KEYS}, extra={"kappa": f["kappa"]})
        quick = Quick()
        new = advance(quick, s, x)
        new |= _at_turn_on(quick, s, new)
        return new | _energy(quick, s, new) | {"t_busy": new["t_ramp"] + new["t_rise"] + new["t_off"],
                                               "i_given": new["i_sum"] * new["rate"] / new["fs"] if variant.turned
                                               else new["i_sum"] + new["i_core"]}
    fixed = (*scalars, *cornered, *(f"i{k}" for k in range(outputs)), *(f"e{k}" for k in range(outputs) if lifted),
             *(f"n{k}" for k in range(outputs)), *_CORE_KEYS, "kappa")
    return Fused(one_pass, fixed, _carried(variant), (*_carried(variant), *_AGAINST))


def solve(s: Stage, before: Mapping[str, Any] | None = None, passes: int = PASSES, tolerance: float = 1e-4) -> Settled:
    """The steady period. Which valley the switch turns on in follows from the period that lasts just as long as the highest frequency asks
    for: the time the core is busy grows with the period, so the first valley beyond it is the first one of the real period too."""
    if not s.variant.valley:
        return _repeat(s, before, passes, tolerance)
    first = _repeat(replace(s, valley=1.0), before, passes, max(tolerance, VALLEY_FOUND))
    o = first.out
    valley = valley_switching.first_valley(s.f_max, o["t_ramp"] + o["t_rise"] + o["t_off"], valley_switching.half_ring(s.lp, s.c_node))
    return _repeat(replace(s, valley=valley), first.state, passes, tolerance)


def _repeat(s: Stage, before: Mapping[str, Any] | None, passes: int, tolerance: float) -> Settled:
    """Iterate on bare numbers until the largest change of a pass (see `_scales`) is below the tolerance."""
    shape = np.broadcast_shapes(np.shape(s.v_bus), *(np.shape(i) for i in s.i_outputs))

    zero = np.zeros(shape)

    def line(x: Any) -> Array:
        return np.asarray(x if np.shape(x) == shape else zero + x).ravel()
    names = _carried(s.variant)
    run, settle, change = (_passes(len(s.ns), s.variant, bool(s.takes)).bind(_numbers(s, line)),
                           FixedPoint([k in _POSITIVE or (k == "i_core" and not s.variant.turned) for k in names]), np.inf)
    own, weights = _scales(names)
    start = before or first_guess(s)
    x = used = np.array([line(start[k]) for k in names])
    for _ in range(passes):
        new = np.array(run.once(x))
        g, used = new[: len(x)], x
        x, change = settle(x, g, own * np.abs(g) + weights @ new[len(x) :] + 1e-15)
        if change < tolerance:
            break
    whole = {k: v.reshape(shape) if v.size == x.shape[1] else v for k, v in run.finish(used).items()}
    return Settled(s, {k: v.reshape(shape) for k, v in zip(names, x, strict=True)}, whole, change)


def record(sheet: Sheet, s: Stage, state: Mapping[str, Any], change: float) -> dict[str, Any]:
    """The last pass on the recording sheet, with what it takes from the pass before as solved rows."""
    text = f"solved by repeated passes of the period; largest change of the last pass {change:.1e}"
    rows = {k: sheet.solved(f"solved.{k}", state[k], _CARRIED[k], text) for k in _carried(s.variant)}
    out = advance(sheet, s, rows)
    out |= _at_turn_on(sheet, s, out)
    return out | (_return_measures if s.variant.clamp is None else s.variant.clamp.measures)(sheet, s, out) | _energy(sheet, s, out)


