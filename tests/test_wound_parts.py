"""Inductors and chokes for their maker: gap, wire and resistance by second routes, what a person needs to read, where there are none."""

import re

import numpy as np
import pytest

from rhevectra import demo
from rhevectra.core.design.size import size
from rhevectra.core.design.wound_parts import bundle, wound_parts
from rhevectra.core.magnetics.windows import windows
from rhevectra.drawing.sheet import pages
from rhevectra.project.codec import decode

RHO20 = 1.724e-8
"""Annealed copper at 20 °C [Ωm], from memory of IEC 60028."""


def made(name, **pins):
    document = decode(demo.text(name), "demo")
    return size(document.requirement, {**document.decisions, **pins})


@pytest.fixture(scope="module")
def designs():
    return {"forward": made("ringing-lab-bench"), "bridge": made("ringing-lab-bench", topology="psfb"), "fans": made("frost-fans"),
            "boundary": made("frost-fans", front_end="pfc_crm"), "phases": made("radar-rotator", topology="llc_three_phase"),
            "hide": made("camera-hide", **{"inlet.stages": "one"})}


def copper_of(text):
    """Copper [mm²] of a wire told in words."""
    count, d = re.match(r"(?:(\d+) × )?([\d.]+) mm", text).groups()
    return int(count or 1) * np.pi / 4 * float(d) ** 2


def test_every_part_is_there(designs):
    names = {key: [p.name for p in wound_parts(d)] for key, d in designs.items()}
    assert names["hide"] == ["common-mode choke", "differential choke"] and names["forward"][-1] == "filter inductor"
    assert (names["fans"][-2:] == ["boost inductor", "inductor in series with the transformer"]
            and names["bridge"][-2:] == ["inductor in series with the transformer", "filter inductor"])
    (series,) = wound_parts(designs["phases"])  # from a dc bus: no mains filter
    assert series.count == 3


def test_gaps_turns_and_copper_by_hand(designs):
    """Inductance of each gapped part from its gap without the spread of its field is within what the spread adds; flux at the largest
    current; the wire in words carries the copper that gives the resistance at 20 °C."""
    for key, name in (("forward", "filter inductor"), ("bridge", "inductor in series with the transformer"), ("boundary", "boost inductor"),
                      ("phases", "inductor in series with the transformer")):
        d = designs[key]
        p = next(x for x in wound_parts(d) if x.name == name)
        win = d.catalogue["cores"].derived(windows)
        k = win.names.index(p.core.split(",")[0])
        gap = float(re.match(r"([\d.]+)", p.gap)[1]) * (1e-3 if " mm " in p.gap[:12] else 1e-6)
        turns, wanted = int(p.turns), float(re.match(r"([\d.]+)", p.inductance)[1]) * (1e-6 if "µH" in p.inductance else 1e-3)
        bare = 4e-7 * np.pi * turns**2 / (gap / win.effective.area_post[k] + win.effective.length[k] / 2200 / win.effective.area[k])
        assert 1.0 < wanted / bare < 2.0, key
        flux = wanted * p.i_peak / (turns * min(win.effective.area[k], win.effective.area_min[k]))
        assert flux == pytest.approx(float(re.search(r"flux is ([\d.]+) mT", p.remark)[1]) * 1e-3, rel=0.12), key
        assert p.length == pytest.approx(turns * float(win.turn_length(0.5 * win.height[k])[k]), rel=1e-3)
    for d in designs.values():
        for p in wound_parts(d):
            assert p.resistance == pytest.approx(RHO20 * p.length / (copper_of(p.wire) * 1e-6), rel=0.25) and p.i_peak > p.i_rms > 0
            assert copper_of(p.wire) * 1e-6 * 12e6 > 0.9 * p.i_rms  # never beyond the hottest bundle that is wound


def test_strands_suit_the_frequency(designs):
    """A wire in words has its copper; parts at some 100 kHz have strands of at most two skin depths, those in the line thick wire."""
    assert bundle(0.785e-6, 1e-3) == "1 mm"
    count, d = re.match(r"(\d+) × ([\d.]+) mm", bundle(2e-6, 0.2e-3)).groups()
    assert int(count) * np.pi / 4 * float(d) ** 2 == pytest.approx(2.0, rel=0.02)
    strand = lambda p: float(re.search(r"([\d.]+) mm", p.wire)[1])  # noqa: E731
    for key, f in (("fans", 65e3), ("forward", 90e3)):
        depth = np.sqrt(2.27e-8 / (np.pi * f * 4e-7 * np.pi))
        for p in wound_parts(designs[key]):
            assert strand(p) >= 0.5 if p.name in ("common-mode choke", "differential choke") else strand(p) * 1e-3 <= 2.2 * depth, p


def test_the_page_for_them(designs):
    """A third page only where there is something to wind; every part stands on it with its core, turns and inductance."""
    parts, sheets = wound_parts(designs["fans"]), pages(designs["fans"], "x")
    assert len(sheets) == 3 and "page 1 of 3" in [t.text for t in sheets[0].items if hasattr(t, "text")]
    words = " ".join(t.text for t in sheets[2].items if hasattr(t, "text"))
    for p in parts:
        assert all(x in words for x in (p.core.split(",")[0], p.turns, p.inductance.split(" ")[0])), p.name
    bare = made("radar-rotator", topology="full_bridge")
    assert len(pages(bare, "x")) == (3 if wound_parts(bare) else 2)
