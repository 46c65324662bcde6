"""Reading the SPICE subset of the contract into a network. Everything else is refused with its line number."""

import math
import re
from collections.abc import Callable

from rhevectra.core.circuit.netlist import VT_27C
from rhevectra.core.circuit.parts import GROUND, Controlled, Coupling, Diode, NetlistError, Network, Part, Passive, Source, Switch

MOST_LINES = 20_000
_SUFFIX = {"t": 1e12, "g": 1e9, "meg": 1e6, "k": 1e3, "m": 1e-3, "u": 1e-6, "n": 1e-9, "p": 1e-12, "f": 1e-15}
_NUMBER = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)([a-zµ]*)$")
_IGNORED = (".ic", ".options", ".option", ".tran", ".meas", ".measure", ".end", ".nodeset", ".save", ".print")
_KINDS = "R, L, C, K, V, I, E, F, G, H, S, D"


def number(text: str, line: int, params: dict[str, float] | None = None) -> float:
    """A SPICE number with suffix (`10u`, `4.7meg`, letters after it are a unit), or `{name}` of a `.param`."""
    text = text.strip().lower()
    if text.startswith("{") and text.endswith("}"):
        name = text[1:-1].strip()
        if params is None or name not in params:
            raise NetlistError(line, f"parameter {name!r} is not defined", "a name given by .param")
        return params[name]
    found = _NUMBER.match(text)
    if not found:
        raise NetlistError(line, f"{text[:30]!r} is not a number", "a number such as 10u or 4.7k")
    unit = found[2].replace("µ", "u")
    scale = next((s for k, s in sorted(_SUFFIX.items(), key=lambda kv: -len(kv[0])) if unit.startswith(k)), 1.0)
    value = float(found[1]) * scale
    if not math.isfinite(value):
        raise NetlistError(line, f"{text[:30]!r} is too large", "a finite number")
    return value


def _logical(text: str) -> list[tuple[int, str]]:
    """Lines with continuations joined, comments and ignored cards dropped, each with its number."""
    raw = text.splitlines()
    if len(raw) > MOST_LINES:
        raise NetlistError(MOST_LINES + 1, f"the netlist has {len(raw)} lines", f"at most {MOST_LINES}")
    out: list[tuple[int, str]] = []
    control = False
    for k, line in enumerate(raw[1:], 2):
        line = line.split(";")[0].rstrip()
        word = line.strip().lower()
        if word.startswith(".control"):
            control = True
        elif word.startswith(".endc"):
            control = False
        elif control or not word or word.startswith("*") or word.split()[0] in _IGNORED:
            continue
        elif word.startswith("+"):
            if not out:
                raise NetlistError(k, "a continuation line without a line before it", "an element")
            out[-1] = (out[-1][0], out[-1][1] + " " + line.strip()[1:])
        else:
            out.append((k, line.strip()))
    return out


def _words(line: str) -> list[str]:
    """Words of a line; commas separate, brackets and = stand on their own."""
    spaced = re.sub(r"([()=])", r" \1 ", line.lower().replace(",", " "))
    return re.sub(r"\{\s*(\S+)\s*\}", r"{\1}", spaced).split()


