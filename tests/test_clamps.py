"""Every kind of clamp over load: curves against the design's own corners and the exact period, who wins told from curves, and the picture
in the window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from scipy.optimize import brentq

from balances import check_read_out
from requirements import ALONE
from rhevectra.core.design import clamps
from rhevectra.core.design.clamps import LAWS, LOADS, Curve, crossings, kinds, over_load_steps, said
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size
from rhevectra.core.stages import clamping


@pytest.fixture(scope="module")
def found(lone_design):
    steps = list(over_load_steps(lone_design, lone_design.grid.find(265.0)))
    assert [done for done, _, _ in steps] == list(range(1, len(steps) + 1)) and all(r is None for _, _, r in steps[:-1])
    return steps[-1][2]


def test_curves_meet_the_corners_of_whole_designs(found, demo_document, demo_design):
    """At the loads of the grid every curve gives what a design of that kind and law with the same transformer records there (solved with
    the bulk, apart from the curve)."""
    wound = {id: demo_design.rows[id].value
             for id in ("transformer.core", "transformer.np", "transformer.ns1", "transformer.naux", "transformer.lp", "flyback.v_or")}
    for c in found.curves:
        d = size(demo_document.requirement, {**demo_document.decisions, **wound, **ALONE, "clamp.kind": c.kind, "light_load": c.law},
                 noise=False)
        diode = d.rows.get("clamp.loss_diode")
        for load in (0.0, 0.1, 0.5, 1.0):
            index = d.grid.find(265.0, load).index
            whole = float(d.rows["clamp.power"].at(index)) + (float(diode.at(index)) if diode else 0.0)
            assert float(np.interp(load, LOADS, c.power)) == pytest.approx(whole, rel=5e-3, abs=2e-4), (c.kind, c.law, load)


def test_curves_meet_the_exact_period(found):
    """Within 5 % wherever a clamp stands (a clamp switch 12 %: its body diode takes a part that is left out); without one the formula
    leaves the ring's damping out and lies above."""
    checked = [(c, load, p) for c in found.curves for load, p in c.checks]
    assert len(checked) >= 12 and {c.kind for c, _, _ in checked} == {"rcd", "rcd_slow", "zener", "rcd_zener", "active", "none"}
    for c, load, p in checked:
        mine = float(np.interp(load, LOADS, c.power))
        if c.kind == "none":
            assert p <= 1.01 * mine + 1e-6
        else:
            assert p == pytest.approx(mine, rel=0.12 if c.kind == "active" else 0.05, abs=2e-3), (c.kind, c.law, load)


def test_what_each_kind_does_beside_its_own_power(found, demo_document, demo_design):
    """Efficiency and peak from whole designs; the ring of the resistor's clamp from the exact drain: its first trough below the plateau
    within 15 %, its frequency by resonance; a clamp switch leaves none and saves most."""
    wound = {id: demo_design.rows[id].value
             for id in ("transformer.core", "transformer.np", "transformer.ns1", "transformer.naux", "transformer.lp", "flyback.v_or")}
    own = {c.kind: c.effect for c in found.of(found.law)}
    assert (all(c.effect is None for c in found.curves if c.law != found.law) and own["active"].ring == 0
            and own["active"].efficiency == max(e.efficiency for e in own.values()))
    for kind in ("rcd", "active"):
        d = size(demo_document.requirement, {**demo_document.decisions, **wound, **ALONE, "clamp.kind": kind, "light_load": found.law},
                 noise=False)
        full = d.grid.find(265.0, 1.0, bus=found.corner.bus, f_line=found.corner.f_line)
        lost = sum(float(np.broadcast_to(p.value, d.grid.shape)[full.index]) for p in d.losses.values())
        given = float(d.rows["load.v_main"].value) * 2.5
        assert (own[kind].efficiency == pytest.approx(given / (given + lost), rel=3e-3)
                and own[kind].peak == pytest.approx(float(np.max(d.rows["switch.v_peak"].value)), rel=1e-6))
        if kind == "rcd":
            e = exact(d, full)
            drain, plateau = (e.voltages["drain"],
                              float(d.rows["bus.v"].at(full.index)) + float(d.rows["transformer.v_reflected"].at(full.index)))
            after = int(np.argmax(drain))
            ring = 1 / own[kind].frequency
            near = (e.t > e.t[after] + 0.3 * ring) & (e.t < e.t[after] + 2.5 * ring)
            assert (plateau - drain[near].min()) * np.exp(np.pi / 40) == pytest.approx(own[kind].ring, rel=0.15)
            assert own[kind].frequency == pytest.approx(
                1 / (2 * np.pi * np.sqrt(float(d.value("transformer.leakage")) * float(d.value("switch.c_node")))), rel=1e-6)


