"""Tables as text that every spreadsheet reads."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any


def as_csv(heads: Iterable[str], rows: Iterable[Sequence[Any]]) -> str:
    """Rows under their heads, as CSV."""
    text = io.StringIO(newline="")
    writer = csv.writer(text)
    writer.writerow(heads)
    writer.writerows(rows)
    return text.getvalue()
