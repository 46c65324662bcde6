"""Capacitors side by side: what a worn one has left, and how many of which class."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.stages import air
from rhevectra.core.stages.work import Work

CANS = 80
"""Capacitors side by side, at most."""
ELECTROLYTIC = 500.0
"""Highest class [V] of electrolytic capacitors: beyond it stands film, several times as large."""
LEFT = 0.8
"""Capacitance of an output capacitor at the end of its life over that of a new one (usual end of life in data sheets, from memory)."""
AGED, AGED_DRY, DRY = 2.0, 1.5, 1.5
"""Resistance at the end of life over that of a new output capacitor, of one with a liquid and of one without (usual end of life in data
sheets, from memory), and the cold ratio below which there is no liquid in it."""


def resistance(work: Work, row: Any) -> tuple[float, str]:
    """Worst resistance [Ω] of one output capacitor, and what makes it so: cold, or at the end of its life."""
    cold = row["cold_ratio"] if work.need.ambient_min < 0 else 1.0
    aged = AGED_DRY if row["cold_ratio"] < DRY else AGED
    factor, why = (cold, f"at {work.need.ambient_min:g} °C") if cold > aged else (aged, "at the end of its life")
    return float(row["esr_ohm"] * factor), f"{row['esr_ohm']:g} Ω × {factor:g} {why}"


def record_worn(work: Work, part: str, row: Any, count: int) -> tuple[Any, Any]:
    """Rows of capacitors side by side, their names beginning with `part`: what is left of their capacitance, and worst resistance; as
    printed beside, and the ripple current they may carry."""
    sheet, (one, why) = work.sheet, resistance(work, row)
    sheet.given(f"{part}.i_c_limit", row["i_rated_a"] * count, "A", "catalogue",
                f"{count} × {row['i_rated_a']:g} A at {row['t_max_c']:g} °C")
    sheet.given(f"{part}.c", row["c_f"] * count, "F", "rule", f"{count} × {row['name']}")
    return (sheet.given(f"{part}.c_left", LEFT * row["c_f"] * count, "F", "rule",
                        f"{LEFT:g} of it at the end of its life (usual end of life in data sheets, from memory)"),
            sheet.given(f"{part}.esr_worst", one / count, "Ω", "catalogue", f"{why}, {count} side by side"))


def holding(work: Work, volts: float) -> Sequence[Any]:
    """Capacitor classes from a voltage on [V], those of the highest class where none reaches it; of these such as last as long as is
    asked."""
    rows = work.parts["output_capacitors"].rows
    highest = max(r["v_class_v"] for r in rows)
    able = [r for r in rows if r["v_class_v"] >= min(volts, highest)]
    return air.lasting(work, [r for r in able if r["v_class_v"] <= ELECTROLYTIC] or able)


def choose_count(work: Work, part: str, asks: Mapping[str, Any], amps: float) -> int:
    """How many side by side, their decision beginning with `part`, by what each need asks for and the ripple current [A]."""
    decides = max(asks, key=lambda a: asks[a])
    return int(work.choose(f"{part}.parallel", min(int(whole_cans(asks)), CANS),
                           f"{decides} decides at {show(amps, 'A')} ripple current").value)


def whole_cans(asks: Mapping[str, Any]) -> Any:
    """Whole capacitors, at least one, that meet every need."""
    return np.maximum(np.ceil(np.maximum.reduce(np.broadcast_arrays(*asks.values())) - 1e-9), 1.0)


def least_bank(work: Work, able: Sequence[Any], asks: Callable[[Mapping[str, Any], Any], Mapping[str, Any]]) -> tuple[Any, float]:
    """The class whose capacitors take the least volume, and how much; asks: how many each need asks for, of many classes by their columns
    and resistances."""
    classes = {key: np.array([r[key] for r in able]) for key in ("c_f", "v_class_v", "i_rated_a", "life_s", "t_max_c")}
    volume = (whole_cans(asks(classes, np.array([resistance(work, r)[0] for r in able])))
              * np.sqrt(classes["c_f"] * classes["v_class_v"]))
    k = int(np.lexsort((classes["c_f"], volume))[0])
    return able[k], float(volume[k])
