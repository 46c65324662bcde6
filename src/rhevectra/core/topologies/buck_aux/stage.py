"""One period of the step-down converter, at every corner at once: written once, run on bare numbers until it settles, then on the recording
sheet."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import Sheet, plain
from rhevectra.core.formulas import buck, flyback, forward
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages.wound import core_loss
from rhevectra.core.topologies.common.chokes import eddies
from rhevectra.core.topologies.common.passes import Settled, last, record_last, settle

PASSES = 30
_CARRIED = {"i_mid": "A", "i_load": "A"}


class Stage(Struct, frozen=True):
    """The power stage, numbers or rows [SI]. v_bus, i_out (load and bleed), is_limit have the shape of the grid; choke: turns, area,
    volume, core row, kappa and temperature of the inductor."""

    v_bus: Any
    i_out: Any
    v_out: Any
    v_forward: Any
    r_diode: Any
    r_inductor: Any
    r_switch: Any
    inductance: Any
    fs: Any
    f_floor: Any
    t_floor: Any
    c_node: Any
    t_fall: Any
    t_recovery: Any
    limit: Mapping[str, Any]
    is_limit: Array
    choke: Mapping[str, Any]
    p_controller: Any
    r_sense: Any = 0.0


def advance(sheet: Any, s: Stage, b: Mapping[str, Any]) -> dict[str, Any]:
    """One pass over the period, as far as the next one needs it."""
    r_path = sheet.total("switch.r_path", "Ω", "switch hot and current sense in series", switch=s.r_switch, sense=s.r_sense)
    up = sheet("filter1.v_up", buck.voltage_up, v_out=s.v_out, v_bus=s.v_bus, r_switch=r_path, r_inductor=s.r_inductor, i_mid=b["i_mid"])
    down = sheet("filter1.v_down", forward.voltage_down, v_out=s.v_out, v_forward=s.v_forward, r_rectifier=s.r_diode,
                 r_inductor=s.r_inductor, i_mid=b["i_mid"])
    volts, pulse = {"v_up": up, "v_down": down}, {"inductance": s.inductance, "i_out": b["i_load"]}
    wanted = sheet("switch.t_dcm_full_rate", forward.feeding_dcm, fs=s.fs, **pulse, **volts)
    fs = sheet("switch.frequency", forward.pulse_rate, fs=s.fs, f_floor=s.f_floor, t_feeding=wanted, t_floor=s.t_floor)
    t_ccm, t_dcm = (sheet("switch.t_feeding_ccm", forward.feeding_ccm, fs=fs, **volts),
                    sheet("switch.t_feeding_dcm", forward.feeding_dcm, fs=fs, **pulse, **volts))
    discontinuous = plain(t_dcm) < plain(t_ccm)
    t_e = sheet.either("switch.t_feeding", discontinuous, t_dcm, t_ccm, "discontinuous where the triangle of current fits into the period")
    ripple = sheet("filter1.i_ripple_pp", forward.ripple_current, v_up=up, t_feeding=t_e, inductance=s.inductance)
    t_d = sheet("filter1.t_down", forward.freewheeling, t_feeding=t_e, **volts)
    low = sheet("filter1.i_valley", forward.valley, i_out=b["i_load"], ripple=ripple)
    crest = sheet("filter1.i_peak", forward.crest, i_valley=low, ripple=ripple)
    held = buck.limit_current(v_up=plain(up), inductance=plain(s.inductance), **{k: plain(v) for k, v in s.limit.items()})
    return {"r_path": r_path, "up": up, "down": down, "fs": fs, "t_e": t_e, "t_d": t_d, "ripple": ripple, "valley": low, "crest": crest,
            "discontinuous": discontinuous, "i_load": b["i_load"],
            "next_mid": 0.5 * (plain(low) + plain(crest)),
            "next_load": np.where(s.is_limit, buck.current_at_limit(held, plain(ripple)), plain(s.i_out))}


def period(sheet: Any, s: Stage, b: Mapping[str, Any]) -> dict[str, Any]:
    """All of one pass."""
    o = advance(sheet, s, b)
    t_x = sheet("switch.t_after", forward.feeding_after, c_primary=s.c_node, v_primary=s.v_bus, i_peak=o["crest"])
    o |= {"t_on": sheet("switch.t_on", forward.on_time, t_feeding=o["t_e"], t_commutation=0.0, t_after=t_x),
          "i_l": sheet("filter1.i_rms", forward.inductor_rms, fs=o["fs"], t_feeding=o["t_e"], t_freewheeling=o["t_d"], i_valley=o["valley"],
                       i_crest=o["crest"])}
    return o | _losses(sheet, s, o)


def _losses(sheet: Any, s: Stage, o: Mapping[str, Any]) -> dict[str, Any]:
    """Switch current, losses, and what the bus gives."""
    i_sw = sheet("switch.i_rms", forward.switch_rms, fs=o["fs"], t_feeding=o["t_e"], i_start=o["valley"], i_peak=o["crest"],
                 t_commutation=0.0)
    t_v = sheet("switch.t_voltage", flyback.voltage_rise_in_fall, t_fall=s.t_fall, v_off=s.v_bus, c_node=s.c_node, i_peak=o["crest"])
    e_off = sheet("switch.e_off", flyback.turn_off_energy, i_peak=o["crest"], t_fall=s.t_fall, c_node=s.c_node, t_voltage=t_v,
                  v_off=s.v_bus)
    off = sheet("switch.loss_turn_off", flyback.energy_rate, energy=e_off, fs=o["fs"])
    node = sheet("switch.loss_node", forward.turn_on_loss, c_primary=s.c_node, v_primary=s.v_bus, fs=o["fs"])
    recovery = sheet("switch.loss_recovery", buck.recovery_loss, i_valley=o["valley"], t_recovery=s.t_recovery, v_bus=s.v_bus, fs=o["fs"])
    c = s.choke
    swing = sheet("filter1.b_swing", flyback.flux_swing, v_reflected=o["down"], t_off=o["t_d"], turns=c["turns"], area=c["area"])
    p_core = core_loss(sheet, "filter1", c["core"], c["temperature"], c["volume"], c["kappa"], swing, o["fs"], o["t_e"], o["t_d"])
    burnt = eddies(sheet, c, o["fs"], o["ripple"], o["t_e"], o["t_d"])
    ramps = sheet("switch.p_ramps", buck.ramp_loss, fs=o["fs"], t_feeding=o["t_e"], r_switch=o["r_path"], r_inductor=s.r_inductor,
                  t_freewheeling=o["t_d"], r_diode=s.r_diode, ripple=o["ripple"])
    also = sheet.total("switch.p_parallel", "W", "what straight ramps leave out, core loss, eddies and controller", ramps=ramps,
                       core=p_core, eddies=burnt, controller=s.p_controller)
    on = sheet.total("switch.loss_turn_on", "W", "charge of the node and recovery of the diode", node=node, recovery=recovery)
    p_bus = sheet("switch.p_bus", buck.bus_power, fs=o["fs"], v_bus=s.v_bus, i_valley=o["valley"], i_crest=o["crest"], t_feeding=o["t_e"],
                  p_core=also, p_node=on, p_off=off)
    return {"i_switch": i_sw, "loss_off": off, "loss_turn_on": on, "p_recovery": recovery, "p_choke": p_core, "p_eddy": burnt,
            "p_bus": p_bus, "loss_on": sheet("switch.loss_conduction", resistive_loss, r=s.r_switch, i_rms=i_sw)}


def solve(s: Stage, tolerance: float = 1e-5) -> Settled:
    """Passes on bare numbers until the currents stand."""
    return last(period, s, *settle(advance, s, ("limit",), _CARRIED, PASSES, tolerance))


def record(sheet: Sheet, s: Stage, state: Mapping[str, Any], change: float) -> dict[str, Any]:
    """The last pass on the recording sheet."""
    return record_last(sheet, period, s, _CARRIED, state, change)
