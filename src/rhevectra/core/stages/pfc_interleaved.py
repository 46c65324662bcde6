"""Several power factor stages at a fixed frequency side by side, evenly shifted: less current each, and ripples that cancel."""

from functools import partial

from rhevectra.core.stages.pfc import build as _build
from rhevectra.core.stages.pfc.cycle import cycle
from rhevectra.core.stages.pfc.declare import NO_PICTURES, PLATES, bill, decisions, figures
from rhevectra.core.stages.pfc.record import bus, record
from rhevectra.core.stages.plain import axes

NAME = "pfc_interleaved"
DECISIONS, FIGURES = decisions(boundary=False, phased=True), figures(boundary=False, phased=True)
plan = partial(_build.plan, False, True)

__all__ = ["DECISIONS", "FIGURES", "NAME", "NO_PICTURES", "PLATES", "axes", "bill", "bus", "cycle", "plan", "record"]
