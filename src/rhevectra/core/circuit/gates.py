"""Gates: pulse sources that do nothing but work switches, so that all the network knows of one is whether its switches are on."""

from collections.abc import Sequence

from msgspec import Struct

from rhevectra.core.circuit.parts import GROUND, Network, Part, Source, Switch


class Gate(Struct, frozen=True):
    """A pulse that only works switches of one threshold. switches: their places among what changes; low, high: its values [V]; steps: the
    pulse that steps where this one crosses the threshold."""

    switches: tuple[int, ...]
    low: float
    high: float
    steps: tuple[float, ...]

    def value(self, on: bool) -> float:
        """What it stands at while its switches are on or off [V]."""
        return self.high if on else self.low


def find(network: Network, changing: Sequence[Part]) -> dict[str, Gate]:
    """The gates of a network by the names of their sources; changing: its switches and diodes."""
    out = {}
    for p in network.parts:
        if not (isinstance(p, Source) and p.kind == "pulse" and p.name[0] == "v" and p.nodes[1] == GROUND):
            continue
        others = [q for q in network.parts if q is not p and (p.nodes[0] in q.nodes or getattr(q, "control", "") == p.name)]
        worked = [q for q in others if isinstance(q, Switch) and q.nodes[2:] == p.nodes and p.nodes[0] not in q.nodes[:2]]
        levels = {q.threshold for q in worked}
        low, high = sorted(p.values[:2])
        if worked and len(worked) == len(others) and len(levels) == 1 and low < min(levels) < high:
            out[p.name] = Gate(tuple(changing.index(q) for q in worked), low, high, _stepped(p.values, min(levels)))
    return out


def _stepped(v: tuple[float, ...], level: float) -> tuple[float, ...]:
    v1, v2, delay, rise, fall, width, per = v
    up, down = delay + rise * (level - v1) / (v2 - v1), delay + rise + width + fall * (v2 - level) / (v2 - v1)
    return v1, v2, up, 0.0, 0.0, down - up, per
