"""The design on paper and the table of ratings: what stands on them against the design itself, by commands and by the window."""

import csv
import io
import re
from itertools import pairwise

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QFontMetricsF

from rhevectra import demo
from rhevectra.app import dossier, ratings
from rhevectra.app.stages import plates
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.size import size
from rhevectra.drawing.display import Text
from rhevectra.drawing.paper import PAGE
from rhevectra.project.codec import decode
from rhevectra.ui import report
from rhevectra.ui.pictures.canvas import paint
from rhevectra.ui.theme import roles
from rhevectra.ui.theme.roles import font


@pytest.fixture(scope="module", params=demo.NAMES)
def design(request):
    document = decode(demo.text(request.param), request.param)
    return size(document.requirement, document.decisions)


def words(pages):
    return [" ".join(t.text for t in page.items if isinstance(t, Text)) for page in pages]


def told(text, page):
    """Whether a sentence stands on a page, wherever its lines were broken."""
    return all(word in page for word in text.split())


def test_every_limit_is_a_line_with_its_margin_and_its_rule(design):
    """Read back from the CSV: as many lines as figures with a limit; the margin follows from the figure's own numbers, the direction from
    its kind; no line without a rule; each stage begins with its tightest."""
    rows = list(csv.DictReader(io.StringIO(ratings.as_csv(design))))
    limited = [f for f in design.figures() if f.limit is not None]
    assert len(rows) == len(limited) and {r["what"] for r in rows} == {f.label for f in limited}
    for row, rating in zip(rows, ratings.ratings(design), strict=True):
        f = design.figure(rating.id)
        left = (f.limit - float(f.value)) / abs(f.limit) * (1 if f.limit_kind == "max" else -1)
        assert float(row["margin %"]) == pytest.approx(100 * left, abs=0.051) and row["limit"][0] == ("≤" if f.limit_kind == "max" else "≥")
        assert row["word"] == ("over" if left < 0 else "tight" if left < 0.1 else "inside") and row["rule"] and row["at"]
    for one, other in pairwise(rows):
        assert one["stage"] != other["stage"] or float(one["margin %"]) <= float(other["margin %"]) + 0.1


def test_the_pages_hold_the_whole_design(design):
    """Every stage with its decisions and figures and the value of each, every finding, requirement, parts, cautions."""
    pages = words(dossier.pages(design, "a title"))
    first = pages[0]
    for o in design.requirement.outputs:
        assert f"output {o.name}" in first and show(o.voltage, "V") in first and show(o.current_max, "A") in first
    assert all(told(f.text, " ".join(pages[:2])) for f in design.findings) and "kill" in " ".join(pages[:2]) and "a title" in first
    for plate in plates(design):
        own = " ".join(p for p in pages if f"Design · {plate.name} " in p)
        assert plate.name in first and plate.telling in first
        for spec, row in design.decisions(plate.stage):
            assert told(spec.label, own) and (not row.rule or told(row.rule.split(";")[0], own)), (plate.name, spec.id)
        for f in design.figures(plate.stage):
            assert (told(f.label, own)
                    and (isinstance(f.value, str) or f.unit == "" or show(float(f.value), f.unit, 4) in own or "efficiency" in f.id)), (
                        plate.name, f.id)
    assert (f"page 1 of {len(pages)}" in first and "ratings" in " ".join(pages)
            and "capacitor" in " ".join(p for p in pages if "Design · parts" in p) and "isolation transformer" in " ".join(pages))


def test_nothing_leaves_the_paper_and_columns_keep_apart(design, styled):
    """Texts measured with the shipped typeface: none beyond the edges; none over another."""
    for page in dossier.pages(design, "a title"):
        boxes = []
        for t in (t for t in page.items if isinstance(t, Text)):
            made = font(bold=t.bold)
            made.setPixelSize(max(round(t.size * 10), 8))
            wide = QFontMetricsF(made).horizontalAdvance(t.text) / 10
            left = t.x - {"left": 0.0, "middle": wide / 2, "right": wide}[t.anchor]
            assert left > 6 and left + wide < PAGE[0] - 6 and 6 < t.y < PAGE[1] - 6, (page.caption, t.text)
            boxes.append((left, left + wide, t.y, t.text, t.size))
        small = [b for b in boxes if b[4] == 2.9]
        for k, a in enumerate(small):
            for b in small[k + 1 :]:
                assert abs(a[2] - b[2]) > 1.0 or a[1] < b[0] + 0.3 or b[1] < a[0] + 0.3, (page.caption, a, b)


