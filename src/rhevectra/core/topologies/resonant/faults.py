"""A resonant stage outside its steady period: a short at the output or in a rectifier, a feedback that is open. Start-up is its start-up frequency."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.sheet import Quick
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
    rows, peak = work.sheet.rows, moved.most("i_peak", settled.out["i_tank_peak"])
    work.choose("switch.current_limit", lambda: float(f"{1.15 * peak:.2g}"), "15 % above the peak tank current at overload and the worst end of the tank's tolerances, rounded to two digits")
    work.choose("switch.limit_tolerance", 0.08, "comparator and sense resistor (common practice)")
    work.choose("switch.limit_delay", DELAY, "comparator, logic and gate: the pulse is cut, a higher frequency alone would come too late (common practice)")
    most = faults.most_limit(float(rows["switch.current_limit"].value), float(rows["switch.limit_tolerance"].value))
    both = _peaks(Quick(), most, s.variant.drive * np.asarray(s.v_bus), s, (resonant.impedance(s.lr, s.cr), settled.out["v_cap"], moved.over["v_cap"] * settled.out["v_cap"]), *(float(rows[id].value) for id in _DECIDED))
    return float(np.max(both[0])), float(np.max(both[1]))


_DECIDED = ("switch.limit_delay", ends.LR, ends.CR)


def _peaks(on: Any, i_limit: Any, v_primary: Any, s: st.Stage, tank: tuple[Any, Any, Any], t_delay: Any, lr_tolerance: Any, cr_tolerance: Any) -> tuple[Any, Any]:
    """Peak into a short with nominal parts and at the worst end of their tolerances, as rows or bare numbers. tank: impedance, ac amplitude of its capacitor with nominal parts and the greatest."""
    z, v_cap, v_most = tank
    into = {"i_limit": i_limit, "v_primary": v_primary, "t_delay": t_delay}
    nominal = on("short.i_nominal", faults.short_peak_tank, **into, v_cap=v_cap, z=z, lr=s.lr)
    least = on("llc.z_least", resonant.impedance_least, lr=s.lr, lr_tolerance=lr_tolerance, cr=s.cr, cr_tolerance=cr_tolerance)
    return nominal, on("short.i_peak", faults.short_peak_tank, **into, v_cap=v_most, z=least, lr=on("llc.lr_least", inductor.least, inductance=s.lr, tolerance=lr_tolerance))


def record(work: Work, s: st.Stage, o: dict[str, Any], choke: InductorChoice | None) -> None:
    """Rows of all cases; choke: the resonant inductor, where it is a part of its own."""
    sheet, rows = work.sheet, work.sheet.rows
    most = sheet("switch.limit_max", faults.most_limit, i_limit=rows["switch.current_limit"], tolerance=rows["switch.limit_tolerance"])
    peak, worst = _peaks(sheet, most, o["v_p"], s, (rows["llc.z"], o["v_cap"], rows["llc.v_ac_most"]), *(rows[id] for id in _DECIDED))
    sheet.given("switch.i_single", SINGLE * float(rows["switch.i_max"].value), "A", "catalogue", f"single pulse at {SINGLE:g} × the pulsed current (typical, from memory)")
    if choke is not None:
        common.into_saturation(work, "inductor", rows["inductor.l"], peak, rows["inductor.turns"], s.core, rows[ends.LR])
    if not s.fixed:
        common.caught(work, s.lr, worst, s.variant.phases)
