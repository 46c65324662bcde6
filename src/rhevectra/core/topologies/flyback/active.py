"""The period under a clamp that turns the leakage current round: continuous at every load, the core's current through zero where little is
asked."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import active_clamp, flyback, turned_clamp


def currents(sheet: Any, s: Any, b: Mapping[str, Any], v_or: Any, lm: Any, i_sum: Any) -> dict[str, Any]:
    """Rate, currents and times of a pulse; where little is asked pulses come in packets at the full rate."""
    bus, core = {"v_bus": s.v_bus, "v_reflected": v_or}, {"v_reflected": v_or, "lm": lm}
    fs = sheet("switch.frequency", turned_clamp.packet_rate, fs=s.fs, f_floor=s.f_floor, i_secondary=i_sum, i_clamp=b["i_core"],
               t_off=b["t_off"], i_floor=s.i_floor, e_off=b["e_off"], **core)
    q = sheet("secondary.q", turned_clamp.core_charge, i_secondary=i_sum, rate=fs, fs=s.fs, i_clamp=b["i_core"], e_off=b["e_off"],
              v_reflected=v_or, t_off=b["t_off"], r_core=b["r_core"])
    i_run = sheet("core.i_one_run", turned_clamp.discharge_peak, q=q, t_off=b["t_off"], **core)
    i_held = sheet("core.i_one_limit", flyback.after_node_rise, i_peak=s.i_limit, c_node=s.c_node, lp=s.lp, **bus)
    i_one = sheet.either("core.i_one", s.is_limit, i_held, i_run, "at the current limit the peak is given")
    run_peak = sheet("switch.i_peak_run", flyback.switch_peak, i_one=i_run, c_node=s.c_node, lp=s.lp, **bus)
    i_peak = sheet.either("switch.i_peak", s.is_limit, s.i_limit, run_peak, "at the current limit the peak is given")
    t_rise = sheet("switch.t_rise", flyback.rise_time, c_node=s.c_node, i_peak=i_peak, i_one=i_one, fs=s.fs, **bus)
    t_off = sheet("core.t_off", turned_clamp.discharge_time, fs=s.fs, t_rise=t_rise, t_wait=b["t_wait"], t_ramp=b["t_ramp"],
                  t_off_before=b["t_off"])
    i_end = sheet("core.i_end", turned_clamp.current_at_end, i_one=i_one, t_off=t_off, i_kink=b["i_kink"], **core)
    r_on = sheet.total("switch.r_path", "Ω", "switch hot, current sense and primary winding in series", switch=s.r_switch, sense=s.r_sense,
                       primary=s.r_primary)
    t_ramp = sheet("switch.t_ramp", flyback.ramp_time, lp=s.lp, i_peak=i_peak, i_start=b["i_start"], v_bus=s.v_bus, r_on=r_on)
    never = plain(s.v_bus) < 0
    return {"fs": fs, "rate": s.fs, "i_one": i_one, "i_peak": i_peak, "t_rise": t_rise, "t_off": t_off, "i_end": i_end, "t_com": b["t_com"],
            "t_ramp": t_ramp, "r_on": r_on, "discontinuous": never, "t_idle": np.where(never, 1.0, 0.0), "tau": np.where(never, 1.0, 1.0)}


def secondary(sheet: Any, s: Any, o: Mapping[str, Any]) -> dict[str, Any]:
    """Rms and average of all secondary current."""
    core = {"v_reflected": o["v_or"], "lm": o["lm"]}
    both = {"t_conducting": o["t_secondary"], "i_one": o["i_one"], "i_end": o["i_end"], "i_back": o["i_back"], **core}
    ring = {"i_drift": o["i_drift"], "alpha": o["alpha"], "omega": o["omega"], "i_sine": o["i_sine"], **both}
    return {"i_top": sheet.solved("secondary.i_top", turned_clamp.secondary_peak(**{k: plain(v) for k, v in ring.items()}), "A",
                                  "largest of the core's current less the leakage's over the open time, at sixteen instants", **ring),
            "i_secondary": sheet("secondary.i_rms", turned_clamp.secondary_rms, fs=o["fs"], q_after=o["q_after"], moment=o["moment"],
                                 square=o["square"], t_off=o["t_off"], t_window=o["t_clamp"], **both),
            "i_mean": sheet("secondary.i_mean", turned_clamp.secondary_average, rate=o["fs"], fs=s.fs, i_one=o["i_one"], t_off=o["t_off"],
                            i_clamp=o["i_core"], **core)}


def primary(sheet: Any, s: Any, o: Mapping[str, Any]) -> dict[str, Any]:
    """Rms of the main switch and of the primary, and the charge drawn from the bus."""
    i_sw = sheet("switch.i_rms", turned_clamp.switch_rms, fs=o["fs"], t_ramp=o["t_ramp"], i_start=o["i_start"], i_peak=o["i_peak"],
                 t_com=o["t_turned"], i_left=o["i_left"])
    turned = sheet("switch.i_turned", turned_clamp.turned, i_start=o["i_start"], i_left=o["i_left"])
    whole = sheet("transformer.i_rms_primary", active_clamp.primary_rms, i_switch=i_sw, i_clamp=o["i_clamp_rms"])
    return {"i_switch": i_sw, "i_drawn": i_sw, "i_heat": whole, "i_primary": whole,
            "q_bus": sheet("switch.q_bus", flyback.bus_charge, i_peak=o["i_peak"], i_start=o["i_start"], t_ramp=o["t_ramp"], r_on=o["r_on"],
                           lp=s.lp, i_end=turned, t_com=o["t_turned"], v_bus=s.v_bus, r_core=o["r_core"], c_node=s.c_node,
                           v_turn_on=o["v_turn_on"])}


def edge(sheet: Any, s: Any, o: Mapping[str, Any]) -> Any:
    """What the windings jump by when the next pulse begins: all of it where the secondary conducts until then, what is left of the node's
    way where the core's current has brought it down."""
    whole = sheet("switch.v_edge_whole", flyback.plateau, v_bus=s.v_bus, v_reflected=o["v_or"])
    return sheet.either("switch.v_edge", plain(o["i_end"]) > 0, whole, o["v_turn_on"],
                        "the secondary conducts until the pulse begins, or not")
