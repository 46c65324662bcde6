"""Synchronous switches: their number and gate voltage by loss over the load, by a search of its own and by what the design then says."""

import re

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.cost import cost_index
from rhevectra.core.design.size import size
from rhevectra.core.formulas import synchronous as sync
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common import synchronous

ROWS = [r for r in shipped()["rectifiers"].rows if r["kind"] == "synchronous"]
LOW = Requirement(mains=Mains(kind="dc", v_min=360, v_max=400), outputs=(Output(voltage=5, current_max=60),), cooling="forced")


def by_hand(row, amps, volts, fs, n, v):
    """Mean loss of two positions over four loads, written out."""
    r = row["r_dynamic_ohm"] * (0.7 + 0.3 * 8.2 / (v - 1.8)) / n
    drive = 2 * n * row["q_gate_c"] * v / 10 * max(v, volts) * fs
    return sum((1.5 * k * amps) ** 2 * r + drive for k in (0.1, 0.25, 0.5, 1.0)) / 4


@pytest.mark.parametrize("row", ROWS, ids=lambda r: r["name"])
@pytest.mark.parametrize(("amps", "volts", "fs"), [(5.0, 5.0, 100e3), (30.0, 12.0, 100e3), (60.0, 3.3, 400e3)])
def test_the_number_is_that_after_which_one_more_saves_too_little(row, amps, volts, fs):
    """A search over all numbers and gate voltages with the loss written out: no other gate is better, the last added switch saved more than
    a quarter of a watt, the next would not."""
    n, v = synchronous.best(row, amps, volts, fs, 2)
    table = {k: min((by_hand(row, amps, volts, fs, k, g), g) for g in (5.0, 8.0, 10.0, 12.0)) for k in range(1, 8)}
    least = min(max(int(np.ceil(2 * amps / row["i_rated_a"])), 1), 6)
    assert v == table[n][1] and n >= least
    assert n == least or table[n - 1][0] - table[n][0] > 0.25
    assert n == 6 or table[n][0] - table[n + 1][0] <= 0.25


def test_faster_switching_asks_for_fewer_and_less_drive():
    """Common practice, no source: gate drive grows with frequency, conduction does not."""
    row = next(r for r in ROWS if r["v_class_v"] == 40)
    slow, fast = (synchronous.best(row, 20.0, 5.0, f, 2) for f in (50e3, 2e6))
    assert fast[0] < slow[0] and fast[1] < slow[1]


def test_resistance_and_charge_at_full_drive_are_those_of_the_class():
    assert (sync.resistance(4e-3, 0.3, 1.8, 10.0, 1) == pytest.approx(4e-3)
            and sync.gate_charge(1, 80e-9, 10.0, 12.0) == pytest.approx(80e-9))
    assert (sync.gate_charge(1, 80e-9, 10.0, 5.0) * 5.0
            == pytest.approx(80e-9 * 10.0)), "charge through 10 V costs that power whatever the output is"


def test_a_design_carries_what_was_chosen():
    """60 A at 5 V: several side by side; loss, rating and circuit are those of all together; one alone is refused and dearer in watts,
    cheaper in parts."""
    pins = {"topology": "full_bridge", "secondary.kind": "doubler"}
    many, single = size(LOW, pins), size(LOW, {**pins, "rectifier1.parallel": 1})
    n, row = int(many.rows["rectifier1.parallel"].value), many.catalogue["rectifiers"].row(str(many.rows["rectifier1.class"].value))
    v = float(many.rows["rectifier.v_gate"].value)
    assert many.feasible and n > 1 and row["kind"] == "synchronous"
    assert many.rows["rectifier.r_dynamic"].value == pytest.approx(row["r_dynamic_ohm"] * (0.7 + 0.3 * 8.2 / (v - 1.8)) / n)
    assert many.rows["rectifier1.i_limit"].value == pytest.approx(n * row["i_rated_a"] / 2)
    circuit = TOPOLOGIES["full_bridge"].circuit(many, many.grid.find(360.0))
    written = next(float(re.search(r"RS=([\d.e-]+)", m).group(1)) for m in circuit.models if "DOUT" in m)
    assert written == pytest.approx(many.rows["rectifier.r_dynamic"].value, rel=1e-5)
    bills = [TOPOLOGIES["full_bridge"].bill(d) for d in (many, single)]
    assert bills[0]["rectifiers"][0][1] == 2 * n and cost_index(many, bills[0]) > cost_index(single, bills[1])
    assert single.value("efficiency") < many.value("efficiency")


def test_every_gate_voltage_can_be_pinned():
    low, high = (size(LOW, {"topology": "half_bridge", "rectifier.v_gate": v}) for v in (5.0, 12.0))
    assert low.rows["rectifier.v_gate"].value == 5.0 and high.rows["rectifier.v_gate"].value == 12.0
    assert (low.rows["rectifier.r_dynamic"].value * int(low.rows["rectifier1.parallel"].value) > high.rows["rectifier.r_dynamic"].value
            * int(high.rows["rectifier1.parallel"].value))


def test_diodes_stand_side_by_side_only_where_no_single_one_does():
    """36 V 50 A from 36 to 75 V: no class above 300 V carries it; several do, each with four fifths of its rating, and half the average of
    the output through each position stays below half of all ratings; the loss falls with their resistance only. At 10 A one does."""
    dc = Mains(kind="dc", v_min=36, v_max=75)
    strong, weak = (
        size(Requirement(mains=dc, outputs=(Output(voltage=36, current_max=amps),), cooling="forced"), {"topology": "full_bridge"},
             noise=False) for amps in (50.0, 7.0))
    row = strong.catalogue["rectifiers"].row(str(strong.value("rectifier1.class")))
    n = int(strong.rows["rectifier1.parallel"].value)
    assert row["kind"] != "synchronous" and n == int(np.ceil(50.0 / (0.8 * row["i_rated_a"]))) > 1
    assert (strong.feasible and strong.value("rectifier1.i_avg") == pytest.approx(25.0, rel=0.02)
            and strong.figure("rectifier1.i_avg").limit == pytest.approx(n * row["i_rated_a"] / 2))
    assert float(strong.rows["rectifier.r_dynamic"].value) == pytest.approx(row["r_dynamic_ohm"] / n)
    assert int(weak.rows["rectifier1.parallel"].value) == 1 and weak.feasible
    one = size(strong.requirement, {"topology": "full_bridge", "rectifier1.parallel": 1}, noise=False)
    assert any(f.figure == "rectifier1.i_avg" and f.cure == "rectifier1.parallel" for f in one.findings)
