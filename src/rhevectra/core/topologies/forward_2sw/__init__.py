"""Two-switch forward at a fixed frequency: both switches held to the bus by reset diodes, no clamp, one output."""

from rhevectra.core.topologies.forward_2sw.build import build
from rhevectra.core.topologies.forward_2sw.circuit import EXACT_RATINGS, circuit, exact_traces, interval_name
from rhevectra.core.topologies.forward_2sw.contest import CONTEST, bill
from rhevectra.core.topologies.forward_2sw.declare import DECISIONS, FIGURES, output_figures
from rhevectra.core.topologies.forward_2sw.evaluate import findings, power_drawn, record
from rhevectra.core.topologies.forward_2sw.schematic import NODE_PLACES, schematic
from rhevectra.core.topologies.forward_2sw.views import flux_view, ripple_choice, transient, waveforms, winding_view

NAME = "forward_2sw"
NEEDS_CLAMP = False
CURES = {"switch.v_peak": "switch.class", "switch.duty_max": "forward.duty", "transformer.b_peak": "transformer.np", "rectifier": "rectifier1.class", "filter1.rise": "filter1.core", "feedback": "feedback.resistor_tolerance"}
PLATES = (("switch", "Switches", "switch.v_peak"), ("transformer", "Transformer", "transformer.core"))
AFTER_CLAMP = (("rectifier", "Rectifiers + filter", "rectifier1.v_reverse"), ("feedback", "Feedback", "feedback.error"))
NO_PICTURES = ("supply", "transient")

__all__ = ["AFTER_CLAMP", "CONTEST", "CURES", "DECISIONS", "EXACT_RATINGS", "FIGURES", "NAME", "NEEDS_CLAMP", "NODE_PLACES", "NO_PICTURES", "PLATES", "bill", "build", "circuit", "exact_traces", "findings", "flux_view", "interval_name", "output_figures", "power_drawn", "record", "ripple_choice", "schematic", "transient", "waveforms", "winding_view"]