def test_laws_differ_near_no_load_only(found):
    """A capacitor's resistor burns most where pulses never rest; from a tenth of load on the laws are one."""
    rcd = {c.law: c.power for c in found.curves if c.kind == "rcd"}
    assert rcd["skip"][0] < rcd["foldback"][0] < rcd["fixed"][0]
    high = LOADS >= 0.1
    for law in LAWS:
        assert rcd[law][high] == pytest.approx(rcd["skip"][high], rel=1e-3)


def test_the_winner_is_told_from_the_curves():
    """Two straight lines that cross at 40 % (closed form), the other way round, and never."""
    low, flat = Curve("zener", "diodes", "skip", 2.5 * LOADS, rests=True), Curve("rcd", "capacitor", "skip", 1.0 + 0 * LOADS)
    order, turns = crossings(LOADS, [flat, low])
    assert order == [1, 0] and turns[0] == pytest.approx(0.4, abs=0.04)
    assert "up to" in said(LOADS, [flat, low]) and "do not win" not in said(LOADS, [flat, low])
    other = said(LOADS, [Curve("zener", "diodes", "skip", 1.0 + 0 * LOADS, rests=True), Curve("rcd", "capacitor", "skip", 0.2 + 0 * LOADS)])
    assert "capacitor: least loss at every load" in other and "diodes do not win at light load" in other


def test_a_soft_zener_loses_at_load(demo_document, monkeypatch):
    """A Zener voltage near the reflected one takes core current with every pulse: the capacitor wins at load, and the sentence says so."""
    pins = {**demo_document.decisions, "clamp.kind": "zener", "clamp.v_zener": 105.0}
    monkeypatch.setattr(clamps, "CHECKED", ())
    monkeypatch.setattr(clamps, "WORTH", np.inf)  # the curves alone
    d = size(demo_document.requirement, pins)
    last = list(over_load_steps(d, d.grid.find(265.0)))[-1][2]
    assert "Zener diodes: least loss up to" in said(LOADS, [c for c in last.of("skip") if c.kind in ("zener", "rcd")])
    own = next(c for c in last.of("skip") if c.kind == "zener")
    assert own.power[-1] > 2 * next(c for c in last.of("skip") if c.kind == "rcd").power[-1]


def test_the_picture_comes_from_the_worker(window, qtbot, monkeypatch):
    """At the clamp, the tab asks for it; the newest design wins; cancelling says so; there is none where nothing needs a clamp."""
    monkeypatch.setattr(clamps, "CHECKED", (1.0,))
    desk = window.size_desk
    desk.choose_stage("clamp")
    tabs = desk.picture.tabs
    place = next(k for k in range(tabs.count()) if tabs.tabText(k) == "Kinds")
    qtbot.mouseClick(tabs, Qt.MouseButton.LeftButton, pos=tabs.tabRect(place).center())
    assert desk.picture.key == "loads" and "background" in desk.picture.caption.toolTip()
    window.cancel_job()
    assert not desk.picture.late["loads"].feed._timer.isActive()
    window.session.pin("light_load", "fixed")
    window.show_all()
    qtbot.waitUntil(lambda: desk.picture.late["loads"].found is not None, timeout=60000)
    assert desk.picture.late["loads"].found.law == "fixed" and len(kinds(window.session.design)) == 6
    check_read_out(desk.picture.view.picture())
    for x in (60, 200, 400):  # the cursor reads every frame it passes
        qtbot.mouseMove(desk.picture.view, QPoint(x, 250))
        desk.picture.view.grab()
    window.session.pin("topology", "flyback_2sw")
    window.show_all()
    assert desk.picture.late["loads"].found is None and not any(
        desk.picture.tabs.tabText(k) == "Kinds" for k in range(desk.picture.tabs.count()))


def test_what_a_clamp_burns_where_little_flows():
    """By root finding: the clamp's voltage over the reflected one where the resistor takes what the leakage brings, V·(V − 1) going with
    the square of the current; at no current at all it is some number still."""
    for share in (1.0, 0.5, 0.1):
        over = brentq(lambda v, share=share: v * (v - 1) - clamping.ROOM * (clamping.ROOM - 1) * share**2, 1.0, 10.0)
        assert clamping.burnt(True, share) == pytest.approx(over / (over - 1), rel=1e-9)
        assert clamping.burnt(False, share) == pytest.approx(clamping.ROOM / (clamping.ROOM - 1))
    assert np.isfinite(clamping.burnt(True, 0.0)) and clamping.burnt(True, 0.0) > clamping.burnt(True, 0.1)
