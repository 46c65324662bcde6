"""Up to what load a resonant stage's current limit lets it go: exact tanks at all ends of their tolerances, loaded until their peak meets
the limit, or until they give no more gain."""

from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import output
from rhevectra.core.formulas import overload as formulas
from rhevectra.core.stages import beside
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import overload as common
from rhevectra.core.topologies.resonant import ends, peak_gain, several
from rhevectra.core.topologies.resonant import stage as st

PASSES, SETTLED = 8, 0.02
"""Exact solutions on the way to each limit at most; they end where the last moved no load by more: the next would by a tenth of that."""
LEAST, BEYOND = 0.2, 6.0
"""Loads, over full load, between which a limit is looked for: at the greater the rectifiers are past what they are rated for."""
STEEPER = 0.5, 8.0
"""What the slope between two solutions may be over that of the load's part alone, to be believed."""
WITHIN = 0.98
"""Share of the load a tank gives gain for by the table that is tried first; whether there is a state, the solution tells."""
STEEP = 1.6
"""Gain at the overload beyond which nothing is told: near the peak of the gain a little more load takes so much more current that the
search does not settle."""
_FIXED = "beyond six times full load; resistances as with nominal parts; outputs rising together; power that a power factor stage has left"
FIGURES = (
    replace(common.HOLDS_LEAST, fixed=_FIXED, sentence="of full load: where the least current limit takes over, or the weakest tank gives "
            "no more gain from the bus under that load"),
    replace(common.HOLDS_MOST, fixed=f"bus as at full load; {_FIXED}"),
    replace(common.COOLED, fixed="turn-off as at the overload the tank is built for; loss taken at the junction's limit"),
    replace(common.WINDING, fixed="core loss, cooling and resistance as at the overload the tank is built for"),
)


class Tanks(Struct, frozen=True):
    """All ends of the tolerances, on the way to the least and to the greatest limit, at the overload's corners: arrays (limits, tanks,
    lines, frequencies, ends of the bus), or what spreads over them. stage: with the parts of each; v_full: bus [V]; i_full: full load [A];
    i_limit: what the peak is to meet [A]."""

    stage: st.Stage
    v_full: Array
    i_full: Array
    i_limit: Array

    def bus(self, share: Array) -> Array:
        """The bus [V]: as it sags under that load on the way to the least limit, as at full load on that to the greatest."""
        sunk = formulas.bus_under(self.v_full, self.v_full[..., -1:], share[:1])
        return np.concatenate([sunk, np.broadcast_to(self.v_full, sunk.shape)])

    def next_share(self, share: Array, i_peak: Array, slope: Array) -> Array:
        """Load, over full load, at which the peak meets its limit, from the peak [A] at a load and the slope of the squares of both. No
        further than twice either way."""
        square = np.square(share) + (np.square(self.i_limit) - np.square(i_peak)) / slope
        return np.minimum(np.sqrt(np.clip(square, np.square(share) / 4, 4 * np.square(share))), BEYOND)

    def of_load(self, share: Array, i_rectified: Array) -> Array:
        """That slope [A²] where only the load's part of the current grows, from the peak of the rectified current [A]."""
        return np.square(i_rectified * float(plain(self.stage.ns)) / float(plain(self.stage.np)) / share)


class Reached(Struct):
    """How far the search has come: load over full load to try next; the last that was solved, and its peak current [A]; between which loads
    the limit lies; rms tank current [A] at the load to try next; what the next solution begins from; by how much the last moved a load,
    over it."""

    share: Array
    before: Array
    peak: Array
    low: Array
    high: Array
    i_tank: Array
    state: dict[str, Any]
    moved: float = np.inf

    def step(self, tanks: Tanks) -> None:
        """One exact solution, and from its peaks the next loads; a load for which there is none, or whose tank current leads, is too
        much."""
        tried, shape = self.share, self.share.shape
        found = st.solve(replace(tanks.stage, v_bus=tanks.bus(tried), i_out=tried * tanks.i_full), self.state, passes=1)
        flat, o = (found.found.miss < st.UNSOLVED) & (found.found.unknown[:, 0] < 0), found.out
        good = flat.reshape(shape)
        peak, slope = o["i_tank_peak"], tanks.of_load(tried, o["i_rect_peak"])
        run, rise = np.square(tried) - np.square(self.before), np.square(peak) - np.square(self.peak)
        secant = rise / np.where(np.abs(run) > 1e-6, run, np.inf)
        slope = np.where((secant > STEEPER[0] * slope) & (secant < STEEPER[1] * slope), secant, slope)
        self.before, self.peak = np.where(good, tried, self.before), np.where(good, peak, self.peak)
        over = ~good | (peak > tanks.i_limit)
        self.low, self.high = np.where(over, self.low, tried), np.where(over, tried, self.high)
        wanted, middle = tanks.next_share(tried, peak, slope), np.sqrt(self.low * self.high)
        self.share = np.where(good & (wanted > self.low) & (wanted < self.high), wanted, middle)
        near = self.high / self.low < 1 + SETTLED
        self.moved = float(np.max(np.where(near, 0.0, np.where(good, np.abs(self.share / tried - 1), np.inf))))
        self.i_tank = np.where(good, o["i_tank"] * self.share / tried, self.i_tank)
        self.state = {k: now if before is None else np.where(flat[:, None] if now.ndim > 1 else flat, now, before)
                      for (k, before), now in zip(self.state.items(), found.state.values(), strict=True)}


