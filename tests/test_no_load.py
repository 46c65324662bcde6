"""No load and the start: what burns while nothing is drawn, who starts the controller and how long it takes, and that a supply told to burn
little is designed to."""

import math

import numpy as np
import pytest
from msgspec.structs import replace

from rhevectra import demo
from rhevectra.app.parts import rows
from rhevectra.bench.bringup import plan
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.cost import whole_bill
from rhevectra.core.design.grid import make_grid
from rhevectra.core.design.size import size
from rhevectra.core.stages import FRONT_ENDS
from rhevectra.core.stages.pfc.record import solve
from rhevectra.project.codec import decode
from spice import measure

WIDE = Mains(kind="ac1", v_min=90, v_max=264)


def adapter(admitted: float | None, **more: object) -> Requirement:
    return Requirement(mains=WIDE, outputs=(Output(voltage=12, current_max=1),), ambient_max=40, standby_power_max=admitted, **more)


@pytest.fixture(scope="module")
def small():
    """A small adapter that may burn 100 mW at no load, and the same where nobody asks."""
    return size(adapter(0.1)), size(adapter(None))


def at_idle(d, id):
    """A row where no-load power is worst."""
    return float(d.rows[id].at(d.figure("standby.power").corner.index))


def test_a_supply_that_may_burn_little_is_designed_to(small):
    """By rule: a clamp that burns nothing at no load and a cell that starts the controller; without the wish resistors do both. Either sum
    is that of its losses, added up here."""
    asked, free = small
    assert asked.feasible and asked.value("standby.power") < 0.1 < free.value("standby.power") / 2.5
    assert asked.value("start.path") == "cell" and free.value("start.path") == "resistor" and asked.clamp != free.clamp
    for d in small:
        losses = {name: float(row.at(d.figure("standby.power").corner.index)) for name, row in d.rows["loss.total"].inputs.items()}
        assert sum(losses.values()) == pytest.approx(d.value("standby.power")) and losses["start_up"] == at_idle(d, "standby.start_up")
    assert at_idle(asked, "clamp.power") < 0.02 * at_idle(free, "clamp.power")
    assert not any(f.figure == "standby.power" for f in asked.findings)


def test_what_burns_across_line_and_bus(small):
    """Ohm's law at the highest line: what discharges the X capacitors within a second, and what lies across the bus."""
    for d in small:
        r = float(d.rows["inlet.r_x"].value)
        assert at_idle(d, "standby.x_discharge") == pytest.approx(264**2 / r)
        assert (r * float(d.rows["inlet.c_x"].value) * math.log(math.sqrt(2) * 264 / 60)
                == pytest.approx(d.value("inlet.discharge_time"), rel=1e-6) and d.value("inlet.discharge_time") < 1)
        v = at_idle(d, "bulk.v_peak")
        assert (at_idle(d, "standby.start_up")
                == pytest.approx(v**2 / float(d.rows["bulk.r_bleed"].value) + (v * 15e-6 if d.value("start.path") == "cell" else 0.0)))


def test_a_weaker_pin_where_the_coupler_would_burn_too_much():
    """12 W with 75 mW admitted: the largest pull that stays within, with the coupler's ratio and its slower pole behind the larger
    resistance of the pin; the loop keeps its margins. With 100 mW admitted, or nothing asked, the usual one."""
    d, usual = size(adapter(0.075)), size(adapter(0.075), {"feedback.i_pin": 1e-3})
    assert d.feasible and d.value("standby.power") < 0.075 < usual.value("standby.power")
    assert d.value("feedback.i_pin") < 1e-3 == size(adapter(None)).value("feedback.i_pin") == size(adapter(0.2)).value("feedback.i_pin")
    spared = [12 * x.value("feedback.i_pin") / x.value("feedback.ctr") for x in (usual, d)]
    assert at_idle(usual, "loss.bleed1") - at_idle(d, "loss.bleed1") == pytest.approx(spared[0] - spared[1], rel=1e-6)
    c = [1 / (2 * math.pi * x.value("feedback.r_pull") * x.value("feedback.f_coupler")) for x in (usual, d)]  # of one coupler, by its pole
    assert c[0] == pytest.approx(c[1], rel=0.03) and d.value("feedback.r_pull") * d.value("feedback.i_pin") == pytest.approx(5.0, rel=0.03)
    assert d.figure("feedback.phase_margin").margin > 0 and d.figure("feedback.i_end").margin > 0


