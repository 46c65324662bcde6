"""Linear regulators behind outputs that no loop holds: what the power stage is asked for before them, and what they bear, burn and hold."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace as with_values
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Output, Requirement
from rhevectra.core.basis.sheet import Row
from rhevectra.core.design.design import exceeded, judge
from rhevectra.core.formulas import output, regulator
from rhevectra.core.stages import dies
from rhevectra.core.stages.work import FigureSpec, Work

NONE, LINEAR = "none", "linear"
REGULATED = ".regulator"
"""What the decision for a regulator behind an output ends with."""
SPREAD = 0.10
"""Spread before a regulator that turns and bleeds are chosen for, so that no bleed need hold the output (common practice, no source)."""
MOST, ROOM = 0.25, 1.3
"""The most at which a regulator is advised, for beyond it burns as much as its load takes; what is advised over the spread that is found
(common practice, no source)."""
SPARE, TIMES = 0.04, 3
"""Voltage that may be left over at worst beyond the drop, over that before the regulator; how often the latter is planned anew: turns are
whole (common practice, no source)."""
ROUNDING = 0.02
"""What is planned for beyond what was found, more each time: other turns round otherwise."""
RIPPLE = 0.02
"""Most ripple before a regulator, peak to peak over its voltage (common practice, no source)."""
BORNE = 0.8
"""Voltage before a regulator over its rating (common practice)."""
OTHERS = range(2, 7)
"""Numbers of the outputs that no loop holds."""


def _decisions(n: int) -> tuple[DecisionSpec, ...]:
    """What may be chosen of the regulator behind output n."""
    return (DecisionSpec(f"output{n}{REGULATED}", f"Regulator behind output {n}", "rectifier", "choice", options=(NONE, LINEAR),
                         schools="none where turns, coupling or a bleed hold it; linear where its load has to see less than they can hold"),
            DecisionSpec(f"regulator{n}.class", f"Class of regulator {n}", "rectifier", "choice", table="regulators",
                         schools="of usual drop, cheap and sturdy; of low drop, which burns less and minds its capacitor"),
            DecisionSpec(f"regulator{n}.spread", f"Spread of the voltage before regulator {n}, each way", "rectifier", low=0.02, high=0.3,
                         schools="little: less to burn, and a bleed that holds the output; much: no bleed, and a hotter regulator"),
            DecisionSpec(f"regulator{n}.v_in", f"Voltage before regulator {n}", "rectifier", unit="V", low=1.0, high=500.0,
                         schools="so that its least still leaves the drop; a little less where the load can bear a dip"))


DECISIONS = tuple(s for n in OTHERS for s in _decisions(n))


def of_output(n: int, name: str) -> tuple[FigureSpec, ...]:
    """Figures of the regulator behind output n."""
    def one(id: str, label: str, symbol: str, domain: Any, limit: str, kind: str = "max", **more: Any) -> FigureSpec:
        return FigureSpec(f"regulator{n}.{id}", f"{name}: {label}", symbol, "rectifier", domain, kind,
                          f"regulator{n}.{limit}" if limit else "", kind if limit else "", **more)
    return (one("v_drop", "voltage left across the regulator", "V_d", corners.CARRIED, "v_drop_least", "min",
                fixed="a load that grows faster than the capacitor before it holds",
                sentence="below its drop the regulator lets go of the output"),
            one("v_in_most", "voltage before the regulator", "V̂_in", corners.CARRIED, "v_in_limit",
                fixed="with the feedback open it is judged apart"),
            one("v_open", "before the regulator with the feedback open", "V_x", corners.FULL, "v_in_rated", look_only=True,
                sentence="where the over-voltage trip catches it"),
            one("i_peak", "current of the regulator", "Î", corners.FULL, "i_rated"),
            one("error", "error behind the regulator", "δ", corners.FULL, "error_limit",
                sentence="of its class, over temperature, line and load"),
            one("ripple_pp", "ripple behind the regulator", "ΔV_o", corners.FULL, "ripple_limit", fixed="spikes, which pass it"),
            one("loss", "loss of the regulator", "P", corners.FULL, ""),
            one("case_to_ambient", "case to ambient of the regulator", "R_ca", corners.FULL, "r_ca_floor", "min"))


def figures(need: Requirement) -> tuple[FigureSpec, ...]:
    """Figures of the regulators behind all outputs that may have one."""
    return tuple(f for n, o in enumerate(need.outputs, 1) if n > 1 for f in of_output(n, o.name))


def freed(specs: Sequence[FigureSpec], raw: bool) -> list[FigureSpec]:
    """Figures of an output; of one before its regulator without limits of its voltage: the regulator's drop and rating are what limits
    it."""
    return [replace(s, limit="", limit_kind="") if raw and s.id.endswith((".v_low", ".v_high")) else s for s in specs]


class Known(Struct, frozen=True):
    """Between what shares of its voltage an output was found before its regulator."""

    low: float
    high: float


class Before(Struct, frozen=True):
    """What a regulator of a class asks for before it, where that lies between known shares of its voltage."""

    row: Mapping[str, Any]
    out: Output
    known: Known

    @property
    def volts(self) -> float:
        """The voltage [V] whose least, at the trough of the ripple, leaves the drop."""
        return math.ceil(10 * (self.out.magnitude + self.row["v_drop_v"]) / (self.known.low - RIPPLE / 2)) / 10

    @property
    def burnt(self) -> float:
        """What it burns at most [W]."""
        return float(regulator.burnt(self.volts * self.known.high, self.out.current_max, self.row["i_ground_a"], self.out.magnitude))

    @property
    def unfit(self) -> str:
        """Why the class does not do; empty where it does."""
        if self.row["i_rated_a"] < (self.out.current_peak or 0.0):
            return f"carries {show(self.row['i_rated_a'], 'A')}"
        if BORNE * self.row["v_in_max_v"] < self.volts * (self.known.high + RIPPLE / 2):
            return f"bears {show(BORNE * self.row['v_in_max_v'], 'V')}"
        return f"holds ± {100 * self.row['error']:g} %" if self.row["error"] > self.out.tolerance else ""


def _fitting(work: Work, out: Output, known: Known) -> tuple[Before, Sequence[str]]:
    """The first class of the catalogue that does, or the last; and why those before it do not."""
    refused = []
    for row in work.parts["regulators"].rows:
        made = Before(row, out, known)
        if not made.unfit:
            break
        refused.append(f"{row['name']} {made.unfit}")
    return made, refused


def ask(work: Work, known: Mapping[int, Known]) -> tuple[Requirement, tuple[float, ...]]:
    """What the power stage is asked for: the requirement with every output that has a regulator as it is before that, and what the
    regulators take for themselves [A]. known: what an earlier design found, by number of the output."""
    outs, ground = list(work.need.outputs), [0.0] * len(work.need.outputs)
    for k, out in enumerate(outs[1:], 1):
        kind = work.choose(f"output{k + 1}{REGULATED}", NONE, "turns, coupling or a bleed hold it, or findings say that they do not")
        if kind.value == LINEAR:
            outs[k], ground[k] = _before(work, k + 1, out, known.get(k + 1))
    return with_values(work.need, outputs=tuple(outs)), tuple(ground)


def _before(work: Work, n: int, out: Output, known: Known | None) -> tuple[Output, float]:
    """Output n as it is before its regulator, and what that takes for itself [A]."""
    spread = float(work.choose(f"regulator{n}.spread", SPREAD, "so much that no bleed need hold it (common practice)").value)
    found = known or Known(1 - spread, 1 + spread)

    def rule() -> tuple[str, str, Sequence[str]]:
        made, refused = _fitting(work, out, found)
        return made.row["name"], (f"the first that carries {show(out.current_peak or 0.0, 'A')}, bears what is before it and holds "
                                  f"± {100 * out.tolerance:g} %"), refused
    row = work.parts["regulators"].row(work.choose(f"regulator{n}.class", rule).value)
    volts = float(work.choose(f"regulator{n}.v_in", Before(row, out, found).volts,
                              f"its least, {100 * (1 - found.low):.0f} % lower, leaves the drop of {show(row['v_drop_v'], 'V')} and half "
                              "the ripple").value)
    own, through = float(row["i_ground_a"]), (out.ripple_pp or 0.0) * 10 ** (row["rejection_db"] / 20)
    return with_values(out, name=f"{out.name}, raw", voltage=math.copysign(volts, out.voltage), voltage_min=None, voltage_max=None,
                       tolerance=spread, ripple_pp=min(max(min(RIPPLE * volts, through), 1e-3), volts), load_step=None,
                       current_max=out.current_max + own, current_min=out.current_min + own,
                       current_peak=(out.current_peak or out.current_max) + own), own


def behind(rows: Mapping[str, Row]) -> list[int]:
    """Numbers of the outputs behind which there is a regulator."""
    return [n for n in OTHERS if f"regulator{n}.v_drop" in rows]


def replanned(work: Work, specs: Mapping[str, FigureSpec], times: int) -> dict[int, Known]:
    """What regulators have to be planned for instead, by number of the output, where one is left with less than its drop, or with a good
    deal more; empty where they may stay, or have been planned often enough. times: how often that was."""
    rows, those = work.sheet.rows, behind(work.sheet.rows)
    if times >= TIMES or not any(_astray(work, specs, n) for n in those):
        return {}
    found, room = {}, times * ROUNDING
    for n in those:
        low, high = (float(judge(specs[f"output{n}.v_{end}"], rows, work.grid).value / rows[f"regulator{n}.v_in"].value)
                     for end in ("low", "high"))
        found[n] = Known(low - room, high + room)
    return found


def _astray(work: Work, specs: Mapping[str, FigureSpec], n: int) -> bool:
    """Whether a regulator has less than its drop, or a good deal more, or more before it than it bears, where nobody pinned that."""
    rows, id = work.sheet.rows, f"regulator{n}"
    least, low = (float(judge(specs[x], rows, work.grid).value) for x in (f"{id}.v_drop", f"output{n}.v_low"))
    spare = least - float(rows[f"{id}.v_drop_least"].value)
    return not work.choose.pinned(f"{id}.v_in") and (spare > SPARE * low or _missed(work, specs, n))


def _missed(work: Work, specs: Mapping[str, FigureSpec], n: int) -> bool:
    """Whether a regulator has less than its drop, or more before it than it bears."""
    return any(exceeded(specs[id], work.sheet.rows, work.grid) for id in (f"regulator{n}.v_drop", f"regulator{n}.v_in_most"))


def missed(work: Work, specs: Mapping[str, FigureSpec]) -> bool:
    """Whether any regulator has less than its drop, or more before it than it bears."""
    return any(_missed(work, specs, n) for n in behind(work.sheet.rows))


def record(work: Work, asked: Requirement) -> tuple[dict[str, Row], dict[str, Row]]:
    """Rows of all regulators; returns their losses, and by its name what each output gives behind one [W]."""
    losses, given = {}, {}
    for n, out in enumerate(asked.outputs, 1):
        if f"regulator{n}.v_in" in work.sheet.rows and f"output{n}.v_low" in work.sheet.rows:
            losses[f"regulator{n}"], given[f"output{n}"] = _one(work, n, out)
    return losses, given


def _one(work: Work, n: int, out: Output) -> tuple[Row, Row]:
    """Rows of one regulator; its loss, and what comes out of it."""
    sheet, rows, grid, id = work.sheet, work.sheet.rows, work.grid, f"regulator{n}"
    row = work.parts["regulators"].row(rows[f"{id}.class"].value)
    of_class = lambda name, value, unit="", text="": sheet.given(  # noqa: E731
        f"{id}.{name}", value, unit, "catalogue", f"class {row['name']}{text}")
    asked = lambda name, value, unit="": sheet.given(f"{id}.{name}", value, unit, text="requirement")  # noqa: E731
    v_out, ground = asked("v_out", out.magnitude, "V"), of_class("i_ground", row["i_ground_a"], "A")
    load = sheet.given(f"{id}.i", grid.current(n - 1) - row["i_ground_a"], "A", text=f"load of {out.name}")
    ripple = rows[f"output{n}.ripple_pp"]
    sheet(f"{id}.v_drop", regulator.across, v_in=rows[f"output{n}.v_low"], ripple_pp=ripple, v_out=v_out)
    of_class("v_drop_least", row["v_drop_v"], "V")
    sheet(f"{id}.v_in_most", regulator.crest, v_in=rows[f"output{n}.v_high"], ripple_pp=ripple)
    of_class("v_in_limit", BORNE * row["v_in_max_v"], "V", f" × {BORNE:g} (common practice)")
    if f"output{n}.v_open" in rows:
        sheet.again(f"{id}.v_open", rows[f"output{n}.v_open"])
        of_class("v_in_rated", row["v_in_max_v"], "V")
    asked("i_peak", out.current_peak, "A")
    of_class("i_rated", row["i_rated_a"], "A")
    of_class("error", row["error"])
    asked("error_limit", out.tolerance)
    sheet(f"{id}.ripple_pp", regulator.passed, ripple_pp=ripple, rejection=of_class("rejection", row["rejection_db"], "dB"))
    asked("ripple_limit", out.ripple_pp, "V")
    loss = sheet(f"{id}.loss", regulator.burnt, v_in=rows[f"output{n}.v"], i=load, i_ground=ground, v_out=v_out)
    dies.record_case(work, id, f"{id}.case_to_ambient", row, loss)
    dies.record_coolable(work, f"{id}.r_ca_floor")
    if out.load_step is not None:
        work.find(NOTE, "rectifier", f"{out.name}: how far its load step moves it is up to the regulator and the capacitor behind it: see "
                  "the curves of the very part", f"{id}.v_drop", "")
    return loss, sheet(f"load.p{n}", output.output_power, v=v_out, i=load)


def advise(work: Work, specs: Mapping[str, FigureSpec]) -> None:
    """A note for every output that leaves its tolerance without a regulator: turns, coupling and bleeds are told by the findings of its
    figures, this is the other way."""
    for n, out in enumerate(work.need.outputs, 1):
        if n > 1 and f"regulator{n}.v_in" not in work.sheet.rows and (ends := _range(work, specs, n)):
            spread = max(SPREAD, math.ceil(100 * ROOM * (ends[1] - ends[0]) / (ends[1] + ends[0])) / 100)
            made, _ = _fitting(work, out, Known(1 - spread, 1 + spread))
            if spread <= MOST and not made.unfit:
                work.find(NOTE, "rectifier", f"{out.name}: a linear regulator behind it would hold it; from "
                          f"{show(math.copysign(made.volts, out.voltage), 'V')} ± {100 * spread:.0f} % it burns up to "
                          f"{show(made.burnt, 'W')}", f"output{n}.v_high", f"output{n}{REGULATED}")


def _range(work: Work, specs: Mapping[str, FigureSpec], n: int) -> tuple[float, ...]:
    """Least and greatest voltage [V] of an output that leaves its tolerance; empty where it does not."""
    rows, grid = work.sheet.rows, work.grid
    ends = [specs[id] for id in (f"output{n}.v_low", f"output{n}.v_high") if id in rows and id in specs]
    return tuple(judge(s, rows, grid).value for s in ends) if any(exceeded(s, rows, grid) for s in ends) else ()