class _Reader:
    def __init__(self) -> None:
        self.params: dict[str, float] = {}
        self.models: dict[str, tuple[str, dict[str, float], int]] = {}

    def num(self, text: str, line: int) -> float:
        return number(text, line, self.params)

    def positive(self, text: str, line: int, what: str) -> float:
        value = self.num(text, line)
        if value <= 0:
            raise NetlistError(line, f"{what} {text} is not positive", "a value above zero")
        return value

    def card(self, words: list[str], line: int) -> None:
        """A `.param` or `.model` card."""
        if words[0] == ".param":
            rest = words[1:]
            if len(rest) % 3 or any(rest[k + 1] != "=" for k in range(0, len(rest), 3)):
                raise NetlistError(line, "the .param card cannot be read", ".param name=number …")
            for k in range(0, len(rest), 3):
                self.params[rest[k]] = self.num(rest[k + 2], line)
        elif words[0] == ".model":
            if len(words) < 3 or words[2] not in ("sw", "d"):
                raise NetlistError(line, f"model type {words[2] if len(words) > 2 else ''!r} is not known", "SW or D")
            self.models[words[1]] = (words[2], self._settings([w for w in words[3:] if w not in "()"], line), line)
        else:
            raise NetlistError(line, f"card {words[0]!r} is not known", ".param, .model and cards that are ignored")

    def _settings(self, words: list[str], line: int) -> dict[str, float]:
        if len(words) % 3 or any(words[k + 1] != "=" for k in range(0, len(words), 3)):
            raise NetlistError(line, "the model's parameters cannot be read", "NAME=number …")
        return {words[k]: self.num(words[k + 2], line) for k in range(0, len(words), 3)}

    def _count(self, words: list[str], least: int, form: str, line: int) -> None:
        if len(words) < least:
            raise NetlistError(line, f"{words[0]}: too few words", form)

    def passive(self, words: list[str], line: int) -> Part:
        self._count(words, 4, f"{words[0]} node node value", line)
        rest = words[4:]
        start = 0.0
        if rest:
            if rest[:2] != ["ic", "="] or len(rest) != 3:
                raise NetlistError(line, f"{words[0]}: {' '.join(rest)!r} is not understood", "IC=value")
            start = self.num(rest[2], line)
        return Passive(words[0], (words[1], words[2]), line, self.positive(words[3], line, f"{words[0]}: value"), start)

    def coupling(self, words: list[str], line: int) -> Part:
        self._count(words, 4, f"{words[0]} inductor inductor … factor", line)
        factor = self.num(words[-1], line)
        if not 0 <= abs(factor) < 1:
            raise NetlistError(line, f"{words[0]}: a coupling of {factor:g} leaves no leakage",
                               "a factor below 1, or an E and F pair for an ideal transformer")
        return Coupling(words[0], (), line, tuple(words[1:-1]), factor)

    def source(self, words: list[str], line: int) -> Part:
        self._count(words, 4, f"{words[0]} node node value", line)
        rest = [w for w in words[3:] if w not in "()"]
        if rest[0] in ("pulse", "sin"):
            values = tuple(self.num(w, line) for w in rest[1:])
            return self._pulse(words, values, line) if rest[0] == "pulse" else self._sine(words, values, line)
        value = rest[1] if rest[0] == "dc" and len(rest) > 1 else rest[0]
        if len(rest) > 2 or (len(rest) == 2 and rest[0] != "dc"):
            raise NetlistError(line, f"{words[0]}: {' '.join(rest)!r} is not understood",
                               "DC value, PULSE(v1 v2 td tr tf pw per) or SIN(offset amplitude frequency)")
        return Source(words[0], (words[1], words[2]), line, "dc", (self.num(value, line),))

    def _pulse(self, words: list[str], v: tuple[float, ...], line: int) -> Part:
        accepted = "PULSE(v1 v2 td tr tf pw per) with tr + pw + tf not above per"
        if len(v) != 7 or v[6] <= 0 or min(v[3:6]) < 0:
            raise NetlistError(line, f"{words[0]}: the pulse cannot be read", accepted)
        if v[3] + v[4] + v[5] > v[6] * (1 + 1e-9):
            raise NetlistError(line, f"{words[0]}: a pulse of {v[5] * 1e6:.4g} µs does not fit into its period of {v[6] * 1e6:.4g} µs",
                               accepted)
        return Source(words[0], (words[1], words[2]), line, "pulse", v)

    def _sine(self, words: list[str], v: tuple[float, ...], line: int) -> Part:
        if len(v) < 3 or any(v[3:]) or v[2] <= 0:
            raise NetlistError(line, f"{words[0]}: the sine cannot be read",
                               "SIN(offset amplitude frequency) without delay, damping or phase")
        return Source(words[0], (words[1], words[2]), line, "sin", v[:3])

    def controlled(self, words: list[str], line: int) -> Part:
        by_nodes = words[0][0] in "eg"
        self._count(words, 6 if by_nodes else 5, f"{words[0]} node node {'node node' if by_nodes else 'Vname'} gain", line)
        if len(words) != (6 if by_nodes else 5):
            raise NetlistError(line, f"{words[0]}: only linear controlled sources are known", "one gain")
        if by_nodes:
            return Controlled(words[0], tuple(words[1:5]), line, self.num(words[5], line))
        return Controlled(words[0], tuple(words[1:3]), line, self.num(words[4], line), words[3])

    def _model(self, words: list[str], at: int, kind: str, line: int) -> dict[str, float]:
        self._count(words, at + 1, f"{words[0]} nodes model", line)
        found = self.models.get(words[at])
        if found is None or found[0] != kind:
            raise NetlistError(line, f"{words[0]}: model {words[at]!r} of type {kind.upper()} is missing",
                               f".model {words[at]} {kind.upper()}(…)")
        return found[1]

    def switch(self, words: list[str], line: int) -> Part:
        m = self._model(words, 5, "sw", line)
        return Switch(words[0], tuple(words[1:5]), line, m.get("ron", 1.0), m.get("roff", 1e12), m.get("vt", 0.0))

    def diode(self, words: list[str], line: int) -> Part:
        m = self._model(words, 3, "d", line)
        saturation = m.get("is", 1e-14)
        if saturation <= 0:
            raise NetlistError(line, f"{words[0]}: IS of its model is not positive", "a saturation current above zero")
        return Diode(words[0], (words[1], words[2]), line, m.get("n", 1.0) * VT_27C * math.log1p(1 / saturation), m.get("rs", 0.0),
                     m.get("bv", 0.0))


