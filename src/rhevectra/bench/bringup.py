"""Bringing a made supply up in safe steps: what is done in each, and every reading with the band the design expects."""

import math
from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from rhevectra.bench.readings import AMPERES, HERTZ, PROBE, VOLTS, Check, band_of, widened
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design, Figure
from rhevectra.core.stages import rate
from rhevectra.core.stages.inlet import switch_discharges
from rhevectra.core.stages.sinks import SIDES, WARM, called, key
from rhevectra.core.topologies.common.making import inductance_band, leakage_band
from rhevectra.drawing.sheet import has_sheet

ROOM = 25.0
"""Temperature of the room unless told [°C]."""
LAMPS = ((100.0, "40 to 60 W"), (np.inf, "100 to 150 W"))
"""Series lamp by the power of the supply: up to so many watts [W] this one (the first common practice, no source; the second carries it
on)."""
LOSSES = (0.6, 1.1)
"""Between what shares of the losses told a made supply burns in a cool room: they are told hot, at the worst of their tolerances (no
source)."""
FOLLOWS = 0.15
"""What the band of a frequency is widened by that follows inductances and capacitances, for their tolerances (no source)."""
SKIPS = 0.98
"""Below this share of the frequency at full load pulses are left out."""
BURSTS = (0.3, 2.0)
"""Between what shares of the pulse rate told at no load a controller that skips pulses is found (no source)."""
PARTS = {"filter1": "filter inductor", "pfc": "boost inductor", "inductor": "series inductor"}
"""What parts that warm up are called beside their names in figures."""
LOOP, DEGREES = 0.25, 10.0
"""Share by which a crossover, and degrees by which a phase margin of a made supply may miss what is told: capacitors and the coupler's pole
differ by as much (common practice, no source)."""
LEAST = "least load"
"""The load asked for as the least of every output: none, unless the requirement says so."""
STEPS = (0.1, 0.25, 0.5, 1.0)
"""Loads of the load sweep."""


class Step(Struct, frozen=True):
    """One step: its name, what is done and minded in it, what is read."""

    name: str
    do: tuple[str, ...]
    checks: tuple[Check, ...]


def plan(design: Design, room: float = ROOM) -> tuple[Step, ...]:
    """All steps in their order. room: temperature of the room [°C]."""
    low, high = _lines(design)
    first = Step(f"First power, {LEAST}", _first_power(design, low),
                 tuple(_idle(design, low, "limit" if design.requirement.is_dc else "lamp")))
    return (Step("Before any power",
                 ("parts against the parts list; the way round of every diode, electrolytic capacitor and start dot",
                  "no mains anywhere near; every capacitor is empty"), tuple(_cold(design))), first,
            Step("Off, wait, measure", _waiting(design), ()),
            Step(f"{LEAST.capitalize()} at {high:g} V",
                 ("the same readings once more, now without lamp or limit, and what it takes from the source",),
                 (*_idle(design, high), *_drawn(design, high, 0.0))),
            Step(f"Load in steps at {high:g} V", ("wait at each step until nothing moves any more; an output that jumps at the least load "
                                                  "may be skipping pulses, a bulk that jumps never is",), tuple(_loads(design, high))),
            Step("Line from end to end, full load",
                 ("slowly from the lowest line to the highest; off at once where current or drain rise out of their band",),
                 tuple(c for line in design.grid.lines for c in _line(design, line, line == high))),
            Step("Ripple, hold-up, and into the current limit",
                 ("ripple with the shortest ground spring, 20 MHz bandwidth, probe ×1, across the output capacitor",
                  "then more and more load until the output gives way: shortly, and once"), tuple(_ends(design, min(design.grid.lines)))),
            Step("Heat", ("half an hour at full load and the line named; the hottest part first, the room read beside it",),
                 tuple(_heat(design, room))))


def _lines(design: Design) -> tuple[float, float]:
    """Lowest and highest nominal line [V]."""
    nominal = design.requirement.mains.nominals
    return min(nominal), max(nominal)


def _setting(line: float, load: float, behind: str = "") -> str:
    """Where a reading is taken, in words."""
    return f"{line:g} V, " + (f"{load * 100:.0f} % load" if load else LEAST) + (f", {behind}" if behind else "")


