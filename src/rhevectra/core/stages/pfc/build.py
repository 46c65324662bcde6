"""Choosing the parts of a power factor stage: bus voltage, inductor, switch, diode, current limit, bus capacitor."""

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import flyback, inductor, pfc, rectifier, surge
from rhevectra.core.formulas.rectifier import LineSource
from rhevectra.core.magnetics.inductor import MADE
from rhevectra.core.stages import air, inlet, rate
from rhevectra.core.stages.beside import too_few
from rhevectra.core.stages.dies import PULSED, choose_die
from rhevectra.core.stages.pfc import bursts
from rhevectra.core.stages.pfc.choke import TOLERANCE, Choke, choose_choke
from rhevectra.core.stages.pfc.law import Law
from rhevectra.core.stages.pfc.line import Angles, Boost, Feed, angles, currents, mean_of
from rhevectra.core.stages.pfc.sensing import capacitors, choose_sensing
from rhevectra.core.stages.work import Work

EXPECTED = 0.95
"""Efficiency before anything is designed (common practice)."""
ROOM = 1.15
"""Current limit over the peak at the lowest line and the largest load: loop ripple, tolerance and a load step (common practice)."""
SLOW, QUICK, BEYOND = 8.0, 20.0, 1.07
"""Crossover of a voltage loop that lets little third harmonic through, and the quickest one behind one phase [Hz] (common practice); how
far it lets the bus sink over what it settles at."""
PACKAGE = 18.0
"""Loss [W] one switch package on a usual heat sink is let (common practice, no source)."""
CANS, DUMPED = 6, 1.08
"""Most cans side by side; share of the bus the switches are chosen to hold: what a lost load leaves of it."""
SILICON = ("discrete", "low-ohm")
"""Kinds of switch class the stage chooses from."""


class Plan(Struct, frozen=True):
    """All that was chosen. r_line: what carries the line current in series [Ω], r_filter: the mains filter before it; cap: row of one can,
    count of them; r_sense: what the inductor's current meets for sensing [Ω]; burst: power from the line [W] below which it runs in
    bursts."""

    law: Law
    boost: Boost
    v_bus: float
    switch: Mapping[str, Any]
    parallel: int
    diode: Mapping[str, Any]
    bridge: Mapping[str, Any]
    thermistor: Mapping[str, Any]
    limiter: str
    r_line: float
    r_filter: float
    choke: Choke
    limit: float
    cap: Mapping[str, Any]
    cans: int
    c_bus: float
    source: LineSource
    ambient: float
    r_sense: float
    burst: float


def plan(law: Law, work: Work, power: float, i_hf: float) -> Plan:
    """Choose for a power [W] drawn from the bus and a ripple current at switching frequency [A] that the power stage takes from it."""
    need, choose = work.need, work.choose
    top = np.sqrt(2) * need.mains.v_max
    v_bus = float(choose("pfc.v_bus", lambda: float(np.ceil((top + 8) / 10) * 10), "next ten volts at least 8 V above the crest of "
                         f"{need.mains.v_max:g} V").value)
    p_in, i_hf = power / EXPECTED, i_hf * need.mains.v_min / v_bus  # what the stage behind takes follows the bus, not the line
    line = p_in / need.mains.v_min
    phases = int(work.choose("pfc.phases", 2, "two: half the current each, and ripples that cancel").value) if law.phased else 1
    feed = Feed(np.array([need.mains.v_min, *need.mains.nominals, need.mains.v_max]), v_bus, p_in)
    boost = choose_boost(law.boundary, work, feed, phases)
    low = angles(boost, feed.lowest, p_in, v_bus)
    amps = currents(boost, low)
    peak, limit = choose_limit(work, boost, feed)
    row, parallel, diode = (_fast_leg if law.bridgeless else switch_and_diode)(work, boost, low, amps, feed, peak)
    choke, boost = choose_choke(work, boost, feed, limit)
    r_sense = choose_sensing(work, float(amps["l_rms"]), limit)
    v_min = float(choose("bulk.v_min_stage", lambda: float(f"{0.8 * v_bus:.3g}"), "four fifths of the bus: the power stage still regulates "
                         "there, hold-up ends there").value)
    cap, cans, c_bus = _capacitor(work, power, float(np.hypot(amps["bus_hf"], i_hf)), v_bus, v_min, top)
    joules = float(surge.charging_energy(c_bus, top))
    limiter, thermistor = inlet.choose_limiter(work, line, joules)
    bridge = _slow_leg(work, line, v_bus) if law.bridgeless else inlet.choose_bridge(
        work, line, inlet.at_restart(limiter, thermistor), joules)
    r_line = inlet.in_run(limiter, thermistor) + 2 * bridge["r_dynamic_ohm"]
    r_filter = inlet.filter_copper(work, need.mains.v_min, p_in)
    source = LineSource(need.source_impedance.r + r_line + r_filter, need.source_impedance.x / (2 * np.pi * 50), 2 * bridge["v_forward_v"],
                        cap["esr_ohm"] / cans)
    return Plan(law, boost, v_bus, row, parallel, diode, bridge, thermistor, limiter, r_line, r_filter, choke, limit, cap, cans, c_bus,
                source, need.ambient_max, r_sense, bursts.choose(work, p_in))


