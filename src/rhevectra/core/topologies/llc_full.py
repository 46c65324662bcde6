"""Full-bridge LLC: the whole bus across the tank; zero-voltage turn-on, a centre tap without filter inductor."""

from functools import partial

from rhevectra.core.topologies.resonant import build as _build
from rhevectra.core.topologies.resonant.circuit import circuit, exact_traces, interval_name, ratings
from rhevectra.core.topologies.resonant.contest import CONTEST, EXPLORES, bill
from rhevectra.core.topologies.resonant.declare import (
           AFTER_CLAMP,
           BUS_RIPPLE,
           CURES,
           DECISIONS,
           FIGURES,
           NEEDS_CLAMP,
           NO_PICTURES,
           PLATES,
           output_figures,
)
from rhevectra.core.topologies.resonant.evaluate import findings, power_drawn, record
from rhevectra.core.topologies.resonant.schematic import NODE_PLACES, schematic
from rhevectra.core.topologies.resonant.variant import Variant
from rhevectra.core.topologies.resonant.views import flux_view, gain_view, share_traces, waveforms, winding_view

NAME = "llc_full"
BALANCED = True
_VARIANT = Variant(NAME, switches=4, in_path=2, drive=1.0)
EXACT_RATINGS = ratings(_VARIANT)
build = partial(_build.build, _VARIANT)

__all__ = ["AFTER_CLAMP", "BALANCED", "BUS_RIPPLE", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "EXPLORES", "FIGURES", "NAME",
           "NEEDS_CLAMP", "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "circuit", "exact_traces", "findings", "flux_view",
           "gain_view", "interval_name", "output_figures", "power_drawn", "record", "schematic", "share_traces", "waveforms",
           "winding_view"]
