"""What may be decided about a power factor stage, and its figures."""

from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.stages import brown, cold_start, dies, inlet, rate
from rhevectra.core.stages.beside import MOST_BESIDE
from rhevectra.core.stages.pfc import bursts
from rhevectra.core.stages.pfc.law import Law
from rhevectra.core.stages.work import FigureSpec

_CONTINUOUS = (
    DecisionSpec("pfc.fs", "Switching frequency", "pfc", unit="Hz", low=30e3, high=400e3,
                 schools="65 kHz: second harmonic below 150 kHz; 100 to 130 kHz: smaller inductor"),
    rate.decision(rate.FRONT, "pfc"),
    DecisionSpec("pfc.ripple_ratio", "Ripple of the inductor, share of the crest", "pfc", low=0.05, high=1.5,
                 schools="0.2 to 0.3 textbook; 0.4 and more: smaller inductor, more of the cycle discontinuous"),
    DecisionSpec("pfc.core_kind", "Kind of the inductor's core", "pfc", "choice", options=("ferrite", "powder"),
                 schools="gapped ferrite: no loss to speak of, saturates at once; powder ring: gives way softly, no gap to heat the "
                 "copper, loses more with ripple"),
    DecisionSpec("pfc.ring", "Ring of the boost inductor", "pfc", "choice", table="rings"),
    DecisionSpec("pfc.powder", "Powder grade", "pfc", "choice", table="powders",
                 schools="iron-silicon-aluminium: least loss for its price; iron-silicon and nickel-iron: more bias; iron: cheapest, "
                 "hottest"),
    DecisionSpec("pfc.crossover_current", "Crossover of the current loop", "pfc", unit="Hz", low=500, high=50e3,
                 schools="an eighth to a tenth of the switching frequency; a slower one dents the zero crossing"),
)
_BOUNDARY = (
    DecisionSpec("pfc.f_min", "Lowest switching frequency", "pfc", unit="Hz", low=20e3, high=300e3,
                 schools="above hearing; 40 to 60 kHz usual"),
    DecisionSpec("pfc.f_top", "Highest switching frequency", "pfc", unit="Hz", low=100e3, high=1e6,
                 schools="300 to 500 kHz: above it the cycles rest and the current bends near the zero crossing"),
)
_PHASED = (DecisionSpec("pfc.phases", "Phases", "pfc", kind="integer", low=2, high=6,
                        schools="2: usual from some 700 W; more where height counts"),)
_SHARED = (
    bursts.DECISION,
    DecisionSpec("pfc.v_bus", "Bus voltage", "pfc", unit="V", low=100, high=800,
                 schools="380 to 400 V behind mains up to 265 V: above the highest crest, below 450 V capacitors"),
    DecisionSpec("pfc.l", "Boost inductor", "pfc", unit="H", low=1e-6, high=0.1),
    DecisionSpec("pfc.l_tolerance", "Tolerance of the boost inductor", "pfc", low=0.0, high=0.4,
                 schools="10 %: gapped or powder as made; 8 to 15 % powder by its maker's sheet"),
    DecisionSpec("pfc.core", "Core of the boost inductor", "pfc", "choice", table="cores"),
    DecisionSpec("pfc.material", "Core material class", "pfc", "choice", table="materials"),
    DecisionSpec("pfc.rise_max", "Temperature rise allowed", "pfc", unit="K", low=5, high=90),
    DecisionSpec("pfc.switch_class", "Switch class", "pfc", "choice", table="switches"),
    DecisionSpec("pfc.switch_parallel", "Switches side by side", "pfc", kind="integer", low=1, high=MOST_BESIDE),
    dies.spread_decision("pfc.r_spread", "pfc"),
    DecisionSpec("pfc.diode", "Boost diode class", "pfc", "choice", table="boost_diodes",
                 schools="wide-gap: no recovery charge to switch into; ultrafast: enough where the current has returned to zero"),
    DecisionSpec("pfc.current_limit", "Current limit", "pfc", unit="A", low=0.1, high=200),
    DecisionSpec("pfc.sensing", "Current sensing", "pfc", "choice", options=("resistor", "transformer"),
                 schools="resistor: the whole current, heat; transformer: in the switch's path, hardly any heat, has to reset in every "
                 "period"),
    DecisionSpec("pfc.ct_turns", "Turns of the current transformer", "pfc", kind="integer", low=10, high=500),
    DecisionSpec("pfc.crossover_voltage", "Crossover of the voltage loop", "bulk", unit="Hz", low=1, high=40,
                 schools="5 to 10 Hz: little third harmonic; up to 20 Hz: the bus sinks less when load comes, more third harmonic"),
    DecisionSpec("pfc.c_bus", "Bus capacitor, all together", "bulk", unit="F", low=1e-6, high=1e-2, step="E12"),
    DecisionSpec("pfc.c_kind", "Kind of bus capacitor", "bulk", "choice", options=("electrolytic", "film"),
                 schools="electrolytic: storage for hold-up; film: ripple current and life, where little storage is asked"),
    DecisionSpec("pfc.dump_delay", "Time until a lost load is noticed", "bulk", unit="s", low=0, high=0.05,
                 schools="under a millisecond with an over-voltage comparator; 10 to 20 ms by the voltage loop alone"),
    DecisionSpec("bulk.v_min_stage", "Least bus the power stage works from", "bulk", unit="V", low=5, high=900),
    *brown.decisions("inlet", "crest of the line"),
    inlet.LIMITER,
)
_BRIDGELESS = (
    DecisionSpec("pfc.slow_class", "Switch class of the slow leg", "pfc", "choice", table="switches"),
    DecisionSpec("pfc.blanking", "Pause at each zero crossing", "pfc", unit="s", low=0, high=1e-3,
                 schools="50 to 200 µs: both legs rest while the line turns its sign, or a spike flows"),
)
_NOT_BRIDGELESS = ("bridge.class", "derating.bridge_v", "pfc.diode")


