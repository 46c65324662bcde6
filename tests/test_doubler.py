"""The doubler against a circuit simulator, step-by-step integration and nodal analysis; its selector and its balance resistors."""

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.contest import _other_front_ends, entry_of
from rhevectra.core.design.cost import cost_index, part_count, prices, whole_bill
from rhevectra.core.design.size import size
from rhevectra.core.formulas.doubler import capacitor_voltage, leakage_difference, solve_doubler
from rhevectra.core.formulas.rectifier import LineSource, solve_bulk
from rhevectra.core.stages import FRONT_ENDS
from rhevectra.core.topologies import TOPOLOGIES
from spice import measure

R, L, ESR, DROP = 1.0, 0.8e-3, 0.1, 0.9
SOURCE = LineSource(R, L, DROP, ESR)


@pytest.mark.parametrize(("v_line", "f_line", "power", "c"), [(90.0, 47.0, 150.0, 470e-6), (132.0, 63.0, 60.0, 100e-6)])
def test_against_the_simulator(v_line, f_line, power, c, tmp_path):
    """Two sharp diodes and two capacitors with resistance feeding a constant power: within 1 %."""
    end = 16 / f_line
    netlist = f"""doubler
V1 a 0 SIN(0 {v_line * 2**0.5} {f_line})
R1 a b {R}
L1 b c {L}
D1 c p dm
D2 n c dm
C1 p x {c} IC={v_line * 1.35}
R2 x 0 {ESR}
C2 0 y {c} IC={v_line * 1.35}
R3 y n {ESR}
Cs c 0 10n
Rs c 0 100k
B1 p n I={power}/max(v(p,n),20)
.model dm D(IS=1e-42 N=0.36 RS=1m CJO=100p)
.options reltol=1e-4 abstol=1e-8 method=gear
.tran 5u {end} 0 5u uic
.end
"""
    names = {"vmin": "MIN vb", "vmax": "MAX vb", "irms": "RMS ii", "ipk": "MAX ii", "icap": "RMS ic"}
    found = measure(netlist, ["let vb=v(p)-v(n)", "let ii=abs(i(v1))", f"let ic=(v(x)-0)/{ESR}"], names, (end - 4 / f_line, end),
                    tmp_path / "d.cir")
    b = solve_doubler(v_line, f_line, power, c, SOURCE)
    for value, theirs in ((b.v_valley, "vmin"), (b.v_peak, "vmax"), (b.i_rms, "irms"), (b.i_peak, "ipk"), (b.i_cap, "icap")):
        assert float(value) == pytest.approx(found[theirs], rel=0.01), theirs


def _stepped(v, f, power, c, cycles=14, steps=6000):
    """Bus extremes and line current rms by small steps of both branches, without symmetry or tangent."""
    crest, w, dt = np.sqrt(2) * v, 2 * np.pi * f, 1 / f / steps
    v1 = v2 = 0.95 * crest
    i1 = i2 = 0.0
    bus, amps = [], []
    for k in range(cycles * steps):
        load, e = power / (v1 + v2), crest * np.sin(w * (k + 0.5) * dt)
        i1 = max(i1 + dt / L * (e - DROP - R * i1 - v1 - ESR * (i1 - load)), 0.0)
        i2 = max(i2 + dt / L * (-e - DROP - R * i2 - v2 - ESR * (i2 - load)), 0.0)
        v1, v2 = v1 + dt * (i1 - load) / c, v2 + dt * (i2 - load) / c
        if k >= (cycles - 1) * steps:
            bus.append(v1 + v2 + ESR * (i1 + i2 - 2 * load))
            amps.append(i1 + i2)
    return min(bus), max(bus), float(np.sqrt(np.mean(np.square(amps))))


def test_against_small_steps_of_both_branches():
    """115 V, 300 W, 680 µF each: valley and crest within 0.1 %, current within 0.5 %."""
    valley, crest, rms = _stepped(115.0, 60.0, 300.0, 680e-6)
    b = solve_doubler(115.0, 60.0, 300.0, 680e-6, SOURCE)
    assert float(b.v_valley) == pytest.approx(valley, rel=1e-3) and float(b.v_peak) == pytest.approx(crest, rel=1e-3)
    assert float(b.i_rms) == pytest.approx(rms, rel=5e-3)


