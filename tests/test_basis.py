"""Quantities, preferred numbers, formulas and their printed equations, rooms."""

import math
import random
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rhevectra.core.basis import preferred
from rhevectra.core.basis.equation import evaluate
from rhevectra.core.basis.errors import NotAQuantity
from rhevectra.core.basis.formula import REGISTRY
from rhevectra.core.basis.quantities import margin_text, parse, parse_range, show, told_apart
from rhevectra.core.stages import FRONT_ENDS, front_ends_for
from rhevectra.core.topologies import TOPOLOGIES

ROOT = Path(__file__).parent.parent


@pytest.mark.parametrize(("text", "unit", "value"), [
    ("65k", "Hz", 65e3), ("2k2", "Ω", 2200.0), ("4u7", "F", 4.7e-6), ("4.7u", "F", 4.7e-6), ("4.7 µF", "F", 4.7e-6), ("0R47", "Ω", 0.47),
    ("1e-6 H", "H", 1e-6), ("85 V", "V", 85.0),
    ("10 mΩ", "Ω", 0.01), ("87 %", "%", 87.0), ("-10 °C", "°C", -10.0), ("−12", "V", -12.0), ("100K", "Hz", 1e5), ("12", "turns", 12.0),
    ("97.1 mm²", "m²", 97.1e-6), ("7.64 cm³", "m³", 7.64e-6), ("9.7e-5 m²", "m²", 9.7e-5),
    ("65 khz", "Hz", 65e3), ("680uh", "H", 680e-6), ("2.5a", "A", 2.5), ("45 k", "K", 45.0), ("100 mw", "W", 0.1), ("230 Vac", "V", 230.0),
    ("4k7 ohms", "Ω", 4700.0), ("5 %", "", 0.05)])
def test_engineering_numbers_are_read(text, unit, value):
    assert parse(text, unit) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(("text", "unit"),
                         [("", "V"), ("1,5k", "Ω"), ("2k2k", "Ω"), ("1 Pa", "V"), ("5 kk", "Hz"), ("0x10", "F"), ("4.7 uH", "F"),
                          ("1e400", "V"), ("nan", "V"), ("2R2", "F"), ("--3", "V"), ("1e3k", "Hz")])
def test_what_is_no_number_of_that_unit_is_refused(text, unit):
    with pytest.raises(NotAQuantity, match="accepted"):
        parse(text, unit, "field")


def test_ranges():
    assert parse_range("85-265", "V") == (85.0, 265.0)
    assert parse_range("47 - 63 Hz", "Hz") == (47.0, 63.0)
    for text, ends in (("85...265", (85.0, 265.0)), ("85–265", (85.0, 265.0)), ("90-264Vac", (90.0, 264.0)), ("230 ±10 %", (207.0, 253.0)),
                       ("230V +/- 10%", (207.0, 253.0)), ("50 ±3", (47.0, 53.0)), ("-10 to 50", (-10.0, 50.0))):
        assert parse_range(text, "V") == ends, text
    with pytest.raises(NotAQuantity, match="downwards"):
        parse_range("265-85", "V")


@given(st.floats(1e-30, 1e30))
def test_what_is_shown_is_read_back(value):
    for unit in ("Ω", "m²", "m³", "s", "K", "W"):
        text = show(value, unit, 6)
        assert parse(text, unit) == pytest.approx(value, rel=1.01e-5) and len(text) < 20


def test_long_times_are_read_in_minutes_and_hours():
    """A Julian year has 365.25 days of 24 hours (definition)."""
    assert show(8 * 365.25 * 86400.0, "s") == "70100 h" and show(20 * 60.0, "s") == "20.0 min" and show(599.0, "s") == "599 s"
    assert parse("20 min", "s") == 1200.0 and parse("2h", "s") == 7200.0
    with pytest.raises(NotAQuantity):
        parse("2 h", "F")


def test_rounding_carries_into_the_next_prefix():
    assert show(999.96e3, "Hz", 3) == "1.00 MHz"


def test_a_value_and_the_limit_it_breaks_never_read_the_same():
    assert told_apart(45.0012, 45.0, "K") == ("45.001 K", "45.000 K") and told_apart(61.24, 45.0, "K") == ("61.2 K", "45.0 K")
    assert told_apart(0.0300004, 0.03, "V") == ("30.0004 mV", "30.0000 mV") and told_apart(5.0, 5.0, "A") == ("5.00 A", "5.00 A")


