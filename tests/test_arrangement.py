"""Orders of windings: how they are written, what they leak by integration, and that sheet, picture and figures follow them."""

import itertools

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QToolTip

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.remembered import forget
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.formulas import magnetics
from rhevectra.core.magnetics import arrangement, compare, leakage, rearrange, wire
from rhevectra.core.magnetics.windows import TAPE
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common.making import as_text, complaints, from_text
from rhevectra.core.topologies.common.winding import wires
from rhevectra.core.topologies.flyback import wound as flyback_wound
from rhevectra.drawing.sheet import sheet_of
from rhevectra.ui.pictures.canvas import PX_PER_MM

NAMES = ("primary", "ns1", "ns2", "naux")
NEED = Requirement(mains=Mains(kind="ac1", v_min=195.0, v_max=264.0),
                   outputs=(Output(voltage=24.0, current_max=2.0), Output(voltage=5.0, current_max=2.0, regulated=False)),
                   harmonics_class="none")


@pytest.mark.parametrize(("text", "said"),
                         [("p|s1 | P:1|aux", "p:1 | s1 | p:1 | aux"), ("p | p | s1", "p | s1"),
                          ("p:22 | s1 | p:12 | aux", "p:22 | s1 | p:12 | aux"), ("split", "split"), ("p | e | s1", "p | e | s1")])
def test_an_arrangement_is_read_as_people_write_it(text, said):
    assert arrangement.read(text) == said and arrangement.read(said) == said


@pytest.mark.parametrize("text", ["", "p | x1", "p || s1", "p:0 | s1", "halves", "p:-1 | s1", " | ".join(["p", "s1"] * 9)])
def test_what_is_no_arrangement_is_refused_in_one_sentence(text):
    with pytest.raises(InputError, match="accepted") as caught:
        arrangement.read(text)
    assert "\n" not in str(caught.value)


def test_every_winding_is_named_and_none_that_is_not_there():
    with pytest.raises(InputError, match="leaves out s2"):
        arrangement.blocks("p | s1 | aux", NAMES)
    with pytest.raises(InputError, match="names r"):
        arrangement.blocks("p | r | s1 | s2 | aux", NAMES)


@pytest.mark.parametrize("name", arrangement.PRESETS)
def test_presets_hold_every_turn_once_and_three_tapes_at_the_barrier(name):
    stack = arrangement.blocks(name, NAMES)
    for k in range(len(NAMES)):
        assert sum(arrangement.shares(stack, k)) == pytest.approx(1.0)
        assert sum(int(n) for n in arrangement.parted(np.asarray(37), arrangement.shares(stack, k))) == 37
    side = [b.shield or arrangement.on_primary_side(NAMES[b.winding]) for b in stack]
    for k in range(1, len(stack)):
        assert stack[k].below == pytest.approx(TAPE * (3 if side[k] != side[k - 1] else 1))
    assert arrangement.shielded(stack, NAMES) == (name == "shielded")
    assert arrangement.faces(stack, NAMES) == {"simple": 1, "split": 2, "interleaved": 4, "shielded": 2}[name]


def by_integration(slabs, turns, amps, width):
    """2·energy of ½µ₀∫H² over the stack for currents per winding [A], H integrated from the outer leg by the trapezoid rule."""
    h, energy = 0.0, 0.0
    for s in reversed(slabs):
        inner = h + (s.share * turns[s.winding] * amps[s.winding] / width if s.winding >= 0 else 0.0)
        field = np.linspace(h, inner, 4001)
        energy += np.trapezoid(field**2, dx=s.height / 4000) * s.turn + inner**2 * s.below * s.turn_below
        h = inner
    assert abs(h) < 1e-6 * max(abs(np.array(turns) * np.array(amps)).max() / width, 1e-9)
    return 4e-7 * np.pi * width * energy


