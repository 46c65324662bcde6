"""All decisions and figures a design may have: those of its front end, its topology and its clamp, and of what goes over every design."""

from types import ModuleType

from msgspec.structs import replace

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.design import regulators, weighted
from rhevectra.core.emission import declare as emission
from rhevectra.core.stages import clamps_for, clamps_refused, front_ends_for, gates, pulse_duty, sinks, stored
from rhevectra.core.stages.work import FigureSpec
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common import overload


def decision_specs(topology: ModuleType, front: ModuleType, clamp: ModuleType) -> dict[str, DecisionSpec]:
    """Every decision that applies, in the order people decide."""
    shape = (DecisionSpec("topology", "Topology", "switch", "choice", options=tuple(TOPOLOGIES)),
             DecisionSpec("front_end", "Front end", "bulk", "choice", options=tuple(front_ends_for(front.MAINS))),
             DecisionSpec("clamp.kind", "Clamp", "clamp", "choice", options=tuple(clamps_for(topology)),
                          schools="; ".join(f"not {name}: {why}" for name, why in clamps_refused(topology).items())))
    return {s.id: s for s in (*shape, *front.DECISIONS, *emission.decisions(front), *topology.DECISIONS, *regulators.DECISIONS,
                              *weighted.DECISIONS, *clamp.DECISIONS, overload.DECISION, *gates.DECISIONS, *sinks.DECISIONS)}


def figure_specs(topology: ModuleType, front: ModuleType, clamp: ModuleType, need: Requirement,
                  raw: Requirement) -> dict[str, FigureSpec]:
    """All figures there may be; raw: the requirement with outputs as the power stage gives them."""
    several = len(need.outputs) > 1
    outputs = [replace(s, label=f"{o.name}: {s.label[0].lower()}{s.label[1:]}") if several else s for n, o in enumerate(raw.outputs, 1)
               for s in regulators.freed(topology.output_figures(n), o is not need.outputs[n - 1])]
    return {s.id: s for s in (*front.FIGURES, *emission.figures(front), *topology.FIGURES, *clamp.FIGURES, *outputs,
                              *pulse_duty.figures(len(need.outputs)), *stored.figures(len(need.outputs)), *regulators.figures(need),
                              *(weighted.FIGURES if several else ()), *gates.FIGURES, *sinks.FIGURES)}
