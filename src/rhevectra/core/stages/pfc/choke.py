"""The boost inductor: on a gapped ferrite core, or on a powder ring whose inductance falls with bias; whichever is smaller where nobody
chose."""

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.remembered import Kept, bits
from rhevectra.core.formulas import inductor, magnetics, pfc, powder
from rhevectra.core.magnetics.inductor import GAP_MOST, TURNS_WHY, InductorChoice, InductorNeed, choose_inductor
from rhevectra.core.magnetics.line_cycle import WEIGHTS
from rhevectra.core.magnetics.ring import LEFT_LEAST, LOSS_WORTH, RingChoice, RingNeed, choose_ring, rings
from rhevectra.core.magnetics.transformer import HEAT_TRANSFER
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.stages import rate
from rhevectra.core.stages.pfc.line import Angles, Boost, Feed, angles, currents
from rhevectra.core.stages.work import Work
from rhevectra.core.stages.wound import record_rise, tell_wound

DERATE_FLUX = 0.85
"""Share of hot saturation used (common practice)."""
FERRITE, POWDER = "ferrite", "powder"
TOLERANCE, SPREAD = "pfc.l_tolerance", "pfc.spread"
_CHOKES = Kept(16)
"""The best of each kind for a feed: front ends of a contest often differ in their capacitors alone."""


class Choke(Struct, frozen=True):
    """The inductor as wound: turns, effective area [m²] and volume [m³], outer surface [m²], resistance [Ω], eddy loss over the mean square
    of di/dt [Ωs²], rise [K], its material's row. gapped: what only a gapped core has; ring: what only a ring has."""

    turns: float
    area: float
    volume: float
    surface: float
    resistance: float
    eddy: float
    rise: float
    passed: bool
    grade: Mapping[str, Any]
    gapped: InductorChoice | None = None
    ring: RingChoice | None = None


class Asked(Struct, frozen=True):
    """What the inductor is for: its feed, current limit [A], rms [A], rise allowed [K]."""

    feed: Feed
    limit: float
    rms: float
    rise: float


def choose_choke(work: Work, b: Boost, feed: Feed, limit: float) -> tuple[Choke, Boost]:
    """The inductor, and the stage with it: the inductance of a ring falls with the current."""
    rms = float(currents(b, angles(b, feed.lines, feed.power, feed.v_bus))["l_rms"].max())
    rise = float(work.choose("pfc.rise_max", 50.0, "class of insulation and of neighbours (common practice)").value)
    asked = Asked(feed, limit, rms, rise)
    pins = work.choose.pins
    grade = work.parts["materials"].row(pins.get("pfc.material", "PW2" if b.fs < 50e3 else "PW3"))
    need = work.need
    same = bits(b), bits(asked), work.sheet.rows[TOLERANCE].value, need.ambient_max, need.cooling, need.height_max
    gapped = partial(_CHOKES.ask_of, work.parts, (FERRITE, *same, grade["name"], pins.get("pfc.core")),
                     lambda: choose_inductor(_gapped_need(work, b, asked, grade), work.parts["cores"].derived(windows),
                                             pins.get("pfc.core")))
    ring = partial(_CHOKES.ask_of, work.parts, (POWDER, *same, pins.get("pfc.ring"), pins.get("pfc.powder")),
                   lambda: choose_ring(_ring_need(work, b, asked), work.parts["rings"].derived(rings), work.parts["powders"],
                                       pins.get("pfc.ring"), pins.get("pfc.powder")))
    kind = FERRITE if b.boundary else work.choose("pfc.core_kind", lambda: _smaller(work, gapped, ring)).value
    return _wound_ring(work, b, ring()) if kind == POWDER else (_gapped(work, gapped(), grade), b)


