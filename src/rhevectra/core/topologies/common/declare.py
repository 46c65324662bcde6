"""Decisions and figures that more than one topology has, each told once; a topology takes what applies to it."""

from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.magnetics import arrangement, wire
from rhevectra.core.stages import air, beside, dies, rate
from rhevectra.core.stages.banks import CANS
from rhevectra.core.stages.work import FigureSpec
from rhevectra.core.topologies.common import barrier, idle
from rhevectra.core.topologies.common.synchronous import IN_SERIES

BUS_RIPPLE, BUS_RIPPLE_BOTH_WAYS, BUS_RIPPLE_RESONANT = 1.4, 0.7, 1.9
"""Rms of the current at switching frequency that the bus capacitor is first chosen with, over the power by the lowest bus: one pulse a
period, pulses both ways, and currents that swing (this program's own designs)."""
LP_TOLERANCE = DecisionSpec("transformer.lp_tolerance", "Inductance tolerance", "transformer", low=0.01, high=0.3)
TURNS: dict[str, Any] = {"kind": "integer", "unit": "turns", "low": 1, "high": 999}
_DECISIONS = (
    DecisionSpec("fs", "Switching frequency", "switch", unit="Hz", low=20e3, high=500e3,
                 schools="65 kHz: second harmonic below 150 kHz; 100 to 130 kHz: smaller core, more switching loss"),
    rate.decision(rate.ID, "switch"),
    DecisionSpec("switch.class", "Switch class", "switch", "choice", table="switches"),
    *beside.DECISIONS,
    DecisionSpec("derating.switch_v", "Switch voltage derating", "switch", low=0.5, high=1.0,
                 schools="0.80 (common practice); 0.87 to 0.90 with a tight clamp"),
    DecisionSpec("switch.duty_limit", "Largest duty of the controller", "switch", low=0.3, high=0.85,
                 schools="0.5 without slope compensation; 0.7 with it"),
    DecisionSpec("switch.current_limit", "Current limit, nominal", "switch", unit="A", low=0.02, high=100),
    DecisionSpec("switch.limit_tolerance", "Current limit tolerance", "switch", low=0.0, high=0.3),
    DecisionSpec("switch.limit_delay", "Current limit delay", "switch", unit="s", low=0, high=2e-6),
    DecisionSpec("sense.kind", "Current sensing", "switch", "choice", options=("resistor", "transformer"),
                 schools="resistor: simplest; current transformer: above about a watt of heat; both need the spike of turn-on blanked out"),
    DecisionSpec("sense.v_trip", "Trip voltage of the current sense", "switch", unit="V", low=0.05, high=2.5,
                 schools="0.5 V: a compromise; 0.8 to 1 V: less noise, more heat; 0.2 to 0.3 V: needs a quiet path; a transistor's 0.7 V "
                 "drops by a third when hot"),
    DecisionSpec("light_load", "Light-load law", "switch", "choice", options=("skip", "foldback", "fixed"),
                 schools="skip: fewest pulses; foldback: stays above hearing; fixed: every period switches"),
    DecisionSpec("transformer.core", "Core", "transformer", "choice", table="cores"),
    DecisionSpec("transformer.material", "Core material class", "transformer", "choice", table="materials"),
    DecisionSpec("transformer.np", "Primary turns", "transformer", **TURNS),
    *(DecisionSpec(f"transformer.ns{n}", f"Secondary turns {n}", "transformer", **TURNS) for n in range(1, 7)),
    DecisionSpec("transformer.naux", "Auxiliary turns", "transformer", **TURNS),
    *(DecisionSpec(f"transformer.wire_{n}", label, "transformer", "choice", options=wire.USUAL, own=wire.read, example=wire.EXAMPLE,
                   schools="twisted: strands below the skin depth; side by side (flat): few turns fill a layer")
      for n, label in (("np", "Primary wire"), *((f"ns{k}", f"Secondary wire {k}") for k in range(1, 7)), ("naux", "Auxiliary wire"))),
    DecisionSpec("transformer.arrangement", "Arrangement", "transformer", "choice", options=arrangement.PRESETS, own=arrangement.read,
                 example=arrangement.EXAMPLE, schools="split primary: a quarter of the leakage; simple: less capacitance, easier to wind; "
                 "interleaved: least leakage and copper loss, most capacitance; shielded: split with a foil at each face; in all of them "
                 "the regulated one of three and more outputs between the others"),
    DecisionSpec("insulation.school", "Safety spacing", "transformer", "choice", options=("triple", "margin"),
                 schools="triple-insulated secondary; margin strips"),
    DecisionSpec("transformer.margin", "Margin strip, each side", "transformer", unit="m", low=0.0, high=20e-3,
                 schools="none with triple-insulated secondaries; half of creepage or clearance with tape"),
    DecisionSpec("transformer.tape", "Tape, thickness", "transformer", unit="m", low=10e-6, high=300e-6,
                 schools="25 µm film: 55 µm with its adhesive; thicker where the test voltage asks"),
    DecisionSpec("transformer.barrier_tapes", "Tapes at the barrier", "transformer", kind="integer", low=1, high=8,
                 schools="three, of which any two stand the test; two where insulation is basic; one beside triple-insulated wire"),
    DecisionSpec("transformer.rise_max", "Temperature rise allowed", "transformer", unit="K", low=5, high=90),
    DecisionSpec("transformer.t_winding_max", "Winding temperature allowed", "transformer", unit="°C", low=60, high=240,
                 schools="class of insulation less 10 K for the hottest spot: 120 (B), 145 (F), 170 (H)"),
    DecisionSpec("derating.flux", "Flux derating at hot saturation", "transformer", low=0.4, high=1.0),
    DecisionSpec("transformer.leakage_share", "Least leakage assumed, share of inductance", "transformer", low=0.001, high=0.1,
                 schools="0.1 % (too kind); 1 to 2 % measured on good parts; 3 % first guess (common practice)"),
    DecisionSpec("transformer.c_winding", "Winding capacitance", "transformer", unit="F", low=0, high=2e-9),
    DecisionSpec("derating.rectifier_v", "Rectifier voltage derating", "rectifier", low=0.4, high=1.0),
    DecisionSpec("derating.output_v", "Output capacitor voltage derating", "rectifier", low=0.5, high=1.0),
    DecisionSpec("rectifier.ringing", "Rectifier ringing allowance", "rectifier", low=0.0, high=1.5),
    *(DecisionSpec(f"rectifier{n}.class", f"Rectifier class {n}", "rectifier", "choice", table="rectifiers") for n in range(1, 7)),
    *(DecisionSpec(f"rectifier{n}.series", f"Rectifiers in series {n}", "rectifier", kind="integer", low=1, high=IN_SERIES,
                   schools="one where a class holds the voltage; more, of one lot and balanced, where none does: each drops its own")
      for n in range(1, 7)),
    *(DecisionSpec(f"rectifier{n}.parallel", f"Rectifiers side by side {n}", "rectifier", kind="integer", low=1, high=12,
                   schools="synchronous switches by their loss over the load, not by their rated current; diodes singly")
      for n in range(1, 7)),
    DecisionSpec("rectifier.v_gate", "Gate voltage of synchronous switches", "rectifier", unit="V", low=4.5, high=15,
                 schools="5 V: little charge; 8 V: a compromise; 10 to 12 V: least resistance"),
    dies.spread_decision("rectifier.r_spread", "rectifier"),
    *(DecisionSpec(f"output{n}.cap", f"Output capacitor {n}", "rectifier", "choice", table="output_capacitors") for n in range(1, 7)),
    *(DecisionSpec(f"output{n}.parallel", f"Output capacitors in parallel {n}", "rectifier", kind="integer", low=1, high=CANS)
      for n in range(1, 7)),
    *idle.DECISIONS,
    air.DECISION,
    *(DecisionSpec(f"filter{n}.l", f"Second-stage filter inductor {n}", "rectifier", unit="H", low=0, high=1e-3,
                   schools="none; 1 to 4.7 µH against spikes and ripple") for n in range(1, 7)),
    DecisionSpec("feedback.r_high", "Divider, upper resistor", "feedback", unit="Ω", low=1, high=1e8, step="E96"),
    DecisionSpec("feedback.r_low", "Divider, lower resistor", "feedback", unit="Ω", low=1, high=1e7,
                 schools="a quarter of a milliampere through it; more where the reference's input current or noise counts, "
                         "less for standby", step="E96"),
    DecisionSpec("feedback.resistor_tolerance", "Divider resistor tolerance", "feedback", low=0.0001, high=0.1,
                 schools="1 %; 0.1 % where the output must be exact; 5 % puts 12 V at 11 V"),
    DecisionSpec("feedback.resistor_drift", "Divider resistor drift", "feedback", unit="ppm/K", low=0.0, high=1000.0,
                 schools="100 ppm/K: usual thick film; 25 ppm/K: thin film"),
    DecisionSpec("feedback.reference_drift", "Shunt reference drift", "feedback", unit="ppm/K", low=0.0, high=500.0,
                 schools="100 ppm/K: the most that data sheets of usual ones admit; 30 ppm/K: what they call typical"),
    DecisionSpec("feedback.reference_tolerance", "Shunt reference tolerance", "feedback", low=0.001, high=0.05,
                 schools="1 %; half a per cent where the output must be exact; 2 % where any will do"),
    DecisionSpec("feedback.ctr", "Transfer ratio of the optocoupler, least when new", "feedback", low=0.05, high=10,
                 schools="at the milliampere it works at, not at the 5 or 10 mA of its class"),
    DecisionSpec("feedback.ctr_left", "Share of that ratio left at the end of life", "feedback", low=0.1, high=1.0,
                 schools="half (common practice); what the maker's curve for current and temperature says"),
    DecisionSpec("feedback.i_pin", "Pull that stops the controller's pulses", "feedback", unit="A", low=1e-5, high=0.05),
    DecisionSpec("feedback.r_led", "Resistor of the optocoupler's diode", "feedback", unit="Ω", low=1, high=1e6),
    DecisionSpec("aux.v", "Auxiliary supply voltage", "feedback", unit="V", low=5, high=80),
    DecisionSpec("aux.i", "Controller supply current", "feedback", unit="A", low=1e-4, high=0.1),
)