def choose_boost(boundary: bool, work: Work, feed: Feed, phases: int) -> Boost:
    """The inductance by the law of the stage."""
    choose, sheet, v_bus = work.choose, work.sheet, feed.v_bus
    p_in = feed.power / phases
    given = {"v_bus": v_bus, "power": sheet.given("pfc.p_expected", p_in, "W", "rule", "power of the stage behind over an efficiency of "
                                                  f"{EXPECTED:g}, of one phase, for choosing parts")}
    if boundary:
        f_min = choose("pfc.f_min", 50e3, "above hearing with room for a larger load (common practice)")
        f_top = choose("pfc.f_top", 400e3, "where its switching loss still pays (common practice)")
        ends = [float(pfc.inductance_boundary(v, v_bus, np.sqrt(2) * v, p_in, float(f_min.value))) for v in (feed.lines[0], feed.lines[-1])]
        worst = float(feed.lines[0] if ends[0] <= ends[1] else feed.lines[-1])
        wanted = sheet("pfc.l_wanted", pfc.inductance_boundary, v_line=worst, v_crest=float(np.sqrt(2) * worst), f_min=f_min, **given)
        value = choose("pfc.l", lambda: float(f"{max(min(ends), 1e-6):.2g}"),
                       f"the lowest frequency is met at {worst:g} V, rounded to two digits", wanted=wanted)
        return Boost(float(value.value), float(f_top.value), True, phases)
    fs, k = (choose("pfc.fs", 65e3, "65 kHz keeps the second harmonic below the 150 kHz limit line"),
             choose("pfc.ripple_ratio", 0.3, "three tenths of the crest at the lowest line (common practice)"))
    v_crest = float(np.sqrt(2) * feed.lowest)
    wanted = sheet("pfc.l_wanted", pfc.inductance_ccm, v_bus=v_bus, v_crest=v_crest, ripple_ratio=k,
                   i_crest=sheet("pfc.i_crest_low", pfc.line_crest, power=given["power"], v_line=feed.lowest), fs=fs)
    value = choose("pfc.l", lambda: float(f"{max(float(wanted.value), 1e-6):.2g}"),
                   "from the ripple ratio at the lowest line, rounded to two digits", wanted=wanted)
    return Boost(float(value.value), float(fs.value), False, phases)


def choose_limit(work: Work, boost: Boost, feed: Feed) -> tuple[float, float]:
    """Peak of the inductor at the lowest line with the least inductance at the least rate, and the current limit above it [A]."""
    made_to = work.choose(TOLERANCE, MADE, "gapped core or powder as made (common practice)").value
    spread = 0.0 if boost.boundary else inductor.spread(made_to, rate.choose(work, rate.FRONT).value)
    peak = float(
        angles(replace(boost, inductance=(1 - spread) * boost.inductance), feed.lowest, feed.power, feed.v_bus,
               np.array([0.5 * np.pi])).peak[..., 0])
    rounded = float(f"{ROOM * peak:.2g}")
    made = "the least inductance" if boost.boundary else "the least inductance and rate"
    return (peak, float(work.choose("pfc.current_limit", rounded if rounded > 1.08 * peak else ROOM * peak, f"{(ROOM - 1) * 100:.0f} % "
                                    f"above the peak at the lowest line and {made}, rounded").value))


def switch_losses(row: Mapping[str, Any], count: int, diode: Mapping[str, Any], b: Boost, a: Any, i_rms: Any, v_bus: Any) -> dict[str, Any]:
    """Losses [W] of all switches side by side over the line cycle, with what the diode makes them switch into. Last axis of a: angles."""
    v_bus = np.asarray(v_bus)[..., None]
    c, c_diode = count * row["c_energy_f"], diode["c_charge_f"]
    valley = np.clip(2 * a.v - v_bus, 0.0, None)  # at the boundary the node rings down before it turns on
    v_on = np.where(a.rests, valley if b.boundary else a.v, v_bus)
    charge = diode["q_recovery_c"] * np.minimum(a.least / diode["i_rated_a"], 1.0) + np.where(a.rests, 0.0, c_diode * v_bus)
    on = 0.5 * c * np.square(v_on) + np.where(a.rests, 0.0, 0.5 * v_bus * a.least * row["t_fall_s"]) + v_bus * charge
    i_off = np.maximum(a.peak, 1e-3)
    off = flyback.turn_off_energy(i_off, row["t_fall_s"], c, flyback.voltage_rise_in_fall(row["t_fall_s"], v_bus, c, i_off), v_bus)
    return {"conduction": row["r_on_25_ohm"] * row["hot_ratio"] / count * np.square(i_rms), "turn_on": mean_of(on * a.fs),
            "turn_off": mean_of(off * a.fs)}


