"""Ratings every topology records alike: a switch's heat, the transformer's fit, the output's tolerance."""

from collections.abc import Callable, Mapping
from typing import Any

from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import output, sink
from rhevectra.core.magnetics.transformer import Choice, TransformerNeed
from rhevectra.core.stages.beside import of_most_loaded
from rhevectra.core.stages.dies import record_heat
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import divider, idle, loop
from rhevectra.core.topologies.common.signal import Signal

V_LED, LED_LEAST = 1.2, 0.1
"""Drop of an optocoupler's diode, and the least that has to be left across its resistor [V] (typical, from memory)."""


def switch_heat(work: Work, row: Mapping[str, Any], power: Any, conduction: Any, count: int = 1) -> None:
    """Heat sink one of `count` switches asks for at its loss, and how fast that grows with its temperature; conduction: what of it is
    resistance. Where a switch is several side by side, the most loaded of them."""
    record_heat(work, "switch", "switch.case_to_ambient", row, of_most_loaded(work, "switch.loss_each", power, conduction), power,
                conduction, None if count == 1 else work.sheet("switch.loss_all", sink.of_all, count=count, one=power))


def transformer_fit(work: Work, need: TransformerNeed, choice: Choice) -> None:
    """How much of the window the windings use, and what they are held against."""
    sheet = work.sheet
    sheet.solved("transformer.fill", float(choice.trial.fill[choice.core, choice.candidate]), "",
                 "height of all layers, tapes and bulge over the height available in the bobbin" if need.board is None
                 else "thickness of the board over what its layers at most and the window allow")
    sheet.given("transformer.fill_limit", 1.0, "", "rule", "the winding must fit")
    sheet.given("transformer.rise_limit", need.rise_max, "K", "rule", "decision transformer.rise_max")


def feedback_error(work: Work, v_out: Any, isolated: bool = True, signal: Callable[[], Signal] | None = None) -> loop.Loop | None:
    """Divider and tolerance of the regulated output; the optocoupler that brings it across the barrier, and the loop around it where the
    stage tells how it answers."""
    divider.record(work, v_out)
    most = _coupler(work, work.sheet.rows["feedback.v_ref"]) if isolated and work.need.insulation != "functional" else None
    if most is None:
        return None
    asked = work.loop or work.need.outputs[work.need.main].load_step is not None
    found = loop.record(work, signal(), most) if signal and asked else None
    sheet = work.sheet
    r = sheet.rows["feedback.r_led"] if found else work.choose("feedback.r_led", loop.largest(most), most=most)
    sheet("feedback.i_end", output.coupler_pull, **{k: x for k, x in most.inputs.items() if k != "i_pull"}, r=r)
    return found


def least_setting(work: Work) -> Any:
    """Row of the regulated output at its smallest setting [V]."""
    return work.sheet.given("load.v_main_least", work.need.outputs[work.need.main].least, "V",
                            text="regulated output, its smallest setting")


def _coupler(work: Work, v_ref: Any) -> Row | None:
    """Largest resistor of the optocoupler's diode beside a shunt reference (its row) with which its transistor still stops the pulses when
    it is old; None where the output leaves it nothing."""
    sheet, choose, main = work.sheet, work.choose, work.need.outputs[work.need.main]
    left = choose("feedback.ctr_left", 0.5, "half of it at the end of its life (common practice)")
    if main.least - float(v_ref.value) - V_LED < LED_LEAST:
        work.find(NOTE, "feedback",
                  f"{show(main.least, 'V')} leave nothing for an optocoupler's diode over its reference: feed it from another rail",
                  "feedback.error")
        return None
    rows = {"v_out": least_setting(work), "v_ref": v_ref,
            "v_led": sheet.given("feedback.v_led", V_LED, "V", "rule", "drop of the coupler's diode (typical, from memory)"),
            "ratio": idle.ratio(work), "left": left}
    return sheet("feedback.r_led_most", output.coupler_resistor, **rows, i_pull=idle.pull(work))
