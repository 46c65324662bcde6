"""The controller's supply from a winding of its own where there is no flyback: it goes with the bus or with the output, and must stay in
the controller's window."""

import random
import re

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.app.netlist import netlist_text
from rhevectra.app.parts import rows
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.circuit.netlist import write
from rhevectra.core.design.cost import whole_bill
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.pictures import PICTURES, pictures_of
from rhevectra.project.codec import decode
from spice import measure

BENCH, ROTATOR = (decode(demo.text(name), "demo").requirement for name in ("ringing-lab-bench", "radar-rotator"))
WIDE = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=12, current_max=8),), harmonics_class="none")
STAGES = [t for t in TOPOLOGIES if not t.startswith("flyback") and t != "buck_aux"]
LOCK_OUT, TAKES = 9.5, 24.0


@pytest.mark.parametrize(("need", "topology", "line", "winding"),
                         [(BENCH, "forward_2sw", 195.0, "m1 b"), (BENCH, "forward_2sw", 265.0, "m1 b"),
                          (BENCH, "full_bridge", 265.0, "m1 b"), (ROTATOR, "llc_half", 360.0, "m 0"), (ROTATOR, "llc_half", 400.0, "m 0")])
def test_the_supply_in_the_simulator(need, topology, line, winding, tmp_path):
    """The exported circuit with a winding of the sheet's turns across its magnetising inductance, a diode, a resistor that keeps the ring
    of the leakage out, and the controller's current: what it stands at."""
    d = size(need, {"topology": topology}, noise=False)
    bus = d.grid.bus[-1]
    ratio, amps = d.value("transformer.naux") / d.value("transformer.np"), float(d.rows["aux.i"].value)
    told = float(d.rows["aux.v_high"].at(d.grid.find(line, bus=bus).index))
    added = (f"Eaux x9 0 {winding} {ratio:.9g}\nRaux x9 y9 2\nVdrop y9 z9 DC 0.8\nDaux z9 aux DAUX\nCaux aux 0 2u IC={told:.4g}\nIaux aux "
             f"0 DC {amps:.6g}\n.model DAUX D(IS=1e-9 N=0.02)")
    text = netlist_text(d, line, 1.0, bus)
    text = re.sub(r"(?m)^\.tran .*$", ".tran 5n 0.4m 0.3m 10n uic", text).replace("\n.options", f"\n{added}\n.options")
    found = measure(text, [], {"v": "AVG v(aux)"}, (0.3e-3, 0.4e-3), tmp_path / "aux.cir")["v"]
    assert found == pytest.approx(told, rel=0.05)


def test_between_rare_pulses_in_the_simulator(tmp_path):
    """The exported circuit without load, its winding feeding the controller's current and the least capacitor that is told: a pulse lifts
    the supply to what is told within 2 %, and until the next it sinks by what lies between that and the lock-out, within 2 %."""
    d = size(BENCH, {"topology": "forward_2sw"}, noise=False)
    figure = d.figure("aux.c_least")
    corner, amps = figure.corner, float(d.rows["aux.i"].value)
    told, ratio, period = (float(d.rows["aux.v_high"].at(corner.index)), d.value("transformer.naux") / d.value("transformer.np"),
                           1 / float(d.rows["switch.frequency"].at(corner.index)))
    added = (f"Eaux x9 0 m1 b {ratio:.9g}\nRaux x9 y9 0.05\nVdrop y9 z9 DC 0.8\nDaux z9 aux DAUX\nCaux aux 0 {figure.value:.6g} "
             f"IC={told:.4g}\nIaux aux 0 DC {amps:.6g}\n.model DAUX D(IS=1e-9 N=0.02)")
    text = write(TOPOLOGIES[d.topology].circuit(d, corner))
    text = re.sub(r"(?m)^\.tran .*$", f".tran 5n {4.2 * period:.6g} 0 20n uic", text).replace("\n.options", f"\n{added}\n.options")
    found = measure(text, [], {"low": "MIN v(aux)", "high": "MAX v(aux)"}, (2.0 * period, 4.2 * period), tmp_path / "aux.cir")
    assert corner.load == 0.0 and period > 50e-6
    assert found["high"] == pytest.approx(told, rel=0.02) and found["high"] - found["low"] == pytest.approx(told - LOCK_OUT, rel=0.02)


