"""What stands between a dc source and its stage: fuse, and the capacitors that carry what its pulses are more than their mean."""

from dataclasses import replace

import numpy as np
import pytest

from balances import check_finite
from rhevectra.app.parts import rows
from rhevectra.bench.bringup import plan
from rhevectra.core.basis import corners
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.formulas import dc_input

LOW = {"flyback": 60, "forward_active_clamp": 150, "forward_2sw": 150, "push_pull": 200, "full_bridge": 200}
HIGH = {"flyback_2sw": 100, "half_bridge": 300, "psfb": 600, "llc_half": 250, "llc_full": 400, "llc_three_phase": 600,
        "buck_aux": 5}


def fed(low, high, watts, volts=12.0, **more):
    return Requirement(mains=Mains(kind="dc", v_min=low, v_max=high), outputs=(Output(voltage=volts, current_max=watts / volts),), **more)


def made(need, topology, **pins):
    return size(need, {"topology": topology, **{k.replace("__", "."): v for k, v in pins.items()}}, noise=False)


@pytest.mark.parametrize(("topology", "watts", "low", "high"),
                         [*((t, w, 36, 72) for t, w in LOW.items()), *((t, w, 330, 400) for t, w in HIGH.items())])
def test_ripple_against_the_exact_current(topology, watts, low, high):
    """The exact period's current out of the source, less its mean, through resistance and capacitance (second route), as the mean over each
    fiftieth and each thousandth of the period, for the spikes of charged nodes are shorter and are no ripple: peak to peak between the two
    or 5 % below the first to 15 % above the other at both ends of the source; the greatest rms within 10 %. The capacitors carry both."""
    d = made(fed(low, high, watts), topology)
    check_finite(d)
    c, esr, amps = *(float(d.rows[f"input.{k}"].value) for k in ("c_left", "esr_worst")), {}
    for line in (low, high):
        corner = d.grid.find(line)
        found = exact(d, corner)
        i = -found.currents["vbus"]
        charge = np.concatenate([[0.0], np.cumsum(0.5 * (i[1:] + i[:-1]) * np.diff(found.t))])

        def means(parts, charge=charge, found=found):
            step = found.period / parts
            ac = np.diff(np.interp(found.t[0] + step * np.arange(parts + 1), found.t, charge)) / step
            ac -= ac.mean()
            held = np.cumsum(ac) * step
            return float(np.ptp((held - 0.5 * ac * step) / c + esr * ac)), float(np.sqrt(np.square(ac).mean()))
        coarse, (fine, rms) = means(50)[0], means(1000)
        assert 0.95 * coarse < float(d.rows["input.ripple_pp"].at(corner.index)) < 1.15 * fine, line
        amps[line] = float(d.rows["input.i_c_rms"].at(corner.index)), rms
    assert max(a for a, _ in amps.values()) == pytest.approx(max(a for _, a in amps.values()), rel=0.10)
    for id in ("input.i_c_rms", "input.ripple_pp", "input.v_c"):
        assert d.figure(id).margin >= 0, id


def test_the_swing_of_a_square_wave_in_closed_form():
    """Pulses of 4 A for a quarter of 10 µs, a mean of 1 A: 3 A for 2.5 µs over C where there is no resistance, 4 A · R where there is no
    capacitance, of many classes each by itself; and both together where there are both: turned on the voltage steps by 4 A · R and climbs
    for the pulse, its greatest just before it falls by as much."""
    y = np.where(np.arange(4000) < 1000, 4.0, 0.0)
    found = dc_input.swing(y, 10e-6, np.array([0.0, 5e-3, 5e-3]), np.array([100e-6, 1.0, 100e-6]))
    assert found[0] == pytest.approx(3.0 * 2.5e-6 / 100e-6, rel=2e-3)
    assert found[1] == pytest.approx(4.0 * 5e-3, rel=2e-3)
    assert found[2] == pytest.approx(3.0 * 2.5e-6 / 100e-6 + 4.0 * 5e-3, rel=2e-3)


