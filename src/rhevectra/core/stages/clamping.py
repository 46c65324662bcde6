"""What every clamp of the leakage has, whatever burns the energy: its diode, its losses, its heat at little load."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.circuit.netlist import SMALL_DIODE_R, Element, diode_model
from rhevectra.core.formulas import clamp, flyback
from rhevectra.core.stages.work import FigureSpec, Work

DIODE_DROP = 1.0
"""Drop of the clamp diode [V] at the leakage current (common practice)."""
DIODE_CLASSES = (100, 200, 400, 600, 800, 1000, 1200, 1600, 2000)
"""Voltage classes that fast diodes are sold in [V] (common practice)."""
DIODE_SHARE = 0.8
"""Share of its class that a diode is used to (common practice)."""
BURNS_IN_SWITCH = False
"""Whether the switch itself takes the energy."""
TURNS = False
"""Whether the leakage current turns round in it, so that the capacitor gives back what it took."""
FALLS = False
"""Whether its voltage falls with its power, as that of a resistor beside a capacitor does: at less than the current it is sized for it
burns more than the leakage brings."""
GRAZED = False
"""Whether the ring it leaves comes back to it again and again: without load the engine takes a minute to find the period then."""
CARRIES: tuple[str, ...] = ()
"""What one pass of the period hands to the next on the clamp's behalf."""
ROOM = 1.9
"""Clamp voltage over reflected voltage when the switch class decides: a roomy clamp burns little (classic school 2 to 2.5)."""
LOSSES = {"clamp": "clamp_power", "clamp_diode": "loss_clamp_diode", "leakage_ring": "loss_ring"}
"""Name of each loss of a clamp, and which row of the period it is."""
AT_LITTLE_LOAD = (
    FigureSpec("clamp.power_light_load", "Clamp power at 10 % load", "P_cl,10", "clamp", corners.LIGHT),
    FigureSpec("clamp.power_idle", "Clamp power at no load", "P_cl,0", "clamp", corners.IDLE),
)
FIGURES = (
    *AT_LITTLE_LOAD,
    FigureSpec("clamp.diode_v_reverse", "Clamp diode reverse voltage", "V̂_R,cl", "clamp", corners.PEAKS, limit="clamp.diode_v_limit",
               limit_kind="max"),
    FigureSpec("clamp.t_recovery", "Recovery of the clamp diode, most", "t_rr", "clamp", corners.LOADED, "min",
               sentence="a faster diode than this class; slow ones are a clamp of their own"),
    FigureSpec("clamp.t_reset", "Leakage reset time", "t_cl", "clamp", corners.LOADED),
    FigureSpec("clamp.power_stolen", "Power taken from the outputs", "P_k", "clamp", corners.LOADED, fixed="leakage tolerance",
               sentence="what the core itself gives away while the leakage empties, beside the leakage's own energy: the longer that "
               "takes, the more"),
)


def burnt(falls: bool, share: float = 1.0) -> float:
    """What a clamp burns over the energy of the leakage: its voltage over what that is above the reflected one. It stands ROOM times the
    reflected voltage at the current it is sized for; share: of that current that flows, where its voltage falls (a hundredth counts as
    that: less carries no energy to speak of)."""
    over = 0.5 * (1 + float(np.sqrt(1 + 4 * ROOM * (ROOM - 1) * (max(share, 0.01) ** 2 if falls else 1.0))))
    return over / (over - 1)


def limits(work: Work, v_bus: Any, crest: Any, v_budget: float, v_class: float, left: str) -> None:
    """Reverse voltage of the clamp diode and what its class bears [V]; the budget of the clamp [V], what it is left by."""
    sheet = work.sheet
    row = sheet("clamp.diode_v_reverse", clamp.diode_reverse, v_bus=v_bus, crest=crest)
    bears = diode_class(max(float(np.max(row.value)), DIODE_SHARE * v_class))
    sheet.given("clamp.diode_v_limit", DIODE_SHARE * bears, "V", "rule",
                f"diode class of {bears:g} V, at least the switch class, used to 80 % (common practice)")
    budget(work, v_budget, left)


def diode_class(v_reverse: float) -> float:
    """The least class [V] that bears a reverse voltage [V]; the highest where none does."""
    return next((v for v in DIODE_CLASSES if DIODE_SHARE * v >= v_reverse), DIODE_CLASSES[-1])


def budget(work: Work, v_budget: float, left: str) -> None:
    """What the switch rating leaves for the clamp [V], and after what."""
    work.sheet.given("clamp.v_budget", v_budget, "V", "solved", f"what the switch rating leaves after {left}")


def recovery(work: Work, rows: dict[str, Any]) -> None:
    """How slow the diode may be."""
    work.sheet("clamp.t_recovery", clamp.recovery_most, fs=rows["fs"])


def hottest(work: Work, power: Any) -> float:
    """Greatest power [W] of a row over the corners with load."""
    return float(np.max(np.where(corners.LOADED.mask(work.grid), power.value, 0.0)))


def taken_from_outputs(work: Work, rows: dict[str, Any]) -> None:
    """What the core gives beside the leakage."""
    work.sheet("clamp.power_stolen", clamp.power_stolen, i_core=rows["i_core"], v_reflected=rows["v_or"])


def at_little_load(work: Work, power: Any) -> None:
    """The clamp's power again, judged at a tenth of the load and at none."""
    for id in ("clamp.power_light_load", "clamp.power_idle"):
        work.sheet.again(id, power)


def losses(sheet: Any, s: Any, o: dict[str, Any], v_node: Any) -> dict[str, Any]:
    """The clamp diode's loss and that of the ring it leaves [W]."""
    return {"loss_clamp_diode": sheet("clamp.loss_diode", clamp.diode_loss, v_diode=s.clamp_vf, q_clamp=o["q_clamp"], fs=o["fs"]),
            "loss_ring": sheet("clamp.loss_ring", clamp.ring_power, c_node=s.c_node, v_node=v_node, v_reflected=o["v_or"], fs=o["fs"])}


def bus_power(sheet: Any, o: dict[str, Any], drawn: dict[str, Any]) -> Any:
    """Power [W] drawn from the bus: the clamp's charge comes back to it."""
    return sheet("switch.p_bus", flyback.bus_power, **drawn)


OF_RCD = ("map", "steps", "slow")
"""Pictures that tell of a resistor and a capacitor alone: every other kind leaves them out."""
DIODE = Element("Dcl", ("drain", "cl"), "DCLAMP", "clamp")
"""The clamp diode in the circuit."""


def model(drop: float, resistance: float = SMALL_DIODE_R) -> str:
    """Its model, for a drop [V] and a resistance [Ω]."""
    return diode_model("DCLAMP", drop, resistance)


SYMBOLS: list[tuple[Any, ...]] = [("diode", (26, 36), (26, 26), "", "primary", "Dcl"), ("wire", (26, 36), (44, 36), "", "primary", "Dcl")]
"""The clamp diode as drawn, from the drain up to the clamp."""
