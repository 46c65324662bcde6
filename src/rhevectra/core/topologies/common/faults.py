"""What the families share about faults: the pulse no limit can shorten, the pulse rate into a short, and the trip that catches an output
nothing regulates any more."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import faults, inductor, output
from rhevectra.core.stages.banks import LEFT
from rhevectra.core.stages.inlet import CELL, LOST, START_WAIT
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import declare, least_filter
from rhevectra.core.topologies.common.supply import WINDOW

FOLDED = (0.25, 0.2, 0.15, 0.1, 0.05, 0.02)
"""Shares of the switching frequency that controllers fall to under a short; the last ones are hiccup (common practice, no source)."""
SHARES = (1.0, *FOLDED)
"""The same where often no pulse need be left out: what lies in the way takes the least of them up."""
TRIP, TRIP_TOLERANCE = 1.15, 0.03
"""Over-voltage trip by the output's voltage, and its tolerance: a comparator on a divider (typical, from memory)."""
CLEAR = 1.02
"""The least trip stands so far above the greatest voltage in run."""
OWN_TRIP = DecisionSpec("feedback.v_trip", "Over-voltage trip at the regulated output", "feedback", unit="V", low=1, high=1000,
                        schools="a comparator or a Zener diode with a second coupler, above all the output does in run and below what its "
                        "capacitors hold")
DECISIONS = (
    DecisionSpec("switch.blanking", "Leading-edge blanking", "switch", unit="s", low=0.0, high=2e-6),
    OWN_TRIP,
    DecisionSpec("switch.short_rate", "Pulse rate under a short, share", "switch", low=0.01, high=1.0,
                 schools="1: none, the least pulse walks the current up; 0.1 to 0.25 folded back; less: hiccup"),
)
I_SHORT = FigureSpec("short.i_peak", "Peak current into a short", "Î_sc", "switch", corners.SHORT, limit="switch.i_max", limit_kind="max",
                     fixed="leakage, saturation and cable resistance left out (on the safe side but for saturation)",
                     sentence="the least pulse adds volt-seconds that a shorted rectifier must take back")
I_FAULT = FigureSpec("fault.i_switch", "Switch current, rectifier shorted", "I_x", "switch", corners.FULL,
                     fixed="resistances and saturation of the die left out (on the safe side)",
                     sentence="only the leakage holds it until blanking and delay have passed: what the die has to stand, or the fuse to "
                     "end")
T_START = FigureSpec("start.time", "Start-up time into full load", "t_su", "feedback", corners.START,
                     fixed="current of the core taken as at full output; soft start left out")
C_SUPPLY = FigureSpec("start.c_supply", "Supply capacitor, at least", "C_su", "feedback", corners.START,
                      fixed="capacitor tolerance and cold")
DELAY = FigureSpec("start.delay", "Mains on to first pulse", "t_st", "feedback", corners.START, limit="start.wait", limit_kind="max",
                   fixed="capacitor at its least; tolerance of the start-up path", look_only=True,
                   sentence="until the supply capacitor stands at the controller's start")
CELL_AMPS, BEFORE_START = 1e-3, 1e-5
"""Current of a start-up cell; what a controller takes before it starts [A] (typical of their classes, from memory)."""
HYSTERESIS = {False: LOST, True: 3.0}
"""Supply voltage the controller may lose between start and lock-out [V], and one within the switch (typical of the class, from memory)."""

OF_FILTER = (
    replace(I_SHORT, fixed="magnetising current, saturation and cable resistance left out",
            sentence="the least pulse adds volt-seconds that leakage, drop and resistance of a shorted output must take back"),
    FigureSpec("short.b_peak", "Flux of the filter inductor into a short", "B̂_sc", "rectifier", corners.SHORT,
               limit="filter1.b_saturation", limit_kind="max", fixed="inductors of a doubler taken alike",
               sentence="against hot saturation itself, with no derating: a short is no working point"),
    replace(T_START, fixed="core current as at full output; the first climb of the inductor's current",
            sentence="a soft start that takes longer never meets the limit"),
)
_OPEN = "no load but the bleed"


