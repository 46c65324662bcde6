"""Another output from a supply that works: what its secondary side becomes, and what the primary side and every other winding see of it."""

import math

from msgspec import Struct

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.preferred import nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import rework
from rhevectra.core.topologies.common.divider import BIAS

HALVES_BELOW = 4.0
"""Where fewer turns than this are wanted, halves are told too: whole ones are too coarse."""
NOTED = 0.05
"""Share of the volts per turn from which a change is minded."""
RING, TWICE = 1.25, 2.0
"""What the ring adds to a rectifier's reverse voltage, and its rated current over the output's (common practice, no source)."""


FOLLOWS = {True: ("every other winding, the reflected voltage and the drain above the bus",
                  "Fewer turns ask for more switch voltage, clamp power and auxiliary supply: read the drain before full load."),
           False: ("the duty and the transformer's flux",
                   "Fewer turns reach the largest duty at a higher line, and hold up for less: try full load at the lowest line.")}
"""What follows the volts per turn in a flyback, and behind an output choke; and what to mind of it."""


class Side(Struct, frozen=True):
    """An output: voltage [V], rectifier drop [V], current [A]."""

    volts: float
    drop: float
    current: float

    @property
    def power(self) -> float:
        """What it gives [W]."""
        return self.volts * self.current


class Found(Struct, frozen=True):
    """The supply as it is. turns of the winding, primary turns, highest bus [V], drain peak read [V], auxiliary supply read [V], wires side
    by side, turns of the output choke (none in a flyback), lower resistor [Ω] and reference [V] of the divider; None: not known."""

    side: Side
    turns: float
    primary: float | None = None
    bus: float | None = None
    drain: float | None = None
    auxiliary: float | None = None
    wires: float | None = None
    choke: float | None = None
    r_low: float | None = None
    reference: float = 2.495

    @property
    def flyback(self) -> bool:
        """Whether the winding itself holds the energy: no output choke does."""
        return self.choke is None


class Way(Struct, frozen=True):
    """One number of turns: volts per turn [V], over those before, and at that the reflected voltage, drain peak, auxiliary supply and the
    rectifier's rating [V] where they can be told."""

    turns: float
    per_turn: float
    ratio: float
    reflected: float | None
    drain: float | None
    auxiliary: float | None
    reverse: float | None


def checked(found: Found, wanted: Side) -> None:
    """Raises InputError where a number makes no sense."""
    for name, value in (("output voltage now", found.side.volts), ("current now", found.side.current), ("turns now", found.turns),
                        ("voltage wanted", wanted.volts), ("current wanted", wanted.current)):
        if not (math.isfinite(value) and value > 0):
            raise InputError(name, "has to be more than nothing", "a positive number")
    if found.flyback and found.drain is not None and found.bus is not None and found.drain <= found.bus:
        raise InputError("drain peak read", f"{show(found.drain, 'V')} is no more than the bus of {show(found.bus, 'V')}",
                         "the crest at the drain, above the bus")
    if found.r_low is not None and wanted.volts <= found.reference:
        raise InputError("voltage wanted", f"is no more than the reference of {show(found.reference, 'V')}", "a voltage above it")


def exact_turns(found: Found, wanted: Side) -> float:
    """Turns, a fraction, that leave everything else as it is."""
    return float(rework.turns_for(found.turns, found.side.volts, found.side.drop, wanted.volts, wanted.drop))


def ways(found: Found, wanted: Side) -> tuple[Way, ...]:
    """The turns that can be wound around the exact number. Raises InputError."""
    checked(found, wanted)
    exact = exact_turns(found, wanted)
    step = 0.5 if exact < HALVES_BELOW else 1.0
    first = max(math.floor(exact / step), 1)
    return tuple(
        _way(found, wanted, k * step) for k in sorted({first, math.ceil(max(exact / step, 1.0)), *([first + 2] if step == 0.5 else [])}))


