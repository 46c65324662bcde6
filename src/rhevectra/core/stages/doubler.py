"""Doubler: two stacked capacitors that low mains charge in turn and high mains charge together, so that the bus spans one range instead of
two."""

from functools import partial

from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.stages.bulk import build as _build
from rhevectra.core.stages.bulk import position as _position
from rhevectra.core.stages.bulk.build import bus
from rhevectra.core.stages.bulk.declare import CURES, MAINS, NO_PICTURES, SHAPES_CURRENT, decisions, figures
from rhevectra.core.stages.bulk.record import bill, cycle, record

NAME, SHAPE = "doubler", _position.Shape(pair=True, doubles=True)
DECISIONS, FIGURES = decisions(SHAPE), figures(True)
PLATES = (("inlet", "Inlet", "inlet.fuse"), ("bulk", "Selector + bulk", "bulk.v_valley"))
plan = partial(_build.plan, SHAPE)


def usual(need: Requirement) -> str:
    """Never the usual one: a selector in the wrong position destroys the supply."""
    return ""


def rivals(need: Requirement) -> bool:
    """Whether the contest tries it beside the usual one: where all of the mains are doubled. A selector leaves a part of the range unserved
    and destroys the supply in its wrong position: people choose that, no search."""
    return need.mains.v_max <= _position.SPLIT


def axes(need: Requirement) -> tuple[tuple[float, ...], tuple[float, ...], tuple[str, ...]]:
    """Lines [V rms] with the ends of the selector's positions, line frequencies [Hz] and bus ends of the grid."""
    return _position.lines(need, True), tuple(sorted({need.mains.f_min, need.mains.f_max})), ("valley", "peak")


__all__ = ["CURES", "DECISIONS", "FIGURES", "MAINS", "NAME", "NO_PICTURES", "PLATES", "SHAPES_CURRENT", "axes", "bill", "bus", "cycle",
           "plan", "record", "rivals", "usual"]
