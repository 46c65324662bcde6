"""Elements that the circuits of several stages have: gate pulses, legs of switches, ideal secondaries, output capacitors and load."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import Row, Sheet, plain
from rhevectra.core.circuit.netlist import SMALL_DIODE_R, Element, diode_model, number

EDGE = 2e-9
"""Rise and fall of the gate pulse [s]."""


def body_resistance(r_switch: float) -> float:
    """Resistance of a switch's body diode, and of those that take its whole current over [Ω]: no more than the die's own, for who bought a
    large die for its current bought a large diode."""
    return min(SMALL_DIODE_R, r_switch)


def taking_over(sheet: Sheet, r_switch: Any) -> Row:
    """Row of that resistance."""
    return sheet.given("switch.r_body", body_resistance(float(np.max(plain(r_switch)))), "Ω", "rule",
                       "of a body diode, or of one that takes a switch's current over: no more than the die's own")


def gate(name: str, node: str, delay: float, width: float, period: float) -> Element:
    """A gate pulse: delay, width at its top and period [s]."""
    return Element(name, (node, "0"), f"PULSE(0 10 {number(delay)} {number(EDGE)} {number(EDGE)} {number(width)} {number(period)})",
                   "feedback")


CROSSED, SHIFTED = (("a", "g1", "g2"), ("b", "g2", "g1")), (("a", "g1", "g2"), ("b", "g3", "g4"))
"""Nodes of two legs with the gates of their upper and lower switch: diagonal switches on one gate, or every switch on its own."""


def legs(count: int, diode: str, c_leg: str, gates: tuple[tuple[str, str, str], ...] = CROSSED) -> tuple[Element, ...]:
    """One leg or two of two switches with body diodes; both nodes' capacitances c_leg (a netlist value) stand at the lower switch."""
    parts: list[Element] = []
    for node, upper, lower in gates[:count]:
        parts += [Element(f"Supper{node}", ("bus", node, upper, "0"), "SWITCH", "switch"),
                  Element(f"Slower{node}", (node, "0", lower, "0"), "SWITCH", "switch"),
                  Element(f"Dupper{node}", (node, "bus"), diode, "switch"), Element(f"Dlower{node}", ("0", node), diode, "switch"),
                  Element(f"Cnode{node}", (node, "0"), c_leg, "switch")]
    return tuple(parts)


def secondaries(s: Any, at: Callable[[Any], float], sides: tuple[tuple[str, str], ...], into: str, of: str = "",
                model: str = "DOUT") -> tuple[Element, ...]:
    """Ideal secondaries across these nodes of the primary side, each with its resistance and its rectifier into a node; of: what names and
    nodes end with; model: of the rectifiers."""
    ratio, parts = number(at(s.ns) / at(s.np)), list[Element]()
    for k, ends in enumerate(sides, 1):
        x, y, z = (f"{n}{k}{of}" for n in "xyz")
        parts += [Element(f"Esec{k}{of}", (x, "0", *ends), ratio, "transformer"), Element(f"Vsec{k}{of}", (x, y), "DC 0", "transformer"),
                  Element(f"Fpri{k}{of}", (*ends, f"Vsec{k}{of}"), ratio, "transformer"),
                  Element(f"Rsec{k}{of}", (y, z), number(max(at(s.r_secondary), 1e-6)), "transformer"),
                  Element(("Dfeed" if k == 1 else "Dfeed2") + of, (z, into), model, "rectifier")]
    return tuple(parts)


COMMON, SETTLED = 0.98, 1e-10
"""Share of the leakage with all windings shorted that stands in series with the primary, while they share the rest: all of it would leave
their coupled inductances without any of their own. Time [s] in which the voltage across one of those is gone when its rectifier has let go:
without, a simulator's steps grow short."""


def in_common(apart: Array) -> float:
    """What stands in series with the primary [H] of the leakage between it and other windings, seen from there."""
    return float(COMMON / np.linalg.inv(apart).sum())


def between(apart: Array, names: Sequence[str], turns: Sequence[float]) -> list[Element]:
    """What leakage holds windings apart beyond their common part [H], seen from the primary: a coupled inductance in series with each, from
    node y to w, and what damps it; names: what elements and nodes of each end with; turns: over the primary's."""
    own = apart * np.outer(turns, turns)
    coupling = own / np.sqrt(np.outer(np.diag(own), np.diag(own)))
    return [*(Element(f"{kind}{k}", (f"y{k}", f"w{k}"), text, "transformer") for k, x in zip(names, np.diag(own), strict=True)
              for kind, text in (("Lsec", f"{number(x)} IC=0"), ("Rlk", number(x / SETTLED)))),
            *(Element(f"Ksec{names[j]}{names[k]}", (f"Lsec{names[j]}", f"Lsec{names[k]}"), f"{coupling[j, k]:.9g}", "transformer")
              for k in range(len(own)) for j in range(k))]


FLOAT = 1e6
"""Resistance [Ω] that ties a winding which floats while no rectifier conducts; a simulator needs one."""


def bridged(s: Any, at: Callable[[Any], float], ends: tuple[str, str]) -> tuple[Element, ...]:
    """One ideal secondary across these nodes and its resistance, free of ground: from z1 to s2."""
    ratio = number(at(s.ns) / at(s.np))
    return (Element("Esec1", ("x1", "s2", *ends), ratio, "transformer"), Element("Vsec1", ("x1", "y1"), "DC 0", "transformer"),
            Element("Fpri1", (*ends, "Vsec1"), ratio, "transformer"),
            Element("Rsec1", ("y1", "z1"), number(max(at(s.r_secondary), 1e-6)), "transformer"),
            Element("Rfloat", ("s2", "0"), number(FLOAT), "transformer"))


def four_rectifiers(into: str) -> tuple[Element, ...]:
    """The bridge of such a secondary into a node."""
    return tuple(
        Element(name, (a, b), "DOUT", "rectifier")
        for name, a, b in (("Dfeed", "z1", into), ("Dfeed2", "s2", into), ("Dback", "0", "s2"), ("Dback2", "0", "z1")))


def output(design: Any, v_out: float, i_out: float, n: int = 1) -> tuple[Element, ...]:
    """Capacitors and load of output n."""
    cap = design.catalogue["output_capacitors"].row(str(design.rows[f"output{n}.cap"].value))
    count = float(np.asarray(design.rows[f"output{n}.parallel"].value))
    return (Element(f"Cout{n}", (f"out{n}", f"esr{n}"), f"{number(cap['c_f'] * count)} IC={number(v_out)}", "rectifier"),
            Element(f"Resr{n}", (f"esr{n}", "0"), number(cap["esr_ohm"] / count), "rectifier"),
            Element(f"Rload{n}", (f"out{n}", "0"), number(v_out / i_out), "load"))


def other_models(design: Any, s: Any) -> tuple[str, ...]:
    """Diode models of the outputs beside the regulated one."""
    return tuple(diode_model(f"DOUT{x.n}", row["v_forward_v"], row["r_dynamic_ohm"]) for x in s.others
                 for row in (design.context["plan"].rectifiers[x.n - 1]["row"],))
