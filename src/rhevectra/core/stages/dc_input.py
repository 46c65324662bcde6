"""A dc source feeds the power stage directly: the bus is the line."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array, Grid
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "none"
DECISIONS: tuple[DecisionSpec, ...] = ()
FIGURES: tuple[FigureSpec, ...] = ()
PLATES: tuple[tuple[str, str, str], ...] = ()


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
    return {"v_bus": work.sheet.given("bus.v", np.broadcast_to(work.grid.v_line, work.grid.shape), "V", text="dc input"), "losses": {}}