def decisions(law: Law) -> tuple[DecisionSpec, ...]:
    """Decisions of a stage by its law."""
    own = (*(_PHASED if law.phased else ()), *(_BOUNDARY if law.boundary else _CONTINUOUS), *(_BRIDGELESS if law.bridgeless else ()))
    return (*own, *(s for s in (*_SHARED, *inlet.DECISIONS) if not (law.bridgeless and s.id in _NOT_BRIDGELESS)))


_IDEAL = ("a sine of line current; inductance and rate at their nominal values (their tolerances move the ripple, rms currents by some "
          "0.1 % where they are greatest)")
_SINE = "a sine of line current"
_FIGURES = (
    FigureSpec("inlet.power_factor_light", "Power factor at a tenth of the load", "λ_10", "inlet", corners.LIGHT, "min",
               fixed="distortion at light load; the X capacitors' current only"),
    FigureSpec("bridge.v_reverse", "Bridge reverse voltage", "V̂_R", "pfc", limit="bridge.v_limit", limit_kind="max"),
    FigureSpec("bridge.i_avg", "Bridge diode current, average", "I_D", "pfc", limit="bridge.i_limit", limit_kind="max"),
    inlet.bridge_case("pfc"),
    FigureSpec("pfc.l", "Boost inductor", "L", "pfc"),
    FigureSpec("pfc.l_unbiased", "Inductance without bias", "L_0", "pfc"),
    FigureSpec("pfc.l_crest", "Inductance at the crest", "L", "pfc", corners.LOADED, "min", fixed=_IDEAL,
               sentence="what the bias of each line's crest leaves of a powder ring"),
    FigureSpec("pfc.l_left", "Inductance left at the current limit", "p", "pfc", limit="pfc.l_left_least", limit_kind="min"),
    FigureSpec("pfc.i_peak", "Peak current of the inductor", "Î_L", "pfc", corners.LOADED, limit="pfc.current_limit", limit_kind="max",
               fixed=_SINE, sentence="at the crest of the line"),
    FigureSpec("pfc.i_ripple_pp", "Ripple current at the crest", "ΔI", "pfc", fixed=_IDEAL),
    FigureSpec("pfc.i_l_rms", "Inductor current, rms", "I_L", "pfc", fixed=_IDEAL),
    FigureSpec("pfc.power_max", "Power at the current limit", "P_max", "pfc", worst="min", limit="pfc.power_need", limit_kind="min",
               fixed=_SINE, sentence="what the stage can draw from each line before its limit bends the crest"),
    FigureSpec("pfc.core", "Core of the boost inductor", "", "pfc"), FigureSpec("pfc.turns", "Turns of the boost inductor", "N", "pfc"),
    FigureSpec("pfc.gap", "Gap of the boost inductor", "l_g", "pfc", limit="pfc.gap_limit", limit_kind="max"),
    FigureSpec("pfc.b_peak", "Flux of the boost inductor at the limit", "B̂", "pfc", limit="pfc.b_limit", limit_kind="max",
               fixed="saturation taken hot"),
    FigureSpec("pfc.loss_eddy", "Eddies in the boost inductor's wire", "P_e", "pfc",
               fixed="strands thin against the skin depth; the field of winding and gap as a mean over the winding",
               sentence="the ripple's field in the wire"),
    FigureSpec("pfc.rise", "Temperature rise of the boost inductor", "ΔT", "pfc", limit="pfc.rise_max", limit_kind="max",
               fixed="uniform temperature"),
    FigureSpec("pfc.v_switch", "Peak switch voltage", "V̂_ds", "pfc", corners.PEAKS, limit="pfc.switch_v_limit", limit_kind="max",
               fixed="stray inductance between switch and bus capacitor", sentence="the bus after a lost load"),
    FigureSpec("pfc.switch_i_rms", "Switch current, rms", "I_sw", "pfc", fixed=_IDEAL),
    FigureSpec("pfc.switch_i_most", "Most loaded of the switches side by side, rms", "I_1", "pfc",
               fixed="a warmer one takes less, which is left out; edges taken alike",
               sentence="one of the least resistance among others of the greatest: its heat is what the case has to carry"),
    FigureSpec("pfc.switch_loss", "Loss of the switch", "P_sw", "pfc", fixed="on-resistance taken hot"),
    FigureSpec("pfc.switch_r_ca", "Case to ambient needed, each switch", "R_ca", "pfc", worst="min", limit="pfc.r_ca_floor",
               limit_kind="min", fixed="loss taken at the junction's limit"),
    FigureSpec("pfc.runaway", "Growth of loss with temperature", "g", "pfc", limit="pfc.runaway_limit", limit_kind="max",
               fixed="heat sink as small as the junction's limit allows",
               sentence="from 1 on the switch heats itself away, however large its margin when cold"),
    FigureSpec("pfc.diode_i_avg", "Boost diode current, average", "I_d", "pfc", limit="pfc.diode_i_limit", limit_kind="max"),
    FigureSpec("pfc.diode_loss", "Loss of the boost diode", "P_d", "pfc"),
    FigureSpec("pfc.diode_r_ca", "Case to ambient needed, each boost diode", "R_ca", "pfc", worst="min", limit="pfc.r_ca_floor",
               limit_kind="min", fixed="one diode of each phase", look_only=True),
    FigureSpec("pfc.r_sense", "Sense or burden resistor", "R_s", "pfc"),
    FigureSpec("pfc.ct_reset", "Reset voltage of the current transformer", "V_r", "pfc",
               sentence="at the longest duty the controller lets through"),
    FigureSpec("pfc.loss", "Loss of the power factor stage", "P", "pfc", fixed=_IDEAL),
    FigureSpec("pfc.c_bus", "Bus capacitor", "C", "bulk"),
    FigureSpec("pfc.bus_ripple_lf_pp", "Bus ripple, twice the line", "ΔV_lf", "bulk", corners.LOADED,
               fixed="capacitor tolerance and ageing",
               sentence="the larger of both kinds by far: it decides the capacitor, not the switching frequency"),
    FigureSpec("pfc.bus_ripple_hf_pp", "Bus ripple, switching", "ΔV_hf", "bulk", corners.LOADED, fixed="capacitor resistance at 20 °C"),
    FigureSpec("bulk.v_valley", "Bus valley", "V_valley", "bulk", corners.LOADED, "min", "bulk.v_valley_least", "min",
               fixed="the capacitor as printed; what is left of it is the figure below",
               sentence="below the highest crest of the mains the bridge feeds the bus by itself and the line current is lost"),
    FigureSpec("bulk.v_valley_left", "Bus valley, capacitance left", "V_x", "bulk", corners.LOADED, "min", "bulk.v_valley_least", "min",
               fixed="resistance of the aged capacitor", sentence="with what tolerance or age leave of the capacitor", look_only=True),
    FigureSpec("bulk.v_peak", "Bus crest", "V̂_bus", "bulk", corners.PEAKS, limit="bulk.v_limit", limit_kind="max"),
    FigureSpec("bulk.v_dump", "Bus after a lost load", "V_d", "bulk", corners.LOADED, limit="bulk.v_limit", limit_kind="max",
               sentence="from the crest of its ripple"),
    FigureSpec("bulk.v_step", "Bus after full load comes at once", "V_s", "bulk", corners.FULL, "min", "bulk.v_min_stage", "min",
               fixed="integral part of the loop, which takes up to a seventh of it; the bridge, which holds the bus where its crest is "
               "higher", sentence="from no load, as far as the slow voltage loop lets it sink; a quicker one, or a controller that "
               "quickens it while the bus is low, helps", look_only=True),
    *inlet.BULK_FIGURES,
)
_OF_BOUNDARY = (
    FigureSpec("pfc.f_low", "Switching frequency, least", "f", "pfc", corners.LOADED, "min", "pfc.f_audible", "min", fixed=_SINE,
               sentence="at the crest of the line"),
    FigureSpec("pfc.f_high", "Switching frequency, greatest", "f̂", "pfc", corners.RUN, fixed=_IDEAL,
               sentence="near the zero crossing, as far as it is let"),
)
_OF_PHASES = (
    FigureSpec("pfc.i_ripple_sum", "Ripple of all phases together, at the crest", "ΔI_Σ", "pfc", fixed="phases alike",
               sentence="what is left for the filter; nothing where the duty is a whole share of the phases"),)
