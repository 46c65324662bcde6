"""What may be decided about a flyback beside what all topologies share, and the figures of each variant."""

from typing import Any

from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages import rate
from rhevectra.core.stages.work import FigureSpec
from rhevectra.core.topologies.common import boards, declare, half_turn, loop, overload, slope, snubbing
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.common.declare import BUS_RIPPLE, MODEL
from rhevectra.core.topologies.flyback import auxiliary, faults
from rhevectra.core.topologies.flyback.sizing import OVER_LINE
from rhevectra.core.topologies.flyback.variant import Variant

_V_OR = "what the switch class leaves; 80 to 135 V by habit on wide mains"
_HELD_V_OR = "below the lowest bus, by what the leakage needs to empty against"
_FREQUENCY = DecisionSpec("fs", "Frequency at the lowest bus, full load", "switch", unit="Hz", low=20e3, high=300e3,
                          schools="40 to 70 kHz: above hearing at every overload, and not too high at the highest line")
_OVER_LINE = DecisionSpec(OVER_LINE, "Current limit lowered at the highest bus", "switch", low=0.0, high=0.7,
                          schools="none: simplest, and the load it gives way at rises with the line; 10 to 30 % on wide mains: a part of "
                          "the bus added to the sensed current levels it, and core and clamp see less at the highest line; more raises the "
                          "limit at the lowest")
CURES = {"switch.i_peak_least": "switch.current_limit", "transformer.b_peak": "transformer.np",
         "transformer.temperature_rise": "transformer.core", "aux.v_low": ("aux.v", "transformer.naux"), "aux.v_high": "aux.regulator",
         "overload.most": OVER_LINE,
         "feedback": "transformer.naux"}
HELD_CURES = {**CURES, "switch.v_peak": "switch.class", "return.share": "flyback.v_or"}
PLATES = (("switch", "Switch", "switch.v_peak"), ("transformer", "Transformer", "transformer.core"))
AFTER_CLAMP = (("rectifier", "Rectifier + filter", "rectifier1.v_reverse"), ("feedback", "Feedback + supply", "aux.v_low"))


def decisions(v: Variant) -> tuple[DecisionSpec, ...]:
    """Decisions of a variant."""
    own = [DecisionSpec("flyback.v_or", "Reflected voltage", "switch", unit="V", low=2, high=400, schools=_HELD_V_OR if v.held else _V_OR)]
    if v.valley:
        own += [_FREQUENCY,
                DecisionSpec("qr.f_max", "Highest frequency", "switch", unit="Hz", low=40e3, high=500e3,
                             schools="130 kHz: fundamental below the 150 kHz limit line; 200 to 300 kHz: smaller core, more valleys kept")]
    else:
        own.append(DecisionSpec("flyback.ripple_ratio", "Ripple ratio at the valley", "switch", low=0.15, high=2.0,
                                schools="0.2 to 0.3; 0.6 to 1.25; 2 is the boundary of conduction"))
    own += [DecisionSpec("transformer.lp", "Primary inductance", "transformer", unit="H", low=1e-7, high=0.1), declare.LP_TOLERANCE]
    return (*declare.decisions(*own, without=("fs", rate.ID) if v.valley else (), limit_delay=_OVER_LINE,
                                **({} if v.valley else {"limit_line": slope.LIMIT})), *boards.DECISIONS,
            *half_turn.DECISIONS, *auxiliary.DECISIONS, *common.DECISIONS, *loop.DECISIONS, *snubbing.DECISIONS)


def figures(v: Variant) -> tuple[FigureSpec, ...]:
    """Figures of a variant."""
    own: list[FigureSpec] = []
    if v.valley:
        own += [FigureSpec("qr.f_min", "Lowest frequency", "f_min", "switch", corners.LOADED, "min", "qr.f_audible", "min",
                           fixed="ringing phase of the nominal parasitics",
                           sentence="at the lowest bus and the largest load, the transformer made to the high end of its tolerance"),
                FigureSpec("qr.v_on", "Drain voltage at turn-on", "V_t", "switch", corners.FULL, fixed=MODEL,
                           sentence="bus less what is left of the reflected voltage in the valley; zero where the drain reaches ground"),
                FigureSpec("qr.valley", "Valley at turn-on", "k", "switch", corners.FULL, fixed=MODEL,
                           sentence="the first valley that keeps the frequency below the highest")]
    else:
        own.append(FigureSpec("switch.i_peak_least", "Peak current in run, least inductance", "Î_L", "switch", corners.LOADED,
                              limit="switch.limit_min", limit_kind="max", fixed="ringing phase of the nominal parasitics",
                              sentence="made to the low end of its tolerance, at the low end of the rate's, the transformer carries more "
                              "ripple: full load must not trip the least current limit even then"))
    if v.held:
        drain: dict[str, Any] = {"label": "Peak switch voltage", "symbol": "V̂_ds", "stage": "switch", "domain": corners.PEAKS,
                                 "limit": "switch.v_limit", "limit_kind": "max", "fixed": "stray inductance"}
        own += [FigureSpec("switch.v_peak", **drain, sentence="each switch is held to the bus by its diode"),
                FigureSpec("return.share", "Reflected voltage over bus", "x", "switch", corners.LOADED, "max", "return.share_limit", "max",
                           sentence="what is left of the bus empties the leakage"),
                FigureSpec("return.power", "Power handed back to the bus", "P_k", "switch", corners.FULL, fixed="leakage tolerance"),
                FigureSpec("return.t_reset", "Leakage reset time", "t_k", "switch", corners.LOADED)]
    return (*declare.figures(*own), *boards.FIGURES, *half_turn.FIGURES, *auxiliary.FIGURES, *faults.FIGURES,
            *(() if v.valley else slope.FIGURES), *overload.FIGURES, overload.WINDING, *loop.FIGURES)


def output_figures(n: int) -> tuple[FigureSpec, ...]:
    """Figures of output n."""
    peak = f"rectifier{n}.i_peak"
    usual = (replace(f, fixed="losses of the ring behind the spike: told up to a sixth too high") if f.id == peak else f
             for f in declare.output_figures(n))
    return (*usual, *snubbing.figures(n))


__all__ = ["AFTER_CLAMP", "BUS_RIPPLE", "CURES", "HELD_CURES", "PLATES", "decisions", "figures", "output_figures"]