def output_figures(n: int) -> tuple[FigureSpec, ...]:
    """Figures of output n of a stage whose trip is its own."""
    return tuple(replace(f, fixed=_OPEN, sentence="where the over-voltage trip catches it, with what the inductors still bring")
                 if f.id == f"output{n}.v_open" else f for f in declare.output_figures(n))


def least_pulse(work: Work, blanking: float = 300e-9) -> Any:
    """Row of the pulse that no current limit can shorten [s]; blanking [s] by rule."""
    blanked = work.choose("switch.blanking", blanking, "against the turn-on spike (common practice)")
    return work.sheet.total("switch.t_least", "s", "pulse that no current limit can shorten", blanking=blanked,
                            delay=work.sheet.rows["switch.limit_delay"])


def short_peak(work: Work, shares: Sequence[float], peak: Callable[[Any, Any], Any], limit: Any, pulses: int = 1) -> Any:
    """Row of the peak current into a short [A], and the rate of pulses it is reckoned with: the largest share of the switching frequency at
    which the least pulse does not walk the current above the limit [A].

    peak: from a sheet, or what takes its place for bare numbers, and a rate of pulses [Hz]; pulses: in a period.
    """
    fs = work.sheet.rows["fs"]

    def bare(_id: str, function: Callable[..., Any], **inputs: Any) -> Any:
        return function(**{k: plain(x) for k, x in inputs.items()})

    def walks(share: float) -> bool:
        return bool(np.any(peak(bare, share * pulses * float(fs.value)) > plain(limit)))
    rate = work.choose("switch.short_rate", lambda: next((r for r in shares if not walks(r)), shares[-1]),
                       "largest usual share at which the least pulse does not walk the current up (foldback or hiccup of the controller, "
                       "common practice)")
    return peak(work.sheet, work.sheet("short.f", faults.pulses_into_short, share=rate, pulses=pulses, fs=fs))


def rated(work: Work, n: int) -> None:
    """Row of what the capacitors of output n hold."""
    cap = work.sheet.rows[f"output{n}.cap"].value
    work.sheet.given(f"output{n}.v_rated", work.parts["output_capacitors"].row(cap)["v_class_v"], "V", "catalogue",
                     f"rated voltage of {cap}")


def caught(work: Work, inductance: Any, current: Any, count: int = 1, c: Any = None) -> Any:
    """Where a trip of its own catches the output with the feedback open, and what the inductors through which it is fed still bring.
    inductance [H] of one of `count`, current [A]: what flows in it then; c: capacitance it goes into [F] when new, where that is more
    than the output's own."""
    main, sheet = work.need.outputs[work.need.main], work.sheet
    left = sheet.rows["output1.c_left"] if c is None else sheet("start.c_left", output.left, share=LEFT, c=c)
    least = CLEAR * (1 + main.tolerance) / (1 - TRIP_TOLERANCE)
    trip = work.choose("feedback.v_trip", float(f"{max(TRIP, least) * main.magnitude:.3g}"),
                       f"a comparator and a coupler of its own, {max(TRIP, least) * 100 - 100:.0f} % above the output (common practice)")
    volts = sheet("output1.v_open", faults.caught, v_trip=trip,
                  tolerance=sheet.given("feedback.trip_tolerance", TRIP_TOLERANCE, "", "rule",
                                        "comparator and divider (typical, from memory)"), count=count, inductance=inductance,
                  current=current, c=left)
    rated(work, 1)
    return volts


