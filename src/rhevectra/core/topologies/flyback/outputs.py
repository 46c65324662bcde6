"""Rectifiers, output capacitors and the voltages of outputs that are not regulated themselves."""

from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.sheet import Quick
from rhevectra.core.formulas import flyback, inductance, oscillator, output
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages import air, rate
from rhevectra.core.stages.banks import LEFT, choose_count, least_bank, record_worn, resistance
from rhevectra.core.stages.dies import record_case
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import idle, ripple, snubbing
from rhevectra.core.topologies.common.outputs import (
    SLOWER_FED_OFF,
    cans_for_step,
    holding,
    of_pulses,
    record_range,
    slowest,
    stated,
    step_and_life,
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
    record_case(work, name, f"{name}.case_to_ambient", row, loss, "the class limit")
    sheet(f"output{n}.i_c_rms", output.capacitor_rms, i_rms=rms, i_out=average)
    fed = _fed(work, s, o, name, {"i_peak": top, "i_out": average})
    bank = _bank(work, n, need, fed)
    more = _ripple_and_life(work, o, n, need, bank, fed, average)
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


def _fed(work: Work, s: pd.Stage, o: dict[str, Any], name: str, current: dict[str, Any]) -> dict[str, Any]:
    """What the capacitors are fed with. current: of the rectifier, peak without the ring and load; its peak is that of the least inductance
    at the least rate. How long it falls, at what rate, and the tolerance of that; where the rate follows the inductance with the greatest,
    at the same peak."""
    sheet, rows, fed = work.sheet, work.sheet.rows, {**current, "t_off": o["t_off"], "fs": o["fs"]}
    if s.variant.valley:
        return {**fed, "slower": sheet("switch.fs_slower", inductance.slower, lp=s.lp, lp_max=rows["transformer.lp_max"])}
    return {**fed, "slower": rows[rate.ID],
            "i_peak": sheet(f"{name}.i_top_most", inductance.peak_following, current=current["i_peak"],
                            i_least=rows["switch.i_peak_least"], i_peak=rows["switch.i_peak_run"])}


def _ripple(sheet: Any, id: str, fed: dict[str, Any], esr: Any, c: Any) -> Any:
    """Ripple [V] on a capacitor, as a row or bare numbers."""
    return ripple.of_rectifier(sheet, id, {k: fed[k] for k in ("i_peak", "i_out")}, fed["t_off"], fed["fs"], fed["slower"], esr, c)


def _asks(work: Work, need: Any, row: Any, esr: Any, i_c: float, volts: ripple.Swing, fs: float, filtered: bool) -> dict[str, Any]:
    """How many cans of a class each need asks for; row, esr: of one class or of many. Behind a filter the first capacitor may ripple by a
    tenth of the voltage."""
    most = 0.1 * need.magnitude if filtered else of_pulses(work, need)
    return {"ripple current": i_c / row["i_rated_a"], "ripple voltage": volts(esr, LEFT * row["c_f"]) / most,
            "load step": cans_for_step(need, row, esr, slowest(work, fs, SLOWER_FED_OFF)), "life": i_c / air.carried(work, row)}


def _bank(work: Work, n: int, need: Any, fed: dict[str, Any]) -> tuple[Any, int, float]:
    """Capacitor class, count and filter inductor [H]: the fewest and smallest cans; a filter where ripple alone would ask for many more."""
    table, full = work.parts["output_capacitors"], corners.FULL.mask(work.grid)
    at_full = lambda x: np.broadcast_to(x.value, work.grid.shape)[full]  # noqa: E731
    i_c = float(at_full(work.sheet.rows[f"output{n}.i_c_rms"]).max())
    fs = float(at_full(fed["fs"]).min()) * (1 - float(at_full(fed["slower"]).max()))
    volts = ripple.on_one(work, fed, partial(_ripple, Quick(), ""))
    able = holding(work, need, OPEN * need.magnitude)
    plain, alone = least_bank(work, able, lambda rows, esr: _asks(work, need, rows, esr, i_c, volts, fs, False))
    behind, filtered = least_bank(work, able, lambda rows, esr: _asks(work, need, rows, esr, i_c, volts, fs, True))
    pinned = work.choose.pins.get(f"filter{n}.l")
    wanted = bool(pinned) if pinned is not None else alone > 2.5 * filtered
    cap = work.choose(f"output{n}.cap", (behind if wanted else plain)["name"],
                      f"least volume of {len(able)} classes from {OPEN * need.magnitude:.3g} V, what the output may reach with its "
                      "feedback open")
    row = table.row(cap.value)
    asks = _asks(work, need, row, resistance(work, row)[0], i_c, volts, fs, wanted)
    count = choose_count(work, f"output{n}", asks, i_c)
    inductance = work.choose(f"filter{n}.l", lambda: _filter_l(work, row, need, fs) if wanted else 0.0,
                             "second stage: ripple alone would ask for far more capacitors" if wanted
                             else "none needed: the first capacitor holds the ripple")
    return row, count, float(inductance.value)


def _filter_l(work: Work, row: Any, need: Any, fs: float) -> float:
    """Inductor [H] that brings a tenth of the voltage down to the ripple allowed, with one can behind it."""
    impedance = np.hypot(resistance(work, row)[0], 1 / (2 * np.pi * fs * LEFT * row["c_f"]))
    return at_least(max(1.3 * 0.1 * need.magnitude / of_pulses(work, need) * impedance / (2 * np.pi * fs), 0.2e-6), "E6")


def _ripple_and_life(work: Work, o: dict[str, Any], n: int, need: Any, bank: tuple[Any, int, float], fed: dict[str, Any],
                     average: Any) -> dict[str, Any]:
    sheet, (cap, count, choke) = work.sheet, bank
    left, esr = record_worn(work, f"output{n}", cap, count)
    first = _ripple(sheet, f"output{n}.ripple_{'first' if choke > 0 else 'pp'}", fed, esr, left)
    losses: dict[str, Any] = {}
    if choke > 0:
        second = sheet.given(f"filter{n}.esr_worst", resistance(work, cap)[0], "Ω", "catalogue",
                             f"one {cap['name']} behind the filter inductor")
        least = sheet("switch.f_least", oscillator.least_rate, fs=fed["fs"], tolerance=fed["slower"])
        ripple.behind_filter(sheet, f"output{n}.ripple_pp", first, least, sheet.rows[f"filter{n}.l"], second, LEFT * cap["c_f"])
        wire = sheet.given(f"filter{n}.r", 1.5e-3 * (choke / 1e-6) ** 0.5 * min(1.0, (5.0 / need.current_max) ** 0.5), "Ω", "rule",
                           "rod-core inductor of this size (typical, from memory)")
        losses[f"filter{n}"] = sheet(f"loss.filter{n}", resistive_loss, r=wire, i_rms=average)
    stated(work, n, f"output{n}.ripple_limit", need.ripple_pp)
    step_and_life(work, o, n, need, cap, count, left, esr)
    return losses
