"""Start-up into full load, an output short and a feedback that is open, a rectifier that is short: what a steady period does not show."""

from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.formulas import faults, magnetics, output, overload
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.common.supply import AUX_DROP, regulated
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback.outputs import OPEN

FIGURES = (
    common.I_SHORT,
    FigureSpec("short.b_peak", "Flux density into a short", "B̂_sc", "transformer", corners.SHORT, limit="transformer.b_limit",
               limit_kind="max", fixed="saturation taken hot"),
    common.I_FAULT,
    common.T_START,
    common.C_SUPPLY,
    common.DELAY,
)


def record(work: Work, plan: Any, s: pd.Stage, o: dict[str, Any]) -> None:
    """Rows of all cases; start-up and short are judged at the points of the current limit."""
    _short(work, plan, s)
    _start(work, plan, s, o)
    _open(work, plan, s)
    work.sheet("fault.i_switch", faults.fault_current, v_bus=s.v_bus, v_reflected=o["v_or"], t_least=work.sheet.rows["switch.t_least"],
               leakage=plan.leakage)


def _short(work: Work, plan: Any, s: pd.Stage) -> None:
    sheet, main = work.sheet, plan.rectifiers[work.need.main]["row"]
    least = common.least_pulse(work)
    ratio = sheet.given("transformer.ratio", float(s.np.value) / float(s.ns[0].value), "", text="primary over secondary turns")
    path = sheet.total("short.r", "Ω", "rectifier and secondary winding", rectifier=s.r_rectifier, winding=s.r_winding)

    def peak(on: Any, rate: Any) -> Any:
        balance = on("short.i_balance", faults.short_balance, v_bus=s.v_bus, t_least=least, f_short=rate, ratio=ratio,
                     v_forward=main["v_forward_v"], r=path)
        return on("short.i_peak", faults.short_peak, i_limit=s.i_limit, i_balance=balance, v_bus=s.v_bus, t_least=least,
                  inductance=sheet.rows["transformer.lp_min"])
    most = common.short_peak(work, common.FOLDED, peak, s.i_limit)
    most = sheet("short.i_core", magnetics.core_peak, i_peak=most, c_node=s.c_node, lp=s.lp, v_bus=s.v_bus)
    sheet("short.b_peak", magnetics.flux_density, inductance=s.lp, current=most, turns=s.np, area=sheet.rows["transformer.area_min"])


def _start(work: Work, plan: Any, s: pd.Stage, o: dict[str, Any]) -> None:
    sheet = work.sheet
    parts = {f"output{k + 1}": sheet(f"start.q{k + 1}", faults.reflected_charge, c=sheet.rows[f"output{k + 1}.c"],
                                     v=sheet.rows[f"load.v{k + 1}"], turns_secondary=s.ns[k], turns_primary=s.np)
             for k in range(len(work.need.outputs))}
    charge = sheet.total("start.charge", "C", "output capacitors, seen from the primary", **parts)
    gives = sheet("core.i_given", overload.given, i_mean=o["i_mean"], i_clamp=0.0 if s.variant.turned else o["i_core"], fs=o["fs"],
                  e_off=o["e_off"], v_reflected=o["v_or"], t_off=o["t_off"], r_core=o["r_core"])
    both = {"i_mean": gives, "limit_worst": s.i_limit, "limit_least": sheet.rows["switch.limit_min"]}
    least = sheet("start.i_least", faults.current_in_proportion, **both) if s.variant.valley else sheet("start.i_least",
        faults.current_at_least_limit, fs=o["fs"], t_off=o["t_off"], **both)
    sheet("start.time", faults.start_time, charge=charge, i_least=least, i_load=o["i_sum"])
    common.supply_capacitor(work, plan.switch["integrated"])
    common.short_of(work, (least.value - o["i_sum"].value) * float(s.np.value) / float(s.ns[0].value))


def _open(work: Work, plan: Any, s: pd.Stage) -> None:
    """Where a trip catches outputs that nothing regulates any more, and what their capacitors hold: one on the auxiliary supply, or at the
    regulated output where that supply has a regulator."""
    sheet = work.sheet
    trip: dict[str, Any] = {"v_trip": sheet.rows["aux.v_trip"], "v_forward": AUX_DROP, "turns_trip": s.ns[-1]}
    if regulated(sheet.rows):
        main = work.need.main
        own = work.choose("feedback.v_trip", lambda: at_most(OPEN * work.need.outputs[main].magnitude, "E24"),
                          "Zener diode of E24 and a coupler of its own: before its regulator the supply stands too high to tell of the "
                          "output")
        trip = {"v_trip": own, "v_forward": plan.rectifiers[main]["row"]["v_forward_v"], "turns_trip": s.ns[0]}
    for k in range(len(work.need.outputs)):
        sheet(f"output{k + 1}.v_open", output.at_trip, **trip, turns_secondary=s.ns[k], v_drop=plan.rectifiers[k]["row"]["v_forward_v"])
        common.rated(work, k + 1)