def _smaller(work: Work, gapped: Callable[[], InductorChoice], ring: Callable[[], RingChoice]) -> tuple[str, str, tuple[str, ...]]:
    """The kind of core that passes with the smaller volume, weighed by price and loss. gapped, ring: the best of each kind, worked out when
    asked for."""
    pins = work.choose.pins
    for kind, ids in ((FERRITE, ("pfc.core", "pfc.material")), (POWDER, ("pfc.ring", "pfc.powder"))):
        if any(id in pins for id in ids):
            return kind, "follows the core that is pinned", ()
    win, sizes, core, own = work.parts["cores"].derived(windows), work.parts["rings"].derived(rings), gapped(), ring()
    heat = core.rise / float(magnetics.thermal_resistance(HEAT_TRANSFER[work.need.cooling], win.surface[core.core]))
    weighed = {FERRITE: float(win.effective.volume[core.core]) + LOSS_WORTH * heat, POWDER: own.worth}
    text = (f"{sizes.volume[own.ring] * 1e6:.3g} cm³ of {sizes.names[own.ring]} in {work.parts['powders'].names[own.grade]} against "
            f"{win.effective.volume[core.core] * 1e6:.3g} cm³ of gapped ferrite; {weighed[POWDER] * 1e6:.3g} against "
            f"{weighed[FERRITE] * 1e6:.3g} with price and {LOSS_WORTH * 1e6:g} cm³ for each watt lost")
    kind = min(weighed, key=lambda k: weighed[k]) if core.passed == own.passed else FERRITE if core.passed else POWDER
    return kind, text if core.passed == own.passed else f"{'no ring' if core.passed else 'no gapped core'} holds; {text}", ()


def _gapped_need(work: Work, b: Boost, asked: Asked, grade: Mapping[str, Any]) -> InductorNeed:
    f, need = asked.feed, work.need
    a = angles(b, f.lines, f.power, f.v_bus)
    return InductorNeed(b.inductance, (1 + float(work.sheet.rows[TOLERANCE].value)) * asked.limit, asked.rms, a.ripple, a.duty / a.fs,
                        a.off / a.fs, a.fs, grade["b_sat_100_t"] * DERATE_FLUX, grade, need.ambient_max, asked.rise, need.cooling,
                        need.height_max, line_cycle=True)


def _gapped(work: Work, c: InductorChoice, grade: Mapping[str, Any]) -> Choke:
    """On a gapped core, its core loss averaged over the line cycle at every line."""
    work.choose("pfc.material", grade["name"], "class whose frequency band holds the switching frequency")
    win = work.parts["cores"].derived(windows)
    tell_wound(work, "pfc.core", c, win, "the current limit")
    eff = win.effective
    return Choke(c.turns, float(eff.area[c.core]), float(eff.volume[c.core]), float(win.surface[c.core]), c.resistance, c.eddy, c.rise,
                 c.passed, grade, gapped=c)


def _ring_need(work: Work, b: Boost, asked: Asked) -> RingNeed:
    need, f = work.need, asked.feed

    def loss(unbiased: Array, i_half: Array, exponent: Array, grades: Any, turns_area: Array) -> tuple[Array, Array]:
        """Greatest means over the line cycle of the loss density and of the square of di/dt, each line a candidate's ripple at 24
        angles."""
        tail = lambda x: np.asarray(x)[..., None, None]  # noqa: E731
        own = replace(b, inductance=tail(unbiased), i_half=tail(i_half), exponent=tail(exponent))
        a = angles(own, f.lines, f.power, f.v_bus)
        col = lambda k: tail(grades.column(k))  # noqa: E731
        kappa = tail([magnetics.igse_constant(r["loss_alpha"], r["loss_beta"]) for r in grades.rows])
        swing = own.at(a.mean) * a.ripple / tail(turns_area)
        density = magnetics.core_loss_two_slope(1.0, kappa, col("loss_ref_w_m3"), swing, col("loss_f_ref_hz"), col("loss_alpha"),
                                                col("loss_b_ref_t"), col("loss_beta"), a.fs, a.duty / a.fs, a.off / a.fs)
        return np.asarray((density @ WEIGHTS).max(-1)), np.asarray((slope(a) @ WEIGHTS).max(-1))
    return RingNeed(b.inductance, float(np.sqrt(2)) * f.power / f.lowest / b.phases, asked.limit, asked.rms, loss, b.fs, need.ambient_max,
                    asked.rise, need.cooling, need.height_max)


