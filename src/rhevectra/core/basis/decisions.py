"""Decisions: what may be chosen, by rule, by a person (pinned) or by a reading (measured)."""

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from msgspec import Struct

from rhevectra.core.basis.errors import InputError, nearest
from rhevectra.core.basis.quantities import in_percent, parse
from rhevectra.core.basis.sheet import Refused, Row, Sheet


class DecisionSpec(Struct, frozen=True):
    """One thing that may be chosen. kind: number, integer or choice; options may name a catalogue table ('cores').

    own: of a choice that takes a person's own text too, gives that text in its usual spelling or raises InputError; example: of such a
    text.
    """

    id: str
    label: str
    stage: str
    kind: str = "number"
    unit: str = ""
    low: float = 0.0
    high: float = math.inf
    options: tuple[str, ...] = ()
    table: str = ""
    schools: str = ""
    step: str = "E24"
    own: Callable[[str], str] | None = None
    example: str = ""

    def accepted(self, choices: Sequence[str] = ()) -> str:
        if self.kind == "choice":
            names = self.options or tuple(choices)
            return ", ".join(names[:12]) + (f" and {len(names) - 12} more" if len(names) > 12 else "") + (
                f", or your own such as {self.example}" if self.example else "")
        if self.percent:
            return f"{100 * self.low:g} to {100 * self.high:g} % (in a file {self.low:g} to {self.high:g})"
        return f"{self.low:g} to {self.high:g} {self.unit}".strip()

    @property
    def percent(self) -> bool:
        """Whether people write and read it in percent."""
        return in_percent(self.id, self.unit)

    def read(self, text: str) -> float:
        """The number a person typed [SI]; of a share in percent the sign may be left out like any unit. Raises NotAQuantity."""
        return parse(text, "%", self.label) / 100 if self.percent else parse(text, self.unit, self.label)

    def check(self, value: Any, choices: Sequence[str] = ()) -> Any:
        """The value in its own type, or InputError with what is accepted."""
        where = f"decisions.{self.id}"
        if self.kind == "choice":
            names = self.options or tuple(choices)
            if self.own and isinstance(value, str):
                return self.own(value)
            if not isinstance(value, str) or value not in names:
                near = nearest(str(value), names)
                raise InputError(where, f"{value!r} is not known" + (f" (nearest: {near[0]})" if near else ""), self.accepted(choices))
            return value
        number = isinstance(value, int | float) and not isinstance(value, bool)
        if not number or not math.isfinite(value) or not self.low <= value <= self.high or (self.kind == "integer" and value != int(value)):
            raise InputError(where, f"{value!r} cannot be used",
                             ("a whole number from " if self.kind == "integer" else "") + self.accepted())
        return int(value) if self.kind == "integer" else float(value)


class Measured(Struct, frozen=True):
    """A reading that overrides an estimate: value (SI), uncertainty, how it was taken."""

    value: float
    uncertainty: float | None = None
    how: str = ""

    def __post_init__(self) -> None:
        if not isinstance(self.value, int | float) or isinstance(self.value, bool) or not math.isfinite(self.value) or self.value <= 0:
            raise InputError("as_built", f"the measured value {self.value!r} cannot be used", "a positive number in SI units")


class Decisions(Struct):
    """Hands out chosen values: a measured one first, then a pinned one, else the rule's."""

    specs: Mapping[str, DecisionSpec]
    pins: Mapping[str, Any]
    sheet: Sheet

    def pinned(self, id: str) -> bool:
        return id in self.pins

    def __call__(self, id: str, rule: Callable[[], Any] | Any, text: str = "", refused: Refused = (), **inputs: Any) -> Row:
        """The chosen value as a row. `rule` gives the value, or (value, text, refused), and is called only if nothing overrides it."""
        spec = self.specs[id]
        if id in self.pins and id not in self.sheet.measured:
            return self.sheet.chosen(id, self.pins[id], spec.unit, "chosen by you", origin="pinned", **inputs)
        value = rule() if callable(rule) else rule
        if isinstance(value, tuple):
            value, text, refused = value
        return self.sheet.chosen(id, value, spec.unit, text, refused, **inputs)
