"""Heat of a wound core in two nodes: films against published correlations, both temperatures by a general solver, limiting cases, and what
a design says."""

import numpy as np
import pytest
from scipy.optimize import fsolve

from rhevectra import demo
from rhevectra.core.design.size import size
from rhevectra.core.formulas import heat
from rhevectra.core.magnetics.thermal import faces
from rhevectra.core.magnetics.windows import windows
from rhevectra.project.codec import decode


@pytest.mark.parametrize(("high", "rise"), [(0.02, 20.0), (0.03, 40.0), (0.06, 40.0), (0.06, 70.0)])
def test_natural_film_against_churchill_and_chu(high, rise):
    """The whole correlation (from memory: Nu = 0.68 + 0.670·Ra^¼/(1 + (0.492/Pr)^(9/16))^(4/9)) with the properties of air at the film
    temperature of each case (Sutherland's law, ideal gas): within 4 %."""
    film = 273.15 + 40.0 + rise / 2
    viscosity = 1.716e-5 * (film / 273.15) ** 1.5 * (273.15 + 110.4) / (film + 110.4)
    density, pr = 101325 / (287.05 * film), 0.705
    k = viscosity * 1006.0 / pr
    rayleigh = 9.81 / film * rise * high**3 * density**2 * pr / viscosity**2
    wanted = k / high * (0.68 + 0.670 * rayleigh**0.25 / (1 + (0.492 / pr) ** (9 / 16)) ** (4 / 9))
    assert float(heat.natural_film(rise, high, 1.0)) == pytest.approx(wanted, rel=0.04)


def test_radiation_film_is_the_law_of_stefan_and_boltzmann():
    hot, cold = 350.0, 313.15
    assert float(heat.radiation_film(0.9, heat.SIGMA, 40.0, hot - cold)) * (hot - cold) == pytest.approx(
        0.9 * 5.670374e-8 * (hot**4 - cold**4), rel=1e-6)


def test_air_gets_thinner():
    """ISO 2533 standard atmosphere (from memory): 79.5 kPa at 2000 m, 61.6 kPa at 4000 m of 101.3 kPa."""
    assert (float(heat.air_pressure(2000.0)) == pytest.approx(79.5 / 101.3, rel=0.01)
            and float(heat.air_pressure(4000.0)) == pytest.approx(61.6 / 101.3, rel=0.03))


def test_limits_of_two_nodes():
    """Nothing between them: each on its own. Much between them: one body. The winding alone heated: the core between it and ambient."""
    at = lambda **k: float(  # noqa: E731
        heat.node(**{"ambient": 40.0, "p": 2.0, "g": 0.05, "p_other": 1.0, "g_other": 0.08, "g_between": 0.0, **k}))
    assert at() == pytest.approx(40 + 2 / 0.05) and at(g_between=1e6) == pytest.approx(40 + 3 / 0.13, rel=1e-4)
    both = {"p_other": 0.0, "g_between": 0.1}
    core = float(heat.node(40.0, 0.0, 0.08, 2.0, 0.05, 0.1))
    assert at(**both) > core > 40.0 and 0.05 * (at(**both) - 40) + 0.08 * (core - 40) == pytest.approx(2.0)


@pytest.mark.parametrize("name", demo.NAMES)
def test_both_temperatures_by_a_general_solver(name):
    """The two balances written down again and solved by scipy (second route), at every full-load corner: within 0.2 K; what leaves is what
    is lost."""
    doc = decode(demo.text(name), name)
    d = size(doc.requirement, doc.decisions, noise=False)
    rows, need = d.rows, doc.requirement
    v = lambda id: float(np.max(rows[f"transformer.{id}"].value))  # noqa: E731
    a_c, a_w, between = v("face_core"), v("face_winding"), v("g_between")
    high = 2 * d.catalogue["cores"].row(str(d.value("transformer.core")))["b_m"]
    thin = np.exp(-need.altitude_max / 8430)
    for index in zip(*np.nonzero(d.specs["transformer.t_core"].domain.mask(d.grid)), strict=True):
        p_core, p_cu = float(rows["transformer.loss_core"].at(index)), float(rows["transformer.loss_copper"].at(index))

        def off(t, p_core=p_core, p_cu=p_cu):
            def leaves(temperature, area):
                over = temperature - need.ambient_max
                film = 0.0194 / high + 1.28 * (max(over, 1.0) / high) ** 0.25 * thin**0.5 if need.cooling == "natural" else {"forced": 19.0,
                    "conduction": 10.0}[need.cooling]
                return area * (film * over + 0.9 * 5.670374419e-8 * ((temperature + 273.15) ** 4 - (need.ambient_max + 273.15) ** 4))
            cross = between * (t[1] - t[0])
            return leaves(t[0], a_c) - p_core - cross, leaves(t[1], a_w) + cross - p_cu * (234.5 + t[1]) / (234.5 + v("t_planned"))
        core, winding = fsolve(off, [need.ambient_max + 30.0, need.ambient_max + 30.0])
        assert (float(rows["transformer.t_core"].at(index)) == pytest.approx(core, abs=0.2)
                and float(rows["transformer.t_winding"].at(index)) == pytest.approx(winding, abs=0.2))
    assert d.value("transformer.t_winding") == pytest.approx(need.ambient_max + float(d.value("transformer.temperature_rise")),
                                                             abs=20.0)  # neighbours of the one-node figure


