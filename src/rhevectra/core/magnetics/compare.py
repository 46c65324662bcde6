"""The same transformer wound in other orders: core and turns stay, wire is chosen anew, and what changes is set side by side."""

import itertools
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import magnetics, noise
from rhevectra.core.magnetics import arrangement, candidate, transformer
from rhevectra.core.magnetics.transformer import TransformerNeed, Trial
from rhevectra.core.magnetics.windows import Windows

TRIPLE_WALL, ENAMELS = 100e-6, 30e-6
"""Wall of a triple-insulated wire, and enamel of the two wires that face each other [m] (typical, from memory)."""

LAMINATE = 4.4
"""Relative permittivity of glass and epoxy (typical, from memory)."""


class Wound(Struct, frozen=True):
    """One arrangement: its text, leakage with outputs shorted [H], copper and core loss [W], capacitance between the sides without a shield
    [F], whether shields lie between, height used over height there is, rise [K], what refuses it."""

    text: str
    leakage: float
    copper: float
    core: float
    capacitance: float
    shielded: bool
    fill: float
    rise: float
    refused: str


def dielectric(need: TransformerNeed, across: bool, triple: bool) -> tuple[float, float, float]:
    """Share of plates that two neighbouring windings make, permittivity and distance [m] between them; across: the barrier, triple: one of
    them is triple-insulated."""
    if need.board is not None:
        return 1.0, LAMINATE, need.board.barrier if across else need.board.dielectric
    if across and need.wall is not None:
        return noise.ROUND, noise.POLYESTER, need.wall
    return (noise.ROUND, noise.POLYESTER,
            ENAMELS + (TRIPLE_WALL + need.tapes.thickness if triple else need.tapes.wall if across else need.tapes.thickness))


def facing(need: TransformerNeed, trial: Trial, at: tuple[int, int], win: Windows) -> dict[str, float]:
    """Inputs of `noise.interwinding`: share, permittivity, width [m], mean turn length at the faces [m], number of faces and insulation
    [m]."""
    names, win = [w.name for w in need.windings], need.room(win)
    plain = [(b, float(np.broadcast_to(s.depth, trial.fill.shape)[at])) for b, s in zip(need.stack, trial.sections, strict=True)
             if not b.shield]
    depths = [0.5 * (x + y) for (a, x), (b, y) in itertools.pairwise(plain)
              if arrangement.on_primary_side(names[a.winding]) != arrangement.on_primary_side(names[b.winding])]
    turn = float(np.mean([win.turn_length(d)[at[0]] for d in depths])) if depths else 0.0
    share, permittivity, between = dielectric(need, True, any(w.triple for w in need.windings))
    return {"share": share, "permittivity": permittivity, "width": float(need.between_margins(win.width[at[0]])), "turn": turn,
            "faces": len(depths), "distance": between}


def wound_as(need: TransformerNeed, text: str, turns: Sequence[int], win: Windows, wires: dict[str, tuple[Array, Array]]) -> Wound:
    """These turns on one core, wound in another order. Raises InputError where the text does not suit the windings."""
    names = [w.name for w in need.windings]
    order = arrangement.blocks(text, names, need.tapes)
    pins = {**(need.pins or {}), **dict(zip(["np", *names[1:]], turns, strict=True))}
    return worked_out(replace(need, stack=order if need.board is None else need.board.insulated(order), pins=pins), text, win, wires)


def worked_out(need: TransformerNeed, text: str, win: Windows, wires: dict[str, tuple[Array, Array]]) -> Wound:
    """What a need asks for on one core, at its best candidate, with the copper loss and leakage of the whole stack; text: what its order is
    called."""
    trial = transformer.try_all(need, win, wires)
    best = (0, int(trial.excess[0].argmin()))
    hot = need.ambient + float(trial.rise[best])
    copper, _ = candidate.exact_copper(need, trial, best, win, hot)
    core = float(trial.p_core[best])
    resistance = magnetics.thermal_resistance(transformer.HEAT_TRANSFER[need.cooling], float(win.surface[0]))
    seen = candidate.working_leakage(need, candidate.leakage_of(need, trial, best, win))
    rise = float(resistance) * (core + sum(copper))
    rest = replace(trial, constraints={k: v for k, v in trial.constraints.items() if k != "rise"})
    refused = f"{show(rise, 'K', 3)} rise, {show(need.rise_max, 'K', 3)} allowed" if rise > need.rise_max else transformer.binding(rest, 0)
    return Wound(text, seen, sum(copper), core, float(noise.interwinding(**facing(need, trial, best, win))),
                 arrangement.shielded(need.stack, [w.name for w in need.windings]), float(trial.fill[best]),
                 rise, "" if refused == transformer.FITS else refused)


def in_order(plan: Any, text: str, wires: dict[str, tuple[Array, Array]]) -> Wound:
    """A chosen transformer, its core and its turns, wound in another order. plan: need, choice and window. Raises InputError where the text
    does not suit the windings."""
    choice = plan.choice
    return wound_as(plan.need, text, [int(t[choice.core, choice.candidate]) for t in choice.trial.turns], plan.window.only([choice.core]),
                    wires)


def alternatives(plan: Any, chosen: str, wires: dict[str, tuple[Array, Array]]) -> list[Wound]:
    """The usual orders for a chosen transformer, with a person's own first if it is none of them and suits these windings. plan: need,
    choice and window."""
    found: list[Wound] = [*alternative_steps(plan, chosen, wires)][-1][2]
    return found


def alternative_steps(plan: Any, chosen: str, wires: dict[str, tuple[Array, Array]]) -> Iterator[tuple[int, int, Any]]:
    """The same in steps of (done, total, None or all of them), order by order."""
    own = [chosen] if chosen not in arrangement.PRESETS and arrangement.suits(chosen, [w.name for w in plan.need.windings]) else []
    texts, found = (*own, *arrangement.PRESETS), []
    for k, text in enumerate(texts, 1):
        found.append(in_order(plan, text, wires))
        yield k, len(texts), found if k == len(texts) else None
