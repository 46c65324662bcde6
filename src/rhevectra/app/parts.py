"""The parts that are worked out as a list to buy from: generic classes, values and counts."""

from collections import Counter
from typing import Any

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.cost import whole_bill
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import spoken
from rhevectra.core.emission.declare import in_each, stages_of
from rhevectra.core.stages import FRONT_ENDS, rate
from rhevectra.core.stages.clamping import DIODE_SHARE, diode_class
from rhevectra.core.stages.gates import by_turns
from rhevectra.core.stages.inlet import switch_discharges
from rhevectra.core.stages.sinks import PAD, SIDES, called, room_said
from rhevectra.core.stages.strings import ACROSS
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common.sensing import CAPACITOR, RESISTOR
from rhevectra.core.topologies.common.supply import regulated
from rhevectra.project import table

_KINDS = {"switches": "switch", "rectifiers": "rectifier", "boost_diodes": "boost diode", "regulators": "linear regulator",
          "capacitors": "capacitor"}
_OF_OUTPUTS = tuple(
    f"{id}{n}.{part}" for n in range(1, 7) for id, part in (("output", "r_bleed"), ("rectifier", "snubber_c"), ("rectifier", "snubber_r")))
_UPPER = ("feedback.r_high", "feedback.r_first", "feedback.r_second")
_CHOSEN = ("inlet.fuse", "inlet.thermistor", "inlet.arrester", "inlet.c_x", "inlet.r_x", "inlet.l_cm", "inlet.cm_ring", "inlet.l_dm",
           "inlet.dm_ring", "inlet.dm_powder", "inlet.c_y", "inlet.c_in", "bridge.class", "bulk.c", "bulk.r_balance", "bulk.r_bleed",
           "brown.r_high", "brown.r_low", "pfc.r_sense", "sense.r",
           "clamp.r", "clamp.c", "clamp.v_zener", "clamp.r_series", "clamp.r_diode", "active.c", "spike.c", "spike.r", "divider.c",
           "blocking.c", "llc.cr", "llc.c_sense_upper", "llc.c_sense_lower",
           "primary.snubber_c", "primary.snubber_r", "rectifier1.clamp_c", "rectifier1.clamp_r", *_OF_OUTPUTS,
           *_UPPER, "feedback.r_low", "feedback.r_led", "feedback.r_zero", "feedback.c_zero", "feedback.c_pole",
           "aux.r_series", "aux.c_least", "start.c_supply")
"""Ids of parts of a value or class each; `inlet.r_x` is told by no desk of its own."""

_TOLD_BY = {"bulk.c": "pfc.v_bus", "feedback.r_high": "feedback.r_second"}
"""Parts told by others where these are there: a bus behind a power factor stage by the class of its cans, a divider of two outputs by both
its upper resistors."""
_EACH_LINE = ("inlet.fuse", "inlet.thermistor", "inlet.arrester", "inlet.c_x", "inlet.r_x", "inlet.l_dm", "inlet.dm_ring",
              "inlet.dm_powder")
"""Those of which three phases ask for one in each line, or between every two."""
_EACH_STAGE = ("inlet.c_x", "inlet.l_cm", "inlet.cm_ring", "inlet.l_dm", "inlet.dm_ring", "inlet.dm_powder")
"""Parts that every stage of the mains filter has; its capacitors are even shares of the whole."""

_EACH_PHASE = {"llc.cr": "inductor", "sense.r": "inductor", "pfc.r_sense": "pfc"}
"""Parts that every phase has, beside a wound part of which there is one for each phase."""


def _pulsed(id: str) -> tuple[tuple[str, str], ...]:
    """What is told of a capacitor with steep edges."""
    return ((f"{id}_v_class", "class"), (f"{id}_slew", ""), (f"{id}_kind", ""))


