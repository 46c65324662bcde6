"""Half a turn: a winding whose last turn passes through one window of the core only, and what that does to its legs and its leakage."""

from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import half_turn
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics.need import Half
from rhevectra.core.magnetics.windows import Windows
from rhevectra.core.stages.work import FigureSpec, Work

NONE, POST, LEGS = "none", "post", "legs"
LEGGED = ("E", "ETD", "EFD", "PQ", "RM")
"""Families whose two outer legs lie apart."""
DECISIONS = (
    DecisionSpec("transformer.half_turn", "Winding that ends half a turn early", "transformer", "choice",
                 options=(NONE, *(f"ns{k}" for k in range(1, 7))),
                 schools="none; or the output that whole turns do not meet: its last turn through one window only, at the price of uneven "
                 "legs and of leakage"),
    DecisionSpec("transformer.gap_place", "Where the gap lies", "transformer", "choice", options=(POST, LEGS),
                 schools="post: ground, the outer legs closed; legs: a spacer under all of them"),
)
FIGURES = (
    FigureSpec("transformer.b_leg", "Flux of the fuller outer leg", "B̂_l", "transformer", corners.PEAKS, limit="transformer.b_limit",
               limit_kind="max", fixed="saturation taken hot; fringing of the outer gaps",
               sentence="the unpaired half turn drives flux from one outer leg to the other"),
    FigureSpec("transformer.half_l", "Inductance of the half turn", "L_h", "transformer", corners.FULL,
               fixed="permeability taken at its initial value", sentence="in series with its winding, in the leakage already"),
)


def wanted(work: Work, names: list[str]) -> Half | None:
    """The winding that is to have half a turn less, where one is named that this transformer has."""
    name = str(work.choose("transformer.half_turn", NONE, "whole turns").value)
    if name == NONE:
        return None
    place = work.choose("transformer.gap_place", LEGS, "a spacer under all legs: it keeps the flux of an unpaired turn small").value
    if name not in names:
        work.find(MUST_FIX, "transformer", f"there is no winding {name} that could end half a turn early", "transformer.ns1",
                  "transformer.half_turn")
        return None
    return Half(names.index(name), place == LEGS)


def seen(work: Work, need: tr.TransformerNeed, turns: list[Any]) -> list[Any]:
    """Rows of the turns as they count electrically."""
    if need.half is None:
        return turns
    k = need.half.winding
    return [*turns[:k], work.sheet(f"transformer.{need.windings[k].name}_seen", half_turn.seen, wound=turns[k]), *turns[k + 1 :]]


def record(work: Work, need: tr.TransformerNeed, choice: tr.Choice, win: Windows, turns: list[Any], i_peak: Any) -> None:
    """Inductance of the half turn and flux of the legs as rows, and what is to be told of them. turns: as they count; i_peak: row of the
    primary's peak."""
    if need.half is None:
        return
    sheet, k, at = work.sheet, need.half.winding, choice.core
    if work.parts["cores"].row(win.names[at])["family"] not in LEGGED:
        work.find(MUST_FIX, "transformer", f"{win.names[at]} has no two outer legs apart: no turn can pass through one window only",
                  "transformer.core", "transformer.half_turn")
    section, around = win.leg(at)
    path = {"length": sheet.given("transformer.leg_length", around, "m", "catalogue",
                                  "path round one outer leg with its yokes: that of the core without its post"),
            "mu": need.material["mu_initial"],
            "spacer": sheet.rows["transformer.gap_shim"] if need.half.spaced
            else sheet.given("transformer.leg_gap", 0.0, "m", "rule", "the outer legs are closed, the gap is ground into the post")}
    area = sheet.given("transformer.leg_area", section, "m²", "catalogue", "half of the core's section")
    own = sheet("transformer.half_l", half_turn.inductance, area=area, **path)
    amps = sheet("transformer.i_half", half_turn.current, i_peak=i_peak, turns_primary=turns[0], turns=turns[k])
    flux = sheet("transformer.b_leg", half_turn.leg_flux, b_post=sheet.rows["transformer.b_peak"],
                 area_post=sheet.rows["transformer.area_min"], area=area, i_half=amps, **path)
    seen_from = float(own.value) * (float(turns[0].value) / float(turns[k].value)) ** 2
    work.find(LOOK_AT, "transformer", f"half a turn: its {show(float(own.value), 'H', 2)} count as {show(seen_from, 'H', 2)} of leakage, "
              f"and one outer leg carries {show(float(flux.value.max()), 'T', 2)}; "
              + ("the spacer under all legs keeps both small" if need.half.spaced
                 else "a spacer under all legs instead of the ground post makes the half turn's share of both "
                 f"{1 + float(sheet.rows['transformer.gap_shim'].value) * path['mu'] / float(path['length'].value):.0f} times smaller"),
              "transformer.b_leg", "transformer.gap_place")
