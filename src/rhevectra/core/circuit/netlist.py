"""The circuit model and its SPICE text. One Circuit, built from the design, feeds every user of a circuit."""

import math

from msgspec import Struct

VT_27C = 0.025852
"""Thermal voltage [V] at 27 °C, the simulators' default temperature."""
_EMISSION = 0.25
"""Emission coefficient of exported diodes: small, so that the drop hardly moves with current and RS carries the slope."""
_LEAST_LOG, _MOST_LOG = 18.0, 60.0
"""Natural logarithm of 1 A over the saturation current: at least, or the diode leaks backwards (15 nA); at most, for simulators take no
smaller one than about 1e-28 A."""


class Element(Struct, frozen=True):
    """One element: name (its first letter is the SPICE kind), nodes, and the text after the nodes; part names the stage."""

    name: str
    nodes: tuple[str, ...]
    value: str
    part: str = ""


class Circuit(Struct, frozen=True):
    """Title, elements, models, period [s], settling time [s] and remarks printed as comments."""

    title: str
    elements: tuple[Element, ...]
    models: tuple[str, ...]
    period: float
    settle: float
    remarks: tuple[str, ...] = ()


def number(value: float) -> str:
    """A SPICE number without suffix, seven digits."""
    return f"{value:.7g}"


SMALL_DIODE_R = 0.05
"""Resistance of the small diodes of clamps and resets, and the most of a switch's own [Ω] (common practice, no source)."""


def diode_model(name: str, v_forward: float, r_dynamic: float) -> str:
    """A diode whose drop is v_forward [V] at 1 A (resistance apart) and r_dynamic [Ω] per ampere more."""
    drop = max(v_forward, 0.02)
    emission = min(max(_EMISSION, drop / (_MOST_LOG * VT_27C)), drop / (_LEAST_LOG * VT_27C))
    saturation = 1 / math.expm1(drop / (emission * VT_27C))
    return f".model {name} D(IS={saturation:.6g} N={number(emission)} RS={number(max(r_dynamic, 1e-4))})"


def write(circuit: Circuit) -> str:
    """SPICE text that a general circuit simulator runs unedited."""
    lines = [circuit.title, *(f"* {r}" for r in circuit.remarks)]
    lines += [f"{e.name} {' '.join(e.nodes)} {e.value}" for e in circuit.elements]
    lines += list(circuit.models)
    step = min(circuit.period / 250, 30e-9)
    # xmu: a little of the implicit rule in the trapezoidal one. Without it a node that nothing but inductances and open diodes holds rings
    # at every step, and steps can shrink to nothing.
    lines += [".options reltol=1e-4 abstol=1e-7 vntol=1e-5 itl4=200 method=trap xmu=0.49",
              f".tran {number(step)} {number(circuit.settle)} {number(max(circuit.settle - 20 * circuit.period, 0))} {number(step)} uic",
              ".end"]
    return "\n".join(lines) + "\n"
