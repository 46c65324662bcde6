"""Every number a person may pin, at both ends of what is accepted: a design with numbers and findings, in no time to speak of, or one
sentence."""

import time
import warnings

import numpy as np
import pytest

from balances import check_finite
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size

AC, DC = Mains(kind="ac1", v_min=85, v_max=265), Mains(kind="dc", v_min=36, v_max=60)
SLOW = 5.0
"""Seconds: a hundred times what a design takes."""


def need(mains, volts, power):
    return Requirement(mains=mains, outputs=(Output(voltage=volts, current_max=power / volts),),
                       cooling="forced" if power > 250 else "natural", hold_up=0.01 if mains is AC else 0.0)


CASES = [(need(AC, 24, 60), {"topology": "flyback_qr", "front_end": "doubler"}, ""),
         (need(AC, 48, 400), {"topology": "llc_half", "llc.inductor": "leakage", "front_end": "pfc_ccm"}, "llc."),
         (need(DC, 24, 100), {"topology": "push_pull"}, "")]
"""Requirement, pins, and which numbers only: the resonant one takes its time, and has most in common with the others."""


@pytest.mark.parametrize(("asked", "pins", "only"), CASES, ids=lambda x: x["topology"] if isinstance(x, dict) else "")
def test_both_ends_of_every_number(asked, pins, only):
    base, tried = size(asked, pins), 0
    for spec, row in base.decisions():
        if spec.kind not in ("number", "integer") or isinstance(row.value, str) or not spec.id.startswith(only):
            continue
        for value in sorted({spec.low, spec.high} - {float(np.max(row.value))}):
            began = time.perf_counter()
            try:
                made = size(asked, {**pins, spec.id: value}, noise=spec.stage == "inlet", loop=spec.stage == "feedback")
                check_finite(made)
                assert made.feasible or made.findings
            except InputError as refused:
                assert spec.id in str(refused) or "accepted" in str(refused)
            assert time.perf_counter() - began < SLOW, (spec.id, value)
            tried += 1
    assert tried > (10 if only else 40)


@pytest.mark.parametrize(("topology", "volts", "power", "pins"),
                         [("flyback_qr", 2.5, 639, {"pfc.v_bus": 1000}), ("llc_half", 3.3, 892, {"bulk.v_min_stage": 5, "pfc.l": 0.1})])
def test_a_bus_above_every_class_and_a_tank_that_gives_nothing(topology, volts, power, pins):
    """Behind three phases, where no switch holds the bus, or the tank is asked for a hundred times its gain: numbers and what must be
    fixed, without a warning of the arithmetic."""
    asked = need(Mains(kind="ac3", v_min=340, v_max=440), volts, power)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        made = size(asked, {"topology": topology, **pins}, noise=False)
    check_finite(made)
    assert not made.feasible and any(f.severity == MUST_FIX for f in made.findings)
