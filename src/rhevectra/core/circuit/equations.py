"""The equations of a network in one combination of switch and diode states: from nodal analysis to a linear autonomous system.

Capacitors stand as voltage sources and inductors as current sources of their state; what remains is algebraic,
G·z = Bx·x + Bs·s, z being node voltages and branch currents, s the state of the sources. Where G is singular the left
null space says which states are tied together (inductor cut-sets, capacitor loops); the undetermined part of z follows
from the time derivative of that tie, and a state that breaks the tie is brought onto it by the impulse that conserves
charge and flux. The whole is y' = F·y with y = (x, s), F constant, so that propagation is a matrix exponential.
"""

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.circuit import gates
from rhevectra.core.circuit.modes import Modes, modes
from rhevectra.core.circuit.parts import (
    GROUND,
    Controlled,
    Coupling,
    Diode,
    NetlistError,
    Network,
    NoSteadyState,
    Part,
    Passive,
    Source,
    Switch,
)

SINGULAR, EMPTY, ROUNDING, SAFE = 1e-12, 1e-9, 1e-14, 0.1
"""Relative singular value below which the algebraic part is undetermined; size of a tie that says nothing; share of a column that is
rounding; share of the first that a condition number must stay off for the plain solution."""
OFF, ON, REVERSE = 0, 1, 2


class Tied(Struct, frozen=True):
    """The linear system of one combination. F: (y, y); z: rows of node voltages and branch currents over y; project: (y, y).

    events: one row over y per guard, non-negative while the combination holds; owners: the switch or diode of each guard
    and the state it goes to. sizes: their magnitudes. step: scan step [s]; fastest: largest magnitude of an eigenvalue [1/s]; decay: the
    same of its real part. modes: its motions, where they can be told apart. ties: whether states are tied together.
    """

    F: Array
    z: Array
    project: Array
    events: Array
    sizes: Array
    owners: tuple[tuple[int, int], ...]
    step: float
    fastest: float
    decay: float
    modes: Modes | None
    ties: bool


class State(Struct, frozen=True):
    """What an element adds to G and the right side (z, z + y) in one of its states, and its guards: rows over z (guards, z), constants,
    owners."""

    adds: Array
    rows: Array
    constants: list[float]
    owners: list[tuple[int, int]]


