"""The supply of the controller from a winding of its own: the window it must stay in, and the regulator that keeps it there."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import output
from rhevectra.core.stages.inlet import LOCK_OUT
from rhevectra.core.stages.work import FigureSpec, Work

AUX_DROP, DROPOUT = 0.8, 1.0
"""Drop of the supply's diode; what a transistor with a Zener diode drops at least [V] (typical, from memory)."""
WINDOW = {False: (LOCK_OUT, 24.0), True: (9.0, 26.0)}
"""Supply [V] of a controller, and of one within the switch (typical of the class, from memory)."""
AIM, ROOM, FLOOR = 12.8, 1.3, 0.85
"""Supply aimed at where it is least [V]; how far above the lock-out that is in any case; share of it that whole turns may not fall short
of."""
NONE, LINEAR = "none", "linear"
DECISIONS = (DecisionSpec("aux.regulator", "Regulator of the auxiliary supply", "feedback", "choice", options=(NONE, LINEAR),
                          schools="none: the controller takes what the winding gives; linear: a transistor and a Zener diode, where the "
                          "bus moves it out of the controller's window; a winding on the filter inductor, insulated like the transformer, "
                          "hardly moves with the bus"),)
V_REVERSE = FigureSpec("aux.v_reverse", "Reverse voltage of the supply's diode", "V_r,aux", "feedback", corners.PEAKS,
                       fixed="ringing: take a class half as high again (common practice)")
FIGURES = (
    FigureSpec("aux.v_low", "Auxiliary supply, least", "V_aux", "feedback", corners.RUN, "min", "aux.v_min", "min",
               fixed="ring of the leakage; what it sinks between pulses"),
    FigureSpec("aux.v_high", "Auxiliary supply, greatest", "V_aux,hi", "feedback", corners.PEAKS, limit="aux.v_max", limit_kind="max",
               fixed="ring of the leakage"),
    FigureSpec("aux.p_regulator", "Power in the supply's regulator", "P_reg", "feedback", corners.PEAKS,
               fixed="supply current as at full output"),
    V_REVERSE,
)
BETWEEN = FigureSpec("aux.c_least", "Supply capacitor, at least", "C_su", "feedback", corners.RUN,
                     fixed="capacitor tolerance and cold; supply current as at full output",
                     sentence="where pulses are rare it feeds the controller from one to the next; the winding gives its voltage from the "
                     "first pulse on")
HELD = FigureSpec("aux.v_hold", "Auxiliary supply at the end of hold-up", "V_aux,h", "feedback", corners.FULL, "min", "aux.v_min", "min",
                  fixed="ring of the leakage", sentence="it sinks with the bus: the controller must not give up before the output does")


def regulated(rows: Mapping[str, Row]) -> bool:
    """Whether the supply has a regulator."""
    return "aux.regulator" in rows and str(rows["aux.regulator"].value) == LINEAR


def aim(share: float) -> float:
    """What the winding gives at its greatest [V], diode included, so that it still holds the controller up at a share of that."""
    return max(AIM, ROOM * (WINDOW[False][0] + DROPOUT) / share) + AUX_DROP


def record(work: Work, least: float, i_supply: Any) -> None:
    """Whether there is a regulator, the limits and its loss; rows aux.v_high and aux.v_low are there. least [V]: what the supply falls to
    where that is below both."""
    sheet, (v_min, v_max) = work.sheet, WINDOW[False]
    most = float(np.max(np.where(corners.PEAKS.mask(work.grid), sheet.rows["aux.v_high"].value, 0.0)))
    outside = f"{least:.3g} to {most:.3g} V, the controller stands {v_max:g} V (typical of the class, from memory)"
    work.choose("aux.regulator", LINEAR if most > v_max else NONE, f"the winding gives {outside}")
    linear = regulated(sheet.rows)
    sheet.given("aux.v_min", v_min + DROPOUT * linear, "V", "catalogue",
                "under-voltage lock-out of the controller class" + (", and what a regulator drops" if linear else ""))
    if linear:
        sheet("aux.p_regulator", output.dropped, v_in=sheet.rows["aux.v_high"], v_out=AIM, i=i_supply)
    else:
        sheet.given("aux.v_max", v_max, "V", "catalogue", "over-voltage of the controller class (typical, from memory)")