_OF_BRIDGELESS = (
    FigureSpec("pfc.slow_i_rms", "Current of the slow leg, rms", "I_s", "pfc", fixed=_IDEAL,
               sentence="one of its switches carries the whole line current"),
    FigureSpec("pfc.slow_loss", "Loss of the slow leg", "P_s", "pfc", fixed="on-resistance taken hot"),
)


def figures(law: Law) -> tuple[FigureSpec, ...]:
    """Figures of a stage by its law."""
    shared = (s for s in _FIGURES if not (law.bridgeless and s.id.startswith(("bridge.", "pfc.diode"))))
    return (*inlet.FIGURES, *cold_start.FIGURES, *brown.figures("inlet"), *shared, *(_OF_PHASES if law.phased else ()),
            *(_OF_BOUNDARY if law.boundary else ()), *(_OF_BRIDGELESS if law.bridgeless else ()))


CURES: dict[str, str | tuple[str, ...]] = {**inlet.CURES, "inlet.i_rms": (), "pfc.runaway": "pfc.switch_parallel",
                                           "pfc.i_peak": "pfc.current_limit", "pfc.power_max": "pfc.current_limit",
                                           "pfc.b_peak": "pfc.core", "pfc.l_left": ("pfc.ring", "pfc.core"), "pfc.rise": "pfc.core",
                                           "pfc.gap": "pfc.core", "pfc.v_switch": "pfc.switch_class",
                                           "pfc.switch_r_ca": "pfc.switch_parallel", "pfc.diode_i_avg": "pfc.diode",
                                           "pfc.diode_r_ca": "pfc.diode",
                                           "bulk.v_dump": "pfc.dump_delay", "bulk.v_step": ("pfc.crossover_voltage", "pfc.c_bus")}