_BORNE = {
    "bulk.c": (("bulk.v_limit", ""),),
    "sense.r": (("sense.power", "of heat"),),
    "clamp.r": (("clamp.resistors", "in series"), ("clamp.power", "of heat in all"), ("clamp.v", "across all")),
    **{id: ((f"{id}_resistors", "in series"), (f"{id}_volts", "across all")) for id in ACROSS},
    "clamp.v_zener": (("clamp.zeners", "in series"), ("clamp.power", "of heat in all")),
    "spike.r": (("spike.power", "of heat"),),
    "clamp.c": _pulsed("clamp.c"),
    "active.c": (*_pulsed("active.c"), ("active.i_rms", "rms")),
    "llc.cr": (("llc.v_cr_peak", "peak"), ("llc.i_cr_rms", "rms"), *_pulsed("llc.cr")),
    "llc.c_sense_upper": (("llc.v_cr_peak", "peak"),),
    "divider.c": (("divider.i_rms", "rms"), *_pulsed("divider.c")),
    "blocking.c": (("blocking.v_ac", "of ac"), ("blocking.i_rms", "rms"), *_pulsed("blocking.c")),
    **{f"rectifier{n}.snubber_c": _pulsed(f"rectifier{n}.snubber_c") for n in range(1, 7)},
    "primary.snubber_r": (("primary.snubber_loss", "of heat"),),
    "rectifier1.clamp_r": (("rectifier1.clamp_power", "of heat"),),
    **{f"rectifier{n}.snubber_r": ((f"rectifier{n}.snubber_loss", "of heat in all"),) for n in range(1, 7)},
    **dict.fromkeys(("aux.c_least", "start.c_supply"), (("aux.v_high", ""),)),
    **dict.fromkeys((*_UPPER, "feedback.r_low"), (("feedback.resistor_tolerance", "%"),)),
}
"""What a part bears, or how near its value is, told beside the value: figures with the words behind them."""

_RINGS = 1.5
"""Class of a supply's diode over its reverse voltage without the ring (common practice)."""


def rows(design: Design) -> list[tuple[str, str, int]]:
    """Kind, class or value, count."""
    bill, found = whole_bill(design), Counter[tuple[str, str]]()
    for kind, name in _KINDS.items():
        for part, count in bill.get(kind, ()):
            found[name, str(part)] += int(count)
    out = [(kind, part, count) for (kind, part), count in found.items()]
    for id, row in design.rows.items():
        if id.endswith(".core") and isinstance(row.value, str):
            out.append(("core of the " + {"transformer": "transformer"}.get(id.split(".")[0],
                design.specs[id].label.lower().removeprefix("core of the ") if id in design.specs else id), row.value,
                        design.count(id.removesuffix(".core"))))
    for id in _CHOSEN:
        told = _told(design, id)
        if told is not None:
            spec = design.decision_specs.get(id) or design.specs.get(id)
            label = _lower(spec.label) if spec else "discharge resistor of the X capacitors"
            out.append((label, told, _count(design, id)))
    out += [*_diodes(design), *_second_stages(design), *_sensing(design), *_feedback(design), *_controller(design), *_gates(design),
            *_sinks(design)]
    if switch_discharges(design.rows):
        out.append(("discharge switch of the X capacitors", f"approved for it; holds {show(design.most('inlet.v_crest'), 'V')}, closes "
                    f"within {show(design.value('inlet.t_seen'), 's')} of the line's end", 1))
    if "inlet.limiter" in design.rows and str(design.rows["inlet.limiter"].value) == "relay":
        contacts = "a contact across each limiter" if design.requirement.mains.phases > 1 else "its contact across the limiter"
        out.append(("inrush relay", f"{contacts}: {show(design.most('inlet.i_rms'), 'A')} at {design.requirement.mains.v_max:g} V", 1))
    if "feedback.v_trip" in design.rows:
        coupler = " and coupler" if "feedback.r_led" in design.rows else ""
        out.append(("over-voltage trip", f"reference{coupler}, {show(float(design.rows['feedback.v_trip'].value), 'V')}", 1))
    if regulated(design.rows):
        out.append(("regulator of the auxiliary supply",
                    f"transistor for {show(design.value('aux.v_high'), 'V')} and {show(design.value('aux.p_regulator'), 'W')}, with Zener "
                    "diode", 1))
    return out


def _diodes(design: Design) -> list[tuple[str, str, int]]:
    """The diodes beside rectifiers and bridge, each by the class that bears its reverse voltage."""
    rows, found = design.rows, list[tuple[str, str, int]]()
    variant: Any = getattr(design.context["stage"], "variant", None)
    pulses = f"pulses of {show(design.value('switch.i_peak'), 'A')}"  # they take the whole current over when a switch opens
    if "clamp.diode_v_limit" in rows:
        slow = "clamp.recovery" in rows
        speed = (f"at least {show(design.value('clamp.recovery'), 's')}" if slow
                 else f"at most {show(design.value('clamp.t_recovery'), 's')}")
        found.append(("clamp diode", f"{show(design.value('clamp.diode_v_limit') / DIODE_SHARE, 'V')} class, recovery {speed}", 1))
    if "spike.r" in rows:
        found.append(("clamp diode", f"{_class_for(design.value('switch.v_peak'))}, {pulses}", variant.halves))
    if "reset.diode_v_reverse" in rows:
        found.append(("diode of the reset winding", f"{_class_for(design.value('reset.diode_v_reverse'))}, "
                      f"{show(design.most('reset.i_rms'), 'A')} rms", 1))
    if getattr(variant, "held", False):
        found.append(("diode back to the bus", f"{_class_for(design.value('switch.v_peak'))}, {pulses}", 2))
    if "aux.v_reverse" in rows:
        found.append(("diode of the auxiliary supply", _class_for(_RINGS * DIODE_SHARE * design.value("aux.v_reverse")), 1))
    return found


