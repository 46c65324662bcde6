"""Several power factor stages at a fixed frequency side by side, evenly shifted: less current each, and ripples that cancel."""

from functools import partial

from rhevectra.core.stages.pfc import build as _build
from rhevectra.core.stages.pfc.cycle import cycle, limit_power
from rhevectra.core.stages.pfc.declare import CURES, MAINS, NO_PICTURES, PLATES, SHAPES_CURRENT, bill, decisions, figures
from rhevectra.core.stages.pfc.declare import usual as _usual
from rhevectra.core.stages.pfc.law import Law
from rhevectra.core.stages.pfc.record import bus, record
from rhevectra.core.stages.pfc.switching import switching
from rhevectra.core.stages.plain import axes

NAME = "pfc_interleaved"
_LAW = Law(phased=True)
DECISIONS, FIGURES = decisions(_LAW), figures(_LAW)
plan = partial(_build.plan, _LAW)
usual = partial(_usual, _LAW)

__all__ = ["CURES", "DECISIONS", "FIGURES", "MAINS", "NAME", "NO_PICTURES", "PLATES", "SHAPES_CURRENT", "axes", "bill", "bus", "cycle",
           "limit_power", "plan", "record", "switching", "usual"]
