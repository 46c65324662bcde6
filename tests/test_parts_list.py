"""The list to buy from, held against the circuit as it is drawn and as it is exported to a simulator."""

import re
from math import log

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.app.netlist import netlist_text
from rhevectra.app.parts import rows
from rhevectra.core.basis.quantities import parse, show
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode

NEED = Requirement(mains=Mains(kind="ac1", v_min=195.0, v_max=264.0), outputs=(Output(voltage=24.0, current_max=5.0),),
                   harmonics_class="none")
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
    """Capacitors and resistors whose value is written in the drawing, the output's apart: these go by class and their number. Cans side by
    side are drawn as one."""
    d = size(NEED, {"topology": topology, "front_end": "plain"})
    drawn = {at[1] for s in TOPOLOGIES[topology].schematic(d, d.grid.find(230.0)) if s.kind in ("capacitor", "resistor")
             and not s.element.startswith("Cout") and (at := VALUE.search(s.label))}
    cans, each = int(d.value("bulk.parallel")), float(d.value("bulk.c")) / int(d.value("bulk.parallel"))
    assert bought(d)[show(each, "F")] >= cans
    assert drawn and drawn - {show(cans * each, "F")} <= set(bought(d))
    (out,) = [(value, count) for kind, value, count in rows(d) if kind == "capacitor"]
    each = parse(re.search(r"\d+uF", out[0])[0].replace("u", "µ"), "F")
    assert each * out[1] == pytest.approx(float(d.rows["output1.c"].value), rel=1e-9)


@pytest.mark.parametrize("topology", [t for t in TOPOLOGIES if t.startswith("llc")])
def test_each_phase_has_the_tank_capacitor_of_the_exported_circuit(topology):
    d = size(NEED, {"topology": topology, "front_end": "plain"})
    tanks = [float(line.split()[3]) for line in netlist_text(d, None, 1.0, None).splitlines() if line.startswith("Cres")]
    (listed,) = [(parse(value.split(", ")[0], "F"), count) for kind, value, count in rows(d) if kind == "resonant capacitor"]
    assert tanks and listed == (pytest.approx(tanks[0], rel=1e-3), 3 if topology == "llc_three_phase" else 1)


def test_stacked_bulk_capacitors_and_their_resistors_are_two_each():
    need = Requirement(mains=Mains(kind="ac1", v_min=90.0, v_max=264.0), outputs=NEED.outputs, harmonics_class="none")
    d = size(need, {"topology": "half_bridge", "front_end": "doubler"})
    listed = {kind: (value, count) for kind, value, count in rows(d)}
    assert listed["each bulk capacitor"][1] == listed["balance resistor"][1] == 2
    rated = parse(listed["each bulk capacitor"][0].split(", ")[1], "V")
    assert (2 * rated >= 264 * 2**0.5
            and rated >= 132 * 2**0.5)  # both together at the crest of the high range, each alone at that of the doubled one


def test_a_bus_behind_power_factor_correction_is_told_once_and_every_row_is_named():
    d = size(decode(demo.text("frost-fans"), "demo").requirement, {"front_end": "pfc_interleaved", "topology": "half_bridge"})
    listed = rows(d)
    assert not any("bulk" in kind for kind, _, _ in listed) and not any(re.fullmatch(r"[a-z0-9]+\.[a-z_]+", kind) for kind, _, _ in listed)
    assert {kind: count for kind, _, count in listed}["sense or burden resistor"] == {
        kind: count for kind, _, count in listed}["core of the boost inductor"] > 1


def test_the_discharge_resistor_bleeds_the_x_capacitors_within_a_second():
    """IEC 62368-1 asks for 60 V within 2 s of the plug drawn (from memory); the resistor of the list on the capacitors of the list, from
    the crest of the mains."""
    d = size(NEED, {"topology": "flyback", "front_end": "plain"})
    listed = {kind: (value, count) for kind, value, count in rows(d)}
    c = parse(listed["X capacitor"][0], "F") * listed["X capacitor"][1]
    assert parse(listed["discharge resistor of the X capacitors"][0].split(",")[0], "Ω") * c * log(264 * 2**0.5 / 60) < 2.0