def _first_power(design: Design, line: float) -> tuple[str, ...]:
    """How the supply sees power for the first time."""
    need = design.requirement
    if need.is_dc:
        lines = [f"{line:g} V from a source whose current limit stands at a tenth of {show(need.power / line, 'A')}: "
                 "no sooner more than this is understood"]
    else:
        lines = [f"isolation transformer, then {'a lamp in each line' if need.mains.phases > 1 else 'a lamp in series'}: "
                 f"incandescent, {next(lamp for power, lamp in LAMPS if need.power <= power)} (common practice); {line:g} V",
                 "the lamp flashes and goes dark; one that stays bright means a short: off, and look for it"]
    lines.append("no earthed instrument at the mains side: a differential probe, or a meter with nothing earthed")
    if not any(stage == "transformer" for stage, _, _ in design.plates):
        lines.append("without a transformer there is no isolation: the output is live too")
    if "pfc.v_bus" in design.rows:
        lines.append("behind the lamp the power factor stage may not start: the bus then stands at the crest of the mains")
    return tuple(lines)


def _waiting(design: Design) -> tuple[str, ...]:
    """How long the energy stays."""
    told = ["off; the source disconnected; measure the input capacitors before a hand goes near them" if design.requirement.is_dc
            else "off; pull the plug; measure the bulk before a hand goes near it"]
    if "bulk.discharge_time" in design.rows:
        told.append(f"left alone the bulk takes up to {show(design.most('bulk.discharge_time'), 's')} down to 60 V: discharge it through a "
                    "resistor, and measure again")
    told += [f"{o.name} takes up to {show(design.most(id), 's')} down to 60 V with nothing connected"
             for n, o in enumerate(design.requirement.outputs, 1) if (id := f"output{n}.discharge_time") in design.rows]
    if "inlet.discharge_time" in design.rows:
        told.append(f"pins of the plug below 60 V after {show(design.most('inlet.discharge_time'), 's')}")
    return tuple(told)


def _cold(design: Design) -> Iterator[Check]:
    """Parts read before they see power."""
    if has_sheet(design):
        low, high = inductance_band(design)
        yield Check("Inductance of the primary", "bench", "others open, 10 kHz, 100 mV", "H", low, high if np.isfinite(high) else None,
                    next(id for id in ("transformer.lp", "llc.lm", "transformer.lm", "transformer.core") if id in design.figure_ids),
                    "the gap is wider than ordered, or the core is not closed", "the gap is smaller than ordered: it saturates sooner")
        yield Check("Leakage of the primary", "bench", "outputs shorted, 100 kHz", "H", *leakage_band(design), "transformer.leakage", "",
                    "enter it at the leakage inductance: clamp and peaks follow")
    if "inlet.r_x" in design.rows and not switch_discharges(design.rows):
        value = float(design.rows["inlet.r_x"].value) * (2 if design.requirement.mains.phases > 1 else 1)  # two of three in a star
        yield Check("Between the pins of the plug", "bench", "ohmmeter, fuse in, settled", "Ω", 0.95 * value, 1.05 * value,
                    "inlet.discharge_time", "a short or a leak before or behind the bridge", "discharge resistor or fuse open")


def _idle(design: Design, line: float, behind: str = "") -> Iterator[Check]:
    """Points in order, nothing connected to the outputs. behind: lamp or current limit that power comes through."""
    at, rows = _setting(line, 0.0, behind), design.rows
    if "bulk.v_valley" in rows:
        low, high = widened((band_of(design, "bulk.v_valley", line, 0.0)[0], band_of(design, "bulk.v_peak", line, 0.0)[1]), VOLTS)
        least = min(low, math.sqrt(2.0) * line * (1 - VOLTS)) if behind and "pfc.v_bus" in rows else low
        yield Check("Bulk", at, "meter, dc, across the capacitor", "V", least, high, "bulk.v_peak",
                    "lamp still bright, a bridge diode open, a leaky capacitor", "mains higher than set")
    yield from _supply(design, line, 0.0, behind)
    if "feedback.v_ref" in rows:
        value, spread = float(rows["feedback.v_ref"].value), float(rows["feedback.reference_tolerance"].value)
        yield Check("Reference pin", at, "meter, dc, at its return", "V",
                    *widened((value * (1 - spread), value * (1 + spread)), 0.5 * VOLTS), "feedback.v_set",
                    "the loop is not closed: divider, optocoupler",
                    "the loop cannot pull down: optocoupler, its resistor, the controller's pin")
    yield from _outputs(design, line, 0.0, behind)