def test_a_supply_that_cannot_be_built_says_so_first():
    document = decode(demo.text("camera-hide"), "x")
    d = size(document.requirement, {**document.decisions, "transformer.core": "RM4"})
    first = words(dossier.pages(d, "x"))[0]
    assert not d.feasible and "CANNOT BE BUILT" in first and "must fix" in first


def test_commands_write_them(tmp_path, capsys):
    """`report -o` and `--ratings`: written, also where the supply cannot be built (exit 3); a folder that is not there is one sentence."""
    path, pdf, table = tmp_path / "p.rhevectra.json", tmp_path / "d.pdf", tmp_path / "r.csv"
    path.write_text(demo.text("ringing-lab-bench"), encoding="utf-8")
    from rhevectra import cli
    from rhevectra.start import open_window, take_shots, write_dossier, write_winding

    def run(*words):
        return cli.main(list(words), open_window, take_shots, write_winding, write_dossier)
    assert run("report", str(path), "-o", str(pdf), "--ratings", str(table)) == 0
    assert pdf.read_bytes().startswith(b"%PDF") and pdf.stat().st_size > 50_000 and "Peak switch voltage" in table.read_text(
        encoding="utf-8")
    assert run("report", str(path), "-o", str(tmp_path / "no" / "d.pdf")) == 2 and "folder does not exist" in capsys.readouterr().err
    path.write_text(demo.text("camera-hide").replace('"hold_up": 0.010', '"height_max": 0.003, "hold_up": 0.010'), encoding="utf-8")
    assert run("report", str(path), "-o", str(pdf)) == 3 and pdf.stat().st_size > 50_000


def test_the_window_writes_it_by_its_key(qtbot, window, tmp_path, monkeypatch):
    monkeypatch.setattr(window, "_ask_name", lambda *_a: str(tmp_path / "out.pdf"))
    qtbot.keyClick(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: (tmp_path / "out.pdf").exists())
    assert "design written to out.pdf" in window.statusBar().currentMessage() and (tmp_path / "out.pdf").read_bytes().startswith(b"%PDF")


def test_the_window_goes_on_while_it_is_written(window, tmp_path):
    """In the background and in the light theme's colours, also while the window stays dark: stroke for stroke what the light window writes.
    A folder that is not there is one sentence."""
    def written(name):
        assert (window.export_dossier(tmp_path / name) and window.changing.busy
                and "writing the design" in window.statusBar().currentMessage())
        shown = roles.theme()
        window.changing.settle()
        assert f"design written to {name}" in window.statusBar().currentMessage()
        return shown, re.findall(rb"stream\r?\n(.*?)endstream", (tmp_path / name).read_bytes(), re.S)
    window.changing.patience = 0
    window.toggle_theme()
    (dark, first), _ = written("a.pdf"), window.toggle_theme()
    light, second = written("b.pdf")
    assert (dark, light) == ("dark", "light") and len(first) == len(second) > 20
    assert sum(a != b for a, b in zip(first, second, strict=True)) <= 1  # what tells its date
    window.export_dossier(tmp_path / "no" / "c.pdf")
    window.changing.settle()
    assert "folder does not exist" in window.statusBar().currentMessage()


def test_what_was_there_stays_until_all_pages_are_written(demo_design, styled, tmp_path, monkeypatch):
    """Stopped at the third page: the old file is whole and nothing lies beside it; a folder in its place is one sentence."""
    path, painted = tmp_path / "a.pdf", []

    def stopped(*given):
        painted.append(given)
        if len(painted) == 3:
            raise MemoryError
        paint(*given)
    path.write_text("the old one", encoding="utf-8")
    monkeypatch.setattr(report, "paint", stopped)
    with pytest.raises(MemoryError):
        report.write_dossier(demo_design, "x", path)
    assert (path.read_text(encoding="utf-8") == "the old one"
            and [p.name for p in tmp_path.iterdir() if p.suffix == ".pdf" or "a.pdf" in p.name] == ["a.pdf"])
    with pytest.raises(InputError, match="cannot be written"):
        report.write_dossier(demo_design, "x", tmp_path)
