"""The resonant stage at every corner at once: the exact period at each, frequency found for the load, bursts where it would rise too
far."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import magnetics
from rhevectra.core.formulas.resonant import linkage_peak, ramp_share
from rhevectra.core.topologies.common.secondaries import Other
from rhevectra.core.topologies.common.secondary_kinds import TAP
from rhevectra.core.topologies.resonant import several, tank, waves
from rhevectra.core.topologies.resonant.variant import Variant

PASSES = 4
UNSOLVED, NEAR = 1e-6, 8
"""Miss that counts as unsolved, and passes a point is given from where it stood before it begins anew."""
ZERO_VOLTAGE_ROOM = 0.75
"""Share of the magnetising inductance that just reaches zero voltage which the rule uses."""
ROUGH = 1e-6
"""How periodic the tank has to be while the voltage lost in the resistances still moves."""
MOST_DROP, TRIES = 0.4, 2
"""Drop over the reflected output beyond which no stage is worth its name; passes in which a point may fail before it is given up."""


class Stage(Struct, frozen=True):
    """The power stage, numbers or rows. v_bus and i_out (load and bleed) have the shape of the grid; lr with the leakage (lr, cr, lm and
    fixed may vary along an axis before it); r_switch: one, hot; r_secondary: one half of the centre tap, or the one winding of a bridge
    (secondary: its kind), whose v_forward and r_rectifier are those of a pair; f_max: highest frequency, i_burst: output current below
    which, and beyond which frequency, it runs in bursts; core: material row of the transformer."""

    variant: Variant
    v_bus: Any
    i_out: Any
    v_out: Any
    v_forward: Any
    r_rectifier: Any
    r_secondary: Any
    r_inductor: Any
    r_switch: Any
    r_primary: Any
    np: Any
    ns: Any
    lr: Any
    cr: Any
    lm: Any
    leakage: Any
    f_max: Any
    i_burst: Any
    c_node: Any
    t_fall: Any
    core: Mapping[str, Any]
    area: Any
    volume: Any
    core_temperature: Any
    p_controller: Any
    extra: dict[str, Any] = field(default_factory=dict)
    secondary: str = TAP
    fixed: float = 0.0
    """Frequency [Hz] it always runs at, its output following the bus; 0 where the frequency is found for the output."""
    r_sense: Any = 0.0
    """What the current sense puts into the path of the tank current [Ω]."""
    others: tuple[Other, ...] = ()
    """Outputs beside the regulated one; what is solved is the stage with one that looks like all (`several.seen`)."""
    wound: Any = None
    """Primary turns as wound, where the leakage of the transformer is the resonant inductance: np are then those of the ideal transformer
    beyond it."""

    def linkage(self, i_mag: Any, i_peak: Any) -> Any:
        """Greatest flux linkage of the primary [Vs], bare numbers."""
        lm, lr = plain(self.lm), plain(self.lr)
        return lm * i_mag if self.wound is None else linkage_peak(lm, lr, i_mag, i_peak, ramp_share(lm, lr, i_mag, i_peak))


class Settled(Struct, frozen=True):
    """state: what the next solution may begin from; out: everything at every corner; found: the solved points, flat; miss: how far the
    worst is from periodic."""

    state: dict[str, Any]
    out: dict[str, Any]
    found: tank.Found
    miss: float


def _from_anew(point: tank.Point, found: tank.Found, enough: float, given_up: Array) -> tank.Found:
    """Points that did not settle from where they stood before, once more from the first harmonic."""
    bad = np.flatnonzero((found.miss > UNSOLVED) & ~given_up)
    if not len(bad):
        return found
    load, gain, ratio = point.load[bad], point.gain[bad], point.ratio[bad]
    fresh = tank.solve(tank.Point(tank.guess_half(load, gain, ratio), load, gain, ratio), "half", None, enough)
    return tank.mended(found, "half", bad, fresh, fresh.miss < UNSOLVED)


def _burst(point: tank.Point, found: tank.Found, f_top: Array, near: Any, enough: float, given_up: Array) -> tuple[tank.Found, Array, Any]:
    """Points whose frequency would rise beyond the highest: the load they carry there instead, and the share of time they run."""
    high = np.flatnonzero(((np.pi / found.point.half > f_top) & (found.miss <= UNSOLVED)) | ((found.miss > UNSOLVED) & ~given_up))
    share = np.ones(len(found.miss))
    if not len(high):
        return found, share, near
    sub = tank.Point(np.pi / f_top[high], np.maximum(point.load[high], 0.2), point.gain[high], point.ratio[high])
    begin = near[high] if near is not None and np.isfinite(near[high]).all() else None
    at_top = tank.solve(sub, "load", begin, enough)
    good = (at_top.miss < UNSOLVED) & (at_top.point.load > 0)
    rows, unknown = high[good], found.unknown.copy()
    values = {n: getattr(found.point, n).copy() for n in ("half", "load", "gain", "ratio")}
    for n in values:
        values[n][rows] = getattr(at_top.point, n)[good]
    share[rows] = np.minimum(point.load[rows] / at_top.point.load[good], 1.0)
    start = found.half.start.copy()
    start[rows] = at_top.half.start[good]
    miss = found.miss.copy()
    miss[rows] = at_top.miss[good]
    whole = tank.Point(**values)
    kept = np.full((len(share), at_top.unknown.shape[1]), np.nan)
    kept[high] = at_top.unknown
    return tank.Found(whole, tank.run(whole, start), miss, unknown), share, kept


def _kept_finite(found: tank.Found, gain: Array, load: Array, half: Array) -> tank.Found:
    """Where no periodic state exists, half a period at the first harmonic's frequency instead: numbers to draw, which a finding says are
    not to be used."""
    bad = found.miss > UNSOLVED
    if not bad.any():
        return found
    p = found.point
    point = tank.Point(np.where(bad, half, p.half), np.where(bad, load, p.load), np.where(bad, gain, p.gain), p.ratio)
    jm = -0.5 * gain * half / p.ratio
    start = np.where(bad[:, None], np.stack([jm, jm, -0.5 * gain * load * half], -1), found.half.start)
    return tank.Found(point, tank.run(point, start), np.where(bad, 1.0, found.miss), found.unknown)


def _at_output(point: tank.Point, near: Any, burst_near: Any, top: Array, enough: float,
               given_up: Array) -> tuple[tank.Found, Array, Array, Any]:
    """The frequency that gives the output, or bursts at the highest; the share of time it runs, and what the next pass of both begins
    from."""
    free = tank.solve(point, "half", near, enough, tank.NEWTON if near is None else NEAR)
    if near is not None:
        free = _from_anew(point, free, enough, given_up)
    jm = -0.5 * point.gain * point.half / point.ratio
    found, share, burst_near = _burst(point, free, top, burst_near, enough, given_up)
    return found, share, np.where((free.miss < UNSOLVED)[:, None], free.unknown, np.stack([jm, jm, point.half], -1)), burst_near


def _at_fixed(point: tank.Point, near: Any, enough: float) -> tank.Found:
    """The gain at the frequency that is given; points that do not settle from where they stood before begin anew."""
    found = tank.solve(point, "gain", near, enough)
    if near is None or not (found.miss > UNSOLVED).any():
        return found
    return tank.solve(replace(point, gain=np.ones(len(point.gain))), "gain", None, enough)


def solve(s: Stage, state: Mapping[str, Any] | None = None, passes: int = PASSES) -> Settled:
    """Passes between the lossless tank and the voltage its currents lose in the resistances, until both agree."""
    parts = [np.asarray(plain(x), float) for x in (s.lr, s.cr, s.lm)]
    shape = np.broadcast_shapes(np.shape(s.v_bus), np.shape(s.i_out), *(x.shape for x in parts))
    flat = lambda x: np.broadcast_to(np.asarray(plain(x), float), shape).reshape(-1)  # noqa: E731
    n, i_least = float(plain(s.np)) / float(plain(s.ns)), float(plain(s.i_burst))
    first, back = _different(
        *(flat(x) for x in (s.v_bus, s.i_out,
                            *(x for x in (*parts, np.asarray(plain(s.v_out)), np.asarray(plain(s.r_secondary))) if x.ndim))))
    v_out, r_rectified = (flat(x)[first] if np.ndim(plain(x)) else float(plain(x)) for x in (s.v_out, s.r_secondary))
    r_rectified = r_rectified + float(plain(s.r_rectifier))
    v_p, i_o = s.variant.drive * flat(s.v_bus)[first], flat(s.i_out)[first]
    lr, cr, lm = (flat(x)[first] if x.ndim else float(x) for x in parts)
    s, fixed = replace(s, lr=lr, lm=lm), None if not np.any(s.fixed) else flat(s.fixed)[first]
    z, w = np.sqrt(lr / cr), 1 / np.sqrt(lr * cr)
    top, ratio = np.broadcast_to(float(plain(s.f_max)) * 2 * np.pi / w, v_p.shape), np.broadcast_to(lm / lr, v_p.shape)
    at_ideal = n * (v_out + float(plain(s.v_forward)))
    known: Mapping[str, Any] = state if state is not None and len(state["drop"]) == len(back) else {
        "drop": 0.01 * (n * (flat(s.v_out) + float(plain(s.v_forward)))), "beside": np.zeros(len(back)), "near": None, "burst": None,
        "failed": np.zeros(len(back))}
    drop, p_beside, failed = (known[k][first] for k in ("drop", "beside", "failed"))
    near, burst_near = (known[k][first] if known[k] is not None else None for k in ("near", "burst"))
    o: dict[str, Any] = {}
    for k in range(passes):
        enough = tank.ENOUGH if passes > 1 and k == passes - 1 else ROUGH
        v_o = at_ideal + drop if fixed is None else v_p if near is None else near[:, 2] * v_p
        gain, load = v_o / v_p, (np.maximum(i_o, i_least) / n + p_beside / (v_o - drop)) * z / v_p
        half = 0.5 * w / fixed if fixed is not None else tank.guess_half(load, gain, ratio) if near is None else near[:, 2]
        point = tank.Point(half, load, gain, ratio)
        if fixed is not None:
            found, share = _at_fixed(point, near, enough), np.ones(len(v_p))
            near = found.unknown
        else:
            found, share, near, burst_near = _at_output(point, near, burst_near, top, enough, failed >= TRIES)
        failed = failed + (found.miss > UNSOLVED)
        share = share * np.minimum(1.0, i_o / i_least)
        found = _kept_finite(found, gain, load, half)
        o = _scaled(s, waves.measures(found), found, share, v_p, z, w, n)
        beside = path(s) * np.square(
            o["i_mag_rms"])  # the magnetising current heats its path whatever the output gets: like a load, not like a drop
        lost = r_rectified * np.square(o["i_rect"]) + path(s) * np.square(o["i_tank"]) - beside
        load_amps = found.point.load * v_p / z
        last, drop = drop, np.minimum(lost / load_amps, MOST_DROP * at_ideal)
        before, p_beside = p_beside, o["p_core"] + beside
        if fixed is None:
            # what this pass did not know yet of its own losses
            o["i_in"] = o["i_in"] + ((drop - last) * load_amps + p_beside - before) / v_p
        if k and enough == ROUGH and float(np.max(np.abs(drop - last) / at_ideal)) < 1e-5:
            break
    o["drop"] = drop
    o = {k: np.asarray(x)[back].reshape(shape) for k, x in o.items()}
    return Settled(
        {"drop": drop[back], "beside": p_beside[back], "near": near if near is None else near[back],
         "burst": burst_near if burst_near is None else burst_near[back], "failed": failed[back]}, o, tank.spread(found, back),
                   float(found.miss.max()))


def settle(s: Stage, state: Mapping[str, Any] | None = None, passes: int = PASSES) -> tuple[Stage, Settled]:
    """The solution, and the stage with what several outputs look like to the tank, once leakage is known that holds them apart."""
    settled = solve(several.seen(s), state, passes)
    if not s.others or "apart" not in s.extra:
        return s, settled
    for _ in range(several.ROUNDS):
        s = replace(s, extra={**s.extra, "shared": several.share(s, settled)})
        settled = solve(several.seen(s), settled.state, 1)
    return replace(s, extra={**s.extra, "shared": several.share(s, settled)}), settled


def _different(*given: Array) -> tuple[Array, Array]:
    """Numbers of the corners that differ in what is given of each (bus, load, parts of the tank), in their order, and which of them stands
    for each corner: behind a power factor stage every line has the same bus."""
    _, first, back = np.unique(np.stack(given, -1), axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    place = np.empty_like(order)
    place[order] = np.arange(len(order))
    return first[order], place[back.reshape(-1)]


def path(s: Stage) -> float:
    """Resistance [Ω] that the tank current flows through."""
    return s.variant.in_path * float(plain(s.r_switch)) + float(plain(s.r_primary)) + float(plain(s.r_inductor)) + float(plain(s.r_sense))


def _scaled(s: Stage, m: Mapping[str, Array], found: tank.Found, share: Array, v_p: Array, z: Any, w: Any, n: float) -> dict[str, Any]:
    """The measures in SI units while the stage runs; share: of the time it does."""
    amps, f = v_p / z, w / (2 * np.pi) * np.pi / found.point.half
    swing = (2 * s.linkage(m["mag_peak"] * amps, m["tank_peak"] * amps)
             / (float(plain(s.np if s.wound is None else s.wound)) * float(plain(s.area))))
    c, half = s.core, 0.5 / f
    reference = magnetics.loss_at_temperature(c["loss_ref_w_m3"], c["loss_t_curvature_1_k2"], plain(s.core_temperature), c["loss_t_min_c"])
    p_core = magnetics.core_loss_two_slope(plain(s.volume), s.extra["kappa"], reference, swing, c["loss_f_ref_hz"], c["loss_alpha"],
                                           c["loss_b_ref_t"], c["loss_beta"], f, half, half)
    return {"f": f, "share": share, "i_tank": m["tank_rms"] * amps, "i_tank_peak": m["tank_peak"] * amps, "i_in": m["tank_mean"] * amps,
            "i_off": m["off"] * amps, "i_mag": m["mag_peak"] * amps, "i_mag_rms": m["mag_rms"] * amps,
            "i_rect": m["rect_rms"] * amps * n, "i_rect_peak": m["rect_peak"] * amps * n, "v_cap": m["cap_peak"] * v_p,
            "t_turned": m["turned"] / w, "p_core": p_core, "gain": found.point.gain}
