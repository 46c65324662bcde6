"""Every winding against every other: leakage and capacitance as tables, against the design's own rows and other routes."""

import re

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.core.design.size import size
from rhevectra.core.formulas import noise
from rhevectra.core.formulas.copper import MU0
from rhevectra.core.magnetics.arrangement import on_primary_side
from rhevectra.core.magnetics.candidate import leakage_of, slabs
from rhevectra.core.magnetics.compare import facing
from rhevectra.core.magnetics.leakage import sparse
from rhevectra.core.magnetics.pairs import pairs
from rhevectra.core.magnetics.transformer import outputs_of
from rhevectra.drawing.pairs import pairs_picture
from rhevectra.project.codec import decode


@pytest.fixture(scope="module")
def made():
    doc = decode(demo.text("logger-rack"), "x")
    return {order: size(doc.requirement, {**doc.decisions, "transformer.arrangement": order}, noise=False)
            for order in ("split", "simple", "shielded")}


def table(d):
    return pairs(d.context["plan"], float(np.max(d.rows["transformer.lp"].value)))


def test_leakage_of_pairs(made):
    """Seen from either side it goes as the square of turns; with all outputs shorted it is that of the ledger, below every pair; a split
    primary leaks less towards every output than a simple one; more distance, more leakage."""
    p, simple = table(made["split"]), table(made["simple"])
    n2 = np.square(p.turns)
    assert p.leakage / n2[:, None] == pytest.approx((p.leakage / n2[:, None]).T, rel=1e-9)
    assert (p.together == pytest.approx(float(made["split"].rows["transformer.leakage_geometric"].value), rel=1e-9)
            and p.together < p.leakage[0, 1:4].min())
    assert np.all(p.share[0, 1:4] < simple.share[0, 1:4])
    assert p.inductance == pytest.approx(float(made["split"].rows["transformer.lp"].value) * n2 / n2[0]) and p.names == ("primary",
        "secondary 1", "secondary 2", "secondary 3", "auxiliary")


def test_capacitance_of_pairs(made):
    """Over the barrier they add up to what the filter counts with (its mean turn within 5 %); a shield parts the sides; neighbours only."""
    d, p = made["split"], table(made["split"])
    plan = d.context["plan"]
    side = [on_primary_side(w.name) for w in plan.need.windings]
    across = sum(p.capacitance[i, j] for i in range(len(side)) for j in range(i) if side[i] != side[j])
    assert across == pytest.approx(
        float(noise.interwinding(**facing(plan.need, plan.choice.trial, (plan.choice.core, plan.choice.candidate), plan.window))), rel=0.05)
    q = table(made["shielded"])
    assert (p.capacitance == pytest.approx(p.capacitance.T)
            and sum(q.capacitance[i, j] for i in range(len(side)) for j in range(i) if side[i] != side[j]) < 0.5 * across)
    assert np.all(np.diag(p.capacitance) == 0)


def test_the_picture_holds_the_tables(made):
    """Every winding and every leakage; the shares where there is room for them."""
    for d in made.values():
        for page in ((130.0, 105.0), (95.0, 70.0)):
            picture, p = pairs_picture(d, d.grid.find(85.0), *page, None), table(d)
            said = [i.text for i in picture.items if hasattr(i, "text")]
            pairs = len(p.names) * (len(p.names) - 1)
            assert all(any(name in t for t in said) for name in p.names) and sum("%" in t for t in said) in (
                (pairs,) if page[0] > 100 else (0, pairs))
            assert sum(re.match(r"[\d.]+ [nµm]?H( |$)", t) is not None for t in said) == pairs + len(p.names)
            assert np.allclose(picture.data["leakage, secondary 2 shorted [H]"], p.leakage[:, 2])
            for item in picture.items:
                for x, y in item.points if hasattr(item, "points") else [(item.x, item.y)]:
                    assert -0.5 <= x <= page[0] + 0.5 and -0.5 <= y <= page[1] + 0.5


@pytest.mark.parametrize("arrangement", ["split", "simple"])
def test_halves_of_a_tap_conduct_one_at_a_time(arrangement):
    """The working leakage against field energy summed in a thousand slices of the stack with one half carrying everything; all shorted, as
    at inspection, reads less."""
    document = decode(demo.text("frost-fans"), "demo")
    d = size(document.requirement, {**document.decisions, "transformer.arrangement": arrangement})
    plan = d.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    stack, width, turns = (slabs(plan.need, plan.choice.trial, at, plan.window), float(plan.window.width[at[0]] - 2 * plan.need.margin),
                           float(plan.choice.trial.turns[0][at]))
    seen = []
    for half in outputs_of(plan.need):
        flow, energy = 0.0, 0.0
        for slab in reversed(stack):
            step = {0: 1.0, half: -1.0}.get(slab.winding, 0.0) * slab.share
            inside = flow + step * (np.arange(1000) + 0.5) / 1000
            energy += MU0 / width * (slab.height * slab.turn * np.mean(inside**2) + slab.below * slab.turn_below * (flow + step) ** 2)
            if slab.wire and slab.winding in (0, half):
                n = plan.choice.trial.turns[slab.winding][at]
                energy += (slab.share * slab.turn
                           * float(sparse(slab.wire, slab.height / slab.layers, slab.layers * width / (slab.share * n * slab.beside)))
                           / (n * slab.beside))
            flow += step
        seen.append(turns**2 * energy)
    worked = float(d.rows["transformer.leakage_geometric"].value)
    assert worked == pytest.approx(np.mean(seen), rel=1e-3)
    assert leakage_of(plan.need, plan.choice.trial, at, plan.window).shorted(0, outputs_of(plan.need))[0] < 0.8 * worked