STACK = [leakage.Slab(0, 0.4, 1.1e-3, 0.041, 0.0, 0.04), leakage.Slab(1, 1.0, 0.9e-3, 0.048, 0.17e-3, 0.045),
         leakage.Slab(2, 1.0, 0.5e-3, 0.052, 0.06e-3, 0.05), leakage.Slab(-1, 0.0, 0.05e-3, 0.054, 0.17e-3, 0.053),
         leakage.Slab(0, 0.6, 1.6e-3, 0.06, 0.06e-3, 0.055), leakage.Slab(3, 1.0, 0.2e-3, 0.064, 0.06e-3, 0.063)]
TURNS, WIDTH = [50, 7, 4, 8], 17e-3


def test_leakage_of_every_pair_by_integration():
    found = leakage.leakage(STACK, TURNS, WIDTH)
    for i in range(4):
        for j in range(4):
            if i != j:
                amps = [0.0] * 4
                amps[i], amps[j] = 1.0, -TURNS[i] / TURNS[j]
                assert found.pair(i, j) == pytest.approx(by_integration(STACK, TURNS, amps, WIDTH), rel=1e-5)


def test_shorted_outputs_share_so_that_the_energy_is_least():
    """Against a fine scan of how two shorted outputs might share; and never more than either of them alone shows."""
    found = leakage.leakage(STACK, TURNS, WIDTH)
    both, part = found.shorted(0, [1, 2])
    scan = np.linspace(-0.5, 1.5, 4001)
    energies = [by_integration(STACK, TURNS, [1.0, -s * TURNS[0] / TURNS[1], -(1 - s) * TURNS[0] / TURNS[2], 0.0], WIDTH)
                for s in scan[::40]]
    assert both == pytest.approx(min(energies), rel=2e-3) and sum(part) == pytest.approx(1.0)
    assert part[0] == pytest.approx(scan[::40][int(np.argmin(energies))], abs=0.02)
    assert both < min(found.pair(0, 1), found.pair(0, 2))


def test_split_against_simple_follows_the_known_ratio():
    """¼·(Σh/3 + 2c)/(Σh/3 + c) with equal turn lengths; 0.27 to 0.40 in practice."""
    def stack(parts, c, h=(2e-3, 1.5e-3)):
        slabs = [leakage.Slab(w, s, h[w] * s, 0.05, 0.0 if k == 0 else c, 0.05) for k, (w, s) in enumerate(parts)]
        return leakage.leakage(slabs, [40, 8], 20e-3).pair(0, 1)
    for c in (0.15e-3, 0.4e-3):
        third = 3.5e-3 / 3
        ratio = stack([(0, 0.5), (1, 1.0), (0, 0.5)], c) / stack([(0, 1.0), (1, 1.0)], c)
        assert ratio == pytest.approx(0.25 * (third + 2 * c) / (third + c), rel=1e-9) and 0.27 < ratio < 0.40
        assert stack([(0, 1.0), (1, 1.0)], c) == pytest.approx(float(magnetics.leakage_geometric(40, 0.05, 20e-3, 3.5e-3, c, 1)), rel=1e-9)


def sized(text, topology="flyback", **pins):
    return size(NEED, {"topology": topology, "transformer.arrangement": text, **pins}, noise=False)


