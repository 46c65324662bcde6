"""Repeated passes over a period until its currents stand, first on bare numbers, then once on the recording sheet."""

from collections.abc import Callable, Mapping, Sequence
from functools import cache
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.fused import Fused
from rhevectra.core.basis.sheet import Quick, Sheet


class Settled(Struct, frozen=True):
    """state: what the last pass started from; out: all of the last pass; change: how much it still moved."""

    state: dict[str, Any]
    out: dict[str, Any]
    change: float


Advance = Callable[[Any, Any, Mapping[str, Any]], dict[str, Any]]
"""One pass: (sheet, stage, what the pass before carries) -> results, with next_mid and next_load [A] for the pass after."""


def settle(advance: Advance, s: Any, reads: tuple[str, ...], carried: Mapping[str, str], passes: int, tolerance: float,
           before: Mapping[str, Any] | None = None) -> tuple[dict[str, Any], float]:
    """State and largest change of the last pass of a stage with v_bus, i_out and is_limit of the grid's shape, repeated until no carried
    current moves by more than tolerance times the crest.

    advance: as far as the next pass needs it; reads: mappings of the stage it looks into; carried: what one pass hands to the next, with
    its unit; before: the state of a solution near by.
    """
    shape = _shape(s)
    load = np.broadcast_to(s.i_out, shape) + 0.0
    x, change = [before[k] for k in carried] if before else [load if k in _NEXT else 0.0 * load for k in carried], np.inf
    numbers, kinds = _apart(s, reads)
    stage: Callable[..., Any] = type(s)
    run = _traced(advance, stage, tuple(numbers), reads, kinds, tuple(carried)).bind(numbers)
    amperes = [k for k, unit in enumerate(carried.values()) if unit == "A"]
    for _ in range(passes):
        *fresh, crest = run.once(x)
        of = crest + 1e-9
        change = float(max((np.abs(fresh[k] - x[k]) / of).max() for k in amperes))
        if change < tolerance:
            break
        x = fresh
    return dict(zip(carried, x, strict=True)), change


def last(period: Advance, s: Any, state: dict[str, Any], change: float) -> Settled:
    """The settled stage with all of its last pass, of the grid's shape."""
    shape = _shape(s)
    return Settled(state,
                   {k: v if np.ndim(v) == 0 or np.shape(v) == shape else np.broadcast_to(v, shape)
                    for k, v in period(Quick(), s, state).items()}, change)


def _shape(s: Any) -> tuple[int, ...]:
    return np.broadcast_shapes(np.shape(s.v_bus), np.shape(s.i_out), np.shape(s.is_limit))


Kinds = tuple[tuple[str, Any], ...]


def _apart(s: Any, reads: tuple[str, ...]) -> tuple[dict[str, Any], Kinds]:
    """A stage as named numbers, those of a mapping that is read by field and key, and as what it is besides: its kinds and names."""
    numbers, kinds = dict[str, Any](), list[tuple[str, Any]]()
    for name in type(s).__struct_fields__:
        value = getattr(s, name)
        if _is_number(value):
            numbers[name] = value
        elif name in reads:
            numbers |= {f"{name}_of_{k}": x for k, x in value.items() if _is_number(x)}
        else:
            kinds.append((name, None if isinstance(value, Mapping) else value))
    return numbers, tuple(kinds)


def _is_number(x: Any) -> bool:
    return isinstance(x, float | int | np.ndarray | np.generic)


@cache
def _traced(advance: Advance, stage: Any, names: Sequence[str], reads: Sequence[str], kinds: Kinds, carried: Sequence[str]) -> Fused:
    """The pass of a stage of these kinds, traced, as far as the next pass needs it."""
    def one_pass(f: Mapping[str, Any], x: Mapping[str, Any]) -> dict[str, Any]:
        looked_into = {m: {n.removeprefix(f"{m}_of_"): f[n] for n in names if n.startswith(f"{m}_of_")} for m in reads}
        out = advance(Quick(), stage(**dict(kinds), **looked_into, **{n: f[n] for n in names if n in stage.__struct_fields__}), x)
        return {k: out[_NEXT.get(k, k)] for k in carried} | {"crest": out["crest"]}
    return Fused(one_pass, names, carried, (*carried, "crest"))


_NEXT = {"i_mid": "next_mid", "i_load": "next_load"}
"""What a pass calls the carried values that it may only name anew."""


def record_last(sheet: Sheet, period: Advance, s: Any, carried: Mapping[str, str], state: Mapping[str, Any],
                change: float) -> dict[str, Any]:
    """The last pass on the recording sheet."""
    text = f"solved by repeated passes of the period; largest change of the last pass {change:.1e}"
    return period(sheet, s, {k: sheet.solved(f"solved.{k}", state[k], unit, text) for k, unit in carried.items()})
