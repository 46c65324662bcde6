"""What may be decided about a resonant stage beside what all topologies share, and its own figures."""

from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages import rate
from rhevectra.core.stages.work import FigureSpec
from rhevectra.core.topologies.common import boards, declare, loop, pieces, sensing, supply
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, TAP
from rhevectra.core.topologies.resonant import charge, ends, faults, fixed, hold, overload
from rhevectra.core.topologies.resonant.chambers import LEAKAGE, SEPARATE

_DECISIONS = (
    DecisionSpec("fs", "Series resonance", "switch", unit="Hz", low=30e3, high=500e3,
                 schools="80 to 120 kHz usual; higher makes the transformer smaller and the switches' charge dearer"),
    DecisionSpec("llc.v_unity", "Bus of gain one", "switch", unit="V", low=10, high=900,
                 schools="the highest bus: always at or below resonance; the nominal bus: best efficiency there, above resonance at the "
                 "highest"),
    DecisionSpec("llc.v_hold", "Bus at the end of hold-up", "switch", unit="V", low=5, high=900,
                 schools="the least bus the stage works from; 300 V behind a 400 V power factor stage"),
    DecisionSpec("llc.ratio", "Ratio of inductances", "switch", low=1.5, high=20,
                 schools="3 to 5 wide input, 6 to 10 narrow input and little circulating current"),
    DecisionSpec("llc.cr", "Resonant capacitor", "switch", unit="F", low=1e-9, high=1e-4, step="E12"),
    DecisionSpec("llc.margin", "Room in the gain", "switch", low=1.0, high=1.5,
                 schools="1.05 to 1.10 over what the lowest bus asks at overload"),
    DecisionSpec("llc.overload", "Overload the tank must carry", "switch", low=1.0, high=2.0, schools="1.1 to 1.2 of the largest load"),
    DecisionSpec("llc.f_top", "Highest frequency over the resonance", "switch", low=1.05, high=4.0,
                 schools="1.5 to 2; beyond it the stage runs in bursts"),
    DecisionSpec("llc.burst_below", "Load below which it runs in bursts", "switch", low=0.01, high=0.5,
                 schools="0.05 to 0.15 of full load: the magnetising current then flows only part of the time"),
    DecisionSpec("switch.dead_time", "Dead time", "switch", unit="s", low=2e-8, high=2e-6),
    DecisionSpec("llc.inductor_core", "Core of the resonant inductor", "switch", "choice", table="cores"),
)
_INTEGRATED = (
    DecisionSpec("llc.control", "Control of the output", "switch", "choice", options=(fixed.FREQUENCY, fixed.FIXED),
                 schools="frequency: regulated over bus and load; fixed: always at the resonance, small currents, the output follows the "
                 "bus: for a bus that is regulated before it, or outputs regulated after it"),
    DecisionSpec("llc.inductor", "Resonant inductor", "switch", "choice", options=(SEPARATE, LEAKAGE),
                 schools="separate: a small part, the transformer leaks little; leakage: windings in chambers, one part less, its field "
                 "strays and its tolerance is the transformer's"),
    DecisionSpec("transformer.wall", "Wall between the chambers", "transformer", unit="m", low=2e-4, high=0.03,
                 schools="1 mm moulded at least; wider leaks more"))
_SECONDARY = DecisionSpec("secondary.kind", "Secondary", "rectifier", "choice", options=(TAP, BRIDGE),
                          schools="centre_tap: one drop in the path, twice the voltage on the rectifiers; bridge: two drops, half the "
                          "voltage, one winding")
_PHASED_DECISIONS = (
    DecisionSpec("llc.spread", "Spread of a phase's tank parts", "switch", low=0.0, high=0.1,
                 schools="5 %: as bought; 1 to 2 %: parts sorted into sets; 0: all phases alike"),
    DecisionSpec("llc.phase_room", "Share of the mean a phase is built for", "switch", low=1.0, high=3.0,
                 schools="1.1 to 1.3 with sorted parts; more where the parts come as bought"),
)
_WITHOUT = ("fs", rate.ID, "sense.kind", "switch.duty_limit", "light_load", "transformer.c_winding", *(f"filter{n}.l" for n in range(1, 7)))
_OTHERS = (*(f"transformer.{w}ns{n}" for w in ("", "wire_") for n in range(2, 7)), *declare.OF_OTHERS)
"""Of outputs beside the regulated one."""
_LOOP = (charge.DECISIONS[0], *(d for d in loop.DECISIONS if d.id != "feedback.slope"), *charge.DECISIONS[1:])
DECISIONS = (*declare.decisions(*_DECISIONS, sensing.BESIDE, _SECONDARY, pieces.DECISION, *_INTEGRATED, without=_WITHOUT),
             *boards.DECISIONS, *ends.DECISIONS, *faults.DECISIONS, *supply.DECISIONS, *_LOOP)
