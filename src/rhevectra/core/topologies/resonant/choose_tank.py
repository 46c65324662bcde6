"""The tank before there is a transformer: by the most its exact gain lets it be loaded, or for a fixed ratio by zero voltage alone."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.formulas import resonant
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import idle, low, supply
from rhevectra.core.topologies.common.least_bus import asked
from rhevectra.core.topologies.common.rectifiers import loaded
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, RECTIFIERS
from rhevectra.core.topologies.common.synchronous import driven
from rhevectra.core.topologies.resonant import ends, fixed, peak_gain, several
from rhevectra.core.topologies.resonant import stage as st
from rhevectra.core.topologies.resonant.variant import Variant

AUX_AMPS, DRIVE_AMPS = 4e-3, 1e-3
RATIOS, FLAT = (2.5, 3.0, 4.0, 5.0, 6.0, 7.0, 8.0), 10.0
"""Ratios of inductances that are looked through, and one more where several phases share best at a flat gain."""
BELOW = 1.2
"""Highest frequency over the resonance of a tank that gives its output from the highest bus at a gain of one."""


def estimate(work: Work, v: Variant, kind: str, row: Mapping[str, Any], rectifiers: Mapping[int, Any], numbers: Sequence[int], v_bus: Array,
             room: float, control: bool) -> st.Stage:
    """The stage with its tank; turns ratio still as wanted. row, rectifiers: switch and rectifiers; numbers: of the outputs beside the
    regulated one, from nothing up; room: share of the mean that a phase is built for; control: fixed ratio."""
    choose, sheet, grid = work.choose, work.sheet, work.grid
    main: Any = work.need.outputs[work.need.main]
    rect = rectifiers[work.need.main]["row"]
    v_top, v_low = float(np.max(v_bus)), float(loaded(work, v_bus).min())
    why = "100 kHz: small magnetics, third harmonic above the first limit of conducted noise anyway (common practice)"
    fs = choose("fs", *low.usual(work.need, work.parts, (100e3, why), low.RESONANT, v.phases))
    unity = choose("llc.v_unity",
                   *((fixed.middle(v_low, v_top), "half way between the least and the highest bus: the output lies as far above as below")
                     if control else (v_top, "the highest bus: at or below resonance everywhere, no load current is cut at turn-off")))
    i_full, in_path = max(main.current_peak, main.current_max) / v.phases, 2 if kind == BRIDGE else 1
    drops = in_path * (rect["v_forward_v"] + rect["r_dynamic_ohm"] * i_full) + 0.02 * main.magnitude
    ratio = sheet("transformer.ratio_wanted", resonant.turns_ratio, share=v.drive, v_unity=unity, v_out=main.magnitude,
                  v_drops=sheet.given("transformer.v_drops", drops, "V", "rule",
                                      "rectifier at full current and 2 % of the output for the copper"))
    others = several.estimate(work, rectifiers, numbers, main.magnitude + drops, float(fs.value), DRIVE_AMPS)
    n, i_beside = float(ratio.value), several.full(work, others, 1.0)
    i_over = (float(
        choose("llc.overload", 1.1, "a load step (common practice); the tolerances of the parts are counted by themselves").value) * room
              * (i_full + i_beside))
    r_ac = 8 / np.pi**2 * n**2 * main.magnitude / i_over
    dead = choose("switch.dead_time", 250e-9, "time for the switch node to swing by the magnetising current alone (common practice)")
    c_leg = sheet.given("switch.c_leg", 2 * row["c_charge_f"] + 30e-12, "F", "catalogue",
                        "charge-equivalent capacitance of both switches of a leg and 30 pF of winding")
    f_top = 1.0 if control else float(
        choose("llc.f_top", 1.6, "no higher: bursts at light load lose less than ever higher frequency").value)
    most = sheet("llc.lm_most", resonant.most_magnetising, share=v.drive, v_unity=unity, t_dead=dead,
                 f_max=float(fs.value) * (min(f_top, BELOW) if float(unity.value) >= v_top else f_top), c_switches=c_leg, v_bus=v_top)
    least = asked(work, v_low)
    hold = choose("llc.v_hold", least,
                  "the least bus the stage has to work from" if least < v_low else "the lowest bus: no hold-up is asked of this stage")
    tank_values = fixed.tank_of(work, fs, most) if control else _by_gain(work, v, fs, most, r_ac,
        float(unity.value) / min(v_low, float(hold.value)))
    drive = driven(grid, DRIVE_AMPS, RECTIFIERS[kind] * rect["q_gate_c"], float(fs.value), not control)
    plain_load = (
        idle.load(work, work.need.main, idle.LEAST if control else None) + idle.bleed(work, work.need.main, not control) + v.phases * drive)
    load = np.where(grid.where(lambda p: p.case == "limit") & np.ones(grid.shape, bool), i_over - i_beside, plain_load / v.phases)
    p_ctl = (float(
        choose("aux.v", supply.aim(main.least / main.magnitude) - supply.AUX_DROP, "what the winding gives at the highest "
               "setting of the output: enough at the lowest too").value)
             * float(choose("aux.i", lambda: AUX_AMPS + v.switches * row["q_gate_c"] * float(fs.value),
                            "controller and the gate charge of all switches (common practice)").value))
    burst = 1e-6 if control else float(choose("llc.burst_below", 0.1, "a tenth of full load: below it the circulating current costs more "
                                              "than pauses do (common practice)").value)
    return st.Stage(variant=v, v_bus=v_bus, i_out=load, v_out=main.magnitude, v_forward=in_path * rect["v_forward_v"],
                    r_rectifier=in_path * rect["r_dynamic_ohm"], secondary=kind,
                    r_secondary=0.006 * main.magnitude * v.phases / main.current_max, r_inductor=0.0,
                    r_switch=row["r_on_25_ohm"] * row["hot_ratio"],
                    r_primary=0.004 * r_ac, np=n, ns=1.0, leakage=0.0, f_max=float(fs.value) * f_top,
                    i_burst=burst * (main.current_max + i_beside) / v.phases, c_node=row["c_energy_f"], t_fall=row["t_fall_s"],
                    core=work.parts["materials"].rows[1], area=1.0, volume=1e-9, core_temperature=100.0,
                    p_controller=p_ctl, others=others, extra={"kappa": 0.3, "load": plain_load, "room": room}, **tank_values)


def _by_gain(work: Work, v: Variant, fs: Any, most: Any, r_ac: float, fall: float) -> dict[str, float]:
    """Inductances and capacitor [H, F] of a regulated stage. r_ac: the load at overload seen by the first harmonic [Ω]; fall: bus of gain
    one over the least bus."""
    choose, sheet = work.choose, work.sheet
    gain = (float(
        choose("llc.margin", 1.05, "losses on the way; the tolerances of the parts are counted by themselves (common practice)").value)
            * fall)
    cap = st.ZERO_VOLTAGE_ROOM * float(most.value) * 2 * np.pi * float(fs.value) / r_ac

    def best(k: Any) -> Any:
        """Greatest quality factor, at the load seen by the first harmonic, that still gives the gain at the ends of the tolerances."""
        return (np.minimum(*(peak_gain.most_load(k * lm / lr, gain) / np.sqrt(lr / cr) for lr, cr, lm in ends.of(work.sheet.rows).weakest))
                * np.pi**2 / 8 / fall)

    def rule() -> float:
        ratios = np.array((*RATIOS, FLAT) if v.phases > 1 else RATIOS)
        found = np.minimum(ratios * best(ratios), cap)
        return float(ratios[found >= 0.999 * found.max()].max())
    k = choose("llc.ratio", rule,
               "greatest magnetising inductance that gives the gain and zero voltage, with the largest ratio that reaches it: "
               + ("least of the tank's inductance and of the capacitor's voltage" if v.phases == 1 else "a flat gain shares best"))
    q = min(float(best(float(k.value))), cap / float(k.value))
    cr = choose("llc.cr", lambda: float(at_least(1 / (2 * np.pi * float(fs.value) * q * r_ac), "E12")),
                "E12 value at or above what quality factor and resonance ask")
    lr = sheet("llc.lr", resonant.resonant_inductance, fr=fs, cr=cr)
    lm = sheet("llc.lm", resonant.magnetising_inductance, ratio=k, lr=lr)
    sheet.again("llc.fr", fs)
    return {"lr": float(lr.value), "cr": float(cr.value), "lm": float(lm.value)}
