"""How several tanks on one output share its current when their parts differ: the exact tank of each, one frequency for all.

At a gain of one a lossless tank gives any current, so it is the resistances, and the distance from the resonance, that make phases share.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas import output, resonant
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.resonant import stage as st
from rhevectra.core.topologies.resonant import tank, waves

STEP, ROUNDS, CLOSE, UNKNOWN, SAME, LEAST = 2e-3, 9, 5e-5, 1e-4, 3, 0.02
"""Relative step of the first slopes; rounds; miss in gain that counts as solved; miss of a period beyond which a tank has no such state;
digits of the logarithm in which two buses are the same (a thousandth); share at which a tank counts as idle."""


def _gains(s: st.Stage, at: dict[str, Array], f: Array, share: Array, parts: Array, near: Array | None = None) -> tuple[Array, Array]:
    """Gain each tank gives at a frequency [Hz] and a share of the mean current, and its unknowns (…, 3); parts (3, …): its L_r, C_r, L_m
    over the nominal ones; near: unknowns to begin from, those of the phase as designed where there are none. NaN where there is no such
    state."""
    lr, cr, lm = (float(x) * parts[k] for k, x in enumerate((s.lr, s.cr, s.lm)))
    z = np.sqrt(lr / cr)
    shape = np.broadcast_shapes(f.shape, share.shape, lr.shape, at["gain"].shape)
    flat = lambda x: np.broadcast_to(x, shape).reshape(-1)  # noqa: E731
    point = tank.Point(flat(0.5 / (f * np.sqrt(lr * cr))), flat(at["amps"] * share * z / at["v_p"]), flat(at["gain"]), flat(lm / lr))
    near = np.stack([flat(at["j"]), flat(at["jm"]), flat(at["gain"])], -1) if near is None else np.broadcast_to(near,
        (*shape, 3)).reshape(-1, 3)
    found = tank.solve(point, "gain", near, st.ROUGH, st.NEAR)
    gain, bad = found.point.gain.copy(), found.miss > st.ROUGH
    if bad.any():  # at the edge where a rectifier begins to rest the neighbour is a poor start
        again = tank.solve(tank.Point(*(getattr(point, n)[bad] for n in ("half", "load", "gain", "ratio"))), "gain", None, st.ROUGH)
        gain[bad] = np.where(again.miss < UNKNOWN, again.point.gain, np.where(found.miss[bad] < UNKNOWN, gain[bad], np.nan))
    return gain.reshape(shape), np.where(bad[:, None], near, found.unknown).reshape(*shape, 3)


def _mean_phase(s: st.Stage, settled: st.Settled, full: Array) -> dict[str, Array]:
    """The phase as designed at the corners of full load, one of those whose bus is the same: voltage across it, reflected current, gain,
    drop over that voltage, frequency."""
    rows, found = np.flatnonzero(np.broadcast_to(full, settled.out["f"].shape)), settled.found
    v_all = s.variant.drive * np.broadcast_to(s.v_bus, settled.out["f"].shape).reshape(-1)
    rows = rows[np.unique(np.round(np.log(v_all[rows]), SAME), return_index=True)[1]]
    v_p = v_all[rows]
    return {"v_p": v_p, "amps": found.point.load[rows] * v_p / np.sqrt(float(s.lr) / float(s.cr)), "gain": found.point.gain[rows],
            "drop": settled.state["drop"][rows] / v_p, "f": settled.out["f"].reshape(-1)[rows], "j": found.unknown[rows, 0],
            "jm": found.unknown[rows, 1]}


def most_loaded(s: st.Stage, settled: st.Settled, full: Array, spread: float) -> float:
    """Current of the most loaded phase over the mean, at full load: one tank at the end of its spread that gives most (or least) gain, all
    others at the other end. Frequency and shares are found together; as many as there are phases where one tank carries the whole
    output."""
    at, phases = _mean_phase(s, settled, full), s.variant.phases
    if spread == 0 or phases == 1:
        return 1.0
    one = np.ones((3, len(at["gain"])))
    moved = one[:, None, :] + STEP * np.eye(3)[:, :, None]
    sign = np.sign(_gains(s, at, at["f"], np.ones(1), moved)[0] - at["gain"])  # (3 parts, corners)
    ends = np.array([1.0, -1.0])
    parts = 1 + spread * sign[:, None, None, :] * ends[:, None, None] * ends[:,
        None]  # (parts, this tank or the others, up or down, corners)
    f, x = np.broadcast_to(at["f"], parts.shape[2:]).copy(), np.ones(parts.shape[2:])
    rest = lambda x: (phases - x) / (phases - 1)  # noqa: E731

    def miss(f: Array, x: Array, near: Array | None) -> tuple[Array, Array]:
        """How far this tank and the others (first axis) are from the gain they have to give, and the unknowns of the first variation; the
        first axis of f and x tries variations at once."""
        shares = np.stack([x, rest(x)])
        gains, unknown = _gains(s, at, f, shares, parts[:, :, None], near)
        return gains - at["gain"] - at["drop"] * (shares - 1), unknown[:, :1]
    off, near = miss(np.stack([f, f * (1 + STEP), f]), np.stack([x, x, x + STEP]), None)
    slopes, off, ended = np.stack([off[:, k] - off[:, 0] for k in (1, 2)], 1) / STEP, off[:, 0], np.zeros(f.shape, bool)
    for _ in range(ROUNDS):
        at_end = (x <= LEAST) | (x >= phases - LEAST)
        if not ((np.abs(off).max(0) > CLOSE) & ~(ended & at_end)).any():  # twice at the end: one tank carries it all, or nothing
            break
        ended = at_end
        by, dx = _step(slopes, off)
        f, last, x = f * (1 + by), x, np.clip(x + dx, LEAST, phases - LEAST)
        now, near = miss(f[None], x[None], near)
        step, now = np.stack([by, x - last]), now[:, 0]
        slopes = slopes + (now - off - (slopes * step).sum(1))[:, None] * step / np.maximum(np.square(step).sum(0),
            1e-12)  # Broyden: what the slopes did not foresee
        off = now
    shares = np.where(np.abs(off).max(0) < 2 * CLOSE, np.maximum(x, rest(x)), float(phases))
    return float(np.nanmax(np.where(np.isfinite(shares), shares, float(phases))))


def _step(slopes: Array, off: Array) -> tuple[Array, Array]:
    """Newton's step, in relative frequency and in the share of a tank, of limited length."""
    (af, ax), (bf, bx), (a, b) = slopes[0], slopes[1], off
    det = af * bx - ax * bf
    det = np.where(np.abs(det) > 1e-12, det, 1e-12)
    return np.clip((ax * b - bx * a) / det, -0.1, 0.1), np.clip((bf * a - af * b) / det, -0.5, 0.5)


