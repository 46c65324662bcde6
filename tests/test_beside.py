"""Switches side by side: against a class of one's own that is all of them in one package, and against a current divided by conductances."""

import numpy as np
import pytest

from rhevectra.app import parts
from rhevectra.core.basis.corners import FULL
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import plain
from rhevectra.core.catalogue.tables import shipped, with_own
from rhevectra.core.design.contest import entry_of
from rhevectra.core.design.size import size

BATTERY = {"mains": Mains(kind="dc", v_min=10.5, v_max=15.0), "insulation": "functional"}
BUS = {"mains": Mains(kind="dc", v_min=360.0, v_max=400.0)}
WIDE = {"mains": Mains(kind="ac1", v_min=90.0, v_max=264.0)}
CASES = {
    "push_pull": (BATTERY, 24.0, 12.0, "60V-4mR"), "forward_active_clamp": (BATTERY, 12.0, 10.0, "100V-5mR"),
    "full_bridge": (BUS, 24.0, 40.0, "600V-0.08R"), "psfb": (BUS, 24.0, 40.0, "600V-0.08R"), "llc_half": (BUS, 24.0, 40.0, "600V-0.08R"),
    "flyback": (WIDE, 12.0, 6.0, "800V-0.45R"),
}
"""Topology -> input, output [V] and [A], switch class."""


def designed(topology, pins=(), own=None):
    mains, volts, amps, name = CASES[topology]
    need = Requirement(outputs=(Output(voltage=volts, current_max=amps),), hold_up=0.0, cooling="forced", **mains)
    catalogue = with_own(shipped(), {"switches": [own]}, "test") if own else shipped()
    return size(need, {"topology": topology, "switch.class": own["name"] if own else name, **dict(pins)}, catalogue=catalogue, noise=False)


def all_in_one(name, count):
    """A row of one's own: so many dies of a class in one package."""
    row = dict(shipped()["switches"].row(name))
    more = {c: count * row[c] for c in ("i_max_a", "q_gate_c", "c_energy_f", "c_charge_f")}
    return {**row, **more, "name": "mine"} | {c: row[c] / count for c in ("r_on_25_ohm", "r_junction_case_k_w")}


def most(d, id):
    return float(np.max(plain(d.rows[id])))


def at_full(d, id):
    """A row at full load, all lines and both ends of the bus in a row."""
    return np.broadcast_to(plain(d.rows[id]), d.grid.shape)[np.broadcast_to(FULL.mask(d.grid), d.grid.shape)]


@pytest.mark.parametrize("topology", sorted(CASES))
def test_alike_ones_do_what_one_die_of_them_all_does(topology):
    name = CASES[topology][3]
    two = designed(topology, {"switch.parallel": 2, "switch.r_spread": 0.0})
    one = designed(topology, {"switch.parallel": 1}, all_in_one(name, 2))
    same = [id for id in ("efficiency", "efficiency_light", "loss.total", "switch.i_peak", "switch.v_peak", "switch.i_max", "switch.r_hot",
                          "switch.loss", "gate.power", "aux.i", "transformer.core", "transformer.np", "gate.c_boot_least", "switch.runaway")
            if id in one.rows]
    assert len(same) > 9
    for id in same:
        assert np.all(plain(two.rows[id]) == pytest.approx(plain(one.rows[id]), rel=1e-9)) if id != "transformer.core" \
            else two.rows[id].value == one.rows[id].value, id
    # of two packages each has half the heat through its own resistance, twice that of the large one
    own = one.catalogue["switches"].row("mine")["r_junction_case_k_w"]
    assert at_full(two, "switch.case_to_ambient") / 2 == pytest.approx(at_full(one, "switch.case_to_ambient"), rel=1e-6, abs=own * 1e-6)
    alone = designed(topology, {"switch.parallel": 1})
    assert most(alone, "switch.r_hot") == pytest.approx(2 * most(two, "switch.r_hot"))
    assert most(alone, "switch.loss_conduction") > 1.5 * most(two, "switch.loss_conduction")