def _controller(design: Design) -> list[tuple[str, str, int]]:
    """What the design asks of its controller, where that is not inside the switch; nobody's part."""
    if "gate.q" not in design.rows:
        return []
    rows = design.rows
    value = lambda id: show(float(np.max(rows[id].value)), rows[id].unit, 3)  # noqa: E731
    told = []
    if "llc.f_set" in rows:
        told.append(f"lowest rate {value('llc.f_set')}, starts from {value('llc.f_start')}"
                    + (", ends half periods by the charge divider" if "llc.v_turn" in rows else ""))
    elif "qr.f_max" in rows:
        told.append(f"turns on in a valley, at most {value('qr.f_max')}")
    elif "fs" in rows:
        told.append(value("fs") + (f" ± {100 * float(rows[rate.ID].value):.0f} %" if rate.ID in rows else ""))
    if "switch.duty_limit" in rows:
        told.append(f"duty up to {100 * float(rows['switch.duty_limit'].value):.0f} %"
                    + (" of half a period" if by_turns(design.context["stage"]) else ""))
    if "switch.control" in rows:
        trims = "divider.balance" in rows and rows["divider.balance"].value == "trim"
        told.append(f"{rows['switch.control'].value} control" + (", trims its peaks by the midpoint" if trims else ""))
    if "sense.v_trip" in rows:
        told.append(f"trips at {value('sense.v_trip')} ± {100 * float(rows['switch.limit_tolerance'].value):.0f} % within "
                    f"{value('switch.limit_delay')}" + (f", blind for {value('switch.blanking')}" if "switch.blanking" in rows else ""))
    low, high = (design.figure(f"aux.v_{end}") if f"aux.v_{end}" in design.specs else None for end in ("low", "high"))
    if regulated(rows):
        told.append(f"takes {value('aux.i')} with its gates")
    elif low is not None and high is not None and low.limit is not None and high.limit is not None:
        told.append(f"supply {show(low.limit, 'V')} to {show(high.limit, 'V')}, {value('aux.i')} with its gates")
    if "light_load" in rows:
        told.append(f"light load: {spoken(str(rows['light_load'].value), 'light_load')}")
    return [("controller", "; ".join(told), 1)]


def _gates(design: Design) -> list[tuple[str, str, int]]:
    """What drives the gates of the switches, where that is not inside them."""
    found = []
    if "pfc.gate_q" in design.rows:
        count = FRONT_ENDS[design.front_end].bill(design)["switches"][0][1]
        found.append(("gate resistor of the power factor stage", _turn_off(design, "pfc.gate_"), count))
    if "gate.q" not in design.rows:
        return found
    bill = TOPOLOGIES[design.topology].bill(design)
    floating, volts = bill["floating_drives"], show(design.value("gate.v"), "V")
    found.append(("gate resistor", _turn_off(design, "gate."), int(bill["switches"][0][1])))
    if "gate.vs" in design.rows:
        found.append(("gate transformer", f"a winding for each floating gate, {volts}, {1e6 * design.value('gate.vs'):.3g} V·µs", 1))
    elif floating:
        found += [("bootstrap capacitor", f"{show(design.value('gate.c_boot'), 'F')}, ceramic, for {volts}", floating),
                  ("bootstrap diode", _class_for(design.value("gate.v_boot")), floating)]
    return found


def _turn_off(design: Design, name: str) -> str:
    """The turn-off path of a gate, whose rows begin with a name, and its driver."""
    return (f"turn-off path of at most {show(design.value(f'{name}r_off'), 'Ω', 2)} with its driver, which sinks "
            f"{show(design.value(f'{name}i_off'), 'A', 2)}")


def _sinks(design: Design) -> list[tuple[str, str, int]]:
    """Heat sinks with what stands on them, and the pads under it."""
    found = []
    for side in SIDES:
        on = [p.hot for p in design.context["placed"] if p.side == side]
        if on:
            found.append((f"{side} heat sink", f"{show(design.value(f'sink.{side}'), 'K/W')}{room_said(design, side)}, for "
                          + ", ".join(called(design.delivered, h.part) for h in on)
                          + f"; each package on a pad of {show(design.value(PAD), 'K/W')}", 1))
    return found


def _class_for(v_reverse: float) -> str:
    """The class of a fast diode that bears a reverse voltage [V]."""
    return f"fast, {show(diode_class(v_reverse), 'V')} class"


