"""A flyback as the loop sees it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas.loop import Ramp
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import signal, slope
from rhevectra.core.topologies.flyback import period as pd


def of(work: Work, s: pd.Stage, o: dict[str, Any]) -> signal.Signal:
    """The recorded stage in small signals: its core's current, seen from the primary, fed to the regulated output while the switch is off;
    other outputs taken as tightly coupled."""
    rows = work.sheet.rows
    where = signal.judged(work, s.v_bus, o["fs"], o["fs"] if s.variant.valley else s.fs)
    there = where.of
    ratio, lm, v_or = float(plain(s.np)) / float(plain(s.ns[0])), float(plain(o["lm"])), there(o["v_or"])
    period, t_fall, continuous = 1 / there(o["fs"]), there(o["t_off"]), ~there(o["discontinuous"]).astype(bool)
    down, duty = v_or / lm, there(o["t_ramp"]) / period
    added = slope.added(work, down, duty, continuous)
    r_load = float(plain(s.v_out)) / (ratio * there(o["i_sum"]))
    left = np.clip(t_fall / period, 1e-3, 1.0)
    right = np.where(continuous, r_load * ratio**2 * left**2 / (2 * np.pi * lm * np.maximum(1 - left, 1e-3)), np.inf)
    ramp = Ramp(period, t_fall, there(s.v_bus) / float(plain(s.lp)), down, added, lm, there(o["i_one"]), ~continuous)
    others = tuple(signal.bank(work, k + 1, float(plain(s.ns[0])) / float(plain(s.ns[k]))) for k in range(1, len(work.need.outputs)))
    gain = float(rows["switch.current_limit"].value) / float(rows["feedback.i_pin"].value)
    asked = plain(o["i_peak"]) + added[0] * plain(o["t_ramp"]) - plain(s.v_bus) / float(plain(s.lp)) * float(
        rows["switch.limit_delay"].value)  # what comes on during the delay nobody asks for
    return signal.Signal(where, signal.FedWhileOff(ramp, ratio, s.variant.valley), gain, period, r_load, right,
                         (signal.bank(work, 1, second="filter1.r" in rows), *others), asked=asked / gain)