@pytest.mark.parametrize("topology", STAGES)
def test_by_rule_it_holds_the_controller_up_and_spares_it(topology):
    """Random requirements, from the highest bus down to the end of hold-up: whole turns over the primary's, times what lies across it there
    (second route), is inside the window, or there is a regulator."""
    rng, regulated = random.Random(STAGES.index(topology)), set()
    for _ in range(6):
        tank = topology.startswith("llc")
        mains = rng.choice(
            [Mains(kind="dc", v_min=360, v_max=400),
             *([] if tank else [Mains(kind="ac1", v_min=195, v_max=265), Mains(kind="ac1", v_min=85, v_max=265),
                                Mains(kind="dc", v_min=36, v_max=75)])])
        volts = rng.choice([3.3, 5.0, 12.0, 24.0, 48.0])
        need = Requirement(mains=mains, outputs=(Output(voltage=volts, current_max=rng.uniform(60, 250) / max(volts, 5.0)),),
                           harmonics_class="none", cooling="forced")
        d = size(need, {"topology": topology, **({"front_end": "plain"} if mains.kind == "ac1" else {})}, noise=False)
        linear = str(d.rows["aux.regulator"].value) == "linear"
        low, high = min(d.value("aux.v_low"), d.value("aux.v_hold") if "aux.v_hold" in d.rows else np.inf), d.value("aux.v_high")
        assert low >= LOCK_OUT + (1.0 if linear else 0.0) and linear == (high > TAKES), (need, low, high)
        if not tank:
            across = float(np.max(d.rows["bus.v"].value)) * (0.5 if topology == "half_bridge" else 1.0)
            assert high == pytest.approx(across * d.value("transformer.naux") / d.value("transformer.np") - 0.8, rel=1e-6)
        regulated.add(linear)
    assert tank or True in regulated


def test_wide_mains_without_a_regulator_are_told():
    """The winding that holds a forward's controller up at 85 V gives far more at 265 V; and what stands above the window burns in the
    regulator, not for nothing in the sums."""
    bare = size(WIDE, {"topology": "forward_2sw", "front_end": "plain", "aux.regulator": "none"}, noise=False)
    told = [f for f in bare.findings if f.figure == "aux.v_high"]
    assert len(told) == 1 and told[0].severity == MUST_FIX and told[0].cure == "aux.regulator" and bare.value("aux.v_high") > 2 * TAKES
    d = size(WIDE, {"topology": "forward_2sw", "front_end": "plain"}, noise=False)
    assert d.feasible and d.value("aux.p_regulator") == pytest.approx(
        (d.value("aux.v_high") - float(d.rows["aux.v"].value)) * float(d.rows["aux.i"].value))
    kinds = lambda x: {kind: part for kind, part, _ in rows(x)}  # noqa: E731
    assert "transistor" in kinds(
        d)["regulator of the auxiliary supply"] and "regulator of the auxiliary supply" not in kinds(bare) and "coupler" in kinds(
            d)["over-voltage trip"]
    assert whole_bill(d)["small"] == whole_bill(bare)["small"] + 2
    top, low = (float(d.losses["controller"].at(d.grid.find(v, bus=b).index)) for v, b in ((265.0, "peak"), (85.0, "valley")))
    assert top / low == pytest.approx(
        float(d.rows["bus.v"].at(d.grid.find(265.0, bus="peak").index)) / float(d.rows["bus.v"].at(d.grid.find(85.0, bus="valley").index)),
        rel=1e-6)


def test_an_output_that_is_set_takes_the_supply_of_a_tank_with_it():
    """From 24 V down to 12 V the supply halves: by rule it still holds the controller up."""
    need = Requirement(mains=Mains(kind="dc", v_min=380, v_max=400),
                       outputs=(Output(voltage=24, voltage_min=14, voltage_max=24, current_max=5),))
    d = size(need, {"topology": "llc_half"}, noise=False)
    assert LOCK_OUT <= d.value("aux.v_low") < 0.7 * d.value("aux.v_high")


@pytest.mark.parametrize(("need", "front"), [(WIDE, "plain"), (BENCH, "plain"), (ROTATOR, "")])
def test_the_picture_over_the_bus(need, front):
    """From the end of hold-up, or the least bus, to the highest: the ends of the line are the figures, the limits and what keeps them stand
    beside it."""
    d = size(need, {"topology": "forward_2sw", **({"front_end": front} if front else {})}, noise=False)
    assert "supply" in pictures_of(d, "feedback") and "supply" not in pictures_of(size(ROTATOR, {"topology": "llc_half"}, noise=False),
        "feedback")
    p = PICTURES["supply"][1](d, d.grid.find(d.grid.lines[0]), 150.0, 110.0, d)
    low = d.value("aux.v_hold") if "aux.v_hold" in d.rows else d.value("aux.v_low")
    assert (p.data["supply [V]"].tolist() == pytest.approx([low, d.value("aux.v_high")])
            and p.data["supply x [V of bus]"][1] == pytest.approx(float(np.max(d.rows["bus.v"].value))))
    said = " ".join(x.text for x in p.items if hasattr(x, "text"))
    assert "controller stands 24.0 V" in said and ("regulator" in said) == (d.value("aux.v_high") > TAKES)
