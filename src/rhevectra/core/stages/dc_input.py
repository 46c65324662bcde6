"""A dc source feeds the power stage directly: the bus is the line."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Grid
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import NOTE, Finding
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.formulas import output
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "none"
MAINS = "dc"
DECISIONS: tuple[DecisionSpec, ...] = ()
FIGURES = (FigureSpec("inlet.i_avg", "Input current, average", "I_in", "inlet", corners.LOADED,
                      fixed="switching ripple, which the input capacitor carries"),)
CURES: dict[str, str] = {}
SHAPES_CURRENT = False
PLATES = (("inlet", "Input", "inlet.i_avg"),)
NO_PICTURES = ("line", "inrush", "harmonics", "envelope", "derating", "holdup", "phases", "noise")
HEAVY = 10.0
"""Input current [A] that is told before anything else: people take it for the output's (common practice)."""


def axes(need: Requirement) -> tuple[tuple[float, ...], tuple[float, ...], tuple[str, ...]]:
    """Lines [V], line frequencies (none) and bus ends of the grid."""
    lines = sorted({need.mains.v_min, *need.mains.nominals, need.mains.v_max})
    return tuple(lines), (0.0,), ("",)


def plan(work: Work, power: float, i_hf: float) -> dict[str, Any]:
    """Nothing to choose."""
    return {}


def bus(plan: dict[str, Any], grid: Grid, power: Any, near: Any = None) -> tuple[Array, Any]:
    """The bus voltage at every corner."""
    return np.broadcast_to(grid.v_line, grid.shape).copy(), None


def record(work: Work, plan: dict[str, Any], solution: Any, power: Any, i_hf: Any) -> dict[str, Any]:
    """The bus row."""
    v_bus = work.sheet.given("bus.v", np.broadcast_to(work.grid.v_line, work.grid.shape), "V", text="dc input")
    current = work.sheet("inlet.i_avg", output.input_current,
                         power=work.sheet.solved("bus.p", power, "W", "drawn from the source at each corner"), v_in=v_bus)
    most = float(np.max(np.where(corners.LOADED.mask(work.grid), current.value, 0.0)))
    if most >= HEAVY:
        work.findings.insert(0, Finding(NOTE, "inlet", f"the input carries {show(most, 'A')} at {show(work.need.mains.v_min, 'V')}: wire, "
                                        "fuse, input capacitor and primary are sized for that, not for the output's "
                                        f"{show(work.need.outputs[work.need.main].current_max, 'A')}", "inlet.i_avg", ""))
    return {"v_bus": v_bus, "losses": {}}
