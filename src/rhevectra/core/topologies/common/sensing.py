"""Sensing the switch's current: a resistor in its path, a current transformer with its burden, or a small capacitor beside a resonant
one."""

from typing import Any

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import output
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages.work import Work

RESISTOR, TRANSFORMER, CAPACITOR = "resistor", "transformer", "capacitor"
RATIO = {RESISTOR: 1.0, TRANSFORMER: 100.0, CAPACITOR: 100.0}
"""Current in the path over that in the sense resistor (usual: a hundred turns; a capacitor of a hundredth of the resonant one)."""
TRIP = 0.5
"""Voltage at which the comparator of a controller trips [V] (common practice)."""
HEAT = 1.0
"""Heat [W] in a resistor from which a current transformer pays (common practice)."""
BESIDE = DecisionSpec("sense.kind", "Current sensing", "switch", "choice", options=(CAPACITOR, TRANSFORMER, RESISTOR),
                      schools="capacitor: a hundredth of the tank current beside the resonant one, next to no loss; current transformer; "
                      "resistor: simplest, burns")
"""That of a resonant stage."""
_TOLD = {RESISTOR: "in the path itself", TRANSFORMER: "behind a current transformer of 100 turns",
         CAPACITOR: "behind a capacitor of a hundredth beside the resonant one"}


def trip(work: Work) -> float:
    """The voltage across the resistor at the limit [V]."""
    return float(work.choose("sense.v_trip", TRIP, "comparator of the controller (common practice)").value)


def limit_of(work: Work, wanted: float) -> float:
    """The current limit [A] that the largest resistor of E96 makes which lets the wanted one through; behind any ratio of a power of ten
    the same."""
    v_trip = trip(work)
    return v_trip / at_most(v_trip / wanted, "E96")


def choose(work: Work, i_limit: float, i_rms: float, circulates: bool = False) -> float:
    """What the sensing puts into the path [Ω], for a nominal limit and an rms current in it [A]; circulates: whether current flows there
    between the pulses too, which a resistor between bridge and bus would not see."""
    v_trip = trip(work)
    heat = v_trip / i_limit * i_rms**2
    options = work.choose.specs["sense.kind"].options
    usual = CAPACITOR if CAPACITOR in options else TRANSFORMER if (heat > HEAT or circulates) and TRANSFORMER in options else RESISTOR
    kind = str(work.choose("sense.kind", usual,
                           "in series with the primary, whose current flows between the pulses too" if circulates
                           else f"a resistor of {show(v_trip / i_limit, 'Ω')} in the path would turn {show(heat, 'W')} into heat").value)
    return float(output.sense_seen(output.sense_resistor(RATIO[kind], v_trip, i_limit), RATIO[kind]))


def record(work: Work) -> Any:
    """The resistor, and as a row what stands in the path."""
    sheet, kind = work.sheet, str(work.sheet.rows["sense.kind"].value)
    ratio = sheet.given("sense.ratio", RATIO[kind], "", "rule", f"the resistor lies {_TOLD[kind]} (usual)")
    r = sheet("sense.r", output.sense_resistor, ratio=ratio, v_trip=sheet.rows["sense.v_trip"], i_limit=sheet.rows["switch.current_limit"])
    return sheet("sense.r_seen", output.sense_seen, r=r, ratio=ratio)


def heat(work: Work, r_seen: Any, i_rms: Any) -> Any:
    """Heat of the resistor [W] as a row."""
    return work.sheet("sense.power", resistive_loss, r=r_seen, i_rms=i_rms)
