"""Brown-out and brown-in: thresholds of the bus, against the bulk solved at other lines, and their divider by nodal analysis."""

import random
from dataclasses import replace

import numpy as np
import pytest

from balances import check_finite
from rhevectra import demo
from rhevectra.bench.bringup import plan
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.formulas.rectifier import solve_bulk
from rhevectra.project.codec import decode


def made(need, **pins):
    return size(need, {k.replace("__", "."): v for k, v in pins.items()}, noise=False)


def number(d, id):
    return float(d.rows[id].value)


@pytest.fixture(scope="module")
def hide():
    return made(decode(demo.text(), "demo").requirement)


def test_the_crest_a_let_go_load_leaves(hide):
    """The bulk with what is left of it solved line by line (second route): at the line where full load reaches the highest brown-out, the
    crest without load is the one told, within 1 %; a supply whose brown-in lies below that starts again, and the finding says so."""
    plan_, need = hide.context["front"], hide.requirement
    c, power = 0.8 * float(plan_.c.value), float(np.max(hide.rows["bulk.p_load"].at(hide.grid.find(85.0).index)))
    valley = lambda v: float(solve_bulk(v, need.mains.f_min, power, c, plan_.source).v_valley)  # noqa: E731
    low, high = 60.0, 85.0
    for _ in range(40):
        mid = 0.5 * (low + high)
        low, high = (low, mid) if valley(mid) > number(hide, "brown.out_most") else (mid, high)
    assert float(solve_bulk(low, need.mains.f_min, 1e-3, c, plan_.source).v_peak) == pytest.approx(number(hide, "brown.v_again"), rel=0.01)
    early = made(need, brown__v_in=0.95 * number(hide, "brown.v_again"), brown__v_out=number(hide, "brown.v_out"))
    assert [f.cure for f in early.findings if f.figure == "brown.in_least"] == ["brown.v_in"]


def test_the_divider_meets_both_thresholds(hide):
    """Nodal analysis at the pin (second route): on a rising bus the pin draws its current until it is met, on a falling one nothing."""
    low, pin, draws = (number(hide, f"brown.{k}") for k in ("r_low", "v_pin", "i_hysteresis"))
    top = number(hide, "brown.r_high" if "brown.r_high" in hide.rows else "bulk.r_bleed")
    at = lambda bus, current: (bus / top - current) / (1 / top + 1 / low)  # noqa: E731
    assert at(number(hide, "brown.v_set"), 0.0) == pytest.approx(pin) and at(number(hide, "brown.v_in"), draws) == pytest.approx(pin)
    spread = number(hide, "brown.tolerance")
    assert number(hide, "brown.out_most") == pytest.approx((1 + spread) * number(hide, "brown.v_set"))
    assert number(hide, "brown.in_least") == pytest.approx((1 - spread) * number(hide, "brown.v_in"))


