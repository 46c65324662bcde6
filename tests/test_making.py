"""The winding sheet: rebuilt from its table alone, its own check against seeded errors, its figures by another route, the desk and the
files."""

import re
from itertools import pairwise

import numpy as np
import pytest
from msgspec.structs import replace

from rhevectra import demo
from rhevectra.app import parts
from rhevectra.cli import main
from rhevectra.core.basis.quantities import parse
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.magnetics import winding
from rhevectra.core.magnetics.candidate import leakage_of
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common import pins
from rhevectra.core.topologies.common.making import as_text, complaints, from_text, winding_sheet
from rhevectra.drawing.display import Text
from rhevectra.drawing.paper import PAGE
from rhevectra.drawing.sheet import has_sheet, pages, sheet_of
from rhevectra.project.codec import decode
from rhevectra.start import write_winding

NEED = Requirement(mains=Mains(kind="ac1", v_min=195.0, v_max=264.0), outputs=(Output(voltage=24.0, current_max=4.0),),
                   harmonics_class="none")


@pytest.fixture(scope="module")
def designs():
    made = {t: size(NEED, {"topology": t}, noise=False) for t in TOPOLOGIES}
    return {t: d for t, d in made.items() if has_sheet(d)}


def test_every_transformer_has_a_sheet_that_agrees_with_itself(designs):
    assert len(designs) == len(TOPOLOGIES) - 1
    for topology, d in designs.items():
        sheet = sheet_of(d)
        assert complaints(sheet) == [], topology
        assert from_text(as_text(sheet)) == sheet.steps, topology


def test_an_outsider_rebuilds_turns_order_and_polarity_from_the_table_alone(designs):
    """Following only pins and steps: the primary is one chain of all its turns from A1 to its end, every winding begins at its dot,
    barriers lie between the sides, and the order is that of the sized stack."""
    for topology, d in designs.items():
        steps = from_text(as_text(winding_sheet(d)))
        chain, here = 0, "A1"
        for s in steps:
            if s.start == here and s.winding == "primary":
                chain, here = chain + s.turns, s.finish
        plan = d.context["plan"]
        assert chain == int(d.value("transformer.np")) * plan.need.halves, topology
        secondary = [s for s in steps if s.winding.startswith("secondary 1")]
        assert all(s.turns == int(d.value("transformer.ns1")) for s in secondary)
        assert len(secondary) == 1 or secondary[1].start == secondary[0].finish  # a centre tap: both halves on one pin, wound alike
        names = [plan.need.windings[s.winding].name for s in plan.choice.trial.sections]
        told = [{"primary": "primary", "auxiliary": "naux", "reset": "nr"}.get(s.winding, "ns1b" if "second half" in s.winding else "ns1")
                for s in steps]
        assert told == names
        for a, b in pairwise(steps):
            assert (a.tapes == 3) == (a.start[0] != b.start[0]), topology
        assert steps[-1].tapes == 3


@pytest.mark.parametrize(("strands", "mm", "amps", "density"), [(8, 0.55, 10.0, 5.3), (40, 0.36, 20.0, 4.9)])
def test_bundles_on_dc_current(strands, mm, amps, density):
    """Common practice, no source: 8 × 0.55 mm for 10 A and 40 × 0.36 mm for 20 A are 5.3 and 4.9 A/mm² on dc output current."""
    copper = float(winding.lay(np.array(10.0), mm * 1e-3, 1.1 * mm * 1e-3, strands, 30e-3).copper)
    assert amps / copper * 1e-6 == pytest.approx(density, abs=0.05)


def test_both_densities_of_a_flyback_secondary(designs):
    """True rms is 1.3 to 1.6 times the dc output current a density is often quoted on (common practice, no source); both are on the
    sheet."""
    d = designs["flyback"]
    part = next(p for p in sheet_of(d).parts if p.winding == "secondary 1")
    assert 1.2 < part.density / part.density_dc < 1.9 and part.density_dc == pytest.approx(
        NEED.outputs[0].current_max
        / d.context["plan"].choice.trial.laid[1].at((d.context["plan"].choice.core, d.context["plan"].choice.candidate)).copper, rel=0.02)
    assert any(f"{part.density * 1e-6:.2g} ({part.density_dc * 1e-6:.2g})" == t.text for page in pages(d, "x") for t in page.items
               if isinstance(t, Text))


def test_the_paper_says_nothing_of_the_mouse(designs):
    for page in pages(designs["flyback"], "x"):
        assert not any(word in t.text for t in page.items if isinstance(t, Text) for word in ("drag", "click"))


