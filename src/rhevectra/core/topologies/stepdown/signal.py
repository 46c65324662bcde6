"""A step-down stage as the loop sees it."""

from typing import Any

import numpy as np

from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas.loop import Ramp
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import signal, slope
from rhevectra.core.topologies.stepdown import stage as st

FORWARD, BUS = "switch.feed_forward", "bus"
"""Decision whether the bus moves the duty by itself."""


def of(work: Work, s: st.Stage, o: dict[str, Any]) -> signal.Signal:
    """The recorded stage (with the centre tap that behaves alike) in small signals: the filter's current, which feeds the output all the
    time; the magnetising current adds to what the control sees."""
    rows, where = work.sheet.rows, signal.judged(work, s.v_bus, o["fs"], s.variant.pulses * float(plain(s.fs)))
    there = where.of
    ratio, inductance = float(plain(s.np)) / float(plain(s.ns)), float(plain(s.inductance))
    period, discontinuous, down = 1 / there(o["fs"]), there(o["discontinuous"]).astype(bool), there(o["down"]) / inductance
    by_duty = "switch.control" in rows and str(rows["switch.control"].value) == "voltage"
    own = 0.0 * down if by_duty else slope.added(work, down, there(o["t_e"]) / period, ~discontinuous, 1 / ratio)
    added = own if by_duty else ratio * there(o["v_in"]) / float(plain(s.lm)) + own
    ramp = Ramp(period, there(o["t_d"]), there(o["up"]) / inductance, down, added, inductance, there(o["ripple"]), discontinuous)
    gain = _gain(work, s, ratio, by_duty)
    share = there(o["t_e"]) / period
    damped = float(np.min(share * (there(o["r_feed"]) + there(o["r_path"]) / ratio**2) + (1 - share) * there(o["r_wheel"])))
    return signal.Signal(where, signal.FedAlways(ramp, damped if by_duty else None), there(gain), period, there(s.v_out) / there(s.i_out),
                         np.full(len(period), np.inf), signal.banks(work, float(plain(s.ns))), inductance=inductance if by_duty else 0.0,
                         asked=_asked(work, s, o, own[0], by_duty) / gain)


def _gain(work: Work, s: st.Stage, ratio: float, by_duty: bool) -> Any:
    """What an ampere of the pin moves, alike or at every corner of the grid: duty, or crest seen from the output [1/A, A/A]."""
    rows = work.sheet.rows
    pull = float(rows["feedback.i_pin"].value)
    if not by_duty:
        return ratio * float(rows["switch.current_limit"].value) / pull
    whole = float(rows["switch.duty_limit"].value) / pull
    follows = str(work.choose(FORWARD, BUS, "the modulator's ramp rises with the bus (usual under duty control)").value) == BUS
    v_bus = plain(s.v_bus)
    return whole * float(v_bus.min()) / v_bus if follows else whole


def _asked(work: Work, s: st.Stage, o: dict[str, Any], own: float, by_duty: bool) -> Any:
    """Duty, or crest seen from the output with the slope added to it, that the pin asks for; what comes on during the delay nobody asks
    for. own: that slope [A/s]."""
    t_e = plain(o["t_e"])
    if by_duty:
        return t_e * plain(o["fs"])
    ratio = float(plain(s.np)) / float(plain(s.ns))
    rises = ratio * plain(o["v_in"]) / float(plain(s.lm)) + plain(o["up"]) / float(plain(s.inductance))
    return ratio * plain(o["i_peak"]) + own * t_e - rises * float(work.sheet.rows["switch.limit_delay"].value)