def test_a_switch_discharges_the_x_capacitors_where_a_resistor_would_burn_too_much():
    """65 W with 100 mW admitted at no load: by rule a switch, which burns a few milliwatts; the crest of the highest line let down through
    its resistor step by step, from the moment it has seen that the line is gone. It is bought, and no ohmmeter reads its resistor."""
    need = Requirement(mains=WIDE, outputs=(Output(voltage=19.5, current_max=3.33),), ambient_max=40, standby_power_max=0.1)
    by_rule, burning, small = size(need), size(need, {"inlet.discharge": "resistor"}), size(adapter(0.1))
    assert (by_rule.value("inlet.discharge"), small.value("inlet.discharge")) == ("switch", "resistor")
    r, c = (float(by_rule.rows[id].value) for id in ("inlet.r_x", "inlet.c_x"))
    v, t, step = math.sqrt(2) * 264, 0.15, 1e-5  # 0.15 s: as typical, from memory
    while v > 60:
        v, t = v - step * v / (r * c), t + step
    assert by_rule.value("inlet.discharge_time") == pytest.approx(t, rel=1e-3) and t < 1
    assert by_rule.value("standby.power") < 0.1 < burning.value("standby.power")
    assert at_idle(burning, "standby.x_discharge") > 0.25 * 0.1 > 5 * at_idle(by_rule, "standby.x_discharge")
    assert any(f.figure == "standby.power" and f.cure == "inlet.discharge" for f in burning.findings)
    bought = [[kind for kind, _, _ in rows(d) if "discharge switch" in kind] for d in (by_rule, burning)]
    assert bought == [["discharge switch of the X capacitors"], []]
    read = [any(c.name == "Between the pins of the plug" for s in plan(d) for c in s.checks) for d in (by_rule, burning)]
    assert read == [False, True] and whole_bill(by_rule)["small"] == whole_bill(burning)["small"] + 1


@pytest.mark.parametrize("path", ["resistor", "cell"])
def test_time_to_the_first_pulse_in_the_simulator(path, tmp_path):
    """The supply capacitor charged by the resistor beside the controller's own current, or by the cell, until it stands at the controller's
    start."""
    d = size(adapter(None), {"start.path": path, **({"bulk.r_bleed": 2e6} if path == "resistor" else {})})
    c, told = float(d.rows["start.c_supply"].at(d.figure("start.delay").corner.index)), d.value("start.delay")
    feed = f"V1 a 0 DC {math.sqrt(2) * 90:.9g}\nR1 a s 2e6\nI1 s 0 DC 10u" if path == "resistor" else "I1 0 s DC 1m"
    text = f"start\n{feed}\nC1 s 0 {c:.9g} IC=0\n.tran {told / 4000:.4g} {1.5 * told:.6g} 0 {told / 4000:.4g} uic\n.end\n"
    assert measure(text, [], {"t": "WHEN v(s)=16"}, (0.0, 1.5 * told), tmp_path / "start.cir")["t"] == pytest.approx(told, rel=0.002)


def test_a_path_that_never_starts_is_told():
    """Through 12 MΩ at 90 V the controller's 10 µA leave 7 V, and it starts at 16 V; where the start is just reached it takes long and says
    nothing."""
    never, late = (size(adapter(None), {"bulk.r_bleed": r}) for r in (1.2e7, 1.1e7))
    told = [f for f in never.findings if f.severity == MUST_FIX]
    assert (len(told) == 1 and told[0].cure == "bulk.r_bleed" and "never starts" in told[0].text and "7.28 V" in told[0].text
            and not never.feasible)
    left = math.sqrt(2) * 90 - 1.1e7 * 10e-6
    told = 1.1e7 * float(late.rows["start.c_supply"].at(late.figure("start.delay").corner.index)) * math.log(left / (left - 16))
    assert (late.feasible and late.value("start.delay") == pytest.approx(told, rel=1e-3) and told > 20
            and math.isfinite(never.value("start.delay")))


