"""Ripple of the bus behind a power factor stage; where it is so large that no linear formula holds, half a line cycle of its energy in
time, its mean held by the loop."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import pfc
from rhevectra.core.stages.work import Work

INSTANTS = 361
LINEAR = 0.2
"""Bus ripple over the bus beyond which the linear formula no longer holds."""


def energy_swing(power: Array, f_line: Array, c: float, v_bus: float, v_line: Array) -> tuple[Array, Array]:
    """Valley and crest of the bus [V] for arrays of one shape: power drawn [W], line frequency [Hz], line [V rms].

    The square of the bus follows what a sine's power brings and the load takes, V² = A − P/(ω·C)·sin 2ωt; where it would fall below the
    line the bridge feeds it from there (what that adds is left out of the balance). A is found by halving so that the mean stays v_bus, as
    the slow voltage loop holds it.
    """
    angle = np.linspace(0.0, np.pi, INSTANTS)
    omega = 2 * np.pi * np.asarray(f_line, float)[..., None]
    swing = np.asarray(power, float)[..., None] / (omega * c) * np.sin(2 * angle)
    floor = np.square(np.sqrt(2) * np.asarray(v_line, float)[..., None] * np.sin(angle))

    def wave(a: Any) -> Array:
        return np.sqrt(np.maximum(a[..., None] - swing, floor))
    low, high = np.zeros(swing.shape[:-1]), 4 * v_bus**2 + np.abs(swing).max(-1)
    for _ in range(50):
        middle = 0.5 * (low + high)
        over = wave(middle)[..., :-1].mean(-1) > v_bus
        low, high = np.where(over, low, middle), np.where(over, middle, high)
    found = wave(0.5 * (low + high))
    return found.min(-1), found.max(-1)


def record_ends(work: Work, plan: Any, of: dict[str, Any], which: str = "") -> tuple[Any, Any, Any]:
    """Ripple, valley and crest of the bus: by formula, or in time where it ripples too far for any. of: what the ripple depends on; which:
    end of the rows' names."""
    sheet, grid, v_bus, c = work.sheet, work.grid, of["v_bus"], float(of["c"].value)
    wide = np.broadcast_to(pfc.bus_ripple(of["power"].value, grid.f_line, c, plan.v_bus) > LINEAR * plan.v_bus, (*grid.shape[:3], 1))
    tail = "_linear" if wide.any() else ""
    ids = [f"{id}{which}" for id in ("pfc.bus_ripple_lf_pp", "bulk.v_valley", "bulk.v_peak")]
    ripple = sheet(f"{ids[0]}{tail}", pfc.bus_ripple, **of)
    rows = {ids[0]: ripple, ids[1]: sheet(f"{ids[1]}{tail}", pfc.bus_valley, v_bus=v_bus, ripple=ripple),
            ids[2]: sheet(f"{ids[2]}{tail}", pfc.bus_peak, v_bus=v_bus, ripple=ripple)}
    if tail:
        all_of = lambda x: np.broadcast_to(x, wide.shape)  # noqa: E731
        low, high = energy_swing(all_of(of["power"].value), all_of(grid.f_line), c, plan.v_bus, all_of(grid.v_line))
        for id, value in zip(rows, (high - low, low, high), strict=True):
            by_time = sheet.solved(f"{id}_time", value, "V",
                                   "half a line cycle of the bus in time: the linear formula does not hold there; mean held by the loop, "
                                   "the bridge feeds where the bus would fall below the line", power=of["power"])
            rows[id] = sheet.either(id, wide, by_time, rows[id], "in time where the ripple passes a fifth of the bus, else by the formula")
    return rows[ids[0]], rows[ids[1]], rows[ids[2]]
