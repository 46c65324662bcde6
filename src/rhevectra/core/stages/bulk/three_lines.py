"""What only a bulk behind three phases has: losses of three lines, one phase gone, and a line cycle of six pulses."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import rectifier, six_pulse, three_phase
from rhevectra.core.formulas.rectifier import Bulk
from rhevectra.core.formulas.six_pulse import angles
from rhevectra.core.stages import inlet
from rhevectra.core.stages.bulk.build import Plan
from rhevectra.core.stages.work import FigureSpec, Work

UNBALANCE = "inlet.unbalance"
DECISION = DecisionSpec(UNBALANCE, "Unbalance of the mains", "inlet", unit="", low=0.0, high=0.1,
                        schools="0.02 public mains; 0.03 and more behind a small generator or beside heavy single-phase loads")
_ALIKE = "the two phases that are left: at their full voltage"
FIGURES = (
    FigureSpec("inlet.i_unbalanced", "Line current, unbalanced", "I_u", "inlet", limit="inlet.fuse", limit_kind="max",
               fixed=inlet.TEMPERATURE, sentence="the line that carries most: the highest of three voltages charges the capacitor first"),
    FigureSpec("bulk.v_valley_unbalanced", "Bulk valley, unbalanced", "V_u", "bulk", worst="min", limit="bulk.v_min_stage",
               limit_kind="min", fixed=inlet.TEMPERATURE),
    FigureSpec("bulk.v_valley_phase_loss", "Bulk valley without a phase", "V_2", "bulk", worst="min", fixed=_ALIKE,
               sentence="two lines are left: two pulses a cycle in place of six"),
    FigureSpec("inlet.i_phase_loss", "Line current without a phase, rms", "I_2", "inlet", fixed=_ALIKE,
               sentence="in both lines that are left, at full load"),
)


def phase(work: Work, line: Any) -> Any:
    """Row of the voltage from a line to earth."""
    return work.sheet("line.v_phase", three_phase.phase_voltage, v_line=line)


def losses(work: Work, plan: Plan, rows: dict[str, Any], b: Bulk) -> dict[str, Any]:
    """Heat between plug and bridge of all three lines. rows: i_rms of a line."""
    sheet, d, i_rms = work.sheet, plan.bridge, rows["i_rms"]
    average = sheet.solved("inlet.i_avg", (b.i_nodes * b.weights).sum(-1) * 6 * work.grid.f_line, "A", "average of the rectified current",
                           line_current=i_rms)
    bridge = sheet("loss.bridge", six_pulse.bridge_loss, v_forward=d["v_forward_v"], i_avg=average, r_dynamic=d["r_dynamic_ohm"],
                   i_rms=i_rms)
    inlet.record_bridge_heat(work, d, bridge)
    limiter = sheet("loss.thermistor", six_pulse.three_lines_loss, r=inlet.in_run(plan.limiter, plan.thermistor), i_rms=i_rms)
    return {"bridge": bridge, "thermistor": limiter,
            "mains_filter": sheet("loss.mains_filter", six_pulse.three_lines_loss, r=sheet.rows["inlet.r_filter"], i_rms=i_rms)}


def unbalanced(work: Work, plan: Plan, b: Bulk, power: Array) -> Any:
    """Row of the current of the line that carries most on unbalanced mains; the valley beside. power: what the stage draws [W]."""
    share = work.choose(UNBALANCE, 0.02, "public mains are within 2 % nearly always (from memory of EN 50160; confirm)")
    found = six_pulse.solve_unbalanced(*_at_full_load(work, b, power), plan.c_bus,
                                       plan.places[0].source, float(share.value))
    text = "solved: periodic steady state of three unequal phases, at full load, shown for other loads too"
    given = {"c": plan.c, "share": share}
    work.sheet.solved("bulk.v_valley_unbalanced", np.broadcast_to(found.v_valley, b.v_valley.shape), "V", text, **given)
    return work.sheet.solved("inlet.i_unbalanced", np.broadcast_to(found.i_rms, b.v_valley.shape), "A", text, **given)


def _at_full_load(work: Work, b: Bulk, power: Array) -> tuple[Array, Array, Array]:
    """Line [V], line frequency [Hz] and power [W] at full load, every other axis as solved."""
    full = work.grid.full_load
    v, f, p = (np.broadcast_to(x, b.v_valley.shape)[:, :, full : full + 1, :] for x in (work.grid.v_line, work.grid.f_line, power))
    return v, f, p


def without_one(work: Work, plan: Plan, b: Bulk, power: Array) -> None:
    """Valley and line current with one phase gone, and a note. power: what the stage draws [W]."""
    sheet, place = work.sheet, plan.places[0]
    left = rectifier.solve_bulk(*_at_full_load(work, b, power), plan.c_bus, place.source,
                                residual=rectifier.ROUGH)
    whole = lambda x: np.broadcast_to(x, b.v_valley.shape)  # noqa: E731
    text = "solved: periodic steady state of two lines alone, at full load, shown for other loads too"
    sheet.solved("bulk.v_valley_phase_loss", whole(left.v_valley), "V", text, c=plan.c)
    sheet.solved("inlet.i_phase_loss", whole(left.i_rms), "A", text, c=plan.c)
    fuse, floor, i_most = float(sheet.rows["inlet.fuse"].value), float(plan.floor.value), float(left.i_rms.max())
    valley = float(left.v_valley.min())
    holds = (f"full load is still held, from {show(valley, 'V')}" if valley >= floor and not left.collapsed.any()
             else f"the bus falls to {show(valley, 'V')}, below the {show(floor, 'V')} the stage needs: it lets go, or has to be let go")
    work.find(NOTE, "bulk", f"with a phase gone {holds}; the two lines left carry {show(i_most, 'A')}, "
              + (f"more than their fuses of {show(fuse, 'A')}" if i_most > fuse else f"which their fuses of {show(fuse, 'A')} stand"),
              "bulk.v_valley_phase_loss", "")


def line_currents(design: Any, corner: Corner) -> dict[str, Array]:
    """One line cycle of unbalanced mains: time [s], currents of the three lines [A] and their rms."""
    plan, at, f = design.context["front"], (*corner.index[:3], 0), design.grid.freqs[corner.index[1]]
    power = np.broadcast_to(design.rows["bulk.p_load"].value, design.context["bulk"].v_valley.shape)[at]
    found = six_pulse.solve_unbalanced(design.grid.lines[corner.index[0]], f, power, plan.c_bus,
                                       plan.places[0].source, float(design.rows[UNBALANCE].value))
    lines = np.concatenate([found.i_lines[:, :-1], -found.i_lines], axis=1)
    return {"t": np.linspace(0, 1 / f, lines.shape[1]), "lines": lines, "rms": np.sqrt(np.square(lines[:, 1:]).mean(1))}


def cycle(design: Any, corner: Corner) -> dict[str, Array]:
    """One line cycle: time [s] from where the first phase rises through zero, greatest voltage between lines [V], bulk [V], current of the
    first line [A]; of a pair also one of its capacitors [V]."""
    b, plan = design.context["bulk"], design.context["front"]
    at, f = (*corner.index[:3], 0), design.grid.freqs[corner.index[1]]
    crest, turn = np.sqrt(2) * design.grid.lines[corner.index[0]], np.linspace(0, 2 * np.pi, 721)
    angle = angles()
    sixth, first = np.pi / 3, np.pi / 6 + angle[0]  # the sixth begins so far after the zero of the phase that takes over
    bus = np.interp(np.mod(turn - first, sixth), angle - angle[0], b.v_nodes[at])
    half = b.i_phase[at]
    wave = np.interp(np.mod(turn - first, np.pi), np.linspace(0, np.pi, len(half)), half)
    one = {"capacitor": 0.5 * bus} if plan.stacked else {}
    return {**one, "t": turn / (2 * np.pi * f), "mains": crest * np.cos(np.mod(turn - np.pi / 6, sixth) - np.pi / 6), "bulk": bus,
            "current": wave * np.where(np.mod(turn - first, 2 * np.pi) < np.pi, 1.0, -1.0)}


