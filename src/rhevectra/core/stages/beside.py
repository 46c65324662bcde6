"""Switches of a power stage side by side: how many, what they are together, and what the most loaded of them bears."""

from collections.abc import Callable, Mapping, Sequence
from itertools import takewhile
from typing import Any

import numpy as np

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import synchronous
from rhevectra.core.stages.dies import JUNCTION_SHARE, PULSED, SPENT, SPREAD, coolable, record_uneven, spread_decision
from rhevectra.core.stages.work import Work

MOST_BESIDE = 8
SPARED, WORTH = 0.15, 0.5
"""Most switches side by side, and what one more has to spare to be worth its place, as a share of their loss and in watts (common practice,
no source)."""
PARALLEL, UNEVEN = "switch.parallel", "switch.r_spread"
ADDED = ("q_gate_c", "c_energy_f", "c_charge_f")
"""What of dies side by side adds up."""
LIMIT_ROOM = 1.02
"""Room over the peak at the current limit once it is known."""
DECISIONS = (
    DecisionSpec(PARALLEL, "Switches side by side", "switch", kind="integer", low=1, high=MOST_BESIDE,
                 schools="one: as long as a class carries the limit and can be kept cool; several: the heat in as many packages, charge "
                 "and capacitance as often"),
    spread_decision(UNEVEN, "switch"),
)


def uneven(work: Work) -> float:
    """How far the resistances of switches side by side differ from their mean, each way."""
    return float(work.choose.pins.get(UNEVEN, SPREAD))


def offered(work: Work) -> Sequence[Mapping[str, Any]]:
    """All switch classes, as many side by side as a person decided for."""
    rows, count = work.parts["switches"].rows, int(work.choose.pins.get(PARALLEL, 1))
    return rows if count == 1 else [together(r, count, uneven(work)) for r in rows]


def number(rows: Mapping[str, Any]) -> int:
    """How many switches of a power stage stand side by side."""
    return int(rows[PARALLEL].value) if PARALLEL in rows else 1


def together(row: Mapping[str, Any], count: int, spread: float) -> Mapping[str, Any]:
    """A class as so many dies side by side: their resistance together, charge and capacitance of all, and the current at which the most
    loaded of them reaches its own."""
    if count == 1:
        return row
    return {**row, "parallel": count, "r_on_25_ohm": row["r_on_25_ohm"] / count,
            "i_max_a": float(synchronous.carried(synchronous.most_loaded(count, spread), row["i_max_a"], count)),
            **{name: count * row[name] for name in ADDED}}


def hot_said(row: Mapping[str, Any]) -> str:
    """Words for the hot resistance of a class, alone or side by side."""
    count = row.get("parallel", 1)
    return f"hot: {count * row['r_on_25_ohm']:g} Ω × {row['hot_ratio']:g}" + (f" / {count} side by side" if count > 1 else "")


def too_few(lacks: Callable[[int], str]) -> list[str]:
    """Why each number of switches below the first that lacks nothing is too few, as far as there may be more."""
    return list(takewhile(bool, map(lacks, range(1, MOST_BESIDE))))


def choose(work: Work, row: Mapping[str, Any], loss: Callable[[Mapping[str, Any]], float], i_limit: float,
           budget: float = np.inf) -> Mapping[str, Any]:
    """The class with as many dies side by side as carry i_limit [A] and can be kept cool at their loss [W], all together as one row; more
    where they burn more than the budget [W] together and a further one saves enough of it. Of switches with their driver inside one."""
    if row["kind"] == "integrated":
        return row
    spread, floor = uneven(work), coolable(work.need.cooling)
    room = JUNCTION_SHARE * row["t_junction_max_c"] - work.need.ambient_max

    def lacks(count: int) -> str:
        all_of = together(row, count, spread)
        if PULSED * all_of["i_max_a"] < i_limit:
            return f"{count}: {show(PULSED * all_of['i_max_a'], 'A')} carried, {show(i_limit, 'A')} at the current limit"
        burnt = loss(all_of)
        if room < burnt / count * (row["r_junction_case_k_w"] + floor):
            return (f"{count}: about {show(burnt / count, 'W')} in each, may have {room * count / burnt - row['r_junction_case_k_w']:.1f} "
                    "K/W")
        spared = burnt - loss(together(row, count + 1, spread)) if burnt > budget else 0.0
        worth = spared > max(SPARED * burnt, WORTH)
        return f"{count}: about {show(burnt, 'W')}, and one more spares {show(spared, 'W', 2)}" if worth else ""

    def rule() -> tuple[int, str, tuple[str, ...]]:
        fewer = too_few(lacks)
        return (len(fewer) + 1, f"the fewest that carry the current limit, need no less than {floor:g} K/W each and burn at most "
                f"{SPENT * 100:g} % of the output in all switches, as far as one more spares enough of it", tuple(fewer[-3:]))
    count = int(work.choose(PARALLEL, rule).value)
    if count > 1:
        record_uneven(work, UNEVEN, "switch.", work.sheet.rows[PARALLEL])
    return together(row, count, spread)


def of_most_loaded(work: Work, id: str, power: Any, conduction: Any) -> Any:
    """Row `id` of the loss of the most loaded of the switches side by side, which lose `power` together, `conduction` of it in their
    resistances; that of `power` where there is one."""
    rows = work.sheet.rows
    if number(rows) == 1:
        return power
    return work.sheet(id, synchronous.loss_of_one, power=power, conduction=conduction, over_mean=rows["switch.over_mean"],
                      spread=rows[UNEVEN], count=rows[PARALLEL])


def limit_missed(work: Work, row: Mapping[str, Any], peak: float) -> float:
    """Current at the limit [A] to look for another switch with, where the row chosen does not carry the peak [A] that is known by now; 0
    where it does, where there are as many as there may be, or where a person chose both class and number."""
    wanted, pinned = LIMIT_ROOM * peak, work.choose.pinned
    settled = row.get("parallel", 1) == MOST_BESIDE or (pinned("switch.class") and pinned(PARALLEL))
    return 0.0 if settled or wanted <= PULSED * row["i_max_a"] else wanted


def record_pulsed(work: Work, row: Mapping[str, Any]) -> None:
    """Largest current of the switch [A]: integrated classes state it, dies carry more for a pulse than they do on and on."""
    whole, rows = row["kind"] == "integrated", work.sheet.rows
    own = work.parts["switches"].row(row["name"])
    one = work.sheet.given("switch.i_max", own["i_max_a"] * (1.0 if whole else PULSED), "A", "catalogue",
                           "largest current of the class" if whole
                           else f"pulsed current at {PULSED:g} × the continuous rating (typical, from memory)")
    if number(rows) > 1:
        work.sheet.again("switch.i_one", one)
        work.sheet("switch.i_max", synchronous.carried, over_mean=rows["switch.over_mean"], i_one=rows["switch.i_one"],
                   count=rows[PARALLEL])
