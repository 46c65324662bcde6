"""No clamp: for stages that hand the leakage energy back by themselves."""

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages import clamping
from rhevectra.core.stages.work import FigureSpec

NAME = "none"
NO_PICTURES = (*clamping.OF_RCD, "loads")
CURES: dict[str, str] = {}
DECISIONS: tuple[DecisionSpec, ...] = ()
FIGURES: tuple[FigureSpec, ...] = ()
PLATES: tuple[tuple[str, str, str], ...] = ()
