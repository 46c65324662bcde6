"""The wire of inductors: field and eddy loss against finite elements, integration over a ring, and an exhaustive search."""

import numpy as np
import pytest

from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.formulas import copper, inductor
from rhevectra.core.magnetics.field import Window
from rhevectra.core.magnetics.mesh import Conductor
from rhevectra.core.magnetics.ring import rings
from rhevectra.core.magnetics.strands import STRANDS_MM, choose_strands, gapped_field
from rhevectra.core.magnetics.windows import windows

RHO = float(copper.resistivity(100.0))


def laid(win, k, rows, per_row, radius):
    """Bundles in even rows from the bobbin outwards, spread over its width."""
    flange = 0.5 * (float(win.window[k]) - float(win.width[k]))
    pitch = float(win.width[k]) / per_row
    return [(float(win.wall[k]) + (2 * r + 1) * radius, flange + (c + 0.5) * pitch) for r in range(rows) for c in range(per_row)]


@pytest.mark.parametrize(("core", "gap", "rows", "per_row"),
                         [("E25/13/7", 0.8e-3, 4, 9), ("ETD29/16/10", 2.0e-3, 3, 10), ("PQ26/20", 0.4e-3, 4, 6),
                          ("ETD39/20/13", 1.0e-3, 6, 14)])
def test_eddies_of_the_ripple_agree_with_finite_elements(core, gap, rows, per_row):
    """Every bundle carries the same ripple; strands of 0.1 mm at 50 kHz are far below the skin depth, so their loss is the mean square of
    the field."""
    every = windows(shipped()["cores"])
    win = every.only([every.names.index(core)])
    deep = 0.9 * float(win.height[0])
    radius = min(deep / rows / 2, float(win.width[0]) / per_row / 2)
    places, d, strands, amps, f = laid(win, 0, rows, per_row, radius), 0.1e-3, 20, 1.0, 50e3
    window = Window([Conductor(0, x, y, (0.97 * radius, 0.97 * radius), True, False, strands, d) for x, y in places], float(win.across[0]),
                    float(win.window[0]), gap, RHO)
    solved = window.solve(np.full(len(places), amps, dtype=complex), f)
    area = strands * np.pi / 4 * d**2
    eddies = float(solved.loss.sum()) - len(places) * 0.5 * amps**2 * RHO / area
    field2 = float(gapped_field(float(len(places)), np.array([gap]), win, np.array([2 * radius * rows]))[0])
    closed = float(inductor.eddy_factor(len(places), 1.0, area, d, field2, RHO)) * 0.5 * (2 * np.pi * f * amps) ** 2
    assert closed == pytest.approx(eddies, rel=0.15)


def test_ring_field_is_the_mean_over_the_turn():
    """Ampère's law around the ring at the inside and the outside of the winding, the layers between nothing and that field: integrated in a
    thousand steps."""
    table = shipped()["rings"]
    sizes = rings(table)
    for k, row in enumerate(table.rows):
        share = (np.arange(1000) + 0.5) / 1000
        around = np.pi * np.array([row["inner_m"] - 2 * row["coat_m"], row["outer_m"] + 2 * row["coat_m"]])
        assert sizes.field2[k] == pytest.approx(np.mean([np.mean((copper.MU0 * share / a) ** 2) for a in around]), rel=1e-3)


def test_the_wire_is_the_thickest_near_the_least_loss():
    """Against a loop over every strand, for ripple from none to much: with none the thickest, with more ever thinner ones."""
    taken = []
    for rate in (0.0, 1e11, 1e12, 1e13):
        made = choose_strands(np.array([3e-6]), np.array([5e-6]), np.array([20.0]), np.array([0.06]), np.array([3e-8]), RHO, 8.0, rate,
                              60e3)
        depth = 1e3 * np.sqrt(RHO / (np.pi * 4e-7 * np.pi * 60e3))
        loss = {}
        for d in STRANDS_MM[2 * depth >= STRANDS_MM]:
            area = min(3e-6 * min(((d / (d + 0.091 * d**0.47)) / (0.5 / (0.5 + 0.091 * 0.5**0.47))) ** 2, 1.0), 5e-6)
            length = 20 * 0.06
            loss[d] = RHO * length / area * 64 + length * area * (d * 1e-3) ** 2 * 3e-8 / (16 * RHO) * rate
        near = max(d for d, p in loss.items() if p <= 1.05 * min(loss.values()))
        assert made.diameter[0] * 1e3 == pytest.approx(near)
        assert float(made.loss(8.0, rate)[0]) == pytest.approx(loss[near], rel=1e-9)
        taken.append(near)
    assert taken == sorted(taken, reverse=True) and taken[0] > taken[-1]
