"""Outputs, feedback, start-up and short: formulas against brute force, integration and cycle-by-cycle simulation."""

import itertools
from functools import partial

import numpy as np
import pytest
from msgspec.structs import replace as changed

from rhevectra import demo
from rhevectra.core.basis.requirement import LoadStep, Mains, Output, Requirement
from rhevectra.core.basis.sheet import Quick
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas import faults, output, ripple
from rhevectra.core.stages import rate
from rhevectra.core.topologies.common.ripple import of_rectifier
from rhevectra.project.codec import decode

WIDE = Mains(kind="ac1", v_min=85, v_max=265)


def divider(v_ref: float, top: float, bottom: float) -> float:
    return v_ref * (1 + top / bottom)


def test_divider_error_by_trying_every_corner_and_by_drawing_samples():
    """24 V from a 2.495 V reference: every corner of three tolerances, then 200 000 normal samples (second routes)."""
    v_out, v_ref, e_ref, e_r = 24.0, 2.495, 0.01, 0.01
    bottom = 2490.0
    top = bottom * (v_out / v_ref - 1)
    corners = [divider(v_ref * (1 + a * e_ref), top * (1 + b * e_r), bottom * (1 + c * e_r)) / v_out - 1
               for a, b, c in itertools.product((-1, 1), repeat=3)]
    assert output.divider_error(0.0, e_ref, e_r, v_ref, v_out, 0.0, top) == pytest.approx(max(np.abs(corners)), rel=0.02)
    rng = np.random.default_rng(5)
    a, b, c = rng.normal(0, 1 / 3, (3, 200_000))
    spread = np.std(divider(v_ref * (1 + a * e_ref), top * (1 + b * e_r), bottom * (1 + c * e_r)) / v_out - 1)
    assert output.divider_error_statistical(0.0, e_ref, e_r, v_ref, v_out, 0.0, top) == pytest.approx(3 * spread, rel=0.02)


def test_five_percent_resistors_put_12_volt_at_11():
    """Common practice, no source: 5 % resistors can put 12 V at 11 V."""
    assert 12 * (1 - output.divider_error(0.0, 0.005, 0.05, 2.495, 12.0, 0.0, 38e3)) == pytest.approx(11.0, abs=0.15)


@pytest.mark.parametrize(("end", "t_off"), [(0.0, 6e-6), (2.0, 8e-6)])
@pytest.mark.parametrize(("esr", "c"), [(0.03, 300e-6), (0.005, 300e-6), (0.01, 100e-6), (0.0, 22e-6)])
def test_capacitor_ripple_and_rms_by_integrating_its_current(end, t_off, esr, c):
    """The secondary's trapezoid less the load current, integrated in 100 000 steps: ripple within a thousandth, whether resistance or
    charge leads; at a rate that is less by a tenth the same of a period that is longer."""
    fs, peak = 65e3, 7.0
    t = np.linspace(0, 1 / fs, 100_001)
    current = np.where(t < t_off, peak + (end - peak) * t / t_off, 0.0)
    i_out = float(np.trapezoid(current, t) * fs)
    into = current - i_out
    v = into * esr + np.concatenate([[0], np.cumsum((into[1:] + into[:-1]) / 2 * np.diff(t))]) / c
    swing = float(v.max() - v.min())
    told = partial(of_rectifier, Quick(), "", {"i_peak": peak, "i_out": i_out}, esr=esr, c=c)  # t_off, rate, tolerance
    assert told(t_off, fs, 0.0) == pytest.approx(swing, rel=1e-3)
    assert told(0.9 * t_off, fs / 0.9, 0.1) == pytest.approx(swing, rel=1e-3)
    assert (output.capacitor_rms(np.sqrt(np.trapezoid(current**2, t) * fs), i_out)
            == pytest.approx(float(np.sqrt(np.trapezoid(into**2, t) * fs)), rel=1e-3))


def test_second_filter_against_the_complex_divider():
    fs, esr, c, inductance = 65e3, 0.02, 220e-6, 2.2e-6
    for f in (fs, 7e3, 650.0):  # above, at and far below the resonance, where nothing is filtered
        s = 2j * np.pi * f
        exact = abs((esr + 1 / (s * c)) / (esr + 1 / (s * c) + s * inductance))
        assert ripple.filtered(1.0, esr, f, c, inductance) == pytest.approx(exact, rel=1e-9)
    assert exact == pytest.approx(1.0, abs=0.02)


def test_case_to_ambient_gives_the_junction_back():
    """34 W in one package from a 150 °C junction at 40 °C ambient needs about 1.6 K/W (common practice, no source)."""
    r = output.case_to_ambient(150.0, 40.0, 34.0, 1.6)
    assert 40 + 34 * (r + 1.6) == pytest.approx(150.0)
    assert r == pytest.approx(1.6, abs=0.1)


