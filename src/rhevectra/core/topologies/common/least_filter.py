"""A filter inductor made to the low end of its tolerance, at the low end of the rate's: more ripple, a higher peak in run, more current in
the output capacitors."""

from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.formulas import inductor
from rhevectra.core.magnetics.inductor import MADE
from rhevectra.core.stages import rate
from rhevectra.core.stages.work import FigureSpec, Work

ID = "filter1.l_tolerance"
DECISION = DecisionSpec(ID, "Tolerance of the filter inductor", "rectifier", low=0.0, high=0.4,
                        schools="10 %: gapped as usual; 20 %: bought ready made, or a powder core at its current")
FIGURES = (
    FigureSpec("switch.i_peak_least", "Peak current in run, least filter inductance", "Î_L", "switch", corners.LOADED,
               limit="switch.limit_min", limit_kind="max", fixed="duty; ringing of the nominal parasitics",
               sentence="made to the low end of its tolerance, at the low end of the rate's, the filter inductor lets more ripple through: "
               "full load must not trip the least current limit even then"),
    FigureSpec("filter1.i_ripple_most", "Ripple current, least filter inductance", "ΔI_x", "rectifier", corners.FULL, fixed="duty",
               sentence="what the output capacitors are chosen for: least inductance, least rate"),
)


def choose(work: Work) -> tuple[float, float]:
    """The tolerances of inductance and rate, by rule or pin."""
    return float(work.choose(ID, MADE, "gapped core as made (common practice)").value), float(rate.choose(work).value)


def peak(sheet: Any, o: Any, tolerances: tuple[Any, Any], beside: dict[str, Any] | None = None, **turns: Any) -> tuple[Any, Any]:
    """Peak in run [A] and ripple [A] of the least inductance at the least rate, as rows or bare numbers. o: a settled period; tolerances:
    of inductance and rate; turns: of secondary and primary, where there is a transformer; beside: magnetising inductances lm and lm_seen
    [H], where the inductors lie beside it."""
    made_to, slower = tolerances
    middle = sheet("filter1.i_mid_ordered", inductor.middle, i_valley=o["valley"], i_crest=o["crest"])
    stands = o["i_stands"] if "i_stands" in o else sheet.given("filter1.i_stands", 0.0, "A", "rule", "it rests at nothing")
    rests = sheet.either("filter1.i_rests", o["discontinuous"], o["valley"], stands, "as it does, or as it would")
    if "i_stands" in o:
        rests = sheet("filter1.i_rests_slow", inductor.longer, current=rests, slower=slower)
    if beside is not None:
        rests = sheet("filter1.i_rests_most", inductor.rests_doubler, i_rests=rests, **beside, tolerance=made_to)
    both = sheet("filter1.spread", inductor.spread, tolerance=made_to, slower=slower)
    made = {"ripple": o["ripple"], "tolerance": both, "i_mid": middle, "i_rests": rests}
    ripple = sheet("filter1.i_ripple_most", inductor.ripple_most, **made)
    crest = sheet("filter1.i_peak_run_most", inductor.crest_most, **made, ripple_most=ripple)
    if not turns:
        return sheet.again("switch.i_peak_least", crest), ripple
    most = sheet("switch.i_peak_crest", inductor.peak_least, i_peak=o["i_peak"], i_most=crest, i_crest=o["crest"], **turns)
    return (sheet("switch.i_peak_least", inductor.peak_slow, i_peak=most, i_mag=o["i_mag"], slower=slower) if beside is None
            else sheet("switch.i_peak_least", inductor.peak_least_doubler, i_peak=most, i_mag=o["i_mag"], **beside, tolerance=made_to,
                       ripple_most=ripple, ripple=o["ripple"]),
            ripple)


def record(work: Work, o: dict[str, Any], beside: dict[str, Any] | None = None, shared: bool = False, **turns: Any) -> dict[str, Any]:
    """Rows of the least inductance at the least rate, with the current of the output capacitors where no other output shares it; returns
    the period with the ripple those are chosen for."""
    sheet, spread = work.sheet, work.sheet.rows[rate.ID]
    _, ripple = peak(sheet, o, (sheet.rows[ID], spread), beside, **turns)
    if not shared:
        sheet("output1.i_c_rms", inductor.capacitor_rms, i_out=o["i_load"], i_crest=sheet.rows["filter1.i_peak_run_most"], ripple=ripple)
    return {**o, "ripple": ripple, "spread": spread}
