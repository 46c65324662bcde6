"""Traced chains of formulas: whatever they write down must be what the formulas themselves give."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from requirements import random_requirements
from rhevectra.core.basis.fused import Fused
from rhevectra.core.basis.sheet import Quick
from rhevectra.core.design.size import size
from rhevectra.core.formulas import line_pulse
from rhevectra.core.topologies.flyback import period

A, B = np.linspace(0.5, 3.0, 6), np.linspace(2.0, 1.0, 6)
_STEPS = st.lists(
    st.tuples(st.sampled_from(["add", "subtract", "multiply", "maximum", "minimum", "divide", "where", "sqrt", "square", "negative"]),
              st.integers(0, 99), st.integers(0, 99)), min_size=1, max_size=25)


def chain(steps, fixed, moving):
    """A chain of random operations; every third one on a constant."""
    known = [fixed["a"], fixed["s"], moving["x"], moving["y"]]
    for name, i, j in steps:
        left, right = known[i % len(known)], known[j % len(known)] if j % 3 else float(j % 7 + 1)
        if name == "where":
            known.append(np.where(left < right, right, left * 0.5))
        elif name == "divide":
            known.append(left / (np.square(right) + 1.0))
        elif name == "sqrt":
            known.append(np.sqrt(np.abs(left)) if isinstance(left, np.ndarray | float) else np.sqrt(np.absolute(left)))
        elif name in ("square", "negative"):
            known.append(getattr(np, name)(np.minimum(left, 3.0)))
        else:
            known.append(getattr(np, name)(left, right))
    return {"first": known[4], "last": known[-1] + moving["x"], "fixed": fixed["a"] * 2.0}


@settings(deadline=None, max_examples=60)
@given(_STEPS)
def test_a_traced_chain_gives_what_the_chain_gives(steps):
    """Random chains, run twice with other moving numbers: nothing is kept that should have moved, nothing overwritten that is still
    needed."""
    fused = Fused(lambda f, x: chain(steps, f, x), ("a", "s"), ("x", "y"), ("last",))
    bound = fused.bind({"a": A, "s": 1.7})
    for x, y in ((A, B), (B, A), (A - 4, B * 0.1)):
        want = chain(steps, {"a": A, "s": 1.7}, {"x": x, "y": y})
        with np.errstate(all="ignore"):
            (last,) = bound.once((x, y))
            whole = bound.finish((x, y))
        for name, value in want.items():
            assert np.allclose(whole[name], value, rtol=1e-12, atol=1e-300), name
        assert np.allclose(last, want["last"], rtol=1e-12)


def test_what_does_not_move_is_worked_out_once_and_equal_steps_are_kept_once():
    calls = []

    def function(f, x):
        square = np.square(f["a"]) + np.square(f["a"])
        calls.append(square)
        return {"r": x["x"] * square + x["x"] * square}
    fused = Fused(function, ("a",), ("x",), ("r",))
    assert len(calls) == 1
    for a in (2.0, 3.0):
        assert np.allclose(fused.bind({"a": a}).once((A,))[0], 4 * a * a * A)
    assert fused._once.__code__.co_names.count("multiply") == 1 and "square" not in fused._once.__code__.co_names
    with pytest.raises(TypeError):
        Fused(lambda f, x: {"r": np.linalg.norm(x["x"])}, (), ("x",), ("r",))


@pytest.mark.parametrize("seed", [3, 4, 5])
def test_the_traced_pass_is_the_pass_that_explains_itself(seed):
    """Every number of a traced pass of the flyback against the same formulas called one by one on plain arrays."""
    plan = size(next(iter(random_requirements(seed, 1, (5, 90))))).context["plan"]
    s, before = plan.stage, {k: np.asarray(v) for k, v in plan.state.items()}
    quick = Quick()
    want = period.advance(quick, s, before)
    want |= period._at_turn_on(quick, s, want)
    want |= period._energy(quick, s, want)
    found = period.solve(s, before, passes=1).out
    assert len(found) > 35
    for name in found.keys() & want.keys():
        assert np.allclose(found[name], want[name], rtol=1e-9, atol=1e-18), name


@pytest.mark.parametrize(("inductance", "resistance"), [(1e-4, 3.0), (3e-3, 0.8)], ids=["overdamped", "ringing"])
def test_the_pulse_of_the_bulk_obeys_its_circuit(inductance, resistance):
    """Derivatives of the closed solution, taken numerically, against L·di/dt and C·dv/dt of the circuit with the tangent load."""
    f = {k: np.array([v])
         for k, v in {"crest": 325.0, "omega": 314.0, "power": 70.0, "c": 100e-6, "drop": 1.6, "esr": 0.5, "resistance": resistance + 0.5,
                      "inductance": inductance, "half": 0.01, "floor": 60.0}.items()}
    s = line_pulse.pulse(np.array([260.0]), f)
    assert bool(s.rings[0]) is (inductance > 1e-3)
    tau, h = np.linspace(2e-5, 2e-3, 40), 1e-7
    (v_low, i_low), (v, i), (v_high, i_high) = (line_pulse.solution(tau + d, s, f["omega"], f["c"]) for d in (-h, 0.0, h))
    assert np.allclose((v_high - v_low) / (2 * h), (i - s.pull + s.slope * v) / 100e-6, rtol=2e-5, atol=1.0)
    push = 325.0 * np.sin(314.0 * (s.t0 + tau)) - s.offset - (resistance + 0.5) * i - v
    assert np.allclose(inductance * (i_high - i_low) / (2 * h), push, rtol=1e-4, atol=2e-3)
    start_v, start_i = line_pulse.solution(np.array([0.0]), s, f["omega"], f["c"])
    assert start_v == pytest.approx(260.0, rel=1e-9) and abs(start_i[0]) < 1e-7
