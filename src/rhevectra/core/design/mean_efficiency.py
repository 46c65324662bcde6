"""Efficiency as supplies with a plug are judged: the mean of four loads at a nominal line."""

import numpy as np

from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import output
from rhevectra.core.stages.work import Work

LOADS = {"quarter": 0.25, "half": 0.5, "full": 1.0}
"""Loads that are worked out; three quarters lie between them."""


def record(work: Work, p_out: Row, loss: Row) -> None:
    """Rows of the four efficiencies and their mean, from output and loss [W] at every corner."""
    sheet, grid = work.sheet, work.grid
    given = {name: [sheet.given(f"{row.id}_{name}", np.broadcast_to(row.value, grid.shape)[:, :, k : k + 1], "W", "solved",
                                f"{said} at {name} load") for said, row in (("output", p_out), ("loss", loss))]
             for name, share in LOADS.items() for k in (grid.at_load(share),)}
    given["three"] = [sheet(f"{id}_three", output.at_three_quarters, **{name: pair[n] for name, pair in given.items()})
                      for n, id in enumerate((p_out.id, loss.id))]
    sheet("efficiency_mean", output.mean_of_four,
          **{name: sheet(f"efficiency_{name}", output.efficiency, p_out=p, p_loss=lost) for name, (p, lost) in given.items()})