def together(s: st.Stage, settled: st.Settled) -> dict[str, Array]:
    """Currents of all phases as one while the stage runs, phases alike [A]: rectified sum (rms, swing), sum of the tank currents (rms),
    what the upper switches take from the bus (rms)."""
    shape, n = settled.out["f"].shape, float(s.np) / float(s.ns)
    amps = s.variant.drive * np.broadcast_to(np.asarray(s.v_bus, float), shape) / np.sqrt(float(s.lr) / float(s.cr))
    m = {k: x.reshape(shape) * amps for k, x in waves.summed(settled.found, s.variant.phases).items()}
    return {"i_sum": n * m["rect_rms"], "i_sum_swing": n * m["rect_swing"], "i_common": m["common_rms"], "i_upper": m["upper_rms"]}


def uneven_loss(s: st.Stage, o: Mapping[str, Any]) -> Any:
    """What uneven phases lose beyond even ones [W], as `record_loss` tells it."""
    n = s.variant.phases
    if n == 1:
        return 0.0
    conduction = n * o["share"] * (st.path(s) * np.square(o["i_tank"]) + float(s.r_secondary + s.r_rectifier) * np.square(o["i_rect"]))
    return resonant.lost_by_sharing(s.extra["phase_most"], n, conduction)


def even(s: st.Stage, id: str) -> str:
    """Name of a row of an evenly loaded phase; the figure itself where there is one phase only."""
    return id if s.variant.phases == 1 else f"{id}_even"


def nominal(s: st.Stage, id: str) -> str:
    """Name of a row of nominal parts, evenly loaded."""
    return f"{id}_nominal" if s.variant.phases == 1 else f"{id}_even"


def worst_phase(sheet: Any, s: st.Stage, id: str, row: Any) -> Any:
    """The figure of a current [A] of the most loaded phase from that of an even one."""
    return row if s.variant.phases == 1 else sheet(id, resonant.of_most_loaded, most=sheet.rows["llc.phase_most"], mean=row)


