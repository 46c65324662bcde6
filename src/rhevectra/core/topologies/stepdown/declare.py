"""What may be decided about a step-down stage beside what all topologies share, and its own figures."""

from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages.work import FigureSpec
from rhevectra.core.topologies.common import boards, declare, least_filter, loop, pieces, slope, snubbing, supply
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.common.secondary_kinds import DOUBLER
from rhevectra.core.topologies.stepdown import faults, primary_snubber, rectifier_clamp
from rhevectra.core.topologies.stepdown.balance import BALANCE
from rhevectra.core.topologies.stepdown.variant import Variant

_SINGLE = (
    DecisionSpec("forward.duty", "Duty at the lowest bus", "switch", low=0.1, high=0.48,
                 schools="0.40 to 0.45: the core resets in the rest; less leaves room for load steps"),
    DecisionSpec("switch.duty_limit", "Largest duty of the controller", "switch", low=0.2, high=0.49,
                 schools="below a half, so that the core always resets"),
)
_BOTH_WAYS = (
    DecisionSpec("forward.duty", "Duty at the lowest bus", "switch", low=0.2, high=0.95,
                 schools="of the pulse period: 0.75 to 0.85; less leaves room for load steps"),
    DecisionSpec("switch.duty_limit", "Largest duty of the controller", "switch", low=0.3, high=0.97,
                 schools="of the pulse period: what the dead time leaves of it"),
    DecisionSpec("switch.control", "Control", "switch", "choice", options=("current", "voltage"),
                 schools="current: equal peaks in both halves hold the flux; voltage: needs a capacitor in series with the primary"),
    DecisionSpec("switch.feed_forward", "Feed-forward under duty control", "switch", "choice", options=("bus", "none"),
                 schools="bus: the modulator's ramp rises with the bus, whose ripple then hardly reaches the output; none: the loop alone "
                 "holds it, a loop below the filter's resonance does so badly"),
    DecisionSpec("walk.t_mismatch", "On-time mismatch of the halves", "transformer", unit="s", low=0, high=2e-6),
    DecisionSpec("walk.v_mismatch", "Switch drop mismatch of the halves", "transformer", unit="V", low=0, high=5),
)
_TAPPED = (
    DecisionSpec("switch.spike", "Spike allowance, share of the input", "switch", low=0.05, high=1.0,
                 schools="0.2 to 0.3; less heats the clamp, more asks for a higher class"),
    DecisionSpec("transformer.leakage_halves", "Leakage to the winding that takes over, share", "transformer", low=0.02, high=1.0,
                 schools="of the leakage to the secondary: 0.1 to 0.2 bifilar (typical, from memory); 0.5 and more when wound apart"),
    DecisionSpec("spike.r", "Clamp resistor", "switch", unit="Ω", low=0.1, high=1e7, step="E12"),
    DecisionSpec("spike.c", "Clamp capacitor", "switch", unit="F", low=1e-10, high=1e-4, step="E6"),
)
_RESET = (
    DecisionSpec("forward.duty", "Duty at the lowest bus", "switch", low=0.1, high=0.7,
                 schools="0.40 to 0.45 with a 1:1 reset winding; more with fewer reset turns, at more voltage"),
    DecisionSpec("switch.duty_limit", "Largest duty of the controller", "switch", low=0.2, high=0.75,
                 schools="just below what the reset winding allows"),
    DecisionSpec("reset.ratio", "Reset turns over primary turns", "switch", low=0.3, high=3.0,
                 schools="1: twice the input, half the period; 0.5: three times the input, two thirds of it; 2: one and a half, one third"),
)
_PHASE = (
    DecisionSpec("psfb.l_series", "Series inductor", "switch", unit="H", low=0, high=1e-3,
                 schools="none: what the transformer leaks; enough for a soft lagging leg from half load up; more costs duty and a larger "
                 "ratio of turns"),
    DecisionSpec("psfb.soft_load", "Load from which the lagging leg turns on softly", "switch", low=0.05, high=1.0,
                 schools="0.5; 0.3 where light load counts"),
    DecisionSpec("psfb.duty_lost_most", "Duty the leakage may cost", "switch", low=0.01, high=0.3,
                 schools="0.05 to 0.10 of the pulse at the lowest bus"),
    DecisionSpec("psfb.dead_leading", "Dead time of the leading leg", "switch", unit="s", low=2e-8, high=2e-6,
                 schools="the filter's current charges the leg within it, down to a quarter load"),
    DecisionSpec("psfb.inductor_core", "Core of the series inductor", "switch", "choice", table="cores"),
)
_ACTIVE = (
    DecisionSpec("forward.duty", "Duty at the lowest bus", "switch", low=0.1, high=0.75,
                 schools="0.45 to 0.6: above a half the ratio of turns grows and the primary current falls, at more voltage on the switch"),
    DecisionSpec("switch.duty_limit", "Largest duty of the controller", "switch", low=0.2, high=0.85,
                 schools="0.6 to 0.7; what it may reach at the highest bus sizes core and switch"),
    DecisionSpec("active.c", "Clamp capacitor", "switch", unit="F", low=1e-10, high=1e-4, step="E6",
                 schools="a few per cent ripple; larger ones follow line and load steps more slowly"),
    DecisionSpec("active.dead_time", "Dead time of both switches", "switch", unit="s", low=2e-8, high=2e-6,
                 schools="the time the core's current brings the node down"),
)
_SECONDARY = DecisionSpec("secondary.kind", "Secondary", "rectifier", "choice",
                          schools="centre_tap: one drop in the path, twice the voltage on the rectifiers; bridge: two drops, half the "
                          "voltage, one winding; doubler: one winding of half the current and two inductors, for high currents")
