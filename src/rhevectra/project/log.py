"""The bench log: entries that are only ever added, each with its time, what was done or read, and what the design had expected then.

In the file an entry is an object of `at`, `kind`, `text`, `values`, `expected`; entries of another make are kept as they are and shown as
far as they can be read.
"""

import csv
import io
import json
import math
from collections.abc import Iterable, Mapping
from typing import Any

from msgspec import Struct, field

NOTE, READING, BENCH = "note", "reading", "bench"
"""Kinds of entries: a person's own words; a reading that the design follows, or its withdrawal; what a bench was told or found."""


class Entry(Struct, frozen=True):
    """One entry. at: local time with its offset (ISO 8601); values, expected: by name of the figure or field, SI units."""

    at: str
    kind: str
    text: str
    values: Mapping[str, float] = field(default_factory=dict)
    expected: Mapping[str, float] = field(default_factory=dict)

    def tree(self) -> dict[str, Any]:
        """As it stands in the file; nothing is written that is empty."""
        whole = {"at": self.at, "kind": self.kind, "text": self.text, "values": dict(self.values), "expected": dict(self.expected)}
        return {k: v for k, v in whole.items() if v}

    @property
    def day(self) -> str:
        """Date and time to the minute, as people read them."""
        return self.at[:16].replace("T", " ")


def entry(raw: Any) -> Entry:
    """An entry of the file; one of another make becomes its text."""
    if not isinstance(raw, Mapping):
        return Entry("", "", raw if isinstance(raw, str) else json.dumps(raw, ensure_ascii=False))
    numbers = [{str(k): float(v) for k, v in raw.get(name, {}).items() if isinstance(v, int | float) and not isinstance(v, bool)
                and math.isfinite(v)} if isinstance(raw.get(name, {}), Mapping) else {} for name in ("values", "expected")]
    known = {k: str(raw.get(k, "")) for k in ("at", "kind", "text")}
    return Entry(known["at"], known["kind"],
                 known["text"] or json.dumps({k: v for k, v in raw.items() if k not in ("at", "kind")}, ensure_ascii=False), *numbers)


def entries(log: Iterable[Any]) -> list[Entry]:
    """All entries of a document's log, oldest first."""
    return [entry(raw) for raw in log]


def as_csv(log: Iterable[Any]) -> str:
    """The log as a table: one row for each value that was read, one for each entry without any."""
    text = io.StringIO(newline="")
    writer = csv.writer(text)
    writer.writerow(("at", "kind", "text", "figure", "read", "expected", "off"))
    for e in entries(log):
        for name in e.values or ("",):
            read, expected = e.values.get(name), e.expected.get(name)
            off = f"{read / expected - 1:+.4f}" if read is not None and expected else ""
            writer.writerow(
                (e.at, e.kind, e.text, name, "" if read is None else repr(read), "" if expected is None else repr(expected), off))
    return text.getvalue()
