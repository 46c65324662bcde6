"""Ratings of the rectifiers of one output of a step-down stage."""

from collections.abc import Mapping
from typing import Any

from rhevectra.core.formulas import active_clamp, forward, output, sink
from rhevectra.core.stages.dies import record_case
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common.secondary_kinds import RECTIFIERS
from rhevectra.core.topologies.common.synchronous import record_most
from rhevectra.core.topologies.stepdown import secondary
from rhevectra.core.topologies.stepdown.stage import Stage


def record(work: Work, n: int, row: Mapping[str, Any], s: Stage, o: Mapping[str, Any], own: Mapping[str, Any], fed: Any) -> None:
    """Rows of the rectifiers of output n. s: the stage with the centre tap that behaves alike; o: its period; own: turns ns of the winding,
    current i, and rms i_l and crest of the filter winding of this output; fed: share of a pulse in which the switches feed."""
    sheet, name, both = work.sheet, f"rectifier{n}", s.variant.both_ways
    turns = {"turns_secondary": own["ns"], "turns_primary": s.np}
    if s.variant.active:
        sheet(f"{name}.v_reverse", active_clamp.rectifier_reverse, allowance=sheet.rows["rectifier.ringing"], v_primary=o["v_in"],
              v_clamp=o["v_c"], **turns)
    elif "v_rectifier" in o:
        sheet.again(f"{name}.v_reverse", o["v_rectifier"])
    else:
        sheet(f"{name}.v_reverse", secondary.blocked_by(s), allowance=sheet.rows["rectifier.ringing"], v_primary=o["v_in"], **turns)
    sheet.given(f"{name}.v_limit", row["v_class_v"] * float(sheet.rows["derating.rectifier_v"].value), "V", "catalogue",
                f"class {row['name']} × derating")
    share = sheet.given(f"{name}.share", 0.5, "", "rule", "each rectifier carries half the current") if both else sheet(f"{name}.share",
        forward.busier_share, t_on=o["t_on"], fs=o["fs"])
    sheet.again(f"{name}.i_peak", own["crest"])
    average = sheet(f"{name}.i_avg", forward.rectifier_average, share=share, i_out=own["i"])
    rms = sheet(f"{name}.i_rms", forward.centre_tap_rms, i_inductor=own["i_l"], duty=fed) if both else sheet(f"{name}.i_rms",
        forward.rectifier_rms, share=share, i_inductor=own["i_l"])
    sheet.given(f"{name}.i_limit", row["i_rated_a"] * 0.5, "A", "catalogue", "half the rated current (twice the current: common practice)")
    record_most(work, name, row, rms)
    loss = sheet(f"{name}.loss", output.rectifier_loss, v_forward=row["v_forward_v"], i_avg=average, r_dynamic=row["r_dynamic_ohm"],
                 i_rms=rms)
    record_case(work, name, f"{name}.case_to_ambient", row, loss, "the class limit",
                sheet(f"{name}.loss_all", sink.of_share, count=RECTIFIERS[s.secondary] // 2, one=loss, share=share))
