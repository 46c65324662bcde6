"""A feedback that is open, or nearly so because its coupler is old: where the trip catches the output, what the capacitors hold, what the
coupler still draws."""

import re
from dataclasses import replace

import pytest
from scipy.optimize import brentq

from rhevectra import demo
from rhevectra.app.netlist import netlist_text
from rhevectra.core.basis.findings import LOOK_AT, NOTE
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.project.codec import decode
from spice import measure

NEED = decode(demo.text("camera-hide"), "demo").requirement


@pytest.mark.parametrize("name", demo.NAMES)
@pytest.mark.parametrize("topology", ["flyback", "flyback_qr", "flyback_2sw"])
def test_every_output_stays_below_what_its_capacitors_hold(name, topology):
    """By rule; each output by its own turns and drop, turned into volts where the trip looks (the supply, or the regulated output where
    that supply has a regulator) and solved back for it (second route)."""
    need = decode(demo.text(name), "demo").requirement
    d = size(need, {"topology": topology})
    assert float(d.rows["aux.v_trip"].value) == at_least(1.05 * d.value("aux.v_high"), "E24")
    supplied = d.rows["aux.regulator"].value == "none"
    looks, drop, trip = ((d.value("transformer.naux"), 0.8, float(d.rows["aux.v_trip"].value)) if supplied
                         else (d.value(f"transformer.ns{need.main + 1}"),
                               d.catalogue["rectifiers"].row(d.rows[f"rectifier{need.main + 1}.class"].value)["v_forward_v"],
                               float(d.rows["feedback.v_trip"].value)))
    for n in range(1, len(need.outputs) + 1):
        row = d.catalogue["rectifiers"].row(d.rows[f"rectifier{n}.class"].value)
        turns = d.value(f"transformer.ns{n}")
        supply = lambda v, row=row, turns=turns: (v + row["v_forward_v"]) * looks / turns - drop  # noqa: E731
        caught = brentq(lambda v, supply=supply: supply(v) - trip, 0.0, 1e3)
        f = d.figure(f"output{n}.v_open")
        assert f.value == pytest.approx(caught, rel=1e-9) and need.outputs[n - 1].magnitude < caught < f.limit


def test_a_capacitor_that_would_burst_is_told_and_the_trip_cures():
    small = min((r for r in size(NEED).catalogue["output_capacitors"].rows if 0.8 * r["v_class_v"] >= 24),
                key=lambda r: (r["v_class_v"], -r["c_f"]))["name"]
    d = size(NEED, {"output1.cap": small, "aux.v_trip": 24.0})
    told = [f for f in d.findings if f.figure == "output1.v_open"]
    assert len(told) == 1 and told[0].severity == LOOK_AT and told[0].cure in ("aux.v_trip", "output1.cap") and d.feasible
    assert not [f for f in size(NEED, {"output1.cap": small}).findings if f.figure == "output1.v_open"]


def test_a_trip_within_what_the_supply_reaches_is_told():
    d = size(NEED, {"aux.v_trip": 0.95 * size(NEED).value("aux.v_high")})
    assert d.figure("aux.v_high").margin < 0 and any(f.figure == "aux.v_high" for f in d.findings)


@pytest.mark.parametrize(("volts", "topology"), [(24, "flyback"), (5, "forward_2sw"), (3.3, "llc_half"), (48, "psfb")])
def test_the_coupler_still_stops_the_pulses_when_it_is_old(volts, topology):
    """The resistor at which the aged coupler just draws the pull, found by bisection of both currents (second route); by rule no more than
    that, and where only the integrator acts the next below of E24."""
    need = Requirement(mains=Mains(kind="dc", v_min=360, v_max=400), outputs=(Output(voltage=volts, current_max=60 / volts),),
                       insulation="reinforced")
    d = size(need, {"topology": topology, "feedback.ctr": 0.8})
    reference = 2.495 if volts >= 5 else 1.24
    drawn = lambda r: 0.8 * 0.5 * (volts - reference - 1.2) / r  # noqa: E731
    just, r = brentq(lambda r: drawn(r) - 1e-3, 1.0, 1e6), float(d.rows["feedback.r_led"].value)
    assert (r * (1 - 1e-9) <= just and (just < at_least(1.001 * r, "E24") or d.value("feedback.feed") == "output")
            and d.value("feedback.i_end") == pytest.approx(drawn(r)) and d.figure("feedback.i_end").margin >= 0)
    worn = size(need, {"topology": topology, "feedback.r_led": just, "feedback.ctr_left": 0.4})
    told = [f for f in worn.findings if f.figure == "feedback.i_end"]
    assert len(told) == 1 and told[0].severity == LOOK_AT and "feedback." in told[0].cure


def test_where_there_is_no_coupler():
    """Without insulation none is needed; from 2.2 V its diode cannot be fed beside the reference, which is said."""
    bare = replace(NEED, insulation="functional")
    assert "feedback.i_end" not in size(bare).rows
    assert "feedback.i_end" not in size(bare, {"topology": "buck_aux"}).rows
    low = size(replace(NEED, outputs=(Output(voltage=2.2, current_max=5),)), {"topology": "forward_2sw"})
    assert "feedback.i_end" not in low.rows and any(f.severity == NOTE and "another rail" in f.text for f in low.findings)


@pytest.mark.parametrize(("topology", "line"), [("flyback", 265.0), ("flyback", 85.0), ("flyback_qr", 265.0)])
def test_a_shorted_rectifier_in_the_simulator(topology, line, tmp_path):
    """The exported circuit with a milliohm in the rectifier's place and a comparator that never trips: the current at the end of the least
    pulse is the figure's, less what the resistances it leaves out take (no more than 25 %)."""
    d = size(NEED, {"topology": topology})
    text = re.sub(r"(?m)^Dout1 (\S+ \S+) \S+$", r"Dout1 \1 DOUT1\nRshort \1 1m",
                  re.sub(r"(?m)^Vref ref 0 DC \S+$", "Vref ref 0 DC 1e6", netlist_text(d, line, 1.0, "peak")))
    text = re.sub(r"(?m)^\.tran .*$", ".tran 1n 1.2u 0 1n uic", text)
    t, bus = float(d.rows["switch.t_least"].value), float(re.search(r"(?m)^Vbus bus 0 DC (\S+)$", text).group(1))
    begun = 30e-9  # the gate is up and the node discharged
    found = measure(text.replace("\n.end\n", "\n.save all @llk[i]\n.end\n"), ["let ip=@llk[i]"], {"i": "MAX ip"}, (0.0, t + begun),
                    tmp_path / "short.cir")["i"]
    formula = (bus + float(d.value("transformer.v_reflected"))) * t / float(d.value("transformer.leakage"))
    at = d.grid.find(line).index
    sized = float(d.rows["fault.i_switch"].at((at[0], at[1], at[2], d.grid.bus.index("peak"))))
    assert sized == pytest.approx(formula, rel=0.03) and 0.75 * sized < found < 1.02 * sized
