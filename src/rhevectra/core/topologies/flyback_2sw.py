"""Two-switch flyback at a fixed frequency: both switches held to the bus, the leakage energy handed back to it; no clamp."""

from functools import partial

from rhevectra.core.stages.gates import TRANSFORMER
from rhevectra.core.topologies.flyback import wound as _wound
from rhevectra.core.topologies.flyback.circuit import EXACT_RATINGS, circuit, exact_traces, interval_name
from rhevectra.core.topologies.flyback.contest import CONTEST, EXPLORES, bill
from rhevectra.core.topologies.flyback.declare import AFTER_CLAMP, BUS_RIPPLE, PLATES, decisions, figures, output_figures
from rhevectra.core.topologies.flyback.declare import HELD_CURES as CURES
from rhevectra.core.topologies.flyback.evaluate import findings, power_drawn, record
from rhevectra.core.topologies.flyback.schematic_held import NODE_PLACES, schematic
from rhevectra.core.topologies.flyback.sharing import traces as share_traces
from rhevectra.core.topologies.flyback.variant import Variant
from rhevectra.core.topologies.flyback.views import flux_view, rectifier_ring, ripple_choice, transient, waveforms, winding_view

NAME = "flyback_2sw"
LEADS = ("connections: start of the primary to the switch, its end to the bus; start of each secondary to its rectifier, which conducts "
         "while the primary's start is the higher end")
BALANCED = True
FLOATING = TRANSFORMER
_VARIANT = Variant(NAME, held=True)
NEEDS_CLAMP = False
DECISIONS, FIGURES = decisions(_VARIANT), figures(_VARIANT)
NO_PICTURES = ("gain", "frequency", "legs")
build = partial(_wound.build, _VARIANT)

__all__ = ["AFTER_CLAMP", "BALANCED", "BUS_RIPPLE", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "EXPLORES", "FIGURES", "FLOATING",
           "LEADS", "NAME", "NEEDS_CLAMP", "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "circuit", "exact_traces", "findings",
           "flux_view", "interval_name", "output_figures", "power_drawn", "record", "rectifier_ring", "ripple_choice", "schematic",
           "share_traces", "transient", "waveforms", "winding_view"]
