"""The transformer whose leakage is the resonant inductance: field, leakage and copper by finite elements, the design as coupled inductors
in a simulator, its sheet and its limits."""

import re

import numpy as np
import pytest

from balances import FRONT, check_balance, check_drawn
from rhevectra import demo
from rhevectra.app.netlist import netlist_text
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.design.wound_parts import wound_parts
from rhevectra.core.formulas import copper, resonant
from rhevectra.core.magnetics.arrangement import side_by_side
from rhevectra.core.magnetics.block_field import mean_products, mean_square
from rhevectra.core.magnetics.field import Window
from rhevectra.core.magnetics.mesh import Conductor
from rhevectra.core.magnetics.window_field import field_steps
from rhevectra.core.topologies.common.making import as_text, complaints, from_text, winding_sheet
from rhevectra.drawing.pictures import pictures_of
from rhevectra.project.codec import decode
from spice import measure

MU0 = 4e-7 * np.pi


def made(name="radar-rotator", **pins):
    document = decode(demo.text(name), "demo")
    return size(document.requirement, {**document.decisions, "llc.inductor": "leakage", **pins})


@pytest.fixture(scope="module")
def apart():
    return made(**{"llc.ratio": 4.0})


@pytest.mark.parametrize("gap", [0.3e-3, 1.2e-3])
def test_field_of_blocks_by_finite_elements(gap):
    """Three rectangles of thin strands with ampere-turns that do not cancel: the mean square of the field in each within 4 %, from the eddy
    loss the elements find."""
    across, along, f, rho = 8e-3, 24e-3, 20e3, 2.2e-8
    rects = [(1e-3, 7.5e-3, 2e-3, 7e-3), (1e-3, 7.5e-3, 11e-3, 15e-3), (1e-3, 6e-3, 16e-3, 21e-3)]
    amps, d, strands = np.array([30.0 + 5.0j, -14.0, -9.0 - 2.0j]), 0.05e-3, 100
    window = Window(
        [Conductor(k, 0.5 * (x0 + x1), 0.5 * (y0 + y1), (0.5 * (x1 - x0), 0.5 * (y1 - y0)), False, False, strands, d)
         for k, (x0, x1, y0, y1) in enumerate(rects)], across, along, gap, rho)
    solved = window.solve(amps, f)
    eddies = solved.loss - 0.5 * np.abs(amps) ** 2 * rho / (strands * np.pi / 4 * d**2)
    elements = eddies / (strands * float(copper.cylinder_loss(1.0, d, rho, f))) * MU0**2
    series = mean_square(mean_products(rects, across, along, gap), amps[:, None])[:, 0]
    assert series == pytest.approx(elements, rel=0.04)


@pytest.mark.parametrize(("name", "pins"),
                         [("radar-rotator", {"llc.ratio": 4.0}), ("radar-rotator", {"secondary.kind": "bridge"}),
                          ("frost-fans", {"llc.ratio": 3.0}), ("camera-hide", {"topology": "llc_half", "front_end": "pfc_crm"})])
def test_leakage_and_copper_by_finite_elements(name, pins):
    """Inside the window: leakage within 3 %, copper loss of primary and of the secondaries at the fundamental within 6 %."""
    found = list(field_steps(made(name, **pins)))[-1][2]
    elements, closed = found.leakage
    assert closed == pytest.approx(elements, rel=0.03)
    by_elements, by_series = found.losses
    assert by_series[:-1] == pytest.approx(by_elements[:-1], rel=0.06)


def test_as_coupled_inductors_in_the_simulator(apart, tmp_path):
    """The transformer as it is wound, two halves and a primary with their turns coupled as the leakage says, no inductor and no ideal ratio
    beside it: what the exported circuit gives, within half a per cent of output and 1.5 % of current; the output is the design's."""
    lines, rows = [], apart.rows
    lp, n = float(rows["transformer.lp"].value), float(rows["transformer.np"].value) / float(rows["transformer.ns1"].value)
    k = np.sqrt(1 - float(rows["transformer.leakage"].value) / lp)
    whole = netlist_text(apart, 380.0, 1.0, "")
    for line in whole.splitlines():
        name = line.split(" ")[0]
        if name == "Rpri":
            lines += [f"Rpri t1 m {line.split(' ')[-1]}", f"L1 m 0 {lp:.9g} IC=0", f"L2 x1 0 {lp / n**2:.9g} IC=0",
                      f"L3 0 x2 {lp / n**2:.9g} IC=0", f"K12 L1 L2 {k:.9g}", f"K13 L1 L3 {k:.9g}", "K23 L2 L3 0.9995"]
        elif name not in ("Lres", "Lm", "Esec1", "Esec2", "Fpri1", "Fpri2"):
            lines.append(line)
    end = float(re.search(r"\.tran \S+ (\S+)", whole).group(1))

    def run(text, branch):
        return measure(text.replace("\n.end\n", f"\n.save all @{branch}[i]\n.end\n"), [f"let ip=@{branch}[i]"],
                       {"vo": "AVG v(out1)", "rms": "RMS ip", "peak": "MAX ip"}, (end - 1e-4, end), tmp_path / f"{branch}.cir")
    physical, exported = run("\n".join(lines) + "\n", "l1"), run(whole, "lres")
    assert physical["vo"] == pytest.approx(exported["vo"], rel=0.005) and physical["vo"] == pytest.approx(48.0, rel=0.015)
    assert physical["rms"] == pytest.approx(exported["rms"], rel=0.015) and physical["peak"] == pytest.approx(exported["peak"], rel=0.015)


