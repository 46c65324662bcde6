"""The solved bulk against a circuit simulator, direct integration, and common practice."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhevectra.app.parts import rows
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.cost import whole_bill
from rhevectra.core.design.size import size
from rhevectra.core.formulas.rectifier import LineSource, line_harmonics, solve_bulk
from spice import measure

R, X, ESR, DROP, C, P = 1.0, 0.25, 0.8, 1.6, 150e-6, 70.0
L = X / (2 * np.pi * 50)
SOURCE = LineSource(R, L, DROP, ESR)


@pytest.mark.parametrize("v_line", [85.0, 180.0, 265.0])
@pytest.mark.parametrize("f_line", [47.0, 63.0])
def test_bridge_and_bulk_against_the_simulator(v_line, f_line, tmp_path):
    """Same source impedance, drops and capacitor resistance; sharp diodes of 0.8 V at 1 A. Within 1 %."""
    end = round(0.3 * f_line) / f_line
    netlist = f"""bridge and bulk
V1 a n0 SIN(0 {v_line * 2**0.5} {f_line})
R1 a b {R}
L1 b c {L}
D1 c p dm
D2 n0 p dm
D3 n c dm
D4 n n0 dm
C1 p x {C} IC={v_line * 1.35}
R2 x n {ESR}
Rg n 0 1
Cs c n0 10n
Rs c n0 100k
B1 p n I={P}/max(v(p,n),20)
.model dm D(IS=1e-42 N=0.32 RS=5m CJO=100p)
.options reltol=1e-4 abstol=1e-8 method=gear
.tran 10u {end} 0 10u uic
.end
"""
    names = {"vmin": "MIN vb", "vmax": "MAX vb", "irms": "RMS ii", "ipk": "MAX ii"}
    found = measure(netlist, ["let vb=v(p)-v(n)", "let ii=abs(i(v1))", f"wrdata {tmp_path}/i.txt i(v1)"], names, (end - 6 / f_line, end),
                    tmp_path / "b.cir")
    b = solve_bulk(v_line, f_line, P, C, SOURCE)
    for value, theirs in ((b.v_valley, "vmin"), (b.v_peak, "vmax"), (b.i_rms, "irms"), (b.i_peak, "ipk")):
        assert float(value) == pytest.approx(found[theirs], rel=0.01), theirs
    t, i = np.loadtxt(tmp_path / "i.txt").T
    late, level = t > end - 6 / f_line, 0.02 * found["ipk"]
    on = np.sum(np.diff(t[late]) * (np.abs(i[late][:-1]) > level)) / 12
    fine = np.linspace(b.t_nodes.min(), b.t_nodes.max(), 4000)
    mine = np.mean(np.interp(fine, b.t_nodes, b.i_nodes) > level) * (fine[-1] - fine[0])
    assert mine == pytest.approx(on, rel=0.01)


def test_against_direct_integration_of_the_nonlinear_circuit():
    """Second route without the tangent of the constant-power load: Runge-Kutta over ten cycles (230 V, 50 Hz)."""
    crest, w = 230 * np.sqrt(2), 2 * np.pi * 50

    def rates(t, y):
        i, v = y
        u = v + ESR * (i - P / v)
        push = crest * abs(np.sin(w * t)) - DROP - R * i - u
        return [push / L if i > 0 or push > 0 else 0.0, (max(i, 0) - P / v) / C]

    y = solve_ivp(rates, (0, 0.2), [0.0, 310.0], max_step=2e-5, rtol=1e-8, atol=1e-8)
    last = y.t > 0.18
    t, i = y.t[last], np.maximum(y.y[0][last], 0)
    b = solve_bulk(230.0, 50.0, P, C, SOURCE)
    assert float(b.i_rms) == pytest.approx(np.sqrt(np.trapezoid(i**2, t) / 0.02), rel=0.005)
    assert float(b.v_valley) == pytest.approx((y.y[1][last] + ESR * (i - P / y.y[1][last])).min(), rel=0.001)
    third = abs(np.trapezoid(i * np.sign(np.sin(w * t)) * np.exp(-3j * w * t), t)) / 0.02 * np.sqrt(2)
    assert float(line_harmonics(b, np.array(50.0), np.array([3]))[0]) == pytest.approx(third, rel=0.01)


def test_unloaded_bulk_is_the_crest_less_two_drops():
    """Common practice, no source: a bulk reads 1.414 × mains at no load, less two diode drops."""
    b = solve_bulk(230.0, 50.0, 0.05, C, SOURCE)
    assert float(b.v_peak) == pytest.approx(1.414 * 230 - 2 * 0.8, rel=0.002)


def test_energy_that_enters_leaves_or_heats():
    """0.5 %: the load current is taken from the capacitor's inner voltage, without the drop in its resistance (0.3 % at 85 V here)."""
    b = solve_bulk(np.array([85.0, 265.0]), 47.0, P, C, SOURCE)
    average = (b.i_nodes * b.weights).sum(-1) * 2 * 47.0
    heat = R * b.i_rms**2 + DROP * average + ESR * b.i_cap**2
    assert b.p_line == pytest.approx(P + heat, rel=5e-3)


