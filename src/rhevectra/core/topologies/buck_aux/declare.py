"""What may be decided about the step-down converter, and its figures."""

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages.beside import PARALLEL, UNEVEN
from rhevectra.core.stages.work import FigureSpec
from rhevectra.core.topologies.common import declare, faults, least_filter, overload
from rhevectra.core.topologies.common.declare import BUS_RIPPLE
from rhevectra.core.topologies.common.faults import output_figures

DECISIONS = (*(s for s in declare.decisions(
    DecisionSpec("filter1.ripple_ratio", "Ripple of the inductor, share", "rectifier", low=0.05, high=2.0,
                 schools="0.3 textbook; 0.6 to 1 a small inductor; 2 is the boundary of conduction"),
    DecisionSpec("filter1.l", "Inductor", "rectifier", unit="H", low=1e-7, high=0.1),
    DecisionSpec("filter1.core", "Core of the inductor", "rectifier", "choice", table="cores"), least_filter.DECISION,
    DecisionSpec("filter1.material", "Core material class", "rectifier", "choice", table="materials"),
    DecisionSpec("filter1.rise_max", "Temperature rise allowed", "rectifier", unit="K", low=5, high=90),
    DecisionSpec("derating.flux", "Flux derating at hot saturation", "rectifier", low=0.4, high=1.0),
    DecisionSpec("switch.duty_limit", "Largest duty of the controller", "switch", low=0.2, high=0.95,
                 schools="what the supply of the floating gate leaves"),
    without=("switch.duty_limit", PARALLEL, UNEVEN, *(f"filter{n}.l" for n in range(1, 7)), *declare.OF_OTHERS))
               if s.stage != "transformer" and s.id != "insulation.school"), *faults.DECISIONS)
_MODEL = "tolerances other than the current limit; ringing of the diode"
_OWN = (
    FigureSpec("switch.duty_max", "Duty, largest", "D_max", "switch", corners.RUN, "max", "switch.duty_limit", "max", fixed=_MODEL),
    FigureSpec("switch.pulse_least", "Shortest pulse, full load", "t_on", "switch", corners.FULL, "min", "switch.pulse_limit", "min",
               fixed=_MODEL, sentence="a high bus asks for a pulse that blanking and delay can hardly make"),
    FigureSpec("switch.v_peak", "Peak switch voltage", "V̂_ds", "switch", corners.PEAKS, limit="switch.v_limit", limit_kind="max",
               fixed="stray inductance", sentence="the diode holds the switch to the bus"),
    FigureSpec("switch.loss_recovery", "Loss by the diode's recovery", "P_rr", "switch", corners.FULL,
               fixed="charge estimated from the class's recovery time"),
    FigureSpec("filter1.l", "Inductor", "L", "rectifier", corners.FULL),
    FigureSpec("filter1.core", "Core of the inductor", "", "rectifier", corners.FULL),
    FigureSpec("filter1.turns", "Turns of the inductor", "N_L", "rectifier", corners.FULL),
    FigureSpec("filter1.gap", "Gap of the inductor", "l_gL", "rectifier", corners.FULL, limit="filter1.gap_limit", limit_kind="max"),
    FigureSpec("filter1.i_ripple_pp", "Ripple current of the inductor", "ΔI", "rectifier", corners.FULL,
               fixed="inductance taken at its nominal value"),
    FigureSpec("filter1.b_peak", "Flux of the inductor at the limit", "B̂_L", "rectifier", corners.PEAKS, limit="filter1.b_limit",
               limit_kind="max", fixed="saturation taken hot"),
    FigureSpec("filter1.loss_eddy", "Eddies in the inductor's wire", "P_e", "rectifier", corners.FULL,
               fixed="strands thin against the skin depth; the field of winding and gap as a mean over the winding",
               sentence="the ripple's field in the wire"),
    FigureSpec("filter1.rise", "Temperature rise of the inductor", "ΔT_L", "rectifier", corners.FULL, limit="filter1.rise_max",
               limit_kind="max", fixed="uniform temperature"),
)
FIGURES = tuple(f for f in declare.figures(*_OWN, *least_filter.FIGURES, *faults.OF_FILTER, *overload.FIGURES)
                if f.stage != "transformer" and not f.id.startswith("insulation."))
CURES = {"switch.pulse_least": "fs", "switch.v_peak": "switch.class", "filter1.rise": "filter1.core",
         "feedback": "feedback.resistor_tolerance"}
PLATES = (("switch", "Switch", "switch.v_peak"),)
AFTER_CLAMP = (("rectifier", "Diode + inductor", "filter1.core"), ("feedback", "Feedback", "feedback.error"))
NO_PICTURES = ("snubber", "range", "supply", "transient", "gain", "frequency", "window", "orders", "cores", "split", "mmf", "legs", "pairs",
               "field", "flux")

__all__ = ["AFTER_CLAMP", "BUS_RIPPLE", "CURES", "DECISIONS", "FIGURES", "NO_PICTURES", "PLATES", "output_figures"]
