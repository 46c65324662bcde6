"""Power factor stage at a fixed frequency, continuous conduction, average-current control."""

from functools import partial

from rhevectra.core.stages.pfc import build as _build
from rhevectra.core.stages.pfc.cycle import cycle
from rhevectra.core.stages.pfc.declare import NO_PICTURES, PLATES, bill, decisions, figures
from rhevectra.core.stages.pfc.record import bus, record
from rhevectra.core.stages.plain import axes

NAME = "pfc_ccm"
DECISIONS, FIGURES = decisions(boundary=False), figures(boundary=False)
plan = partial(_build.plan, False, False)

__all__ = ["DECISIONS", "FIGURES", "NAME", "NO_PICTURES", "PLATES", "axes", "bill", "bus", "cycle", "plan", "record"]
