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
    """Both are members of E24 or E96, Kirchhoff at the reference's input gives the output within four thousandths, a quarter of a
    milliampere flows within half as much again; the reference is at most half the output; the parts list tells both."""
    d = made(with_output(demo_document.requirement, volts))
    low, high, v_ref = (float(d.rows[f"feedback.{k}"].value) for k in ("r_low", "r_high", "v_ref"))
    assert to_be_bought(low) and to_be_bought(high)
    node = np.linalg.solve([[1 / high]],
                           [[v_ref / low + v_ref / high + BIAS]])[0, 0]  # what has to stand above for the node to be at the reference
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
    grades = {"feedback__resistor_tolerance": 0.01, "feedback__reference_tolerance": 0.01, "feedback__resistor_drift": 100.0,
              "feedback__reference_drift": 100.0}
    d, off = made(need, feedback__r_low=2490.0, **grades), made(need, feedback__r_low=2490.0, feedback__r_high=20e3, **grades)
    set_to = 2.495 * (1 + 20e3 / 2490) + 2e-6 * 20e3
    assert float(off.value("feedback.v_set")) == pytest.approx(set_to)
    more = float(off.value("feedback.error")) - float(d.value("feedback.error"))
    assert more == pytest.approx(abs(set_to / 24 - 1) - abs(float(d.value("feedback.v_set")) / 24 - 1), abs=2e-4)
    assert any(f.figure == "feedback.error" and f.cure.startswith("feedback.") for f in off.findings)


def test_the_grades_are_the_cheapest_that_keep_the_tolerance(demo_document):
    """1 % parts for 5 %; a reference of half a per cent for 3.6 %; resistors of a thousandth beside it for 2 %; what is pinned stays, and
    what even the tightest leave is told with a decision to change. The errors by trying every corner of the tolerances."""
    def asked(tolerance, **pins):
        need = demo_document.requirement
        return made(replace(need, outputs=(Output(voltage=20.0, current_max=1.5, tolerance=tolerance),)), **pins)

    def grades(d):
        return tuple(float(d.rows[f"feedback.{part}_tolerance"].value) for part in ("reference", "resistor"))

    def worst(d, reference, resistor):
        low, high = (float(d.rows[f"feedback.{k}"].value) for k in ("r_low", "r_high"))
        reference, resistor = reference + 100e-6 * 35, resistor + (100e-6 if resistor > 0.001 else 25e-6) * 35  # −10 to 50 + 10 °C
        ratio = lambda b: 1 + high * (1 + b * resistor) / (low * (1 - b * resistor))  # noqa: E731
        return max(abs(2.495 * (1 + a * reference) * ratio(b) + (2e-6 + c * 1e-6) * high - 20) / 20
                   for a in (-1, 1) for b in (-1, 1) for c in (-1, 1))
    steps = [asked(0.05), asked(0.036), asked(0.02)]
    assert [grades(d) for d in steps] == [(0.01, 0.01), (0.005, 0.01), (0.005, 0.001)]
    for d, tolerance, cheaper in zip(steps, (0.05, 0.036, 0.02), (None, (0.01, 0.01), (0.005, 0.01)), strict=True):
        assert worst(d, *grades(d)) <= tolerance and (cheaper is None or worst(d, *cheaper) > tolerance)
        assert not any(f.figure == "feedback.error" for f in d.findings)
    assert grades(asked(0.036, feedback__resistor_tolerance=0.05)) == (0.002, 0.05)
    never = asked(0.005)
    told = next(f for f in never.findings if f.figure == "feedback.error")
    assert (told.cure == "feedback.reference_tolerance"
            and float(made(never.requirement, feedback__reference_tolerance=0.001).value("feedback.error"))
            < float(never.value("feedback.error")))
    assert (("reference of the output", "2.495 V, 0.5 %", 1) in rows(steps[1])
            and ("divider, upper resistor", "0.1 %") in [(kind, value.split(", ")[-1]) for kind, value, _ in rows(steps[2])])


def test_every_corner_of_the_tolerances(demo_document):
    """All sixteen corners of reference, both resistors and the input current at both ends of the temperature, tried one by one: the error
    told is no less than the worst, and by no more than a thirtieth of it more. It grows with what the air in the case is warmer by."""
    d = made(demo_document.requirement)
    low, high = (float(d.rows[f"feedback.{k}"].value) for k in ("r_low", "r_high"))
    signs = np.array(np.meshgrid(*[(-1, 1)] * 4)).reshape(4, -1)

    def worst(hot):
        e = 0.01 + 100e-6 * np.maximum(hot - 25.0, 25.0 + 10.0)  # the demo: −10 to 50 °C
        out = 2.495 * (1 + e * signs[0]) * (1 + high * (1 + e * signs[1]) / (low * (1 + e * signs[2]))) + (2e-6 + 1e-6 * signs[3]) * high
        return float(np.abs(out / 24 - 1).max())
    assert worst(60.0) <= float(d.value("feedback.error")) < 1.034 * worst(60.0)
    closed = made(demo_document.requirement, air__rise=40.0, feedback__reference_tolerance=0.01,
                  feedback__resistor_tolerance=0.01, feedback__reference_drift=100.0, feedback__resistor_drift=100.0)
    assert worst(90.0) <= float(closed.value("feedback.error")) < 1.034 * worst(90.0) and worst(90.0) > 1.1 * worst(60.0)
    assert float(made(demo_document.requirement, feedback__reference_drift=30.0).value("feedback.error")) == pytest.approx(
        float(d.value("feedback.error")) - 70e-6 * 35)


def test_the_statistical_error_by_samples(demo_document):
    """Reference, resistors, their temperature coefficients and the input current as independent normals of three sigma, half a million
    samples at the far end of the temperature (second route)."""
    d = made(demo_document.requirement)
    low, high = (float(d.rows[f"feedback.{k}"].value) for k in ("r_low", "r_high"))
    a, b, c, i, ta, tb, tc = np.random.default_rng(3).normal(0, 1 / 3, (7, 500_000))
    t = 100e-6 * 35
    out = (2.495 * (1 + 0.01 * a + t * ta) * (1 + high * (1 + 0.01 * b + t * tb) / (low * (1 + 0.01 * c + t * tc)))
           + (2e-6 + 1e-6 * i) * high)
    off = float(d.value("feedback.off"))
    assert float(d.value("feedback.error_statistical")) - off == pytest.approx(3 * np.std(out / 24), rel=0.02)
