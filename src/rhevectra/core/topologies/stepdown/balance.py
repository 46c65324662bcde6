"""What keeps the flux of a core driven both ways in the middle: a capacitor in series with the primary or the control, and the walk without
either."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import MUST_FIX, NOTE
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import balance, magnetics
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import slope
from rhevectra.core.topologies.common.outputs import step_begins
from rhevectra.core.topologies.stepdown import stage as st
from rhevectra.core.topologies.stepdown.variant import Variant

AMPLITUDE = 0.04
"""Amplitude on the series capacitor the rule aims at, share of the primary voltage; limit is `AMPLITUDE_MOST` (a few per cent: common
practice)."""
AMPLITUDE_MOST = 0.05
BELOW = 4.0
"""The resonance with the reflected filter inductor stays this many times below the switching frequency (common practice, no source)."""
NONE, TRIM = "none", "trim"
TRIM_PERIODS = 50.0
"""Periods a controller takes that trims the peaks by the midpoint (common practice, no source)."""
_RUNAWAY = ("peak-current control takes less charge through whichever side stands higher, so that side rises further: the {} runs away; "
            "voltage-mode control keeps it{}")
BALANCE = DecisionSpec("divider.balance", "Balance of the divider", "transformer", "choice", options=(NONE, TRIM),
                       schools="none: under duty control the midpoint stays by itself; trim: the controller reads the midpoint and moves "
                       "the peaks of both halves apart until it stands at half the bus, then current control does not run away")


def control_of(work: Work, v: Variant, out: Any) -> str:
    """What ends the pulses of a stage that drives its core both ways: the current, or the duty; chosen once. Of a divider by rule the duty,
    unless a load step begins where the filter's current is discontinuous. out: the stage as it is known."""
    if "switch.control" in work.sheet.rows:
        return str(work.sheet.rows["switch.control"].value)

    def by_rule() -> tuple[str, str, tuple[str, ...]]:
        if v.series == "divider" and _begins_dry(work, out):
            return ("current", "a load step is asked for that begins where the filter's current is discontinuous",
                    ("voltage: there the duty hardly moves the output until its slow loop has",))
        return v.control, {"voltage": "a series capacitor holds the flux",
                           "current": "equal peaks in both halves hold the flux, no capacitor needed"}[v.control], ()
    return str(work.choose("switch.control", by_rule).value)


def _begins_dry(work: Work, out: Any) -> bool:
    """Whether the load step of the regulated output begins from a load at which the filter's current stops."""
    need = work.need.outputs[work.need.main]
    if need.load_step is None:
        return False
    return bool(np.any(np.broadcast_to(plain(out["discontinuous"]), work.grid.shape)[:, :, step_begins(work, need)]))


def _midpoint(work: Work, s: st.Stage, out: Any) -> Any:
    """What an error of the midpoint makes of the charge of both pulses [C] at each corner."""
    ratio, inductance, t_e = float(plain(s.ns)) / float(plain(s.np)), float(plain(s.inductance)), plain(out["t_e"])
    falling, continuous = plain(out["down"]) / inductance, ~np.asarray(plain(out["discontinuous"]), bool)
    added = slope.carried(work, falling, t_e * plain(out["fs"]), continuous)
    crest = (plain(out["i_peak"]) - plain(out["i_mag"])) / ratio
    return balance.midpoint_gain(continuous, t_e, plain(out["up"]) / inductance, falling, added, crest, ratio)


def choose_series(work: Work, v: Variant, s: st.Stage, out: dict[str, Any]) -> None:
    """Control and capacitor, for the settled numbers of the wound stage."""
    control = control_of(work, v, out)
    if not v.series:
        return
    trims = v.series == "divider" and work.choose(BALANCE.id, *(
        (TRIM, "a controller that trims the peaks by the midpoint: current control would run away with it")
        if control == "current" and not work.choose.pinned("switch.control") else (NONE, "the midpoint stays by itself"))).value == TRIM
    trims = trims and control == "current"
    full = corners.FULL.mask(work.grid)
    flat = {k: np.broadcast_to(out[k], work.grid.shape)[full] for k in ("i_start", "i_peak", "t_e", "i_mag", "t_c", "v_in", "f_switch")}
    charge = balance.pulse_charge(flat["i_start"], flat["i_peak"], flat["t_e"], flat["i_mag"], flat["t_c"])

    def rule() -> float:
        if v.series == "blocking" and control == "current":
            return 0.0
        ripple = float(np.max(balance.series_for_amplitude(charge, v.in_series, AMPLITUDE, flat["v_in"])))
        resonance = float(np.max(balance.series_for_resonance(s.ns, flat["f_switch"] / BELOW, s.np, v.in_series, s.inductance)))
        keeps = 0.0
        if trims:
            there = lambda x: np.broadcast_to(plain(x), work.grid.shape)[full]  # noqa: E731
            keeps = float(np.max(2 * TRIM_PERIODS * there(_midpoint(work, s, out)) / there(s.v_bus)))
        return float(at_least(max(ripple, resonance, keeps) * 1.1, "E6"))
    work.choose(f"{v.series}.c", rule, f"least E6 value for {AMPLITUDE * 100:g} % of the primary voltage and a resonance {BELOW:g} times "
                "below the switching frequency; " + (f"so large that the midpoint moves slower than a trim of {TRIM_PERIODS:g} periods"
                                                     if trims else "none with current control in a bridge"))


