"""The recorded step-down converter: every figure over the whole grid, losses, ratings, and the caution that its output is live."""

from types import ModuleType
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import buck, flyback, forward, output
from rhevectra.core.stages.beside import record_pulsed
from rhevectra.core.stages.dies import record_case
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.buck_aux import faults
from rhevectra.core.topologies.buck_aux import stage as st
from rhevectra.core.topologies.buck_aux.build import BLANKING, C_WINDING, Plan
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.common import idle, least_filter, sensing
from rhevectra.core.topologies.common.bank import record_bank
from rhevectra.core.topologies.common.chokes import choke_rows, record_choke
from rhevectra.core.topologies.common.least_bus import record_by_duty
from rhevectra.core.topologies.common.ratings import feedback_error, switch_heat

UNSETTLED = 0.02
LIVE = ("every node, the output included, is live: no isolation; earthed instruments only through an isolation transformer, and nothing a "
        "person can touch may be connected")


def power_drawn(work: Work, plan: Plan, v_bus: Any, tolerance: float) -> tuple[Any, Any, Plan]:
    """Power drawn from the bus at each corner [W] and the rms of its ripple current [A], from bare numbers."""
    stage = replace(plan.stage, v_bus=v_bus)
    settled = st.solve(stage)
    o = settled.out
    return (o["p_bus"], np.sqrt(np.maximum(np.square(o["i_switch"]) - np.square(o["p_bus"] / v_bus), 0.0)),
            replace(plan, stage=stage, state=settled.state, change=settled.change))


def record(work: Work, plan: Plan, v_bus_row: Any, front: dict[str, Any], clamp: ModuleType) -> dict[str, Any]:
    """Rows of the power stage on the recording sheet."""
    stage = replace(plan.stage, v_bus=v_bus_row, **_given(work, plan))
    o = st.record(work.sheet, stage, plan.state, plan.change)
    _switch(work, plan, stage, o)
    record_choke(work, plan.choke, plan.choke_need, plan.window, stage, o)
    diode = _diode(work, plan, stage, o)
    losses = dict(front["losses"]) | {"switch_conduction": o["loss_on"], "current_sense": sensing.heat(work, stage.r_sense, o["i_switch"]),
                                      "switch_turn_on": o["loss_turn_on"], "switch_turn_off": o["loss_off"], "rectifier1": diode,
                                      "filter_core": o["p_choke"], "filter_copper": work.sheet.rows["filter1.loss_copper"],
                                      "controller": work.sheet.rows["loss.controller"]}
    losses |= record_bank(work, stage.i_out, least_filter.record(work, o))
    feedback_error(work, stage.v_out, isolated=False)
    faults.record(work, plan, stage, o, work.sheet.rows["switch.t_least"])
    return {"o": o, "stage": stage, "losses": losses}


def _given(work: Work, plan: Plan) -> dict[str, Any]:
    """Rows for the constants of the stage, so that the working can name them."""
    sheet, s, sw, rect = work.sheet, plan.stage, plan.switch, plan.rectifiers[work.need.main]
    rows, name = sheet.rows, f"class {rect['name'].value}"
    return {"fs": rows["fs"], "inductance": rows["filter1.l"],
            "i_out": sheet.given("load.i1", s.i_out, "A", text=f"current of the output ({idle.HANGS})"),
            "v_out": sheet.given("load.v_main", s.v_out, "V", text="regulated output, its largest setting"),
            "v_forward": sheet.given("rectifier.v_forward", s.v_forward, "V", "catalogue", name),
            "r_diode": sheet.given("rectifier.r_dynamic", s.r_diode, "Ω", "catalogue", name),
            "t_recovery": sheet.given("rectifier.t_recovery", s.t_recovery, "s", "catalogue", name),
            "r_inductor": sheet.solved("filter1.r", s.r_inductor, "Ω", "copper of the chosen inductor at its temperature"),
            "r_switch": sheet.given("switch.r_hot", s.r_switch, "Ω", "catalogue", f"hot: {sw['r_on_25_ohm']:g} Ω × {sw['hot_ratio']:g}"),
            "r_sense": sensing.record(work),
            "f_floor": sheet.given("light_load.f_floor", s.f_floor, "Hz", "rule", "least pulse rate of the light-load law"),
            "t_floor": sheet.given("light_load.t_floor", s.t_floor, "s", "rule",
                                   "shortest pulse of the light-load law: a quarter of that at full load and highest bus, or none"),
            "c_node": sheet.given("switch.c_node", s.c_node, "F", "catalogue",
                                  f"energy-equivalent output capacitance and {show(C_WINDING, 'F')} of inductor and node"),
            "t_fall": sheet.given("switch.t_fall", s.t_fall, "s", "catalogue", "current fall time of the class"),
            "limit": {"i_limit": rows["switch.current_limit"], "tolerance": rows["switch.limit_tolerance"],
                      "t_delay": rows["switch.limit_delay"]},
            "p_controller": sheet.given("loss.controller", s.p_controller, "W", "rule",
                                        "supply voltage times supply current of the controller"),
            "choke": choke_rows(work, s.choke, plan.choke)}


