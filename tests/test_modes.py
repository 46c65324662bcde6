"""The engine's fast path: exponentials by the motions of a combination against the general matrix exponential, gates as steps, and guards
that dip while a fast decay lasts."""

from itertools import product

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.linalg import expm

from converters import CIRCUITS, gate
from rhevectra.core.circuit.equations import Equations
from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.parts import Network, NoSteadyState, Passive
from rhevectra.core.circuit.propagate import Propagators
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.core.design.exact_map import Varied


def systems(text, period):
    """Every combination of a netlist that has a system."""
    eq = Equations(read(text), period)
    for c in product((0, 1), repeat=len(eq.changing)):
        try:
            yield eq, eq.tied(c)
        except NoSteadyState:
            continue


def off_by(eq, found, true):
    """Largest difference of two exponentials with states counted by the root of their energy and sources by their size."""
    root = np.concatenate([np.sqrt(1 / np.diag(eq._inverse)), np.ones(eq.length - eq.first)])
    return np.abs((found - true) * root[:, None] / root).max()


@pytest.mark.parametrize("name", ["flyback with RCD", "forward, reset winding", "full bridge", "push-pull", "LLC at resonance"])
def test_motions_against_the_matrix_exponential(name):
    """Three lengths from a thousandth to a third of the period: within 1e-7 of the general exponential, which itself loses as many digits
    as the fastest motion turns; values at many instants and a quantity with its slope agree with them."""
    text, period = CIRCUITS[name]
    seen = 0
    for k, (eq, tied) in enumerate(systems(text, period)):
        if tied.modes is None or k % 3:
            continue
        seen += 1
        y = np.linspace(1.0, 2.0, eq.length)
        y[eq.first + 2 :: 2] = 0.0
        for length in (1e-3 * period, period / 24, period / 3):
            assert off_by(eq, tied.modes.over(length), expm(tied.F * length)) < 1e-7
            assert tied.modes.after(y, np.array([length]))[0] == pytest.approx(tied.modes.over(length) @ y, rel=1e-9, abs=1e-12)
            if len(tied.events):
                value, slope = tied.modes.curve((tied.modes.parts @ y) @ tied.events[0], 0.0)(length)
                there = tied.modes.over(length) @ y
                size = float(np.abs(tied.events[0]) @ np.abs(there)) + 1e-12
                assert value == pytest.approx(float(tied.events[0] @ there), abs=1e-9 * size)
                assert slope == pytest.approx(float(tied.events[0] @ (tied.F @ there)),
                                              abs=1e-6 * float(np.abs(tied.events[0]) @ np.abs(tied.F) @ np.abs(there)) + 1e-9)
    assert seen >= 3


def test_a_ramp_into_every_kind_of_mode():
    """A pulse with slow edges that drives a ring, a decay, and an inductor that stands across it (its current a parabola): with and without
    the fast path, and against the parabola itself."""
    text = "ramp\nV1 a 0 PULSE(0 10 0 4u 4u 1u 20u)\nL1 a b 10u\nR1 b 0 3\nC1 b 0 1u\nL2 a 0 1m\nR2 a c 1k\nC2 c 0 1n\n.end\n"
    eq = Equations(read(text), 2e-5)
    tied = eq.tied(())
    fast, slow = Propagators(tied, eq.period, 1e-13, 0.0), Propagators(replace(tied, modes=None), eq.period, 1e-13, 0.0)
    assert tied.modes is not None
    y = np.zeros(eq.length)
    y[eq.first], y[eq.source_at["v1"] + eq.first + 1] = 1.0, 2.5e6
    l2 = [p.name for p in eq.states].index("l2")
    for t in (1e-9, 1e-7, 1e-6, 4e-6):
        assert off_by(eq, fast.over(t), slow.over(t)) < 1e-9 * 2.5e6 * 4e-6
        assert (fast.over(t) @ y)[l2] == pytest.approx(2.5e6 * t**2 / 2 / 1e-3, rel=1e-9)


def test_motions_too_much_alike_are_left_to_the_series():
    """Two equal RC stages with a buffer between have one eigenvalue twice and one vector: the fast path declines, and the answer is
    t·e^(−t/RC)."""
    text = "twice\nV1 a 0 DC 1\nR1 a b 1k\nC1 b 0 1n IC=0\nE1 c 0 b 0 1\nR2 c d 1k\nC2 d 0 1n IC=0\n.end\n"
    eq = Equations(read(text), 1e-5)
    tied = eq.tied(())
    assert tied.modes is None
    y = np.array([0.0, 0.0, 1.0])
    for t in (1e-7, 1e-6, 5e-6):
        assert (Propagators(tied, 1e-5, 1e-13, 0.0).over(t) @ y)[1] == pytest.approx(1 - (1 + t / 1e-6) * np.exp(-t / 1e-6), rel=1e-9)


