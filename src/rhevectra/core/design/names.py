"""What people call the things that files and commands know by a short name."""

import re

from rhevectra.core.stages import CLAMPS, FRONT_ENDS
from rhevectra.core.topologies import TOPOLOGIES


def spoken(name: str, decision: str = "") -> str:
    """A short name in words, as the registries have it; others as they read: `rectifier1` is rectifier 1, `centre_tap` centre tap. decision: whose value it is."""
    if decision == "clamp.kind" and name in CLAMPS:
        return str(CLAMPS[name].SAID)
    words = TOPOLOGIES.said(name) or FRONT_ENDS.said(name) or re.sub(r"(?<=[a-z])(\d)", r" \1", name.replace("_", " "))
    return f"{words[0].upper()}{words[1:]}" if words[1:2] == " " else words
