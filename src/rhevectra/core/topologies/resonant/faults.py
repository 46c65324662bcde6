"""A resonant stage outside its steady period: a short at the output or in a rectifier, a feedback that is open. Start-up is its start-up frequency."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.formulas import faults
from rhevectra.core.magnetics.inductor import InductorChoice
from rhevectra.core.stages.dies import SINGLE
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import faults as common
from rhevectra.core.topologies.resonant import ends
from rhevectra.core.topologies.resonant import stage as st

DELAY = 300e-9
DECISIONS = (common.OWN_TRIP,)
FIGURES = (
    replace(common.I_SHORT, limit="switch.i_single", fixed="rectifier drop and resistances left out; tank parts of nominal value, at its resonance", sentence="output or rectifier shorted while it runs: bus and resonant capacitor lie across the resonant inductance alone until the pulse is cut"),
    FigureSpec("short.b_peak", "Flux of the resonant inductor into a short", "B̂_sc", "switch", corners.SHORT, limit="inductor.b_saturation", limit_kind="max", fixed="resonance as of nominal parts", sentence="against hot saturation itself, with no derating: once it saturates nothing holds the current"),
)


def current_limit(work: Work, s: st.Stage, settled: st.Settled, peak: float) -> float:
    """Chooses the current limit over the peak at the overload [A], its tolerance and delay; returns what a short makes of it [A]."""
    rows = work.sheet.rows
    work.choose("switch.current_limit", lambda: float(f"{1.15 * peak:.2g}"), "15 % above the peak tank current at overload and the worst end of the tank's tolerances, rounded to two digits")
    work.choose("switch.limit_tolerance", 0.08, "comparator and sense resistor (common practice)")
    work.choose("switch.limit_delay", DELAY, "comparator, logic and gate: the pulse is cut, a higher frequency alone would come too late (common practice)")
    most = faults.most_limit(float(rows["switch.current_limit"].value), float(rows["switch.limit_tolerance"].value))
    return float(np.max(faults.short_peak_tank(most, s.variant.drive * np.asarray(s.v_bus), settled.out["v_cap"], np.sqrt(s.lr / s.cr), float(rows["switch.limit_delay"].value), s.lr)))


def record(work: Work, s: st.Stage, o: dict[str, Any], choke: InductorChoice | None) -> None:
    """Rows of all cases; choke: the resonant inductor, where it is a part of its own."""
    sheet, rows = work.sheet, work.sheet.rows
    most = sheet("switch.limit_max", faults.most_limit, i_limit=rows["switch.current_limit"], tolerance=rows["switch.limit_tolerance"])
    peak = sheet("short.i_peak", faults.short_peak_tank, i_limit=most, v_primary=o["v_p"], v_cap=o["v_cap"], z=rows["llc.z"], t_delay=rows["switch.limit_delay"], lr=s.lr)
    sheet.given("switch.i_single", SINGLE * float(rows["switch.i_max"].value), "A", "catalogue", f"single pulse at {SINGLE:g} × the pulsed current (typical, from memory)")
    if choke is not None:
        common.into_saturation(work, "inductor", rows["inductor.l"], peak, rows["inductor.turns"], s.core, rows[ends.LR])
    if not s.fixed:
        common.caught(work, s.lr, peak, s.variant.phases)