_SERIES: dict[str, tuple[DecisionSpec, ...]] = {
    "": (),
    "blocking": (DecisionSpec("blocking.c", "Blocking capacitor", "transformer", unit="F", low=0, high=1e-3, step="E6",
                              schools="none with current control; a few per cent of the bus on it with voltage control"),),
    "divider": (BALANCE, DecisionSpec("divider.c", "Divider capacitors, each", "transformer", unit="F", low=1e-9, high=1e-3, step="E6"),),
}
_FAMILY = (
    DecisionSpec("transformer.remanence", "Remanent flux of the core", "transformer", unit="T", low=0.0, high=0.25,
                 schools="0.1 T without a gap; near zero with a small one (typical, from memory)"),
    DecisionSpec("transformer.residual_gap", "Residual gap between ground faces", "transformer", unit="m", low=0.0, high=2e-4),
    DecisionSpec("filter1.ripple_ratio", "Ripple of the filter inductor, share", "rectifier", low=0.05, high=2.0,
                 schools="0.2 to 0.3 textbook; 0.4 to 0.6 smaller inductor; 2 is the boundary of conduction"),
    DecisionSpec("filter1.l", "Filter inductor", "rectifier", unit="H", low=1e-8, high=0.1),
    DecisionSpec("filter1.core", "Core of the filter inductor", "rectifier", "choice", table="cores"),
    least_filter.DECISION,
)
_WITHOUT = ("switch.duty_limit", *(f"filter{n}.l" for n in range(1, 7)))
_SEVERAL = (DecisionSpec("filter1.coupling", "Coupling of the filter windings", "rectifier", low=0.5, high=0.9999,
                         schools="0.98 to 0.995 where all are wound as one bundle; less where they lie over one another (typical, from "
                         "memory)"),)


def decisions(v: Variant) -> tuple[DecisionSpec, ...]:
    """What may be decided about a member of the family; the duty may not reach where its core would not reset."""
    return (*declare.decisions(*(_BOTH_WAYS if v.both_ways else _ACTIVE if v.active else _RESET if v.reset else _SINGLE),
                               *_SERIES[v.series], *(_TAPPED if v.clamped else ()), *(_PHASE if v.phase else ()),
                               *((replace(_SECONDARY, options=v.secondaries),) if v.secondaries else ()),
                               *((pieces.DECISION,) if v.bridged else ()), *_FAMILY, *boards.DECISIONS,
                               *(primary_snubber.DECISIONS if primary_snubber.fits(v) else ()),
                               *(rectifier_clamp.DECISIONS if v.phase else snubbing.DECISIONS), *_SEVERAL, without=_WITHOUT,
                               limit_delay=slope.LIMIT),
            *common.DECISIONS, *supply.DECISIONS, *loop.DECISIONS)


