"""Stages at home behind a battery: tens of amperes through dies of milliohms."""

import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.exact import exact, remarks
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES


@pytest.mark.parametrize(("topology", "low", "high", "volts", "power"), [
    ("full_bridge", 18, 36, 24, 430), ("half_bridge", 36, 60, 12, 600), ("llc_full", 18, 36, 15, 500), ("flyback_2sw", 18, 36, 24, 120),
    ("psfb", 36, 60, 12, 400), ("forward_active_clamp", 18, 36, 12, 160), ("forward_2sw", 18, 36, 12, 200)])
def test_diodes_that_hold_a_switch_to_its_bus_are_those_of_its_die(topology, low, high, volts, power):
    """A die that carries the current at milliohms has a diode that carries it too: the exact waveform passes no rating of the switch by
    more than 3 % at full load, neither at the lowest source nor at the highest, and the model in the netlist says why."""
    d = size(Requirement(mains=Mains(kind="dc", v_min=low, v_max=high), outputs=(Output(voltage=volts, current_max=power / volts),),
                         cooling="forced", insulation="basic", efficiency_target=0.7), {"topology": topology}, noise=False)
    for line in (low, high):
        c = d.grid.find(line, 1.0, "run", d.grid.bus[0])
        assert [r.text for r in remarks(d, exact(d, c)) if r.figure == "switch.v_peak"] == []
        models = {m.split()[1]: m for m in TOPOLOGIES[topology].circuit(d, c).models}
        die = float(models["SWITCH"].split("RON=")[1].split()[0])
        assert float(models["DBODY"].split("RS=")[1].split()[0].rstrip(")")) <= 1.001 * die < 0.05
