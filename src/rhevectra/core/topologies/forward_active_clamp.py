"""Forward with an active clamp at a fixed frequency: a capacitor behind a second switch resets the core and returns the leakage energy."""

from functools import partial

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
from rhevectra.core.topologies.stepdown.schematic_active import NODE_PLACES, schematic
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
from rhevectra.core.topologies.stepdown.views import switched_current as bus_current

NAME = "forward_active_clamp"
_VARIANT = Variant(NAME, pulses=1, switches=1, drive=1.0, in_path=1, across=2.0, node="d1", active=True, duty=0.50, duty_limit=0.62,
                   why_limit="a quarter more than at the lowest bus")
DECISIONS, FIGURES = decisions(_VARIANT), figures(_VARIANT)
EXACT_RATINGS, exact_traces = ratings(_VARIANT), traces(_VARIANT)
build = partial(_build.build, _VARIANT)

__all__ = ["AFTER_CLAMP", "BUS_RIPPLE", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "EXPLORES", "FIGURES", "NAME", "NEEDS_CLAMP",
           "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "bus_current", "circuit", "exact_traces", "findings", "flux_view",
           "interval_name", "output_figures", "power_drawn", "record", "rectifier_ring", "ripple_choice", "schematic", "share_traces",
           "transient", "waveforms", "winding_view"]