def test_figures_sheet_and_picture_follow_a_persons_own_order():
    """Unequal parts of the primary with a shield: steps of the table, wires of the picture and sizes of the stack tell the same order."""
    own = "p:3 | e | s1 | s2 | p:2 | aux"
    d = sized(own)
    plan, sheet = d.context["plan"], sheet_of(d)
    steps = from_text(as_text(sheet))
    assert complaints(sheet) == [] and [s.winding for s in steps] == ["primary", "shield", "secondary 1", "secondary 2", "primary",
        "auxiliary"]
    n = int(d.value("transformer.np"))
    assert [s.turns for s in steps if s.winding == "primary"] == [int(np.ceil(0.6 * n - 1e-6)), n - int(np.ceil(0.6 * n - 1e-6))]
    assert [s.tapes for s in steps] == [1, 3, 1, 3, 1, 3]
    view = TOPOLOGIES[d.topology].winding_view(d).layout
    assert len(view.foils) == 1 and sum(w.share for w in view.wires if w.winding == 0) == pytest.approx(n)
    foil, sides = view.foils[0][0], [w.side for w in view.wires]
    first = sides.index("secondary")
    assert set(sides[:first]) == {"primary"} and max(w.x for w in view.wires[:first]) < foil < view.wires[first].x
    assert sum(w.share for w in view.wires[:first]) == pytest.approx(steps[0].turns)
    top = view.tapes[-1][0] + view.tapes[-1][2] - view.bobbin[2][2]
    assert top == pytest.approx(float(d.value("transformer.fill")) * float(plan.window.height[plan.choice.core]), rel=1e-6)


def test_interleaving_leaks_least_and_simple_most():
    """Of the same wires: the rule takes others for other orders, and thick bundles leak more."""
    pins = {"transformer.core": "ETD39/20/13", "transformer.np": 48, "transformer.ns1": 6, "transformer.ns2": 2,
            "transformer.wire_np": "6x0.14 flat", "transformer.wire_ns1": "6x0.3 flat", "transformer.wire_ns2": "13x0.2 flat",
            "transformer.wire_naux": "0.14"}
    leak = {name: float(sized(name, **pins).value("transformer.leakage_geometric")) for name in arrangement.PRESETS}
    assert leak["interleaved"] < leak["split"] < leak["shielded"] < leak["simple"]


def test_a_winding_of_fewer_turns_than_parts_is_refused():
    d = sized("interleaved", **{"transformer.core": "ETD39/20/13", "transformer.ns1": 6, "transformer.ns2": 1})
    plan = d.context["plan"]
    value, limit, _ = plan.choice.trial.constraints["parts"]
    at = (plan.choice.core, plan.choice.candidate)
    assert value[at] == 2.0 > limit and not d.feasible and any("is refused" in f.text for f in d.findings)
    split = sized("split", **{"transformer.core": "ETD39/20/13", "transformer.ns1": 6, "transformer.ns2": 1}).context["plan"]
    assert np.all(split.choice.trial.constraints["parts"][0][at[0]] <= 1.0)


def test_an_order_that_does_not_suit_the_outputs_is_told_and_loses_nothing():
    d = sized("p | s1 | p | aux")
    told = [f for f in d.findings if "leaves out s2" in f.text]
    assert told and told[0].severity == "must fix" and "split" in told[0].text
    assert d.value("transformer.leakage") == sized("split").value("transformer.leakage")
    with pytest.raises(InputError, match="no block"):
        sized("halves and halves")


@pytest.mark.parametrize("topology", ["push_pull", "forward_reset", "llc_half", "psfb"])
def test_every_family_can_be_wound_in_any_order(topology):
    names = [w.name for w in sized("split", topology).context["plan"].need.windings]
    words = [arrangement.word(n) for n in names]
    own = " | ".join([words[-1], *(w for w in words[1:-1] if w != "r"), "p:2", *(["r"] if "r" in words else []), "p:1"])
    d = sized(own.replace("p:2 | p:1", "p"), topology)
    sheet = sheet_of(d)
    assert complaints(sheet) == [] and next(s.winding.split()[0] for s in sheet.steps) == "auxiliary"


BLOCKS = [("p", 17.0), ("s1", 9.0), ("p", 17.0), ("aux", 5.0)]


def total(blocks):
    return {w: sum(n for v, n in blocks if v == w) for w, _ in blocks if w != "e"}


