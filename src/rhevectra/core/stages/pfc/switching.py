"""What a boost stage sends back into the mains: its ripple where it is largest, and the swing of its node."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.stages.pfc.line import Boost, angles


class Switching(Struct, frozen=True):
    """Frequency [Hz], ripple [A peak to peak] of one inductor with the share of the period it rises in, phases that share a line, swing of
    the node [V] and edge [s]."""

    f0: float
    ripple: float
    duty: float
    phases: int
    swing: float
    edge: float


def largest(b: Boost, v_line: float, power: float, v_bus: float, edge: float) -> Switching:
    """At the angle of the line where the ripple is largest (at the boundary: the crest, where the frequency is lowest)."""
    a = angles(b, v_line, power, v_bus)
    k = int(np.argmax(a.ripple))
    return Switching(float(a.fs[k]), float(a.ripple[k]), float(a.duty[k]), b.phases, v_bus, edge)


def switching(plan: Any, v_line: float, power: float) -> Switching:
    """Of a single-phase stage at a line [V] and the power it draws [W]."""
    return largest(plan.boost, v_line, power, plan.v_bus, plan.switch["t_fall_s"])
