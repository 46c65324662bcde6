"""Resonant stages at a fixed ratio: output at every corner against the simulator and the engine, what a fixed ratio saves, what it passes
on."""

import re
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import Qt

from balances import check_balance, check_drawn, check_finite
from rhevectra.app.netlist import corner_for, netlist_text
from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.exact import exact
from rhevectra.core.design.input_range import range_steps
from rhevectra.core.design.size import size
from rhevectra.drawing.pictures import PICTURES, pictures_of
from spice import measure

NEED = Requirement(mains=Mains(kind="dc", v_min=380, v_max=400), outputs=(Output(voltage=48, current_max=10, tolerance=0.08),),
                   cooling="forced")
PINS = {"llc_half": {"topology": "llc_half", "llc.control": "fixed"},
        "llc_full": {"topology": "llc_full", "llc.control": "fixed", "fs": 150e3}}


@pytest.fixture(scope="module", params=PINS)
def fixed(request):
    return size(NEED, PINS[request.param])


def test_the_output_against_the_simulator(fixed, tmp_path):
    """Half bridge: full load at the least bus; full bridge: a tenth at the greatest. The exported netlist, nothing tuned: output within 1
    %. The tank is solved without resistances, which with so little inductance flatten its current: what is sized for is never less, and at
    full load at most a tenth more."""
    load, v = (1.0, fixed.grid.lines[0]) if fixed.topology == "llc_half" else (0.1, fixed.grid.lines[-1])
    corner, text, o = corner_for(fixed, v, load, ""), netlist_text(fixed, v, load, ""), fixed.context["o"]
    end = float(re.search(r"\.tran \S+ (\S+)", text).group(1))
    found = measure(text.replace("\n.end\n", "\n.save all @lres[i]\n.end\n"), ["let ip=@lres[i]"], {"v": "AVG v(out1)", "i": "RMS ip"},
                    (end - 20 / float(o["f"].at(corner.index)), end), tmp_path / "fixed.cir")
    assert float(fixed.rows["output1.v"].at(corner.index)) == pytest.approx(found["v"], rel=0.01)
    over = float(o["i_tank"].at(corner.index)) / found["i"]
    assert 1.0 <= over < (1.1 if load == 1.0 else 1.3)


def test_the_output_against_the_engine_at_every_bus_and_load(fixed):
    """From the least to the greatest bus, from a tenth to the whole load: within half a per cent of the exact period of the whole circuit,
    dead time and node capacitance in it."""
    for v in (fixed.grid.lines[0], fixed.grid.lines[-1]):
        for load in (0.1, 0.5, 1.0):
            corner = corner_for(fixed, v, load, "")
            e = exact(fixed, corner)
            assert float(fixed.rows["output1.v"].at(corner.index)) == pytest.approx(np.trapezoid(e.voltages["out1"], e.t) / e.period,
                rel=5e-3), corner.text()


def test_the_leakage_is_the_resonant_inductance(fixed):
    """No inductor beside the transformer; the frequency is that of leakage and capacitor; the output follows the bus in proportion but for
    the drops."""
    rows = fixed.rows
    assert "inductor.core" not in rows and "llc.gain_need" not in rows and "feedback.error" not in rows
    lr, cr = float(rows["llc.lr"].value), float(rows["llc.cr"].value)
    assert lr == float(rows["transformer.leakage"].value)
    assert np.allclose(fixed.context["o"]["f"].value, 1 / (2 * np.pi * np.sqrt(lr * cr)), rtol=1e-9)
    at = [float(rows["output1.v"].at(corner_for(fixed, v, 1.0, "").index)) for v in (380.0, 400.0)]
    assert at[1] / at[0] == pytest.approx(400 / 380, rel=5e-3)
    assert 48 * 0.92 < fixed.figure("output1.v_low").value < 48 < fixed.figure("output1.v_high").value < 48 * 1.08


def test_it_is_a_design_like_any_other(fixed):
    """Feasible, balanced, finite, drawn; the load line stands where the gain curves of a regulated stage do; zero voltage at every
    corner."""
    assert fixed.feasible, [f.text for f in fixed.findings if f.severity == MUST_FIX]
    check_balance(fixed, front=("bridge", "thermistor", "bulk", "x_discharge", "start_up"))
    check_finite(fixed)
    check_drawn(fixed, fixed.grid.find(380.0))
    assert "output" in pictures_of(fixed, "switch") and "gain" not in pictures_of(fixed, "switch")
    traces = PICTURES["output"][1](fixed, fixed.grid.find(380.0), 130.0, 90.0, None).frames[0].traces
    assert len(traces) == 2
    assert float(np.min(fixed.rows["llc.i_off"].value)) >= float(fixed.figure("llc.i_off").limit)