MODEL = ("inductances and rate at their nominal values (the ends of their tolerances move rms currents by some 1 %, the heat of a winding "
         "and the loss of a core by up to 8 %, where the rate follows the inductance by up to 10 %); ringing phase of the nominal "
         "parasitics")
_FIGURES = (
    FigureSpec("switch.duty_max", "Duty, largest", "D_max", "switch", corners.RUN, "max", "switch.duty_limit", "max", fixed=MODEL),
    FigureSpec("switch.duty_min", "Duty, smallest, full load", "D_min", "switch", corners.FULL, "min", fixed=MODEL),
    FigureSpec("switch.v_bus_least", "Bus down to which full load is held", "V_x", "switch", corners.FULL, limit="switch.v_bus_asked",
               limit_kind="max", fixed="losses and frequency as at the corner it is worked out from",
               sentence="on a bus that sags further the largest duty or the least current limit is reached and the output goes: where "
               "brown-out belongs"),
    FigureSpec("switch.i_peak", "Peak switch current", "Î", "switch", corners.PEAKS, limit="switch.i_max", limit_kind="max",
               fixed="winding capacitance spike at turn-on",
               sentence="the current limit with its tolerance, plus what the bus adds during its delay"),
    FigureSpec("switch.i_peak_run", "Peak current in run", "Î_run", "switch", corners.LOADED, limit="switch.limit_min", limit_kind="max",
               fixed="tolerance of inductances and rate; ringing phase of the nominal parasitics",
               sentence="must stay below the least current limit, or full load trips it"),
    FigureSpec("switch.i_rms", "Switch current, rms", "I_sw", "switch", corners.FULL, fixed=MODEL),
    FigureSpec("switch.v_peak", "Peak drain voltage", "V̂_ds", "switch", corners.PEAKS, limit="switch.v_limit", limit_kind="max",
               fixed="clamp resistor tolerance; diode forward recovery",
               sentence="bus crest, crest of the clamp voltage and the clamp diode's drop"),
    FigureSpec("switch.loss_conduction", "Switch conduction loss", "P_on", "switch", corners.FULL, fixed="on-resistance taken hot"),
    FigureSpec("switch.loss_each", "Loss of the most loaded die", "P_1", "switch", corners.FULL,
               fixed="resistances taken hot; edges taken alike"),
    FigureSpec("switch.loss_switching", "Switching loss", "P_sw", "switch", corners.FULL, fixed=MODEL),
    FigureSpec("switch.frequency", "Switching frequency", "f_s", "switch", corners.FULL),
    FigureSpec("switch.frequency_idle", "Pulse rate at no load", "f_0", "switch", corners.IDLE, "min"),
    FigureSpec("switch.case_to_ambient", "Case to ambient needed", "R_ca", "switch", corners.FULL, "min", "switch.r_ca_floor", "min",
               fixed="loss taken at the junction's limit", look_only=True),
    FigureSpec("switch.runaway", "Growth of loss with temperature", "g", "switch", corners.FULL, limit="switch.runaway_limit",
               limit_kind="max", fixed="heat sink as small as the junction's limit allows",
               sentence="a kelvin more raises the loss, which raises the temperature again by this much: from 1 on it runs away"),
    FigureSpec("transformer.v_reflected", "Reflected voltage", "V_or", "transformer", corners.FULL),
    FigureSpec("transformer.lp", "Primary inductance", "L_p", "transformer", corners.FULL),
    FigureSpec("transformer.np", "Primary turns", "N_p", "transformer", corners.FULL),
    *(FigureSpec(f"transformer.ns{n}", f"Secondary turns {n}", f"N_s{n}", "transformer", corners.FULL) for n in range(1, 7)),
    FigureSpec("transformer.naux", "Auxiliary turns", "N_a", "transformer", corners.FULL),
    FigureSpec("transformer.core", "Core", "", "transformer", corners.FULL),
    FigureSpec("transformer.material", "Core material class", "", "transformer", corners.FULL),
    FigureSpec("transformer.gap", "Gap in the post", "l_g", "transformer", corners.FULL, limit="transformer.gap_limit", limit_kind="max"),
    FigureSpec("transformer.gap_shim", "or spacer under all legs", "s", "transformer", corners.FULL, fixed="fringing of the outer gaps"),
    FigureSpec("transformer.al", "Inductance factor", "A_L", "transformer", corners.FULL),
    FigureSpec("transformer.b_peak", "Peak flux density", "B̂", "transformer", corners.PEAKS, limit="transformer.b_limit", limit_kind="max",
               fixed="saturation taken hot", sentence="at the current limit, against hot saturation after derating"),
    FigureSpec("transformer.b_ac", "Flux amplitude", "B_ac", "transformer", corners.FULL),
    barrier.FIGURE,
    FigureSpec("insulation.creepage", "Creepage asked for", "s_cr", "transformer", corners.FULL, fixed="material group III assumed"),
    FigureSpec("insulation.clearance", "Clearance asked for", "s_cl", "transformer", corners.FULL),
    FigureSpec("transformer.leakage", "Leakage inductance", "L_lk", "transformer", corners.FULL, fixed="lead-outs and winding tolerance"),
    FigureSpec("transformer.c_laid", "Winding capacitance as laid", "C_w", "transformer", corners.FULL,
               fixed="turn to turn and to the core left out"),
    FigureSpec("transformer.fill", "Window height used", "k_w", "transformer", corners.FULL, limit="transformer.fill_limit",
               limit_kind="max"),
    FigureSpec("transformer.loss_core", "Core loss", "P_c", "transformer", corners.FULL, fixed="temperature at the rise computed"),
    FigureSpec("transformer.loss_copper", "Copper loss", "P_cu", "transformer", corners.FULL,
               fixed="effective resistances of the worst corner used at all; end turns left out"),
    FigureSpec("transformer.loss_fringing", "of it in the gap's field", "P_g", "transformer", corners.FULL,
               fixed="currents the core was chosen with"),
    FigureSpec("transformer.temperature_rise", "Temperature rise", "ΔT", "transformer", corners.FULL, limit="transformer.rise_limit",
               limit_kind="max", fixed="uniform temperature"),
    FigureSpec("transformer.t_winding", "Winding temperature", "T_w", "transformer", corners.FULL, limit="transformer.t_winding_max",
               limit_kind="max", fixed="mean of the winding; core loss at the core's planned temperature", look_only=True,
               sentence="winding and core as two nodes, each cooled by its own faces: the copper is hotter than the mean of both where its "
               "faces are small"),
    FigureSpec("transformer.t_core", "Core temperature", "T_c", "transformer", corners.FULL,
               fixed="mean of the core; core loss at its planned temperature"),
    FigureSpec("feedback.v_set", "Output the divider sets", "V_set", "feedback", corners.FULL,
               fixed="tolerances, which the output error counts"),
    FigureSpec("feedback.error", "Output error, worst case", "ε", "feedback", corners.FULL, limit="feedback.error_limit", limit_kind="max",
               fixed="ageing of reference and resistors", look_only=True,
               sentence="both divider resistors at opposite ends, everything at the end of its temperature range"),
    FigureSpec("feedback.error_statistical", "Output error, statistical", "ε_rss", "feedback", corners.FULL,
               fixed="ageing of reference and resistors"),
    FigureSpec("feedback.i_end", "Pull of the optocoupler, end of life", "I_end", "feedback", corners.FULL, "min", "feedback.i_pin", "min",
               fixed="spread of the resistor; drift of diode and reference", look_only=True,
               sentence="its transfer ratio falls with age: when it can no longer draw what stops the pulses, the output runs away at "
               "light load"),
    FigureSpec("sense.r", "Current sense resistor", "R_cs", "feedback", corners.FULL),
    FigureSpec("sense.power", "Heat of the sense resistor", "P_cs", "feedback", corners.FULL, fixed=MODEL,
               sentence="choose a part rated for twice that: its value sets the current limit, and drifts with its heat"),
    FigureSpec("loss.total", "Total loss", "P_loss", "load", corners.FULL, fixed=MODEL),
    FigureSpec("efficiency", "Efficiency at full load", "η", "load", corners.FULL, "min", "efficiency.target", "min", fixed=MODEL,
               look_only=True),
    FigureSpec("efficiency_light", "Efficiency at 10 % load", "η_10", "load", corners.LIGHT, "min", fixed=MODEL),
    FigureSpec("efficiency_mean", "Mean efficiency, 25 to 100 % load", "η_m", "load", corners.FOUR, "min",
               fixed=f"three quarters between the others; {MODEL}",
               sentence="of four loads at a nominal line, as external supplies are judged; the worse line frequency"),
    FigureSpec("standby.power", "No-load input power", "P_0", "load", corners.IDLE, limit="standby.limit", limit_kind="max", fixed=MODEL,
               look_only=True),
)