@pytest.mark.parametrize("change", [c for _, _, c in rearrange.CHANGES])
def test_no_change_by_hand_loses_or_makes_a_turn(change):
    for at in range(len(BLOCKS)):
        made = change(BLOCKS, at)
        assert total(made) == total(BLOCKS) and all(n >= 1 for w, n in made if w != "e")
        assert all(a != b for (a, _), (b, _) in itertools.pairwise(made))
        assert arrangement.read(arrangement.write(made))


def test_changes_by_hand_do_what_they_say():
    assert rearrange.move(BLOCKS, 3, 0) == [("aux", 5.0), *BLOCKS[:3]]
    assert rearrange.move(BLOCKS, 1, 3) == [("p", 34.0), ("s1", 9.0), ("aux", 5.0)]  # both halves meet and become one
    assert rearrange.split([("p", 34.0), ("aux", 5.0), ("s1", 9.0)], 0) == [("p", 17.0), ("aux", 5.0), ("p", 17.0), ("s1", 9.0)]
    assert rearrange.join(BLOCKS, 2) == [("s1", 9.0), ("p", 34.0), ("aux", 5.0)]
    assert rearrange.give(BLOCKS, 0, 1) == [("p", 18.0), ("s1", 9.0), ("p", 16.0), ("aux", 5.0)]
    with_shield = rearrange.shield(BLOCKS, 0)
    assert with_shield[1] == ("e", 0.0) and rearrange.shield(with_shield, 0) == with_shield and rearrange.join(with_shield, 1) == BLOCKS


@pytest.fixture
def as_first_wound(monkeypatch):
    """No second winding for what leakage does to the other output: its turns and bleeds follow a transformer that is wound before the pins
    are known."""
    monkeypatch.setattr(flyback_wound.sharing, "outside", lambda *_: ({}, []))
    forget()
    yield
    forget()


def test_the_usual_orders_beside_each_other_agree_with_designs_of_their_own(monkeypatch, as_first_wound):
    """What the table says of another order is what a design pinned to that order, core and turns says, with the currents the core was
    chosen with (an order that leaks much more changes them, and its design then its wire); copper loss by the design's own effective
    resistances."""
    monkeypatch.setattr(flyback_wound, "LEAKS_MORE", np.inf)
    d = sized("split", **{"transformer.core": "ETD34/17/11", "transformer.ns2": 4})
    pins = {id: d.value(id) for id in ("transformer.core", "transformer.np", "transformer.ns1", "transformer.ns2", "transformer.naux")}
    made = {w.text: w for w in compare.alternatives(d.context["plan"], "split", wires(d.catalogue))}
    assert tuple(made) == arrangement.PRESETS
    for name, w in made.items():
        own = sized(name, **pins)
        assert w.leakage == pytest.approx(float(own.value("transformer.leakage_geometric")), rel=1e-6)
        assert w.fill == pytest.approx(float(own.value("transformer.fill")), rel=1e-6)
        plan = own.context["plan"]
        assert w.copper == pytest.approx(
            sum(r * x.i_rms**2 for r, x in zip(plan.stage.extra["r_effective"], plan.need.windings, strict=True)), rel=1e-6)


def middle(view, k):
    s = view.spots[k]
    return QPoint(round((s.left + s.width / 2) * PX_PER_MM), round((s.top + s.height / 2) * PX_PER_MM))