def test_the_greatest_losses_are_named():
    """A clamp of resistor and capacitor and a start-up resistor pinned where 100 mW are admitted: the finding names the three greatest, the
    first of them says what to change; a choke's the same for the efficiency."""
    d = size(adapter(0.1, efficiency_target=0.95), {"clamp.kind": "rcd", "start.path": "resistor"})
    for id, at in (("standby.power", d.figure("standby.power").corner.index), ("efficiency", d.figure("efficiency").corner.index)):
        found = next(f for f in d.findings if f.figure == id)
        losses = {name: float(row.at(at)) for name, row in d.rows["loss.total"].inputs.items()}
        most = max(losses, key=lambda name: losses[name])
        assert most == "clamp" and found.cure == "clamp.kind" and "most of it clamp" in found.text
    assert size(adapter(0.1), {"clamp.r": 100e3}).clamp == "rcd", "what was decided for a clamp keeps it"


def test_synchronous_controllers_sleep_at_no_load():
    """Where pulses are left out they take a fifth of a milliampere; a law of fixed frequency has them take theirs and the gate's charge at
    every load."""
    need = adapter(None)
    skips, fixed = (size(need, {"light_load": law, "rectifier1.class": "sync-100V-15mR", "rectifier.v_gate": 10.0})
                    for law in ("skip", "fixed"))
    idle = skips.grid.corner((0, 0, [p.currents for p in skips.grid.points].index((0.0,)), 0)).index
    awake = 1e-3 + shipped()["rectifiers"].row("sync-100V-15mR")["q_gate_c"] * float(fixed.rows["fs"].value)
    bled = [float(d.rows["load.bleed1"].at(idle)) for d in (skips, fixed)]
    assert bled[1] - bled[0] == pytest.approx(awake - 0.2e-3, rel=1e-6)


def test_the_supply_reaches_from_the_highest_setting_to_the_lowest():
    """An output from 5 to 20 V: the winding stands so high that the controller still has its supply at 5 V, behind a regulator."""
    need = Requirement(mains=WIDE, outputs=(Output(voltage=20, current_max=2.25, voltage_min=5, voltage_max=20),))
    d = size(need)
    assert d.value("aux.regulator") == "linear" and d.value("aux.v_low") >= 9.5 + 1.0 and d.feasible
    assert float(d.rows["aux.v"].value) == pytest.approx((11.5 + 1) * 4 - 1, rel=0.05)


def test_high_currents_at_some_fifty_volts_can_be_rectified():
    """2.4 kW at 54 V behind three phases: a bridge's diodes of 300 V carry it (none of the classes had)."""
    need = Requirement(mains=Mains(kind="ac3", v_min=340, v_max=440),
                       outputs=(Output(voltage=54, current_max=45, voltage_min=44, voltage_max=58),), cooling="forced")
    d = size(need, {"topology": "full_bridge"})
    assert (d.feasible and d.value("rectifier1.i_avg") == pytest.approx(22.5, rel=0.01)
            and not d.value("rectifier1.class").startswith("sync"))