_MODEL = "tolerances other than the current limit; ringing of leakage and rectifiers"
_FIGURES = (
    FigureSpec("switch.duty_max", "Duty, largest", "D_max", "switch", corners.RUN, "max", "switch.duty_limit", "max", fixed=_MODEL,
               sentence="of the pulse period: a single-ended core needs as long to reset as it was fed, a bridge its dead time"),
    FigureSpec("switch.v_peak", "Peak switch voltage", "V̂_ds", "switch", corners.PEAKS, limit="switch.v_limit", limit_kind="max",
               fixed="stray inductance between switch and reset diode",
               sentence="each switch is held to the bus by a diode; where another winding takes over, that winding holds it above the "
               "input, and the clamp leaves a spike"),
    FigureSpec("transformer.lm", "Magnetising inductance", "L_m", "transformer", corners.FULL,
               fixed="permeability taken at its initial value"),
    FigureSpec("transformer.b_peak", "Flux density at full duty", "B̂", "transformer", corners.PEAKS, limit="transformer.b_limit",
               limit_kind="max", fixed="saturation taken hot",
               sentence="the loop may answer a load step with its largest duty while the bus is high"),
    FigureSpec("filter1.l", "Filter inductor", "L_o", "rectifier", corners.FULL),
    FigureSpec("filter1.core", "Core of the filter inductor", "", "rectifier", corners.FULL),
    FigureSpec("filter1.turns", "Turns of the filter inductor", "N_L", "rectifier", corners.FULL),
    FigureSpec("filter1.gap", "Gap of the filter inductor", "l_gL", "rectifier", corners.FULL, limit="filter1.gap_limit", limit_kind="max"),
    FigureSpec("filter1.i_ripple_pp", "Ripple current of the filter inductor", "ΔI", "rectifier", corners.FULL,
               fixed="inductance taken at its nominal value"),
    FigureSpec("filter1.i_peak", "Peak current of the filter inductor", "Î_L", "rectifier", corners.PEAKS, fixed=_MODEL),
    FigureSpec("filter1.b_peak", "Flux of the filter inductor at the limit", "B̂_L", "rectifier", corners.PEAKS, limit="filter1.b_limit",
               limit_kind="max", fixed="saturation taken hot"),
    FigureSpec("filter1.loss_eddy", "Eddies in the filter inductor's wire", "P_e", "rectifier", corners.FULL,
               fixed="strands thin against the skin depth; the field of winding and gap as a mean over the winding",
               sentence="the ripple's field in the wire"),
    FigureSpec("filter1.rise", "Temperature rise of the filter inductor", "ΔT_L", "rectifier", corners.FULL, limit="transformer.rise_limit",
               limit_kind="max", fixed="uniform temperature"),
)
_ACTIVE_FIGURES = (
    FigureSpec("switch.v_peak", "Peak switch voltage", "V̂_ds", "switch", corners.PEAKS, limit="switch.v_limit", limit_kind="max",
               fixed="line and load steps, which the clamp capacitor follows with a ring",
               sentence="input and clamp capacitor with its ripple"),
    FigureSpec("reset.v_switch", "Switch voltage in reset", "V_r", "switch", corners.PEAKS, fixed=_MODEL),
    FigureSpec("active.v_clamp", "Clamp capacitor voltage", "V_c", "switch", corners.PEAKS, fixed=_MODEL, sentence="above the input"),
    FigureSpec("active.c", "Clamp capacitor", "C_cl", "switch", corners.FULL),
    FigureSpec("active.ripple_pp", "Clamp ripple, peak to peak", "ΔV", "switch", corners.PEAKS, fixed=_MODEL),
    FigureSpec("active.i_rms", "Clamp switch and capacitor, rms current", "I_k", "switch", corners.FULL,
               fixed="rate at its nominal value, which it goes against in proportion; ringing phase of the nominal parasitics"),
    FigureSpec("active.i_back", "Magnetising current at turn-on, backwards", "I_n", "switch", corners.FULL, "min", fixed=_MODEL,
               sentence="brings the node down to the input before the switch turns on"),
    FigureSpec("active.dead_need", "Dead time needed", "t_d", "switch", corners.FULL, limit="active.dead_time", limit_kind="max",
               fixed="energy-equivalent capacitance"),
    FigureSpec("active.v_full_duty", "Switch voltage if the largest duty lasted", "V_s", "switch", corners.RUN,
               fixed="not judged: the clamp capacitor is slower than a load step",
               sentence="what a controller without a volt-second clamp may drive it to"),
)
_PHASE_FIGURES = (
    FigureSpec("psfb.duty_lost", "Duty lost to the leakage", "D_l", "switch", corners.FULL, fixed=_MODEL,
               sentence="the share of the pulse in which the bus turns the primary current over and nothing reaches the filter"),
    FigureSpec("psfb.i_circulating", "Circulating current at its end", "I_f", "switch", corners.FULL, "min", fixed=_MODEL,
               sentence="what is left of the peak to move the lagging leg"),
    FigureSpec("psfb.energy_ratio", "Energy for the lagging leg, full load", "w", "switch", corners.FULL, "min",
               fixed="charge-equivalent capacitance taken at the class's bus", sentence="at one and above it turns on softly"),
    FigureSpec("psfb.dead_lagging", "Dead time of the lagging leg", "t_q", "switch", corners.FULL, fixed="nominal leakage and capacitance",
               sentence="a quarter of the ring: longer, and the node rings back"),
    FigureSpec("psfb.l_series", "Series inductor", "L_s", "switch", corners.FULL),
    FigureSpec("psfb.l_total", "Leakage and series inductor", "L", "switch", corners.FULL, fixed="lead-outs and winding tolerance"),
    FigureSpec("psfb.v_undamped", "Rectifier voltage without snubber", "V_r", "rectifier", corners.PEAKS, fixed="ring without losses"),
    FigureSpec("inductor.core", "Core of the series inductor", "", "switch", corners.FULL),
    FigureSpec("inductor.turns", "Turns of the series inductor", "N_L", "switch", corners.FULL),
    FigureSpec("inductor.gap", "Gap of the series inductor", "l_gL", "switch", corners.FULL),
    FigureSpec("inductor.b_peak", "Flux of the series inductor", "B̂_L", "switch", corners.PEAKS, limit="transformer.b_limit",
               limit_kind="max", fixed="saturation taken hot"),
    FigureSpec("inductor.loss_eddy", "Eddies in the series inductor's wire", "P_e", "switch", corners.FULL,
               fixed="strands thin against the skin depth; the field of winding and gap as a mean over the winding",
               sentence="the ripple's field in the wire"),
    FigureSpec("inductor.rise", "Temperature rise of the series inductor", "ΔT_L", "switch", corners.FULL, limit="transformer.rise_limit",
               limit_kind="max", fixed="uniform temperature"),
)
_NO_FIGURES = ("transformer.v_reflected", "transformer.lp", "transformer.gap", "transformer.gap_shim", "transformer.al",
               "transformer.loss_fringing")


