"""The step-down converter outside its steady period: start-up into full load, a short at the output, a feedback that is open."""

from typing import Any

from rhevectra.core.formulas import buck, faults
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.buck_aux import stage as st
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.common import least_filter, overload


def record(work: Work, plan: Any, s: st.Stage, o: dict[str, Any], least: Any) -> None:
    """Rows of all cases; start-up and short are judged at the points of the current limit. least: row of the least pulse [s]."""
    sheet = work.sheet
    edge = sheet("short.i_limit", buck.limit_current, v_up=s.v_bus, inductance=s.inductance, **s.limit)
    path = sheet.total("short.r", "Ω", "diode and inductor", diode=s.r_diode, inductor=s.r_inductor)

    def peak(on: Any, rate: Any) -> Any:
        balance = on("short.i_balance", buck.short_balance, v_bus=s.v_bus, t_least=least, f_short=rate, v_forward=s.v_forward, r=path,
                     r_switch=s.r_switch)
        return on("short.i_peak", faults.short_peak, i_limit=edge, i_balance=balance, v_bus=s.v_bus, t_least=least, inductance=s.inductance)
    most = common.short_peak(work, common.SHARES, peak, edge)
    common.into_saturation(work, "filter1", s.inductance, most, s.choke["turns"], plan.choke_need.material, sheet.rows[least_filter.ID])
    common.start(work, sheet.rows["switch.limit_min"], sheet.rows["filter1.i_ripple_most"], s.v_bus, s.v_forward, s.inductance, s.fs)
    gives = sheet("overload.i_least", buck.current_at_limit, i_limit=sheet.rows["switch.limit_min"],
                  ripple=sheet.rows["filter1.i_ripple_most"])
    overload.record_currents(work, gives, o["i_load"], s.i_out, s.v_bus)
    common.caught(work, s.inductance, edge)
