"""Gate drive: against a gate whose charge is moved step by step, and a bootstrap supply run in the engine."""

import numpy as np
import pytest

from rhevectra.app import parts
from rhevectra.app.netlist import netlist_text
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import plain
from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.core.design.size import size

WIDE, BUS = Mains(kind="ac1", v_min=85, v_max=265), Mains(kind="dc", v_min=360, v_max=400)
FLOATING = {"llc_half": 1, "llc_three_phase": 3, "psfb": 2, "full_bridge": 2, "forward_2sw": 1, "flyback_2sw": 1}


def designed(topology, **pins):
    mains = WIDE if topology.startswith("flyback") else BUS
    need = Requirement(mains=mains, outputs=(Output(voltage=24.0, current_max=4.0),), cooling="forced")
    return size(need, {"topology": topology, **pins}, noise=False, loop=False)


def at(d, id):
    return float(np.max(plain(d.rows[id])))


def test_the_turn_off_path_empties_the_gate_in_the_fall_time():
    """A gate of capacitances before and after its plateau, discharged through that resistance in small steps: the charge of the plateau,
    four tenths of all (typical, from memory), goes in the class's fall time."""
    d = designed("flyback")
    row = d.catalogue["switches"].row(str(d.rows["switch.class"].value))
    q, volts, level, r = row["q_gate_c"], at(d, "gate.v"), 5.0, at(d, "gate.r_off")
    before, after = 0.3 * q / level, 0.3 * q / (volts - level)  # the rest of the charge, below and above the plateau
    charge, t, step, times = q, 0.0, 1e-11, []
    while charge > 0.25 * q:
        left = charge - 0.3 * q
        v = charge / before if left < 0 else level if left < 0.4 * q else level + (left - 0.4 * q) / after
        if 0 <= left < 0.4 * q:
            times.append(t)
        charge -= step * v / r
        t += step
    assert times[-1] - times[0] == pytest.approx(row["t_fall_s"], rel=0.01)
    assert at(d, "gate.i_off") == pytest.approx(level / r)


@pytest.mark.parametrize("topology", ["llc_half", "full_bridge"])
def test_a_bootstrap_supply_in_the_engine(topology):
    """Diode, capacitor and what a gate takes in a period: it droops by no more than allowed, the diode blocks the bus and the supply, and
    what the supply gives is the gate's charge and the driver's current."""
    d = designed(topology)
    rate, v_gate, c = (at(d, id) for id in ("gate.f_least", "gate.v", "gate.c_boot"))
    period, v_bus, charge = 1 / rate, 400.0, at(d, "gate.q")
    wide = 50e-9
    text = "\n".join((
        "bootstrap", f"Vsup sup 0 DC {v_gate}", "Dboot sup k DB", "Rboot k top 2",
        f"Vnode node 0 PULSE(0 {v_bus} 0 20n 20n {0.5 * period - 40e-9:.9g} {period:.9g})", f"Cboot top node {c:.9g} IC={v_gate}",
        f"Igate top node PULSE(0 {charge / wide:.9g} 100n 1n 1n {wide - 1e-9:.9g} {period:.9g})", "Iquiet top node DC 0.15m",
        ".model DB D(IS=1e-14 N=1 RS=0.1)", ".end"))
    found = Measures(steady(read(text), period))
    across, boot = found.measure("v", "cboot"), found.measure("v", "dboot")
    assert 0 < across.max - across.min <= 0.5 and -boot.min == pytest.approx(at(d, "gate.v_boot"), rel=0.02)
    assert found.measure("i", "dboot").avg == pytest.approx(charge * rate + 0.15e-3, rel=0.03)
    assert at(d, "gate.i_avg") == pytest.approx(charge * at(d, "switch.frequency"))
    small = designed(topology, **{"gate.c_boot": 0.4 * at(d, "gate.c_boot_least")})
    told = [f for f in small.findings if f.figure == "gate.c_boot"]
    assert told[0].severity == "must fix" and told[0].cure == "gate.c_boot"


