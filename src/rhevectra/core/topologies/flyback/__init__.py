"""Fixed-frequency flyback, continuous or discontinuous at each corner."""

from rhevectra.core.topologies.flyback import declare, faults
from rhevectra.core.topologies.flyback.circuit import EXACT_RATINGS, circuit, exact_traces, interval_name
from rhevectra.core.topologies.flyback.contest import CONTEST, bill
from rhevectra.core.topologies.flyback.declare import output_figures
from rhevectra.core.topologies.flyback.evaluate import findings, power_drawn, record
from rhevectra.core.topologies.flyback.schematic import NODE_PLACES, schematic
from rhevectra.core.topologies.flyback.views import flux_view, ripple_choice, transient, waveforms, winding_view
from rhevectra.core.topologies.flyback.wound import build

NAME = "flyback"
NEEDS_CLAMP = True
CURES = {"switch.v_peak": "clamp.r", "switch.duty_max": "bulk.c", "transformer.b_peak": "transformer.np", "transformer.temperature_rise": "transformer.core", "clamp": "clamp.r", "rectifier": "rectifier1.class", "feedback": "transformer.naux"}
DECISIONS, FIGURES = (*declare.DECISIONS, *faults.DECISIONS), (*declare.FIGURES, *faults.FIGURES)
NO_PICTURES = ("gain",)
PLATES = (("switch", "Switch", "switch.v_peak"), ("transformer", "Transformer", "transformer.core"))
AFTER_CLAMP = (("rectifier", "Rectifier + filter", "rectifier1.v_reverse"), ("feedback", "Feedback + supply", "aux.v_low"))

__all__ = ["AFTER_CLAMP", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "FIGURES", "NAME", "NEEDS_CLAMP", "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "circuit", "exact_traces", "findings", "flux_view", "interval_name", "output_figures", "power_drawn", "record", "ripple_choice", "schematic", "transient", "waveforms", "winding_view"]
