"""What the pictures are drawn from: inrush, flux curve, schematic, turn-off, against second routes and against the exported circuit."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhevectra.core.circuit.read import read
from rhevectra.core.formulas.rectifier import inrush, inrush_wave
from rhevectra.core.topologies.flyback import circuit, flux_view, schematic, transient
from rhevectra.drawing.pictures import PICTURES


def test_inrush_wave_against_adaptive_integration_and_below_its_bound():
    """Series R, L, C at the crest of 265 V; Runge-Kutta with tight tolerance; peak within 0.2 %, never above V/R."""
    v, f, r, inductance, c, drop = 265.0, 50.0, 10.5, 0.8e-3, 220e-6, 1.6
    t, i, u = inrush_wave(v, f, r, inductance, c, drop)
    solved = solve_ivp(lambda x, y: [(np.sqrt(2) * v * np.cos(2 * np.pi * f * x) - drop - r * y[0] - y[1]) / inductance, y[0] / c],
                       (0, 0.002), [0.0, 0.0], rtol=1e-9, atol=1e-9, max_step=1e-6)
    assert i.max() == pytest.approx(solved.y[0].max(), rel=2e-3)
    assert float(np.interp(0.002, t, u)) == pytest.approx(solved.y[1][-1], rel=2e-3)
    assert i.max() < inrush(v, r, 0.0) and i.min() >= 0.0


def test_flux_curve_starts_with_the_inductance_and_ends_at_saturation(demo_design):
    """Slope at the origin is L/(N·A) of the design; hot and cold end at the grade's saturation; the limit point lies where the figure
    says."""
    view = flux_view(demo_design)
    d = demo_design
    slope = float(d.rows["transformer.lp"].value) / (float(d.rows["transformer.np"].value) * float(d.rows["transformer.area_min"].value))
    for name, i, b, _role, _dashed in view.curves:
        assert b[3] / i[3] == pytest.approx(slope, rel=0.02), name
        assert (np.diff(i) > 0).all() and (np.diff(b) > 0).all()
    grade = d.catalogue["materials"].row(d.rows["transformer.material"].value)
    assert (view.curves[1][2][-1] == pytest.approx(grade["b_sat_100_t"], rel=0.01)
            and view.curves[0][2][-1] == pytest.approx(grade["b_sat_25_t"], rel=0.01))
    assert view.points[1][2] == d.value("transformer.b_peak")


def test_every_drawn_symbol_is_an_element_of_the_exported_circuit(demo_design):
    """One circuit: what the schematic names exists in the netlist under that name, and the ends of what it draws meet."""
    corner = demo_design.grid.find(85.0)
    names = {e.name.lower() for e in circuit(demo_design, corner).elements}
    symbols = schematic(demo_design, corner)
    for s in symbols:
        assert not s.element or s.element.lower() in names, s
    places = [p for s in symbols if s.kind not in ("core", "note") for p in (s.start, s.end)]
    wires = [(s.start, s.end) for s in symbols if s.kind == "wire"]

    def on_wire(p) -> bool:
        return any(min(a[0], b[0]) <= p[0] <= max(a[0], b[0]) and min(a[1], b[1]) <= p[1] <= max(a[1], b[1]) for a, b in wires)
    for p in places:
        assert places.count(p) > 1 or on_wire(p), p


def test_turn_off_view_is_the_period_seen_closely(demo_design):
    corner = demo_design.grid.corner(demo_design.figure("switch.v_peak").corner.index)
    drain, clamp, secondary = transient(demo_design, corner)
    assert drain.y.max() == pytest.approx(demo_design.value("switch.v_peak"), rel=0.01)
    charge = float(np.trapezoid(clamp.y, clamp.t))
    assert charge == pytest.approx(demo_design.rows["clamp.q"].at(corner.index), rel=0.03)
    assert drain.t[0] < 0 < drain.t[-1] and secondary.y[0] == pytest.approx(0.0, abs=1e-6)


def test_the_exported_netlist_reads_back_with_the_values_of_the_design(demo_design):
    from rhevectra.app.netlist import netlist_text

    n = read(netlist_text(demo_design, 230.0, 1.0, "valley"))
    d = demo_design
    assert n.by_name["rcl"].value == float(d.rows["clamp.r"].value) and n.by_name["ccl"].value == float(d.rows["clamp.c"].value)
    turns = float(d.rows["transformer.ns1"].value) / float(d.rows["transformer.np"].value)
    leakage = float(d.rows["transformer.leakage"].value)
    assert n.by_name["llk"].value + n.by_name["lsec1"].value / turns**2 == pytest.approx(leakage, rel=1e-6)
    assert leakage + n.by_name["lm"].value == pytest.approx(float(d.rows["transformer.lp"].value), rel=1e-6)
    assert n.by_name["esec1"].gain == pytest.approx(turns, rel=1e-6) == n.by_name["fpri1"].gain


@pytest.mark.parametrize("key", list(PICTURES))
def test_every_picture_draws_a_held_design_too(demo_document, demo_design, key):
    """A held design with another grid (other mains) is drawn at the nearest corner and changes the picture or is told in its caption."""
    from dataclasses import replace

    from rhevectra.core.design.size import size
    from rhevectra.ui.views.ask_fields import with_mains

    pins = {"gain": {"topology": "llc_half"}, "output": {"topology": "llc_half", "llc.control": "fixed"},
            "frequency": {"topology": "flyback_qr"}, "envelope": {"front_end": "pfc_crm"}, "derating": {"front_end": "pfc_crm"},
            "legs": {"topology": "llc_three_phase"}, "phases": {"front_end": "pfc_three_phase"}}.get(key, {})
    kind = {"kind": "ac3"} if key == "phases" else {}
    held = size(with_mains(replace(demo_document.requirement), v_min=195.0, v_max=265.0, **kind), {"fs": 100e3, **pins})
    design = size(with_mains(replace(demo_document.requirement), v_min=185.0, v_max=265.0, **kind), pins) if pins or kind else demo_design
    corner = design.grid.find(design.grid.lines[0])
    plain, both = (PICTURES[key][1](design, corner, 150, 110, h) for h in (None, held))
    if key in ("line", "harmonics", "period", "transient", "loss", "gain", "output", "frequency", "legs"):
        assert len(both.items) > len(plain.items)
        assert any(getattr(i, "role", "") == "pale" for i in both.items)
    if key == "window":
        assert "held" in both.caption