def test_faces_of_every_core(demo_design):
    """No face larger than the box around the part allows, none missing, for the whole catalogue; more core with more depth."""
    table = demo_design.catalogue["cores"]
    win = windows(table)
    for k, row in enumerate(table.rows):
        made = faces(row, win, k)
        assert made.winding > 0 and made.core > 0 and 0.5 * win.surface[k] < made.winding + made.core < 1.7 * win.surface[k], row["name"]
        assert 0.01 < made.between < 2.0


def _bare_faces(core, winding, step):
    """Faces of little cubes that nothing lies against, core's and winding's [m²]; of the winding only the upright ones (z across, x and y
    along the last axes)."""
    def free(own, axes):
        total = 0
        for axis in axes:
            for way in (1, -1):
                beside = np.roll(core | winding, way, axis)
                total += int((own & ~beside).sum())
        return total * step**2
    return free(core, (0, 1, 2)), free(winding, (0, 1))


@pytest.mark.parametrize("name", ["U25/20/13", "U93/76/30", "E42/21/15"])
def test_faces_of_core_and_winding_by_counting_cubes(demo_design, name):
    """The part built of cubes: a U core's winding stands out on three sides of one leg, an E core's on two; yokes against the winding's
    ends do not cool."""
    table = demo_design.catalogue["cores"]
    k = table.names.index(name)
    row = table.rows[k]
    step = row["a_m"] / 124
    a, b, c, d, e, f = (round(row[f"{x}_m"] / step) for x in ("a", "b", "c", "d", "e", "f"))
    out = e if row["family"] == "U" else (e - f) // 2
    e = e if row["family"] == "U" else f + 2 * out  # no slit between winding and legs
    edge = out + 2
    x, z, y = np.meshgrid(np.arange(-edge, a + edge), np.arange(-edge, c + edge), np.arange(-2, 2 * b + 2), indexing="ij")
    left = f if row["family"] == "U" else (a - e) // 2  # where the window begins
    first, last = (0, f) if row["family"] == "U" else (left + out, left + out + f)  # the leg inside the winding
    high = (y >= b - d) & (y < b + d)
    leg = (x >= first) & (x < last)
    core = (x >= 0) & (x < a) & (z >= 0) & (z < c) & (y >= 0) & (y < 2 * b) & ~(high & (x >= left) & (x < left + e) & ~leg)
    winding = high & (x >= first - out) & (x < last + out) & (z >= -out) & (z < c + out) & ~core
    bare, wound = _bare_faces(core, winding, step)
    made = faces(row, windows(table), k)
    assert made.winding == pytest.approx(wound, rel=0.03) and made.core == pytest.approx(bare, rel=0.03)


def test_a_hot_winding_is_said(demo_document):
    """Less allowed than there is: one remark with both numbers, and the decision that cures it; more altitude is hotter."""
    d = size(demo_document.requirement, {**demo_document.decisions, "transformer.t_winding_max": 60.0})
    assert any("Winding temperature" in f.text and "60" in f.text and f.severity == "look at" for f in d.findings)
    from dataclasses import replace
    low, high = (size(replace(demo_document.requirement, altitude_max=h), demo_document.decisions).value("transformer.t_winding")
                 for h in (0.0, 4000.0))
    assert high > low + 0.5
