"""The sheet: every number of a design as a row that remembers how it came about.

A row is a requirement field, a decision, a catalogue value, a measured value or a computed one.
Passing a row into the next call is the dependency link; `.value` is for arithmetic. No text is
built here: working is read from the rows on demand (`working.py`).
"""

import operator
from collections.abc import Callable, Mapping, Sequence
from functools import reduce
from typing import Any

import numpy as np
from msgspec import Struct, field

from rhevectra.core.basis.corners import pick

Refused = Sequence[str] | Callable[[], Sequence[str]]


class Row(Struct, eq=False):
    """One number (or name) with its provenance.

    kind: given | formula | either | solved | chosen | total. inputs: argument -> Row or plain number. refusal: why the candidates that lost
    were refused, or what tells it.
    """

    id: str
    value: Any
    kind: str
    unit: str = ""
    inputs: Mapping[str, Any] = field(default_factory=dict)
    source: Any = None
    origin: str = ""
    rule: str = ""
    refusal: Refused = ()
    mask: Any = None
    estimate: Any = None

    def __repr__(self) -> str:
        return f"Row({self.id!r}, {self.value!r})"  # not what it came from, and what that came from

    @property
    def refused(self) -> Sequence[str]:
        """Why each candidate that lost was refused; built only when somebody looks."""
        if callable(self.refusal):
            self.refusal = self.refusal()
        return self.refusal

    def at(self, index: tuple[int, ...]) -> Any:
        """Value at one corner of the grid (scalars and names are the same at all of them)."""
        return self.value if isinstance(self.value, str) else pick(self.value, index)


def plain(value: Any) -> Any:
    """The number behind a row, or the number itself."""
    return value.value if isinstance(value, Row) else value


def reader(index: tuple[int, ...]) -> Callable[[Any], float]:
    """Reads rows, arrays and numbers at one corner of the grid."""
    return lambda value: pick(plain(value), index)


class Sheet:
    """Makes rows and keeps them by id. A measured value always wins over an estimate."""

    def __init__(self, measured: Mapping[str, Any] | None = None) -> None:
        self.rows: dict[str, Row] = {}
        self.measured = measured or {}

    def _keep(self, row: Row) -> Row:
        if row.id in self.measured and row.origin != "measured":
            found = self.measured[row.id]
            row = Row(row.id, found.value, "given", row.unit, origin="measured", rule=found.how or "entered from the bench", estimate=row)
        self.rows[row.id] = row
        return row

    def __call__(self, id: str, function: Callable[..., Any], **inputs: Any) -> Row:
        """Compute a row by a formula from rows or numbers."""
        value = function(**{name: plain(given) for name, given in inputs.items()})
        return self._keep(Row(id, value, "formula", function.formula.unit, inputs, function.formula))  # type: ignore[attr-defined]

    def given(self, id: str, value: Any, unit: str = "", origin: str = "requirement", text: str = "") -> Row:
        """A number that comes from outside: requirement, catalogue, stated default."""
        return self._keep(Row(id, value, "given", unit, origin=origin, rule=text))

    def either(self, id: str, mask: Any, yes: Row, no: Row, text: str = "") -> Row:
        """Where mask holds the first row, elsewhere the second; the working follows the branch of its own corner."""
        return self._keep(
            Row(id, np.where(mask, yes.value, no.value), "either", yes.unit or no.unit, {"yes": yes, "no": no}, mask=mask, rule=text))

    def again(self, id: str, row: Row) -> Row:
        """The same number under another name, to be judged on other corners; its working is that of the row."""
        return self._keep(
            Row(id, row.value, "either", row.unit, {"yes": row, "no": row}, mask=np.ones(1, bool),
                rule=f"the figure {row.id}, judged elsewhere"))

    def solved(self, id: str, value: Any, unit: str, text: str, **inputs: Any) -> Row:
        """A number found by solving; text says what was solved and how well."""
        return self._keep(Row(id, value, "solved", unit, inputs, rule=text))

    def chosen(self, id: str, value: Any, unit: str, text: str, refused: Refused = (), origin: str = "rule", **inputs: Any) -> Row:
        """A number or name picked from candidates; refused names the ones that lost and why."""
        return self._keep(Row(id, value, "chosen", unit, inputs, origin=origin, rule=text, refusal=refused))

    def total(self, id: str, unit: str, text: str, **parts: Any) -> Row:
        """The sum of its inputs."""
        value = sum(plain(part) for part in parts.values())
        return self._keep(Row(id, value, "total", unit, parts, rule=text))


class Quick:
    """The same calls as a sheet, giving bare numbers: for the passes before the last, when nothing has to be explained."""

    def __call__(self, id: str, function: Callable[..., Any], **inputs: Any) -> Any:
        return function(**inputs)

    def either(self, id: str, mask: Any, yes: Any, no: Any, text: str = "") -> Any:
        return np.where(mask, yes, no)

    def total(self, id: str, unit: str, text: str, **parts: Any) -> Any:
        return reduce(operator.add, parts.values())

    def given(self, id: str, value: Any, unit: str = "", origin: str = "", text: str = "") -> Any:
        return value

    def solved(self, id: str, value: Any, unit: str, text: str, **inputs: Any) -> Any:
        return value

    def again(self, id: str, row: Any) -> Any:
        return row
