"""Plain front end: fuse, inrush thermistor, bridge, bulk capacitor."""

from functools import partial

from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.stages import inlet
from rhevectra.core.stages.bulk import build as _build
from rhevectra.core.stages.bulk import position as _position
from rhevectra.core.stages.bulk.build import bus
from rhevectra.core.stages.bulk.declare import CURES, MAINS, NO_PICTURES, SHAPES_CURRENT, decisions, figures
from rhevectra.core.stages.bulk.record import bill, cycle, record

NAME, SHAPE = "plain", _position.Shape()
DECISIONS, FIGURES = decisions(SHAPE), figures(False)
PLATES = (("inlet", "Inlet", "inlet.fuse"), ("bulk", "Bridge + bulk", "bulk.v_valley"))
plan = partial(_build.plan, SHAPE)


def usual(need: Requirement) -> str:
    """Why this front end is the usual one for a requirement, or nothing."""
    power, most = inlet.beyond_plain(need)
    return ("" if most is not None
            else f"some {power:.0f} W: a plain bridge meets what is asked of line harmonics (class {need.harmonics_class})")


def rivals(need: Requirement) -> bool:
    """Whether the contest tries it beside the usual one."""
    return False


def axes(need: Requirement) -> tuple[tuple[float, ...], tuple[float, ...], tuple[str, ...]]:
    """Lines [V rms], line frequencies [Hz] and bus ends of the grid."""
    return _position.lines(need, False), tuple(sorted({need.mains.f_min, need.mains.f_max})), ("valley", "peak")


__all__ = ["CURES", "DECISIONS", "FIGURES", "MAINS", "NAME", "NO_PICTURES", "PLATES", "SHAPES_CURRENT", "axes", "bill", "bus", "cycle",
           "plan", "record", "rivals", "usual"]