DIODES = {"flyback": {"clamp diode": ["dcl"]}, "flyback_qr": {"clamp diode": ["dcl"]},
          "flyback_2sw": {"diode back to the bus": ["dcl", "dlow"]}, "forward_2sw": {"diode back to the bus": ["dlow", "dhigh"]},
          "forward_reset": {"clamp diode": ["dclamp1"], "diode of the reset winding": ["dreset"]},
          "push_pull": {"clamp diode": ["dclamp1", "dclamp2"]}}
"""Diodes of the exported circuits beside rectifiers and bodies, by their row of the list."""


@pytest.mark.parametrize("topology", list(DIODES))
def test_every_diode_that_clamps_resets_or_hands_back_is_bought(topology):
    """As many as the exported circuit has, each of a class that bears what the exact period puts across it at the highest line and full
    load, and none of a class that is far above that."""
    d = size(NEED, {"topology": topology, "front_end": "plain"}, noise=False)
    corner = d.grid.find(max(d.grid.lines), 1.0, "run", d.grid.bus[-1])
    e, nodes = (exact(d, corner),
                {w[0].lower(): w[1:3] for w in map(str.split, netlist_text(d, corner.v_line, 1.0, d.grid.bus[-1]).lower().splitlines())
                 if w and w[0][0] == "d"})
    voltage = {**e.voltages, "0": 0.0}
    listed = {kind: (parse(re.search(r"([\d.]+ k?V) class", value)[1], "V"), count) for kind, value, count in rows(d)
              if kind in {k for of in DIODES.values() for k in of}}
    assert set(listed) == set(DIODES[topology])
    for kind, names in DIODES[topology].items():
        rated, count = listed[kind]
        seen = max(float((voltage[cathode] - voltage[anode]).max()) for anode, cathode in (nodes[k] for k in names))
        assert count == len(names) and seen < 0.85 * rated and rated < 2.5 * seen, (kind, seen, rated)


def test_the_reset_diode_against_the_exact_period():
    """Its figure, of the input and the winding against it, within 2 % of the exact circuit, with turns one to one and not."""
    for ratio in (1.0, 0.6):
        d = size(NEED, {"topology": "forward_reset", "front_end": "plain", "reset.ratio": ratio}, noise=False)
        corner = d.grid.find(max(d.grid.lines), 1.0, "run", d.grid.bus[-1])
        assert float(exact(d, corner).voltages["r1"].max()) == pytest.approx(d.rows["reset.diode_v_reverse"].at(corner.index), rel=0.02)


def test_what_a_part_bears_stands_beside_it():
    """The clamp's string, its heat and voltage; its capacitor's class, above the crest of its voltage; one choke for the second stage of a
    filter, none without; a bleed with its heat."""
    need = Requirement(mains=NEED.mains, outputs=(Output(voltage=24.0, current_max=1.0),), harmonics_class="none")
    d = size(need, {"topology": "flyback", "front_end": "plain", "filter1.l": 2.2e-6, "output1.bleed": 0.05})
    listed = {kind: value for kind, value, _ in rows(d)}
    ohms, string, heat, volts = listed["clamp resistor"].split(", ")
    n = int(string.split()[0])
    assert (parse(heat.removesuffix(" of heat in all"), "W") == pytest.approx(d.value("clamp.power"), rel=0.01)
            and n == d.value("clamp.resistors") > 1)
    held = parse(volts.removesuffix(" across all"), "V")
    assert held == pytest.approx(d.value("clamp.v"), rel=0.01) and held**2 / parse(ohms, "Ω") == pytest.approx(d.value("clamp.power"),
        rel=0.7)
    assert parse(listed["clamp capacitor"].split(", ")[1].removesuffix(" class"), "V") > held
    assert listed["second-stage filter inductor 1"] == "2.20 µH, 1.00 A" and not any(
        "second-stage" in kind for kind, _, _ in rows(size(need, {"topology": "flyback", "front_end": "plain"}, noise=False)))
    assert (next(count for kind, _, count in rows(d) if kind == "capacitor") == int(d.value("output1.parallel"))
            + 1), "one more behind the choke"
    value, burnt = listed["bleed resistor"].split(", ")
    assert parse(burnt.removesuffix(" of heat"), "W") == pytest.approx(24**2 / parse(value, "Ω"), rel=0.01)


