"""The secondary of a core driven both ways: centre tap, bridge or current doubler. The period is always that of the centre tap that behaves
alike."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import Quick
from rhevectra.core.formulas import forward, secondary
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE, DOUBLER, TAP
from rhevectra.core.topologies.stepdown import several

if TYPE_CHECKING:
    from rhevectra.core.topologies.stepdown.stage import Stage

_SEEN = {"v_forward": "rectifier.v_pair", "r_rectifier": "rectifier.r_pair", "ns": "transformer.ns_seen", "inductance": "filter1.l_seen",
         "lm": "transformer.lm_seen", "r_secondary": "transformer.r_seen", "r_inductor": "filter1.r_seen"}


def blocked_by(s: "Stage") -> Any:
    """Formula of what a rectifier blocks: both halves where there is a tap, or what behaves alike."""
    return forward.centre_tap_reverse if s.variant.both_ways and s.secondary != BRIDGE else forward.rectifier_reverse


def seen(sheet: Any, s: "Stage") -> "Stage":
    """The stage with the centre tap that behaves alike in the place of its secondary, or with one output in the place of several."""
    if s.others:
        return several.seen(sheet, s)
    rows: dict[str, Any] = {}
    if s.secondary == BRIDGE:
        rows = {"v_forward": sheet(_SEEN["v_forward"], secondary.pair_drop, v_forward=s.v_forward),
                "r_rectifier": sheet(_SEEN["r_rectifier"], secondary.pair_resistance, r_rectifier=s.r_rectifier)}
    elif s.secondary == DOUBLER:
        rows = {"ns": sheet(_SEEN["ns"], secondary.half_turns, turns=s.ns),
                "inductance": sheet(_SEEN["inductance"], secondary.half_inductance, inductance=s.inductance),
                "lm": sheet(_SEEN["lm"], secondary.magnetising_with_inductors, lm=s.lm, turns_secondary=s.ns, turns_primary=s.np,
                            inductance=s.inductance),
                "r_secondary": sheet(_SEEN["r_secondary"], secondary.quarter_resistance, r=s.r_secondary),
                "r_inductor": sheet(_SEEN["r_inductor"], secondary.half_resistance, r=s.r_inductor)}
    return replace(s, **rows) if rows else s


def seen_numbers(s: "Stage") -> "Stage":
    """The same with bare numbers."""
    return seen(Quick(), s)


def beside(s: "Stage", seen: "Stage") -> dict[str, Any] | None:
    """Magnetising inductance with and without the inductors beside it, where they lie there."""
    return {"lm": s.lm, "lm_seen": seen.lm} if s.secondary == DOUBLER else None


def seen_rows(sheet: Any, s: "Stage") -> "Stage":
    """The same from the rows of a recorded pass."""
    if s.others:
        return several.seen_rows(sheet, s)
    return replace(s, **{name: sheet.rows[id] for name, id in _SEEN.items() if id in sheet.rows})


def inductor(sheet: Any, s: "Stage", o: Mapping[str, Any]) -> dict[str, Any]:
    """What one filter inductor carries; s: the stage as it is, o: the pass. Of a current doubler each of both, at half the pulse rate."""
    if s.secondary != DOUBLER:
        return {"ripple": o["ripple"], "crest": o["crest"], "i_l": o["i_l"], "t_e": o["t_e"], "t_d": o["t_d"], "fs": o["fs"]}
    apart = sheet("filter1.i_apart", secondary.apart, v_primary=o["v_in"], turns_secondary=s.ns, turns_primary=s.np, t_feeding=o["t_e"],
                  inductance=s.inductance)
    return {"apart": apart, "ripple": sheet("filter1.i_ripple_one", secondary.ripple_of_one, ripple=o["ripple"], difference=apart),
            "crest": sheet("filter1.i_peak_one", secondary.crest_of_one, crest=o["crest"], difference=apart),
            "i_l": sheet("filter1.i_rms_one", secondary.rms_of_one, i_inductor=o["i_l"], difference=apart, fs=o["fs"], t_feeding=o["t_e"]),
            "t_e": o["t_e"], "t_d": sheet("filter1.t_down_one", secondary.falling_of_one, fs=o["f_switch"], t_feeding=o["t_e"]),
            "fs": o["f_switch"]}


def loss_apart(sheet: Any, s: "Stage", o: Mapping[str, Any]) -> dict[str, Any]:
    """What the inductors of a current doubler carry apart loses, which draws no load current; s: the stage as seen."""
    if s.secondary != DOUBLER:
        return {}
    return {"apart": sheet("filter1.loss_apart", secondary.loss_apart, difference=o["one"]["apart"], r_inductor=s.r_inductor, fs=o["fs"],
                           t_feeding=o["t_e"], r_secondary=s.r_secondary)}


def of_both(sheet: Any, s: "Stage", id: str, one: Any) -> Any:
    """A loss of one filter inductor in all there are."""
    return sheet(id, secondary.both, one=one) if s.secondary == DOUBLER else one


def copper(sheet: Any, s: "Stage", o: Mapping[str, Any], duty: Any, n: int = 1) -> Any:
    """Copper loss [W] of the secondary of output n; s: the stage as it is."""
    if s.secondary == BRIDGE:
        return sheet("loss.copper1", secondary.bridge_copper, r=s.r_secondary, i_inductor=o["i_l"], duty=duty)
    if s.secondary == DOUBLER:
        return sheet("loss.copper1", secondary.doubler_copper, r=s.r_secondary, duty=duty, i_inductor=o["i_l"],
                     difference=o["one"]["apart"])
    if s.variant.both_ways:
        return sheet(f"loss.copper{n}", forward.centre_tap_copper, r=s.r_secondary, i_inductor=o["i_l"], duty=duty)
    return sheet(f"loss.copper{n}", resistive_loss, r=s.r_secondary,
                 i_rms=sheet(f"secondary{n}.i_rms", forward.rectifier_rms, share=duty, i_inductor=o["i_l"]))


def winding(kind: str, half: tuple[Array, Array], apart: float) -> tuple[Array, Array]:
    """Break points of the current of the winding, from those of one half of the centre tap that behaves alike; apart: difference of the
    doubler's inductors [A]."""
    if kind == TAP:
        return half
    t, y = half
    both = y[:-1] - np.roll(y[:-1], 5)  # its own half less the other's, half a period on
    if kind == DOUBLER:
        both = 0.5 * both
        both[[1, 2, 6, 7]] += 0.5 * apart * np.array([-1.0, 1.0, 1.0, -1.0])
    return t, np.append(both, both[0])
