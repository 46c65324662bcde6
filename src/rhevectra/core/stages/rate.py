"""The tolerance of an oscillator: at its low end every period is longer, and currents and flux swing further."""

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.sheet import Row
from rhevectra.core.stages.work import Work

ID, FRONT = "switch.fs_tolerance", "pfc.fs_tolerance"
"""Of the power stage's oscillator, and of that of a power factor stage."""


def decision(id: str, stage: str, label: str = "Frequency tolerance") -> DecisionSpec:
    """The tolerance of one oscillator as a decision."""
    return DecisionSpec(id, label, stage, low=0.0, high=0.3,
                        schools="5 to 7 %: set inside the controller, its jitter with it; 10 to 15 %: by a resistor and a capacitor of "
                        "one's own")


def choose(work: Work, id: str = ID) -> Row:
    """The tolerance, by rule or pin."""
    return work.choose(id, 0.06, "an oscillator inside the controller over temperature, with its jitter (typical, from memory)")
