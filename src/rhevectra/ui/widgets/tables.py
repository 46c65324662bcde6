"""Filling a table of texts."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from PySide6.QtWidgets import QTableWidget


@contextmanager
def filled(table: QTableWidget, rows: int | None = None, titles: Sequence[str] | None = None) -> Iterator[None]:
    """Fill a table without a word to others, and its headers measure it once at the end: told of every cell, those that follow their
    contents measure all cells each time (seconds, for a page).

    rows, titles: how many rows and which columns it gets, where they change."""
    table.blockSignals(True)
    if titles is not None:
        table.setColumnCount(len(titles))
        table.setHorizontalHeaderLabels(titles)
    if rows is not None:
        table.setRowCount(rows)
    model = table.model()
    model.blockSignals(True)
    try:
        yield
    finally:
        model.blockSignals(False)
        if table.rowCount() and table.columnCount():
            model.dataChanged.emit(model.index(0, 0), model.index(table.rowCount() - 1, table.columnCount() - 1))
        table.blockSignals(False)
