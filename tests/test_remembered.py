"""Answers that are kept: only for the very same numbers, the oldest go first, and a design is the same to the last bit with and without them."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest

from rhevectra.core.basis.remembered import forget, remembered
from rhevectra.core.design.size import size


@dataclass(frozen=True)
class Held:
    at: slice
    values: Any


def test_one_bit_more_is_another_question():
    asked = []

    @remembered(2)
    def total(held: Held, values: Any, share: float = 1.0) -> float:
        asked.append(share)
        return float(np.sum(held.values[held.at]) + share * np.sum(values))
    a, held = np.array([1.0, 2.0]), Held(slice(0, 1), np.array([0.5, 4.0]))
    assert total(held, a) == total(Held(slice(0, 1), np.array([0.5, 4.0])), a.copy()) == 3.5 and len(asked) == 1
    assert total(held, np.array([1.0, np.nextafter(2.0, 3.0)])) > 3.5 and len(asked) == 2
    assert total(Held(slice(0, 2), held.values), a) == 7.5 and len(asked) == 3
    assert total(held, a[:, None]) == 3.5 and len(asked) == 4  # another shape; the first answer is gone by now
    assert total(held, a) == 3.5 and total(held, a) == 3.5 and len(asked) == 5
    assert total(held, a, share=2.0) == 6.5 and len(asked) == 6
    forget()
    assert total(held, a, share=2.0) == 6.5 and len(asked) == 7


@pytest.mark.parametrize("edit", [{"clamp.ratio": 1.8}, {"transformer.arrangement": "simple"}, {"bulk.c": 150e-6}])
def test_a_design_after_another_is_the_same_as_one_alone(demo_design, edit):
    forget()
    alone = size(demo_design.requirement, edit)
    size(demo_design.requirement)
    after = size(demo_design.requirement, edit)
    assert alone.rows.keys() == after.rows.keys() and alone.findings == after.findings
    assert all(np.array_equal(np.asarray(row.value), np.asarray(after.rows[id].value)) for id, row in alone.rows.items())
