"""The current sense: its resistor and the limit it makes, what it burns, and what stands in its place where it would burn too much."""

import numpy as np
import pytest

from balances import FRONT, check_balance, whole
from rhevectra import demo
from rhevectra.app.parts import rows
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode

E96 = [round(10 ** (k / 96), 2) for k in range(96)]
"""IEC 60063 gives this series as the rounded powers themselves."""


@pytest.fixture
def need(demo_document):
    return demo_document.requirement


def made(need, topology="flyback", **pins):
    return size(need, {"topology": topology, **{k.replace("__", "."): v for k, v in pins.items()}}, noise=False)


def at_full(d, id):
    return float(d.rows[id].at(d.grid.find(85.0).index))


def test_the_limit_is_that_of_a_resistor_to_be_bought(need):
    """The value is one of E96 and makes the nominal limit at 0.5 V; the next larger one would trip, at its least, a twentieth above the
    peak in run of the least inductance and rate, or hold full load hardly further down than the end of hold-up: a tenth of the bus is what
    a step of E96 and 3 % of room are worth."""
    d = made(need)
    r, tolerance = float(d.value("sense.r")), float(d.rows["switch.limit_tolerance"].value)
    assert min(abs(r * 10 - e) for e in E96) < 1e-9 and 0.5 / r == pytest.approx(float(d.rows["switch.current_limit"].value), rel=1e-12)
    larger = next(e for e in [*E96, 10.0] if e > 10 * r + 1e-9) / 10
    trips = 0.5 / larger * (1 - tolerance)
    asked = size(need, {**d.pins, "switch.current_limit": 0.5 / larger, "transformer.core": d.value("transformer.core")}, noise=False)
    assert (trips < 1.05 * float(d.value("switch.i_peak_least"))
            or asked.value("switch.v_bus_least") > 0.9 * float(d.rows["bulk.v_min_stage"].value))
    assert d.value("switch.i_peak_run") < d.figure("switch.i_peak_run").limit


def test_its_heat_is_that_of_the_current_through_it(need):
    """By the exact period within 3 %; what the bus gives more than without is that heat and what more current costs elsewhere."""
    d, without = made(need), made(need, sense__kind="transformer")
    c = d.grid.find(85.0)
    e = exact(d, c)
    square = float(np.trapezoid(e.currents["vsense"] ** 2, e.t) / e.period)
    assert float(d.rows["sense.power"].at(c.index)) == pytest.approx(float(d.value("sense.r")) * square, rel=0.03)
    more = float(d.rows["switch.p_bus"].at(c.index)) - float(without.rows["switch.p_bus"].at(c.index))
    assert more == pytest.approx(float(d.rows["sense.power"].at(c.index)), rel=0.15)
    assert d.losses["current_sense"] is d.rows["sense.power"]
    check_balance(d, FRONT)


def test_less_voltage_or_a_transformer_burns_less(need):
    """A quarter of the voltage is a quarter of the resistor and of the heat; behind a hundred turns the resistor is a hundred times as
    large and burns a hundredth."""
    d = made(need, switch__current_limit=2.4)
    low, turns = (made(need, switch__current_limit=2.4, sense__v_trip=0.125),
                  made(need, switch__current_limit=2.4, sense__kind="transformer"))
    assert (float(d.value("sense.r")) == pytest.approx(0.5 / 2.4) and float(low.value("sense.r")) == pytest.approx(0.125 / 2.4)
            and float(turns.value("sense.r")) == pytest.approx(50 / 2.4))
    assert (at_full(low, "sense.power") == pytest.approx(at_full(d, "sense.power") / 4, rel=0.02)
            and at_full(turns, "sense.power") == pytest.approx(at_full(d, "sense.power") / 100, rel=0.03))
    bought = {kind: value for kind, value, _ in rows(turns)}
    assert (bought["current transformer"] == "1 : 100" and bought["current sense resistor"].startswith("20.8 Ω")
            and "current transformer" not in {kind for kind, _, _ in rows(d)})


def test_an_integrated_class_needs_none(need):
    name = next(r["name"] for r in made(need).catalogue["switches"].rows if r.get("limit_typ_a"))
    d = made(need, switch__class=name)
    assert "sense.r" not in d.rows and "current_sense" not in d.losses and float(d.rows["sense.r_seen"].value) == 0


@pytest.mark.parametrize(("demo_name", "topology", "kind"),
                         [("frost-fans", "half_bridge", "transformer"), ("radar-rotator", "psfb", "transformer"),
                          ("frost-fans", "llc_half", "capacitor"), ("radar-rotator", "forward_2sw", "resistor")])
def test_what_is_usual(demo_name, topology, kind):
    """A resistor up to a watt; a transformer above, and where current circulates between the pulses; a capacitor beside a resonant one. All
    keep the balance of energy, the resistor in their place too, whose heat is then its resistance times the square of the current in the
    path."""
    need = decode(demo.text(demo_name), "demo").requirement
    d = size(need, {"topology": topology}, noise=False)
    front = [k for k in d.losses if k in FRONT or k.startswith("pfc_")]
    assert d.value("sense.kind") == kind
    check_balance(d, front)
    pinned = d if kind == "resistor" else size(need, {"topology": topology, "sense.kind": "resistor"}, noise=False)
    check_balance(pinned, front)
    rms = whole(pinned, pinned.rows["llc.i_cr_rms_nominal" if topology.startswith("llc") else "switch.i_rms_pulses"])
    assert np.allclose(whole(pinned, pinned.rows["sense.power"]), 0.5 / float(pinned.rows["switch.current_limit"].value) * rms**2)
    if kind == "capacitor":
        assert ("capacitor of the current sense") in {k for k, _, _ in rows(d)}


@pytest.mark.parametrize("topology", ["flyback", "flyback_2sw", "flyback_qr"])
def test_a_switch_that_measures_its_own_current_is_drawn_with_a_wire(topology):
    """An integrated class has no resistor of its own for it: the circuit is drawn all the same, with a wire that carries the current."""
    d = size(decode(demo.text("camera-hide"), "demo").requirement,
             {"topology": topology, "switch.class": next(r["name"] for r in shipped()["switches"].rows if r["kind"] == "integrated")},
             noise=False)
    symbols = [s for s in TOPOLOGIES[topology].schematic(d, d.grid.find(d.grid.lines[0])) if s.element == "Vsense"]
    assert "sense.r" not in d.rows and [s.kind for s in symbols] == ["wire"]
