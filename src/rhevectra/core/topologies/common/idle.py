"""What an output carries when nothing is connected to it: what holds it to its voltage draws from it, and a bleed."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.stages import inlet
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import divider

LEAST = 1e-3
"""Current of an output that nothing is connected to and no feedback hangs on: leakage of its capacitors [A] (typical, from memory)."""
LEAKS = 1e-4
"""The same as a share of its current, for large capacitors (typical, from memory)."""
BLED = 1e-3
"""Share of its current that a bleed takes where one is needed by rule (common practice, no source)."""
PINS, BESIDE = (1e-3, 0.5e-3, 0.3e-3, 0.2e-3), 0.036
"""What a controller's feedback pin gives at most: usual, and made for little no-load power [A] (typical, from memory); what else burns at
no load beside feedback and X capacitors [W] (start-up cell, controller, pulses; this program's own designs): the rule takes a weaker,
slower pin only where the usual one would be too much."""
RATIO, FALLS = 0.5, 0.14
"""Transfer ratio of a coupler at the usual pull, some six tenths of what it is at 5 mA, and by how much it falls with a tenth of the
current."""
PIN_VOLTS, F_COUPLER = 5.0, 10e3
"""Supply behind the pin's resistance [V], and the coupler's own pole at the usual pin [Hz] (typical, from memory)."""
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


def _ratio_at(pull: float) -> float:
    """Transfer ratio of the optocoupler's class where its transistor draws so much [A]: it falls with the current."""
    return float(f"{RATIO + FALLS * np.log10(min(pull / PINS[0], 1.0)):.2g}")


def _burns(work: Work, pull: float) -> float:
    """What a pin takes from the regulated output at no load [W]."""
    return work.need.outputs[work.need.main].magnitude * pull / _ratio_at(pull)


def ratio(work: Work) -> Any:
    """Transfer ratio of the optocoupler."""
    amps = float(pull(work).value)
    return work.choose("feedback.ctr", _ratio_at(amps), f"a class of 80 to 160 % at 5 mA, at the {show(amps, 'A')} of the pin (typical, "
                       "from memory)")


def pull(work: Work) -> Any:
    """What the optocoupler's transistor has to draw [A] to stop the pulses."""
    need, usual = work.need, PINS[0]
    if (admitted := need.standby_power_max) is not None:
        others = BESIDE + (0.0 if need.is_dc else inlet.discharge_burns(work))
        fits = next((i for i in PINS if others + _burns(work, i) <= admitted), PINS[-1])
        if fits < usual:
            return work.choose("feedback.i_pin", fits, f"a controller for little no-load power (typical, from memory): {show(usual, 'A')} "
                               f"would burn {show(_burns(work, usual), 'W')} of the {show(admitted, 'W')} admitted")
    return work.choose("feedback.i_pin", usual, "what a controller's feedback pin gives at most (typical, from memory)")


def pin_resistance(work: Work) -> float:
    """Resistance of the controller's pin [Ω], as its pull tells."""
    return float(f"{PIN_VOLTS / float(pull(work).value):.2g}")


def pole(work: Work) -> float:
    """Pole of the coupler itself [Hz] by rule: its transistor's capacitance meets the resistance of the pin."""
    if work.need.insulation == "functional":
        return F_COUPLER  # there is none
    return float(f"{F_COUPLER * min(1.0, PIN_VOLTS / PINS[0] / pin_resistance(work)):.2g}")


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
