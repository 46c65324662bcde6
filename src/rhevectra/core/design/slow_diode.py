"""The school of the slow clamp diode: its stored charge lets the clamp's capacitor push energy back before it blocks. Computed on the exact
period.

The diode stores what flows forward, less what recombines in its lifetime, and lets current back until the store is empty
(`rcd_slow.stored`). Its series resistor stands in the leakage's way too: it lifts the peak of the drain, and without one the diode would
ring.
"""

from collections.abc import Iterator
from contextlib import suppress
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.preferred import nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.circuit.netlist import Circuit, Element
from rhevectra.core.circuit.parts import NoSteadyState
from rhevectra.core.design.design import Design
from rhevectra.core.design.exact import Exact, exact
from rhevectra.core.formulas import slow_clamp
from rhevectra.core.stages import rcd_slow
from rhevectra.core.topologies import TOPOLOGIES

RECOVERY = (0.5e-6, 2e-6)
"""Recovery times [s] tried: a rectifier of medium speed and a standard one, from 0.5 A with 1 A back (customary test, from memory)."""
DROPS = (0.01, 0.03, 0.08, 0.2)
"""Series resistors tried, by their drop at the current limit as a share of the clamp's voltage."""
SHOWN = 2.5e-6
"""Time [s] after turn-off that the currents are shown."""


class Tried(Struct, frozen=True):
    """One diode with its resistor: recovery time [s], 0 of the fast one; series resistor [Ω]; heat of the clamp's resistor and of diode
    with its own [W]; what the stage loses altogether [W]; share of the charge that goes back; drain peak where it is judged [V]."""

    recovery: float
    r: float
    in_clamp: float
    in_diode: float
    lost: float
    back: float
    peak: float


class SlowDiode(Struct, frozen=True):
    """The fast diode, slow ones in the order of their recovery and resistor, the best of them; current of fast and best over one pulse:
    time [s], amperes; sentence."""

    fast: Tried
    tried: tuple[Tried, ...]
    best: Tried
    pulses: tuple[tuple[Array, Array], tuple[Array, Array]]
    corner: Corner
    judged: Corner
    limit: float
    sentence: str


def with_slow(circuit: Circuit, recovery: float, r: float) -> Circuit:
    """The circuit with a diode of this recovery time [s] and a series resistor [Ω] in place of the clamp's."""
    out: list[Element] = []
    for e in circuit.elements:
        out += [e] if e.name.lower() != "dcl" else rcd_slow.stored(e, float(slow_clamp.lifetime(recovery)), r)
    return replace(circuit, elements=tuple(out), models=(*circuit.models, *rcd_slow.STORED_MODELS))


def _period(design: Design, corner: Corner, recovery: float, r: float) -> Exact:
    """The exact period with the fast diode where there is no recovery, else with a slow one."""
    return exact(design, corner, lambda circuit: with_slow(circuit, recovery, r)) if recovery else exact(design, corner)


def _tried(design: Design, corner: Corner, judged: Corner, recovery: float, r: float) -> tuple[Tried, tuple[Array, Array]]:
    e, volts = _period(design, corner, recovery, r), lambda node: e.voltages.get(node, np.zeros_like(e.t))
    t, i = e.t, e.currents["vdq" if recovery else "dcl"]
    rate = float(design.rows["switch.frequency"].at(corner.index))
    mean = lambda x: float(np.trapezoid(x, t)) * rate  # noqa: E731
    forward, back = (float(np.trapezoid(np.maximum(way * i, 0), t)) for way in (1, -1))
    given = sum(mean(volts(x.nodes[0]) * e.currents[x.name.lower()]) for x in TOPOLOGIES[design.topology].circuit(design, corner).elements
                if x.name.lower().startswith("rload"))
    drawn = -mean(volts("bus") * e.currents["vbus"])
    peak = float(_period(design, judged, recovery, r).voltages["drain"].max())
    start = int(np.argmax(i > 0.02 * i.max()))
    shown = slice(max(start - 2, 0), min(int(np.searchsorted(t, t[start] + SHOWN)), len(t)))
    made = Tried(recovery, r, mean((volts("cl") - volts("bus")) * e.currents["rcl"]), mean((volts("drain") - volts("cl")) * i),
                 drawn - given, back / max(forward, 1e-15), peak)
    return made, (t[shown] - t[start], i[shown])


def slow_diode_steps(design: Design, corner: Corner) -> Iterator[tuple[int, int, SlowDiode | None]]:
    """Steps of (done, total, None) and last what was found. Raises NoSteadyState where not even the fast diode has a period."""
    full = design.grid.find(corner.v_line, 1.0, bus=corner.bus, f_line=corner.f_line)
    figure = design.figure("switch.v_peak")
    judged = figure.corner or full
    across = float(design.rows["clamp.v_node"].at(judged.index)) / float(design.rows["clamp.i_peak"].at(judged.index))
    resistors = [float(nearest(share * across, "E12")) for share in DROPS]
    total = 1 + len(RECOVERY) * len(resistors)
    fast, pulse = _tried(design, full, judged, 0.0, 0.0)
    yield 1, total, None
    found: list[tuple[Tried, Any]] = []
    for done, (recovery, r) in enumerate(((a, b) for a in RECOVERY for b in resistors), 2):
        with suppress(NoSteadyState):  # what has no period is no candidate
            found.append(_tried(design, full, judged, recovery, r))
        if done < total:
            yield done, total, None
    if not found:
        raise NoSteadyState("no slow diode finds a period here")
    able = [x for x in found if x[0].peak <= max(fast.peak, float(figure.limit or np.inf))] or found
    best, its_pulse = min(able, key=lambda x: x[0].lost)
    yield total, total, SlowDiode(fast, tuple(x for x, _ in found), best, (pulse, its_pulse), full, judged, float(figure.limit or 0.0),
                                  _said(fast, best, float(figure.limit or np.inf)))


def _said(fast: Tried, best: Tried, limit: float) -> str:
    """What the best of them changes, told from its numbers."""
    less = fast.lost - best.lost
    text = (f"A diode of {show(best.recovery, 's', 2)} with {show(best.r, 'Ω', 2)} sends {best.back * 100:.0f} % of its charge back: the "
            f"clamp's resistor burns {show(best.in_clamp, 'W')} instead of {show(fast.in_clamp, 'W')}, "
            f"diode and resistor {show(best.in_diode, 'W')} instead of {show(fast.in_diode, 'W')}, the drain reaches "
            f"{show(best.peak, 'V')} instead of {show(fast.peak, 'V')}. ")
    if less <= 0:
        return text + f"The stage loses {show(-less, 'W')} more: the fast diode is the better one here."
    return (text + f"The stage loses {show(less, 'W')} less. Its forward recovery is left out: it lifts the peak by some volts, so "
            "measure. The stage is sized with it where the clamp is a slow diode."
            + ("" if best.peak <= limit else " But no slow one keeps the rating."))