@pytest.mark.parametrize("topology", PINS)
def test_it_loses_less_than_a_regulated_stage(topology):
    """Common practice, no source: at the resonance nothing circulates but what zero voltage asks for."""
    regulated, ratio = (size(NEED, {"topology": topology, **more}) for more in ({}, {"llc.control": "fixed"}))
    assert ratio.most("loss.total") < 0.95 * regulated.most("loss.total") and ratio.most("switch.i_rms") < regulated.most("switch.i_rms")


def test_what_it_passes_on_is_told():
    """A bus that moves more than the output may, and hold-up: must be fixed, with what cures it. With the tolerance it takes both are
    gone."""
    wide = replace(NEED, mains=Mains(kind="dc", v_min=340, v_max=420), hold_up=10e-3)
    d = size(wide, {**PINS["llc_half"], "llc.v_hold": 320.0})
    texts = [f.text for f in d.findings if f.severity == MUST_FIX]
    assert (any("Output voltage, least" in t and "llc.v_unity" in t for t in texts) and any("Output voltage, greatest" in t for t in texts)
            and any("end of hold-up" in t for t in texts))
    hold = float(d.rows["output1.v_hold"].at(corner_for(d, 340.0, 1.0, "").index)) / float(
        d.rows["output1.v"].at(corner_for(d, 340.0, 1.0, "").index))
    assert hold == pytest.approx(320 / 340, rel=0.01)
    loose = size(replace(wide, outputs=(replace(NEED.outputs[0], tolerance=0.2),)), {**PINS["llc_half"], "llc.v_hold": 320.0})
    assert not [f.text for f in loose.findings if "Output voltage" in f.text or "end of hold-up" in f.text]


def test_a_reading_of_the_leakage_moves_capacitor_or_frequency(fixed):
    """What was wound leaks more than was thought: the resonance follows the reading."""
    seen = 1.3 * float(fixed.rows["transformer.leakage"].value)
    d = size(NEED, {**fixed.pins, "llc.cr": float(fixed.rows["llc.cr"].value)}, {"transformer.leakage": Measured(seen)})
    assert float(d.rows["llc.lr"].value) == seen
    assert float(d.rows["llc.fr"].value) == pytest.approx(float(fixed.rows["llc.fr"].value) / np.sqrt(1.3), rel=1e-9)


def test_behind_a_power_factor_stage_and_on_a_board():
    """Regulate first, isolate second: 48 V from universal mains, the isolating stage a fixed ratio, wound and as a board."""
    need = Requirement(mains=Mains(kind="ac1", v_min=100, v_max=264), outputs=(Output(voltage=48, current_max=8, tolerance=0.08),),
                       cooling="forced", harmonics_class="A", hold_up=0.0)
    for more in ({}, {"transformer.construction": "board"}):
        d = size(need, {"front_end": "pfc_ccm", **PINS["llc_half"], **more})
        assert d.feasible, [f.text for f in d.findings if f.severity == MUST_FIX]
        stage = (k for k in d.losses if k.startswith("pfc"))
        check_balance(d, front=("bridge", "thermistor", "mains_filter", "bulk", "x_discharge", "start_up", *stage))


def test_a_held_flyback_of_several_outputs_draws_nothing_behind_the_load_line(fixed):
    """A loop holds its first output: it has no row of how that moves, wherever it stands in the requirement."""
    held = size(Requirement(mains=Mains(kind="dc", v_min=360, v_max=400),
                            outputs=(Output(voltage=12, current_max=0.5, tolerance=0.1), Output(voltage=5, current_max=4, regulated=True))),
                {"topology": "flyback"})
    assert "output1.v" not in held.rows and "output2.v" in held.rows
    corner = fixed.grid.find(380.0)
    assert len(PICTURES["output"][1](fixed, corner, 130.0, 90.0, held).items) == len(
        PICTURES["output"][1](fixed, corner, 130.0, 90.0, None).items)


def test_input_ranges_keep_the_fixed_ratio():
    """Feasible behind a narrow bus, refused behind a wide one: it goes along as it is and is not regulated for the picture's sake."""
    found = list(range_steps(size(NEED, PINS["llc_half"]), None))[-1][2]
    assert found.feasible[0] and not found.feasible[-1]
    assert found.values[3][0] > 0  # the energy is that of the leakage


def test_in_the_window_the_control_is_a_decision(qtbot, window):
    """Chosen in its row of the decisions: the tab of the gain gives way to that of the output."""
    window._edit(lambda: window.session.require(NEED))
    window._edit(lambda: window.session.pin("topology", "llc_half"))
    desk = window.size_desk
    desk.go_to("switch", "llc.control")
    editor = desk.decisions.rows["llc.control"].editor
    qtbot.keyClick(editor, Qt.Key.Key_Down)
    assert window.session.document.decisions.get("llc.control") == "fixed" or editor.currentText() == "fixed"
    window._edit(lambda: window.session.pin("llc.control", "fixed"))
    titles = [desk.picture.tabs.tabText(k) for k in range(desk.picture.tabs.count())]
    assert "Output" in titles and "Gain" not in titles and "regulated" not in window.statusBar().currentMessage()
