"""Project files and commands: exit codes, one sentence for each fault, nothing lost."""

import json
import os
import random
import signal
import subprocess
import sys
import time
from dataclasses import fields
from pathlib import Path

import pytest

from rhevectra import demo
from rhevectra.cli import main
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.requirement import Requirement
from rhevectra.project.codec import _judged, _typed, decode, encode
from rhevectra.project.store import catalogue_for, load, save

ROOT = Path(__file__).parent.parent


def edited(path: Path, change) -> Path:
    tree = json.loads(path.read_text(encoding="utf-8"))
    change(tree)
    path.write_text(json.dumps(tree), encoding="utf-8")
    return path


def test_size_prints_one_json_object(demo_file, capsys):
    assert main(["size", str(demo_file), "--json"]) == 0
    out, err = capsys.readouterr()
    data = json.loads(out)
    assert err == "" and data["feasible"] is True and data["topology"] == "flyback"
    figures = {f["id"]: f for f in data["figures"]}
    for id in ("bulk.v_valley", "switch.v_peak", "transformer.np", "transformer.core", "clamp.power_light_load", "inlet.harmonic_39",
               "rectifier1.v_reverse", "output1.ripple_pp", "efficiency_light", "loss.total", "switch.duty_max"):
        assert id in figures, id
    peak = figures["switch.v_peak"]
    assert peak["corner"]["case"] == "limit" and peak["margin"] == pytest.approx((peak["limit"] - peak["value"]) / peak["limit"])
    assert {d["id"]: d for d in data["decisions"]}["fs"]["origin"] == "rule"


def test_an_infeasible_design_still_prints_every_figure(demo_file, capsys, tmp_path):
    edited(demo_file, lambda t: t["decisions"].update({"transformer.core": "E16/8/5"}))
    assert main(["size", str(demo_file), "--json"]) == 3
    data = json.loads(capsys.readouterr().out)
    assert data["feasible"] is False and any(f["severity"] == "must fix" for f in data["findings"]) and len(data["figures"]) > 60
    assert main(["netlist", str(demo_file), "-o", str(tmp_path / "x.cir")]) == 3 and (tmp_path / "x.cir").stat().st_size > 500


@pytest.mark.parametrize(("typed", "meant"),
                         [("drain", "switch.v_peak (Peak drain voltage)"), ("vds", "switch.v_peak (Peak drain voltage)"),
                          ("hold_up", "bulk.hold_up (Hold-up time)"), ("clamp resistor", "clamp.r (Clamp resistor)")])
def test_explain_knows_what_people_call_a_figure(demo_file, capsys, typed, meant):
    assert main(["size", str(demo_file), "--explain", typed]) == 2
    assert meant in capsys.readouterr().err


def test_explain_follows_a_figure_down(demo_file, capsys):
    assert main(["size", str(demo_file), "--explain", "switch.v_peak"]) == 0
    text = capsys.readouterr().out
    assert "V̂_ds = V_bus + V̂_cl + V_fd" in text and "clamp.v_crest" in text and "bulk.v_peak" in text


def deep(tree):
    inner = tree["extra"] = {}
    for _ in range(200):
        inner["x"] = inner = {}


