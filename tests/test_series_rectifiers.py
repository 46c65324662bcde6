"""Rectifiers in series, where no class holds the voltage alone. Their exact and simulated periods are among those of test_netlist."""

from dataclasses import replace

import numpy as np
import pytest

from balances import check_drawn, check_finite, whole
from rhevectra.app.parts import rows as parts_list
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.size import size
from rhevectra.core.topologies.common.rectifiers import in_series
from rhevectra.core.topologies.common.snubbing import junction

BATTERY = Requirement(mains=Mains(kind="dc", v_min=10, v_max=16), outputs=(Output(voltage=450, current_max=0.2),))
"""A flash or a bus from a battery (invented)."""
POSITIONS = {"flyback": 1, "push_pull": 4, "full_bridge": 4, "forward_active_clamp": 2}


@pytest.mark.parametrize("topology", POSITIONS)
def test_as_few_as_hold_it(topology):
    """450 V from a battery: a class of 1200 V, derated, holds none of these alone. So many are in series that each holds its share, counted
    with 80 % of its voltage, and one fewer of the highest class would not; every one has its own drop; the parts list counts them all."""
    d = size(BATTERY, {"topology": topology})
    row, count = shipped()["rectifiers"].row(d.value("rectifier1.class")), int(d.value("rectifier1.series"))
    highest, most = max(r["v_class_v"] for r in shipped()["rectifiers"].rows), d.value("rectifier1.v_reverse")
    assert d.feasible and count > 1 and most > 0.8 * highest and most > (count - 1) * 0.8 * 0.8 * highest * (count > 2)
    assert most <= float(d.rows["rectifier1.v_limit"].value) == pytest.approx(count * 0.8 * 0.8 * row["v_class_v"])
    corner = d.figure("rectifier1.loss").corner
    rms, mean = (float(d.rows[f"rectifier1.{x}"].at(corner.index)) for x in ("i_rms", "i_avg"))
    one = row["v_forward_v"] * mean + row["r_dynamic_ohm"] * rms**2
    assert d.value("rectifier1.loss") == pytest.approx(count * one, rel=1e-3)
    assert (f"{row['name']}", count * POSITIONS[topology]) in {(what, n) for kind, what, n in parts_list(d) if kind == "rectifier"}
    assert any("in series share their voltage" in f.text for f in d.findings)
    check_finite(d)
    check_drawn(d, corner)


def test_one_where_a_class_holds_it():
    d = size(replace(BATTERY, outputs=(Output(voltage=150, current_max=0.5),)), {"topology": "push_pull"})
    assert d.value("rectifier1.series") == 1 and not any("in series share" in f.text for f in d.findings)


def test_a_number_that_does_not_do_is_told():
    """Pinned to one, its voltage stands over its class, and freeing the pin is the cure; pinned to more than is needed, it burns more."""
    one = size(BATTERY, {"topology": "push_pull", "rectifier1.series": 1}, noise=False)
    assert [f.cure for f in one.findings if f.figure == "rectifier1.v_reverse"] == ["rectifier1.series"] and not one.feasible
    usual, more = (size(BATTERY, {"topology": "push_pull", "rectifier1.class": "fast-1200V-8A", **pins}, noise=False)
                   for pins in ({}, {"rectifier1.series": 4}))
    assert usual.feasible and more.feasible and more.value("rectifier1.loss") > 1.8 * usual.value("rectifier1.loss")
    run = np.broadcast_to(more.grid.where(lambda p: p.case == "run" and p.load > 0), more.grid.shape)
    assert (whole(more, more.rows["rectifier1.v_reverse"])[run] < more.rows["rectifier1.v_limit"].value).all()


def test_several_as_one():
    """Capacitances and thermal resistances of like parts in series."""
    row = shipped()["rectifiers"].row("fast-1200V-8A")
    three = in_series(row, 3)
    assert junction(three) == pytest.approx(junction(row) / 3)
    assert three["r_junction_case_k_w"] == pytest.approx(row["r_junction_case_k_w"] / 3)
    assert in_series(row, 1) is row