SHAPES_CURRENT = True
BOUNDARY_UP_TO = 300.0
"""Input power [W] from which a fixed frequency is the usual choice: the peaks at the boundary of conduction cost more than they save
(common practice)."""


def usual(law: Law, need: Requirement) -> str:
    """Why a stage of this law is the usual one for a requirement, or nothing."""
    power, most = inlet.beyond_plain(need)
    if most is None or law.phased or law.bridgeless or law.boundary is (power > BOUNDARY_UP_TO):
        return ""
    return (f"some {power:.0f} W: beyond about {most:g} W a plain bridge does not meet class {need.harmonics_class}; "
            + (f"up to {BOUNDARY_UP_TO:g} W" if law.boundary else f"above {BOUNDARY_UP_TO:g} W") + " usual")


def bill(design: Any) -> dict[str, Any]:
    """What the stage adds to the bill of materials: switches, bridge, boost diode, cans, inductor, gate drive, small parts (sense,
    controller's network)."""
    plan = design.context["front"]
    n = plan.boost.phases
    if plan.law.bridgeless:
        return {"switches": [(str(plan.switch["name"]), 2 * n * plan.parallel), (str(plan.bridge["name"]), 2)],
                "capacitors": [(str(plan.cap["name"]), plan.cans)], "wound": n, "drives": 2, "floating_drives": n + 1, "small": 4 + n}
    return {"bridges": [(str(plan.bridge["name"]), 1)], "switches": [(str(plan.switch["name"]), n * plan.parallel)],
            "boost_diodes": [(str(plan.diode["name"]), n)], "capacitors": [(str(plan.cap["name"]), plan.cans)], "wound": n, "drives": n,
            "small": 3 + n}


NO_PICTURES: tuple[str, ...] = ("phases",)
MAINS = "ac1"
PLATES = (("inlet", "Inlet", "inlet.fuse"), ("pfc", "Power factor", "pfc.i_peak"), ("bulk", "Bus capacitor", "bulk.v_valley"))
