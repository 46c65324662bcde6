"""What refuses a candidate of a search: the limit it exceeds by the most, in words."""

from collections.abc import Mapping

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show

Limits = Mapping[str, tuple[Array, Array, str]]
"""Sentence with {v} for the value and {l} for its limit -> values and limits of all candidates, and their unit."""


def told(limits: Limits, over: Array, at: tuple[int, ...]) -> str:
    """The limit that the candidate at a place exceeds by the most. over: by how much each is exceeded (limits, …)."""
    text, (value, top, unit) = list(limits.items())[int(np.argmax([each[at] for each in over]))]
    return text.format(v=show(abs(float(value[at])), unit, 3), l=show(abs(float(top[at])), unit, 3))
