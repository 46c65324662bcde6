"""Three-phase power factor stage on a common bus with a mid-point: constant power, little storage."""

from rhevectra.core.stages.plain import axes
from rhevectra.core.stages.three.build import plan
from rhevectra.core.stages.three.declare import CURES, DECISIONS, FIGURES, MAINS, NO_PICTURES, PLATES, SHAPES_CURRENT, bill, usual
from rhevectra.core.stages.three.record import bus, cycle, limit_power, record, switching

NAME = "pfc_three_phase"

__all__ = ["CURES", "DECISIONS", "FIGURES", "MAINS", "NAME", "NO_PICTURES", "PLATES", "SHAPES_CURRENT", "axes", "bill", "bus", "cycle",
           "limit_power", "plan", "record", "switching", "usual"]
