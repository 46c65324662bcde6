"""A step-down stage as the loop sees it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas.loop import Ramp
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import signal, slope
from rhevectra.core.topologies.stepdown import stage as st


def of(work: Work, s: st.Stage, o: dict[str, Any]) -> signal.Signal:
    """The recorded stage (with the centre tap that behaves alike) in small signals: the filter's current, which feeds the output all the
    time; the magnetising current adds to what the control sees."""
    rows, where = work.sheet.rows, signal.judged(work, s.v_bus, o["fs"], s.variant.pulses * float(plain(s.fs)))
    there = where.of
    ratio, inductance = float(plain(s.np)) / float(plain(s.ns)), float(plain(s.inductance))
    period, discontinuous, down = 1 / there(o["fs"]), there(o["discontinuous"]).astype(bool), there(o["down"]) / inductance
    by_duty = "switch.control" in rows and str(rows["switch.control"].value) == "voltage"
    added = 0.0 * down if by_duty else ratio * there(o["v_in"]) / float(plain(s.lm)) + slope.added(
        work, down, there(o["t_e"]) / period, ~discontinuous, 1 / ratio)
    ramp = Ramp(period, there(o["t_d"]), there(o["up"]) / inductance, down, added, inductance, there(o["ripple"]), discontinuous)
    gain = (float(rows["switch.duty_limit"].value) if by_duty else ratio * float(rows["switch.current_limit"].value)) / float(
        rows["feedback.i_pin"].value)
    share = there(o["t_e"]) / period
    damped = float(np.min(share * (there(o["r_feed"]) + there(o["r_path"]) / ratio**2) + (1 - share) * there(o["r_wheel"])))
    return signal.Signal(where, signal.FedAlways(ramp, damped if by_duty else None), gain, period, there(s.v_out) / there(s.i_out),
                         np.full(len(period), np.inf), signal.banks(work, float(plain(s.ns))), inductance=inductance if by_duty else 0.0)