def test_energy_and_unloaded_crest_over_random_mains():
    """What enters leaves or heats (0.2 %), and unloaded the bus is two crests less two drops."""
    rng = np.random.default_rng(11)
    v, f, power = rng.uniform(85, 140, 300), rng.uniform(45, 65, 300), rng.uniform(20, 800, 300)
    c = power * rng.uniform(2.5e-6, 8e-6, 300)
    b = solve_doubler(v, f, power, c, SOURCE)
    good = ~b.collapsed
    assert good.mean() > 0.97
    heat = R * b.i_rms**2 + 2 * ESR * b.i_cap**2 + DROP * 2 * f * (b.i_nodes * b.weights).sum(-1)
    assert np.all(np.abs(b.p_line / (power + heat) - 1)[good] < 0.002)
    idle = solve_doubler(115.0, 50.0, 0.05, 470e-6, SOURCE)
    assert float(idle.v_peak) == pytest.approx(2 * (np.sqrt(2) * 115 - DROP), rel=0.002)


def test_an_earlier_solution_leads_to_the_same_one():
    v, power = np.array([90.0, 115.0, 132.0]), np.array([150.0, 80.0, 5.0])
    rough = solve_doubler(v, 50.0, power, 470e-6, SOURCE, residual=2e-3)
    again, anew = solve_doubler(v, 50.0, 1.03 * power, 470e-6, SOURCE, rough), solve_doubler(v, 50.0, 1.03 * power, 470e-6, SOURCE)
    assert again.v_valley == pytest.approx(anew.v_valley, rel=3e-4)


def test_a_doubled_low_range_is_a_bridged_high_one_nearly():
    """Twice the line on a bridge with the pair in series gives about the same bus (within 6 %: each of the pair waits a whole period)."""
    low = solve_doubler(115.0, 50.0, 150.0, 470e-6, SOURCE)
    high = solve_bulk(230.0, 50.0, 150.0, 235e-6, LineSource(R, L, 2 * DROP, 2 * ESR))
    assert float(low.v_valley) == pytest.approx(float(high.v_valley), rel=0.06)
    assert float(low.v_valley) < float(high.v_valley)


def test_share_of_leaky_capacitors_by_nodal_analysis():
    """Two resistors and two leakage currents that differ: the higher capacitor by solving the node at the middle."""
    v, r, leak = 373.0, 150e3, float(leakage_difference(470e-6, 373.0))
    middle = np.linalg.solve([[2 / r]], [v / r + leak])[0]  # the lower capacitor leaks less by `leak`, so the middle rises
    assert float(capacitor_voltage(v, 0.0, r, leak)) == pytest.approx(middle)


def _doubled(v_min, v_max, **pins):
    nominals = tuple(v for v in (115.0, 230.0) if v_min <= v <= v_max)
    need = Requirement(mains=Mains(kind="ac1", v_min=v_min, v_max=v_max, nominals=nominals),
                       outputs=(Output(voltage=24.0, current_max=4.0),), harmonics_class="none")
    return size(need, {"front_end": "doubler", "topology": "forward_2sw", **pins})


def test_selector_serves_both_nominals_and_narrows_the_bus():
    """90 to 264 V: the ends of both positions are corners, and the bus spans less than half of what one capacitor gives."""
    d = _doubled(90, 264)
    assert d.feasible and {90.0, 132.0, 179.0, 264.0} <= set(d.grid.lines)
    plain = size(d.requirement, {"front_end": "plain", "topology": "forward_2sw"})
    span = lambda x: float(x.value("bulk.v_peak")) / float(x.value("bulk.v_valley"))  # noqa: E731
    assert span(d) < 0.6 * span(plain)
    doubled = d.rows["bridge.v_reverse"].at((d.grid.lines.index(132.0), 0, 0, 0))
    assert doubled == pytest.approx(2 * np.sqrt(2) * 132.0)
    assert "bursts" in " ".join(f.text for f in d.findings)
    assert float(d.value("bulk.hold_up")) >= d.requirement.hold_up