def test_dragging_a_block_in_the_real_window_changes_leakage_and_fill(qtbot, window, monkeypatch):
    desk, view = window.size_desk, window.size_desk.picture.view
    desk.choose_stage("transformer")
    before = {k: float(window.session.design.value(k))
              for k in ("transformer.leakage", "transformer.leakage_geometric", "transformer.fill", "transformer.loss_copper")}
    words = [w for w, _ in view.blocks()]
    assert words == ["p", "s1", "p", "aux"]
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=middle(view, 1))
    qtbot.mouseMove(view, middle(view, 1) + QPoint(1, 8))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle(view, 1) + QPoint(1, 8))
    assert [w for w, _ in view.blocks()] == words  # dropped where it was
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=middle(view, 1))
    qtbot.mouseMove(view, middle(view, 2))
    qtbot.mouseMove(view, middle(view, 3) + QPoint(6, 0))
    told = QToolTip.text()
    assert (window.session.design.rows["transformer.arrangement"].value == "split"
            and f"now {show(before['transformer.leakage'], 'H', 3)}" in told)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle(view, 3) + QPoint(6, 0))
    before_drop = window.session.before
    with monkeypatch.context() as first:  # told under the pointer: as first wound, before the currents follow the new leakage
        first.setattr(flyback_wound, "LEAKS_MORE", np.inf)
        forget()
        same = size(before_drop.requirement,
                    {"transformer.arrangement": "simple",
                     **{id: before_drop.value(id) for id in ("transformer.core", "transformer.np", "transformer.ns1", "transformer.naux")}})
    forget()
    assert (f"leakage {show(float(same.value('transformer.leakage')), 'H', 3)}, " in told
            and f"height used {float(same.value('transformer.fill')) * 100:.0f} %, " in told)
    design = window.session.design
    assert [w for w, _ in view.blocks()] == ["p", "aux", "s1"] and design.rows["transformer.arrangement"].value == "simple"
    assert (float(design.value("transformer.leakage_geometric")) > 2 * before["transformer.leakage_geometric"]
            and float(design.value("transformer.fill")) != before["transformer.fill"])
    window.undo()
    assert {k: float(window.session.design.value(k)) for k in before} == before


def test_keys_choose_split_shield_and_join(qtbot, window):
    desk, view = window.size_desk, window.size_desk.picture.view
    desk.choose_stage("transformer")
    for id, given in (("transformer.core", "E32/16/11"), ("transformer.np", 61)):  # so that no step takes another core or other turns
        window.session.pin(id, given)
    window.show_all()

    def now():
        return window.session.design.rows["transformer.arrangement"].value
    for key in (Qt.Key.Key_Right, Qt.Key.Key_E):
        qtbot.keyClick(view, key)
    assert [w for w, _ in view.blocks()] == ["p", "e", "s1", "p", "aux"]
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_E):
        qtbot.keyClick(view, key)
    assert now() == "shielded"
    first, second = (n for w, n in view.blocks() if w == "p")
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_R):
        qtbot.keyClick(view, key)
    assert [n for w, n in view.blocks() if w == "p"] == [first + 1, second - 1]
    qtbot.keyClick(view, Qt.Key.Key_J)
    assert [w for w, _ in view.blocks()].count("p") == 1
    menu = view.block_menu(0)
    assert len([a for a in menu.actions() if a.text()]) == len(rearrange.CHANGES) + 1


def test_a_click_on_a_row_of_arrangements_takes_it(qtbot, window):
    desk, view = window.size_desk, window.size_desk.picture.view
    desk.choose_stage("transformer")
    desk.picture.tabs.setCurrentIndex(1)
    k = next(k for k, s in enumerate(view.spots) if s.name == "interleaved")
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=middle(view, k))
    assert window.session.design.rows["transformer.arrangement"].value == "interleaved"
    row = desk.decisions.rows["transformer.arrangement"]
    row.editor.lineEdit().setText("p:2 | s1 | p:1 | aux")
    row.editor.lineEdit().editingFinished.emit()
    assert window.session.design.rows["transformer.arrangement"].value == "p:2 | s1 | p:1 | aux"
    row.editor.lineEdit().setText("p:2 | nothing")
    row.editor.lineEdit().editingFinished.emit()
    assert window.session.design.rows["transformer.arrangement"].value == "p:2 | s1 | p:1 | aux" and "no block" in row.note.text()