def _way(found: Found, wanted: Side, turns: float) -> Way:
    """What comes of one number of turns."""
    old = found.side
    ratio = float(rework.volts_per_turn_ratio(found.turns, old.volts, old.drop, wanted.volts, wanted.drop, turns))
    per_turn, flies, primary, bus = (wanted.volts + wanted.drop) / turns, found.flyback, found.primary, found.bus
    return Way(turns, per_turn, ratio, per_turn * primary if flies and primary is not None else None,
               bus + (found.drain - bus) * ratio if flies and found.drain is not None and bus is not None else None,
               found.auxiliary * ratio if flies and found.auxiliary is not None else None,
               RING * float(rework.reverse_voltage(wanted.volts if flies else 0.0, bus, turns, primary))
               if primary is not None and bus is not None else None)


def sentences(found: Found, wanted: Side) -> list[str]:
    """What the rework comes to, the trap first. Raises InputError."""
    exact, tried = exact_turns(found, wanted), ways(found, wanted)
    best = min(tried, key=lambda w: abs(w.ratio - 1))
    follows, minded = FOLLOWS[found.flyback]
    lines = [f"{show((found.side.volts + found.side.drop) / found.turns, 'V')} a turn as it is: {exact:.3g} turns would leave all else "
             f"alone. {best.turns:g} come nearest: {follows} move by {100 * (best.ratio - 1):+.0f} %.".replace("-", "−")]
    moved = [w for w in tried if abs(w.ratio - 1) >= NOTED]
    if moved:
        lines.append("Rounding is the trap: " + "; ".join(f"{w.turns:g} turns {'raise' if w.ratio > 1 else 'lower'} them by "
                                                          f"{100 * abs(w.ratio - 1):.0f} %" for w in moved) + f". {minded}")
    if any(w.turns % 1 for w in tried):
        lines.append("Half turns end on the far side of an E core: its legs carry unlike flux, and the leakage rises.")
    lines.append(_power(found.side, wanted))
    if found.wires is not None:
        lines.append(f"At the density there is: {math.ceil(found.wires * wanted.current / found.side.current - 1e-9):d} of the same wires "
                     f"side by side, where {found.wires:g} carried {show(found.side.current, 'A')}.")
    lines.append(f"Rectifier for {show(TWICE * wanted.current, 'A')} or more (twice the current, common practice); output capacitors for "
                 f"{show(wanted.volts, 'V')} with their margin and for the ripple current, which goes with the output current.")
    if found.r_low is not None:
        lines.append(_divider(found, wanted))
    if found.choke is not None:
        turns, flux = (rework.choke_turns(found.choke, found.side.volts, found.side.current, wanted.volts, wanted.current),
                       rework.choke_flux_ratio(found.side.volts, found.side.current, wanted.volts, wanted.current))
        lines.append(f"Choke: {round(float(turns)):d} turns in place of {found.choke:g} keep its share of ripple, its flux at "
                     f"{100 * float(flux):.0f} %.")
    return lines


def _power(old: Side, wanted: Side) -> str:
    """Whether the primary side may stay as it is."""
    share = wanted.power / old.power
    told = f"{show(wanted.power, 'W')} where it gave {show(old.power, 'W')}"
    if share > 1 + 1e-9:
        return (f"{told}: {100 * (share - 1):.0f} % more than the primary side was made for. Switch, core, clamp, bulk and current limit "
                "have to be designed anew, or less current be taken.")
    return f"{told}: primary turns, gap and current limit stay." + (
        f" The limit now lets {show(old.power / wanted.volts, 'A')} through: check that the new wire and rectifier bear it."
        if share < 1 - NOTED else "")


def _divider(found: Found, wanted: Side) -> str:
    """The upper resistor, and the output it sets."""
    assert found.r_low is not None
    high = nearest((wanted.volts - found.reference) / (found.reference / found.r_low + BIAS), "E96")
    gives = found.reference + high * (found.reference / found.r_low + BIAS)
    return (f"Divider: {show(high, 'Ω')} (E96) over {show(found.r_low, 'Ω')} at the {found.reference:g} V reference set "
            f"{show(gives, 'V', 4)}; over-voltage trip, output capacitors and the optocoupler's resistor go with the new voltage.")