def _balance(v: Variant) -> tuple[FigureSpec, ...]:
    """Figures of the capacitor in series with the primary, if any, and of the walk without it."""
    n, name = v.series, {"": "", "blocking": "Blocking capacitor", "divider": "Divider capacitor"}[v.series]
    own = ((FigureSpec(f"{n}.c", name, "C_c", "transformer", corners.FULL),
            FigureSpec(f"{n}.v_ac", f"{name}, ac amplitude", "V_c", "transformer", corners.FULL, limit=f"{n}.v_ac_limit", limit_kind="max",
                       fixed="capacitor taken at its nominal value"),
            FigureSpec(f"{n}.i_rms", f"{name}, rms current", "I_c", "transformer", corners.FULL, fixed=_MODEL),
            FigureSpec(f"{n}.f_resonance", f"{name} and filter, resonance", "f_r", "transformer", corners.FULL, limit=f"{n}.f_limit",
                       limit_kind="max", fixed="nominal values")) if n else ())
    runs_away = ((FigureSpec("divider.t_runaway", "Midpoint runs away within", "τ_m", "transformer", corners.FULL, "min", "divider.t_trim",
                             "min", fixed="magnetising current; capacitors at their nominal values",
                             sentence="under current control an error of the midpoint grows 2.7 times in it: the trim has to be faster"),)
                 if n == "divider" else ())
    rule = (FigureSpec("transformer.area", "Core area, effective", "A", "transformer", corners.FULL),
            FigureSpec("transformer.area_rule", "Core area by the rule of thumb, 50 kHz", "A_r", "transformer", corners.FULL,
                       fixed="a cross-check only, never used"))
    return ((*own, *runs_away, *rule,
             FigureSpec("walk.b_step", "Flux walk without balance, a period", "ΔB_w", "transformer", corners.FULL,
                        fixed="as stated by the mismatch decisions")) if v.both_ways else ())


