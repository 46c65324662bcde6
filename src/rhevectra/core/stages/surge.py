"""Switch-on, hot restart and surges of any stage behind mains: heat in the limiter, melting of the fuse, current in the bridge, the
arrester."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.preferred import ALL_FUSES, FUSES
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.remembered import remembered
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.formulas import rectifier, surge
from rhevectra.core.formulas.rectifier import LineSource
from rhevectra.core.stages.work import FigureSpec, Work

ARRESTERS = (130.0, 140.0, 150.0, 175.0, 210.0, 230.0, 250.0, 275.0, 300.0, 320.0, 350.0, 385.0, 420.0, 460.0, 510.0, 550.0)
"""Largest continuous voltages [V rms] of metal-oxide arresters (customary series, from memory)."""
SWELL = 1.05
"""How far above the highest mains an arrester still rests (common practice)."""
PULSES, ONCE = 0.3, 1.0
"""Share of a fuse's melting integral used: thousands of switch-ons, and a rare hot restart (common practice)."""
BRIDGE_SURGE = 40.0
"""One half wave that a bridge survives, over its rated current (typical, from memory)."""
PHASES = tuple(np.radians((40.0, 65.0, 90.0)))
"""Angles of the line at which a restart is tried."""
DECISIONS = (
    DecisionSpec("inlet.arrester", "Surge arrester, continuous voltage", "inlet", unit="V", low=50.0, high=800.0,
                 schools="275 V behind 230 V mains: clamps lower; 300 V and more: outlives mains that swell"),)
_BOUND = "inductance of the mains (an upper bound)"
FIGURES = (
    FigureSpec("inlet.e_inrush", "Heat of the inrush in its limiter", "E", "inlet", corners.PEAKS, limit="inlet.e_inrush_limit",
               limit_kind="max", fixed=_BOUND),
    FigureSpec("inlet.i2t", "Melting integral, cold", "J", "inlet", corners.PEAKS, limit="inlet.i2t_limit", limit_kind="max", fixed=_BOUND,
               sentence="thousands of switch-ons: three tenths of what melts the fuse"),
    FigureSpec("inlet.i_inrush_hot", "Inrush current, hot restart", "Î_hot", "inlet", limit="inlet.i_surge_limit", limit_kind="max",
               fixed="a thermistor that has begun to cool", sentence="the thermistor still hot, the bus empty: off and on again",
               look_only=True),
    FigureSpec("inlet.i2t_hot", "Melting integral, hot restart", "J_hot", "inlet", limit="inlet.i2t_once", limit_kind="max",
               fixed="a thermistor that has begun to cool", look_only=True),
    FigureSpec("inlet.v_rest", "Mains the arrester rests at", "V_m", "inlet", limit="inlet.arrester", limit_kind="max",
               fixed="swells of the mains", sentence="one of a lower class conducts at every crest until it burns"),
    FigureSpec("inlet.v_clamp", "Voltage the arrester lets through", "V_c", "inlet", limit="inlet.v_clamp_limit", limit_kind="max",
               fixed="current of the surge: at the arrester's class current"),
)
CURES = {"inlet.e_inrush": "inlet.thermistor", "inlet.i2t": "inlet.thermistor", "inlet.i2t_hot": "inlet.thermistor",
         "inlet.v_clamp": "inlet.arrester", "inlet.v_rest": "inlet.arrester"}


class Inrush(Struct, frozen=True):
    """The path that charges the bus: limiter row and how many of it, resistance of mains and bridge [Ω], all that stands in series in run,
    the bridge's row (or nothing), capacitance of the bus and the resistance across it, as rows."""

    thermistor: Mapping[str, Any]
    r_source: float
    source: LineSource
    bridge: Mapping[str, Any] | None
    c: Any
    discharge: Any
    limiters: int = 1


FUSE_ROOM, FUSE_MOST = 1.5, 5.0
"""Rated current of the fuse over that of the line, and up to which a larger one is taken to stand the inrush (common practice)."""


def choose_fuse(work: Work, i_rms: Any, cold: float, hot: float) -> Any:
    """Rated current of the fuse: by the line current, or as far as it lets by the integrals [A²s] of a cold switch-on and of a hot
    restart."""
    worst = float(np.max(np.where(corners.LOADED.mask(work.grid), i_rms.value, 0)))
    by_current = f"{FUSE_ROOM:g} × {show(worst, 'A')} (common practice)"
    asks = {by_current: FUSE_ROOM * worst, "what thousands of switch-ons ask for": np.sqrt(cold / float(surge.fuse_melts(PULSES, 1.0))),
            "what a hot restart asks for": np.sqrt(hot / float(surge.fuse_melts(ONCE, 1.0)))}
    decides = max(asks, key=lambda a: asks[a])
    fuse = next((f for f in ALL_FUSES if f >= asks[decides]), np.inf)
    if fuse > max(FUSE_MOST * worst, FUSES[0]):  # it would no longer protect: the limiter has to give
        decides, fuse = by_current, next((f for f in ALL_FUSES if f >= asks[by_current]), ALL_FUSES[-1])
    return work.sheet.chosen("inlet.fuse", fuse, "A", f"next rated current of IEC {60127 if fuse <= FUSES[-1] else 60269} above {decides}, "
                             "time-lag", line=i_rms)


