"""Weighted feedback: the divider takes a share of its current from a second output, so that both share what one alone would be off."""

from collections.abc import Mapping
from functools import cache
from typing import Any

import numpy as np

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import LOOK_AT, NOTE
from rhevectra.core.basis.preferred import nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import weighted
from rhevectra.core.stages.work import FigureSpec, Work

SECOND, WEIGHT = "feedback.second", "feedback.weight"
DECISIONS = (
    DecisionSpec(SECOND, "Output that shares the divider", "feedback", kind="integer", low=0, high=6,
                 schools="none: one output is held, the others follow; the heaviest of the others: both share the error"),
    DecisionSpec(WEIGHT, "Its share of the divider's current", "feedback", low=0.05, high=0.7,
                 schools="0.2 to 0.4: the regulated one stays the better; 0.5: alike"),
)
FIGURES = (
    FigureSpec("feedback.r_first", "Upper resistor, regulated output", "R_1", "feedback"),
    FigureSpec("feedback.r_second", "Upper resistor, second output", "R_2", "feedback"),
)
TRIED = (0.1, 0.2, 0.3, 0.4, 0.5, 0.6)
"""Shares the rule tries, the least first: the regulated output stays the better."""
ABOVE = 1.15
"""Least voltage of a second output over the reference, for a resistor that still sets a current."""
ENDS = ("low", "high")
ALONE = "one output is held, the others follow by their turns"
HELPS = "the least share that keeps all within their tolerances, which one output alone does not"


def record(work: Work, specs: Mapping[str, FigureSpec]) -> None:
    """Rows of a weighted divider and of what it makes of all outputs, where one is asked for or the rule finds that it holds them."""
    rows, outs = work.sheet.rows, work.need.outputs
    able = [n for n, out in enumerate(outs, 1) if n > 1 and f"output{n}.v_low" in rows and f"regulator{n}.v_in" not in rows
            and "feedback.r_high" in rows and out.voltage > ABOVE * float(rows["feedback.v_ref"].value)]
    if not able:
        return
    best = cache(lambda: _rule(work, specs, able))
    second = work.choose(SECOND, lambda: (best()[0], HELPS if best()[0] else ALONE, ()))
    n = int(second.value)
    if not n:
        return
    if n not in able:
        work.find(LOOK_AT, "feedback", f"output {n} cannot share the divider: it has to be another than the regulated one, positive, above "
                  "the reference and without a regulator behind it", "", SECOND)
        return
    weight = work.choose(WEIGHT, lambda: best()[1] or TRIED[2], "the least that does, of tenths")
    _apply(work, n, float(weight.value))


def _rule(work: Work, specs: Mapping[str, FigureSpec], able: list[int]) -> tuple[int, float]:
    """Output and least share that keep all outputs within their tolerances; nothing where they are already, or none does."""
    volts = {m: tuple(work.sheet.rows[f"output{m}.v_{end}"].value for end in ENDS) for m in range(2, len(work.need.outputs) + 1)
             if f"output{m}.v_low" in work.sheet.rows}
    if _kept(work, specs, volts, (1.0, 1.0)):
        return 0, 0.0
    for share in TRIED:
        for n in able:
            if _kept(work, specs, volts, _scales(work, n, share, volts[n])):
                return n, share
    return 0, 0.0


def _resistors(work: Work, n: int, share: float) -> tuple[float, float]:
    """Both upper resistors of E96 [Ω]."""
    rows, out = work.sheet.rows, work.need.outputs
    v_ref, r_low, bias, alone = (float(rows[f"feedback.{k}"].value) for k in ("v_ref", "r_low", "i_bias", "r_high"))
    first = nearest(float(weighted.first_resistor(alone, share)), "E96")
    second = float(weighted.second_resistor(out[n - 1].magnitude, v_ref, r_low, bias, out[work.need.main].magnitude, first))
    return first, nearest(second, "E96") if second > 0 else np.inf


