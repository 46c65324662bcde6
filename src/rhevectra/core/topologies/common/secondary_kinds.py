"""Kinds of secondary of a core driven both ways: centre tap, bridge, current doubler, and which is usual."""

from rhevectra.core.stages.work import Work

TAP, BRIDGE, DOUBLER = ("centre_tap", "bridge", "doubler")
BRIDGE_FROM = 60.0
"""Output voltage [V] from which a bridge, whose rectifiers block half as much, is the usual choice (common practice)."""
RECTIFIERS = {TAP: 2, BRIDGE: 4, DOUBLER: 2}


def choose(work: Work) -> str:
    """The kind: a tap unless the output voltage asks for a bridge."""
    volts = work.need.outputs[work.need.main].magnitude
    usual = BRIDGE if volts >= BRIDGE_FROM else TAP
    return str(work.choose("secondary.kind", usual,
                           {TAP: "one rectifier in the path (common practice)",
                            BRIDGE: "rectifiers block half as much as those of a tap (common practice)"}[usual]).value)
