"""A flyback on a bus that sags below what the mains leave: at the end of hold-up, and until it lets go."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import Quick, plain
from rhevectra.core.formulas import least_bus, valley_switching
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common.least_bus import record_asked, record_line
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback.tolerance import SEEN_SLOW


def peak_at(work: Work, s: pd.Stage, out: Mapping[str, Any], floor: float, share: float = 1.0) -> float:
    """Largest peak current [A] at full load from a bus of `floor` [V], worked out from the period at the corners above it; share: of
    inductance times rate that is left there, where the rate is set."""
    full = np.broadcast_to(corners.FULL.mask(work.grid), work.grid.shape)
    v_bus, v_or, peak, fs, r_on, start = (
        np.broadcast_to(plain(x), work.grid.shape)[full]
        for x in (s.v_bus, out["v_or"], out["i_peak"], out["fs"], out["r_on"], out["i_start"]))
    lp = float(plain(s.lp))
    power = (least_bus.power_emptied(lp, peak, fs) if s.variant.valley
             else taken_up(Quick(), s, "sag.{}".format, v_bus, lp, peak, fs, v_or=v_or, r_on=r_on, i_start=start))
    there = least_bus.mean_voltage(least_bus.left_of_bus(floor, r_on, 2 * power / least_bus.mean_voltage(floor, v_or), 0.0), v_or)
    if s.variant.valley:
        ring = float(valley_switching.half_ring(lp, plain(s.c_node)))
        return float(np.max(power / there + np.sqrt(np.square(power / there) + 2 * power * ring / lp)))
    fs = share * fs
    flowing = power / there + there / (2 * lp * fs)
    return float(np.max(np.where(_empties(s, there, flowing, lp, fs), np.sqrt(2 * power / (lp * fs)), flowing)))


def _empties(s: pd.Stage, v_mean: Any, i_peak: Any, lp: Any, fs: Any) -> Array:
    """Whether the core's current comes to rest: the ramp is longer than the peak is high."""
    return np.asarray(v_mean > i_peak * lp * fs) & (not s.variant.turned)


def taken_up(on: Any, s: pd.Stage, name: Callable[[str], str], v_bus: Any, lp: Any, i_peak: Any, fs: Any, *, v_or: Any, r_on: Any,
             i_start: Any) -> Any:
    """Power the core takes up at a set rate [W], from its peak current [A]: as a row whose parts are called by `name`, or a bare number."""
    emptied = on(name("power_emptied"), least_bus.power_emptied, lp=lp, i_peak=i_peak, fs=fs)
    ramp = on(name("v_ramp"), least_bus.left_of_bus, v_bus=v_bus, r_on=r_on, i_peak=i_peak, i_start=i_start)
    mean = on(name("v_mean"), least_bus.mean_voltage, v_bus=ramp, v_reflected=v_or)
    flowing = on(name("power_flowing"), least_bus.power_continuous, v_mean=mean, i_peak=i_peak, lp=lp, fs=fs)
    return on.either(name("power"), _empties(s, *(plain(x) for x in (mean, i_peak, lp, fs))), emptied, flowing,
                     "whether the core's current comes to rest")


def record(work: Work, s: pd.Stage, o: dict[str, Any]) -> None:
    """The bus at which full load is lost: at the largest duty, or where the least current limit is reached."""
    sheet, rows = work.sheet, work.sheet.rows
    record_asked(work)
    valley, limit = s.variant.valley, rows["switch.limit_sagged"]
    peak, lp = (rows["switch.i_peak_run"], s.lp) if valley else (rows["switch.i_peak_least"], rows[SEEN_SLOW])
    if valley:
        power = sheet("sag.power_emptied", least_bus.power_emptied, lp=lp, i_peak=peak, fs=o["fs"])
        there = sheet("sag.v_mean_least", least_bus.mean_voltage_refilled, power=power, lp=lp, i_limit=limit,
                      t_valley=rows["switch.t_valley"])
    else:
        power = taken_up(sheet, s, "sag.{}".format, s.v_bus, lp, peak, o["fs"], v_or=o["v_or"], r_on=o["r_on"], i_start=o["i_start"])
        there = sheet("sag.v_mean_least", least_bus.mean_voltage_at, lp=lp, fs=o["fs"], i_limit=limit, power=power)
    by_limit = sheet("sag.v_by_current", least_bus.by_current, v_mean=there, v_reflected=o["v_or"], r_on=o["r_on"], power=power,
                     i_limit=limit)
    by_duty = sheet("sag.v_by_duty", least_bus.by_reflected, v_reflected=o["v_or"], duty_limit=rows["switch.duty_limit"])
    if s.variant.held:  # what the windings give back takes ever longer, and ever more of it never reaches the output
        by_share = sheet("sag.v_by_share", least_bus.by_share, v_reflected=o["v_or"], share=rows["return.share_limit"])
        by_duty = sheet.either("sag.v_by_winding", by_share.value >= by_duty.value, by_share, by_duty,
                               "the bus has to stay above the reflected voltage with room, or the duty below its limit")
    sheet.either("switch.v_bus_least", by_limit.value >= by_duty.value, by_limit, by_duty,
                 "the least current limit is reached before the largest duty, or after it")
    record_line(work)
