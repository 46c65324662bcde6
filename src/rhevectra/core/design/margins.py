"""The least margin at every line voltage and operating point, and which figure leaves it."""

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import TIGHT, Design, margin_of


class Cell(Struct, frozen=True):
    """One cell of the corner grid: its least margin over line frequency and bus, the figure that leaves it, the corner it is at.

    margin is None (and figure empty) where no figure with a limit is judged.
    """

    line: int
    point: int
    margin: float | None
    figure: str
    corner: Corner

    @property
    def word(self) -> str:
        """over, tight, inside, or empty."""
        return "" if self.margin is None else "over" if self.margin < 0 else "tight" if self.margin < TIGHT else "inside"


def cells(design: Design) -> list[list[Cell]]:
    """Cells by operating point (rows) and line voltage (columns). Figures that are the same at every corner do not count."""
    grid = design.grid
    names, stack = [], []
    for id in design.figure_ids:
        spec, row = design.specs[id], design.rows[id]
        limit = design.rows.get(spec.limit)
        if limit is None or not isinstance(row.value, np.ndarray) or row.value.size == 1:
            continue
        names.append(id)
        stack.append(np.where(spec.domain.mask(grid), margin_of(row.value, limit.value, spec.limit_kind), np.inf))
    least = np.stack(stack)
    out = []
    for point in range(len(grid.points)):
        row_cells = []
        for line in range(len(grid.lines)):
            part = least[:, line, :, point, :]
            at = np.unravel_index(int(part.argmin()), part.shape)
            value = float(part[at])
            corner = grid.corner((line, int(at[1]), point, int(at[2])))
            row_cells.append(
                Cell(line, point, value if np.isfinite(value) else None, names[int(at[0])] if np.isfinite(value) else "", corner))
        out.append(row_cells)
    return out
