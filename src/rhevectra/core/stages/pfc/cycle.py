"""A line cycle of a power factor stage at one corner, for the pictures."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.stages.pfc.control import half_cycle
from rhevectra.core.stages.pfc.line import angles, power_at_peak
from rhevectra.core.stages.pfc.record import loop_of


def cycle(design: Any, corner: Corner) -> dict[str, Array]:
    """One line cycle: time [s], rectified mains [V], bus [V], line current [A]; and of the switching cycles the inductor's highest and
    lowest current [A], frequency [Hz] and its inductance [H] there."""
    plan, s = design.context["front"], design.context["bulk"]
    f, v = design.grid.freqs[corner.index[1]], design.grid.lines[corner.index[0]]
    p_in, power = float(s.p_in[corner.index[:3]]), float(s.power[corner.index[:3]])
    t_half, i_half = half_cycle(loop_of(plan, design.rows, f), v, f, p_in)
    t = np.linspace(0, 1 / f, 800)
    omega = 2 * np.pi * f
    current = (np.interp(t % (0.5 / f), np.concatenate([[0.0], t_half, [0.5 / f]]), np.concatenate([[0.0], i_half, [0.0]]))
               * np.where(t < 0.5 / f, 1, -1))
    stored = plan.v_bus**2 - power / (omega * plan.c_bus) * np.sin(2 * omega * t)
    a = angles(plan.boost, v, p_in, plan.v_bus, np.mod(omega * t, np.pi))
    return {"t": t, "mains": np.abs(np.sqrt(2) * v * np.sin(omega * t)), "bulk": np.sqrt(np.maximum(stored, 0.0)), "current": current,
            "highest": a.peak, "lowest": a.least, "frequency": np.broadcast_to(a.fs, t.shape),
            "inductance": np.broadcast_to(plan.boost.at(a.mean), t.shape)}


def limit_power(plan: Any, lines: Array) -> Array:
    """Power [W] the stage draws from each line [V] with its inductors at their limit."""
    return power_at_peak(plan.boost, lines, plan.v_bus, plan.limit)