def _second_stages(design: Design) -> list[tuple[str, str, int]]:
    """Inductors of second-stage filters."""
    of = [n for n in range(1, len(design.requirement.outputs) + 1) if f"filter{n}.l" in design.decision_specs
          and f"filter{n}.core" not in design.rows and float(design.value(f"filter{n}.l")) > 0]
    return [(_lower(design.decision_specs[f"filter{n}.l"].label),
             f"{show(design.value(f'filter{n}.l'), 'H')}, {show(design.requirement.outputs[n - 1].current_max, 'A')}", 1) for n in of]


def _sensing(design: Design) -> list[tuple[str, str, int]]:
    """What brings the current to the sense resistor, where it does not lie in the path itself."""
    if "sense.ratio" not in design.rows or design.value("sense.kind") == RESISTOR:
        return []
    ratio, count = float(design.value("sense.ratio")), _count(design, "sense.r")
    return [("capacitor of the current sense", show(float(design.value("llc.cr")) / ratio, "F"), count)
            if design.value("sense.kind") == CAPACITOR else ("current transformer", f"1 : {ratio:g}", count)]


def _feedback(design: Design) -> list[tuple[str, str, int]]:
    """What the regulated output is compared with, and what brings that across the barrier."""
    if "feedback.v_ref" not in design.rows:
        return []
    found = [("reference of the output",
              f"{show(design.value('feedback.v_ref'), 'V', 4)}, {_percent(design, 'feedback.reference_tolerance')}", 1)]
    return ([*found, ("optocoupler", f"transfer ratio at least {_percent(design, 'feedback.ctr')} at the current it works at", 1)]
            if "feedback.r_led" in design.rows else found)


def _lower(label: str) -> str:
    """A label within a line: its first letter is small, where it is no letter of its own (an X capacitor)."""
    return label if label[1:2] == " " else label[0].lower() + label[1:]


def _told(design: Design, id: str) -> str | None:
    """Class or value of a part; None where there is none."""
    row = design.rows.get(id)
    if row is None or (id in _TOLD_BY and _TOLD_BY[id] in design.rows):
        return None
    if isinstance(row.value, str):
        return row.value
    each = _each(design, id)
    return ", ".join((show(each, row.unit), *_borne(design, id))) if each > 0.0 else None


def _borne(design: Design, id: str) -> list[str]:
    """What is told beside a value."""
    if id.endswith(".r_bleed") and id.startswith("output"):
        volts = design.delivered.outputs[int(id[6]) - 1].voltage
        return [f"{show(volts**2 / float(design.value(id)), 'W')} of heat"]
    told = [(figure, words) for figure, words in _BORNE.get(id, ()) if figure in design.rows]
    return [_beside(design, figure, words) for figure, words in told if words != "in series" or design.value(figure) > 1]


def _beside(design: Design, figure: str, words: str) -> str:
    """A figure with the words behind it: a number of parts as such, a share in per cent."""
    if words == "%":
        return _percent(design, figure)
    if isinstance(told := design.rows[figure].value, str):
        return told
    value, unit = float(design.value(figure)), design.rows[figure].unit
    return f"{show(value, unit) if unit else round(value)} {words}".strip()


def _percent(design: Design, id: str) -> str:
    return f"{100 * float(design.value(id)):g} %"


def _each(design: Design, id: str) -> float:
    """Value of a part, of the worst corner where it is a figure; the stages of the mains filter share its capacitors."""
    value = float(design.value(id)) / (int(design.value("bulk.parallel")) if _in_cans(design, id) else 1)
    return in_each(value, stages_of(design.rows)) if id in ("inlet.c_x", "inlet.c_y") else value


def _in_cans(design: Design, id: str) -> bool:
    return id == "bulk.c" and "bulk.parallel" in design.rows


def _count(design: Design, id: str) -> int:
    """How many of a chosen part there are."""
    stages, lines = stages_of(design.rows), design.requirement.mains.phases
    if id in _EACH_LINE:
        return lines * (stages if id in _EACH_STAGE else 1)
    if id in _EACH_STAGE:
        return stages
    if id == "inlet.c_y":
        return stages * int(design.rows["inlet.y_count"].value)
    if _in_cans(design, id):
        return int(design.value("bulk.parallel")) * (2 if "bulk.r_balance" in design.rows else 1)
    if id == "divider.c" or (id in ("bulk.c", "bulk.r_balance") and "bulk.r_balance" in design.rows):
        return 2
    if id in _EACH_PHASE:
        return design.count(_EACH_PHASE[id])
    of = f"{id.split('.')[0]}.snubbers"
    return int(design.rows[of].value) if of in design.rows else 1


def as_csv(design: Design) -> str:
    """The list under its columns."""
    return table.as_csv(("kind", "class or value", "count"), rows(design))
