"""Choosing a discrete switch class: the lowest voltage class that holds, then the die by loss; and its heat, alone or side by side."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import output, synchronous
from rhevectra.core.stages.work import Hot, Work

PULSED = 1.5
"""Pulsed current over the continuous rating (typical, from memory)."""
SINGLE = 2.0
"""Current a die takes in a single pulse of a microsecond, that nothing follows, over its pulsed current: three times the continuous rating
(typical, from memory)."""
TWICE = 2.0
"""A die rated, after derating, for more than so many times what it sees is no near one."""
JUNCTION_SHARE = 0.85
"""Share of the junction limit used (common practice)."""
SPENT = 0.018
"""Share of the output that all switches of a stage may burn before dies of low resistance are looked at too (common practice, no
source)."""
SPREAD = 0.15
"""How far the resistances of switches side by side differ from their mean, each way, with their tracks (common practice, no source)."""
_COOLABLE = {"natural": (3.0, "forced air or the chassis is needed"), "forced": (1.5, "usual heat sinks in forced air do not reach"),
             "conduction": (1.5, "usual insulators to the chassis do not reach")}


def coolable(cooling: str) -> float:
    """Least case-to-ambient resistance [K/W] that is counted on by the way of cooling (common practice, no source)."""
    return _COOLABLE[cooling][0]


def record_coolable(work: Work, id: str) -> None:
    """The same as a row."""
    work.sheet.given(id, coolable(work.need.cooling), "K/W", "rule", f"below this {_COOLABLE[work.need.cooling][1]} (common practice)")


def record_case(work: Work, part: str, case: str, row: Mapping[str, Any], power: Any, of: str = "",
                whole: Any = None) -> tuple[Any, Any]:
    """What the case of a class needs to its ambient (row `case`); returns the rows of ambient and junction. part: what the junction's row
    begins with; power: what is burnt in it [W]; of: how its limit is called, where not by its number; whole: what all such parts burn,
    where there are several [W]."""
    most = row["t_junction_max_c"]
    work.hot.append(Hot(part, case, row["r_junction_case_k_w"], int(row.get("count", 1) * row.get("series", 1)), power,
                        power if whole is None else whole, row.get("r_junction_ambient_k_w", 0.0)))
    ambient = work.sheet.given("ambient.max", work.need.ambient_max, "°C", text="highest ambient")
    junction = work.sheet.given(f"{part}.t_junction", JUNCTION_SHARE * most, "°C", "rule",
                                f"85 % of {of or f'{most:g} °C'} (common practice)")
    work.sheet(case, output.case_to_ambient, t_junction=junction, ambient=ambient, power=power, r_jc=row["r_junction_case_k_w"])
    return ambient, junction


def record_heat(work: Work, part: str, case: str, row: Mapping[str, Any], each: Any, judged: Any, conduction: Any,
                whole: Any = None) -> None:
    """What the case of a die needs to its ambient (row `case`), and how fast its loss grows with temperature. part: what the rows begin
    with; each: loss of the most loaded; judged, conduction: of those that are judged as one and what of it is resistance; whole: loss
    of all there are, where these are more."""
    sheet, (ambient, junction) = work.sheet, record_case(work, part, case, row, each, whole=judged if whole is None else whole)
    record_coolable(work, f"{part}.r_ca_floor")
    sheet(f"{part}.runaway", output.runaway, t_junction=junction, ambient=ambient, power=judged, conduction=conduction,
          hot_ratio=row["hot_ratio"], t_hot=row["t_junction_max_c"])
    sheet.given(f"{part}.runaway_limit", 1.0, "", "rule", "where each kelvin brings another")


def spread_decision(id: str, stage: str) -> DecisionSpec:
    """The spread of resistances side by side as a decision."""
    return DecisionSpec(id, "Spread of the resistances side by side, each way", stage, low=0.0, high=0.5,
                        schools="0.1 to 0.2 as bought, tracks alike; more where they lie one behind the other")


def record_uneven(work: Work, id: str, name: str, beside: Any) -> tuple[Any, Any]:
    """Rows of the spread (decision id) and of how much the most loaded of `beside` switches carries over their mean. name: what that row
    begins with."""
    spread = work.choose(id, SPREAD, "switches of one class with their tracks (common practice, no source)")
    return spread, work.sheet(f"{name}over_mean", synchronous.most_loaded, count=beside, spread=spread)


def record_most_loaded(work: Work, id: str, name: str, beside: int, i_rms: Any, count: int) -> tuple[Any, Any]:
    """The same rows, and the current of the most loaded beside. i_rms: of all `count` together [A]."""
    spread, over = record_uneven(work, id, name, beside)
    work.sheet(f"{name}i_most", synchronous.of_one, over_mean=over, i_rms=i_rms, count=count)
    return spread, over


def choose_die(work: Work, v_seen: float, sees: str, holds: str, i_least: float, loss: Callable[[Mapping[str, Any]], float],
               part: str = "switch.", kinds: tuple[str, ...] = ("discrete",), i_limit: float = 0.0,
               budget: float = np.inf, offered: Sequence[Mapping[str, Any]] | None = None) -> Mapping[str, Any]:
    """Row of the class chosen, its voltage limit recorded. v_seen [V] is what it must block after derating, i_least [A] its least rating,
    i_limit [A] what it carries at the current limit; sees and holds: how the reasons call that voltage; loss [W] of a row; part: what the
    decision and the limit begin with; kinds of class; budget [W]: what one switch may burn; offered: the classes as they would be used,
    where that is not one by one. Dies of low resistance are offered where hard switching at a high current asks for them, where no other
    near the voltage carries the limit, or where the one chosen burns more than the budget: elsewhere their capacitance costs more at light
    load than they spare at full."""
    derate = work.choose("derating.switch_v", 0.80, "80 % of the rating (common practice)")
    table = work.parts["switches"]
    every = table.rows if offered is None else offered

    def rule() -> tuple[str, str, tuple[str, ...]]:
        rows = [r for r in every if r["kind"] in kinds]
        if not any(PULSED * r["i_max_a"] >= i_limit for r in rows if v_seen + 1.0 <= derate.value * r["v_class_v"] <= TWICE * v_seen):
            rows = [r for r in every if r["kind"] in (*kinds, "low-ohm")]
        classes = sorted({r["v_class_v"] for r in rows})
        lowest = next((c for c in classes if derate.value * c >= v_seen + 1.0), classes[-1])
        name, why, heavier = pick_die(rows, lowest, f"holds {holds}", i_least, i_limit, loss)
        own = next(r for r in every if r["name"] == name)
        if loss(own) > budget and (lower := _of_low_resistance(every, own, loss, budget)) is not None:
            name, why = (lower, f"{why.partition(';')[0]}; {name} would burn {show(loss(own), 'W', 2)}, more than "
                         f"{SPENT * 100:g} % of the output in all switches")
        return (name, why,
                (*(f"{c:g} V: {show(derate.value * c, 'V')} after derating, {sees} {show(v_seen, 'V')}" for c in classes if c < lowest),
                 *heavier)[-3:])
    row = table.row(work.choose(f"{part}class", rule).value)
    work.sheet.given(f"{part}v_limit", row["v_class_v"] * float(derate.value), "V", "rule",
                     f"{row['v_class_v']:g} V × derating {float(derate.value):g}")
    return row


def pick_die(rows: Sequence[Mapping[str, Any]], lowest: float, does: str, i_least: float, i_limit: float,
             loss: Callable[[Mapping[str, Any]], float]) -> tuple[str, str, list[str]]:
    """Name of the die chosen, why, and what refused the classes it stands above. lowest [V]: the first class that `does` what is asked of
    it; the next is taken where none of its dies carries i_limit [A] at the current limit. In a class the largest resistance within a
    quarter of the least loss [W], of the dies rated for i_least [A]."""
    classes = sorted({r["v_class_v"] for r in rows if r["v_class_v"] >= lowest})
    carries = {c: [r for r in rows if r["v_class_v"] == c and PULSED * r["i_max_a"] >= i_limit] for c in classes}
    v_class = next((c for c in classes if carries[c]), lowest)
    dies = carries[v_class] or [r for r in rows if r["v_class_v"] == v_class]
    good = [r for r in dies if r["i_max_a"] >= i_least] or [max(dies, key=lambda r: r["i_max_a"])]
    least = min(loss(r) for r in good)
    pick = max((r for r in good if loss(r) <= 1.25 * least), key=lambda r: r["r_on_25_ohm"])
    why = (f"lowest voltage class that {does}{' and carries the current limit' if v_class > lowest else ''}; largest die resistance within "
           "a quarter of the least loss")
    return str(pick["name"]), why, [f"{c:g} V: no die carries {show(i_limit, 'A')} at the current limit" for c in classes if c < v_class]


def _of_low_resistance(rows: Sequence[Mapping[str, Any]], chosen: Mapping[str, Any], loss: Callable[[Mapping[str, Any]], float],
                       budget: float) -> str | None:
    """Name of the die of low resistance that takes the place of the chosen one in its class: the largest resistance within the budget [W],
    else the least loss; None where none burns less."""
    lower = [r for r in rows if r["kind"] == "low-ohm" and r["v_class_v"] == chosen["v_class_v"] and loss(r) < loss(chosen)]
    within = [r for r in lower if loss(r) <= budget]
    return str((max(within, key=lambda r: r["r_on_25_ohm"]) if within else min(lower, key=loss))["name"]) if lower else None
