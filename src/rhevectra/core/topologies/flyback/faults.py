"""Start-up into full load, an output short and a feedback that is open, a rectifier that is short: what a steady period does not show."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import faults, magnetics, output
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback.outputs import OPEN
from rhevectra.core.topologies.flyback.sizing import AUX_DROP

FOLDED = (0.25, 0.2, 0.15, 0.1, 0.05, 0.02)
"""Shares of the switching frequency that controllers fall to under a short; the last ones are hiccup (common practice, no source)."""
HYSTERESIS = {False: 6.5, True: 3.0}
"""Supply voltage the controller may lose between start and lock-out [V] (typical of the class, from memory)."""
DECISIONS = (
    DecisionSpec("switch.blanking", "Leading-edge blanking", "switch", unit="s", low=0.0, high=2e-6),
    DecisionSpec("feedback.v_trip", "Over-voltage trip at the regulated output", "feedback", unit="V", low=1, high=1000, schools="beside a supply with a regulator: a Zener diode and a second coupler below what the output's capacitors hold"),
    DecisionSpec("switch.short_rate", "Pulse rate under a short, share", "switch", low=0.01, high=1.0, schools="1: none, the least pulse walks the current up; 0.1 to 0.25 folded back; less: hiccup"),
)
FIGURES = (
    FigureSpec("short.i_peak", "Peak current into a short", "Î_sc", "switch", corners.SHORT, limit="switch.i_max", limit_kind="max", fixed="leakage, saturation and cable resistance left out (on the safe side but for saturation)",
               sentence="the least pulse adds volt-seconds that a shorted rectifier must take back"),
    FigureSpec("short.b_peak", "Flux density into a short", "B̂_sc", "transformer", corners.SHORT, limit="transformer.b_limit", limit_kind="max", fixed="saturation taken hot"),
    FigureSpec("fault.i_switch", "Switch current, rectifier shorted", "I_x", "switch", corners.FULL, fixed="resistances and saturation of the die left out (on the safe side)",
               sentence="only the leakage holds it until blanking and delay have passed: what the die has to stand, or the fuse to end"),
    FigureSpec("start.time", "Start-up time into full load", "t_su", "feedback", corners.START, fixed="current of the core taken as at full output; soft start left out"),
    FigureSpec("start.c_supply", "Supply capacitor, at least", "C_su", "feedback", corners.START, fixed="capacitor tolerance and cold"),
)


def record(work: Work, plan: Any, s: pd.Stage, o: dict[str, Any]) -> None:
    """Rows of all cases; start-up and short are judged at the points of the current limit."""
    _short(work, plan, s)
    _start(work, plan, s, o)
    _open(work, plan, s)
    work.sheet("fault.i_switch", faults.fault_current, v_bus=s.v_bus, v_reflected=o["v_or"], t_least=work.sheet.rows["switch.t_least"], leakage=plan.leakage)


def _short(work: Work, plan: Any, s: pd.Stage) -> None:
    sheet, main = work.sheet, plan.rectifiers[work.need.main]["row"]
    blanking = work.choose("switch.blanking", 300e-9, "against the turn-on spike (common practice)")
    least = sheet.total("switch.t_least", "s", "pulse that no current limit can shorten", blanking=blanking, delay=sheet.rows["switch.limit_delay"])
    ratio = sheet.given("transformer.ratio", float(s.np.value) / float(s.ns[0].value), "", text="primary over secondary turns")
    path = sheet.total("short.r", "Ω", "rectifier and secondary winding", rectifier=s.r_rectifier, winding=s.r_winding)

    def walks(share: float) -> bool:
        balance = faults.short_balance(s.v_bus.value, least.value, share * float(sheet.rows["fs"].value), ratio.value, main["v_forward_v"], path.value)
        return bool(np.any(faults.short_peak(s.i_limit.value, balance, s.v_bus.value, least.value, sheet.rows["transformer.lp_min"].value) > s.i_limit.value))
    rate = work.choose("switch.short_rate", lambda: next((r for r in FOLDED if not walks(r)), FOLDED[-1]), "largest usual share at which the least pulse does not walk the current up (foldback or hiccup of the controller, common practice)")
    f_short = sheet.given("short.f", float(rate.value) * float(sheet.rows["fs"].value), "Hz", "rule", "switching frequency times the share under a short")
    balance = sheet("short.i_balance", faults.short_balance, v_bus=s.v_bus, t_least=least, f_short=f_short, ratio=ratio, v_forward=main["v_forward_v"], r=path)
    peak = sheet("short.i_peak", faults.short_peak, i_limit=s.i_limit, i_balance=balance, v_bus=s.v_bus, t_least=least, lp=sheet.rows["transformer.lp_min"])
    sheet("short.b_peak", magnetics.flux_density, inductance=s.lp, current=peak, turns=s.np, area=sheet.rows["transformer.area_min"])


def _start(work: Work, plan: Any, s: pd.Stage, o: dict[str, Any]) -> None:
    sheet = work.sheet
    order = s.extra["order"]
    parts = {f"output{k + 1}": sheet(f"start.q{k + 1}", faults.reflected_charge, c=sheet.rows[f"output{k + 1}.c"], v=sheet.rows[f"load.v{k + 1}"], turns_secondary=s.ns[n], turns_primary=s.np) for n, k in enumerate(order)}
    charge = sheet.total("start.charge", "C", "output capacitors, seen from the primary", **parts)
    both = {"i_mean": o["i_mean"], "limit_worst": s.i_limit, "limit_least": sheet.rows["switch.limit_min"]}
    least = sheet("start.i_least", faults.current_in_proportion, **both) if s.variant.valley else sheet("start.i_least", faults.current_at_least_limit, fs=o["fs"], t_off=o["t_off"], **both)
    time = sheet("start.time", faults.start_time, charge=charge, i_least=least, i_load=o["i_sum"])
    window = sheet.given("start.hysteresis", HYSTERESIS[plan.switch["integrated"]], "V", "catalogue", "supply voltage between start and lock-out (typical of the class, from memory)")
    sheet("start.c_supply", faults.supply_capacitor, i_supply=sheet.rows["aux.i"], t_start=time, hysteresis=window)
    mask = corners.START.mask(work.grid)
    short_of = np.where(mask, least.value - o["i_sum"].value, np.inf)
    if float(short_of.min()) <= 0:
        missing = -float(short_of.min()) * float(s.np.value) / float(s.ns[0].value)
        work.find(MUST_FIX, "switch", f"at the least current limit the outputs cannot start into full load: {show(missing, 'A')} is missing", "start.time", "switch.current_limit")


def _open(work: Work, plan: Any, s: pd.Stage) -> None:
    """Where a trip catches outputs that nothing regulates any more, and what their capacitors hold: one on the auxiliary supply, or at the regulated output where that supply has a regulator."""
    sheet, table = work.sheet, work.parts["output_capacitors"]
    trip: dict[str, Any] = {"v_trip": sheet.rows["aux.v_trip"], "v_forward": AUX_DROP, "turns_trip": s.ns[-1]}
    if str(sheet.rows["aux.regulator"].value) == "linear":
        main = work.need.main
        own = work.choose("feedback.v_trip", lambda: at_most(OPEN * work.need.outputs[main].magnitude, "E24"), "Zener diode of E24 and a coupler of its own: before its regulator the supply stands too high to tell of the output")
        trip = {"v_trip": own, "v_forward": plan.rectifiers[main]["row"]["v_forward_v"], "turns_trip": s.ns[0]}
    for n, k in enumerate(s.extra["order"]):
        sheet(f"output{k + 1}.v_open", output.at_trip, **trip, turns_secondary=s.ns[n], v_drop=plan.rectifiers[k]["row"]["v_forward_v"])
        cap = sheet.rows[f"output{k + 1}.cap"].value
        sheet.given(f"output{k + 1}.v_rated", table.row(cap)["v_class_v"], "V", "catalogue", f"rated voltage of {cap}")
