"""Power factor stage at the boundary of conduction: constant on-time, each cycle begins when the current has returned."""

from functools import partial

from rhevectra.core.stages.pfc import build as _build
from rhevectra.core.stages.pfc.cycle import cycle, limit_power
from rhevectra.core.stages.pfc.declare import CURES, MAINS, NO_PICTURES, PLATES, SHAPES_CURRENT, bill, decisions, figures
from rhevectra.core.stages.pfc.declare import usual as _usual
from rhevectra.core.stages.pfc.law import Law
from rhevectra.core.stages.pfc.record import bus, record
from rhevectra.core.stages.pfc.switching import switching
from rhevectra.core.stages.plain import axes

NAME = "pfc_crm"
_LAW = Law(boundary=True)
DECISIONS, FIGURES = decisions(_LAW), figures(_LAW)
plan = partial(_build.plan, _LAW)
usual = partial(_usual, _LAW)

__all__ = ["CURES", "DECISIONS", "FIGURES", "MAINS", "NAME", "NO_PICTURES", "PLATES", "SHAPES_CURRENT", "axes", "bill", "bus", "cycle",
           "limit_power", "plan", "record", "switching", "usual"]
