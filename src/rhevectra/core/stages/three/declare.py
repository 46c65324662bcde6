"""What may be decided about a three-phase stage, and its figures: those of a single-phase one at a fixed frequency, less the bridge, and
what only three phases have."""

from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.stages import inlet
from rhevectra.core.stages.pfc import declare as single
from rhevectra.core.stages.pfc.law import Law
from rhevectra.core.stages.three.build import PATHS
from rhevectra.core.stages.work import FigureSpec

_LEFT_OUT = ("bridge.class", "derating.bridge_v", "pfc.c_bus", "pfc.v_bus")
_OWN = (
    DecisionSpec("pfc.v_bus", "Bus voltage", "pfc", unit="V", low=150, high=1000,
                 schools="700 to 800 V behind 400 V mains: each half above the crest of a phase"),
    DecisionSpec("pfc.c_half", "Capacitor of each half bus", "bulk", unit="F", low=1e-6, high=1e-2, step="E12"),
    DecisionSpec("pfc.unbalance", "Unbalance of the mains", "bulk", unit="", low=0.0, high=0.2,
                 schools="0.02 public mains; 0.05 and more behind a small generator"),
)
DECISIONS = (*_OWN, *(s for s in single.decisions(Law()) if s.id not in _LEFT_OUT))
_IDEAL = "phases alike, star point at the mid-point of the bus"
FIGURES = (
    *(s for s in single.figures(Law()) if not s.id.startswith("bridge.")),
    FigureSpec("pfc.v_diode", "Peak diode voltage", "V̂_d", "pfc", corners.LOADED, limit="pfc.v_diode_limit", limit_kind="max",
               fixed="stray inductance between diode and bus capacitor", sentence="each diode blocks the whole bus"),
    FigureSpec("pfc.power_phase_loss", "Power left without a phase", "P_2", "pfc", worst="min", fixed=_IDEAL,
               sentence="two phases in series between two lines, at their current limit"),
    FigureSpec("pfc.bus_ripple_phase_loss_pp", "Bus ripple without a phase", "ΔV_2", "bulk", fixed=_IDEAL),
    FigureSpec("pfc.mid_ripple_pp", "Ripple of the mid-point", "ΔV_m", "bulk", corners.LOADED, fixed=_IDEAL,
               sentence="at three times the line frequency, whatever the balance"),
)
CURES = {**single.CURES, "pfc.v_diode": "pfc.diode"}
SHAPES_CURRENT = True
MAINS = "ac3"
NO_PICTURES = ()
PLATES = (("inlet", "Inlet", "inlet.fuse"), ("pfc", "Three phases", "pfc.i_peak"), ("bulk", "Split bus", "bulk.v_valley"))


def usual(need: Requirement) -> str:
    """Why this front end is the usual one for a requirement, or nothing."""
    power, most = inlet.beyond_plain(need)
    return ("" if most is None
            else f"some {power:.0f} W: beyond about {most:.0f} W six diodes do not meet class {need.harmonics_class}")


def bill(design: Any) -> dict[str, Any]:
    """What the stage adds to the bill of materials: two dies and two diodes a phase, both halves' cans, three inductors, gate drives on
    three potentials."""
    plan = design.context["front"]
    return {"switches": [(str(plan.switch["name"]), 3 * PATHS * plan.parallel)], "boost_diodes": [(str(plan.diode["name"]), 6)],
            "capacitors": [(str(plan.cap["name"]), 2 * plan.cans)], "wound": 3, "drives": 0, "floating_drives": 3, "small": 9}
