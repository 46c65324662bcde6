"""The parts of a network as the engine takes them, each with its line in the netlist. SI units."""

from msgspec import Struct, field

from rhevectra.core.basis.errors import InputError

GROUND = "0"


class Part(Struct, frozen=True):
    """One element: lower-case name (its first letter is the kind), nodes, line number in the text."""

    name: str
    nodes: tuple[str, ...]
    line: int


class Passive(Part, frozen=True):
    """Resistor [Ω], inductor [H] or capacitor [F], by the first letter of the name; start: initial current or voltage."""

    value: float
    start: float = 0.0


class Coupling(Part, frozen=True):
    """Mutual coupling of the named inductors."""

    inductors: tuple[str, ...]
    factor: float


class Source(Part, frozen=True):
    """Independent voltage (v…) or current (i…) source. kind: dc, pulse (v1 v2 td tr tf pw per) or sin (offset amplitude frequency)."""

    kind: str
    values: tuple[float, ...]


class Controlled(Part, frozen=True):
    """Linear controlled source: e and g by a node pair, f and h by the current of a voltage source."""

    gain: float
    control: str = ""


class Switch(Part, frozen=True):
    """Voltage-controlled switch: nodes a, b, control +, control −; on above threshold [V]."""

    on: float
    off: float
    threshold: float


class Diode(Part, frozen=True):
    """Piecewise-linear diode: off, or v = drop + resistance·i; beyond breakdown [V] (0: none) it conducts in reverse."""

    drop: float
    resistance: float
    breakdown: float = 0.0


class Network(Struct, frozen=True):
    """All parts of a netlist in their order."""

    title: str
    parts: tuple[Part, ...]
    by_name: dict[str, Part] = field(default_factory=dict)

    def of(self, letter: str) -> list[Part]:
        """Parts of one kind."""
        return [p for p in self.parts if p.name[0] == letter]


class NetlistError(InputError):
    """A netlist that cannot be used: the line, what is wrong, what is accepted."""

    def __init__(self, line: int, wrong: str, accepted: str = "") -> None:
        self.line = line
        super().__init__(f"line {line}", wrong, accepted)


class NoSteadyState(ArithmeticError):
    """The engine refuses rather than give a wrong answer: which element, which time, why."""
