"""The secondary side of a resonant stage with several outputs: their windings, held apart by leakage, and their rectifiers."""

from collections.abc import Callable
from typing import Any

from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.topologies.common.elements import between, in_common
from rhevectra.core.topologies.resonant.several import paths

At = Callable[[Any], float]


def windings(s: Any, at: At, sides: tuple[tuple[str, str], ...]) -> tuple[Element, ...]:
    """Tapped secondaries of all outputs across these nodes of the primary side: of each half an ideal winding, what leakage holds it apart
    from those that conduct with it, its resistance, its rectifier."""
    outputs = paths(s)
    turns = [at(x.ns) / at(s.np) for x in outputs]
    parts: list[Element] = []
    for half, ends in enumerate(sides, 1):
        names = [f"{half}" if k == 0 else f"{half}o{x.n}" for k, x in enumerate(outputs)]
        parts += between(s.extra["apart"] - in_common(s.extra["apart"]), names, turns)
        for k, (x, name, ratio) in enumerate(zip(outputs, names, turns, strict=True)):
            of = f"o{x.n}" if k else ""
            parts += [Element(f"Esec{name}", (f"x{name}", "0", *ends), number(ratio), "transformer"),
                      Element(f"Vsec{name}", (f"x{name}", f"y{name}"), "DC 0", "transformer"),
                      Element(f"Fpri{name}", (*ends, f"Vsec{name}"), number(ratio), "transformer"),
                      Element(f"Rsec{name}", (f"w{name}", f"z{name}"), number(max(at(x.r_secondary), 1e-6)), "transformer"),
                      Element(("Dfeed" if half == 1 else "Dfeed2") + of, (f"z{name}", f"out{x.n}" if k else "out1"),
                              f"DOUT{x.n}" if k else "DOUT", "rectifier")]
    return tuple(parts)