OF_OTHERS = tuple(
    f"{part}{n}.{what}" for n in range(2, 7)
    for part, what in (("rectifier", "class"), ("rectifier", "series"), ("rectifier", "parallel"), ("output", "cap"),
                       ("output", "parallel"), ("output", "bleed")))
"""Decisions of the outputs beside the regulated one that every stage with several has."""


def decisions(*own: DecisionSpec, without: tuple[str, ...] = (), **after: DecisionSpec) -> tuple[DecisionSpec, ...]:
    """The shared decisions; those of the topology follow the first of their stage, or in `after` the one whose id ends with that name."""
    listed = [s for s in _DECISIONS if s.id not in without]
    for spec in reversed(own):
        listed.insert(next(k for k, s in enumerate(listed, 1) if s.stage == spec.stage), spec)
    for name, spec in after.items():
        listed.insert(next(k for k, s in enumerate(listed, 1) if s.id == f"{spec.stage}.{name}"), spec)
    return tuple(listed)


def figures(*own: FigureSpec, without: tuple[str, ...] = ()) -> tuple[FigureSpec, ...]:
    """The shared figures; one of the topology takes the place of the shared one with its id, or follows."""
    mine = {s.id: s for s in own}
    return (*(mine.pop(s.id, s) for s in _FIGURES if s.id not in without), *mine.values())