def figures(v: Variant) -> tuple[FigureSpec, ...]:
    """The figures of a member of the family."""
    tapped = ((FigureSpec("spike.r", "Clamp resistor", "R_cl", "switch", corners.FULL),
               FigureSpec("spike.c", "Clamp capacitor", "C_cl", "switch", corners.FULL),
               FigureSpec("spike.power", "Clamp power", "P_cl", "switch", corners.FULL, fixed=_MODEL)) if v.clamped else ())
    reset = ((FigureSpec("reset.v_switch", "Switch voltage in reset", "V_r", "switch", corners.PEAKS, fixed=_MODEL),
              FigureSpec("reset.duty_limit", "Duty the reset winding allows", "D_r", "switch", corners.FULL, "min", "switch.duty_limit",
                         "min", sentence="or the core does not reset and walks into saturation"),
              FigureSpec("reset.diode_v_reverse", "Reverse voltage of the reset winding's diode", "V̂_R,r", "switch", corners.PEAKS,
                         fixed="ringing of the winding's leakage"),
              FigureSpec("transformer.nr", "Reset turns", "N_r", "transformer", corners.FULL)) if v.reset else ())
    shared = tuple(f for f in _FIGURES if not (v.active and f.id == "switch.v_peak"))
    pair = ((FigureSpec("filter1.i_ripple_one", "Ripple current of each inductor of a doubler", "ΔI_1", "rectifier", corners.FULL,
                        fixed="both inductors alike"),
             FigureSpec("filter1.i_peak_one", "Peak current of each inductor of a doubler", "Î_1", "rectifier", corners.PEAKS,
                        fixed="both inductors alike")) if DOUBLER in v.secondaries else ())
    return declare.figures(*shared, *least_filter.FIGURES, *faults.FIGURES, *loop.FIGURES, *slope.FIGURES, *supply.FIGURES, supply.HELD,
                           supply.BETWEEN, common.DELAY, *boards.FIGURES, *pair, *tapped, *reset,
                           *((*_PHASE_FIGURES, *rectifier_clamp.FIGURES) if v.phase else _ACTIVE_FIGURES if v.active else ()),
                           *(primary_snubber.FIGURES if primary_snubber.fits(v) else ()), *_balance(v), without=_NO_FIGURES)



def output_figures(n: int) -> tuple[FigureSpec, ...]:
    """Figures of output n."""
    shared = (FigureSpec(f"filter1.turns{n}", "Turns of its filter winding", "N_f", "rectifier", corners.FULL),
              FigureSpec(f"filter1.i_ripple_of{n}", "Ripple current of its filter winding", "ΔI_w", "rectifier", corners.FULL,
                         fixed="windings leak alike"),
              FigureSpec(f"filter1.i_peak_of{n}", "Peak current of its filter winding", "Î_w", "rectifier", corners.LOADED,
                         fixed="windings leak alike"))
    volts = tuple(replace(f, fixed="leakage apart of each secondary; drops of the rectifiers as of the class")
                  if f.id in (f"output{n}.v_low", f"output{n}.v_high") else f for f in common.output_figures(n))
    return (*volts, *shared, *snubbing.figures(n))


BUS_RIPPLE = declare.BUS_RIPPLE

NEEDS_CLAMP = False
CURES = {"output#.v_low": ("output1.bleed", "filter1.coupling", "rectifier1.class"),
         "output#.v_high": ("filter1.coupling", "rectifier1.class"), "aux.v_low": "transformer.naux", "aux.v_hold": "transformer.naux",
         "aux.v_high": "aux.regulator", "inductor.rise": "psfb.l_series", "inductor.b_peak": "psfb.l_series",
         "active.dead_need": "active.dead_time", "switch.v_peak": ("switch.class", "topology"), "switch.duty_max": "forward.duty",
         "transformer.b_peak": "transformer.np", "filter1.rise": "filter1.core", "feedback": "feedback.resistor_tolerance"}
PLATES = (("switch", "Switches", "switch.v_peak"), ("transformer", "Transformer", "transformer.core"))
AFTER_CLAMP = (("rectifier", "Rectifiers + filter", "rectifier1.v_reverse"), ("feedback", "Feedback + supply", "feedback.error"))
NO_PICTURES = ("transient", "gain", "frequency", "legs")
