"""Two-switch forward at a fixed frequency: both switches held to the bus by reset diodes, no clamp; several outputs on one filter core."""

from functools import partial

from rhevectra.core.stages.gates import TRANSFORMER
from rhevectra.core.topologies.stepdown import build as _build
from rhevectra.core.topologies.stepdown.circuit import circuit, ratings, traces
from rhevectra.core.topologies.stepdown.contest import CONTEST, EXPLORES, bill
from rhevectra.core.topologies.stepdown.declare import (
                   AFTER_CLAMP,
                   BUS_RIPPLE,
                   CURES,
                   NEEDS_CLAMP,
                   NO_PICTURES,
                   PLATES,
                   decisions,
                   figures,
                   output_figures,
)
from rhevectra.core.topologies.stepdown.evaluate import findings, power_drawn, record
from rhevectra.core.topologies.stepdown.intervals import interval_name
from rhevectra.core.topologies.stepdown.schematic_single import NODE_PLACES, schematic
from rhevectra.core.topologies.stepdown.variant import Variant
from rhevectra.core.topologies.stepdown.views import (
                   flux_view,
                   rectifier_ring,
                   ripple_choice,
                   share_traces,
                   transient,
                   waveforms,
                   winding_view,
)

NAME = "forward_2sw"
BALANCED = True
FLOATING = TRANSFORMER
_VARIANT = Variant(NAME, pulses=1, switches=2, drive=1.0, in_path=2, across=0.5, node="b", duty=0.42, duty_limit=0.48,
                   why_limit="below a half, so that the core always resets", remanence=0.1)
DECISIONS, FIGURES = decisions(_VARIANT), figures(_VARIANT)
EXACT_RATINGS, exact_traces = ratings(_VARIANT), traces(_VARIANT)
build = partial(_build.build, _VARIANT)

__all__ = ["AFTER_CLAMP", "BALANCED", "BUS_RIPPLE", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "EXPLORES", "FIGURES", "FLOATING",
           "NAME", "NEEDS_CLAMP", "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "circuit", "exact_traces", "findings",
           "flux_view", "interval_name", "output_figures", "power_drawn", "record", "rectifier_ring", "ripple_choice", "schematic",
           "share_traces", "transient", "waveforms", "winding_view"]