_AT_ENDS = {"A": (resonant.current_at_ends, resonant.most_current_at_ends), "V": (resonant.voltage_at_ends, resonant.most_voltage_at_ends),
            "T": (resonant.flux_at_ends, resonant.most_flux_at_ends), "W": (resonant.heat_at_ends, resonant.most_heat_at_ends)}
"""By unit: of one phase, and of the most loaded of several."""


def worst(sheet: Any, s: st.Stage, id: str, row: Any, moves: Any) -> Any:
    """The figure of a current, of a voltage or flux that goes with it, or of its heat in a resistance, in the most loaded phase at the
    worst end of the tolerances, from that of nominal parts; moves: what these make of the current."""
    alone, several = _AT_ENDS[row.unit]
    return sheet(id, alone, moves=moves, nominal=row) if s.variant.phases == 1 else sheet(id, several, moves=moves,
        most=sheet.rows["llc.phase_most"], nominal=row)


def of_all(sheet: Any, s: st.Stage, id: str, row: Any) -> Any:
    """A loss of one phase in all of them."""
    return row if s.variant.phases == 1 else sheet.total(id, "W", "all phases",
                                                         **{f"phase{k}": row for k in range(1, s.variant.phases + 1)})


def record(work: Work, plan: Any, s: st.Stage, o: dict[str, Any]) -> None:
    """How uneven the phases are and what their sums amount to."""
    sheet, out, count = work.sheet, plan.settled.out, s.variant.phases
    for name in ("transformer", "inductor"):
        sheet.given(f"{name}.count", count, "", "rule", "one for each phase")
    sheet.solved("llc.phase_most", s.extra["phase_most"], "",
                 "exact tanks at the ends of their spread on one frequency and one output, at full load and every bus; the worst of both "
                 "ways", spread=sheet.rows["llc.spread"])
    for k, (id, text) in {"i_common": ("llc.i_common", "exact tank currents of even phases, summed at their shifts"),
                          "i_sum": ("output1.i_fed_even", "rms of the rectified currents of even phases, summed at their shifts"),
                          "i_sum_swing": ("output1.i_swing_even", "the same, peak to peak: six pulses a period")}.items():
        o[k] = sheet.solved(id, out[k], "A", text)


def record_ripple(work: Work, s: st.Stage, o: dict[str, Any], both_most: Any, moves: Mapping[str, Any]) -> Any:
    """What the output capacitors take behind several phases; returns the swing of it. both_most: rms of one phase's rectifiers at the worst
    end of the tolerances, moves: what these make of a current."""
    sheet, count, most = work.sheet, s.variant.phases, work.sheet.rows["llc.phase_most"]
    fed = sheet("output1.i_fed", resonant.burst_rms, share=o["share"],
                i_rms=sheet("output1.i_fed_most", resonant.current_at_ends, moves=moves["rect"], nominal=o["i_sum"]))
    one = sheet("output1.i_c_one", output.capacitor_rms, i_rms=both_most, i_out=s.i_out)
    sheet("output1.i_c_rms", resonant.phased_ripple_rms, i_rms=fed,
          i_out=sheet("load.i_all", resonant.all_phases, phases=count, one=s.i_out), phases=count, most=most, i_one=one)
    peak = sheet("rectifier1.i_peak_even_most", resonant.current_at_ends, moves=moves["rect_peak"], nominal=o["i_rect_peak"])
    return sheet("output1.i_swing", resonant.phased_ripple, even=o["i_sum_swing"], phases=count, most=most, i_peak=peak)


def record_loss(work: Work, s: st.Stage, conduction: Any, parts: Mapping[str, Any], o: Mapping[str, Any]) -> Any:
    """Loss that uneven phases add."""
    sheet = work.sheet
    from_rectifiers = sheet("loss.rectifiers_resistive", resonant.resistive_of, phases=s.variant.phases, r=s.r_rectifier, i_rms=o["i_both"])
    resistive = sheet.total("loss.conduction_all", "W", "by resistance, all phases", switches=conduction, sense=parts["current_sense"],
                            copper=parts["copper"], inductor=parts["tank_inductor_copper"], rectifiers=from_rectifiers)
    return sheet("loss.uneven_phases", resonant.lost_by_sharing, most=sheet.rows["llc.phase_most"], phases=s.variant.phases,
                 conduction=resistive)
