"""The divider of the regulated output: resistors to be bought, and the output they set."""

from dataclasses import replace

import numpy as np
import pytest

from balances import check_finite
from rhevectra.app.parts import rows
from rhevectra.core.basis.requirement import Output
from rhevectra.core.design.size import size
from rhevectra.core.topologies.common.divider import BIAS, reference

E24 = (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
"""IEC 60063, typed from memory."""
E96 = [round(100 * 10 ** (k / 96)) for k in range(96)]


def made(need, **pins):
    return size(need, {k.replace("__", "."): v for k, v in pins.items()}, noise=False)


def with_output(need, volts):
    return replace(need, outputs=(Output(voltage=volts, current_max=30.0 / volts),))


def to_be_bought(r):
    digits = r / 10 ** np.floor(np.log10(r))
    return min(abs(digits * 100 - e) for e in (*E96, *(10 * e for e in E24))) < 1e-6


@pytest.mark.parametrize("volts", [3.3, 5.0, 12.0, 24.0, 48.0])
def test_the_pair_sets_the_output(demo_document, volts):
    """Both are members of E24 or E96, Kirchhoff at the reference's input gives the output within four thousandths, a quarter of a milliampere flows within half as much again; the reference is at most half the output; the parts list tells both."""
    d = made(with_output(demo_document.requirement, volts))
    low, high, v_ref = (float(d.rows[f"feedback.{k}"].value) for k in ("r_low", "r_high", "v_ref"))
    assert to_be_bought(low) and to_be_bought(high)
    node = np.linalg.solve([[1 / high]], [[v_ref / low + v_ref / high + BIAS]])[0, 0]  # what has to stand above for the node to be at the reference
    assert float(d.value("feedback.v_set")) == pytest.approx(node) and abs(node / volts - 1) < 4e-3
    assert 0.25e-3 / 1.6 < v_ref / low < 0.25e-3 * 1.6 and v_ref == reference(volts) <= 0.5 * volts
    bought = {kind: value for kind, value, _ in rows(d)}
    assert {"divider, upper resistor", "divider, lower resistor"} <= set(bought)
    check_finite(d)


def test_one_of_them_given_goes_with_what_suits_it(demo_document):
    """A lower one of 2.49 kΩ asks for ten times the current; both given stay, and what they miss counts in the output error."""
    need = demo_document.requirement
    d = made(need, feedback__r_low=2490.0)
    assert float(d.rows["feedback.r_low"].value) == 2490 and float(d.value("feedback.v_set")) == pytest.approx(24.0, rel=0.013)
    off = made(need, feedback__r_low=2490.0, feedback__r_high=20e3)
    set_to = 2.495 * (1 + 20e3 / 2490) + 2e-6 * 20e3
    assert float(off.value("feedback.v_set")) == pytest.approx(set_to)
    more = float(off.value("feedback.error")) - float(d.value("feedback.error"))
    assert more == pytest.approx(abs(set_to / 24 - 1) - abs(float(d.value("feedback.v_set")) / 24 - 1), abs=2e-4)
    assert any(f.figure == "feedback.error" and f.cure.startswith("feedback.") for f in off.findings)


def test_every_corner_of_the_tolerances(demo_document):
    """All sixteen corners of reference, both resistors and the input current, tried one by one: the error told is no less than the worst, and by no more than a thirtieth of it more."""
    d = made(demo_document.requirement)
    low, high = (float(d.rows[f"feedback.{k}"].value) for k in ("r_low", "r_high"))
    signs = np.array(np.meshgrid(*[(-1, 1)] * 4)).reshape(4, -1)
    out = 2.495 * (1 + 0.01 * signs[0]) * (1 + high * (1 + 0.01 * signs[1]) / (low * (1 + 0.01 * signs[2]))) + (2e-6 + 1e-6 * signs[3]) * high
    worst = float(np.abs(out / 24 - 1).max())
    assert worst <= float(d.value("feedback.error")) < 1.034 * worst
