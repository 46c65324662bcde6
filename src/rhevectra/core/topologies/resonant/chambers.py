"""The transformer whose leakage is the resonant inductance: primary and secondary in chambers of one bobbin, and the wall between them."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.findings import MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import resonant
from rhevectra.core.magnetics import arrangement, candidate
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics.windows import Windows
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common.winding import choose_closely

SEPARATE, LEAKAGE = "separate", "leakage"
WALL_LEAST = 1.0e-3
"""A moulded wall between chambers [m] (common practice, no source)."""
OFF_MOST = 0.03
"""By how much the leakage may miss the resonant inductance: the rest of the tank's tolerances are no better."""


def beside(need: tr.TransformerNeed, wall: float) -> tr.TransformerNeed:
    """The same need with its windings in chambers, this wall [m] between them."""
    return replace(need, wall=wall, margin=0.0, stack=arrangement.side_by_side([w.name for w in need.windings], wall, need.tapes))


def wall_least(margin: float) -> float:
    """The thinnest wall [m]: moulded, or as wide as both margins that would keep the sides apart."""
    return max(WALL_LEAST, 2 * margin)


def seated(need: tr.TransformerNeed, choice: tr.Choice, wall: float, win: Windows) -> tuple[tr.TransformerNeed, tr.Choice]:
    """Need and choice with a wall of that thickness [m] in the stack."""
    made, trial = beside(need, wall), choice.trial
    sections, high = tr.sections_of(made, trial.laid, tr.wound(made, trial.turns))
    return made, replace(choice, trial=replace(trial, sections=sections, fill=high / need.room(win).height[:, None]))


def wall_for(need: tr.TransformerNeed, choice: tr.Choice, win: Windows, aim: float) -> float:
    """The wall [m] that gives the leakage [H] asked for, as far as the window has room for it."""
    k, trial = choice.core, choice.trial
    at, least = (k, choice.candidate), float(need.wall or WALL_LEAST)
    wanted = resonant.geometric_for(aim, float(need.lp or aim))
    leak = [candidate.working_leakage(some, candidate.leakage_of(some, trial, at, win)) for some in (need, beside(need, least + 1e-3))]
    spare = max(1 - float(trial.fill[at]), 0.0) * float(need.room(win).height[k])
    return round(least + float(np.clip((wanted - leak[0]) / (leak[1] - leak[0]) * 1e-3, 0.0, spare)), 5)


def choose(work: Work, need: tr.TransformerNeed, every: Windows, aim: float) -> tuple[tr.TransformerNeed, tr.Choice, Windows]:
    """Core, turns and wall that leak what is asked for [H]."""
    need, choice, win = choose_closely(work, need, every, lambda n, c, w: seated(n, c, wall_for(n, c, w, aim), w))
    wall = work.choose("transformer.wall", lambda: wall_for(need, choice, win, aim),
                       "what the leakage asks for, as far as the window has room")
    return *seated(need, choice, float(wall.value), win), win


def leakage_row(work: Work, need: tr.TransformerNeed, choice: tr.Choice, win: Windows) -> Any:
    """What the chambers leak with the secondary shorted, the gap under their wall; a reading wins."""
    matrix = candidate.leakage_of(need, choice.trial, (choice.core, choice.candidate), win)
    alone = ", ".join(f"{arrangement.word(need.windings[k].name)} {show(matrix.pair(0, k), 'H')}" for k in tr.outputs_of(need))
    geometric = work.sheet.solved("transformer.leakage_geometric", candidate.working_leakage(need, matrix), "H",
                                  "field energy of both chambers and the wall, one dimension along the post, mean turn; "
                                  f"by itself: {alone}")
    return work.sheet("transformer.leakage", resonant.shorted_reading, geometric=geometric,
                      lp=work.sheet.given("transformer.lp_plan", float(need.lp or 0.0), "H", "solved", "primary inductance"))


def findings(work: Work, has: float, wants: float, spread: float) -> None:
    """Whether the chambers leak what the tank is sized for, both [H], and by what share pieces differ."""
    if abs(has / wants - 1) > OFF_MOST:
        cure = ("a lower ratio of inductances, a smaller resonant capacitor or a wider core" if has > wants
                else "a higher ratio of inductances, more turns or a wider core")
        work.find(MUST_FIX, "transformer", f"the chambers leak {show(has, 'H', 3)}, the tank is sized for {show(wants, 'H', 3)}: {cure} "
                  "brings them together, or a resonant inductor of its own", "transformer.leakage", "llc.ratio")
    work.find(NOTE, "transformer", f"the resonant inductance is the leakage of the transformer: {spread * 100:.0f} % from one piece to the "
              "next, half of that in the resonance; its field runs through the window and out of the core: keep screens and conductors "
              "away from the chambers", "transformer.leakage", "")