def test_the_clamp_diode_of_a_high_class_switch_has_a_class_of_its_own():
    """Behind a 1200 V switch the reverse voltage is judged against a diode that can be bought."""
    d = size(NEED, {"topology": "flyback", "front_end": "plain", "switch.class": "1200V-0.35R"}, noise=False)
    limit = d.figure("clamp.diode_v_reverse").limit
    assert 0.8 * 1200 <= limit <= 0.8 * 2000 and limit > d.value("clamp.diode_v_reverse")


@pytest.mark.parametrize("front", ["plain", "doubler", "pfc_crm"])
def test_resistors_across_line_and_bus_stand_their_voltage(front):
    """Of 200 V used to four fifths (common practice, no source) no fewer stand in series than the crest of line or bus asks for, and no
    more; the list tells their number and what lies across all of them."""
    top = 135.0 if front == "doubler" else 264.0
    d = size(Requirement(mains=Mains(kind="ac1", v_min=90.0, v_max=top), outputs=(Output(voltage=24.0, current_max=3.0),),
                         harmonics_class="none"), {"front_end": front, "start.path": "resistor"}, noise=False)
    bus, said = float(d.rows["bus.v"].value.max()), {kind: value for kind, value, _ in rows(d)}
    asked = {"inlet.r_x": 2**0.5 * top, "bulk.r_bleed": bus, "brown.r_high": 2**0.5 * top if front == "pfc_crm" else bus}
    if front == "doubler":
        asked["bulk.r_balance"] = float(d.rows["bulk.v_capacitor"].value.max())
    for id, volts in asked.items():
        count = int(d.rows[f"{id}_resistors"].value)
        assert (count - 1) * 160.0 < volts <= count * 160.0, id
        if count > 1:
            assert any(f"{count} in series" in value and f"{show(volts, 'V')} across all" in value for value in said.values()), id


@pytest.mark.parametrize("topology", [t for t in TOPOLOGIES if t != "buck_aux"])
def test_what_is_asked_of_the_controller(topology):
    """Numbers of the line, read again, against what the design was worked out with: rate, duty, trip at the sense resistor (its voltage at
    the nominal limit, by hand), delay, supply; none where the controller is inside the switch."""
    d = size(NEED, {"topology": topology}, noise=False, loop=False)
    told = next(value for kind, value, _ in rows(d) if kind == "controller")
    at = lambda id: float(np.max(d.rows[id].value))  # noqa: E731
    numbers = [parse(f"{a} {b}", b.lstrip("pnµmkM") if b != "mV" else "V", "") for a, b in
               re.findall(r"(\d[\d.]*) ([pnµmkM]?(?:Hz|V|s|A))\b", told)]
    first = at("llc.f_set") if "llc.f_set" in d.rows else at("qr.f_max") if "qr.f_max" in d.rows else at("fs")
    assert numbers[0] == pytest.approx(first, rel=6e-3)
    if d.value("sense.kind") == "resistor":
        assert any(n == pytest.approx(at("sense.r") * at("switch.current_limit"), rel=0.02) for n in numbers), told
    assert any(n == pytest.approx(at("switch.limit_delay"), rel=1e-3) for n in numbers)
    assert ("of half a period" in told) is (topology in ("push_pull", "half_bridge", "full_bridge", "psfb"))
    if "duty" in told:
        assert float(re.search(r"duty up to (\d+) %", told)[1]) == pytest.approx(100 * at("switch.duty_limit"), abs=0.5)
    if "supply" in told:
        low, high = (parse(x, "V", "") for x in re.search(r"supply ([\d.]+ V) to ([\d.]+ V)", told).groups())
        assert low <= at("aux.v_low") and at("aux.v_high") <= high
    if topology == "flyback":
        inside = size(NEED, {"topology": topology, "switch.class": "integrated-700V-60W"}, noise=False, loop=False)
        assert not [r for r in rows(inside) if r[0] == "controller"]