def _wound_ring(work: Work, b: Boost, c: RingChoice) -> tuple[Choke, Boost]:
    """On a ring, which meets the inductance at the crest of the lowest line."""
    grades, sizes = work.parts["powders"], work.parts["rings"].derived(rings)
    many = len(sizes.names) * len(grades.names)
    work.choose("pfc.ring", sizes.names[c.ring],
                f"chosen from {many} rings and grades: least volume, weighed by price and loss, that keeps {LEFT_LEAST * 100:.0f} % of its "
                "inductance at the current limit, current density and temperature" if c.passed
                else f"none of {many} passes; the one that comes nearest", c.refused)
    grade = grades.row(work.choose("pfc.powder", grades.names[c.grade], "the grade of that choice").value)
    return (Choke(c.turns, float(sizes.area[c.ring]), float(sizes.volume[c.ring]), float(sizes.surface[c.ring]), c.resistance, c.eddy,
                  c.rise, c.passed, grade, ring=c),
            replace(b, inductance=c.unbiased, i_half=c.i_half, exponent=float(grade["bias_exponent"])))


def choke_core_loss(c: Choke, b: Boost, a: Any, ambient: float) -> Any:
    """Core loss [W] of one inductor at each angle, at its own temperature."""
    m = c.grade
    reference = magnetics.loss_at_temperature(m["loss_ref_w_m3"], m["loss_t_curvature_1_k2"], min(ambient + c.rise, 140.0),
                                              m["loss_t_min_c"])
    return magnetics.core_loss_two_slope(c.volume, magnetics.igse_constant(m["loss_alpha"], m["loss_beta"]), reference,
                                         b.at(a.mean) * a.ripple / (c.turns * c.area), m["loss_f_ref_hz"], m["loss_alpha"],
                                         m["loss_b_ref_t"], m["loss_beta"], a.fs, a.duty / a.fs, a.off / a.fs)


def slope(a: Angles) -> Array:
    """Mean square of di/dt [A²/s²] of one inductor at each angle."""
    return np.asarray(inductor.slope_square(a.fs, a.ripple, a.duty / a.fs, a.off / a.fs))


def choke_copper_loss(c: Choke, a: Angles, i_rms: Array) -> Array:
    """Copper loss [W] of one inductor over the line cycle: its resistance, and the eddies of the ripple."""
    return np.asarray(c.resistance * np.square(i_rms) + c.eddy * (slope(a) @ WEIGHTS))


def record_inductance(work: Work, c: Choke, i_crest: Any) -> Any:
    """The inductance at the crest of each line, as a row. i_crest: of one phase."""
    sheet = work.sheet
    turns = sheet.solved("pfc.turns", float(c.turns), "turns",
                         TURNS_WHY.format("the current limit") if c.ring is None
                         else "least whole turns that give the inductance at the crest of the lowest line")
    if c.ring is None:
        return sheet.rows["pfc.l"]
    length = sheet.given("pfc.length", c.volume / c.area, "m", "catalogue", "effective path of its ring")
    zero = sheet("pfc.l_unbiased", powder.unbiased, mu=c.grade["mu_initial"],
                 area=sheet.given("pfc.area", c.area, "m²", "catalogue", "effective section of its ring"), turns=turns, length=length)
    half = sheet("pfc.i_half", powder.half_current, h_half=c.grade["h_half_a_m"], length=length, turns=turns)
    bias = {"i_half": half, "exponent": c.grade["bias_exponent"]}
    sheet("pfc.l_limit", powder.biased, unbiased=zero, current=sheet.rows["pfc.current_limit"], **bias)
    sheet("pfc.l_left", powder.left, current=sheet.rows["pfc.current_limit"], **bias)
    sheet.given("pfc.l_left_least", LEFT_LEAST, "", "rule", "what is left at the limit still slows the current (common practice)")
    return sheet("pfc.l_crest", powder.biased, unbiased=zero, current=i_crest, **bias)


