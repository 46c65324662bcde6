"""What may be decided about a flyback beside what all topologies share."""

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.topologies.common import declare
from rhevectra.core.topologies.common.declare import output_figures

DECISIONS = declare.decisions(
    DecisionSpec("flyback.v_or", "Reflected voltage", "switch", unit="V", low=2, high=400, schools="what the switch class leaves; 80 to 135 V by habit on wide mains"),
    DecisionSpec("flyback.ripple_ratio", "Ripple ratio at the valley", "switch", low=0.15, high=2.0, schools="0.2 to 0.3; 0.6 to 1.25; 2 is the boundary of conduction"),
    DecisionSpec("transformer.lp", "Primary inductance", "transformer", unit="H", low=1e-7, high=0.1),
    DecisionSpec("transformer.lp_tolerance", "Inductance tolerance", "transformer", low=0.01, high=0.3),
)
FIGURES = declare.figures()

__all__ = ["DECISIONS", "FIGURES", "output_figures"]
