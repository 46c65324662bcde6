"""Outputs beside the regulated one of a stage whose secondaries all conduct at once, through whatever smooths them."""

from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.formulas import coupled
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import idle
from rhevectra.core.topologies.common.faults import rated
from rhevectra.core.topologies.common.synchronous import driven

ROUNDING = 0.4
"""Share of an output's tolerance that whole turns may take."""


class Other(Struct, frozen=True):
    """One more output, in numbers or rows. n: its number; ns: turns of its winding (of one half of a tap); i_out: with its bleed [A]; drop
    [V] and resistance [Ω] of its rectifier, resistance of its winding."""

    n: int
    ns: Any
    i_out: Any
    v_forward: Any
    r_rectifier: Any
    r_secondary: Any


AnOther = TypeVar("AnOther", bound=Other)


def designed(work: Work, able: bool = True) -> list[int]:
    """Numbers, from nothing up, of the outputs beside the regulated one, which comes first, that a stage has where it is able to have
    several."""
    return list(range(1, len(work.need.outputs))) if able else []


def refused(work: Work, able: bool) -> None:
    """The finding where there are outputs the stage cannot have."""
    need = work.need
    if len(need.outputs) > 1 and not able:
        work.find(MUST_FIX, "load", f"only {need.outputs[need.main].name} is designed: phases share one output; all other stages that "
                  "isolate have several", "", "topology")


def load_of(work: Work, k: int, row: Mapping[str, Any], fs: float, sleeps: bool, supply: float) -> Any:
    """Current of output k, from nothing up, at each point [A]: its load, never below what hangs on it for good, its bleed, and the drive of
    a synchronous rectifier."""
    return idle.load(work, k) + idle.bleed(work, k, sleeps) + driven(work.grid, supply, 2 * row["q_gate_c"], fs, sleeps)


def drops(work: Work, k: int, row: Mapping[str, Any], in_path: int = 1) -> float:
    """What lies between the winding of output k and its terminals [V] at full current: rectifiers, as many as lie in the path, and 2 % for
    the copper."""
    out = work.need.outputs[k]
    return float(
        in_path * (row["v_forward_v"] + row["r_dynamic_ohm"] * max(out.current_peak or 0.0, out.current_max)) + 0.02 * out.magnitude)


def wound(others: Sequence[AnOther], turns: Sequence[Any], effective: Sequence[float], step: int) -> tuple[AnOther, ...]:
    """The outputs with whole turns and the resistances of their windings; turns, effective: in the order of the windings, those of halves
    beside each other (step)."""
    return tuple(replace(x, ns=float(turns[k].value), r_secondary=effective[1 + step * (k - 1)]) for k, x in enumerate(others, 2))


def given(work: Work, plan: Any, x: Other, turns: Any) -> dict[str, Any]:
    """Rows of one output, by the names they have in `Other`; turns: row of its winding."""
    sheet, said = work.sheet, plan.rectifiers[x.n - 1]["row"]["said"]
    return {"ns": turns, "i_out": sheet.given(f"load.i{x.n}", x.i_out, "A", text=f"current of the output ({idle.HANGS}) and the drive of a "
                                              "synchronous rectifier"),
            "v_forward": sheet.given(f"rectifier{x.n}.v_forward", x.v_forward, "V", "catalogue", said),
            "r_rectifier": sheet.given(f"rectifier{x.n}.r_dynamic", x.r_rectifier, "Ω", "catalogue", said),
            "r_secondary": sheet.solved(f"transformer.r_secondary{x.n}", x.r_secondary, "Ω",
                                        "copper loss of this secondary at the worst corner over its rms current squared")}


def charged(work: Work, others: Sequence[Other]) -> tuple[Any, Any]:
    """Full load [A] and capacitance [F] of all outputs, seen from the regulated one: what starts up together."""
    sheet, outs = work.sheet, work.need.outputs
    load, c = sheet.given("start.i_load1", outs[0].current_max, "A", text=f"full current of {outs[0].name}"), sheet.rows["output1.c"]
    for x in others:
        turns = {"turns_other": sheet.rows[f"transformer.ns{x.n}"], "turns": sheet.rows["transformer.ns1"]}
        load = sheet(f"start.i_with{x.n}", coupled.seen, i=load,
                     i_other=sheet.given(f"start.i_load{x.n}", outs[x.n - 1].current_max, "A",
                                         text=f"full current of {outs[x.n - 1].name}"), **turns)
        c = sheet(f"start.c_with{x.n}", coupled.seen_capacitance, c=c, c_other=sheet.rows[f"output{x.n}.c"], **turns)
    return sheet.again("start.i_load", load), sheet.again("start.c_load", c)


def opened(work: Work, others: Sequence[Other], v_forward: Any, volts: Any) -> None:
    """Rows of what the other outputs come to with the feedback open, while the trip holds the regulated one; v_forward: drop of its
    rectifier, volts: what it comes to."""
    sheet = work.sheet
    for x in others:
        sheet(f"output{x.n}.v_open", coupled.opened, v_open=volts, v_forward=v_forward, turns_other=sheet.rows[f"transformer.ns{x.n}"],
              turns=sheet.rows["transformer.ns1"], v_forward_other=sheet.rows[f"rectifier{x.n}.v_forward"])
        rated(work, x.n)
