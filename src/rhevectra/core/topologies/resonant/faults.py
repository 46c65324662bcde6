"""A resonant stage outside its steady period: a short at the output or in a rectifier, a feedback that is open. Start-up is its start-up frequency."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.formulas import faults, inductor, resonant
from rhevectra.core.magnetics.inductor import InductorChoice
from rhevectra.core.stages.dies import SINGLE
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.resonant import ends
from rhevectra.core.topologies.resonant import stage as st

DELAY = 300e-9
DECISIONS = (common.OWN_TRIP,)
FIGURES = (
    replace(common.I_SHORT, limit="switch.i_single", fixed="rectifier drop and resistances left out; at its resonance", sentence="output or rectifier shorted while it runs: bus and resonant capacitor lie across the resonant inductance alone until the pulse is cut"),
    FigureSpec("short.b_peak", "Flux of the resonant inductor into a short", "B̂_sc", "switch", corners.SHORT, limit="inductor.b_saturation", limit_kind="max", fixed="current as of nominal parts, which the greatest inductance lets in less", sentence="against hot saturation itself, with no derating: once it saturates nothing holds the current"),
)


def current_limit(work: Work, s: st.Stage, settled: st.Settled, moved: ends.Ends) -> tuple[float, float]:
    """Chooses the current limit over the peak at the overload, its tolerance and delay; returns what a short makes of it [A], with nominal parts and at the worst end of their tolerances."""
    rows, peak, by = work.sheet.rows, float((settled.out["i_tank_peak"] * moved.over["i_peak"]).max()), ends.of(work)
    work.choose("switch.current_limit", lambda: float(f"{1.15 * peak:.2g}"), "15 % above the peak tank current at overload and the worst end of the tank's tolerances, rounded to two digits")
    work.choose("switch.limit_tolerance", 0.08, "comparator and sense resistor (common practice)")
    work.choose("switch.limit_delay", DELAY, "comparator, logic and gate: the pulse is cut, a higher frequency alone would come too late (common practice)")
    most = faults.most_limit(float(rows["switch.current_limit"].value), float(rows["switch.limit_tolerance"].value))
    into = most, s.variant.drive * np.asarray(s.v_bus)
    nominal = faults.short_peak_tank(*into, settled.out["v_cap"], np.sqrt(s.lr / s.cr), float(rows["switch.limit_delay"].value), s.lr)
    worst = faults.short_peak_tank(*into, settled.out["v_cap"] * moved.over["v_cap"], resonant.impedance_least(s.lr, by.lr, s.cr, by.cr), float(rows["switch.limit_delay"].value), (1 - by.lr) * s.lr)
    return float(np.max(nominal)), float(np.max(worst))


def record(work: Work, s: st.Stage, o: dict[str, Any], choke: InductorChoice | None) -> None:
    """Rows of all cases; choke: the resonant inductor, where it is a part of its own."""
    sheet, rows = work.sheet, work.sheet.rows
    most = sheet("switch.limit_max", faults.most_limit, i_limit=rows["switch.current_limit"], tolerance=rows["switch.limit_tolerance"])
    into = {"i_limit": most, "v_primary": o["v_p"], "t_delay": rows["switch.limit_delay"]}
    peak = sheet("short.i_nominal", faults.short_peak_tank, **into, v_cap=o["v_cap"], z=rows["llc.z"], lr=s.lr)
    least = sheet("llc.z_least", resonant.impedance_least, lr=s.lr, lr_tolerance=rows[ends.LR], cr=s.cr, cr_tolerance=rows[ends.CR])
    worst = sheet("short.i_peak", faults.short_peak_tank, **into, v_cap=rows["llc.v_ac_most"], z=least, lr=sheet("llc.lr_least", inductor.least, inductance=s.lr, tolerance=rows[ends.LR]))
    sheet.given("switch.i_single", SINGLE * float(rows["switch.i_max"].value), "A", "catalogue", f"single pulse at {SINGLE:g} × the pulsed current (typical, from memory)")
    if choke is not None:
        common.into_saturation(work, "inductor", rows["inductor.l"], peak, rows["inductor.turns"], s.core, rows[ends.LR])
    if not s.fixed:
        common.caught(work, s.lr, worst, s.variant.phases)
