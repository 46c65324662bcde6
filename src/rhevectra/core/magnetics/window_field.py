"""The field of a designed transformer: its conductors as laid, its currents, and what finite elements and closed figures say side by
side."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import copper
from rhevectra.core.magnetics import candidate
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics.field import Solved, Window, steps
from rhevectra.core.magnetics.layout import Layout, lay_out
from rhevectra.core.magnetics.mesh import Conductor

SOLID_FROM = 1.5
"""Strands thicker than this many skin depths have their current solved for; thinner ones carry it evenly."""


class WindowField(Struct, frozen=True):
    """Fields of a design: window with its mesh; the field of currents that cancel and of the fundamental; leakage by elements and closed
    [H] inside the window; loss of each winding at the fundamental by elements and closed [W]; names of the windings; frequency [Hz]."""

    layout: Layout
    window: Window
    leaking: Solved
    working: Solved
    leakage: tuple[float, float]
    losses: tuple[Array, Array]
    names: tuple[str, ...]
    frequency: float
    gap: float


def conductors_of(layout: Layout, rho: float, frequency: float) -> list[Conductor]:
    """Every turn as a conductor; a bundle, or a strand well below the skin depth, carries its current evenly."""
    delta = float(copper.skin_depth(rho, frequency))
    made = []
    for w in layout.wires:
        if w.wide:
            deep, wide = w.diameter / 2, w.wide / 2
            made.append(Conductor(w.winding, w.x, w.y, (wide, deep) if w.across else (deep, wide), False, True, 1,
                                  float(np.sqrt(4 / np.pi * w.diameter * w.wide))))
            continue
        solid = w.strands == 1 and w.diameter > SOLID_FROM * delta
        half = w.diameter / 2 if w.strands == 1 else 0.96 * w.radius
        made.append(Conductor(w.winding, w.x, w.y, (half, half), True, solid, w.strands, w.diameter))
    return made


def currents(layout: Layout, per_winding: Array) -> Array:
    """The current of each conductor from one of each winding [A]."""
    return np.array([per_winding[w.winding] * w.share for w in layout.wires])


def field_steps(design: Any) -> Iterator[tuple[int, int, Any]]:
    """Solve the window of a design in steps of (done, total, WindowField or None)."""
    plan = design.context["plan"]
    need, trial, win, at = plan.need, plan.choice.trial, plan.window, (plan.choice.core, plan.choice.candidate)
    layout = lay_out(plan, design.catalogue["cores"].row(win.names[at[0]]))
    rho = float(copper.resistivity(need.ambient + float(trial.rise[at])))
    made = conductors_of(layout, rho, need.fs)
    turns = np.array([float(t[at]) for t in tr.wound(need, trial.turns)])
    matrix = candidate.leakage_of(need, trial, at, win)
    outputs = tr.outputs_of(need)
    closed, part = matrix.shorted(0, outputs)
    apart = np.zeros(len(need.windings))
    apart[0] = 1.0
    apart[outputs] = -part * turns[0] / turns[outputs]
    base = np.array([h[0] for h in tr.balanced(need, turns)])
    gap = float(np.max(design.rows["transformer.gap"].value)) if "transformer.gap" in design.rows else 0.0
    for done, total, found in steps(made, layout.radial, layout.along, gap, rho, currents(layout, apart), currents(layout, base), need.fs):
        yield done, total, None if found is None else _together(need, plan, layout, found, turns, closed, base, gap, rho)


def _together(need: Any, plan: Any, layout: Layout, found: tuple[Window, Solved, Solved], turns: Array, closed: float, base: Array,
              gap: float, rho: float) -> WindowField:
    """Both routes side by side, with the mean turn of each winding."""
    window, leaking, working = found
    trial, win, at = plan.choice.trial, plan.window, (plan.choice.core, plan.choice.candidate)
    shape = trial.fill.shape
    mean_turn = np.array([float(np.broadcast_to(m, shape)[at]) for m in trial.mean_turn])
    counted = float(np.average(mean_turn, weights=np.abs(base) * turns))
    first = replace(need, windings=tuple(replace(w, i_avg=0.0, harmonics=w.harmonics[:1]) for w in need.windings))
    one, _ = candidate.exact_copper(first, trial, at, win, need.ambient + float(trial.rise[at]))
    by_elements = window.per_winding(working.loss, len(turns)) * mean_turn
    return WindowField(layout, window, leaking, working, (2 * leaking.energy * counted / need.halves**2, closed),
                       (by_elements, np.array(one)), tuple(w.name for w in need.windings), float(need.fs), gap)
