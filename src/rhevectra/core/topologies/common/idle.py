"""What an output carries when nothing is connected to it: what holds it to its voltage draws from it, and a bleed."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import divider

LEAST = 1e-3
"""Current of an output that nothing is connected to and no feedback hangs on: leakage of its capacitors [A] (typical, from memory)."""
LEAKS = 1e-4
"""The same as a share of its current, for large capacitors (typical, from memory)."""
BLED = 1e-3
"""Share of its current that a bleed takes where one is needed by rule (common practice, no source)."""
HANGS = "with nothing connected what hangs on it: leakage, divider, bleed"
"""What the working says of a current that is never less."""
DECISIONS = tuple(
    DecisionSpec(f"output{n}.bleed", f"Bleed of output {n}", "rectifier", unit="A", low=0.0, high=10.0,
                 schools="none: turns, leakage or the loop keep it inside its tolerance; a resistor that holds it down at light load, and "
                 "burns; a regulator of its own") for n in range(1, 7))


def figure(n: int) -> FigureSpec:
    """The resistor of output n."""
    return FigureSpec(f"output{n}.r_bleed", "Bleed resistor", "R_b", "rectifier", corners.FULL,
                      sentence="holds the output down while another one is loaded and this one is not")


def ratio(work: Work) -> Any:
    """Transfer ratio of the optocoupler."""
    return work.choose("feedback.ctr", 0.5,
                       "a class of 80 to 160 % at 5 mA has some six tenths of it at a milliampere (typical, from memory)")


def pull(work: Work) -> Any:
    """What the optocoupler's transistor has to draw [A] to stop the pulses."""
    return work.choose("feedback.i_pin", 1e-3, "what a controller's feedback pin gives at most (typical, from memory)")


def drawn(work: Work) -> float:
    """What the feedback draws from the regulated output while it holds the pulses back [A]: the coupler's diode, where there is one, and
    the divider."""
    coupler = float(pull(work).value) / float(ratio(work).value) if work.need.insulation != "functional" else 0.0
    return coupler + divider.current(work)


def load(work: Work, index: int, feedback: float | None = None) -> Any:
    """Current of an output at each point [A], without its bleed: its load, never below what hangs on it for good. feedback: what that
    draws, where it is not what `drawn` says of the regulated output [A]."""
    least = feedback if feedback is not None else drawn(work) if index == work.need.main else LEAST
    return np.maximum(work.grid.current(index), max(least, LEAKS * work.need.outputs[index].current_max))


def bleed(work: Work, index: int, sleeps: bool) -> float:
    """Bleed of an output of a stage that smooths all of them with one pulse [A]; sleeps: whether it leaves pulses out at no load."""
    if sleeps and index == work.need.main:
        asked, why = 0.0, "none: pulses are left out until the output asks for them"
    else:
        asked, why = (BLED * work.need.outputs[index].current_max,
                      "a thousandth of its current, so that it is never quite idle (common practice)")
    return float(work.choose(f"output{index + 1}.bleed", asked, why).value)


def record(work: Work, index: int) -> None:
    """The resistor that takes the bleed, where there is one."""
    n, volts = index + 1, work.need.outputs[index].magnitude
    held = float(work.sheet.rows[f"output{n}.bleed"].value)
    if held > 0:
        work.sheet.given(f"output{n}.r_bleed", at_most(volts / held, "E24"), "Ω", "rule",
                         f"E24 at or below the voltage over the bleed of {show(held, 'A')}")