def test_a_gate_steps_where_it_crosses_the_threshold():
    """A gate that feeds a resistor too is no mere gate and keeps its edges: all else is the same to nine digits, whatever threshold lies on
    the edge."""
    def text(extra: str, level: float) -> str:
        return ("buck\nV1 a 0 DC 40\nS1 a b g 0 sw\nD1 0 b dm\nL1 b out 50u\nC1 out 0 47u IC=15\nR1 out 0 "
                f"4\n{gate('g', 1e-5, 4e-6)}\n{extra}.model sw SW(RON=50m ROFF=1e7 VT={level})\n.model dm D(IS=1e-12 N=1 RS=10m)\n.end\n")
    outs = []
    for level in (2.0, 8.0):
        plain, loaded = (Measures(steady(read(text(extra, level)), 1e-5)) for extra in ("", "Rg g 0 1k\n"))
        for kind, name in (("n", "out"), ("i", "l1"), ("i", "d1"), ("n", "b")):
            a, b = plain.measure(kind, name), loaded.measure(kind, name)
            assert (a.avg, a.rms, a.max) == pytest.approx((b.avg, b.rms, b.max), rel=1e-8, abs=1e-9), (level, name)
        assert len(plain.found.intervals) < len(loaded.found.intervals) and [e[1] for e in plain.found.period.events].count("s1") == 2
        outs.append(plain.measure("n", "out").avg)
    assert outs[0] - outs[1] == pytest.approx(40 * 2 * 10e-9 * 0.6 / 1e-5,
                                              rel=0.05)  # the lower threshold keeps it closed longer by six tenths of both edges


def test_a_gate_that_rests_high_and_works_two_switches_is_read_like_any_source():
    """Two switches in series opened by a pulse downwards: the gate tells its own volts, on average what its edges leave, and carries no
    current; a resistor beside it makes it a plain source and changes nothing else."""
    def solved(extra: str) -> Measures:
        return Measures(steady(read("two\nV1 a 0 DC 40\nS1 a m g 0 sw\nS2 m b g 0 sw\nD1 0 b dm\nL1 b out 50u\nC1 out 0 47u IC=15\nR1 out "
                                    f"0 4\nVg g 0 PULSE(10 0 2u 20n 20n 6u 10u)\n{extra}.model sw SW(RON=50m ROFF=1e7 VT=5)\n.model dm "
                                    "D(IS=1e-12 N=1 RS=10m)\n.end\n"), 1e-5))
    plain, loaded = solved(""), solved("Rg g 0 1k\n")
    assert plain.eq.gates and not loaded.eq.gates and plain.eq.length == loaded.eq.length - 2
    for kind, name in (("n", "g"), ("n", "out"), ("v", "s1"), ("i", "s2"), ("i", "l1")):
        assert plain.measure(kind, name).avg == pytest.approx(loaded.measure(kind, name).avg, rel=1e-8), name
    low = (6e-6 + 20e-9) / 1e-5
    v = plain.measure("n", "g")
    assert (v.avg, v.rms, v.min, v.max) == pytest.approx((10 * (1 - low), 10 * np.sqrt(1 - low), 0.0, 10.0)) and plain.measure("i",
        "vg").rms == 0


def test_a_diode_that_only_carries_back_while_a_node_falls_is_caught(demo_design):
    """A clamp's capacitor that its resistor has let down to the reflected voltage hangs on the drain when the switch closes: the diode has
    to let go within the nanosecond the node takes. It kept its charge: voltage above zero, and not a volt below what the resistor leaves
    it; mean and rms go together."""
    at = Varied(demo_design, demo_design.grid.find(85.0))
    for r, c in ((3018.0, 2.96e-9), (3395.0, 2.96e-9), (1677.0, 2.96e-9)):
        cell = at.solved(r, c, 100.0)
        assert 0 < cell.swing < 2 * cell.mean * 1.2 and cell.mean <= np.sqrt(cell.power * r) < 1.25 * cell.mean, (r, c)
    parts = tuple(replace(p, value={"rcl": 3018.0, "ccl": 2.96e-9}.get(p.name, p.value)) if isinstance(p, Passive) else p
                  for p in at.network.parts)
    found = steady(Network("", parts, {p.name: p for p in parts}), at.period)
    v = Measures(found).values("v", "ccl")
    assert v.min() > 0.5 * v.max() * np.exp(-at.period / (3018 * 2.96e-9))
