"""What every clamp of the leakage has, whatever burns the energy: its diode, its losses, its heat at little load."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.formulas import clamp
from rhevectra.core.stages.work import FigureSpec, Work

DIODE_DROP = 1.0
"""Drop of the clamp diode [V] at the leakage current (common practice)."""
DIODE_CLASSES = (200, 400, 600, 800, 1000, 1e9)
FIGURES = (
    FigureSpec("clamp.power_light_load", "Clamp power at 10 % load", "P_cl,10", "clamp", corners.LIGHT),
    FigureSpec("clamp.power_idle", "Clamp power at no load", "P_cl,0", "clamp", corners.IDLE),
    FigureSpec("clamp.diode_v_reverse", "Clamp diode reverse voltage", "V̂_R,cl", "clamp", corners.PEAKS, limit="clamp.diode_v_limit", limit_kind="max"),
    FigureSpec("clamp.t_reset", "Leakage reset time", "t_cl", "clamp", corners.LOADED),
)


def limits(work: Work, v_bus: Any, crest: Any, budget: float, v_class: float, left: str) -> None:
    """Reverse voltage of the clamp diode and what its class bears [V]; the budget of the clamp [V], what it is left by."""
    sheet = work.sheet
    sheet("clamp.diode_v_reverse", clamp.diode_reverse, v_bus=v_bus, crest=crest)
    sheet.given("clamp.diode_v_limit", 0.8 * max(v_class, next(v for v in DIODE_CLASSES if v >= v_class)), "V", "rule", "diode class at least the switch class, used to 80 %; recovery 500 ns at most (common practice)")
    sheet.given("clamp.v_budget", budget, "V", "solved", f"what the switch rating leaves after {left}")


def hottest(work: Work, power: Any) -> float:
    """Greatest power [W] of a row over the corners with load."""
    return float(np.max(np.where(corners.LOADED.mask(work.grid), power.value, 0.0)))


def at_little_load(work: Work, power: Any) -> None:
    """The clamp's power again, judged at a tenth of the load and at none."""
    for id in ("clamp.power_light_load", "clamp.power_idle"):
        work.sheet.again(id, power)


def losses(sheet: Any, s: Any, o: dict[str, Any], v_node: Any) -> dict[str, Any]:
    """The clamp diode's loss and that of the ring it leaves [W]."""
    return {"loss_clamp_diode": sheet("clamp.loss_diode", clamp.diode_loss, v_diode=s.clamp_vf, q_clamp=o["q_clamp"], fs=o["fs"]),
            "loss_ring": sheet("clamp.loss_ring", clamp.ring_power, c_node=s.c_node, v_node=v_node, v_reflected=o["v_or"], fs=o["fs"])}
