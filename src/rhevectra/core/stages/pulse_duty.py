"""Pulse duty of the small capacitors: how steep their edges are, and which kind of capacitor stands that."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import pulse_duty
from rhevectra.core.stages.work import FigureSpec, Work

KINDS = {"polyester film": 20e6, "polypropylene film": 100e6, "film and foil": 1e9}
"""Pulse ratings [V/s] of metallised polyester, metallised polypropylene, and polypropylene between foils, at 250 V and more (typical,
from memory; the table of the very part decides)."""
CERAMIC, LOSSY = "ceramic", "polyester film"
LEAST_FILM = 1e-9
"""Below it [F] film is hardly made (common practice)."""
CLASS_ROOM = 1.25
"""Class over the largest voltage (common practice)."""
_STEPS = (1.0, 1.6, 2.5, 4.0, 6.3)
"""Steps of a decade that capacitors are classed in (the R5 series of preferred numbers, from memory)."""


class Position(Struct, frozen=True):
    """A capacitor: its id, how it is called, its stage, and the rows its edges follow from.

    current: what is switched into it at most, all at once where it is of several; swing: how far it moves, "" where that may be all of it;
    volts: the largest voltage across it, whose class is chosen here, unless there is a row of the class already; resistor: the one it lies
    behind, with volts as its edge; count: how many share the current; hot: all the reactive power of a tank is in it, of which polyester
    would burn a per cent.
    """

    id: str
    label: str
    stage: str
    current: tuple[str, ...] = ()
    swing: str = ""
    volts: str = ""
    resistor: str = ""
    count: int = 1
    hot: bool = False

    @property
    def v_class(self) -> str:
        """Id of its class."""
        return f"{self.id}_v_class"


POSITIONS = (
    Position("clamp.c", "Clamp capacitor", "clamp", ("core.i_one",), "clamp.ripple_pp"),
    Position("active.c", "Clamp capacitor", "switch", ("active.i_leakage", "transformer.i_mag"), "active.ripple_pp", "active.v_clamp"),
    Position("blocking.c", "Blocking capacitor", "transformer", ("switch.i_peak",)),
    Position("divider.c", "Divider capacitors", "transformer", ("switch.i_peak",), count=2),
    Position("llc.cr", "Resonant capacitor", "switch", ("switch.i_peak",), hot=True),
)


def _of_output(n: int) -> Position:
    return Position(f"rectifier{n}.snubber_c", f"Snubber capacitor {n}", "rectifier", volts=f"rectifier{n}.v_reverse",
                    resistor=f"rectifier{n}.snubber_r")


def _all(outputs: int) -> tuple[Position, ...]:
    return (*POSITIONS, *(_of_output(n) for n in range(1, outputs + 1)))


def figures(outputs: int) -> tuple[FigureSpec, ...]:
    """Figures of all positions a design may have, with that many outputs."""
    return tuple(spec for p in _all(outputs) for spec in (
        FigureSpec(f"{p.id}_slew", f"{p.label}, pulse rating", "dV/dt", p.stage, corners.PEAKS, fixed="its own tolerance",
                   sentence="edges as steep as this, counted at its class, have to be allowed"),
        FigureSpec(f"{p.id}_kind", f"{p.label}, kind", "", p.stage, corners.FULL)))


def v_class(volts: float) -> float:
    """The lowest class [V] that leaves room above a voltage."""
    decade = 10.0 ** np.floor(np.log10(max(CLASS_ROOM * volts, 1.0)))
    return float(next(x for x in (*_STEPS, 10.0) if x * decade >= CLASS_ROOM * volts * (1 - 1e-12)) * decade)


def choose_class(work: Work, id: str, volts: float, **follows: Any) -> None:
    """The class of a capacitor that stands so much [V]; follows: what that comes from."""
    work.sheet.chosen(id, v_class(volts), "V", f"next class above {CLASS_ROOM:g} × {show(volts, 'V')}", (), "rule", **follows)


def record(work: Work) -> None:
    """Rows of every small capacitor the design has."""
    rows = work.sheet.rows
    for p in _all(len(work.need.outputs)):
        if p.id in rows and float(np.min(np.asarray(rows[p.id].value, float))) > 0.0:
            _kind(work, p, _slew(work, p))


def _slew(work: Work, p: Position) -> Row:
    """The pulse rating it needs."""
    rows, id, c = work.sheet.rows, f"{p.id}_slew", work.sheet.rows[p.id]
    if p.volts:
        choose_class(work, p.v_class, _most(rows[p.volts]), voltage=rows[p.volts])
    if p.resistor:
        return work.sheet(id, pulse_duty.of_edge, v_edge=rows[p.volts], r=rows[p.resistor], c=c, v_class=rows[p.v_class])
    peak = (rows[p.current[0]] if len(p.current) == 1
            else work.sheet.total(f"{p.id}_i_peak", "A", "what begins at once", **{k.replace(".", "_"): rows[k] for k in p.current}))
    if p.swing:
        return work.sheet(id, pulse_duty.of_current, i_peak=peak, c=c, swing=rows[p.swing], v_class=rows[p.v_class])
    return work.sheet(id, pulse_duty.of_whole_swing, i_peak=peak, count=p.count, c=c)


def _kind(work: Work, p: Position, slew: Row) -> None:
    """The cheapest kind that stands it."""
    most, c = _most(slew), _most(work.sheet.rows[p.id])
    against = {name: f"{show(rating, 'V/s')} usual" if rating < most else f"hardly made below {show(LEAST_FILM, 'F')}" if c < LEAST_FILM
               else "its loss factor is too high for a tank" if p.hot and name == LOSSY else "" for name, rating in KINDS.items()}
    stand = [name for name, why in against.items() if not why]
    refused = [f"{name}: {why}" for name, why in against.items() if why]
    text = (f"the first of these that stands {show(most, 'V/s')}; usual ratings, from memory: the table of the very part decides" if stand
            else "of a kind whose capacitance does not follow the voltage; ask its maker about edges this steep" if c >= LEAST_FILM
            else "of a kind whose capacitance does not follow the voltage")
    work.sheet.chosen(f"{p.id}_kind", stand[0] if stand else CERAMIC, "", text, refused, slew=slew)


def _most(row: Row) -> float:
    """The largest value over all corners."""
    return float(np.max(np.asarray(row.value, float)))