def output_figures(n: int) -> tuple[FigureSpec, ...]:
    """Figures of output n."""
    return (
        FigureSpec(f"rectifier{n}.v_reverse", "Rectifier reverse voltage", "V̂_R", "rectifier", corners.PEAKS,
                   limit=f"rectifier{n}.v_limit", limit_kind="max", fixed="ringing taken as the stated allowance"),
        FigureSpec(f"rectifier{n}.i_peak", "Rectifier current, peak", "Î_D", "rectifier", corners.LOADED,
                   fixed="ring of the leakage with the node"),
        FigureSpec(f"rectifier{n}.i_rms", "Rectifier current, rms", "I_D", "rectifier", corners.FULL,
                   fixed="ring of the leakage with the node"),
        FigureSpec(f"rectifier{n}.i_avg", "Rectifier current, average", "I_o", "rectifier", corners.FULL, limit=f"rectifier{n}.i_limit",
                   limit_kind="max"),
        FigureSpec(f"rectifier{n}.i_most", "Most loaded of those side by side, rms", "I_1", "rectifier", corners.FULL,
                   limit=f"rectifier{n}.i_one", limit_kind="max", fixed="a warmer one takes less, which is left out",
                   sentence="one of the least resistance among others of the greatest"),
        FigureSpec(f"rectifier{n}.loss", "Rectifier loss", "P_D", "rectifier", corners.FULL),
        FigureSpec(f"rectifier{n}.case_to_ambient", "Case to ambient needed", "R_ca", "rectifier", corners.FULL, "min", "switch.r_ca_floor",
                   "min"),
        FigureSpec(f"output{n}.c", "Output capacitance", "C_o", "rectifier", corners.FULL),
        FigureSpec(f"output{n}.i_c_rms", "Output capacitor ripple current", "I_C", "rectifier", corners.FULL, limit=f"output{n}.i_c_limit",
                   limit_kind="max"),
        FigureSpec(f"output{n}.ripple_pp", "Output ripple, cold or aged capacitor", "ΔV_o", "rectifier", corners.FULL,
                   limit=f"output{n}.ripple_limit", limit_kind="max", fixed="spikes left out"),
        FigureSpec(f"output{n}.v_c", "Voltage of the output capacitors", "V̂_C", "rectifier", corners.RUN, limit=f"output{n}.v_c_limit",
                   limit_kind="max", fixed="overshoot of the loop; with the feedback open it is judged apart"),
        FigureSpec(f"output{n}.step", "Load step excursion", "V_dev", "rectifier", corners.QUARTER, limit=f"output{n}.step_limit",
                   limit_kind="max"),
        air.life_figure(f"output{n}", "Output capacitor life", "rectifier"),
        FigureSpec(f"output{n}.v_open", "Output with the feedback open", "V_x", "feedback", corners.FULL, limit=f"output{n}.v_rated",
                   limit_kind="max", fixed="light load: at a heavy one the spike on the supply trips earlier; tolerance of the trip",
                   look_only=True, sentence="where the over-voltage trip catches it"),
        idle.figure(n),
        FigureSpec(f"output{n}.v_low", "Output voltage, least", "V_o", "rectifier", corners.CARRIED, "min", f"output{n}.v_min", "min",
                   fixed="leakage by estimate; drops of the rectifiers as of the class"),
        FigureSpec(f"output{n}.v_high", "Output voltage, greatest", "V_o", "rectifier", corners.CARRIED, "max", f"output{n}.v_max", "max",
                   fixed="leakage by estimate; drops of the rectifiers as of the class"),
    )