def _switch(work: Work, plan: Plan, s: st.Stage, o: dict[str, Any]) -> None:
    sheet = work.sheet
    duty = sheet("switch.duty", flyback.duty, t_on=o["t_on"], fs=o["fs"])
    for name in ("switch.duty_max", "switch.duty_min"):
        sheet.again(name, duty)
    record_by_duty(work, s.v_bus, duty)
    sheet.again("switch.pulse_least", o["t_on"])
    sheet.again("switch.pulse_limit", common.least_pulse(work, BLANKING))
    for name in ("switch.i_peak", "switch.i_peak_run", "rectifier1.i_peak"):
        sheet.again(name, o["crest"])
    sheet.again("switch.frequency_idle", o["fs"])
    record_pulsed(work, plan.switch)
    sheet("switch.v_peak", forward.held_to_bus, v_bus=s.v_bus, v_forward=s.v_forward, r_diode=s.r_diode, i_peak=o["crest"])
    switching = sheet.total("switch.loss_switching", "W", "turn-on with the diode's recovery, and turn-off", turn_on=o["loss_turn_on"],
                            turn_off=o["loss_off"])
    switch_heat(work, plan.switch,
                sheet.total("switch.loss", "W", "conduction (hot) and switching", conduction=o["loss_on"], switching=switching),
                o["loss_on"])


def _diode(work: Work, plan: Plan, s: st.Stage, o: dict[str, Any]) -> Any:
    """Ratings of the diode; returns its loss row."""
    sheet, row, need = work.sheet, plan.rectifiers[work.need.main]["row"], work.need.outputs[work.need.main]
    sheet.given("load.v1", need.magnitude, "V", text=f"magnitude of {need.name}")
    sheet("rectifier1.v_reverse", buck.diode_reverse, allowance=sheet.rows["rectifier.ringing"], v_bus=s.v_bus)
    sheet.given("rectifier1.v_limit", row["v_class_v"] * float(sheet.rows["derating.rectifier_v"].value), "V", "catalogue",
                f"class {row['name']} × derating")
    piece = {"fs": o["fs"], "t_freewheeling": o["t_d"], "i_valley": o["valley"], "i_crest": o["crest"]}
    average, rms = sheet("rectifier1.i_avg", buck.diode_average, **piece), sheet("rectifier1.i_rms", buck.diode_rms, **piece)
    sheet.given("rectifier1.i_limit", row["i_rated_a"] * 0.5, "A", "catalogue",
                "half the rated current (twice the current: common practice)")
    loss = sheet("rectifier1.loss", output.rectifier_loss, v_forward=s.v_forward, i_avg=average, r_dynamic=s.r_diode, i_rms=rms)
    record_case(work, "rectifier1", "rectifier1.case_to_ambient", row, loss, "the class limit")
    return loss


def findings(work: Work, plan: Plan) -> None:
    """That the output is live, first of all; and what only this stage knows how to say."""
    need = work.need
    if need.insulation != "functional":
        work.find(MUST_FIX, "load", f"{need.insulation} insulation is asked for and this stage has none: {LIVE}", "", "topology")
    else:
        work.find(LOOK_AT, "load", f"{LIVE}; a qualified person and the local code decide where such a supply may be used", "", "")
    if len(need.outputs) > 1:
        work.find(MUST_FIX, "load",
                  f"only {need.outputs[need.main].name} is designed: this stage has one output; those that isolate have several", "",
                  "topology")
    if any(o.voltage < 0 for o in need.outputs):
        work.find(MUST_FIX, "load", "this stage gives a positive output only", "", "topology")
    low = float(np.min(np.broadcast_to(plan.stage.v_bus, work.grid.shape)[corners.FULL.mask(work.grid)]))
    if low < 1.05 * need.outputs[need.main].magnitude:
        work.find(MUST_FIX, "switch", f"the bus falls to {show(low, 'V')}, the output needs "
                  f"{show(need.outputs[need.main].magnitude, 'V')}: a step-down stage cannot give more than it gets", "switch.duty_max", "")
    if plan.change > UNSETTLED:
        work.find(MUST_FIX, "switch", f"no steady state was found: the passes still change by {plan.change:.1g} of the current; these "
                  "figures are not to be used", "switch.i_peak", "filter1.ripple_ratio")
    if not plan.choke.passed:
        work.find(MUST_FIX, "rectifier", f"the inductor on {plan.choke.name} is refused; a larger core, more ripple or more rise admits it",
                  "filter1.core", "filter1.ripple_ratio")