def test_life_doubles_each_ten_kelvin():
    assert output.capacitor_life(5000.0, 105.0, 85.0) == pytest.approx(4 * 5000.0)


def staircase(v_bus: float, t_least: float, f_short: float, n: float, v_f: float, r: float, lp: float, limit: float) -> float:
    """Peak core current after 4000 periods into a short: rises for the least pulse or to the limit, falls by the shorted rectifier's
    drop."""
    current, peak, steps = 0.0, 0.0, 200
    for _ in range(4000):
        rise = max(t_least, (limit - current) * lp / v_bus)
        rise = min(rise, 0.7 / f_short)
        current += v_bus * rise / lp
        peak = current
        dt = (1 / f_short - rise) / steps
        for _ in range(steps):
            current = max(current - n * (v_f + current * n * r) * dt / lp, 0.0)
    return peak


@pytest.mark.parametrize("f_short", [65e3, 30e3, 13e3])
def test_a_short_walks_the_current_as_a_simulation_says(f_short):
    """Invented stage of 60 W. Where the drop takes the pulse back the limit holds; where it does not, the printed balance is met within 5
    %."""
    v_bus, t_least, n, v_f, r, lp, limit = 370.0, 0.55e-6, 3.8, 0.7, 0.1, 650e-6, 2.4
    held = limit + v_bus * 0.25e-6 / lp
    mine = faults.short_peak(held, faults.short_balance(v_bus, t_least, f_short, n, v_f, r), v_bus, t_least, lp)
    simulated = staircase(v_bus, t_least, f_short, n, v_f, r, lp, limit)
    assert mine == pytest.approx(max(simulated, held), rel=0.05)
    assert (mine > 1.5 * held) == (f_short == 65e3)


def test_foldback_is_chosen_so_that_the_limit_holds_and_without_it_a_short_is_refused(demo_document):
    held = size(demo_document.requirement)
    assert held.value("short.i_peak") == pytest.approx(held.value("switch.i_peak"), rel=1e-6)
    assert held.figure("short.i_peak").corner.case == "short"
    free = size(demo_document.requirement, {"switch.short_rate": 1.0})
    assert not free.feasible and any(f.figure.startswith("short.") for f in free.findings)


def test_start_up_time_by_integrating_the_charge(demo_design):
    """Secondary current at the least limit into the output capacitor with the load already on, in small steps, at the corner shown."""
    d, figure = demo_design, demo_design.figure("start.time")
    at = lambda id: d.rows[id].at(figure.corner.index)  # noqa: E731
    n = float(d.rows["transformer.np"].value) / float(d.rows["transformer.ns1"].value)
    v, t, dt = 0.0, 0.0, 1e-5
    while v < 24.0 and t < 1.0:
        v += (at("start.i_least") - at("secondary.i_reflected")) * n * dt / at("output1.c")
        t += dt
    assert figure.value == pytest.approx(t, rel=0.01) and figure.corner.case == "start"
    assert d.value("start.c_supply") == pytest.approx(float(d.rows["aux.i"].value) * t / float(d.rows["start.hysteresis"].value), rel=0.01)


def test_a_limit_too_low_to_start_is_told(demo_document, demo_design):
    low = size(demo_document.requirement, {"switch.current_limit": 0.8 * float(demo_design.rows["switch.current_limit"].value)})
    assert any("cannot start" in f.text and f.severity == "must fix" for f in low.findings)


@pytest.mark.parametrize(("volts", "amps", "kind"),
                         [(3.3, 8.0, "synchronous"), (5.0, 0.3, "schottky"), (24.0, 0.5, "schottky"), (48.0, 1.0, "fast")])
def test_a_synchronous_rectifier_is_chosen_only_where_it_earns_its_controller(volts, amps, kind):
    """Two percent of the output power and half a watt, worked out here from the catalogue rows of the chosen class and the best diode."""
    d = size(Requirement(mains=WIDE, outputs=(Output(voltage=volts, current_max=amps),)))
    table = d.catalogue["rectifiers"]
    row = table.row(d.rows["rectifier1.class"].value)
    assert row["kind"] == kind
    def loss(r):
        return r["v_forward_v"] * amps + r["r_dynamic_ohm"] * (1.5 * amps) ** 2
    need = 1.25 * (volts + d.grid.v_line.max() * 1.42 * (volts + 0.6) / float(d.rows["flyback.v_or"].value)) / 0.8
    diodes = [r for r in table.rows if r["kind"] != "synchronous" and r["v_class_v"] >= need and r["i_rated_a"] >= 2 * amps]
    if kind == "synchronous":
        assert min(loss(r) for r in diodes) - loss(row) > max(0.02 * volts * amps, 0.5)
        assert d.rows["load.bleed1"].value.min() > 1e-3
    assert d.feasible, [f.text for f in d.findings]


