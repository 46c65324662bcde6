"""What people call the things that files and commands know by a short name, and how a decision reads."""

import re

import numpy as np

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.stages import CLAMPS, FRONT_ENDS
from rhevectra.core.topologies import TOPOLOGIES


def spoken(name: str, decision: str = "") -> str:
    """A short name in words, as the registries have it; others as they read: `rectifier1` is rectifier 1, `centre_tap` centre tap.
    decision: whose value it is."""
    if decision == "clamp.kind" and name in CLAMPS:
        return CLAMPS.said(name)
    words = TOPOLOGIES.said(name) or FRONT_ENDS.said(name) or re.sub(r"(?<=[a-z])(\d)", r" \1", name.replace("_", " "))
    return f"{words[0].upper()}{words[1:]}" if words[1:2] == " " else words


def in_words(spec: DecisionSpec) -> bool:
    """Whether the options of a decision are short names of ours, shown in words. Parts and texts of one's own stand as they are."""
    return bool(spec.options) and spec.own is None


def amount(spec: DecisionSpec, value: float) -> str:
    """A number that was decided, as people read it."""
    return f"{value:.0f}" if spec.kind == "integer" else f"{100 * value:.3g} %" if spec.percent else show(value, spec.unit)


_GIVEN = {"c": "capacitance", "f": "frequency", "i_crest": "crest at the least limit", "i_load": "load", "i_out": "output current",
          "i_seen": "current of all outputs", "i_supply": "supply current", "i_top": "current handed over",
          "l_apart": "leakage to the outputs", "line": "line voltage", "rate": "pulses a second",
          "v_forward": "drop of the rectifier", "v_out": "output voltage", "v_up": "voltage of a pulse before the filter"}


def given_as(name: str) -> str:
    """What a number without a label of its own is called where another was solved from it."""
    return _GIVEN.get(name, name.replace("_", " "))


def decided(spec: DecisionSpec, row: Row) -> str:
    """A decision's value as people read it."""
    if isinstance(row.value, str):
        return spoken(row.value, spec.id) if in_words(spec) else row.value
    return amount(spec, float(np.asarray(row.value)))


def made_by(row: Row) -> str:
    """Who made a decision: the rule, a reading, or you."""
    return {"pinned": "you", "measured": "measured"}.get(row.origin, "rule")