def start(work: Work, crest: Any, most: Any, v_up: Any, v_forward: Any, inductance: Any, rate: Any,
          whole: tuple[Any, Any] | None = None) -> None:
    """Start-up into full load. Rows: crest of the filter's current at the least current limit [A], its ripple at full output [A]; what the
    rectifiers hand it in a pulse, and their drop [V]; nominal inductance [H], pulses a second; whole: full load [A] and capacitance [F] of
    all outputs seen from the regulated one, where there are several."""
    sheet, need = work.sheet, work.need.outputs[work.need.main]
    load, c = whole or (sheet.given("start.i_load", need.current_max, "A", text=f"full current of {need.name}"), sheet.rows["output1.c"])
    given = {"i_crest": crest, "i_load": load, "v_up": v_up, "v_forward": v_forward, "c": c, "v_out": sheet.rows["load.v1"], "rate": rate,
             "inductance": sheet("start.l", inductor.least, inductance=inductance, tolerance=sheet.rows[least_filter.ID])}
    sheet.solved("start.time", faults.start_time_filter(**{k: plain(x) for k, x in given.items()}), "s",
                 "the output's charge over what the least inductance leaves of the crest beside its ripple and the load, added up from "
                 "zero to the full voltage", **given)
    short_of(work, sheet("start.i_least", inductor.mean_below, i_crest=crest, ripple=most).value - load.value)


def supply_capacitor(work: Work, integrated: bool) -> None:
    """Row of the capacitor that feeds the controller until the output stands, which the auxiliary winding follows."""
    sheet = work.sheet
    window = sheet.given("start.hysteresis", HYSTERESIS[integrated], "V", "catalogue",
                         "supply voltage between start and lock-out (typical of the class, from memory)")
    c = sheet("start.c_supply", faults.supply_capacitor, i_supply=sheet.rows["aux.i"], t_start=sheet.rows["start.time"], hysteresis=window)
    first_pulse(work, c, integrated)


def first_pulse(work: Work, c: Any, integrated: bool = False) -> None:
    """Row of the time from the mains to the first pulse, with a supply capacitor c [F]; a finding where the start-up path never lifts the
    supply that far. From a dc source there is no such path."""
    sheet = work.sheet
    if "start.path" not in sheet.rows:
        return
    crest, v_start = (sheet.rows["inlet.v_crest"],
                      sheet.given("start.v", WINDOW[integrated][0] + HYSTERESIS[integrated], "V", "catalogue",
                                  "supply voltage at which the controller starts (typical of the class, from memory)"))
    sheet.given("start.wait", START_WAIT, "s", "rule",
                "longest the mains should be on before anything happens (common practice, no source)")
    if str(sheet.rows["start.path"].value) == CELL:
        sheet("start.delay", faults.start_by_cell, c=c, v_start=v_start,
              i_start=sheet.given("start.i_cell", CELL_AMPS, "A", "catalogue",
                                  "current of the start-up cell (typical of the class, from memory)"))
        return
    r, i = (sheet.rows["bulk.r_bleed"], sheet.given("start.i_before", BEFORE_START, "A", "catalogue", "what the controller takes before it "
                                                    "starts (typical of the class, from memory)"))
    sheet("start.delay", faults.start_by_resistor, r=r, c=c, v_start=v_start, v_crest=crest, i_before=i)
    least = float(np.min(plain(crest)) - plain(r) * plain(i))
    if least <= float(v_start.value):
        work.find(MUST_FIX, "feedback", f"it never starts at {show(work.need.mains.v_min, 'V')}: through {show(float(r.value), 'Ω')} the "
                  f"supply comes to {show(max(least, 0.0), 'V')}, and {show(float(v_start.value), 'V')} are needed", "start.delay",
                  "bulk.r_bleed")


def short_of(work: Work, spare: Any) -> None:
    """A finding where the current to start with is missing; spare [A] at each corner."""
    least = float(np.where(corners.START.mask(work.grid), spare, np.inf).min())
    if least <= 0:
        work.find(MUST_FIX, "switch", f"at the least current limit the output cannot start into full load: {show(-least, 'A')} is missing",
                  "start.time", "switch.current_limit")


def into_saturation(work: Work, part: str, inductance: Any, current: Any, turns: Any, material: Any, tolerance: Any) -> None:
    """Rows of the flux of a gapped inductor at its current into a short [A], and of the hot saturation it is held against."""
    sheet = work.sheet
    sheet("short.b_peak", inductor.flux_most, inductance=inductance, tolerance=tolerance, current=current, turns=turns,
          area=sheet.rows[f"{part}.area_min"])
    sheet.given(f"{part}.b_saturation", material["b_sat_100_t"], "T", "catalogue", "hot saturation of the inductor's material")
