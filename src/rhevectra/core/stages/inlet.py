"""What stands between the plug and any bridge: fuse, inrush limiter, X capacitor with its discharge, Y capacitors, and the harmonics of the
line current against their class."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue import limits
from rhevectra.core.formulas import doubler, faults, rectifier
from rhevectra.core.stages import air, stored, surge
from rhevectra.core.stages.dies import record_case, record_coolable
from rhevectra.core.stages.work import FigureSpec, Work

ORDERS = np.arange(1, 40, 2)
TEMPERATURE = "component tolerance and temperature (hot thermistor, 20 °C capacitor resistance)"
RESISTOR, CELL = "resistor", "cell"
START_PATH = (
    DecisionSpec("start.path", "Start-up path", "feedback", "choice", options=(RESISTOR, CELL),
                 schools="resistor: from the bus, cheapest, burns as long as the mains are there; cell: a current source of the "
                 "controller's class that opens once it runs"),
    DecisionSpec("bulk.r_bleed", "Start-up and sensing path across the bus", "feedback", unit="Ω", low=1e4, high=1e8, step="E12",
                 schools="1 to 3 MΩ where it starts the controller, 10 MΩ where it only senses the bus"),
)
START_SHARE, THROUGH_OPEN = 0.1, 15e-6
"""Share of the no-load power admitted from which the rule saves what a start-up resistor burns; current that an open cell lets pass [A]
(typical, from memory)."""
START_WAIT, EXPECTED, UNTIL_UP, LOCK_OUT, LOST = 5.0, 3.5, 22e-3, 9.5, 6.5
"""Longest the mains should be on before the first pulse [s], and as the rule expects it before there is a supply capacitor (common
practice, no source); what it then reckons with: time until the output feeds the controller [s], its lock-out and what it may lose down to
that from where it starts [V] (typical of the class, from memory)."""
PER_VOLT, SPARE = 1.3e-3, 0.1
"""What output capacitors usually hold [J/V], and the share of the power that the least current limit leaves beside full load to fill them
(typical of this program's own designs, 5 to 150 W)."""
EXPECTED_C = "start.c_expected"
"""Row of the supply capacitor expected by a power stage whose winding feeds the controller from its first pulse on."""
MOST_X = {False: 2e6, True: 1e7}
"""Largest resistance that discharges the X capacitors [Ω], and where no-load power is asked for (common practice, no source)."""
DISCHARGE, SWITCH = "inlet.discharge", "switch"
DISCHARGED, SEEN_AFTER, QUIET, SPARED = 0.8, 0.15, 10e-6, 0.25
"""Time [s] in which the rule discharges the X capacitors; after which a discharge switch knows that the line is gone, and the current it
watches with [A] (typical, from memory); share of the no-load power admitted from which the rule takes one (common practice, no source)."""
DECISIONS = (
    DecisionSpec("inlet.thermistor", "Inrush thermistor", "inlet", "choice", table="thermistors"),
    DecisionSpec("bridge.class", "Bridge class", "bulk", "choice", table="bridges"),
    DecisionSpec("inlet.r_filter", "Copper of the mains filter", "inlet", unit="Ω", low=0.0, high=20.0,
                 schools="half a per cent of the lowest line over its current: small chokes; a tenth of that: large ones"),
    DecisionSpec("inlet.c_x", "X capacitor", "inlet", unit="F", low=0, high=4.7e-6, step="E6"),
    DecisionSpec(DISCHARGE, "Discharge of the X capacitors", "inlet", "choice", options=(RESISTOR, SWITCH),
                 schools="resistor: burns as long as the plug is in; switch: closes once the line is gone, an approved part, as the safety "
                 "of the pins hangs on it"),
    DecisionSpec("bulk.c_left", "Capacitance left, tolerance or age", "bulk", low=0.4, high=1.0,
                 schools="0.8: the least of a new one, and the end of life of data sheets; 0.64: both; 1: as printed"),
    DecisionSpec("derating.bulk_v", "Bulk voltage derating", "bulk", low=0.5, high=1.0),
    DecisionSpec("derating.bridge_v", "Bridge voltage derating", "bulk", low=0.4, high=1.0),
    *START_PATH,
    *surge.DECISIONS,
)
LIMITER = DecisionSpec("inlet.limiter", "Inrush limiter in run", "inlet", "choice", options=("thermistor", "relay"),
                       schools="thermistor stays in the line and is hot; a relay bridges it once the bus is up")
FIGURES = (
    FigureSpec("inlet.fuse", "Fuse, rated current", "I_F", "inlet"),
    FigureSpec("inlet.i_rms", "Line current, rms", "I_line", "inlet", limit="inlet.fuse", limit_kind="max", fixed=TEMPERATURE),
    FigureSpec("inlet.i_thermistor", "Thermistor current, rms", "I_ntc", "inlet", corners.LOADED, limit="inlet.i_thermistor_limit",
               limit_kind="max", fixed=TEMPERATURE),
    FigureSpec("inlet.i_peak", "Line current, peak", "Î_line", "inlet", corners.PEAKS, fixed=TEMPERATURE),
    FigureSpec("inlet.power_factor", "Power factor", "λ", "inlet", worst="min", fixed=TEMPERATURE),
    FigureSpec("inlet.i_inrush", "Inrush current, cold", "Î_inrush", "inlet", corners.FULL, fixed="phase: switch-on at the crest assumed"),
    FigureSpec("inlet.c_y_max", "Y capacitors, at most", "C_y", "inlet", worst="min",
               fixed="before what the windings pass, which is taken off it"),
    FigureSpec("inlet.discharge_time", "X discharge to 60 V", "t_X", "inlet", limit="inlet.discharge_limit", limit_kind="max"),
    *surge.FIGURES,
    *(FigureSpec(f"inlet.harmonic_{n}", f"Line current harmonic {n}", f"I_{n}", "inlet", corners.HARMONIC,
                 limit=f"inlet.harmonic_limit_{n}", limit_kind="max", fixed=TEMPERATURE) for n in ORDERS[1:]),
)
CURES = {f"inlet.harmonic_{n}": "front_end" for n in ORDERS[1:]} | surge.CURES
"""Decision that cures a figure, of any front end behind an inlet."""
BULK_FIGURES = (
    FigureSpec("bulk.i_rms_lf", "Ripple current, line", "I_lf", "bulk", fixed=TEMPERATURE),
    FigureSpec("bulk.i_rms_hf", "Ripple current, switching", "I_hf", "bulk"),
    FigureSpec("bulk.i_rms", "Ripple current, total", "I_C", "bulk", limit="bulk.i_limit", limit_kind="max", fixed=TEMPERATURE),
    FigureSpec("bulk.hold_up", "Hold-up time", "t_h", "bulk", corners.HOLD_UP, "min", "bulk.hold_up_limit", "min",
               fixed="the capacitor as printed; what tolerance and age leave of it is the figure below",
               sentence="from the valley down to the least bus the power stage works from"),
    FigureSpec("bulk.hold_up_left", "Hold-up time, capacitance left", "t_h,x", "bulk", corners.HOLD_UP, "min", "bulk.hold_up_limit", "min",
               fixed="resistance of the aged capacitor", sentence="the same with what tolerance or age leave of the capacitor",
               look_only=True),
    air.life_figure("bulk", "Life of the bulk capacitor", "bulk"),
    FigureSpec("bulk.discharge_time", "Discharge to 60 V", "t_60", "bulk", fixed="power stage stopped: only the bleed path discharges"),
)


PLAIN_UP_TO = {"A": 130.0, "B": 260.0, "C": 25.0, "D": 75.0}
"""Input power [W] up to which the current of a plain bridge meets its class: C and D begin there by the standard's power limits; A and B by
this program's own solved line current, with a usual thermistor."""
PLAIN_THREE = {"A": 400.0, "B": 600.0, "C": 25.0, "D": 75.0}
"""The same of a bridge on three phases (A and B by this program's own solved line current, 208 to 480 V between lines)."""
AT_LOW_MAINS = 0.82
"""The same where all nominal voltages are low: the currents are larger, the limits of A and B are not (this program's own solved line
current)."""
LOW_MAINS = 180.0
EFFICIENCY = 0.87
"""Before anything is designed (common practice)."""
ROOM = 1.01
"""Hold-up and ripple current that the capacitors of a bus have in hand when they are chosen: what the stage behind really draws is known
only later."""


def beyond_plain(need: Requirement) -> tuple[float, float | None]:
    """Input power expected [W], and up to which a plain bridge would do where it does not."""
    three = need.mains.phases == 3
    power, most = need.power / EFFICIENCY, (PLAIN_THREE if three else PLAIN_UP_TO).get(need.harmonics_class)
    if not three and most is not None and need.harmonics_class in "AB" and max(need.mains.nominals) < LOW_MAINS:
        most *= AT_LOW_MAINS
    return power, most if most is not None and power > most else None


def first_above(table: Any, column: str, least: float) -> str:
    """Name of the smallest row of a table that reaches a value; the largest where none does."""
    rows = sorted(table.rows, key=lambda r: (r[column], r.get("v_class_v", 0)))
    return str(next((r["name"] for r in rows if r[column] >= least), rows[-1]["name"]))


def limiting(table: Any, amps: float, joules: float) -> str:
    """Name of the smallest thermistor rated for a current [A] and for the heat of charging the bus [J]; of the largest where none is."""
    rows = sorted(table.rows, key=lambda r: r["i_rated_a"])
    return str(next((r["name"] for r in rows if r["i_rated_a"] >= amps and r["energy_j"] >= joules), rows[-1]["name"]))


def cooler(need: Requirement, cap: Any) -> float:
    """How much more ripple current a capacitor may carry in a cooler ambient: its self-heating may grow (common practice, no source)."""
    return float(min(2.0, np.sqrt(1 + max(cap["t_max_c"] - need.ambient_max, 0.0) / 15.0)))


def record_limit(work: Work, cap: Mapping[str, Any], cans: int, where: str = "") -> None:
    """Row of the ripple current that cans side by side may carry; where: in words, of which there are such a number."""
    work.sheet.given("bulk.i_limit", cans * cap["i_rated_a"] * cooler(work.need, cap), "A", "catalogue",
                     f"{cans} × {show(cap['i_rated_a'], 'A')} at {cap['t_max_c']:g} °C{where}, raised by the cooler ambient (common "
                     "practice, no source)")


RELAY_FROM, CONTACT = 4.0, 10e-3
"""Line current [A] from which a relay bridges the limiter (common practice), and the resistance of its closed contact [Ω]."""


def in_run(limiter: str, row: Mapping[str, Any]) -> float:
    """Resistance [Ω] that a limiter leaves in its line in run."""
    return float(row["r_hot_ohm"]) if limiter == "thermistor" else CONTACT


def at_restart(limiter: str, row: Mapping[str, Any]) -> float:
    """Resistance [Ω] of a limiter where the mains return at once: what a relay has bridged is cold."""
    return float(row["r_hot_ohm" if limiter == "thermistor" else "r_cold_ohm"])


CLEAR = 5.0
"""Bus valley over the highest crest of the mains [V] from which a boost stage is told to be clear of it."""
BRIDGE_ROOM, RESTART_ROOM = 1.5, 1.1
"""Rated current of the bridge over the line current (common practice); over the current of a hot restart that is expected, for the worst
instant of it."""


def choose_limiter(work: Work, line: float, joules: float) -> tuple[str, Any]:
    """What limits the inrush of a stage that draws `line` [A rms] at the lowest line and stores some `joules` in its bus: a thermistor left
    in, or one a relay bridges; and its row."""
    choose, ntc = work.choose, work.parts["thermistors"]
    limiter = str(
        choose("inlet.limiter", "relay" if line > RELAY_FROM else "thermistor",
               f"{show(line, 'A')} at the lowest line: "
               + ("a hot thermistor would lose too much" if line > RELAY_FROM else "a thermistor can carry it")).value)
    heat = f"and for the {show(joules, 'J')} that charge the bus"
    return (limiter,
            ntc.row(choose("inlet.thermistor", lambda: limiting(ntc, 1.3 * line if limiter == "thermistor" else 0.3 * line, joules),
                           f"smallest class rated above 1.3 × the line current {heat}" if limiter == "thermistor"
                           else "limits the charging of the bus only, a relay bridges it then; "
                                f"rated for its heat: {show(joules, 'J')}").value))


def choose_bridge(work: Work, line: float, r_limiter: float, joules: float, lines: int = 1) -> Any:
    """Row of the smallest bridge for a current [A rms] that survives a restart with a limiter of so many ohms into a bus that stores
    `joules` at the crest. lines: of the mains, in the path of that, each with its limiter."""
    z, table = work.need.source_impedance, work.parts[work.choose.specs["bridge.class"].table]
    hot = surge.expected_restart(work.need, lines * (z.r + r_limiter), lines * z.x / (2 * np.pi * 50), joules)
    least = max(BRIDGE_ROOM * line, RESTART_ROOM * hot / surge.BRIDGE_SURGE)
    return table.row(work.choose("bridge.class", lambda: first_above(table, "i_rated_a", least), "smallest class rated above "
                                 f"{BRIDGE_ROOM:g} × line current that survives a hot restart of some {hot:.0f} A").value)


FILTER_DROP = 0.005
"""Share of the lowest line that the copper of the mains filter may drop (common practice, no source)."""


def filter_copper(work: Work, v_low: float, power: float) -> float:
    """Resistance [Ω] of the mains filter's chokes in the path of a line current, hot. v_low: lowest line of that path [V]; power [W] it
    carries."""
    usual, aim = (float(f"{FILTER_DROP * v_low**2 / power:.2g}"),
                  f"{FILTER_DROP * 100:g} % of {show(v_low, 'V')} at the {show(power / v_low, 'A')} of a sine")
    work.sheet.given("inlet.r_usual", usual, "Ω", "rule", f"{aim} (common practice, no source)")
    if work.wound > usual:
        return float(work.choose("inlet.r_filter", float(f"{1.005 * work.wound:.3g}"), "what its chokes come to: no ring keeps them to "
                                 f"{show(usual, 'Ω')}, {aim}").value)
    return float(work.choose("inlet.r_filter", usual, f"{aim} (common practice, no source): what its chokes are wound to keep").value)


def record(work: Work, path: surge.Inrush, rows: dict[str, Any], given: dict[str, Any], limited: bool = True) -> None:
    """Rows of the inlet. rows: i_rms, peak (of the bulk); given: line, and earth where the line to earth differs. limited: the limiter
    carries the current in run."""
    sheet, need, grid = work.sheet, work.need, work.grid
    if limited:
        sheet.again("inlet.i_thermistor", rows["i_rms"])
        sheet.given("inlet.i_thermistor_limit", path.thermistor["i_rated_a"], "A", "catalogue",
                    f"rated current of {path.thermistor['name']}")
    cold = sheet.given("inlet.r_cold", path.limiters * path.thermistor["r_cold_ohm"], "Ω", "catalogue",
                       f"thermistor {path.thermistor['name']} at 25 °C")
    r_source = sheet.given("inlet.r_source", path.r_source, "Ω", text="mains resistance and bridge")
    sheet("inlet.i_inrush", rectifier.inrush, v_line=given["line"], r_cold=cold, r_source=r_source)
    touch = sheet.given("inlet.i_touch", 0.25e-3 if need.protection_class == "II" else 3.5e-3, "A", "standard",
                        f"touch current limit used here for protection class {need.protection_class} (from memory; confirm against the "
                        "standard in force)")
    sheet("inlet.c_y_max", rectifier.y_capacitance, i_touch=touch,
          frequency=sheet.given("line.f", grid.f_line, "Hz", text="line frequency of the corner"), v_line=given.get("earth", given["line"]))
    sheet("inlet.v_crest", rectifier.bridge_reverse_voltage, v_line=given["line"])
    record_discharge(work, given["line"])
    surge.record(work, path, rows, given["line"], limited)
    sheet("bulk.discharge_time", rectifier.discharge_time, r=path.discharge, c=path.c, v_start=rows["peak"],
          v_safe=sheet.rows["safety.v_touch"])
    off = sheet.given("start.i_off", THROUGH_OPEN if str(sheet.rows["start.path"].value) == CELL else 0.0, "A", "catalogue",
                      "what the start-up cell lets pass once it is open (typical, from memory)")
    sheet("standby.start_up", rectifier.across_bus, v=rows["peak"], r=sheet.rows["bulk.r_bleed"], i_off=off)


def _drain(need: Requirement, c: float, wait: float = 0.0) -> float:
    """Largest resistor [Ω] that discharges X capacitors of c [F] in time, where it begins after `wait` [s]."""
    swing = np.log(np.sqrt(2) * need.mains.v_max / stored.TOUCHABLE)
    return at_most(min((DISCHARGED - wait) / max(c, 1e-9) / swing, MOST_X[need.standby_power_max is not None]), "E24")


def _burnt(need: Requirement, c: float) -> float:
    """What a resistor that discharges X capacitors of c [F] burns at the highest line [W]."""
    return need.mains.v_max**2 / _drain(need, c)


def _switched(need: Requirement, burnt: float) -> bool:
    """Whether the rule takes a switch where a resistor would burn so much [W]."""
    return need.standby_power_max is not None and burnt > SPARED * need.standby_power_max


def switch_discharges(rows: Mapping[str, Any]) -> bool:
    """Whether a switch discharges the X capacitors."""
    return DISCHARGE in rows and str(rows[DISCHARGE].value) == SWITCH


def discharge_burns(work: Work) -> float:
    """What discharges the X capacitors takes while the line is there [W], before it is chosen."""
    need, pins = work.need, work.choose.pins
    burnt = _burnt(need, float(pins.get("inlet.c_x", usual_x(need.power))))
    return QUIET * need.mains.v_max if pins.get(DISCHARGE, SWITCH if _switched(need, burnt) else RESISTOR) == SWITCH else burnt


def record_discharge(work: Work, line: Any) -> None:
    """What takes the charge from the X capacitors once the plug is out, how long that lasts, and what it burns before. line: row of the
    line's voltage."""
    sheet, need, c_x = work.sheet, work.need, x_capacitor(work)
    burnt = _burnt(need, float(c_x.value))
    switched = str((work.choose(DISCHARGE, SWITCH, f"a resistor would burn {show(burnt, 'W')} of the "
                                f"{show(need.standby_power_max or 0.0, 'W')} admitted at no load") if _switched(need, burnt)
                    else work.choose(DISCHARGE, RESISTOR, "the cheapest (common practice)")).value) == SWITCH
    r_x = sheet.given("inlet.r_x", _drain(need, float(c_x.value), SEEN_AFTER if switched else 0.0), "Ω", "rule",
                      f"greatest of E24 that discharges them in {DISCHARGED:g} s, at most "
                      f"{show(MOST_X[need.standby_power_max is not None], 'Ω')}; two or more in a row where one does not hold the voltage")
    falls = {"r": r_x, "c": c_x, "v_start": sheet.rows["inlet.v_crest"], "v_safe": stored.touchable(work)}
    sheet.given("inlet.discharge_limit", 1.0, "s",
                text="about a second at the plug's pins (common practice; confirm against the standard in force)")
    if not switched:
        sheet("inlet.discharge_time", rectifier.discharge_time, **falls)
        sheet("standby.x_discharge", rectifier.resistor_power, v=line, r=r_x)
        return
    sheet("inlet.discharge_time", rectifier.discharge_after, t_wait=sheet.given(
        "inlet.t_seen", SEEN_AFTER, "s", "catalogue", "after which the switch knows that the line is gone (typical, from memory)"), **falls)
    sheet("standby.x_discharge", rectifier.watching, v=line, i_quiet=sheet.given(
        "inlet.i_watch", QUIET, "A", "catalogue", "what it watches the line with (typical, from memory)"))


def until_up(need: Requirement) -> float:
    """Time [s] until the outputs feed the controller, before their capacitors are known: little power at much voltage takes long to fill
    them."""
    return max(UNTIL_UP, PER_VOLT * sum(o.magnitude for o in need.outputs) / (SPARE * need.power))


def record_bleed(work: Work) -> Any:
    """The path across the bus that senses it and, where no cell does, starts the supply."""
    (low, top), admitted = (work.need.mains.v_min, work.need.mains.v_max), work.need.standby_power_max
    usual = 3e6 if top > 150 else 1e6
    burnt, supply = 2 * top**2 / usual, float(work.sheet.rows["aux.i"].value)
    c = float(work.sheet.rows[EXPECTED_C].value) if EXPECTED_C in work.sheet.rows else float(
        faults.supply_capacitor(supply, until_up(work.need), LOST))
    waits = float(faults.start_by_resistor(usual, c, LOCK_OUT + LOST, np.sqrt(2) * low, 0.0))
    if admitted is not None and burnt > START_SHARE * admitted:
        path = work.choose("start.path", CELL,
                           f"a resistor of {show(usual, 'Ω')} burns {show(burnt, 'W')} of the {show(admitted, 'W')} admitted at no load")
    elif waits > EXPECTED:
        path = work.choose("start.path", CELL, f"through {show(usual, 'Ω')} a supply of {show(supply, 'A', 2)} would take some {waits:.0f} "
                           f"s to start at {show(low, 'V')}; nobody waits that long (common practice)")
    else:
        path = work.choose("start.path", RESISTOR, "the cheapest (common practice)")
    starts = str(path.value) == RESISTOR
    return work.choose("bulk.r_bleed", usual if starts else 1e7,
                       "starts the controller and senses the bus (common practice)" if starts else "only senses the bus (common practice)")


def record_bridge(work: Work, bridge: Any, line: Any, times: Any = None) -> None:
    """Reverse voltage of the bridge and what it may be; times: how often the crest lies on it, where it doubles."""
    if times is None:
        work.sheet("bridge.v_reverse", rectifier.bridge_reverse_voltage, v_line=line)
    else:
        work.sheet("bridge.v_reverse", doubler.diode_reverse, times=times, v_line=line)
    derate = work.choose("derating.bridge_v", 0.8, "80 % of the rating (common practice)")
    work.sheet.given("bridge.v_limit", bridge["v_class_v"] * float(derate.value), "V", "catalogue", "class voltage times derating")


LEFT = {"film": (0.9, "tolerance of a film capacitor (common practice)")}
"""What is left of a capacitor of that kind where nobody says, and why."""
LEFT_USUAL = 0.8, "the least of a new electrolytic, or its end of life (common practice)"


JUNCTION = 150.0
"""Junction limit of a bridge [°C] whose class tells none (typical, from memory)."""


def bridge_case(stage: str) -> FigureSpec:
    """How the case of the bridge is judged."""
    return FigureSpec("bridge.case_to_ambient", "Case to ambient needed, bridge", "R_ca", stage, corners.FULL, "min", "bridge.r_ca_floor",
                      "min", fixed="drop and resistance of the diodes as in their class", look_only=True)


def record_bridge_heat(work: Work, bridge: Mapping[str, Any], loss: Any) -> None:
    """What the case of the bridge needs to its ambient at its loss [W], where its class tells how its heat gets out."""
    if bridge["r_junction_case_k_w"]:
        record_case(work, "bridge", "bridge.case_to_ambient", {**bridge, "t_junction_max_c": bridge["t_junction_max_c"] or JUNCTION}, loss)
        record_coolable(work, "bridge.r_ca_floor")


def left_of(work: Work, kind: str = "") -> Any:
    """Share of the capacitance that tolerance or age leave; kind: of the capacitor, where it is no electrolytic one."""
    return work.choose("bulk.c_left", *LEFT.get(kind, LEFT_USUAL))


def record_left(work: Work, c: Any) -> Any:
    """Capacitance on the bus with what tolerance or age leave of it. c: as printed, a row."""
    return work.sheet("bulk.c_left_on_bus", rectifier.capacitance_left, share=work.sheet.rows["bulk.c_left"], c=c)


def record_bus(work: Work, valley: Any, peak: Any, c: Any, least: Any, power: Any, name: str, left: tuple[Any, Any]) -> Any:
    """The bus at each end of its ripple, and how long it holds up from its valley to the least voltage the stage behind works from; name:
    in words; left: valley and capacitance with what tolerance or age leave."""
    sheet, need = work.sheet, work.need
    sheet("bulk.hold_up", rectifier.hold_up, c=c, v_start=valley, v_end=least, power=power)
    sheet("bulk.hold_up_left", rectifier.hold_up, c=left[1], v_start=left[0], v_end=least, power=power)
    sheet.given("bulk.hold_up_limit", need.hold_up, "s", text="requirement")
    return sheet.either("bus.v", np.array([True, False])[None, None, None, :] & np.ones(work.grid.shape, bool), valley, peak,
                        f"valley or crest of the {name} within the line cycle")


def usual_x(power: float) -> float:
    """A usual X capacitor [F] for a power [W]."""
    return 100e-9 if power < 25 else 330e-9 if power < 150 else 470e-9


def x_capacitor(work: Work) -> Any:
    """The X capacitor, a usual value."""
    return work.choose("inlet.c_x", usual_x(work.need.power), "usual value for this power (common practice): the larger it is, the smaller "
                       "the differential choke, and the longer it holds its charge")


def record_harmonics(work: Work, values: Array, power: float, factor: float, text: str) -> None:
    """Odd harmonics (…, orders) at the highest nominal line, full load, against the class asked for. power [W] and power factor there."""
    need, sheet, first = work.need, work.sheet, float(values[..., 0].max())
    for k, order in enumerate(ORDERS):
        sheet.solved(f"inlet.harmonic_{order}", values[..., k], "A", text, line_current=sheet.rows["inlet.i_rms"])
        limit = limits.harmonic_limit(need.harmonics_class, int(order), power, first, factor)
        if limit is not None:
            sheet.given(f"inlet.harmonic_limit_{order}", limit, "A", "standard",
                        f"class {need.harmonics_class}, {limits.HARMONICS_EDITION}")