def choose_diode(work: Work, kind: str, i_bus: float, v_seen: float, why: str) -> Mapping[str, Any]:
    """Boost diode of the lowest class of a kind that holds v_seen [V] after derating, rated above twice its current [A]."""
    rows = work.parts["boost_diodes"].where(kind=kind)
    classes = sorted({r["v_class_v"] for r in rows.rows})
    held = rows.where(v_class_v=next((v for v in classes if 0.8 * v >= v_seen), classes[-1]))
    return work.parts["boost_diodes"].row(
        work.choose("pfc.diode", lambda: inlet.first_above(held, "i_rated_a", 2 * i_bus),
                    f"smallest {kind} class rated above twice the bus current: {why}").value)


def switch_and_diode(work: Work, b: Boost, low: Angles, amps: Mapping[str, Any], feed: Feed,
                     peak: float) -> tuple[Mapping[str, Any], int, Mapping[str, Any]]:
    """Diode by the law, switch by loss at the lowest line (angles low, their currents amps)."""
    i_bus, i_rms, v_bus = feed.power / feed.v_bus / b.phases, amps["switch_rms"], feed.v_bus
    diode = choose_diode(work, "ultrafast" if b.boundary else "wide-gap", i_bus, v_bus,
                         "the current has returned to zero before the switch closes" if b.boundary
                         else "the switch closes into it, and it has no charge to recover")

    def total(row: Mapping[str, Any], count: int = 1) -> float:
        return float(sum(switch_losses(row, count, diode, b, low, i_rms, v_bus).values()))
    return *choose_switches(work, v_bus, peak, 1.2 * float(i_rms), total, SILICON, ""), diode


def choose_switches(work: Work, v_bus: float, peak: float, i_least: float, total: Callable[..., float], kinds: tuple[str, ...],
                    where: str) -> tuple[Mapping[str, Any], int]:
    """Class by its loss total(row, count) [W], and as many side by side as carry i_least [A] and the peak and can be kept cool, a package
    each; where: in words."""
    row = choose_die(work, DUMPED * v_bus, "after a lost load the switch sees", "the bus after a lost load", 0.5 * peak, total,
                     part="pfc.switch_", kinds=kinds)

    def lacks(n: int) -> str:
        carried = n * row["i_max_a"]
        if carried < i_least or PULSED * carried < peak:
            return f"{n}: {show(carried, 'A')} rated, {show(max(i_least, peak / PULSED), 'A')} needed"
        return f"{n}: {show(total(row, n) / n, 'W')} in each package" if total(row, n) / n > PACKAGE else ""

    def rule() -> tuple[int, str, tuple[str, ...]]:
        fewer = too_few(lacks)
        return (len(fewer) + 1, f"{show(total(row, len(fewer) + 1), 'W')} {where}at the lowest line, {PACKAGE:g} W a package at most "
                "(common practice)", tuple(fewer[-3:]))
    return row, int(work.choose("pfc.switch_parallel", rule).value)


def _slow_leg(work: Work, line: float, v_bus: float) -> Mapping[str, Any]:
    """The leg that follows the line: its class by conduction, told as the bridge it replaces."""
    able = [r for r in work.parts["switches"].rows if r["kind"] in SILICON]
    rows = [r for r in able if 0.8 * r["v_class_v"] >= DUMPED * v_bus and r["i_max_a"] >= 1.2 * line]
    rows = sorted(rows, key=lambda r: (r["v_class_v"], r["r_on_25_ohm"]))
    row = work.parts["switches"].row(
        work.choose("pfc.slow_class", lambda: rows[0]["name"] if rows else max(able, key=lambda r: r["i_max_a"])["name"],
                    "least resistance of the lowest class that holds the bus: it switches at the line only").value)
    return {"name": row["name"], "v_forward_v": 0.0, "r_dynamic_ohm": 0.5 * row["r_on_25_ohm"] * row["hot_ratio"],
            "v_class_v": row["v_class_v"], "i_rated_a": row["i_max_a"]}


