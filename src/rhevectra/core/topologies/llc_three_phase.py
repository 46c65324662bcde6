"""Three half-bridge resonant tanks a third of a period apart on one output: currents into the output capacitor nearly cancel, each phase
has its own magnetics; one output."""

from functools import partial

from rhevectra.core.topologies.resonant import build as _build
from rhevectra.core.topologies.resonant.circuit import circuit, exact_traces, interval_name, ratings
from rhevectra.core.topologies.resonant.contest import CONTEST, EXPLORES, bill
from rhevectra.core.topologies.resonant.declare import AFTER_CLAMP, BUS_RIPPLE, CURES, NEEDS_CLAMP, PLATES, output_figures
from rhevectra.core.topologies.resonant.declare import PHASED_DECISIONS as DECISIONS
from rhevectra.core.topologies.resonant.declare import PHASED_FIGURES as FIGURES
from rhevectra.core.topologies.resonant.declare import PHASED_NO_PICTURES as NO_PICTURES
from rhevectra.core.topologies.resonant.evaluate import findings, power_drawn, record
from rhevectra.core.topologies.resonant.schematic import NODE_PLACES, schematic
from rhevectra.core.topologies.resonant.variant import Variant
from rhevectra.core.topologies.resonant.views import bus_current, flux_view, gain_view, legs_view, waveforms, winding_view

NAME = "llc_three_phase"
_VARIANT = Variant(NAME, switches=6, in_path=1, drive=0.5, phases=3)
EXACT_RATINGS = ratings(_VARIANT)
build = partial(_build.build, _VARIANT)

__all__ = ["AFTER_CLAMP", "BUS_RIPPLE", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "EXPLORES", "FIGURES", "NAME", "NEEDS_CLAMP",
           "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "bus_current", "circuit", "exact_traces", "findings", "flux_view",
           "gain_view", "interval_name", "legs_view", "output_figures", "power_drawn", "record", "schematic", "waveforms", "winding_view"]
