"""Rectifiers, output capacitors and the voltages of outputs that are not regulated themselves."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import flyback, forward, inductance, output
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages import rate
from rhevectra.core.stages.dies import JUNCTION_SHARE
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import idle, snubbing
from rhevectra.core.topologies.common.declare import CANS
from rhevectra.core.topologies.common.outputs import (
    SLOWER_FED_OFF,
    cans_for_step,
    holding,
    least_bank,
    record_range,
    resistance,
    slowest,
    step_and_life,
    whole_cans,
)
from rhevectra.core.topologies.common.synchronous import record_most
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback import sharing
from rhevectra.core.topologies.flyback.wound import Plan

OPEN = 1.4
"""Output with its feedback open, until the trip on the supply catches it, over its voltage: estimated, judged as output1.v_open."""


def record(work: Work, plan: Plan, s: pd.Stage, o: dict[str, Any], shared: Mapping[str, list[Any]]) -> dict[str, Any]:
    """Rows of all outputs; shared: what each takes where there are several. Returns their losses."""
    losses: dict[str, Any] = {}
    for k in range(len(work.need.outputs)):
        losses |= _one(work, plan, s, o, k, shared)
    return losses


def _currents(work: Work, s: pd.Stage, o: dict[str, Any], k: int, name: str, shared: Mapping[str, list[Any]]) -> tuple[Any, Any]:
    """Peak without the ring and rms of a rectifier: its part of the whole, or what leakage leaves each of several; its peak with the ring
    is recorded beside."""
    sheet, own = work.sheet, {"i_out": s.i_outputs[k], "i_total": o["i_sum"]}
    top = sheet.again(f"{name}.i_top", shared["peak"][k]) if shared else sheet(f"{name}.i_top", flyback.share, i_secondary=o["i_top"],
        **own)
    if s.variant.turned:  # the leakage's current turns round in the clamp: nothing rings
        sheet.again(f"{name}.i_peak", top)
    else:
        part = sheet.given(f"{name}.ring_share", sharing.ring_shares(s)[k], "", "solved",
                           "what it takes of a current that all outputs take alike, by the leakages between the windings")
        sheet(f"{name}.i_peak", flyback.swung, i_peak=top, share=part, turns_primary=s.np, turns_secondary=s.ns[k],
              v_node=o.get("crest", o["v_node"]), v_reflected=o["v_or"], c_node=s.c_node, leakage=s.leakage, i_top=o["i_top"])
    return (top, sheet.again(f"{name}.i_rms", shared["rms"][k]) if shared
            else sheet(f"{name}.i_rms", flyback.share, i_secondary=o["i_secondary"], **own))


def _one(work: Work, plan: Plan, s: pd.Stage, o: dict[str, Any], k: int, shared: Mapping[str, list[Any]]) -> dict[str, Any]:
    sheet, n, need = work.sheet, k + 1, work.need.outputs[k]
    diode = plan.rectifiers[k]
    row, name = diode["row"], f"rectifier{n}"
    v_out = sheet.given(f"load.v{n}", need.magnitude, "V", text=f"magnitude of {need.name}")
    sheet(f"{name}.v_reverse", flyback.rectifier_reverse, allowance=sheet.rows["rectifier.ringing"], v_out=v_out, v_bus=s.v_bus,
          turns_secondary=s.ns[k], turns_primary=s.np)
    sheet.given(f"{name}.v_limit", row["v_class_v"] * float(sheet.rows["derating.rectifier_v"].value), "V", "catalogue",
                f"class {row['name']} × derating")
    top, rms = _currents(work, s, o, k, name, shared)
    average = sheet.again(f"{name}.i_avg", s.i_outputs[k])
    sheet.given(f"{name}.i_limit", row["i_rated_a"] * 0.5, "A", "catalogue", "half the rated current (twice the current: common practice)")
    record_most(work, name, row, rms)
    loss = sheet(f"{name}.loss", output.rectifier_loss, v_forward=row["v_forward_v"], i_avg=average, r_dynamic=row["r_dynamic_ohm"],
                 i_rms=rms)
    limit = sheet.given(f"{name}.t_junction", JUNCTION_SHARE * row["t_junction_max_c"], "°C", "rule",
                        "85 % of the class limit (common practice)")
    sheet(f"{name}.case_to_ambient", output.case_to_ambient, t_junction=limit, ambient=sheet.rows["ambient.max"], power=loss,
          r_jc=row["r_junction_case_k_w"])
    ripple = sheet(f"output{n}.i_c_rms", output.capacitor_rms, i_rms=rms, i_out=average)
    slow = _slow(work, s, o, name, top)
    bank = _bank(work, n, need, *(np.broadcast_to(x.value, work.grid.shape) for x in (ripple, *slow)))
    more = _ripple_and_life(work, s, o, n, need, bank, slow, average)
    if k:
        record_range(work, n, need, shared["voltage"][k])
    bleed = sheet.given(f"load.bleed{n}", s.i_outputs[k].value - work.grid.current(k), "A", "rule",
                        "divider and bleed that keep the output loaded when nothing is connected, and the drive of a synchronous rectifier")
    idle.record(work, k)
    more[f"bleed{n}"] = sheet(f"loss.bleed{n}", output.output_power, v=sheet.rows.get(f"output{n}.v") or v_out, i=bleed)
    if plan.snubbers:
        step = sheet(f"{name}.v_step", flyback.rectifier_reverse, allowance=0.0, v_out=v_out, v_bus=s.v_bus, turns_secondary=s.ns[k],
                     turns_primary=s.np)
        more |= snubbing.record(work, n, v_step=step, v_turn_on=o["v_edge"], turns_secondary=s.ns[k], turns_primary=s.np, rate=o["fs"])
    return {f"rectifier{n}": loss} | more


def _slow(work: Work, s: pd.Stage, o: dict[str, Any], name: str, top: Any) -> tuple[Any, Any]:
    """Peak of a rectifier without the ring, and rate, with the least inductance at the least rate; as they are where the rate follows the
    inductance."""
    if s.variant.valley:
        return top, o["fs"]
    sheet, rows = work.sheet, work.sheet.rows
    return (sheet(f"{name}.i_top_most", inductance.peak_following, current=top, i_least=rows["switch.i_peak_least"],
                  i_peak=rows["switch.i_peak_run"]),
            sheet("switch.f_least", forward.least_rate, fs=o["fs"], tolerance=rate.tolerance(work)))


def _asks(need: Any, row: Any, esr: Any, i_c: float, top: float, fs: float, filtered: bool) -> dict[str, Any]:
    """How many cans of a class each need asks for; row, esr: of one class or of many. Behind a filter the first capacitor may ripple by a
    tenth of the voltage."""
    ripple = 0.1 * need.magnitude if filtered else need.ripple_pp
    return {"ripple current": i_c / row["i_rated_a"], "ripple voltage": (top * esr + need.current_max * 0.6 / fs / row["c_f"]) / ripple,
            "load step": cans_for_step(need, row, esr, slowest(fs, SLOWER_FED_OFF))}


def _bank(work: Work, n: int, need: Any, ripple: Any, peak: Any, every_fs: Any) -> tuple[Any, int, float]:
    """Capacitor class, count and filter inductor [H]: the fewest and smallest cans; a filter where ripple alone would ask for many more."""
    table = work.parts["output_capacitors"]
    full = corners.FULL.mask(work.grid)
    i_c, top, fs = float(ripple[full].max()), float(peak[full].max()), float(every_fs[full].min())
    able = holding(work, need, OPEN * need.magnitude)
    plain, alone = least_bank(work, able, lambda rows, esr: _asks(need, rows, esr, i_c, top, fs, False))
    behind, filtered = least_bank(work, able, lambda rows, esr: _asks(need, rows, esr, i_c, top, fs, True))
    pinned = work.choose.pins.get(f"filter{n}.l")
    wanted = bool(pinned) if pinned is not None else alone > 2.5 * filtered
    cap = work.choose(f"output{n}.cap", (behind if wanted else plain)["name"],
                      f"least volume of {len(able)} classes from {OPEN * need.magnitude:.3g} V, what the output may reach with its "
                      "feedback open")
    row = table.row(cap.value)
    asks = _asks(need, row, resistance(work, row)[0], i_c, top, fs, wanted)
    decides = max(asks, key=lambda a: asks[a])
    count = work.choose(f"output{n}.parallel", min(int(whole_cans(asks)), CANS), f"{decides} decides at {show(i_c, 'A')} ripple current")
    inductance = work.choose(f"filter{n}.l", lambda: _filter_l(work, row, need, fs) if wanted else 0.0,
                             "second stage: ripple alone would ask for far more capacitors" if wanted
                             else "none needed: the first capacitor holds the ripple")
    return row, int(count.value), float(inductance.value)


def _filter_l(work: Work, row: Any, need: Any, fs: float) -> float:
    """Inductor [H] that brings a tenth of the voltage down to the ripple allowed, with one can behind it."""
    impedance = np.hypot(resistance(work, row)[0], 1 / (2 * np.pi * fs * row["c_f"]))
    return at_least(max(1.3 * 0.1 * need.magnitude / need.ripple_pp * impedance / (2 * np.pi * fs), 0.2e-6), "E6")


def _ripple_and_life(work: Work, s: pd.Stage, o: dict[str, Any], n: int, need: Any, bank: tuple[Any, int, float],
                     slow: tuple[Any, Any], average: Any) -> dict[str, Any]:
    sheet, (cap, count, choke), (peak, fs) = work.sheet, bank, slow
    c = sheet.given(f"output{n}.c", cap["c_f"] * count, "F", "rule", f"{count} × {cap['name']}")
    one, why = resistance(work, cap)
    esr = sheet.given(f"output{n}.esr_worst", one / count, "Ω", "catalogue", f"{why}, {count} side by side")
    losses: dict[str, Any] = {}
    if choke > 0:
        first = sheet(f"output{n}.ripple_first", output.ripple, i_peak=peak, esr=esr, i_out=average, fs=fs, t_off=o["t_off"], c=c)
        second = sheet.given(f"filter{n}.esr_worst", one, "Ω", "catalogue", f"one {cap['name']} behind the filter inductor")
        sheet(f"output{n}.ripple_pp", output.filtered, ripple_pp=first, esr=second, fs=fs, c=cap["c_f"],
              inductance=sheet.rows[f"filter{n}.l"])
        wire = sheet.given(f"filter{n}.r", 1.5e-3 * (choke / 1e-6) ** 0.5 * min(1.0, (5.0 / need.current_max) ** 0.5), "Ω", "rule",
                           "rod-core inductor of this size (typical, from memory)")
        losses[f"filter{n}"] = sheet(f"loss.filter{n}", resistive_loss, r=wire, i_rms=average)
    else:
        sheet(f"output{n}.ripple_pp", output.ripple, i_peak=peak, esr=esr, i_out=average, fs=fs, t_off=o["t_off"], c=c)
    sheet.given(f"output{n}.ripple_limit", need.ripple_pp, "V", text="requirement")
    sheet.given(f"output{n}.i_c_limit", cap["i_rated_a"] * count, "A", "catalogue",
                f"{count} × {cap['i_rated_a']:g} A at {cap['t_max_c']:g} °C")
    step_and_life(work, o, n, need, cap, count, c)
    return losses