def test_where_nothing_is_doubled_it_says_so_and_equals_the_bridge():
    d = _doubled(180, 264)
    assert any("nothing to double" in f.text for f in d.findings)
    one = size(d.requirement,
               {"front_end": "plain", "topology": "forward_2sw", "bulk.c": float(d.value("bulk.c")) / 2,
                "bulk.v_min_stage": float(np.asarray(d.rows["bulk.v_min_stage"].value))})
    assert float(d.value("bulk.v_valley")) == pytest.approx(float(one.value("bulk.v_valley")), rel=0.01)


def test_a_large_balance_resistor_or_a_bad_match_is_refused_by_name():
    for pins in ({"bulk.r_balance": 2.2e6}, {"bulk.match": 0.3, "derating.bulk_v": 1.0, "bulk.r_balance": 1e6}):
        d = _doubled(90, 264, **pins)
        assert any(f.figure == "bulk.v_capacitor" and f.severity == "must fix" for f in d.findings), pins


def test_the_picture_s_capacitors_add_up_to_its_bus():
    """One capacitor, and itself half a period later: their sum is the bus drawn, at a doubled and at a bridged line."""
    d = _doubled(90, 264)
    for v in (90.0, 264.0):
        now = FRONT_ENDS["doubler"].cycle(d, d.grid.find(v))
        half = len(now["t"]) // 2
        later = np.interp((now["t"] + 0.5 * now["t"][-1]) % now["t"][-1], now["t"], now["capacitor"])
        assert now["capacitor"][5 : half - 5] + later[5 : half - 5] == pytest.approx(now["bulk"][5 : half - 5], rel=2e-3)
        assert now["bulk"].min() >= 0.99 * float(d.rows["bulk.v_valley"].at((*d.grid.find(v).index[:3], 0)))


def test_the_contest_tries_it_where_all_of_the_mains_are_doubled():
    """90 to 132 V: behind the doubler a full bridge carries half the current and loses less than behind the plain bridge, and is tried; a
    range that asks for a selector, or has nothing to double: not."""
    need = _doubled(90, 132, topology="full_bridge").requirement
    fs = TOPOLOGIES["full_bridge"].CONTEST["fs"][0]
    plain, doubled = (entry_of(need, None, {"topology": "full_bridge", "front_end": f, "fs": fs}) for f in ("plain", "doubler"))
    assert doubled.feasible and doubled.loss < plain.loss
    assert "doubler" in _other_front_ends(need, [plain]) and "doubler" not in _other_front_ends(need, [plain, doubled])
    assert not any(FRONT_ENDS["doubler"].rivals(_doubled(low, 264).requirement) for low in (90, 180)) and not FRONT_ENDS["plain"].rivals(
        need)


def test_what_a_pair_costs_by_hand():
    """From one capacitor to a pair with a selector: the capacitors, two balance resistors and the selector, by the printed prices; without
    a selector where all mains are doubled."""
    cost, d = prices(shipped()["costs"]), _doubled(90, 264)
    bulk = lambda x: cost["capacitor"] + cost["storage"] * np.sqrt(x["c_f"] * 1e6 * x["v_class_v"] / 10) / 10  # noqa: E731
    bill = whole_bill(d)
    bare = {k: v for k, v in bill.items() if k not in ("bulk", "selectors", "bridges")} | {"small": bill["small"] - 2}
    cap = d.catalogue["bulk_capacitors"].row(bill["bulk"][0][0])
    bridge = d.catalogue["bridges"].row(d.rows["bridge.class"].value)
    assert cap["c_f"] == float(d.value("bulk.c")) and bill["bulk"][0][1] == 2
    assert (cost_index(d, bill) - cost_index(d, bare)
            == pytest.approx(
                2 * bulk(cap) + 2 * cost["small"] + cost["selector"] + cost["rectifier"] + cost["ampere"] * bridge["i_rated_a"]))
    assert part_count(bill) - part_count(bare) == 2 + 2 + 1 + 1
    assert whole_bill(_doubled(90, 132))["selectors"] == 0