def _supply(design: Design, line: float, load: float, behind: str = "") -> Iterator[Check]:
    """The controller's supply."""
    if "aux.v_low" in design.rows:
        low, high = band_of(design, "aux.v_low", line, load)[0], band_of(design, "aux.v_high", line, load)[1]
        yield Check("Auxiliary supply", _setting(line, load, behind), "meter, dc, at the controller", "V", *widened((low, high), 5 * VOLTS),
                    "aux.v_low", "near the lower end of its window it hiccups: turns, diode, series resistor",
                    "ring of the leakage: more series resistance, closer coupling")


def _outputs(design: Design, line: float, load: float, behind: str = "") -> Iterator[Check]:
    """Every output's voltage, by the loop, by its regulator, or by what the design found for those nothing holds."""
    for n, output in enumerate(design.delivered.outputs, 1):
        sign, least = np.sign(output.voltage), f"output{n}.v_low"
        if output.regulated and "feedback.error" in design.rows and "feedback.r_second" not in design.rows:
            off = float(design.rows["feedback.error"].value)
            ends, figure = (abs(output.voltage) * (1 - off), abs(output.voltage) * (1 + off)), "feedback.error"
        elif least in design.rows:
            ends, figure = (widened((band_of(design, least, line, load)[0], band_of(design, f"output{n}.v_high", line, load)[1]), VOLTS),
                            least)
        else:
            continue
        low, high = sorted(sign * end for end in ends)
        held = _of_regulator(design, n)
        current = design.grid.points[design.grid.find(line, load).index[2]].currents[n - 1] - (held[0] if held else 0.0)
        yield Check(f"Output {output.name}", _setting(line, load, behind), "meter, dc" + (f", at {show(current, 'A')}" if current else ""),
                    "V", low, high, figure, "divider, reference, too little duty or current left",
                    "divider, feedback open, a lightly loaded output that the leakage lifts")
        if held:
            named, _, off = design.requirement.outputs[n - 1], *held
            low, high = sorted(named.voltage * (1 + end) for end in (-off, off))
            yield Check(f"Output {named.name}", _setting(line, load, behind), "meter, dc, behind its regulator", "V", low, high,
                        f"regulator{n}.error", "too little left across the regulator, or too hot: it lets go",
                        "the regulator shorted, or without its least load")


def _of_regulator(design: Design, n: int) -> tuple[float, float] | None:
    """What the regulator behind output n takes for itself [A], and its error; None where there is none."""
    ids = (f"regulator{n}.i_ground", f"regulator{n}.error")
    return (float(design.rows[ids[0]].value), float(design.rows[ids[1]].value)) if ids[1] in design.rows else None


def _drawn(design: Design, line: float, load: float) -> Iterator[Check]:
    """Power from the source: what goes out, and a share of the losses."""
    out, lost = band_of(design, "load.power", line, load), band_of(design, "loss.total", line, load)
    least = None if load == 0.0 else out[0] + LOSSES[0] * lost[0]
    yield Check("Input power", _setting(line, load),
                "power meter, 1 %, averaging" if not design.requirement.is_dc else "voltage times current", "W", least,
                out[1] + LOSSES[1] * lost[1], "loss.total" if load else "standby.power",
                "read the load once more", "find what is hot: clamp, snubber, dead time, core")


def _loads(design: Design, line: float) -> Iterator[Check]:
    """The load sweep."""
    for load in STEPS:
        yield from _outputs(design, line, load)
        yield from _drawn(design, line, load)
        yield from _supply(design, line, load)
        yield _frequency(design, line, load)


def _frequency(design: Design, line: float, load: float) -> Check:
    """Frequency at the gate; where pulses are left out, their number in a second."""
    band, full = (band_of(design, "switch.frequency", line, k) for k in (load, 1.0))
    if "light_load" in design.rows and band[1] < SKIPS * full[0]:
        return Check("Switching frequency", _setting(line, load), "at the gate, pulses of a second", "Hz", BURSTS[0] * band[0],
                     BURSTS[1] * band[1], "switch.frequency")
    lines = [band_of(design, "switch.frequency", v, 1.0) for v in design.grid.lines]
    fixed = max(high for _, high in lines) < (1 + HERTZ) * min(low for low, _ in lines)
    spread = float(design.rows[rate.ID].value) if rate.ID in design.rows else HERTZ if fixed else FOLLOWS
    return Check("Switching frequency", _setting(line, load), "at the gate", "Hz", *widened(band, spread), "switch.frequency")


