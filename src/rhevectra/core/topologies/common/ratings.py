"""Ratings every topology records alike: a switch's heat and current sense, the transformer's fit, the output's tolerance."""

from collections.abc import Mapping
from typing import Any

from rhevectra.core.formulas import output
from rhevectra.core.magnetics.transformer import Choice, TransformerNeed
from rhevectra.core.stages.dies import JUNCTION_SHARE, record_coolable
from rhevectra.core.stages.work import Work

SENSE_TRIP = 0.8
"""Voltage of the current sense at the limit [V] (common practice)."""
SHUNT_REFERENCE = 2.495


def switch_heat(work: Work, row: Mapping[str, Any], power: Any) -> None:
    """Heat sink one switch asks for at its loss, and the sense resistor."""
    sheet = work.sheet
    ambient = sheet.given("ambient.max", work.need.ambient_max, "°C", text="highest ambient")
    limit = sheet.given("switch.t_junction", JUNCTION_SHARE * row["t_junction_max_c"], "°C", "rule", f"85 % of {row['t_junction_max_c']:g} °C (common practice)")
    sheet("switch.case_to_ambient", output.case_to_ambient, t_junction=limit, ambient=ambient, power=power, r_jc=row["r_junction_case_k_w"])
    record_coolable(work, "switch.r_ca_floor")
    sheet("sense.r", output.sense_resistor, v_trip=SENSE_TRIP, i_limit=sheet.rows["switch.current_limit"])


def transformer_fit(work: Work, need: TransformerNeed, choice: Choice) -> None:
    """How much of the window the windings use, and what they are held against."""
    sheet = work.sheet
    sheet.solved("transformer.fill", float(choice.trial.fill[choice.core, choice.candidate]), "", "height of all layers, tapes and bulge over the height available in the bobbin" if need.board is None else "thickness of the board over what its layers at most and the window allow")
    sheet.given("transformer.fill_limit", 1.0, "", "rule", "the winding must fit")
    sheet.given("transformer.rise_limit", need.rise_max, "K", "rule", "decision transformer.rise_max")


def feedback_error(work: Work, v_out: Any) -> None:
    """Tolerance of the regulated output from divider and reference: worst case and statistical."""
    sheet, main = work.sheet, work.need.outputs[work.need.main]
    parts = {"reference": work.choose("feedback.reference_tolerance", 0.01, "1 % grade of the 2.495 V class (typical, from memory)"), "resistor": work.choose("feedback.resistor_tolerance", 0.01, "1 % resistors"),
             "v_ref": min(SHUNT_REFERENCE, 0.5 * main.magnitude), "v_out": v_out}
    sheet("feedback.error", output.divider_error, **parts)
    sheet("feedback.error_statistical", output.divider_error_statistical, **parts)
    sheet.given("feedback.error_limit", main.tolerance, "", text="requirement: tolerance of the regulated output")
