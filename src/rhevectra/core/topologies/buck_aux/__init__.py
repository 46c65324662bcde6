"""Step-down converter without isolation, from a high bus, for a housekeeping supply: every node is live."""

from rhevectra.core.topologies.buck_aux.build import build
from rhevectra.core.topologies.buck_aux.circuit import EXACT_RATINGS, circuit, exact_traces, interval_name
from rhevectra.core.topologies.buck_aux.declare import (
           AFTER_CLAMP,
           BUS_RIPPLE,
           CURES,
           DECISIONS,
           FIGURES,
           NO_PICTURES,
           PLATES,
           output_figures,
)
from rhevectra.core.topologies.buck_aux.evaluate import findings, power_drawn, record
from rhevectra.core.topologies.buck_aux.views import CONTEST, EXPLORES, NODE_PLACES, bill, bus_current, ripple_choice, schematic, waveforms

NAME = "buck_aux"
NEEDS_CLAMP = False

__all__ = ["AFTER_CLAMP", "BUS_RIPPLE", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "EXPLORES", "FIGURES", "NAME", "NEEDS_CLAMP",
           "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "bus_current", "circuit", "exact_traces", "findings", "interval_name",
           "output_figures", "power_drawn", "record", "ripple_choice", "schematic", "waveforms"]