def _scales(work: Work, n: int, share: float, volts: tuple[Any, Any]) -> tuple[Any, Any]:
    """By what all outputs are multiplied with the second at the least and at the greatest it is found at."""
    rows, (first, second) = work.sheet.rows, _resistors(work, n, share)
    v_ref, r_low, bias = (float(rows[f"feedback.{k}"].value) for k in ("v_ref", "r_low", "i_bias"))
    low, high = (weighted.scale(v_ref, r_low, bias, first, second, work.need.outputs[work.need.main].magnitude, v) for v in volts)
    return low, high


def _room(work: Work) -> tuple[float, float]:
    """Between what the regulated output may be put [V], less what divider and reference may be off."""
    out = work.need.outputs[work.need.main]
    room = max(out.tolerance - float(np.max(work.sheet.rows["feedback.error"].value)), 0.0)
    return out.magnitude * (1 - room), out.magnitude * (1 + room)


def _kept(work: Work, specs: Mapping[str, FigureSpec], volts: Mapping[int, tuple[Any, Any]], scales: tuple[Any, Any]) -> bool:
    """Whether all outputs keep their range with those factors at the least and the greatest end."""
    rows, grid, main = work.sheet.rows, work.grid, work.need.outputs[work.need.main].magnitude
    least, most = _room(work)
    masks = {end: np.broadcast_to(specs[f"output2.v_{end}"].domain.mask(grid), grid.shape) for end in ENDS}

    def worst(x: Any, end: str) -> float:
        inside = np.broadcast_to(x, grid.shape)[masks[end]]
        return float(inside.min() if end == "low" else inside.max())
    if worst(main * scales[1], "low") < least or worst(main * scales[0], "high") > most:
        return False
    return all(worst(low * scales[0], "low") >= float(rows[f"output{m}.v_min"].value)
               and worst(high * scales[1], "high") <= float(rows[f"output{m}.v_max"].value) for m, (low, high) in volts.items())


def _of(row: Row) -> Row:
    """The row that is judged under another name, or the row itself."""
    found = row.inputs.get("yes", row)
    return found if isinstance(found, Row) else row


def _apply(work: Work, n: int, share: float) -> None:
    """Rows with the divider as it is: resistors, factors, and every output by them."""
    sheet, rows, outs = work.sheet, work.sheet.rows, work.need.outputs
    first, second = _resistors(work, n, share)
    if not np.isfinite(second):
        work.find(LOOK_AT, "feedback", f"{100 * share:g} % of the divider's current leave nothing for {outs[n - 1].name} to give: a "
                  "smaller share, or another output", "", WEIGHT)
        return
    upper = {f"r_{k}": sheet.given(f"feedback.r_{k}", r, "Ω", "rule", f"of E96, nearest to what carries {100 * part:.0f} % of the "
                                   f"{show(float(rows['feedback.v_ref'].value) / float(rows['feedback.r_low'].value), 'A')} of the divider")
             for k, r, part in (("first", first, 1 - share), ("second", second, share))}
    given = {**{k: rows[f"feedback.{k}"] for k in ("v_ref", "r_low", "i_bias")}, **upper,
             "v_out": sheet.given("feedback.v_asked", outs[work.need.main].magnitude, "V", text="requirement")}
    alone = {(m, end): _of(rows[id]) for m in range(2, len(outs) + 1) for end in ENDS if (id := f"output{m}.v_{end}") in rows}
    scales = {end: sheet(f"feedback.scale_{end}", weighted.scale, **given, v_second=alone[n, end]) for end in ENDS}
    for (m, end), row in alone.items():
        sheet(f"output{m}.v_{end}", weighted.scaled, scale=scales[end], v=row)
    least, most = _room(work)
    for end, other, limit, volts in (("low", "high", "min", least), ("high", "low", "max", most)):
        sheet(f"output1.v_{end}", weighted.scaled, scale=scales[other], v=given["v_out"])
        sheet.given(f"output1.v_{limit}", volts, "V", "rule", "tolerance asked for, less what divider and reference may be off")
    whole = [float(f(np.asarray(rows[f"output1.v_{end}"].value))) for end, f in (("low", np.min), ("high", np.max))]
    work.find(NOTE, "feedback", f"{outs[n - 1].name} shares the divider: {outs[work.need.main].name} then lies between "
              f"{show(whole[0], 'V')} and {show(whole[1], 'V')}; currents, losses and ratings are told for it as asked for",
              "output1.v_low", "")