def test_seeded_errors_are_caught():
    """A half wound the wrong way, a wrong pin, a lost turn, a forgotten barrier, a wrong end: each is named."""
    sheet = sheet_of(size(NEED, {"topology": "flyback"}, noise=False))
    k = next(i for i, s in enumerate(sheet.steps) if "part 2 of 2" in s.remark)
    s = sheet.steps[k]
    wrong = {"wrong way": replace(s, start=s.finish, finish=s.start), "row": replace(s, finish="B9"),
             "turns": replace(s, turns=s.turns - 1), "layers end": replace(s, comes_out="back" if s.comes_out == "across" else "across")}
    for word, step in wrong.items():
        found = complaints(replace(sheet, steps=(*sheet.steps[:k], step, *sheet.steps[k + 1 :])))
        assert found and word in " ".join(found), word
    first = replace(sheet.steps[0], tapes=1)
    assert "barrier" in " ".join(complaints(replace(sheet, steps=(first, *sheet.steps[1:]))))


def test_lengths_resistances_and_masses_by_the_mean_turn(designs):
    """Turns times the mean turn the sizing kept, with both lead-outs: copper volume, Ohm and scale weight agree (4 %)."""
    d = designs["forward_2sw"]
    plan = d.context["plan"]
    at = (plan.choice.core, plan.choice.candidate)
    for k, p in enumerate(sheet_of(d).parts):
        turn = float(np.broadcast_to(plan.choice.trial.mean_turn[k], plan.choice.trial.fill.shape)[at])
        copper = float(plan.choice.trial.laid[k].at(at).copper)
        length = p.turns * turn + 2 * (float(plan.window.width[at[0]]) + turn / 2)
        assert p.length == pytest.approx(length, rel=0.04)
        assert p.resistance == pytest.approx(1.724e-8 * p.length / copper, rel=0.01)  # annealed copper at 20 °C, from memory of IEC 60028
        assert p.mass == pytest.approx(8960 * p.length * copper, rel=1e-6)


def check_pages(found):
    """Upright pages of A4 with every text on them and none over another."""
    for page in found:
        assert (page.width, page.height) == PAGE
        boxes = []
        for t in (x for x in page.items if isinstance(x, Text)):
            w = 0.5 * t.size * len(t.text)
            left = t.x - {"left": 0.0, "middle": w / 2, "right": w}[t.anchor]
            assert left > 8 and left + w < PAGE[0] - 5 and 8 < t.y < PAGE[1] - 8, (page.caption, t)
            boxes.append((left, t.y - 0.8 * t.size, left + w, t.y))
        for i, a in enumerate(boxes):
            for b in boxes[i + 1 :]:
                assert min(min(a[2], b[2]) - max(a[0], b[0]), min(a[3], b[3]) - max(a[1], b[1])) < 0.9, (page.caption, a, b)



def test_the_pages_hold_together_and_say_what_is_needed(designs):
    """Nothing outside the paper, no two texts over each other, the words a maker looks for."""
    for topology in ("flyback", "push_pull", "llc_half", "forward_reset"):
        check_pages(pages(designs[topology], "a supply with a long title that is still one line of the sheet"))
        whole = " ".join(t.text for page in pages(designs[topology], "x") for t in page.items if isinstance(t, Text))
        for word in ("centre post" if topology in ("flyback", "llc_half") else "no gap", "same direction", "leakage", "withstand", "tapes",
                     "resistance", "measured and tried"):
            assert word in whole, (topology, word)


def test_leakage_towards_each_output_alone():
    """Three outputs: one line each, above what all shorted read (they help each other), the field energy of that pair by the matrix and at
    most 1.25 × as much; one output has no such line. No transformer passes that leaks more than the design is worked out for."""
    doc = decode(demo.text("logger-rack"), "rack")
    d = size(doc.requirement, doc.decisions, noise=False)
    plan = d.context["plan"]
    matrix = leakage_of(plan.need, plan.choice.trial, (plan.choice.core, plan.choice.candidate), plan.window)
    lines = [c for c in sheet_of(d).checks if c[0].startswith("leakage, ")]
    assert [c[0] for c in lines] == [f"leakage, secondary {n}" for n in (1, 2, 3)] and all("alone" in c[1] for c in lines)
    for k, (_, _, limits) in enumerate(lines, 1):
        about, most = (float(limits.split()[i]) * 1e-6 for i in (1, 5))
        assert (about == pytest.approx(matrix.pair(0, k), rel=5e-3) and most == pytest.approx(1.25 * matrix.pair(0, k), rel=5e-3)
                and about > matrix.shorted(0, [1, 2, 3])[0])
    one = size(NEED, {"topology": "flyback"}, noise=False)
    assert not any(c[0].startswith("leakage, ") for c in sheet_of(one).checks)
    (whole,) = [c[2] for c in sheet_of(one).checks if c[0] == "leakage"]
    assert parse(" ".join(whole.removesuffix(",").split()[2:4]).rstrip(","), "H") == pytest.approx(one.value("transformer.leakage"),
        rel=5e-3)