def record(work: Work, s: st.Stage, o: dict[str, Any]) -> None:
    """Rows of the series capacitor, or of the walk where nothing holds the flux; the rule of thumb for the core beside it."""
    work.sheet("transformer.area_rule", magnetics.area_rule,
               power=work.sheet.given("requirement.power", work.need.power, "W", text="all outputs at full load"),
               efficiency=work.sheet.given("rule.efficiency", 0.85, "", "rule", "efficiency the rule of thumb is used with"))
    v, sheet = s.variant, work.sheet
    held = v.series != "" and float(sheet.rows[f"{v.series}.c"].value) > 0
    control = str(sheet.rows["switch.control"].value)
    if held:
        _series(work, s, o)
    if held and control == "current" and v.series == "divider":
        _runaway(work, s, o)
        if sheet.rows[BALANCE.id].value != TRIM:
            work.find(MUST_FIX, "switch",
                      _RUNAWAY.format("midpoint of the divider", ", and so does a controller that trims the peaks by it"), "", BALANCE.id)
    elif held and control == "current":
        work.find(MUST_FIX, "switch", _RUNAWAY.format("voltage of the blocking capacitor", ""), "", "switch.control")
    if not held:
        _walk(work, s, o, control)


def _series(work: Work, s: st.Stage, o: dict[str, Any]) -> None:
    sheet, v = work.sheet, s.variant
    name, c = v.series, sheet.rows[f"{v.series}.c"]
    charge = sheet(f"{name}.charge", balance.pulse_charge, i_start=o["i_start"], i_peak=o["i_peak"], t_feeding=o["t_e"], i_mag=o["i_mag"],
                   t_commutation=o["t_c"])
    sheet(f"{name}.v_ac", balance.series_amplitude, charge=charge, count=v.in_series, c=c)
    sheet.given(f"{name}.v_ac_limit",
                AMPLITUDE_MOST * float(np.min(np.broadcast_to(o["v_in"].value, work.grid.shape)[corners.FULL.mask(work.grid)])), "V",
                "rule", f"{AMPLITUDE_MOST * 100:g} % of the least primary voltage (a few per cent: common practice)")
    sheet(f"{name}.f_resonance", balance.series_resonance, turns_secondary=s.ns, turns_primary=s.np, count=v.in_series, c=c,
          inductance=s.inductance)
    sheet(f"{name}.f_limit", balance.resonance_limit, fs=s.fs, times=BELOW)
    sheet(f"{name}.i_rms", balance.series_rms, i_primary=o["i_primary"], count=v.in_series)


def _runaway(work: Work, s: st.Stage, o: dict[str, Any]) -> None:
    """How fast the midpoint of a divider runs away under current control, and how fast it is trimmed."""
    sheet = work.sheet
    time = balance.runaway_time(plain(sheet.rows["divider.c"]), plain(s.v_bus), plain(o["f_switch"]), _midpoint(work, s, o))
    sheet.solved("divider.t_runaway", time, "s", "both pulses linear about their steady state: the one from the lower side lasts longer",
                 c=sheet.rows["divider.c"], t_e=o["t_e"], ripple=o["ripple"])
    sheet("divider.t_trim", balance.trimmed_within, periods=TRIM_PERIODS, fs=o["f_switch"])


def _walk(work: Work, s: st.Stage, o: dict[str, Any], control: str) -> None:
    sheet = work.sheet
    dt = work.choose("walk.t_mismatch", 50e-9, "difference of on-times between the halves (common practice, no source)")
    dv = work.choose("walk.v_mismatch", 0.2, "difference of switch drops between the halves (common practice, no source)")
    extra = sheet("walk.excess", balance.excess, v_primary=o["v_in"], t_mismatch=dt, v_mismatch=dv, t_on=o["t_on"])
    step = sheet("walk.b_step", balance.walk_step, excess=extra, turns=s.np, area=sheet.rows["transformer.area_min"])
    sheet("walk.periods", balance.walk_periods, b_limit=sheet.rows["transformer.b_limit"], b_ac=sheet.rows["transformer.b_ac"], step=step)
    against = sheet("walk.r", balance.walk_resistance, pulses=s.variant.pulses, fs=o["f_switch"], t_feeding=o["t_e"], r_path=o["r_path"],
                    r_rectifier=s.r_rectifier, r_winding=s.r_secondary, turns_primary=s.np, turns_secondary=s.ns, leakage=s.leakage,
                    c_primary=o["c_p"], v_primary=o["v_in"], i_peak=o["i_peak"])
    sheet("walk.b_end", balance.walk_end, excess=extra, fs=o["f_switch"], lm=sheet.rows["transformer.lm"], r_walk=against, turns=s.np,
          area=sheet.rows["transformer.area_min"])
    full = corners.FULL.mask(work.grid)
    least = lambda id: float(np.min(np.broadcast_to(sheet.rows[id].value, work.grid.shape)[full]))  # noqa: E731
    most = float(np.max(np.broadcast_to(sheet.rows["walk.b_end"].value, work.grid.shape)[full]))
    walks = (f"a mismatch of {show(float(dt.value), 's')} and {show(float(dv.value), 'V')} walks the flux to its limit in "
             f"{least('walk.periods'):.0f} periods; the circuit by itself would hold it near {show(most, 'T')}, half more where a ring "
             "meets the next turn-on")
    if control == "voltage":
        cure = "a capacitor in series with the primary or current control holds it" if s.variant.series else "current control holds it"
        work.find(MUST_FIX, "transformer", f"nothing holds the flux in the middle: {walks}; {cure}", "walk.b_step",
                  f"{s.variant.series}.c" if s.variant.series else "switch.control")
    else:
        work.find(NOTE, "transformer", f"current control holds the flux; without it {walks}", "walk.b_step", "")
