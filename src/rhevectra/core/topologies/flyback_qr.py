"""Valley-switching flyback: the switch waits until the core is empty and the drain has rung down; the frequency follows line and load."""

from functools import partial

from rhevectra.core.topologies.common.declare import BUS_RIPPLE_RESONANT as BUS_RIPPLE
from rhevectra.core.topologies.flyback import wound as _wound
from rhevectra.core.topologies.flyback.circuit import EXACT_RATINGS, circuit, exact_traces, interval_name
from rhevectra.core.topologies.flyback.contest import VALLEY_CONTEST as CONTEST
from rhevectra.core.topologies.flyback.contest import VALLEY_EXPLORES as EXPLORES
from rhevectra.core.topologies.flyback.contest import bill
from rhevectra.core.topologies.flyback.declare import AFTER_CLAMP, CURES, PLATES, decisions, figures, output_figures
from rhevectra.core.topologies.flyback.evaluate import findings, power_drawn, record
from rhevectra.core.topologies.flyback.schematic import NODE_PLACES, schematic
from rhevectra.core.topologies.flyback.sharing import traces as share_traces
from rhevectra.core.topologies.flyback.variant import Variant
from rhevectra.core.topologies.flyback.views import (
         clamp_over_load,
         flux_view,
         frequency_view,
         rectifier_ring,
         ripple_choice,
         transient,
         waveforms,
         winding_view,
)

NAME = "flyback_qr"
LEADS = ("connections: start of the primary to the switch, its end to the bus; start of each secondary to its rectifier, which conducts "
         "while the primary's start is the higher end")
_VARIANT = Variant(NAME, valley=True)
NEEDS_CLAMP, CLAMPS_LEFT_OUT = (True, {"active": "a clamp switch turns the core's current round until the next pulse, so the drain never "
                                       "rings down to a valley that the main switch could wait for; with a fixed frequency it goes "
                                       "(topology flyback)"})
"""Clamps that do not go with it, and why."""
DECISIONS, FIGURES = decisions(_VARIANT), figures(_VARIANT)
NO_PICTURES = ("gain", "ripple", "legs")
build = partial(_wound.build, _VARIANT)

__all__ = ["AFTER_CLAMP", "BUS_RIPPLE", "CLAMPS_LEFT_OUT", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "EXPLORES", "FIGURES", "LEADS",
           "NAME", "NEEDS_CLAMP", "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "circuit", "clamp_over_load", "exact_traces",
           "findings", "flux_view", "frequency_view", "interval_name", "output_figures", "power_drawn", "record", "rectifier_ring",
           "ripple_choice", "schematic", "share_traces", "transient", "waveforms", "winding_view"]
