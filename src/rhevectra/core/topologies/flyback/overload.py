"""Up to what load a flyback's current limit lets it go: at the least limit, tolerances and bus against it, and at the greatest."""

from typing import Any

import numpy as np

from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.sheet import Quick, plain
from rhevectra.core.formulas import inductance, least_bus, slope, valley_switching
from rhevectra.core.formulas import overload as formulas
from rhevectra.core.stages import rate
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import overload as common
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback import sag
from rhevectra.core.topologies.flyback.sizing import OVER_LINE
from rhevectra.core.topologies.flyback.tolerance import SEEN_SLOW

LEVELLED = 2.0
"""Load at the greatest limit, over full load, from which a limit that follows the line is spoken of (common practice, no source)."""
PASSES = 5
"""Passes in which load and sagging bus come to agree, half a step each."""


def record(work: Work, s: pd.Stage, o: dict[str, Any]) -> None:
    """Rows of both ends, from the period that is known at the greatest limit; after those of start-up and of the sagging bus, which they
    read."""
    sheet, rows, valley = work.sheet, work.sheet.rows, s.variant.valley
    slow = rows["transformer.lp_min"] if valley else rows[SEEN_SLOW]
    fast = rows["transformer.lp_max"] if valley else sheet("overload.lp_fast", inductance.seen_fast, lp_max=rows["transformer.lp_max"],
                                                           tolerance=rows[rate.ID])
    most = rows["switch.i_limit_max"]
    known = {"i_given": rows["core.i_given"], "i_secondary": o["i_sum"],
             "as_solved": _power(work, sheet, s, o, "held", s.v_bus, s.lp, most)}
    sags = common.sagging(work, s.v_bus)
    crest, full, limit, share = (*(plain(x) for x in (sags["v_crest"], s.v_bus, rows["switch.limit_min"])), 1.0)
    per_watt = plain(known["i_given"]) / plain(o["i_sum"]) / plain(known["as_solved"])
    for _ in range(PASSES):
        found = _power(work, Quick(), s, o, "least", formulas.bus_under(full, crest, share), plain(slow), limit)
        share = 0.5 * (share + np.minimum(per_watt * found, 10.0))
    sinks = sheet("overload.v_bus", formulas.bus_under, **sags,
                  share=sheet.solved("overload.share_before", share, "", f"load and bus found together in {PASSES} passes"))
    if "switch.limit_lost" in rows:  # flux and peaks are judged at the whole limit: at start-up a pulse is too short for a ramp
        most = sheet("overload.i_most", slope.less, i_limit=most, lost=rows["switch.limit_lost"])
    ends = {end: sheet(f"overload.by_{end}", formulas.share_of_core, power=_power(work, sheet, s, o, end, v_bus, lp, i), **known)
            for end, v_bus, lp, i in (("least", sinks, slow, rows["switch.limit_min"]), ("most", s.v_bus, fast, most))}
    common.record(work, ends["least"], ends["most"], sags, rows["sag.v_by_winding" if s.variant.held else "sag.v_by_duty"])
    common.record_winding(work)
    _advise(work, common.greatest(work))


def _advise(work: Work, most: tuple[float, float]) -> None:
    """A note where one current limit for every line lets the load rise far; most: how far, and at which line [V]."""
    share, line = most
    if share > LEVELLED and float(work.sheet.rows[OVER_LINE].value) == 0.0:
        work.find(NOTE, "switch", f"at {line:g} V the load may rise to {100 * share:.0f} % of full load before the current limit takes "
                  "over; a limit that is lowered with the line levels that", common.GREATEST, OVER_LINE)


def _power(work: Work, on: Any, s: pd.Stage, o: dict[str, Any], end: str, v_bus: Any, lp: Any, i_limit: Any) -> Any:
    """Power the core takes up at a current limit [W], as a row or a bare number. lp: inductance as the nominal rate sees it [H]."""
    read, name = plain if isinstance(on, Quick) else (lambda x: x), f"overload.{{}}_{end}".format
    v_or, r_on, start = (read(o[k]) for k in ("v_or", "r_on", "i_start"))
    if not s.variant.valley:
        return sag.taken_up(on, s, name, v_bus, lp, i_limit, read(s.fs), v_or=v_or, r_on=r_on, i_start=start)
    ramp = on(name("v_ramp"), least_bus.left_of_bus, v_bus=v_bus, r_on=r_on, i_peak=i_limit, i_start=start)
    alone = on(name("f_limit"), valley_switching.limit_rate, lp=lp, i_limit=i_limit, v_bus=ramp, v_reflected=v_or,
               t_valley=read(work.sheet.rows["switch.t_valley"]))
    return on(name("power"), least_bus.power_emptied, lp=lp, i_peak=i_limit,
              fs=on(name("f"), formulas.valley_rate, f_max=read(s.f_max), f_limit=alone))
