"""What every output is judged by beside its ripple: its range where no loop holds it, load step and life."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from rhevectra.core.formulas import output
from rhevectra.core.stages.work import Work

LIFE_RISE = 10.0
LEFT = 0.8
"""Capacitance of an output capacitor at the end of its life over that of a new one (usual end of life in data sheets, from memory)."""
AGED, AGED_DRY, DRY = 2.0, 1.5, 1.5
"""Resistance at the end of life over that of a new output capacitor, of one with a liquid and of one without (usual end of life in data
sheets, from memory), and the cold ratio below which there is no liquid in it."""
CROSSOVER = 1 / 25
"""Crossover of a loop over the rate of its pulses, where no loop is worked out (common practice)."""
OF_RATE, OF_COUPLER, F_COUPLER = 1 / 10, 1 / 2, 10e3
"""Highest crossover by rule over that rate, and over a coupler's own pole (common practice); that pole into some kilohms [Hz] (typical,
from memory)."""
SLOWER_FED_OFF, SLOWER_FED_ALWAYS = 10.0, 3.6
"""How much slower the slowest corner is, its coupler old, of stages that feed the output while the switch is off or all the time (this
program's own designs)."""
DERATED = 0.95
"""Voltage of an output capacitor over its rating, at the end of the output's tolerance (common practice, no source)."""


def resistance(work: Work, row: Any) -> tuple[float, str]:
    """Worst resistance [Ω] of one output capacitor, and what makes it so: cold, or at the end of its life."""
    cold = row["cold_ratio"] if work.need.ambient_min < 0 else 1.0
    aged = AGED_DRY if row["cold_ratio"] < DRY else AGED
    factor, why = (cold, f"at {work.need.ambient_min:g} °C") if cold > aged else (aged, "at the end of its life")
    return float(row["esr_ohm"] * factor), f"{row['esr_ohm']:g} Ω × {factor:g} {why}"


def record_worn(work: Work, n: int, row: Any, count: int) -> tuple[Any, Any]:
    """Rows of the capacitors of output n: what is left of their capacitance, and worst resistance; as printed beside."""
    sheet, (one, why) = work.sheet, resistance(work, row)
    sheet.given(f"output{n}.c", row["c_f"] * count, "F", "rule", f"{count} × {row['name']}")
    return (sheet.given(f"output{n}.c_left", LEFT * row["c_f"] * count, "F", "rule",
                        f"{LEFT:g} of it at the end of its life (usual end of life in data sheets, from memory)"),
            sheet.given(f"output{n}.esr_worst", one / count, "Ω", "catalogue", f"{why}, {count} side by side"))


def holding(work: Work, need: Any, from_class: float) -> list[Any]:
    """Capacitor classes from a voltage on [V], or as near to it as there are, that hold the output at the end of its tolerance with its
    ripple; those of the highest class where none does."""
    derate = float(work.choose("derating.output_v", DERATED, "crest of the output at most 95 % of the rating (common practice)").value)
    rows, least = (work.parts["output_capacitors"].rows,
                   float(output.capacitor_crest(need.magnitude, need.tolerance, need.ripple_pp)) / derate)
    highest = max(r["v_class_v"] for r in rows)
    return [r for r in rows if r["v_class_v"] >= min(max(from_class, least), highest)]


def cans_for_step(need: Any, row: Any, esr: Any, crossover: float) -> Any:
    """How many capacitors of a class, or of each of many, the load step of an output asks for; esr: of one [Ω]; crossover expected
    [Hz]."""
    step = need.load_step
    return 0.0 if step is None else (step.high - step.low) * (1 / (2 * np.pi * crossover * LEFT * row["c_f"]) + esr) / step.deviation


def whole_cans(asks: Mapping[str, Any]) -> Any:
    """Whole capacitors, at least one, that meet every need."""
    return np.maximum(np.ceil(np.maximum.reduce(np.broadcast_arrays(*asks.values())) - 1e-9), 1.0)


def least_bank(work: Work, able: Sequence[Any], asks: Callable[[Mapping[str, Any], Any], Mapping[str, Any]]) -> tuple[Any, float]:
    """The class whose capacitors take the least volume, and how much; asks: how many each need asks for, of many classes by their columns
    and resistances."""
    classes = {key: np.array([r[key] for r in able]) for key in ("c_f", "v_class_v", "i_rated_a")}
    volume = (whole_cans(asks(classes, np.array([resistance(work, r)[0] for r in able])))
              * np.sqrt(classes["c_f"] * classes["v_class_v"]))
    k = int(np.lexsort((classes["c_f"], volume))[0])
    return able[k], float(volume[k])


def slowest(rate: float, slower: float) -> float:
    """Crossover [Hz] of the slowest loop, as expected from the rate of its pulses."""
    return min(OF_RATE * rate, OF_COUPLER * F_COUPLER) / slower


def record_range(work: Work, n: int, need: Any, value: Any, greatest: Any = None) -> None:
    """Least and greatest voltage of an output that no loop holds, against its tolerance; value: its row; greatest: another one for the
    greatest."""
    for end, limit, sign, row in (("low", "min", -1, value), ("high", "max", 1, value if greatest is None else greatest)):
        work.sheet.again(f"output{n}.v_{end}", row)
        work.sheet.given(f"output{n}.v_{limit}", need.magnitude * (1 + sign * need.tolerance), "V", text="requirement")


def step_and_life(work: Work, o: dict[str, Any], n: int, need: Any, cap: Any, left: Any, esr: Any) -> None:
    """Rows of what the capacitors (left, esr: as `record_worn` has them) hold, and of load step and life where they are asked for."""
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
    if work.need.lifetime is not None:
        sheet(f"output{n}.life", output.capacitor_life, life=cap["life_s"], t_max=cap["t_max_c"],
              temperature=work.need.ambient_max + LIFE_RISE)
        sheet.given(f"output{n}.life_limit", work.need.lifetime, "s", text="requirement")
