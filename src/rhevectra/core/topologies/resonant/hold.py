"""The end of hold-up: full load from the lowest bus it lets the stage fall to, which no corner of the grid has; exact tanks at all ends of
their tolerances."""

from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import charge, magnetics, resonant
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.resonant import ends, several
from rhevectra.core.topologies.resonant import stage as st

PASSES = 2
"""Between the tanks and what their currents lose on the way."""
_FIXED = "exact tanks at the eight ends of their tolerances; node capacitance and dead time in the waveform"
FIGURES = (
    FigureSpec("llc.i_hold", "Peak tank current at the end of hold-up", "Î_h", "switch", corners.FULL, limit="switch.limit_min",
               limit_kind="max", fixed=_FIXED,
               sentence="full load from the lowest bus hold-up lets it fall to: a current limit below it would end hold-up earlier"),
    FigureSpec("transformer.b_hold", "Peak flux density at the end of hold-up", "B̂_h", "transformer", corners.FULL,
               limit="transformer.b_limit", limit_kind="max", fixed="saturation taken hot",
               sentence="the frequency is lowest there"),
    FigureSpec("inductor.b_hold", "Flux of the resonant inductor at the end of hold-up", "B̂_Lh", "switch", corners.FULL,
               limit="transformer.b_limit", limit_kind="max", fixed="saturation taken hot"),
)
CURES = {"llc.i_hold": "switch.current_limit", "transformer.b_hold": "transformer.np", "inductor.b_hold": "llc.inductor_core"}
_TOLD = "exact tanks at all eight ends of their tolerances, full load from the bus at the end of hold-up: {}"


class Hold(Struct, frozen=True):
    """The most of any tank at the end of hold-up: peak current [A] and the same by its share of the inductance, amplitude on the capacitor
    and what that reaches at turn-off [V], flux linkage of the transformer [Vs]; of several phases in the most loaded."""

    i_peak: float
    choke: float
    v_cap: float
    v_turn: float
    linkage: float


def solve(work: Work, s: st.Stage, settled: st.Settled, by: ends.Tolerances, passes: int = PASSES) -> Hold | None:
    """None where the stage is not asked to go on below its least bus, at a fixed ratio, or where no tank gives the output there; passes: as
    PASSES."""
    shape, v_hold = settled.out["f"].shape, float(work.sheet.rows["llc.v_hold"].value)
    bus = np.where(corners.FULL.mask(work.grid), np.broadcast_to(s.v_bus, shape), np.inf)
    place = int(bus.argmin())
    if s.fixed or v_hold >= bus.ravel()[place]:
        return None
    seen = several.seen(s)
    one = lambda x: np.full(1, np.broadcast_to(plain(x), shape).ravel()[place])  # noqa: E731
    looks = {n: one(x) for n in ("v_out", "r_secondary") if np.ndim(x := getattr(seen, n))}
    moved, (lr, _, lm) = ends.every(replace(seen, v_bus=np.full(1, v_hold), i_out=one(seen.i_out), **looks), by, 1)
    found = st.solve(moved, ends.begun(settled.state, np.full((len(ends.ENDS), 1), place), lr / lm), passes)
    if found.miss > st.UNSOLVED:
        return None
    o, room = found.out, s.extra["room"]
    most = lambda x: room * float(np.max(x))  # noqa: E731
    return Hold(most(o["i_tank_peak"]), most(lr * o["i_tank_peak"]), most(o["v_cap"]),
                most(charge.turned_at(o["i_in"], o["f"], plain(moved.cr))), float(np.max(moved.linkage(o["i_mag"], o["i_tank_peak"]))))


def record_current(work: Work, hold: Hold | None) -> None:
    """Row of the peak current."""
    if hold is not None:
        work.sheet.solved("llc.i_hold", hold.i_peak, "A", _TOLD.format("the greatest peak"), v_hold=work.sheet.rows["llc.v_hold"])


def record_volts(work: Work, hold: Hold | None, s: st.Stage, run: Any) -> None:
    """Row of the capacitor's peak voltage; run: that of all corners."""
    if hold is None:
        work.sheet.again("llc.v_cr_peak", run)
        return
    there = work.sheet("llc.v_cr_hold", resonant.capacitor_peak,
                       v_dc=work.sheet("llc.v_dc_hold", resonant.bus_share, share=1 - s.variant.drive, v_bus=work.sheet.rows["llc.v_hold"]),
                       v_ac=work.sheet.solved("llc.v_ac_hold", hold.v_cap, "V", _TOLD.format("the greatest amplitude on the capacitor")))
    work.sheet("llc.v_cr_peak", resonant.higher, run=run, hold=there)


def record_flux(work: Work, hold: Hold | None, turns: Any, area: Any) -> None:
    """Row of the transformer's flux."""
    if hold is not None:
        work.sheet("transformer.b_hold", resonant.flux_of_linkage, turns=turns, area=area,
                   linkage=work.sheet.solved("transformer.linkage_hold", hold.linkage, "V·s", _TOLD.format("the greatest flux linkage")))


def record_choke(work: Work, hold: Hold | None, l_x: Any, turns: Any, area: Any) -> None:
    """Row of the resonant inductor's flux; l_x: its inductance."""
    if hold is not None:
        work.sheet("inductor.b_hold", magnetics.flux_density, inductance=l_x, turns=turns, area=area,
                   current=work.sheet.solved("inductor.i_hold", hold.choke, "A",
                                             _TOLD.format("the greatest peak over the nominal share of the inductance")))
