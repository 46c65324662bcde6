"""A stage with a filter inductor outside its steady period: start-up into full load, a short at the output or in a rectifier, a feedback
that is open."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import RUN
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import faults, forward, slope
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.common import least_filter, overload, secondaries
from rhevectra.core.topologies.stepdown import secondary
from rhevectra.core.topologies.stepdown import stage as st

FIGURES = (*common.OF_FILTER, common.I_FAULT, *overload.FIGURES, overload.WINDING)


def into_short(s: st.Stage, v_in: Any) -> float:
    """Largest current of one filter inductor [A] as the current limit cuts a pulse into a short; s: bare numbers, v_in: across the primary
    [V]."""
    seen = secondary.seen_numbers(s)
    turns = {"turns_secondary": plain(seen.ns), "turns_primary": plain(seen.np)}
    edge = forward.limit_current(v_primary=v_in, lm=plain(seen.lm), v_up=faults.across_filter(v_in, **turns),
                                 inductance=plain(seen.inductance), **s.limit, **turns)
    return float(np.max(faults.to_filter(edge, **turns))) * plain(seen.inductance) / plain(s.inductance)


def record(work: Work, plan: Any, s: st.Stage, o: dict[str, Any]) -> None:
    """Rows of all cases; start-up and short are judged at the points of the current limit. s: with the centre tap that behaves alike."""
    sheet, turns = work.sheet, {"turns_secondary": s.ns, "turns_primary": s.np}
    least, up = _least(work, s), sheet("short.v_up", faults.across_filter, v_primary=o["v_in"], **turns)
    edge = sheet("short.i_limit", forward.limit_current, v_primary=o["v_in"], lm=s.lm, v_up=up, inductance=s.inductance, **s.limit, **turns)
    _short(work, plan, s, o, least, up, edge)
    crest = sheet("start.i_crest", forward.crest_at_limit, i_limit=sheet.rows["switch.limit_min"], i_mag=o["i_mag"], **turns)
    whole = secondaries.charged(work, plan.stage.others) if plan.stage.others else None
    common.start(work, crest, sheet.rows["filter1.i_ripple_most"], up, s.v_forward, s.inductance, sheet.rows["switch.rate_nominal"], whole)
    common.first_pulse(work,
                       sheet.given("start.c", float(np.max(np.where(RUN.mask(work.grid), sheet.rows["aux.c_least"].value, 0.0))), "F",
                                   "solved", "supply capacitor: the most that is asked of it anywhere in run"))
    sheet("fault.i_switch", faults.fault_current_filter, v_primary=o["v_in"], t_least=least, leakage=s.leakage)
    _overload(work, s, o, turns)
    volts = common.caught(work, s.inductance, sheet("short.i_filter", faults.to_filter, current=edge, **turns),
                          c=whole[1] if whole else None)
    secondaries.opened(work, plan.stage.others, s.v_forward, volts)


def _overload(work: Work, s: st.Stage, o: dict[str, Any], turns: dict[str, Any]) -> None:
    """Load at which the limit takes over: at the least limit with the ripple of the bad ends, and as the period at the greatest has it."""
    sheet, rows, most = work.sheet, work.sheet.rows, o["i_load"]
    least = sheet("overload.i_least", forward.current_at_limit, i_limit=rows["switch.limit_min"], i_mag=o["i_mag"],
                  ripple=rows["filter1.i_ripple_most"], **turns)
    if "switch.limit_lost" in rows:
        most = sheet("overload.i_most", slope.less_behind, i_out=most, lost=rows["switch.limit_lost"], **turns)
    overload.record_currents(work, least, most, s.i_out, s.v_bus)
    overload.record_winding(work)


def _least(work: Work, s: st.Stage) -> Any:
    """Row of the least pulse [s]; a phase-shifted bridge's begins while the lagging leg still rests, as soon as its node has swung."""
    least = common.least_pulse(work)
    return (work.sheet.total("short.t_pulse", "s",
                             "least pulse, and the dead time of the lagging leg, in which the bus already turns the current over",
                             pulse=least, dead=work.sheet.rows["psfb.dead_lagging"]) if s.variant.phase else least)


def _short(work: Work, plan: Any, s: st.Stage, o: dict[str, Any], least: Any, up: Any, edge: Any) -> None:
    sheet, turns = work.sheet, {"turns_secondary": s.ns, "turns_primary": s.np}
    once = (sheet.given("short.turning", 1.0, "", "rule", "with each pulse the current of the leakage begins at zero")
            if not s.variant.phase else None)

    def peak(on: Any, rate: Any) -> Any:
        turning = once or on("short.turning", faults.turned_round, r_loop=o["r_loop"], f_short=rate, t_least=least, leakage=s.leakage,
                             c_leg=o["c_p"], v_primary=o["v_in"], i_limit=edge)
        balance = on("short.i_balance", faults.filter_balance, v_up=up, t_least=least, f_short=rate, v_forward=s.v_forward, r=o["r_wheel"],
                     turning=turning, leakage=s.leakage, **turns)
        return on("short.i_peak", faults.short_peak_filter, i_limit=edge, i_balance=balance, v_up=up, t_least=least,
                  inductance=s.inductance, **turns)
    most = common.short_peak(work, common.SHARES, peak, edge, s.variant.pulses)
    common.into_saturation(work, "filter1", s.inductance, sheet("short.i_filter_peak", faults.to_filter, current=most, **turns),
                           s.choke["turns"], plan.choke_need.material, sheet.rows[least_filter.ID])