PHASED_DECISIONS = (*declare.decisions(*_DECISIONS, sensing.BESIDE, *_PHASED_DECISIONS, without=(*_WITHOUT, *_OTHERS)), *boards.DECISIONS,
                    *ends.DECISIONS, *faults.DECISIONS, *supply.DECISIONS, *_LOOP)
_OVER = "resistances as with nominal parts; node capacitance and dead time in the waveform"
_FIGURES = (
    FigureSpec("llc.fr", "Series resonance", "f_r", "switch", corners.FULL),
    FigureSpec("llc.f_min", "Lowest frequency", "f_min", "switch", corners.PEAKS, "min", "llc.f_border", "min", fixed=_OVER,
               sentence="below the border the tank looks capacitive and the switches lose zero voltage"),
    FigureSpec("llc.f_set", "Lowest frequency to set, at least", "f_s", "switch", corners.FULL, fixed=_OVER,
               sentence="the border with the oscillator at the low end of its tolerance: a controller that is set lower may turn the tank "
               "capacitive under overload, one that is set higher gives hold-up away"),
    FigureSpec("llc.f_max", "Highest frequency", "f_max", "switch", corners.RUN, fixed=_OVER),
    FigureSpec("llc.gain_need", "Gain asked for", "M", "switch", corners.PEAKS, "max", "llc.gain_max", "max", fixed=_OVER,
               sentence="against the most the tank gives at overload before it turns capacitive"),
    FigureSpec("llc.gain_hold", "Gain asked for at the end of hold-up", "M_h", "switch", corners.FULL, "max", "llc.gain_max", "max",
               fixed=_OVER, sentence="the output still at its voltage, the bus at the lowest hold-up lets it fall to"),
    FigureSpec("llc.lr", "Resonant inductance", "L_r", "switch", corners.FULL),
    FigureSpec("llc.cr", "Resonant capacitor", "C_r", "switch", corners.FULL),
    FigureSpec("llc.lm", "Magnetising inductance", "L_m", "switch", corners.FULL),
    FigureSpec("llc.v_cr_peak", "Resonant capacitor, peak voltage", "V̂_Cr", "switch", corners.PEAKS, fixed=_OVER),
    FigureSpec("llc.i_cr_rms", "Resonant capacitor, rms current", "I_Cr", "switch", corners.FULL, fixed=_OVER),
    FigureSpec("llc.loss_ends", "Loss added by the tank's tolerances", "ΔP", "load", corners.FULL,
               fixed="turn-off; resistances of the rectifiers",
               sentence="loss and efficiency are told for nominal parts, heat and currents of every part for its worst end"),
    FigureSpec("llc.i_off", "Current at turn-off, least", "I_off", "switch", corners.RUN, "min", "llc.i_off_need", "min", fixed=_OVER,
               sentence="has to move the charge of both switches of a leg within the dead time"),
    FigureSpec("llc.dead_time_min", "Dead time needed", "t_d", "switch", corners.RUN, limit="switch.dead_time", limit_kind="max",
               fixed="charge-equivalent capacitance taken at the class's bus"),
    FigureSpec("llc.dead_time_max", "Dead time allowed", "t_d,max", "switch", corners.PEAKS, "min", "switch.dead_time", "min", fixed=_OVER,
               sentence="before the tank current turns its sign and lifts the node again"),
    FigureSpec("switch.i_peak", "Peak switch current", "Î", "switch", corners.PEAKS, limit="switch.i_max", limit_kind="max", fixed=_OVER,
               sentence="peak of the tank current at the overload"),
    FigureSpec("switch.v_peak", "Peak switch voltage", "V̂_ds", "switch", corners.PEAKS, limit="switch.v_limit", limit_kind="max",
               fixed="stray inductance", sentence="each switch is held to the bus by the body diode of the other"),
    FigureSpec("transformer.b_peak", "Peak flux density", "B̂", "transformer", corners.PEAKS, limit="transformer.b_limit", limit_kind="max",
               fixed="saturation taken hot", sentence="of the magnetising current, at its lowest frequency"),
    FigureSpec("inductor.core", "Core of the resonant inductor", "", "switch", corners.FULL),
    FigureSpec("inductor.turns", "Turns of the resonant inductor", "N_L", "switch", corners.FULL),
    FigureSpec("inductor.gap", "Gap of the resonant inductor", "l_gL", "switch", corners.FULL),
    FigureSpec("inductor.b_peak", "Flux of the resonant inductor", "B̂_L", "switch", corners.PEAKS, limit="transformer.b_limit",
               limit_kind="max", fixed="saturation taken hot"),
    FigureSpec("inductor.rise", "Temperature rise of the resonant inductor", "ΔT_L", "switch", corners.FULL, limit="transformer.rise_limit",
               limit_kind="max", fixed="uniform temperature; eddies at the highest frequency of full load"),
)
_PHASED_FIGURES = (
    FigureSpec("llc.phase_most", "Most loaded phase, over the mean", "s_max", "switch", corners.FULL, limit="llc.phase_room",
               limit_kind="max", fixed="one phase at one end of the spread, the others at the other; resistances alike",
               sentence="at a gain of one a tank gives any current: only resistance, and the distance from the resonance, "
                        "make phases share"),
    FigureSpec("llc.i_common", "Sum of the phases' tank currents, rms", "I_Σ", "switch", corners.FULL, fixed="phases alike",
               sentence="every order that is no multiple of three cancels"),
)
_CHAMBERED = (
    FigureSpec("llc.gain", "Gain of the tank at its frequency", "M", "switch", corners.FULL, "min",
               fixed="leakage and capacitor as they come: the frequency is trimmed to them"),
              FigureSpec("output1.v_hold", "Output at the end of hold-up", "V_h", "rectifier", corners.FULL, "min",
                         fixed="drop of full load"),
              FigureSpec("transformer.lp", "Primary inductance, all others open", "L_p", "transformer", corners.FULL,
                         fixed="gap and chambers as computed",
                         sentence="magnetising inductance and the leakage that is the resonant inductance"),)
