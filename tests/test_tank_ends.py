"""A resonant tank at the ends of its parts' tolerances: eight exact tanks one by one, the slowest in the simulator, the heat of every
part."""

import re
from itertools import product

import numpy as np
import pytest
from msgspec.structs import replace

from balances import whole
from rhevectra.app.netlist import corner_for
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.circuit.netlist import write
from rhevectra.core.design.size import size
from rhevectra.core.topologies.resonant import ends, stage, tank, waves
from rhevectra.core.topologies.resonant.circuit import circuit
from spice import measure
from test_llc import ALL, need_of


@pytest.fixture(scope="module", params=ALL)
def llc(request):
    return size(need_of(request.param), {"topology": request.param})


def of_ends(llc, **parts):
    """The stage with other parts in its tank, solved by itself until drop and currents agree: (quantities over the grid)."""
    s = llc.context["plan"].stage
    moved = replace(s, **{n: getattr(s, n) * x for n, x in parts.items()})
    found = stage.solve(moved)
    assert found.miss < stage.UNSOLVED
    return found.out


def test_the_ends_of_the_tolerances_one_by_one(llc):
    """Eight designs of the tank, each solved from nothing with its own drops: what the figures tell of the worst of them, at the least and
    the greatest bus. The currents that decide follow within 2 %, the frequency within 1 %."""
    rows, nominal = llc.rows, llc.context["o"]
    tol = [float(rows[id].value) for id in ("llc.lr_tolerance", "llc.cr_tolerance", "transformer.lp_tolerance")]
    every = [of_ends(llc, lr=1 + a * tol[0], cr=1 + b * tol[1], lm=1 + c * tol[2]) for a, b, c in product((-1, 1), repeat=3)]
    worst = lambda key, pick: pick([x[key] for x in every], axis=0)  # noqa: E731
    loaded = [k for k, p in enumerate(llc.grid.points) if p.load >= 0.25]
    at = lambda x: np.asarray(whole(llc, x))[[0, -1]][:, :, loaded]  # noqa: E731
    most = llc.value("llc.phase_most") if "llc.phase_most" in rows else 1.0
    for id, expected, rel in (("llc.f_min", worst("f", np.min), 0.01), ("llc.f_max", worst("f", np.max), 0.01),
                              ("switch.i_peak", most * worst("i_tank_peak", np.max), 0.02),
                              ("llc.v_ac_most", most * worst("v_cap", np.max), 0.02), ("llc.i_off", worst("i_off", np.min), 0.02)):
        assert np.allclose(at(rows[id]), at(expected), rtol=rel), id
        before = {"llc.i_off": "i_off", "llc.v_ac_most": "v_cap", "switch.i_peak": "i_tank_peak"}.get(id, "f")
        assert (np.abs(at(rows[id]) / at(nominal[before]) - 1) > 0.01).any(), f"{id} moves"


def test_the_heat_of_every_part_at_the_worst_end(llc):
    """The same eight tanks: rms currents of tank and rectifiers within 2 %, the core's loss within 3 %; what is told as lost beyond nominal
    parts is at least what any one of them loses more, and not twice as much; the transformer is chosen for it."""
    rows, s, full = llc.rows, llc.context["plan"].stage, llc.grid.full_load
    tol = [float(rows[id].value) for id in ("llc.lr_tolerance", "llc.cr_tolerance", "transformer.lp_tolerance")]
    every = [of_ends(llc, lr=1 + a * tol[0], cr=1 + b * tol[1], lm=1 + c * tol[2]) for a, b, c in product((-1, 1), repeat=3)]
    at = lambda x: np.asarray(whole(llc, x))[[0, -1], :, full]  # noqa: E731
    most = float(rows["llc.phase_most"].value) if s.variant.phases > 1 else 1.0
    for id, key, rel in (("llc.i_cr_rms", "i_tank", 0.02), ("switch.i_rms", "i_tank", 0.02), ("rectifier1.i_rms", "i_rect", 0.02),
                         ("rectifier1.i_peak", "i_rect_peak", 0.02), ("transformer.loss_core", "p_core", 0.03)):
        expected = np.max([at(x[key]) for x in every], axis=0) * (1 if id == "transformer.loss_core" else most)
        assert np.allclose(at(rows[id]), expected / (np.sqrt(2) if id in ("switch.i_rms", "rectifier1.i_rms") else 1), rtol=rel), id
    copper = lambda x: stage.path(s) * at(x["i_tank"]) ** 2 + float(s.r_secondary) * at(x["i_rect"]) ** 2 + at(x["p_core"])  # noqa: E731
    more = s.variant.phases * (
        np.max([copper(x) for x in every], axis=0) - copper({k: llc.context["o"][k] for k in ("i_tank", "i_rect", "p_core")}))
    assert (at(rows["llc.loss_ends"]) > more).all() and (at(rows["llc.loss_ends"]) < 2 * more).all()
    assert llc.figure("transformer.temperature_rise").margin >= 0 and llc.figure("inductor.rise").margin >= 0


