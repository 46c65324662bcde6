"""What stages with a filter inductor and a peak current limit share: choosing the limit and the inductor's core, and recording the
inductor."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import inductor, magnetics
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.magnetics.inductor import GAP_MOST, TURNS_WHY, InductorChoice, InductorNeed
from rhevectra.core.magnetics.windows import Windows
from rhevectra.core.stages.work import Work
from rhevectra.core.stages.wound import choose_wound, record_rise
from rhevectra.core.topologies.common import least_filter, sensing

FLUX_ROOM = 1.01
"""Room in the inductor's current for what the bus still moves after it is chosen."""


def current_limit(work: Work, peak: Any, t_delay: float, why: str, lost: Any = 0.0) -> dict[str, float]:
    """Nominal limit for the peaks in run [A] of all corners or the largest, the filter inductor at the low end of its tolerance, its
    tolerance and delay; t_delay [s] by rule; lost: what slope compensation takes of it there [A]."""
    seen, ramp = float(np.max(1.05 * peak + lost)), bool(np.any(lost))
    tol = work.choose("switch.limit_tolerance", 0.08, "comparator and sense resistor (common practice)")
    delay = work.choose("switch.limit_delay", t_delay, why)
    nominal = work.choose("switch.current_limit", lambda: sensing.limit_of(work, seen / (1 - float(tol.value))),
                          "5 % above the largest peak in run with the least filter inductance, "
                          + ("and what slope compensation takes, " if ramp else "") + "at the least trip; next sense resistor of E96")
    work.sheet.given("switch.limit_min", float(nominal.value) * (1 - float(tol.value)), "A", "rule",
                     "nominal current limit less its tolerance")
    return {"i_limit": float(nominal.value), "tolerance": float(tol.value), "t_delay": float(delay.value)}


def choose_choke(work: Work, inductance: float, rate: float, out: Mapping[str, Any], grade: Any, win: Windows, rise: float, i_short: float,
                 step: int = 1) -> tuple[InductorNeed, InductorChoice]:
    """The filter inductor's core for the settled currents `out`; rate: pulses into it [Hz], rise [K] allowed, i_short: current at the limit
    into a short [A], up to which its core must not saturate; its turns come in so many (step)."""
    full, rows = corners.FULL.mask(work.grid), work.sheet.rows
    flat = {k: np.broadcast_to(out[k], work.grid.shape) for k in ("ripple", "t_e", "t_d", "i_l", "crest")}
    need = InductorNeed(inductance,
                        FLUX_ROOM * (1 + float(rows[least_filter.ID].value))
                        * max(float(flat["crest"].max()), float(rows["derating.flux"].value) * i_short), float(flat["i_l"][full].max()),
                        flat["ripple"][full], flat["t_e"][full], flat["t_d"][full], rate,
                        grade["b_sat_100_t"] * float(rows["derating.flux"].value), grade, work.need.ambient_max, rise, work.need.cooling,
                        work.need.height_max, step=step)
    return need, choose_wound(work, "filter1.core", need, win, "the current limit")


def choke_core(work: Work, c: InductorChoice, win: Windows, grade: Any) -> dict[str, Any]:
    """What the passes need of the chosen core."""
    return {"turns": float(c.turns), "area": float(win.effective.area[c.core]), "volume": float(win.effective.volume[c.core]),
            "core": grade, "kappa": float(magnetics.igse_constant(grade["loss_alpha"], grade["loss_beta"])),
            "temperature": float(min(work.need.ambient_max + c.rise, 140.0)), "eddy": c.eddy}


def eddies(sheet: Any, choke: Mapping[str, Any], fs: Any, ripple: Any, t_up: Any, t_down: Any) -> Any:
    """What the ripple burns in the strands of one filter inductor [W]."""
    return sheet("filter1.loss_eddy", inductor.eddy_loss, factor=choke["eddy"], fs=fs, ripple=ripple, t_up=t_up, t_down=t_down)


def choke_rows(work: Work, core: Mapping[str, Any], c: InductorChoice) -> dict[str, Any]:
    """The same as rows."""
    sheet = work.sheet
    return {**core, "turns": sheet.solved("filter1.turns", core["turns"], "turns", TURNS_WHY.format("the current limit")),
            "area": sheet.given("filter1.area", core["area"], "m²", "catalogue", "effective area of its core"),
            "volume": sheet.given("filter1.volume", core["volume"], "m³", "catalogue", "effective volume of its core"),
            "temperature": sheet.solved("filter1.temperature", core["temperature"], "°C", "ambient plus its rise"),
            "eddy": sheet.solved("filter1.k_eddy", core["eddy"], "Ωs²",
                                 f"strands of {show(c.strand, 'm')} in the field of the winding and of its gap")}


def record_choke(work: Work, c: InductorChoice, need: InductorNeed, win: Windows, s: Any, o: Mapping[str, Any],
                 windings: Mapping[str, Any] | None = None) -> None:
    """Gap, flux, copper loss and temperature of the filter inductor. s: stage with inductance, choke and r_inductor; o: crest, i_l, p_choke
    and p_eddy of one inductor; windings: losses of its windings, where it has several."""
    sheet, eff = work.sheet, win.effective
    sheet.solved("filter1.gap", c.gap, "m", "gap and fringing factor that belong together, for inductance and turns")
    sheet.given("filter1.gap_limit", GAP_MOST * float(eff.area_post[c.core]) ** 0.5, "m", "rule",
                "35 % of the post's width: beyond it fringing heats the winding (common practice)")
    area = sheet.given("filter1.area_min", float(min(eff.area[c.core], eff.area_min[c.core])), "m²", "catalogue",
                       "smallest section of its core")
    sheet("filter1.b_peak", inductor.flux_most, inductance=s.inductance, tolerance=sheet.rows[least_filter.ID], current=o["crest"],
          turns=s.choke["turns"], area=area)
    sheet.given("filter1.b_limit", need.b_max, "T", "rule", "hot saturation after derating")
    plain = sheet.total("filter1.loss_resistance", "W", "all windings", **windings) if windings else sheet("filter1.loss_resistance",
        resistive_loss, r=s.r_inductor, i_rms=o["i_l"])
    copper = sheet.total("filter1.loss_copper", "W", "resistance, and eddies of the ripple in the strands", resistance=plain,
                         eddies=o["p_eddy"])
    record_rise(work, "filter1", float(win.surface[c.core]), o["p_choke"], copper)
