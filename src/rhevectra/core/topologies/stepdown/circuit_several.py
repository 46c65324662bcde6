"""The secondary side of a step-down stage with several outputs: their windings, and the filter core they share."""

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import coupled
from rhevectra.core.topologies.common.elements import output, secondaries

At = Callable[[Any], float]


def windings(s: Any, at: At, sides: tuple[tuple[str, str], ...]) -> tuple[Element, ...]:
    """Secondaries and rectifiers of the outputs beside the regulated one."""
    parts: list[Element] = []
    for x in s.others:
        parts += secondaries(replace(s, ns=x.ns, r_secondary=x.r_secondary), at, sides, f"k{x.n}", f"o{x.n}", f"DOUT{x.n}")
        parts += () if s.variant.both_ways else (Element(f"Dfree{x.n}", ("0", f"k{x.n}"), f"DOUT{x.n}", "rectifier"),)
    return tuple(parts)


def filters(design: Any, o: Any, s: Any, at: At) -> tuple[Element, ...]:
    """One core with a winding for every output: ideal windings on a common inductance with its core loss, each with what it does not share
    of its field and its copper; capacitors and loads."""
    shared, rows = design.context["shared"], design.rows
    leaks = {"inductance": at(s.inductance), "coupling": float(rows["filter1.coupling"].value), "count": len(shared)}
    own_field = coupled.unshared(**leaks)
    common = coupled.alone(**leaks) - own_field
    square = at(o["fs"]) * (at(o["up"]) ** 2 * at(o["t_e"]) + at(o["down"]) ** 2 * at(o["t_d"]))
    parts = [Element("Lout", ("core", "0"), f"{number(common)} IC={number(at(o['valley']))}", "rectifier"),
             Element("Rlcore", ("core", "0"), number(square / max(at(o["p_choke"]), 1e-6)), "rectifier")]
    for own, r, volts in zip(shared, (s.r_inductor, *(x.r_inductor for x in s.others)),
                             (s.v_out, *(rows[f"output{x.n}.v"] for x in s.others)), strict=True):
        n, ratio = own["n"], at(own["ns"]) / at(s.ns)
        begins = max(at(own["i"]) - 0.5 * at(own["ripple"]), 0.0)
        parts += [Element(f"Lleak{n}", ("k" if n == 1 else f"k{n}", f"l{n}"), f"{number(own_field * ratio**2)} IC={number(begins)}",
                          "rectifier"), Element(f"Ewind{n}", (f"l{n}", f"turn{n}", "core", "0"), number(ratio), "rectifier"),
                  Element(f"Vwind{n}", (f"turn{n}", f"wire{n}"), "DC 0", "rectifier"),
                  Element(f"Fwind{n}", ("0", "core", f"Vwind{n}"), number(ratio), "rectifier"),
                  Element(f"Rlout{n}", (f"wire{n}", f"out{n}"), number(at(r)), "rectifier"), *output(design, at(volts), at(own["i"]), n)]
    return tuple(parts)