BAD = {
    "negative current": (lambda t: t["requirement"]["outputs"][0].update(current_max=-1), "current_max"),
    "swapped range": (lambda t: t["requirement"]["mains"].update(v_min=265, v_max=85), "v_min"),
    "zero voltage": (lambda t: t["requirement"]["outputs"][0].update(voltage=0), "voltage"),
    "string for number": (lambda t: t["requirement"]["mains"].update(v_min="85"), "v_min"),
    "missing field": (lambda t: t["requirement"]["mains"].pop("v_max"), "v_max"),
    "unknown core": (lambda t: t["decisions"].update({"transformer.core": "ETD30"}), "transformer.core"),
    "pin out of range": (lambda t: t["decisions"].update({"fs": 5}), "fs"),
    "wrong version": (lambda t: t.update(version=99), "newer"),
    "foreign": (lambda t: t.update(format="something"), "format"),
    "deep": (deep, "nested"),
    "not a reading": (lambda t: t.update(as_built={"transformer.leakage": {"value": "x"}}), "as_built"),
    "front end of other mains": (lambda t: (t["requirement"]["mains"].update(kind="ac3"), t["decisions"].update(front_end="plain")),
                                 "pfc_three_phase"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_input_gets_one_sentence_and_code_2(name, demo_file, capsys):
    change, word = BAD[name]
    before = edited(demo_file, change).read_bytes()
    assert main(["size", str(demo_file), "--json"]) == 2
    out, err = capsys.readouterr()
    assert out == "" and err.count("\n") == 1 and word in err and "accepted" in err and "Traceback" not in err
    assert demo_file.read_bytes() == before


@pytest.mark.parametrize("text", ["", "{", demo.text()[:700], "[]", "null", '{"format": NaN}', "x" * 10_000_000, "[" * 100_000],
                         ids=range(8))
def test_damaged_files_are_told_and_left(text, tmp_path, capsys):
    path = tmp_path / "a.rhevectra.json"
    path.write_text(text, encoding="utf-8")
    assert main(["size", str(path)]) == 2
    out, err = capsys.readouterr()
    assert out == "" and err.count("\n") == 1 and "a.rhevectra.json" in err
    assert path.read_text(encoding="utf-8") == text


VALUES = [0, -1, 3, 2.5, 1e300, 10**400, True, None, "", "plain", "dc", [], [1.0], ["x"], {}, {"r": 1}]


def test_the_direct_reading_and_the_schema_library_agree_on_every_tree():
    """Second route: 800 seeded trees, one to three values changed to something odd; same requirement, or both refuse."""
    rng, sound = random.Random(11), 0
    for _ in range(800):
        tree = json.loads(demo.text())["requirement"]
        tree["outputs"].append({"voltage": 5, "current_max": 1, "load_step": {"low": 0.1, "high": 1, "deviation": 0.2}})
        for _ in range(rng.randint(1, 3)):
            place = rng.choice(
                [tree, tree["mains"] if isinstance(tree.get("mains"), dict) else tree, *(o for o in tree["outputs"] if isinstance(o, dict))]
                if isinstance(tree.get("outputs"), list) else [tree])
            place[rng.choice([*place, *(f.name for f in fields(Requirement)), "current_peak", "ripple_pp"])] = rng.choice(VALUES)

        def verdict(read, tree=tree):
            try:
                return read(tree)
            except (InputError, TypeError, OverflowError):
                return "refused"
        mine, theirs = verdict(lambda t: _typed(Requirement, t)), verdict(lambda t: _judged(t, "x"))
        assert mine == theirs, tree
        sound += mine != "refused"
    assert 30 < sound < 770


def test_usage_faults(demo_file, capsys, tmp_path):
    for words in (["size"], ["size", str(tmp_path / "none.json")], ["netlist", str(demo_file), "-o", str(tmp_path / "no" / "x.cir")],
                  ["netlist", str(demo_file), "--line", "99", "-o", str(tmp_path / "x.cir")],
                  ["size", str(demo_file), "--explain", "switch.v_peek"], ["size", str(demo_file), "--nonsense"]):
        assert main(words) == 2
        out, err = capsys.readouterr()
        assert out == "" and err.count("\n") == 1, words


def test_unknown_keys_survive_and_are_reported_once(demo_file, capsys):
    edited(demo_file,
           lambda t: (t.update(colour="green"), t["requirement"]["outputs"][0].update(note="kept"),
                      t["decisions"].update({"clamp.resistor_r": 1e4})))
    document = load(demo_file)
    again = decode(encode(document.pin("fs", 70e3)), "again")
    assert again.tree["colour"] == "green" and again.tree["requirement"]["outputs"][0]["note"] == "kept" and again.decisions["fs"] == 70e3
    assert main(["size", str(demo_file), "--json"]) == 0
    out, err = capsys.readouterr()
    assert err.count("unknown key") == 1
    assert any("clamp.resistor_r" in f["text"] for f in json.loads(out)["findings"])


def test_a_saved_document_reads_back_the_same(demo_file):
    document = load(demo_file).pin("transformer.np", 64)
    save(document, demo_file)
    again = load(demo_file)
    assert again.requirement == document.requirement and again.decisions == document.decisions
    assert encode(again) == encode(document)


def test_an_unwritable_folder_is_told(demo_file):
    with pytest.raises(InputError, match="cannot be written"):
        save(load(demo_file), "/proc/none/x.rhevectra.json")


SAVER = """
import os, sys
from rhevectra.project.store import load, save
d = load(sys.argv[1])
a, b = d.pin("fs", 60e3), d.pin("fs", 70e3)
for _ in sys.stdin:
    child = os.fork()
    while not child:
        save(a, sys.argv[1])
        save(b, sys.argv[1])
    print(child, flush=True)
    os.wait()
"""


def test_a_kill_at_any_instant_leaves_the_old_or_the_new_file(demo_file):
    """A child saves two versions in turn and is killed without warning, 40 times and until both have been seen; the file always reads back
    whole."""
    rng, found = random.Random(3), set()
    with subprocess.Popen([sys.executable, "-c", SAVER, str(demo_file)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as saver:
        for tries in range(600):
            if tries >= 40 and {60e3, 70e3} <= found:
                break
            saver.stdin.write("on\n")
            saver.stdin.flush()
            child = int(saver.stdout.readline())
            time.sleep(rng.uniform(0, 0.02))
            os.kill(child, signal.SIGKILL)
            found.add(load(demo_file).decisions.get("fs"))
        saver.stdin.close()
    assert {60e3, 70e3} <= found <= {None, 60e3, 70e3}


def test_own_parts_travel_and_win(demo_file, capsys):
    row = dict(zip(
        ["name", "family", "a_m", "b_m", "c_m", "d_m", "e_m", "f_m", "f2_m", "g_m", "hole_m", "bobbin_wall_m", "bobbin_flange_m", "source"],
        ["OWN-33", "E", 0.034, 0.017, 0.011, 0.012, 0.024, 0.011, 0, 0, 0, 0.001, 0.001, "measured here"], strict=True))
    edited(demo_file, lambda t: t.update(parts={"cores": [row]}, decisions={"transformer.core": "OWN-33"}))
    assert main(["size", str(demo_file), "--json"]) in (0, 3)
    figures = {f["id"]: f["value"] for f in json.loads(capsys.readouterr().out)["figures"]}
    assert figures["transformer.core"] == "OWN-33"
    folder = demo_file.parent / "parts"
    folder.mkdir()
    text = (ROOT / "src/rhevectra/core/catalogue/switches.csv").read_text().splitlines()
    (folder / "switches.csv").write_text(text[0] + "\n" + text[1].replace(text[1].split(",")[0], "OWN-SWITCH") + "\n", encoding="utf-8")
    assert "OWN-SWITCH" in catalogue_for(load(demo_file), demo_file)["switches"].names
    (folder / "switches.csv").write_text("name,kind\nx,y\n", encoding="utf-8")
    assert main(["size", str(demo_file)]) == 2 and "column" in capsys.readouterr().err


def test_the_generated_pages_are_current():
    import importlib.util

    spec = importlib.util.spec_from_file_location("make_pages", ROOT / "docs" / "make_pages.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    for name, text in module.pages().items():
        assert (ROOT / "docs" / name).read_text(encoding="utf-8") == text, f"{name}: run docs/make_pages.py"