def test_a_load_step_asks_for_capacitors_and_a_filter_for_none():
    base = Requirement(mains=WIDE, outputs=(Output(voltage=12.0, current_max=2.0),))
    calm, stepped = (size(base),
                     size(Requirement(mains=WIDE,
                                      outputs=(Output(voltage=12.0, current_max=2.0,
                                                      load_step=LoadStep(low=0.2, high=2.0, deviation=0.15)),))))
    assert stepped.value("output1.c") > calm.value("output1.c")
    assert stepped.value("output1.step") <= 0.15 and stepped.feasible
    fine = size(Requirement(mains=WIDE, outputs=(Output(voltage=12.0, current_max=2.0, ripple_pp=0.01),)))
    assert float(fine.rows["filter1.l"].value) > 0 and fine.value("output1.ripple_pp") <= 0.01


@pytest.mark.parametrize(("cap", "coldest", "factor"),
                         [("220uF-35V", 5.0, 2.0), ("220uF-35V", -10.0, 3.0), ("poly-150uF-35V", 5.0, 1.5), ("poly-150uF-35V", -10.0, 1.5)])
@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "llc_half"])
def test_capacitors_are_judged_cold_or_aged(topology, cap, coldest, factor):
    """The worse of both: an electrolytic doubles at the end of its life (usual end of life in data sheets, from memory) and trebles in the
    cold (its class), one without a liquid grows by half; a fifth of the capacitance is gone (usual end of life in data sheets, from
    memory); the load step is that of both."""
    step = LoadStep(low=0.5, high=2.5, deviation=1.0)
    need = Requirement(mains=Mains(kind="dc", v_min=360, v_max=400), outputs=(Output(voltage=24.0, current_max=2.5, load_step=step),),
                       ambient_min=coldest, insulation="functional")
    d = size(need,
             {"topology": topology, "output1.cap": cap, "output1.parallel": 4, "filter1.l": 0.0} if topology == "flyback"
             else {"topology": topology, "output1.cap": cap, "output1.parallel": 4}, noise=False)
    row = d.catalogue["output_capacitors"].row(cap)
    assert float(d.rows["output1.esr_worst"].value) == pytest.approx(factor * row["esr_ohm"] / 4)
    assert float(np.max(d.rows["output1.step"].value)) == pytest.approx(
        2.0 * (1 / (2 * np.pi * float(d.rows["output1.crossover"].value) * 0.8 * 4 * row["c_f"]) + factor * row["esr_ohm"] / 4), rel=0.05)


@pytest.mark.parametrize(("name", "topology"), [("camera-hide", "flyback"), ("camera-hide", "flyback_2sw"), ("camera-hide", "flyback_qr"),
                                                ("ringing-lab-bench", "forward_2sw"), ("ringing-lab-bench", "half_bridge"),
                                                ("ringing-lab-bench", "psfb"), ("frost-fans", "llc_half"), ("logger-rack", "flyback")])
def test_the_ripple_of_a_worn_bank_by_the_exact_period(name, topology):
    """The same design with its inductances and rate at their bad ends, its capacitors with what is left of them and their worst resistance
    in the exact period of the corner that was named: no more than told, told at most 5 % above; where outputs share a pulse up to a third
    and a little."""
    doc = decode(demo.text(name), name)
    d = size(doc.requirement, {**doc.decisions, "topology": topology}, noise=False)
    pins = {id: r.value for id, r in d.rows.items() if id in d.decision_specs and r.kind in ("chosen", "given") and r.value is not None}
    if rate.ID in pins:
        pins["fs"] *= 1 - pins[rate.ID]
        pins |= {"transformer.lp": 0.9 * d.value("transformer.lp")} if "transformer.lp" in pins else {"filter1.l": 0.9 * pins["filter1.l"]}
    elif "transformer.lp" in d.rows:
        pins["transformer.lp"] = 1.1 * d.value("transformer.lp")
    slow, shares = size(doc.requirement, pins, noise=False), len(doc.requirement.outputs) > 1
    for n in range(2, len(doc.requirement.outputs) + 1) if shares else (1,):  # the first of the three is filtered once more
        told = d.figure(f"output{n}.ripple_pp")
        worn = {f"Cout{n}": float(d.rows[f"output{n}.c_left"].value), f"Resr{n}": float(d.rows[f"output{n}.esr_worst"].value)}
        e = exact(slow, told.corner, lambda q, worn=worn: changed(q, elements=tuple(
            changed(x, value=" ".join([str(worn[x.name]), *x.value.split()[1:]])) if x.name in worn else x for x in q.elements)))
        assert 0.995 < told.value / np.ptp(e.voltages[f"out{n}"]) < (1.4 if shares else 1.05)
