"""What the independent sources do over a period: stretches in which each is a line of time or a sine, and the switches they open and
close."""

from itertools import pairwise

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit.equations import OFF, ON, Equations
from rhevectra.core.circuit.parts import Source

APART = 1e-9
"""Share of the period that tells two breakpoints apart, and of the largest source that tells a jump."""


class Stretch(Struct, frozen=True):
    """A part of the period without a breakpoint [s]. s: the source state at its begin; jumps: whether a source or gate does there; gated:
    states of the switches of gates."""

    begin: float
    end: float
    s: Array
    jumps: bool
    gated: tuple[tuple[int, int], ...]


def stretches(eq: Equations, scale: float) -> list[Stretch]:
    """The stretches of the period in their order; scale: the largest source.

    A gate steps at the instants at which it crosses its threshold: the switches know no more of it, and its edges need no stretches of
    their own.
    """
    pulses = {p.name: eq.gates[p.name].steps if p.name in eq.gates else p.values for p in eq.network.parts
              if isinstance(p, Source) and p.kind == "pulse"}
    breaks = _breakpoints(eq.period, pulses)
    out: list[Stretch] = []
    for begin, end in pairwise(breaks):
        s, middle = _state(eq, pulses, begin, end), 0.5 * (begin + end)
        gated = tuple((k, ON if _pulse_value(gate.steps, middle) == gate.high else OFF) for gate in eq.gates.values()
                      for k in gate.switches)
        jumps = not out or gated != out[-1].gated
        if not jumps:
            last, length = out[-1].s, begin - out[-1].begin
            jumps = any(abs(last[at] + last[at + 1] * length - s[at]) > APART * scale for at in eq.pulses)
        out.append(Stretch(begin, end, s, jumps, gated))
    return out


def _breakpoints(period: float, pulses: dict[str, tuple[float, ...]]) -> list[float]:
    """Instants within a period at which a pulse source changes its slope [s], with both ends."""
    times = {0.0, period}
    for _, _, delay, rise, fall, width, per in pulses.values():
        for n in range(round(period / per)):
            for t in (delay, delay + rise, delay + rise + width, delay + rise + width + fall):
                times.add((t % per) + n * per)
    ordered = sorted(t for t in times if 0 <= t <= period)
    merged = [ordered[0]]
    for t in ordered[1:]:
        if t - merged[-1] > APART * period:
            merged.append(t)
    merged[-1] = period
    return merged


def _state(eq: Equations, pulses: dict[str, tuple[float, ...]], start: float, end: float) -> Array:
    """The source state s just after `start`; between the breakpoints start and end every source is smooth."""
    s = np.zeros(eq.length - eq.first)
    s[0] = 1.0
    for name, at in eq.source_at.items():
        p = eq.network.by_name[name]
        assert isinstance(p, Source)
        if p.kind == "sin":
            s[at], s[at + 1] = np.sin(2 * np.pi * p.values[2] * start), np.cos(2 * np.pi * p.values[2] * start)
            continue
        middle = 0.5 * (start + end)
        slope = _pulse_slope(pulses[name], middle)
        s[at], s[at + 1] = _pulse_value(pulses[name], middle) - slope * (middle - start), slope
    return s


def _pulse_value(v: tuple[float, ...], t: float) -> float:
    v1, v2, delay, rise, fall, width, per = v
    t = (t - delay) % per
    if t < rise:
        return v1 + (v2 - v1) * t / rise
    if t < rise + width:
        return v2
    if t < rise + width + fall:
        return v2 + (v1 - v2) * (t - rise - width) / fall
    return v1


def _pulse_slope(v: tuple[float, ...], t: float) -> float:
    v1, v2, delay, rise, fall, width, per = v
    t = (t - delay) % per
    if t < rise:
        return (v2 - v1) / rise
    return (v1 - v2) / fall if rise + width <= t < rise + width + fall else 0.0
