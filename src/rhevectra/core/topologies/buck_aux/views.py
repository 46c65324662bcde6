"""What pictures need to know of the step-down converter: symbols, waveform shapes, ripple choice; and what it brings to the contest."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.formulas import buck
from rhevectra.core.topologies.common.rectifiers import used
from rhevectra.core.topologies.common.symbols import Place, Symbol, bank, source
from rhevectra.core.topologies.common.views import RippleView, Shape, ripple_crest, ripple_rms, ripple_view

CONTEST = {"fs": (65e3, 100e3, 40e3), "filter1.ripple_ratio": (0.4, 0.8)}
"""Decisions the search may choose and the values it tries: the first is begun with, the next ones are tried until one is better; core,
turns, wire and parts follow by rule."""
EXPLORES = {"fs": (0.5, 2.5), "filter1.ripple_ratio": (0.4, 2.0), "filter1.rise_max": (0.35, 1.0)}
"""Decisions an exploration varies, and how far about the present value: least and most of it."""
NODE_PLACES: tuple[tuple[str, Place, str, str], ...] = (("bus", (10, 5), "left", "primary"), ("sw", (45, 5), "left", "primary"),
                                                        ("out1", (92, 5), "right", "primary"))
"""Where the voltage of a node stands at an instant: node of the circuit, place, anchor of the text, side."""


def bill(design: Any) -> dict[str, Any]:
    """Parts of the power stage: (class, count) of switches, rectifiers and output capacitors; wound parts, gate drives, small parts
    (current sense, supply diode and capacitor)."""
    rows = design.rows
    return {"switches": [(str(rows["switch.class"].value), 1)],
            "rectifiers": [(str(rows["rectifier1.class"].value), used(rows, 1))],
            "capacitors": [(str(rows["output1.cap"].value), int(rows["output1.parallel"].value))], "wound": 1, "drives": 0,
            "floating_drives": 1, "small": 3}


def schematic(design: Any, corner: Corner) -> list[Symbol]:
    """The power stage with the values of the design; all of it on the mains' side."""
    rows, s, at = design.rows, design.context["stage"], reader(corner.index)
    value = lambda id: show(float(rows[id].value), rows[id].unit)  # noqa: E731
    return [
        *source(rows, x=10, top=8, bottom=54), Symbol("wire", (10, 8), (20, 8), element="Sbuck"),
        Symbol("switch", (20, 8), (40, 8), "", "primary", "Sbuck"),
        Symbol("note", (27, 0), (27, 6), str(rows["switch.class"].value), "primary"), Symbol("wire", (10, 54), (44, 54), element="Dfree"),
        Symbol("diode", (44, 54), (44, 26), str(rows["rectifier1.class"].value), "primary", "Dfree", True),
        Symbol("wire", (44, 26), (44, 8), element="Dfree"), Symbol("wire", (40, 8), (44, 8), element="Sbuck"),
        Symbol("inductor", (44, 8), (70, 8), "", "primary", "Lout"),
        Symbol("note", (64, 0), (64, 6), f"{value('filter1.l')} on {rows['filter1.core'].value}, {value('filter1.turns')}", "primary"),
        Symbol("wire", (70, 8), (92, 8), element="Lout"), Symbol("wire", (44, 54), (92, 54), element="Lout"),
        Symbol("capacitor", (76, 8), (76, 54), bank(rows, "output1"), "primary", "Cout1", True),
        Symbol("load", (92, 8), (92, 54), f"{design.requirement.outputs[design.requirement.main].name} {show(at(s.i_out), 'A')}, live",
               "primary", "Rload1")]


def waveforms(design: Any, corner: Corner) -> list[Shape]:
    """Voltage of the switch, current of diode and inductor at a corner, from the sized period (the switch's current is hidden behind the
    charge of the node at turn-on)."""
    o, s, at = design.context["o"], design.context["stage"], reader(corner.index)
    end, on, e, v_bus, v_out = 1 / at(o["fs"]), at(o["t_on"]), 1e-10, at(s.v_bus), at(s.v_out)
    low, crest = at(o["valley"]), at(o["crest"])
    empty = min(on + at(o["t_d"]), end - e) if low <= 0 else end - e
    t = np.array([0.0, e, on, on + e, empty, min(empty + e, end), end])
    rest = v_bus - v_out if low <= 0 else v_bus
    return [Shape("switch voltage", "V", t, np.array([rest, 0.0, 0.0, v_bus, v_bus, rest, rest]), end, "primary",
                  float(design.rows["switch.v_limit"].value)),
            Shape("diode current", "A", t, np.array([low, 0.0, 0.0, crest, low, low, low]), end, "primary"),
            Shape("inductor current", "A", t, np.array([low, low, crest, crest, low, low, low]), end, "secondary")]


def bus_current(design: Any, corner: Corner) -> Shape:
    """What it takes from the bus: the inductor's current while the switch is on."""
    o, at, e = design.context["o"], reader(corner.index), 1e-10
    end, on = 1 / at(o["fs"]), at(o["t_on"])
    return Shape("bus current", "A", np.array([0.0, on, on + e, end]), np.array([at(o["valley"]), at(o["crest"]), 0.0, 0.0]), end,
                 "primary")


def ripple_choice(design: Any) -> RippleView:
    """Energy and rms of the inductor and the switch's peak against the ripple ratio, at the highest bus and full load."""
    rows, s = design.rows, design.context["stage"]
    i_out, chosen = (float(design.requirement.outputs[design.requirement.main].current_max),
                     float(design.figure("filter1.i_ripple_pp").value))

    def values(k: Any) -> tuple[Any, ...]:
        inductance = buck.inductance(float(s.v_out.value), float(s.v_forward.value), float(rows["bus.v_top"].value),
                                     float(rows["fs"].value), k, i_out)
        crest, rms = ripple_crest(i_out, k), ripple_rms(i_out, k)
        return 0.5 * inductance * np.square(crest), crest, rms, inductance, np.sqrt(np.square(rms) - i_out**2)
    return ripple_view(chosen / i_out, values, ("inductor energy (core size)", "switch peak", "inductor rms"))
