"""The search palette knows what people call things: abbreviations of the bench, singular and plural, with and without hyphens; and it leads
there."""

import pytest
from PySide6.QtCore import Qt

from rhevectra.app.vocabulary import SAME, meant, plain
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.ui.rail import BENCHES, PROOFS


def find(qtbot, window, typed: str) -> list[str]:
    """What the palette lists."""
    window.search()
    window.palette_box.field.clear()
    qtbot.keyClicks(window.palette_box.field, typed)
    shown = window.palette_box.list
    return [shown.item(k).text().split("   ·")[0] for k in range(shown.count())]


@pytest.mark.parametrize(("typed", "expected"), [
    ("vds", "Peak drain voltage"), ("mosfet", "Switch class"), ("holdup", "Hold-up time"), ("startup", "Start-up time into full load"),
    ("pf", "Power factor"), ("thd", "Inlet: Harmonics"), ("harmonics", "Harmonics class"), ("fuse", "Fuse, rated current"),
    ("varistor", "Surge arrester, continuous voltage"), ("emi", "Inlet: Noise"), ("vor", "Reflected voltage"),
    ("ocp", "Current limit, nominal"), ("vcc", "Auxiliary supply, least"), ("bom", "Export parts list …"), ("spice", "Export netlist …"),
    ("litz", "Primary wire"),
    ("ambient", "Ambient"), ("heatsink", "Case to ambient needed"), ("ripple", "Output: Ripple, pp"), ("isolation", "Insulation"),
    ("Vds peak", "Peak drain voltage"), ("oscillator", "Frequency tolerance"), ("fosc", "Switching frequency")])
def test_it_knows_the_words_of_the_trade(qtbot, window, typed, expected):
    assert expected in find(qtbot, window, typed)


def test_what_is_called_so_comes_before_what_is_called_otherwise(qtbot, window):
    assert find(qtbot, window, "gap")[:2] == ["Gap", "Gap in the post"]
    assert find(qtbot, window, "bananas") == ["nothing is called that"]


@pytest.mark.parametrize(("typed", "there"), [
    ("hold-up at", lambda w: w.stack.currentWidget() is w.ask and w.ask.fields["Hold-up at"].editor.hasFocus()),
    ("output ripple, pp", lambda w: w.ask.outputs.edit(0, "Ripple, pp").hasFocus()),
    ("clamp: map", lambda w: w.size_desk.stage == "clamp" and w.size_desk.picture.key == "map"),
    ("ringing", lambda w: w.wind_desk.tabs.currentIndex() == BENCHES.index("Ringing")),
    ("on paper handed on", lambda w: w.stack.currentWidget() is w.file_desk),
    ("bring-up", lambda w: w.stack.currentWidget() is w.prove_desk and w.prove_desk.tabs.currentIndex() == PROOFS.index("Bring-up"))])
def test_it_leads_to_fields_pictures_and_benches(qtbot, window, typed, there):
    assert find(qtbot, window, typed)
    qtbot.keyClick(window.palette_box.field, Qt.Key.Key_Return)
    assert not window.palette_box.isVisible() and there(window)


def test_every_word_of_the_vocabulary_leads_somewhere(window):
    """None of what a word stands for is called so nowhere: over the entries of this window, and figures and decisions of every topology."""
    said = [plain(f"{e.name} {e.words} {e.kind}") for e in window._entries()]
    for topology in TOPOLOGIES:
        d = size(window.session.document.requirement, {"topology": topology, "front_end": "pfc_ccm"}, noise=False)
        said += [plain(f"{s.label} {s.id}") for s in (*d.specs.values(), *d.decision_specs.values())]
    assert all(word == plain(word) and word in meant(word) for word in SAME)
    assert ([(word, other) for word, others in SAME.items() for other in others
             if other != plain(other) or not any(other in s for s in said)] == [])
