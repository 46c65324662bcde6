"""What every output is judged by beside its ripple: its range where no loop holds it, load step and life."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from rhevectra.core.formulas import output
from rhevectra.core.stages import air, banks
from rhevectra.core.stages.banks import LEFT
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import idle

CROSSOVER = 1 / 25
"""Crossover of a loop over the rate of its pulses, where no loop is worked out (common practice)."""
OF_RATE, OF_COUPLER = 1 / 10, 1 / 2
"""Highest crossover by rule over that rate, and over a coupler's own pole (common practice)."""
SLOWER_FED_OFF, SLOWER_FED_ALWAYS = 10.0, 3.6
"""How much slower the slowest corner is, its coupler old, of stages that feed the output while the switch is off or all the time (this
program's own designs)."""
OF_LINE = 0.15
"""Share of a regulated output's ripple that the rule leaves to what its loop lets through of the line's (this program's own designs)."""
DERATED = 0.95
"""Voltage of an output capacitor over its rating, at the end of the output's tolerance (common practice, no source)."""


def holding(work: Work, need: Any, from_class: float) -> Sequence[Any]:
    """Capacitor classes from a voltage on [V], or as near to it as there are, that hold the output at the end of its tolerance with its
    ripple; those of the highest class where none does. Of these such as last as long as is asked."""
    derate = float(work.choose("derating.output_v", DERATED, "crest of the output at most 95 % of the rating (common practice)").value)
    return banks.holding(work, max(from_class, float(output.capacitor_crest(need.magnitude, need.tolerance, need.ripple_pp)) / derate))


def cans_for_step(need: Any, row: Any, esr: Any, crossover: float) -> Any:
    """How many capacitors of a class, or of each of many, the load step of an output asks for; esr: of one [Ω]; crossover expected
    [Hz]."""
    step = need.load_step
    return 0.0 if step is None else (step.high - step.low) * (1 / (2 * np.pi * crossover * LEFT * row["c_f"]) + esr) / step.deviation


def step_begins(work: Work, need: Any) -> int:
    """Number of the operating point in run with the least load that the load step of an output may begin from."""
    low = min(need.load_step.low / need.current_max, 1.0)
    return min((p.load, k) for k, p in enumerate(work.grid.points) if p.case == "run" and p.load >= low)[1]


def of_pulses(work: Work, need: Any) -> float:
    """Ripple [V] the pulses may make of an output: of the regulated one less than is asked for where its bus ripples with the line."""
    shares = need is work.need.outputs[work.need.main] and not work.need.is_dc
    return float(need.ripple_pp * (1 - OF_LINE if shares else 1.0))


def slowest(work: Work, rate: float, slower: float) -> float:
    """Crossover [Hz] of the slowest loop, as expected from the rate of its pulses."""
    return min(OF_RATE * rate, OF_COUPLER * idle.pole(work)) / slower


def stated(work: Work, n: int, id: str, value: Any) -> None:
    """A limit [V] of output n: of the requirement, or of what is planned before its regulator."""
    planned = f"regulator{n}.spread" in work.sheet.rows
    work.sheet.given(id, value, "V", *(("rule", "planned before its regulator") if planned else ("requirement", "requirement")))


def record_range(work: Work, n: int, need: Any, value: Any, greatest: Any = None) -> None:
    """Least and greatest voltage of an output that no loop holds, against its tolerance; value: its row; greatest: another one for the
    greatest."""
    for end, limit, sign, row in (("low", "min", -1, value), ("high", "max", 1, value if greatest is None else greatest)):
        work.sheet.again(f"output{n}.v_{end}", row)
        stated(work, n, f"output{n}.v_{limit}", need.magnitude * (1 + sign * need.tolerance))


def step_and_life(work: Work, o: dict[str, Any], n: int, need: Any, cap: Any, count: int, left: Any, esr: Any) -> None:
    """Rows of what the capacitors (left, esr: as `record_worn` has them) hold and how long they last, and of the load step where one is
    asked for."""
    sheet = work.sheet
    sheet(f"output{n}.v_c", output.capacitor_crest, v_out=sheet.rows.get(f"output{n}.v_high") or sheet.rows[f"load.v{n}"],
          tolerance=0.0 if f"output{n}.v_high" in sheet.rows else need.tolerance, ripple_pp=sheet.rows[f"output{n}.ripple_pp"])
    sheet.given(f"output{n}.v_c_limit", cap["v_class_v"] * float(sheet.rows["derating.output_v"].value), "V", "catalogue",
                f"class {cap['name']} × derating")
    if need.load_step is not None:
        crossover = sheet.given(f"output{n}.crossover", float(np.max(o["fs"].value)) * CROSSOVER, "Hz", "rule",
                                "loop crossover at a twenty-fifth of the switching frequency (common practice)")
        sheet(f"output{n}.step", output.step_deviation, step=need.load_step.high - need.load_step.low, crossover=crossover,
              c=left, esr=esr)
        sheet.given(f"output{n}.step_limit", need.load_step.deviation, "V", text="requirement")
    air.record_life(work, f"output{n}", cap, count, sheet.rows[f"output{n}.i_c_rms"])