def _line(design: Design, line: float, loaded: bool) -> Iterator[Check]:
    """One line of the line sweep. loaded: outputs and power have been read there at full load."""
    at, rows = _setting(line, 1.0), design.rows
    if not loaded:
        yield from _drawn(design, line, 1.0)
        yield from _outputs(design, line, 1.0)
    if "inlet.i_rms" in rows:
        yield Check("Line current", at, "true rms meter", "A", *widened(band_of(design, "inlet.i_rms", line, 1.0), AMPERES), "inlet.i_rms",
                    "the mains is softer than asked for", "the mains is stiffer than asked for, or more power is drawn")
    if "bulk.v_valley" in rows:
        aged = "bulk.v_valley_left" if "bulk.v_valley_left" in rows else "bulk.v_valley"
        yield Check("Bulk, valley", at, "differential probe", "V",
                    *widened((band_of(design, aged, line, 1.0)[0], band_of(design, "bulk.v_valley", line, 1.0)[1]), VOLTS), "bulk.v_valley",
                    "capacitance below its class, or a soft mains", "")
    yield Check("Peak switch voltage", at, "differential probe, shortest leads", "V", None,
                band_of(design, "switch.v_peak", line, 1.0)[1] * (1 + VOLTS), "switch.v_peak", "",
                "more leakage than designed for: read it with the outputs shorted and enter it")
    low, high = band_of(design, "switch.i_peak", line, 1.0)
    yield Check("Peak switch current", at, "current probe, or sense voltage", "A", (1 - 2 * PROBE) * low, (1 + PROBE) * high,
                "switch.i_peak", "", "inductance too low; a ramp that bends upwards saturates: off")
    if "llc.v_turn" in rows:
        ratio = float(rows["llc.v_turn_range"].value) / float(rows["llc.v_sensed"].value)
        yield Check("Resonant capacitor at turn-off", at, f"lower capacitor of the charge divider, from the middle, × {ratio:.3g}", "V",
                    *widened(band_of(design, "llc.v_turn", line, 1.0), 2 * PROBE), "llc.v_turn",
                    "the lower capacitor of the divider is larger than told, or the resonant one",
                    "the resonant capacitor is smaller than told, or more power is drawn")


def _ends(design: Design, line: float) -> Iterator[Check]:
    """Ripple, load step, current limit."""
    rows = design.rows
    for n, output in enumerate(design.delivered.outputs, 1):
        of = ((output.name, f"output{n}.ripple_pp"), (design.requirement.outputs[n - 1].name, f"regulator{n}.ripple_pp"))
        for name, id in of:
            if id in rows:
                yield Check(f"Ripple of {name}", _setting(line, 1.0), "peak to peak, 20 MHz", "V", None,
                            band_of(design, id, line, 1.0)[1] * (1 + PROBE), id, "",
                            "first the ground lead, then resistance of the capacitors")
        if output.load_step is not None and f"output{n}.step" in rows:
            yield Check(f"Step of {output.name}",
                        f"{line:g} V, load {show(output.load_step.low, 'A')} to {show(output.load_step.high, 'A')} and back",
                        "excursion either way", "V", None, float(design.value(f"output{n}.step")), f"output{n}.step", "",
                        "slow loop, too little capacitance")
    if "input.ripple_pp" in rows:
        yield Check("Ripple of the input", _setting(line, 1.0), "peak to peak, 20 MHz, across the input capacitors", "V", None,
                    band_of(design, "input.ripple_pp", line, 1.0)[1] * (1 + PROBE), "input.ripple_pp", "",
                    "too little capacitance, or too much resistance; a slow swing is the line's inductance")
    if "feedback.crossover" in rows:
        yield from _loop(design, line)
    if "bulk.hold_up_left" in rows:
        at = design.grid.special["hold_up_at"]
        yield Check("Hold-up", _setting(at, 1.0), "plug pulled until an output leaves its band", "s",
                    band_of(design, "bulk.hold_up_left", at, 1.0)[0], None, "bulk.hold_up_left",
                    "capacitance below its class; the stage lets go of a higher bus than told")
    if "brown.out_most" in rows:
        yield from _thresholds(design)
    if "overload.most" in rows:
        yield from _gives_way(design)
    most = max(band_of(design, id, line, 1.0, "limit")[1] for id in ("switch.i_peak", "switch.limit_max") if id in rows)
    yield Check("Current limit, peak", f"{line:g} V, output gives way", "current probe, or sense voltage", "A",
                (1 - PROBE) * band_of(design, "switch.limit_min", line, 1.0, "limit")[0] if "switch.limit_min" in rows else None,
                (1 + PROBE) * most, "switch.i_peak", "full load will not be held at the lowest line",
                "sense resistor, delay, blanking")