def _fast_leg(work: Work, b: Boost, low: Angles, amps: Mapping[str, Any], feed: Feed,
              peak: float) -> tuple[Mapping[str, Any], int, Mapping[str, Any]]:
    """Both switches of the fast leg, without recovery charge; the one that rectifies is told as the diode it replaces."""
    def rectifying(row: Mapping[str, Any], count: int) -> dict[str, Any]:
        return {"name": row["name"], "v_forward_v": 0.0, "r_dynamic_ohm": row["r_on_25_ohm"] * row["hot_ratio"] / count,
                "q_recovery_c": 0.0, "c_charge_f": count * row["c_charge_f"], "i_rated_a": count * row["i_max_a"]}

    def total(row: Mapping[str, Any], count: int = 1) -> float:
        as_diode = rectifying(row, count)
        return float(sum(switch_losses(row, count, as_diode, b, low, amps["switch_rms"], feed.v_bus).values())) + float(
            rectifier.resistive_loss(as_diode["r_dynamic_ohm"], amps["diode_rms"]))
    row, count = choose_switches(work, feed.v_bus, peak, 0.0, total, ("wide-gap",), "in both switches of the leg ")
    return row, count, rectifying(row, count)


def _capacitor(work: Work, power: float, i_hf: float, v_bus: float, v_min: float, top: float) -> tuple[Mapping[str, Any], int, float]:
    """Cans of one value side by side: valley above the highest crest and hold-up from it with what tolerance or age leave, ripple current,
    a lost load; the need that decides is named. i_hf [A]: at switching frequency, from both sides."""
    need, choose = work.need, work.choose
    derate = float(choose("derating.bulk_v", 0.95, "bus at most 95 % of the rating (common practice)").value)
    delay = float(choose("pfc.dump_delay", 0.5e-3, "an over-voltage comparator answers (common practice)").value)
    table = capacitors(work, "storage for hold-up at a low price (common practice)")
    left = float(inlet.left_of(work, str(work.sheet.rows["pfc.c_kind"].value)).value)
    classes = sorted({r["v_class_v"] for r in table.rows})
    v_class = next((v for v in classes if derate * v >= v_bus), classes[-1])
    rows = table.where(v_class_v=v_class).rows
    i_c = float(np.hypot(i_hf, pfc.bus_current_lf(power, v_bus)))

    def asks(c: Array, rated: Array, lasting: Array) -> dict[str, Array]:
        ripple = pfc.bus_ripple(power, need.mains.f_min, c, v_bus)
        valley, crest = pfc.bus_valley(v_bus, ripple / left), pfc.bus_peak(v_bus, ripple)
        return {"valley above the mains": valley >= top + inlet.CLEAR,
                "hold-up": rectifier.hold_up(left * c, valley, v_min, power) >= inlet.ROOM * need.hold_up,
                "ripple current": inlet.ROOM * i_c <= rated, "life": inlet.ROOM * i_c <= lasting,
                "lost load": pfc.dump(crest, power, delay, c) <= v_class,
                "full load at once": pfc.sunk(v_bus, valley, BEYOND, power, QUICK, c) >= v_min}
    return choose_cans(work, "pfc.c_bus", rows, asks)


def choose_cans(work: Work, id: str, rows: Sequence[Mapping[str, Any]], asks: Callable[[Array, Array, Array], dict[str, Array]],
                where: str = "") -> tuple[Mapping[str, Any], int, float]:
    """Row and number of cans side by side, and their capacitance [F] by the decision `id`: the least that meets all that is asked of their
    (capacitances, rated ripple currents, ripple currents with which they last as long as is asked); the need that decides is named.
    where: in words, of which there are such a number."""
    rows = air.lasting(work, rows)
    pairs = sorted(((n, r) for r in rows for n in range(1, CANS + 1)), key=lambda x: (x[0] * x[1]["c_f"] * (1 + 0.05 * x[0]), x[0]))
    met = asks(np.array([n * r["c_f"] for n, r in pairs]), np.array([n * r["i_rated_a"] * inlet.cooler(work.need, r) for n, r in pairs]),
               np.array([n * air.carried(work, r) for n, r in pairs]))
    able = [pairs[k] for k in np.flatnonzero(np.all(list(met.values()), axis=0))]

    def short(n: int, row: Mapping[str, Any]) -> str:
        at = next(k for k, (count, r) in enumerate(pairs) if count == n and r is row)
        return ", ".join(name for name, good in met.items() if not good[at])

    def rule() -> tuple[float, str, tuple[str, ...]]:
        if not able:
            return CANS * rows[-1]["c_f"], f"not even {CANS} of the largest{where} can meet {short(CANS, rows[-1])}", ()
        n, r = able[0]
        smaller = max((x for x in rows if x["c_f"] < r["c_f"]), key=lambda x: x["c_f"], default=r)
        return (n * r["c_f"],
                f"{n} × {r['name']}{where}: least capacitance that meets all; decided by {short(n, smaller) or 'the least can there is'}",
                ())
    value = float(work.choose(id, rule).value)
    fits = [(n, r) for n, r in able if abs(n * r["c_f"] / value - 1) < 1e-6]
    n, row = fits[0] if fits else min(pairs, key=lambda x: (abs(math.log(x[0] * x[1]["c_f"] / value)), x[0]))
    return row, n, value
