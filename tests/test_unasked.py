"""Pins that nothing in a design asks for: they stand where they can be freed, and change nothing."""

import sys

import numpy as np
import pytest

from rhevectra.app import parts
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.cost import whole_bill
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES


def need_of(topology):
    return Requirement(mains=Mains(kind="ac1", v_min=85.0, v_max=265.0), outputs=(Output(voltage=24.0, current_max=4.0),),
                       insulation="functional" if topology == "buck_aux" else "reinforced", cooling="forced")


def idle_pins(d):
    """A value within its range for every decision the design has not taken."""
    pins = {}
    for id, spec in d.decision_specs.items():
        if id in d.rows:
            continue
        if spec.kind == "choice":
            names = list(spec.options or (d.catalogue[spec.table].names if spec.table else ()))
            pins |= {id: names[-1]} if names else {}
        else:
            value = float(np.sqrt(max(spec.low, 1e-6 * spec.high) * spec.high))
            pins[id] = round(value) if spec.kind == "integer" else value
    return pins


@pytest.mark.parametrize("topology", TOPOLOGIES)
def test_they_change_nothing(topology):
    """All at once: rows, parts, bill and circuit as without them; every one is among the decisions and told by a finding."""
    d = size(need_of(topology), {"topology": topology})
    pins = idle_pins(d)
    e = size(need_of(topology), {"topology": topology, **pins})
    assert len(pins) >= 6 and pins.keys() == e.unasked.keys() and d.rows.keys() == e.rows.keys()
    assert all(np.array_equal(row.value, e.rows[id].value) for id, row in d.rows.items())
    assert parts.rows(d) == parts.rows(e) and whole_bill(d) == whole_bill(e)
    c = d.grid.find(85.0)
    assert TOPOLOGIES[topology].schematic(d, c) == TOPOLOGIES[topology].schematic(e, c)
    assert pins.keys() <= {spec.id for spec, _ in e.decisions()} and pins.keys() <= {f.cure for f in e.findings}
    assert len(e.findings) == len(d.findings) + len(pins)


def test_what_was_pinned_for_a_snubber_draws_none_without_it(qtbot, window, monkeypatch):
    """A resistor pinned with its snubber, and the snubber taken out again: the circuit and the map of snubbers are drawn, and the pin is
    freed where it was set."""
    failed = []
    monkeypatch.setattr(sys, "excepthook", lambda *what: failed.append(what[1]))
    window.session.pin("rectifier.snubber", "rc")
    window.session.pin("rectifier1.snubber_r", 47.0)
    window.session.pin("rectifier.snubber", "none")
    window.show_all()
    desk = window.size_desk
    desk.choose_stage("rectifier")
    for picture in ("snubber", "circuit"):
        desk.picture.choose(picture)
        desk.picture.view.grab()
        drawn = desk.picture.view.picture()
        assert drawn is not None and len(drawn.items) > 20 and not failed, picture
    assert "rectifier1.snubber_r" not in window.session.design.rows and window.session.design.row("rectifier1.snubber_r").value == 47.0
    assert "rectifier1.snubber_r" in desk.decisions.rows
    window.session.free("rectifier1.snubber_r")
    window.show_all()
    assert "rectifier1.snubber_r" not in desk.decisions.rows