def read(text: str) -> Network:
    """The network of a netlist text. Raises NetlistError with the line number."""
    reader, lines = _Reader(), _logical(text)
    parts: dict[str, Part] = {}
    split = [(k, _words(line)) for k, line in lines]
    for k, words in split:
        if words[0].startswith("."):
            reader.card(words, k)
    kinds: dict[str, Callable[[list[str], int], Part]] = {
        **dict.fromkeys("rlc", reader.passive), **dict.fromkeys("vi", reader.source), **dict.fromkeys("efgh", reader.controlled),
        "k": reader.coupling, "s": reader.switch, "d": reader.diode}
    for k, words in split:
        if words[0].startswith("."):
            continue
        make = kinds.get(words[0][0])
        if make is None:
            raise NetlistError(k, f"element {words[0]!r} is of no kind that is known", _KINDS)
        if words[0] in parts:
            raise NetlistError(k, f"the name {words[0]!r} stands already in line {parts[words[0]].line}", "a name used once")
        parts[words[0]] = make(words, k)
    network = Network(text.splitlines()[0].strip() if text.strip() else "", tuple(parts.values()), parts)
    _connected(network)
    return network


def _connected(network: Network) -> None:
    """References that exist, a ground, and a path from every node to it."""
    if not any(GROUND in p.nodes for p in network.parts):
        raise NetlistError(1, "no element is connected to node 0", "a ground node 0")
    for p in network.parts:
        named = p.inductors if isinstance(p, Coupling) else (p.control,) if isinstance(p, Controlled) and p.control else ()
        for name in named:
            if name not in network.by_name or name[0] != ("l" if isinstance(p, Coupling) else "v"):
                raise NetlistError(p.line, f"{p.name}: {name!r} is no {'inductor' if isinstance(p, Coupling) else 'voltage source'} of "
                                   "this netlist", "the name of one")
    group: dict[str, str] = {}

    def root(n: str) -> str:
        while group.setdefault(n, n) != n:
            n = group[n]
        return n
    for p in network.parts:
        for other in p.nodes[1:2]:
            group[root(p.nodes[0])] = root(other)
    seen: dict[str, int] = {}
    for p in network.parts:
        for n in p.nodes:
            seen.setdefault(n, p.line)
    for node, line in seen.items():
        if root(node) != root(GROUND) and not any(isinstance(p, Controlled | Coupling) for p in network.parts):
            raise NetlistError(line, f"node {node!r} has no path to ground", "every node connected to node 0")
        if root(node) == node and all(node not in p.nodes[:2] for p in network.parts):
            raise NetlistError(line, f"node {node!r} only controls and is connected to nothing", "a node with an element on it")
