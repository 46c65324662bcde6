"""Rework of a supply that works: the trap of rounding, volts per turn against a design of the same turns, the choke's ripple, the divider
by Kirchhoff, the bench in the window."""

from dataclasses import replace

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.bench.rework import Found, Side, exact_turns, sentences, ways
from rhevectra.core.basis.errors import InputError
from rhevectra.core.design.size import size
from rhevectra.ui.rail import BENCHES

OLD = Found(Side(5.0, 0.5, 8.0), 2.0)


def test_rounding_to_fewer_turns_is_the_trap():
    """Common practice, no source: 1.76 turns wanted, 1.5 wound: volts per turn, and all that follows it, 17 % up."""
    wanted = Side(4.34, 0.5, 9.0)
    assert exact_turns(OLD, wanted) == pytest.approx(1.76)
    found = ways(Found(OLD.side, OLD.turns, 30.0, 375.0, 560.0, 14.0), wanted)
    one = next(w for w in found if w.turns == 1.5)
    assert one.ratio == pytest.approx(1.76 / 1.5) and round(100 * (one.ratio - 1)) == 17
    assert (one.reflected == pytest.approx(30 * 2.75 * 1.76 / 1.5) and one.auxiliary == pytest.approx(14 * 1.76 / 1.5)
            and one.drain == pytest.approx(375 + 185 * 1.76 / 1.5))
    told = " ".join(sentences(OLD, wanted))
    assert "1.5 turns raise them by 17 %" in told and "legs carry unlike flux" in told
    assert ({w.turns for w in found} == {1.5, 2.0, 2.5}
            and "legs" not in " ".join(sentences(Found(Side(12.0, 0.6, 5.0), 8.0), Side(15.0, 0.6, 4.0))))


@pytest.mark.parametrize("up", [0, 1])
def test_a_design_of_the_new_turns_reflects_what_is_told(demo_document, demo_design, up):
    """Second route: the demo designed for 19 V with the same primary and the new secondary; drops are those of its own rectifier at full
    load, by which the exact number of turns lies between the two."""
    need, primary = demo_document.requirement, float(demo_design.value("transformer.np"))
    turns = int(float(demo_design.value("transformer.ns1")) * 19.35 / 25.0) + up
    made = size(replace(need,
                        outputs=(replace(need.outputs[0], voltage=19.0, voltage_min=19.0, voltage_max=19.0, current_max=3.0,
                                         current_peak=3.0),)), {"topology": "flyback", "transformer.np": primary, "transformer.ns1": turns})
    at = made.grid.find(230.0, 1.0).index
    old, new = (float(d.rows["secondary.v_drop"].at(d.grid.find(230.0, 1.0).index)) for d in (demo_design, made))
    found = Found(Side(24.0, old, 2.5), float(demo_design.value("transformer.ns1")), primary)
    way = next(w for w in ways(found, Side(19.0, new, 3.0)) if w.turns == turns)
    assert way.reflected == pytest.approx(float(made.rows["transformer.v_reflected"].at(at)), rel=2e-3)
    assert way.ratio == pytest.approx(
        float(made.rows["transformer.v_reflected"].at(at)) / float(demo_design.rows["transformer.v_reflected"].at(at)), rel=4e-3)


def test_the_choke_keeps_its_share_of_ripple_and_tells_its_flux():
    """Ripple over current is V·(1 − D)/(L·f·I) with L going with N²; flux follows N·I."""
    old, wanted, turns = Side(12.0, 0.6, 15.0), Side(24.0, 0.6, 7.0), 15.0
    share = lambda side, n: side.volts / (n**2 * side.current)  # noqa: E731
    new = turns * np.sqrt(share(wanted, 1.0) / share(old, 1.0))
    told = " ".join(sentences(Found(old, 6.0, 40.0, 375.0, choke=turns), wanted))
    assert share(wanted, new) == pytest.approx(share(old, turns))
    assert f"Choke: {round(new)} turns" in told and f"its flux at {100 * new * 7.0 / (turns * 15.0):.0f} %" in told
    found = ways(Found(old, 6.0, 40.0, 375.0, 560.0, 14.0, choke=turns), wanted)
    assert all(w.reflected is None and w.drain is None and w.auxiliary is None for w in found) and "the duty" in told
    assert next(w for w in found if w.turns == 12).reverse == pytest.approx(1.25 * 375 * 12 / 40)


