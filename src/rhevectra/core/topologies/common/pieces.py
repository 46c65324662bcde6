"""The transformer of a design as several like ones: primaries in series, secondaries in parallel.

Everything the circuit sees is that of the whole: turns and inductances in series add up, resistances of the
secondaries lie side by side. What is wound, gapped, filled and heated is one piece.
"""

from collections.abc import Callable, Sequence
from typing import Any

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.formulas import forward, magnetics
from rhevectra.core.magnetics import matrix
from rhevectra.core.magnetics.transformer import TransformerNeed, outputs_of
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.stages.work import Work
from rhevectra.core.stages.wound import record_nodes, record_rise
from rhevectra.core.topologies.common.winding import wires

ID = "transformer.pieces"
DECISION = DecisionSpec(ID, "Transformers in series", "transformer", "integer", low=1, high=matrix.MOST,
                        schools="one: fewest parts; several small ones, secondaries in parallel: for one-turn secondaries of some hundred "
                        "amperes, lower, each with rectifiers of its own; see the picture Split")
HEAVY = 30.0
"""Current of a secondary [A rms] from which several transformers are tried where one is refused (common practice, no source)."""


def decide(work: Work, count: int) -> int:
    """How many transformers there are. count: what the rule would take."""
    return int(work.choose(ID, count, "one: fewest parts" if count == 1 else "fewest that pass where no single core does").value)


def fewest(work: Work, plan: Any) -> int:
    """The fewest pieces that pass where the one transformer of a plan is refused; one where it passes, where none do, or where its current
    is small."""
    need = plan.need
    if plan.choice.passed or work.choose.pinned(ID) or need.board is not None or need.wall is not None or need.windings[1].i_rms < HEAVY:
        return 1
    cores, offered = work.parts["cores"], wires(work.parts)
    known, pinned = cores.derived(windows), work.choose.pins.get("transformer.core")
    counts = range(2, matrix.MOST + 1)
    return next((n for n in counts if not matrix.split(need, n, known, offered, cores, pinned).refused), 1)


def resistances(need: TransformerNeed, copper: Sequence[float]) -> list[float]:
    """Effective resistance of each winding as the circuit sees it [Ω], from the copper loss [W] of one piece: primaries in series,
    secondaries side by side."""
    carried = [w.i_rms * (need.pieces if k in outputs_of(need) else 1) for k, w in enumerate(need.windings)]
    return [need.pieces * p / max(i**2, 1e-18) for p, i in zip(copper, carried, strict=True)]


def of_all(sheet: Any, need: TransformerNeed, id: str, formula: Callable[..., Any], one: Any) -> Any:
    """A row of all pieces from that of one, which it is where there is one only. formula(count, one)."""
    return one if need.pieces == 1 else sheet(id, formula, count=sheet.rows["transformer.count"], one=one)


def all_turns(sheet: Any, need: TransformerNeed, turns: Any) -> Any:
    """Primary turns as the circuit sees them."""
    return of_all(sheet, need, "transformer.np_all", magnetics.turns_in_series, turns)


def inductance_of_one(sheet: Any, need: TransformerNeed, whole: Any) -> Any:
    """Inductance of one piece, which is what its maker reads."""
    return whole if need.pieces == 1 else sheet("transformer.l_each", magnetics.inductance_of_each, inductance=whole,
                                                count=sheet.rows["transformer.count"])


def record_heat(work: Work, plan: Any, p_core: Any, p_copper: Any) -> None:
    """Rise and temperatures of one piece, from the losses of all."""
    sheet, core = work.sheet, plan.choice.core
    if plan.need.pieces > 1:
        p_core, p_copper = (sheet(f"transformer.loss_{name}_each", forward.share_of, power=whole, count=sheet.rows["transformer.count"])
                            for name, whole in (("core", p_core), ("copper", p_copper)))
    record_rise(work, "transformer", float(plan.window.surface[core]), p_core, p_copper, "temperature_rise")
    record_nodes(work, "transformer", plan.window, core, p_core, p_copper)


def together(need: TransformerNeed) -> str:
    """Words behind a quantity of all pieces."""
    return "" if need.pieces == 1 else f", {need.pieces} together"


def record(work: Work, need: TransformerNeed) -> None:
    """The count as a row that formulas name, and what a builder has to know of it."""
    if need.pieces > 1:
        work.sheet.given("transformer.count", need.pieces, "", "rule", "like transformers, primaries in series, secondaries in parallel")
        work.find(NOTE, "transformer", f"{need.pieces} like transformers: primaries in series, all in the same sense, so that every "
                  "secondary gives the same current; each has its own rectifiers, joined behind them", ID, ID)


def called(design: Any) -> str:
    """The core of the transformer, with the number of pieces where there are several."""
    count = design.context["plan"].need.pieces
    return f"{f'{count} × ' if count > 1 else ''}{design.rows['transformer.core'].value}"