@pytest.mark.parametrize("spread", [0.1, 0.3])
def test_uneven_ones_divide_the_current_by_their_conductances(spread):
    """Three dies, one as far below the mean resistance as the spread says and two as far above: the best conductor reaches its rated pulse
    first, and burns more of the conduction loss."""
    d = designed("push_pull", {"switch.parallel": 3, "switch.r_spread": spread})
    row = d.catalogue["switches"].row("60V-4mR")
    g = 1 / (row["r_on_25_ohm"] * np.array([1 - spread, 1 + spread, 1 + spread]))
    shares = g / g.sum()
    assert most(d, "switch.i_max") == pytest.approx(1.5 * row["i_max_a"] / shares[0])  # 1.5: pulsed over continuous, from memory
    conduction, whole = at_full(d, "switch.loss_conduction"), at_full(d, "switch.loss")
    mean = row["r_on_25_ohm"] / 3 * shares.size  # of each, all alike
    hottest = (whole - conduction) / 3 + conduction * 3 * shares[0] ** 2 * (1 - spread) * (mean / row["r_on_25_ohm"])
    assert at_full(d, "switch.loss_each") == pytest.approx(hottest, rel=1e-9)
    junction = 0.85 * row["t_junction_max_c"]
    needed = (junction - d.requirement.ambient_max) / at_full(d, "switch.loss_each") - row["r_junction_case_k_w"]
    assert at_full(d, "switch.case_to_ambient") == pytest.approx(needed, rel=1e-9)


def test_a_kilowatt_from_a_battery_takes_several():
    """No class carries 200 A at the current limit: refused with one. By rule there are as many as it takes, and more as long as each spares
    enough of what they burn: one fewer loses more, one more spares less than the rule asks for."""
    mains, volts, _, _ = CASES["push_pull"]
    need = Requirement(outputs=(Output(voltage=volts, current_max=42.0),), hold_up=0.0, cooling="forced", **mains)
    made = lambda **pins: size(need, {"topology": "push_pull", **pins}, noise=False, loop=False)  # noqa: E731
    d = made()
    count, name = int(d.rows["switch.parallel"].value), str(d.rows["switch.class"].value)
    beside = {n: made(**{"switch.parallel": n, "switch.class": name}) for n in (1, count - 1, count, count + 1)}
    peak = beside[1].figure("switch.i_peak")
    assert peak.value > peak.limit and not beside[1].feasible
    assert {"switch.parallel"} == {f.cure for f in made(**{"switch.parallel": 1}).findings if f.figure == "switch.i_peak"}
    assert count > 2 and d.feasible and d.figure("switch.i_peak").value <= d.figure("switch.i_peak").limit
    refused = d.rows["switch.parallel"].refused
    assert [int(r.partition(":")[0]) for r in refused] == list(range(1, count))[-3:]
    burnt = {n: most(x, "switch.loss") for n, x in beside.items()}
    assert burnt[count - 1] > burnt[count] > burnt[count + 1]
    little = 2 * burnt[count] < 0.018 * need.power  # the share of the output the rule admits: common practice, no source
    assert little or burnt[count] - burnt[count + 1] < 0.25 * burnt[count]


def test_parts_gates_and_contest_count_them():
    one, two = (designed("full_bridge", {"switch.parallel": n}) for n in (1, 2))
    count = lambda d, what: sum(n for kind, _, n in parts.rows(d) if kind == what)  # noqa: E731
    assert (count(one, "switch"), count(two, "switch")) == (4, 8)
    assert (count(one, "gate resistor"), count(two, "gate resistor")) == (4, 8)
    assert (count(one, "bootstrap capacitor"), count(two, "bootstrap capacitor")) == (2, 2)
    # each gate is moved as fast as one alone, and the capacitor of a leg carries both
    assert most(two, "gate.i_off") == most(one, "gate.i_off") and most(two, "gate.r_off") == most(one, "gate.r_off")
    assert most(two, "gate.power") == pytest.approx(2 * most(one, "gate.power"))
    assert most(two, "gate.q_boot") - most(one, "gate.q_boot") == pytest.approx(most(one, "gate.q"))
    assert most(two, "switch.loss_all") == pytest.approx(4 * most(two, "switch.loss"))


def test_the_contest_holds_no_number_against_the_stress():
    """Peak voltage times current of a place is the same, however many dies share it."""
    mains, volts, amps, name = CASES["full_bridge"]
    need = Requirement(outputs=(Output(voltage=volts, current_max=amps),), hold_up=0.0, cooling="forced", **mains)
    one, two = (entry_of(need, None, {"topology": "full_bridge", "switch.class": name, "switch.parallel": n}) for n in (1, 2))
    assert two.switch_stress == pytest.approx(one.switch_stress, rel=0.05)
    assert two.part_count >= one.part_count + 4


def test_of_a_switch_with_its_controller_inside_there_is_one():
    d = designed("flyback", {"switch.class": "integrated-700V-60W", "switch.parallel": 2})
    assert "switch.parallel" not in d.rows and "switch.parallel" in d.unasked
    assert any("side by side" in f.text and "no effect" in f.text for f in d.findings)