def test_an_end_of_the_tolerances_in_the_simulator(llc, tmp_path):
    """The exported netlist at the least bus and full load, its tank exchanged for the slowest end and driven at the lowest frequency told
    there: the output stands within 2 %, peak current and capacitor voltage within 3 % of that end solved by itself, and no more than 3 %
    above the figures of the worst."""
    rows, line = llc.rows, llc.grid.lines[0]
    c = corner_for(llc, line, 1.0, "")
    at = lambda x: float(whole(llc, x)[c.index])  # noqa: E731
    lr, cr = 1 + at(rows["llc.lr_tolerance"]), 1 + at(rows["llc.cr_tolerance"])
    moved = {lm: of_ends(llc, lr=lr, cr=cr, lm=1 + lm * at(rows["transformer.lp_tolerance"])) for lm in (-1, 1)}
    slow = min(moved, key=lambda lm: float(whole(llc, moved[lm]["f"])[c.index]))
    lm = 1 + slow * at(rows["transformer.lp_tolerance"])
    s, f = llc.context["stage"], at(rows["llc.f_min"])
    end = replace(s, lr=at(s.lr) * lr, cr=at(s.cr) * cr, lm=at(s.lm) * lm)
    text = write(circuit(replace(llc, context={**llc.context, "stage": end, "o": {**llc.context["o"], "f": f}}), c))
    stop = float(re.search(r"\.tran \S+ (\S+)", text).group(1))
    found = measure(text.replace("\n.end\n", "\n.save all @lres[i]\n.end\n"), ["let ip=@lres[i]", "let vc=v(a)-v(t1)"],
                    {"peak": "MAX ip", "vo": "AVG v(out1)", "cap": "MAX vc"}, (stop - 20 / f, stop), tmp_path / "e.cir")
    assert found["vo"] == pytest.approx(48.0, rel=0.02)
    alone = {k: float(whole(llc, x)[c.index]) for k, x in moved[slow].items() if k in ("i_tank_peak", "v_cap")}
    assert (found["peak"] == pytest.approx(alone["i_tank_peak"], rel=0.03)
            and found["cap"] == pytest.approx(at(rows["llc.v_dc"]) + alone["v_cap"], rel=0.03))
    assert found["peak"] < 1.03 * at(rows["switch.i_peak"]) and found["cap"] < 1.03 * at(rows["llc.v_cr_peak"])


@pytest.mark.parametrize(("ratio", "volts"), [(6.0, 48.0), (14.0, 48.0)])
def test_the_border_against_a_fine_grid_of_frequencies(ratio, volts):
    """The most gain of the weakest tank while its current lags, and where: within 0.2 and 1 % of two hundred frequencies, each begun from
    its neighbour; there lies the least of a controller whose lowest frequency is set as told."""
    need = Requirement(mains=Mains(kind="dc", v_min=370, v_max=400), outputs=(Output(voltage=volts, current_max=300 / volts),),
                       cooling="forced")
    d = size(need, {"topology": "llc_half", "llc.ratio": ratio, "llc.v_hold": 270.0, "llc.cr": 22e-9}, noise=False)
    s, rows, by = d.context["plan"].stage, d.rows, ends.of(d.rows)
    lr, cr, lm = np.array(by.weakest).T
    k, load = s.lm * lm / (s.lr * lr), float(np.max(s.i_out)) / (s.np / s.ns) * np.sqrt(s.lr * lr / (s.cr * cr)) / (0.5 * 270.0)
    found, near = [(0.0, 1.0)] * len(lr), None
    for f in np.geomspace(0.97, 0.5, 200):
        at = tank.solve(tank.Point(np.full(len(lr), np.pi / f), load, np.ones(len(lr)), k), "gain", near)
        solved, off = at.miss < 1e-7, waves.measures(at)["off"]
        near = at.unknown if near is None else np.where(solved[:, None], at.unknown, near)
        found = [max(best, (float(gain), f)) if fine and o > 0 else best
                 for best, gain, fine, o in zip(found, at.point.gain, solved, off, strict=True)]
    (gain, _), f = min(found), max(f for _, f in found)
    assert (float(rows["llc.gain_max"].value) == pytest.approx(gain, rel=0.002)
            and float(rows["llc.f_border"].value) == pytest.approx(f * float(rows["llc.fr"].value) / by.slowest, rel=0.01)
            and 0.94 * d.value("llc.f_set") == pytest.approx(f * float(rows["llc.fr"].value) / by.slowest, rel=0.01))
