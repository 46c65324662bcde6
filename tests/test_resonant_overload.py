"""Up to what load a resonant stage goes before its current limit takes over: against its own circuit with that load, run in the engine."""

import re
from itertools import product

import numpy as np
import pytest

from rhevectra.app.netlist import corner_for, netlist_text
from rhevectra.bench import bringup
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import plain
from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.core.design.size import size
from rhevectra.core.topologies.resonant import overload
from rhevectra.drawing.pictures import pictures_of

BUS = Requirement(mains=Mains(kind="dc", v_min=360, v_max=400), outputs=(Output(voltage=48, current_max=10),), cooling="forced")
TOLERANCES = 0.10, 0.05, 0.10
"""Of resonant inductance, capacitor and magnetising inductance, as the rule has them (common practice, no source)."""


@pytest.fixture(scope="module")
def half():
    return size(BUS, {"topology": "llc_half"})


def at_line(d, id, line):
    """A row at the current limit's point of a line, its extremes over frequencies and ends of the bus."""
    point, row = next(k for k, p in enumerate(d.grid.points) if p.case == "limit"), d.grid.lines.index(line)
    found = np.broadcast_to(plain(d.rows[id]), d.grid.shape)[row, :, point, :]
    return float(found.min()), float(found.max())


class Loaded:
    """A design's netlist at one line with other parts in its tank, under `share` times full load."""

    def __init__(self, d, line, share, parts):
        self.text, self.line = netlist_text(d, line, 1.0, ""), line
        for name, times in zip(("Lres", "Cres", "Lm", "Rload1"), (*parts, 1 / share), strict=True):
            self.text, count = re.subn(rf"(?m)^({name} \S+ \S+) (\S+)", lambda m, x=times: f"{m[1]} {float(m[2]) * x:.9g}", self.text)
            assert count == 1
        self.rate = float(whole(d, "switch.f_burst")[corner_for(d, line, 1.0, "").index])
        self.dead, self.volts = float(plain(d.rows["switch.dead_time"])), d.requirement.outputs[0].magnitude

    def run(self, rate):
        """What the output misses at a rate [V], and peak and rms of the tank current [A]."""
        half = 0.5 / rate
        begins = iter((0.5 * self.dead, half + 0.5 * self.dead))
        text = re.sub(r"(?m)^(Vgate\d \S+ 0) PULSE.*$",
                      lambda m: f"{m[1]} PULSE(0 10 {next(begins):.9g} 2n 2n {half - self.dead:.9g} {2 * half:.9g})", self.text)
        found = Measures(steady(read(text), 2 * half))
        tank = found.measure("i", "lres")
        return found.measure("n", "out1").avg - self.volts, (max(tank.max, -tank.min), tank.rms)

    def current(self):
        """Peak and rms of the tank current [A] at the rate that gives the output: by the secant."""
        last, rate = self.rate, 0.97 * self.rate
        (before, _), (missed, found) = self.run(last), self.run(rate)
        for _ in range(6):
            if abs(missed) < 2e-3 * self.volts:
                return found
            step = float(np.clip(missed * (rate - last) / (before - missed), -0.15 * rate, 0.15 * rate))
            last, before, rate = rate, missed, rate + step
            missed, found = self.run(rate)
        raise AssertionError(f"no rate gives the output: {missed:.3g} V missed at {rate:.4g} Hz")


def whole(d, id):
    return np.broadcast_to(plain(d.rows[id]), d.grid.shape)


@pytest.mark.parametrize("line", [360.0, 400.0])
def test_all_tanks_under_those_loads_meet_the_limits_in_the_engine(half, line):
    """The first of all ends of the tolerances peaks at the least limit, the last at the greatest: resistances and dead time are in the
    circuit."""
    ends = [tuple(1 + sign * t for sign, t in zip(signs, TOLERANCES, strict=True)) for signs in product((-1, 1), repeat=3)]
    for id, pick, limit in (("overload.least", max, "switch.limit_min"), ("overload.most", min, "switch.limit_max")):
        least, most = at_line(half, id, line)
        assert least == pytest.approx(most, rel=1e-9)  # one bus, no frequency
        peak, rms = pick(Loaded(half, line, most, parts).current() for parts in ends)
        assert peak == pytest.approx(at_line(half, limit, line)[1], rel=0.02), id
    assert rms == pytest.approx(at_line(half, "overload.i_tank", line)[1], rel=0.03)


def test_a_longer_search_finds_the_same(half, monkeypatch):
    """Ten solutions on the way instead of those it takes: what is told lies within a half per cent."""
    monkeypatch.setattr(overload, "SETTLED", 1e-9)
    monkeypatch.setattr(overload, "PASSES", 10)
    monkeypatch.setattr(overload, "_reached", lambda work, plan, of=overload._reached: of(work, plan) or kept[-1])
    kept, begin = [], overload._begin

    def begun(*args):
        tanks, reached = begin(*args)
        kept.append(reached)
        return tanks, reached
    monkeypatch.setattr(overload, "_begin", begun)
    long = size(BUS, {"topology": "llc_half"})
    assert kept and kept[-1].moved < 1e-4
    for id in ("overload.least", "overload.most"):
        assert whole(half, id) == pytest.approx(whole(long, id), rel=5e-3), id


@pytest.mark.parametrize("topology", ["llc_half", "llc_full", "llc_three_phase"])
def test_heat_in_a_lasting_overload(topology):
    """What copper and switches lose by resistance grows as the square of the tank current, which no tank's exceeds that a sine of the
    limit's peak has by much; the heat sink has to be better."""
    d = size(BUS, {"topology": topology, "overload.timer": "none"})
    sine = float(plain(d.rows["switch.limit_max"])) / np.sqrt(2)
    for line in (360.0, 400.0):
        now, then = (at_line(d, id, line)[1] for id in ("overload.i_tank", "llc.i_cr_rms"))
        cool, hot = (at_line(d, id, line)[1] for id in ("transformer.t_winding", "overload.t_winding"))
        least = 0.85 if line == 400.0 else 0.75  # at the lowest bus the gain of three phases gives out first
        assert least * sine < now < 1.1 * sine and hot - 40.0 == pytest.approx((cool - 40.0) * (now / then) ** 2, rel=1e-6)
    assert 0 < d.value("overload.r_ca") < d.value("switch.case_to_ambient") and d.value("overload.least") > 1.0
    assert d.figure("overload.t_winding").limit == 175.0


def test_a_steep_gain_is_left_untold():
    """From 85 V of mains behind a plain bulk the tank gives more than three times what it gives at its resonance: no figure, no picture,
    no reading, and nothing else amiss."""
    wide = size(Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=24.0, current_max=2.5),)),
                {"topology": "llc_half"})
    assert float(whole(wide, "llc.gain_need").max()) > 2.0 and "overload.least" not in wide.rows
    assert "overload" not in pictures_of(wide, "switch")
    assert not any("gives way" in c.name for step in bringup.plan(wide) for c in step.checks)


def test_the_bench_and_the_picture_tell_it(half):
    """Readings at both ends of the line; full load, both limits and what the rectifiers are rated for in the picture."""
    assert "overload" in pictures_of(half, "switch")
    read = [c for step in bringup.plan(half) for c in step.checks if "gives way" in c.name]
    assert [c.at.split()[0] for c in read] == ["360", "400"]
    for c, line in zip(read, (360.0, 400.0), strict=True):
        assert c.low == pytest.approx(10 * at_line(half, "overload.least", line)[0], rel=0.06)
        assert c.high == pytest.approx(10 * at_line(half, "overload.most", line)[1], rel=0.06)