def test_files_from_the_command_line(tmp_path, capsys):
    project = tmp_path / "bench.rhevectra.json"
    project.write_text(demo.text("ringing-lab-bench"), encoding="utf-8")
    pdf, text, table = tmp_path / "w.pdf", tmp_path / "w.txt", tmp_path / "p.csv"
    assert main(["report", str(project), "--winding", str(text), "--parts", str(table)], write_winding=write_winding) == 0
    document = decode(demo.text("ringing-lab-bench"), "demo")
    design = size(document.requirement, document.decisions, noise=False)
    assert from_text(text.read_text(encoding="utf-8")) == sheet_of(design).steps
    assert len(table.read_text(encoding="utf-8").splitlines()) == 1 + len(parts.rows(size(document.requirement, document.decisions)))
    assert "surge arrester" in table.read_text(encoding="utf-8")
    assert main(["report", str(project), "--winding", str(pdf)], write_winding=write_winding) == 0
    raw = pdf.read_bytes()
    assert raw.startswith(b"%PDF") and raw.count(b"/Type /Page\n") == 3  # the transformer, and its inductor and chokes
    assert main(["report", str(project)], write_winding=write_winding) == 2
    assert main(["report", str(project), "--winding", str(tmp_path / "no" / "w.pdf")], write_winding=write_winding) == 2
    assert "rhevectra:" in capsys.readouterr().err


def test_the_desk_shows_the_sheet_and_writes_it(qtbot, window, tmp_path):
    """Through the rail: the sheet of the present design, another one after an edit, nothing for a converter without transformer."""
    window.go("Wind")
    view = window.wind_desk
    first = [t.text for t in view.views[0].page.items if isinstance(t, Text)]
    assert any(window.session.design.value("transformer.core") in t for t in first) and "agree" in view.said.text()
    assert window.export_winding(tmp_path / "a.pdf") and window.export_winding(tmp_path / "a.txt")
    window._edit(lambda: window.session.pin("transformer.core", "ETD44/22/15"))
    assert any("ETD44/22/15" in t.text for t in view.views[0].page.items if isinstance(t, Text))
    assert view.grab().width() > 600
    window._edit(lambda: window.session.pin("topology", "buck_aux"))
    assert "nothing to wind" in view.said.text() and not view.pdf.isEnabled()
    assert not window.export_winding(tmp_path / "b.pdf") and not (tmp_path / "b.pdf").exists()


def test_a_u_core_is_wound_on_one_leg():
    """Named by a person: window from leg to leg, a turn all round one leg, the gap under it or as a spacer under both; inductance by the
    reluctances typed here; sheet and window call the legs what they are."""
    d = size(NEED, {"topology": "flyback", "transformer.core": "U25/20/13"}, noise=False)
    view, sheet = TOPOLOGIES["flyback"].winding_view(d), sheet_of(d)
    assert view.layout.radial == pytest.approx(8.4e-3) and view.layout.along == pytest.approx(22.8e-3) and view.layout.legs == ("wound leg",
        "bare leg")
    outermost = max(w.x for w in view.layout.wires)
    assert 0 < outermost < 8.4e-3 and "wound leg" in sheet.gap and "centre post" not in sheet.gap
    gap, f, c, n = float(np.max(d.rows["transformer.gap"].value)), 8.2e-3, 12.7e-3, d.value("transformer.np")
    iron = 88.2e-3 / (2300 * f * c)  # the path of the handbook, permeability of the grade within a half: it is a few per cent of the whole
    fringe = 1 + gap / np.sqrt(f * c) * np.log(2 * 22.8e-3 / gap)
    assert d.value("transformer.lp") == pytest.approx(4e-7 * np.pi * n**2 / (iron + gap / (f * c * fringe)), rel=0.03)
    round_leg, outermost_turn = 2 * (f + c), 2 * (f + c) + 2 * np.pi * 8.4e-3
    inner, outer = (next(p for p in sheet.parts if p.winding.startswith(w)) for w in ("primary", "secondary"))
    assert all(round_leg < p.length / p.turns < 1.1 * outermost_turn for p in (inner, outer))  # a tenth for lead-outs
    assert any("one leg" in x.text for x in d.findings) and not complaints(sheet)
    halved = size(NEED, {"topology": "flyback", "transformer.core": "U25/20/13", "transformer.half_turn": "ns1"}, noise=False)
    assert any("no two outer legs" in x.text for x in halved.findings)


