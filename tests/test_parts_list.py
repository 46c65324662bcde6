"""The list to buy from, held against the circuit as it is drawn and as it is exported to a simulator."""

import re
from math import log

import pytest

from rhevectra import demo
from rhevectra.app.netlist import netlist_text
from rhevectra.app.parts import rows
from rhevectra.core.basis.quantities import parse
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode

NEED = Requirement(mains=Mains(kind="ac1", v_min=195.0, v_max=264.0), outputs=(Output(voltage=24.0, current_max=5.0),), harmonics_class="none")
VALUE = re.compile(r"(\d[\d.]* [pnµmkM]?[FΩ])")


def bought(d):
    """Values in F or Ω -> how many pieces of each."""
    found = {}
    for _, value, count in rows(d):
        at = VALUE.search(value)
        if at:
            found[at[1]] = found.get(at[1], 0) + count
    return found


@pytest.mark.parametrize("topology", list(TOPOLOGIES))
def test_every_value_in_the_circuit_is_in_the_list(topology):
    """Capacitors and resistors whose value is written in the drawing, the output's apart: these go by class and their number."""
    d = size(NEED, {"topology": topology, "front_end": "plain"})
    drawn = {at[1] for s in TOPOLOGIES[topology].schematic(d, d.grid.find(230.0)) if s.kind in ("capacitor", "resistor") and not s.element.startswith("Cout") and (at := VALUE.search(s.label))}
    assert drawn and drawn <= set(bought(d))
    (out,) = [(value, count) for kind, value, count in rows(d) if kind == "capacitor"]
    each = parse(re.search(r"\d+uF", out[0])[0].replace("u", "µ"), "F")
    assert each * out[1] == pytest.approx(float(d.rows["output1.c"].value), rel=1e-9)


@pytest.mark.parametrize("topology", [t for t in TOPOLOGIES if t.startswith("llc")])
def test_each_phase_has_the_tank_capacitor_of_the_exported_circuit(topology):
    d = size(NEED, {"topology": topology, "front_end": "plain"})
    tanks = [float(line.split()[3]) for line in netlist_text(d, None, 1.0, None).splitlines() if line.startswith("Cres")]
    (listed,) = [(parse(value, "F"), count) for kind, value, count in rows(d) if kind == "resonant capacitor"]
    assert tanks and listed == (pytest.approx(tanks[0], rel=1e-3), 3 if topology == "llc_three_phase" else 1)


def test_stacked_bulk_capacitors_and_their_resistors_are_two_each():
    need = Requirement(mains=Mains(kind="ac1", v_min=90.0, v_max=264.0), outputs=NEED.outputs, harmonics_class="none")
    d = size(need, {"topology": "half_bridge", "front_end": "doubler"})
    listed = {kind: (value, count) for kind, value, count in rows(d)}
    assert listed["each bulk capacitor"][1] == listed["balance resistor"][1] == 2
    rated = parse(listed["each bulk capacitor"][0].split(", ")[1], "V")
    assert 2 * rated >= 264 * 2**0.5 and rated >= 132 * 2**0.5  # both together at the crest of the high range, each alone at that of the doubled one


def test_a_bus_behind_power_factor_correction_is_told_once_and_every_row_is_named():
    d = size(decode(demo.text("frost-fans"), "demo").requirement, {"front_end": "pfc_interleaved", "topology": "half_bridge"})
    listed = rows(d)
    assert not any("bulk" in kind for kind, _, _ in listed) and not any(re.fullmatch(r"[a-z0-9]+\.[a-z_]+", kind) for kind, _, _ in listed)
    assert {kind: count for kind, _, count in listed}["sense or burden resistor"] == {kind: count for kind, _, count in listed}["core of the boost inductor"] > 1


def test_the_discharge_resistor_bleeds_the_x_capacitors_within_a_second():
    """IEC 62368-1 asks for 60 V within 2 s of the plug drawn (from memory); the resistor of the list on the capacitors of the list, from the crest of the mains."""
    d = size(NEED, {"topology": "flyback", "front_end": "plain"})
    listed = {kind: (value, count) for kind, value, count in rows(d)}
    c = parse(listed["X capacitor"][0], "F") * listed["X capacitor"][1]
    assert parse(listed["discharge resistor of the X capacitors"][0], "Ω") * c * log(264 * 2**0.5 / 60) < 2.0