@pytest.mark.parametrize("topology", ["half_bridge", "full_bridge", "push_pull", "psfb", "llc_half", "forward_active_clamp"])
def test_never_both_switches_of_a_leg(topology):
    """The pulses of the netlist at the largest duty, one against the other: what lies between them, at the fastest rate, is the dead time
    told; that of which the gates need more is refused with the decision that gives it."""
    d = designed(topology)
    left, need = at(d, "gate.dead_left"), at(d, "gate.dead_need")
    row = d.catalogue["switches"].row(str(d.rows["switch.class"].value))
    assert need == pytest.approx(row["t_fall_s"] / 0.4 + 50e-9) and need < left
    if topology in ("half_bridge", "full_bridge", "push_pull"):
        rate, duty, tolerance = (at(d, id) for id in ("switch.frequency", "switch.duty_limit", "switch.fs_tolerance"))
        half = 0.5 / (rate * (1 + tolerance))  # gates alternate: one closes half a period after the other did
        assert left == pytest.approx(half - duty * half)
        text = netlist_text(d, 360.0, 1.0, "").splitlines()
        first, second = (line for line in text if line.startswith("Vgate"))
        delays = [float(line[line.index("(") :].split()[2]) for line in (first, second)]
        assert delays[1] - delays[0] == pytest.approx(0.5 / rate, rel=1e-6)
    pin = {"llc_half": "switch.dead_time", "psfb": "psfb.dead_leading", "forward_active_clamp": "active.dead_time"}.get(topology,
        "switch.duty_limit")
    short = designed(topology, **({pin: 0.97, "fs": 200e3} if pin == "switch.duty_limit" else {pin: 0.5 * need}))
    told = [f for f in short.findings if f.figure == "gate.dead_need"]
    assert told[0].severity == "must fix" and told[0].cure == pin


def test_the_heat_of_the_gates_is_that_of_charging_them():
    """A capacitor of the gate's charge, charged and emptied through resistors by switches in the engine: its supply gives, and the
    resistors burn, what is told for one gate."""
    d = designed("llc_half")
    rate, v_gate, charge = at(d, "switch.frequency"), at(d, "gate.v"), at(d, "gate.q")
    period = 1 / rate
    text = "\n".join((
        "gate", f"Vsup sup 0 DC {v_gate}", f"Vup u 0 PULSE(0 10 0 2n 2n {0.45 * period:.9g} {period:.9g})",
        f"Vdown w 0 PULSE(0 10 {0.5 * period:.9g} 2n 2n {0.45 * period:.9g} {period:.9g})", "Son sup a u 0 SW1", "Ron a g 10",
        "Soff g b w 0 SW1", "Roff b 0 5", f"Cgate g 0 {charge / v_gate:.9g} IC=0", ".model SW1 SW(RON=0.1 ROFF=1e9 VT=5 VH=0)", ".end"))
    found = Measures(steady(read(text), period))
    assert -v_gate * found.measure("i", "vsup").avg == pytest.approx(at(d, "gate.power") / 2, rel=0.02)


@pytest.mark.parametrize("topology", sorted(FLOATING))
def test_what_drives_a_switch_whose_source_moves(topology):
    """Bridges by bootstrap, of each leg's upper switch; two switches that hang at both ends of a winding by a transformer, whose volts and
    seconds are the pulse's. Either may be chosen instead."""
    d, bought = designed(topology), {}
    for kind, told, count in parts.rows(d):
        bought[kind] = (told, count)
    if topology in ("forward_2sw", "flyback_2sw"):
        assert d.value("gate.floating") == "transformer" and "gate transformer" in bought and "gate.c_boot" not in d.rows
        assert at(d, "gate.vs") == pytest.approx(at(d, "gate.v") * float(np.max(
            np.broadcast_to(plain(d.rows["switch.duty_max"]), d.grid.shape) / plain(d.rows["switch.frequency"]))), rel=1e-6)
    else:
        assert bought["bootstrap capacitor"][1] == bought["bootstrap diode"][1] == FLOATING[topology]
    other = designed(topology, **{"gate.floating": "bootstrap" if "gate.vs" in d.rows else "transformer"})
    assert ("gate.vs" in other.rows) is not ("gate.vs" in d.rows)


def test_a_switch_with_its_driver_inside_has_none():
    d = designed("flyback", **{"switch.class": "integrated-700V-60W"})
    assert not any(id.startswith("gate.") for id in d.rows) and not any("gate" in kind for kind, _, _ in parts.rows(d))
    alone = designed("flyback")
    assert "gate.q" in alone.rows and "gate.floating" not in alone.rows


@pytest.mark.parametrize(("front", "count"), [("pfc_ccm", 1), ("pfc_interleaved", 2), ("pfc_bridgeless", 2)])
def test_switches_of_the_power_factor_stage(front, count):
    """The charge that turns them off in their fall time, by hand; a gate resistor for each."""
    need = Requirement(mains=WIDE, outputs=(Output(voltage=48.0, current_max=12.0),), cooling="forced")
    d = size(need, {"topology": "llc_half", "front_end": front, "pfc.switch_parallel": 1}, noise=False, loop=False)
    row = d.context["front"].switch
    assert at(d, "pfc.gate_i_off") == pytest.approx(0.4 * row["q_gate_c"] / row["t_fall_s"])
    plateau = 2.5 if row["kind"] == "wide-gap" else 5.0
    assert at(d, "pfc.gate_r_off") * at(d, "pfc.gate_i_off") == pytest.approx(plateau)
    assert [n for kind, _, n in parts.rows(d) if kind == "gate resistor of the power factor stage"] == [count]