def test_pins_of_the_usual_bobbin_are_counted():
    """Pins read off the sheet's own steps (second route) against the count; a bobbin too small for three outputs and a shield is told, with
    a larger core it is not; the sheet says what is used."""
    rack = decode(demo.text("logger-rack"), "rack").requirement
    for core, short in (("EFD20/10/7", True), ("ETD39/20/13", False)):
        d = size(rack, {"topology": "flyback", "transformer.core": core, "transformer.arrangement": "shielded"}, noise=False)
        sheet = sheet_of(d)
        named = {p for s in sheet.steps for p in (s.start, s.finish) if p} | {p.tap for p in sheet.parts if p.tap}
        rows = {r: sum(p.startswith(r) for p in named) for r in "AB"}
        plan = d.context["plan"]
        assert pins.asked(plan.need, [p.turns for p in sheet.parts]) == rows
        note = next(n for n in sheet.notes if n.startswith("pins used"))
        assert f"{rows['A']} of row A and {rows['B']} of row B" in note and ("flying" in note) == short
        has = int(d.catalogue["cores"].row(core)["bobbin_pins"])
        assert (max(rows.values()) > has / 2) == short and any("usual bobbin" in f.text for f in d.findings) == short


def test_every_bobbin_has_an_even_number_of_pins():
    """Two rows; none where a core takes a board or no bobbin is known."""
    for row in size(NEED, {}, noise=False).catalogue["cores"].rows:
        assert row["bobbin_pins"] % 2 == 0 and (row["bobbin_pins"] >= 4 or row["bobbin_wall_m"] == 0 or row["family"] == "U"), row["name"]


@pytest.mark.parametrize(("count", "order"), [(3, "shielded"), (6, "split"), (6, "interleaved")])
def test_a_sheet_of_many_outputs_goes_on_with_the_next_page(count, order):
    """Nothing leaves the paper, no row is lost: every step, inspection and note stands on one of the numbered pages, each table with its
    head."""
    outputs = tuple(
        Output(voltage=v, current_max=i) for v, i in ((5.0, 3.0), (15.0, 0.4), (-15.0, 0.2), (12.0, 0.3), (24.0, 0.2), (3.3, 0.5)))[:count]
    d = size(Requirement(mains=Mains(kind="ac1", v_min=85.0, v_max=265.0), outputs=outputs, insulation="basic", harmonics_class="none"),
             {"topology": "flyback", "transformer.arrangement": order}, noise=False)
    found, sheet = pages(d, "many outputs"), sheet_of(d)
    check_pages(found)
    words = [{t.text for t in p.items if isinstance(t, Text)} for p in found]
    assert len(found) > 2 and all(f"page {k} of {len(found)}" in w for k, w in enumerate(words, 1))
    whole, every = " ".join(x for w in words for x in w), set().union(*words)
    assert {str(s.number) for s in sheet.steps} <= every and all(c[0].split(",")[0] in whole for c in sheet.checks)
    assert sum(t.text.startswith("– ") for p in found for t in p.items if isinstance(t, Text)) >= len(sheet.notes)
    inspected = [w for w in words if "limits" in w]
    assert sum(sum(c[0] in w for c in sheet.checks) for w in inspected) >= sum(len(c[0]) < 24 for c in sheet.checks)


def test_materials_for_one_piece():
    """Wire by the windings' own masses; tape by the steps' counts round the bobbin and round the full window, between which it has to lie;
    its width that of the bobbin."""
    d = size(NEED, {"topology": "flyback"}, noise=False)
    sheet, plan = sheet_of(d), d.context["plan"]
    told = next(n for n in sheet.notes if n.startswith("for one piece"))
    assert f"{1e3 * sum(p.mass for p in sheet.parts):.3g} g of wire" in told and sheet.core in told and sheet.material in told
    length = float(told.split("about ")[1].split(" m of tape")[0])
    k, count = plan.choice.core, sum(s.tapes for s in sheet.steps)
    least = float(plan.window.base_turn[k])
    assert count * least < length < 1.15 * count * (least + 2 * np.pi * float(plan.window.height[k]))
    assert f"tape {1e3 * float(plan.window.width[k]):.3g} mm wide" in told and ("margin tape" in told) == (plan.need.margin > 0)


def test_turns_that_fill_little_of_their_layer_are_told_to_be_spread(designs):
    """By the wire's overall diameter as the table tells it and the width between the margins: turns of round wire that would fill less than
    three quarters of it side by side are spread, those that fill it are not."""
    seen = set()
    for topology, d in designs.items():
        plan = d.context["plan"]
        width = float(plan.window.width[plan.choice.core[0] if np.ndim(plan.choice.core) else plan.choice.core])
        for s in winding_sheet(d).steps:
            told = re.search(r"overall ([\d.]+) mm", s.wire)
            if told is None or s.turns == 1 or s.layers > 1:
                continue
            side = int(found[1]) if (found := re.match(r"(\d+) ×", s.wire)) else 1
            share = s.turns * side * float(told[1]) * 1e-3 / (width - 2 * s.margin)
            if share < 0.75 or share > 0.9:
                seen.add(share < 0.75)
                assert ("spread evenly over the width" in s.remark) == (share < 0.75), (topology, s)
    assert seen == {True, False}
