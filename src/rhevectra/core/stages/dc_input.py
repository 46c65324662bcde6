"""A dc source feeds the power stage directly: the bus is the line."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Grid
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import NOTE, Finding
from rhevectra.core.basis.preferred import ALL_FUSES
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.formulas import output
from rhevectra.core.stages import air, brown
from rhevectra.core.stages.banks import CANS
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "none"
MAINS = "dc"
CAPACITOR = "input"
"""What the rows of the input capacitors begin with."""
DECISIONS: tuple[DecisionSpec, ...] = (
    DecisionSpec("input.cap", "Input capacitor", "inlet", "choice", table="output_capacitors"),
    DecisionSpec("input.parallel", "Input capacitors in parallel", "inlet", kind="integer", low=1, high=CANS),
    DecisionSpec("input.ripple_spread", "Input ripple, share of the lowest input", "inlet", low=0.001, high=0.3,
                 schools="5 %: the source sees little of it; 1 %: others are fed by the same source; more: an inductor stands before it"),
    *brown.decisions("inlet"),
    DecisionSpec("derating.input_v", "Input capacitor voltage derating", "inlet", low=0.4, high=1.0,
                 schools="80 %: dc lines carry surges; half of it: behind a long line of a battery whose load may be torn off"),
)
FIGURES = (
    FigureSpec("inlet.i_avg", "Input current, average", "I_in", "inlet", corners.LOADED,
               fixed="switching ripple, which the input capacitor carries, and what it burns"),
    FigureSpec("inlet.fuse", "Fuse, rated current", "I_F", "inlet"),
    FigureSpec("input.i_c_rms", "Input ripple current", "I_C", "inlet", limit="input.i_c_limit", limit_kind="max",
               fixed="what the source takes of it (on the safe side)"),
    FigureSpec("input.ripple_pp", "Input ripple, peak to peak", "ΔV_in", "inlet", limit="input.ripple_limit", limit_kind="max",
               look_only=True, fixed="rate and inductances at their nominal values; spikes left out"),
    FigureSpec("input.v_c", "Input capacitor voltage", "V_C", "inlet", limit="input.v_c_limit", limit_kind="max", look_only=True,
               fixed="surges of the source"),
    air.life_figure("input", "Input capacitor life", "inlet"),
    FigureSpec("input.l_cable", "Supply line, inductance", "L", "inlet", corners.LOADED, "min",
               fixed="resistance of line and source, which damps too; capacitors new and at room temperature",
               sentence="at most: a stage that holds its output takes less current the higher its input, and with more inductance than "
               "this before the input capacitors their ring does not die out (a metre of a pair of wires has some 0.7 µH; common "
               "practice)"),
    *brown.figures("inlet"),
)
CURES: dict[str, str | tuple[str, ...]] = {
    "input.i_c_rms": "input.parallel", "input.ripple_pp": ("input.parallel", "input.cap"), "input.v_c": "input.cap",
    "input.life": ("input.parallel", "input.cap", air.ID)}
SHAPES_CURRENT = False
PLATES = (("inlet", "Input", "inlet.i_avg"),)
NO_PICTURES = ("line", "inrush", "harmonics", "envelope", "derating", "holdup", "phases", "noise")
FUSE_ROOM = 1.5
"""Rated current of the fuse over that of the input (common practice)."""
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
    _fuse(work, current, most)
    return {"v_bus": v_bus, "losses": {}}


def _fuse(work: Work, current: Any, most: float) -> None:
    rated = next((f for f in ALL_FUSES if f >= FUSE_ROOM * most), ALL_FUSES[-1])
    work.sheet.chosen("inlet.fuse", rated, "A", f"next rated current above {FUSE_ROOM:g} × {show(most, 'A')} (common practice), one for dc "
                      f"of at least {show(work.need.mains.v_max, 'V')}", current=current)


def bill(design: Any) -> dict[str, Any]:
    """The input capacitors."""
    return {"capacitors": [(str(design.rows["input.cap"].value), int(design.rows["input.parallel"].value))]}