def test_a_capacitor_that_cannot_carry_the_load_is_said_to():
    assert bool(solve_bulk(85.0, 47.0, 70.0, 10e-6, SOURCE).collapsed)
    hopeless = solve_bulk(np.array([85.0, 115.0]), 47.0, 2000.0, 100e-6,
                          SOURCE)  # far beyond what the source gives: marked, and still a bus a stage can be drawn at
    assert hopeless.collapsed.all() and (hopeless.v_valley > 0).all() and np.isfinite(hopeless.i_rms).all()
    assert not bool(solve_bulk(85.0, 47.0, 70.0, 150e-6, SOURCE).collapsed)


def test_a_capacitor_far_too_small_gives_numbers_and_a_refusal():
    """1 µF under 1.25 kW: no steady state, said so; nothing is infinite or beyond what the mains can drive, and a whole design stays
    finite."""
    from balances import check_finite
    from rhevectra.core.basis.requirement import Mains, Output, Requirement
    from rhevectra.core.design.size import size

    b = solve_bulk(np.array([85.0, 265.0]), 50.0, 1250.0, 1e-6, LineSource(0.5, 8e-4, 1.6, 1.0))
    assert b.collapsed.all() and all(
        np.isfinite(getattr(b, n)).all() for n in ("v_valley", "v_peak", "i_rms", "i_cap", "p_line", "v_nodes", "i_nodes"))
    assert (b.v_peak <= np.sqrt(2) * np.array([85.0, 265.0])).all() and (b.v_valley <= b.v_peak).all()
    d = size(Requirement(mains=Mains(kind="ac1", v_min=85, v_max=267), outputs=(Output(voltage=5, current_max=250),)),
             {"topology": "llc_three_phase", "front_end": "plain", "bulk.c": 1e-6})
    assert not d.feasible and any("cannot carry the load" in f.text for f in d.findings)
    check_finite(d)


@pytest.mark.parametrize(("watts", "low", "front"), [(300, 85, "plain"), (850, 85, "plain"), (1000, 195, "plain"), (800, 85, "doubler")])
def test_cans_side_by_side_where_one_does_not_do(watts, low, front):
    """As few as hold valley, hold-up and ripple current; one less would not, whichever it is. Their resistance, ripple current and number
    are those of so many cans, in list and bill too; a given capacitance is made of as many as its ripple current asks for."""
    need = Requirement(mains=Mains(kind="ac1", v_min=low, v_max=135 if front == "doubler" else 265),
                       outputs=(Output(voltage=24.0, current_max=watts / 24),), hold_up=0.02,
                       hold_up_at=115.0 if front == "doubler" else None, harmonics_class="none", cooling="forced")
    made = lambda **pins: size(need, {"front_end": front, **{k.replace("__", "."): x for k, x in pins.items()}}, noise=False)  # noqa: E731
    d = made()
    cans, plan = int(d.value("bulk.parallel")), d.context["front"]
    judged = ("bulk.v_valley", "bulk.hold_up_left", "bulk.i_rms")
    assert cans > 1 and all(d.figure(id).margin >= 0 for id in judged)
    assert float(d.value("bulk.c")) == pytest.approx(cans * plan.cap["c_f"])
    assert plan.source.esr == pytest.approx(plan.cap["esr_ohm"] / cans, rel=1e-6)
    less = made(bulk__parallel=cans - 1)
    assert any(less.figure(id).margin < 0 for id in judged)
    pair = 2 if front == "doubler" else 1
    assert [count for kind, value, count in rows(d) if "capacitor" in kind.lower() and value.startswith(show(plan.cap["c_f"], "F"))] == [
        pair * cans]
    assert whole_bill(d)["bulk"] == [(plan.cap["name"], pair * cans)]
    given = made(bulk__c=float(d.value("bulk.c")) * 1.1)
    assert int(given.value("bulk.parallel")) == cans and given.figure("bulk.i_rms").margin >= 0