def test_the_cable_at_which_the_ring_no_longer_dies_out():
    """Source, inductance, resistance and capacitance with a stage of constant power behind them, linear about its point: roots of the
    characteristic polynomial (second route) lie left of the axis with a tenth less inductance than told, right of it with a tenth more."""
    r, c, v, p = 8e-3, 400e-6, 12.0, 150.0
    most = float(dc_input.cable(r, c, v, p))

    def worst(inductance):
        g = -p / v**2
        # states: current of the inductance, voltage behind the resistance; v_node = (v_c + r·i)/(1 + r·g), i_c = i − g·v_node
        k = 1 / (1 + r * g)
        a = np.array([[-r * k / inductance, -k / inductance], [(1 - g * r * k) / c, -g * k / c]])
        return np.linalg.eigvals(a).real.max()
    assert worst(0.9 * most) < 0 < worst(1.1 * most)


def test_capacitors_are_bought_by_what_they_carry():
    """The class holds a quarter more than the highest source; as many as the ripple current, the ripple admitted or a life ask for: one
    less would fail one of them. They stand in the parts list, and the fuse at half as much again as the largest current."""
    need = fed(10, 16, 400, 48.0)
    d = made(need, "push_pull")
    row, count = shipped()["output_capacitors"].row(d.value("input.cap")), int(d.value("input.parallel"))
    assert row["v_class_v"] >= 1.25 * 16 and count > 1
    less = made(need, "push_pull", input__cap=row["name"], input__parallel=count - 1)
    assert {f.figure for f in less.findings} & {"input.i_c_rms", "input.ripple_pp"}
    lasts = made(replace(need, lifetime=4 * 3.156e7), "push_pull")
    assert lasts.figure("input.life").value >= 4 * 3.156e7
    still = made(need, "push_pull", input__ripple_spread=0.005)
    assert still.figure("input.ripple_pp").margin >= 0 and float(still.value("input.c")) > float(d.value("input.c"))
    told = [(kind, value, n) for kind, value, n in rows(d) if value == row["name"]]
    assert told and told[0][2] >= count
    most = float(np.broadcast_to(d.rows["inlet.i_avg"].value, d.grid.shape)[corners.LOADED.mask(d.grid)].max())
    fuse = float(d.value("inlet.fuse"))
    assert 1.5 * most <= fuse <= 1.5 * most * 10 ** 0.1 * 1.03 and ("fuse" in kind.lower() for kind, _, _ in rows(d))


def test_what_they_burn_is_counted():
    """The loss of the capacitors as bought stands in the sum of all losses."""
    d = made(fed(10, 16, 400, 48.0), "push_pull")
    row, count, at = shipped()["output_capacitors"].row(d.value("input.cap")), int(d.value("input.parallel")), d.grid.find(10).index
    burnt = float(d.rows["input.i_c_rms"].at(at)) ** 2 * row["esr_ohm"] / count
    assert float(d.rows["loss.input_capacitors"].at(at)) == pytest.approx(burnt) and burnt > 0.1
    assert float(d.rows["loss.total"].at(at)) == pytest.approx(sum(float(x.at(at)) for x in d.losses.values()), rel=1e-9)
    assert "input_capacitors" in d.losses


def test_the_bench_reads_the_ripple():
    d = made(fed(10, 16, 400, 48.0), "push_pull")
    check = next(c for step in plan(d) for c in step.checks if c.figure == "input.ripple_pp")
    assert check.low is None and check.high > float(d.rows["input.ripple_pp"].at(d.grid.find(10).index))


def test_a_source_beyond_every_class_is_told():
    """770 V at half its class: no single class holds it, and the finding says so; the design is whole all the same."""
    d = made(fed(700, 770, 60), "flyback_2sw", derating__input_v=0.5)
    check_finite(d)
    assert any(f.figure == "input.v_c" for f in d.findings)
