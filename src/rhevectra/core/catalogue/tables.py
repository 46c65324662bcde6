"""Reading catalogue tables into frozen column arrays; a person's own rows are added at the edge."""

import csv
import io
import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct, field

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.errors import InputError

TABLES = ("cores", "materials", "wires", "switches", "rectifiers", "bulk_capacitors", "film_capacitors", "output_capacitors", "bridges",
          "bridges_three", "thermistors", "boost_diodes", "regulators", "rings", "powders", "costs")
PRICES = "costs"
"""The table in which a row of one's own stands for the shipped one on purpose."""
_HEAT = ("r_junction_case_k_w", "t_junction_max_c")
_OPTIONAL = {"cores": ("by_choice", "bobbin_pins"), "bridges": _HEAT, "bridges_three": _HEAT}
"""Columns a person's own rows may leave out."""
_TEXT_COLUMNS = ("name", "family", "kind", "source", "wire_kind", "set", "what")


class Table(Struct, frozen=True):
    """One catalogue: rows as dictionaries, columns as arrays on demand."""

    name: str
    rows: tuple[Mapping[str, Any], ...]
    _derived: dict[Callable[["Table"], Any], Any] = field(default_factory=dict)

    def derived(self, function: Callable[["Table"], Any]) -> Any:
        """What a function makes of this table, worked out once: rows never change."""
        if function not in self._derived:
            self._derived[function] = function(self)
        return self._derived[function]

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(row["name"] for row in self.rows)

    def column(self, name: str) -> Array:
        return np.array([row[name] for row in self.rows], dtype=float)

    def row(self, name: str) -> Mapping[str, Any]:
        """The row of that name (InputError if the table has none)."""
        for row in self.rows:
            if row["name"] == name:
                return row
        raise InputError(self.name, f"{name!r} is not in the catalogue", ", ".join(self.names[:8]) + " …")

    def where(self, **conditions: Any) -> "Table":
        return Table(self.name, tuple(r for r in self.rows if all(r[k] == v for k, v in conditions.items())))


class Catalogue(Struct, frozen=True):
    """All tables by name, and the names that own rows share with shipped ones although their data differ."""

    tables: Mapping[str, Table]
    clashes: tuple[str, ...] = ()
    own: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    def __getitem__(self, name: str) -> Table:
        return self.tables[name]


def _cell(column: str, text: Any, where: str) -> Any:
    if column in _TEXT_COLUMNS:
        return str(text)
    try:
        value = float(text) if text not in ("", None) else 0.0
    except (TypeError, ValueError):
        raise InputError(where, f"{str(text)[:30]!r} in column {column} is not a number", "a plain number such as 0.38") from None
    if not math.isfinite(value) or value < 0:
        raise InputError(where, f"{text!r} in column {column} cannot be used", "a number that is not negative")
    return value


def read_rows(table: str, text: str, where: str) -> tuple[dict[str, Any], ...]:
    """Rows of one CSV text. Every column of the shipped table must be there (InputError names what is missing)."""
    reader = csv.DictReader(io.StringIO(text))
    return check_rows(table, list(reader), where)


def check_rows(table: str, raw: Iterable[Mapping[str, Any]], where: str) -> tuple[dict[str, Any], ...]:
    """Rows with numbers read and columns compared to the shipped table."""
    wanted = shipped_columns(table)
    rows = []
    for number, line in enumerate(raw, 1):
        at = f"{where}, row {number}"
        missing = [c for c in wanted if line.get(c) is None and c not in _OPTIONAL.get(table, ())]
        if missing:
            raise InputError(at, f"column {missing[0]} is missing", ", ".join(wanted))
        rows.append({c: _cell(c, line.get(c), at) for c in wanted})
    return tuple(rows)


def _shipped_text(table: str) -> str:
    return (Path(__file__).parent / f"{table}.csv").read_text(encoding="utf-8")


@cache
def shipped_columns(table: str) -> tuple[str, ...]:
    return tuple(next(csv.reader(io.StringIO(_shipped_text(table)))))


@cache
def shipped() -> Catalogue:
    """The catalogue that comes with the program; its tables are judged by a test, not at every start."""
    return Catalogue({t: Table(t, tuple(_shipped_rows(t))) for t in TABLES})


def _shipped_rows(table: str) -> Iterator[dict[str, Any]]:
    lines = csv.reader(io.StringIO(_shipped_text(table)))
    kinds = [(name, str if name in _TEXT_COLUMNS else float) for name in next(lines)]
    for line in lines:
        yield {name: kind(cell or "0") if kind is float else cell for (name, kind), cell in zip(kinds, line, strict=True)}


def with_own(catalogue: Catalogue, own: Mapping[str, Iterable[Mapping[str, Any]]], where: str) -> Catalogue:
    """A catalogue in which a person's rows come before the others of the same name."""
    tables, clashes, names = dict(catalogue.tables), list(catalogue.clashes), dict(catalogue.own)
    for table, raw in own.items():
        if table not in tables:
            raise InputError(where, f"there is no catalogue {table!r}", ", ".join(TABLES))
        rows = check_rows(table, raw, f"{where}: {table}")
        mine = {r["name"]: r for r in rows}
        old = {r["name"]: r for r in tables[table].rows}
        clashes += [name for name, row in mine.items() if table != PRICES and name in old
                    and any(row[c] != old[name][c] for c in row if c != "source")]
        tables[table] = Table(table, rows + tuple(r for r in tables[table].rows if r["name"] not in mine))
        names[table] = tuple(mine) + names.get(table, ())
    return Catalogue(tables, tuple(clashes), names)
