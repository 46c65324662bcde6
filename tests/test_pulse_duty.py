"""Pulse duty of the small capacitors: against the exact steady state of the design's own circuit (second route), the kinds by hand, and
what the parts list says."""

import numpy as np
import pytest

from rhevectra.app import parts
from rhevectra.core.basis.quantities import parse, show
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.stages.pulse_duty import v_class

SNUBBED = {"rectifier.snubber": "rc"}
CASES = [("flyback", {}, "clamp.c", "ccl"), ("flyback", {"clamp.kind": "active"}, "clamp.c", "ccl"),
         ("flyback", SNUBBED, "rectifier1.snubber_c", "csn1"), ("forward_active_clamp", {}, "active.c", "cclamp"),
         ("half_bridge", {}, "divider.c", "cdivtop"), ("full_bridge", {"switch.control": "voltage"}, "blocking.c", "cblock"),
         ("full_bridge", SNUBBED, "rectifier1.snubber_c", "csn1"), ("llc_half", {}, "llc.cr", "cres"), ("llc_full", {}, "llc.cr", "cres")]
SLOWER = {"csn1": 0.3, "cclamp": 0.5}
"""A snubber's edge is not sudden: leakage holds the first current back; and it is sized for the edge with its ring. What the leakage of a
forward brings to its clamp is gone within a few nanoseconds."""
WINDOW = 10e-9
"""Over which slopes are taken [s]: a nanosecond in which a channel takes over from its body diode moves no charge."""


def supply(watts=150.0):
    """24 V from a bus of 360 to 400 V."""
    return Requirement(mains=Mains(kind="dc", v_min=360.0, v_max=400.0), outputs=(Output(voltage=24.0, current_max=watts / 24.0),))


@pytest.mark.parametrize(("topology", "pins", "id", "element"), CASES)
def test_the_steepest_edge_of_the_exact_period(topology, pins, id, element):
    """At both ends of the input and full load: what the capacitor's own current and swing ask for is at most 3 % above the figure of that
    corner, and no less than three quarters of it."""
    d = size(supply(), {"topology": topology, **pins}, noise=False)
    c, kind = float(d.rows[id].value), d.rows.get(f"{id}_v_class")
    for line in (360.0, 400.0):
        corner = d.grid.find(line)
        found = exact(d, corner)
        i = found.currents[element]
        moved = np.concatenate([[0.0], np.cumsum(0.5 * (i[1:] + i[:-1]) * np.diff(found.t))]) / c
        even = np.arange(0.0, found.period, WINDOW)
        slope = np.abs(np.diff(np.interp(even, found.t, moved))).max() / WINDOW
        needed = slope * (1.0 if kind is None else min(1.0, np.ptp(moved) / float(kind.value)))
        sized = float(d.rows[f"{id}_slew"].at(corner.index))
        assert SLOWER.get(element, 0.75) * sized < needed < 1.03 * sized, (line, needed, sized)


@pytest.mark.parametrize(("farads", "kind"), [(33e-9, "polyester film"), (10e-9, "polypropylene film"), (2.2e-9, "film and foil"),
                                              (470e-12, "ceramic")])
def test_a_smaller_clamp_capacitor_asks_for_a_better_kind(demo_document, farads, kind):
    """The smaller it is the steeper and the further it swings; below a nanofarad film is hardly made. What stands before the kind in the
    list is refused with its reason."""
    d = size(demo_document.requirement, {**demo_document.decisions, "clamp.c": farads}, noise=False)
    assert d.value("clamp.c_kind") == kind
    refused = [text.split(":")[0] for text in d.rows["clamp.c_kind"].refused]
    kinds = ["polyester film", "polypropylene film", "film and foil", "ceramic"]
    assert refused == kinds[: kinds.index(kind)]
    told = next(what for name, what, _ in parts.rows(d) if name == "clamp capacitor")
    assert kind in told and show(d.value("clamp.c_slew"), "V/s") in told and "class" in told


def test_a_tank_is_never_of_polyester():
    """However slow its edges: its loss factor would burn a per cent of the reactive power."""
    need = Requirement(mains=Mains(kind="dc", v_min=40.0, v_max=56.0), outputs=(Output(voltage=12.0, current_max=5.0),))
    d = size(need, {"topology": "llc_half"}, noise=False)
    assert d.value("llc.cr_slew") < 20e6 and d.value("llc.cr_kind") == "polypropylene film"
    assert any("loss factor" in text for text in d.rows["llc.cr_kind"].refused)


def test_classes_are_those_that_are_sold():
    """Next step of the R5 series above five quarters of the voltage."""
    assert [v_class(v) for v in (4.0, 79.0, 128.0, 173.0, 320.0, 505.0, 900.0)] == [6.3, 100.0, 160.0, 250.0, 400.0, 1000.0, 1600.0]
    assert all(1.25 * v <= v_class(v) * (1 + 1e-9) <= 2.001 * v for v in np.geomspace(1.0, 2000.0, 200))


def test_edges_read_in_volts_per_microsecond():
    """As the tables of capacitors give them, there and back."""
    assert show(53.8e6, "V/s") == "53.8 V/µs" and parse("53.8 V/µs", "V/s") == pytest.approx(53.8e6)
    assert show(12.1e3, "V/s") == "12.1 V/ms" and parse("12.1 V/ms", "V/s") == parse("12.1 mV/µs", "V/s") == pytest.approx(12.1e3)
