"""Repeated passes over a period until its currents stand, first on bare numbers, then once on the recording sheet."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from rhevectra.core.basis.sheet import Quick, Sheet


@dataclass(frozen=True)
class Settled:
    """state: what the last pass started from; out: all of the last pass; change: how much it still moved."""

    state: dict[str, Any]
    out: dict[str, Any]
    change: float


Advance = Callable[[Any, Any, Mapping[str, Any]], dict[str, Any]]
"""One pass: (sheet, stage, what the pass before carries) -> results, with next_mid and next_load [A] for the pass after."""


def settle(advance: Advance, s: Any, carried: Mapping[str, str], passes: int, tolerance: float, before: Mapping[str, Any] | None = None) -> Settled:
    """Passes of a stage with v_bus, i_out and is_limit of the grid's shape, until no carried current moves by more than tolerance times the crest.

    carried: what one pass hands to the next, with its unit; before: the state of a solution near by.
    """
    shape = np.broadcast_shapes(np.shape(s.v_bus), np.shape(s.i_out), np.shape(s.is_limit))
    load = np.broadcast_to(s.i_out, shape) + 0.0
    quick, change, out = Quick(), np.inf, dict[str, Any]()
    state = dict(before) if before else {k: load if k in ("i_mid", "i_load") else 0.0 * load for k in carried}
    for _ in range(passes):
        out = advance(quick, s, state)
        given = {**out, "i_mid": out["next_mid"], "i_load": out["next_load"]}
        fresh = {k: given[k] for k in carried}
        change = float(max(np.max(np.abs(fresh[k] - state[k]) / (out["crest"] + 1e-9)) for k, unit in carried.items() if unit == "A"))
        if change < tolerance:
            break
        state = fresh
    return Settled(state, {k: v if np.ndim(v) == 0 or np.shape(v) == shape else np.broadcast_to(v, shape) for k, v in out.items()}, change)


def record_last(sheet: Sheet, advance: Advance, s: Any, carried: Mapping[str, str], state: Mapping[str, Any], change: float) -> dict[str, Any]:
    """The last pass on the recording sheet."""
    text = f"solved by repeated passes of the period; largest change of the last pass {change:.1e}"
    return advance(sheet, s, {k: sheet.solved(f"solved.{k}", state[k], unit, text) for k, unit in carried.items()})
