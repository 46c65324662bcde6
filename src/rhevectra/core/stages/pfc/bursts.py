"""Light load: below a share of full power a stage runs in bursts at that power, and sleeps between them."""

from collections.abc import Callable

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages.work import Work

DECISION = DecisionSpec("pfc.burst_below", "Bursts below this share of full power", "pfc", low=0.0, high=0.5,
                        schools="0: it switches at every load and burns its edges; a twentieth to a tenth: bursts at that power, the bus "
                        "within some per cent")
BELOW = 0.05
AUX_VOLTS, AUX_AMPS, ASLEEP = 14.0, 3e-3, 0.5e-3
"""Supply of the stage's controller [V], what it takes, its gates beside (common practice), and between bursts [A] (typical, from
memory)."""
MEANS, KEPT = ("diode_avg",), ("f_high",)
"""Currents that follow the time it runs, and what bursts leave as it is; rms values follow the root of that time."""
Once = Callable[[Array], tuple[dict[str, Array], dict[str, Array]]]
"""Currents and losses [W] for a power from the line [W]."""


def choose(work: Work, p_in: float) -> float:
    """Power from the line [W] below which the stage runs in bursts; p_in: at full load."""
    return p_in * float(
        work.choose("pfc.burst_below", BELOW, "bursts at light load, as controllers of these stages do (common practice)").value)


def with_bursts(once: Once, least: float) -> Once:
    """The same where no more than `least` [W] is asked for: what that power makes, for as long as it runs."""
    if least <= 0:
        return once

    def bursting(p_in: Array) -> tuple[dict[str, Array], dict[str, Array]]:
        runs = np.minimum(p_in / least, 1.0)
        amps, losses = once(np.maximum(p_in, least))
        amps = {k: x if k in KEPT else x * (runs if k in MEANS else np.sqrt(runs)) for k, x in amps.items()}
        return amps, {k: x * runs + (AUX_VOLTS * ASLEEP * (1 - runs) if k == "pfc_controller" else 0.0) for k, x in losses.items()}
    return bursting