@pytest.mark.parametrize("kind", ["wide", "europe", "doubled", "corrected", "phases", "battery", "link"])
def test_the_rule_leaves_nothing_to_find(kind):
    """Over random supplies: hold-up and the valley at the lowest line are kept, the lowest line starts it, no start that is let go again;
    the thresholds stand in their order."""
    rng = random.Random(kind)
    mains = {"wide": Mains(kind="ac1", v_min=85, v_max=265), "europe": Mains(kind="ac1", v_min=195, v_max=265),
             "doubled": Mains(kind="ac1", v_min=90, v_max=135), "corrected": Mains(kind="ac1", v_min=85, v_max=265),
             "phases": Mains(kind="ac3", v_min=360, v_max=440, nominals=(400.0,)), "battery": Mains(kind="dc", v_min=18, v_max=36),
             "link": Mains(kind="dc", v_min=360, v_max=400)}[kind]
    for _ in range(3 if kind in ("corrected", "phases") else 6):
        watts, volts = rng.uniform(5, 120), rng.choice((5.0, 12.0, 24.0))
        if kind == "battery":
            low = round(rng.uniform(10.0, 45.0), 1)
            mains = Mains(kind="dc", v_min=low, v_max=1.8 * low)
        need = Requirement(mains=mains, outputs=(Output(voltage=volts, current_max=watts / volts),), harmonics_class="none",
                           hold_up=rng.choice((0.0, 0.01)) if mains.kind == "ac1" else 0.0)
        d = made(need, **{"doubled": {"front_end": "doubler"}, "corrected": {"front_end": "pfc_crm"}}.get(kind, {}))
        check_finite(d)
        assert not [f.text for f in d.findings if f.figure.startswith("brown.") and f.severity != "note"], (watts, volts)
        least, again, start = (number(d, f"brown.{k}") for k in ("in_least", "v_again", "in_most"))
        assert number(d, "brown.out_least") < number(d, "brown.out_most") <= again * (1 + 1e-9) and again <= least < start
        crest = mains.v_min if mains.kind == "dc" else np.sqrt(2) * mains.v_min * (2 if kind == "doubled" else 1)
        assert 0.9 * crest < start < crest
        if need.hold_up and "pfc.v_bus" not in d.rows:
            assert number(d, "brown.out_most") <= number(d, "bulk.v_min_stage")


def test_what_the_thresholds_miss_is_told(hide):
    """A brown-in above the crest of the lowest line must be fixed: it never starts there; a brown-out above the end of hold-up is to be
    looked at; a comparator of 10 % leaves no window for both."""
    need = hide.requirement
    never = made(need, brown__v_in=118.0)
    assert [f.severity for f in never.findings if f.figure == "brown.in_most"] == ["must fix"] and not never.feasible
    soon = made(need, brown__v_out=number(hide, "bulk.v_min_stage"))
    assert [f.severity for f in soon.findings if f.figure == "brown.out_most"] == ["look at"]
    wide = made(need, brown__tolerance=0.10, brown__v_out=number(hide, "brown.v_out"))
    assert any(f.figure == "brown.in_least" for f in wide.findings)
    assert number(made(need, brown__tolerance=0.10), "brown.v_set") < number(hide, "brown.v_set")


def test_what_the_divider_burns(hide):
    """Beside a resistor that starts the controller it is a path of its own, whose loss counts; where a cell starts it, the path that senses
    the bus already is its upper resistor. Before a power factor stage it lies across the rectified line."""
    need = replace(hide.requirement, outputs=(Output(voltage=12.0, current_max=2.0),))
    by_resistor, by_cell = (made(need, start__path=kind) for kind in ("resistor", "cell"))
    at = by_resistor.grid.find(265.0).index
    assert float(by_resistor.rows["loss.brown_out"].at(at)) == pytest.approx(
        float(by_resistor.rows["bus.v"].at(at)) ** 2 / number(by_resistor, "brown.r_high"))
    assert "brown_out" in by_resistor.losses and "brown_out" not in by_cell.losses and "brown.r_high" not in by_cell.rows
    power_factor = made(replace(need, outputs=(Output(voltage=24.0, current_max=10.0),), harmonics_class="D"))
    assert [f.severity for f in power_factor.findings if f.figure == "brown.out_most"] == ["note"]  # it has to outlast the hold-up
    at = power_factor.grid.find(265.0).index
    assert "pfc.v_bus" in power_factor.rows and float(power_factor.rows["loss.brown_out"].at(at)) == pytest.approx(
        265.0**2 / number(power_factor, "brown.r_high"))


def test_the_bench_reads_both(hide):
    checks = {c.name: c for step in plan(hide) for c in step.checks}
    assert checks["Brown-out"].low < number(hide, "brown.out_least") < number(hide, "brown.out_most") < checks["Brown-out"].high
    assert checks["Brown-in"].low < number(hide, "brown.in_least") < number(hide, "brown.in_most") < checks["Brown-in"].high
