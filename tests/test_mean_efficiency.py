"""The mean efficiency of four loads: three quarters between the loads that are worked out, against a grid that has that load too."""

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.core.basis.remembered import forget
from rhevectra.core.basis.sheet import plain
from rhevectra.core.design import grid as grids
from rhevectra.core.design.size import size
from rhevectra.drawing.pictures import PICTURES, pictures_of
from rhevectra.project.codec import decode


@pytest.mark.parametrize("topology", ["flyback", "flyback_qr", "forward_2sw", "llc_half"])
def test_against_a_grid_with_three_quarters_of_the_load(monkeypatch, topology):
    """The least mean of the nominal lines within a tenth of a per cent; light load laws bend the loss, but not above a quarter."""
    need = decode(demo.text("frost-fans" if topology == "llc_half" else "camera-hide"), "demo").requirement
    told = size(need, {"topology": topology}, noise=False, loop=False).figure("efficiency_mean")
    monkeypatch.setattr(grids, "LOADS", (0.0, 0.1, 0.25, 0.5, 0.75, 1.0))
    forget()
    d = size(need, {"topology": topology}, noise=False, loop=False)
    monkeypatch.undo()
    forget()
    lines = [d.grid.lines.index(v) for v in need.mains.nominals]
    every = np.broadcast_to(plain(d.rows["efficiency"]), d.grid.shape)[lines]
    mean = np.mean([every[:, :, [d.grid.at_load(share)]] for share in (0.25, 0.5, 0.75, 1.0)], 0)
    assert told.value == pytest.approx(float(mean.min()), abs=1e-3)
    at = np.unravel_index(int(mean.argmin()), mean.shape)
    assert told.corner.v_line == need.mains.nominals[at[0]]


def test_a_supply_whose_light_load_costs_most():
    """By its parts: a fixed rate burns at a quarter what skipping saves, and the mean tells so where full load does not."""
    need = decode(demo.text(), "demo").requirement
    skip, fixed = (size(need, {"light_load": law}, noise=False, loop=False) for law in ("skip", "fixed"))
    assert fixed.value("efficiency_mean") <= skip.value("efficiency_mean") + 1e-6
    parts = [float(skip.rows[f"efficiency_{name}"].at(skip.figure("efficiency_mean").corner.index)) for name in
             ("quarter", "half", "three", "full")]
    assert skip.value("efficiency_mean") == pytest.approx(np.mean(parts)) and min(parts) > 0.8


@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "llc_half"])
def test_the_curve_between_the_loads_that_are_worked_out(monkeypatch, topology):
    """Drawn between five loads; a grid of nine has others between them. Within half a per cent from a quarter of full load on, one per cent
    below, where stages begin to leave pulses out."""
    need = decode(demo.text("frost-fans" if topology == "llc_half" else "camera-hide"), "demo").requirement
    told = size(need, {"topology": topology}, noise=False, loop=False)
    picture = PICTURES["efficiency"][1](told, told.figure("efficiency").corner, 140.0, 110.0, told)
    monkeypatch.setattr(grids, "LOADS", (0.0, 0.1, 0.17, 0.25, 0.37, 0.5, 0.62, 0.8, 1.0))
    forget()
    d = size(need, {"topology": topology}, noise=False, loop=False)
    monkeypatch.undo()
    forget()
    assert "efficiency" in pictures_of(told, "load")
    for line in told.grid.lines:
        x, y = (picture.data[f"{line:g} V{tail}"] for tail in (" x [% load]", " [%]"))
        every = np.broadcast_to(plain(d.rows["efficiency"]), d.grid.shape)[d.grid.lines.index(line)]
        for load in (0.1, 0.17, 0.25, 0.37, 0.5, 0.62, 0.8, 1.0):
            there = 100 * float(every[:, d.grid.at_load(load)].min())
            assert np.interp(100 * load, x, y) == pytest.approx(there, abs=0.5 if load > 0.2 else 1.0), (line, load)