_NO_FIGURES = ("switch.v_bus_least", "switch.duty_max", "switch.duty_min", "switch.i_peak_run", "switch.frequency_idle",
               "transformer.v_reflected", "transformer.lp")
_NOMINAL = ("tank of nominal parts: what the ends of its tolerances add is a figure of its own; node capacitance and dead time in the "
            "waveform")


def _figures(*own: FigureSpec, without: tuple[str, ...] = ()) -> tuple[FigureSpec, ...]:
    """The shared figures and those of a family; currents are told for the worst end of the tank's tolerances, losses for its nominal
    parts."""
    shared = declare.figures(*_FIGURES, *own, *faults.FIGURES, *hold.FIGURES, *overload.FIGURES, *charge.FIGURES, *loop.FIGURES,
                             *supply.FIGURES,
                             without=(*_NO_FIGURES, *without))
    return (*(replace(f, fixed=_OVER if f.id == "switch.i_rms" else _NOMINAL) if f.fixed == declare.MODEL else f for f in shared),
            *boards.FIGURES)


FIGURES, PHASED_FIGURES = _figures(*_CHAMBERED), _figures(*_PHASED_FIGURES, without=_OTHERS)
output_figures, BUS_RIPPLE = common.output_figures, declare.BUS_RIPPLE_RESONANT

NEEDS_CLAMP = False
CURES = hold.CURES | {"aux.v_low": "transformer.naux", "aux.v_high": "aux.regulator", "short.b_peak": "llc.inductor_core",
         "switch.v_peak": "switch.class", "output1.v_low": "llc.v_unity", "output1.v_high": "llc.v_unity", "llc.f_min": "llc.ratio",
         "llc.gain_need": "llc.ratio", "llc.gain_hold": "llc.ratio", "llc.i_off": "switch.dead_time",
         "llc.dead_time_min": "switch.dead_time", "llc.dead_time_max": "switch.dead_time", "transformer.b_peak": "transformer.np",
         "llc.phase_most": ("llc.phase_room", "llc.spread"), "inductor.b_peak": "llc.inductor_core", "inductor.rise": "llc.inductor_core",
         "transformer.leakage": "llc.ratio", "feedback": "feedback.resistor_tolerance"}
PLATES = (("switch", "Switches + tank", "switch.v_peak"), ("transformer", "Transformer", "transformer.core"))
AFTER_CLAMP = (("rectifier", "Rectifiers", "rectifier1.v_reverse"), ("feedback", "Feedback + supply", "feedback.error"))
PHASED_NO_PICTURES = ("snubber", "supply", "transient", "ripple", "frequency")
NO_PICTURES = (*PHASED_NO_PICTURES, "legs")