def test_power_wires_and_divider():
    """More power than the primary side was made for is said; wires by the old density; the upper resistor sets what Kirchhoff's law at the
    tap gives with 2 µA into the reference."""
    found = Found(Side(12.0, 0.6, 5.0), 8.0, wires=3.0, r_low=10e3)
    more, less = " ".join(sentences(found, Side(15.0, 0.6, 5.0))), sentences(found, Side(15.0, 0.6, 3.0))
    assert ("25 % more than the primary side was made for" in more and "gap and current limit stay" in " ".join(less)
            and "lets 4.00 A through" in " ".join(less))
    assert "2 of the same wires" in " ".join(less)
    line = next(s for s in less if s.startswith("Divider"))
    high, gives = float(line.split()[1]) * 1e3, float(line.split(" set ")[1].split()[0])
    assert (gives - 2.495) / high == pytest.approx(2.495 / 10e3 + 2e-6, rel=2e-3) and gives == pytest.approx(15.0, rel=0.012)


@pytest.mark.parametrize(("found", "wanted", "said"), [
    (Found(Side(0.0, 0.5, 1.0), 2.0), Side(5.0, 0.5, 1.0), "output voltage now"), (OLD, Side(5.0, 0.5, -1.0), "current wanted"),
    (Found(OLD.side, 2.0, 30.0, 375.0, 300.0), Side(6.0, 0.5, 1.0), "no more than the bus"),
    (Found(OLD.side, 2.0, r_low=10e3), Side(2.0, 0.5, 1.0), "no more than the reference"),
    (Found(OLD.side, float("nan")), Side(6.0, 0.5, 1.0), "turns now")])
def test_what_makes_no_sense_is_one_sentence(found, wanted, said):
    with pytest.raises(InputError, match=said):
        ways(found, wanted)


def test_the_bench_in_the_window(window):
    """What the design knows stands in the fields; what somebody wrote stays when the design changes; nonsense is a sentence; a resonant
    stage fills no reflected numbers it would not follow."""
    window._to_tab("Wind", BENCHES.index("Rework"))
    bench = window.wind_desk.rework
    fields = bench.form.fields
    turns = int(window.session.design.value("transformer.ns1"))
    assert (fields["turns"].text() == str(turns) and fields["volts"].text() == "24.00 V" and not bench.table.isVisible()
            and "left out" in bench.words.text())
    fields["v_wanted"].setText("19")
    fields["i_wanted"].setText("3.1")
    fields["i_wanted"].editingFinished.emit()
    exact = turns * 19.5 / 24.5
    assert (bench.table.rowCount() == 2 and [bench.table.item(r, 0).text() for r in range(2)] == [str(int(exact)), str(int(exact) + 1)]
            and bench.table.isVisible())
    fields["bus"].setText("high")
    fields["bus"].editingFinished.emit()
    assert "is not a number" in bench.words.text() and not bench.table.isVisible()
    fields["bus"].setText("380")
    window.session.pin("transformer.ns1", turns + 1)
    window.show_all()
    assert fields["bus"].text() == "380" and fields["turns"].text() == str(turns + 1) and bench.table.isVisible()
    other = Session.of_text(demo.text("ringing-lab-bench"), "bench")
    bench.show_design(other.design)
    assert fields["choke"].text() == f"{other.design.value('filter1.turns'):g}" and bench.table.item(0, 3).text() == "–"
