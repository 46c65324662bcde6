"""What an exploration varies: decisions with their ranges, and points spread evenly over them."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import parse_range, show, split_engineering
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import spoken
from rhevectra.core.topologies import TOPOLOGIES

DIGITS = 3
"""Significant digits of a number that is tried: it may become somebody's decision."""
MOOT = {"transformer.rise_max": "transformer.core", "filter1.rise_max": "filter1.core", "flyback.ripple_ratio": "transformer.lp",
        "filter1.ripple_ratio": "filter1.l"}
"""What changes nothing, or only refuses, once the decision that follows from it is pinned."""
BEFORE = {"pfc.fs": (0.6, 1.8), "pfc.ripple_ratio": (0.6, 2.0)}
"""The same of a power factor stage, where there is one."""
ARRANGEMENT, ORDERS = "transformer.arrangement", ("split", "simple", "interleaved")
"""The order of windings is varied among these wherever there is one; shields are no matter of loss or cost."""


class Axis(Struct, frozen=True):
    """One decision that is varied: a number from low to high (even by ratio), or one of some options."""

    id: str
    label: str
    unit: str = ""
    low: float = 0.0
    high: float = 0.0
    options: tuple[str, ...] = ()
    percent: bool = False

    def at(self, share: float) -> float | str:
        """What stands at a share of the axis, 0 to 1."""
        if self.options:
            return self.options[min(int(share * len(self.options)), len(self.options) - 1)]
        return min(max(float(f"{self.low * (self.high / self.low) ** share:.{DIGITS}g}"), self.low), self.high)

    def share(self, value: Any) -> float:
        """Where a value stands, 0 to 1; outside the nearest end."""
        if self.options:
            return (self.options.index(value) + 0.5) / len(self.options) if value in self.options else 0.5
        return float(np.clip(np.log(float(value) / self.low) / np.log(self.high / self.low), 0.0, 1.0))

    def text(self) -> str:
        """The range as somebody types it."""
        if self.options:
            return ", ".join(spoken(o, self.id) for o in self.options)
        unit = "%" if self.percent else self.unit
        parts = [split_engineering(100 * x if self.percent else x, unit, DIGITS) for x in (self.low, self.high)]
        return "-".join(number + prefixed.removesuffix(unit) for number, prefixed in parts) + unit

    def said(self, value: Any) -> str:
        """One of its values in words."""
        if self.options:
            return spoken(str(value), self.id)
        return f"{100 * float(value):.{DIGITS}g} %" if self.percent else show(float(value), self.unit, DIGITS)


def axes_of(design: Design) -> tuple[Axis, ...]:
    """What is varied around a design where nobody says otherwise: what its topology names, but for what somebody pinned."""
    found = []
    for id, (least, most) in {**TOPOLOGIES[design.topology].EXPLORES, **BEFORE}.items():
        spec = design.decision_specs.get(id)
        if spec is None or id not in design.rows or {id, MOOT.get(id, id)} & set(design.pins):
            continue
        now = float(np.max(np.asarray(design.rows[id].value, dtype=float)))
        low, high = max(least * now, spec.low or 0.0), min(most * now, spec.high or np.inf)
        if 0 < low < high:
            found.append(Axis(id, spec.label, spec.unit, float(f"{low:.{DIGITS}g}"), float(f"{high:.{DIGITS}g}"), percent=spec.percent))
    spec = design.decision_specs.get(ARRANGEMENT)
    if spec is not None and ARRANGEMENT not in design.pins and ARRANGEMENT in design.rows:
        found.append(Axis(ARRANGEMENT, spec.label, options=ORDERS))
    return tuple(found)


def typed(axis: Axis, text: str, spec: DecisionSpec) -> Axis | None:
    """The axis over a range somebody typed, such as `50k-200k`, or over some of its options; None where nothing is typed: it is not varied.
    Raises InputError."""
    if not text.strip(" ,"):
        return None
    if axis.options:
        words = [w.strip().lower() for w in text.split(",") if w.strip()]
        known = {spoken(o, axis.id).lower(): o for o in axis.options}
        if unknown := [w for w in words if w not in known]:
            raise InputError(axis.label, f"{unknown[0]!r} is not known", axis.text())
        return replace(axis, options=tuple(o for w, o in known.items() if w in words))
    scale = 0.01 if axis.percent else 1.0
    low, high = (scale * x for x in parse_range(text, "%" if axis.percent else axis.unit, axis.label))
    for end in (low, high):
        spec.check(end)
    if not 0 < low < high:
        raise InputError(axis.label, f"{text!r} is no range", f"two numbers above zero, the smaller first, such as {axis.text()}")
    return replace(axis, low=low, high=high)


def spread(begin: int, count: int, axes: int) -> Array:
    """Shares (count, axes) of points that fill a space evenly however many are taken, from number `begin` on.

    Source: additive recurrence by the root of x^(d + 1) = x + 1 (quasi-random, published method, from memory); checked in the tests by its
    emptiest box.
    """
    root = 2.0
    for _ in range(60):
        root = (1 + root) ** (1 / (axes + 1))
    steps = root ** -np.arange(1.0, axes + 1)
    return np.asarray((0.5 + np.multiply.outer(np.arange(begin + 1, begin + count + 1), steps)) % 1.0)


def pins_at(axes: Sequence[Axis], shares: Sequence[float]) -> dict[str, Any]:
    """The decisions of one point."""
    return {a.id: a.at(float(s)) for a, s in zip(axes, shares, strict=True)}


def shares_of(axes: Sequence[Axis], pins: Mapping[str, Any]) -> list[float]:
    """Where a design stands on every axis; in the middle of one it has no decision for."""
    return [a.share(pins[a.id]) if a.id in pins else 0.5 for a in axes]
