"""Resistors of many megohms across line and bus: one alone does not stand the voltage, whatever little it burns."""

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.stages.work import Work

RESISTOR_VOLTAGE, USED = 200.0, 0.8
"""Working voltage [V] of one resistor (1206 to through-hole classes), and the share of it that is used (common practice)."""
ACROSS = ("inlet.r_x", "bulk.r_bleed", "bulk.r_balance", "brown.r_high")


def in_series(volts: float) -> int:
    """How many stand a voltage [V]."""
    return max(int(np.ceil(volts / (USED * RESISTOR_VOLTAGE))), 1)


def record(work: Work) -> None:
    """How many of each stand in series, and the voltage across all of them."""
    sheet, rows = work.sheet, work.sheet.rows
    for id in ACROSS:
        if id in rows:
            volts = sheet.given(f"{id}_volts", _greatest(work, id), "V", "solved", "greatest of all corners across it")
            count = in_series(float(volts.value))
            sheet.chosen(f"{id}_resistors", count, "", f"{count} in series: {show(float(volts.value) / count, 'V')} each of "
                         f"{RESISTOR_VOLTAGE:g} V used to {USED * 100:.0f} % (common practice)", volts=volts)


def _greatest(work: Work, id: str) -> float:
    """The greatest voltage [V] across a resistor: the crest of the line, the bus, or one capacitor of two."""
    rows, need = work.sheet.rows, work.need
    if id == "inlet.r_x" or (id == "brown.r_high" and "pfc.v_bus" in rows):
        return float(np.sqrt(2) * need.mains.v_max)
    return float(np.max(rows["bulk.v_capacitor" if id == "bulk.r_balance" else "bus.v"].value))
