"""The exact steady state of a design at one corner, from its own circuit: waveforms, intervals in words, worst values."""

from collections.abc import Callable, Generator

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.findings import LOOK_AT, Finding
from rhevectra.core.basis.quantities import show
from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.netlist import Circuit, write
from rhevectra.core.circuit.parts import NetlistError, Network, NoSteadyState
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import UNSTABLE, steady_steps, to_the_end
from rhevectra.core.design.design import Design
from rhevectra.core.topologies import TOPOLOGIES

LIVE = 0.05
"""Share of its rms above which an element counts as conducting."""
GATE_HIGH = 5.0
"""What the gates of the netlists close at [V]."""
WORSE = 0.03
"""Share by which the exact value may exceed the sized one before a finding says so."""


class Stretch(Struct, frozen=True):
    """One interval of the period: start and end [s] and what happens, told from the states of switches and diodes."""

    start: float
    end: float
    name: str


class Exact(Struct, frozen=True):
    """Waveforms over one period. currents by element, voltages by node, all at the instants t [s]; residual of the period;
    multiplier: share of a small disturbance left after it."""

    corner: Corner
    t: Array
    period: float
    currents: dict[str, Array]
    voltages: dict[str, Array]
    stretches: tuple[Stretch, ...]
    residual: float
    elapsed: float
    multiplier: float = 0.0

    def stretch_at(self, t: float) -> Stretch:
        """The interval an instant lies in."""
        return next((s for s in self.stretches if s.start <= t <= s.end), self.stretches[-1])

    def current(self, element: str, t: float) -> float:
        """Current of an element [A] at an instant."""
        return float(np.interp(t, self.t, self.currents[element]))

    def greatest(self, kind: str, name: str) -> float:
        """Greatest voltage [V] of a node or current [A] of an element (kind: node, element, or the node of a gate that must be high for the
        current to count: what the opened switch leaves in the winding is not its own)."""
        if kind == "node":
            return float(np.max(self.voltages[name]))
        counts = True if kind == "element" else self.voltages[kind] > GATE_HIGH
        return float(np.max(self.currents[name], where=counts, initial=0.0))

    def conducts(self, element: str, t: float) -> bool:
        """Whether an element carries a current that counts at an instant: against its rms, which a short spike hardly moves."""
        values = self.currents[element]
        rms = float(np.sqrt(np.trapezoid(values**2, self.t) / self.period))
        return abs(self.current(element, t)) > max(LIVE * rms, 1e-4)

    def voltage(self, node: str, t: float) -> float:
        """Voltage of a node [V] at an instant."""
        return float(np.interp(t, self.t, self.voltages[node]))


def network_of(text: str, corner: Corner) -> Network:
    """The parts of a design's netlist at a corner. Raises NoSteadyState where its pulses are longer than its period."""
    try:
        return read(text)
    except NetlistError as problem:
        raise NoSteadyState(f"at {corner.text()} the design asks for what no circuit can do; {problem.wrong}") from None


def exact(design: Design, corner: Corner, change: Callable[[Circuit], Circuit] = lambda circuit: circuit,
          patience: float = float("inf")) -> Exact:
    """Solve the design's circuit at a corner, with what somebody changes of it. patience: periods after which it is given up. Raises
    NoSteadyState with what stood in the way."""
    return to_the_end(exact_steps(design, corner, change), lambda steps, _miss: steps > patience)


def exact_steps(design: Design, corner: Corner,
                change: Callable[[Circuit], Circuit] = lambda circuit: circuit) -> Generator[tuple[int, float], None, Exact]:
    """The same, telling periods simulated and the miss between its steps: whoever asks may leave it there. Returns the exact period."""
    topology = TOPOLOGIES[design.topology]
    circuit = change(topology.circuit(design, corner))
    network, period = network_of(write(circuit), corner), circuit.period
    found = yield from steady_steps(network, period)
    m = Measures(found)
    names = [p.name for p in found.equations.changing]
    stretches: list[Stretch] = []
    before = ""
    for interval in found.intervals:
        states = dict(zip(names, interval.combination, strict=True))
        name = topology.interval_name(states, before)
        if stretches and stretches[-1].name == name:
            stretches[-1] = Stretch(stretches[-1].start, interval.start + interval.length, name)
        elif interval.length > 1e-4 * period or not stretches:
            stretches.append(Stretch(interval.start, interval.start + interval.length, name))
        before = name
    parts, nodes = [p.name for p in network.parts], found.equations.nodes
    values = m.many([*(("i", p) for p in parts), *(("n", n) for n in nodes)])
    currents, voltages = dict(zip(parts, values, strict=False)), dict(zip(nodes, values[len(parts) :], strict=True))
    return Exact(corner, m.samples.t, period, currents, voltages, tuple(stretches), found.residual, found.elapsed, found.multiplier)


def remarks(design: Design, found: Exact) -> list[Finding]:
    """Where the exact waveform is worse than the sized rating by more than 3 % at its corner, both numbers; and a period that does not
    last."""
    out = []
    if found.multiplier > UNSTABLE:
        out.append(Finding(LOOK_AT, "switch", f"at {found.corner.text()} the period with these gate times does not last: a small "
                           f"disturbance grows by {found.multiplier:.3g} in each", "", ""))
    for id, (kind, name, unit) in TOPOLOGIES[design.topology].EXACT_RATINGS.items():
        sized, there = float(design.rows[id].at(found.corner.index)), found.greatest(kind, name)
        if there > sized * (1 + WORSE):
            out.append(Finding(LOOK_AT, design.specs[id].stage,
                               f"{design.specs[id].label}: the exact waveform reaches {show(there, unit)} where the formula gives "
                               f"{show(sized, unit)}, at {found.corner.text()}", id, ""))
    return out
