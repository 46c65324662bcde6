"""What a phase-shifted bridge has beside the others: circulating current, soft turn-on of both legs, its series inductor and dead times."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import magnetics, phase_shift, resonant
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.magnetics.inductor import TURNS_WHY, InductorChoice, InductorNeed
from rhevectra.core.magnetics.windows import Windows, windows
from rhevectra.core.stages import gates
from rhevectra.core.stages.work import Work
from rhevectra.core.stages.wound import choose_wound, core_loss, record_rise

WORTH_WINDING = 0.2
"""A series inductor below this share of the leakage is not worth winding."""
CURRENT_ROOM = 1.01


CARRIED = {"i_left": "A", "t_swing": "s", "circulates": ""}
"""What one pass hands to the next beside what the whole family does, with its unit."""


def between_pulses(sheet: Any, s: Any, b: Mapping[str, Any], v_free: Any, r_path: Any) -> dict[str, Any]:
    """What the circulating current meets, and the voltage across the filter inductor meanwhile."""
    turns = {"turns_secondary": s.ns, "turns_primary": s.np}
    r_loop = sheet("psfb.r_loop", phase_shift.circulating_resistance, r_path=r_path, r_rectifier=s.r_rectifier, r_winding=s.r_secondary,
                   **turns)
    return {"r_loop": r_loop,
            "down": sheet("filter1.v_between", phase_shift.voltage_down, v_free=v_free, share=b["circulates"], r_loop=r_loop,
                          i_mid=b["i_mid"], inductance=s.inductance, leakage=s.leakage, **turns)}


def circulation(sheet: Any, s: Any, b: Mapping[str, Any], o: Mapping[str, Any]) -> dict[str, Any]:
    """From the end of a pulse to the turning of the current: what is left of it, and how far it moves the lagging leg."""
    turns, ring = {"turns_secondary": s.ns, "turns_primary": s.np}, {"inductance": s.leakage, "c_leg": o["c_p"]}
    t_f = sheet("psfb.t_circulating", phase_shift.circulating_time, fs=o["fs"], t_feeding=o["t_e"], t_commutation=o["t_c"],
                t_swing=b["t_swing"])
    follows = sheet("psfb.i_followed", phase_shift.followed, i_crest=o["crest"], v_down=o["down"], t_circulating=t_f,
                    inductance=s.inductance, i_mag=o["i_mag"], **turns)
    decayed = sheet("psfb.i_decayed", phase_shift.circulating_end, i_followed=follows, i_mag=o["i_mag"], r_path=o["r_path"],
                    r_loop=o["r_loop"], i_peak=o["i_peak"], t_circulating=t_f, inductance=s.leakage)
    empty = plain(follows) <= plain(o["i_mag"])
    end = sheet.either("psfb.i_circulating", empty, follows, decayed,
                       "the filter inductor is empty and the magnetising current alone circulates, or not")
    t_q = sheet("psfb.dead_lagging", phase_shift.quarter_ring, **ring)
    v_s = sheet.either("psfb.v_swing", empty,
                       sheet("psfb.v_swing_blocked", phase_shift.swing_blocked, v_primary=o["v_in"], i_end=end, t_dead=t_q, c_leg=o["c_p"]),
                       sheet("psfb.v_swing_ring", phase_shift.swing, v_primary=o["v_in"], i_end=end, **ring),
                       "both rectifiers block, or they short the secondary")
    left = sheet("psfb.i_left", phase_shift.left_current, i_end=end, v_primary=o["v_in"], **ring)
    whole = sheet.given("psfb.held_whole", 1.0, "", "rule", "one rectifier carries all while there is any")
    held = sheet.either("psfb.held", empty, whole,
                        sheet("psfb.held_loaded", phase_shift.held_share, i_end=end, i_mag=o["i_mag"], i_followed=follows),
                        "the filter inductor is empty, or not")
    t_s = sheet("psfb.t_swing", phase_shift.swing_time, v_swing=v_s, i_end=end, **ring)
    return {"t_q": t_q, "t_f": t_f, "i_end": end, "v_s": v_s, "i_left": left, "held": held, "t_swing": t_s,
            "circulates": sheet("psfb.circulates", phase_shift.circulating_share, t_circulating=t_f, t_swing=t_s, t_commutation=o["t_c"]),
            "one_sided": sheet("rectifier1.one_sided", phase_shift.one_sided, fs=o["fs"], t_feeding=o["t_e"], t_circulating=t_f,
                               t_swing=t_s, held=held, t_commutation=o["t_c"])}


def rms(sheet: Any, o: Mapping[str, Any]) -> Any:
    """Rms current of the primary."""
    return sheet("switch.i_rms_pulses", phase_shift.primary_rms, fs=o["fs"], t_commutation=o["t_c"], i_left=o["i_left"],
                 i_start=o["i_start"], t_feeding=o["t_e"], i_peak=o["i_peak"],
                 t_loaded=sheet("psfb.t_loaded", phase_shift.loaded_time, t_circulating=o["t_f"], t_swing=o["t_swing"],
                                t_freewheeling=o["t_d"]), t_circulating=o["t_f"], t_swing=o["t_swing"], i_end=o["i_end"])


def turn_on(sheet: Any, s: Any, o: Mapping[str, Any]) -> dict[str, Any]:
    """Turn-on losses of both legs, and what the turning of the current heats."""
    v_a = sheet("psfb.v_leading", phase_shift.leading_swing, v_primary=o["v_in"], i_peak=o["i_peak"], t_dead=s.extra["dead_leading"],
                c_leg=o["c_p"])
    legs = {leg: sheet(f"psfb.loss_{leg}", phase_shift.turn_on_loss, c_leg=o["c_p"], v_primary=o["v_in"], v_swing=v, fs=o["fs"])
            for leg, v in (("leading", v_a), ("lagging", o["v_s"]))}
    both = sheet.total("switch.loss_turn_on_all", "W", "both legs", **legs)
    return {"node": both, "leading": legs["leading"],
            "turning": sheet("psfb.p_turning", phase_shift.turning_loss, fs=o["fs"], t_commutation=o["t_c"], r_loop=o["r_loop"],
                             i_left=o["i_left"], i_start=o["i_start"])}


def series_core(sheet: Any, s: Any, o: Mapping[str, Any]) -> dict[str, Any]:
    """Core loss of the series inductor and the eddies in its strands, where there is one."""
    if "series" not in s.extra:
        return {}
    c = s.extra["series"]
    swing = sheet("inductor.b_swing", resonant.flux_swing, lm=c["l"], i_mag=o["i_peak"], turns=c["turns"], area=c["area"])
    half = sheet("inductor.t_half", resonant.half_period, f=o["f_switch"])
    burnt = sheet("inductor.loss_eddy", phase_shift.series_eddies, factor=c["eddy"], fs=o["fs"], t_commutation=o["t_c"],
                  v_primary=o["v_in"], inductance=s.leakage, i_peak=o["i_peak"], i_start=o["i_start"], t_feeding=o["t_e"])
    return {"series": core_loss(sheet, "inductor", s.core, c["temperature"], c["volume"], s.extra["kappa"], swing, o["f_switch"], half,
                                half), "series_eddies": burnt}


def series_given(work: Work, s: Any) -> dict[str, Any]:
    """Rows for the constants of the series inductor and of both legs."""
    sheet, c = work.sheet, s.extra.get("series")
    given: dict[str, Any] = {"dead_leading": sheet.rows["psfb.dead_leading"], "r_series": s.extra["r_series"]}
    if c:
        given["r_series"] = sheet.solved("inductor.r", s.extra["r_series"], "Ω", "copper of the series inductor at its temperature")
        given["series"] = {"l": sheet.rows["psfb.l_series"],
                           "turns": sheet.solved("inductor.turns", c["turns"], "turns", TURNS_WHY.format("the current limit")),
                           "area": sheet.given("inductor.area", c["area"], "m²", "catalogue", "effective area of its core"),
                           "volume": sheet.given("inductor.volume", c["volume"], "m³", "catalogue", "effective volume of its core"),
                           "temperature": sheet.solved("inductor.temperature", c["temperature"], "°C", "ambient plus its rise"),
                           "eddy": sheet.solved("inductor.k_eddy", c["eddy"], "Ωs²",
                                                "strands of its bundle in the field of the winding and of its gap")}
    return given


def bus_power(sheet: Any, o: Mapping[str, Any], also: Any, leading: Any, off: Any) -> Any:
    """Power drawn from the bus."""
    return sheet("switch.p_bus", phase_shift.bus_power, fs=o["fs"], v_primary=o["v_in"], i_start=o["i_start"], i_peak=o["i_peak"],
                 t_feeding=o["t_e"], i_left=o["i_left"], t_commutation=o["t_c"], c_leg=o["c_p"], v_swing=o["v_s"], p_core=also,
                 p_leading=leading, p_off=off)


def bus_square(o: Mapping[str, Any]) -> Any:
    """Mean square [A²] of the current the bus gives and takes back."""
    turning = o["t_c"] * (np.square(o["i_left"]) - o["i_left"] * o["i_start"] + np.square(o["i_start"]))
    return o["fs"] * (turning + o["t_e"] * (np.square(o["i_start"]) + o["i_start"] * o["i_peak"] + np.square(o["i_peak"]))) / 3


def choose_series(work: Work, s: Any, out: Mapping[str, Any], grade: Any, win: Windows) -> tuple[Any, InductorChoice | None]:
    """The series inductor that the lagging leg asks for and the duty can spare, its core, and the dead time of the leading leg."""
    grid, choose, sheet = work.grid, work.choose, work.sheet
    share = choose("psfb.soft_load", 0.5, "from half load up (common practice): lower asks for an inductor that costs duty at full load")
    lost = choose("psfb.duty_lost_most", 0.08, "share of the pulse the low bus can spare (common practice, no source)")
    full = corners.FULL.mask(grid)
    flat = {k: np.broadcast_to(out[k], grid.shape)[full] for k in ("i_peak", "i_mag", "v_in", "crest", "ripple")}
    n, c_leg, i_out = float(s.ns) / float(s.np), s.variant.across * float(s.c_node), work.need.outputs[work.need.main].current_max
    top, low = int(flat["v_in"].argmax()), int(flat["v_in"].argmin())
    at_share = n * max(float(share.value) * i_out - 0.5 * flat["ripple"][top], 0.0) + flat["i_mag"][top]
    soft = sheet("psfb.l_soft", phase_shift.soft_inductance, c_leg=c_leg, v_primary=flat["v_in"][top], current=max(at_share, 1e-3))
    spare = sheet("psfb.l_spare", phase_shift.lossy_inductance, duty_lost=lost, v_primary=flat["v_in"][low],
                  fs=s.variant.pulses * float(s.fs), current=n * i_out)
    wanted = min(float(soft.value), float(spare.value)) - float(s.leakage)
    series = choose("psfb.l_series", lambda: float(f"{wanted:.2g}") if wanted > WORTH_WINDING * float(s.leakage) else 0.0,
                    "the lagging leg's energy at that load, or what the duty can spare, less the leakage; none where the leakage suffices",
                    wanted=soft)
    charge = 2 * c_leg * float(s.v_bus.max()) / max(0.25 * n * i_out + float(np.min(flat["i_mag"])), 1e-3)
    dead = choose("psfb.dead_leading", lambda: float(f"{max(min(0.5 * charge, 0.05 / float(s.fs)), gates.least_dead(work)):.2g}"),
                  "the filter's current at a quarter load moves the leading leg within it; no less than its gates need")
    stage = replace(s, leakage=float(s.leakage) + float(series.value), extra={**s.extra, "dead_leading": float(dead.value)})
    if float(series.value) <= 0:
        return stage, None
    c = _core(work, stage, out, float(series.value), grade, win)
    core = {"l": float(series.value), "turns": float(c.turns), "area": float(win.effective.area[c.core]),
            "volume": float(win.effective.volume[c.core]), "temperature": float(min(work.need.ambient_max + c.rise, 140.0)), "eddy": c.eddy}
    return replace(stage, extra={**stage.extra, "series": core, "r_series": c.resistance}), c


def _core(work: Work, s: Any, out: Mapping[str, Any], inductance: float, grade: Any, win: Windows) -> InductorChoice:
    """Core and turns of the series inductor: the whole primary current, both ways."""
    full, rows = corners.FULL.mask(work.grid), work.sheet.rows
    flat = {k: np.broadcast_to(out[k], work.grid.shape)[full] for k in ("i_peak", "i_primary", "f_switch", "fs", "v_in", "i_start", "t_e")}
    whole = float(s.leakage)
    # `out` is from before there was a series inductor: now the current circulates undiminished until it is turned over
    turning = whole * (flat["i_peak"] + flat["i_start"]) / flat["v_in"]
    rate = phase_shift.series_eddies(1.0, flat["fs"], turning, flat["v_in"], whole, flat["i_peak"], flat["i_start"], flat["t_e"])
    half = 0.5 / flat["f_switch"]
    need = InductorNeed(inductance, CURRENT_ROOM * float(np.max(out["i_peak"])), 1.05 * float(flat["i_primary"].max()), 2 * flat["i_peak"],
                        half, half, float(s.fs), grade["b_sat_100_t"] * float(rows["derating.flux"].value), grade,
                        work.need.ambient_max, float(rows["transformer.rise_max"].value), work.need.cooling, work.need.height_max,
                        rate=rate)
    return choose_wound(work, "psfb.inductor_core", need, win, "the current limit")


def record(work: Work, plan: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """Rows of both legs and of the series inductor; returns its losses."""
    sheet = work.sheet
    sheet("psfb.duty_lost", phase_shift.duty_lost, t_commutation=o["t_c"], fs=o["fs"])
    sheet("psfb.energy_ratio", phase_shift.energy_ratio, inductance=s.leakage, i_end=o["i_end"], c_leg=o["c_p"], v_primary=o["v_in"])
    held = "rectifier1.v_step" in sheet.rows  # by the clamp: the figure without it starts from the step
    sheet("psfb.v_undamped", phase_shift.undamped_reverse, v_reverse=sheet.rows["rectifier1.v_step" if held else "rectifier1.v_reverse"],
          allowance=0.0 if held else sheet.rows["rectifier.ringing"])
    return {} if plan.series is None else _record_series(work, plan, s, o)


def _record_series(work: Work, plan: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    sheet, c, every = work.sheet, plan.series, work.parts["cores"].derived(windows)
    eff = every.effective
    sheet.given("inductor.core", c.name, "", "rule", "see the decision on it")
    sheet.solved("inductor.gap", c.gap, "m", "gap and fringing factor that belong together, for inductance and turns")
    smallest = float(min(eff.area[c.core], eff.area_min[c.core]))
    l_series = sheet.rows["psfb.l_series"]
    sheet("inductor.b_peak", magnetics.flux_density, inductance=l_series, current=o["i_peak"], turns=sheet.rows["inductor.turns"],
          area=sheet.given("inductor.area_min", smallest, "m²", "catalogue", "smallest section of its core"))
    plain_loss = sheet("inductor.loss_resistance", resistive_loss, r=s.extra["r_series"], i_rms=o["i_primary"])
    copper = sheet.total("inductor.loss_copper", "W", "resistance, and eddies in the strands", resistance=plain_loss,
                         eddies=o["p_series_eddies"])
    record_rise(work, "inductor", float(every.surface[c.core]), o["p_series"], copper)
    return {"switch_inductor_core": o["p_series"], "switch_inductor_copper": copper}


def findings(work: Work, plan: Any) -> None:
    """From which load on the lagging leg turns on softly, at every line; and a series inductor that no core takes."""
    grid, soft = work.grid, np.broadcast_to(work.sheet.rows["psfb.energy_ratio"].value, work.grid.shape) >= 1
    loads = sorted({p.load for k, p in enumerate(grid.points) if p.case == "run" and not p.label and soft[:, :, k, :].all()})
    lost = float(np.max(np.where(corners.FULL.mask(grid), work.sheet.rows["psfb.duty_lost"].value, 0.0)))
    says = (f"turns on softly at every line from {100 * loads[0]:.0f} % load up" if loads
            else "does not turn on softly at every line even at full load")
    work.find(NOTE, "switch", f"the lagging leg {says}; turning its current over costs {100 * lost:.1f} % of the pulse; undamped, the "
              f"rectifiers would ring to {show(float(np.max(work.sheet.rows['psfb.v_undamped'].value)), 'V')}", "psfb.energy_ratio", "")
    if plan.series is not None and not plan.series.passed:
        work.find(MUST_FIX, "switch",
                  f"the series inductor on {plan.series.name} is refused; less of it, a larger core or more rise admits it",
                  "inductor.rise", "psfb.l_series")
