"""Half bridge at a fixed frequency, hard switched, with a centre-tapped secondary: no clamp; several outputs on one filter core."""

from functools import partial

from rhevectra.core.topologies.common.declare import BUS_RIPPLE_BOTH_WAYS as BUS_RIPPLE
from rhevectra.core.topologies.stepdown import build as _build
from rhevectra.core.topologies.stepdown.circuit import circuit, ratings, traces
from rhevectra.core.topologies.stepdown.contest import CONTEST, EXPLORES, bill
from rhevectra.core.topologies.stepdown.declare import (
                   AFTER_CLAMP,
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
from rhevectra.core.topologies.stepdown.schematic_half import NODE_PLACES, schematic
from rhevectra.core.topologies.stepdown.variant import Variant
from rhevectra.core.topologies.stepdown.views import divided_current as bus_current
from rhevectra.core.topologies.stepdown.views import (
                   flux_view,
                   rectifier_ring,
                   ripple_choice,
                   share_traces,
                   transient,
                   waveforms,
                   winding_view,
)

NAME = "half_bridge"
_VARIANT = Variant(NAME, pulses=2, switches=2, drive=0.5, in_path=1, across=2.0, node="a", duty=0.80, duty_limit=0.92,
                   why_limit="what the dead time of the legs leaves of the pulse period", series="divider", in_series=2, control="voltage")
DECISIONS, FIGURES = decisions(_VARIANT), figures(_VARIANT)
EXACT_RATINGS, exact_traces = ratings(_VARIANT), traces(_VARIANT)
build = partial(_build.build, _VARIANT)

__all__ = ["AFTER_CLAMP", "BUS_RIPPLE", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "EXPLORES", "FIGURES", "NAME", "NEEDS_CLAMP",
           "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "bus_current", "circuit", "exact_traces", "findings", "flux_view",
           "interval_name", "output_figures", "power_drawn", "record", "rectifier_ring", "ripple_choice", "schematic", "share_traces",
           "transient", "waveforms", "winding_view"]
