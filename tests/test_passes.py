"""Repeated passes of the step-down stages: what is traced is what the formulas give, and what was settled stays where it is."""

import numpy as np
import pytest
from msgspec.structs import replace

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import Quick
from rhevectra.core.design.size import size
from rhevectra.core.topologies.buck_aux import stage as buck
from rhevectra.core.topologies.common import passes
from rhevectra.core.topologies.stepdown import secondary
from rhevectra.core.topologies.stepdown import stage as stepdown

NEED = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12, current_max=15),), insulation="functional",
                   harmonics_class="none")
CASES = [("forward_reset", {}), ("forward_2sw", {"rectifier.snubber": "rc"}), ("forward_active_clamp", {}),
         ("push_pull", {"secondary.kind": "bridge"}), ("half_bridge", {"primary.snubber": "rc"}),
         ("full_bridge", {"secondary.kind": "doubler"}), ("psfb", {}), ("psfb", {"secondary.kind": "bridge"}), ("buck_aux", {})]


@pytest.fixture(scope="module", params=CASES, ids=lambda case: "-".join((case[0], *case[1].values())))
def settled(request):
    """(advance, stage as the passes see it, mappings read, what is carried, state)."""
    topology, pins = request.param
    plan = size(NEED, {"topology": topology, **pins}).context["plan"]
    if topology == "buck_aux":
        return buck.advance, plan.stage, ("limit",), buck._CARRIED, plan.state
    return stepdown.advance, secondary.seen_numbers(plan.stage), ("limit", "extra"), stepdown._carried(plan.stage.variant), plan.state


def test_a_traced_pass_gives_what_the_formulas_give(settled):
    """From the settled state and from others far away, where other branches hold: every value handed on, to rounding."""
    advance, stage, reads, carried, state = settled
    numbers, kinds = passes._apart(stage, reads)
    run = passes._traced(advance, type(stage), tuple(numbers), reads, kinds, tuple(carried)).bind(numbers)
    for scale in (1.0, 0.02, 3.0):
        begin = {k: np.asarray(x) * (scale if carried[k] == "A" else 1.0) for k, x in state.items()}
        want = advance(Quick(), stage, begin)
        *got, crest = run.once(list(begin.values()))
        for k, value in zip(carried, got, strict=True):
            there = want[passes._NEXT.get(k, k)]
            assert np.allclose(value, there, rtol=1e-12, atol=1e-15), (k, scale)
        assert np.allclose(crest, want["crest"], rtol=1e-12)


def test_what_settled_stays_where_it_is(settled):
    """Ten more passes by the formulas themselves move no current by a thousandth of the crest."""
    advance, stage, _reads, carried, state = settled
    now = dict(state)
    for _ in range(10):
        out = advance(Quick(), stage, now)
        now = {k: out[passes._NEXT.get(k, k)] for k in carried}
    for k, unit in carried.items():
        if unit == "A":
            assert np.max(np.abs(now[k] - state[k]) / out["crest"]) < 1e-3, k


def test_another_stage_of_the_same_kind_is_not_traced_again(settled):
    """The trace belongs to the kind of stage: other numbers use it again, and still give their own results."""
    advance, stage, reads, carried, state = settled
    if advance is buck.advance:
        other = replace(stage, v_out=stage.v_out * 0.5)
    else:
        other = replace(stage, leakage=stage.leakage * 2, v_forward=stage.v_forward + 0.2)
    (one, kinds), (two, same) = (passes._apart(s, reads) for s in (stage, other))
    assert passes._traced(advance, type(stage), tuple(one), reads, kinds, tuple(carried)) is passes._traced(advance, type(other),
        tuple(two), reads, same, tuple(carried))
    want = advance(Quick(), other, state)
    *got, _crest = passes._traced(advance, type(other), tuple(two), reads, same, tuple(carried)).bind(two).once(list(state.values()))
    assert np.allclose(got[0], want["next_mid"], rtol=1e-12) and not np.allclose(got[0], advance(Quick(), stage, state)["next_mid"],
        rtol=1e-9)
