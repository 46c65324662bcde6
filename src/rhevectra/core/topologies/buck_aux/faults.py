"""The step-down converter outside its steady period: start-up into full load, a short at the output, a feedback that is open."""

from typing import Any

import numpy as np

from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import buck
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.buck_aux import stage as st
from rhevectra.core.topologies.common import faults as common


def record(work: Work, plan: Any, s: st.Stage, o: dict[str, Any], least: Any) -> None:
    """Rows of all cases; start-up and short are judged at the points of the current limit. least: row of the least pulse [s]."""
    sheet = work.sheet
    edge = sheet("short.i_limit", buck.limit_current, v_up=s.v_bus, inductance=s.inductance, **s.limit)
    path = {"v_bus": s.v_bus, "t_least": least, "v_forward": s.v_forward, "r": sheet.total("short.r", "Ω", "diode and inductor", diode=s.r_diode, inductor=s.r_inductor), "r_switch": s.r_switch}
    after = {"i_limit": edge, "v_bus": s.v_bus, "t_least": least, "inductance": s.inductance}

    def walks(share: float) -> bool:
        balance = buck.short_balance(f_short=share * plain(sheet.rows["fs"]), **{k: plain(x) for k, x in path.items()})
        return bool(np.any(buck.short_peak(i_balance=balance, **{k: plain(x) for k, x in after.items()}) > plain(edge)))
    peak = sheet("short.i_peak", buck.short_peak, i_balance=sheet("short.i_balance", buck.short_balance, f_short=common.pulses_into_short(work, common.SHARES, walks), **path), **after)
    common.into_saturation(work, "filter1", s.inductance, peak, s.choke["turns"], plan.choke_need.material)
    common.start(work, sheet("start.i_least", buck.current_at_limit, i_limit=sheet.rows["switch.limit_min"], ripple=o["ripple"]))
    common.caught(work, s.inductance, edge)