def test_preferred_numbers_against_their_definition():
    """E48 to E192 are 10^(i/n) to three digits; E24 by its published list (IEC 60063, from memory). Searches against brute force."""
    e24 = [10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91]
    assert [round(v * 10) for v in preferred.SERIES["E24"]] == e24
    for n in (48, 96, 192):
        off = [v for i, v in enumerate(preferred.SERIES[f"E{n}"]) if abs(v - round(10 ** (i / n), 2)) > 1e-9]
        assert off in ([], [9.20])
    rng = random.Random(4)
    for _ in range(500):
        value, name = 10 ** rng.uniform(-9, 6), rng.choice(list(preferred.SERIES))
        members = [m * 10.0**d for d in range(-11, 9) for m in preferred.SERIES[name]]
        assert preferred.at_least(value, name) == pytest.approx(min(m for m in members if m >= value * (1 - 1e-12)))
        assert preferred.at_most(value, name) == pytest.approx(max(m for m in members if m <= value * (1 + 1e-12)))
    assert preferred.step(130, 1, "E24") == pytest.approx(150)


@pytest.mark.parametrize("formula", REGISTRY, ids=lambda f: f"{f.function.__module__.rsplit('.', 1)[-1]}.{f.function.__name__}")
def test_every_printed_equation_is_what_the_function_computes(formula):
    rng = random.Random(formula.equation)
    tried = 0
    for _ in range(60):
        values = {name: rng.uniform(0.2, 0.9) if name in ("kept", "share", "derating") else rng.uniform(0.5, 3.0)
                  for name in formula.symbols}
        with np.errstate(all="ignore"):
            wanted = float(formula.function(**values))
        if not math.isfinite(wanted):
            continue
        try:
            printed = evaluate(formula.equation, {formula.symbols[n]: v for n, v in values.items()})
        except (ValueError, ZeroDivisionError) as problem:
            assert "equation not understood" not in str(problem), problem
            continue
        tried += 1
        assert printed == pytest.approx(wanted, rel=1e-9), (formula.equation, values)
    assert tried >= 5
    assert formula.source


def test_the_core_never_loads_the_window_nor_heavy_libraries():
    code = ("import sys, rhevectra.core.design.size as s; list(s.TOPOLOGIES.values()); list(s.front_ends_for('ac1').values()); print([m "
            "for m in ('PySide6', 'pydantic', 'scipy', 'reportlab') if m in sys.modules])")
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.strip() == "[]"


def test_topology_front_end_and_clamp_names_stay_in_their_own_places():
    """No `if topology == …` anywhere: the names occur in their own file, the registries, the demos and tests only."""
    source = ROOT / "src" / "rhevectra"
    registries = {source / "core" / room / "__init__.py" for room in ("topologies", "stages")}
    for path in source.rglob("*.py"):
        text = path.read_text(encoding="utf-8")
        for name, home in (*((f'"{name}"', f"topologies/{name}") for name in TOPOLOGIES), ('"plain"', "stages/plain.py"),
                           ('"rcd"', "stages/rcd.py"), ('"zener"', "stages/zener.py"), ('"rcd_zener"', "stages/rcd_zener.py")):
            assert name not in text or home in str(path) or path in registries, f"{name} in {path}"
    for name, module in (*TOPOLOGIES.items(), *FRONT_ENDS.items()):
        assert name == module.NAME
    for mains in ("ac1", "ac3"):
        assert list(front_ends_for(mains)) == [name for name, front in FRONT_ENDS.items() if mains == front.MAINS]


def test_the_lock_holds_versions_and_hashes_only():
    for line in (ROOT / "requirements.lock").read_text().splitlines():
        name, *hashes = line.split()
        assert "==" in name and hashes and all(h.startswith("--hash=sha256:") for h in hashes)
        assert "://" not in line


def test_files_stay_small():
    long = {p.name: n for p in (ROOT / "src").rglob("*.py") if (n := len(p.read_text(encoding="utf-8").splitlines())) > 400}
    assert not long


def test_a_margin_that_is_passed_never_reads_as_none():
    """Whole per cent, one digit where that would read as none; a limit passed by a hair is a tenth at least, with the sign people read."""
    assert [margin_text(m) for m in (0.123, -0.123, 0.0096, 0.004, -0.004, -0.0001, 0.0, 2.5, -9.9, -237.9)] == ["12 %", "−12 %", "1 %",
        "0.4 %", "−0.4 %", "−0.1 %", "0.0 %", "250 %", "−990 %", "< −999 %"]