@pytest.mark.parametrize(("text", "strands", "mm", "flat", "said"),
                         [("0.6", 1, 0.6, False, "0.6"), ("4 x 0.4 mm flat", 4, 0.4, True, "4x0.4 flat"),
                          ("19×0.14", 19, 0.14, False, "19x0.14"), ("2xAWG26", 2, 0.4049, False, "2x0.4049"),
                          ("1x0.5 flat", 1, 0.5, False, "0.5")])
def test_a_wire_is_read_as_people_write_it(text, strands, mm, flat, said):
    assert wire.parts(text)[0] == strands and wire.parts(text)[1] * 1e3 == pytest.approx(mm, rel=1e-3) and wire.parts(text)[2] == flat
    assert wire.read(text) == said and wire.read(said) == said


@pytest.mark.parametrize("text", ["", "thick", "0x0.4", "9", "0.001", "1000x0.1", "4x0.4 round"])
def test_what_is_no_wire_is_refused(text):
    with pytest.raises(InputError, match="accepted"):
        wire.read(text)


def test_a_chosen_wire_is_wound_and_told():
    """The same core and turns with wires of a person's own: section, layers and insulation follow; the sheet and the decision say them."""
    d = sized("split")
    pins = {id: d.value(id) for id in ("transformer.core", "transformer.np", "transformer.ns1", "transformer.ns2", "transformer.naux")}
    own = sized("split", **pins, **{"transformer.wire_np": "2x0.2", "transformer.wire_ns1": "3x0.4 flat"})
    plan = own.context["plan"]
    primary, secondary = (plan.choice.trial.laid[k].at((plan.choice.core, plan.choice.candidate)) for k in (0, 1))
    assert primary.strands == 2 and primary.diameter == pytest.approx(0.2e-3) and float(primary.beside) == 1
    assert primary.overall == pytest.approx(0.239e-3) and primary.bundle == pytest.approx(
        2 * 0.239e-3)  # grade 2 of IEC 60317-0-1, as the catalogue has it; two circles in one of twice the diameter
    assert secondary.tall == pytest.approx(secondary.overall) and secondary.bundle == pytest.approx(3 * secondary.overall)
    text = as_text(sheet_of(own))
    assert "2 × 0.2 mm, twisted" in text and "3 × 0.4 mm side by side" in text
    assert own.rows["transformer.wire_np"].value == "2x0.2" and own.rows["transformer.wire_np"].origin == "pinned"
    assert own.rows["transformer.wire_naux"].value == d.rows["transformer.wire_naux"].value


def test_the_rules_own_wire_pinned_changes_nothing(as_first_wound):
    d = sized("split")
    pins = {id: d.rows[id].value
            for id in ("transformer.wire_np", "transformer.wire_ns1", "transformer.wire_ns2", "transformer.wire_naux", "transformer.core",
                       "transformer.np", "transformer.ns1", "transformer.ns2", "transformer.naux")}
    assert sized("split", **pins).value("transformer.loss_copper") == pytest.approx(float(d.value("transformer.loss_copper")),
        rel=1e-4)  # to which the period is settled: a leakage that differs in its last bit may take a pass more


@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "half_bridge"])
def test_a_shield_has_a_pin_of_its_own(topology):
    """No end of the primary rests in every topology (the flyback's start goes to the switch): shields share a pin that no winding has, and
    the sheet says where it goes; a shield on the primary's start is caught."""
    sheet = sheet_of(sized("shielded", topology))
    shields = [s for s in sheet.steps if s.winding == "shield"]
    taken = {x for p in sheet.parts for x in (p.start, p.finish, p.tap, *p.joints)}
    assert len(shields) == 2 and {s.start for s in shields}.isdisjoint(taken) and len({s.start for s in shields}) == 1
    assert any(shields[0].start in n and "never to a switch" in n for n in sheet.notes)
    wrong = replace(sheet, steps=tuple(replace(s, start=sheet.parts[0].start) if s.winding == "shield" else s for s in sheet.steps))
    assert "pin of its own" in " ".join(complaints(wrong))