def test_the_turns_of_a_tapped_output_leak_alike():
    """Energy of even fields, block by block: with the nearer part of one half as chosen, either half alone leaks the same to 1 %; in the
    middle it would be a quarter of a half's height apart."""
    stack = side_by_side(("primary", "ns1", "ns1b", "naux"), 2e-3)
    beyond = [(b.winding, b.share) for b in stack if b.winding in (1, 2)]

    def energy(half):
        flow, total = 1.0, 0.0
        for w, share in beyond:  # each half is one unit tall
            step = share if w == half else 0.0
            a, b = flow, flow - step
            total += share * (a * a + a * b + b * b) / 3
            flow = b
        return total
    assert energy(1) == pytest.approx(energy(2), rel=0.01)
    assert [b.winding for b in stack] == [3, 0, 1, 2, 1] and stack[2].below == 2e-3


@pytest.mark.parametrize("line", [360.0, 400.0])
def test_flux_linkage_by_the_engine(apart, line):
    """The exact period of the design's own circuit: leakage times tank current plus magnetising inductance times its current, its greatest
    value never above the figure and at most 10 % below it."""
    c = apart.grid.find(line, 1.0, "run", "")
    e, lr, lm = exact(apart, c), float(apart.rows["llc.lr"].value), float(apart.rows["llc.lm"].value)
    most = np.abs(lr * e.currents["lres"] + lm * e.currents["lm"]).max()
    assert 0.90 < most / float(apart.rows["transformer.linkage"].at(c.index)) < 1.02


def test_linkage_of_a_half_sine_on_a_ramp():
    """Against the greatest of ten thousand instants, where the sine leads and where the ramp does."""
    t = np.linspace(0, 1, 10001)
    for lm, lr, i_mag, i_peak in ((150e-6, 37e-6, 2.0, 6.0), (60e-6, 60e-6, 0.5, 9.0), (900e-6, 20e-6, 1.5, 4.0)):
        seen = ((lm + lr) * i_mag * (2 * t - 1) + lr * i_peak * np.sin(np.pi * t)).max()
        assert float(resonant.linkage_peak(lm, lr, i_mag, i_peak, resonant.ramp_share(lm, lr, i_mag, i_peak))) == pytest.approx(seen,
            rel=1e-6)


def test_leakage_on_both_sides_of_the_gap():
    """Two equal leakages and the magnetising inductance between them as a network: what is read with the far side shorted, and back."""
    lp, geometric = 200e-6, 50e-6
    a = 0.5 * geometric
    m = lp - a
    read = a + 1 / (1 / a + 1 / m)
    assert float(resonant.shorted_reading(geometric, lp)) == pytest.approx(read, rel=1e-12)
    assert resonant.geometric_for(read, lp) == pytest.approx(geometric, rel=1e-12)
    turns, lr, lm = 18.0, read, lp - read
    assert float(resonant.turns_seen(turns, lm, lr)) == pytest.approx(turns * np.sqrt(1 - read / lp), rel=1e-12)


@pytest.mark.parametrize(("name", "pins"),
                         [("radar-rotator", {"llc.ratio": 4.0}), ("radar-rotator", {}), ("frost-fans", {"llc.ratio": 4.0}),
                          ("frost-fans", {"topology": "llc_full"}), ("camera-hide", {"topology": "llc_half", "front_end": "pfc_crm"})])
def test_the_wall_sets_the_leakage_and_the_whole_balances(name, pins):
    d = made(name, **pins)
    assert d.feasible, [f.text for f in d.findings if f.severity == MUST_FIX]
    assert float(d.rows["transformer.leakage"].value) == pytest.approx(float(d.rows["llc.lr"].value), rel=0.03)
    assert float(d.rows["transformer.wall"].value) >= 1e-3 and "inductor.core" not in d.rows
    assert "inductor in series with the transformer" not in [p.name for p in wound_parts(d)]
    check_balance(d, front=() if d.front_end == "none" else tuple(x for x in d.losses if x in FRONT or x.startswith("pfc_")))
    sheet = winding_sheet(d)
    assert not complaints(sheet) and from_text(as_text(sheet)) and any("wall of" in n for n in sheet.notes) and any(
        "wall of" in s.remark for s in sheet.steps)
    assert not {"orders", "layers", "split"} & set(pictures_of(d, "transformer"))
    check_drawn(d, d.grid.find(d.grid.lines[0]))


def test_chambers_that_cannot_leak_so_say_so():
    """A wall that someone pins too wide; a wall too wide for the window does not fit. Separate stays what it was."""
    wide = made(**{"llc.ratio": 4.0, "transformer.wall": 9e-3})
    assert not wide.feasible and any("the chambers leak" in f.text and f.severity == MUST_FIX for f in wide.findings)
    full = made(**{"llc.ratio": 4.0, "transformer.wall": 20e-3})
    assert full.value("transformer.fill") > 1 and not full.feasible
    assert "transformer.wall" not in made(**{"llc.inductor": "separate"}).rows
