"""What a forward with an active clamp has beside the others: its capacitor, the current turned round, the second switch."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.formulas import active_clamp
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages import gates
from rhevectra.core.stages.work import Work

RIPPLE, LEAK_ROOM = 0.05, 0.025
DEAD_SHARE = 0.03
"""Dead time aimed at, share of the period."""
SLOW = 10.0
"""Ring of the capacitor with the magnetising inductance over the reset time (common practice, no source)."""


def worst_held(v_bus: Any, v_low: float, duty: float) -> float:
    """Largest voltage [V] across the open switch, with ripple and what the leakage adds, for a lossless stage that needs `duty` at
    v_low."""
    bus = np.asarray(v_bus)
    return float(np.max(np.square(bus) / np.maximum(bus - v_low * duty, 0.1 * bus))) * (1 + 0.5 * RIPPLE + LEAK_ROOM)


def magnetising(sheet: Any, s: Any, t_e: Any, t_c: Any, fs: Any, v_in: Any, c_p: Any, crest: Any) -> dict[str, Any]:
    """Clamp voltage and both ends of the magnetising current, while it runs: fs is the rate within a burst, in whose pauses the clamp
    switch is off."""
    pulse = {"v_primary": v_in, "t_feeding": t_e}
    t_o, dead = sheet("active.t_off", active_clamp.off_time, fs=fs, t_feeding=t_e, t_commutation=t_c), s.extra["dead"]
    t_b = sheet("active.t_falling", active_clamp.falling_time, t_dead=dead, c_primary=c_p, lm=s.lm, t_off=t_o)
    t_r = sheet("active.t_reset", active_clamp.reset_time, t_off=t_o, t_dead=dead, t_falling=t_b)
    i_l = sheet("active.i_leakage", active_clamp.leakage_left, turns_secondary=s.ns, turns_primary=s.np, i_crest=crest, c_primary=c_p,
                leakage=s.leakage, t_reset=t_r, **pulse)
    v_c = sheet("active.v_clamp", active_clamp.capacitor_voltage, leakage=s.leakage, i_left=i_l, t_reset=t_r, **pulse)
    t_l = sheet("active.t_leakage", active_clamp.leakage_time, leakage=s.leakage, i_left=i_l, v_clamp=v_c)
    i_mag = sheet("transformer.i_mag", active_clamp.magnetising_peak, lm=s.lm, t_reset=t_r, t_leakage=t_l, i_left=i_l, **pulse)
    return {"t_r": t_r, "i_leak": i_l, "v_c": v_c, "t_l": t_l, "i_mag": i_mag,
            "i_back": sheet("active.i_back", active_clamp.magnetising_back, lm=s.lm, i_mag=i_mag, **pulse)}


def currents(sheet: Any, s: Any, o: Mapping[str, Any], i_switch: Any) -> dict[str, Any]:
    """Rms of the clamp and of the primary, and what the clamp's loop heats."""
    i_k = sheet("active.i_rms", active_clamp.clamp_rms, fs=o["fs"], t_leakage=o["t_l"], i_left=o["i_leak"], i_mag=o["i_mag"],
                t_reset=o["t_r"], i_back=o["i_back"])
    i_p = sheet("transformer.i_rms_primary", active_clamp.primary_rms, i_switch=i_switch, i_clamp=i_k)
    return {"i_clamp": i_k, "i_primary": i_p, "i_heat": i_p, "loss_clamp": sheet("active.loss", resistive_loss, r=s.r_switch, i_rms=i_k),
            "loop": sheet("active.loss_winding", resistive_loss, r=s.r_primary, i_rms=i_k)}


def bus_power(sheet: Any, o: Mapping[str, Any], also: Any, node: Any, off: Any) -> Any:
    """Power drawn from the bus."""
    return sheet("switch.p_bus", active_clamp.bus_power, fs=o["fs"], v_primary=o["v_in"], i_start=o["i_start"], i_peak=o["i_peak"],
                 t_feeding=o["t_e"], i_back=o["i_back"], t_commutation=o["t_c"], p_core=also, p_node=node, p_off=off)


def gap(work: Work, s: Any, turns: float, area: float, iron: float, least: float) -> float:
    """Gap [m] with which the magnetising current brings the node down within the dead time at the lowest bus; iron: length of the core over
    its permeability [m]."""
    t_r = (1 - float(work.sheet.rows["forward.duty"].value)) / float(s.fs)
    most = float(active_clamp.most_magnetising(t_r, DEAD_SHARE / float(s.fs), s.variant.across * float(s.c_node)))
    return max(least, float(f"{4e-7 * np.pi * turns**2 * area / most - iron:.2g}"))


def choose(work: Work, s: Any, out: Mapping[str, Any]) -> Any:
    """Capacitor of the clamp and the dead times of both switches, from the settled numbers of the wound stage."""
    full = corners.FULL.mask(work.grid)
    flat = {k: np.broadcast_to(out[k], work.grid.shape)[full] for k in ("i_leak", "i_mag", "t_l", "t_r", "i_back", "v_c", "c_p")}
    charge = active_clamp.ripple(flat["i_leak"], flat["i_mag"], flat["t_l"], flat["t_r"], flat["i_back"], 1.0)
    rippling = float(np.max(charge / (RIPPLE * flat["v_c"])))
    slow = float(active_clamp.slow_capacitor(SLOW, float(flat["t_r"].max()), float(s.lm)))
    c = work.choose("active.c", lambda: float(at_least(max(rippling, slow), "E6")),
                    f"next E6 value above: {RIPPLE * 100:g} % ripple, and a ring with the magnetising inductance {SLOW:g} times as long as "
                    "the reset")
    wanted = 1.3 * float(np.max(active_clamp.dead_time(flat["c_p"], flat["v_c"], flat["i_back"])))
    dead = work.choose("active.dead_time", lambda: float(f"{max(min(wanted, 0.05 / float(s.fs)), gates.least_dead(work)):.2g}"),
                       "the negative magnetising current brings the node down to the input within it; no less than its gates need")
    return replace(s, extra={**s.extra, "c_clamp": float(c.value), "dead": float(dead.value)})


def record(work: Work, s: Any, o: dict[str, Any], v_forward: float) -> None:
    """Voltage of the open switch, ripple, what the dead time has to last; v_forward: drop of a body diode [V]."""
    sheet = work.sheet
    swing = sheet("active.ripple_pp", active_clamp.ripple, i_left=o["i_leak"], i_mag=o["i_mag"], t_leakage=o["t_l"], t_reset=o["t_r"],
                  i_back=o["i_back"], c=sheet.rows["active.c"])
    sheet("switch.v_peak", active_clamp.switch_peak, v_held=sheet.rows["reset.v_switch"], ripple=swing, v_forward=v_forward)
    sheet("active.dead_need", active_clamp.dead_time, c_primary=o["c_p"], v_clamp=o["v_c"], i_back=o["i_back"])
    sheet("active.v_full_duty", active_clamp.at_full_duty, v_primary=s.v_bus, duty=sheet.rows["switch.duty_limit"])
