"""Sensing the inductor's or the switch's current: a resistor in the path, or a current transformer with its burden."""

from typing import Any

from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import pfc
from rhevectra.core.stages.work import Work

SENSE, BURDEN = 0.15, 1.0
"""Voltage [V] across the sense resistor, and across the burden of a current transformer, at the current limit (common practice)."""
HEAT = 2.0
"""Heat [W] in a sense resistor from which a current transformer pays (common practice)."""
DIODE, LONGEST = 0.7, 0.95
"""Drop of the diode a current transformer feeds through [V]; longest duty of the controller (common practice)."""


def choose_sensing(work: Work, i_rms: float, limit: float) -> float:
    """What the inductor's rms current meets for its loss [Ω]: the sense resistor, or the burden seen through the turns."""
    heat = SENSE / limit * i_rms**2
    kind = work.choose("pfc.sensing", "transformer" if heat > HEAT else "resistor",
                       f"a resistor of {show(SENSE / limit, 'Ω')} would turn {show(heat, 'W')} into heat")
    if kind.value == "resistor":
        return SENSE / limit
    return BURDEN / limit / int(work.choose("pfc.ct_turns", 100, "usual; more: less heat, less signal at light load").value)


def record_sensing(work: Work) -> None:
    """The resistor, and what a current transformer needs to reset."""
    sheet, limit = work.sheet, work.sheet.rows["pfc.current_limit"]
    if sheet.rows["pfc.sensing"].value == "resistor":
        sheet("pfc.r_sense", pfc.sense_resistor, v_sense=SENSE, i_limit=limit)
        return
    sheet("pfc.r_sense", pfc.burden, turns=sheet.rows["pfc.ct_turns"], v_sense=BURDEN, i_limit=limit)
    sheet("pfc.ct_reset", pfc.reset_voltage, v_sense=BURDEN, v_diode=DIODE, duty=LONGEST)


def capacitors(work: Work, why: str) -> Any:
    """Table of the kind of bus capacitor chosen."""
    kind = work.choose("pfc.c_kind", "electrolytic", why)
    return work.parts["film_capacitors" if kind.value == "film" else "bulk_capacitors"]
