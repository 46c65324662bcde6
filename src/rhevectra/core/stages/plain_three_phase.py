"""Plain three-phase front end: fuses, inrush limiters, six diodes, bulk capacitor or two in series."""

from functools import partial

from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.stages import inlet
from rhevectra.core.stages.bulk import build as _build
from rhevectra.core.stages.bulk import position as _position
from rhevectra.core.stages.bulk.build import bus
from rhevectra.core.stages.bulk.declare import CURES, SHAPES_CURRENT, decisions, figures
from rhevectra.core.stages.bulk.record import bill, cycle, record
from rhevectra.core.stages.bulk.three_lines import DECISION as _UNBALANCE
from rhevectra.core.stages.bulk.three_lines import FIGURES as _LINES
from rhevectra.core.stages.bulk.three_lines import line_currents
from rhevectra.core.stages.plain import axes

NAME, SHAPE, MAINS = "plain_three_phase", _position.Shape(phases=3), "ac3"
DECISIONS, FIGURES = (*decisions(SHAPE), _UNBALANCE), (*figures(True), *_LINES)
NO_PICTURES = ("envelope", "derating")
PLATES = (("inlet", "Inlet", "inlet.fuse"), ("bulk", "Bridge + bulk", "bulk.v_valley"))
plan = partial(_build.plan, SHAPE)


def usual(need: Requirement) -> str:
    """Why this front end is the usual one for a requirement, or nothing."""
    power, most = inlet.beyond_plain(need)
    return ("" if most is not None or need.mains.kind != MAINS
            else f"some {power:.0f} W: six diodes meet what is asked of line harmonics (class {need.harmonics_class})")


def rivals(need: Requirement) -> bool:
    """Whether the contest tries it beside the usual one."""
    return False


__all__ = ["CURES", "DECISIONS", "FIGURES", "MAINS", "NAME", "NO_PICTURES", "PLATES", "SHAPES_CURRENT", "axes", "bill", "bus", "cycle",
           "line_currents", "plan", "record", "rivals", "usual"]