@pytest.mark.parametrize("front", ["pfc_ccm", "pfc_crm", "pfc_bridgeless"])
def test_bursts_at_light_load(front):
    """Below the burst power every loss is that of the burst power for the share of the time it runs, and the controller sleeps in between;
    at and above it nothing changes. Against the stage that never bursts, solved at those powers."""
    need = decode(demo.text("frost-fans"), "demo").requirement
    d = size(need, {"front_end": front})
    plan, grid = d.context["front"], make_grid(need, FRONT_ENDS[front])
    never = replace(plan, burst=0.0)
    at = np.full((*grid.shape[:3], 1), 1.0)
    burst = solve(never, grid, 0.9 * plan.burst * at, solve(never, grid, 0.9 * plan.burst * at))
    runs = plan.burst / burst.p_in
    same = solve(never, grid, (0.9 * plan.burst * runs)[..., None] * at, burst)  # close to the burst power from the line
    quarter = solve(plan, grid, (0.25 * same.power)[..., None], solve(plan, grid, (0.25 * same.power)[..., None]))
    for name, loss in same.losses.items():
        share = quarter.p_in / plan.burst
        expected = loss * share + (7e-3 * (1 - share) if name == "pfc_controller" else 0.0)
        assert quarter.losses[name] == pytest.approx(expected, rel=0.02, abs=1e-6), name
    full = grid.full_load
    assert (solve(plan, grid, d.rows["bulk.p_load"].value).losses["pfc_core"][:, :, full]
            == pytest.approx(solve(never, grid, d.rows["bulk.p_load"].value).losses["pfc_core"][:, :, full]))
    assert d.value("standby.power") < size(need, {"front_end": front, "pfc.burst_below": 0.0}).value("standby.power")


def test_the_path_is_bought(small):
    """The parts list tells what lies across the bus, once behind a pair of capacitors too."""
    asked = small[0]
    assert [(value.split(",")[0], count) for kind, value, count in rows(asked) if "start-up" in kind] == [("10.0 MΩ", 1)]
    doubled = size(adapter(None), {"front_end": "doubler"})
    assert [count for kind, _, count in rows(doubled) if "start-up" in kind] == [1]


def test_nobody_waits_for_a_resistor():
    """By hand: what a supply takes in 22 ms over 6.5 V, through 3 MΩ from the crest of the lowest line to 16 V. Beyond three and a half
    seconds the rule takes a cell and says how long the resistor would take; a resistor that is pinned there is told, with the seconds it
    takes (far beyond the five it may take) and the decision that cures it."""
    for need, pins in ((adapter(None), {}), (decode(demo.text("frost-fans"), "demo").requirement, {"topology": "llc_half"})):
        d = size(need, pins, noise=False)
        c = float(d.rows["aux.i"].value) * 22e-3 / 6.5
        seconds = -3e6 * c * math.log(1 - 16 / (math.sqrt(2) * need.mains.v_min))
        assert d.value("start.path") == ("cell" if seconds > 3.5 else "resistor") and float(d.value("start.delay")) < 5
        row = d.rows["start.path"]
        assert seconds < 3.5 or f"some {seconds:.0f} s" in row.rule
    pinned = size(need, {**pins, "start.path": "resistor"}, noise=False)
    told = next(f for f in pinned.findings if f.figure == "start.delay")
    assert float(pinned.value("start.delay")) > 4 * 5 and told.cure == "start.path" and told.severity == "look at"
    fed = size(adapter(None), {"topology": "forward_2sw"}, noise=False)
    assert fed.value("start.path") == "resistor" and float(fed.value("start.delay")) == pytest.approx(-3e6 * float(fed.value("aux.c_least"))
        * math.log(1 - 16 / (math.sqrt(2) * 90 - 3e6 * 10e-6)), rel=1e-3), "its winding feeds the controller from the first pulse on"


@pytest.mark.parametrize(("volts", "watts", "topology"),
                         [(48, 7, "flyback"), (24, 6, "flyback_qr"), (48, 25, "flyback_qr"), (12, 6, "flyback"), (5, 20, "flyback"),
                          (15, 60, "flyback_qr")])
def test_little_power_at_much_voltage_takes_long_to_stand(volts, watts, topology):
    """From 85 V, by rule: never more than five seconds from the mains to the first pulse; 5 V stand at once, and the cheaper resistor
    does."""
    need = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=volts, current_max=watts / volts),))
    d, pinned = (size(need, {"topology": topology, **pins}, noise=False) for pins in ({}, {"start.path": "resistor"}))
    assert d.value("start.delay") < 5 and (pinned.value("start.delay") < 5 or d.value("start.path") == "cell")
    assert volts > 5 or d.value("start.path") == "resistor"
