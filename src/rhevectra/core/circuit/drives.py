"""What the independent sources do over a period: stretches in which each is a line of time or a sine, and the switches they open and close."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit.equations import OFF, ON, Equations
from rhevectra.core.circuit.parts import GROUND, Source, Switch

APART = 1e-9
"""Share of the period that tells two breakpoints apart, and of the largest source that tells a jump."""


@dataclass(frozen=True)
class Stretch:
    """A part of the period without a breakpoint [s]. s: the source state at its begin; jumps: whether a source does there; gated: states of the switches of gates."""

    begin: float
    end: float
    s: Array
    jumps: bool
    gated: tuple[tuple[int, int], ...]


def stretches(eq: Equations, scale: float) -> list[Stretch]:
    """The stretches of the period in their order; scale: the largest source.

    A gate (a pulse that does nothing but work switches of one threshold) steps at the instants at which it crosses that: the switches
    know no more of it, and its edges need no stretches of their own.
    """
    gates = _gates(eq)
    pulses = {}
    for p in eq.network.parts:
        if isinstance(p, Source) and p.kind == "pulse":
            pulses[p.name] = _stepped(p.values, gates[p.name][0]) if p.name in gates else p.values
    breaks = _breakpoints(eq.period, pulses)
    out: list[Stretch] = []
    for begin, end in pairwise(breaks):
        s, jumps = _state(eq, pulses, begin, end), not out
        if out:
            last, length = out[-1].s, begin - out[-1].begin
            jumps = any(abs(last[at] + last[at + 1] * length - s[at]) > APART * scale for at in eq.pulses)
        gated = [(k, ON if s[eq.source_at[name]] > level else OFF) for name, (level, switches) in gates.items() for k in switches]
        out.append(Stretch(begin, end, s, jumps, tuple(gated)))
    return out


def _gates(eq: Equations) -> dict[str, tuple[float, list[int]]]:
    """Of every gate the threshold [V] and the switches it works, by their place among what changes."""
    out = {}
    for p in eq.network.parts:
        if not (isinstance(p, Source) and p.kind == "pulse" and p.name[0] == "v" and p.nodes[1] == GROUND):
            continue
        others = [q for q in eq.network.parts if q is not p and (p.nodes[0] in q.nodes or getattr(q, "control", "") == p.name)]
        worked = [q for q in others if isinstance(q, Switch) and q.nodes[2:] == p.nodes and p.nodes[0] not in q.nodes[:2]]
        levels = {q.threshold for q in worked}
        if worked and len(worked) == len(others) and len(levels) == 1 and min(p.values[:2]) < min(levels) < max(p.values[:2]):
            out[p.name] = min(levels), [eq.changing.index(q) for q in worked]
    return out


def _stepped(v: tuple[float, ...], level: float) -> tuple[float, ...]:
    """The pulse that steps where this one crosses the level."""
    v1, v2, delay, rise, fall, width, per = v
    up, down = delay + rise * (level - v1) / (v2 - v1), delay + rise + width + fall * (v2 - level) / (v2 - v1)
    return v1, v2, up, 0.0, 0.0, down - up, per


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