def _gives_way(design: Design) -> Iterator[Check]:
    """The load at which the current limit takes over, at both ends of the line."""
    main = design.delivered.outputs[design.delivered.main]
    for line in sorted({min(design.grid.lines), max(design.grid.lines)}):
        least, most = (band_of(design, f"overload.{end}", line, 1.0, "limit")[k] for k, end in enumerate(("least", "most")))
        yield Check(f"Load of {main.name} where it gives way", f"{line:g} V, load raised slowly", "loads of all outputs raised together",
                    "A", *widened((least * main.current_max, most * main.current_max), VOLTS), "overload.most",
                    "sense resistor, inductance below its tolerance, a bus that sags", "sense resistor, delay, filter of the sense voltage")


def _thresholds(design: Design) -> Iterator[Check]:
    """Where it lets go of a falling line, and where it starts again on a rising one."""
    sensed = "crest of the line" if "pfc.v_bus" in design.rows else "bus"
    for name, at, end, low, high in (
            ("Brown-out", "line lowered slowly, full load", "out", "divider, threshold of the pin",
             "upper resistor of the divider open or larger: it ends hold-up too soon"),
            ("Brown-in", "line raised slowly, least load", "in", "it starts and stops on a weak line: hysteresis current, divider",
             "the lowest line does not start it")):
        ends = float(design.rows[f"brown.{end}_least"].value), float(design.rows[f"brown.{end}_most"].value)
        yield Check(name, at, f"{sensed} where it stops or starts, differential probe", "V", *widened(ends, VOLTS),
                    f"brown.{end}_most", low, high)


def _loop(design: Design, line: float) -> Iterator[Check]:
    """Crossover and phase margin of a new coupler, whatever rank of its class it is."""
    at, spread = _setting(line, 1.0), float(design.rows["feedback.ctr_spread"].value)
    how = "analyser, 20 mV over 22 Ω at the output"
    fast = band_of(design, "feedback.crossover", line, 1.0)[1] * (1 + LOOP)
    yield Check("Crossover of the loop", at, how, "Hz", fast / (spread * (1 + LOOP) ** 2), fast, "feedback.crossover",
                "transfer ratio below its class, more output capacitance", "transfer ratio above its class, less output capacitance")
    yield Check("Phase margin", at, how, "°", band_of(design, "feedback.phase_margin", line, 1.0)[0] - DEGREES, None,
                "feedback.phase_margin", "the coupler is slower at this pin than told: enter its pole", "")


def _heat(design: Design, room: float) -> Iterator[Check]:
    """Every part whose rise is judged, at the line where it rises most."""
    ambient = float(design.rows["ambient.max"].value)
    for id in design.figure_ids:
        if not id.endswith("rise") or design.rows[id].unit != "K":
            continue
        figure = design.figure(id)
        if figure.limit is None or figure.corner is None:
            continue
        yield _warm(design, room, f"Temperature of the {PARTS.get(id.split('.')[0], id.split('.')[0])}", figure, ambient + figure.value,
                    ambient + figure.limit)
    yield from _sinks(design, room)


def _sinks(design: Design, room: float) -> Iterator[Check]:
    """Heat sinks, and the cases of what stands without one, where they are hottest."""
    rows = design.rows
    for side in SIDES:
        if f"sink.{side}_t" in rows:
            figure = design.figure(f"sink.{side}_t")
            yield _warm(design, room, f"Temperature of the {side} heat sink", figure, float(figure.value), float(rows[WARM].value))
    for h in (p.hot for p in design.context["placed"] if not p.side):
        figure = design.figure(h.case)
        index = figure.corner.index if figure.corner else (0, 0, design.grid.full_load, 0)
        inside = float(h.power.at(index)) * h.r_jc
        case, limit = (float(rows[id].at(index)) - inside for id in (f"sink.tj_{key(h.part)}", f"{h.part}.t_junction"))
        yield _warm(design, room, f"Case of the {called(design.delivered, h.part)}", figure, case, limit)


def _warm(design: Design, room: float, name: str, figure: Figure, hottest: float, limit: float) -> Check:
    """A temperature read in a room [°C]; hottest: what it comes to at the highest ambient, at the corner of its figure, and limit: what it
    may reach there [°C]."""
    rise = float(design.rows["ambient.max"].value) - room
    line = figure.corner.v_line if figure.corner else _lines(design)[0]
    return Check(name, _setting(line, 1.0), f"thermocouple, room {room:g} °C", "°C", None, hottest - rise, figure.id, "",
                 "losses above those told, or less air than asked for", (rise, limit))