def _begin(work: Work, plan: Any, here: int) -> tuple[Tanks, Reached]:
    """All tanks, and what their nominal parts at the overload, at operating point `here`, tell of the loads to try first."""
    s, o, by, grid = several.seen(plan.stage), plan.settled.out, ends.of(work.sheet.rows), work.grid
    flat = np.arange(o["f"].size).reshape(o["f"].shape)[:, :, here, :]
    at = lambda x, point=here: np.broadcast_to(plain(x), o["f"].shape)[:, :, point, :]  # noqa: E731
    spread = lambda x: np.broadcast_to(x, (2, len(ends.ENDS), *flat.shape))  # noqa: E731
    looks = {n: at(x) for n in ("v_out", "r_secondary") if np.ndim(x := getattr(s, n))}
    moved, (lr, cr, lm) = ends.every(replace(s, **looks), by, flat.ndim)
    least, most = (float(work.sheet.rows[f"switch.limit_{end}"].value) for end in ("min", "max"))
    if s.variant.phases > 1:
        least /= float(work.sheet.rows["llc.phase_most"].value)  # the most loaded phase meets it first
    limits = np.array([least, most]).reshape(2, 1, 1, 1, 1)
    tanks = Tanks(moved, at(s.v_bus), at(s.i_out, grid.full_load), limits)
    begun = at(s.i_out) / tanks.i_full
    first = spread(tanks.next_share(begun, at(o["i_tank_peak"]), tanks.of_load(begun, at(o["i_rect_peak"]))))
    if not s.fixed:
        p = plan.settled.found.point
        able = peak_gain.most_load(lm / lr * p.ratio[flat], p.gain[flat]) / (np.sqrt(lr / cr) * p.load[flat])
        first = np.minimum(first, np.maximum(WITHIN * able, 1.0) * begun)
    return tanks, Reached(first, spread(begun), spread(at(o["i_tank_peak"])), spread(LEAST * begun), spread(1.001 * BEYOND),
                          spread(at(o["i_tank"])), ends.begun(plan.settled.state, spread(flat), lr / lm))


def _reached(work: Work, plan: Any) -> Reached | None:
    """Where all tanks meet their limits; None where the gain is steep, or some tank does not settle."""
    here = work.grid.find(work.grid.lines[0], case="limit").index[2]
    if float(plan.settled.out["gain"][:, :, here].max()) > STEEP:
        return None
    tanks, reached = _begin(work, plan, here)
    for _ in range(PASSES):
        reached.step(tanks)
        if reached.moved < SETTLED:
            return reached
    return None


def record(work: Work, plan: Any) -> None:
    """Rows of both ends, and of the heat at the greatest limit where that may last, if they are found; after those of the limits and of the
    losses."""
    reached = _reached(work, plan)
    if reached is None:
        return
    sheet, rows, on_grid = work.sheet, work.sheet.rows, lambda x: np.broadcast_to(x[:, :, None, :], work.grid.shape)
    parts = {n: rows[id] for n, id in (("lr", "llc.lr"), ("lr_tolerance", ends.LR), ("cr", "llc.cr"), ("cr_tolerance", ends.CR),
                                       ("lm", "llc.lm"), ("lm_tolerance", ends.LM))}
    text = ("exact tanks at all eight ends of their tolerances, loaded until the peak of their current is the limit, or as far as there is "
            "gain; over full load, of the one {}")
    sheet.solved(common.LEAST, on_grid(reached.share[0].min(0)), "", text.format("that gives way first"),
                 i_limit=rows["switch.limit_min"], **parts)
    most = sheet.solved(common.GREATEST, on_grid(reached.share[1].max(0)), "", text.format("that gives way last"),
                        i_limit=rows["switch.limit_max"], **parts)
    common.allow(work)
    tank = sheet.solved("overload.i_tank", on_grid(reached.i_tank[1].max(0)), "A", "rms tank current of that which then carries most",
                        load=most)
    more = sheet("overload.more_heat", formulas.more_heat, at_limit=tank, at_overload=rows["llc.i_cr_rms"])
    heat = {"ambient": rows["ambient.max"], "t_winding": rows["transformer.t_winding"], "more": more}
    if common.lasting(work, formulas.lasting(**{k: plain(x) for k, x in heat.items()})):
        sheet("overload.t_winding", formulas.lasting, **heat)
        common.allow_winding(work)
        _switch(work, plan, more)


def _switch(work: Work, plan: Any, more: Any) -> None:
    """Rows of the switch at the greatest limit for good; more: row of the heat it then has, over that at the overload."""
    sheet, rows = work.sheet, work.sheet.rows
    power = sheet("overload.loss_switch", formulas.lost, loss=rows["switch.loss"], conduction=rows["switch.loss_conduction"], more=more)
    if beside.number(rows) > 1:
        conduction = rows["switch.loss_conduction"]
        power = beside.of_most_loaded(work, "overload.loss_each", power, sheet("overload.loss_on", formulas.lost, loss=conduction,
                                                                        conduction=conduction, more=more))
    sheet("overload.r_ca", output.case_to_ambient, t_junction=rows["switch.t_junction"], ambient=rows["ambient.max"], power=power,
          r_jc=plan.switch["r_junction_case_k_w"])