class Equations:
    """Everything of a network that does not depend on the combination; makes and keeps the systems that do."""

    def __init__(self, network: Network, period: float) -> None:
        self.network, self.period = network, period
        self.nodes = sorted({n for p in network.parts for n in p.nodes} - {GROUND})
        self._node = {n: k for k, n in enumerate(self.nodes)}
        self.states: list[Part] = [*network.of("c"), *network.of("l")]
        self.caps = len(network.of("c"))
        branch = [p for p in network.parts if p.name[0] in "vehcd"]
        self._branch = {p.name: len(self.nodes) + k for k, p in enumerate(branch)}
        self.size = len(self.nodes) + len(branch)
        self.changing: list[Part] = [*network.of("s"), *network.of("d")]
        self.gates = gates.find(network, self.changing)
        self._sources()
        self._inverse, self._root = self._inertia()
        self._fixed = self._build_fixed()
        self._pull = self._build_pull()
        self._states = [self._build_states(k, p) for k, p in enumerate(self.changing)]
        self._made: dict[tuple[int, ...], Tied] = {}

    def _sources(self) -> None:
        """Layout of the source state s: a constant 1, value and slope of each pulse that is no gate, sine and cosine of each sine."""
        self.first = len(self.states)
        self.source_at: dict[str, int] = {}
        length, motion = 1, []
        for p in (*self.network.of("v"), *self.network.of("i")):
            assert isinstance(p, Source)
            if p.kind == "dc":
                continue
            rate = p.values[6] if p.kind == "pulse" else 1 / p.values[2]
            if abs(self.period / rate - round(self.period / rate)) > 1e-6 or round(self.period / rate) < 1:
                raise NoSteadyState(f"{p.name}: its period {rate:.6g} s does not divide {self.period:.6g} s")
            if p.name in self.gates:
                continue
            self.source_at[p.name] = length
            motion.append((length, p))
            length += 2
        self.length = self.first + length
        self.pulses = [k for k, p in motion if p.kind == "pulse"]
        self.straight = len(self.pulses) == len(motion)
        """Whether every source is a straight line of time between its breakpoints."""
        self.motion = np.zeros((length, length))
        for k, p in motion:
            if p.kind == "pulse":
                self.motion[k, k + 1] = 1.0
            else:
                w = 2 * np.pi * p.values[2]
                self.motion[k, k + 1], self.motion[k + 1, k] = w, -w

    def drive(self, p: Source) -> Array:
        """The source's value as a row over s."""
        row = np.zeros(self.length - self.first)
        if p.kind == "dc":
            row[0] = p.values[0]
        else:
            at = self.source_at[p.name]
            row[at] = 1.0 if p.kind == "pulse" else p.values[1]
            row[0] = 0.0 if p.kind == "pulse" else p.values[0]
        return row

    def _inertia(self) -> tuple[Array, tuple[Array, Array]]:
        """Inverse of capacitances and of the inductance matrix with its couplings, (x, x); the root of both, and its inverse."""
        n = len(self.states)
        matrix = np.zeros((n, n))
        at = {p.name: k for k, p in enumerate(self.states)}
        for k, p in enumerate(self.states):
            assert isinstance(p, Passive)
            matrix[k, k] = p.value
        for p in self.network.of("k"):
            assert isinstance(p, Coupling)
            for i, a in enumerate(p.inductors):
                for b in p.inductors[i + 1 :]:
                    ka, kb = at[a], at[b]
                    matrix[ka, kb] = matrix[kb, ka] = p.factor * np.sqrt(matrix[ka, ka] * matrix[kb, kb])
        try:
            root = np.linalg.cholesky(matrix).T
        except np.linalg.LinAlgError:
            worst = next(p for p in self.network.of("k"))
            raise NetlistError(worst.line, f"{worst.name}: the couplings together give a negative energy",
                               "couplings that a real transformer can have") from None
        return np.asarray(np.linalg.inv(matrix)), (root, np.asarray(np.linalg.inv(root)))

    def node_row(self, node: str) -> Array:
        """A node's voltage as a row over z."""
        row = np.zeros(self.size)
        if node != GROUND:
            row[self._node[node]] = 1.0
        return row

    def across(self, p: Part) -> Array:
        """Voltage of an element, first node minus second, as a row over z."""
        return self.node_row(p.nodes[0]) - self.node_row(p.nodes[1])

    def _leave(self, G: Array, p: Part, column: Array) -> None:
        """A current, a row over z, that leaves the first node through the element and enters the second."""
        for node, sign in ((p.nodes[0], 1.0), (p.nodes[1], -1.0)):
            if node != GROUND:
                G[self._node[node]] += sign * column

    def _build_fixed(self) -> Array:
        """G without switches and diodes, and the right side over y, (z, z + y)."""
        both = np.zeros((self.size, self.size + self.length))
        G, right = both[:, : self.size], both[:, self.size :]
        unit = np.eye(self.size)
        at = {p.name: k for k, p in enumerate(self.states)}
        for p in self.network.parts:
            kind = p.name[0]
            if kind == "r" and isinstance(p, Passive):
                self._leave(G, p, self.across(p) / p.value)
            elif kind == "l" or (kind == "i" and isinstance(p, Source)):
                for node, sign in ((p.nodes[0], -1.0), (p.nodes[1], 1.0)):
                    if node != GROUND:
                        if isinstance(p, Source):
                            right[self._node[node], self.first :] += sign * self.drive(p)
                        else:
                            right[self._node[node], at[p.name]] += sign
            elif kind in "vehcd":
                b = self._branch[p.name]
                self._leave(G, p, unit[b])
                if kind != "d":
                    G[b] += self.across(p)
                if kind == "v" and isinstance(p, Source) and p.name not in self.gates:
                    right[b, self.first :] = self.drive(p)
                elif kind == "c":
                    right[b, at[p.name]] = 1.0
                elif kind == "e" and isinstance(p, Controlled):
                    G[b] -= p.gain * (self.node_row(p.nodes[2]) - self.node_row(p.nodes[3]))
                elif kind == "h" and isinstance(p, Controlled):
                    G[b] -= p.gain * unit[self._branch[p.control]]
            elif kind == "g" and isinstance(p, Controlled):
                self._leave(G, p, p.gain * (self.node_row(p.nodes[2]) - self.node_row(p.nodes[3])))
            elif kind == "f" and isinstance(p, Controlled):
                self._leave(G, p, p.gain * unit[self._branch[p.control]])
        return both

    def tied(self, combination: tuple[int, ...]) -> Tied:
        """The system of a combination of states, made once."""
        if combination not in self._made:
            self._made[combination] = self._make(combination)
        return self._made[combination]

    def _build_states(self, k: int, p: Part) -> list[State]:
        """What the element k adds in each of its states; the first switch of a gate tells where that stands, and none of them has to be
        watched."""
        out = []
        gate = next((name for name, g in self.gates.items() if k in g.switches), None)
        for state in (OFF, ON) if isinstance(p, Switch) or (isinstance(p, Diode) and not p.breakdown > 0) else (OFF, ON, REVERSE):
            adds = np.zeros((self.size, self.size + self.length))
            G, source = adds[:, : self.size], adds[:, self.size + self.first]
            if isinstance(p, Switch):
                self._leave(G, p, self.across(p) / (p.on if state == ON else p.off))
                sign, over = (1.0 if state == ON else -1.0), self.node_row(p.nodes[2]) - self.node_row(p.nodes[3])
                guards = [(sign * over, -sign * p.threshold, (k, OFF if state == ON else ON))] if gate is None else []
                if gate is not None and k == self.gates[gate].switches[0]:
                    source[self._branch[gate]] = self.gates[gate].value(state == ON)
            elif isinstance(p, Diode):
                b = self._branch[p.name]
                current = np.zeros(self.size)
                current[b] = 1.0
                if state == OFF:
                    G[b, b] = 1.0
                    guards = [(-self.across(p), p.drop, (k, ON)),
                              (self.across(p), p.breakdown, (k, REVERSE))][: 2 if p.breakdown > 0 else 1]
                else:
                    G[b] = self.across(p)
                    G[b, b] -= p.resistance
                    source[b] = p.drop if state == ON else -p.breakdown
                    guards = [(current if state == ON else -current, 0.0, (k, OFF))]
            out.append(State(adds, np.array([g[0] for g in guards]).reshape(len(guards), self.size), [g[1] for g in guards],
                             [g[2] for g in guards]))
        return out

    def _make(self, combination: tuple[int, ...]) -> Tied:
        both = self._fixed.copy()
        for states, state in zip(self._states, combination, strict=True):
            both += states[state].adds
        scale = np.abs(both[:, : self.size]).max(1)
        scale[scale == 0] = 1.0
        both /= scale[:, None]
        return self._solve(both[:, : self.size], both[:, self.size :], combination)

    def _solve(self, G: Array, right: Array, combination: tuple[int, ...]) -> Tied:
        z, W, R = _least(G, right)
        nx = len(self.states)
        pull = self._pull
        motion = np.zeros((self.length, self.length))
        motion[nx:, nx:] = self.motion
        project = np.eye(self.length)
        if W.shape[1]:
            tie = self._real_ties(W.T @ right)
            along = tie[:, :nx] @ pull @ R
            inverse, free = _pseudo(along)
            self._check_ties(tie, along, G)
            rate = tie[:, :nx] @ pull @ z + tie @ motion
            z = z - R @ (inverse @ rate)
            if free.shape[1]:
                loose = R @ free
                volts = loose[: len(self.nodes)]
                z = z - loose @ np.linalg.lstsq(volts, z[: len(self.nodes)], rcond=None)[0]
            project[:nx] -= pull @ R @ (inverse @ tie)
        size = np.abs(z)
        z[size < ROUNDING * size.max(0, initial=0.0)] = 0.0
        F = motion
        F[:nx] = pull.dot(z)
        events, owners = self._guards(z, combination)
        values, apart = modes(F[:nx, :nx], F[:nx, nx:], self.motion, self._root, self.straight, self.period)
        return Tied(F, z, project, events, np.abs(events), owners, *self._pace(values.tolist()), apart, bool(W.shape[1]))

    def _build_pull(self) -> Array:
        """x' as rows over z: capacitor currents over C, inductor voltages through the inverse inductances."""
        rows = np.zeros((len(self.states), self.size))
        for k, p in enumerate(self.states):
            if k < self.caps:
                rows[k, self._branch[p.name]] = 1.0
            else:
                rows[k] = self.across(p)
        return np.asarray(self._inverse @ rows)

    @staticmethod
    def _real_ties(tie: Array) -> Array:
        """Ties that say something; a node that merely floats leaves an empty one."""
        U, s, _ = np.linalg.svd(tie, full_matrices=False)
        return np.asarray(U[:, s > EMPTY].T @ tie)

    def _check_ties(self, tie: Array, along: Array, G: Array) -> None:
        """A tie without a state that could give way is a contradiction of sources."""
        U, s, _ = np.linalg.svd(along)
        dead = U[:, int((s > SINGULAR * max(s[0] if len(s) else 0.0, 1e-30)).sum()) :] if along.size else np.eye(len(tie))
        left = dead.T @ tie
        if left.size and float(np.abs(left).max()) > EMPTY:
            U, sigma, _ = np.linalg.svd(G)
            k = int(np.abs(U[:, sigma <= SINGULAR * sigma[0]]).max(1).argmax())
            name = self.nodes[k] if k < len(self.nodes) else next(n for n, b in self._branch.items() if b == k)
            raise NoSteadyState(f"singular: sources contradict each other around {name!r} (a loop of voltage sources or capacitors without "
                                "resistance, or a cut of current sources)")

    def _guards(self, z: Array, combination: tuple[int, ...]) -> tuple[Array, tuple[tuple[int, int], ...]]:
        states = [of[state] for of, state in zip(self._states, combination, strict=True)]
        rows = np.concatenate([s.rows for s in states] or [self._fixed[:0, : self.size]]) @ z
        rows[:, self.first] += [c for s in states for c in s.constants]
        return rows, tuple(o for s in states for o in s.owners)

    def _pace(self, values: list[complex]) -> tuple[float, float, float]:
        """Scan step [s], fastest motion and fastest decay [1/s]; the step is an eighth of the fastest ring that lasts longer than its own
        period, at most a 24th of the period."""
        ring = max((abs(v.imag) for v in values if abs(v.imag) > 0.2 * abs(v.real)), default=0.0)
        step = min(self.period / 24, 2 * np.pi / ring / 8) if ring > 0 else self.period / 24
        return step, max((abs(v) for v in values), default=0.0), max((abs(v.real) for v in values), default=0.0)

    def current(self, p: Part, z: Array, combination: tuple[int, ...]) -> Array:
        """Current of an element, from its first node through it to its second, as a row over y."""
        row = np.zeros(self.length)
        if p.name in self._branch:
            return np.asarray(z[self._branch[p.name]])
        if p.name[0] == "l":
            row[self.states.index(p)] = 1.0
        elif isinstance(p, Source):
            row[self.first :] = self.drive(p)
        elif isinstance(p, Passive):
            row = self.across(p) @ z / p.value
        elif isinstance(p, Switch):
            row = self.across(p) @ z / (p.on if combination[self.changing.index(p)] == ON else p.off)
        elif isinstance(p, Controlled):
            row = p.gain * ((self.node_row(p.nodes[2]) - self.node_row(p.nodes[3])) @ z if p.name[0] == "g" else z[self._branch[p.control]])
        return np.asarray(row)


def _least(G: Array, right: Array) -> tuple[Array, Array, Array]:
    """The solution of least size of G·z = right, and the left and right null spaces of G (columns)."""
    try:
        inverse = np.linalg.inv(G)
        if np.vdot(G, G) * np.vdot(inverse, inverse) < (SAFE / SINGULAR) ** 2:
            z = inverse.dot(right)
            return z + inverse.dot(right - G.dot(z)), G[:, :0], G[:, :0]
    except np.linalg.LinAlgError:
        pass
    U, sigma, Vt = np.linalg.svd(G)
    rank = int((sigma > SINGULAR * sigma[0]).sum()) if len(sigma) else 0
    return (Vt[:rank].T / sigma[:rank]) @ (U[:, :rank].T @ right), U[:, rank:], Vt[rank:].T


def _pseudo(matrix: Array) -> tuple[Array, Array]:
    """Pseudo-inverse and null space (columns) of a small matrix."""
    U, s, Vt = np.linalg.svd(matrix)
    rank = int((s > 1e-10 * max(s[0] if len(s) else 0.0, 1e-300)).sum())
    return (Vt[:rank].T / s[:rank]) @ U[:, :rank].T, Vt[rank:].T