def record(work: Work, path: Inrush, rows: Mapping[str, Any], line: Any, limited: bool) -> None:
    """Rows of the fuse, of switch-on and surge. rows: i_rms, peak (of the bus), charged (what the mains bring it to, where a stage lifts it
    further by itself); limited: the limiter stays in the line."""
    sheet, choose = work.sheet, work.choose
    cold, source = sheet.rows["inlet.r_cold"], sheet.rows["inlet.r_source"]
    energy = sheet("inlet.e_inrush", surge.charging_energy, c=path.c, v_peak=rows.get("charged", rows["peak"]))
    sheet.given("inlet.e_inrush_limit", path.limiters * path.thermistor["energy_j"], "J", "catalogue",
                f"single pulse of {path.thermistor['name']}, as many as stand in the path")
    once = sheet("inlet.i2t", surge.melting_integral, energy=energy, r_limiter=cold, r_source=source)
    hot = sheet.given("inlet.r_hot", path.limiters * path.thermistor["r_hot_ohm" if limited else "r_cold_ohm"], "Ω", "catalogue",
                      "limiter at its rated current" if limited else "the relay has bridged it in run: it is cold when the mains return")
    peak, melting = _restart(work, path, float(hot.value + source.value))
    text = (f"series circuit of mains, limiter and capacitor integrated at {work.need.mains.v_max:g} V from an empty bus, the worst of "
            f"{len(PHASES)} phases of switching on")
    sheet.solved("inlet.i_inrush_hot", peak, "A", text, limiter=hot, source=source)
    again = sheet.solved("inlet.i2t_hot", melting, "A²s", text, limiter=hot, source=source)
    fuse = choose_fuse(work, rows["i_rms"], float(np.max(once.value)), float(again.value))
    sheet("inlet.i2t_limit", surge.fuse_melts, share=PULSES, rated=fuse)
    sheet("inlet.i2t_once", surge.fuse_melts, share=ONCE, rated=fuse)
    if not limited:
        _relay(work, path, rows["i_rms"], float(source.value), float(fuse.value))
    if path.bridge is not None:
        sheet.given("inlet.i_surge_limit", BRIDGE_SURGE * path.bridge["i_rated_a"], "A", "catalogue",
                    f"one half wave of {path.bridge['name']} (typical, from memory)")
        sheet.given("inlet.v_clamp_limit", path.bridge["v_class_v"], "V", "catalogue", f"class voltage of {path.bridge['name']}")
    most = SWELL * work.need.mains.v_max
    arrester = choose("inlet.arrester", lambda: next((v for v in ARRESTERS if v >= most), ARRESTERS[-1]),
                      f"next class that still rests at {SWELL:g} × {work.need.mains.v_max:g} V (common practice)")
    sheet.given("inlet.v_rest", work.need.mains.v_max, "V", text="requirement: highest mains")
    sheet("inlet.v_clamp", surge.arrester_clamps, v_class=arrester)


def _relay(work: Work, path: Inrush, i_rms: Any, r: float, fuse: float) -> None:
    """What a relay that is stuck does: welded, nothing limits the switching on; open, the limiter carries the current in run."""
    peak, melting = _restart(work, path, r)
    line, rated = float(np.max(np.where(corners.FULL.mask(work.grid), i_rms.value, 0))), path.thermistor["i_rated_a"]
    one_wave = BRIDGE_SURGE * path.bridge["i_rated_a"] if path.bridge is not None else np.inf
    ends = f"which the fuse {'ends' if melting > float(surge.fuse_melts(ONCE, fuse)) else 'stands'}"
    bridge = f", beyond the {show(one_wave, 'A')} the bridge survives" if peak > one_wave else ""
    stands = (f"which it stands (rated {show(rated, 'A')})" if line <= rated
              else f"rated for {show(rated, 'A')}: let the stage start only behind a closed contact, or put a thermal link on it")
    work.find(NOTE, "inlet", f"a stuck relay: welded, {show(peak, 'A')} and {melting:.3g} A²s at switch-on, {ends}{bridge}; open, the "
              f"limiter carries {show(line, 'A')}, {stands}", "inlet.i_inrush_hot", "")


def _restart(work: Work, path: Inrush, r: float) -> tuple[float, float]:
    """Greatest peak [A] and greatest integral of the squared current [A²s] of a switch-on at any of PHASES, at the highest mains and their
    lowest frequency."""
    m = work.need.mains
    return _switched_on(m.v_max, m.f_min, r + float(path.source.esr), float(path.source.inductance),
                        float(np.max(np.asarray(path.c.value))))


@remembered(64)
def _switched_on(v_rms: float, f_line: float, r: float, inductance: float, c: float) -> tuple[float, float]:
    """The same for a series circuit [Ω, H, F]."""
    waves = [rectifier.inrush_wave(v_rms, f_line, r, inductance, c, 0.0, 150, phase)[:2] for phase in PHASES]
    return max(float(i.max()) for _, i in waves), max(float(np.trapezoid(np.square(i), t)) for t, i in waves)


def expected_restart(need: Requirement, r: float, inductance: float, joules: float) -> float:
    """Peak [A] of a hot restart before the capacitor is chosen: one that stores `joules` at the highest crest, with the loss of a usual
    electrolytic."""
    c = joules / need.mains.v_max**2
    return float(
        rectifier.inrush_wave(need.mains.v_max, need.mains.f_min, r + 0.08 / (2 * np.pi * 120 * c), inductance, c, 0.0, 100,
                              PHASES[1])[1].max())
