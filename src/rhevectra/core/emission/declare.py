"""What may be decided about the mains filter, and its figures."""

from collections.abc import Mapping
from types import ModuleType
from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.stages.work import FigureSpec

ONE, TWO = "one", "two"
STAGES = {ONE: 1, TWO: 2}
"""Stages of the mains filter by name."""


def stages_of(rows: Mapping[str, Any]) -> int:
    """Stages of a design's mains filter; one where none is decided yet."""
    return STAGES[str(rows["inlet.stages"].value)] if "inlet.stages" in rows else 1


def in_each(whole: float, stages: int) -> float:
    """Capacitor [F] of each stage: all of it in one, else the usual value at or below an even share."""
    return whole if stages == 1 or whole <= 0 else at_most(whole / stages, "E6")


_DECISIONS = (
    DecisionSpec("inlet.l_cm", "Common-mode choke", "inlet", unit="H", low=0.0, high=0.2, step="E6"),
    DecisionSpec("inlet.l_dm", "Differential choke beside its leakage", "inlet", unit="H", low=0.0, high=0.05, step="E6"),
    DecisionSpec("inlet.c_y", "Y capacitor, each", "inlet", unit="F", low=0.0, high=47e-9, step="E6"),
    DecisionSpec("inlet.noise_margin", "Margin below the noise limit", "inlet", unit="dB", low=0.0, high=30.0,
                 schools="6 dB: an estimate against a measurement; 10 dB and more before the layout is known"),
    DecisionSpec("inlet.stages", "Stages of the mains filter", "inlet", "choice", options=(ONE, TWO),
                 schools="one: fewest parts; two: the same capacitors shared, chokes of a fraction of the inductance, small where one "
                 "stage would be large"),
    DecisionSpec("inlet.shield", "Shield between the windings", "inlet", "choice", options=("none", "shield"),
                 schools="none: cheapest transformer; shield: a smaller choke, more leakage, one winding more"),
    DecisionSpec("inlet.cm_mu", "Permeability of the common-mode core", "inlet", unit="", low=1000.0, high=20000.0,
                 schools="5000: holds to half a megahertz; 7000 to 10000: fewer turns, falls off from 150 kHz"),
    DecisionSpec("inlet.cm_ring", "Ring of the common-mode choke", "inlet", "choice", table="rings"),
    DecisionSpec("inlet.dm_ring", "Ring of the differential choke", "inlet", "choice", table="rings"),
    DecisionSpec("inlet.dm_powder", "Powder of the differential choke", "inlet", "choice", table="powders"),
    DecisionSpec("inlet.choke_rise", "Rise the filter's chokes may have", "inlet", unit="K", low=5.0, high=90.0),
    DecisionSpec("inlet.c_sink", "Switching node to earth", "inlet", unit="F", low=0.0, high=1e-9,
                 schools="5 to 20 pF a small node on the board; 50 to 100 pF an insulated package on an earthed heat sink"),
)
_OF_BOOST = (DecisionSpec("inlet.c_in", "Film capacitor behind the bridge", "inlet", unit="F", low=10e-9, high=10e-6, step="E6"),)
_HOW = "an estimate: single harmonics, stray parts as stated, one filter stage; layout, near field and the choke's saturation are left out"
FIGURES = (
    FigureSpec("inlet.noise_dm_bare", "Differential noise over the limit, no filter", "", "inlet", fixed=_HOW),
    FigureSpec("inlet.noise_cm_bare", "Common noise over the limit, no filter", "", "inlet", fixed=_HOW),
    FigureSpec("inlet.noise_dm", "Differential noise over the limit", "", "inlet", limit="inlet.noise_limit", limit_kind="max", fixed=_HOW,
               look_only=True),
    FigureSpec("inlet.noise_cm", "Common noise over the limit", "", "inlet", limit="inlet.noise_limit", limit_kind="max", fixed=_HOW,
               look_only=True),
    FigureSpec("inlet.r_wound", "Copper of the wound filter", "R", "inlet", fixed="terminals and tracks",
               sentence="of its chokes, hot, in the path of the line current; the line was solved with what it may be"),
    FigureSpec("inlet.l_cm_least", "Common-mode choke, at least", "L", "inlet"),
    FigureSpec("inlet.b_cm", "Field of its leakage", "B", "inlet", corners.PEAKS, limit="inlet.b_cm_limit", limit_kind="max",
               fixed="spread of the leakage along the ring", look_only=True),
    FigureSpec("inlet.rise_cm", "Common-mode choke, rise", "ΔT", "inlet", limit="inlet.rise_limit", limit_kind="max",
               fixed="neighbours; core loss, which is small at these fields", look_only=True),
    FigureSpec("inlet.l_dm_crest", "Differential choke at the crest", "L", "inlet", worst="min",
               fixed="tolerance of the powder's permeability"),
    FigureSpec("inlet.rise_dm", "Differential choke, rise", "ΔT", "inlet", limit="inlet.rise_limit", limit_kind="max",
               fixed="neighbours; core loss, which is small at these fields", look_only=True),
    FigureSpec("inlet.c_stray", "Winding capacitance the node drives", "C_m", "inlet",
               fixed="the winding's plates; ends and wires are left out"),
    FigureSpec("inlet.i_touch_y", "Touch current of Y capacitors and windings", "I_t", "inlet", corners.RUN, limit="inlet.i_touch",
               limit_kind="max", fixed="a shield, which takes part of it; what is connected"),
)
CURES = {"inlet.b_cm": "inlet.cm_ring", "inlet.rise_cm": "inlet.cm_ring", "inlet.rise_dm": "inlet.c_x", "inlet.noise_dm": "inlet.l_dm",
         "inlet.noise_cm": "inlet.l_cm", "inlet.i_touch_y": "inlet.c_y"}


def applies(front: ModuleType) -> bool:
    """Whether there are mains to keep quiet."""
    return str(front.MAINS) != "dc"


def decisions(front: ModuleType) -> tuple[DecisionSpec, ...]:
    """Decisions of the filter in front of a front end."""
    if not applies(front):
        return ()
    return (*_DECISIONS, *(_OF_BOOST if hasattr(front, "switching") else ()))


def figures(front: ModuleType) -> tuple[FigureSpec, ...]:
    """Figures of the filter in front of a front end."""
    return FIGURES if applies(front) else ()