def record_peak(work: Work, i_crest: Any, ripple: Any, boundary: bool = False) -> Any:
    """The peak at the crest of each line with the least inductance at the least rate; returns that of the nominal ones. i_crest, ripple: of
    one phase. At the boundary of conduction the frequency follows the inductance, and the peak stays."""
    sheet = work.sheet
    nominal = sheet("pfc.i_peak_nominal", pfc.inductor_peak, i_crest=i_crest, ripple=ripple)
    if boundary:
        sheet.again("pfc.i_peak", nominal)
    else:
        both = sheet(SPREAD, inductor.spread, tolerance=sheet.rows[TOLERANCE], slower=sheet.rows[rate.FRONT])
        sheet("pfc.i_peak", pfc.inductor_peak, i_crest=i_crest,
              ripple=sheet("pfc.i_ripple_most", pfc.ripple_most, ripple=ripple, tolerance=both))
    return nominal


def record_at_limit(work: Work, c: Choke, at_crest: Mapping[str, Any]) -> Any:
    """The ripple at the crest at the current limit, with the least inductance at the least rate; of a powder ring what its bias there
    leaves. at_crest: voltages and frequency."""
    sheet = work.sheet
    if c.ring is None:
        return sheet.rows["pfc.i_ripple_most"]
    there = sheet("pfc.i_ripple_limit", pfc.crest_ripple, inductance=sheet.rows["pfc.l_limit"], **at_crest)
    return sheet("pfc.i_ripple_limit_most", pfc.ripple_most, ripple=there, tolerance=sheet.rows[SPREAD])


def record_choke(work: Work, c: Choke, core: Any, copper: Any, boundary: bool) -> None:
    """Gap and flux, or the ring's name, and the rise of the inductor."""
    sheet, choose = work.sheet, work.choose
    if c.gapped is not None:
        eff = work.parts["cores"].derived(windows).effective
        k = c.gapped.core
        sheet.solved("pfc.gap", c.gapped.gap, "m", "gap and fringing factor that belong together, for inductance and turns")
        sheet.given("pfc.gap_limit", GAP_MOST * float(eff.area_post[k]) ** 0.5, "m", "rule",
                    "35 % of the post's width: beyond it fringing heats the winding (common practice)")
        sheet("pfc.b_peak", inductor.flux_most, inductance=sheet.rows["pfc.l"], tolerance=sheet.rows[TOLERANCE],
              current=sheet.rows["pfc.current_limit"], turns=sheet.rows["pfc.turns"],
              area=sheet.given("pfc.area_min", float(min(eff.area[k], eff.area_min[k])), "m²", "catalogue", "smallest section of its core"))
        sheet.given("pfc.b_limit", c.grade["b_sat_100_t"] * DERATE_FLUX, "T", "rule", f"hot saturation × {DERATE_FLUX:g}")
    else:
        sheet.again("pfc.core", sheet.rows["pfc.ring"])
    wire = c.gapped or c.ring
    r = sheet.solved("pfc.r", c.resistance, "Ω",
                     "copper of the inductor at its temperature" + (f", strands of {show(wire.strand, 'm')}" if wire else ""))
    sheet("pfc.loss_eddy", inductor.eddies_in, copper=copper, r=r, i_rms=sheet.rows["pfc.i_l_rms"])
    record_rise(work, "pfc", c.surface, core, copper)
    if not c.passed:
        pinned = [id for id in ("pfc.core", "pfc.ring", "pfc.powder") if choose.pinned(id)]
        work.find(MUST_FIX, "pfc",
                  f"the boost inductor on {sheet.rows['pfc.core'].value} is refused; a larger core, more ripple or more rise admits it",
                  "pfc.core", pinned[0] if pinned else "pfc.f_min" if boundary else "pfc.ripple_ratio")
